"""Loops that only set what is under headings, to values that depend on nothing but the record: whoever contains the
records may do all of it at once.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar

from scrub.language import tree
from scrub.language.tree import Expression
from scrub.model.core.predicate import Predicate, Setting, Sieve, headings_of, is_known
from scrub.model.core.problem import Failure
from scrub.model.core.series import Series
from scrub.runner.comparisons import Evaluate
from scrub.runner.compiling import Compiler
from scrub.runner.execution import Execution, Frame
from scrub.runner.pushdown import Sieves, Test, places_set

T = TypeVar("T")

#: Does the work of a loop, and tells how many turns that were; None where it was not done.
AtOnce = Callable[[Frame, object], "int | None"]


def at_once(on: Compiler, node: tree.Each, where: Test | None) -> AtOnce | None:
    """What does the work of a loop at once, where that can be; None for any other loop. `where` tests its condition."""
    means = on.means[node]
    plain = means.items and not node.orders and means.counter < 0 and on.wrapper is None
    if plain and len(node.body) == 1 and isinstance(node.body[0], tree.Do):
        return _deleting(on, node, node.body[0], where)
    if not plain or not node.body or not all(isinstance(each, tree.SetField) for each in node.body):
        return None
    sieves = Sieves(on.means, means.slot, frozenset(places_set(node.body, on.means)))
    puts = [_Put.of(on, sieves, each) for each in node.body if isinstance(each, tree.SetField)]
    known = [put for put in puts if put is not None]
    sifts = None if node.where is None else sieves.sifts(node.where)
    if len(known) != len(puts) or (node.where is not None and sifts is None):
        return None
    headings = {put.heading for put in known}
    if len(headings) != len(known) or any((headings - {put.heading}).intersection(put.sources) for put in known):
        return None  # one depends on another

    def do(frame: Frame, items: object) -> int | None:
        if not isinstance(items, Series):
            return None
        asks = _Asking(frame, means.slot)
        try:
            sieve = None if sifts is None or where is None else asks.sieve(sifts(frame), where)
            if sieve is None and where is not None:
                return None
            return items.set_all(sieve, [put.setting(asks) for put in known])
        except Failure:  # it is told where the loop comes to it
            asks.forget()
            return None

    return do


def each_at_once(
    do: AtOnce, frame: Frame, pieces: Sequence[Sequence[object]], headings: Sequence[str]
) -> tuple[int, Sequence[Sequence[object]]]:
    """Does what can be done at once, piece by piece; tells how many turns that were, and the pieces that are left.
    `headings` are what all items of several pieces need, before any of them is changed.
    """
    if len(pieces) > 1 and not all(isinstance(each, Series) and each.has(headings) for each in pieces if each != []):
        return 0, pieces
    turns = 0
    for number, piece in enumerate(pieces):
        done = 0 if piece == [] else do(frame, piece)
        if done is None:
            return turns, pieces[number:]
        turns += done
    return turns, ()


def _deleting(on: Compiler, node: tree.Each, deed: tree.Do, where: Test | None) -> AtOnce | None:
    """The same of a loop that deletes each record."""
    means, does = on.means[node], on.means[deed]
    action = does.action
    if action is None or action.word != "delete" or not action.of_item or deed.arguments or does.base != means.slot:
        return None
    sifts = None if node.where is None else Sieves(on.means, means.slot, frozenset()).sifts(node.where)
    if node.where is not None and sifts is None:
        return None
    reach = action.reach

    def do(frame: Frame, items: object) -> int | None:
        if not isinstance(items, Series) or reach > frame[0].reach:
            return None
        asks = _Asking(frame, means.slot)
        sieve = None if sifts is None or where is None else asks.sieve(sifts(frame), where)
        return None if sieve is None and where is not None else items.delete_all(sieve)

    return do


class _Asking:
    """What tests an item and makes values of it, as if the loop had come to it, without that anybody notices."""

    def __init__(self, frame: Frame, slot: int) -> None:
        self.frame, self._slot = frame, slot
        self._execution: Execution = frame[0]
        self._unequal = dict(self._execution.unequal)

    def of_item(self, ask: Callable[[Frame], T]) -> Callable[[object], T]:
        """Asks something of an item. Raises `Failure` also where a person is to be told something of it."""

        def asked(item: object) -> T:
            self.frame[self._slot] = item
            found = ask(self.frame)
            if self._execution.unequal != self._unequal:
                raise Failure("two values are equal but for their types")
            return found

        return asked

    def forget(self) -> None:
        """Takes back what was noted to be told."""
        self._execution.unequal = self._unequal

    def sieve(self, predicate: Predicate, where: Test) -> Sieve | None:
        """A condition; None where it is about more than what is under headings."""
        if not is_known(predicate):
            return None
        return Sieve(predicate, tuple(sorted(headings_of(predicate))), self.of_item(where))


class _Put:
    """A statement that sets what is under a heading."""

    def __init__(self, heading: str, sources: tuple[str, ...], value: Evaluate) -> None:
        self.heading, self.sources, self._value = heading, sources, value

    @classmethod
    def of(cls, on: Compiler, sieves: Sieves, node: tree.SetField) -> _Put | None:
        """That of a statement; None where its value may depend on something else, or do something."""
        heading, sources = sieves.heading(node.target), _sources(sieves, node.value)
        return None if not heading or sources is None else cls(heading, sources, on.evaluate(node.value))

    def setting(self, asks: _Asking) -> Setting:
        """What is to be set, with the values that the names in it have now."""
        if not self.sources:
            return Setting(self.heading, self._value(asks.frame))
        return Setting(self.heading, None, self.sources, asks.of_item(self._value))


def _sources(sieves: Sieves, node: Expression) -> tuple[str, ...] | None:
    """The headings of which a value is made, that depends on nothing else; None for any other value."""
    heading = sieves.heading(node)
    if heading:
        return (heading,)
    if isinstance(node, tree.Arithmetic):
        parts: list[Expression] = [node.left, node.right]
    elif isinstance(node, tree.Negative):
        parts = [node.value]
    elif isinstance(node, tree.Text):
        parts = [part for part in node.parts if not isinstance(part, str)]
    else:
        return None if sieves.value(node) is None else ()
    found = [_sources(sieves, part) for part in parts]
    known = [each for each in found if each is not None]
    return tuple(dict.fromkeys(name for each in known for name in each)) if len(known) == len(found) else None
