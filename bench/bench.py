"""Whole processes side by side on the same file: Scrub, and the script one would write with the usual library.

    python bench/bench.py            all rows, written to bench/results.md
    python bench/bench.py small      only the rows whose name has the word; they are put in their place there

What counts is the ratio; both sides run on one machine, one after the other, the best of a few turns each.
"""

from __future__ import annotations

import compileall
import os
import platform
import random
import shutil
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import calculated
import mail
import opensheets
import pages
import shape
import tables
import xlsxwriter

import scrub

HERE = Path(__file__).parent
DATA = HERE / "data"
SCRUB = [str(Path(sys.executable).with_name("scrub"))]
ENVIRONMENT = {**os.environ, "SCRUB_HOME": str(DATA / "home"), "SCRUB_SECRET_SHEET_CODE": "larch"}

SHOW = """
import openpyxl, sys
book = openpyxl.load_workbook(sys.argv[1])
for sheet in book:
    sheet.sheet_state = "visible"
book.save(sys.argv[1])
"""
PROTECT = """
import openpyxl, sys
book = openpyxl.load_workbook(sys.argv[1])
for sheet in book:
    sheet.protection.set_password("larch")
    sheet.protection.enable()
book.save(sys.argv[1])
"""
WORDS_MACRO = """macro Mend the words
for document
single-spaces
bind-units
"""
WORDS = """
import docx, re, sys
made = docx.Document(sys.argv[1])
for paragraph in made.paragraphs:
    for run in paragraph.runs:
        text = re.sub(r"(?<=[0-9]) (?=(?:kg|km|g|m|L)\\b)", "\\u00a0", re.sub(" +", " ", run.text))
        if text != run.text:
            run.text = text
made.save(sys.argv[1])
"""
TRACKED_MACRO = """macro Record the words
for document
document.tracks-changes = yes
single-spaces
bind-units
"""
WORDS_ODT = """
import odfdo, sys
made = odfdo.Document(sys.argv[1])
for paragraph in made.body.paragraphs:
    paragraph.replace("  +", " ", formatted=True)
    paragraph.replace(r"(?<=[0-9]) (?=(?:kg|km|g|m|L)\\b)", "\\u00a0", formatted=True)
made.save(sys.argv[1])
"""
LETTERS_MACRO = """macro Write the letters
for workbook
each record
    in copy-of("letter.docx", name: "Letter {record.number}", to: "letters")
        fill-in record
    end
end
"""
LETTERS = """
import csv, docx, os, sys
folder = os.path.dirname(sys.argv[1])
os.makedirs(os.path.join(folder, "letters"), exist_ok=True)
for record in csv.DictReader(open(sys.argv[1], newline="")):
    made = docx.Document(os.path.join(folder, "letter.docx"))
    for paragraph in made.paragraphs:
        for run in paragraph.runs:
            for heading, value in record.items():
                run.text = run.text.replace(f"[{heading}]", value)
    made.save(os.path.join(folder, "letters", f"Letter {record['Number']}.docx"))
"""
HEADINGS_MACRO = """macro List the headings
for document
each heading
    log "{heading.level} {heading.text}"
end
"""
HEADINGS = """
import docx, sys
for name in sys.argv[1:]:
    for paragraph in docx.Document(name).paragraphs:
        if paragraph.style.name.startswith("Heading"):
            print(name, paragraph.style.name[-1], paragraph.text)
"""
PASS_MACRO = """macro Mark who stays long
for workbook
each sheet
    each record in sheet where record.nights >= 7
        record.paid = "late"
    end
end
"""
PASS = """
import openpyxl, sys
book = openpyxl.load_workbook(sys.argv[1])
for sheet in book:
    for row in sheet.iter_rows(min_row=2):
        if row[2].value >= 7:
            row[4].value = "late"
book.save(sys.argv[1])
"""
SUM_MACRO = """macro Add up the nights
for workbook
total = 0
each sheet
    each record in sheet
        total = total + record.nights
    end
end
say "{total}"
"""
SUM = """
import openpyxl, sys
total = 0
for sheet in openpyxl.load_workbook(sys.argv[1], read_only=True):
    for row in sheet.iter_rows(min_row=2, values_only=True):
        total += row[2]
print(total)
"""
SPACES_MACRO = """macro Single spaces
for workbook
single-spaces
"""
SPACES = """
import openpyxl, re, sys
book = openpyxl.load_workbook(sys.argv[1])
for sheet in book:
    for row in sheet.iter_rows():
        for cell in row:
            if isinstance(cell.value, str):
                fresh = re.sub("[ \\t\\u00a0]+", " ", cell.value).strip()
                if fresh != cell.value:
                    cell.value = fresh
book.save(sys.argv[1])
"""
READ_CELLS_MACRO = """macro Add up the cells
for workbook
total = 0
each sheet
    each cell where cell.holds is number
        total = total + cell.value
    end
end
say "{total}"
"""
READ_CELLS = """
import openpyxl, sys
total = 0
for sheet in openpyxl.load_workbook(sys.argv[1], read_only=True):
    for row in sheet.iter_rows():
        for cell in row:
            if isinstance(cell.value, (int, float)):
                total += cell.value
print(total)
"""
READ_LOOKS_MACRO = """macro Count what stands out
for workbook
found = 0
each sheet
    each cell where cell.bold or cell.fill is not "none"
        found = found + 1
    end
end
say "{found}"
"""
READ_LOOKS = """
import openpyxl, sys
found = 0
for sheet in openpyxl.load_workbook(sys.argv[1], read_only=True):
    for row in sheet.iter_rows():
        for cell in row:
            if cell.value is not None and (cell.font.b or cell.fill.fill_type):
                found += 1
print(found)
"""
WRITE_CELLS_MACRO = """macro Mark the long notes
for workbook
each sheet
    each cell where cell.holds is text
        cell.value = cell.value.upper
        cell.bold = yes
    end
end
"""
WRITE_CELLS = """
import copy, openpyxl, sys
book = openpyxl.load_workbook(sys.argv[1])
for sheet in book:
    for row in sheet.iter_rows():
        for cell in row:
            if isinstance(cell.value, str):
                cell.value = cell.value.upper()
                font = copy.copy(cell.font)
                font.b = True
                cell.font = font
book.save(sys.argv[1])
"""
PASS_CSV = """
import csv, sys
with open(sys.argv[1], newline="") as file:
    rows = list(csv.reader(file))
nights, paid = rows[0].index("Nights"), rows[0].index("Paid")
for row in rows[1:]:
    if int(row[nights]) >= 7:
        row[paid] = "late"
with open(sys.argv[1], "w", newline="") as file:
    csv.writer(file).writerows(rows)
"""
LOOP_MACRO = """macro Count
for nothing
total = 0
late = 0
name = "LARCH hut"
1000000 times as n
    if name is "Larch Hut"
        total = total + n
        late = late + 1
    end
end
say "{total} {late}"
"""
LOOP_SCRIPT = """
from decimal import Decimal
total = late = Decimal(0)
one = Decimal(1)
name = "LARCH hut"
for turn in range(1, 1000001):
    n = Decimal(turn)
    if name.casefold() == "Larch Hut".casefold():
        total = total + n
        late = late + one
print(total, late)
"""


