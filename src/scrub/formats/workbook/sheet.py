"""A sheet of an Office Open XML workbook. It holds what it should be; the part is spliced when the file is saved."""

from __future__ import annotations

import re
from array import array
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from scrub.formats.opc import Relationship, relationships
from scrub.formats.sheet import spanned
from scrub.formats.spans import NotReadable, Span, Splice, escaped, parse, set_attributes, spliced
from scrub.formats.workbook import protection
from scrub.formats.workbook.elements import all_placed, orders
from scrub.formats.workbook.formulas import area_at
from scrub.formats.workbook.hangings import SheetHangings
from scrub.formats.workbook.stored import Parsed, Searched, Stored
from scrub.formats.workbook.write import CellWriter
from scrub.model.area import Area
from scrub.model.problem import Failure
from scrub.model.sheet import Selecting, Sheet, SheetPermission
from scrub.model.values import Secret

if TYPE_CHECKING:
    from scrub.formats.workbook.book import OfficeWorkbook
    from scrub.formats.workbook.parts import Parts

EMPTY_SHEET = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><dimension ref="A1"/>'
    b'<sheetViews><sheetView workbookViewId="0"/></sheetViews><sheetData></sheetData></worksheet>'
)


class OfficeSheet(SheetHangings):
    """One sheet: its entry in the workbook part, and its own part, read only when needed."""

    def __init__(self, book: OfficeWorkbook, number: int, entry: Span, part: str | None) -> None:
        super().__init__()
        self.book = book
        self._number = number
        self.entry = entry
        self.part = part
        self.is_new = False
        self.state = self.first_state = entry.attributes.get("state", "visible")
        self._found: protection.Attributes | None = None
        self._wanted: dict[str, str] | None = None
        self._root_name = ""
        self._read = False
        self._skeleton_kept: tuple[bytes, Span] | None = None
        self._cut = self._left_out = 0
        self.has_formulas: bool | None = None  # not known before its part is read
        self._rows: array[int] | None = None  # the rows of a part that is known to be searched exactly

    @property
    def file(self) -> OfficeWorkbook:
        """The workbook."""
        return self.book

    @property
    def name(self) -> str:
        """The name on its tab."""
        return self.entry.attributes.get("name", "")

    @property
    def number(self) -> int:
        """Its place among the sheets, from 1."""
        return self._number

    def named_range(self, name: str) -> tuple[Sheet, Area] | None:
        """The range that has a defined name in the workbook."""
        return self.book.named_range(name)

    @property
    def hidden(self) -> bool:
        """Whether its tab is not shown."""
        return self.state != "visible"

    @hidden.setter
    def hidden(self, value: bool) -> None:
        if value == self.hidden:
            return
        if self.book.structure_locked:
            raise Failure(
                f'{self.book.name}: the structure of the workbook is protected, so "{self.name}" can neither be '
                "hidden nor shown. Lift that protection in its own program first"
            )
        if value and not any(sheet is not self and not sheet.hidden for sheet in self.book.sheets()):
            raise Failure(f'"{self.name}" is the last visible sheet; a workbook needs one. Show another sheet first')
        before = self.state
        self.state = "hidden" if value else "visible"

        def revert() -> None:
            self.state = before

        self.changed("hidden", not value, value, revert)

    @property
    def protected(self) -> bool:
        """Whether its locked cells cannot be changed."""
        return protection.is_on(self._protection())

    def protect(
        self,
        password: Secret | None = None,
        allow: Sequence[SheetPermission] = (),
        select: Selecting = Selecting.ANY_CELL,
    ) -> None:
        """Stops changes to the locked cells."""
        now = self._protection()
        if not orders(self.skeleton()[1]):
            raise Failure(f'"{self.name}" is a sheet of an old kind that cannot be protected')
        wanted = (
            protection.chart_settings(allow) if self._root_name == "chartsheet" else protection.settings(allow, select)
        )
        if now is not None and protection.is_on(now):
            self._ensure_opens(now, password)
            if protection.same_settings(now, wanted) and protection.has_password(now) == (password is not None):
                return
        if password is not None:
            wanted = {**protection.password_attributes(password), **wanted}
        self._set_protection(wanted, "" if self.protected else "protected")

    def unprotect(self, password: Secret | None = None) -> None:
        """Lifts the protection."""
        now = self._protection()
        if now is None or not protection.is_on(now):
            return
        self._ensure_opens(now, password)
        self._set_protection(None, "unprotected")

    def _ensure_opens(self, now: protection.Attributes, password: Secret | None) -> None:
        try:
            opened = protection.opens(now, password)
        except Failure as failure:
            raise Failure(f'"{self.name}": {failure.what}') from None
        if not opened:
            raise Failure(
                f'"{self.name}" is protected with '
                + (
                    "a password; give it with: password: …"
                    if password is None
                    else "another password than the one given"
                )
            )

    def _protection(self) -> protection.Attributes | None:
        """The attributes of its protection as they are to be now, or None without one."""
        if not self._read:
            root = self.skeleton()[1]
            self._root_name = root.name
            span = root.child("sheetProtection")
            self._found = self._wanted = dict(span.attributes) if span else None
            self._read = True
        return self._wanted

    def _set_protection(self, wanted: dict[str, str] | None, said: str) -> None:
        before, was = self._wanted, self.protected
        self._wanted, self._free = wanted, None

        def revert() -> None:
            self._wanted, self._free = before, None

        self.changed("protected", _state(before if was else None), _state(wanted), revert, said)

    def related(self) -> dict[str, Relationship]:
        """The relationships of its part."""
        return relationships(self.book.package, self.part) if self.part and not self.is_new else {}

    def _data(self) -> bytes:
        if self.is_new:
            return EMPTY_SHEET
        if self.part is None:
            raise self.book.problem(f'the part of the sheet "{self.name}" is missing')
        return self.book.package.read(self.part)

    def skeleton(self) -> tuple[bytes, Span]:
        """The part without its cells, and its root."""
        if self._skeleton_kept is None:
            self._keep_skeleton(self._data())
        assert self._skeleton_kept is not None
        return self._skeleton_kept

    def _keep_skeleton(self, data: bytes) -> None:
        skeleton, self._cut, self._left_out = without_cells(data)
        try:
            self._skeleton_kept = (skeleton, parse(skeleton))
        except NotReadable as problem:
            raise self.book.problem(f'the sheet "{self.name}": {problem}') from None

    def read_stored(self) -> Stored:
        """The stored cells, found the fast way where that is surely exact."""
        return self._stored(self._data())

    def _stored(self, data: bytes) -> Stored:
        if self.has_formulas is None:
            self.has_formulas = b"<f" in data or b":f" in data
        if self._skeleton_kept is None:
            self._keep_skeleton(data)
        if self._rows is not None:
            return Searched(data, self._cut, self._cut + self._left_out, list(self._rows))
        if self._left_out and not self.book.parse_slowly:
            reader = Searched(data, self._cut, self._cut + self._left_out)
            if reader.prefix_is_plain() and reader.exact():
                self._rows = array("L", reader.numbers)
                return reader
        try:
            return Parsed(data, parse(data), lambda what: self.book.problem(f'the sheet "{self.name}": {what}'))
        except (NotReadable, ValueError) as problem:
            raise self.book.problem(f'the sheet "{self.name}": {problem}') from None

    def uses_of_name(self, word: re.Pattern[str]) -> str:
        """Where this sheet uses a word in a formula or a rule; an empty text for nowhere."""
        if self.part is None and not self.is_new:
            return ""
        raw = re.compile(word.pattern.encode(), re.IGNORECASE)
        if self.has_formulas is not False or self.formulas:
            for cell in self.load().stored.all_cells():
                key = self.key(cell.row, cell.column)
                formula = self.formulas.get(key, cell.formula.text if cell.formula is not None else None)
                if formula and word.search(formula):
                    return self.where(cell.row, cell.column)
            for key, formula in self.formulas.items():
                if formula and word.search(formula):
                    return self.where(*self.place(key))
        skeleton, root = self.skeleton()
        for name in ("conditionalFormatting", "dataValidations", "hyperlinks"):
            for span in root.all(name):
                if raw.search(skeleton, span.start, span.end):
                    return f"a rule of {self.name}" if name != "hyperlinks" else f"a link of {self.name}"
        return ""

    def is_free(self) -> bool:
        """Whether nothing on the sheet keeps a cell from being changed."""
        if self._free is None and self.skeleton()[1].name != "worksheet":
            raise Failure(f'"{self.name}" is a chart sheet and has no cells')
        return super().is_free()

    @property
    def touched(self) -> bool:
        """Whether its own part must change."""
        return bool(
            (self._read and self._wanted != self._found)
            or self.cells_touched
            or any(word != "heading-rows" for word in self.wanted)
            or self.changed_rows()
            or self.columns_touched
            or self.merges_touched
            or self.links_touched
            or (self.comment_part is not None and self.comment_part.touched)
        )

    def make(self, selected: bool | None, elements: Mapping[str, bytes]) -> bytes:
        """The part as it is to be. `selected` sets whether its tab is selected; None leaves that."""
        data = self._data()
        skeleton, root = self.skeleton()
        if selected is not None:
            views = root.child("sheetViews")
            old = elements.get("sheetViews") or (skeleton[views.start : views.end] if views else b"")
            if old:
                elements = {**elements, "sheetViews": _selected(old, selected)}
        splices = [moved(each, self._cut, self._left_out) for each in all_placed(root, elements)]
        rows = self.changed_rows()
        if self.cells_touched or rows:
            splices += CellWriter(self, self._stored(data), rows).splices()
        return spliced(data, splices)

    def elements(self, parts: Parts) -> dict[str, bytes]:
        """The elements of its part, other than cells, that must change; new parts are added for some."""
        if not self.touched:
            return {}
        skeleton, root = self.skeleton()
        found = self.setting_elements(skeleton, root)
        if self._read and self._wanted != self._found:
            found["sheetProtection"] = self._protection_element(root)
        if self.columns_touched:
            found["cols"] = self.column_element(root)
        if self.merges_touched:
            found["mergeCells"] = self.merge_element(root)
        if self.links_touched:
            found["hyperlinks"] = self.link_element(root, parts, str(self.part))
        if self.comment_part is not None and self.comment_part.touched:
            self._write_comments(root, parts, found)
        dimension = root.child("dimension")
        filled = [self.place(key) for key, value in self.values.items() if value is not None]
        if filled and dimension is not None:
            was = area_at(dimension.attributes.get("ref", "")) or self.used()
            now = was
            for row, column in filled:
                now = spanned(now or Area(row, column, row, column), row, column)
            if now is not None and now.corners != dimension.attributes.get("ref", "").replace("$", ""):
                found["dimension"] = f'<{root.prefix}dimension ref="{now.corners}"/>'.encode()
        return found

    def _write_comments(self, root: Span, parts: Parts, found: dict[str, bytes]) -> None:
        """The two parts that hold comments; new ones are added where the sheet had none."""
        comments = self.comment_part
        assert comments is not None
        part = str(self.part)
        base = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
        if comments.part:
            parts.changed[comments.part] = comments.comments
        else:
            name = parts.free_name("xl/comments{}.xml")
            type_ = "application/vnd.openxmlformats-officedocument.spreadsheetml.comments+xml"
            parts.add(name, comments.comments(), type_)
            parts.relate(part, f"{base}/comments", name)
        if comments.drawing:
            parts.changed[comments.drawing] = comments.drawn
        elif comments.needs_drawing:
            name = parts.free_name("xl/drawings/vmlDrawing{}.vml")
            parts.added[name] = comments.drawn()
            parts.add_default("vml", "application/vnd.openxmlformats-officedocument.vmlDrawing")
            id_ = parts.relate(part, f"{base}/vmlDrawing", name)
            found["legacyDrawing"] = f'<{root.prefix}legacyDrawing xmlns:r="{base}" r:id="{id_}"/>'.encode()

    def _protection_element(self, root: Span) -> bytes:
        if self._wanted is None:
            return b""
        attributes = "".join(f' {name}="{escaped(value)}"' for name, value in self._wanted.items())
        return f"<{root.prefix}sheetProtection{attributes}/>".encode()


