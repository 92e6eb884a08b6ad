"""The `where` of a loop over records, handed to whoever contains the records: a database finds them on its own.

What it finds is what the macro's own condition finds, or more; of each record it tells whether the condition is
certainly true.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from datetime import date
from decimal import Decimal
from typing import Any, Protocol

from scrub.language import tree
from scrub.language.meanings import Meanings
from scrub.language.tree import Expression
from scrub.model.core.predicate import UNKNOWN, Joined, Leaf, Opposite, Predicate, Tally, Unknown
from scrub.model.core.series import Series
from scrub.model.core.values import Value
from scrub.runner.alike import asking_once, fields_of
from scrub.runner.execution import Frame

#: Gives the condition with the values that the names in it have now.
Sifts = Callable[[Frame], Predicate]
Test = Callable[[Frame], bool]


class Choose(Protocol):
    """What a condition leaves of some items."""

    def __call__(self, frame: Frame, items: object, tally: Tally | None = None, /) -> tuple[Any, Test | None]:
        """Those to look at, and the test for each; with a tally, those that need no look are counted there."""


_PLAIN = (Decimal, bool, date)
_OPERATORS = frozenset(("is", "is in", "is empty", "<", "<=", ">", ">=", "contains", "starts with", "ends with"))


def choosing(
    node: Expression | None, where: Test | None, means: Meanings, slot: int, body: Iterable[object] = ()
) -> Choose:
    """What gives those of the items at hand that must be looked at, and the test for each. `node` is the condition, of
    which `where` is the closure, on the item in a place of the frame. Names that the body sets may have another value
    at each turn.
    """
    changing = frozenset(places_set(body, means))
    sifts = None if node is None else Sieves(means, slot, changing).sifts(node)
    if node is None or where is None:
        return lambda frame, items, tally=None: (items, where)
    if sifts is None:
        fields = fields_of(node, means, slot, changing)

        def choose_alike(frame: Frame, items: object, tally: Tally | None = None, /) -> tuple[object, Test | None]:
            ask = asking_once(frame, slot, where)
            chosen = items.chosen(fields, ask) if fields and isinstance(items, Series) else None
            return (items, where) if chosen is None else (chosen, None)

        return choose_alike

    def unsure(frame: Frame) -> bool:
        return frame[slot].row.sure or where(frame)

    def choose(frame: Frame, items: object, tally: Tally | None = None, /) -> tuple[object, Test | None]:
        predicate = sifts(frame) if isinstance(items, Series) else UNKNOWN
        chosen = (
            items.sifted(predicate, tally) if isinstance(items, Series) and not isinstance(predicate, Unknown) else None
        )
        return (items, where) if chosen is None else (chosen, unsure)

    return choose


def places_set(nodes: object, means: Meanings) -> Iterator[int]:
    """The places of the names that are set somewhere inside."""
    if isinstance(nodes, tree.SetName | tree.SetPair):
        target = nodes if isinstance(nodes, tree.SetName) else nodes.target
        yield means[target].slot
    if isinstance(nodes, tree.Node):
        for each in vars(nodes).values():
            yield from places_set(each, means)
    elif isinstance(nodes, list | tuple):
        for node in nodes:
            yield from places_set(node, means)


class Sieves:
    """Makes sieves of conditions; what it does not know becomes `Unknown`, and None is all of that."""

    def __init__(self, means: Meanings, slot: int, changing: frozenset[int]) -> None:
        self._means, self._slot, self._changing = means, slot, changing

    def sifts(self, node: Expression) -> Sifts | None:
        """A sieve of a condition."""
        if isinstance(node, tree.Both):
            return self._joined(node.operator, [self.sifts(node.left), self.sifts(node.right)])
        if isinstance(node, tree.Not):
            return _opposite(self.sifts(node.value))
        if isinstance(node, tree.Between):
            low = self._leaf(node.value, ">=", node.low, False)
            high = self._leaf(node.value, "<=", node.high, False)
            found = self._joined("and", [low, high]) if low is not None and high is not None else None
            return _opposite(found) if node.negated else found
        if isinstance(node, tree.Compare):
            found = self._leaf(node.left, node.operator, node.right, node.exactly)
            return _opposite(found) if node.negated else found
        heading = self.heading(node)
        return None if heading is None else lambda frame: Leaf(heading, "yes")

    def _joined(self, operator: str, parts: list[Sifts | None]) -> Sifts | None:
        if not any(parts):
            return None
        return lambda frame: Joined(operator, [UNKNOWN if part is None else part(frame) for part in parts])

    def heading(self, node: Expression) -> str | None:
        """The heading of what is under one in the item."""
        if not isinstance(node, tree.Dot) or node.arguments is not None or not isinstance(node.target, tree.Name):
            return None
        heading = self._means[node].heading
        return heading if heading and self._means[node.target].slot == self._slot else None

    def _leaf(self, left: Expression, operator: str, right: Expression | None, exactly: bool) -> Sifts | None:
        heading = self.heading(left)
        if heading is None or operator not in _OPERATORS:
            return None
        if right is None:
            return lambda frame: Leaf(heading, operator)
        value = self.value(right)
        if value is None:
            return None

        def leaf(frame: Frame) -> Predicate:
            found = value(frame)
            every = found if operator == "is in" and type(found) is list else [found]
            if not all(type(each) is str or isinstance(each, _PLAIN) for each in every):
                return UNKNOWN
            if operator == "is in":
                return Joined("or", [Leaf(heading, "is", each, exactly) for each in every]) if every else UNKNOWN
            return Leaf(heading, operator, found, exactly)

        return leaf

    def value(self, node: Expression) -> Callable[[Frame], Value] | None:
        """A value that is the same at each turn."""
        if isinstance(node, tree.Constant):
            fixed = node.value
            return lambda frame: fixed
        if isinstance(node, tree.Text) and all(isinstance(part, str) for part in node.parts):
            text = "".join(map(str, node.parts))
            return lambda frame: text
        if isinstance(node, tree.ListOf):
            parts = [self.value(item) for item in node.items]
            known = [part for part in parts if part is not None]
            return (lambda frame: [part(frame) for part in known]) if len(known) == len(parts) else None
        if isinstance(node, tree.Name):
            meaning = self._means[node]
            if meaning.choice is None and meaning.plain and meaning.slot not in (*self._changing, self._slot, -1):
                slot = meaning.slot
                return lambda frame: frame[slot]
        return None


def _opposite(part: Sifts | None) -> Sifts | None:
    return None if part is None else lambda frame: Opposite(part(frame))
