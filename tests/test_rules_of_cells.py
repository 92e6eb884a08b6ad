"""What may be entered, what stands out, and how it is printed: set by macros, read by other readers."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from conftest import SAMPLE, examples
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.formula.translate import Translator
from sheets import changed_parts, load, members, schema_findings
from test_structure import done, run

import scrub


def plain(path: Path) -> None:
    """A sheet with numbers, and rules of its own."""
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("Stays")
    lists = book.add_worksheet("Lists")
    for row in range(20):
        sheet.write_row(row, 0, [f"guest {row}", row, "late" if row % 5 == 4 else "paid"])
        lists.write(row, 0, f"hut {row}")
    sheet.data_validation("B2:B20", {"validate": "integer", "criteria": "between", "minimum": 0, "maximum": "=$B$20"})
    sheet.data_validation("C2:C20", {"validate": "custom", "value": "=B2>0", "error_message": "No."})
    sheet.data_validation("A2:A20", {"validate": "list", "source": "=Lists!$A$1:$A$9"})
    red = book.add_format({"bg_color": "#ff0000", "bold": True})
    sheet.conditional_format("B2:B20", {"type": "formula", "criteria": "=B2>$B$5", "format": red})
    sheet.conditional_format(
        "B2:B20", {"type": "cell", "criteria": ">", "value": 9, "format": red, "stop_if_true": True}
    )
    sheet.conditional_format("C2:C20", {"type": "data_bar"})
    book.close()


def rules(path: Path) -> dict[str, tuple[Any, ...]]:
    """The validations as another reader sees them, by range."""
    return {
        str(each.sqref): (each.type, each.operator, each.formula1, each.formula2)
        for each in load(path)["Stays"].data_validations.dataValidation
    }


def formats(path: Path) -> dict[str, list[tuple[Any, ...]]]:
    found: dict[str, list[tuple[Any, ...]]] = {}
    for ranges in load(path)["Stays"].conditional_formatting:
        for rule in ranges.rules:
            fill = rule.dxf.fill.bgColor.rgb if rule.dxf is not None and rule.dxf.fill is not None else None
            found.setdefault(str(ranges.sqref), []).append((rule.type, rule.operator, list(rule.formula), fill))
    return found


def test_what_may_be_entered_is_set_read_and_taken_away(home: Path) -> None:
    path = Path("stays.xlsx")
    plain(path)
    before, findings = path.read_bytes(), schema_findings(path)
    found = done("""in sheet("Stays")
    in cells("C5:C8")
        cells.choices = ["yes", "no", "50/50"]
    end
    cell("C12").choices-from = "Lists!$A$1:$A$4"
    in cells("B18:B25")
        restrict to: number, at-least: 0.5, message: "Half a night\nat least."
    end
    in column("E")
        restrict to: date, at-least: 2026-06-01, at-most: 2026-09-30
    end
    in cell("A2")
        unrestrict
    end
    log "{cell("C6").choices.joined("|")} {cell("C12").choices-from} {cell("D1").choices}"
    each validation
        log "{validation.range}: {validation.allows} {validation.source} {validation.choices.joined("|")}"
    end
