"""A workbook as it is to be saved: what the model says that the file does not, written into the file."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from typing import Any

from scrub.formats.opendocument.read import TABLE, attribute
from scrub.formats.opensheets.attributes import named_attributes
from scrub.formats.opensheets.drawn import frame_swaps, written_media
from scrub.formats.opensheets.finished import Finished
from scrub.formats.opensheets.names_written import named_splices
from scrub.formats.opensheets.projection import CONTENT, SETTINGS, STYLES
from scrub.formats.opensheets.ranges_written import range_splices
from scrub.formats.opensheets.saved_book import Maker, SavedBook, SavedWorkbook
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.opensheets.structure import settle
from scrub.formats.opensheets.table_edits import edits_of
from scrub.formats.opensheets.table_made import TableMaker
from scrub.formats.opensheets.views import CONFIG
from scrub.formats.spans import Span, Splice, ended, set_attributes, spliced
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.model.core.problem import Failure
from scrub.store.patch import Patch

#: What the settings of programs have for the view of a sheet.
VIEW_WORDS = frozenset(("view", "gridlines", "zoom", "frozen-rows", "frozen-columns"))


class Saving(SavedBook):
    """What is written of one workbook: the parts around the tables, and what makes each table."""

    # -- the tables

    def tables(self) -> dict[OfficeSheet, Maker | None]:
        """What makes the element of each sheet that is kept; None for one that stays as it is."""
        return {sheet: self._table(sheet) for sheet in self.book.sheets()}

    def _table(self, sheet: OfficeSheet) -> Maker | None:
        part = sheet.saved.part
        assert isinstance(part, TablePart)
        edits = edits_of(sheet, self.styles.cell, self.rule_name)
        swaps = frame_swaps(sheet, self)
        maker = TableMaker(self, sheet, part, edits, swaps)
        if not maker.touched:
            return None
        maker.prepare()
        return maker.made

    # -- what is around the tables

    def around(self) -> None:
        """Gathers what changes around the tables, after these were gone through."""
        projection, frame, root = self.projection, self.projection.frame, self.projection.root
        self._structure_lock()
        self.frame += named_splices(self)
        self.frame += range_splices(self)
        if self.validations:
            made = self.declaring("".join(self.validations)).encode()
            holder = projection.holder.child("content-validations", uri=TABLE)
            if holder is not None:
                self.frame += ended(frame, holder, made)
            else:
                opening = self.declaring("<table:content-validations></table:content-validations>").encode()
                head, _, tail = opening.partition(b">")
                self._put_before_tables(head + b">" + made + tail)
        self._put_styles("automatic-styles", self.styles.automatic, frame, root, self.frame)
        self._put_styles("font-face-decls", self.styles.fonts, frame, root, self.frame)
        if self.declaring.lacking:
            self.frame += set_attributes(frame, root, [*self.declaring.lacking.items()])
        self._styles_part()

    def _put_before_tables(self, made: bytes) -> None:
        """Puts an element after the settings of the calculation, before labels and tables."""
        holder = self.projection.holder
        early = ("calculation-settings", "tracked-changes", "forms", "variable-decls", "sequence-decls",
                 "user-field-decls", "dde-connection-decls", "alphabetical-index-auto-mark-file")  # fmt: skip
        before = [child for child in holder.children if child.name in early]
        at = before[-1].end if before else holder.open_end
        if holder.open_end == holder.end:
            raise Failure("its sheets are written in a way that Scrub cannot change")
        self.frame.append(Splice(at, at, made))

    def _put_styles(self, name: str, fresh: Sequence[bytes], data: bytes, root: Span, splices: list[Splice]) -> None:
        if not fresh:
            return
        made = b"".join(fresh)
        holder = next((child for child in root.children if child.name == name), None)
        if holder is not None:
            splices += ended(data, holder, made)
            return
        later = {"font-face-decls": ("styles", "automatic-styles", "master-styles", "body"),
                 "automatic-styles": ("master-styles", "body"),
                 "styles": ("automatic-styles", "master-styles", "body")}[name]  # fmt: skip
        at = next(child.start for child in root.children if child.name in later)
        prefix = root.prefix
        splices.append(Splice(at, at, f"<{prefix}{name}>".encode() + made + f"</{prefix}{name}>".encode()))

    def _styles_part(self) -> None:
        """The named styles of conditional formats, and new pages."""
        common = self.projection.common
        if not self.styles.common and not self.pages:
            return
        if common is None:
            raise Failure("it has no part for styles with a name. Save it once in its own program")
        data, root = common
        declare = self.common_declaring
        self._put_styles(
            "styles", [declare(each.decode()).encode() for each in self.styles.common], data, root, self.common
        )
        self._put_styles("automatic-styles", [layout for layout, _ in self.pages], data, root, self.common)
        if self.pages:
            holder = next((child for child in root.children if child.name == "master-styles"), None)
            made = b"".join(master for _, master in self.pages)
            if holder is not None:
                self.common += ended(data, holder, made)
            else:
                p = root.prefix
                whole = f"<{p}master-styles>".encode() + made + f"</{p}master-styles>".encode()
                self.common.append(Splice(root.close_start, root.close_start, whole))
        if declare.lacking:
            self.common += set_attributes(data, root, [*declare.lacking.items()])

    def _structure_lock(self) -> None:
        lock = self.shared.structure
        if not lock.touched:
            return
        from scrub.formats.open_keys import DIGESTS, KEY

        holder, now = self.projection.holder, lock.now
        on = now.get("lockStructure") in ("1", "true")
        said = {
            "structure-protected": "true" if on else None, "protection-key": now.get(KEY) if on else None,
            "protection-key-digest-algorithm": now.get(DIGESTS) if on and now.get(KEY) else None,
        }  # fmt: skip
        self.frame += named_attributes(self.projection.frame, holder, said)
        more = [name for name in holder.attributes if name.endswith(":protection-key-digest-algorithm-2")]
        self.frame += set_attributes(self.projection.frame, holder, [(name, None) for name in more])

    # -- how it is shown

    def view_splices(self) -> list[Splice]:
        """What sets the views of sheets, and the one in front."""
        views = self.projection.views
        wanted: dict[str, dict[str, tuple[str, str]]] = {}
        of_view: dict[str, tuple[str, str]] = {}
        for sheet in self.book.sheets():
            settings = sheet.saved.pieces.settings
            words = [word for word in settings.wanted() if word in VIEW_WORDS]
            if words:
                wanted[sheet.name] = {}
            for word in words:
                wanted[sheet.name] |= _view_items(word, settings.get)
                if word == "view":
                    of_view["ShowPageBreakPreview"] = ("boolean", str(settings.get(word) == "page-breaks").lower())
        front = self.shared.front
        name = getattr(front, "name", None)
        active = name if name != self._front_of_file() and any(each is front for each in self.book.sheets()) else None
        if front is None or getattr(front, "hidden", False) or getattr(front, "removed", False):
            shown = next((sheet for sheet in self.book.sheets() if not sheet.hidden), None)
            active = shown.name if shown is not None else None
        wanted = {sheet: items for sheet, items in wanted.items() if items}
        return views.splices(active, wanted, of_view) + self._renamed_views(wanted)

    def _front_of_file(self) -> str | None:
        active = self.projection.views.active
        if active in self.projection.names:
            return active
        shown = (n for n, name in enumerate(self.projection.names))
        first = next((n for n in shown if self.projection.table_property(n, "display") != "false"), None)
        return self.projection.names[first] if first is not None else None

    def _renamed_views(self, wanted: Mapping[str, object]) -> list[Splice]:
        """The entries of sheets under their new names."""
        views = self.projection.views
        found: list[Splice] = []
        renamed = {s.saved.part.sheet: s.name for s in self.kept if s.name != s.saved.part.sheet}
        tables = views._named(views.view, "Tables") if renamed else None
        for entry in tables.children if tables is not None else ():
            name = entry.of("name", CONFIG)
            if name in renamed and renamed[name] not in wanted:
                written, _ = attribute(entry, "name", CONFIG)
                found += set_attributes(views.data, entry, [(written, renamed[name])])
        return found


def _view_items(word: str, get: Callable[[str], Any]) -> dict[str, tuple[str, str]]:
    if word == "zoom":
        return {"ZoomType": ("short", "0"), "ZoomValue": ("int", str(get(word)))}
    if word == "gridlines":
        return {"ShowGrid": ("boolean", str(bool(get(word))).lower())}
    if word == "view":
        return {}
    columns, rows = get("frozen-columns") or 0, get("frozen-rows") or 0
    pane = "3" if rows and columns else "2" if rows else "1" if columns else "2"
    return {
        "HorizontalSplitMode": ("short", "2" if columns else "0"),
        "VerticalSplitMode": ("short", "2" if rows else "0"),
        "HorizontalSplitPosition": ("int", str(columns)), "VerticalSplitPosition": ("int", str(rows)),
        "ActiveSplitRange": ("short", pane), "PositionLeft": ("int", "0"), "PositionRight": ("int", str(columns)),
        "PositionTop": ("int", "0"), "PositionBottom": ("int", str(rows)),
    }  # fmt: skip


def patch_of(book: SavedWorkbook) -> Patch | None:
    """What makes the changed file of the old one."""
    book.begin_saving()
    saving = Saving(book)
    tables = saving.tables()
    told = settle(saving, tables)
    saving.around()
    finished = Finished(saving, tables)
    book.calculate_again(finished)
    projection = saving.projection
    changed: dict[str, Callable[[], bytes | Iterable[bytes | memoryview]]] = {}
    if finished.touched or saving.frame:
        changed[CONTENT] = finished.pieces
    if saving.common and projection.common is not None:
        changed[STYLES] = partial(spliced, projection.common[0], saving.common)
    views = saving.view_splices()
    if views and projection.settings is not None:
        changed[SETTINGS] = partial(spliced, projection.settings[0], views)
    changed |= book.properties.changed()
    changed |= told.parts
    added, gone = written_media(saving, changed)
    book.tell(told.notes)
    if not changed and not added and not gone:
        return None
    return projection.real.patch(changed, added, gone)
