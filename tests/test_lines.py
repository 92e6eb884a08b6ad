"""Rows and columns that come, go and change places, beside a model of a sheet that is a list of lists."""

from __future__ import annotations

import csv
import re
import shutil
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from conftest import examples, macro
from hypothesis import given
from hypothesis import strategies as st
from sheets import load, members, schema_findings
from test_structure import done, rich, run

import scrub

ROWS, COLUMNS = 7, 5
LETTERS = "ABCDEFGHIJ"
STEPS = st.lists(
    st.tuples(
        st.sampled_from(["delete", "insert", "move"]), st.booleans(), st.booleans(), st.integers(1, ROWS), st.integers(1, ROWS)
    ),
    min_size=1, max_size=5,
)  # fmt: skip


def worded(steps: list[tuple[str, bool, bool, int, int]]) -> tuple[str, list[int], list[int]]:
    """Steps on rows and columns as a macro, and the lines of the model in their new order: new ones are below 0."""
    body, fresh = [], 0
    order: dict[bool, list[int]] = {True: list(range(1, ROWS + 1)), False: list(range(1, COLUMNS + 1))}
    for what, is_row, behind, line, other in steps:
        lines = order[is_row]
        line, other = (line, other) if is_row else (min(line, COLUMNS), min(other, COLUMNS))
        if line not in lines or (what == "move" and other not in lines) or (what == "delete" and len(lines) < 4):
            continue
        name = f"row({line})" if is_row else f'column("{LETTERS[line - 1]}")'
        if what == "delete":
            lines.remove(line)
            body.append(f"in {name}\ndelete\nend")
        elif what == "insert":
            fresh -= 1
            lines.insert(lines.index(line) + behind, fresh)
            side = ("below" if behind else "above") if is_row else ("right" if behind else "left")
            made, cell = ("line", 'line.cell("A")') if is_row else ("side", "side.cell(1)")
            value = "" if (1 not in order[not is_row]) else f"\n{cell}.value = {fresh}"
            body.append(f"in {name}\n{made} = insert-{side}(){value}\nend")
        elif line != other:
            lines.remove(line)
            lines.insert(lines.index(other) + behind, line)
            side = ("below" if behind else "above") if is_row else ("right-of" if behind else "left-of")
            target = other if is_row else f'"{LETTERS[other - 1]}"'
            body.append(f"in {name}\nmove-{side} {target}\nend")
    return "\n".join(body), order[True], order[False]


def model(rows: list[int], columns: list[int]) -> list[list[Any]]:
    """The values as they are to be."""

    def value(row: int, column: int) -> Any:
        if row > 0 and column > 0:
            return row * 10 + column
        return row if row < 0 and column == 1 else column if column < 0 and row == 1 else None

    return [[value(row, column) for column in columns] for row in rows]  # fmt: skip


REFERENCES = st.lists(
    st.tuples(st.integers(1, ROWS), st.integers(1, COLUMNS), st.integers(1, ROWS), st.integers(1, COLUMNS), st.integers(0, 15)),
    min_size=1, max_size=6,
)  # fmt: skip


def address(row: int, column: int, marks: int) -> str:
    return f"{'$' * (marks & 1)}{LETTERS[column - 1]}{'$' * (marks >> 1 & 1)}{row}"


