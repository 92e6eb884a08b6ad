"""What may import what, and what must be complete: the rules of `docs/architecture.md`."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import scrub
from scrub.formats.opendocument.paragraph import TextParagraph
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.language import checker, checking, tree
from scrub.model.cells.sheet import Sheet
from scrub.model.texts.paragraphs import Paragraph
from scrub.runner import compiling, run

#: Who imports these knows all nodes.
COMPLETE = (checker, run)
SOURCE = Path(scrub.__file__).parent

ALLOWED = {
    "model": set(), "store": set(), "formulas": {"model"}, "language": {"model"}, "formats": {"model", "store", "formulas"}, "catalog": {"model"},
    "runner": {"model", "language", "store"}, "library": {"model", "language", "store"},
    "touch": {"model", "store", "library"}, "by_example": {"model"},
}  # fmt: skip


@pytest.mark.parametrize("room", [*ALLOWED, "cli", "demo"])
def test_a_room_imports_only_the_rooms_it_may(room: str) -> None:
    for path in (SOURCE / room).rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = (
                [node.module or ""]
                if isinstance(node, ast.ImportFrom)
                else [each.name for each in node.names]
                if isinstance(node, ast.Import)
                else []
            )
            for name in names:
                parts = name.split(".")
                if parts[0] != "scrub" or parts[1:2] == [room]:
                    continue
                if room in ("cli", "demo"):
                    assert len(parts) == 1, f"{path.name} imports {name}"
                else:
                    assert parts[1] in ALLOWED[room], f"{path.name} imports {name}"
                    if room == "formats" and parts[1] == "store":
                        assert name in (
                            "scrub.store.patch",
                            "scrub.store.disk",
                            "scrub.store.inuse",
                            "scrub.store.stamps",
                            "scrub.store.access",
                            "scrub.store.rows",
                            "scrub.store.errors",
                        ), f"{path.name} imports {name}"


def imports_of_files() -> dict[str, set[str]]:
    """What each file imports, imports for types included."""
    names = {path: ".".join(path.with_suffix("").relative_to(SOURCE.parent).parts) for path in SOURCE.rglob("*.py")}
    names = {path: name.removesuffix(".__init__") for path, name in names.items()}
    known = set(names.values())
    imports: dict[str, set[str]] = {}
    for path, name in names.items():
        found = imports.setdefault(name, set())
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module:
                inner = {f"{node.module}.{each.name}" for each in node.names}
                found |= (inner & known) or {node.module}
            elif isinstance(node, ast.Import):
                found |= {each.name for each in node.names}
    return imports


def in_circles(imports: dict[str, set[str]]) -> list[str]:
    """Who imports somebody that leads back to it."""
    left = dict(imports)
    while True:  # who imports nothing that is left is in no circle
        ends = [name for name, found in left.items() if not (found & left.keys()) - {name}]
        if not ends:
            break
        for name in ends:
            del left[name]
    # What is left is in a circle, or leads into one; so does who is imported by nobody.
    while True:
        starts = [name for name in left if not any(name in found for other, found in left.items() if other != name)]
        if not starts:
            break
        for name in starts:
            del left[name]
    return sorted(left)


def test_no_two_files_import_each_other() -> None:
    """Who reads one can read on from there."""
    assert in_circles(imports_of_files()) == []


def test_no_two_folders_import_each_other() -> None:
    """The same for packages; one and the packages inside it belong together."""
    folders: dict[str, set[str]] = {}
    for name, found in imports_of_files().items():
        folder = folder_of(name)
        others = {folder_of(each) for each in found if each.startswith("scrub.")}
        apart = {
            each for each in others if not f"{each}.".startswith(f"{folder}.") and not folder.startswith(f"{each}.")
        }
        folders.setdefault(folder, set()).update(apart)
    assert in_circles(folders) == []


def folder_of(name: str) -> str:
    """The package that a module is in; a package itself is its own."""
    return name if (SOURCE.parent / name.replace(".", "/")).is_dir() else name.rpartition(".")[0]


def test_each_node_of_the_tree_has_its_functions() -> None:
    """What the checker knows, the runner compiles, but for what is refused before."""
    nodes = {each for each in vars(tree).values() if isinstance(each, type) and issubclass(each, tree.Node)}
    nodes -= {tree.Node, tree.Expression, tree.Statement}
    assert checking.TYPES.keys() == {each for each in nodes if issubclass(each, tree.Expression)}
    assert checking.STATEMENTS.keys() == {each for each in nodes if issubclass(each, tree.Statement)}
    assert checking.TYPES.keys() - compiling.EXPRESSIONS.keys() == {tree.Bad, tree.RunValue}
    assert checking.STATEMENTS.keys() - compiling.STATEMENTS.keys() == {tree.Stray, tree.Broken}


def test_functions_are_short() -> None:
    """Forty lines at the most, without the docstring and the functions inside."""
    long = []
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.FunctionDef):
                own = set(range(node.body[0].lineno, (node.end_lineno or 0) + 1))
                if ast.get_docstring(node) is not None:
                    own -= set(range(node.body[0].lineno, (node.body[0].end_lineno or 0) + 1))
                for inner in ast.walk(node):
                    if isinstance(inner, ast.FunctionDef) and inner is not node:
                        own -= set(range(inner.lineno, (inner.end_lineno or 0) + 1))
                if len(own) > 40:
                    long.append((path.name, node.name, len(own)))
    assert long == []


def test_a_sheet_has_few_names_of_its_own() -> None:
    """What is made of contracts says so by its classes; the rest is in the parts that it is made of."""
    assert len(OfficeSheet.__mro__) <= 9
    own = {name for name in dir(OfficeSheet) if not name.startswith("_")} - set(dir(Sheet))
    assert len(own) <= 12, sorted(own)


@pytest.mark.parametrize("paragraph", [OfficeParagraph, TextParagraph])
def test_a_paragraph_is_made_of_three_classes_above_its_contract(paragraph: type[Paragraph]) -> None:
    """One for all formats, one for those whose characters are in pieces, one for its own."""
    above = [each for each in paragraph.__mro__ if each.__module__.startswith("scrub.formats.")]
    assert len(above) == 3


def test_no_local_hides_what_its_module_imports_or_defines() -> None:
    hidden = []
    for path in SOURCE.rglob("*.py"):
        body = ast.parse(path.read_text()).body
        own = {node.name for node in body if isinstance(node, ast.FunctionDef | ast.ClassDef)}
        imports = (node for node in body if isinstance(node, ast.Import | ast.ImportFrom))
        own |= {(each.asname or each.name).partition(".")[0] for node in imports for each in node.names}
        functions = (node for top in body for node in ast.walk(top) if isinstance(node, ast.FunctionDef))
        names = (name for function in functions for name in ast.walk(function) if isinstance(name, ast.Name))
        hidden += [
            (path.name, name.lineno, name.id) for name in names if isinstance(name.ctx, ast.Store) and name.id in own
        ]
    assert hidden == []
