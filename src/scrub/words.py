"""What macros mean and Python does not: texts compared without case, empty cells, days, exact numbers, safe paths.

    from scrub.words import empty, same, trimmed

    if not empty(record, "guest") and same(trimmed(record["hut"]), "larch"): …

Besides the functions below, each operation of the language is here under its Python name: `trimmed`, `rounded`,
`part_before`, `as_text` and the others. The first argument is the value.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime
from decimal import Decimal
from typing import TYPE_CHECKING, Any, TypeVar

from scrub.api.conditions import empty_under
from scrub.api.items import RecordFacade
from scrub.api.values import into, out
from scrub.model.core.amounts import UNITS, Amount
from scrub.model.core.files import FromData
from scrub.model.core.host import Question
from scrub.model.core.patterns import fits, pattern_of
from scrub.model.core.problem import BadCall, Failure, listed
from scrub.model.core.python_names import operation_name
from scrub.model.core.values import Value, fold, is_empty, loosen, type_name, value_type
from scrub.model.core.values import same as is_same
from scrub.model.core.values import shown as as_shown
from scrub.model.operations import OPERATIONS
from scrub.model.operations.lists import NoOrder
from scrub.model.operations.lists import in_order as order_of
from scrub.model.vocabulary import Callee
from scrub.runner import comparisons
from scrub.runner.answers import typed
from scrub.runner.arithmetic import ARITHMETIC, combined, no_number
from scrub.runner.compiling import no_condition
from scrub.runner.fitting import fitted_all, within
from scrub.runner.gathering import GATHERED
from scrub.runner.paths import ensure_inside, ensure_name

if TYPE_CHECKING:
    import decimal

T = TypeVar("T")


# -- comparing


def same(one: object, other: object, *, exactly: bool = False) -> bool:
    """Whether two values are the same, as `is` compares: text in any case and with any spaces, unless `exactly`;
    colours and addresses by what they mean; a time and a date by the day. The number 3 is not the text "3".
    """
    return is_same(into(one), into(other), exactly)


def one_of(value: object, values: object, *, exactly: bool = False) -> bool:
    """Whether a value is the same as one of a list. Raises `Failure` if that is not a list."""
    every = into(values)
    if not isinstance(every, list):
        raise Failure(f'"is in" needs a list, not {type_name(every)}')
    return any(is_same(into(value), each, exactly) for each in every)


def contains(text: object, part: object, *, exactly: bool = False) -> bool:
    """Whether a text contains another, or a list a value; case does not count, unless `exactly`."""
    return comparisons.text_test("contains", into(text), into(part), loosen if exactly else fold)


def starts_with(text: object, start: object, *, exactly: bool = False) -> bool:
    """Whether a text starts with another; case does not count, unless `exactly`. None starts with nothing."""
    return comparisons.text_test("starts with", into(text), into(start), loosen if exactly else fold)


def ends_with(text: object, end: object, *, exactly: bool = False) -> bool:
    """Whether a text ends with another; case does not count, unless `exactly`. None ends with nothing."""
    return comparisons.text_test("ends with", into(text), into(end), loosen if exactly else fold)


def matches(text: object, pattern: str, *, exactly: bool = False) -> bool:
    """Whether a pattern is found in a text. Patterns are limited in time."""
    value = into(text)
    if value is None:
        return False
    if not isinstance(value, str):
        raise Failure(f'"matches" needs text; this is {type_name(value)}')
    return fits(pattern_of(pattern, exactly), loosen(value))


def less(one: object, other: object) -> bool:
    """Whether one value comes before another: numbers by size, dates and times by the day, text by the alphabet."""
    return comparisons.in_order("<", into(one), into(other))


def more(one: object, other: object) -> bool:
    """Whether one value comes after another."""
    return comparisons.in_order(">", into(one), into(other))


def at_least(one: object, other: object) -> bool:
    """Whether one value does not come before another."""
    return comparisons.in_order(">=", into(one), into(other))


def at_most(one: object, other: object) -> bool:
    """Whether one value does not come after another."""
    return comparisons.in_order("<=", into(one), into(other))


def empty(value: object, heading: str | None = None) -> bool:
    """Whether a value is None, spaces only, or a list without values; with a heading, what is under it in a record: a
    cell with an error value is not empty.
    """
    if heading is None:
        return is_empty(into(value))
    if not isinstance(value, RecordFacade):
        raise TypeError("with a heading, the value must be a record")
    return empty_under(value, heading)


def yes(value: object) -> bool:
    """A value that must be yes or no. Raises `Failure` for any other."""
    if value is True or value is False:
        return value
    raise no_condition(into(value))


# -- calculating


def _calculated(sign: str, one: object, other: object) -> Any:
    left, right = into(one), into(other)
    if type(left) is Decimal and type(right) is Decimal:
        try:
            return ARITHMETIC[sign](left, right)
        except ArithmeticError as error:
            raise no_number(_decimal(error)) from None
    return out(combined(sign, left, right))


def _decimal(error: ArithmeticError) -> decimal.DecimalException:
    from decimal import DecimalException

    assert isinstance(error, DecimalException)
    return error


def added(one: object, other: object) -> Any:
    """The sum of two numbers or spans of time, or a date so much later."""
    return _calculated("+", one, other)


def taken(one: object, other: object) -> Any:
    """The difference of two numbers, dates or spans of time, or a date so much earlier."""
    return _calculated("-", one, other)


def times(one: object, other: object) -> Any:
    """The product of two numbers, or of a number and a span of time, a length or a size."""
    return _calculated("*", one, other)


def divided(one: object, other: object) -> Any:
    """The quotient of two values, exact to 28 digits. Raises `Failure` for zero."""
    return _calculated("/", one, other)


def negative(value: object) -> Any:
    """The value with the other sign."""
    found = into(value)
    if isinstance(found, Amount):
        return out(found.combined("*", Decimal(-1)))
    if type(found) is not Decimal:
        raise Failure(f"a minus needs a number; this is {type_name(found)}")
    return -found


def whole(value: object) -> int:
    """A number as an `int`. Raises `Failure` for one that is not whole."""
    found = into(value)
    if type(found) is not Decimal:
        raise Failure(f"how often to repeat is a number, not {type_name(found)}")
    if found != found.to_integral_value():
        raise Failure(f"how often to repeat is a whole number, not {found}")
    return int(found)


def amount(number: float | Decimal, unit: str) -> Any:
    """A number with a unit: `amount(2, "cm")`, `amount(3, "months")`, `amount(5, "MB")`."""
    known = UNITS.get(unit.lower())
    if known is None:
        raise Failure(f'"{unit}" is not a unit. Units: {listed(UNITS)}')
    cls, name = known
    return cls(into(number), name)


def now() -> datetime:
    """The date and the time, to the minute."""
    return datetime.now().replace(second=0, microsecond=0)


# -- several values


def in_order_by(items: Iterable[T], *keys: Callable[[T], Any], descending: Iterable[int] = ()) -> list[T]:
    """The items in the order of their keys: numbers by size, text by the alphabet, empty ones last; those that are
    alike stay as before. `descending` are the numbers of the keys (from 1) by which the largest comes first.
    """
    every, downwards = list(items), set(descending)
    columns = [([into(key(item)) for item in every], place in downwards) for place, key in enumerate(keys, 1)]
    try:
        return [every[place] for place in order_of(len(every), columns)]
    except NoOrder as failure:
        label = getattr(into(every[failure.place]), "label", "")
        raise failure.at(label) if label else failure from None


def total_of(values: Iterable[object]) -> Any:
    """The sum of values without missing ones; 0 for none."""
    return out(GATHERED["sum"](map(into, values)))


def smallest_of(values: Iterable[object]) -> Any:
    """The smallest of values without missing ones."""
    return out(GATHERED["smallest"](map(into, values)))


def largest_of(values: Iterable[object]) -> Any:
    """The largest of values without missing ones."""
    return out(GATHERED["largest"](map(into, values)))


def average_of(values: Iterable[object]) -> Any:
    """The average of values without missing ones."""
    return out(GATHERED["average"](map(into, values)))


def values_in(value: object) -> list[Any]:
    """A list of its own to go through. Raises `Failure` for a value that is not a list."""
    found = into(value)
    if not isinstance(found, list):
        raise Failure(f'"each … in" needs a list; this is {type_name(found)}')
    return [out(each) for each in found]


# -- showing and finding


def shown(value: object) -> str:
    """A value as text shows it: nothing as an empty text, dates as 2026-07-01, numbers without idle zeros."""
    return as_shown(into(value))


def path(folder: str, *names: object) -> str:
    """A path made of data. `folder` is the script's own; none of the names can lead out of it. Raises `Failure`."""
    pieces = [ensure_name(as_shown(into(name))) for name in names]
    start = f"{folder.rstrip('/')}/" if folder else ""
    return FromData(start + "/".join(pieces), start)


