"""Styles that are made when a workbook is saved: one for each new look, never changed where others use it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from itertools import count
from typing import Any

from scrub.formats.opendocument.read import DRAW, FO, OFFICE, STYLE, SVG, TABLE, TEXT
from scrub.formats.opensheets.cell_styles import (
    Edits,
    Looks,
    all_names,
    edits_of,
    emphasis_edits,
    restyled,
    with_properties,
)
from scrub.formats.opensheets.number_styles import NUMBER, sort_of_code, written_style
from scrub.formats.opensheets.projected_sheet import width_in_centimetres
from scrub.formats.opensheets.projection import Projection
from scrub.formats.opensheets.rows import CALCEXT
from scrub.formats.spans import Namespaces, Span, escaped, parse_element
from scrub.formats.workbook.formatting.styles import Styles
from scrub.model.cells.validation import Emphasis

LOEXT = "urn:org:documentfoundation:names:experimental:office:xmlns:loext:1.0"
#: The usual prefixes of namespaces, in which new elements are written first.
USUAL = {
    "style": STYLE, "fo": FO, "number": NUMBER, "table": TABLE, "svg": SVG, "text": TEXT, "office": OFFICE,
    "draw": DRAW, "calcext": CALCEXT, "loext": LOEXT, "of": "urn:oasis:names:tc:opendocument:xmlns:of:1.2",
    "tableooo": "http://openoffice.org/2009/table", "xlink": "http://www.w3.org/1999/xlink",
}  # fmt: skip
_TAG = re.compile(r"<[^>]*>")
_PREFIX = re.compile(r"(?<=[<\s/])(" + "|".join(USUAL) + r"):")


class Declaring:
    """Writes elements with the prefixes of a part, and notes the namespaces that the part has to declare for them."""

    def __init__(self, namespaces: Namespaces) -> None:
        self._known = {uri: prefix for prefix, uri in namespaces.items() if prefix}
        self._taken = set(namespaces)
        self.lacking: dict[str, str] = {}

    def __call__(self, made: str) -> str:
        """An element that is written with the usual prefixes."""
        return _TAG.sub(
            lambda tag: _PREFIX.sub(lambda found: f"{self.prefix(USUAL[found[1]], found[1])}:", tag[0]), made
        )

    def prefix(self, uri: str, usual: str) -> str:
        """The prefix of a namespace, which is declared if it has to be."""
        known = self._known.get(uri)
        if known is None:
            known = usual if usual not in self._taken else f"scrub-{usual}"
            self._known[uri] = known
            self._taken.add(known)
            self.lacking[f"xmlns:{known}"] = uri
        return known


class StyleMaker:
    """Makes the styles of one workbook that is saved."""

    def __init__(self, book: Projection, styles: Styles | None, declaring: Declaring) -> None:
        """`styles` are the looks that a run asked about; None where it asked about none."""
        self._book = book
        self._styles = styles
        self._declare = declaring
        self._taken = all_names(iter([book.root, *([book.common[1]] if book.common is not None else [])]))
        self._cells: dict[int, str | None] = {}
        self._others: dict[tuple[Any, ...], str] = {}
        self._forms: dict[str, str] = {}
        self._fonts: dict[str, str] = {}
        self._highlights: dict[Emphasis, str] = {}
        self.automatic: list[bytes] = []
        self.common: list[bytes] = []  # those with a name, by which conditional formats call them
        self.fonts: list[bytes] = []
        self.sorts: dict[str, tuple[str, str | None, str]] = {}

    def _free(self, stem: str) -> str:
        name = next(each for number in count(1) if (each := f"{stem}{number}") not in self._taken)
        self._taken.add(name)
        return name

    # -- cells

    def cell(self, number: int) -> str | None:
        """The name of the style that a cell format is."""
        book = self._book.styles
        if number < len(book.names):
            name = book.names[number]
            return name or ("Default" if "Default" in book.found else None)
        if number not in self._cells:
            assert self._styles is not None
            base, looks = self._styles.origin(number)
            self._cells[number] = self._made(book.names[base] if base < len(book.names) else "", looks)
        return self._cells[number]

    def _made(self, base: str, looks: Mapping[str, Any]) -> str:
        book = self._book.styles
        name = self._free("ce")
        former = Looks(book.looks(base))
        edits: Edits = {}
        own: dict[tuple[str, str], str | None] = {}
        code = book.form(base)
        sort, currency = book.numbers.sort(former.get("form")), book.numbers.currency(former.get("form"))
        for word, look in looks.items():
            if word == "number-format":
                own[STYLE, "data-style-name"] = self._form(str(look))
                code, sort, currency = str(look), sort_of_code(str(look)), None
                continue
            font = self._font(str(look)) if word == "font" else ""
            for element, said in edits_of(word, look, former, font).items():
                edits.setdefault(element, {}).update(said)
                former.update({local: text for (_, local), text in said.items() if text is not None})
        self.sorts[name] = (sort, currency, code)
        data, span = self._base(base, "table-cell")
        self.automatic.append(restyled(data, span, name, own, edits))
        return name

    def _base(self, base: str, family: str) -> tuple[bytes, Span]:
        """The element that a new style is made of: that of an automatic one, or one that comes from a named one."""
        styles = self._book.styles
        if base in styles.automatic:
            return styles.found[base]
        parent = base or ("Default" if "Default" in styles.found else "")
        return self._plain(family, parent)

    def _plain(self, family: str, parent: str = "") -> tuple[bytes, Span]:
        said = f' style:parent-style-name="{escaped(parent)}"' if parent else ""
        made = self._declare(f'<style:style style:name="x" style:family="{family}"{said}/>').encode()
        return made, parse_element(made, 0, len(made), self._namespaces)

    @property
    def _namespaces(self) -> Namespaces:
        lacking = {name.removeprefix("xmlns:"): uri for name, uri in self._declare.lacking.items()}
        return {**self._book.root.namespaces, **lacking}

    def _form(self, code: str) -> str:
        """The name of a data style for a code."""
        if code not in self._forms:
            numbers = self._book.styles.numbers
            known = next((name for name in sorted(numbers.names()) if numbers.code(name) == code), None)
            if known is None:
                known = self._free("N")
                written = written_style(code, known)
                self.automatic += [self._declare(each).encode() for each in written.elements]
            self._forms[code] = known
        return self._forms[code]

    def _font(self, family: str) -> str:
        """The name under which a font is declared."""
        known = self._book.styles.font_named(family) or self._fonts.get(family)
        if known is None:
            known = self._fonts[family] = family
            said = f"'{family}'" if " " in family else family
            made = f'<style:font-face style:name="{escaped(family)}" svg:font-family="{escaped(said)}"/>'
            self.fonts.append(self._declare(made).encode())
        return known

    def highlight(self, emphasis: Emphasis) -> tuple[str, str]:
        """The style for a look of conditional formats: how it is written, and what it is called."""
        if emphasis not in self._highlights:
            number = next(n for n in count(1) if f"Highlight_20_{n}" not in self._taken)
            name = f"Highlight_20_{number}"
            self._taken.add(name)
            edits = emphasis_edits(emphasis)
            inside = ""
            for element in ("table-cell-properties", "text-properties"):
                said = "".join(
                    f' {"fo" if uri == FO else "style"}:{local}="{escaped(text)}"'
                    for (uri, local), text in edits.get(element, {}).items() if text is not None
                )  # fmt: skip
                inside += f"<style:{element}{said}/>" if said else ""
            parent = ' style:parent-style-name="Default"' if "Default" in self._book.styles.found else ""
            self.common.append(
                f'<style:style style:name="{name}" style:display-name="Highlight {number}" '
                f'style:family="table-cell"{parent}>{inside}</style:style>'.encode()
            )
            self._highlights[emphasis] = name
        name = self._highlights[emphasis]
        return name, name.replace("_20_", " ")

    # -- rows, columns, tables

    def row_style(self, base: str | None, said: Mapping[str, str | None], breaks: bool | None) -> str | None:
        """The name of the style of a row that is like another one but for its height and its break."""
        edits: dict[tuple[str, str], str | None] = {}
        if "ht" in said:
            height = said["ht"]
            edits[STYLE, "row-height"] = None if height is None else f"{float(height) * 2.54 / 72:.4f}cm"
            edits[STYLE, "use-optimal-row-height"] = "true" if height is None else "false"
        if breaks is not None:
            edits[FO, "break-before"] = "page" if breaks else "auto"
        return self._like("table-row", base, "table-row-properties", edits)

    def column_style(self, base: str | None, width: str | None, breaks: bool | None, sized: bool) -> str | None:
        """The name of the style of a column that is like another one but for its width and its break."""
        edits: dict[tuple[str, str], str | None] = {}
        if sized:
            edits[STYLE, "column-width"] = f"{width_in_centimetres(width):.4f}cm" if width else None
            edits[STYLE, "use-optimal-column-width"] = None if width else "true"
        if breaks is not None:
            edits[FO, "break-before"] = "page" if breaks else "auto"
        return self._like("table-column", base, "table-column-properties", edits)

    def table_style(self, base: str | None, said: Mapping[str, str | None], master: str | None) -> str | None:
        """The name of the style of a sheet that is like another one but for these properties, and its page style."""
        edits: dict[tuple[str, str], str | None] = {}
        if "display" in said:
            edits[TABLE, "display"] = said["display"]
        if "tab-color" in said:
            style = self._book.table_styles.get(f"table {base}")
            holder = style.child("table-properties", uri=STYLE) if style is not None else None
            old = [name for name in (holder.attributes if holder is not None else {}) if name.endswith(":tab-color")]
            uri = TABLE
            for name in old:
                prefix = name.partition(":")[0]
                uri = holder.namespaces.get(prefix, TABLE) if holder is not None else TABLE
            edits[uri, "tab-color"] = said["tab-color"]
        own = {(STYLE, "master-page-name"): master} if master is not None else {}
        return self._like("table", base, "table-properties", edits, own)

    def _like(
        self,
        family: str,
        base: str | None,
        element: str,
        edits: Mapping[tuple[str, str], str | None],
        own: Mapping[tuple[str, str], str | None] | None = None,
    ) -> str | None:
        key = (family, base, tuple(edits.items()), tuple((own or {}).items()))
        if key not in self._others:
            known = self._book.table_styles.get(f"{family} {base}")
            name = self._free({"table-row": "ro", "table-column": "co", "table": "ta"}[family])
            data = self._data_of(known) if known is not None else b""
            if known is None:
                data, known = self._plain(family)
            every: Edits = {element: dict(edits)} if edits else {}
            self.automatic.append(_with_properties(data, known, name, element, own or {}, every))
            self._others[key] = name
        return self._others[key]

    def _data_of(self, span: Span) -> bytes:
        """The bytes of the part that an element is in."""
        frame = self._book.frame
        if frame[span.start : span.start + 1] == b"<" and span in _all(self._book.root):
            return frame
        assert self._book.common is not None
        return self._book.common[0]


def _all(root: Span) -> list[Span]:
    return [span for holder in root.children for span in holder.children]


def _with_properties(
    data: bytes, span: Span, name: str, element: str, own: Mapping[tuple[str, str], str | None], edits: Edits
) -> bytes:
    fresh = restyled(data, span, name, own, {})
    if element in edits:
        root = parse_element(fresh, 0, len(fresh), span.namespaces)
        fresh = with_properties(fresh, root, element, edits[element])
    return fresh
