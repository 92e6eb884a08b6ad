"""Files of one extreme shape, however many of a thing they have, and what a macro does with them."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

_TYPES = "http://schemas.openxmlformats.org/package/2006/content-types"
_RELATIONS = "http://schemas.openxmlformats.org/package/2006/relationships"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_SHEETS = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_WORDS = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
_MEDIA = "application/vnd.openxmlformats-officedocument."


class Shape(NamedTuple):
    """A file of one shape, and what a macro does with it."""

    says: str
    name: str
    make: Callable[[Path, int], None]
    times: int
    kind: str
    lines: str


def _package(path: Path, main: str, media: str, parts: dict[str, str], more: str = "") -> None:
    kinds = f'<Override PartName="/{main}" ContentType="{_MEDIA}{media}.main+xml"/>' + more
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr(
            "[Content_Types].xml",
            f'<Types xmlns="{_TYPES}"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.'
            f'relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>{kinds}</Types>',
        )
        package.writestr(
            "_rels/.rels",
            f'<Relationships xmlns="{_RELATIONS}"><Relationship Id="a" Type="{_OFFICE}/officeDocument" '
            f'Target="{main}"/></Relationships>',
        )
        for name, text in parts.items():
            package.writestr(name, text)


def _workbook(path: Path, sheets: list[str], names: str = "", more: dict[str, str] | None = None) -> None:
    links = "".join(
        f'<Relationship Id="s{at}" Type="{_OFFICE}/worksheet" Target="worksheets/sheet{at}.xml"/>'
        for at in range(1, len(sheets) + 1)
    )
    listed = "".join(f'<sheet name="S{at}" sheetId="{at}" r:id="s{at}"/>' for at in range(1, len(sheets) + 1))
    kinds = "".join(
        f'<Override PartName="/xl/worksheets/sheet{at}.xml" ContentType="{_MEDIA}spreadsheetml.worksheet+xml"/>'
        for at in range(1, len(sheets) + 1)
    )
    if more:
        kinds += f'<Override PartName="/xl/comments1.xml" ContentType="{_MEDIA}spreadsheetml.comments+xml"/>'
    inside = f"<sheets>{listed}</sheets>{names}"
    parts = {
        "xl/workbook.xml": f'<workbook xmlns="{_SHEETS}" xmlns:r="{_OFFICE}">{inside}</workbook>',
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{_RELATIONS}">{links}</Relationships>',
        **{
            f"xl/worksheets/sheet{at}.xml": f'<worksheet xmlns="{_SHEETS}"><sheetData>{rows}</sheetData></worksheet>'
            for at, rows in enumerate(sheets, 1)
        },
        **(more or {}),
    }
    _package(path, "xl/workbook.xml", "spreadsheetml.sheet", parts, kinds)


def _number(place: str, value: int) -> str:
    return f'<c r="{place}"><v>{value}</v></c>'


def _text(place: str, value: str) -> str:
    return f'<c r="{place}" t="inlineStr"><is><t>{value}</t></is></c>'


def _rows(count: int) -> str:
    return "".join(f'<row r="{row}">{_number(f"A{row}", row)}</row>' for row in range(1, count + 1))


def _letters(column: int) -> str:
    text = ""
    while column:
        column, rest = divmod(column - 1, 26)
        text = chr(65 + rest) + text
    return text


def comments(path: Path, count: int) -> None:
    """Comments on one sheet."""
    listed = "".join(
        f'<comment ref="B{row}" authorId="0"><text><t>note  {row}</t></text></comment>' for row in range(1, count + 1)
    )
    more = {
        "xl/comments1.xml": f'<comments xmlns="{_SHEETS}"><authors><author>Ada</author></authors>'
        f"<commentList>{listed}</commentList></comments>",
        "xl/worksheets/_rels/sheet1.xml.rels": f'<Relationships xmlns="{_RELATIONS}"><Relationship Id="c" '
        f'Type="{_OFFICE}/comments" Target="../comments1.xml"/></Relationships>',
    }
    _workbook(path, [_rows(100)], more=more)


def names(path: Path, count: int) -> None:
    """Names."""
    listed = "".join(f'<definedName name="n{at}">S1!$A${at % 900 + 1}</definedName>' for at in range(count))
    _workbook(path, [_rows(1000)], f"<definedNames>{listed}</definedNames>")


def paragraph(path: Path, count: int) -> None:
    """One paragraph of so many sentences."""
    _document(path, f"<w:p><w:r><w:t>{'6 kg of wood  and more. ' * count}</w:t></w:r></w:p>")


def runs(path: Path, count: int) -> None:
    """One paragraph with twice as many runs."""
    run = '<w:r><w:t xml:space="preserve">6 kg  </w:t></w:r><w:r><w:rPr><w:b/></w:rPr><w:t>wood</w:t></w:r>'
    _document(path, f"<w:p>{run * count}</w:p>")


def _document(path: Path, body: str) -> None:
    whole = f'<w:document xmlns:w="{_WORDS}"><w:body>{body}</w:body></w:document>'
    _package(path, "word/document.xml", "wordprocessingml.document", {"word/document.xml": whole})


def corner(path: Path, count: int) -> None:
    """One cell in the last corner of a sheet."""
    _workbook(path, [f'<row r="1048576">{_text("XFD1048576", "6  kg")}</row>'])


def sheets(path: Path, count: int) -> None:
    """Sheets."""
    _workbook(path, [f'<row r="1">{_text("A1", "6  kg")}</row>'] * count)


def stretched(path: Path, count: int) -> None:
    """Filled columns, and far beside them one more cell."""
    row = "".join(f"<c><v>{at}</v></c>" for at in range(20))
    far = f'<row r="1">{row}<c r="{_letters(20 + count)}1"><v>1</v></c></row>'
    _workbook(path, [far + "".join(f'<row r="{at}">{row}</row>' for at in range(2, count // 10 + 3))])


def columns(path: Path, count: int) -> None:
    """Columns, in five rows."""
    rows = (
        f'<row r="{row}">' + "".join(_text(f"{_letters(at)}{row}", "6  kg") for at in range(1, count + 1)) + "</row>"
        for row in range(1, 6)
    )
    _workbook(path, ["".join(rows)])


def wide(path: Path, count: int) -> None:
    """Rows of a .csv with 100 columns, some quoted."""
    heads = ",".join(f"Column {at}" for at in range(100))
    rows = "".join(",".join([str(row), '"6  kg"', *["6  kg of wood"] * 98]) + "\n" for row in range(count))
    path.write_text(heads + "\n" + rows)


def narrow(path: Path, count: int) -> None:
    """The same without quotes."""
    heads = ",".join(f"Column {at}" for at in range(100))
    rows = "".join(",".join([str(row), "6  kg", *["6  kg of wood"] * 98]) + "\n" for row in range(count))
    path.write_text(heads + "\n" + rows)


def field(path: Path, count: int) -> None:
    """Lines in one field of a .csv."""
    path.write_text('Hut,Note\nLarch,"' + "6  kg of wood and more\n" * count + '"\n')


def quotes(path: Path, count: int) -> None:
    """Lines in each quoted field of a .csv."""
    note = '"' + "6  kg\n" * count + '"'
    path.write_text("Hut,Note\n" + "".join(f"Larch,{note}\n" for _ in range(20)))


def line(path: Path, count: int) -> None:
    """Sentences in one line of a text."""
    path.write_text("6  kg of wood and more. " * count)


def lines(path: Path, count: int) -> None:
    """Short lines of a text."""
    path.write_text("6  kg\n" * count)


def recipients(path: Path, count: int) -> None:
    """People to whom a message goes."""
    to = ",\n ".join(f"Guest {at} <guest{at}@kestrel-ridge.example>" for at in range(count))
    path.write_text(f"From: ada@kestrel-ridge.example\nTo: {to}\nSubject: Fwd:  Fwd: Wood\n\n6  kg\n")


def parts(path: Path, count: int) -> None:
    """Attachments of a message."""
    part = "--x\nContent-Type: text/plain\nContent-Disposition: attachment; filename=a.txt\n\nwood\n"
    path.write_text(
        "From: a@kestrel-ridge.example\nSubject: Fwd:  Wood\nMIME-Version: 1.0\nContent-Type: multipart/mixed; "
        f'boundary="x"\n\n{part * count}--x--\n'
    )


def merges(path: Path, count: int) -> None:
    """Merged ranges."""
    _workbook(path, [_rows(count)])
    _replaced(
        path,
        "</sheetData>",
        f'</sheetData><mergeCells count="{count}">'
        + "".join(f'<mergeCell ref="A{row}:B{row}"/>' for row in range(1, count + 1))
        + "</mergeCells>",
    )


def rules(path: Path, count: int) -> None:
    """Validations, and as many rules for formats."""
    _workbook(path, [_rows(1000)])
    _replaced(
        path,
        "</sheetData>",
        "</sheetData>"
        + "".join(
            f'<conditionalFormatting sqref="A{at % 900 + 1}"><cfRule type="cellIs" priority="{at}" '
            f'operator="lessThan"><formula>{at}</formula></cfRule></conditionalFormatting>'
            for at in range(1, count + 1)
        )
        + f'<dataValidations count="{count}">'
        + "".join(
            f'<dataValidation type="whole" sqref="A{at % 900 + 1}"><formula1>{at}</formula1></dataValidation>'
            for at in range(1, count + 1)
        )
        + "</dataValidations>",
    )


def formulas(path: Path, count: int) -> None:
    """Formulas, each of which needs the one above."""
    rows = ['<row r="1">' + _number("A1", 1) + "</row>"]
    rows += [f'<row r="{row}"><c r="A{row}"><f>A{row - 1}+1</f><v>{row}</v></c></row>' for row in range(2, count + 1)]
    _workbook(path, ["".join(rows)])


def _replaced(path: Path, old: str, new: str) -> None:
    with zipfile.ZipFile(path) as package:
        held = {name: package.read(name).decode() for name in package.namelist()}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        for name, text in held.items():
            package.writestr(name, text.replace(old, new))


def table(path: Path, count: int) -> None:
    """Rows of a table in a document."""
    row = "".join(f"<w:tc><w:p><w:r><w:t>{text}</w:t></w:r></w:p></w:tc>" for text in ("6  kg", "wood"))
    grid = "<w:tblPr/><w:tblGrid><w:gridCol/><w:gridCol/></w:tblGrid>"
    _document(path, f"<w:tbl>{grid}{f'<w:tr>{row}</w:tr>' * count}</w:tbl><w:p/>")


def paragraphs(path: Path, count: int) -> None:
    """Paragraphs."""
    _document(path, "".join(f"<w:p><w:r><w:t>6  kg {at}</w:t></w:r></w:p>" for at in range(count)))


def links(path: Path, count: int) -> None:
    """Links in one paragraph."""
    one = '<w:hyperlink w:anchor="b{}"><w:r><w:t xml:space="preserve">6  kg </w:t></w:r></w:hyperlink>'
    _document(path, f"<w:p>{''.join(map(one.format, range(count)))}</w:p>")


def headings(path: Path, count: int) -> None:
    """Headings in one row."""
    row = "".join(_text(f"{_letters(at)}1", f"Hut {at}") for at in range(1, count + 1))
    _workbook(path, [f'<row r="1">{row}</row>'])


_SPACES = "single-spaces\n"
_BINDING = _SPACES + "bind-units\n"
_DELETE_ROW = 'in sheet("S1").row(3)\n    delete\nend\n'
SHAPES = (
    Shape("65,000 comments on a sheet, one written", "comments.xlsx", comments, 65_000, "workbook",
          'sheet("S1").cell("B7").comment = "new"\n'),
    Shape("65,000 comments on a sheet, each changed", "comments.xlsx", comments, 65_000, "workbook",
          'each comment in sheet("S1")\n    comment.text = "new"\nend\n'),
    Shape("65,000 comments on a sheet, a row deleted", "comments.xlsx", comments, 65_000, "workbook",
          _DELETE_ROW),
    Shape("100,000 names in a workbook, a row deleted", "names.xlsx", names, 100_000, "workbook",
          _DELETE_ROW),
    Shape("100,000 names in a workbook, a sheet renamed", "names.xlsx", names, 100_000, "workbook", 'sheet("S1").name = "New"\n'),
    Shape("a paragraph of 10 MB", "paragraph.docx", paragraph, 420_000, "document", _BINDING),
    Shape("a paragraph with 100,000 runs", "runs.docx", runs, 50_000, "document", _BINDING),
    Shape("one cell at XFD1048576", "corner.xlsx", corner, 1, "workbook", _SPACES),
    Shape("10,000 sheets", "sheets.xlsx", sheets, 10_000, "workbook", _SPACES),
    Shape("16,384 columns and 5 rows", "columns.xlsx", columns, 16_384, "workbook", _SPACES),
    Shape("16,000 empty columns before a filled one, a column inserted", "stretched.xlsx", stretched, 16_000, "workbook",
          'in sheet("S1").column("B")\n    insert-left\nend\n'),
    Shape("50,000 merged ranges, a row deleted", "merges.xlsx", merges, 50_000, "workbook",
          _DELETE_ROW),
    Shape("20,000 validations and as many format rules, a row deleted", "rules.xlsx", rules, 20_000, "workbook",
          _DELETE_ROW),
    Shape("a chain of 50,000 formulas, its start changed", "formulas.xlsx", formulas, 50_000, "workbook",
          'in sheet("S1").cell("A1")\n    cell.value = 5\nend\n'),
    Shape("a chain of 50,000 formulas, a row deleted", "formulas.xlsx", formulas, 50_000, "workbook",
          _DELETE_ROW),
    Shape("16,384 cells in one row, each filled", "headings.xlsx", headings, 16_384, "workbook",
          'each cell in sheet("S1")\n    cell.fill = "yellow"\nend\n'),
    Shape("20,000 paragraphs, a comment on each", "paragraphs.docx", paragraphs, 20_000, "document",
          'each paragraph\n    comment-on "Still so?"\nend\n'),
    Shape("20,000 links in a paragraph, each changed", "links.docx", links, 20_000, "document",
          'each link\n    link.address = "#hut"\nend\n'),
    Shape("a table of 20,000 rows in a document, each deleted", "table.docx", table, 20_000, "document",
          "each table\n    each record\n        delete\n    end\nend\n"),
    Shape("a .csv file with 100 columns and 7,000 rows, with quotes", "wide.csv", wide, 7_000, "workbook", _SPACES),
    Shape("a .csv file with 100 columns and 7,000 rows, without quotes", "narrow.csv", narrow, 7_000, "workbook", _SPACES),
    Shape("a .csv file with a field of 21 MB", "field.csv", field, 900_000, "workbook", _SPACES),
    Shape("a .csv file with fields of 9,000 lines", "quotes.csv", quotes, 9_000, "workbook", _SPACES),
    Shape("a text with one line of 10 MB", "line.txt", line, 420_000, "document", _BINDING),
    Shape("a text of 500,000 lines", "lines.txt", lines, 500_000, "document", _BINDING),
    Shape("a message to 40,000 people", "recipients.eml", recipients, 40_000, "message", _SPACES),
    Shape("a message with 20,000 attachments", "parts.eml", parts, 20_000, "message", _SPACES),
)  # fmt: skip