#: Seconds that a copy waits before it is worked on: a file that was just written is hashed more often.
_RESTS = 2.2


class Cost(NamedTuple):
    """Wall time and processor time in seconds, and peak memory in bytes, of one process with those that it starts."""

    seconds: float
    memory: int
    cpu: float = 0.0
    instructions: int = 0  # in user mode; 0 where the machine does not count them

    def __str__(self) -> str:
        counted = f", {self.instructions / 1e9:.1f} G instructions" if self.instructions else ""
        return f"{self.seconds:.2f} s (CPU {self.cpu:.2f}{counted})"


class Row(NamedTuple):
    """One line of the table."""

    name: str
    ours: Callable[[Path], list[str]]
    theirs: Callable[[Path], list[str]]
    file: Path
    asked: str
    turns: int


def workbook(path: Path, rows: int) -> Path:
    """A workbook of 12 sheets of bookings, every third one hidden."""
    if path.exists():
        return path
    chance = random.Random(7)
    book = xlsxwriter.Workbook(str(path), {"constant_memory": True})
    for number in range(12):
        sheet = book.add_worksheet(f"Hut {number}")
        if number % 3 == 1:
            sheet.hide()
        sheet.write_row(0, 0, ["Guest", "Hut", "Nights", "Weight", "Paid", "Note", "Arrival"])
        for row in range(1, rows + 1):
            values = (f"Guest {chance.randrange(90_000)}", chance.choice(["Larch", "Kite"]), chance.randrange(9))
            note = f"note {chance.randrange(90_000)}"
            note = note if chance.random() < 0.8 else f" {note.replace(' ', '  ')}"  # a fifth wants tidying
            more = (round(chance.random() * 90, 2), chance.randrange(2), note)
            sheet.write_row(row, 0, [*values, *more, 45_000 + chance.randrange(600)])
    book.close()
    return path


