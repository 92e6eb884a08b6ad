"""Expressions that give one value from others: searched from the shortest on, with the operations of the language."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import date, timedelta
from decimal import Decimal, localcontext
from inspect import signature
from typing import NamedTuple

from scrub.by_example.time_limit import check_time
from scrub.by_example.values import alike, cost_of, literal
from scrub.model.core.addresses import Address
from scrub.model.core.choice import Choice
from scrub.model.core.problem import Failure
from scrub.model.core.values import ARITHMETIC, shown
from scrub.model.operations import OPERATIONS

#: What is visible to a rule: each field as a macro writes it, with its value.
Context = Mapping[str, object]
#: What no expression gives: it fails.
FAILS = object()

#: Operations of a text without arguments, and of a date, with what each costs.
_OF_TEXT = {
    "trimmed": 1.0, "single-spaced": 1.2, "upper": 1.0, "lower": 1.0, "title-case": 1.3, "sentence-case": 1.3,
    "digits": 1.5, "without-accents": 2.0, "as-number": 1.5, "as-date": 1.5,
}  # fmt: skip
_OF_DATE = {"year": 1.5, "month": 1.5, "day": 1.5, "weekday": 1.5, "week": 1.8, "month-end": 2.0}
_OF_NUMBER = {"rounded": 1.5, "absolute": 1.5}
#: Examples that are looked at first, and expressions that are tried in all.
_FIRST, _MOST = 11, 6000


class Expression(NamedTuple):
    """An expression: its text, how long it is to say, and what it gives."""

    text: str
    cost: float
    of: Callable[[Context], object]


class Example(NamedTuple):
    """What is visible, the value that was there, and the one that is there now."""

    context: Context
    before: object
    after: object


def search(examples: Sequence[Example], fields: Sequence[str]) -> list[Expression]:
    """Expressions that give the value of every example, the shortest first."""
    first = _different(examples)
    fitting = []
    for each in _candidates(first, fields):
        check_time()
        if all(alike(each.of(example.context), example.after) for example in first):
            fitting.append(each)
    fitting = [each for each in fitting if all(alike(each.of(one.context), one.after) for one in examples)]
    best: dict[str, Expression] = {}
    for each in fitting:
        if each.text not in best or each.cost < best[each.text].cost:
            best[each.text] = each
    return sorted(best.values(), key=lambda each: (each.cost, each.text))


def _different(examples: Sequence[Example]) -> list[Example]:
    """Some examples whose values differ."""
    chosen: list[Example] = []
    for example in examples:
        if not any(alike(example.after, each.after) for each in chosen):
            chosen.append(example)
        if len(chosen) == _FIRST:
            return chosen
    return chosen + [each for each in examples if each not in chosen][: _FIRST - len(chosen)]


def _candidates(examples: Sequence[Example], fields: Sequence[str]) -> Iterator[Expression]:
    afters = [example.after for example in examples]
    if all(alike(each, afters[0]) for each in afters):
        text = literal(afters[0])
        if text is not None:
            yield Expression(text, cost_of(afters[0]), _constant(afters[0]))
    bases = [_field(name) for name in fields if any(example.context.get(name) is not None for example in examples)]
    yield from bases
    ones = [each for base in bases for each in _with_operations(base, examples)]
    yield from ones
    for each in ones[:400]:
        yield from _with_operations(each, examples, few=True)
    if all(isinstance(each, Decimal) for each in afters):
        yield from _sums(bases + ones[:60], examples)
    if all(isinstance(each, date) for each in afters):
        yield from _days(bases, examples)
    if all(isinstance(each, str) for each in afters):
        yield from _templates(bases + ones, examples)


def _constant(value: object) -> Callable[[Context], object]:
    return lambda context: value


def _field(name: str) -> Expression:
    return Expression(name, 1.0, lambda context: context.get(name, FAILS))


def _applied(
    base: Expression, type_: str, word: str, arguments: Sequence[object] = (), cost: float = 1.5
) -> Expression:
    """An operation of the language on an expression."""
    function = OPERATIONS[type_, word]
    names = [name.rstrip("_").replace("_", "-") for name in signature(function).parameters][1:]
    parts = [literal(each) or "" for each in arguments]
    written = ", ".join(part if not number else f"{names[number]}: {part}" for number, part in enumerate(parts))

    def of(context: Context) -> object:
        value = base.of(context)
        if value is FAILS or value is None:
            return FAILS
        try:
            with localcontext(ARITHMETIC):
                return function(value, *arguments)
        except (Failure, TypeError, ValueError, AttributeError, ArithmeticError):
            return FAILS

    target = base.text if base.text[:1].isalpha() else f"({base.text})"
    return Expression(f"{target}.{word}" + (f"({written})" if arguments else ""), base.cost + cost, of)


def _with_operations(base: Expression, examples: Sequence[Example], few: bool = False) -> Iterator[Expression]:
    """An expression with one more operation, whose arguments come from the values."""
    values = [base.of(example.context) for example in examples]
    there = [each for each in values if each is not FAILS and each is not None]
    if not there:
        return
    if all(isinstance(each, str) and not isinstance(each, Choice | Address) for each in there):
        for word, cost in _OF_TEXT.items():
            yield _applied(base, "text", word, cost=cost)
        texts = [str(each) for each in there]
        for sign in _signs(texts):
            for word in ("before", "after"):
                yield _applied(base, "text", word, (sign,), 1.8 + len(sign) / 4)
        lengths = {len(str(example.after)) for example in examples if isinstance(example.after, str)}
        if len(lengths) == 1:
            length = lengths.pop()
            for word in ("starting", "ending"):
                yield _applied(base, "text", word, (Decimal(length),), 3.0)
        if not few:
            yield from _replaced(base, examples)
    elif all(isinstance(each, date) for each in there) and not few:
        for word, cost in _OF_DATE.items():
            yield _applied(base, "date", word, cost=cost)
    elif all(isinstance(each, Decimal) for each in there) and not few:
        yield _applied(base, "number", "rounded", cost=1.5)
        yield _applied(base, "number", "rounded", (Decimal(2),), 2.0)
        yield _applied(base, "number", "absolute", cost=1.5)


def _signs(texts: Sequence[str]) -> list[str]:
    """Signs that are in all these texts, alone and with a space."""
    common = set.intersection(*(set(text) for text in texts)) if texts else set()
    signs = sorted(each for each in common if not each.isalnum())
    return [*signs, *(f"{sign} " for sign in signs if sign != " " and all(f"{sign} " in text for text in texts))]


def _replaced(base: Expression, examples: Sequence[Example]) -> Iterator[Expression]:
    """A word put in the place of another one, as the first example shows."""
    for example in examples[:3]:
        value = base.of(example.context)
        if not isinstance(value, str) or not isinstance(example.after, str) or value == example.after:
            continue
        start = 0
        while start < min(len(value), len(example.after)) and value[start] == example.after[start]:
            start += 1
        end = 0
        while end < min(len(value), len(example.after)) - start and value[-1 - end] == example.after[-1 - end]:
            end += 1
        old, new = value[start : len(value) - end], example.after[start : len(example.after) - end]
        if old:
            cost = 3 + (len(old) + len(new)) / 4
            yield _applied(base, "text", "replaced", (old, new), cost)


# -- numbers and dates


def _sums(bases: Sequence[Expression], examples: Sequence[Example]) -> Iterator[Expression]:
    """Two numbers, or a number and one that the examples give, with a sign between them."""
    numbers = [base for base in bases if all(isinstance(base.of(example.context), Decimal) for example in examples)]
    for one in numbers:
        for two in numbers:
            for sign in "+-*/":
                if (sign in "+*" and one.text > two.text) or (one.text == two.text and sign in "-/"):
                    continue
                yield from _rounded(_sum(one, sign, two))
        for sign, number in _constants(one, examples):
            text = literal(number)
            if text is not None and number >= 0:
                yield from _rounded(_sum(one, sign, Expression(text, cost_of(number), _constant(number))))


def _sum(one: Expression, sign: str, two: Expression) -> Expression:
    def of(context: Context) -> object:
        left, right = one.of(context), two.of(context)
        if not isinstance(left, Decimal) or not isinstance(right, Decimal):
            return FAILS
        try:
            with localcontext(ARITHMETIC):
                return {"+": left.__add__, "-": left.__sub__, "*": left.__mul__, "/": left.__truediv__}[sign](right)
        except ArithmeticError:
            return FAILS

    return Expression(f"{one.text} {sign} {two.text}", one.cost + two.cost + 1, of)


def _rounded(whole: Expression) -> Iterator[Expression]:
    yield whole
    for places, cost in ((2, 2.0), (0, 1.5), (1, 2.2)):
        arguments = (Decimal(places),) if places else ()
        yield _applied(whole._replace(text=f"({whole.text})"), "number", "rounded", arguments, cost)._replace(
            text=f"({whole.text}).rounded" + (f"({places})" if places else "")
        )


def _constants(one: Expression, examples: Sequence[Example]) -> Iterator[tuple[str, Decimal]]:
    """Numbers that the examples give: what was added, and by what was multiplied."""
    pairs = [(one.of(example.context), example.after) for example in examples]
    numbers = [(left, right) for left, right in pairs if isinstance(left, Decimal) and isinstance(right, Decimal)]
    if not numbers:
        return
    differences = {right - left for left, right in numbers}
    if len(differences) == 1:
        number = differences.pop()
        yield ("+", number) if number > 0 else ("-", -number)
    left, right = max(numbers, key=lambda pair: abs(pair[0]))
    if left and right:
        ratio = right / left
        for places in range(5):
            number = round(ratio, places)
            if number > 0:
                yield "*", Decimal(number)
            if ratio and (inverse := round(1 / ratio, places)) > 0:
                yield "/", Decimal(inverse)


def _days(bases: Sequence[Expression], examples: Sequence[Example]) -> Iterator[Expression]:
    """A date some days before or after another one."""
    for base in bases:
        gaps = set()
        for example in examples:
            value = base.of(example.context)
            if not isinstance(value, date) or not isinstance(example.after, date):
                gaps = {timedelta(0)}
                break
            gaps.add(_plain(example.after) - _plain(value))
        if len(gaps) == 1 and (gap := gaps.pop()).days:
            sign, days = ("+", gap.days) if gap.days > 0 else ("-", -gap.days)
            unit = "day" if days == 1 else "days"
            yield Expression(f"{base.text} {sign} {days} {unit}", base.cost + 2.5, _moved(base, gap))


def _plain(value: date) -> date:
    return date(value.year, value.month, value.day)


def _moved(base: Expression, gap: timedelta) -> Callable[[Context], object]:
    def of(context: Context) -> object:
        value = base.of(context)
        return value + gap if isinstance(value, date) else FAILS

    return of


# -- texts with holes

_Pieces = tuple["str | Expression", ...]


def _templates(parts: Sequence[Expression], examples: Sequence[Example]) -> Iterator[Expression]:
    """Texts made of values and what is between them, as the first example shows."""
    first = examples[0]
    goal = str(first.after)
    known: list[tuple[str, Expression]] = []
    for part in parts:
        value = part.of(first.context)
        text = _as_text(value)
        if text and text in goal:
            known.append((text, part))
    known.sort(key=lambda each: (-len(each[0]), each[1].cost))
    budget = [_MOST]
    for pieces in _filled(goal, known[:60], budget):
        if not any(isinstance(piece, Expression) for piece in pieces) or len(pieces) < 2:
            continue
        yield _template(pieces)


def _as_text(value: object) -> str:
    if value is FAILS or value is None or isinstance(value, bool | list):
        return ""
    return str(value) if isinstance(value, int) else shown(value)


def _filled(goal: str, known: Sequence[tuple[str, Expression]], budget: list[int]) -> Iterator[_Pieces]:
    """The ways to make a text of values, with letters between them."""
    if not goal:
        yield ()
        return
    budget[0] -= 1
    check_time()
    if budget[0] < 0:
        return
    starting = [(text, part) for text, part in known if goal.startswith(text)]
    for text, part in starting[:6]:
        for rest in _filled(goal[len(text) :], known, budget):
            yield (part, *rest)
    places = [place for text, _ in known if 0 < (place := goal.find(text)) <= 40]
    for place in sorted({*places, len(goal)})[:3]:
        if place == len(goal):
            yield (goal,)
            continue
        for rest in _filled(goal[place:], known, budget):
            if rest and isinstance(rest[0], Expression):
                yield (goal[:place], *rest)


def _template(pieces: _Pieces) -> Expression:
    cost = 1.0
    text = ""
    for piece in pieces:
        if isinstance(piece, Expression):
            text += "{" + piece.text + "}"
            cost += piece.cost
        else:
            text += piece.replace('"', '""').replace("{", "{{").replace("}", "}}")
            cost += 0.5 + len(piece) / 4

    def of(context: Context) -> object:
        made = ""
        for piece in pieces:
            if isinstance(piece, str):
                made += piece
                continue
            value = piece.of(context)
            if value is FAILS:
                return FAILS
            made += "" if value is None else _as_text(value)
        return made

    return Expression(f'"{text}"', cost, of)


def fields_of(contexts: Iterable[Context]) -> list[str]:
    """The fields that are visible in every context, in their order."""
    found: list[str] | None = None
    for context in contexts:
        found = [name for name in context if found is None or name in found]
    return found or []
