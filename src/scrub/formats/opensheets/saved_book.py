"""A workbook that is being saved, as far as what writes its parts needs it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import count
from typing import Any, Protocol

from scrub.formats.opendocument.read import TABLE, value
from scrub.formats.opensheets.conditions import Condition, written_validation
from scrub.formats.opensheets.formulas import address
from scrub.formats.opensheets.page_maker import PAGE_WORDS, made_page
from scrub.formats.opensheets.projection import Projection
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.opensheets.style_maker import USUAL, Declaring, StyleMaker
from scrub.formats.opensheets.writing import CellWriter, Prefixes
from scrub.formats.spans import Splice, escaped
from scrub.formats.workbook.rules.ruled import corner
from scrub.formats.workbook.shared import Shared
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.workbook.structure.moves import Moves
from scrub.formats.xmltext import escaped_text
from scrub.model.core.area import Area

#: Makes the element of a sheet piece by piece.
Maker = Callable[[], Iterator[bytes]]


class SavedWorkbook(Protocol):
    """The workbook itself."""

    package: Projection
    properties: Any

    @property
    def shared(self) -> Shared:
        """What its sheets share."""

    @property
    def name(self) -> str:
        """The name of the file."""

    def sheets(self) -> Iterator[OfficeSheet]:
        """Its sheets, in the order of the tabs."""

    def every_sheet(self) -> Sequence[OfficeSheet]:
        """The sheets by their place in the file, new ones after the others."""

    @property
    def titles(self) -> Mapping[str, str]:
        """The charts that get another title, by their folders."""

    def note_title(self, part: str, title: str) -> None:
        """Notes the title of a chart, by the part that it would be."""

    def begin_saving(self) -> None:
        """Numbers the sheets, and lets go of what was changed and changed back."""

    def calculate_again(self, finished: Any) -> None:
        """Makes the results right of formulas that the changes reach."""

    def tell(self, notes: Sequence[str]) -> None:
        """Notes what is told when it is saved."""


class SavedBook:
    """What is written of one workbook: the parts around the tables, and what makes each table."""

    def __init__(self, book: SavedWorkbook) -> None:
        self.book = book
        self.projection: Projection = book.package
        self.shared = book.shared
        self.declaring = Declaring(self.projection.root.namespaces)
        self.common_declaring = Declaring(
            self.projection.common[1].namespaces if self.projection.common is not None else {}
        )
        for prefix in ("of",):
            self.of = self.declaring.prefix(USUAL[prefix], prefix)
        styles = self.shared.styles if self.shared.has_styles else None
        self.styles = StyleMaker(self.projection, styles, self.declaring)
        self.every: list[OfficeSheet] = list(book.every_sheet())
        self.kept = [sheet for sheet in self.every if not sheet.removed]
        self.frame: list[Splice] = []  # of what is around the tables
        self.before_tables = b""
        self.common: list[Splice] = []
        self.validations: list[str] = []
        self._rules: dict[Any, str] = {}
        self.prefixes = Prefixes(self.projection.content.namespaces)
        self.cells = CellWriter(self.prefixes, self.projection.styles, self.shared.decoder)
        self.cells.sorts = self.styles.sorts
        self.moves = self._moves()
        self.media: dict[str, bytes] = {}
        self.pages: list[tuple[bytes, bytes]] = []  # layouts with their master pages
        self._page_names: set[str] = set()

    def _moves(self) -> Moves:
        sheets = self.kept
        renamed = {s.saved.part.sheet: s.name for s in sheets if s.name != s.saved.part.sheet}
        shaped = {s.saved.part.sheet: s.line_changes.shift() for s in sheets if s.line_changes}
        return Moves([sheet.saved.part.sheet for sheet in sheets], shaped, renamed)

    def rule_name(self, rule: Any, sheet: str) -> str:
        """The name of the validation for a rule, which is added where none says the same."""
        key = (rule.attributes, rule.formulas, corner(rule.areas), sheet)
        if key not in self._rules:
            holder = self.projection.holder.child("content-validations", uri=TABLE)
            taken = {value(span, "name", TABLE) for span in (holder.children if holder is not None else ())}
            taken |= set(self._rules.values())
            name = next(each for number in count(1) if (each := f"val{number}") not in taken)
            self._rules[key] = name
            self.validations.append(self._validation(rule, name, sheet))
        return self._rules[key]

    def _validation(self, rule: Any, name: str, sheet: str) -> str:
        of = dict(rule.attributes)
        row, column = corner(rule.areas)
        condition = written_validation(Condition(of.get("type", "custom"), of.get("operator"), rule.formulas))
        said = {
            "table:name": name, "table:condition": f"{self.of}:{condition}",
            "table:allow-empty-cell": "true" if of.get("allowBlank") == "1" else "false",
            "table:base-cell-address": address(sheet, Area(row, column, row, column)),
        }  # fmt: skip
        if of.get("type") == "list":
            said["table:display-list"] = "unsorted"
        message = of.get("error", "").replace("_x000a_", "\n")
        lines = "".join(f"<text:p>{escaped_text(line)}</text:p>" for line in message.split("\n")) if message else ""
        kind = of.get("errorStyle", "stop")
        written = "".join(f' {each}="{escaped(text)}"' for each, text in said.items())
        error = f'<table:error-message table:message-type="{kind}" table:display="true">{lines}</table:error-message>'
        return f"<table:content-validation{written}>{error}</table:content-validation>"

    def page_style(self, sheet: OfficeSheet, part: TablePart) -> str | None:
        """The name of the page style that a sheet is to have; None where it keeps its own."""
        settings = sheet.saved.pieces.settings
        wanted = {word for word in settings.wanted() if word in PAGE_WORDS}
        if not wanted:
            return None
        book = self.projection
        page = book.page(part.number - 1) if part.is_of_file else book.pages.page(None)
        taken = {*book.pages.masters, *(f"{name}" for name in self._page_names)}
        name = next(each for n in count(1) if (each := f"Page_20_{part.number}_5f_{n}") not in taken)
        layout = next(each for n in count(1) if (each := f"pm_{part.number}_{n}") not in book.pages.layouts)
        self._page_names.add(name)
        self.pages.append(made_page(page, (name, layout), wanted, settings.get, self.common_declaring))
        return name
