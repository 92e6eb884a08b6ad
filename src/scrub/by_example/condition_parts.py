"""Conditions of one part: about one field, by what some items have in common and others lack."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterator, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from scrub.by_example.expressions import FAILS, Context
from scrub.by_example.values import alike, cost_of, is_empty, literal
from scrub.model.core.addresses import Address
from scrub.model.core.choice import Choice
from scrub.model.core.values import fold

#: Fields by which hardly anybody chooses, and what that costs.
_ACCIDENTS = frozenset(
    "colour font size left-indent space-before space-after keep-with-next place highlight list-level style id date "
    "hidden alignment vertical-alignment number-format".split()
)
_ACCIDENT = 1.5
#: Values of a list in a condition.
_LISTED = 4


class Condition(NamedTuple):
    """A condition: its text (empty for all items), how long it is to say, and whether it holds."""

    text: str
    cost: float
    of: Callable[[Context], bool]
    exceptions: int = 0


#: What is in a list of one item only says little about others.
_ONE_ONLY = 4.0
ALWAYS = Condition("", 0.0, lambda context: True)


def parts(items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str]) -> Iterator[Condition]:
    """Conditions of one part that hold for all of `must`."""
    for field in fields:
        have = [items[number].get(field, FAILS) for number in must]
        not_have = [items[number].get(field, FAILS) for number in never]
        if any(each is FAILS for each in have):
            continue
        more = _ACCIDENT if field.partition(".")[2] in _ACCIDENTS else 0.0
        for each in _of_field(field, have, not_have):
            yield each._replace(cost=each.cost + more)


def _of_field(field: str, have: Sequence[object], not_have: Sequence[object]) -> Iterator[Condition]:
    yield from _empty_or_not(field, have)
    filled = [each for each in have if not is_empty(each)]
    if len(filled) < len(have):
        return
    yield from _equal(field, have, not_have)
    if all(isinstance(each, list) for each in have):
        yield from _of_lists(field, have)
    elif all(isinstance(each, str) and not isinstance(each, Choice | Address) for each in have):
        yield from _of_texts(field, [str(each) for each in have])
    elif all(isinstance(each, Decimal) for each in have) or all(isinstance(each, date) for each in have):
        yield from _limits(field, have, not_have)


def _of(field: str, test: Callable[[object], bool]) -> Callable[[Context], bool]:
    def holds(context: Context) -> bool:
        value = context.get(field, FAILS)
        return value is not FAILS and test(value)

    return holds


def _begins(plain: str) -> Callable[[object], bool]:
    return lambda value: fold(str(value or "")).startswith(plain)


def _ends(plain: str) -> Callable[[object], bool]:
    return lambda value: fold(str(value or "")).endswith(plain)


def _has(plain: str) -> Callable[[object], bool]:
    return lambda value: plain in fold(str(value or ""))


def _lists(word: object) -> Callable[[object], bool]:
    return lambda value: isinstance(value, list) and any(_same(word, each) for each in value)


def _beside(sign: str, limit: Any) -> Callable[[object], bool]:
    """Whether a value is on one side of a limit."""
    kind = date if isinstance(limit, date) else Decimal
    test = {">": operator.gt, ">=": operator.ge, "<": operator.lt, "<=": operator.le}[sign]
    return lambda value: isinstance(value, kind) and bool(test(_comparable(value), limit))


def _empty_or_not(field: str, have: Sequence[object]) -> Iterator[Condition]:
    if all(map(is_empty, have)):
        yield Condition(f"{field} is empty", 2.0, _of(field, is_empty))
    elif not any(map(is_empty, have)):
        cost = 4.5 if field.startswith("cell.") else 1.6 if field.endswith(".level") else 2.4
        yield Condition(f"{field} is not empty", cost, _of(field, lambda value: not is_empty(value)))


def _equal(field: str, have: Sequence[object], not_have: Sequence[object]) -> Iterator[Condition]:
    """`is`, for one value or a few, and `is not` for one that only the others have."""
    first = have[0]
    if isinstance(first, list):
        return
    if all(_same(each, first) for each in have):
        text = literal(first)
        if text is not None:
            cost = 1.6 + min(4.0, cost_of(first)) - (1.2 if len(have) > 2 else 0.0)
            yield Condition(f"{field} is {text}", cost, _of(field, lambda v: _same(v, first)))
    elif len(values := _different(have)) <= _LISTED:
        texts = [literal(each) for each in values]
        if None not in texts:
            cost = 3.0 + sum(map(cost_of, values))
            written = ", ".join(sorted(text for text in texts if text))
            yield Condition(
                f"{field} is in [{written}]", cost, _of(field, lambda v: any(_same(v, each) for each in values))
            )
    others = _different([each for each in not_have if each is not FAILS])
    if len(others) == 1 and not is_empty(others[0]) and not any(_same(each, others[0]) for each in have):
        other, text = others[0], literal(others[0])
        if text is not None:
            yield Condition(f"{field} is not {text}", 2.2 + cost_of(other), _of(field, lambda v: not _same(v, other)))


def _same(one: object, other: object) -> bool:
    if isinstance(one, str) and isinstance(other, str):
        return one == other or fold(one) == fold(other)
    return alike(one, other)


def _different(values: Sequence[object]) -> list[object]:
    found: list[object] = []
    for each in values:
        if not any(_same(each, one) for one in found):
            found.append(each)
            if len(found) > _LISTED:
                break
    return found


def _of_texts(field: str, have: Sequence[str]) -> Iterator[Condition]:
    """`starts with`, `ends with` and `contains`, by what all these texts have in common."""
    low = [fold(text) for text in have]
    start = _common(low)
    end = _common([text[::-1] for text in low])[::-1]
    several = 1.2 if len(have) > 2 else 0.0
    if len(set(low)) > 1:
        for text, words, test in (
            (have[0][: len(start)].strip(), "starts with", _begins),
            (have[0][len(have[0]) - len(end) :].strip(), "ends with", _ends),
        ):
            plain = fold(text)
            if len(plain) > 1 and text.isprintable():
                written = literal(text)
                cost = 1.8 + min(2.8, cost_of(text)) - several
                yield Condition(f"{field} {words} {written}", cost, _of(field, test(plain)))
    words_of = [set(re.findall(r"\w{2,}", text)) for text in low]
    for word in sorted(set.intersection(*words_of)) if words_of else ():
        shown = next((each for each in re.findall(r"\w{2,}", have[0]) if fold(each) == word), word)
        cost = 2.0 + cost_of(word) - several + (1.5 if len(word) < 5 else 0.0) + (3.0 if len(set(low)) == 1 else 0.0)
        yield Condition(f"{field} contains {literal(shown)}", cost, _of(field, _has(word)))


def _common(texts: Sequence[str]) -> str:
    first, last = min(texts), max(texts)
    length = 0
    while length < min(len(first), len(last)) and first[length] == last[length]:
        length += 1
    return first[:length]


def _of_lists(field: str, have: Sequence[object]) -> Iterator[Condition]:
    lists = [each for each in have if isinstance(each, list)]
    for value in lists[0]:
        if isinstance(value, str) and all(any(_same(value, each) for each in found) for found in lists):
            yield Condition(
                f"{field} contains {literal(value)}",
                2.0 + cost_of(value) / 2 + (_ONE_ONLY if len(have) == 1 else 0.0),
                _of(field, _lists(value)),
            )


def _limits(field: str, have: Sequence[object], not_have: Sequence[object]) -> Iterator[Condition]:
    """Above or below a limit, which takes the plainest value in its gap."""
    kind = date if isinstance(have[0], date) else Decimal
    others = [_comparable(each) for each in not_have if isinstance(each, kind)]
    own = [_comparable(each) for each in have]
    low, high = min(own), max(own)
    below, above = [each for each in others if each < low], [each for each in others if each > high]
    if below:
        yield from _limit(field, max(below), low, True)
    if above:
        yield from _limit(field, high, min(above), False)


def _comparable(value: Any) -> Any:
    return date(value.year, value.month, value.day) if isinstance(value, date) else value


def _limit(field: str, low: object, high: object, upwards: bool) -> Iterator[Condition]:
    """What parts two values: `> low` where that is a plain number, else a plain one between them."""
    for value, sign in _plainest(low, high, upwards):
        text = literal(value)
        if text is None:
            continue
        cost = 1.8 + cost_of(value) + (0.3 if len(sign) == 2 else 0.0)
        yield Condition(f"{field} {sign} {text}", cost, _of(field, _beside(sign, value)))


def _plainest(low: object, high: object, upwards: bool) -> Iterator[tuple[object, str]]:
    if isinstance(low, Decimal) and isinstance(high, Decimal):
        between = next(
            (
                number
                for places in (-3, -2, -1, 0, 1, 2)
                if low < (number := round(high, places)) <= high and number != low
            ),
            None,
        )
        if upwards:
            yield low, ">"
            if between is not None:
                yield Decimal(between), ">="
        else:
            yield high, "<"
            if between is not None and between < high:
                yield Decimal(between), "<"
            yield low, "<="
    elif isinstance(low, date) and isinstance(high, date):
        first = date(high.year, high.month, 1)
        if low < first <= high:
            yield first, ">=" if upwards else "<"
        else:
            yield high, ">=" if upwards else "<"
