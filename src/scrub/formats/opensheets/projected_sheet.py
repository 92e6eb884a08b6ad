"""One sheet of an Open Document as the elements that the model of sheets reads (ISO/IEC 29500-1, 18.3.1)."""

from __future__ import annotations

import posixpath
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal

from scrub.formats.opendocument.lengths import centimetres
from scrub.formats.opendocument.read import DRAW, DUBLIN, FO, OFFICE, STYLE, SVG, TABLE, TEXT, XLINK, of, value
from scrub.formats.opensheets.cell_text import text_in
from scrub.formats.opensheets.conditions import based, highlight_of, validation_of
from scrub.formats.opensheets.formulas import addresses
from scrub.formats.opensheets.projection import Projection, columns_of, key_attributes, relationships_part
from scrub.formats.opensheets.rows import CALCEXT, TableRows
from scrub.formats.spans import RELATIONSHIPS, Span, escaped, parse_element, whole
from scrub.formats.workbook.cells.strings import text_element
from scrub.formats.workbook.names.names import Names
from scrub.formats.workbook.rules.ruled import corner, sqref
from scrub.formats.xmltext import escaped_text, text_of, xstring
from scrub.model.core.amounts import Length
from scrub.model.core.area import MOST_COLUMNS, Area, address_of
from scrub.model.core.named import NamedTuple

#: Pixels in an inch, and the width of a digit of the usual font in them (18.3.1.13).
_PIXELS, _DIGIT, _INCH = 96, 7, Decimal("2.54")
_DRAWINGS = "http://schemas.openxmlformats.org/drawingml/2006"
#: What newer programs lock, by what the model calls it.
_LOCKS = {
    "insert-columns": "insertColumns", "insert-rows": "insertRows", "delete-columns": "deleteColumns",
    "delete-rows": "deleteRows", "use-autofilter": "autoFilter", "use-pivot": "pivotTables",
}  # fmt: skip


class FoundFrame(NamedTuple):
    """A frame with a picture or a chart: the cell it is in (row 0 for the sheet itself), and its bytes."""

    row: int
    column: int
    data: bytes
    span: Span
    target: str | None
    is_chart: bool


def stored_width(length: Decimal) -> str:
    """The stored width of a column, in characters, by its width in centimetres."""
    return f"{float(length / _INCH) * _PIXELS / _DIGIT:.6g}"


def width_in_centimetres(stored: str) -> Decimal:
    """The way back."""
    return Decimal(str(float(stored) * _DIGIT / _PIXELS)) * _INCH


