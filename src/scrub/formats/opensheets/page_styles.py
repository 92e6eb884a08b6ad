"""The pages of a sheet (OpenDocument 1.3, part 3, 16.5, 16.9): the layout, the header and the footer of its page style,
as the elements that other workbooks have for them (ISO/IEC 29500-1, 18.3.1.46, 18.3.1.62 to 18.3.1.70).
"""

from __future__ import annotations

from decimal import Decimal

from scrub.formats.opendocument.lengths import centimetres
from scrub.formats.opendocument.read import FO, STYLE, SVG, TEXT, value
from scrub.formats.spans import Span
from scrub.formats.xmltext import escaped_text, plain_text, text_of
from scrub.model.core.printing import Paper

_INCH = Decimal("2.54")
#: Sizes of paper in centimetres, upright, with their numbers (ISO/IEC 29500-1, 18.3.1.63).
PAPERS = {
    Paper.LETTER: (1, "21.59", "27.94"), Paper.TABLOID: (3, "27.94", "43.18"), Paper.LEGAL: (5, "21.59", "35.56"),
    Paper.EXECUTIVE: (7, "18.41", "26.67"), Paper.A3: (8, "29.7", "42"), Paper.A4: (9, "21", "29.7"),
    Paper.A5: (11, "14.8", "21"), Paper.B4: (12, "25", "35.3"), Paper.B5: (13, "17.6", "25"),
    Paper.A2: (66, "42", "59.4"),
}  # fmt: skip
#: The fields of a header, by the code that each is elsewhere (18.3.1.46).
FIELDS = {
    "page-number": "P", "page-count": "N", "sheet-name": "A", "file-name": "F", "date": "D", "time": "T",
}  # fmt: skip
#: What a page has when nothing is said about it, in centimetres.
_USUAL_MARGIN = Decimal(2)


