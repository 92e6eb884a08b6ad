"""Conditions of one part: about one field, by what some items have in common and others lack."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Hashable, Iterator, Sequence
from datetime import date
from decimal import Decimal
from typing import Any, NamedTuple

from scrub.by_example.expressions import FAILS, Context
from scrub.by_example.items import Items, key_of
from scrub.by_example.values import cost_of, is_empty, literal
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
    #: Of each limit in it: between what others fit the items as well.
    gaps: tuple[str, ...] = ()
    #: Of a limit: the field, and whether it is above or below.
    limits: str = ""


#: A list whose values mostly occur only once is hardly what is meant.
_ONCE = 4.0
#: Whole numbers in a gap that may each be the limit.
_GAP = 4
#: What is in a list of one item only says little about others.
_ONE_ONLY = 4.0
ALWAYS = Condition("", 0.0, lambda context: True)


class Parts:
    """Conditions of one part that hold for all of some items. What does not depend on the others is made once."""

    def __init__(self, items: Items, must: Sequence[int], fields: Sequence[str]) -> None:
        self._items, self._must = items, must
        self._of_others: list[tuple[str, float]] = []  # fields that can also be compared with those of others
        self._fixed: list[Condition] = []
        for field in fields:
            values, keys = items.values(field), items.keys(field)
            have, own = [values[number] for number in must], [keys[number] for number in must]
            if FAILS in own:
                continue
            more = _ACCIDENT if field.partition(".")[2] in _ACCIDENTS else 0.0
            self._fixed += [each._replace(cost=each.cost + more) for each in _of_field(field, have, own)]
            if None not in own:
                self._of_others.append((field, more))
        self._beside: dict[int, list[Condition]] = {}

    def beside(self, never: int) -> list[Condition]:
        """All of them, where these others (as bits) are those for which they must not hold."""
        if never not in self._beside:
            others = self._items.numbers(never)
            found = list(self._fixed)
            for field, more in self._of_others:
                found += [each._replace(cost=each.cost + more) for each in self._with_others(field, others)]
            self._beside[never] = found
        return self._beside[never]

    def _with_others(self, field: str, others: Sequence[int]) -> Iterator[Condition]:
        values, keys = self._items.values(field), self._items.keys(field)
        own = {keys[number] for number in self._must}
        if not isinstance(values[self._must[0]], list):
            yield from _unlike(field, own, [(keys[number], values[number]) for number in others])
        have = [values[number] for number in self._must]
        if all(isinstance(each, Decimal) for each in have) or all(isinstance(each, date) for each in have):
            yield from _limits(field, have, [values[number] for number in others])


def _of_field(field: str, have: Sequence[object], keys: Sequence[Hashable]) -> Iterator[Condition]:
    yield from _empty_or_not(field, keys)
    if None in keys:
        return
    yield from _equal(field, have, keys)
    if all(isinstance(each, list) for each in have):
        yield from _of_lists(field, have)
    elif all(isinstance(each, str) and not isinstance(each, Choice | Address) for each in have):
        yield from _of_texts(field, [str(each) for each in have])


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
    return lambda value: isinstance(value, list) and key_of(word) in map(key_of, value)


def _beside(sign: str, limit: Any) -> Callable[[object], bool]:
    """Whether a value is on one side of a limit."""
    kind = date if isinstance(limit, date) else Decimal
    test = {">": operator.gt, ">=": operator.ge, "<": operator.lt, "<=": operator.le}[sign]
    return lambda value: isinstance(value, kind) and bool(test(_comparable(value), limit))


def _empty_or_not(field: str, keys: Sequence[Hashable]) -> Iterator[Condition]:
    if set(keys) == {None}:
        yield Condition(f"{field} is empty", 2.0, _of(field, is_empty))
    elif None not in keys:
        cost = 4.5 if field.startswith("cell.") else 1.6 if field.endswith(".level") else 2.4
        yield Condition(f"{field} is not empty", cost, _of(field, lambda value: not is_empty(value)))


def _equal(field: str, have: Sequence[object], keys: Sequence[Hashable]) -> Iterator[Condition]:
    """`is`, for one value or a few."""
    if isinstance(have[0], list):
        return
    different = dict(zip(reversed(keys), reversed(have), strict=True))
    if len(different) > _LISTED:
        return
    texts = [literal(each) for each in different.values()]
    if None in texts:
        return
    known = frozenset(different)
    if len(different) == 1:
        cost = 1.6 + min(4.0, cost_of(have[0])) - (1.2 if len(have) > 2 else 0.0)
        yield Condition(f"{field} is {texts[0]}", cost, _of(field, lambda value: key_of(value) in known))
    else:
        cost = 3.0 + sum(map(cost_of, different.values())) + (_ONCE if len(have) < 2 * len(different) else 0.0)
        written = ", ".join(sorted(text for text in texts if text))
        yield Condition(f"{field} is in [{written}]", cost, _of(field, lambda value: key_of(value) in known))


def _unlike(field: str, own: set[Hashable], others: Sequence[tuple[Hashable, object]]) -> Iterator[Condition]:
    """`is not`, for a value that only the others have."""
    different = {key: value for key, value in others if key is not FAILS}
    if len(different) != 1:
        return
    key, value = next(iter(different.items()))
    text = literal(value)
    if key is not None and key not in own and text is not None:
        cost = 2.2 + cost_of(value)
        yield Condition(f"{field} is not {text}", cost, _of(field, lambda each: key_of(each) != key))


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
        if isinstance(value, str) and all(key_of(value) in map(key_of, each) for each in lists):
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
    gaps = () if _next_to(low, high) else (f"{field}: any limit between {literal(low)} and {literal(high)} fits.",)
    for value, sign in _plainest(low, high, upwards):
        text = literal(value)
        if text is None:
            continue
        cost = 1.8 + cost_of(value) + (0.3 if len(sign) == 2 else 0.0)
        yield Condition(
            f"{field} {sign} {text}", cost, _of(field, _beside(sign, value)), gaps=gaps, limits=f"{field} {sign[0]}"
        )


def _next_to(low: object, high: object) -> bool:
    """Whether no limit between two values is another one: whole numbers and days that follow each other."""
    if isinstance(low, Decimal) and isinstance(high, Decimal):
        return low == int(low) and high == int(high) and high - low == 1
    return isinstance(low, date) and isinstance(high, date) and (high - low).days == 1


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
            if low == int(low) and high == int(high) and high - low <= _GAP:
                yield from ((Decimal(number), ">") for number in range(int(low) + 1, int(high)))
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