class ProjectedSheet:
    """The elements of one sheet, each made when somebody asks."""

    def __init__(self, book: Projection, number: int, rows: Callable[[], TableRows]) -> None:
        """`number` is its place in the file from 0; `rows` gives its cells."""
        self.book = book
        self.number = number
        self.rows = rows
        self.name = book.names[number]
        self.outline = book.tables[number][1]
        self._data = book.tables[number][0]

    @property
    def makers(self) -> Mapping[str, Callable[[], bytes]]:
        """What makes the elements, by their names."""
        page = self.book.page(self.number)
        return {
            "sheetPr": self._properties, "sheetViews": lambda: self.book.views.sheet_view(self.name),
            "cols": self._columns, "sheetProtection": self._protection, "autoFilter": self._filter,
            "mergeCells": self._merges, "conditionalFormatting": self._conditional,
            "dataValidations": self._validations, "hyperlinks": self._links, "printOptions": page.options,
            "pageMargins": page.margins, "pageSetup": page.setup, "headerFooter": page.bands,
            "rowBreaks": lambda: self._breaks(True), "colBreaks": lambda: self._breaks(False),
            "legacyDrawing": lambda: b'<legacyDrawing xmlns:r="%b" r:id="rDrawn"/>' % RELATIONSHIPS.encode()
            if self._notes() else b"",
        }  # fmt: skip

    # -- the sheet as a whole

    def _properties(self) -> bytes:
        colour = self.book.table_property(self.number, "tab-color")
        made = f'<tabColor rgb="FF{colour[1:].upper()}"/>' if colour and re.fullmatch("#[0-9A-Fa-f]{6}", colour) else ""
        if self.book.page(self.number).fits:
            made += '<pageSetUpPr fitToPage="1"/>'
        return f"<sheetPr>{made}</sheetPr>".encode()

    def _protection(self) -> bytes:
        if value(self.outline, "protected", TABLE) != "true":
            return b""
        said = {"sheet": "1", "objects": "1", "scenarios": "1"}
        allowed = next((child for child in self.outline.children if child.name == "table-protection"), None)
        options = {name.rpartition(":")[2]: each for name, each in allowed.attributes.items()} if allowed else {}
        if options.get("select-protected-cells", "true" if allowed is None else "false") != "true":
            said["selectLockedCells"] = "1"
        if options.get("select-unprotected-cells", "true" if allowed is None else "false") != "true":
            said["selectUnlockedCells"] = "1"
        for option, name in _LOCKS.items():
            if options.get(option) == "true":
                said[name] = "0"
        written = "".join(f' {name}="{each}"' for name, each in said.items())
        return f"<sheetProtection{written}{key_attributes(self.outline)}/>".encode()

    def _filter(self) -> bytes:
        found = self.book.filter_of(self.number)
        if found is None:
            return b""
        filtered = "<filterColumn/>" if any(child.name == "filter" for child in found[2].children) else ""
        return f'<autoFilter ref="{found[1].corners}">{filtered}</autoFilter>'.encode()

    # -- columns

    def column_entries(self) -> Iterator[tuple[int, int, dict[str, str]]]:
        """The columns: first, last, and what is said of them."""
        levels = _levels(self.outline)
        at = 1
        for span, _ in columns_of(self.outline):
            count = whole(value(span, "number-columns-repeated", TABLE), 10**9) or 1
            last = min(at + count - 1, MOST_COLUMNS)
            if at <= MOST_COLUMNS:
                yield at, last, self._column(span, levels.get(span.start, 0))
            at += count

    def _column(self, span: Span, level: int) -> dict[str, str]:
        said: dict[str, str] = {}
        style = self.book.table_styles.get(f"table-column {value(span, 'style-name', TABLE)}")
        holder = style.child("table-column-properties", uri=STYLE) if style is not None else None
        width = centimetres(value(holder, "column-width", STYLE))
        if width is not None:
            said |= {"width": stored_width(width), "customWidth": "1"}
        if value(span, "visibility", TABLE) in ("collapse", "filter"):
            said["hidden"] = "1"
        if level:
            said["outlineLevel"] = str(level)
        number = self.book.styles.number(value(span, "default-cell-style-name", TABLE))
        if number:
            said["style"] = str(number)
        return said

    def _columns(self) -> bytes:
        entries = ""
        for first, last, said in self.column_entries():
            if said:
                written = "".join(f' {name}="{each}"' for name, each in said.items())
                entries += f'<col min="{first}" max="{last}"{written}/>'
        return f"<cols>{entries}</cols>".encode() if entries else b""

    # -- rows

    def row_attributes(self, row: int) -> dict[str, str]:
        """What the element of a row would say (18.3.1.73)."""
        return self.attributes_in(self.rows(), row)

    def attributes_in(self, rows: TableRows, row: int) -> dict[str, str]:
        """The same of the rows of another version of the sheet."""
        place = rows.place(row)
        if place < 0:
            return {}
        of_row = rows.row_attributes_of(place)
        said: dict[str, str] = {}
        if of_row.get("table:visibility") in ("collapse", "filter"):
            said["hidden"] = "1"
        holder = self._row_properties(of_row.get("table:style-name"))
        height = centimetres(value(holder, "row-height", STYLE))
        if height is not None and value(holder, "use-optimal-row-height", STYLE) != "true":
            said |= {"ht": f"{Length.of_cm(height).in_unit('pt'):.6g}", "customHeight": "1"}
        number = self.book.styles.number(of_row.get("table:default-cell-style-name"))
        if number:
            said |= {"s": str(number), "customFormat": "1"}
        level = self._row_levels(rows).get(rows.row_element(place).start, 0)
        return said | ({"outlineLevel": str(level)} if level else {})

    def _row_properties(self, name: str | None) -> Span | None:
        style = self.book.table_styles.get(f"table-row {name}")
        return style.child("table-row-properties", uri=STYLE) if style is not None else None

    def _row_levels(self, rows: TableRows) -> dict[int, int]:
        data = rows.data
        if b"table-row-group" not in data:
            return {}
        if "levels" not in rows.known:
            rows.known["levels"] = _levels(self.book.content.element(data))
        found: dict[int, int] = rows.known["levels"]
        return found

    def _breaks(self, is_row: bool) -> bytes:
        lines = sorted(self._breaks_before(is_row))
        entries = "".join(f'<brk id="{line - 1}" man="1"/>' for line in lines if line > 1)
        name = "rowBreaks" if is_row else "colBreaks"
        return f"<{name}>{entries}</{name}>".encode()

    def _breaks_before(self, is_row: bool) -> Iterator[int]:
        """The lines before which a page begins (20.184), and those after the ones that end one."""
        if not is_row:
            at = 1
            for span, _ in columns_of(self.outline):
                count = whole(value(span, "number-columns-repeated", TABLE), 10**9) or 1
                style = self.book.table_styles.get(f"table-column {value(span, 'style-name', TABLE)}")
                yield from _breaks(style, "table-column-properties", at, count)
                at += count
            return
        rows = self.rows()
        breaking = {
            name: style for name, style in self.book.table_styles.items()
            if name.startswith("table-row ") and list(_breaks(style, "table-row-properties", 1, 1))
        }  # fmt: skip
        for place in rows.places if breaking else ():
            style = breaking.get(f"table-row {rows.row_attributes_of(place).get('table:style-name')}")
            element = rows.row_element(place)
            yield from _breaks(style, "table-row-properties", element.number, element.count)

    # -- what depends on cells

    def _merges(self) -> bytes:
        inner = "".join(f'<mergeCell ref="{area.corners}"/>' for area in self.rows().merged())
        return f"<mergeCells>{inner}</mergeCells>".encode() if inner else b""

    def _validations(self) -> bytes:
        holder = self.book.holder.child("content-validations", uri=TABLE)
        if holder is None:
            return b""
        ranges = self.rows().attribute_areas("table:content-validation-name")
        made = ""
        for span in holder.children:
            areas = joined(ranges.get(value(span, "name", TABLE) or "", ()))
            if areas:
                made += self._validation(span, areas)
        return f"<dataValidations>{made}</dataValidations>".encode() if made else b""

    def _validation(self, span: Span, areas: Sequence[Area]) -> str:
        condition = validation_of(value(span, "condition", TABLE) or "")
        base = addresses(value(span, "base-cell-address", TABLE) or "")
        was = (base[0][1].top, base[0][1].left) if base else None
        formulas = based(condition.formulas, was, corner(tuple(areas)))
        said = {"type": condition.type, "madeOf": value(span, "name", TABLE) or ""}
        if condition.operator:
            said["operator"] = condition.operator
        if value(span, "allow-empty-cell", TABLE) != "false":
            said["allowBlank"] = "1"
        error = span.child("error-message", uri=TABLE)
        if error is not None:
            if value(error, "display", TABLE) != "false":
                said["showErrorMessage"] = "1"
            lines = [text_of(self.book.frame[p.start : p.end]) for p in error.children if of(p, TEXT, "p")]
            if any(lines):
                said["error"] = "\n".join(lines)
            kind = value(error, "message-type", TABLE)
            if kind in ("warning", "information"):
                said["errorStyle"] = kind
        written = "".join(f' {name}="{escaped(each)}"' for name, each in said.items())
        inner = "".join(f"<formula{n}>{xstring(each)}</formula{n}>" for n, each in enumerate(formulas, 1))
        return f'<dataValidation{written} sqref="{sqref(tuple(areas))}">{inner}</dataValidation>'

    def _conditional(self) -> bytes:
        made, priority = "", 0
        for number, (areas, rules) in enumerate(self.conditional_blocks()):
            inner = ""
            for rule in rules:
                priority += 1
                inner += self._rule(rule, areas, priority)
            said = f' madeOf="{number}" sqref="{sqref(tuple(areas))}"'
            made += f"<conditionalFormatting{said}>{inner}</conditionalFormatting>" if inner else ""
        return made.encode()

    def conditional_blocks(self) -> Iterator[tuple[list[Area], list[Span]]]:
        """The conditional formats of the sheet: their ranges and the elements of their rules."""
        holder = next((child for child in self.outline.children if child.name == "conditional-formats"), None)
        for block in holder.children if holder is not None else ():
            where = addresses(block.of("target-range-address", CALCEXT) or "")
            if where:
                yield [area for _, area in where], list(block.children)

    def _rule(self, rule: Span, areas: Sequence[Area], priority: int) -> str:
        if rule.name == "color-scale":
            entries = rule.children
            kinds = "".join(f'<cfvo type="{_SCALE.get(e.of("type", CALCEXT) or "", "num")}"/>' for e in entries)
            colours = "".join(f'<color rgb="FF{(e.of("color", CALCEXT) or "#000000")[1:].upper()}"/>' for e in entries)
            return f'<cfRule type="colorScale" priority="{priority}"><colorScale>{kinds}{colours}</colorScale></cfRule>'
        if rule.name != "condition":
            return f'<cfRule type="{rule.name}" priority="{priority}"/>'
        said = highlight_of(rule.of("value", CALCEXT) or "")
        base = addresses(rule.of("base-cell-address", CALCEXT) or "")
        was = (base[0][1].top, base[0][1].left) if base else None
        formulas = based(said.formulas, was, corner(tuple(areas)))
        style = self.book.styles.number(self._style_called(rule.of("apply-style-name", CALCEXT) or ""))
        written = "".join(f' {name}="{escaped(each)}"' for name, each in said.attributes.items())
        inner = "".join(f"<formula>{xstring(each)}</formula>" for each in formulas)
        return f'<cfRule{written} priority="{priority}" dxfId="{style}">{inner}</cfRule>'

    def _style_called(self, name: str) -> str:
        """The name by which a style is written that is called so."""
        styles = self.book.styles
        if name in styles.found:
            return name
        called = ((own, value(span, "display-name", STYLE)) for own, (_, span) in styles.found.items())
        return next((own for own, shown in called if shown == name), name)

    # -- links, comments, drawings: what is in cells beside their values

    def _beside(self) -> list[tuple[int, int, bytes, Span]]:
        """The cells with more than a text: row, column, and the tree of what is in them."""
        rows = self.rows()
        found: list[tuple[int, int, bytes, Span]] | None = rows.known.get("beside")
        if found is None:
            found = rows.known["beside"] = []
            for row, column, element in rows.comments():
                data = b"<x>" + element.content + b"</x>"
                found.append((row, column, data, parse_element(data, 0, len(data), rows.namespaces)))
        return found

    def links(self) -> Iterator[tuple[Area, str]]:
        """The links of cells: where each is and where it leads."""
        for row, column, _, tree in self._beside():
            spans = [span for child in tree.children if of(child, TEXT, "p") for span in child.inside()]
            leads = [value(span, "href", XLINK) for span in spans if of(span, TEXT, "a")]
            if leads and leads[0]:
                yield Area(row, column, row, column), shown_target(leads[0], self.book.names)

    def _links(self) -> bytes:
        made = ""
        for number, (area, target) in enumerate(self.links()):
            outside, _, place = target.partition("#")
            said = f' location="{escaped(place)}"' if place else ""
            said += f' xmlns:r="{RELATIONSHIPS}" r:id="rLink{number}"' if outside else ""
            made += f'<hyperlink ref="{area.corners}"{said}/>'
        return f"<hyperlinks>{made}</hyperlinks>".encode() if made else b""

    def _notes(self) -> list[tuple[int, int, str, str]]:
        """The comments: row, column, text, who wrote it."""
        found = []
        for row, column, data, tree in self._beside():
            for child in tree.children:
                if of(child, OFFICE, "annotation"):
                    creator = next((c for c in child.children if of(c, DUBLIN, "creator")), None)
                    author = text_of(data[creator.start : creator.end]) if creator is not None else ""
                    inside = b"".join(data[c.start : c.end] for c in child.children if c.uri == TEXT)
                    found.append((row, column, text_in(inside, child.namespaces) or "", author))
        return found

    def comments(self) -> bytes:
        """The part with the comments (18.7)."""
        notes = self._notes()
        authors = list(dict.fromkeys(author for *_, author in notes))
        listed = b"".join(
            f'<comment ref="{address_of(row, column)}" authorId="{authors.index(author)}"><text>'.encode()
            + text_element(text, "") + b"</text></comment>"
            for row, column, text, author in notes
        )  # fmt: skip
        said = "".join(f"<author>{escaped_text(author)}</author>" for author in authors)
        return (
            b"<comments><authors>" + said.encode() + b"</authors><commentList>" + listed + b"</commentList></comments>"
        )

    def frames(self) -> Iterator[FoundFrame]:
        """The pictures and charts, those of the sheet itself first (9.2.8)."""
        outline = self._data
        shapes = self.outline.child("shapes", uri=TABLE)
        places: list[tuple[int, int, bytes, Span]] = [(0, 0, outline, shapes)] if shapes is not None else []
        for row, column, data, tree in [*places, *self._beside()]:
            for span in tree.inside():
                if of(span, DRAW, "frame"):
                    yield from _frame(row, column, data, span)

    def drawing(self) -> tuple[bytes, dict[str, str]]:
        """The part with the drawings (20.5.2), and what its relationships lead to by their ids."""
        leads: dict[str, str] = {}
        made = ""
        for number, frame in enumerate(self.frames(), 1):
            name = value(frame.span, "name", DRAW) or ""
            words = {c.name: text_of(frame.data[c.start : c.end]) for c in frame.span.children if c.uri == SVG}
            said = words.get("title") or words.get("desc") or ""
            sides = [centimetres(value(frame.span, side, SVG)) or Decimal(0) for side in ("width", "height")]
            extent = f'<xdr:ext cx="{int(sides[0] * 360_000)}" cy="{int(sides[1] * 360_000)}"/>'
            about = f'<xdr:cNvPr id="{number}" name="{escaped(name)}" descr="{escaped(said)}"/>'
            if frame.target is not None:
                leads[f"r{number}"] = frame.target
            id_ = f'r:id="r{number}"' if frame.is_chart else f'r:embed="r{number}"'
            if frame.is_chart:
                inner = f"<xdr:graphicFrame>{about}{extent}<c:chart {id_}/></xdr:graphicFrame>"
            else:
                inner = f"<xdr:pic>{about}{extent}<a:blip {id_}/></xdr:pic>"
            made += f"<xdr:oneCellAnchor>{inner}</xdr:oneCellAnchor>"
        root = (
            f'<xdr:wsDr xmlns:xdr="{_DRAWINGS}/spreadsheetDrawing" xmlns:a="{_DRAWINGS}/main" '
            f'xmlns:c="{_DRAWINGS}/chart" xmlns:r="{RELATIONSHIPS}">{made}</xdr:wsDr>'
        )
        return root.encode(), leads

    # -- the parts beside the sheet

    def relationships(self) -> bytes:
        """The relationships of the sheet's part; the parts that they lead to are added."""
        book, number = self.book, self.number + 1
        rows = self.rows()  # held while all of them are looked for
        entries = ""
        if rows.known is not None and self._notes():
            name = f"xl/comments{number}.xml"
            book.add(name, self.comments)
            entries += f'<Relationship Id="rNotes" Type="{RELATIONSHIPS}/comments" Target="/{name}"/>'
        drawing, leads = self.drawing()
        if leads:
            entries += self._drawn(drawing, leads)
        for at, (_, target) in enumerate(self.links()):
            outside = target.partition("#")[0]
            if outside:
                entries += (
                    f'<Relationship Id="rLink{at}" Type="{RELATIONSHIPS}/hyperlink" Target="{escaped(outside)}" '
                    'TargetMode="External"/>'
                )
        for at, (called, area, span) in enumerate(book.tables_of(self.number), 1):
            name = f"xl/tables/table{number}_{at}.xml"
            book.add(name, lambda called=called, area=area, span=span, at=at: self._table(called, area, span, at))  # type: ignore[misc]
            entries += f'<Relationship Id="rTable{at}" Type="{RELATIONSHIPS}/table" Target="/{name}"/>'
        return relationships_part(entries)

    def _drawn(self, drawing: bytes, leads: Mapping[str, str]) -> str:
        book, number = self.book, self.number + 1
        name = f"xl/drawings/drawing{number}.xml"
        book.add(name, lambda: drawing)
        inner = ""
        for id_, target in leads.items():
            real = target.removeprefix("./")
            chart = posixpath.join(real, "content.xml") in book.real.members
            part = f"xl/charts/{real.replace(' ', '_')}.xml" if chart else f"xl/media/{posixpath.basename(real)}"
            if chart:
                book.charts[part] = real
                book.add(part, lambda real=real: chart_part(book, real))  # type: ignore[misc]
            elif real in book.real.members:
                book.add(part, lambda real=real: book.real.read(real))  # type: ignore[misc]
            type_ = "chart" if chart else "image"
            inner += f'<Relationship Id="{id_}" Type="{RELATIONSHIPS}/{type_}" Target="/{escaped(part)}"/>'
        book.add(f"xl/drawings/_rels/drawing{number}.xml.rels", lambda: relationships_part(inner))
        return f'<Relationship Id="rDrawing" Type="{RELATIONSHIPS}/drawing" Target="/{name}"/>'

    def _table(self, called: str, area: Area, span: Span, number: int) -> bytes:
        headings = value(span, "contains-header", TABLE) != "false"
        rows = self.rows()
        words = []
        for column in range(area.left, area.right + 1):
            cell = rows.cell(area.top, column) if headings else None
            words.append((cell.value if cell is not None else None) or f"Column{column - area.left + 1}")
        columns = "".join(f'<tableColumn id="{n}" name="{escaped(word)}"/>' for n, word in enumerate(words, 1))
        said = "" if headings else ' headerRowCount="0"'
        filtered = "<filterColumn/>" if any(child.name == "filter" for child in span.children) else ""
        if value(span, "display-filter-buttons", TABLE) == "true":
            filtered = f'<autoFilter ref="{area.corners}">{filtered}</autoFilter>'
        return (
            '<table xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" '
            f'id="{number}" name="{escaped(called)}" displayName="{escaped(called)}" ref="{area.corners}"{said}>'
            f'{filtered}<tableColumns count="{len(words)}">{columns}</tableColumns></table>'
        ).encode()


