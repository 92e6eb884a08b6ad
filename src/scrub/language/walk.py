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


def nodes(*roots: Node) -> Iterator[Node]:
    """Some nodes and all that is inside them, in the order of the text."""
    waiting = list(reversed(roots))
    while waiting:
        node = waiting.pop()
        yield node
        waiting += reversed(list(children(node)))


def runs_of(body: Block) -> list[RunMacro]:
    """What runs another macro, as a statement or for what it gives."""
    return [node for node in nodes(*body) if isinstance(node, RunMacro)]
