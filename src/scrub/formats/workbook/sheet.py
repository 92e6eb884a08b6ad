"""A sheet of an Office Open XML workbook. It holds what it should be; the part is spliced when the file is saved."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING

from scrub.formats.spans import NotReadable, Span, Splice, escaped, parse, set_attributes, spliced
from scrub.formats.workbook import protection
from scrub.model.problem import Failure
from scrub.model.values import Secret
from scrub.model.workbook import Selecting, Sheet, SheetPermission

if TYPE_CHECKING:
    from scrub.formats.workbook.book import OfficeWorkbook

#: The elements that come before `sheetProtection`, by the root of the part (18.3.1.99, 18.3.1.12, 18.3.1.34).
_BEFORE_PROTECTION = {
    "worksheet": ("sheetPr", "dimension", "sheetViews", "sheetFormatPr", "cols", "sheetData", "sheetCalcPr"),
    "chartsheet": ("sheetPr", "sheetViews"),
    "dialogsheet": ("sheetPr", "sheetViews", "sheetFormatPr"),
}


class OfficeSheet(Sheet):
    """One sheet: its entry in the workbook part, and its own part, read only when needed."""

    def __init__(self, book: OfficeWorkbook, number: int, entry: Span, part: str | None) -> None:
        self.book = book
        self._number = number
        self.entry = entry
        self.part = part
        self.state = self.first_state = entry.attributes.get("state", "visible")
        self._found: protection.Attributes | None = None
        self._wanted: dict[str, str] | None = None
        self._root_name = ""
        self._read = False

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
        if self._root_name not in _BEFORE_PROTECTION:
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
        self._set_protection(wanted, "protection changed" if self.protected else "protected")

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
            span = self._skeleton()[1].child("sheetProtection")
            self._found = self._wanted = dict(span.attributes) if span else None
            self._read = True
        return self._wanted

    def _set_protection(self, wanted: dict[str, str] | None, said: str) -> None:
        before, was = self._wanted, self.protected
        self._wanted = wanted

        def revert() -> None:
            self._wanted = before

        self.changed("protected", _state(before if was else None), _state(wanted), revert, said)

    def _skeleton(self) -> tuple[bytes, Span, int, int]:
        """The part without its cells: its bytes, its root, and where so many bytes of cells were left out."""
        if self.part is None:
            raise self.book.problem(f'the part of the sheet "{self.name}" is missing')
        data = self.book.package.read(self.part)
        skeleton, cut, left_out = without_cells(data)
        try:
            root = parse(skeleton)
        except NotReadable as problem:
            raise self.book.problem(f'the sheet "{self.name}": {problem}') from None
        self._root_name = root.name
        return data, root, cut, left_out

    @property
    def touched(self) -> bool:
        """Whether its own part must change."""
        return self._read and self._wanted != self._found

    def make(self, selected: bool | None) -> bytes:
        """The part as it is to be. `selected` sets whether its tab is selected; None leaves that."""
        data, root, cut, left_out = self._skeleton()
        skeleton = data[:cut] + data[cut + left_out :]
        splices: list[Splice] = []
        if self.touched:
            splices += self._protection_splices(skeleton, root)
        if selected is not None:
            splices += _selected_splices(skeleton, root, selected)
        return spliced(data, [moved(splice, cut, left_out) for splice in splices])

    def _protection_splices(self, skeleton: bytes, root: Span) -> list[Splice]:
        fresh = b""
        if self._wanted is not None:
            attributes = "".join(f' {name}="{escaped(value)}"' for name, value in self._wanted.items())
            fresh = f"<{root.prefix}sheetProtection{attributes}/>".encode()
        old = root.child("sheetProtection")
        if old is not None:
            return [Splice(old.start, old.end, fresh)]
        before = _BEFORE_PROTECTION[root.name]
        at = max((child.end for child in root.children if child.name in before), default=root.open_end)
        return [Splice(at, at, fresh)]


def _state(attributes: protection.Attributes | None) -> str | bool:
    """A protection in the record of changes: no, yes, or yes and what it allows; never anything of the password."""
    if attributes is None:
        return False
    locked = "with a password" if protection.has_password(attributes) else "without a password"
    return ", ".join([f"yes, {locked}", *protection.in_words(attributes)])


def _selected_splices(skeleton: bytes, root: Span, selected: bool) -> list[Splice]:
    views = root.child("sheetViews")
    found: list[Splice] = []
    for view in views.all("sheetView") if views else ():
        is_selected = view.attributes.get("tabSelected", "0") in ("1", "true")
        if is_selected != selected:
            found += set_attributes(skeleton, view, [("tabSelected", "1" if selected else None)])
    return found


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
    if end < found.end() or data.count(closing) != 1 or data.count(b"sheetData") != 2:
        return data, len(data), 0
    if b"<!" in data[: found.end()] or data.find(b"<!", found.end()) >= 0 or data.find(b"<?", found.end()) >= 0:
        return data, len(data), 0
    return data[: found.end()] + data[end:], found.end(), end - found.end()
