"""Parts of loops that go on for long are made functions: at first each step is a closure."""

from __future__ import annotations

from scrub.language.tree import Block, Expression
from scrub.runner.compiling import Compiler


def flatten(compiler: Compiler, node: Block | Expression, is_test: bool) -> object:
    """The function of a block, or of an expression, which may be a test; None where closures are better."""
    from scrub.runner.loop_compiler import loop_function  # most runs need none
    from scrub.runner.source_writer import SourceWriter, TooLong

    line = compiler.line
    try:
        return loop_function(SourceWriter(compiler), node, is_test)
    except TooLong:
        return None
    finally:
        compiler.line = line
