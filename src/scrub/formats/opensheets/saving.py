"""A workbook as it is to be saved: what the model says that the file does not, written into the file."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from itertools import count
from typing import TYPE_CHECKING, Any

from scrub.formats.opendocument.read import TABLE, attribute, value
from scrub.formats.opensheets.conditions import Condition, written_validation
from scrub.formats.opensheets.drawn import frame_swaps, written_media
from scrub.formats.opensheets.names_written import named_splices
from scrub.formats.opensheets.page_maker import PAGE_WORDS, made_page
from scrub.formats.opensheets.projection import CONTENT, SETTINGS, STYLES, Projection
from scrub.formats.opensheets.ranges_written import range_splices
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.opensheets.style_maker import USUAL, Declaring, StyleMaker
from scrub.formats.opensheets.table_edits import edits_of
from scrub.formats.opensheets.table_made import TableMaker
from scrub.formats.opensheets.writing import CellWriter, Prefixes
from scrub.formats.spans import Span, Splice, ended, escaped, set_attributes, spliced
from scrub.formats.workbook.rules.ruled import corner
from scrub.formats.workbook.structure.moves import Moves
from scrub.formats.xmltext import escaped_text
from scrub.model.core.problem import Failure
from scrub.store.patch import Patch

if TYPE_CHECKING:
    from scrub.formats.opensheets.book import OpenWorkbook
    from scrub.formats.workbook.sheet import OfficeSheet

#: Makes the element of a sheet piece by piece.
Maker = Callable[[], Iterator[bytes]]
#: What the settings of programs have for the view of a sheet.
VIEW_WORDS = frozenset(("view", "gridlines", "zoom", "frozen-rows", "frozen-columns"))


class Saving:
    """What is written of one workbook: the parts around the tables, and what makes each table."""

    def __init__(self, book: OpenWorkbook) -> None:
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

    def _moves(self) -> Moves:
        sheets = self.kept
        renamed = {s.saved.part.sheet: s.name for s in sheets if s.name != s.saved.part.sheet}
        shaped = {s.saved.part.sheet: s.line_changes.shift() for s in sheets if s.line_changes}
        return Moves([sheet.saved.part.sheet for sheet in sheets], shaped, renamed)

    # -- the tables

    def tables(self) -> dict[OfficeSheet, Maker | None]:
        """What makes the element of each sheet that is kept; None for one that stays as it is."""
        return {sheet: self._table(sheet) for sheet in self.book.sheets()}

    def _table(self, sheet: OfficeSheet) -> Maker | None:
        part = sheet.saved.part
        assert isinstance(part, TablePart)
        edits = edits_of(sheet, self.styles.cell, self._rule_name)
        swaps = frame_swaps(sheet, self)
        maker = TableMaker(self, sheet, part, edits, swaps)
        if not maker.touched:
            return None
        maker.prepare()
        return maker.made

    def _rule_name(self, rule: Any, sheet: str) -> str:
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
        from scrub.formats.opensheets.formulas import address
        from scrub.model.core.area import Area

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
        if not self.styles.common and not self._pages:
            return
        if common is None:
            raise Failure("it has no part for styles with a name. Save it once in its own program")
        data, root = common
        declare = self.common_declaring
        self._put_styles(
            "styles", [declare(each.decode()).encode() for each in self.styles.common], data, root, self.common
        )
        self._put_styles("automatic-styles", [layout for layout, _ in self._pages], data, root, self.common)
        if self._pages:
            holder = next((child for child in root.children if child.name == "master-styles"), None)
            made = b"".join(master for _, master in self._pages)
            if holder is not None:
                self.common += ended(data, holder, made)
            else:
                p = root.prefix
                whole = f"<{p}master-styles>".encode() + made + f"</{p}master-styles>".encode()
                self.common.append(Splice(root.close_start, root.close_start, whole))
        if declare.lacking:
            self.common += set_attributes(data, root, [*declare.lacking.items()])

    @property
    def _pages(self) -> list[tuple[bytes, bytes]]:
        return self.__dict__.setdefault("_made_pages", [])  # type: ignore[no-any-return]

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
        self._pages.append(made_page(page, (name, layout), wanted, settings.get, self.common_declaring))
        return name

    @property
    def _page_names(self) -> set[str]:
        return self.__dict__.setdefault("_made_names", set())  # type: ignore[no-any-return]

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
        from scrub.formats.opensheets.views import CONFIG

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


def named_attributes(data: bytes, span: Span, said: Mapping[str, str | None], uri: str = TABLE) -> list[Splice]:
    """What sets attributes of a namespace, whatever prefix the element has for it."""
    values: dict[str, str | None] = {}
    for name, text in said.items():
        written, declared = attribute(span, name, uri)
        if text is not None or written in span.attributes:
            values |= {**declared, written: text}
    return set_attributes(data, span, values.items())


def patch_of(book: OpenWorkbook) -> Patch | None:
    """What makes the changed file of the old one."""
    book.begin_saving()
    saving = Saving(book)
    tables = saving.tables()
    from scrub.formats.opensheets.structure import settle

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
    changed |= book.properties.changed()  # type: ignore[attr-defined]
    changed |= told.parts
    added, gone = written_media(saving, changed)
    book.tell(told.notes)
    if not changed and not added and not gone:
        return None
    return projection.real.patch(changed, added, gone)


class Finished:
    """The content as it is to be; tables are made when somebody asks."""

    def __init__(self, saving: Saving, tables: Mapping[OfficeSheet, Maker | None]) -> None:
        self.saving = saving
        self.makers = dict(tables)
        self._known: dict[OfficeSheet, bytes] = {}
        self.results: dict[OfficeSheet, Callable[[bytes], bytes]] = {}

    @property
    def touched(self) -> bool:
        """Whether the content is another one."""
        of_file = [sheet.saved.part for sheet in self.saving.every if not sheet.saved.part.is_new]
        return any(self.makers.values()) or bool(self.results) or [s.saved.part for s in self.makers] != of_file

    def table(self, sheet: OfficeSheet) -> bytes:
        """The element of a sheet, without new results."""
        maker = self.makers[sheet]
        if maker is None:
            return sheet.saved.part.data()
        known = self._known.get(sheet)
        if known is None:
            known = self._known[sheet] = b"".join(maker())
        return known

    def pieces(self) -> Iterator[bytes]:
        """All of it."""
        saving = self.saving
        content, cut = saving.projection.content, saving.projection.content.cut
        before = [splice for splice in saving.frame if splice.start < cut or splice.end < cut]
        after = [splice for splice in saving.frame if splice not in before]
        yield spliced(content.frame[:cut], before)
        moved = len(self.makers) != len(content.tables)
        for number, (sheet, maker) in enumerate(self.makers.items()):
            if number and not moved and number <= len(content.gaps):
                yield content.gaps[number - 1]
            change = self.results.get(sheet)
            if maker is None and change is None and isinstance(sheet.saved.part, TablePart):
                yield from content.pieces(sheet.saved.part.number - 1)
                continue
            if change is None and maker is not None and sheet not in self._known:
                yield from maker()
                continue
            made = self.table(sheet)
            yield change(made) if change is not None else made
            self._known.pop(sheet, None)
        yield spliced(content.frame[cut:], [Splice(s.start - cut, s.end - cut, s.new) for s in after])
