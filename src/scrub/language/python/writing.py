"""What is known while a macro is written as Python: the names of its values and items, and what the script imports."""

from __future__ import annotations

import builtins
import keyword
import re
import unicodedata
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from scrub.language import tree
from scrub.language.node_table import NodeTable
from scrub.language.paths import own_names
from scrub.language.program import Program
from scrub.language.python.code import ATOM, UNARY, Code, called, quoted, written
from scrub.language.python.inferred import Inferred
from scrub.language.tree import Expression
from scrub.language.walk import nodes
from scrub.model.core.amounts import Amount
from scrub.model.core.problem import BadCall
from scrub.model.core.python_names import operation_name, python_name
from scrub.model.vocabulary import Vocabulary

#: Names that a script needs for itself.
_TAKEN = frozenset(dir(builtins)) | frozenset(
    "scrub date datetime timedelta Decimal Any Annotated Literal sys tried before l O I".split()
)


def identifier(words: str, fallback: str) -> str:
    """A name in Python that says these words."""
    plain = unicodedata.normalize("NFD", words.lower().replace("'", "").replace("\u2019", ""))
    kept = "".join(each if each.isascii() and each.isalnum() else "_" if not unicodedata.combining(each) else ""
                   for each in plain)  # fmt: skip
    name = "_".join(part for part in kept.split("_") if part)
    if not name or name[0].isdigit() or name == "l":
        name = f"{fallback}_{name}".rstrip("_")
    return f"{name}_" if keyword.iskeyword(name) or name in dir(builtins) else name


class Script:
    """What all functions of one script share."""

    def __init__(self, vocabulary: Vocabulary, helpers: frozenset[str]) -> None:
        self.vocabulary = vocabulary
        self.helpers = helpers
        self.imports: dict[str, set[str]] = {}
        #: The lines of each function, in the order in which they must be.
        self.functions: list[list[str]] = []
        self.names: set[str] = set()
        self.known: dict[tuple[str, str], str] = {}  # the function of a macro on a kind of file

    def use(self, module: str, name: str) -> str:
        """Imports a name."""
        self.imports.setdefault(module, set()).add(name)
        return name

    def helper(self, name: str) -> str:
        """Imports a function of `scrub.words`."""
        return self.use("scrub.words", name)

    def function_name(self, title: str) -> str:
        """A name for one more function."""
        name, number = identifier(title, "macro"), 1
        while name in self.names or name in self.helpers or name in _TAKEN:
            number += 1
            name = f"{identifier(title, 'macro')}_{number}"
        self.names.add(name)
        return name


class Loop:
    """A loop that is being written. `flag` is the name that tells it to go on with its next turn."""

    def __init__(self, item: str) -> None:
        self.item = item
        self.flag = ""
        #: What is to be done after this loop, which was left for an outer one: the flag, and `break` or `continue`.
        self.after: list[tuple[str, str]] = []


