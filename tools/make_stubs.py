"""Writes the stubs of the classes that are made from the vocabulary: `python tools/make_stubs.py`.

Type checkers and editors read them; a test holds them to the vocabulary.
"""

from __future__ import annotations

import ast
import inspect
import sys
import types
import typing
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from subprocess import run
from typing import Any

from scrub.api.kinds import Member, members_of
from scrub.assembled import formats, vocabulary
from scrub.model.core.amounts import Amount
from scrub.model.core.choice import Choice
from scrub.model.core.declare import Item
from scrub.model.core.python_names import operation_name
from scrub.model.core.values import Secret
from scrub.model.vocabulary import Callee, Kind

ROOT = Path(__file__).parent.parent / "src" / "scrub"
CLASSES, WORDS = ROOT / "api" / "classes.pyi", ROOT / "words.pyi"
HEAD = '''"""The class for each kind of item. Made by tools/make_stubs.py; do not edit."""

from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from os import PathLike
from typing import Any, ClassVar, Literal, overload

import pandas

from scrub.api.conditions import Condition
from scrub.api.items import Items
from scrub.model.core.amounts import Length, Size
from scrub.model.core.values import Secret

_Number = int | float | Decimal
_Whole = int | Decimal
_Path = str | PathLike[str]

class _Item:
    """What all items have in common."""

    kind_word: ClassVar[str]
'''


def written(hint: Any, given: bool) -> str:
    """A type as a stub writes it: what Python gets, or (`given`) what it may pass."""
    if hint in (Any, object):
        return "Any"
    if hint is type(None):
        return "None"
    origin, inner = typing.get_origin(hint), typing.get_args(hint)
    if origin in (typing.Union, types.UnionType):
        return " | ".join(dict.fromkeys(written(each, given) for each in inner))
    if origin in (list, Sequence, Iterable) or hint is list:
        of = written(inner[0], given) if inner else "Any"
        return f"Sequence[{of}]" if given else f"list[{of}]"
    if not isinstance(hint, type):
        return "Any"
    if issubclass(hint, Item):
        return hint.__name__
    if issubclass(hint, Choice):
        return f"Literal[{', '.join(quoted(each.value) for each in hint)}]"
    if issubclass(hint, str):
        return "_Path" if given and hint.__name__.endswith("Path") else "str"
    if hint in (int, Decimal) and given:
        return "_Whole" if hint is int else "_Number"
    if issubclass(hint, Secret):
        return "Secret"
    plain = hint in (int, bool, float, Decimal, date, datetime) or issubclass(hint, Amount)
    return hint.__name__ if plain else "Any"


def quoted(text: str) -> str:
    """A text as the formatter writes it."""
    return f'"{text}"'


def arguments(callee: Callee) -> str:
    """The arguments of a call; only the first can omit its name."""
    if callee.open:
        return "self, under: Mapping[str, Any] = ..., /, **values: Any"
    found = ["self"]
    for place, parameter in enumerate(callee.parameters):
        if place == 1:
            found.append("*")
        default = "" if parameter.required else " = ..."
        hint = callee._hints[parameter.python]
        found.append(f"{parameter.python}: {written(hint, True)}{default}")
    return ", ".join(found)


def member(name: str, it: Member, known: Any) -> Iterator[str]:
    """The lines of one name of a class."""
    kind = known.kinds.get(it.gives)
    gives = kind.cls.__name__ if kind is not None else "Any"
    if it.sort == "field":
        field = it.callee
        yield "@property"
        yield f"def {name}(self) -> {written(field._hint, False)}: ..."
        if field.can_be_set:
            setter = field.accessor.fset
            hint = typing.get_type_hints(setter)[list(inspect.signature(setter).parameters)[1]]
            yield f"@{name}.setter"
            yield f"def {name}(self, value: {written(hint, True)}) -> None: ..."
    elif it.sort in ("action", "part"):
        hint = it.callee._hints.get("return", object)
        yield f"def {name}({arguments(it.callee)}) -> {written(hint, False)}: ..."
    elif it.sort == "outer":
        yield "@property"
        yield f"def {name}(self) -> {gives}: ..."
    elif it.sort == "items":
        yield f"def {name}({loop(it)}) -> Items[{known.kinds[it.each].cls.__name__}]: ..."
    elif it.sort == "both":
        yield "@overload"
        yield f"def {name}(self) -> Items[{known.kinds[it.each].cls.__name__}]: ..."
        yield "@overload"
        yield f"def {name}({arguments(it.callee)}) -> {gives}: ..."
    else:
        given = arguments(it.callee) if it.callee is not None else "self, name: str, *, exactly: bool = ..."
        tail = " | None" if it.sort == "find" else ""
        yield f"def {name}({given}) -> {gives}{tail}: ..."


