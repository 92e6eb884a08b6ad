"""Pieces of a macro as they are written, for advice about them."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.tree import Expression


def written(node: Expression) -> str:
    """A plain yes or no as it is written."""
    value = node.value if isinstance(node, tree.Constant) else None
    return {True: "yes", False: "no"}.get(value, "") if isinstance(value, bool) else ""


def source_of(node: Expression) -> str:
    """An item as it is written, as far as that is short."""
    if isinstance(node, tree.Name):
        return node.word
    if isinstance(node, tree.Call):
        first = node.arguments[0].value if len(node.arguments) == 1 else None
        if isinstance(first, tree.Constant):
            shown = f'"{first.value}"' if isinstance(first.value, str) else first.value
            return f"{node.word}({shown})"
        return f"{node.word}(…)"
    if isinstance(node, tree.Dot):
        return f"{source_of(node.target)}.{node.word}" + ("(…)" if node.arguments is not None else "")
    return "…"