_SCALE = {
    "minimum": "min", "maximum": "max", "auto-minimum": "min", "auto-maximum": "max", "percent": "percent",
    "percentile": "percentile", "formula": "formula", "number": "num",
}  # fmt: skip


def _frame(row: int, column: int, data: bytes, span: Span) -> Iterator[FoundFrame]:
    """A frame, where it shows a picture or a chart."""
    chart = next((child for child in span.children if of(child, DRAW, "object")), None)
    image = next((child for child in span.children if of(child, DRAW, "image")), None)
    if chart is not None:
        yield FoundFrame(row, column, data, span, (value(chart, "href", XLINK) or "").removeprefix("./"), True)
    elif image is not None:
        yield FoundFrame(row, column, data, span, value(image, "href", XLINK), False)


def chart_part(book: Projection, folder: str) -> bytes:
    """A chart as far as its title goes (21.2)."""
    name = posixpath.join(folder, "content.xml")
    title = ""
    if name in book.real.members:
        from scrub.formats.part_tree import part_tree

        data, root = part_tree(book.real, name)
        found = chart_title(root)
        lines = (
            [text_of(data[p.start : p.end]) for p in found.children if of(p, TEXT, "p")] if found is not None else []
        )
        if lines:
            paragraphs = "".join(f"<a:p><a:r><a:t>{escaped_text(line)}</a:t></a:r></a:p>" for line in lines)
            title = f"<c:title><c:tx><c:rich>{paragraphs}</c:rich></c:tx></c:title>"
    return (
        f'<c:chartSpace xmlns:c="{_DRAWINGS}/chart" xmlns:a="{_DRAWINGS}/main"><c:chart>{title}</c:chart>'
        "</c:chartSpace>"
    ).encode()