def loop(it: Member) -> str:
    """The arguments of what gives the items inside."""
    if it.each != "record":
        return "self"
    return "self, headings: int | None = ..., *, where: Condition | Callable[[Record], object] | None = ..."


RECORD = (
    "def __getitem__(self, heading: str) -> Any: ...",
    "def __setitem__(self, heading: str, value: Any) -> None: ...",
    "def __contains__(self, heading: object) -> bool: ...",
    "def keys(self) -> list[str]: ...",
    "def number(self, heading: str) -> Decimal: ...",
)


FRAMES = {
    "table": (
        "def to_frame(",
        '    self, *, decimals: Literal["float", "exact"] = ..., errors: Literal["raise", "empty"] = ...',
        ") -> pandas.DataFrame: ...",
        "def update_from(self, frame: pandas.DataFrame, key: str, *, add: bool = ...) -> int: ...",
    ),
    "workbook": ("def add_sheet_from(self, frame: pandas.DataFrame, name: str) -> Sheet: ...",),
}


def class_of(kind: Kind, known: Any) -> Iterator[str]:
    """The lines of one class."""
    yield ""
    yield f"class {kind.cls.__name__}(_Item):"
    yield f'    """{kind.summary}"""'
    yield ""
    for line in RECORD if kind.cls.open_fields else ():
        yield f"    {line}"
    for line in FRAMES.get(kind.word, ()):
        yield f"    {line}"
    for name, it in sorted(members_of(kind, known).items()):
        for line in member(name, it, known):
            yield f"    {line}"


def stubs() -> str:
    """The text of the stubs."""
    known = vocabulary(formats())
    kinds = sorted(known.kinds.values(), key=lambda each: each.cls.__name__)
    lines = [line for kind in kinds for line in class_of(kind, known)]
    return HEAD + "\n".join(lines) + "\n"


def formatted(text: str) -> str:
    """The same in the layout of the project."""
    config = str(ROOT.parents[1] / "pyproject.toml")
    ruff, named = [sys.executable, "-m", "ruff"], ["-q", "--config", config, "--stdin-filename", "stubs.pyi", "-"]
    for words in (["check", "--fix-only", "--select", "F401,I"], ["format"]):
        command = [*ruff, *words, *named]
        text = run(command, input=text, capture_output=True, text=True, check=True, cwd=ROOT).stdout
    return text


def words() -> str:
    """The text of the stubs of `scrub.words`: its own functions as they are, and one for each operation."""
    source = (ROOT / "words.py").read_text(encoding="utf-8")
    lines = [f'"""{WORDS_SUMMARY}"""', "", *WORDS_IMPORTS, ""]
    for node in ast.parse(source).body:
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            lines.append(
                f"def {node.name}({ast.unparse(node.args)}) -> {ast.unparse(node.returns or ast.Name('Any'))}: ..."
            )
    known = vocabulary(formats())
    for word in sorted({word for _, word in known.operations}):
        lines.append(operation(word, [each for (_, name), each in known.operations.items() if name == word]))
    return "\n".join(lines) + "\n"


WORDS_SUMMARY = "What macros mean and Python does not. Made by tools/make_stubs.py; do not edit."
WORDS_IMPORTS = (
    "from collections.abc import Callable, Iterable, Sequence",
    "from datetime import date, datetime",
    "from decimal import Decimal",
    "from typing import Any, Literal, TypeVar",
    "",
    'T = TypeVar("T")',
    "_Number = int | float | Decimal",
    "_Whole = int | Decimal",
)


def operation(word: str, callees: list[Callee]) -> str:
    """The stub of an operation, whose value may be of several types."""
    found: dict[str, tuple[set[str], bool]] = {}
    for callee in callees:
        for parameter in callee.parameters:
            hints, required = found.setdefault(parameter.python, (set(), True))
            hints.add(written(callee._hints[parameter.python], True))
            found[parameter.python] = hints, required and parameter.required
    given = ["of: Any", "/"]
    for place, (name, (hints, required)) in enumerate(found.items()):
        given += ["*"] if place == 1 else []
        default = "" if required and all(name in callee.by_python for callee in callees) else " = ..."
        parts = {part for hint in hints for part in hint.split(" | ")}
        hint = "Any" if "Any" in parts else " | ".join([*sorted(parts - {"None"}), "None"])
        given.append(f"{name}: {hint}{default}")
    gives = {written(callee._hints.get("return", object), False) for callee in callees}
    return f"def {operation_name(word)}({', '.join(given)}) -> {gives.pop() if len(gives) == 1 else 'Any'}: ..."


def every_stub() -> dict[Path, str]:
    """The text of each file of stubs."""
    return {CLASSES: stubs(), WORDS: words()}


if __name__ == "__main__":
    for path, text in every_stub().items():
        path.write_text(formatted(text), encoding="utf-8")
