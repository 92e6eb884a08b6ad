"""What is known while a macro is compiled to closures, and the tables that say how each node of its tree is."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any, Protocol, TypeVar

from scrub.language import tree
from scrub.language.node_table import NodeTable
from scrub.language.paths import own_names
from scrub.language.program import Program
from scrub.language.tree import Block, Expression
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, type_name
from scrub.model.vocabulary import Vocabulary
from scrub.runner.comparisons import Evaluate
from scrub.runner.execution import Frame

#: A statement: it gives None to go on, or a signal that its loop or macro understands.
Run = Callable[[Frame], int | None]
#: Makes one function of a block, or of an expression, which may be a test; None where closures are better.
Flatten = Callable[["Compiler", Block | Expression, bool], Any]

T = TypeVar("T", bound=Callable[[Frame], object] | None)


class StatementWrapper(Protocol):
    """Who looks at each statement as it runs."""

    def wrapped(self, on: Compiler, node: tree.Statement, run: Run) -> Run:
        """The closure of a statement that is looked at."""


#: How often a loop asks for its body before it is made one function: some hundreds of statements.
_LONG = 6


class Compiler:
    """Compiles one program. `flatten` makes a function of a part of a loop that goes on for long; None: none does.

    `data` are the questions that another macro answers from data; `is_inner`, whether one runs it.
    """

    def __init__(
        self,
        program: Program,
        vocabulary: Vocabulary,
        flatten: Flatten | None = None,
        wrapper: StatementWrapper | None = None,
        data: Collection[str] = (),
        is_inner: bool = False,
    ) -> None:
        self.program = program
        self.vocabulary = vocabulary
        self.flatten = flatten
        self.wrapper = wrapper
        self.is_inner = is_inner
        self.means = program.means
        self.own_names: frozenset[str] = own_names(program, data)  # they never hold data: paths may be made of them
        self.title = program.title
        self.line = 0  # the line on which the statement begins that is being compiled
        self.depth = 0
        self.deletes = bool(program.inner) or any(word.startswith("delete") for _, word, _ in program.uses)
        self.items = [program.start_slot]  # the slots of the current items around the statement being compiled
        self.turns: list[int] = []  # the slots of what the loops around it go through

    def evaluate(self, node: Expression) -> Evaluate:
        """The closure of an expression."""
        found = EXPRESSIONS[type(node)](self, node)
        line = node.place.line
        return self._on_line(found, line) if self.line and line != self.line and not _is_plain(node) else found

    def _on_line(self, value: Evaluate, line: int) -> Evaluate:
        """A value on another line than its statement begins on: a failure in it names that line."""
        title = self.title

        def evaluate(frame: Frame) -> Value:
            try:
                return value(frame)
            except Failure as failure:
                if failure.line is None:
                    failure.title, failure.line = title, line
                raise

        return evaluate

    def condition(self, node: Expression) -> Callable[[Frame], bool]:
        """The closure of a condition; anything but yes or no is a failure."""
        value = self.evaluate(node)
        if isinstance(node, tree.Compare | tree.Between | tree.Both | tree.Not):
            return value  # these give yes or no by themselves

        def test(frame: Frame) -> bool:
            result = value(frame)
            if result is True or result is False:
                return result
            raise no_condition(result)

        return test

    def statement(self, node: tree.Statement) -> Run:
        """The closure of a statement."""
        return STATEMENTS[type(node)](self, node)

    def warming(self, closure: T, node: Block | Expression | None, is_test: bool = False) -> Callable[[], T]:
        """What gives a part of a loop, and is asked again as the loop goes on: its closure at first, and one function
        as soon as it pays to make that. Where somebody looks at each statement, closures show them.
        """
        flatten = self.flatten
        if self.wrapper is not None or node is None or flatten is None:
            return lambda: closure
        asked, now = 0, closure

        def warm() -> T:
            nonlocal asked, now
            asked += 1
            if asked == _LONG:
                now = flatten(self, node, is_test) or closure
            return now

        return warm


#: How each kind of expression is compiled; `evaluates` marks the functions.
EXPRESSIONS: NodeTable[Compiler, Evaluate] = NodeTable()
evaluates = EXPRESSIONS.of
#: How each kind of statement is compiled; `runs` marks the functions.
STATEMENTS: NodeTable[Compiler, Run] = NodeTable()
runs = STATEMENTS.of


def no_condition(found: Value) -> Failure:
    """The failure for what should be yes or no."""
    return Failure(f"expected a condition, found {type_name(found)}")


def _is_plain(node: Expression) -> bool:
    """Whether reading it never fails."""
    return isinstance(node, tree.Constant | tree.Moment)
