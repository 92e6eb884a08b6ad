"""What is set for a sheet as a whole: its view, its page, its panes, its filter (ISO/IEC 29500-1, 18.3.1)."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from scrub.formats.kept import Kept
from scrub.formats.opc.parts import Parts
from scrub.formats.spans import Span, Splice, parse, spliced
from scrub.formats.workbook.colours import Colours, same_colour
from scrub.formats.workbook.elements import inserted, with_child, without
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.workbook.shared import Shared
from scrub.formats.xmltext import is_on, text_of, unescaped, xstring
from scrub.model.area import address_of, area_of
from scrub.model.page import View
from scrub.model.problem import Failure
from scrub.model.sheet import Sheet

_VIEWS = {View.NORMAL: "normal", View.PAGE_BREAKS: "pageBreakPreview", View.PAGE_LAYOUT: "pageLayout"}
_TITLES, _FILTERED = "_xlnm.Print_Titles", "_xlnm._FilterDatabase"  # 18.2.5
#: What a macro writes in a header or footer, and the code for it (18.3.1.46).
_CODES = {
    "page-number": "P", "page-count": "N", "sheet-name": "A", "file-name": "F", "print-date": "D", "print-time": "T",
}  # fmt: skip


class Settings:
    """The settings of one sheet as they should be."""

    def __init__(self, sheet: Sheet, part: SheetPart, shared: Shared, number: Callable[[], int]) -> None:
        """`number` gives the place of the sheet in the file, by which names belong to it."""
        self._sheet = sheet
        self._number = number
        self._part = part
        self._shared = shared
        self._kept: dict[str, Kept[Any]] = {}

    def _of(self, word: str) -> Kept[Any]:
        found = self._kept.get(word)
        if found is None:
            found = self._kept[word] = Kept(lambda: _SETTINGS[word].read(self._source()))
        return found

    def _source(self) -> _Source:
        skeleton, shared = self._part.skeleton(), self._shared
        return _Source(skeleton, shared.styles.colours, shared.names.local(_TITLES, self._number()))

    def get(self, word: str) -> Any:
        """What is set."""
        return self._of(word).now

    def put(self, word: str, value: Any) -> None:
        """Sets it."""
        kept, setting = self._of(word), _SETTINGS[word]
        before = kept.now
        if self._part.skeleton().root.name != "worksheet" and not setting.of_charts:
            raise Failure(f'"{self._sheet.name}" is a chart sheet and has no {word}')
        value = setting.check(word, value, self._sheet) if value is not None else None
        if before == value:
            return
        if word == "filter":
            self._let_rows_show(before)
        self._sheet.changed(word, before, value, kept.put(value))

    def _let_rows_show(self, before: str | None) -> None:
        """A filter that goes lets the rows show that it hid."""
        old = self._part.skeleton().root.child("autoFilter")
        if before is None or old is None or not old.children:
            return
        area, sheet = area_of(before), self._sheet
        for row in sheet.stored_rows():
            if area.top < row <= area.bottom and sheet.measure(row, True, "hidden"):
                sheet.put_measure(row, True, "hidden", False)

    def _wanted(self) -> list[str]:
        """What is to be other than the file has it."""
        return [word for word in _SETTINGS if word in self._kept and self._kept[word].touched]

    @property
    def touched(self) -> bool:
        """Whether anything of the sheet's part must be written for them."""
        return any(_SETTINGS[word].write is not None for word in self._wanted())

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The elements that must change for what was set."""
        elements = _Elements(skeleton)
        done: set[Any] = set()
        for word in self._wanted():
            write = _SETTINGS[word].write
            if write is not None and write not in done:
                done |= {write} if word in _TOGETHER else set()
                write(elements, word, self.get)
        return elements.found

    def put_names(self) -> None:
        """Hands the workbook the names that settings of this sheet stand in."""
        names, sheet, wanted = self._shared.names, self._sheet, self._wanted()
        if "heading-rows" in wanted:
            rows = self.get("heading-rows")
            titles = _pieces(names.local(_TITLES, self._number()) or "")
            kept = [piece for piece in titles if re.search(r"![$]?[A-Za-z]", piece)]
            if rows is not None:
                first, _, last = rows.partition(":")
                kept.append(f"{names.quoted(sheet.name)}!${first}:${last or first}")
            names.put_local(_TITLES, self._number(), ",".join(kept) or None)
        if "filter" in wanted and names.local(_FILTERED, self._number()) is not None:
            value = self.get("filter")
            target = None if value is None else f"{names.quoted(sheet.name)}!{names.absolute(area_of(value))}"
            names.put_local(_FILTERED, self._number(), target, hidden=True)


# -- where settings are read from, and what they are written into


class _Source(NamedTuple):
    """What settings are read from: a part, the colours of the workbook, and the name of the sheet's titles."""

    part: Skeleton
    colours: Colours
    titles: str | None

    def inner(self, *path: str) -> Span:
        """An element inside the part; an empty one where it is missing."""
        found = self.part.root
        for name in path:
            found = found.child(name) or _NOTHING
        return found

    def attribute(self, *path: str) -> str | None:
        """An attribute of an element inside the part: the last word of the path."""
        return self.inner(*path[:-1]).attributes.get(path[-1])


