"""What is set for a sheet as a whole: its view, its page, its panes, its filter (ISO/IEC 29500-1, 18.3.1)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.spans import Splice, parse, spliced
from scrub.formats.workbook.around.print_settings import PAGE_SETTINGS, PRINTED, TITLES, printed_area_of, titles_of
from scrub.formats.workbook.around.setting import Elements, Get, Setting, Source, from_to
from scrub.formats.workbook.elements import inserted, with_child, without
from scrub.formats.workbook.formatting.colours import Colours, same_colour
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.workbook.shared import Shared
from scrub.formats.xmltext import is_on
from scrub.model.cells.sheet import Sheet
from scrub.model.cells.sheet_settings import View
from scrub.model.core.area import address_of, area_of
from scrub.model.core.problem import Failure

_VIEWS = {View.NORMAL: "normal", View.PAGE_BREAKS: "pageBreakPreview", View.PAGE_LAYOUT: "pageLayout"}
_FILTERED = "_xlnm._FilterDatabase"  # 18.2.5


class Settings:
    """The settings of one sheet as they should be."""

    def __init__(self, sheet: Sheet, part: SheetPart, shared: Shared, number: Callable[[], int]) -> None:
        """`number` gives the place of the sheet in the file, by which names belong to it."""
        self._sheet = sheet
        self._number = number
        self._part = part
        self._shared = shared
        self._kept: dict[str, LazyPiece[object]] = {}

    def _of(self, word: str) -> LazyPiece[Any]:
        piece = self._kept.get(word)
        if piece is None:
            piece = self._kept[word] = LazyPiece(lambda: _SETTINGS[word].read(self._source()))
        return piece

    def _source(self) -> Source:
        skeleton, shared = self._part.skeleton(), self._shared
        return Source(skeleton, shared.styles.colours, lambda name: shared.names.local(name, self._number()))

    def get(self, word: str) -> Any:
        """What is set."""
        return self._of(word).now

    def put(self, word: str, value: object) -> None:
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

    def wanted(self) -> list[str]:
        """What is to be other than the file has it."""
        return [word for word in _SETTINGS if word in self._kept and self._kept[word].touched]

    @property
    def touched(self) -> bool:
        """Whether anything of the sheet's part must be written for them."""
        return any(_SETTINGS[word].write is not None for word in self.wanted())

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The elements that must change for what was set."""
        elements = Elements(skeleton)
        done: set[object] = set()
        for word in self.wanted():
            write = _SETTINGS[word].write
            if write is not None and write not in done:
                done |= {write} if word in _TOGETHER else set()
                write(elements, word, self.get)
        return elements.found

    def put_names(self) -> None:
        """Hands the workbook the names that settings of this sheet are in."""
        names, sheet, wanted = self._shared.names, self._sheet, self.wanted()
        if "heading-rows" in wanted or "heading-columns" in wanted:
            target = titles_of(names, sheet.name, self.get("heading-rows"), self.get("heading-columns"))
            names.put_local(TITLES, self._number(), target)
        if "print-area" in wanted:
            names.put_local(PRINTED, self._number(), printed_area_of(names, sheet.name, self.get("print-area")))
        if "filter" in wanted and names.local(_FILTERED, self._number()) is not None:
            value = self.get("filter")
            target = None if value is None else f"{names.quoted(sheet.name)}!{names.absolute(area_of(value))}"
            names.put_local(_FILTERED, self._number(), target, hidden=True)


# -- titles and filter


def _check_filter(word: str, value: Any, sheet: Sheet) -> object:
    area = area_of(value)
    for table in sheet.tables():
        if table.area.meets(area):
            raise Failure(f'"{sheet.name}" has the table "{table.name}" in {value}, with a filter of its own')
    return area.corners


def _write_filter(elements: Elements, word: str, get: Get) -> None:
    value = get(word)
    elements.found["autoFilter"] = f'<{elements.prefix}autoFilter ref="{value}"/>'.encode() if value else b""


# -- the view


def _read_view(source: Source) -> object:
    name = source.attribute("sheetViews", "sheetView", "view") or "normal"
    return next(each for each, written in _VIEWS.items() if written == name)


def _write_view(elements: Elements, word: str, get: Get) -> None:
    value = get(word)
    elements.change("sheetViews", ["sheetView"], view=None if value == View.NORMAL else _VIEWS[value])


def _write_zoom(elements: Elements, word: str, get: Get) -> None:
    elements.change("sheetViews", ["sheetView"], zoomScale=str(get(word)))
    if elements.part.root.name == "worksheet":
        elements.change("sheetViews", ["sheetView"], zoomScaleNormal=str(get(word)))


def _write_gridlines(elements: Elements, word: str, get: Get) -> None:
    elements.change("sheetViews", ["sheetView"], showGridLines=None if get(word) else "0")


def _in_sight(name: str) -> Callable[[Source], object]:
    def read(source: Source) -> object:
        pane = source.inner("sheetViews", "sheetView", "pane").attributes
        return int(float(pane.get(name, "0"))) if pane.get("state", "").startswith("frozen") else 0

    return read


def _write_in_sight(elements: Elements, word: str, get: Get) -> None:
    old = with_child(elements.now("sheetViews"), ["sheetView"], {"topLeftCell": None}, elements.prefix)
    elements.found["sheetViews"] = _frozen(old, get("frozen-rows"), get("frozen-columns"), elements.prefix)


def _read_tab_colour(source: Source) -> object:
    colour = source.inner("sheetPr").child("tabColor")
    return source.colours.read(colour.attributes) if colour else None


def _write_tab_colour(elements: Elements, word: str, get: Get) -> None:
    elements.found["sheetPr"] = without(elements.now("sheetPr"), "tabColor")
    if get(word) is not None:
        elements.change("sheetPr", ["tabColor"], rgb=Colours.write(get(word)))


#: Every setting by its word; they are written in this order.
_SETTINGS: Mapping[str, Setting] = {
    "view": Setting(_read_view, _write_view),
    "gridlines": Setting(
        lambda source: is_on(source.attribute("sheetViews", "sheetView", "showGridLines"), True), _write_gridlines
    ),
    "zoom": Setting(
        lambda source: int(source.attribute("sheetViews", "sheetView", "zoomScale") or "100"),
        _write_zoom, from_to(10, 400), True,
    ),
    "tab-colour": Setting(_read_tab_colour, _write_tab_colour, lambda word, value, sheet: same_colour(value), True),
    "filter": Setting(lambda source: source.attribute("autoFilter", "ref"), _write_filter, _check_filter),
    "frozen-rows": Setting(_in_sight("ySplit"), _write_in_sight, from_to(0, 10_000)),
    "frozen-columns": Setting(_in_sight("xSplit"), _write_in_sight, from_to(0, 10_000)),
    **PAGE_SETTINGS,
}  # fmt: skip
#: Pairs of settings that are written at once.
_TOGETHER = ("width-in-pages", "height-in-pages", "frozen-rows", "frozen-columns")


# -- how they are written


def _frozen(views: bytes, rows: int, columns: int, prefix: str) -> bytes:
    """The views with that many rows and columns kept visible (18.3.1.66)."""
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
