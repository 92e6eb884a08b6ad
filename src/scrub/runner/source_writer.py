"""The text of a function that is made of a long loop, as it grows.

It is put together from the pieces in `loop_values` and `loop_compiler`, numbers, and names that are counted
(`v1`, `k1`): no word of a macro ever is in it, since all that a macro says comes in as a value. A step that
has no piece is done by its closure, and so is everything that goes wrong: what a function gives is what closures give.
"""

from __future__ import annotations

import decimal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from decimal import Decimal
from typing import Any

from scrub.language import tree
from scrub.language.node_table import NodeTable
from scrub.language.tree import Expression
from scrub.model.cells.grid import CellError
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure
from scrub.model.core.values import Pairs, fold, same, shown
from scrub.runner.arithmetic import no_number
from scrub.runner.compiling import Compiler, no_condition
from scrub.runner.execution import Frame
from scrub.runner.fitting import LEFT_OUT, fitted_all, within
from scrub.runner.lookups import Absent, pairs_of

#: Lines of a function; what is longer stays as it is, since making it takes its time too.
_MOST_LINES = 1_000
#: How deep conditions may be in each other in a function.
_DEEPEST = 12

#: The names that every function can use.
_KNOWN: dict[str, Any] = {
    "__builtins__": {each.__name__: each for each in (AttributeError, KeyError, isinstance, str, type, zip)},
    "Absent": Absent,
    "Decimal": Decimal,
    "DecimalException": decimal.DecimalException,
    "Failure": Failure,
    "Item": Item,
    "LEFT_OUT": LEFT_OUT,
    "Pairs": Pairs,
    "CellError": CellError,
    "fitted_all": fitted_all,
    "fold": fold,
    "no_number": no_number,
    "pairs_of": pairs_of,
    "same": same,
    "shown": shown,
    "within": within,
}


class TooLong(Exception):
    """A function would be too long, or too deep."""


class SourceWriter:
    """The text of one function as it grows."""

    def __init__(self, compiler: Compiler) -> None:
        self.compiler = compiler
        self.means = compiler.means
        self.lines: list[str] = []
        self._indent = 2
        self.held: dict[str, Any] = dict(_KNOWN)
        self._variables = 0
        self.numbers: set[str] = set()  # names of numbers
        self._keys: dict[str, str] = {}  # the variables that hold keys of pairs, by those of their values
        self.read: dict[tuple[int, str], str] = {}  # what was read since anything was done: place, heading, variable

    # -- the text

    def put(self, *lines: str) -> None:
        """Puts lines after the others. Raises `TooLong`."""
        self.lines += ["    " * self._indent + line for line in lines]
        if len(self.lines) > _MOST_LINES:
            raise TooLong

    def keep(self, value: object) -> str:
        """A name for something that the function can use."""
        name = f"k{len(self.held)}"
        self.held[name] = value
        return name

    def variable(self) -> str:
        """The name of a variable that there is not yet."""
        self._variables += 1
        return f"v{self._variables}"

    def variable_of(self, text: str) -> str:
        """A variable with what an expression of Python gives."""
        name = self.variable()
        self.put(f"{name} = {text}")
        return name

    @contextmanager
    def below(self, opening: str) -> Iterator[None]:
        """What is below `if …:` and the like; it may be left out as the function runs."""
        self.put(opening)
        self._indent += 1
        if self._indent > _DEEPEST:
            raise TooLong
        before, keys = dict(self.read), dict(self._keys)
        yield
        self._keys = keys
        self.read = {place: name for place, name in self.read.items() if before.get(place) == name}
        self._indent -= 1

    def closure(self, closure: Callable[[Frame], object]) -> str:
        """A variable with what a closure gives, which may do anything."""
        self.read.clear()
        return self.variable_of(f"{self.keep(closure)}(frame)")

    def set_place(self, slot: int, value: str) -> None:
        """Gives a place of the frame a value."""
        self.put(f"frame[{slot:d}] = {value}")
        self.read = {place: name for place, name in self.read.items() if place[0] != slot}

    # -- expressions

    def value(self, node: Expression) -> str:
        """A variable with the value of an expression."""
        write = VALUES.get(type(node))
        if write is not None and node.place.line == self.compiler.line:  # else a failure names the other line
            result = write(self, node)
            if result is not None:
                return result
        return self.closure(self.compiler.evaluate(node))

    def condition(self, node: Expression) -> str:
        """A variable with yes or no."""
        if isinstance(node, tree.Compare | tree.Between | tree.Both | tree.Not):
            return self.value(node)
        value, wrong = self.value(node), self.keep(no_condition)
        self.put(f"if {value} is not True and {value} is not False: raise {wrong}({value})")
        return value


#: What writes the value of each kind of expression: a variable with it, or None; what is not here runs as a closure.
#: `gives` marks the functions.
VALUES: NodeTable[SourceWriter, str | None] = NodeTable()
gives = VALUES.of
#: What writes the lines of each kind of statement; it tells whether it did. What is not here runs as a closure.
#: `writes` marks the functions.
LINES: NodeTable[SourceWriter, bool] = NodeTable()
writes = LINES.of
