"""The example macros for cells and records, on the sample files; what came of them is read by openpyxl."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from conftest import SAMPLE, Output, macro
from sheets import changed_parts, load, schema_findings, states

import scrub

Cli = Callable[..., Output]
HUTS = [f"{hut} Hut" for hut in ("Larch", "Kite", "Sorrel", "Gannet", "Rowan", "Tarn", "Scree", "Col")]


def run(title: str, file: str = "season-book.xlsx", **options: Any) -> scrub.FileResult:
    """Runs a macro; a problem is raised."""
    found = scrub.run(title, [file], **options).files[0]
    if found.problem is not None:
        raise found.problem
    return found


@pytest.fixture
def supplies(home: Path) -> Path:
    for name in ("supply-list.xlsx", "prices.xlsx", "bookings.csv"):
        shutil.copyfile(SAMPLE.parent / name, name)
    return Path("supply-list.xlsx")


def values(path: str, sheet: str, columns: str, rows: range) -> list[list[Any]]:
    book = openpyxl.load_workbook(path)
    return [[book[sheet][f"{column}{row}"].value for column in columns] for row in rows]


def test_input_cells_are_opened_and_the_rest_is_closed(book: Path, cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "larch")
    found = run("Open the input cells")
    assert found.said == ["96 input cells opened."]
    run("Seal every sheet")
    sheet = load(book)["Kite Hut"]
    assert sheet.protection.sheet
    assert not sheet["D4"].protection.locked
    assert not sheet["B9"].protection.locked
    assert sheet["A4"].protection.locked
    closed = scrub.run(
        macro('sheet("Kite Hut").hidden = no\nin sheet("Kite Hut")\ncell("A4").value = "x"\nend'), [str(book)]
    )
    assert "Kite Hut A4 is locked, and the sheet is protected" in str(closed.files[0].problem)
    run(macro('in sheet("Kite Hut")\ncell("D4").value = 9\nend'))
    assert load(book)["Kite Hut"]["D4"].value == 9
    run("Unseal every sheet")
    run("Close every cell")
    assert all(cell.protection.locked for sheet in load(book) for row in sheet.iter_rows() for cell in row)
    assert schema_findings(book) <= schema_findings(SAMPLE)


def test_titles_are_centred_without_a_merge_and_back(book: Path, cli: Cli) -> None:
    run("Centre titles without merging")
    for hut in HUTS:
        sheet = load(book)[hut]
        assert not sheet.merged_cells.ranges
        assert [sheet[f"{column}1"].alignment.horizontal for column in "ABH"] == ["centerContinuous"] * 3
        assert sheet["A1"].font.b
        assert sheet["A1"].fill.fgColor.rgb == "FF46605A"
    run("Merge the titles again")
    assert [str(each) for each in load(book)["Col Hut"].merged_cells.ranges] == ["A1:H1"]
    one = cli("run", "Centre titles", book, "--at", "Larch!A1:H1")
    assert "Larch Hut  A1:H1 merged: yes -> no, A1:H1 alignment: general -> centred-over" in one.out
    assert not load(book)["Larch Hut"].merged_cells.ranges
    assert load(book)["Kite Hut"].merged_cells.ranges
    refused = cli("run", "Centre titles", book, "--at", "Kite!B1")
    assert refused.code == 1
    assert "Kite Hut B1 is one cell. Select the cells to centre over too, such as B1:F1" in refused.err


@pytest.mark.parametrize(
    ("place", "advice"),
    [
        ("Larsh!A1:B1", 'no sheet "Larsh"'),
        ("Larch!A1:B", "not a range of cells"),
        ("A1:B1", "the sheet is missing."),
        ("Kite!ZZZZ1", "not a range"),
    ],
)
def test_a_wrong_place_is_told(book: Path, cli: Cli, place: str, advice: str) -> None:
    before = book.read_bytes()
    found = cli("run", "Centre titles", book, "--at", place)
    assert found.code == 1
    assert advice in found.err
    assert book.read_bytes() == before


def test_a_column_of_which_sheet(book: Path) -> None:
    with pytest.raises(scrub.Failure, match=r"column\(…\) needs a sheet. Put it in a block: in sheet\(\"Larch Hut\"\)"):
        run(macro('log column("B").letter'))


def test_a_place_for_a_macro_that_takes_none(book: Path, cli: Cli) -> None:
    found = cli("run", "Show every hidden sheet", book, "--at", "Larch!A1")
    assert found.code == 2
    assert "does not use the selection of --at" in found.err


def test_pages_are_set_up_and_back(book: Path) -> None:
    raw = openpyxl.load_workbook(book)
    raw["Totals"].sheet_view.view = "pageBreakPreview"
    raw.save(book)
    findings = schema_findings(book)
    run("Set the pages up")
    found = load(book)
    sheet = found["Rowan Hut"]
    assert (sheet.page_setup.orientation, sheet.page_setup.fitToWidth, sheet.page_setup.fitToHeight) == (
        "landscape",
        1,
        0,
    )
    assert sheet.sheet_properties.pageSetUpPr.fitToPage
    assert sheet.sheet_properties.pageSetUpPr.autoPageBreaks is False
    assert sheet.print_title_rows == "$3:$3"
    assert sheet.oddFooter.center.text == "&A, page &P of &N"
    assert found["Totals"].sheet_view.view in (None, "normal")
    assert schema_findings(book) <= findings
    run("Set the pages back")
    sheet = load(book)["Rowan Hut"]
    assert sheet.page_setup.orientation == "portrait"
    assert not sheet.print_title_rows
    assert sheet.oddFooter.center.text is None
    assert not run("Set the pages back").changes


def test_a_hut_is_dressed_and_undressed(book: Path) -> None:
    run("Format the hut sheets")
    found = load(book)
    sheet = found["Gannet Hut"]
    assert sheet["A3"].font.b
    assert sheet["A3"].fill.fgColor.rgb == "FFD3E4CD"
    assert sheet["A3"].font.color.rgb == "FF203028"
    assert sheet["A3"].border.bottom.style == "thin"
    assert sheet["F9"].number_format == "#,##0.00"
    assert sheet.column_dimensions["H"].hidden
    assert not sheet.column_dimensions["G"].hidden
    assert round(sheet.column_dimensions["A"].width, 2) == 22.71
    assert sheet.auto_filter.ref == "A3:H15"
    assert sheet["A2"].hyperlink.location == "Totals!A1"
    assert sheet["F3"].comment.text == "14.50 a guest and night."
    assert sheet["C3"].comment.text == "Nights actually slept, not booked."
    assert found.defined_names["Gannet_prices"].attr_text == "'Gannet Hut'!$F$4:$F$15"
    assert sheet.freeze_panes == "B4"
    assert schema_findings(book) <= schema_findings(SAMPLE)
    run("Clear the hut sheets")
    found = load(book)
    sheet = found["Gannet Hut"]
    assert not found.defined_names.get("Gannet_prices")
    assert sheet.auto_filter.ref is None
    assert sheet["A2"].hyperlink is None
    assert sheet["F3"].comment is None
    assert not sheet.column_dimensions["H"].hidden
    scrub.undo()
    scrub.undo()
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_what_is_set_can_be_read(book: Path) -> None:
    run("Format the hut sheets")
    run("Set the pages up")
    body = """
