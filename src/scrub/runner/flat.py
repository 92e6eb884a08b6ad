"""Parts of loops that go on for long are made functions: at first each step is a closure."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from scrub.language.tree import Block, Expression
from scrub.runner.compiling import Compiling
from scrub.runner.lookups import T
from scrub.runner.step import Watch

#: How often a loop asks for its body before it is made one function: some hundreds of statements.
_LONG = 6


class Flattening(Compiling):
    """Compiles expressions, and makes one function of a part of a loop that goes on for long."""

    watch: Watch | None

    def warming(self, closure: T, node: Block | Expression | None, is_test: bool = False) -> Callable[[], T]:
        """What gives a part of a loop, and is asked again as the loop goes on: its closure at first, and one function
        as soon as it pays to make that. Where somebody steps, each statement is shown by its closure.
        """
        if self.watch is not None or node is None:
            return lambda: closure
        asked, now = 0, closure

        def warm() -> T:
            nonlocal asked, now
            asked += 1
            if asked == _LONG:
                now = self._flat(node, is_test) or closure
            return now

        return warm

    def _flat(self, node: Block | Expression, is_test: bool) -> Any:
        """The function of a block, or of an expression, which may be a test; None where closures are better."""
        from scrub.runner.function import Function  # most runs need none
        from scrub.runner.written import TooLong

        line = self.line
        try:
            return Function(self).of(node, is_test)
        except TooLong:
            return None
        finally:
            self.line = line