def chart_title(root: Span) -> Span | None:
    """The title of a chart (11.3)."""
    chart = next((span for span in root.inside() if span.name == "chart" and span.uri != OFFICE), None)
    return chart.child("title") if chart is not None else None


def _levels(table: Span) -> dict[int, int]:
    """In how many groups each row or column is, by where its element begins (9.1.4, 9.1.5)."""
    found: dict[int, int] = {}
    waiting = [(table, 0)]
    while waiting:
        holder, depth = waiting.pop()
        for child in holder.children:
            if child.uri != TABLE:
                continue
            if child.name in ("table-row", "table-column"):
                if depth:
                    found[child.start] = depth
            elif child.name in ("table-row-group", "table-column-group"):
                waiting.append((child, depth + 1))
            elif child.name in ("table-rows", "table-header-rows", "table-columns", "table-header-columns"):
                waiting.append((child, depth))
    return found


def _breaks(style: Span | None, name: str, first: int, count: int) -> Iterator[int]:
    holder = style.child(name, uri=STYLE) if style is not None else None
    if holder is None or count > 100_000:
        return
    for line in range(first, first + count):
        if value(holder, "break-before", FO) == "page":
            yield line
        if value(holder, "break-after", FO) == "page":
            yield line + 1


def joined(areas: Sequence[Area]) -> list[Area]:
    """Ranges of cells made as few as they can be: those below each other, then those beside each other."""
    columns: dict[tuple[int, int], list[Area]] = {}
    for area in sorted(areas, key=lambda each: (each.left, each.right, each.top)):
        kept = columns.setdefault((area.left, area.right), [])
        if kept and kept[-1].bottom + 1 == area.top:
            kept[-1] = kept[-1]._replace(bottom=area.bottom)
        else:
            kept.append(area)
    result: list[Area] = []
    for area in sorted((each for kept in columns.values() for each in kept), key=lambda each: (each.top, each.left)):
        at = next(
            (n for n, other in enumerate(result)
             if (other.top, other.bottom, other.right + 1) == (area.top, area.bottom, area.left)),
            None,
        )  # fmt: skip
        if at is None:
            result.append(area)
        else:
            result[at] = result[at]._replace(right=area.right)
    return result


def shown_target(href: str, sheets: Sequence[str]) -> str:
    """Where a link leads as other workbooks say it: a place of the file itself is `#Sheet!A1`."""
    outside, mark, place = href.partition("#")
    if not mark:
        return href
    where = addresses(place if place.startswith((".", "$", "'")) or "." in place else f".{place}")
    if where and where[0][0] in sheets and not outside:
        return f"#{Names.quoted(where[0][0])}!{where[0][1]}"
    return href


def written_target(target: str, sheets: Sequence[str]) -> str:
    """The way back."""
    from scrub.formats.opensheets.formulas import quoted_sheet

    outside, _, place = target.partition("#")
    sheet, mark, rest = place.rpartition("!")
    if outside or not mark:
        return target
    name = sheet.strip("'").replace("''", "'")
    return f"#{quoted_sheet(name)}.{rest.replace('$', '').replace(':', ':.')}"