in sheet("Col Hut")
    log "{cell("A3").fill} {cell("A3").colour} {cell("A3").bold} {cell("F4").number-format} {cell("F4").shown}"
    log "{cells("F4:F15").number-format} {cells("A3:H3").bold} {column("A").width} {column("H").hidden} {row(3).height}"
    log "{sheet.orientation} {sheet.width-in-pages} {sheet.heading-rows} {sheet.footer} {sheet.filter} {sheet.frozen-rows}"
    log "{cell("A2").link} {cell("F3").comment} {cells("F4:F15").name} {sheet.range} {sheet.frozen-columns}"
end
log "{cell("Night_price").value} {cells("Col_prices").address} {cell("Totals!B4").formula}"
"""
    assert run(macro(body)).log == [
        "#d3e4cd #203028 yes #,##0.00 43.50",
        "#,##0.00 yes 22 yes ",
        "landscape 1 3 {sheet-name}, page {page-number} of {page-count} A3:H15 3",
        "#Totals!A1 14.50 a guest and night. Col_prices A1:H15 1",
        "14.5 F4:F15 =SUM('Larch Hut'!E4:E15)",
    ]


def test_every_booking_is_looked_at(book: Path) -> None:
    before = values("season-book.xlsx", "Scree Hut", "BFGH", range(4, 16))
    found = run("Sort out who pays")
    after = values("season-book.xlsx", "Scree Hut", "BFGH", range(4, 16))
    late = 0
    for (arrival, price, paid, note), now in zip(before, after, strict=True):
        assert now[:3] == [arrival, price, paid]
        if note and note != "late":
            assert now[3] == note  # nobody's remark is overwritten
        elif paid == "yes":
            assert now[3] is None
        else:
            late += now[3] == "late"
            assert now[3] == ("late" if note or f"{arrival:%Y-%m-%d}" < "2026-07-01" else None)
    assert late
    assert re.fullmatch(r"\d+ bookings are late: \d+\.\d\d in all\.", found.said[0])
    assert found.notes == []
    assert changed_parts(SAMPLE, book) <= {f"xl/worksheets/sheet{number}.xml" for number in range(1, 9)} | {
        "xl/workbook.xml"
    }


def test_headings_in_another_row_are_pointed_out(book: Path) -> None:
    with pytest.raises(
        scrub.Failure,
        match=r'no heading "nights" in row 1. There are: Kite Hut, season 2026. Row 3 looks like headings. To use it',
    ):
        run(macro('n = 0\neach record in sheet("Kite Hut")\nn = n + record.nights\nend'))


def test_a_missing_price_stops_it_all(book: Path) -> None:
    run(macro('in sheet("Tarn Hut")\ncell("F7").value = nothing\nend'))
    before = book.read_bytes()
    result = scrub.run("Sort out who pays", [str(book)])
    assert "Tarn Hut, row 7: there is no price for" in str(result.files[0].problem)
    assert book.read_bytes() == before


def test_the_late_ones_are_gathered_on_a_new_sheet(book: Path) -> None:
    found = run("Gather the late ones")
    rows = list(load(book)["Late"].iter_rows(values_only=True))
    assert rows[0] == ("Hut", "Guest", "Arrival", "Price")
    assert found.said == [f"{len(rows) - 1} bookings are not paid."]
    unpaid = [r for hut in HUTS for r in values("season-book.xlsx", hut, "ABFG", range(4, 16)) if r[3] == "no"]
    assert [(row[1], row[2], row[3]) for row in rows[1:]] == [(r[0], r[1], r[2]) for r in unpaid]
    assert load(book)["Late"]["C2"].is_date
    assert load(book)["Late"]["A1"].font.b
    assert list(states(book))[-1] == "Late"
    assert schema_findings(book) <= schema_findings(SAMPLE)
    assert run("Gather the late ones").said == ["There is a sheet Late already."]
    scrub.undo(1)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_names_are_split_and_joined(book: Path) -> None:
    before = values("season-book.xlsx", "Larch Hut", "AI", range(3, 16))
    run("Split the names")
    after = values("season-book.xlsx", "Larch Hut", "AI", range(3, 16))
    assert after[0] == ["Guest", "First name"]
    assert [f"{last}, {first}" for last, first in after[1:]] == [name for name, _ in before[1:]]
    run("Join the names")
    assert values("season-book.xlsx", "Larch Hut", "AI", range(3, 16)) == before


def test_the_supply_list_is_tidied(supplies: Path, cli: Cli) -> None:
    found = run("Tidy the supply list", "supply-list.xlsx")
    rows = values("supply-list.xlsx", "Orders", "ABCDF", range(2, 34))
    assert [row[0] for row in rows] == [
        hut for hut in ("Larch", "Kite", "Sorrel", "Gannet", "Rowan", "Tarn", "Scree", "Col") for _ in range(4)
    ]
    assert all(isinstance(row[2], int) for row in rows)
    dates = [row[3] for row in rows]
    left = [each for each in dates if isinstance(each, str)]
    assert left
    assert all("/" in each for each in left)
    assert len(found.log) == len(left)
    assert found.left == len(left)
    assert all("is ambiguous" in each for each in found.log)
    assert all(row[1] == row[1].strip().title() for row in rows)
    assert "6 kg sacks" in [row[4] for row in rows]
    cli("settings", "date-order", "day-first")
    run("Tidy the supply list", "supply-list.xlsx")
    assert not any(isinstance(row[0], str) for row in values("supply-list.xlsx", "Orders", "D", range(2, 34)))
    sheet = load(supplies)["Orders"]
    items = [sheet[f"B{row}"].value for row in range(2, 34)]
    for row, item in enumerate(items, 2):
        assert (sheet[f"B{row}"].fill.fgColor.rgb == "FFFFFFE0") == (items.count(item) > 1)


def test_prices_are_looked_up_in_another_workbook(supplies: Path, cli: Cli) -> None:
    refused = cli("run", "Look up the prices", supplies)
    assert refused.code == 3
    assert "reads other files" in refused.err
    prices = dict(values("prices.xlsx", "Prices", "AC", range(2, 12)))
    there = Path("prices.xlsx").read_bytes()
    scrub.run("Look up the prices", ["supply-list.xlsx"], host=Allowing())
    for item, price in values("supply-list.xlsx", "Orders", "BE", range(2, 34)):
        assert price == prices[item.strip()]
    assert Path("prices.xlsx").read_bytes() == there


class Allowing(scrub.QuietHost):
    def approve(self, title: str, reaches: object) -> bool:
        return True


@pytest.mark.parametrize(
    ("body", "advice"),
    [
        ('open("prices.xlsx").sheet("Prices").zoom = 50', "opened for reading"),
        ('open("prices.xlsx").cell("C2").value = 1', "prices.xlsx was opened for reading"),
        ('x = open("gone.xlsx")', "no such file"),
        ('x = open("prices.xlsx").record(item: "gold")', 'Prices has no record with item "gold"'),
        ('x = open("prices.xlsx").record(thing: "gold")', "has the headings thing"),
    ],
)
def test_another_file_is_only_read(supplies: Path, body: str, advice: str) -> None:
    found = scrub.run(macro(body), ["supply-list.xlsx"], host=Allowing()).files[0]
    assert advice in str(found.problem)


def test_a_lookup_sees_what_the_macro_changed(book: Path) -> None:
    body = """