_NOTHING = Span("", {}, 0)


class _Elements:
    """Elements of a part while they are changed."""

    def __init__(self, part: Skeleton) -> None:
        self.part = part
        self.prefix = part.root.prefix
        self.found: dict[str, bytes] = {}

    def now(self, name: str) -> bytes:
        """An element as far as it is changed."""
        return self.found.get(name) or self.part.element(name)

    def change(self, name: str, path: list[str], **attributes: str | None) -> None:
        """Changes attributes of an element, or of one inside it."""
        self.found[name] = with_child(self.now(name), path, attributes, self.prefix)


_Get = Callable[[str], Any]


class _Setting(NamedTuple):
    """One setting: how it is read, checked and written; one that is written elsewhere has no `write`."""

    read: Callable[[_Source], Any]
    write: Callable[[_Elements, str, _Get], None] | None = None
    check: Callable[[str, Any, Sheet], Any] = lambda word, value, sheet: value
    #: Whether a chart sheet has it too (18.3.1.12).
    of_charts: bool = False


def _from_to(first: int, last: int) -> Callable[[str, Any, Sheet], Any]:
    """A check for a number in a range."""

    def check(word: str, value: Any, sheet: Sheet) -> Any:
        if not first <= value <= last:
            what = "the zoom" if word == "zoom" else f'"{word}"'
            raise Failure(f"{what} goes from {first:,} to {last:,}, not {value}")
        return value

    return check


# -- the view


def _read_view(source: _Source) -> Any:
    name = source.attribute("sheetViews", "sheetView", "view") or "normal"
    return next(each for each, written in _VIEWS.items() if written == name)


def _write_view(elements: _Elements, word: str, get: _Get) -> None:
    value = get(word)
    elements.change("sheetViews", ["sheetView"], view=None if value == View.NORMAL else _VIEWS[value])


def _write_zoom(elements: _Elements, word: str, get: _Get) -> None:
    elements.change("sheetViews", ["sheetView"], zoomScale=str(get(word)))
    if elements.part.root.name == "worksheet":
        elements.change("sheetViews", ["sheetView"], zoomScaleNormal=str(get(word)))


def _write_gridlines(elements: _Elements, word: str, get: _Get) -> None:
    elements.change("sheetViews", ["sheetView"], showGridLines=None if get(word) else "0")


def _in_sight(name: str) -> Callable[[_Source], Any]:
    def read(source: _Source) -> Any:
        pane = source.inner("sheetViews", "sheetView", "pane").attributes
        return int(float(pane.get(name, "0"))) if pane.get("state", "").startswith("frozen") else 0

    return read


def _write_in_sight(elements: _Elements, word: str, get: _Get) -> None:
    old = with_child(elements.now("sheetViews"), ["sheetView"], {"topLeftCell": None}, elements.prefix)
    elements.found["sheetViews"] = _frozen(old, get("rows-in-sight"), get("columns-in-sight"), elements.prefix)


# -- the page


def _write_break_lines(elements: _Elements, word: str, get: _Get) -> None:
    elements.change("sheetPr", ["pageSetUpPr"], autoPageBreaks=None if get(word) else "0")


