"""What is set for a sheet as a whole: its view, its page, its panes, its filter (ISO/IEC 29500-1, 18.3.1)."""

from __future__ import annotations

import re
from typing import Any

from scrub.formats.spans import Span, Splice, parse, spliced
from scrub.formats.workbook.colours import Colours, same_colour
from scrub.formats.workbook.elements import inserted, with_child, without
from scrub.formats.workbook.grid import SheetCells
from scrub.formats.xmltext import text_of, unescaped, xstring
from scrub.model.area import address_of, area_of
from scrub.model.page import View
from scrub.model.problem import Failure

_VIEWS = {View.NORMAL: "normal", View.PAGE_BREAKS: "pageBreakPreview", View.PAGE_LAYOUT: "pageLayout"}
#: What can be set for a chart sheet too (18.3.1.12).
_OF_CHARTS = ("orientation", "header", "footer", "zoom", "tab-colour")
_TITLES, _FILTERED = "_xlnm.Print_Titles", "_xlnm._FilterDatabase"  # 18.2.5
#: What a macro writes in a header or footer, and the code for it (18.3.1.46).
_CODES = {
    "page-number": "P", "page-count": "N", "sheet-name": "A", "file-name": "F", "print-date": "D", "print-time": "T",
}  # fmt: skip


class SheetSettings(SheetCells):
    """Settings as they should be; `wanted` holds those that were changed."""

    def __init__(self) -> None:
        super().__init__()
        self.wanted: dict[str, Any] = {}
        self.first_settings: dict[str, Any] = {}

    def skeleton(self) -> tuple[bytes, Span]:
        """The part without its cells, and its root."""
        raise NotImplementedError

    def setting(self, word: str) -> Any:
        """What is set."""
        if word in self.wanted:
            return self.wanted[word]
        if word == "heading-rows":
            return _title_rows(self.book.names.local(_TITLES, self))
        data, root = self.skeleton()
        return _read(word, data, root, self.book.styles.colours)

    def put_setting(self, word: str, value: Any) -> None:
        """Sets it."""
        before = self.setting(word)
        if self.skeleton()[1].name != "worksheet" and word not in _OF_CHARTS:
            raise Failure(f'"{self.name}" is a chart sheet and has no {word}')
        value = self._checked(word, value)
        if before == value:
            return
        former = self.wanted.get(word, _NONE)
        if word == "filter":
            self._let_rows_show(before)
        first = self.first_settings.setdefault(word, before)
        if value == first:
            self.wanted.pop(word, None)  # there and back is no change
        else:
            self.wanted[word] = value

        def revert() -> None:
            if former is _NONE:
                self.wanted.pop(word, None)
            else:
                self.wanted[word] = former

        self.note(word, before, value, revert)

    def _checked(self, word: str, value: Any) -> Any:
        if word == "zoom" and not 10 <= value <= 400:
            raise Failure(f"the zoom goes from 10 to 400, not {value}")
        if word in ("width-in-pages", "height-in-pages") and value is not None and not 1 <= value <= 32_767:
            raise Failure(f'"{word}" goes from 1 to 32,767, not {value}')
        if word in ("rows-in-sight", "columns-in-sight") and not 0 <= value <= 10_000:
            raise Failure(f'"{word}" goes from 0 to 10,000, not {value}')
        if word == "tab-colour":
            return same_colour(value)
        if word == "heading-rows" and value is not None:
            text = str(value).replace("-", ":").replace(" ", "")
            first, _, last = text.partition(":")
            area = area_of(f"{first}:{last or first}")
            return str(area.top) if area.top == area.bottom else f"{area.top}:{area.bottom}"
        if word == "filter" and value is not None:
            area = area_of(value)
            for table in self.tables():
                if table.area.meets(area):
                    raise Failure(f'"{self.name}" has the table "{table.name}" in {value}, with a filter of its own')
            return area.corners
        if word in ("header", "footer"):
            if value is not None and len(value) > 255:
                raise Failure("a header or footer holds at most 255 characters")
            return value or None
        return value

    def _let_rows_show(self, before: str | None) -> None:
        """A filter that goes lets the rows show that it hid."""
        _, root = self.skeleton()
        old = root.child("autoFilter")
        if before is None or old is None or not old.children:
            return
        area = area_of(before)
        for row in self.stored_rows():
            if area.top < row <= area.bottom and self.measure(row, True, "hidden"):
                self.put_measure(row, True, "hidden", False)

    def setting_elements(self, data: bytes, root: Span) -> dict[str, bytes]:
        """The elements that must change for what was set."""
        found: dict[str, bytes] = {}
        p = root.prefix

        def change(name: str, path: list[str], **attributes: str | None) -> None:
            found[name] = with_child(found.get(name) or _element(data, root, name), path, attributes, p)

        for word, value in self.wanted.items():
            if word == "view":
                change("sheetViews", ["sheetView"], view=None if value == View.NORMAL else _VIEWS[value])
            elif word == "gridlines":
                change("sheetViews", ["sheetView"], showGridLines=None if value else "0")
            elif word == "zoom":
                change("sheetViews", ["sheetView"], zoomScale=str(value))
                if root.name == "worksheet":
                    change("sheetViews", ["sheetView"], zoomScaleNormal=str(value))
            elif word == "page-break-lines":
                change("sheetPr", ["pageSetUpPr"], autoPageBreaks=None if value else "0")
            elif word == "tab-colour":
                old = found.get("sheetPr") or _element(data, root, "sheetPr")
                found["sheetPr"] = without(old, "tabColor")
                if value is not None:
                    change("sheetPr", ["tabColor"], rgb=Colours.write(value))
            elif word == "orientation":
                change("pageSetup", [], orientation=str(value))
            elif word in ("header", "footer"):
                old = found.get("headerFooter") or _element(data, root, "headerFooter")
                found["headerFooter"] = _with_section(old, "oddHeader" if word == "header" else "oddFooter", value, p)
            elif word == "filter":
                found["autoFilter"] = f'<{p}autoFilter ref="{value}"/>'.encode() if value else b""
        if "width-in-pages" in self.wanted or "height-in-pages" in self.wanted:
            wide, tall = self.setting("width-in-pages"), self.setting("height-in-pages")
            change("sheetPr", ["pageSetUpPr"], fitToPage="1" if wide or tall else None)
            change("pageSetup", [], fitToWidth=str(wide or 0), fitToHeight=str(tall or 0))
            if not wide and not tall:
                change("pageSetup", [], fitToWidth=None, fitToHeight=None)
        if "rows-in-sight" in self.wanted or "columns-in-sight" in self.wanted:
            old = found.get("sheetViews") or _element(data, root, "sheetViews")
            old = with_child(old, ["sheetView"], {"topLeftCell": None}, p)
            found["sheetViews"] = _frozen(old, self.setting("rows-in-sight"), self.setting("columns-in-sight"), p)
        return found

    def put_names(self) -> None:
        """Hands the workbook the names that settings of this sheet stand in."""
        names = self.book.names
        if "heading-rows" in self.wanted:
            rows = self.wanted["heading-rows"]
            kept = [piece for piece in _pieces(names.local(_TITLES, self) or "") if re.search(r"![$]?[A-Za-z]", piece)]
            if rows is not None:
                first, _, last = rows.partition(":")
                kept.append(f"{names.quoted(self.name)}!${first}:${last or first}")
            names.put_local(_TITLES, self, ",".join(kept) or None)
        if "filter" in self.wanted and names.local(_FILTERED, self) is not None:
            value = self.wanted["filter"]
            target = None if value is None else f"{names.quoted(self.name)}!{names.absolute(area_of(value))}"
            names.put_local(_FILTERED, self, target, hidden=True)


