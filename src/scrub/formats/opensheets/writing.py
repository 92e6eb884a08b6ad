"""How the elements of cells are written (OpenDocument 1.3, part 3, 9.1.4, 19.384)."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from scrub.formats.opendocument.read import DRAW, DUBLIN, OFFICE, SVG, TABLE, TEXT, XLINK
from scrub.formats.opensheets.cell_styles import CellStyles
from scrub.formats.opensheets.cell_text import written_text
from scrub.formats.opensheets.rows import CALCEXT
from scrub.formats.spans import Namespaces, Span, escaped, parse_element, tag_end, with_attributes
from scrub.formats.workbook.cells.decode import Decoder, stored_number
from scrub.formats.workbook.cells.number_formats import shown_as
from scrub.formats.workbook.cells.strings import Run
from scrub.formulas.calculation import Held, Lost
from scrub.formulas.values import ErrorValue
from scrub.model.core.amounts import Duration, number_text
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, shown

#: A value or formula that stays as it is.
STAYS: Any = object()
_VALUES = (
    (OFFICE, "value-type"), (OFFICE, "value"), (OFFICE, "date-value"), (OFFICE, "time-value"),
    (OFFICE, "boolean-value"), (OFFICE, "string-value"), (OFFICE, "currency"), (CALCEXT, "value-type"),
)  # fmt: skip
_FORMULAS = (
    (TABLE, "formula"), (TABLE, "number-matrix-columns-spanned"), (TABLE, "number-matrix-rows-spanned"),
)  # fmt: skip
#: An element of a cell with a plain text, or with nothing; its attributes; and those of its value.
_PLAIN = lazy_pattern(
    rb'<table:table-cell((?: [^\s=<>"\'/]+="[^"<]*")*)(?:/>|>(?:<text:p>[^<]*</text:p>)?</table:table-cell>)'
)
_SAID = lazy_pattern(rb' ([^\s=]+="[^"]*")')
_OF_VALUE = (
    b"office:value", b"office:date-value", b"office:time-value", b"office:boolean-value", b"office:string-value",
    b"office:currency", b"calcext:value-type",
)  # fmt: skip
#: Values that are kept the way they are written.
_MANY = 100_000


class Prefixes:
    """The prefixes that a part has for namespaces."""

    def __init__(self, namespaces: Namespaces) -> None:
        self.namespaces = namespaces
        self._known = {uri: prefix for prefix, uri in namespaces.items()}

    def has(self, uri: str) -> bool:
        """Whether a namespace is declared."""
        return uri in self._known

    def __getitem__(self, uri: str) -> str:
        """The prefix of a namespace with its colon; it must be declared."""
        prefix = self._known[uri]
        return f"{prefix}:" if prefix else ""

    def attribute(self, uri: str, name: str) -> str:
        """An attribute by its namespace; a namespace that is the usual one has no attributes."""
        return f"{self[uri] or 'table:'}{name}"


class CellEdit:
    """What one cell is to be other than it is written."""

    __slots__ = ("comment", "formula", "link", "result", "runs", "spans", "style", "swaps", "validation", "value")

    def __init__(self) -> None:
        self.value: Any = STAYS
        self.formula: Any = STAYS  # as an attribute has it, None for none
        self.runs: list[Run] | None = None
        self.style: Any = STAYS  # the name of a style, None for none
        self.comment: Any = STAYS
        self.link: Any = STAYS
        self.validation: Any = STAYS
        self.spans: Any = STAYS  # columns and rows of a merged range, None for none; "covered" for a cell under one
        self.result: Any = STAYS  # what its formula gives
        self.swaps: Any = STAYS  # elements in it, each with what is to be in its place

    @property
    def is_plain(self) -> bool:
        """Whether nothing but a value is to be another one."""
        return self.value is not STAYS and self.runs is None and all(
            each is STAYS for each in (
                self.formula, self.style, self.comment, self.link, self.validation, self.spans, self.swaps, self.result,
            )
        )  # fmt: skip

    @property
    def writes_value(self) -> bool:
        """Whether what is seen in the cell is another text: a formula that goes leaves its result."""
        return self.value is not STAYS or (self.formula is not STAYS and self.formula is not None)


class CellWriter:
    """Writes the elements of cells of one workbook."""

    def __init__(self, prefixes: Prefixes, styles: CellStyles, decoder: Decoder) -> None:
        self.prefixes = prefixes
        self._styles = styles
        self._decoder = decoder
        self._made: dict[tuple[type, Any, str | None], bytes] = {}  # values that are there often
        usual = {TABLE: "table:", OFFICE: "office:", TEXT: "text:"}
        self._is_usual = all(prefixes.has(uri) and prefixes[uri] == prefix for uri, prefix in usual.items())
        self.sorts: dict[str, tuple[str, str | None, str]] = {}  # of new styles: sort, currency and code
        self._cell = f"{prefixes[TABLE]}table-cell"
        self._covered = f"{prefixes[TABLE]}covered-table-cell"

    # -- elements

    def blank(self, count: int = 1) -> bytes:
        """An element with nothing in it."""
        more = f' {self.prefixes.attribute(TABLE, "number-columns-repeated")}="{count}"' if count > 1 else ""
        return f"<{self._cell}{more}/>".encode()

    def counted(self, element: bytes, count: int, name: str = "number-columns-repeated") -> bytes:
        """An element for a number of equal ones."""
        return with_attributes(element, {self.prefixes.attribute(TABLE, name): str(count) if count > 1 else None})

    def changed(self, element: bytes, edit: CellEdit, style: str | None) -> bytes:
        """An element of a single cell with an edit; `style` is the name of the style that it has after that."""
        if edit.is_plain:
            quick = self._quickly(element, edit.value, style)
            if quick is not None:
                return quick
        p = self.prefixes
        said: dict[str, str | None] = {}
        if edit.style is not STAYS:
            said[p.attribute(TABLE, "style-name")] = edit.style
        if edit.validation is not STAYS:
            said[p.attribute(TABLE, "content-validation-name")] = edit.validation
        open_end = tag_end(element, 0)
        root = parse_element(element, 0, len(element), p.namespaces)
        inside = element[open_end : root.close_start] if root.close_start > open_end else b""
        for old, new in edit.swaps if edit.swaps is not STAYS else ():
            element = element.replace(old, new, 1)
            root = parse_element(element, 0, len(element), p.namespaces)
            inside = element[open_end : root.close_start]
        if edit.formula is not STAYS:
            said |= {p.attribute(uri, name): None for uri, name in _FORMULAS}
            if edit.formula is not None:
                said[p.attribute(TABLE, "formula")] = edit.formula
        written = edit.writes_value
        if written:
            said |= {p.attribute(uri, name): None for uri, name in _VALUES if p.has(uri)}
        if written or edit.link is not STAYS or edit.comment is not STAYS:
            inside = self._inside(element, root, edit, said, style)
        name = root.raw_name
        if edit.spans is not STAYS:
            across = edit.spans[0] if isinstance(edit.spans, tuple) else None
            down = edit.spans[1] if isinstance(edit.spans, tuple) else None
            said[p.attribute(TABLE, "number-columns-spanned")] = str(across) if across else None
            said[p.attribute(TABLE, "number-rows-spanned")] = str(down) if down else None
            name = self._covered if edit.spans == "covered" else self._cell
        tag = with_attributes(element[:open_end], said).rstrip()
        tag = b"<" + name.encode() + tag[1 + len(root.raw_name.encode()) :]
        tag = tag.removesuffix(b"/>").removesuffix(b">").rstrip()
        return tag + (b">" + inside + b"</" + name.encode() + b">" if inside else b"/>")

    def _inside(
        self, element: bytes, root: Span, edit: CellEdit, said: dict[str, str | None], style: str | None
    ) -> bytes:
        """What is in the element: what comes before a text, its paragraphs, what comes after."""
        before, text, after = b"", b"", b""
        for child in root.children:
            raw = element[child.start : child.end]
            if child.uri == TEXT and child.name in ("p", "h"):
                text += raw
            elif child.uri == OFFICE and child.name == "annotation":
                before += raw if edit.comment is STAYS else self.comment(edit.comment, raw, child, element)
            elif text and child.uri == DRAW:
                after += raw
            else:
                before += raw
        if edit.comment is not STAYS and edit.comment is not None and b"annotation" not in before:
            before = self.comment(edit.comment) + before
        if edit.writes_value:
            text = b"" if edit.value is None or edit.value is STAYS else self._value(edit, said, style)
        if edit.link is not STAYS:
            text = self._linked(text, edit.link)
        return before + text + after

    def _quickly(self, element: bytes, value: Any, style: str | None) -> bytes | None:
        """A plain element with another value; None for one that is written in another way."""
        found = _PLAIN.fullmatch(element)
        if found is None or not self._is_usual:
            return None
        kept = b"".join(b" " + said for said in _SAID.findall(found[1]) if not said.startswith(_OF_VALUE))
        if value is None:
            return b"<table:table-cell" + kept + b"/>"
        key = (type(value), value, style)
        made = self._made.get(key)
        if made is None:
            attributes, text = self.value_attributes(value, style)
            said = "".join(f' {name}="{escaped(each or "")}"' for name, each in attributes.items())
            made = said.encode() + b">" + written_text(text, "text:") + b"</table:table-cell>"
            if len(self._made) < _MANY:
                self._made[key] = made
        return b"<table:table-cell" + kept + made

    # -- values

    def _value(self, edit: CellEdit, said: dict[str, str | None], style: str | None) -> bytes:
        """Says a value in attributes; gives the paragraphs that show it."""
        value = edit.value
        attributes, text = self.value_attributes(value, style)
        said |= attributes
        return written_text(text, self.prefixes[TEXT], edit.runs)

    def value_attributes(self, value: Any, style: str | None) -> tuple[dict[str, str | None], str]:
        """The attributes of a value of a macro, and the text that shows it."""
        sort, currency, code = self._sort(style)
        if isinstance(value, bool):
            return self._said("boolean", "boolean-value", "true" if value else "false"), "TRUE" if value else "FALSE"
        if isinstance(value, str):
            return self._said("string", None, ""), value
        if isinstance(value, Duration):
            return self._said("time", "time-value", duration_text(value)), self._shown(value, code, "[h]:mm:ss")
        if isinstance(value, date):
            usual = "yyyy-mm-dd hh:mm:ss" if isinstance(value, datetime) else "yyyy-mm-dd"
            return self._said("date", "date-value", value.isoformat()), self._shown(value, code, usual)
        number = Decimal(value)
        type_ = sort if sort in ("percentage", "currency") else "float"
        said = self._said(type_, "value", stored_number(number))
        if type_ == "currency" and currency is not None and len(currency) == 3 and currency.isalpha():
            said[self.prefixes.attribute(OFFICE, "currency")] = currency
        return said, self._shown(number, code, "General")

    def _said(self, type_: str, name: str | None, value: str) -> dict[str, str | None]:
        said: dict[str, str | None] = {self.prefixes.attribute(OFFICE, "value-type"): type_}
        if name is not None:
            said[self.prefixes.attribute(OFFICE, name)] = value
        if self.prefixes.has(CALCEXT):
            said[self.prefixes.attribute(CALCEXT, "value-type")] = type_
        return said

    def _sort(self, style: str | None) -> tuple[str, str | None, str]:
        """What a style is for: the sort of its numbers, its currency, its code."""
        known = self.sorts.get(style or "")
        if known is None:
            form = self._styles.looks(style or "").get("form")
            numbers = self._styles.numbers
            known = self.sorts[style or ""] = numbers.sort(form), numbers.currency(form), numbers.code(form)
        return known

    def _shown(self, value: Value, code: str, otherwise: str) -> str:
        """What is seen of a value."""
        for form in (code, otherwise):
            if form == "General" and not isinstance(value, Decimal):
                continue
            try:
                return shown_as(value, form, self._decoder)
            except Failure:
                continue
        return shown(value)

    def result(self, element: bytes, value: Held, style: str | None) -> bytes:
        """An element with a formula and another result; a lost one is left out, so that programs calculate it."""
        p = self.prefixes
        said: dict[str, str | None] = {p.attribute(uri, name): None for uri, name in _VALUES if p.has(uri)}
        text: str | None = None
        if isinstance(value, Lost):
            pass
        elif isinstance(value, ErrorValue):
            said |= {p.attribute(OFFICE, "value-type"): "string", p.attribute(OFFICE, "string-value"): ""}
            if p.has(CALCEXT):
                said[p.attribute(CALCEXT, "value-type")] = "error"
            text = value.code
        else:
            typed: Any = value
            if isinstance(value, float) or value is None:
                typed = self._moment(Decimal(repr(value or 0.0)) + 0, style)
            attributes, text = self.value_attributes(typed, style)
            said |= attributes
        open_end = tag_end(element, 0)
        root = parse_element(element, 0, len(element), p.namespaces)
        paragraphs = [child for child in root.children if child.uri == TEXT and child.name in ("p", "h")]
        fresh = written_text(text, p[TEXT]) if text is not None else b""
        kept = b"".join(element[child.start : child.end] for child in root.children if child not in paragraphs)
        tag = with_attributes(element[:open_end], said).rstrip().removesuffix(b"/>").removesuffix(b">").rstrip()
        inside = kept + fresh
        return tag + (b">" + inside + f"</{root.raw_name}>".encode() if inside else b"/>")

    def _moment(self, number: Decimal, style: str | None) -> Value:
        """A number as its format has it: a date, a time or itself."""
        sort, _, code = self._sort(style)
        if sort not in ("date", "time"):
            return number
        from scrub.formats.workbook.formatting.styles import sort_of
        from scrub.model.cells.grid import CellError

        value = self._decoder._moment(stored_number(number), sort_of(code), lambda: "")
        return number if isinstance(value, CellError) else value

    # -- links and comments

    def _linked(self, paragraphs: bytes, target: str | None) -> bytes:
        """Paragraphs that each lead somewhere, or do not any more."""
        p = self.prefixes
        data = b"<x>" + paragraphs + b"</x>"
        root = parse_element(data, 0, len(data), p.namespaces)
        made = b""
        for child in root.children:
            inner = data[child.open_end : child.close_start] if child.close_start > child.open_end else b""
            inner = re.sub(rb"</?" + p[TEXT].encode() + rb"a(?:\s[^>]*)?>", b"", inner)
            if target is not None and inner:
                declared = "" if p.has(XLINK) else f' xmlns:xlink="{XLINK}"'
                x = p[XLINK] if p.has(XLINK) else "xlink:"
                opening = f'<{p[TEXT]}a{declared} {x}href="{escaped(target)}" {x}type="simple">'
                inner = opening.encode() + inner + f"</{p[TEXT]}a>".encode()
            made += data[child.start : child.open_end].removesuffix(b"/>").removesuffix(b">").rstrip() + b">"
            made += inner + f"</{child.raw_name}>".encode()
        return made

    def comment(self, text: str | None, old: bytes = b"", span: Span | None = None, element: bytes = b"") -> bytes:
        """The element of a comment (14.1); an old one keeps its box, and who wrote it."""
        if text is None:
            return b""
        p = self.prefixes
        if span is None:
            d = p[DUBLIN] if p.has(DUBLIN) else "dc:"
            declared = "" if p.has(DUBLIN) else f' xmlns:dc="{DUBLIN}"'
            author = f"<{d}creator>Scrub</{d}creator>"
            size = f' {p[SVG]}width="2.899cm" {p[SVG]}height="1.8cm"' if p.has(SVG) else ""
            opening = f"<{p[OFFICE]}annotation{declared}{size}>{author}"
            return opening.encode() + written_text(text, p[TEXT]) + f"</{p[OFFICE]}annotation>".encode()
        first = next((child for child in span.children if child.uri == TEXT), None)
        kept = b"".join(element[child.start : child.end] for child in span.children if child.uri != TEXT)
        tag = element[first.start : first.open_end] if first is not None else b""
        tag = tag.removesuffix(b"/>").removesuffix(b">").rstrip() + b">"
        lines = written_text(text, p[TEXT])
        if first is not None:
            lines = lines.replace(f"<{p[TEXT]}p>".encode(), tag)
            if first.raw_name != f"{p[TEXT]}p":
                lines = lines.replace(f"</{p[TEXT]}p>".encode(), f"</{first.raw_name}>".encode())
        start = element[span.start : span.open_end].removesuffix(b"/>").removesuffix(b">").rstrip() + b">"
        return start + kept + lines + f"</{span.raw_name}>".encode()


def duration_text(value: Duration) -> str:
    """A duration as XML Schema has it (Part 2, 3.2.6), in hours as programs write it."""
    seconds = value.in_unit("seconds")
    sign = "-" if seconds < 0 else ""
    seconds = abs(seconds)
    hours, rest = divmod(seconds, 3600)
    minutes, rest = divmod(rest, 60)
    whole = rest == rest.to_integral_value()
    said = f"{int(rest):02d}" if whole else number_text(rest.quantize(Decimal("0.000000001")))
    return f"{sign}PT{int(hours):02d}H{int(minutes):02d}M{said}S"


def attributes_text(said: Mapping[str, str]) -> str:
    """Attributes as they are written in a tag."""
    return "".join(f' {name}="{escaped(value)}"' for name, value in said.items())