end""".replace("Half a night\nat", "Half a night at"), path)  # fmt: skip
    assert rules(path) == {
        "B2:B17": ("whole", None, "0", "$B$20"),
        "C2:C4 C9:C11 C13:C20": ("custom", None, "B2>0", None),
        "A3:A20": ("list", None, "Lists!$A$1:$A$9", None),
        "C5:C8": ("list", None, '"yes,no,50/50"', None),
        "C12": ("list", None, "Lists!$A$1:$A$4", None),
        "B18:B25": ("decimal", "greaterThanOrEqual", "0.5", None),
        "E1:E1048576": ("date", None, "46174", "46295"),
    }
    messages = {str(each.sqref): each.error for each in load(path)["Stays"].data_validations.dataValidation}
    assert messages["B18:B25"] == "Half a night at least."
    assert messages["C2:C4 C9:C11 C13:C20"] == "No."
    assert found.log[0] == "yes|no|50/50 Lists!$A$1:$A$4 "
    assert "B2:B17: whole-number 0 " in found.log
    assert "C5:C8: list  yes|no|50/50" in found.log
    assert schema_findings(path) <= findings
    assert changed_parts_of(before, path) == {"xl/worksheets/sheet1.xml"}
    done('in sheet("Stays")\neach validation\ndelete\nend\nend', path)
    assert rules(path) == {}
    assert b"dataValidation" not in members(path)["xl/worksheets/sheet1.xml"]
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == before


def changed_parts_of(before: bytes, path: Path) -> set[str]:
    former = Path("former.xlsx")
    former.write_bytes(before)
    return changed_parts(former, path)


def test_cells_stand_out_by_what_is_in_them(home: Path) -> None:
    path = Path("stays.xlsx")
    plain(path)
    before, findings = path.read_bytes(), schema_findings(path)
    found = done('''in sheet("Stays")
    in cells("B2:B20")
        format-when above: 5, fill: "#ffe0a0"
        format-when between: [2, 3.5], colour: "red", bold: yes
        format-when at-most: 2026-06-01, italic: yes
        colour-scale low: "white", middle: "yellow", high: "#46605a"
    end
    in column("C")
        format-when contains: "la?te", fill: "#ffe0a0"
        format-when equal: "paid ""x""", fill: "green"
        format-when duplicates: yes, fill: "silver"
        format-when formula: "=$B1>$B$3", fill: "gold"
    end
    each conditional-format where conditional-format.by is formula and conditional-format.range is "B2:B20"
        log "{conditional-format.condition} {conditional-format.fill}"
        delete
    end