class Page:
    """The page style of one sheet: its master page and its layout; either can be missing."""

    def __init__(self, data: bytes, master: Span | None, layout: Span | None) -> None:
        self.data = data
        self.master = master
        self.layout = layout

    @property
    def _properties(self) -> Span | None:
        return self.layout.child("page-layout-properties", uri=STYLE) if self.layout is not None else None

    def said(self, name: str, uri: str = STYLE) -> str | None:
        """A property of the layout (17.2)."""
        return value(self._properties, name, uri)

    def margin(self, side: str) -> Decimal:
        """A margin, in centimetres."""
        return centimetres(self.said(f"margin-{side}", FO) or self.said("margin", FO)) or (
            _USUAL_MARGIN if self._properties is None else Decimal(0)
        )

    def band(self, name: str) -> Span | None:
        """The header or footer, where it is shown."""
        found = self.master.child(name, uri=STYLE) if self.master is not None else None
        return found if found is not None and value(found, "display", STYLE) != "false" else None

    def band_properties(self, name: str) -> Span | None:
        """The size of a header or footer (16.6, 16.7)."""
        holder = self.layout.child(f"{name}-style", uri=STYLE) if self.layout is not None else None
        return holder.child("header-footer-properties", uri=STYLE) if holder is not None else None

    def _band_height(self, name: str) -> Decimal:
        """What a header or footer takes away from the page, with its distance from the cells."""
        if self.band(name) is None:
            return Decimal(0)
        of = self.band_properties(name)
        return centimetres(value(of, "min-height", FO)) or centimetres(value(of, "height", SVG)) or Decimal(0)

    # -- as elements

    def margins(self) -> bytes:
        """The `pageMargins` element. A page begins with its header there, and with its cells elsewhere."""
        said = {side: self.margin(side) for side in ("left", "right")}
        top, bottom = self.margin("top"), self.margin("bottom")
        said |= {"top": top + self._band_height("header"), "bottom": bottom + self._band_height("footer")}
        said |= {"header": top, "footer": bottom}
        return b"<pageMargins%s/>" % "".join(f' {name}="{each / _INCH:.8f}"' for name, each in said.items()).encode()

    def setup(self) -> bytes:
        """The `pageSetup` element."""
        said: dict[str, str] = {}
        wide, high = centimetres(self.said("page-width", FO)), centimetres(self.said("page-height", FO))
        if self.said("print-orientation") == "landscape" or (wide and high and wide > high):
            said["orientation"] = "landscape"
        if wide and high:
            short, long = sorted((wide, high))
            number = next(
                (
                    number
                    for number, width, height in PAPERS.values()
                    if abs(short - Decimal(width)) < Decimal("0.2") and abs(long - Decimal(height)) < Decimal("0.2")
                ),
                None,
            )
            said |= {"paperSize": str(number)} if number is not None else {}
        scale = (self.said("scale-to") or "100%").removesuffix("%")
        if scale.isdigit() and scale != "100":
            said["scale"] = scale
        if self.fits:
            said["fitToWidth"], said["fitToHeight"] = self.in_pages
        return b"<pageSetup%s/>" % "".join(f' {name}="{each}"' for name, each in said.items()).encode()

    @property
    def fits(self) -> bool:
        """Whether it is printed on a number of pages."""
        return any(self.said(name) not in (None, "0") for name in ("scale-to-pages", "scale-to-X", "scale-to-Y"))

    @property
    def in_pages(self) -> tuple[str, str]:
        """How many pages wide and high it is to be; 0 for any number."""
        wide, high = self.said("scale-to-X") or "0", self.said("scale-to-Y") or "0"
        return (wide, high) if wide.isdigit() and high.isdigit() else ("0", "0")

    def options(self) -> bytes:
        """The `printOptions` element."""
        centring = self.said("table-centering") or "none"
        said = {
            "gridLines": "grid" in (self.said("print") or "").split(),
            "horizontalCentered": centring in ("horizontal", "both"),
            "verticalCentered": centring in ("vertical", "both"),
        }
        return b"<printOptions%s/>" % "".join(f' {name}="1"' for name, on in said.items() if on).encode()

    def bands(self) -> bytes:
        """The `headerFooter` element."""
        made = ""
        for name, word in (("header", "oddHeader"), ("footer", "oddFooter")):
            span = self.band(name)
            text = self._coded(span) if span is not None else ""
            made += f"<{word}>{escaped_text(text)}</{word}>" if text else ""
        return f"<headerFooter>{made}</headerFooter>".encode()

    def _coded(self, band: Span) -> str:
        regions = {child.name: child for child in band.children if child.name.startswith("region-")}
        if not regions:
            text = self._paragraphs(band)
            return f"&C{text}" if text else ""
        result = ""
        for name, mark in (("region-left", "L"), ("region-center", "C"), ("region-right", "R")):
            text = self._paragraphs(regions[name]) if name in regions else ""
            result += f"&{mark}{text}" if text else ""
        return result

    def _paragraphs(self, holder: Span) -> str:
        lines = [self._line(child) for child in holder.children if child.uri == TEXT and child.name in ("p", "h")]
        return "\n".join(lines)

    def _line(self, span: Span) -> str:
        made, at = "", span.open_end
        for child in span.children:
            made += _escaped(self.data[at : child.start])
            at = child.end
            if child.uri == TEXT and child.name in FIELDS:
                made += f"&{FIELDS[child.name]}"
            elif child.uri == TEXT and child.name == "title":
                made += text_of(self.data[child.start : child.end]).replace("&", "&&")
            elif child.uri == TEXT and child.name == "s":
                count = value(child, "c") or "1"
                made += " " * (int(count) if count.isdigit() and len(count) < 4 else 1)
            elif child.uri == TEXT and child.name in ("tab", "line-break"):
                made += " "
            else:
                made += self._line(child)
        return made + _escaped(self.data[at : span.close_start])


def _escaped(raw: bytes) -> str:
    text = text_of(b"<x>" + raw + b"</x>") if b"<" in raw else plain_text(raw)
    return " ".join(text.replace("\n", " ").split(" ")).replace("&", "&&") if text.strip("\n\t") else ""


class PageStyles:
    """The page styles of one workbook."""

    def __init__(self, data: bytes, root: Span) -> None:
        self.data = data
        self.root = root
        self.masters: dict[str, Span] = {}
        self.layouts: dict[str, Span] = {}
        for holder in root.children:
            for span in holder.children:
                name = value(span, "name", STYLE)
                if span.uri != STYLE or name is None:
                    continue
                if span.name == "master-page":
                    self.masters.setdefault(name, span)
                elif span.name == "page-layout":
                    self.layouts.setdefault(name, span)

    def page(self, master: str | None) -> Page:
        """The page style of a name."""
        span = self.masters.get(master or "")
        layout = self.layouts.get(value(span, "page-layout-name", STYLE) or "") if span is not None else None
        return Page(self.data, span, layout)
