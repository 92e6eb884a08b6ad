"""Conditions on items of which many may be alike: whoever contains the items asks about one of each sort."""

from __future__ import annotations

from collections.abc import Callable

from scrub.language import tree
from scrub.language.meanings import Meanings
from scrub.language.tree import Expression
from scrub.runner.execution import Execution, Frame


def fields_of(node: Expression, means: Meanings, slot: int, changing: frozenset[int]) -> frozenset[str] | None:
    """The fields of the item in a place of which a condition makes something, with what is the same at each turn; None
    where it may depend on anything else, or do something. The places in `changing` get other values meanwhile.
    """
    if isinstance(node, tree.Constant):
        return frozenset()
    if isinstance(node, tree.Name):
        means_it = means[node]
        fixed = means_it.choice is not None or (means_it.plain and means_it.slot not in (*changing, slot, -1))
        return frozenset() if fixed else None
    if isinstance(node, tree.Dot):
        if node.arguments is not None or means[node].lookup is not None or means[node].part is not None:
            return None
        if isinstance(node.target, tree.Name) and means[node.target].slot == slot and not means[node].heading:
            return frozenset((node.word,))
        return fields_of(node.target, means, slot, changing)
    parts: list[Expression | None] = []
    if isinstance(node, tree.Both):
        parts = [node.left, node.right]
    elif isinstance(node, tree.Compare):
        parts = [node.left, *([] if node.right is None else [node.right])]
    elif isinstance(node, tree.Not):
        parts = [node.value]
    elif isinstance(node, tree.ListOf):
        parts = list(node.items)
    elif isinstance(node, tree.Text) and all(isinstance(part, str) for part in node.parts):
        return frozenset()
    found: set[str] = set()
    for part in parts:
        fields = None if part is None else fields_of(part, means, slot, changing)
        if fields is None:
            return None
        found |= fields
    return frozenset(found) if parts else None


def asking_once(frame: Frame, slot: int, where: Callable[[Frame], bool]) -> Callable[[object], tuple[bool, bool]]:
    """What tells of an item whether a condition holds for it, and whether that is so of all that are alike: not where a
    person is to be told something of each of them.
    """
    execution: Execution = frame[0]

    def ask(item: object) -> tuple[bool, bool]:
        before = dict(execution.unequal)
        frame[slot] = item
        holds = where(frame)
        return holds, execution.unequal == before

    return ask
