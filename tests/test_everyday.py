"""What an office does every week, each as the few lines one would write, judged by another reader, seen first, and
undone.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from conftest import macro, problems
from sheets import load

import scrub

GUESTS: list[list[Any]] = [
    ["Name", "Hut", "Arrives", "Nights", "Price", "Paid", "Note"],
    ["bauer,  anna", "Larch", date(2026, 7, 3), 2, "€ 12.50", True, "vegan"],
    ["Costa, Luis", None, date(2026, 7, 4), 5, "8.25", False, None],
    ["Dahl, Eva ", "Kite", date(2026, 7, 11), 4, "(3.00)", False, "late  bus"],
    ["Costa, Luis", "larch", date(2026, 8, 1), 1, "n/a", True, None],
]


@pytest.fixture
def guests(home: Path) -> Path:
    """A list that many hands have typed, with prices, totals and a sheet out of sight."""
    path = Path("guests.xlsx")
    book = xlsxwriter.Workbook(path)
    day = book.add_format({"num_format": "yyyy-mm-dd"})
    sheet = book.add_worksheet("Guests")
    for row, line in enumerate(GUESTS):
        for column, value in enumerate(line):
            if isinstance(value, date):
                sheet.write_datetime(row, column, datetime(value.year, value.month, value.day), day)
            elif value is not None:
                sheet.write(row, column, value)
    sheet.write_comment("A2", "ask again", {"author": "Ben"})
    prices = book.add_worksheet("Prices")
    items: list[list[Any]] = [["Item", "Price", "Code"], ["Soup", 4.5, "s1"], ["Bunk", 19, "b7"], ["Tea", 0, "t2"]]
    for row, line in enumerate(items):
        prices.write_row(row, 0, line)
    prices.write_url("E1", "https://huts.example/prices", string="all prices")
    totals = book.add_worksheet("Totals")
    totals.merge_range("A1:C1", "Totals of the season")
    totals.write_formula("A2", "=SUM(Guests!D2:D5)", None, 12)
    totals.write_formula("A3", "=A2/Prices!B4", None, "#DIV/0!")
    totals.write("B2", "hut  nights")
    old = book.add_worksheet("Old drafts")
    old.write("A1", "Larch Hut, larch hut")
    old.hide()
    book.close()
    return path


def of(sheet: str, columns: str, first: int = 2, last: int = 5) -> Callable[[Any], list[Any]]:
    """The values of some columns, row by row."""
    return lambda book: [book[sheet][f"{column}{row}"].value for row in range(first, last + 1) for column in columns]


def looks(sheet: str, cell: str, look: Callable[[Any], Any]) -> Callable[[Any], Any]:
    return lambda book: look(book[sheet][cell])


#: What to do, how it is written, what another reader then finds, and what that is.
CHANGES: list[tuple[str, str, Callable[[Any], Any], Any]] = [
    ("headings in bold", "each sheet where not sheet.hidden\nrow(1).bold = yes\nend",
     lambda book: [book[name]["A1"].font.b for name in ("Guests", "Prices", "Totals", "Old drafts")],
     [True, True, True, False]),
    ("the headings stay in sight", 'in sheet("Guests")\nsheet.frozen-rows = 1\nend',
     lambda book: book["Guests"].freeze_panes, "A2"),
    ("a filter over all that is used", 'in sheet("Guests")\nsheet.filter = sheet.range\nend',
     lambda book: book["Guests"].auto_filter.ref, "A1:G5"),
    ("wide sheets lie across", 'each sheet where sheet.name is in ["Guests", "Prices"]\nsheet.orientation = landscape\n'
     "sheet.width-in-pages = 1\nsheet.height-in-pages = nothing\nend",
     lambda book: [(book[n].page_setup.orientation, book[n].page_setup.fitToWidth, book[n].page_setup.fitToHeight)
                   for n in ("Guests", "Prices")],
     [("landscape", 1, 0), ("landscape", 1, 0)]),
    ("pages are numbered", 'each sheet\nsheet.footer = "Page {page-number} of {page-count}"\nend',
     lambda book: {sheet.oddFooter.center.text for sheet in book.worksheets}, {"Page &P of &N"}),
    ("headings on every page", 'sheet("Guests").heading-rows = "1"',
     lambda book: book["Guests"].print_title_rows, "$1:$1"),
    ("tabs in colour", 'each sheet where sheet.name contains "price"\nsheet.tab-colour = "red"\nend',
     lambda book: [each.sheet_properties.tabColor and each.sheet_properties.tabColor.rgb for each in book.worksheets],
     [None, "FFFF0000", None, None]),
    ("a column out of sight", 'in sheet("Guests")\ncolumn("Note").hidden = yes\nend',
     lambda book: book["Guests"].column_dimensions["G"].hidden, True),
    ("wider columns", 'in sheet("Guests")\ncolumn("A").width = 24\nend',
     lambda book: round(book["Guests"].column_dimensions["A"].width, 1), 24.7),
    ("long stays in yellow", 'each record in sheet("Guests") where record.nights > 3\nrow.fill = "yellow"\nend',
     lambda book: [book["Guests"][f"B{row}"].fill.fgColor.rgb[2:] for row in range(2, 6)],
     ["000000", "FFFF00", "FFFF00", "000000"]),
    ("names in order", 'in sheet("Guests")\nin column("Name")\nsingle-spaces\ntitle-case\nend\nend', of("Guests", "A"),
     ["Bauer, Anna", "Costa, Luis", "Dahl, Eva", "Costa, Luis"]),
    ("first names apart", 'in sheet("Guests").records(headings: 1)\nadd-column "First name"\neach record\n'
     'record.first-name = record.name.after(",").trimmed.title-case\nend\nend', of("Guests", "H", 1),
     ["First name", "Anna", "Luis", "Eva", "Luis"]),
    ("prices as numbers", 'in sheet("Guests")\nin column("Price")\nread-numbers\nend\nend', of("Guests", "E"),
     [12.5, 8.25, -3, "n/a"]),
    ("a hut in every row", 'in sheet("Guests")\nin column("Hut")\nfill-gaps\nend\nend', of("Guests", "B"),
     ["Larch", "Larch", "Kite", "larch"]),
    ("a word changed everywhere", 'each sheet\nreplace "hut", by: "cabin"\nend',
     lambda book: [book["Guests"]["B1"].value, book["Totals"]["B2"].value, book["Old drafts"]["A1"].value],
     ["cabin", "cabin  nights", "Larch cabin, larch cabin"]),
    ("no remarks left", "each sheet\neach comment\ndelete\nend\nend",
     lambda book: [cell.comment for row in book["Guests"]["A1:G5"] for cell in row if cell.comment], []),
    ("remarks signed", 'each sheet\neach comment where comment.author is "Ben"\ncomment.text = "{comment.text} (Ben)"\nend\nend',
     looks("Guests", "A2", lambda cell: cell.comment.text), "ask again (Ben)"),
    ("only inputs are open", 'in sheet("Guests")\ncells("D2:D5").locked = no\nprotect\nend',
     lambda book: (book["Guests"].protection.sheet, book["Guests"]["D3"].protection.locked,
                   book["Guests"]["A3"].protection.locked), (True, False, True)),
    ("twice there", 'in sheet("Guests")\nin column("Name")\nmark-duplicates "orange"\nend\nend',
     lambda book: [book["Guests"][f"A{row}"].fill.fill_type for row in range(2, 6)], [None, "solid", None, "solid"]),
    ("results in place of formulas", 'each sheet\neach cell where cell.formula is not empty and cell.error is empty\n'
     "cell.formula = nothing\nend\nend", of("Totals", "A", 2, 3), [12, "=A2/Prices!B4"]),
    ("prices in their form", 'in sheet("Prices")\ncolumn("Price").number-format = "0.00"\nend',
     lambda book: [book["Prices"][f"B{row}"].number_format for row in range(2, 5)], ["0.00"] * 3),
    ("totals for each row", 'in sheet("Prices")\ncell("D1").value = "Twice"\ncells("D2:D4").formula = "=B2*2"\nend',
     of("Prices", "D", 1, 4), ["Twice", "=B2*2", "=B3*2", "=B4*2"]),
    ("codes in capitals", 'in sheet("Prices")\nin column("Code")\nupper\nend\nend', of("Prices", "C", 1, 4),
     ["Code", "S1", "B7", "T2"]),
    ("no merges", "each sheet\neach merged-range\nunmerge\nend\nend",
     lambda book: (book["Totals"].merged_cells.ranges, book["Totals"]["A1"].value), (set(), "Totals of the season")),
    ("titles without merges", "each sheet\neach merged-range\ncentre-over\nend\nend",
     lambda book: (len(book["Totals"].merged_cells.ranges), book["Totals"]["B1"].alignment.horizontal),
     (0, "centerContinuous")),
    ("drafts away", 'each sheet\nsheet.hidden = sheet.name starts with "Old"\nend',
     lambda book: [sheet.sheet_state for sheet in book.worksheets], ["visible"] * 3 + ["hidden"]),
    ("all sheets back", "each sheet where sheet.hidden\nsheet.hidden = no\nend",
     lambda book: [sheet.sheet_state for sheet in book.worksheets], ["visible"] * 4),
    ("long remarks go on below", 'in sheet("Guests")\ncolumn("Note").wrapped = yes\nend',
     looks("Guests", "G4", lambda cell: cell.alignment.wrap_text), True),
    ("a name for a range", 'in sheet("Prices")\ncells("B2:B4").name = "Price_list"\nend',
     lambda book: book.defined_names["Price_list"].attr_text, "Prices!$B$2:$B$4"),
    ("remarks emptied", 'in sheet("Guests")\nin column("Note")\nclear\nend\nend', of("Guests", "G", 1),
     ["Note", None, None, None, None]),
    ("who owes money", 'each record in sheet("Guests") where record.paid is no and record.note is empty\n'
     'record.note = "still to pay"\nend', of("Guests", "G"), ["vegan", "still to pay", "late  bus", None]),
    ("warnings as remarks", 'each record in sheet("Guests") where record.nights >= 5\nrecord.cell("Nights").comment = "long"\nend',
     looks("Guests", "D3", lambda cell: cell.comment and cell.comment.text), "long"),
    ("a sheet with sums", 'huts = ["Larch", "Kite"]\nsums = new-sheet("Sums")\nin sums\nadd-row ["Hut", "Nights"]\nend\n'
     'each hut in huts\nnights = 0\neach record in sheet("Guests") where record.hut is hut\nnights = nights + record.nights\n'
     "end\nin sums\nadd-row [hut, nights]\nend\nend", of("Sums", "AB", 1, 3), ["Hut", "Nights", "Larch", 3, "Kite", 4]),
    ("a price looked up", 'price = sheet("Prices").record(item: "bunk").price\n'
     'each record in sheet("Guests") where record.price matches "n/a"\nrecord.price = price * record.nights\nend',
     of("Guests", "E", 5, 5), [19]),
    ("a day later", 'each record in sheet("Guests") where record.arrives.weekday is "Saturday"\n'
     "record.arrives = record.arrives + 1 day\nend",
     lambda book: [book["Guests"][f"C{row}"].value.date().isoformat()[5:] for row in range(2, 6)],
     ["07-03", "07-05", "07-12", "08-02"]),
    ("no link left", "each sheet\neach cell where cell.link is not empty\ncell.link = nothing\nend\nend",
     lambda book: book["Prices"]["E1"].hyperlink, None),
    ("a link inside", 'in sheet("Totals")\ncell("B2").link = "#Guests!A1"\nend',
     looks("Totals", "B2", lambda cell: cell.hyperlink.location), "Guests!A1"),
    ("shown without lines", "each sheet\nsheet.gridlines = no\nsheet.zoom = 90\nend",
     lambda book: {(s.sheet_view.showGridLines, s.sheet_view.zoomScale) for s in book.worksheets}, {(False, 90)}),
]  # fmt: skip


def found_by(look: Callable[[Any], Any], path: Path) -> Any:
    """What another reader finds; None where it finds no such thing."""
    try:
        return look(load(path))
    except (KeyError, AttributeError):
        return None


@pytest.mark.parametrize(("body", "look", "wanted"), [each[1:] for each in CHANGES], ids=[each[0] for each in CHANGES])
def test_a_change(guests: Path, body: str, look: Callable[[Any], Any], wanted: Any) -> None:
    before = guests.read_bytes()
    assert problems(macro(body)) == []
    assert found_by(look, guests) != wanted or "starts with" in body
    shown = scrub.run(macro(body), [str(guests)], preview=True)
    assert guests.read_bytes() == before
    done = scrub.run(macro(body), [str(guests)])
    assert done.files[0].problem is None, str(done.files[0].problem)
    assert [repr(each) for each in done.files[0].changes] == [repr(each) for each in shown.files[0].changes]
    assert look(load(guests)) == wanted
    if done.files[0].state == "changed":
        scrub.undo(done.number)
    assert guests.read_bytes() == before


#: What one asks, how it is written, and the answer.
QUESTIONS = [
    ("which sheets are hidden", 'each sheet where sheet.hidden\nsay "{sheet.name}"\nend', ["Old drafts"]),
    ("how many sheets", 'say "{count(sheet)} and {count(sheet where sheet.hidden)}"', ["4 and 1"]),
    ("all nights", 'say "{sheet("Guests").column("Nights").values.sum}"', ["12"]),
    ("longest and mean", 'n = sheet("Guests").column("Nights").values\nsay "{n.largest} {n.average} {n.count}"', ["5 3 4"]),
    ("which huts", 'say "{sheet("Guests").column("Hut").values.unique.sorted.joined(", ")}"', ["Kite, Larch"]),
    ("where errors are", 'each sheet\neach cell where cell.error is not empty\nsay "{sheet.name} {cell.address} {cell.error}"\n'
     "end\nend", ["Totals A3 #DIV/0!"]),
    ("what is a formula", 'each sheet\neach cell where cell.formula is not empty\nsay "{cell.formula}"\nend\nend',
     ["=SUM(Guests!D2:D5)", "=A2/Prices!B4"]),
    ("who comes in July", 'each record in sheet("Guests") where record.arrives.month is 7\n'
     'say "{record.name.single-spaced} on {record.arrives}"\nend',
     ["bauer, anna on 2026-07-03", "Costa, Luis on 2026-07-04", "Dahl, Eva on 2026-07-11"]),
    ("who leaves last", 'last = 2026-01-01\neach record in sheet("Guests")\nleaves = record.arrives + record.nights * 1 day\n'
     'if leaves > last\nlast = leaves\nend\nend\nsay "{last}"', ["2026-08-02"]),
    ("what lacks a note", 'each record in sheet("Guests") where record.note is empty\nsay "row {row.number}"\nend',
     ["row 3", "row 5"]),
    ("where something stands", 'each cell where cell.error is empty and cell.value is "Kite"\nsay "{sheet.name} {row.number} {column.number}"\nend\n'
     'each record in sheet("Guests") where record.hut is "Kite"\nsay "{sheet.name} {row.number}"\nend\n'
     'each row in sheet("Guests") where row.number is 4\nsay sheet.name\nend', ["Guests 4 2", "Guests 4", "Guests"]),
    ("where links lead", 'each sheet\neach cell where cell.link is not empty\nsay "{cell.value}: {cell.link}"\nend\nend',
     ["all prices: https://huts.example/prices"]),
    ("is there such a sheet", 'if sheet("Winter") is missing\nsay "no winter"\nend', ["no winter"]),
    ("is there such a column", 'in sheet("Guests")\nif column("Phone") exists\nsay "phone"\nelse\nsay "no phone"\nend\nend',
     ["no phone"]),
    ("as it is seen", 'say "{cell("Guests!C2").shown} {cell("Prices!B2").shown}"', ["2026-07-03 4.5"]),
    ("a name, wherever one stands",
     'in sheet("Prices")\ncells("B2:B4").name = "Price_list"\ncells("B3").name = "Bunk_price"\nend\neach sheet\n'
     'if sheet.name is "Totals"\nsay "{cell("Bunk_price").value} {cells("price_list").address}"\nend\nend\n'
     'each record in sheet("Guests") where record.nights > 4\nsay "{record.cell("Price").address} {cell("Bunk_price").value}"\n'
     'end\nin sheet("Prices")\ncells("B2:B4").name = nothing\ncells("B3").name = nothing\nend', ["19 B2:B4", "E3 19"]),
    ("headings", 'each sheet where sheet.name is "Prices"\nsay "{sheet.records(headings: 1).headings.joined("/")}"\nend',
     ["Item/Price/Code/all prices"]),
]  # fmt: skip


@pytest.mark.parametrize(("body", "wanted"), [each[1:] for each in QUESTIONS], ids=[each[0] for each in QUESTIONS])
def test_a_question(guests: Path, body: str, wanted: list[str]) -> None:
    before = guests.read_bytes()
    assert problems(macro(body)) == []
    found = scrub.run(macro(body), [str(guests)]).files[0]
    assert found.problem is None, str(found.problem)
    assert (found.said, found.state) == (wanted, "unchanged")
    assert guests.read_bytes() == before


#: What must hold before a file goes out; each fails, and says where.
CHECKS = [
    ('each record in sheet("Guests") where record.hut is empty\nfail "No hut in row {row.number}."\nend', "No hut in row 3."),
    ('if count(sheet where sheet.protected) is 0\nfail "{workbook.name} is open."\nend', "guests.xlsx is open."),
    ('x = sheet("Wintr").name\nsay "{x}"', 'no sheet "Wintr"'),
    ('each record in sheet("Guests")\nsay "{record.nights + record.note}"\nend', "G2"),
    ('say "{cell("Totals!A3").value}"', "A3"),
    ('sheet("Guests").hidden = yes\nsheet("Prices").hidden = yes\nsheet("Totals").hidden = yes', "Totals"),
]  # fmt: skip


@pytest.mark.parametrize(("body", "message"), CHECKS)
def test_a_check_fails_and_nothing_is_saved(guests: Path, body: str, message: str) -> None:
    before = guests.read_bytes()
    found = scrub.run(macro(body), [str(guests)]).files[0]
    assert message in str(found.problem)
    assert found.state == "failed"
    assert guests.read_bytes() == before


def test_the_same_week_after_week(guests: Path) -> None:
    """Most of these, done twice, do nothing the second time; done on a copy with openpyxl's writing, they do the same."""
    other = Path("saved-by-another.xlsx")
    openpyxl.load_workbook(guests).save(other)
    again = ["headings in bold", "a filter over all that is used", "names in order", "prices as numbers", "no merges",
             "a hut in every row", "long stays in yellow", "who owes money", "codes in capitals", "all sheets back",
             "no remarks left", "shown without lines", "pages are numbered", "tabs in colour"]  # fmt: skip
    bodies = {name: (body, look, wanted) for name, body, look, wanted in CHANGES}
    for name in again:
        body, look, wanted = bodies[name]
        for path in (guests, other):
            first = scrub.run(macro(body), [str(path)])
            assert first.files[0].problem is None, (name, str(first.files[0].problem))
            held = path.read_bytes()
            second = scrub.run(macro(body), [str(path)]).files[0]
            assert second.problem is None, (name, str(second.problem))
            assert (second.state, path.read_bytes()) == ("unchanged", held), name
            assert look(load(path)) == wanted, name
            scrub.undo(first.number)