def path_from_data(value: object) -> Any:
    """A path that comes from data as a whole, and must stay in the folder. Raises `Failure`."""
    return ensure_inside(into(value))


def answered(value: object, kind: str = "text", choices: tuple[object, ...] = ()) -> Any:
    """A value as the answer to a question of this type: "number", "date" and the others. Raises `Failure`."""
    try:
        return out(typed(Question("answer", "answer", kind, tuple(map(into, choices))), into(value)))
    except BadCall as problem:
        raise Failure(str(problem)) from None


def asked_of(value: object, word: str) -> Any:
    """A field of an item, or an operation of a value, where only the run can say which."""
    found = into(value)
    if getattr(found, "kind_word", ""):
        return getattr(value, operation_name(word) if word not in dir(value) else word)
    return _operation(word, value, {})


# -- operations


def _operation(word: str, value: object, given: dict[str, object]) -> Any:
    """An operation of a value, as a macro asks for it."""
    found: Value = into(value)
    of = value_type(found)
    owner = of.word if of is not None else ""
    function = OPERATIONS.get((owner, word)) or (OPERATIONS.get(("text", word)) if owner == "address" else None)
    if function is None:
        raise Failure(f'{type_name(found)} has no operation "{word}"')
    callee = Callee(word, owner, function)
    parameters = callee.by_python
    unknown = [name for name in given if name not in parameters]
    if unknown:
        raise TypeError(f"{operation_name(word)}(…) has no argument {unknown[0]!r}. It takes {listed(parameters)}")
    needed = [name for name, each in parameters.items() if each.required and name not in given]
    if needed:
        raise TypeError(f"{operation_name(word)}(…) needs {listed(needed)}")
    arguments = fitted_all([(parameters[name], into(each)) for name, each in given.items()])
    result = function(found, **arguments)
    return out(within(result) if isinstance(result, str | list) else result)