in sheet("Totals")
    log "{table("Totals").record(hut: "kite hut").guest-nights}"
    if table("Totals").record(hut: "No Hut") is missing
        log "no such hut"
    end
end
in new-sheet("Notes")
    add-row ["Key", "The value"]
    add-row ["a", 1]
    add-row ["b", 2]
end
in sheet("Notes")
    log "{record(key: "b").the-value}"
    record(key: "b").the-value = 5
    record(key: "b")."The value" = record(key: "B").the-value + 1
    record(key: "b").key = "c"
    log "{record(key: "c").the-value} {record(key: "b") exists}"
end
"""
    assert run(macro(body)).log == ["96", "no such hut", "2", "6 no"]


def test_one_macro_for_a_workbook_and_a_table_of_texts(supplies: Path) -> None:
    found = run("Clean a list of bookings", "bookings.csv")
    assert found.said == ["3 stay long."]
    text = Path("bookings.csv").read_bytes().decode()
    assert "yes,  brings" not in text
    assert text.count("long stay\r\n") == 3
    assert '"needs a bed, not a bunk"' in text
    scrub.undo()
    assert Path("bookings.csv").read_bytes() == (SAMPLE.parent / "bookings.csv").read_bytes()


def test_what_is_inside_tells_headings(cli: Cli, book: Path) -> None:
    shown = cli("inside", book).out
    assert 'Larch Hut and 7 sheets like it: each record in sheet("Larch Hut").records(headings: 3)' in shown
    assert "  record.guest-nights  12" in shown
    assert 'Totals: each record in table("Totals")' in shown
