"""How cells of an Open Document look (OpenDocument 1.3, part 3, 16.2, 17.18): styles with a name, which cells share.

They are read as the formats of other workbooks (ISO/IEC 29500-1, 18.8), one for each style; a format that was added in
a run is written as an automatic style of its own, made of the one that it comes from.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from decimal import Decimal
from functools import cached_property
from typing import Any

from scrub.formats.opendocument.lengths import centimetres
from scrub.formats.opendocument.read import FO, STYLE, SVG, attribute, value
from scrub.formats.opensheets.number_styles import NumberStyles
from scrub.formats.spans import Span, Splice, ended, escaped, parse_element, set_attributes, spliced
from scrub.model.cells.grid import EDGES, Alignment, Line, UpDown
from scrub.model.cells.validation import Emphasis
from scrub.model.core.amounts import number_text
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

#: Styles that come from each other (the standard allows no circle).
_DEEPEST = 32
_CELL, _PARAGRAPH, _TEXT = "table-cell-properties", "paragraph-properties", "text-properties"
_ORDER = (_CELL, _PARAGRAPH, _TEXT)
#: The first number of a number format that a workbook adds (ISO/IEC 29500-1, 18.8.30).
_FIRST_FORM = 164
_COLOUR = lazy_pattern(r"#[0-9A-Fa-f]{6}")
_POINT = Decimal("2.54") / 72
#: An indent of one step, in centimetres.
INDENT = Decimal(10) * _POINT
#: What a cell has when nothing is said about it (20.2, and as programs show it).
_USUAL = {"font": "Liberation Sans", "size": "10"}

#: Lines by how they are drawn: the widths in points up to which one is, and how it is written.
_WRITTEN = {
    Line.HAIR: "0.06pt solid", Line.DOTTED: "0.74pt dotted", Line.DASHED: "0.74pt fine-dashed",
    Line.THIN: "0.74pt solid", Line.MEDIUM: "1.76pt solid", Line.THICK: "2.49pt solid",
    Line.DOUBLE: "1.76pt double-thin", Line.DASH_DOT: "0.74pt dash-dot", Line.DASH_DOT_DOT: "0.74pt dash-dot-dot",
    Line.MEDIUM_DASHED: "1.76pt dashed", Line.MEDIUM_DASH_DOT: "1.76pt dash-dot",
    Line.MEDIUM_DASH_DOT_DOT: "1.76pt dash-dot-dot", Line.SLANT_DASH_DOT: "1.75pt dash-dot",
}  # fmt: skip
_ALIGNED = {
    "start": "left", "left": "left", "center": "center", "end": "right", "right": "right", "justify": "justify",
}  # fmt: skip
_ALIGN = {
    Alignment.LEFT: "start", Alignment.CENTRE: "center", Alignment.RIGHT: "end", Alignment.JUSTIFIED: "justify",
}  # fmt: skip
_UP_DOWN = {UpDown.TOP: "top", UpDown.MIDDLE: "middle", UpDown.BOTTOM: "bottom"}


class Looks(dict[str, str]):
    """The properties of a style with those of all that it comes from, by the words of this module."""


class CellStyles:
    """The styles of cells of one workbook, by their names; the empty name is that of a cell without one."""

    def __init__(self, content: tuple[bytes, Span], common: tuple[bytes, Span] | None) -> None:
        self.numbers = NumberStyles()
        self.found: dict[str, tuple[bytes, Span]] = {}
        self.automatic: set[str] = set()
        self._defaults: list[tuple[bytes, Span]] = []
        self._fonts: dict[str, str] = {}
        self._known: dict[str, Looks] = {}
        for data, root in (content, common) if common is not None else (content,):
            for holder in root.children:
                if holder.name == "font-face-decls":
                    self._read_fonts(holder)
                elif holder.name in ("automatic-styles", "styles"):
                    self._take(data, holder)
                    self.numbers.take(data, holder)
        #: Their names by their numbers; the first is a cell without a style.
        self.names = ["", *self.found]
        self._by_name = {name: number for number, name in enumerate(self.names)}

    def _read_fonts(self, holder: Span) -> None:
        for face in holder.children:
            family = (value(face, "font-family", SVG) or "").strip("'\"")
            self._fonts.setdefault(value(face, "name", STYLE) or "", family)

    def _take(self, data: bytes, holder: Span) -> None:
        for span in holder.children:
            if span.uri != STYLE or value(span, "family", STYLE) != "table-cell":
                continue
            if span.name == "default-style":
                self._defaults.append((data, span))
            elif span.name == "style":
                name = value(span, "name", STYLE) or ""
                if name and name not in self.found:
                    self.found[name] = data, span
                    if holder.name == "automatic-styles":
                        self.automatic.add(name)

    def number(self, name: str | None) -> int:
        """The number of a style by its name; 0 for one that is not there."""
        return self._by_name.get(name or "", 0)

    def font_named(self, family: str) -> str | None:
        """The name under which a font is declared."""
        return next((name for name, known in self._fonts.items() if known == family), None)

    # -- reading

    def looks(self, name: str) -> Looks:
        """The properties of a style, with those that it inherits."""
        known = self._known.get(name)
        if known is None:
            known = self._known[name] = self._resolved(name or "Default")
        return known

    def _resolved(self, name: str) -> Looks:
        chain: list[tuple[bytes, Span]] = []
        while name in self.found and len(chain) < _DEEPEST:
            chain.append(self.found[name])
            name = value(self.found[name][1], "parent-style-name", STYLE) or ""
        looks = Looks()
        for _, span in [*self._defaults, *reversed(chain)]:
            self._apply(looks, span)
        return looks

    def _apply(self, looks: Looks, style: Span) -> None:
        form = value(style, "data-style-name", STYLE)
        if form is not None:
            looks["form"] = form
        for span in style.children:
            if span.name in _ORDER:
                of = {name.rpartition(":")[2]: said for name, said in span.attributes.items()}
                self._properties(looks, span.name, of, span)

    def _properties(self, looks: Looks, element: str, of: Mapping[str, str], span: Span) -> None:
        words: tuple[str, ...]
        if element == _CELL:
            for each in EDGES:
                said = of.get(each, of.get("border"))
                if said is not None:
                    looks[each] = said
            words = ("background-color", "vertical-align", "wrap-option", "rotation-angle", "direction",
                     "cell-protect", "text-align-source", "repeat-content")  # fmt: skip
        elif element == _PARAGRAPH:
            words = ("text-align", "margin-left")
        else:
            words = ("color", "font-weight", "font-style", "text-underline-style", "text-line-through-style",
                     "use-window-font-color")  # fmt: skip
            self._letters(looks, of)
        for word in words:
            if word in of:
                looks[word] = of[word]

    def _letters(self, looks: Looks, of: Mapping[str, str]) -> None:
        family = self._fonts.get(of.get("font-name", "")) or of.get("font-family", "").strip("'\"")
        if family:
            looks["font"] = family
        size = of.get("font-size", "")
        if size.endswith("%") and size[:-1].replace(".", "", 1).isdigit():
            looks["size"] = number_text(Decimal(looks.get("size", "10")) * Decimal(size[:-1]) / 100)
        else:
            length = centimetres(size)
            if length is not None:
                looks["size"] = number_text((length / _POINT).quantize(Decimal("0.1")))

    def form(self, name: str) -> str:
        """The code of the number format of a style."""
        return self.numbers.code(self.looks(name).get("form"))

    # -- as the formats of other workbooks

    @cached_property
    def projected(self) -> bytes:
        """A styles part with a format for each style, by its number (ISO/IEC 29500-1, 18.8.39)."""
        fonts, fills, borders, formats = "", "", "", ""
        forms: dict[str, int] = {"General": 0}
        for number, name in enumerate(self.names):
            looks = self.looks(name)
            code = self.numbers.code(looks.get("form"))
            form = forms.setdefault(code, _FIRST_FORM + len(forms) - 1)
            fonts += _font(looks)
            fills += _fill(looks)
            borders += _border(looks)
            locked = "" if _is_locked(looks) else '<protection locked="0"/>'
            formats += (
                f'<xf numFmtId="{form}" fontId="{number}" fillId="{number}" borderId="{number}">'
                f"{_alignment(looks)}{locked}</xf>"
            )
        codes = "".join(
            f'<numFmt numFmtId="{number}" formatCode="{escaped(code)}"/>' for code, number in forms.items() if number
        )
        dxfs = "".join(_emphasis(self.looks(name)) for name in self.names)
        return (
            '<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">'
            f"<numFmts>{codes}</numFmts><fonts>{fonts}</fonts><fills>{fills}</fills><borders>{borders}</borders>"
            f"<cellXfs>{formats}</cellXfs><dxfs>{dxfs}</dxfs></styleSheet>"
        ).encode()


def _is_locked(looks: Looks) -> bool:
    return "none" not in looks.get("cell-protect", "protected").split()


def _rgb(colour: str | None) -> str | None:
    return f"FF{colour[1:].upper()}" if colour is not None and _COLOUR.fullmatch(colour) else None


def _bold_and_italic(looks: Looks) -> str:
    made = "<b/>" if _is_bold(looks.get("font-weight", "normal")) else ""
    return made + ("<i/>" if looks.get("font-style", "normal") != "normal" else "")


def _font(looks: Looks) -> str:
    made = _bold_and_italic(looks)
    if looks.get("text-line-through-style", "none") != "none":
        made += "<strike/>"
    if looks.get("text-underline-style", "none") != "none":
        made += "<u/>"
    made += f'<sz val="{looks.get("size", _USUAL["size"])}"/>'
    colour = _rgb(looks.get("color")) if looks.get("use-window-font-color") != "true" else None
    made += f'<color rgb="{colour}"/>' if colour else ""
    return f'<font>{made}<name val="{escaped(looks.get("font", _USUAL["font"]))}"/></font>'


def _is_bold(weight: str) -> bool:
    return weight == "bold" or (weight.isdigit() and int(weight) >= 600)


def _fill(looks: Looks) -> str:
    colour = _rgb(looks.get("background-color"))
    if colour is None:
        return '<fill><patternFill patternType="none"/></fill>'
    return f'<fill><patternFill patternType="solid"><fgColor rgb="{colour}"/></patternFill></fill>'


def _border(looks: Looks) -> str:
    made = ""
    for edge in ("border-left", "border-right", "border-top", "border-bottom"):
        name, line = edge.removeprefix("border-"), line_of(looks.get(edge))
        if line is None:
            made += f"<{name}/>"
            continue
        words = str(line).split("-")
        made += f'<{name} style="{words[0] + "".join(word.title() for word in words[1:])}"/>'
    return f"<border>{made}</border>"


def line_of(said: str | None) -> Line | None:
    """The line that a border is (20.183); None for none."""
    words = (said or "none").split()
    style = next((word for word in words if word.isalpha() or ("-" in word and word[0].isalpha())), "solid")
    if said is None or style in ("none", "hidden"):
        return None
    width = next((centimetres(word) for word in words if centimetres(word) is not None), None)
    points = (width if width is not None else _POINT) / _POINT
    wide = points > Decimal("1.5")
    if style in ("double", "double-thin"):
        return Line.DOUBLE
    if style in ("dotted",):
        return Line.DOTTED
    if style == "fine-dashed":
        return Line.DASHED
    if style == "dashed":
        return Line.MEDIUM_DASHED if wide else Line.DASHED
    if style == "dash-dot":
        if Decimal("1.745") < points < Decimal("1.755"):
            return Line.SLANT_DASH_DOT
        return Line.MEDIUM_DASH_DOT if wide else Line.DASH_DOT
    if style == "dash-dot-dot":
        return Line.MEDIUM_DASH_DOT_DOT if wide else Line.DASH_DOT_DOT
    if points < Decimal("0.4"):
        return Line.HAIR
    return Line.THICK if points > Decimal("2.1") else Line.MEDIUM if wide else Line.THIN


def _alignment(looks: Looks) -> str:
    said = {}
    if looks.get("repeat-content") == "true":
        said["horizontal"] = "fill"
    elif looks.get("text-align-source") == "fix" and looks.get("text-align", "start") in _ALIGNED:
        said["horizontal"] = _ALIGNED[looks.get("text-align", "start")]
    vertical = looks.get("vertical-align", "automatic")
    said |= {"vertical": "center" if vertical == "middle" else vertical} if vertical in ("top", "middle") else {}
    if looks.get("wrap-option") == "wrap":
        said["wrapText"] = "1"
    indent = centimetres(looks.get("margin-left"))
    if indent and said.get("horizontal") in ("left", "right"):
        said["indent"] = str(max(0, round(indent / INDENT)))
    if looks.get("direction") == "ttb":
        said["textRotation"] = "255"
    else:
        angle = looks.get("rotation-angle", "0").removesuffix("deg")
        try:
            degrees = round(float(angle)) % 360
        except (ValueError, OverflowError):
            degrees = 0
        if degrees:
            said["textRotation"] = str(degrees if degrees <= 90 else 90 + (360 - degrees) if degrees >= 270 else 0)
    return "<alignment " + " ".join(f'{name}="{each}"' for name, each in said.items()) + "/>" if said else ""


def _emphasis(looks: Looks) -> str:
    """A style as the look of a conditional format."""
    font = _bold_and_italic(looks)
    colour = _rgb(looks.get("color")) if looks.get("use-window-font-color") != "true" else None
    font += f'<color rgb="{colour}"/>' if colour and colour != "FF000000" else ""
    fill = _rgb(looks.get("background-color"))
    inside = f'<fill><patternFill><bgColor rgb="{fill}"/></patternFill></fill>' if fill else ""
    return f"<dxf>{f'<font>{font}</font>' if font else ''}{inside}</dxf>"


# -- the way back

#: Attributes by the element of the properties and the namespace: what one field of a look is written as.
Edits = dict[str, dict[tuple[str, str], str | None]]


def ensure_has(word: str, look: Any) -> None:
    """Raises `Failure` for a look that an Open Document cannot keep."""
    if word == "alignment" and look not in (*_ALIGN, Alignment.GENERAL, Alignment.FILL):
        raise Failure(f'an OpenDocument file has no alignment "{look}". Save it as .xlsx first')
    if word == "vertical-alignment" and look not in _UP_DOWN:
        raise Failure(f'an OpenDocument file has no vertical alignment "{look}". Save it as .xlsx first')


def edits_of(word: str, look: Any, former: Looks, font_name: str) -> Edits:
    """What writes one field of a look; `former` are the properties before, and `font_name` how its font is declared."""
    if word == "locked":
        return {_CELL: {(STYLE, "cell-protect"): "protected" if look else "none"}}
    if word == "fill":
        return {_CELL: {(FO, "background-color"): look or "transparent"}}
    if word == "borders" or word in EDGES:
        return {_CELL: _edges(word, look, former)}
    if word == "alignment":
        source = "value-type" if look == Alignment.GENERAL else "fix"
        return {
            _CELL: {
                (STYLE, "text-align-source"): source,
                (STYLE, "repeat-content"): "true" if look == Alignment.FILL else "false",
            },
            _PARAGRAPH: {(FO, "text-align"): _ALIGN.get(look, "start")},
        }
    if word == "vertical-alignment":
        return {_CELL: {(STYLE, "vertical-align"): _UP_DOWN[look]}}
    if word == "wrapped":
        return {_CELL: {(FO, "wrap-option"): "wrap" if look else "no-wrap"}}
    if word == "indent":
        made: Edits = {_PARAGRAPH: {(FO, "margin-left"): f"{INDENT * look:.3f}cm"}}
        if former.get("text-align-source") != "fix":
            made[_CELL] = {(STYLE, "text-align-source"): "fix", (STYLE, "repeat-content"): "false"}
            made[_PARAGRAPH][FO, "text-align"] = "start"
        return made
    if word == "rotation":
        if look is None:
            return {_CELL: {(STYLE, "direction"): "ttb", (STYLE, "rotation-angle"): None}}
        return {_CELL: {(STYLE, "direction"): "ltr", (STYLE, "rotation-angle"): str(look % 360)}}
    return {_TEXT: _letters_of(word, look, font_name)}


def _edges(word: str, look: Line | None, former: Looks) -> dict[tuple[str, str], str | None]:
    said: dict[tuple[str, str], str | None] = {(FO, "border"): None, (STYLE, "border-line-width"): None}
    for each in EDGES:
        if word not in ("borders", each):
            said[FO, each] = former.get(each, "none")
            continue
        said[FO, each] = "none" if look is None else f"{_WRITTEN[look]} #000000"
        width = "border-line-width" + each.removeprefix("border")
        said[STYLE, width] = "0.018cm 0.026cm 0.018cm" if look is Line.DOUBLE else None
    return said


def _letters_of(word: str, look: Any, font_name: str) -> dict[tuple[str, str], str | None]:
    if word == "colour":
        if look is None:
            return {(FO, "color"): None, (STYLE, "use-window-font-color"): "true"}
        return {(FO, "color"): look, (STYLE, "use-window-font-color"): None}
    if word == "underlined":
        drawn = "solid" if look else "none"
        more = {"text-underline-width": "auto", "text-underline-color": "font-color"} if look else {}
        return {(STYLE, "text-underline-style"): drawn, **{(STYLE, name): said for name, said in more.items()}}
    if word == "strikethrough":
        drawn = "solid" if look else "none"
        return {
            (STYLE, "text-line-through-style"): drawn,
            (STYLE, "text-line-through-type"): "single" if look else "none",
        }
    if word == "font":
        return {
            (STYLE, "font-name"): font_name, (FO, "font-family"): None,
            (STYLE, "font-name-asian"): font_name, (STYLE, "font-name-complex"): font_name,
        }  # fmt: skip
    name, said = {
        "bold": ("font-weight", "bold" if look else "normal"),
        "italic": ("font-style", "italic" if look else "normal"),
        "size": ("font-size", f"{look}pt"),
    }[word]
    return {(FO, name): said, (STYLE, f"{name}-asian"): said, (STYLE, f"{name}-complex"): said}


def emphasis_edits(emphasis: Emphasis) -> Edits:
    """What writes the look of a conditional format."""
    made: Edits = {}
    for word, look in (("fill", emphasis.fill), ("colour", emphasis.colour)):
        if look is not None:
            _join(made, edits_of(word, look, Looks(), ""))
    for word, on in (("bold", emphasis.bold), ("italic", emphasis.italic)):
        if on:
            _join(made, edits_of(word, True, Looks(), ""))
    return made


def _join(made: Edits, more: Edits) -> None:
    for element, said in more.items():
        made.setdefault(element, {}).update(said)


def restyled(data: bytes, span: Span, name: str, own: Mapping[tuple[str, str], str | None], edits: Edits) -> bytes:
    """A style like another one, under another name, with these attributes of its own and of its properties."""
    said: dict[str, str | None] = {}
    for (uri, local), text in {(STYLE, "name"): name, (STYLE, "display-name"): None, **own}.items():
        written, declared = attribute(span, local, uri)
        said |= {**declared, written: text}
    element = data[span.start : span.end]
    for each in _ORDER:
        if each in edits:
            element = with_properties(element, span, each, edits[each])
    root = parse_element(element, 0, len(element), span.namespaces)
    return spliced(element, set_attributes(element, root, said.items()))


def with_properties(element: bytes, of: Span, name: str, said: Mapping[tuple[str, str], str | None]) -> bytes:
    """A style with attributes set on one of the elements of its properties, which is made where it is missing."""
    root = parse_element(element, 0, len(element), of.namespaces)
    old = root.child(name, uri=STYLE)
    if old is not None:
        values: dict[str, str | None] = {}
        for (uri, local), text in said.items():
            written, declared = attribute(old, local, uri)
            values |= {**declared, written: text}
        return spliced(element, set_attributes(element, old, values.items()))
    values = {}
    for (uri, local), text in said.items():
        if text is not None:
            written, declared = attribute(root, local, uri)
            values |= {**declared, written: text}
    attributes = "".join(f' {each}="{escaped(text or "")}"' for each, text in values.items())
    fresh = f"<{root.prefix}{name}{attributes}/>".encode()
    earlier = _ORDER[: _ORDER.index(name)] if name in _ORDER else ()
    later = [child for child in root.children if child.name not in earlier]
    if later:
        return spliced(element, [Splice(later[0].start, later[0].start, fresh)])
    return spliced(element, ended(element, root, fresh))


def all_names(roots: Iterator[Span]) -> set[str]:
    """The names of all styles in some parts, of whatever family."""
    return {
        value(span, "name", STYLE) or ""
        for root in roots
        for holder in root.children
        if holder.name in ("automatic-styles", "styles")
        for span in holder.children
    }
