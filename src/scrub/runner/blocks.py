"""Blocks of statements to closures. Each gives None to go on, or a signal that its loop or macro understands."""

from __future__ import annotations

import scrub.runner.expressions  # noqa: F401 - marks the functions for expressions
from scrub.language import tree
from scrub.language.tree import Block
from scrub.model.core.problem import Failure
from scrub.runner.compiling import Compiler, Run
from scrub.runner.execution import Frame

#: Signals: 0 and up skips that many loops outwards; these two leave a loop and end the macro.
LEAVE, FINISH = -1, -2


def _compiled(on: Compiler, node: tree.Statement) -> Run:
    """The closure of a statement, wrapped where somebody looks at each."""
    before, on.line = on.line, node.place.line
    run = on.statement(node)
    on.line = before
    return run if on.wrapper is None else on.wrapper.wrapped(on, node, run)


def compile_inside(on: Compiler, slot: int, body: Block) -> Run:
    """The closure of a block in which another item is the current one."""
    on.items.append(slot)
    try:
        return compile_block(on, body)
    finally:
        on.items.pop()


def compile_turns(on: Compiler, slot: int, items: bool, body: Block) -> Run:
    """The closure of the body of a loop; `slot` is where each of what it goes through is, and `items` whether that is
    the current item.
    """
    on.turns.append(slot)
    try:
        return compile_inside(on, slot if items else on.items[-1], body)
    finally:
        on.turns.pop()


def compile_block(on: Compiler, body: Block) -> Run:
    """The closure of a block. A failure inside gets the line it happened in."""
    title = on.program.title
    on.depth += 1
    compiled = [(_compiled(on, statement), statement.place.line) for statement in body]
    on.depth -= 1
    if len(compiled) == 1:
        return _single(on, *compiled[0])

    def run(frame: Frame) -> int | None:
        line = 0
        try:
            for step, line in compiled:  # noqa: B007 - the line is for the failure below
                signal = step(frame)
                if signal is not None:
                    return signal
        except Failure as failure:
            if failure.line is None:
                failure.title, failure.line = title, line
            raise
        return None

    return run


def _single(on: Compiler, step: Run, line: int) -> Run:
    """A block of one statement, as most are."""
    title = on.program.title

    def run(frame: Frame) -> int | None:
        try:
            return step(frame)
        except Failure as failure:
            if failure.line is None:
                failure.title, failure.line = title, line
            raise

    return run


def cost_of(body: Block) -> int:
    """How many statements a turn of a loop runs at the most, inner loops counted by themselves."""
    return 1 + len(body)