@given(STEPS, REFERENCES)
@examples(60)
def test_every_reference_still_finds_its_cells(
    home: Path,
    tmp_path: Path,
    steps: list[tuple[str, bool, bool, int, int]],
    wanted: list[tuple[int, int, int, int, int]],
) -> None:
    body, rows, columns = worded(steps)
    path = tmp_path / "book.xlsx"
    book = xlsxwriter.Workbook(path)
    sheet, other = book.add_worksheet("Stays"), book.add_worksheet("Other")
    for row in range(1, ROWS + 1):
        for column in range(1, COLUMNS + 1):
            sheet.write(row - 1, column - 1, row * 10 + column)
    for number, (top, left, bottom, right, marks) in enumerate(wanted):
        one, last = address(top, left, marks), address(bottom, right, marks >> 2)
        other.write_formula(number, 0, f"=SUM(Stays!{one})")
        other.write_formula(number, 1, f"=SUM(Stays!{one}:{last})")
        sheet.write_formula(ROWS + 3, number, f"=Other!A1+{one}")
    book.close()
    (tmp_path / "moves.scrub").write_text(macro(f'in sheet("Stays")\n{body}\nend'))
    found = {}
    for slowly in (False, True):
        copy = tmp_path / f"copy{slowly}.xlsx"
        shutil.copy(path, copy)
        result = run(f'in sheet("Stays")\n{body}\nend', copy, slowly)
        if result.problem is not None:
            assert "belong together and would be separated" in str(result.problem)
            return
        found[slowly] = members(copy)
    assert found[False] == found[True]
    after = openpyxl.load_workbook(copy)
    stays, others = after["Stays"], after["Other"]
    grid = model(rows, columns)
    assert [[stays.cell(r, c).value for c in range(1, len(columns) + 1)] for r in range(1, len(rows) + 1)] == grid
    moved = any(what == "move" for what, *_ in steps)
    for number, (top, left, bottom, right, _) in enumerate(wanted):
        kept = top in rows and left in columns
        assert seen(others.cell(number + 1, 1).value, grid) == ({top * 10 + left} if kept else None)
        lines, across = sorted((top, bottom)), sorted((left, right))
        inside = {
            r * 10 + c for r in range(lines[0], lines[1] + 1) for c in range(across[0], across[1] + 1)
            if r in rows and c in columns
        }  # fmt: skip
        if not moved:
            assert seen(others.cell(number + 1, 2).value, grid) == (inside or None)
        elif inside and (seen(others.cell(number + 1, 2).value, grid) or set()) != inside:
            # Only lines that no longer are together may leave the range, or let others into it.
            places = [rows.index(r) for r in range(lines[0], lines[1] + 1) if r in rows]
            sideways = [columns.index(c) for c in range(across[0], across[1] + 1) if c in columns]
            assert max(places) - min(places) >= len(places) or max(sideways) - min(sideways) >= len(sideways)
    if found[True] != members(path):
        scrub.undo()
    assert copy.read_bytes() == path.read_bytes()


def seen(formula: Any, grid: list[list[Any]]) -> set[int] | None:
    """The numbers of the first sheet that a formula refers to; None for a lost reference."""
    if "#REF!" in formula:
        return None
    ends = [(int(row), LETTERS.index(column) + 1) for column, row in re.findall(r"\$?([A-J])\$?(\d+)", formula)]
    (top, left), (bottom, right) = ends[0], ends[-1]
    cells = [
        value
        for row in grid[min(top, bottom) - 1 : max(top, bottom)]
        for value in row[min(left, right) - 1 : max(left, right)]
    ]
    return {value for value in cells if value is not None and value > 0} or None  # fmt: skip


@given(STEPS)
@examples(60)
def test_tables_of_texts_are_rearranged_alike(
    home: Path, tmp_path: Path, steps: list[tuple[str, bool, bool, int, int]]
) -> None:
    body, rows, columns = worded(steps)
    path = tmp_path / "book.csv"
    grid = model(list(range(1, ROWS + 1)), list(range(1, COLUMNS + 1)))
    path.write_text("".join(",".join(map(str, row)) + "\n" for row in grid))
    before = path.read_bytes()
    done(f"each sheet\n{body}\nend", path)
    with path.open(newline="") as file:
        assert list(csv.reader(file)) == [
            ["" if value is None else str(value) for value in row] for row in model(rows, columns)
        ]
    if path.read_bytes() != before:
        scrub.undo()
    assert path.read_bytes() == before


@pytest.mark.parametrize("slowly", [False, True])
def test_everything_that_names_cells_follows_columns(home: Path, slowly: bool) -> None:
    """Column C goes, one comes left of B, and E, which is empty, comes before A."""
    path = Path("rich.xlsx")
    rich(path)
    before, findings = path.read_bytes(), schema_findings(path)
    body = (
        'in sheet("Stays")\nin column("C")\ndelete\nend\nin column("B")\nfresh = insert-left()\nend\n'
        'in fresh.cell(3)\ncell.value = "fresh"\nend\nend'
    )
    found = done(body, path, slowly)
    assert [str(change) for change in found.changes] == [
        "column C deleted: 0", "new column 1 left of column B", 'new column 1 in row 3: nothing -> "fresh"',
    ]  # fmt: skip
    book = load(path)
    sheet, totals = book["Stays"], book["Totals"]
    assert [[cell.value for cell in row] for row in sheet["A3:D4"]] == [
        ["guest 2", "fresh", 2, "=C3+#REF!"], ["guest 3", None, 3, "=C4+#REF!"],
    ]  # fmt: skip
    assert {str(each) for each in sheet.merged_cells.ranges} == {"F3:F6", "F9:G9"}
    rules = {str(ranges.sqref): [rule.formula for rule in ranges.rules] for ranges in sheet.conditional_formatting}
    assert rules == {"C5:C12": [["$C5>#REF!"]]}
    assert {str(each.sqref): each.formula1 for each in sheet.data_validations.dataValidation} == {
        "A4:A15": "$C$2:$C$19"
    }
    assert sheet.auto_filter.ref == "A1:D20"
    assert {cell.coordinate for row in sheet for cell in row if cell.comment} == {"A8", "A10"}
    assert (sheet.print_area, sheet.freeze_panes) == ("'Stays'!$A$1:$D$20", "B3")
    assert totals["A1"].value.text == "=Stays!C2:C4*2"
    assert book.defined_names["Nights"].attr_text == "Stays!$C$2:$C$20"
    part = members(path)
    series = part["xl/charts/chart1.xml"].decode()
    assert "Stays!$C$2:$C$20" in series
    assert "Stays!$A$2:$A$20" in series
    assert b"<xm:f>Stays!C2:C12</xm:f><xm:sqref>H12</xm:sqref>" in part["xl/worksheets/sheet1.xml"]
    assert b"SUM(Stays!C2:C20)" in part["xl/tables/table1.xml"]
    assert schema_findings(path) <= findings
    assert "20 formulas referred to" in " ".join(found.notes)
    scrub.undo()
    assert path.read_bytes() == before


