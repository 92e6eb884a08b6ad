"""Blocks of statements to closures. Each gives None to go on, or a signal that its loop or macro understands."""

from __future__ import annotations

import scrub.runner.expressions  # noqa: F401 - marks the functions for expressions
from scrub.language import tree
from scrub.language.tree import Block
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure
from scrub.model.core.values import Secret, shown
from scrub.runner.compiling import Compiler, Run
from scrub.runner.execution import Frame
from scrub.runner.lookups import Absent
from scrub.runner.step import View

#: Signals: 0 and up skips that many loops outwards; these two leave a loop and end the macro.
LEAVE, FINISH = -1, -2


def _watched(on: Compiler, node: tree.Statement) -> Run:
    """The closure of a statement; when somebody steps, it is shown before it runs."""
    before, on.line = on.line, node.place.line
    run = on.statement(node)
    on.line = before
    if on.watch is None:
        return run
    watch, depth, line, item = on.watch, on.depth, node.place.line, on.items[-1]
    title, text = on.program.title, on.program.macro.lines[line - 1].strip()

    def watched(frame: Frame) -> int | None:
        watch.before(depth, title, lambda: View(title, line, text, *_seen(on, frame, item)))
        return run(frame)

    return watched


def _seen(on: Compiler, frame: Frame, item: int) -> tuple[str, dict[str, str]]:
    """The current item and the values that are set, as a person sees them; a secret stays one."""
    values = {}
    for name, slot in on.program.names.items():
        if frame[slot] is not None:
            held = frame[slot]
            values[name] = (
                "a secret" if isinstance(held, Secret) else "missing" if isinstance(held, Absent) else shown(held)
            )
    current = frame[item]
    return (current.label if isinstance(current, Item) else ""), values


def compile_inside(on: Compiler, slot: int, body: Block) -> Run:
    """The closure of a block in which another item is the current one."""
    on.items.append(slot)
    try:
        return compile_block(on, body)
    finally:
        on.items.pop()


def compile_block(on: Compiler, body: Block) -> Run:
    """The closure of a block. A failure inside gets the line it happened in."""
    title = on.program.title
    on.depth += 1
    compiled = [(_watched(on, statement), statement.place.line) for statement in body]
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