def _read_tab_colour(source: _Source) -> Any:
    colour = source.inner("sheetPr").child("tabColor")
    return source.colours.read(colour.attributes) if colour else None


def _write_tab_colour(elements: _Elements, word: str, get: _Get) -> None:
    elements.found["sheetPr"] = without(elements.now("sheetPr"), "tabColor")
    if get(word) is not None:
        elements.change("sheetPr", ["tabColor"], rgb=Colours.write(get(word)))


def _pages(name: str) -> Callable[[_Source], Any]:
    def read(source: _Source) -> Any:
        number = int(source.attribute("pageSetup", name) or "1")
        return number or None if is_on(source.attribute("sheetPr", "pageSetUpPr", "fitToPage"), False) else None

    return read


def _write_pages(elements: _Elements, word: str, get: _Get) -> None:
    wide, tall = get("width-in-pages"), get("height-in-pages")
    elements.change("sheetPr", ["pageSetUpPr"], fitToPage="1" if wide or tall else None)
    elements.change("pageSetup", [], fitToWidth=str(wide or 0), fitToHeight=str(tall or 0))
    if not wide and not tall:
        elements.change("pageSetup", [], fitToWidth=None, fitToHeight=None)


def _write_orientation(elements: _Elements, word: str, get: _Get) -> None:
    elements.change("pageSetup", [], orientation=str(get(word)))


def _printed(name: str) -> Callable[[_Source], Any]:
    def read(source: _Source) -> Any:
        span = source.inner("headerFooter").child(name)
        data = source.part.data
        return _as_written(_sections(unescaped(text_of(data[span.start : span.end])))["C"]) if span else None

    return read


def _check_printed(word: str, value: Any, sheet: Sheet) -> Any:
    if len(value) > 255:
        raise Failure("a header or footer holds at most 255 characters")
    return value or None


def _write_printed(elements: _Elements, word: str, get: _Get) -> None:
    name = "oddHeader" if word == "header" else "oddFooter"
    elements.found["headerFooter"] = _with_section(elements.now("headerFooter"), name, get(word), elements.prefix)


# -- titles and filter


def _check_titles(word: str, value: Any, sheet: Sheet) -> Any:
    text = str(value).replace("-", ":").replace(" ", "")
    first, _, last = text.partition(":")
    area = area_of(f"{first}:{last or first}")
    return str(area.top) if area.top == area.bottom else f"{area.top}:{area.bottom}"


def _check_filter(word: str, value: Any, sheet: Sheet) -> Any:
    area = area_of(value)
    for table in sheet.tables():
        if table.area.meets(area):
            raise Failure(f'"{sheet.name}" has the table "{table.name}" in {value}, with a filter of its own')
    return area.corners


def _write_filter(elements: _Elements, word: str, get: _Get) -> None:
    value = get(word)
    elements.found["autoFilter"] = f'<{elements.prefix}autoFilter ref="{value}"/>'.encode() if value else b""


#: Every setting by its word; they are written in this order.
_SETTINGS: Mapping[str, _Setting] = {
    "view": _Setting(_read_view, _write_view),
    "page-break-lines": _Setting(
        lambda source: is_on(source.attribute("sheetPr", "pageSetUpPr", "autoPageBreaks"), True), _write_break_lines
    ),
    "gridlines": _Setting(
        lambda source: is_on(source.attribute("sheetViews", "sheetView", "showGridLines"), True), _write_gridlines
    ),
    "zoom": _Setting(
        lambda source: int(source.attribute("sheetViews", "sheetView", "zoomScale") or "100"),
        _write_zoom, _from_to(10, 400), True,
    ),
    "tab-colour": _Setting(_read_tab_colour, _write_tab_colour, lambda word, value, sheet: same_colour(value), True),
    "orientation": _Setting(
        lambda source: (
            "landscape" if source.attribute("pageSetup", "orientation") == "landscape" else "portrait"
        ),
        _write_orientation, of_charts=True,
    ),
    "header": _Setting(_printed("oddHeader"), _write_printed, _check_printed, True),
    "footer": _Setting(_printed("oddFooter"), _write_printed, _check_printed, True),
    "filter": _Setting(lambda source: source.attribute("autoFilter", "ref"), _write_filter, _check_filter),
    "width-in-pages": _Setting(_pages("fitToWidth"), _write_pages, _from_to(1, 32_767)),
    "height-in-pages": _Setting(_pages("fitToHeight"), _write_pages, _from_to(1, 32_767)),
    "rows-in-sight": _Setting(_in_sight("ySplit"), _write_in_sight, _from_to(0, 10_000)),
    "columns-in-sight": _Setting(_in_sight("xSplit"), _write_in_sight, _from_to(0, 10_000)),
    "heading-rows": _Setting(lambda source: _title_rows(source.titles), None, _check_titles),
}  # fmt: skip
#: Pairs of settings that are written at once.
_TOGETHER = ("width-in-pages", "height-in-pages", "rows-in-sight", "columns-in-sight")


