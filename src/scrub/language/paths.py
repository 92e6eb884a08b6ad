"""Whose words a path is made of: those of the macro and of the person, or of data, which may not lead anywhere."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from scrub.language import tree
from scrub.language.program import Program
from scrub.language.tree import Expression


def own_names(program: Program, data: Collection[str] = ()) -> frozenset[str]:
    """The names that only ever hold what is in the macro or was answered by the person. `data` are names whose answers
    another macro gave from data.
    """
    found = set(program.kept) - set(data)
    changed = True
    while changed:
        changed = False
        for word in sorted(found):
            if not all(value is not None and is_own(value, found) for value in program.kept[word]):
                found.discard(word)
                changed = True
    return frozenset(found)


def is_own(node: Expression, names: Collection[str]) -> bool:
    """Whether a value is made of the macro's and the person's own words."""
    if isinstance(node, tree.Constant | tree.Moment):
        return True
    if isinstance(node, tree.Name):
        return node.word in names
    if isinstance(node, tree.Text):
        return _all_own((part for part in node.parts if not isinstance(part, str)), names)
    if isinstance(node, tree.ListOf):
        return _all_own(node.items, names)
    if isinstance(node, tree.Call):
        return node.word in ("own-file", "ask")
    if isinstance(node, tree.Dot):
        known = isinstance(node.target, tree.Name | tree.Dot | tree.Constant | tree.Text)
        return (
            known
            and is_own(node.target, names)
            and _all_own((argument.value for argument in node.arguments or ()), names)
        )
    if isinstance(node, tree.Arithmetic):
        return _all_own((node.left, node.right), names)
    return False


def _all_own(nodes: Iterable[Expression], names: Collection[str]) -> bool:
    return all(is_own(node, names) for node in nodes)
