"""Conditions that hold for some items and not for others: one part, or up to three with `and`."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from decimal import Decimal

from scrub.by_example.condition_parts import ALWAYS, Condition, Parts
from scrub.by_example.expressions import Context
from scrub.by_example.items import Items, bits
from scrub.by_example.time_limit import check_time

#: Parts that are tried in pairs, and what an exception costs.
_PAIRED, _EXCEPTION = 60, 2.5
#: Items that are all looked at; rounds in which others are added, how many at a time, and conditions that are checked.
_SAMPLED, _ROUNDS, _ADDED, _CHECKED = 2000, 4, 40, 5
#: Of the items that a rule is for, the share that it may miss.
_MISSED = 6


def search(
    items: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str], slips: bool = True
) -> list[Condition]:
    """The conditions that hold for all of `must` and none of `never`, the shortest first; where there is none, and
    `slips` may be among them, those with few exceptions. Of very many items some are looked at first, then all, and
    what contradicts is added.
    """
    if len(must) + len(never) <= _SAMPLED:
        return _searched(items, must, never, fields, slips)
    some, others = _spread(must), _spread(never)
    found: list[Condition] = []
    for _ in range(_ROUNDS):
        found = _searched(items, some, others, fields, slips)
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
    return [each for each in counted if each.exceptions <= len(must) // _MISSED] if slips else []


def _misses(condition: Condition, items: Sequence[Context], must: set[int], never: set[int]) -> int:
    wrong = sum(not condition.of(items[number]) for number in must)
    return wrong + sum(condition.of(items[number]) for number in never)


def _is_exact(condition: Condition, items: Sequence[Context], must: set[int], never: set[int]) -> bool:
    return all(condition.of(items[n]) for n in must) and not any(condition.of(items[n]) for n in never)


def _spread(numbers: set[int]) -> set[int]:
    """Some of very many items, from all over."""
    ordered = sorted(numbers)
    return set(ordered[:: max(1, len(ordered) // (_SAMPLED // 2))])


def _searched(
    contexts: Sequence[Context], must: set[int], never: set[int], fields: Sequence[str], slips: bool
) -> list[Condition]:
    if not never:
        return [ALWAYS]
    numbers = [*sorted(must), *sorted(never)]
    items = Items([contexts[number] for number in numbers])
    task = _Task(items, tuple(range(len(must))), (1 << len(numbers)) - (1 << len(must)), fields)
    atoms = task.parts.beside(task.never)
    exact = [each for each in atoms if task.misses(each) == 0]
    known = {each.text for each in exact}
    others = [each for each in atoms if each.text not in known]
    exact += _pairs(others, task)
    if not exact:
        exact = list(_triples(others, task))
        if slips:
            exact += _loose(task)
    return _distinct(sorted(exact, key=lambda each: (each.cost + _EXCEPTION * each.exceptions, each.text)))


class _Task:
    """Items that conditions have to hold for, and others (as bits) that they must not hold for."""

    def __init__(self, items: Items, must: Sequence[int], never: int, fields: Sequence[str]) -> None:
        self.items, self.must, self.never, self.fields = items, must, never, fields
        self.wanted = bits(must)
        self.parts = Parts(items, must, fields)

    def caught(self, condition: Condition) -> int:
        """Those of the others for which a condition holds, as bits."""
        return self.items.holding(condition) & self.never

    def misses(self, condition: Condition) -> int:
        """For how many items a condition is wrong."""
        holding = self.items.holding(condition)
        return (self.wanted & ~holding).bit_count() + (self.never & holding).bit_count()

    def without(self, dropped: int) -> _Task | None:
        """The same without some items; None if nothing would be left."""
        must = [number for number in self.must if not dropped >> number & 1]
        return _Task(self.items, must, self.never & ~dropped, self.fields) if must else None


def _distinct(conditions: Sequence[Condition]) -> list[Condition]:
    seen: dict[frozenset[str], Condition] = {}
    for each in conditions:
        seen.setdefault(frozenset(each.text.split(" and ")), each)
    return list(seen.values())[:40]


def doubts(meant: Condition, others: Sequence[Condition], items: Sequence[Context]) -> tuple[int, ...]:
    """How many items each of some other conditions would treat otherwise than the one that is meant."""
    some = items[:: max(1, len(items) // _SAMPLED)]
    first = [meant.of(item) for item in some]
    return tuple(sum(each.of(item) != one for item, one in zip(some, first, strict=True)) for each in others)


def unlike(rules: Sequence[Condition]) -> list[Condition]:
    """The shortest rules of each family; a word that is meant may be any of several."""
    found: dict[frozenset[str], list[Condition]] = {}
    for each in rules:
        if "message.id " not in each.text:
            found.setdefault(family([each.text]), []).append(each)
    return [each for every in found.values() for each in every[: 3 if " contains " in every[0].text else 1]]


def family(loops: Sequence[str]) -> frozenset[str]:
    """What conditions are about, and how: those of one family say nearly the same."""
    found = set()
    for part in " and ".join(loops).replace(" where ", " and ").split(" and "):
        words = part.split(" ")
        sign = " ".join(word for word in words[1:3] if word in _SIGNS) or "is"
        number = words[2] if len(words) > 2 and sign in _LIMITS else ""  # a text can contain such words too
        limit = f" {_beyond(sign, int(number))}" if number.isdecimal() else ""
        found.add(f"{words[0]} {sign.replace('=', '')}{limit}")
    return frozenset(found)


def _beyond(sign: str, number: int) -> int:
    """The whole number beyond which a limit begins: `>= 5` is `> 4`."""
    return {">=": number - 1, "<=": number + 1}.get(sign, number)


#: Comparisons with a limit.
_LIMITS = (">", ">=", "<", "<=")


#: The words of comparisons.
_SIGNS = frozenset("is not empty in contains starts ends with > < >= <=".split())


def _pairs(atoms: Sequence[Condition], task: _Task) -> Iterator[Condition]:
    """Two parts with `and` between, the second searched among those that the first leaves."""
    useful = sorted(atoms, key=lambda each: each.cost)[:_PAIRED]
    for one in useful:
        check_time()
        rest = task.caught(one)
        if not rest or rest == task.never:
            continue
        for two in task.parts.beside(rest):
            if two.text != one.text and not task.items.holding(two) & rest:
                yield _joined(_plainest(one, two, task), two)


def _plainest(one: Condition, two: Condition, task: _Task) -> Condition:
    """The first of two parts: a limit is looked for again among what the second one leaves, where it can be plainer."""
    if not one.limits:
        return one
    rest = task.caught(two)
    found = [each for each in task.parts.beside(rest) if each.limits == one.limits]
    fitting = [each for each in found if not task.items.holding(each) & rest]
    return min(fitting, key=lambda each: each.cost, default=one)


def _joined(one: Condition, two: Condition) -> Condition:
    text = f"{one.text} and {two.text}"
    return Condition(
        text, one.cost + two.cost + 0.5, lambda context: one.of(context) and two.of(context), gaps=one.gaps + two.gaps
    )


def _triples(atoms: Sequence[Condition], task: _Task) -> Iterator[Condition]:
    """Three parts, where two are not enough: the first from those that leave the least."""
    left = {each.text: task.caught(each) for each in atoms}
    useful = [each for each in atoms if left[each.text] != task.never]
    many = task.never.bit_count()
    useful.sort(key=lambda each: (left[each.text].bit_count() / many + each.cost / 10, each.text))
    for one in useful[:8]:
        inner = _Task(task.items, task.must, left[one.text], task.fields)
        for pair in _pairs(inner.parts.beside(inner.never), inner):
            if one.text not in pair.text:
                yield _joined(_plainest(one, pair, task), pair)


def _loose(task: _Task) -> Iterator[Condition]:
    """Conditions with a few exceptions: slips of the hand."""
    allowed = max(1, len(task.must) // _MISSED) if len(task.must) > 3 else 0
    if not allowed:
        return
    whole = task.parts.beside(task.never)
    near = [each for each in whole if task.misses(each) <= allowed]
    for one in sorted(whole, key=lambda each: each.cost)[:_PAIRED]:
        rest = task.caught(one)
        for two in task.parts.beside(rest) if rest != task.never else ():
            if two.text != one.text and (task.items.holding(two) & rest).bit_count() <= allowed:
                near.append(_joined(one, two))
    tried: set[str] = set()
    for each in near:
        tried.add(each.text)
        yield each._replace(exceptions=task.misses(each))
    for dropped in dict.fromkeys(_left_out(task)):
        check_time()
        fewer = task.without(dropped)
        if fewer is None:
            continue
        atoms = fewer.parts.beside(fewer.never)
        for each in (*atoms, *_pairs(atoms, fewer)):
            if each.text in tried:
                continue
            tried.add(each.text)
            wrong = task.misses(each)
            if 0 < wrong <= allowed:
                yield each._replace(exceptions=wrong)


def _left_out(task: _Task) -> Iterator[int]:
    """Items that may be the exceptions, as bits: those whose value of a field is the odd one among the others."""
    others = task.items.numbers(task.never)
    for field in task.fields:
        keys, values = task.items.keys(field), task.items.values(field)
        for group in (task.must, others):
            alike: dict[Hashable, list[int]] = {}
            for number in group:
                alike.setdefault(keys[number], []).append(number)
            rare = [numbers for numbers in alike.values() if len(numbers) <= max(1, len(group) // _MISSED)]
            if rare and len(alike) > 1:
                yield bits(number for numbers in rare for number in numbers)
        numbers = sorted((value, number) for number in task.must if isinstance(value := values[number], Decimal))
        if len(numbers) > 3:
            for edge in (1, 2, 3):
                yield bits(number for _, number in numbers[:edge])
                yield bits(number for _, number in numbers[-edge:])
