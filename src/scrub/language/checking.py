"""What is known while a macro is checked, and the tables that say how each node of its tree is checked."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager

from scrub.language import tree
from scrub.language.node_table import NodeTable
from scrub.language.program import Program
from scrub.language.scope import Scope
from scrub.language.tree import Expression, Place
from scrub.model.core.problem import Problem, nearest
from scrub.model.core.types import Type
from scrub.model.vocabulary import Vocabulary

#: Finds a macro of the library by its full title, checked, for `run "Title"`.
Resolver = Callable[[str], Program]


class Checking:
    """One macro while it is checked. `resolve` finds the macros that it runs; None without a library."""

    def __init__(
        self, program: Program, vocabulary: Vocabulary, problems: list[Problem], resolve: Resolver | None = None
    ) -> None:
        self.program = program
        self.vocabulary = vocabulary
        self.problems = problems
        self.resolve = resolve
        self.means = program.means
        self.own_files: Mapping[str, str] = program.own_files
        self.scope = Scope()
        self.read: set[str] = set()  # the names whose value is asked for
        self.at_top = True  # no statement but `name = value` came yet
        self.looked_up: dict[str, list[Expression]] = {}  # what is looked up under a name
        self.asked_for: set[str] = set()  # the names whose presence is asked for
        self.loops: list[str] = []  # the loops around a line: kinds visited, or "" for a loop over values
        #: Names that are called like a field here, with how that is set.
        self.like_fields: list[tuple[str, str, Place]] = []
        self.assigned = ""  # the yes or no that the line being read gives to a field
        self.prints = False  # whether holes for page numbers are allowed here
        self.watched = 0  # a line at which somebody asks what is in reach
        self.seen: tuple[Scope, list[str]] | None = None  # what is in reach there, and the loops around it

    def type(self, node: Expression) -> Type:
        """The type of an expression, which gets its meaning."""
        found = self.program.types[node] = TYPES[type(node)](self, node)
        return found

    def note(
        self, place: Place, message: str, code: str = "meaning", near: tuple[str, Iterable[str]] | None = None
    ) -> None:
        """Notes a problem. `near` is a word that is not known, and those that are: the nearest can take its place."""
        self.problems.append(Problem(message, *place, code, nearest(*near) if near is not None else None))

    def reaches(self, reach: int, does: str) -> None:
        """Notes how far the macro goes, and what it does there."""
        self.program.reach = max(self.program.reach, reach)
        self.program.does[does] = max(reach, self.program.does.get(does, 0))

    @contextmanager
    def printing(self, allowed: bool) -> Iterator[None]:
        """Allows holes for page numbers inside the block."""
        before, self.prints = self.prints, allowed
        try:
            yield
        finally:
            self.prints = before

    def watch(self, node: tree.Node) -> None:
        """Notes what is in reach, where somebody asks about a line of this node."""
        if self.watched and node.extent.line <= self.watched <= node.extent.end_line:
            self.seen = self.scope.copied(), self.loops[::-1]


#: How each kind of expression gets its meaning and its type; `types` marks the functions.
TYPES: NodeTable[Checking, Type] = NodeTable()
types = TYPES.of
#: How each kind of statement is checked: it tells whether the end of its block is never reached. `states` marks them.
STATEMENTS: NodeTable[Checking, bool | None] = NodeTable()
states = STATEMENTS.of
