"""Operations of lists."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from scrub.model.core.amounts import combine
from scrub.model.core.problem import Failure
from scrub.model.core.values import Pairs, alphabetical, fold, is_empty, loosen, shown, type_name
from scrub.model.operations.declare import operation
from scrub.model.operations.mistaken import NOTED, twins


@operation("list")
def count(values: list[object]) -> int:
    """The number of values.

    Example: sheet.name.words.count
    Also: length, number of
    """
    return len(values)


@operation("list")
def first(values: list[object]) -> object:
    """The first value; an error if the list is empty.

    Example: sheet.name.words.first
    Also: head
    """
    return _filled(values, "first")[0]


@operation("list")
def last(values: list[object]) -> object:
    """The last value; an error if the list is empty.

    Example: sheet.name.words.last
    Also: tail
    """
    return _filled(values, "last")[-1]


@operation("list")
def item(values: list[object], number: int) -> object:
    """One value by its position, from 1; negative positions count from the end: -1 is the last.

    number: the position.
    Example: sheet.name.words.item(2)
    Also: nth, element, index, at, second, third
    """
    place = number - 1 if number > 0 else number + len(values)
    if not 0 <= place < len(values):
        raise Failure(f"a list of {len(values):,} has no value {number}")
    return values[place]


@operation("list")
def joined(values: list[object], by: str = "") -> str:
    """The values as one text.

    by: the separator.
    Example: names.joined(", ")
    Also: concatenate, combine
    """
    return by.join(shown(value) for value in values)


@operation("list")
def with_(values: list[object], value: object) -> list[object]:
    """The list with another value at its end.

    value: the value to add.
    Example: late = late.with(sheet.name)
    Also: append, add, collect
    """
    return [*values, value]


def _filled(values: list[object], word: str) -> list[object]:
    if not values:
        raise Failure(f"an empty list has no {word} value")
    return values


@operation("list")
def sum_(values: list[object]) -> Any:
    """The sum of the values; empty values are skipped.

    Example: amounts.sum
    Also: total, add up
    """
    total: object = None
    for value in values:
        if value is not None:
            total = added(total, value)
    return Decimal(0) if total is None else total


def added(total: object, value: object) -> object:
    """A sum so far, None before its first value, with one more. Raises `Failure` for what cannot be added up."""
    if isinstance(total, Decimal) and isinstance(value, Decimal):
        return total + value
    if isinstance(value, bool | str) or type_name(value) not in _SUMMED:
        raise Failure(f"a sum needs numbers; this is {type_name(value)}: {shown(value)}")
    if total is None:
        return value
    result = combine("+", total, value)
    if result is NotImplemented:
        raise Failure("a sum needs values of one type")
    return result


_SUMMED = {"a number", "a duration", "a length", "a size"}


@operation("list")
def smallest(values: list[object]) -> object:
    """The smallest number or earliest date; empty values are skipped.

    Example: amounts.smallest
    Also: minimum, least, earliest
    """
    return min(_comparable(values, "smallest"), key=_text_key)


@operation("list")
def largest(values: list[object]) -> object:
    """The largest number or latest date; empty values are skipped.

    Example: amounts.largest
    Also: maximum, most, latest
    """
    return max(_comparable(values, "largest"), key=_text_key)


@operation("list")
def average(values: list[object]) -> object:
    """The average of the numbers; empty values are skipped.

    Example: amounts.average
    Also: mean
    """
    held = _filled([value for value in values if value is not None], "average")
    total = sum_(held)
    return total / len(held) if isinstance(total, Decimal) else total.combined("/", Decimal(len(held)))


@operation("list")
def sorted_(values: list[object]) -> list[object]:
    """The values sorted: numbers by size, text by the alphabet, empty values last. Upper and lower case count as
    equal.

    Example: names.sorted
    Also: order, alphabetical
    """
    held = [value for value in values if value is not None]
    ordered = sorted(_comparable(held, "") if held else [], key=_text_key)
    return [*ordered, *(value for value in values if value is None)]


@operation("list")
def reversed_(values: list[object]) -> list[object]:
    """The values in reverse order.

    Example: names.sorted.reversed
    Also: backwards, descending
    """
    return values[::-1]


@operation("list")
def unique(values: list[object], exactly: bool = False) -> list[object]:
    """The values without repetitions. Upper and lower case count as equal.

    exactly: whether upper and lower case must match.
    Example: names.unique
    Also: duplicates, distinct
    """
    seen = set()
    kept = []
    for value in values:
        key = (type(value), (loosen(value) if exactly else fold(value)) if isinstance(value, str) else shown(value))
        if key not in seen:
            seen.add(key)
            kept.append(value)
    if len(set(map(type, kept))) > 1:
        there = Pairs()
        for value in kept:
            for what, other in twins(value):
                if there.has(other):
                    NOTED.get()(what, f'"{shown(value)}"', "")
            there.put(value, True)
    return kept


@operation("list")
def filled(values: list[object]) -> list[object]:
    """The values without empty ones.

    Example: names.filled
    Also: without blanks, not empty
    """
    return [value for value in values if not is_empty(value)]


class NoOrder(Failure):
    """Values of different kinds have no order; `place` is that of the first unlike those before, from 0."""

    def __init__(self, what: str, place: int) -> None:
        super().__init__(what)
        self.place = place


def _comparable(values: list[object], word: str) -> list[object]:
    result = _filled([value for value in values if value is not None], word)
    example = type_name(result[0])
    other = next(
        (place for place, value in enumerate(values) if value is not None and type_name(value) != example), None
    )
    if other is not None:
        raise NoOrder(f"{type_name(values[other])} and {example} have no common order", other)
    return result


def ranked(values: Sequence[Any]) -> list[object]:
    """What the values are put in order by. Raises `Failure` for values of several kinds."""
    sorts = set(map(type, values))
    if sorts == {str}:
        known = {text: alphabetical(text) for text in set(values)}
        return list(map(known.__getitem__, values))
    if sorts == {Decimal}:
        return list(values)
    return [_text_key(value) for value in _comparable(list(values), "sort")] if values else []


def in_order(count: int, keys: Sequence[tuple[Sequence[object], bool]]) -> list[int]:
    """The places of that many things in the order of their keys, the most important first, each with whether the
    largest comes first: numbers by size, texts by the alphabet, empty ones last; those that are alike stay as
    before. Raises `NoOrder` with the place of a value that is unlike others.
    """
    places = list(range(count))
    for values, descending in reversed(keys):
        empty = _empty_places(values)
        held = [place for place in places if place not in empty] if empty else places
        try:
            ranks: Any = (
                ranked(values) if not empty else dict(zip(held, ranked([values[at] for at in held]), strict=True))
            )
        except NoOrder as failure:
            raise NoOrder(failure.what, held[failure.place] if empty else failure.place) from None
        held.sort(key=ranks.__getitem__, reverse=descending)
        places = [*held, *(place for place in places if place in empty)] if empty else held
    return places


def _empty_places(values: Sequence[object]) -> set[int]:
    """Where nothing is; of many values of one kind none is asked twice."""
    sorts = set(map(type, values))
    if sorts == {Decimal} or (sorts == {str} and not any(map(is_empty, set(values)))):
        return set()
    return {place for place, value in enumerate(values) if is_empty(value)}


def _text_key(value: object) -> Any:
    return alphabetical(value) if isinstance(value, str) else value
