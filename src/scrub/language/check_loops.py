"""Gives loops their meaning."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.check_arguments import check_value
from scrub.language.check_blocks import check_branch
from scrub.language.check_lookups import items_inside
from scrub.language.check_operators import check_condition
from scrub.language.check_questions import set_name
from scrub.language.checking import Checking, states
from scrub.language.meant import cannot_be_name
from scrub.language.scope import LATER_KINDS
from scrub.language.tree import Block
from scrub.model.core.problem import did_you_mean
from scrub.model.core.types import ANY, NUMBER, SECRET, YES_NO, Type


@states(tree.Each)
def _each(on: Checking, node: tree.Each) -> None:
    if node.word in on.vocabulary.kinds:
        found = items_inside(on, node.word, node.inside, node.place)
        on.means[node].items = True
        if found:
            on.means[node].base, on.means[node].path = found
        alias = node.alias or node.word
        if node.alias:
            _check_alias(on, node.alias, node.place)
        with on.scope.entered(alias, node.word) as item:
            on.means[node].slot, on.means[node].headings = item.slot, item.headings
            _picked_and_sorted(on, node)
            _loop(on, node.word, node.body)
        return
    if node.inside is None or node.word in LATER_KINDS:
        items_inside(on, node.word, node.inside, node.place)
        inner = ANY
    else:
        values = check_value(on, node.inside, Type("list"), f'what "each {node.word} in" goes through')
        inner = values.of or ANY
        if values.item:
            _note_kind_meant(on, node)
    _value_loop(on, node, node.word, inner)


def _note_kind_meant(on: Checking, node: tree.Each) -> None:
    """Where a loop goes through an item as if it were a list, its word is perhaps a slip for a kind: that is noted in
    the place of the last problem.
    """
    kinds = on.vocabulary.kinds
    guess = did_you_mean(node.word, kinds)
    if guess:
        on.problems.pop()
        on.note(node.place, f'"{node.word}" is not a kind of item.{guess}', "unknown-kind", (node.word, kinds))


def _value_loop(on: Checking, node: tree.Each, word: str, inner: Type) -> None:
    if node.alias:
        on.note(node.place, f'"{word}" is the name already. Delete "as {node.alias}"')
    _check_alias(on, word, node.place)
    before = set(on.scope.assigned)
    on.means[node].slot = set_name(on, word, inner, node.place)
    on.program.kept.setdefault(word, []).append(node.inside)
    _picked_and_sorted(on, node)
    _loop(on, "", node.body)
    on.scope.assigned = before


def _picked_and_sorted(on: Checking, node: tree.Each) -> None:
    """The condition of a loop, what it is sorted by, and what counts its turns."""
    if node.where is not None:
        check_condition(on, node.where)
    for order in node.orders:
        found = on.type(order.by)
        if found.item or found in (SECRET, YES_NO) or found.word in ("list", "pairs"):
            on.note(order.by.place, f"a loop can be sorted by numbers, dates or text, not by {found}", "wrong-type")
    if node.counter is None:
        return
    if on.means[node].items and node.alias is None and node.inside is not None:
        on.note(node.place, f"the name of the item comes first: each {node.word} as {node.counter} in …")
    _check_alias(on, node.counter, node.place)
    on.means[node].counter = set_name(on, node.counter, NUMBER, node.place)
    on.program.kept.setdefault(node.counter, []).append(None)


def _check_alias(on: Checking, word: str, place: tree.Place) -> None:
    wrong = cannot_be_name(word, on.vocabulary)
    if wrong:
        on.note(place, wrong)


def _loop(on: Checking, kind: str, body: Block) -> None:
    on.loops.append(kind)
    check_branch(on, body)
    on.loops.pop()


@states(tree.Times)
def _times(on: Checking, node: tree.Times) -> None:
    check_value(on, node.times, NUMBER, "how often to repeat")
    before = set(on.scope.assigned)
    if node.alias:
        _check_alias(on, node.alias, node.place)
        on.means[node].slot = set_name(on, node.alias, NUMBER, node.place)
        on.program.kept.setdefault(node.alias, []).append(node.times)
    _loop(on, "", node.body)
    on.scope.assigned = before


@states(tree.While)
def _while(on: Checking, node: tree.While) -> None:
    check_condition(on, node.condition)
    _loop(on, "", node.body)