# -- how they are written


def _frozen(views: bytes, rows: int, columns: int, prefix: str) -> bytes:
    """The views with so many rows and columns kept in sight (18.3.1.66)."""
    root = parse(views)
    view = root.child("sheetView")
    assert view is not None
    fresh = without(views[view.start : view.end], "pane", "selection")
    if rows or columns:
        corner = "bottomRight" if rows and columns else "bottomLeft" if rows else "topRight"
        split = (f' xSplit="{columns}"' if columns else "") + (f' ySplit="{rows}"' if rows else "")
        split += f' topLeftCell="{address_of(rows + 1, columns + 1)}" activePane="{corner}" state="frozen"'
        pane = f"<{prefix}pane{split}/>"
        corners = ("topRight", "bottomLeft", "bottomRight") if rows and columns else (corner,)
        fresh = inserted(fresh, pane.encode(), "pane")
        for each in corners:
            fresh = inserted(fresh, f'<{prefix}selection pane="{each}"/>'.encode(), "selection")
    return spliced(views, [Splice(view.start, view.end, fresh)])


def _sections(text: str) -> dict[str, str]:
    """The left, middle and right part of a header or footer; what stands before a mark is the middle."""
    found = {"L": "", "C": "", "R": ""}
    at = "C"
    for piece in re.findall(r"&&|&.|[^&]+", text, re.DOTALL):
        if len(piece) == 2 and piece[0] == "&" and piece[1].upper() in found:
            at = piece[1].upper()
        else:
            found[at] += piece
    return found


def _as_written(section: str) -> str | None:
    """A section as a macro writes it; codes of its font are left out."""
    text = re.sub(r'&"[^"]*"|&\d+ ?|&[BIUESXY]|&K[0-9A-F]{6}', "", section)
    for word, code in _CODES.items():
        text = re.sub(f"(?<!&)&{code}", f"{{{word}}}", text, flags=re.IGNORECASE)
    return text.replace("&&", "&") or None


def _with_section(element: bytes, name: str, value: str | None, prefix: str) -> bytes:
    root = parse(element)
    old = root.child(name)
    sections = _sections(unescaped(text_of(element[old.start : old.end]))) if old else {"L": "", "C": "", "R": ""}
    text = (value or "").replace("&", "&&")
    for word, code in _CODES.items():
        text = re.sub(rf"\{{{word}\}}", f"&{code}", text, flags=re.IGNORECASE)
    sections["C"] = text
    whole = "".join(f"&{mark}{section}" for mark, section in sections.items() if section)
    if len(whole) > 255:
        raise Failure("a header or footer holds at most 255 characters")
    rest = without(element, name)
    return inserted(rest, f"<{prefix}{name}>{xstring(whole)}</{prefix}{name}>".encode(), name) if whole else rest


def _pieces(target: str) -> list[str]:
    return [piece for piece in re.findall(r"(?:'(?:[^']|'')*'|[^,])+", target) if piece]


def _title_rows(target: str | None) -> str | None:
    """The rows in a name for titles: `'Larch Hut'!$3:$3`."""
    found = re.search(r"!\$?(\d+):\$?(\d+)", target or "")
    if not found:
        return None
    return found[1] if found[1] == found[2] else f"{found[1]}:{found[2]}"
