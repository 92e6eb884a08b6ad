"""What is set for the pages on which a sheet is printed (ISO/IEC 29500-1, 18.3.1.46, 18.3.1.62 to 18.3.1.70)."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from decimal import Decimal
from typing import Any

from scrub.formats.spans import parse
from scrub.formats.workbook.around.setting import Elements, Get, Setting, Source, from_to
from scrub.formats.workbook.elements import inserted, without
from scrub.formats.workbook.names.names import Names
from scrub.formats.xmltext import is_on, text_of, unescaped, xstring
from scrub.model.cells.sheet import Sheet
from scrub.model.core.amounts import Length, hundredths
from scrub.model.core.area import area_of, letters_of
from scrub.model.core.printing import Paper
from scrub.model.core.problem import Failure

TITLES, PRINTED = "_xlnm.Print_Titles", "_xlnm.Print_Area"  # 18.2.5
#: What a macro writes in a header or footer, and the code for it (18.3.1.46).
_CODES = {
    "page-number": "P", "page-count": "N", "sheet-name": "A", "file-name": "F", "print-date": "D", "print-time": "T",
}  # fmt: skip
#: The sizes of paper by their numbers (18.3.1.63).
_PAPERS = {
    Paper.LETTER: 1, Paper.TABLOID: 3, Paper.LEGAL: 5, Paper.EXECUTIVE: 7, Paper.A3: 8, Paper.A4: 9, Paper.A5: 11,
    Paper.B4: 12, Paper.B5: 13, Paper.A2: 66,
}  # fmt: skip
#: Margins in inches, as programs have them where a file does not say.
_MARGINS = {"left": "0.7", "right": "0.7", "top": "0.75", "bottom": "0.75", "header": "0.3", "footer": "0.3"}
_INCH = Decimal("2.54")


def _write_break_lines(elements: Elements, word: str, get: Get) -> None:
    elements.change("sheetPr", ["pageSetUpPr"], autoPageBreaks=None if get(word) else "0")


def _pages(name: str) -> Callable[[Source], object]:
    def read(source: Source) -> object:
        number = int(source.attribute("pageSetup", name) or "1")
        return number or None if is_on(source.attribute("sheetPr", "pageSetUpPr", "fitToPage"), False) else None

    return read


def _write_pages(elements: Elements, word: str, get: Get) -> None:
    wide, tall = get("width-in-pages"), get("height-in-pages")
    elements.change("sheetPr", ["pageSetUpPr"], fitToPage="1" if wide or tall else None)
    elements.change("pageSetup", [], fitToWidth=str(wide or 0), fitToHeight=str(tall or 0))
    if not wide and not tall:
        elements.change("pageSetup", [], fitToWidth=None, fitToHeight=None)


def _write_orientation(elements: Elements, word: str, get: Get) -> None:
    elements.change("pageSetup", [], orientation=str(get(word)))


def _read_paper(source: Source) -> object:
    number = source.attribute("pageSetup", "paperSize")
    return next((paper for paper, code in _PAPERS.items() if str(code) == number), None)


def _write_paper(elements: Elements, word: str, get: Get) -> None:
    # A size in lengths of its own would win over the number.
    paper = get(word)
    size = str(_PAPERS[paper]) if paper is not None else None
    elements.change("pageSetup", [], paperSize=size, paperWidth=None, paperHeight=None)


def _margin(side: str) -> Callable[[Source], object]:
    def read(source: Source) -> object:
        written = source.attribute("pageMargins", side) or _MARGINS[side]
        return Length.of_cm(hundredths(Decimal(written) * _INCH))

    return read


def _write_margin(elements: Elements, word: str, get: Get) -> None:
    side = word.partition("-")[0]
    has = "pageMargins" in elements.found or elements.part.root.child("pageMargins") is not None
    said = {} if has else dict(_MARGINS)
    said[side] = str(get(word).in_unit("inches").quantize(Decimal("0.0001")).normalize() + 0)
    elements.change("pageMargins", [], **said)


def _check_margin(word: str, value: Any, sheet: Sheet) -> object:
    if not 0 <= value.in_unit("cm") <= 120:
        raise Failure(f'"{word}" can be 0 to 120 cm, not {value}')
    return value


def _write_scale(elements: Elements, word: str, get: Get) -> None:
    elements.change("pageSetup", [], scale=str(get(word)))
    elements.change("sheetPr", ["pageSetUpPr"], fitToPage=None)


def _switch(attribute: str) -> Setting:
    def write(elements: Elements, word: str, get: Get) -> None:
        elements.change("printOptions", [], **{attribute: "1" if get(word) else None})

    return Setting(lambda source: is_on(source.attribute("printOptions", attribute), False), write)


# -- headers and footers

#: The settings of one header and one footer: the element, and the part of it.
_PRINTED = {
    "header": ("oddHeader", "C"), "left-header": ("oddHeader", "L"), "right-header": ("oddHeader", "R"),
    "footer": ("oddFooter", "C"), "left-footer": ("oddFooter", "L"), "right-footer": ("oddFooter", "R"),
}  # fmt: skip


def _printed(word: str) -> Callable[[Source], object]:
    name, side = _PRINTED[word]

    def read(source: Source) -> object:
        span = source.inner("headerFooter").child(name)
        data = source.part.data
        return _as_written(_sections(unescaped(text_of(data[span.start : span.end])))[side]) if span else None

    return read


def _check_printed(word: str, value: Any, sheet: Sheet) -> object:
    if len(value) > 255:
        raise Failure("a header or footer can contain up to 255 characters")
    return value or None


def _write_printed(elements: Elements, word: str, get: Get) -> None:
    name, side = _PRINTED[word]
    fresh = _with_section(elements.now("headerFooter"), name, side, get(word), elements.prefix)
    elements.found["headerFooter"] = fresh


def _sections(text: str) -> dict[str, str]:
    """The left, middle and right part of a header or footer; what is before a mark is the middle."""
    sections = {"L": "", "C": "", "R": ""}
    at = "C"
    for piece in re.findall(r"&&|&.|[^&]+", text, re.DOTALL):
        if len(piece) == 2 and piece[0] == "&" and piece[1].upper() in sections:
            at = piece[1].upper()
        else:
            sections[at] += piece
    return sections


def _as_written(section: str) -> str | None:
    """A section as a macro writes it; codes of its font are left out."""
    text = re.sub(r'&"[^"]*"|&\d+ ?|&[BIUESXY]|&K[0-9A-F]{6}', "", section)
    for word, code in _CODES.items():
        text = re.sub(f"(?<!&)&{code}", f"{{{word}}}", text, flags=re.IGNORECASE)
    return text.replace("&&", "&") or None


def _with_section(element: bytes, name: str, side: str, value: str | None, prefix: str) -> bytes:
    root = parse(element)
    old = root.child(name)
    sections = _sections(unescaped(text_of(element[old.start : old.end]))) if old else {"L": "", "C": "", "R": ""}
    text = (value or "").replace("&", "&&")
    for word, code in _CODES.items():
        text = re.sub(rf"\{{{word}\}}", f"&{code}", text, flags=re.IGNORECASE)
    sections[side] = text
    whole = "".join(f"&{mark}{section}" for mark, section in sections.items() if section)
    if len(whole) > 255:
        raise Failure("a header or footer can contain up to 255 characters")
    rest = without(element, name)
    return inserted(rest, f"<{prefix}{name}>{xstring(whole)}</{prefix}{name}>".encode(), name) if whole else rest


# -- names: what is printed, and what is printed again on each page


def _check_titles(word: str, value: object, sheet: Sheet) -> object:
    text = str(value).replace("-", ":").replace(" ", "")
    first, _, last = text.partition(":")
    area = area_of(f"{first}:{last or first}")
    return str(area.top) if area.top == area.bottom else f"{area.top}:{area.bottom}"


def _check_title_columns(word: str, value: object, sheet: Sheet) -> object:
    text = str(value).replace("-", ":").replace(" ", "")
    first, _, last = text.partition(":")
    area = area_of(f"{first}:{last or first}")
    left, right = letters_of(area.left), letters_of(area.right)
    return left if left == right else f"{left}:{right}"


def _check_printed_area(word: str, value: object, sheet: Sheet) -> object:
    return ", ".join(str(area_of(each)) for each in str(value).split(","))


def titles_of(names: Names, sheet: str, rows: str | None, columns: str | None) -> str | None:
    """What the name of the titles means: columns, then rows."""
    kept = []
    for lines in (columns, rows):
        if lines is not None:
            first, _, last = lines.partition(":")
            kept.append(f"{names.quoted(sheet)}!${first}:${last or first}")
    return ",".join(kept) or None


def printed_area_of(names: Names, sheet: str, value: str | None) -> str | None:
    """What the name of the printed range means."""
    if value is None:
        return None
    return ",".join(f"{names.quoted(sheet)}!{names.absolute(area_of(each))}" for each in value.split(","))


def _read_printed_area(source: Source) -> object:
    pieces = _pieces(source.named(PRINTED) or "")
    areas = [piece.rpartition("!")[2].replace("$", "") for piece in pieces]
    return ", ".join(areas) if areas and all(map(_is_area, areas)) else None


def _is_area(text: str) -> bool:
    try:
        area_of(text)
    except Failure:
        return False
    return True


def _pieces(target: str) -> list[str]:
    return [piece for piece in re.findall(r"(?:'(?:[^']|'')*'|[^,])+", target) if piece]


def _title_rows(target: str | None) -> str | None:
    """The rows in a name for titles: `'Larch Hut'!$3:$3`."""
    match = re.search(r"!\$?(\d+):\$?(\d+)", target or "")
    if not match:
        return None
    return match[1] if match[1] == match[2] else f"{match[1]}:{match[2]}"


def _title_columns(target: str | None) -> str | None:
    """The columns in a name for titles: `'Larch Hut'!$A:$B`."""
    match = re.search(r"!\$?([A-Z]{1,3}):\$?([A-Z]{1,3})(?![\w(])", target or "")
    if not match:
        return None
    return match[1] if match[1] == match[2] else f"{match[1]}:{match[2]}"


#: The settings of pages by their words; they are written in this order.
PAGE_SETTINGS: Mapping[str, Setting] = {
    "page-break-lines": Setting(
        lambda source: is_on(source.attribute("sheetPr", "pageSetUpPr", "autoPageBreaks"), True), _write_break_lines
    ),
    "orientation": Setting(
        lambda source: (
            "landscape" if source.attribute("pageSetup", "orientation") == "landscape" else "portrait"
        ),
        _write_orientation, of_charts=True,
    ),
    "paper": Setting(_read_paper, _write_paper, of_charts=True),
    **{
        f"{side}-margin": Setting(_margin(side), _write_margin, _check_margin, True)
        for side in _MARGINS
    },
    **{word: Setting(_printed(word), _write_printed, _check_printed, True) for word in _PRINTED},
    "print-scale": Setting(
        lambda source: int(source.attribute("pageSetup", "scale") or "100"), _write_scale, from_to(10, 400)
    ),
    "width-in-pages": Setting(_pages("fitToWidth"), _write_pages, from_to(1, 32_767)),
    "height-in-pages": Setting(_pages("fitToHeight"), _write_pages, from_to(1, 32_767)),
    "printed-gridlines": _switch("gridLines"),
    "centred-across": _switch("horizontalCentered"),
    "centred-down": _switch("verticalCentered"),
    "heading-rows": Setting(lambda source: _title_rows(source.named(TITLES)), None, _check_titles),
    "heading-columns": Setting(lambda source: _title_columns(source.named(TITLES)), None, _check_title_columns),
    "print-area": Setting(_read_printed_area, None, _check_printed_area),
}  # fmt: skip