end''', path)  # fmt: skip
    assert found.log == ["=B2>$B$5 #ff0000"]
    seen = formats(path)
    assert seen["B2:B20"] == [
        ("cellIs", "greaterThan", ["9"], "FFFF0000"), ("cellIs", "greaterThan", ["5"], "FFFFE0A0"),
        ("cellIs", "between", ["2", "3.5"], None), ("cellIs", "lessThanOrEqual", ["46174"], None),
        ("colorScale", None, [], None),
    ]  # fmt: skip
    assert seen["C1:C1048576"] == [
        ("containsText", "containsText", ['NOT(ISERROR(SEARCH("la~?te",C1)))'], "FFFFE0A0"),
        ("cellIs", "equal", ['"paid ""x"""'], "FF008000"), ("duplicateValues", None, [], "FFC0C0C0"),
        ("expression", None, ["$B1>$B$3"], "FFFFD700"),
    ]  # fmt: skip
    assert seen["C2:C20"] == [("dataBar", None, [], None)]
    scale = next(
        rule for ranges in load(path)["Stays"].conditional_formatting for rule in ranges.rules if rule.colorScale
    )
    assert [each.rgb for each in scale.colorScale.color] == ["FFFFFFFF", "FFFFFF00", "FF46605A"]
    priorities = [rule.priority for ranges in load(path)["Stays"].conditional_formatting for rule in ranges.rules]
    assert len(set(priorities)) == len(priorities)
    assert schema_findings(path) <= findings
    again = run('in sheet("Stays").cells("B2:B20")\nformat-when above: 5, fill: "#ffe0a0"\nend', path)
    assert again.state == "unchanged"
    done('in sheet("Stays").cells("B5:C20")\nclear-conditional-formats\nend', path)
    assert set(formats(path)) == {"B2:B4", "C1:C4 C21:C1048576", "C2:C4"}
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == before


@given(st.lists(st.tuples(*[st.integers(1, 8)] * 4), min_size=1, max_size=6))
@examples(40)
def test_each_cell_has_the_rule_it_was_given_last(home: Path, tmp_path: Path, given_: list[tuple[int, ...]]) -> None:
    path = tmp_path / "book.xlsx"
    book = xlsxwriter.Workbook(path)
    sheet = book.add_worksheet("Stays")
    sheet.data_validation("B2:D6", {"validate": "custom", "value": "=B2>$A$1+C2"})
    book.close()
    wanted: dict[tuple[int, int], Any] = {
        (row, column): f"{'ABCDEFGHIJ'[column - 1]}{row}>$A$1+{'ABCDEFGHIJ'[column]}{row}"
        for row in range(2, 7) for column in range(2, 5)
    }  # fmt: skip
    body = []
    for number, (top, left, bottom, right) in enumerate(given_):
        rows, columns = sorted((top, bottom)), sorted((left, right))
        area = f"{'ABCDEFGH'[columns[0] - 1]}{rows[0]}:{'ABCDEFGH'[columns[1] - 1]}{rows[1]}"
        rule = "unrestrict" if number % 3 == 2 else f"restrict to: text-length, at-most: {number}"
        body.append(f'in cells("{area}")\n{rule}\nend')
        for row in range(rows[0], rows[1] + 1):
            for column in range(columns[0], columns[1] + 1):
                wanted[row, column] = None if number % 3 == 2 else str(number)
    done('in sheet("Stays")\n' + "\n".join(body) + "\nend", path)
    after = openpyxl.load_workbook(path)["Stays"]
    seen: dict[tuple[int, int], Any] = {}
    for rule_ in after.data_validations.dataValidation:
        first_row = min(each.min_row for each in rule_.sqref.ranges)
        first_column = min(each.min_col for each in rule_.sqref.ranges)
        for cells in rule_.sqref.ranges:
            for row in range(cells.min_row, cells.max_row + 1):
                for column in range(cells.min_col, cells.max_col + 1):
                    assert (row, column) not in seen
                    translator = Translator(f"={rule_.formula1}", origin=f"{'ABCDEFGHIJ'[first_column - 1]}{first_row}")
                    seen[row, column] = translator.translate_formula(f"{'ABCDEFGHIJ'[column - 1]}{row}")[1:]
    assert seen == {place: formula for place, formula in wanted.items() if formula is not None}


def test_a_sheet_is_made_ready_for_the_printer(home: Path, book: Path) -> None:
    findings = schema_findings(SAMPLE)
    done("""in sheet("Larch Hut")
    sheet.paper = a4
    sheet.orientation = landscape
    sheet.left-margin = 1.5 cm
    sheet.top-margin = 2 cm
    sheet.header-margin = 0.8 cm
    sheet.print-area = "A1:H15, J1:J3"
    sheet.heading-rows = "3"
    sheet.heading-columns = "A"
    sheet.left-header = "{sheet-name} & more"
    sheet.right-footer = "{page-number} / {page-count}"
    sheet.printed-gridlines = yes
    sheet.centred-across = yes
    row(9).page-break = yes
    column("D").page-break = yes
    each row where row.number >= 4 and row.number <= 8
        row.level = 1
    end
    column("E").level = 2
end""", book)  # fmt: skip
    sheet = load(book)["Larch Hut"]
    assert (sheet.page_setup.paperSize, sheet.page_setup.orientation) == (9, "landscape")
    assert (round(sheet.page_margins.left * 2.54, 2), round(sheet.page_margins.top * 2.54, 2)) == (1.5, 2)
    assert sheet.page_margins.header == pytest.approx(0.8 / 2.54, abs=1e-4)
    assert sheet.print_area == "'Larch Hut'!$A$1:$H$15,'Larch Hut'!$J$1:$J$3"
    assert (sheet.print_title_rows, sheet.print_title_cols) == ("$3:$3", "$A:$A")
    assert (sheet.oddHeader.left.text, sheet.oddFooter.right.text) == ("&[Tab] && more", "&[Page] / &N") or (
        sheet.oddHeader.left.text, sheet.oddFooter.right.text) == ("&A && more", "&P / &N")  # fmt: skip
    assert (sheet.print_options.gridLines, sheet.print_options.horizontalCentered) == (True, True)
    assert ([b.id for b in sheet.row_breaks.brk], [b.id for b in sheet.col_breaks.brk]) == ([9], [4])
    assert [sheet.row_dimensions[row].outline_level for row in (3, 4, 8, 9)] == [0, 1, 1, 0]
    assert sheet.column_dimensions["E"].outline_level == 2
    assert (sheet.sheet_format.outlineLevelRow, sheet.sheet_format.outlineLevelCol) == (1, 2)
    assert schema_findings(book) <= findings
    words = "paper left-margin header-margin print-area heading-columns left-header right-footer printed-gridlines"
    asked = " ".join("{sheet." + word + "}" for word in words.split())
    found = run(f'in sheet("Larch Hut")\nlog "{asked} {{row(9).page-break}} {{row(5).level}}"\nend', book)
    assert found.log == ["a4 1.5 cm 0.8 cm A1:H15, J1:J3 A {sheet-name} & more {page-number} / {page-count} yes yes 1"]
    done('in sheet("Larch Hut")\nrow(9).page-break = no\nsheet.print-area = nothing\nrow(5).level = 0\nend', book)
    sheet = load(book)["Larch Hut"]
    assert (len(sheet.row_breaks.brk), sheet.print_area or "", sheet.row_dimensions[5].outline_level) == (0, "", 0)
    scrub.undo()
    scrub.undo()
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_columns_are_as_wide_as_their_texts(home: Path) -> None:
    made = xlsxwriter.Workbook("wide.xlsx")
    sheet = made.add_worksheet("S")
    sheet.write_row(0, 0, ["a title that goes over all of the columns and is merged"])
    sheet.merge_range("A1:C1", "a title that goes over all of the columns and is merged")
    sheet.write_column(1, 0, ["x", "a guest with a long name"])
    sheet.write_column(1, 1, [1234567.5, 3], made.add_format({"num_format": "#,##0.00"}))
    sheet.write_column(1, 2, ["短い名前"])
    made.close()
    done('each column in sheet("S")\nfit-width\nend', Path("wide.xlsx"))
    widths = {letter: each.width for letter, each in load("wide.xlsx")["S"].column_dimensions.items()}
    assert 24 < widths["A"] < 29
    assert 11 < widths["B"] < 16
    assert 8 < widths["C"] < 12


@pytest.mark.parametrize(("body", "why"), [
    ('cell("A1").choices = ["a,b"]', 'Put the choices in cells|Put them in cells'),
    (f'cell("A1").choices = ["{"x" * 300}"]', "300 characters"),
    ('cell("A1").choices = []', "is empty. To delete the"),
    ('in cell("A1")\nrestrict to: whole-number, at-least: 1.5\nend', "1.5 is not a whole number"),
    ('in cell("A1")\nrestrict to: number\nend', "at-least, at-most, or both"),
    ('in cell("A1")\nrestrict to: list, at-least: 1\nend', "to set a list of choices"),
    ('in cell("A1")\nrestrict to: formula, formula: "=SUM(("\nend', "is not a formula"),
    ('cell("A1").choices-from = "Nowhere!A1:A3"', 'no sheet "Nowhere"'),
    ('in cell("A1")\nformat-when above: 5\nend', "formatting is missing"),
    ('in cell("A1")\nformat-when above: 5, below: 9, fill: "red"\nend', "condition"),
    ('in cell("A1")\nformat-when between: [1], fill: "red"\nend', "a list of two values"),
    ('in cell("A1")\nformat-when above: 5, fill: "reddish"\nend', "is not a colour"),
    ('protect\ncell("A1").choices = ["a"]', "protected"),
    ("sheet.print-area = \"zz\"", "not a cell"),
    ("sheet.left-margin = 500 cm", "0 to 120 cm"),
    ("row(4).level = 8", "is 0 to 7"),
    ("row(1048576).page-break = yes", "a page break is"),
])  # fmt: skip
def test_what_cannot_be_is_told(home: Path, book: Path, body: str, why: str) -> None:
    found = run(f'in sheet("Totals")\n{body}\nend', book)
    assert re.search(why, str(found.problem)), str(found.problem)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_the_examples_with_choices_and_totals(home: Path, book: Path) -> None:
    done_ = scrub.run("add a total", [str(book)]).files[0]
    assert done_.problem is None, str(done_.problem)
    larch = load(book)["Larch Hut"]
    assert [larch.cell(16, column).value for column in (1, 3, 6)] == ["In all", "=SUM(C4:C15)", "=SUM(F4:F15)"]
    assert [brk.id for brk in larch.row_breaks.brk] == [16]
    before = rules_of(book)
    scrub.run("add choices", [str(book)])
    assert "yes,no,on arrival" in str(rules_of(book))
    scrub.run("remove choices", [str(book)])
    assert rules_of(book) == before - {"G4:G15"}
    assert schema_findings(book) <= schema_findings(SAMPLE)


def rules_of(path: Path) -> set[str]:
    sheet = load(path)["Larch Hut"]
    return {f"{each.sqref}" for each in sheet.data_validations.dataValidation if "yes" not in str(each.formula1)} | {
        str(each.formula1) for each in sheet.data_validations.dataValidation if "yes" in str(each.formula1)
    }
