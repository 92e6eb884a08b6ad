"""Steps through a macro: shows each statement, with the current item and the values, before it runs."""

from __future__ import annotations

from scrub.language import tree
from scrub.model.core.declare import Item
from scrub.model.core.values import Secret, shown
from scrub.runner.compiling import Compiler, Run
from scrub.runner.execution import Frame
from scrub.runner.lookups import Absent
from scrub.runner.step import View, Watch


class Stepping:
    """Wraps every statement, so that somebody sees it first."""

    def __init__(self, watch: Watch) -> None:
        self._watch = watch

    def wrapped(self, on: Compiler, node: tree.Statement, run: Run) -> Run:
        """The closure of a statement that is shown before it runs."""
        watch, depth, line, item = self._watch, on.depth, node.place.line, on.items[-1]
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