def one_sheet(path: Path, rows: int) -> Path:
    """A workbook of one sheet with that many bookings."""
    if not path.exists():
        chance = random.Random(9)
        book = xlsxwriter.Workbook(str(path), {"constant_memory": True})
        sheet = book.add_worksheet("Bookings")
        sheet.write_row(0, 0, ["Guest", "Nights", "Paid"])
        for row in range(1, rows + 1):
            sheet.write_row(row, 0, [f"Guest {chance.randrange(90_000)}", chance.randrange(9), "no"])
        book.close()
    return path


def table_of_texts(path: Path, rows: int) -> Path:
    """The same bookings as a .csv file."""
    if path.exists():
        return path
    chance = random.Random(3)
    with path.open("w", newline="") as file:
        file.write("Guest,Hut,Nights,Weight,Paid,Note,Arrival\r\n")
        for _ in range(rows):
            guest, hut, nights = (
                f"Guest {chance.randrange(90_000)}",
                chance.choice(["Larch", "Kite"]),
                chance.randrange(9),
            )
            more = f"{chance.random() * 90:.2f},{chance.randrange(2)},note {chance.randrange(90_000)}"
            file.write(f"{guest},{hut},{nights},{more},2026-07-{chance.randrange(1, 29):02d}\r\n")
    return path


def document(path: Path, paragraphs: int) -> Path:
    """A document of that many paragraphs of four runs, a few with doubled spaces or numbers before units."""
    if path.exists():
        return path
    import docx  # not above: what a process measures begins with the size of the one that starts it

    chance = random.Random(5)
    made = docx.Document()
    for number in range(paragraphs):
        paragraph = made.add_paragraph(f"The path to hut {number} was mended in spring, and ")
        paragraph.add_run(f"{chance.randrange(2, 90)} kg").bold = True
        paragraph.add_run(" of wood were" + ("  " if number % 3 == 0 else " ") + "carried up by the wardens ")
        paragraph.add_run("in two days.").italic = True
    made.save(str(path))
    return path


def open_text(path: Path, paragraphs: int) -> Path:
    """The same in the open format."""
    if path.exists():
        return path
    import odfdo

    chance = random.Random(5)
    made = odfdo.Document("text")
    made.body.clear()
    made.insert_style(odfdo.Style("text", name="T1", bold=True), automatic=True)
    for number in range(paragraphs):
        paragraph = odfdo.Paragraph(f"The path to hut {number} was mended in spring, and ")
        paragraph.append(odfdo.Span(f"{chance.randrange(2, 90)} kg", style="T1"))
        paragraph.append(" of wood were" + ("  " if number % 3 == 0 else " ") + "carried up by the wardens ")
        paragraph.append(odfdo.Span("in two days.", style="T1"))
        made.body.append(paragraph)
    made.save(str(path))
    return path


def letters(path: Path, count: int) -> Path:
    """A table of guests, and the letter to fill in beside it."""
    if not path.exists():
        import docx

        made = docx.Document()
        made.add_paragraph("Dear ").add_run("[Guest]").bold = True
        for _ in range(30):
            made.add_paragraph("You stay in [Hut] for [Nights] nights; the path is steep, the stove small.")
        made.save(str(path.parent / "letter.docx"))
        rows = [f"{number},Guest {number},Larch Hut,{number % 7 + 1}" for number in range(count)]
        path.write_text("\r\n".join(["Number,Guest,Hut,Nights", *rows, ""]), newline="")
    return path