def _made(word: str) -> Callable[..., Any]:
    """The function for an operation."""
    every = [function for (_, name), function in OPERATIONS.items() if name == word]
    first = next(iter(Callee(word, "text", every[0]).by_python), None)

    def operation(value: object, *given: object, **named: object) -> Any:
        if len(given) > 1 or (given and first is None):
            raise TypeError(f"{operation.__name__}(…): only the first argument after the value can omit its name")
        return _operation(word, value, {**({str(first): given[0]} if given else {}), **named})

    operation.__name__ = operation.__qualname__ = operation_name(word)
    operation.__doc__ = Callee(word, "text", every[0]).docs.summary
    return operation


_WORDS = {operation_name(word): word for _, word in OPERATIONS}
_OWN = [
    "added", "amount", "answered", "asked_of", "at_least", "at_most", "average_of", "contains", "divided", "empty",
    "ends_with", "in_order_by", "largest_of", "less", "matches", "more", "negative", "now", "one_of", "path",
    "path_from_data", "same", "shown", "smallest_of", "starts_with", "taken", "times", "total_of", "values_in",
    "whole", "yes",
]  # fmt: skip


def __dir__() -> list[str]:
    return sorted({*_OWN, *_WORDS})


def __getattr__(name: str) -> Callable[..., Any]:
    word = _WORDS.get(name)
    if word is None:
        raise AttributeError(f"module 'scrub.words' has no attribute {name!r}")
    globals()[name] = made = _made(word)
    return made
