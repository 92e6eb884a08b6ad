"""Checks blocks of statements: whether their end is reached, and which names they set."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.checking import STATEMENTS, Checking
from scrub.language.tree import Block


def check_block(on: Checking, body: Block) -> bool:
    """Checks statements; tells whether the end of the block is never reached."""
    left = False
    for statement in body:
        on.watch(statement)
        if on.at_top and not isinstance(statement, tree.SetName | tree.Broken):
            on.at_top = False
        left = bool(STATEMENTS[type(statement)](on, statement)) or left
    return left


def check_branch(on: Checking, body: Block) -> tuple[bool, set[str]]:
    """Checks a block that may not run; gives whether it leaves, and the names it certainly set."""
    before = set(on.scope.assigned)
    left = check_block(on, body)
    after, on.scope.assigned = on.scope.assigned, before
    return left, after
