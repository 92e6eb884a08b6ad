"""What files of one extreme shape cost: `python bench/extremes.py [WORD]` prints the table of `docs/limits.md`.

Each row is one whole process on one file of the shape: CPU seconds, and the most memory it had.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

SCRUB = str(Path(sys.executable).with_name("scrub"))
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
    make: Callable[[Path], None]
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
    parts = {
        "xl/workbook.xml": f'<workbook xmlns="{_SHEETS}" xmlns:r="{_OFFICE}"><sheets>{listed}</sheets>{names}</workbook>',
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


def comments(path: Path) -> None:
    """65,000 comments on one sheet."""
    listed = "".join(
        f'<comment ref="B{row}" authorId="0"><text><t>note  {row}</t></text></comment>' for row in range(1, 65_001)
    )
    more = {
        "xl/comments1.xml": f'<comments xmlns="{_SHEETS}"><authors><author>Ada</author></authors>'
        f"<commentList>{listed}</commentList></comments>",
        "xl/worksheets/_rels/sheet1.xml.rels": f'<Relationships xmlns="{_RELATIONS}"><Relationship Id="c" '
        f'Type="{_OFFICE}/comments" Target="../comments1.xml"/></Relationships>',
    }
    _workbook(path, [_rows(100)], more=more)


def names(path: Path) -> None:
    """100,000 names."""
    listed = "".join(f'<definedName name="n{at}">S1!$A${at % 900 + 1}</definedName>' for at in range(100_000))
    _workbook(path, [_rows(1000)], f"<definedNames>{listed}</definedNames>")


def paragraph(path: Path) -> None:
    """One paragraph of 10 MB."""
    _document(path, f"<w:p><w:r><w:t>{'6 kg of wood  and more. ' * 420_000}</w:t></w:r></w:p>")


def runs(path: Path) -> None:
    """One paragraph with 100,000 runs."""
    run = '<w:r><w:t xml:space="preserve">6 kg  </w:t></w:r><w:r><w:rPr><w:b/></w:rPr><w:t>wood</w:t></w:r>'
    _document(path, f"<w:p>{run * 50_000}</w:p>")


def _document(path: Path, body: str) -> None:
    whole = f'<w:document xmlns:w="{_WORDS}"><w:body>{body}</w:body></w:document>'
    _package(path, "word/document.xml", "wordprocessingml.document", {"word/document.xml": whole})


def corner(path: Path) -> None:
    """One cell in the last corner of a sheet."""
    _workbook(path, [f'<row r="1048576">{_text("XFD1048576", "6  kg")}</row>'])


def sheets(path: Path) -> None:
    """10,000 sheets."""
    _workbook(path, [f'<row r="1">{_text("A1", "6  kg")}</row>'] * 10_000)


def columns(path: Path) -> None:
    """16,384 columns."""
    rows = (
        f'<row r="{row}">' + "".join(_text(f"{_letters(at)}{row}", "6  kg") for at in range(1, 16_385)) + "</row>"
        for row in range(1, 6)
    )
    _workbook(path, ["".join(rows)])


def wide(path: Path) -> None:
    """A .csv with 100 columns."""
    heads = ",".join(f"Column {at}" for at in range(100))
    rows = "".join(
        ",".join([str(row), '"6  kg"', *["6  kg of wood"] * 98]) + "\n"
        for row in range(7_000)
    )
    path.write_text(heads + "\n" + rows)


def narrow(path: Path) -> None:
    """The same without quotes."""
    heads = ",".join(f"Column {at}" for at in range(100))
    rows = "".join(
        ",".join([str(row), "6  kg", *["6  kg of wood"] * 98]) + "\n"
        for row in range(7_000)
    )
    path.write_text(heads + "\n" + rows)


def field(path: Path) -> None:
    """A .csv with one field of 21 MB."""
    path.write_text('Hut,Note\nLarch,"' + "6  kg of wood and more\n" * 900_000 + '"\n')


def quotes(path: Path) -> None:
    """A .csv with 10,000 lines in each quoted field."""
    note = '"' + "6  kg\n" * 9_000 + '"'
    path.write_text("Hut,Note\n" + "".join(f"Larch,{note}\n" for _ in range(20)))


def line(path: Path) -> None:
    """A text with one line of 10 MB."""
    path.write_text("6  kg of wood and more. " * 420_000)


def lines(path: Path) -> None:
    """A text with 500,000 short lines."""
    path.write_text("6  kg\n" * 500_000)


def recipients(path: Path) -> None:
    """A message to 40,000 people."""
    to = ",\n ".join(f"Guest {at} <guest{at}@kestrel-ridge.example>" for at in range(40_000))
    path.write_text(f"From: ada@kestrel-ridge.example\nTo: {to}\nSubject: Fwd:  Fwd: Wood\n\n6  kg\n")


def parts(path: Path) -> None:
    """A message with 20,000 attachments."""
    part = "--x\nContent-Type: text/plain\nContent-Disposition: attachment; filename=a.txt\n\nwood\n"
    path.write_text(
        "From: a@kestrel-ridge.example\nSubject: Fwd: Wood\nMIME-Version: 1.0\nContent-Type: multipart/mixed; "
        f'boundary="x"\n\n{part * 20_000}--x--\n'
    )


def merges(path: Path) -> None:
    """50,000 merged ranges."""
    _workbook(path, [_rows(50_000)])
    _replaced(
        path,
        "</sheetData>",
        '</sheetData><mergeCells count="50000">'
        + "".join(f'<mergeCell ref="A{row}:B{row}"/>' for row in range(1, 50_001))
        + "</mergeCells>",
    )


def rules(path: Path) -> None:
    """20,000 validations and rules for formats."""
    _workbook(path, [_rows(1000)])
    _replaced(
        path,
        "</sheetData>",
        "</sheetData>"
        + "".join(
            f'<conditionalFormatting sqref="A{at % 900 + 1}"><cfRule type="cellIs" priority="{at}" '
            f'operator="lessThan"><formula>{at}</formula></cfRule></conditionalFormatting>'
            for at in range(1, 20_001)
        )
        + '<dataValidations count="20000">'
        + "".join(
            f'<dataValidation type="whole" sqref="A{at % 900 + 1}"><formula1>{at}</formula1></dataValidation>'
            for at in range(1, 20_001)
        )
        + "</dataValidations>",
    )


def formulas(path: Path) -> None:
    """50,000 formulas, each of which needs the one above."""
    rows = ['<row r="1">' + _number("A1", 1) + "</row>"]
    rows += [f'<row r="{row}"><c r="A{row}"><f>A{row - 1}+1</f><v>{row}</v></c></row>' for row in range(2, 50_001)]
    _workbook(path, ["".join(rows)])


def _replaced(path: Path, old: str, new: str) -> None:
    with zipfile.ZipFile(path) as package:
        held = {name: package.read(name).decode() for name in package.namelist()}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        for name, text in held.items():
            package.writestr(name, text.replace(old, new))


_SPACES = "single-spaces\n"
SHAPES = (
    Shape("65,000 comments on a sheet, one written", "comments.xlsx", comments, "workbook",
          'sheet("S1").cell("B7").comment = "new"\n'),
    Shape("65,000 comments on a sheet, each changed", "comments.xlsx", comments, "workbook",
          'each comment in sheet("S1")\n    comment.text = "new"\nend\n'),
    Shape("65,000 comments on a sheet, a row deleted", "comments.xlsx", comments, "workbook",
          'in sheet("S1").row(3)\n    delete\nend\n'),
    Shape("100,000 names in a workbook, a row deleted", "names.xlsx", names, "workbook",
          'in sheet("S1").row(3)\n    delete\nend\n'),
    Shape("100,000 names in a workbook, a sheet renamed", "names.xlsx", names, "workbook", 'sheet("S1").name = "New"\n'),
    Shape("a paragraph of 10 MB", "paragraph.docx", paragraph, "document", _SPACES + "bind-units\n"),
    Shape("a paragraph with 100,000 runs", "runs.docx", runs, "document", _SPACES + "bind-units\n"),
    Shape("one cell at XFD1048576", "corner.xlsx", corner, "workbook", _SPACES),
    Shape("10,000 sheets", "sheets.xlsx", sheets, "workbook", _SPACES),
    Shape("16,384 columns and 5 rows", "columns.xlsx", columns, "workbook", _SPACES),
    Shape("50,000 merged ranges, a row deleted", "merges.xlsx", merges, "workbook",
          'in sheet("S1").row(3)\n    delete\nend\n'),
    Shape("20,000 validations and as many format rules, a row deleted", "rules.xlsx", rules, "workbook",
          'in sheet("S1").row(3)\n    delete\nend\n'),
    Shape("a chain of 50,000 formulas, its start changed", "formulas.xlsx", formulas, "workbook",
          'in sheet("S1").cell("A1")\n    value = 5\nend\n'),
    Shape("a chain of 50,000 formulas, a row deleted", "formulas.xlsx", formulas, "workbook",
          'in sheet("S1").row(3)\n    delete\nend\n'),
    Shape("a .csv file with 100 columns and 7,000 rows, with quotes", "wide.csv", wide, "workbook", _SPACES),
    Shape("a .csv file with 100 columns and 7,000 rows, without quotes", "narrow.csv", narrow, "workbook", _SPACES),
    Shape("a .csv file with a field of 21 MB", "field.csv", field, "workbook", _SPACES),
    Shape("a .csv file with fields of 9,000 lines", "quotes.csv", quotes, "workbook", _SPACES),
    Shape("a text with one line of 10 MB", "line.txt", line, "document", _SPACES + "bind-units\n"),
    Shape("a text of 500,000 lines", "lines.txt", lines, "document", _SPACES + "bind-units\n"),
    Shape("a message to 40,000 people", "recipients.eml", recipients, "message", _SPACES),
    Shape("a message with 20,000 attachments", "parts.eml", parts, "message", _SPACES),
)  # fmt: skip


def measured(shape: Shape, folder: Path) -> tuple[float, float, str, int]:
    """CPU seconds, megabytes and the last line of one run, and the size of its file in bytes."""
    made = folder / shape.name
    shape.make(made)
    size = made.stat().st_size
    macro = folder / "macro.scrub"
    macro.write_text(f"macro Extreme\nfor {shape.kind}\n{shape.lines}")
    home = folder / "home"
    environment = {**os.environ, "SCRUB_HOME": str(home), "PYTHONDONTWRITEBYTECODE": ""}
    out = folder / "out"
    with open(out, "w") as sink:
        words = ["timeout", "120", SCRUB, "run", str(macro), str(made)]
        process = subprocess.Popen(words, stdout=sink, stderr=sink, env=environment)
        used = os.wait4(process.pid, 0)[2]
    said = [line for line in out.read_text().splitlines() if line.strip()]
    shutil.rmtree(home, ignore_errors=True)
    kept = next((line for line in said if "aved" in line or "Nothing" in line), said[-1] if said else "?")
    return used.ru_utime + used.ru_stime, used.ru_maxrss / 1024, kept.strip(), size


def rows(word: str) -> Iterator[str]:
    """The rows of the table whose shape has the word."""
    for shape in SHAPES:
        if word in shape.says or word in shape.name:
            with tempfile.TemporaryDirectory() as folder:
                seconds, megabytes, said, size = measured(shape, Path(folder))
            yield f"| {shape.says} | {size / 1e6:.1f} MB | {seconds:.1f} s | {megabytes:.0f} MB | {said} |"


def main() -> int:
    """Prints the table."""
    print("| file | size | time | memory | it said |\n| --- | --- | --- | --- | --- |")
    for row in rows(sys.argv[1] if len(sys.argv) > 1 else ""):
        print(row, flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
