"""Going through the statements of a macro, whatever block they are in."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.language import tree
from scrub.language.tree import Block, RunMacro, Statement, children


def blocks(node: Statement) -> list[Block]:
    """The blocks directly inside a statement."""
    if isinstance(node, tree.If):
        return [*(body for _, body in node.branches), node.otherwise]
    if isinstance(node, tree.Attempt):
        return [node.body, node.handler]
    body: Block | None = getattr(node, "body", None)
    return [body] if body is not None else []


def statements(body: Block) -> Iterator[Statement]:
    """Every statement, outer ones before those inside them."""
    for node in body:
        yield node
        yield from statements([each for each in children(node) if isinstance(each, Statement)])


def runs_of(body: Block) -> list[RunMacro]:
    """The statements that run another macro."""
    return [node for node in statements(body) if isinstance(node, RunMacro)]
