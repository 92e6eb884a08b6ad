"""Conditions that hold for some items and not for others: one part, or up to three with `and`."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal

from scrub.by_example.condition_parts import ALWAYS, Condition, parts
from scrub.by_example.expressions import FAILS, Context
from scrub.by_example.time_limit import check_time

#: Parts that are tried in pairs, and what an exception costs.
_PAIRED, _EXCEPTION = 60, 2.5
#: Items that are all looked at; rounds in which others are added, how many at a time, and conditions that are checked.
_SAMPLED, _ROUNDS, _ADDED, _CHECKED = 2000, 4, 40, 5
#: Of the items that a rule is for, the share that it may miss.
_MISSED = 6


def search(items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str]) -> list[Condition]:
    """The conditions that hold for all of `must` and none of `never`, the shortest first; where there is none, those
    with few exceptions. Of very many items some are looked at first, then all, and what contradicts is added.
    """
    if len(must) + len(never) <= _SAMPLED:
        return _searched(items, must, never, fields)
    some, others = _spread(must), _spread(never)
    found: list[Condition] = []
    for _ in range(_ROUNDS):
        found = _searched(items, some, others, fields)
        exact = [each for each in found[:_CHECKED] if not each.exceptions and _is_exact(each, items, must, never)]
        if exact or not found:
            return exact
        first = found[0]
        wrong = [number for number in must if not first.of(items[number])][:_ADDED]
        caught = [number for number in never if first.of(items[number])][:_ADDED]
        if set(wrong) <= some and set(caught) <= others:
            break
        some, others = some | set(wrong), others | set(caught)
    counted = [each._replace(exceptions=_misses(each, items, must, never)) for each in found[:_CHECKED]]
    return [each for each in counted if each.exceptions <= len(must) // _MISSED]


def _is_exact(condition: Condition, items: Sequence[Context], must: set[int], never: set[int]) -> bool:
    return all(condition.of(items[n]) for n in must) and not any(condition.of(items[n]) for n in never)


def _spread(numbers: set[int]) -> set[int]:
    """Some of very many items, from all over."""
    ordered = sorted(numbers)
    return set(ordered[:: max(1, len(ordered) // (_SAMPLED // 2))])


def _searched(items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str]) -> list[Condition]:
    if not never:
        return [ALWAYS]
    atoms = list(parts(items, must, never, fields))
    exact = [each for each in atoms if _misses(each, items, must, never) == 0]
    known = {each.text for each in exact}
    others = [each for each in atoms if each.text not in known]
    exact += list(_pairs(others, items, must, never, fields))
    if not exact:
        exact = [*_triples(others, items, must, never, fields), *_loose(items, must, never, fields)]
    return _distinct(sorted(exact, key=lambda each: (each.cost + _EXCEPTION * each.exceptions, each.text)))


def _distinct(conditions: Sequence[Condition]) -> list[Condition]:
    seen: dict[frozenset[str], Condition] = {}
    for each in conditions:
        seen.setdefault(frozenset(each.text.split(" and ")), each)
    return list(seen.values())[:40]


def doubtful(readings: Sequence[Condition], items: Sequence[Context]) -> int:
    """How many items are treated in different ways by conditions, any of which may be meant."""
    if len(readings) < 2:
        return 0
    some = items[:: max(1, len(items) // _SAMPLED)]
    return sum(len({each.of(item) for each in readings}) > 1 for item in some)


def family(loops: Sequence[str]) -> frozenset[str]:
    """What conditions are about, and how: those of one family say nearly the same."""
    found = set()
    for part in " and ".join(loops).replace(" where ", " and ").split(" and "):
        words = part.split(" ")
        sign = " ".join(word for word in words[1:3] if word in _SIGNS) or "is"
        found.add(f"{words[0]} {sign.replace('=', '')}")
    return frozenset(found)


#: The words of comparisons.
_SIGNS = frozenset("is not empty in contains starts ends with > < >= <=".split())


def _both(one: Condition, two: Condition) -> Callable[[Context], bool]:
    return lambda context: one.of(context) and two.of(context)


def _misses(condition: Condition, items: Sequence[Context], must: set[int], never: set[int]) -> int:
    wrong = sum(not condition.of(items[number]) for number in must)
    return wrong + sum(condition.of(items[number]) for number in never)


def _pairs(
    atoms: Sequence[Condition], items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str]
) -> Iterator[Condition]:
    """Two parts with `and` between, the second searched among those that the first leaves."""
    useful = sorted(atoms, key=lambda each: each.cost)[:_PAIRED]
    for one in useful:
        check_time()
        rest = {number for number in never if one.of(items[number])}
        if not rest or len(rest) == len(never):
            continue
        for two in parts(items, must, rest, fields):
            if two.text != one.text and not any(two.of(items[number]) for number in rest):
                text = " and ".join((one.text, two.text))
                yield Condition(text, one.cost + two.cost + 0.5, _both(one, two))


def _triples(
    atoms: Sequence[Condition], items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str]
) -> Iterator[Condition]:
    """Three parts, where two are not enough: the first from those that leave the least."""
    left = {each.text: {number for number in never if each.of(items[number])} for each in atoms}
    useful = [each for each in atoms if len(left[each.text]) < len(never)]
    useful.sort(key=lambda each: (len(left[each.text]) / len(never) + each.cost / 10, each.text))
    for one in useful[:8]:
        rest = list(parts(items, must, left[one.text], fields))
        for pair in _pairs(rest, items, must, left[one.text], fields):
            if one.text not in pair.text:
                yield Condition(f"{one.text} and {pair.text}", one.cost + pair.cost + 0.5, _both(one, pair))


def _loose(items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str]) -> Iterator[Condition]:
    """Conditions with a few exceptions: slips of the hand."""
    allowed = max(1, len(must) // _MISSED) if len(must) > 3 else 0
    if not allowed:
        return
    tried: set[str] = set()
    whole = list(parts(items, must, never, fields))
    near = [each for each in whole if _misses(each, items, must, never) <= allowed]
    for one in sorted(whole, key=lambda each: each.cost)[:_PAIRED]:
        rest = {number for number in never if one.of(items[number])}
        for two in parts(items, must, rest, fields) if len(rest) < len(never) else ():
            if two.text != one.text and sum(two.of(items[number]) for number in rest) <= allowed:
                near.append(Condition(f"{one.text} and {two.text}", one.cost + two.cost + 0.5, _both(one, two)))
    for each in near:
        tried.add(each.text)
        yield each._replace(exceptions=_misses(each, items, must, never))
    for dropped in _left_out(items, must, never, fields):
        check_time()
        kept, other = must - dropped, never - dropped
        if not kept:
            continue
        atoms = list(parts(items, kept, other, fields))
        for each in (*atoms, *_pairs(atoms, items, kept, other, fields)):
            if each.text in tried:
                continue
            tried.add(each.text)
            wrong = _misses(each, items, must, never)
            if 0 < wrong <= allowed:
                yield each._replace(exceptions=wrong)


def _left_out(items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str]) -> Iterator[set[int]]:
    """Items that may be the exceptions: those whose value of a field is the odd one among the others."""
    for field in fields:
        for group in (must, never):
            values = [(number, items[number].get(field, FAILS)) for number in group]
            counts: dict[str, list[int]] = {}
            for number, value in values:
                counts.setdefault(repr(value), []).append(number)
            rare = [numbers for numbers in counts.values() if len(numbers) <= max(1, len(group) // _MISSED)]
            if rare and len(counts) > 1:
                yield {number for numbers in rare for number in numbers}
        numbers = sorted((value, number) for number in must if isinstance(value := items[number].get(field), Decimal))
        if len(numbers) > 3:
            for edge in (1, 2, 3):
                yield {number for _, number in numbers[:edge]}
                yield {number for _, number in numbers[-edge:]}
