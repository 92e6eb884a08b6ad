"""Jobs done by hand on the files of the huts, with the usual libraries: each as a pair of files, and as a second pair with
other records and sheets, on which what was learned has to be right too.
"""

from __future__ import annotations

import csv
import datetime
import mailbox
import random
import re
from collections.abc import Callable, Iterator
from email.message import EmailMessage
from pathlib import Path
from typing import Any, NamedTuple

import docx
import openpyxl
from docx.shared import RGBColor
from openpyxl.comments import Comment
from openpyxl.styles import Alignment, Font, PatternFill

HUTS = (("Larch Hut", "Kite Hut", "Rowan Hut"), ("Tarn Hut", "Larch Hut", "Scree Hut", "Col Hut"))
FIRST = "Ann Ben Cleo Dan Eve Finn Gus Hal Ida Jon Kim Lou".split()
LAST = "Moss Reed Hill Brook Stone Marsh Field Wood Lake".split()
ITEMS = "flour rice oats salt candles rope soap matches".split()


class Job(NamedTuple):
    """A job: what it is, the ending of its files, what makes the file before, and what is done to it."""

    about: str
    ending: str
    make: Callable[[Path, random.Random, bool], None]
    do: Callable[[Path, Path], None]


JOBS: dict[str, Job] = {}


def season(path: Path, chance: random.Random, second: bool, rows: int = 20, title: bool = False) -> None:
    """A season book: a sheet for each hut, and two others."""
    book: Any = openpyxl.Workbook()
    book.remove(book.active)
    for hut in HUTS[second]:
        sheet = book.create_sheet(hut)
        if title:
            sheet.append([f"Stays at {hut}"])
            sheet.append([])
        sheet.append(["Guest", "Nights", "Arrival", "Paid", "Price", "Note"])
        for _ in range(rows):
            day = datetime.datetime(2026, chance.randint(5, 9), chance.randint(1, 28))
            sheet.append([
                f"{chance.choice(LAST)}, {chance.choice(FIRST)}", chance.randint(1, 7), day, chance.choice(["yes", "no"]),
                chance.choice([12.5, 18, 22.75, 30]), chance.choice([None, None, "late", "dog"]),
            ])  # fmt: skip
    book.create_sheet("Totals")["A1"] = "About the totals"
    book.create_sheet("Draft notes")["A1"] = "To do"
    book.save(path)


def titled(path: Path, chance: random.Random, second: bool) -> None:
    season(path, chance, second, title=True)


def supplies(path: Path, chance: random.Random, second: bool, rows: int = 40) -> None:
    """A list of supplies on one sheet, and a list of prices on another."""
    book: Any = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Supplies"
    sheet.append(["Item", "Hut", "Amount", "Price", "Code", "Status"])
    for _ in range(rows):
        item = chance.choice(ITEMS)
        sheet.append([
            item, chance.choice(HUTS[0]), chance.randint(1, 20), chance.choice([1.2, 3.5, 4.0, 12.75]),
            f"{item[:2]}-{chance.randint(100, 999)}", chance.choice(["open", "done", "cancelled"]),
        ])  # fmt: skip
    prices = book.create_sheet("Prices")
    prices.append(["Item", "Unit price", "Shelf"])
    for number, item in enumerate(ITEMS):
        prices.append([item, 1.5 + number + second, f"S{number}"])
    book.save(path)


def rules(path: Path, chance: random.Random, second: bool) -> None:
    """House rules with headings, notes and bold lines."""
    document: Any = docx.Document()
    document.add_heading("House rules", 1)
    notes = ("the spring is dry.", "ask the warden first.")
    for number in range(40):
        kind = chance.randint(0, 6)
        if kind == 0:
            document.add_heading(chance.choice(["Water", "Wood", "Nights", "Boots"]), 2)
        elif kind == 1:
            document.add_paragraph(f"Note: {notes[number % 2]}")
        elif kind == 2:
            document.add_paragraph().add_run(chance.choice(["What to bring", "When to leave"])).bold = True
        else:
            document.add_paragraph(
                f"Carry {chance.randint(2, 9)} kg of wood up to {chance.choice(HUTS[second])}  before dark."
            )
    document.save(path)