_NONE = object()


def _element(data: bytes, root: Span, name: str) -> bytes:
    """An element as it is, or a new empty one; a view belongs to the first window (18.3.1.87)."""
    old = root.child(name)
    if old is not None:
        return data[old.start : old.end]
    p = root.prefix
    if name == "sheetViews":
        return f'<{p}sheetViews><{p}sheetView workbookViewId="0"/></{p}sheetViews>'.encode()
    return f"<{p}{name}/>".encode()


def _yes(value: str | None, default: bool) -> bool:
    return default if value is None else value in ("1", "true", "on")


def _read(word: str, data: bytes, root: Span, colours: Colours) -> Any:
    """A setting as the part has it."""
    nothing = Span("", {}, 0)
    properties = root.child("sheetPr") or nothing
    fit = (properties.child("pageSetUpPr") or nothing).attributes
    view = (root.child("sheetViews") or nothing).child("sheetView") or nothing
    page = (root.child("pageSetup") or nothing).attributes
    pane = view.child("pane")
    if word == "view":
        name = view.attributes.get("view", "normal")
        return next(each for each, written in _VIEWS.items() if written == name)
    if word == "page-break-lines":
        return _yes(fit.get("autoPageBreaks"), True)
    if word == "gridlines":
        return _yes(view.attributes.get("showGridLines"), True)
    if word == "zoom":
        return int(view.attributes.get("zoomScale", "100"))
    if word == "tab-colour":
        colour = properties.child("tabColor")
        return colours.read(colour.attributes) if colour else None
    if word == "orientation":
        return "landscape" if page.get("orientation") == "landscape" else "portrait"
    if word in ("width-in-pages", "height-in-pages"):
        number = int(page.get("fitToWidth" if word == "width-in-pages" else "fitToHeight", "1"))
        return number or None if _yes(fit.get("fitToPage"), False) else None
    if word in ("rows-in-sight", "columns-in-sight"):
        if pane is None or not pane.attributes.get("state", "").startswith("frozen"):
            return 0
        return int(float(pane.attributes.get("ySplit" if word == "rows-in-sight" else "xSplit", "0")))
    if word == "filter":
        found = root.child("autoFilter")
        return found.attributes.get("ref") if found else None
    holder = root.child("headerFooter")
    span = holder.child("oddHeader" if word == "header" else "oddFooter") if holder else None
    return _as_written(_sections(unescaped(text_of(data[span.start : span.end])))["C"]) if span else None


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