def test_widths_looks_and_filters_go_with_their_columns(home: Path) -> None:
    book = xlsxwriter.Workbook("wide.xlsx")
    sheet = book.add_worksheet("Stays")
    bold = book.add_format({"bold": True})
    sheet.set_column("A:A", 10)
    sheet.set_column("B:D", 20, bold)
    sheet.set_column("E:E", 30)
    for row in range(6):
        sheet.write_row(row, 0, [f"r{row}", 1, 2, row % 2, 4], bold if row == 2 else None)
    sheet.set_row(2, 40)
    sheet.autofilter("A1:E6")
    sheet.filter_column("D", "x == 1")
    sheet.insert_image("C5", str(picture()))
    book.close()
    path, findings = Path("wide.xlsx"), schema_findings("wide.xlsx")
    done(
        'each sheet\nin column("E")\nmove-left-of "B"\nend\nin column("C")\ndelete\nend\nin row(3)\ninsert-below\nend\nend',
        path,
    )
    after = load(path)["Stays"]
    widths = {letter: round(each.width) for letter, each in after.column_dimensions.items()}
    assert (widths["A"], widths["B"], widths["C"]) == (11, 31, 21)
    assert after.column_dimensions["C"].min == 3
    assert after.column_dimensions["C"].max == 4
    assert [cell.value for cell in after[2]] == ["r1", 4, 1, 1]
    assert after.auto_filter.ref == "A1:D7"
    assert [each.colId for each in after.auto_filter.filterColumn] == [3]
    assert after.row_dimensions[4].height == after.row_dimensions[3].height
    assert after["A4"].font.b
    assert after["A4"].value is None
    anchor = after._images[0].anchor._from
    assert (anchor.row, anchor.col) == (5, 3)
    assert schema_findings(path) <= findings


def picture() -> Path:
    """A picture of one point."""
    import base64

    path = Path("point.png")
    path.write_bytes(base64.b64decode(
        "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
    ))  # fmt: skip
    return path


@pytest.mark.parametrize(("body", "why"), [
    ('in sheet("Totals").column("E")\ndelete\nend', "the columns of a table on Totals"),
    ('in sheet("Totals").column("D")\ninsert-right\nend', "the columns of a table on Totals"),
    ('in sheet("Totals").row(2)\ninsert-above\nend', "Totals A1:A3 is one array formula"),
    ('in sheet("Stays").row(4)\nmove-above 12\nend', "Stays F3:F6 is merged and would be"),
    ('in sheet("Stays").row(1)\nmove-below 5\nend', "the headings of the filter on Stays"),
    ('in sheet("Stays")\nprotect\nin column("A")\ninsert-left\nend\nend', "Stays is protected"),
    ('in sheet("Stays")\nin column("B")\ndelete\nend\ncell("B4").value = 1\nend', "Stays B4 was deleted in a line above, with its column"),
    ('in sheet("Stays")\nin row(3)\nfresh = insert-above()\nend\nx = fresh.number\nend', "Stays new row 1 gets its number when"),
    ('in sheet("Stays")\nin row(3)\nfresh = insert-above()\nend\nin fresh\ndelete\nend\nfresh.cell("A").value = 1\nend', "was deleted"),
    ('sheet("Stays").cell("A1048576").value = 1\nin sheet("Stays").row(3)\ninsert-above\nend', "row 1,048,577 would be"),
    ('sheet("Stays").cell("XFD2").value = 1\nin sheet("Stays").column("B")\ninsert-left\nend', "column XFE would be"),
    ('in sheet("Stays").row(3)\nx = insert-above()\nend\ny = sheet("Totals").cell("E2").value', "Totals E2"),
])  # fmt: skip
def test_what_cannot_be_is_told(home: Path, body: str, why: str) -> None:
    path = Path("rich.xlsx")
    rich(path)
    before = path.read_bytes()
    found = run(body, path)
    assert re.search(why, str(found.problem)), str(found.problem)
    assert path.read_bytes() == before