def many_documents(folder: Path, count: int) -> list[str]:
    """Documents of 40 paragraphs, every tenth a heading."""
    folder.mkdir(exist_ok=True)
    paths = [folder / f"route-{number}.docx" for number in range(count)]
    for path in paths:
        if not path.exists():
            import docx

            made = docx.Document()
            for number in range(40):
                if number % 10 == 0:
                    made.add_heading(f"Leg {number // 10 + 1} of {path.stem}", number // 10 % 3 + 1)
                else:
                    made.add_paragraph("Follow the stream to the mill, and cross it there.")
            made.save(str(path))
    return [str(path) for path in paths]


def written(name: str, text: str) -> Callable[[Path], list[str]]:
    """A macro from a file beside the data, run by the command."""
    path = DATA / f"{name}.scrub"
    path.write_text(text)
    return lambda file: [*SCRUB, "run", str(path), str(file)]


def approved(name: str, text: str) -> Callable[[Path], list[str]]:
    """A macro that makes files, which the person agreed to."""
    words = written(name, text)
    approve = [*SCRUB, "approve", str(DATA / f"{name}.scrub"), "--yes"]
    subprocess.run(approve, env=ENVIRONMENT, check=True, stdout=subprocess.DEVNULL)
    return words


#: A process begins with the memory of the one that starts it, so that this is a small one of its own.
LAUNCH = """
import os, sys, time
null = os.open(os.devnull, os.O_WRONLY)
start = time.perf_counter()
child = os.posix_spawn(sys.argv[1], sys.argv[1:], os.environ, file_actions=[(os.POSIX_SPAWN_DUP2, null, 1)])
_, status, usage = os.wait4(child, 0)
print(time.perf_counter() - start, usage.ru_maxrss, usage.ru_utime + usage.ru_stime, status)
"""


def cost(words: list[str]) -> Cost:
    """Runs a process and measures it."""
    launched = [sys.executable, "-S", "-E", "-c", LAUNCH, *words]
    told = subprocess.run(launched, env=ENVIRONMENT, stdout=subprocess.PIPE, text=True, check=True).stdout
    seconds, memory, cpu, status = told.split()
    if int(status):
        raise SystemExit(f"{words} failed")
    return Cost(float(seconds), int(memory) * 1024, float(cpu))


@cache
def _counts_instructions() -> bool:
    """Whether this machine counts them: many virtual ones do not."""
    return shutil.which("perf") is not None and _instructions(["true"]) > 0


def _instructions(words: list[str]) -> int:
    """The instructions of a process in user mode; 0 where nobody counts them."""
    path = DATA / "instructions.txt"
    counting = ["perf", "stat", "-x,", "-e", "instructions:u", "-o", str(path), "--", *words]
    subprocess.run(counting, env=ENVIRONMENT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False)
    counts = [line.split(",")[0] for line in path.read_text().splitlines() if "instructions" in line]
    return int(counts[0]) if counts and counts[0].isdecimal() else 0


def best(words: Callable[[Path], list[str]], file: Path, turns: int) -> Cost:
    """The best of that many turns, each on a fresh copy."""
    return _least([_turn(words, file) for _ in range(turns)])


def side_by_side(row: Row) -> tuple[Cost, Cost]:
    """The best of both sides, turn by turn: a machine that is slow for a while is slow for both."""
    ours: list[Cost] = []
    theirs: list[Cost] = []
    for turn in range(max(3, row.turns)):
        ours.append(_turn(row.ours, row.file))
        if turn < row.turns:
            theirs.append(_turn(row.theirs, row.file))
    if not _counts_instructions():
        return _least(ours), _least(theirs)
    counts = [_turn(words, row.file, _instructions) for words in (row.ours, row.theirs)]
    return _least(ours)._replace(instructions=counts[0]), _least(theirs)._replace(instructions=counts[1])


def _turn(words: Callable[[Path], list[str]], file: Path, measure: Callable[[list[str]], Any] = cost) -> Any:
    copy = DATA / f"copy-{file.name}"
    for made in ("letters", "filed", "joined", "split", "bound"):
        shutil.rmtree(DATA / made, ignore_errors=True)
    if file.is_file():
        shutil.copyfile(file, copy)
        if file.stat().st_size > 1_000_000:
            time.sleep(_RESTS)
    return measure(words(copy))


def _least(costs: list[Cost]) -> Cost:
    return Cost(*(min(values) for values in zip(*(each[:3] for each in costs), strict=True)))


def python(code: str) -> Callable[[Path], list[str]]:
    """A script of a few lines, as one would write it."""
    return lambda file: [sys.executable, "-c", code, str(file)]


def macro(title: str) -> Callable[[Path], list[str]]:
    """A macro run by the command."""
    return lambda file: [*SCRUB, "run", title, str(file)]


def library_of(count: int) -> None:
    """A library of that many macros."""
    folder = DATA / "home" / "library"
    folder.mkdir(parents=True, exist_ok=True)
    text = scrub.home().library.find("seal").text
    for number in range(count):
        title = f"Seal the books of week {number}"
        (folder / f"{title}.scrub").write_text(text.replace("Seal every sheet", title))


def rows() -> list[Row]:
    """The table."""
    big, small = workbook(DATA / "big.xlsx", 20_000), workbook(DATA / "small.xlsx", 250)
    library_of(200)
    loop = DATA / "loop.scrub"
    loop.write_text(LOOP_MACRO)
    headings, documents = DATA / "headings.scrub", many_documents(DATA / "routes", 200)
    headings.write_text(HEADINGS_MACRO)
    show, seal = "Show every hidden sheet", "Seal every sheet"
    return [
        Row(f"show hidden sheets, {_size(small)}, small", macro(show), python(SHOW), small, "5x faster", 7),
        Row(f"show hidden sheets, {_size(big)}, big", macro(show), python(SHOW), big, "200x faster", 1),
        Row(
            f"protect all sheets, {_size(big)}, big",
            macro(seal),
            python(PROTECT),
            big,
            "20x faster, a fifth of the memory",
            1,
        ),
        Row(
            "a pass over 240,000 records, setting a value in 22%, cells",
            written("pass", PASS_MACRO),
            python(PASS),
            big,
            "20x faster, at most 150 MB",
            1,
        ),
        Row(
            "add up a column of 240,000 records, cells",
            written("sum", SUM_MACRO),
            python(SUM),
            big,
            "10x faster than read-only mode",
            1,
        ),
        *open_rows(),
        *cell_rows(),
        *formula_rows(),
        Row(
            "single-space every text of it, cells", written("spaces", SPACES_MACRO), python(SPACES), big, "8x faster", 1
        ),
        Row(
            "the same pass on a .csv of 240,000 records, cells",
            written("pass", PASS_MACRO),
            python(PASS_CSV),
            table_of_texts(DATA / "big.csv", 240_000),
            "at most 1.2x its time, 150 MB",
            3,
        ),
        Row(
            "single spaces and bound units in 20,000 paragraphs, words",
            written("words", WORDS_MACRO),
            python(WORDS),
            document(DATA / "big.docx", 20_000),
            "4.2x faster, at most its memory",
            3,
        ),
        Row(
            "the same as tracked changes, against plain edits, words",
            written("tracked", TRACKED_MACRO),
            written("words", WORDS_MACRO),
            document(DATA / "big.docx", 20_000),
            "under 2x its time",
            3,
        ),
        Row(
            "single spaces and bound units in 20,000 paragraphs of .odt, words",
            written("words", WORDS_MACRO),
            python(WORDS_ODT),
            open_text(DATA / "big.odt", 20_000),
            "5x faster",
            1,
        ),
        Row(
            "100 letters from a table, words",
            approved("letters", LETTERS_MACRO),
            python(LETTERS),
            letters(DATA / "Guests.csv", 100),
            "5x faster",
            3,
        ),
        Row(
            "the headings of 200 documents, words",
            lambda _: [*SCRUB, "run", str(headings), *documents],
            lambda _: [sys.executable, "-c", HEADINGS, *documents],
            DATA,
            "5x faster",
            3,
        ),
        *mail_rows(),
        *shape_rows(),
        *page_rows(),
        *base_rows(),
        Row(
            "a loop of a million turns, small",
            lambda _: [*SCRUB, "run", str(loop)],
            python(LOOP_SCRIPT),
            DATA,
            "at most 5x its time",
            3,
        ),
        Row(
            f"a run on a workbook of {_size(small)}, against `import click`, small",
            macro(show),
            lambda _: [sys.executable, "-c", "import click"],
            small,
            "at most 2.5x its time",
            21,
        ),
        Row(
            "list 200 macros, against `import click`, small",
            lambda _: [*SCRUB, "macros"],
            lambda _: [sys.executable, "-c", "import click"],
            DATA,
            "at most 3x its time",
            11,
        ),
    ]


def open_rows() -> list[Row]:
    """The same work on an OpenDocument spreadsheet."""
    big = opensheets.open_workbook(DATA / "big.ods", 20_000)
    show, seal = macro("Show every hidden sheet"), macro("Seal every sheet")
    passed, added = written("pass", PASS_MACRO), written("sum-of", shape.SUM_MACRO)
    return [
        Row("show hidden sheets of a .ods, opensheets", show, python(opensheets.SHOW), big, "35x faster", 1),
        Row("protect all sheets of it, opensheets", seal, python(opensheets.PROTECT), big, "20x faster", 1),
        Row("the same pass on it, against lxml, opensheets", passed, python(opensheets.PASS), big, "1.5x faster", 1),
        Row(
            "its column added up, against calamine, opensheets", added, python(shape.CALAMINE), big,
            "at most 1.3x its time", 3,
        ),
    ]  # fmt: skip


def cell_rows() -> list[Row]:
    """The rows about cells one by one; the others read whole records and columns."""
    book = workbook(DATA / "cells.xlsx", 2_000)
    words = "of 168,000 cells one by one, each cell"
    return [
        Row(f"the numbers {words}", written("cells", READ_CELLS_MACRO), python(READ_CELLS), book, "faster", 3),
        Row(f"the formatting {words}", written("looks", READ_LOOKS_MACRO), python(READ_LOOKS), book, "faster", 3),
        Row(
            f"changes of the texts {words}",
            written("write", WRITE_CELLS_MACRO),
            python(WRITE_CELLS),
            book,
            "faster",
            3,
        ),
    ]


def formula_rows() -> list[Row]:
    """Results that a change makes others."""
    reached = calculated.dependants(DATA / "reached.xlsx", 50_000, True)
    apart = calculated.dependants(DATA / "apart.xlsx", 50_000, False)
    many, sums = calculated.many(DATA / "many.xlsx", 200_000), calculated.sums(DATA / "sums-20.xlsx", 20_000)
    more = calculated.sums(DATA / "sums-100.xlsx", 100_000)

    def change(cell: str, file: Path | None = None) -> Callable[[Path], list[str]]:
        text = f'macro Change {cell}\nfor workbook\nin cell("Nights!{cell}")\n    cell.value = 7\nend\n'
        words = written(f"change-{cell}", text)
        return lambda given: words(_copied(file) if file is not None else given)

    profile = f"-env:UserInstallation=file://{(DATA / 'office').absolute()}"
    office = [
        shutil.which("soffice") or "soffice",
        profile,
        "--headless",
        "--convert-to",
        "xlsx",
        "--outdir",
        str(DATA / "converted"),
    ]
    one = "one input of 50,000 formulas changed"
    return [
        Row(
            f"{one}, against an office program that converts the file, F",
            change("A1"),
            lambda file: [*office, str(file)],
            reached,
            "3x faster",
            3,
        ),
        Row(f"{one}, against one of none, F", change("A1"), change("A1", apart), reached, "at most 0.3 s more", 5),
        Row(
            "ten of 200,000 formulas reached, against none, F",
            change("H1"),
            change("J1"),
            many,
            "at most 1.3x its time",
            5,
        ),
        Row(
            "totals and lookups over 100,000 rows, against 20,000, F",
            change("B1"),
            change("B1", sums),
            more,
            "at most 6x its time",
            3,
        ),
    ]


def _copied(file: Path) -> Path:
    """A file to be changed; the row's own one is copied for each turn."""
    target = file.with_name(f"turn-{file.name}")
    shutil.copy(file, target)
    return target


def mail_rows() -> list[Row]:
    """The rows about mailboxes."""
    big = mail.mailbox_of(DATA / "messages-20000.mbox", 20_000)
    small = mail.mailbox_of(DATA / "messages-4000.mbox", 4_000)
    clean, count = written("clean", mail.CLEAN_MACRO), written("count", mail.COUNT_MACRO)
    filed, saved = approved("file", mail.FILE_MACRO), approved("save", mail.SAVE_MACRO)
    several = "4.5x faster"
    return [
        Row(f"subjects cleaned in 20,000 messages ({_size(big)}), mail", clean, python(mail.CLEAN), big, several, 3),
        Row("messages of 20,000 counted by sender, mail", count, python(mail.COUNT), big, "6x faster", 3),
        Row(
            "2,000 of 4,000 messages filed into three mailboxes, mail",
            filed,
            python(mail.FILE),
            small,
            "2.9x faster",
            3,
        ),
        Row("2,000 attachments of 20,000 messages saved, mail", saved, python(mail.SAVE), big, "2x faster", 3),
    ]


def shape_rows() -> list[Row]:
    """The rows about the shape of workbooks."""
    middle, large = shape.stays(DATA / "stays-20000.xlsx", 20_000), shape.stays(DATA / "stays-50000.xlsx", 50_000)
    flat = shape.stays(DATA / "flat-50000.xlsx", 50_000, formulas=False)
    weeks = shape.forty(DATA / "weeks")
    return [
        Row(
            "every tenth of 4,000 rows deleted, beside 8,000 formulas, shape",
            written("tenth", shape.DELETE_MACRO),
            python(shape.DELETE),
            shape.stays(DATA / "stays-4000.xlsx", 4_000),  # the script takes more than ten minutes for 20,000
            "20x faster, and the formulas right",
            1,
        ),
        Row(
            "50,000 records sorted by two keys, shape",
            written("order", shape.SORT_MACRO),
            python(shape.SORT),
            flat,
            "8x faster",
            1,
        ),
        Row(
            "a sheet renamed to which 50,000 formulas refer, against single spaces in it, shape",
            written("rename", shape.RENAME_MACRO),
            written("spaces", shape.SPACES_MACRO),
            large,
            "under 3x its time",
            3,
        ),
        Row(
            "duplicates among 20,000 records, totals by 40 names, shape",
            written("totals", shape.TOTALS_MACRO),
            python(shape.TOTALS),
            middle,
            "8x faster",
            3,
        ),
        Row(
            "forty workbooks of 1,000 rows joined, shape",
            lambda _: [*approved("join", shape.JOIN_MACRO)(weeks)[:-1], *map(str, sorted(weeks.glob("*.xlsx")))],
            lambda _: [sys.executable, "-c", shape.JOIN, str(weeks)],
            weeks,
            "5x faster",
            3,
        ),
        Row(
            "a workbook of 40,000 rows split into forty, shape",
            approved("split", shape.SPLIT_MACRO),
            python(shape.SPLIT),
            shape.stays(DATA / "flat-40000.xlsx", 40_000, formulas=False),
            "5x faster",
            3,
        ),
        Row(
            "a column of 240,000 records added up by sum(…), against calamine, shape",
            written("sum-of", shape.SUM_MACRO),
            python(shape.CALAMINE),
            workbook(DATA / "big.xlsx", 20_000),
            "at most 1.3x its time",
            3,
        ),
    ]


def page_rows() -> list[Row]:
    """The rows about PDFs and pictures."""
    book, folder = pages.many_pages(DATA / "pages-2000.pdf", 2_000), pages.photos(DATA / "photos", 20)
    seal = Path(scrub.__file__).parent / "demo" / "seal.png"
    shutil.copyfile(seal, DATA / "seal.png")
    photo = folder / "photo 00.jpg"
    return [
        Row(
            "2,000 pages stamped, pages",
            approved("stamp", pages.STAMP_MACRO), python(pages.STAMP.replace("SEAL", str(seal))), book,
            "6.5x faster", 1,
        ),
        Row(
            "the same against pikepdf's overlay, pages",
            approved("stamp", pages.STAMP_MACRO), python(pages.OVERLAY.replace("SEAL", str(seal))), book,
            "at least 1.2x faster", 3,
        ),
        Row(
            "20 pictures of 12 million points in one PDF, pages",
            lambda _: [*approved("bind", pages.JOIN_MACRO)(folder)[:-1], *map(str, sorted(folder.glob("*.jpg")))],
            lambda _: [sys.executable, "-c", pages.JOIN, str(folder)],
            folder, "7x faster", 2,
        ),
        Row(
            "a picture of 12 million points turned by its mark, pages",
            written("turn", pages.TURN_MACRO), python(pages.TURN), photo, "50x faster (the work without the start)", 3,
        ),
        Row(
            "the same made smaller, pages",
            written("smaller", pages.SMALLER_MACRO), python(pages.SMALLER), photo, "at most 1.2x its time", 3,
        ),
        Row(
            "the words of 2,000 pages, pages",
            written("read", pages.WORDS_MACRO), python(pages.WORDS), book, "2.6x faster", 2,
        ),
    ]  # fmt: skip


def base_rows() -> list[Row]:
    """The rows about databases."""
    many = tables.nights(DATA / "nights-500000.sqlite", 500_000)
    mark, count = written("mark-long", tables.MARK_MACRO), written("count-unpaid", tables.COUNT_MACRO)
    found = [
        Row("a field set in 22% of 500,000 records, against a sqlite3 loop, bases", mark, python(tables.MARK), many,
            "at most 1.1x its time", 3),
        Row("the same against a SQLAlchemy loop, bases", mark, python(tables.MARK_MAPPED), many,
            "at most 0.6x its time", 1),
        Row("500,000 records counted by a condition, against a sqlite3 loop, bases", count, python(tables.COUNT), many,
            "at most 0.9x its time", 3),
        Row("the same count against a SQLAlchemy loop, bases", count, python(tables.COUNT_MAPPED), many,
            "at most 0.3x its time", 1),
    ]  # fmt: skip
    if Path("/usr/lib/postgresql").is_dir() and "bases" in sys.argv[1:] + ["bases"] * (len(sys.argv) < 2):
        address = tables.server(100_000)
        ENVIRONMENT["SCRUB_SECRET_HUTS"] = "stove"
        approved("raise", tables.SERVER_MACRO)
        approve = [*SCRUB, "approve", str(DATA / "raise.scrub"), "--server", "127.0.0.1", "--yes"]
        subprocess.run(approve, env=ENVIRONMENT, check=True, stdout=subprocess.DEVNULL)
        found.append(
            Row("100,000 records of PostgreSQL written, against executemany, bases",
                lambda _: [*written("raise", tables.SERVER_MACRO)(DATA)[:-1], address],
                lambda _: [sys.executable, "-c", tables.SERVER, address], many, "1.3x faster", 2)
        )  # fmt: skip
    return found


def _size(path: Path) -> str:
    size = path.stat().st_size
    return f"{size / 1e6:.1f} MB" if size > 1e6 else f"{size // 1000} KB"


def check_speed(lines: list[str]) -> None:
    """How long `check` takes on a macro of 200 lines, start-up aside."""
    text = "macro Check\nfor workbook\n" + 'each sheet\nif sheet.hidden and sheet.name is "a"\nprotect\nend\nend\n' * 40
    scrub.check_text(text)
    start = time.perf_counter()
    for _ in range(10):
        scrub.check_text(text)
    milliseconds = (time.perf_counter() - start) * 100
    lines.append(f"| check a macro of 200 lines | {milliseconds:.0f} ms | | | | under 50 ms |")
    print(lines[-1], flush=True)


def growth(lines: list[str]) -> None:
    """How the work on records, paragraphs and messages grows with their number."""
    records, words = written("pass", PASS_MACRO), written("words", WORDS_MACRO)
    count = written("count", mail.COUNT_MACRO)
    for what, unit, run, make, counts in (
        ("rows of one sheet, the same pass", "row", records, _sheet, (10_000, 100_000, 1_000_000)),
        ("paragraphs, the same words", "paragraph", words, _paragraphs, (1_000, 10_000, 100_000)),
        ("messages, counted by sender", "message", count, _messages, (1_000, 20_000, 1_000_000)),
    ):
        lines += ["", f"| {what} | Scrub | a {unit} | memory |", "| --- | --- | --- | --- |"]
        for many in counts:
            found = best(run, make(many), 1)
            micro = found.seconds / many * 1e6
            lines.append(f"| {many:,} | {found.seconds:.2f} s | {micro:.0f} \u00b5s | {found.memory / 1e6:.0f} MB |")
            print(lines[-1], flush=True)


def _messages(count: int) -> Path:
    return mail.mailbox_of(DATA / f"messages-{count}.mbox", count)


def _sheet(rows: int) -> Path:
    return one_sheet(DATA / f"rows-{rows}.xlsx", rows)


def _paragraphs(count: int) -> Path:
    """A document of that many paragraphs; a large one repeats a small one, which the usual library makes too slowly."""
    path, small = DATA / f"paragraphs-{count}.docx", min(count, 1_000)
    if count == small:
        return document(path, count)
    if not path.exists():
        with zipfile.ZipFile(_paragraphs(small)) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as fresh:
            for name in old.namelist():
                data = old.read(name)
                if name == "word/document.xml":
                    start, end = data.index(b"<w:p>"), data.rindex(b"</w:p>") + len(b"</w:p>")
                    data = data[:start] + data[start:end] * (count // small) + data[end:]
                fresh.writestr(name, data)
    return path


def main(words: list[str]) -> None:
    """Prints the table; writes it down when all rows were run."""
    DATA.mkdir(exist_ok=True)
    compileall.compile_dir(Path(scrub.__file__).parent, quiet=1)  # as an installer does
    lines = ["| work | Scrub | the script | ratio | memory | asked |", "| --- | --- | --- | --- | --- | --- |"]
    for row in rows():
        if not all(word in row.name for word in words):
            continue
        ours, theirs = side_by_side(row)
        ratio = theirs.seconds / ours.seconds
        speed = f"{ratio:.1f}x faster" if ratio >= 1 else f"{1 / ratio:.1f}x its time"
        memory = f"{ours.memory / 1e6:.0f} of {theirs.memory / 1e6:.0f} MB"
        name = row.name.rpartition(",")[0]
        lines.append(f"| {name} | {ours} | {theirs} | {speed} | {memory} | {row.asked} |")
        print(lines[-1], flush=True)
    if not words:
        check_speed(lines)
        growth(lines)
        head = f"# Results\n\nPython {platform.python_version()}, {os.cpu_count()} cores. Made by `make bench`.\n\n"
        (HERE / "results.md").write_text(head + "\n".join(lines) + "\n")
    elif (HERE / "results.md").exists():
        fresh = {line.split("|")[1]: line for line in lines[2:]}
        known = (HERE / "results.md").read_text().splitlines()
        kept = [fresh.pop(line.split("|")[1], line) if line.startswith("| ") else line for line in known]
        end = next((at for at, line in enumerate(kept) if at > 6 and not line), len(kept))
        kept[end:end] = fresh.values()  # rows that were not there yet
        (HERE / "results.md").write_text("\n".join(kept) + "\n")


if __name__ == "__main__":
    main(sys.argv[1:])
