"""Page styles that are made when a workbook is saved (OpenDocument 1.3, part 3, 16.5, 16.9): one of its own for each
sheet whose page is set, as others may use the one that it had.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from scrub.formats.opendocument.read import FO, STYLE, SVG, attribute
from scrub.formats.opensheets.page_styles import FIELDS, PAPERS, Page
from scrub.formats.opensheets.style_maker import Declaring
from scrub.formats.spans import Splice, parse_element, set_attributes, spliced
from scrub.formats.xmltext import escaped_text
from scrub.model.core.printing import Orientation, Paper

Get = Callable[[str], Any]

#: The settings that are in the page style.
PAGE_WORDS = frozenset((
    "orientation", "paper", "left-margin", "right-margin", "top-margin", "bottom-margin", "header-margin",
    "footer-margin", "header", "left-header", "right-header", "footer", "left-footer", "right-footer", "print-scale",
    "width-in-pages", "height-in-pages", "printed-gridlines", "centred-across", "centred-down",
))  # fmt: skip
_BANDS = {
    "header": ("left-header", "header", "right-header"), "footer": ("left-footer", "footer", "right-footer"),
}  # fmt: skip
_NAMED = {
    "page-number": "P", "page-count": "N", "sheet-name": "A", "file-name": "F", "print-date": "D", "print-time": "T",
}  # fmt: skip
_USUAL_SIZE = (Decimal(21), Decimal("29.7"))


def made_page(
    page: Page, names: tuple[str, str], wanted: set[str], get: Get, declaring: Declaring
) -> tuple[bytes, bytes]:
    """The layout and the master page, under new names; `wanted` are the settings that differ, `get` gives all."""
    master, layout = names
    said = _properties(page, wanted, get)
    return _layout(page, layout, said, wanted, get, declaring), _master(page, master, layout, wanted, get, declaring)


def _properties(page: Page, wanted: set[str], get: Get) -> dict[tuple[str, str], str | None]:
    said: dict[tuple[str, str], str | None] = {}
    if wanted & {"orientation", "paper"}:
        said |= _size(page, get)
    for side in ("left", "right"):
        if f"{side}-margin" in wanted:
            said[FO, f"margin-{side}"] = _cm(get(f"{side}-margin").in_unit("cm"))
    for side, band in (("top", "header"), ("bottom", "footer")):
        if wanted & {f"{side}-margin", f"{band}-margin", *_BANDS[band]}:
            edge = get(f"{band}-margin") if _has_band(get, band) else get(f"{side}-margin")
            said[FO, f"margin-{side}"] = _cm(edge.in_unit("cm"))
    if any(name == "margin-left" or "margin" in name for _, name in said) and page.said("margin", FO):
        for side in ("left", "right", "top", "bottom"):
            said.setdefault((FO, f"margin-{side}"), _cm(page.margin(side)))
        said[FO, "margin"] = None
    if wanted & {"print-scale", "width-in-pages", "height-in-pages"}:
        wide, high = get("width-in-pages"), get("height-in-pages")
        fits = bool(wide or high)
        scale = get("print-scale")
        said |= {
            (STYLE, "scale-to-X"): str(wide or 0) if fits else None,
            (STYLE, "scale-to-Y"): str(high or 0) if fits else None,
            (STYLE, "scale-to-pages"): None,
            (STYLE, "scale-to"): None if fits else f"{scale}%",
        }
    if "printed-gridlines" in wanted:
        words = (page.said("print") or "objects charts drawings zero-values").split()
        words = [word for word in words if word != "grid"] + (["grid"] if get("printed-gridlines") else [])
        said[STYLE, "print"] = " ".join(words)
    if wanted & {"centred-across", "centred-down"}:
        across, down = get("centred-across"), get("centred-down")
        said[STYLE, "table-centering"] = (
            "both" if across and down else "horizontal" if across else "vertical" if down else "none"
        )
    return said


def _has_band(get: Get, band: str) -> bool:
    return any(get(word) for word in _BANDS[band])


def _cm(length: Decimal) -> str:
    return f"{length:.3f}cm"


def _size(page: Page, get: Get) -> dict[tuple[str, str], str | None]:
    paper: Paper | None = get("paper")
    from scrub.formats.opendocument.lengths import centimetres

    wide, high = centimetres(page.said("page-width", FO)), centimetres(page.said("page-height", FO))
    if paper is not None:
        _, width, height = PAPERS[paper]
        short, long = Decimal(width), Decimal(height)
    elif wide and high:
        short, long = sorted((wide, high))
    else:
        short, long = _USUAL_SIZE
    landscape = get("orientation") == Orientation.LANDSCAPE
    across, down = (long, short) if landscape else (short, long)
    return {
        (FO, "page-width"): _cm(across), (FO, "page-height"): _cm(down),
        (STYLE, "print-orientation"): "landscape" if landscape else "portrait",
    }  # fmt: skip


def _layout(
    page: Page,
    name: str,
    said: dict[tuple[str, str], str | None],
    wanted: set[str],
    get: Get,
    declaring: Declaring,
) -> bytes:
    if page.layout is not None:
        data, span = page.data[page.layout.start : page.layout.end], page.layout
        root = parse_element(data, 0, len(data), span.namespaces)
    else:
        data = declaring(
            '<style:page-layout style:name="x"><style:page-layout-properties fo:margin-top="2cm" '
            'fo:margin-bottom="2cm" fo:margin-left="2cm" fo:margin-right="2cm"/></style:page-layout>'
        ).encode()
        root = parse_element(data, 0, len(data), {})
    splices = _set(data, root, {(STYLE, "name"): name})
    holder = root.child("page-layout-properties", uri=STYLE) or next(iter(root.children), None)
    if holder is not None:
        splices += _set(data, holder, said)
    data = spliced(data, splices)
    for band, side, edge in (("header", "top", "bottom"), ("footer", "bottom", "top")):
        if wanted & {*_BANDS[band], f"{band}-margin", f"{side}-margin"} and _has_band(get, band):
            height = max(Decimal(0), get(f"{side}-margin").in_unit("cm") - get(f"{band}-margin").in_unit("cm"))
            data = _with_band(data, band, edge, height, declaring)
    return data


def _with_band(data: bytes, band: str, edge: str, height: Decimal, declaring: Declaring) -> bytes:
    """A layout whose header or footer takes that much of the page."""
    root = parse_element(data, 0, len(data), {})
    old = next((child for child in root.children if child.name == f"{band}-style"), None)
    properties = next((c for c in old.children if c.name == "header-footer-properties"), None) if old else None
    gap = min(Decimal("0.25"), height)
    if properties is not None:
        names = {name.rpartition(":")[2]: name for name in properties.attributes}
        values = {
            names.get("min-height", declaring("<fo:min-height").removeprefix("<")): _cm(height),
            names.get(f"margin-{edge}", declaring(f"<fo:margin-{edge}").removeprefix("<")): _cm(gap),
        }
        return spliced(data, set_attributes(data, properties, values.items()))
    fresh = declaring(
        f'<style:{band}-style><style:header-footer-properties fo:min-height="{_cm(height)}" '
        f'fo:margin-{edge}="{_cm(gap)}"/></style:{band}-style>'
    ).encode()
    if old is not None:
        return spliced(data, [Splice(old.start, old.end, fresh)])
    footer = next((child for child in root.children if child.name == "footer-style"), None)
    at = footer.start if band == "header" and footer is not None else root.close_start
    return spliced(data, [Splice(at, at, fresh)])


def _set(data: bytes, span: Any, said: dict[tuple[str, str], str | None]) -> list[Splice]:
    values: dict[str, str | None] = {}
    for (uri, local), text in said.items():
        if not span.namespaces or uri not in span.namespaces.values():
            values[f"{'fo' if uri == FO else 'svg' if uri == SVG else 'style'}:{local}"] = text
            continue
        written, declared = attribute(span, local, uri)
        values |= {**declared, written: text}
    return set_attributes(data, span, values.items())


def _master(page: Page, name: str, layout: str, wanted: set[str], get: Get, declaring: Declaring) -> bytes:
    if page.master is not None:
        data = page.data[page.master.start : page.master.end]
        root = parse_element(data, 0, len(data), page.master.namespaces)
        said = {(STYLE, "name"): name, (STYLE, "page-layout-name"): layout, (STYLE, "display-name"): None}
        data = spliced(data, _set(data, root, said))
    else:
        data = declaring(f'<style:master-page style:name="{name}" style:page-layout-name="{layout}"/>').encode()
    for band, words in _BANDS.items():
        if wanted & set(words):
            data = _with_text(data, band, [get(word) for word in words], declaring)
    return data


def _with_text(data: bytes, band: str, texts: list[str | None], declaring: Declaring) -> bytes:
    """A master page with other words in its header or footer."""
    root = parse_element(data, 0, len(data), {})
    if any(texts):
        inside = "".join(
            f"<style:region-{side}><text:p>{_words(text)}</text:p></style:region-{side}>"
            for side, text in zip(("left", "center", "right"), texts, strict=True) if text
        )  # fmt: skip
        if not texts[0] and not texts[2]:
            inside = f"<text:p>{_words(texts[1] or '')}</text:p>"
        fresh = declaring(f"<style:{band}>{inside}</style:{band}>").encode()
    else:
        fresh = declaring(f'<style:{band} style:display="false"/>').encode()
    old = next((child for child in root.children if child.name == band), None)
    if old is not None:
        return spliced(data, [Splice(old.start, old.end, fresh)])
    order = ("header", "header-left", "header-first", "footer", "footer-left", "footer-first")
    later = [child for child in root.children if child.name not in order[: order.index(band)]]
    if later:
        return spliced(data, [Splice(later[0].start, later[0].start, fresh)])
    if root.open_end == root.end:
        opening = data[: root.open_end].removesuffix(b"/>").rstrip() + b">"
        return opening + fresh + f"</{root.raw_name}>".encode()
    return spliced(data, [Splice(root.close_start, root.close_start, fresh)])


def _words(text: str) -> str:
    made = ""
    for piece in re.split(r"(\{[a-z-]+\})", text):
        field = next((name for name, code in FIELDS.items() if code == _NAMED.get(piece[1:-1].lower())), None)
        if field is not None and piece.startswith("{"):
            made += f"<text:{field}>{'1' if field.startswith('page') else '???'}</text:{field}>"
        else:
            spaced = re.sub(r" {2,}|^ | $", lambda found: "<text:s/>" * len(found[0]), escaped_text(piece))
            made += spaced
    return made
