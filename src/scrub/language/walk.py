"""Going through the statements of a macro, whatever block they are in."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.language import tree
from scrub.language.tree import Block, Node, RunMacro, Statement, children


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
        yield from statements([child for child in children(node) if isinstance(child, Statement)])


def runs_of(body: Block) -> list[RunMacro]:
    """What runs another macro, as a statement or for what it gives."""
    runs: list[RunMacro] = []
    waiting: list[Node] = list(reversed(body))
    while waiting:
        node = waiting.pop()
        if isinstance(node, RunMacro):
            runs.append(node)
        waiting += reversed(list(children(node)))
    return runs