def test_an_attempt_takes_lines_back(home: Path) -> None:
    path = Path("rich.xlsx")
    rich(path)
    steps = (
        'in row(4)\nfresh = insert-above()\nend\nfresh.cell("A").value = "new"\nin row(7)\nmove-above 2\nend\n'
        'in column("C")\ndelete\nend\nin column("B")\nother = insert-left()\nend\nother.cell(2).value = 1'
    )
    body = f'in sheet("Stays")\nx = cell("C5").value\nattempt\n{steps}\nfail "no"\nif it fails\nend\nsay "{{cell("C5").value}}"\nend'
    before = path.read_bytes()
    found = run(body, path)
    assert found.problem is None, str(found.problem)
    assert found.state == "unchanged"
    assert found.said == ["8"]
    assert path.read_bytes() == before


def test_rows_for_subtotals_come_between_huts(home: Path, book: Path) -> None:
    """The weekly job: a line below each group, with a sum of it."""
    rows = [("Hut", "Nights"), ("Kite", 2), ("Kite", 3), ("Larch", 4), ("Tarn", 1), ("Tarn", 5)]
    made = xlsxwriter.Workbook("stays.xlsx")
    sheet = made.add_worksheet("Stays")
    for number, row in enumerate(rows):
        sheet.write_row(number, 0, row)
    made.close()
    body = """each sheet
    first = 2
    each row where row.number > 1
        hut = row.cell("A").value
        if hut is not sheet.cell("A{row.number + 1}").value
            sums = insert-below()
            sums.cell("A").value = "{hut} in all"
            sums.cell("B").formula = "=SUM(B{first}:B{row.number})"
            first = row.number + 1
        end
    end
end"""
    done(body, Path("stays.xlsx"))
    after = load("stays.xlsx")["Stays"]
    assert [(a.value, b.value) for a, b in after["A1:B9"]] == [
        ("Hut", "Nights"), ("Kite", 2), ("Kite", 3), ("Kite in all", "=SUM(B2:B3)"), ("Larch", 4),
        ("Larch in all", "=SUM(B5:B5)"), ("Tarn", 1), ("Tarn", 5), ("Tarn in all", "=SUM(B7:B8)"),
    ]  # fmt: skip


def test_a_table_with_totals_grows_above_them(home: Path) -> None:
    book = xlsxwriter.Workbook("table.xlsx")
    sheet, bold = book.add_worksheet("S"), book.add_format({"bold": True})
    sheet.add_table("B2:D5", {"name": "Stays", "total_row": True, "data": [["Ann", 2], ["Bo", 3]], "columns": [
        {"header": "Guest", "total_string": "In all"}, {"header": "Nights", "format": bold, "total_function": "sum"},
        {"header": "Price"},
    ]})  # fmt: skip
    for row in (3, 4):
        sheet.write_formula(f"D{row}", f"=C{row}*14.5", None, 29)
    sheet.write("B8", "below")
    book.close()
    path = Path("table.xlsx")
    before, findings = path.read_bytes(), schema_findings(path)
    found = done("""in table("Stays")
    add-row ["Cleo ", 4]
    add-row ["Dan", 5, 99]
    trim
    log "{count(record)} {sum(record.nights)} {list(record.guest).joined(" ")}"
    each record where record.guest is "Dan"
        record.nights = 6
    end
    attempt
        add-row ["Eve", 1]
        fail "no"
    if it fails
        log "{count(record)}"
    end
end""", path)  # fmt: skip
    assert found.log == ["4 14 Ann Bo Cleo Dan", "4"]
    assert "B in new row 1" in " ".join(map(repr, found.changes))
    sheet = load(path)["S"]
    table = sheet.tables["Stays"]
    assert (table.ref, table.autoFilter.ref, table.totalsRowCount) == ("B2:D7", "B2:D6", 1)
    assert [[cell.value for cell in row] for row in sheet["B2:D7"]] == [
        ["Guest", "Nights", "Price"], ["Ann", 2, "=C3*14.5"], ["Bo", 3, "=C4*14.5"], ["Cleo", 4, "=C5*14.5"],
        ["Dan", 6, 99], ["In all", "=SUBTOTAL(109,[Nights])", None],
    ]  # fmt: skip
    assert sheet["C6"].font.b
    assert sheet["B10"].value == "below"
    assert schema_findings(path) <= findings
    scrub.undo()
    assert path.read_bytes() == before
