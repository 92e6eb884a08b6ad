"""Rules that depend on ranges of cells: their ranges, and their formulas, which are written for the first cell."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from typing import Any, Protocol

from scrub.formats.workbook.cells.decode import Decoder, stored_number
from scrub.formats.workbook.formulas.syntax import translated
from scrub.model.cells.sheet import Sheet
from scrub.model.core.amounts import Duration
from scrub.model.core.area import Area, area_of
from scrub.model.core.declare import FileItem, Item
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure
from scrub.model.core.values import type_name

Areas = tuple[Area, ...]


def areas_in(sqref: str) -> Areas:
    """The ranges of an attribute `sqref` (18.18.76)."""
    return tuple(area_of(each.replace("$", "")) for each in sqref.split())


def sqref(areas: Areas) -> str:
    """Ranges as an attribute has them."""
    return " ".join(area.corners for area in areas)


def shown(areas: Areas) -> str:
    """Ranges as a person reads them."""
    return ", ".join(map(str, areas))


def corner(areas: Areas) -> tuple[int, int]:
    """The cell for which formulas are written: the first row and the first column of them all (18.3.1.10)."""
    return min(area.top for area in areas), min(area.left for area in areas)


def minus(areas: Iterable[Area], hole: Area) -> Areas:
    """Ranges without the cells of another one: above it, left and right of it, below it."""
    found: list[Area] = []
    for area in areas:
        if not area.meets(hole):
            found.append(area)
            continue
        top, bottom = max(area.top, hole.top), min(area.bottom, hole.bottom)
        pieces = (
            area._replace(bottom=hole.top - 1),
            Area(top, area.left, bottom, hole.left - 1),
            Area(top, hole.right + 1, bottom, area.right),
            area._replace(top=hole.bottom + 1),
        )
        found += [piece for piece in pieces if piece.top <= piece.bottom and piece.left <= piece.right]
    return tuple(found)


def rebased(formulas: Sequence[str], was: Areas, now: Areas) -> tuple[str, ...]:
    """Formulas written for another first cell."""
    (row, column), (first_row, first_column) = corner(now), corner(was)
    down, right = row - first_row, column - first_column
    if not down and not right:
        return tuple(formulas)
    return tuple(translated(formula, down, right) if not formula.startswith('"') else formula for formula in formulas)


class AsFormula(NamedTuple):
    """Writes values of a macro as they are in formulas."""

    decoder: Decoder

    def __call__(self, value: Any) -> str:
        """One value. Raises `Failure` for one that no formula contains."""
        if isinstance(value, bool):
            return "TRUE" if value else "FALSE"
        if isinstance(value, str):
            return text(value)
        if isinstance(value, date):
            return stored_number(self.decoder.serial(value))
        if isinstance(value, Duration) and not value.on_calendar:
            return stored_number(value.in_unit("seconds") / 86_400)
        if value is None or type_name(value) != "a number":
            raise Failure(f"a limit is a number, a date, a time or a text, not {type_name(value)}")
        return stored_number(value)


def text(value: str) -> str:
    """A text as it is in a formula."""
    return '"' + value.replace('"', '""') + '"'


class Ruled(Protocol):
    """The rules of one kind of a sheet."""

    def has(self, rule: Any) -> bool:
        """Whether a rule is still there."""


class RuleItem(Item):
    """One rule of a sheet as an item: two are the same where they say the same of the same cells."""

    def __init__(self, rules: Ruled, sheet: Sheet, rule: Any) -> None:
        self._sheet = sheet
        self._of = rules, rule

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self) and self._of == other._of

    def __hash__(self) -> int:
        return hash(self._of[1])

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._sheet.file

    @property
    def label(self) -> str:
        """Its sheet and range."""
        return f"{self._sheet.name} {self.range}"

    @property
    def removed(self) -> bool:
        """Whether it was taken away, or applies to other cells now."""
        rules, rule = self._of
        return not rules.has(rule)

    @property
    def range(self) -> str:
        """Its cells."""
        return shown(self._of[1].areas)