def letters(path: Path, chance: random.Random, second: bool) -> None:
    """A mailbox of bookings."""
    box = mailbox.mbox(path)
    for number in range(30):
        message = EmailMessage()
        message["From"] = f"{chance.choice(FIRST)} <a{number}@{chance.choice(['huts.example', 'moss.example'])}>"
        message["To"] = "office@huts.example"
        message["Subject"] = (
            chance.choice(["", "Re: ", "Fwd: "])
            + chance.choice(["Booking", "The key", "Water", "Invoice"])
            + f" {number}"
        )
        message["Date"] = f"{1 + number % 28} Jun 2026 10:{number:02} +0000"
        message["Message-ID"] = f"<{number}.{second}@huts.example>"
        message.set_content(f"Please note {number}.\n")
        box.add(message)
    box.close()


def bookings(path: Path, chance: random.Random, second: bool) -> None:
    """Bookings as a table of texts."""
    with path.open("w", newline="", encoding="utf-8") as stream:
        writer = csv.writer(stream)
        writer.writerow(["Guest", "Nights", "Arrival", "Paid", "Phone"])
        for _ in range(40):
            writer.writerow([
                f"{chance.choice(LAST)}, {chance.choice(FIRST)}", chance.randint(0, 6),
                f"2026-0{chance.randint(5, 9)}-{chance.randint(10, 28)}", chance.choice("yn"), f"0171 {chance.randint(100, 999)}",
            ])  # fmt: skip


def job(
    name: str, about: str, ending: str, make: Callable[[Path, random.Random, bool], None]
) -> Callable[[Callable[[Any], None]], None]:
    """Adds a job; the function below it does it to an open file."""

    def added(do: Callable[[Any], None]) -> None:
        JOBS[name] = Job(about, ending, make, _DOING[ending](do))

    return added


def _in_book(do: Callable[[Any], None]) -> Callable[[Path, Path], None]:
    def done(before: Path, after: Path) -> None:
        book = openpyxl.load_workbook(before)
        do(book)
        book.save(after)

    return done


def _in_document(do: Callable[[Any], None]) -> Callable[[Path, Path], None]:
    def done(before: Path, after: Path) -> None:
        document = docx.Document(str(before))
        do(document)
        document.save(str(after))

    return done


def _in_box(do: Callable[[Any], None]) -> Callable[[Path, Path], None]:
    def done(before: Path, after: Path) -> None:
        messages = list(mailbox.mbox(before))
        box = mailbox.mbox(after)
        for message in messages:
            if do(message) is not False:  # type: ignore[func-returns-value]
                box.add(message)
        box.close()

    return done


def _in_table(do: Callable[[Any], None]) -> Callable[[Path, Path], None]:
    def done(before: Path, after: Path) -> None:
        with before.open(newline="", encoding="utf-8") as stream:
            rows = list(csv.reader(stream))
        do(rows)
        with after.open("w", newline="", encoding="utf-8") as stream:
            csv.writer(stream).writerows(rows)

    return done


_DOING = {"xlsx": _in_book, "docx": _in_document, "mbox": _in_box, "csv": _in_table}


def huts(book: Any) -> list[Any]:
    return [sheet for sheet in book if sheet.title.endswith("Hut")]


def records(sheet: Any, first: int = 2) -> Iterator[Any]:
    yield from sheet.iter_rows(min_row=first)