class Writing:
    """One function that is being written."""

    def __init__(self, program: Program, script: Script, others: Callable[[tree.RunMacro], str]) -> None:
        self.program = program
        self.script = script
        self.means = program.means
        self.vocabulary = script.vocabulary
        self.inferred = Inferred(program, script.vocabulary)
        #: Writes another macro as a function, and gives its name.
        self.others = others
        self.own_names = own_names(program)
        self.items: dict[int, str] = {}  # the names of items, by their places in the running frame
        self.live: list[str] = []
        self.kinds: dict[str, str] = {}  # the kind of what each name of an item ever held
        self.loops: list[Loop] = []
        self.annotated: set[str] = set()
        #: The names whose value is asked for: alone, or for the value of a key.
        self.read = [each for each in nodes(*program.macro.body) if isinstance(each, tree.Name | tree.Call)]
        self.names = {word: self._own(word) for word in program.names}
        self.slots = {slot: word for word, slot in program.names.items()}
        self.attempts = self.tries = 0  # those around the current line, and all so far
        self.told: set[int] = set()  # the lines whose comments are written
        self.bound_loops: list[str] = []  # the names that loops around the current line set

    def _own(self, word: str) -> str:
        """The name of a kept value."""
        name = python_name(word)
        return f"{name}_" if name in _TAKEN or name in self.script.helpers or name in self.script.names else name

    def new_item(self, word: str, kind: str) -> str:
        """A name for an item that no other value has here."""
        base = python_name(word)
        taken = {*self.live, *self.names.values(), *self.script.names, *self.script.helpers, *_TAKEN}
        name, number = base, 1
        while name in taken or self.kinds.get(name, kind) != kind:
            number += 1
            name = f"{base}_{number}"
        self.kinds[name] = kind
        return name

    @contextmanager
    def item(self, slot: int, name: str) -> Iterator[None]:
        """Lets a name mean the item in a place of the frame."""
        self.items[slot] = name
        self.live.append(name)
        try:
            yield
        finally:
            self.live.pop()

    def value(self, node: Expression) -> Code:
        """An expression."""
        return VALUES[type(node)](self, node)

    def text(self, node: Expression, strength: int = 0) -> str:
        """The text of an expression where something binds this tightly."""
        return self.value(node).within(strength)

    def bound(self, text: str, but: str = "") -> str:
        """The names that loops around a function in a text set, as defaults of its arguments."""
        words = set(re.findall(r"\w+", text))
        return ", ".join(f"{each}={each}" for each in dict.fromkeys(self.bound_loops) if each in words - {but})

    def helper(self, name: str, *arguments: str) -> Code:
        """A call of a function of `scrub.words`."""
        return called(self.script.helper(name), *arguments)

    def operation(self, word: str, *arguments: str) -> Code:
        """The same of an operation."""
        return self.helper(operation_name(word), *arguments)

    def given(self, node: Expression) -> str:
        """An expression as an argument of the Python API, which takes plain numbers."""
        if isinstance(node, tree.Constant) and isinstance(node.value, Decimal):
            return plain_number(node.value) or self.text(node)
        if isinstance(node, tree.ListOf):
            return f"[{', '.join(map(self.given, node.items))}]"
        if isinstance(node, tree.Negative) and isinstance(node.value, tree.Constant):
            inner = node.value.value
            plain = plain_number(inner) if isinstance(inner, Decimal) else ""
            return f"-{plain}" if plain else self.text(node)
        return self.text(node)

    def constant(self, value: Any) -> Code:
        """A value that is written out."""
        if isinstance(value, Decimal):
            if value == value.to_integral_value():
                return Code(f"{value:f}", UNARY if value < 0 else ATOM)
            return called(self.script.use("decimal", "Decimal"), quoted(f"{value:f}"))
        if isinstance(value, datetime):
            parts = (value.year, value.month, value.day, value.hour, value.minute)
            return called(self.script.use("datetime", "datetime"), *map(str, parts))
        if isinstance(value, date):
            return called(self.script.use("datetime", "date"), str(value.year), str(value.month), str(value.day))
        if isinstance(value, Amount):
            number = value.in_unit(value.unit)
            return self.helper("amount", plain_number(number) or self.constant(number).text, quoted(value.unit))
        return Code(written(value) if isinstance(value, str) else repr(value))


def plain_number(value: Decimal) -> str:
    """A number as a literal that means the same to the Python API; an empty text where none does."""
    if value == value.to_integral_value():
        return f"{value:f}" if value.adjusted() < 28 else ""
    return repr(float(value)) if Decimal(repr(float(value))) == value else ""


#: How each kind of expression is written; `writes` marks the functions.
VALUES: NodeTable[Writing, Code] = NodeTable()
writes = VALUES.of


def cannot(what: str) -> BadCall:
    """The problem with what has no form in Python."""
    return BadCall(f"{what} cannot be written as Python")