def _state(attributes: protection.Attributes | None) -> str | bool:
    """A protection in the record of changes: no, yes, or yes and what it allows; never anything of the password."""
    if attributes is None:
        return False
    locked = "with a password" if protection.has_password(attributes) else "without a password"
    return ", ".join([f"yes, {locked}", *protection.in_words(attributes)])


def _selected(views: bytes, selected: bool) -> bytes:
    """The views of a sheet with its tab selected or not."""
    root = parse(views)
    splices: list[Splice] = []
    for view in root.all("sheetView"):
        is_selected = view.attributes.get("tabSelected", "0") in ("1", "true")
        if is_selected != selected:
            splices += set_attributes(views, view, [("tabSelected", "1" if selected else None)])
    return spliced(views, splices)


def moved(splice: Splice, cut: int, by: int) -> Splice:
    """A splice of the part without its cells, as one of the whole part."""
    start, end = (place + by if place > cut else place for place in (splice.start, splice.end))
    return Splice(start, end, splice.new)


_CELLS = re.compile(rb"<((?:[A-Za-z_][\w.-]*:)?)sheetData(?=[\s>])[^>]*>")


def without_cells(data: bytes) -> tuple[bytes, int, int]:
    """A sheet's part without what stands inside `sheetData`, the place of the cut, and its length in bytes.

    The fast way for big sheets. It is exact only where nothing in the part can look like the tags it looks for:
    a comment, a CDATA section or a second such element makes it cut nothing.
    """
    found = _CELLS.search(data)
    if found is None or found[0].endswith(b"/>"):
        return data, len(data), 0
    closing = b"</" + found[1] + b"sheetData"
    end = data.rfind(closing)
    if end < found.end() or data.count(b"sheetData") != 2:
        return data, len(data), 0
    if b"<!" in data[: found.end()] or data.find(b"<!", found.end()) >= 0 or data.find(b"<?", found.end()) >= 0:
        return data, len(data), 0
    return data[: found.end()] + data[end:], found.end(), end - found.end()
