"""Rows that go, records in order, sheets renamed, totals by name: what is measured of the shape of workbooks."""

from __future__ import annotations

import random
from pathlib import Path

import xlsxwriter

DELETE_MACRO = """macro Every tenth goes
for workbook
each record in sheet("Stays") where record.number.remainder(10) is 0
    delete
end
"""
#: It goes from below, so that each row is at its old place; its formulas are wrong after it.
DELETE = """
import openpyxl, sys
book = openpyxl.load_workbook(sys.argv[1])
sheet = book["Stays"]
for row in range(sheet.max_row, 1, -1):
    if sheet.cell(row, 1).value % 10 == 0:
        sheet.delete_rows(row)
book.save(sys.argv[1])
"""
SORT_MACRO = """macro In order
for workbook
in sheet("Stays").records
    sort by: "Hut", then: "Nights", descending: yes
end
"""
SORT = """
import openpyxl, sys
book = openpyxl.load_workbook(sys.argv[1])
sheet = book["Stays"]
rows = [[cell.value for cell in row] for row in sheet.iter_rows(min_row=2)]
rows.sort(key=lambda row: (row[1], row[2]), reverse=True)
for number, values in enumerate(rows, 2):
    for column, value in enumerate(values, 1):
        sheet.cell(number, column).value = value
book.save(sys.argv[1])
"""
RENAME_MACRO = """macro Another name
for workbook
sheet("Stays").name = "Stays of 2027"
"""
SPACES_MACRO = """macro Single spaces
for workbook
single-spaces
"""
TOTALS_MACRO = """macro Totals and doubles
for workbook
nights = pairs(otherwise: 0)
seen = pairs(otherwise: 0)
doubles = 0
each record in sheet("Stays")
    nights(record.hut) = nights(record.hut) + record.nights
    seen(record.guest) = seen(record.guest) + 1
    if seen(record.guest) > 1
        doubles = doubles + 1
    end
end
say "{nights.count} {nights.values.sum} {doubles}"
"""
TOTALS = """
import openpyxl, sys
sheet = openpyxl.load_workbook(sys.argv[1])["Stays"]
nights, seen, doubles = {}, {}, 0
for _, hut, stay, guest, *_ in sheet.iter_rows(min_row=2, values_only=True):
    nights[hut] = nights.get(hut, 0) + stay
    seen[guest] = seen.get(guest, 0) + 1
    doubles += seen[guest] > 1
print(len(nights), sum(nights.values()), doubles)
"""
SUM_MACRO = """macro Add up
for workbook
total = 0
each sheet
    total = total + sum(record.nights)
end
say "{total}"
"""
CALAMINE = """
import python_calamine, sys
book = python_calamine.CalamineWorkbook.from_path(sys.argv[1])
print(sum(row[2] for name in book.sheet_names for row in book.get_sheet_by_name(name).to_python()[1:]))
"""


JOIN_MACRO = """macro Join the stays
for all workbook

all = new-file("All stays.xlsx", to: "../joined")
in all.sheet("All stays")
    add-row ["Number", "Hut", "Nights", "Guest", "From"]
end
each book in picked
    each record in book
        in all.sheet("All stays")
            add-row [record.number, record.hut, record.nights, record.guest, book.name]
        end
    end
end
"""
JOIN = """
import openpyxl, pathlib, sys
made = openpyxl.Workbook()
sheet = made.active
sheet.append(["Number", "Hut", "Nights", "Guest", "From"])
for path in sorted(pathlib.Path(sys.argv[1]).glob("*.xlsx")):
    book = openpyxl.load_workbook(path, read_only=True)
    for row in book.worksheets[0].iter_rows(min_row=2, max_col=4, values_only=True):
        sheet.append([*row, path.name])
folder = pathlib.Path(sys.argv[1]).parent / "joined"
folder.mkdir(exist_ok=True)
made.save(folder / "All stays.xlsx")
"""
SPLIT_MACRO = """macro A workbook for each hut
for workbook

files = pairs()
each record in sheet("Stays")
    if not files(record.hut) exists
        files(record.hut) = new-file("{record.hut}.xlsx", to: "split")
        in files(record.hut).sheet(record.hut)
            add-row ["Number", "Nights", "Guest"]
        end
    end
    in files(record.hut).sheet(record.hut)
        add-row [record.number, record.nights, record.guest]
    end
end
"""
SPLIT = """
import openpyxl, pathlib, sys
made = {}
sheet = openpyxl.load_workbook(sys.argv[1], read_only=True)["Stays"]
for number, hut, nights, guest, *_ in sheet.iter_rows(min_row=2, values_only=True):
    if hut not in made:
        made[hut] = openpyxl.Workbook()
        made[hut].active.append(["Number", "Nights", "Guest"])
    made[hut].active.append([number, nights, guest])
folder = pathlib.Path(sys.argv[1]).parent / "split"
folder.mkdir(exist_ok=True)
for hut, book in made.items():
    book.save(folder / f"{hut}.xlsx")
"""


def forty(folder: Path) -> Path:
    """A folder of forty workbooks of a thousand stays."""
    folder.mkdir(exist_ok=True)
    for number in range(40):
        stays(folder / f"week {number}.xlsx", 1_000, formulas=False)
    return folder


def stays(path: Path, rows: int, formulas: bool = True) -> Path:
    """A workbook with that many stays in forty huts, and a sheet of formulas that refer to each."""
    if path.exists():
        return path
    chance = random.Random(5)
    book = xlsxwriter.Workbook(str(path), {"constant_memory": True})
    sheet = book.add_worksheet("Stays")
    sheet.write_row(0, 0, ["Number", "Hut", "Nights", "Guest", "Price"])
    for row in range(1, rows + 1):
        hut, nights, guest = f"Hut {chance.randrange(40)}", chance.randrange(1, 9), f"Guest {chance.randrange(15_000)}"
        sheet.write_row(row, 0, [row, hut, nights, guest])
        if formulas:
            sheet.write_formula(row, 4, f"=C{row + 1}*14.5", None, nights * 14.5)
    if formulas:
        totals = book.add_worksheet("Totals")
        for row in range(rows):
            totals.write_formula(row, 0, f"=Stays!C{row + 2}+1", None, 1)
        totals.write_formula(rows, 0, f"=SUM(Stays!C2:C{rows + 1})", None, 1)
    book.close()
    return path
