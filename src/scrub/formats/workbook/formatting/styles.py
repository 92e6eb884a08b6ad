"""How cells look (ISO/IEC 29500-1, 18.8): cell formats are shared, so a changed look is a new format, added once."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from scrub.formats.spans import Span, Splice, escaped, number_in, numbered, parse, spliced
from scrub.formats.workbook.elements import all_placed, attributes_inside
from scrub.formats.workbook.formatting import alignment as placing
from scrub.formats.workbook.formatting import borders as edges
from scrub.formats.workbook.formatting import fonts as letters
from scrub.formats.workbook.formatting.alignment import PLACING
from scrub.formats.workbook.formatting.colours import Colours
from scrub.formats.xmltext import unescaped, xstring_value
from scrub.model.cells.grid import EDGES
from scrub.model.cells.validation import Emphasis
from scrub.model.core.problem import Failure

#: The number formats that need no entry (18.8.30); those left out differ from place to place.
BUILT_IN = {
    0: "General", 1: "0", 2: "0.00", 3: "#,##0", 4: "#,##0.00", 9: "0%", 10: "0.00%", 11: "0.00E+00", 12: "# ?/?",
    13: "# ??/??", 14: "mm-dd-yy", 15: "d-mmm-yy", 16: "d-mmm", 17: "mmm-yy", 18: "h:mm AM/PM", 19: "h:mm:ss AM/PM",
    20: "h:mm", 21: "h:mm:ss", 22: "m/d/yy h:mm", 37: "#,##0 ;(#,##0)", 38: "#,##0 ;[Red](#,##0)",
    39: "#,##0.00;(#,##0.00)", 40: "#,##0.00;[Red](#,##0.00)", 45: "mm:ss", 46: "[h]:mm:ss", 47: "mmss.0",
    48: "##0.0E+0", 49: "@",
}  # fmt: skip

NUMBER, DATE, TIME, DURATION = "number", "date", "time", "duration"


def sort_of(form: str) -> str:
    """What a number shown in this form is: a number, a date, a time, or a duration."""
    first = re.sub(r'"[^"]*"|\\.|_.|\*.', "", form.split(";")[0]).lower()
    if re.search(r"\[(h+|m+|s+)\]", first):
        return DURATION
    plain = re.sub(r"\[[^\]]*\]", "", first)
    if "general" in plain:
        return NUMBER
    days, hours = re.search(r"[yd]", plain), re.search(r"[hs]", plain)
    if not days and not hours:
        return DATE if re.search(r"m", plain) else NUMBER
    if days:
        return TIME if hours else DATE
    return DURATION


class Format:
    """One cell format: the attributes of its `xf`, and of the elements inside it."""

    __slots__ = ("alignment", "attributes", "others", "protection")

    def __init__(
        self, attributes: dict[str, str], alignment: dict[str, str], protection: dict[str, str], others: bytes
    ) -> None:
        self.attributes = attributes
        self.alignment = alignment
        self.protection = protection
        self.others = others

    def number(self, word: str) -> int:
        """A number among its attributes."""
        return number_in(self.attributes, word)


#: The kinds of table styles that every workbook has, and how many there are.
_TABLE_STYLES = {"Light": 21, "Medium": 28, "Dark": 11}


class Styles:
    """The styles part. What is added is written when the file is saved."""

    def __init__(self, data: bytes, theme: Callable[[], bytes]) -> None:
        self.data = data
        self.root = parse(data)
        self.prefix = self.root.prefix
        self.colours = Colours(theme, self._own_palette)
        forms = self.root.child("numFmts")
        self._forms = dict(BUILT_IN)
        for span in forms.all("numFmt") if forms else ():
            self._forms[number_in(span.attributes, "numFmtId")] = unescaped(
                span.attributes.get("formatCode", "General")
            )
        self._own_forms: dict[str, int] = {}
        self._fonts, self._first_fonts = self._elements("fonts", "font")
        self._fills, self._first_fills = self._elements("fills", "fill")
        self._borders, self._first_borders = self._elements("borders", "border")
        holder = self.root.child("cellXfs")
        self.formats = [self._format(span) for span in holder.all("xf")] if holder else []
        self.first_formats = len(self.formats)
        self._dxfs, self._first_dxfs = self._elements("dxfs", "dxf")
        self._derived: dict[tuple[int, str, object], int] = {}
        self._origins: dict[int, tuple[int, dict[str, object]]] = {}  # what each added format was made of
        self._same: dict[tuple[object, ...], int] = {}
        self._sorts: dict[int, str] = {}
        self._looks: dict[tuple[int, str], object] = {}

    def table_styles(self) -> dict[str, str]:
        """The styles that a table of the workbook can have, by what they are written by: those of every workbook
        (18.5.1.5) and its own.
        """
        holder = self.root.child("tableStyles")
        own = [unescaped(span.attributes.get("name", "")) for span in holder.all("tableStyle")] if holder else []
        usual = [f"TableStyle{sort}{number}" for sort, most in _TABLE_STYLES.items() for number in range(1, most + 1)]
        return {name: name for name in (*own, *usual)}

    def _own_palette(self) -> list[str]:
        """The palette that the workbook has in place of the usual one (18.8.27); empty where it has none."""
        colours = self.root.child("colors")
        palette = colours.child("indexedColors") if colours else None
        return (
            [span.attributes.get("rgb", "000000")[-6:].lower() for span in palette.all("rgbColor")] if palette else []
        )

    def _elements(self, holder: str, name: str) -> tuple[list[bytes], int]:
        span = self.root.child(holder)
        found = [self.data[element.start : element.end] for element in span.all(name)] if span else []
        return found, len(found)

    def _format(self, span: Span) -> Format:
        alignment, protection = span.child("alignment"), span.child("protection")
        others = b"".join(
            self.data[child.start : child.end]
            for child in span.children
            if child.name not in ("alignment", "protection")
        )
        return Format(
            dict(span.attributes),
            dict(alignment.attributes) if alignment else {},
            dict(protection.attributes) if protection else {},
            others,
        )

    def of(self, style: int) -> Format:
        """A cell format by its number; one that is not there is the first."""
        return numbered(self.formats, style) or numbered(self.formats, 0) or Format({}, {}, {}, b"")

    # -- reading

    def form(self, style: int) -> str:
        """The number format of a cell format."""
        return self._forms.get(self.of(style).number("numFmtId"), "General")

    def sort(self, style: int) -> str:
        """What a number with this cell format is."""
        result = self._sorts.get(style)
        if result is None:
            number = self.of(style).number("numFmtId")
            local = 27 <= number <= 36 or 50 <= number <= 58  # forms of dates in East Asia (18.8.30)
            result = self._sorts[style] = DATE if local and number not in self._forms else sort_of(self.form(style))
        return result

    def is_moment(self, style: int) -> bool:
        """Whether a number with this cell format is read as a date, a time or a duration."""
        return self.sort(style) in (DATE, TIME, DURATION)

    def locked(self, style: int) -> bool:
        """Whether a cell of this format is locked; it is unless it says otherwise (18.8.33)."""
        return self.of(style).protection.get("locked", "1") not in ("0", "false")

    def look(self, style: int, word: str) -> object:
        """A field of how a cell of this format looks. A format is never changed, only others are added."""
        try:
            return self._looks[style, word]
        except KeyError:
            result = self._read_look(style, word)
            if 0 <= style < len(self.formats):
                self._looks[style, word] = result
            return result

    def _read_look(self, style: int, word: str) -> object:
        if word == "locked":
            return self.locked(style)
        if word == "number-format":
            return self.form(style)
        if word in PLACING:
            return placing.look(self.of(style).alignment, word)
        if word == "fill":
            return self._fill_colour(self.of(style).number("fillId"))
        if word == "borders" or word in EDGES:
            return edges.line(numbered(self._borders, self.of(style).number("borderId")) or b"", word)
        return letters.look(self._font(self.of(style).number("fontId")), word, self.colours)

    def is_filled(self, style: int) -> bool:
        """Whether anything is drawn behind a cell of this format: a colour, a pattern or a gradient."""
        found = numbered(self._fills, self.of(style).number("fillId")) or b""
        pattern = re.search(rb'patternType="(\w+)"', found)
        return b"gradientFill" in found or (pattern is not None and pattern[1] != b"none")

    def is_local(self, style: int) -> bool:
        """Whether each program shows this form in the manner of its own country (18.8.30): short dates and times."""
        return self.of(style).number("numFmtId") in (14, 22)

    def _font(self, number: int) -> bytes:
        return numbered(self._fonts, number) or b""

    def _fill_colour(self, number: int) -> str | None:
        fill = numbered(self._fills, number) or b""
        pattern = re.search(rb'patternType="(\w+)"', fill)
        if pattern is None or pattern[1] == b"none" or b"gradientFill" in fill:
            return None
        colour = attributes_inside(fill, "fgColor" if pattern[1] == b"solid" else "bgColor")
        return self.colours.read(colour) if colour is not None else None

    # -- changing

    def derived(self, style: int, word: str, value: object) -> int:
        """The number of the format that is like this one but for one field; one that was derived before and gets its
        own look back is the first one again.
        """
        if not 0 <= style < len(self.formats):
            style = 0
        key = (style, word, value)
        result = self._derived.get(key)
        if result is None:
            base, looks = self._origins.get(style, (style, {}))
            looks = dict(looks)
            for each in EDGES if word == "borders" else (word,):
                looks[each] = value
                if self.look(base, each) == value and not (each == "fill" and value is None and self.is_filled(base)):
                    del looks[each]
            result = base
            for of in looks.items():
                result = self._derive(result, *of)
            if looks:
                self._origins[result] = (base, looks)
            self._derived[key] = result
        return result

    def origin(self, style: int) -> tuple[int, Mapping[str, object]]:
        """The format that an added one comes from, and what it looks like otherwise, by field."""
        return self._origins.get(style, (style, {}))

    def _derive(self, style: int, word: str, value: Any) -> int:
        base = self.of(style)
        fresh = Format(dict(base.attributes), dict(base.alignment), dict(base.protection), base.others)
        of = fresh.attributes
        if word == "locked":
            fresh.protection["locked"] = "1" if value else "0"
            of["applyProtection"] = "1"
        elif word == "number-format":
            of["numFmtId"], of["applyNumberFormat"] = str(self._form_number(value)), "1"
        elif word in PLACING:
            placing.put(fresh.alignment, word, value)
            of["applyAlignment"] = "1"
        elif word == "borders" or word in EDGES:
            border = numbered(self._borders, fresh.number("borderId")) or f"<{self.prefix}border/>".encode()
            made = edges.with_line(border, word, value, self.prefix)
            of["borderId"], of["applyBorder"] = str(_index(self._borders, made)), "1"
        elif word == "fill":
            of["fillId"], of["applyFill"] = str(self._fill_number(value)), "1"
        else:
            font = self._font(fresh.number("fontId")) or f"<{self.prefix}font/>".encode()
            made = letters.with_look(font, word, value, self.colours, self.prefix)
            of["fontId"], of["applyFont"] = str(_index(self._fonts, made)), "1"
        return self._added(fresh)

    def _added(self, fresh: Format) -> int:
        key = (
            *(tuple(sorted(each.items())) for each in (fresh.attributes, fresh.alignment, fresh.protection)),
            fresh.others,
        )
        if key not in self._same:
            self.formats.append(fresh)
            self._same[key] = len(self.formats) - 1
        return self._same[key]

    def _form_number(self, form: str) -> int:
        if not form.strip():
            raise Failure('a number format is text such as "0.00" or "d mmm yyyy"')
        if form.lower() == "general":
            return 0
        known = next((number for number, each in self._forms.items() if each == form), None)
        if known is not None:
            return known
        number = max(163, *self._forms) + 1
        self._forms[number] = form
        self._own_forms[form] = number
        return number

    def _fill_number(self, colour: str | None) -> int:
        if colour is None:
            return 0
        p = self.prefix
        fresh = (
            f'<{p}fill><{p}patternFill patternType="solid"><{p}fgColor rgb="{self.colours.write(colour)}"/>'
            f'<{p}bgColor indexed="64"/></{p}patternFill></{p}fill>'
        ).encode()
        return _index(self._fills, fresh)

    # -- looks of conditional formats (18.8.14, 18.8.15)

    def emphasis(self, number: int) -> Emphasis:
        """What a look of conditional formats says, as far as a macro can tell."""
        written = numbered(self._dxfs, number) or b"<dxf/>"
        root = parse(written)
        font = root.child("font")
        inside = written[font.start : font.end] if font is not None else b"<font/>"
        fill = root.child("fill")
        found = attributes_inside(written[fill.start : fill.end], "bgColor") if fill is not None else None
        return Emphasis(
            self.colours.read(found) if found is not None else None,
            letters.look(inside, "colour", self.colours),
            bool(letters.look(inside, "bold", self.colours)),
            bool(letters.look(inside, "italic", self.colours)),
        )

    def emphasis_number(self, emphasis: Emphasis) -> int:
        """The number of a look for conditional formats; one that is not there yet is added."""
        p, font = self.prefix, ""
        if emphasis.bold or emphasis.italic or emphasis.colour is not None:
            font = f"<{p}font>" + f"<{p}b/>" * emphasis.bold + f"<{p}i/>" * emphasis.italic
            if emphasis.colour is not None:
                font += f'<{p}color rgb="{self.colours.write(emphasis.colour)}"/>'
            font += f"</{p}font>"
        fill = ""
        if emphasis.fill is not None:
            colour = self.colours.write(emphasis.fill)
            fill = f'<{p}fill><{p}patternFill><{p}bgColor rgb="{colour}"/></{p}patternFill></{p}fill>'
        return _index(self._dxfs, f"<{p}dxf>{font}{fill}</{p}dxf>".encode())

    def make(self, used: Sequence[int]) -> bytes | None:
        """The part with these added formats, in order, and what they need; None when there are none."""
        dxfs = self._dxfs[self._first_dxfs :]
        if not used and not dxfs:
            return None
        p = self.prefix
        fresh = [self.formats[style] for style in used]
        fonts = self._needed(fresh, "fontId", self._first_fonts)
        fills = self._needed(fresh, "fillId", self._first_fills)
        borders = self._needed(fresh, "borderId", self._first_borders)
        forms = {number: form for form, number in self._own_forms.items()}
        numbers = sorted({format_.number("numFmtId") for format_ in fresh} & set(forms))
        written = "".join(
            f'<{p}numFmt numFmtId="{number}" formatCode="{escaped(xstring_value(forms[number]))}"/>'
            for number in numbers
        )
        splices: list[Splice] = []
        whole: dict[str, bytes] = {}
        for holder, content, count in (
            ("numFmts", written.encode(), len(numbers)),
            ("fonts", b"".join(self._fonts[font] for font in fonts), len(fonts)),
            ("fills", b"".join(self._fills[fill] for fill in fills), len(fills)),
            ("borders", b"".join(self._borders[border] for border in borders), len(borders)),
            ("dxfs", b"".join(dxfs), len(dxfs)),
            ("cellXfs", b"".join(self._written(format_, fonts, fills, borders) for format_ in fresh), len(fresh)),
        ):
            splices += self._appended(holder, content, count, whole)
        return spliced(self.data, [*splices, *all_placed(self.root, whole)])

    @staticmethod
    def _needed(fresh: Sequence[Format], word: str, first: int) -> dict[int, int]:
        """The added fonts or fills that formats use, each with its number in the file."""
        needed = sorted({format_.number(word) for format_ in fresh if format_.number(word) >= first})
        return {number: first + place for place, number in enumerate(needed)}

    def _appended(self, holder: str, content: bytes, count: int, whole: dict[str, bytes]) -> list[Splice]:
        """What puts content at the end of a list; a list that is not there goes to `whole`."""
        if not count:
            return []
        span = self.root.child(holder)
        p = self.prefix
        if span is None:
            whole[holder] = f'<{p}{holder} count="{count}">'.encode() + content + f"</{p}{holder}>".encode()
            return []
        tag = self.data[span.start : span.open_end]
        number = len(span.children) + count
        fresh = re.sub(rb'count="\d+"', f'count="{number}"'.encode(), tag)
        if fresh.endswith(b"/>"):
            fresh = fresh[:-2] + b">"
            return [Splice(span.start, span.end, fresh + content + f"</{p}{holder}>".encode())]
        return [Splice(span.start, span.open_end, fresh), Splice(span.close_start, span.close_start, content)]

    def _written(
        self, fresh: Format, fonts: Mapping[int, int], fills: Mapping[int, int], borders: Mapping[int, int]
    ) -> bytes:
        p = self.prefix
        attributes = dict(fresh.attributes)
        for word, numbers in (("fontId", fonts), ("fillId", fills), ("borderId", borders)):
            if fresh.number(word) in numbers:
                attributes[word] = str(numbers[fresh.number(word)])

        def tag(name: str, attributes: dict[str, str]) -> str:
            return f"<{p}{name}" + "".join(f' {word}="{escaped(value)}"' for word, value in attributes.items())

        inner = (
            "".join(
                tag(name, attributes) + "/>"
                for name, attributes in (("alignment", fresh.alignment), ("protection", fresh.protection))
                if attributes
            ).encode()
            + fresh.others
        )
        opening = tag("xf", attributes).encode()
        return opening + b">" + inner + f"</{p}xf>".encode() if inner else opening + b"/>"


def _index(known: list[bytes], fresh: bytes) -> int:
    if fresh not in known:
        known.append(fresh)
    return known.index(fresh)