@job("late", "a note beside unpaid stays of July and later", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        for row in records(sheet):
            if row[3].value == "no" and row[2].value >= datetime.datetime(2026, 7, 1) and row[5].value is None:
                row[5].value = "remind"


@job("titled", "the same below a title, by the number of nights", "xlsx", titled)
def _(book: Any) -> None:
    for sheet in huts(book):
        for row in records(sheet, 4):
            if row[1].value > 4:
                row[5].value = "long stay"


@job("hidden", "the drafts hidden", "xlsx", season)
def _(book: Any) -> None:
    book["Draft notes"].sheet_state = "hidden"


@job("frozen", "heading rows frozen on the huts", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        sheet.freeze_panes = "A2"


@job("headings", "headings bold and centred", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        for cell in sheet[1]:
            cell.font = Font(name=cell.font.name, size=cell.font.size, bold=True)
            cell.alignment = Alignment(horizontal="center")


@job("marked", "late records in a colour", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        for row in records(sheet):
            if row[5].value == "late":
                for cell in row:
                    cell.fill = PatternFill("solid", fgColor="FFFFE0E0")


@job("decimals", "prices with two decimals", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        for row in records(sheet):
            row[4].number_format = "0.00"


@job("formula", "a formula in a new column", "xlsx", supplies)
def _(book: Any) -> None:
    sheet = book["Supplies"]
    sheet["G1"] = "Total"
    for row in range(2, sheet.max_row + 1):
        sheet.cell(row, 7).value = f"=C{row}*D{row}"


@job("lookup", "prices from another sheet", "xlsx", supplies)
def _(book: Any) -> None:
    prices = {row[0].value: row[1].value for row in records(book["Prices"])}
    for row in records(book["Supplies"]):
        row[3].value = prices[row[0].value]


@job("shelf", "a new column from another sheet", "xlsx", supplies)
def _(book: Any) -> None:
    shelves = {row[0].value: row[2].value for row in records(book["Prices"])}
    sheet = book["Supplies"]
    sheet["G1"] = "Shelf"
    for row in sheet.iter_rows(min_row=2, max_col=7):
        row[6].value = shelves[row[0].value]


@job("codes", "codes in capitals", "xlsx", supplies)
def _(book: Any) -> None:
    for row in records(book["Supplies"]):
        row[4].value = row[4].value.upper()


@job("raise", "prices of open supplies up by ten per cent", "xlsx", supplies)
def _(book: Any) -> None:
    for row in records(book["Supplies"]):
        if row[5].value == "open":
            row[3].value = round(row[3].value * 1.1, 2)


@job("closed", "what is done or cancelled deleted", "xlsx", supplies)
def _(book: Any) -> None:
    sheet = book["Supplies"]
    for number in range(sheet.max_row, 1, -1):
        if sheet.cell(number, 6).value != "open":
            sheet.delete_rows(number)


@job("few", "records of fewer than five pieces deleted", "xlsx", supplies)
def _(book: Any) -> None:
    sheet = book["Supplies"]
    for number in range(sheet.max_row, 1, -1):
        if sheet.cell(number, 3).value < 5:
            sheet.delete_rows(number)


@job("sorted", "supplies sorted by hut, then item", "xlsx", supplies)
def _(book: Any) -> None:
    sheet = book["Supplies"]
    rows = sorted(([cell.value for cell in row] for row in records(sheet)), key=lambda row: (row[1], row[0]))
    for number, row in enumerate(rows, 2):
        for column, value in enumerate(row, 1):
            sheet.cell(number, column).value = value


@job("names", "two columns from the guest", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        sheet["G1"], sheet["H1"] = "Last name", "First name"
        for row in sheet.iter_rows(min_row=2, max_col=8):
            row[6].value, row[7].value = row[0].value.split(", ")


@job("leaving", "the day of leaving", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        for row in records(sheet):
            row[2].value = row[2].value + datetime.timedelta(days=7)


@job("status", "status in other words", "xlsx", supplies)
def _(book: Any) -> None:
    for row in records(book["Supplies"]):
        row[5].value = {"open": "to buy", "done": "bought", "cancelled": "not needed"}[row[5].value]


@job("hide rows", "cancelled rows hidden", "xlsx", supplies)
def _(book: Any) -> None:
    sheet = book["Supplies"]
    for number in range(2, sheet.max_row + 1):
        if sheet.cell(number, 6).value == "cancelled":
            sheet.row_dimensions[number].hidden = True


@job("doubles", "repeated records removed", "csv", bookings)
def _(rows: Any) -> None:
    seen = set()
    for row in list(rows):
        if row[0] in seen:
            rows.remove(row)
        seen.add(row[0])


@job("tab", "tabs of the huts coloured", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        sheet.sheet_properties.tabColor = "FF46605A"


@job("footer", "a footer on every sheet", "xlsx", season)
def _(book: Any) -> None:
    for sheet in book:
        sheet.oddFooter.center.text = "Kestrel Ridge Huts"


@job("comment", "a comment on each late note", "xlsx", season)
def _(book: Any) -> None:
    for sheet in huts(book):
        for row in records(sheet):
            if row[5].value == "late":
                row[5].comment = Comment("Ask for the money", "Office")


@job("word", "a word replaced in a document", "docx", rules)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        for run in paragraph.runs:
            run.text = run.text.replace("wood", "logs")


@job("spaces", "double spaces in a document", "docx", rules)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        for run in paragraph.runs:
            run.text = run.text.replace("  ", " ")


@job("notes", "notes taken out", "docx", rules)
def _(document: Any) -> None:
    for paragraph in list(document.paragraphs):
        if paragraph.text.startswith("Note:"):
            paragraph._p.getparent().remove(paragraph._p)


@job("italic", "notes in italics", "docx", rules)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        if paragraph.text.startswith("Note:"):
            for run in paragraph.runs:
                run.italic = True


@job("subjects", "subjects without the prefix", "mbox", letters)
def _(message: Any) -> None:
    subject = message["Subject"]
    for prefix in ("Re: ", "Fwd: "):
        subject = subject.removeprefix(prefix)
    del message["Subject"]
    message["Subject"] = subject


@job("invoices", "invoices deleted", "mbox", letters)
def _(message: Any) -> Any:
    return "Invoice" not in message["Subject"]


@job("paid", "y and n written out, and guests of no night deleted", "csv", bookings)
def _(rows: Any) -> None:
    rows[:] = [row for row in rows if row[1] != "0"]
    for row in rows[1:]:
        row[3] = {"y": "yes", "n": "no"}[row[3]]


@job("phones", "phone numbers without a space", "csv", bookings)
def _(rows: Any) -> None:
    for row in rows[1:]:
        row[4] = row[4].replace(" ", "-")


@job("three keys", "supplies sorted by hut, item and amount", "xlsx", supplies)
def _(book: Any) -> None:
    sheet = book["Supplies"]
    rows = sorted(([cell.value for cell in row] for row in records(sheet)), key=lambda row: (row[1], row[0], -row[2]))
    for number, row in enumerate(rows, 2):
        for column, value in enumerate(row, 1):
            sheet.cell(number, column).value = value


@job("alphabet", "sheets by the alphabet", "xlsx", season)
def _(book: Any) -> None:
    book._sheets.sort(key=lambda sheet: sheet.title)


@job("totals first", "the totals before the huts", "xlsx", season)
def _(book: Any) -> None:
    book.move_sheet("Totals", -3 if "Kite Hut" in book else -4)


@job("huts last", "the huts after the other sheets", "xlsx", season)
def _(book: Any) -> None:
    book._sheets.sort(key=lambda sheet: sheet.title.endswith("Hut"))


def parted(paragraph: Any, pattern: str, change: Callable[[Any], None]) -> None:
    """Changes how the words that a pattern finds look."""
    pieces = re.split(f"({pattern})", paragraph.text)
    if len(pieces) > 1 and len(paragraph.runs) == 1:
        paragraph.runs[0].text = pieces[0]
        for number, piece in enumerate(pieces[1:], 1):
            if piece:
                run = paragraph.add_run(piece)
                if number % 2:
                    change(run)


def bold(run: Any) -> None:
    run.bold = True


@job("weights", "weights bold", "docx", rules)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        parted(paragraph, r"\d+ kg", bold)


@job("warden", "one word in bold", "docx", rules)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        parted(paragraph, "wood", bold)


def coloured(path: Path, chance: random.Random, second: bool) -> None:
    """House rules in which some words are red."""
    rules(path, chance, second)
    document: Any = docx.Document(str(path))
    for number, paragraph in enumerate(document.paragraphs):
        if number % 3:
            parted(paragraph, r"\w+ Hut", lambda run: setattr(run.font.color, "rgb", RGBColor(0xC0, 0, 0)))
        else:
            parted(paragraph, r"before|up", bold)
    document.save(str(path))


@job("red words", "red words also in italics", "docx", coloured)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        for run in paragraph.runs:
            if run.font.color.rgb is not None:
                run.italic = True


@job("quoted", "notes in the style of quotes", "docx", rules)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        if paragraph.text.startswith("Note:"):
            paragraph.style = "Quote"


@job("green notes", "notes in another colour", "docx", rules)
def _(document: Any) -> None:
    for paragraph in document.paragraphs:
        if paragraph.text.startswith("Note:"):
            for run in paragraph.runs:
                run.font.color.rgb = RGBColor(0, 0x80, 0)


def pair(name: str, folder: Path, second: bool = False, seed: int = 3) -> tuple[Path, Path]:
    """The files of a job, before and after."""
    chosen = JOBS[name]
    folder.mkdir(parents=True, exist_ok=True)
    before, after = folder / f"before.{chosen.ending}", folder / f"after.{chosen.ending}"
    chosen.make(before, random.Random(f"{name} {seed} {second}"), second)
    chosen.do(before, after)
    return before, after
