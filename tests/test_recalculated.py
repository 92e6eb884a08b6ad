"""After a run, the results in a workbook are those of its formulas, for everybody who reads it."""

from __future__ import annotations

import random
import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from books import packed
from conftest import Output, examples, macro, model_of
from formula_grammar import Formulas
from hypothesis import given
from hypothesis import strategies as st
from pdfs import Agreeing
from sheets import members

import scrub
from scrub.formulas.forms import Forms, form_if_filled, form_of, forms_of_column

RUNS = '<sheetData><row r="1"><c r="A1"><v>2</v></c><c r="B1"><f>A1*10</f><v>20</v></c>{}</row>{}</sheetData>'


def book(cells: str = "", rows: str = "", path: str = "book.xlsx", **more: Any) -> Path:
    """A2 in A1, ten times that in B1, and other cells."""
    Path(path).write_bytes(packed([RUNS.format(cells, rows)], **more))
    return Path(path)


def change(path: Path, body: str = 'cell("S1!A1").value = 7') -> scrub.FileResult:
    found = scrub.run(macro(body), [str(path)]).files[0]
    assert found.problem is None, str(found.problem)
    return found


def results(path: Path, sheet: str = "S1") -> dict[str, object]:
    """What a reader sees that does not calculate."""
    found = openpyxl.load_workbook(path, data_only=True)[sheet]
    return {cell.coordinate: cell.value for row in found.iter_rows() for cell in row if cell.value is not None}


def part(path: Path) -> str:
    return members(path)["xl/worksheets/sheet1.xml"].decode()


def formula(cell: str, text: str, saved: object, kind: str = "") -> str:
    return f'<c r="{cell}"{kind}><f>{text}</f><v>{saved}</v></c>'


def test_everybody_sees_the_new_result_and_undo_restores_the_old_to_the_byte(home: Path) -> None:
    path = book(formula("C1", "SUM(A1:B1)", 22))
    before = path.read_bytes()
    found = change(path)
    assert results(path) == {"A1": 7, "B1": 70, "C1": 77}
    assert [str(each) for each in found.recalculated] == ["B1: 20 -> 70", "C1: 22 -> 77"]
    assert b"fullCalcOnLoad" not in members(path)["xl/workbook.xml"]
    assert "<f>A1*10</f><v>70</v>" in part(path)
    scrub.undo()
    assert path.read_bytes() == before


def test_the_second_run_next_week_starts_from_the_right_number(home: Path) -> None:
    path = book(formula("C1", "SUM(A1:B1)", 22))
    change(path)
    change(path, 'cell("S1!B1").formula = nothing\ncell("S1!A1").value = 1')
    assert results(path) == {"A1": 1, "B1": 70, "C1": 71}


def test_a_preview_a_run_and_the_history_say_how_many(home: Path, cli: Callable[..., Output]) -> None:
    path = book(formula("C1", "SUM(A1:B1)", 22))
    Path("set.scrub").write_text(macro('cell("S1!A1").value = 7'))
    preview = cli("run", "set.scrub", str(path), "--preview").out
    assert "Would change book.xlsx: 1 change on 1 sheet, 2 results recalculated." in preview
    assert "Recalculated:\n  S1  B1: 20 -> 70\n      C1: 22 -> 77" in cli("run", "set.scrub", str(path), "--all").out
    assert "2 results recalculated" in cli("changes").out
    assert "B1: 20 -> 70" in cli("changes", "--all").out
    record = scrub.changes(1).as_dict()["files"]
    assert [each["after"] for each in record[0]["recalculated"]] == ["70", "77"]  # type: ignore[index]
    cli("changes", "--to", "page.html")
    assert "2 results recalculated" in Path("page.html").read_text()


@pytest.mark.parametrize(
    ("text", "saved", "kind", "right"),
    [
        ('A1&amp;" hikers"', "2 hikers", ' t="str"', "7 hikers"),
        ("A1&gt;5", 0, ' t="b"', True),
        ("1/(A1-2)", "#DIV/0!", ' t="e"', 0.2),
        ("1/(A1-7)", -0.2, "", "#DIV/0!"),
        ('IF(A1&gt;5,"many",1)', 1, "", "many"),
    ],
)
def test_a_result_of_any_type_gives_way_to_another(
    home: Path, text: str, saved: object, kind: str, right: object
) -> None:
    path = book(formula("C1", text, saved, kind))
    change(path)
    assert results(path)["C1"] == right


def test_what_cannot_be_calculated_loses_its_result_and_is_named(home: Path) -> None:
    cells = formula("C1", "CUBEVALUE(A1)", 2) + formula("D1", "C1+1", 3) + formula("E1", "[1]Other!A1+1", 9)
    path = book(cells + formula("F1", "IF(A1&gt;1,A1,C1)", 2))
    found = change(path)
    assert results(path) == {"A1": 7, "B1": 70, "E1": 9, "F1": 7}  # what nothing reached stays
    assert found.notes == [
        "2 formulas could not be calculated; their results appear when the file is opened in an office program: "
        "S1!C1 (CUBEVALUE)."
    ]
    assert '<calcPr fullCalcOnLoad="1"/>' in members(path)["xl/workbook.xml"].decode()


def test_a_form_whose_old_result_is_another_one_is_not_trusted(home: Path) -> None:
    path = book(formula("C1", "A1+1", 4) + formula("D1", "A1+2", 4))
    found = change(path)
    assert results(path) == {"A1": 7, "B1": 70, "D1": 9}
    assert "S1!C1 (its saved result is another one than it gives here)" in found.notes[0]


def test_a_workbook_that_says_its_results_are_old_is_calculated_from_its_inputs(home: Path) -> None:
    raw, marked = members(book())["xl/workbook.xml"].decode(), Path("marked.xlsx")
    with_flag = raw.replace("</workbook>", '<calcPr fullCalcOnLoad="1"/></workbook>')
    replaced(book(formula("C1", "B1+1", 0) + formula("D1", "C1+1", 0)), marked, {"xl/workbook.xml": with_flag})
    assert change(marked, 'log cell("S1!D1").value').log == ["22"]
    change(marked)
    assert results(marked) == {"A1": 7, "B1": 70, "C1": 71, "D1": 72}
    assert 'fullCalcOnLoad="1"' in members(marked)["xl/workbook.xml"].decode()  # others may be old still


def replaced(path: Path, target: Path, parts: dict[str, str]) -> None:
    """A copy of a package with other parts."""
    import zipfile

    with zipfile.ZipFile(path) as source, zipfile.ZipFile(target, "w") as made:
        for name in source.namelist():
            made.writestr(name, parts.get(name) or source.read(name))


def test_a_workbook_that_calculates_with_shown_numbers_is_left_to_its_program(home: Path) -> None:
    path, as_shown = book(), Path("shown.xlsx")
    raw = members(path)["xl/workbook.xml"].decode()
    replaced(path, as_shown, {"xl/workbook.xml": raw.replace("</workbook>", '<calcPr fullPrecision="0"/></workbook>')})
    found = change(as_shown)
    assert "as they are shown" in found.notes[0]
    assert results(as_shown) == {"A1": 7}


def test_shared_and_array_formulas_get_their_results(home: Path) -> None:
    rows = "".join(
        f'<row r="{row}"><c r="A{row}"><v>{row}</v></c><c r="B{row}"><f t="shared" si="0"'
        + (' ref="B2:B5">A2*$A$1</f>' if row == 2 else "/>")
        + f"<v>{row * 2}</v></c>"
        + (
            '<c r="C2"><f t="array" ref="C2:C4">A2:A4*$A$1</f><v>4</v></c>'
            if row == 2
            else f'<c r="C{row}"><v>{row * 2}</v></c>'
            if row == 3
            else ""
        )
        + "</row>"
        for row in range(2, 6)
    )
    path = book("", rows)
    change(path)
    found = results(path)
    assert [found[f"B{row}"] for row in range(2, 6)] == [14, 21, 28, 35]
    assert [found[f"C{row}"] for row in range(2, 5)] == [14, 21, 28]  # C4 was not stored


def test_after_rows_went_totals_are_right_and_what_refers_to_them_too(home: Path) -> None:
    rows = "".join(
        f'<row r="{row}"><c r="A{row}"><v>{row}</v></c>{formula(f"B{row}", f"A{row}*2", row * 2)}</row>'
        for row in range(2, 6)
    )
    path = book(formula("C1", "SUM(B2:B5)", 28), rows + f'<row r="6">{formula("A6", "C1+1", 29)}</row>')
    before = path.read_bytes()
    change(path, 'in sheet("S1")\nin row(3)\ndelete\nend\nend')
    assert {cell: results(path)[cell] for cell in ("C1", "A5")} == {"C1": 22, "A5": 23}
    scrub.undo()
    assert path.read_bytes() == before


def test_a_copied_sheet_and_a_renamed_one_carry_right_results(home: Path) -> None:
    path = book(formula("C1", "S1!B1+1", 21))
    change(
        path, 'in sheet("S1")\nfresh = copy(name: "Copy")\nend\ncell("Copy!A1").value = 3\nsheet("S1").name = "Huts"'
    )
    assert results(path, "Huts") == {"A1": 2, "B1": 20, "C1": 21}
    assert results(path, "Copy") == {"A1": 3, "B1": 30, "C1": 31}


def test_a_new_sheet_of_a_new_file_has_results(home: Path) -> None:
    lines = ['fresh = new-sheet("Sums")', 'cell("Sums!A1").value = 4', 'cell("Sums!A2").formula = "=A1*2"']
    lines += ['cell("Sums!A3").formula = "=SUM(A1:A2)"', 'log cell("Sums!A3").value']
    body = "\n".join(['made = new-file("new.xlsx")', "in made", *lines, "end"])
    found = scrub.run(macro(body), [str(book())], host=Agreeing()).files[0]
    assert (found.problem, found.log) == (None, ["12"])
    assert results(Path("new.xlsx"), "Sums") == {"A1": 4, "A2": 8, "A3": 12}


def test_a_new_formula_and_a_name_that_means_something_else_are_calculated(home: Path) -> None:
    path = book()
    change(path, 'cells("S1!A1:A1").name = "Rate"\ncell("S1!D1").formula = "=B1*2+Rate"')
    assert results(path)["D1"] == 42


def test_a_file_of_another_maker_is_calculated_too(home: Path) -> None:
    """Prefixed elements, single quotes, no addresses, elements between."""
    sheet = (
        "<x:sheetData xmlns:x='http://schemas.openxmlformats.org/spreadsheetml/2006/main'><x:row r='1'>"
        "<x:c r='A1'><x:v>2</x:v></x:c><x:c><x:f><![CDATA[A1*10]]></x:f><x:v>20</x:v></x:c>"
        "<x:c r='C1' t='str'><x:f>A1&amp;\"!\"</x:f><x:v>2!</x:v></x:c></x:row></x:sheetData>"
    )
    Path("other.xlsx").write_bytes(packed([sheet]))
    change(Path("other.xlsx"))
    assert results(Path("other.xlsx")) == {"A1": 7, "B1": 70, "C1": "7!"}


# -- the short ways beside the plain ones


@examples(60)
@given(st.integers(0, 10**9))
def test_what_changes_reach_is_what_a_whole_calculation_finds(tmp_path: Path, seed: int) -> None:
    """Random sheets, some inputs changed: each result in the file is the one that the formulas give anew."""
    draw = random.Random(seed)
    names = ["SUM", "SUMIF", "COUNTIF", "MAX", "INDEX", "IF", "ROUND", "AVERAGE", "OFFSET", "MATCH", "SUMPRODUCT"]
    grammar = Formulas(draw)
    rows = []
    for row in range(1, 21):
        cells = "".join(f'<c r="{column}{row}"><v>{draw.randint(-3, 9)}</v></c>' for column in "ABCD")
        filled = "".join(
            f'<c r="{column}{row}"><f>{escaped(text)}</f></c>'
            for column, text in (
                ("G", f"A{row}*2+B${draw.randint(1, 3)}"),
                ("H", grammar.formula(names)[1]),
                ("I", f"SUM(G$1:G{row})+H{row}*0"),
            )
        )
        rows.append(f'<row r="{row}">{cells}{filled}</row>')
    path, whole = tmp_path / "book.xlsx", tmp_path / "whole.xlsx"
    path.write_bytes(packed([f"<sheetData>{''.join(rows)}</sheetData>"]))
    touched = [f"{draw.choice('ABCD')}{draw.randint(1, 20)}" for _ in range(3)]
    values = [draw.randint(10, 20) for _ in touched]
    body = "\n".join(f'cell("S1!{cell}").value = {value}' for cell, value in zip(touched, values, strict=True))
    change(path, body)
    change(path, body.replace(" = ", " = 1 + "))
    # The same cells without any saved result: all that is asked for is calculated.
    bare = re.sub(r"(</f>)<v>[^<]*</v>", r"\1", re.sub(r' t="(?:e|str|b)"', "", part(path)))
    shutil.copy(path, whole)
    replaced(path, whole, {"xl/worksheets/sheet1.xml": bare})
    with scrub.open(str(path)) as saved, scrub.open(str(whole)) as anew:
        one, other = (next(model_of(opened).sheets()) for opened in (saved, anew))
        for column in (7, 8, 9):
            for row in range(1, 21):
                now = results_of(one, row, column)
                assert now is None or now == results_of(other, row, column), (row, column, seed)


@examples(30)
@given(st.integers(0, 10**9))
def test_arithmetic_in_many_rows_at_once_gives_the_same_bits(tmp_path: Path, seed: int) -> None:
    """The short way through a column and the closures, which answer a macro, write and give the same."""
    draw = random.Random(seed)
    form = draw.choice(
        ["A{0}*B{0}+$A$1", "A{0}-B{0}", "A{0}/(B{0}+1)-C{0}", "0.1+A{0}*3-B{0}", "A{0}*2", "C{0}*B{0}/7"]
    )
    numbers = (0, 1, -1, 0.1, 0.2, 0.3, 1e15, 3.3, 7)
    rows = ['<row r="1"><c r="A1"><v>2</v></c></row>']
    for row in range(2, 90):
        cells = "".join(f'<c r="{column}{row}"><v>{draw.choice(numbers)}</v></c>' for column in "AB")
        cells += "" if draw.random() < 0.1 else f'<c r="C{row}"><v>{draw.choice(numbers)}</v></c>'
        rows.append(f'<row r="{row}">{cells}<c r="G{row}"><f>{form.format(row)}</f></c></row>')
    path = tmp_path / "rows.xlsx"
    path.write_bytes(packed([f"<sheetData>{''.join(rows)}</sheetData>"]))
    body = "\n".join(f'cell("S1!{column}{row}").value = 5' for column, row in (("A", 1), ("A", 40), ("B", 41)))
    change(path, body)
    bare = tmp_path / "bare.xlsx"
    without = re.sub(r"(</f>)<v>[^<]*</v>", r"\1", re.sub(r' t="e"', "", part(path)))
    replaced(path, bare, {"xl/worksheets/sheet1.xml": without})
    with scrub.open(str(path)) as saved, scrub.open(str(bare)) as anew:
        one, other = (next(model_of(opened).sheets()) for opened in (saved, anew))
        for row in range(2, 90):
            assert results_of(one, row, 7) == results_of(other, row, 7), (row, form, seed)


#: A reference to column A: `$` or not, an offset from the row of the cell or a row itself, how many digits it has.
_REFERENCE = st.tuples(
    st.sampled_from(["", "$"]), st.booleans(), st.sampled_from([-2, -1, 0, 1, 4, 1_048_574]), st.sampled_from([1, 2, 3])
)


@given(st.lists(st.lists(_REFERENCE, min_size=1, max_size=2), min_size=1, max_size=2), st.data())
def test_formulas_that_look_filled_down_are_what_each_is_alone(texts: list[list[Any]], data: st.DataObject) -> None:
    """Rows can be written with zeros before them; one beyond the sheet makes a name of the reference."""
    cells = []
    for row in range(1, 6):
        text = data.draw(st.sampled_from(texts))
        rows = [(fixed, max(0, number + (row if moves else 3)), digits) for fixed, moves, number, digits in text]
        cells.append((row, '+10%&"A1"+'.join(f"A{fixed}{at:0{digits}d}" for fixed, at, digits in rows)))
    alone = {row: form_of(text, row, 3).node for row, text in cells}
    assert {row: form.node for form, own in forms_of_column(cells, 3) for row in own} == alone
    forms = Forms()
    assert {row: forms.of(text, row, 3).node for row, text in cells} == alone
    whole = form_if_filled("\n".join(text for _, text in cells), [row for row, _ in cells], 3)
    assert whole is None or all(whole.node == node for node in alone.values())


SPELLED = ["A1+1", "$A$1*2", "A$1", "SUM(A1:A3)", "A10+A11", "AA1", "S1!A1", "'S1'!$A1", "S2!A1", "a1", "LOG10(2)", '"A1"', "A1A", "SUM(A:A)", "1:1",
           "INDIRECT(\"A1\")", "B2", "$B2&\"A1\"", "IF(A2,B1,A$3)", "A1048576", "_xlfn.XOR(A1,B1)", "#REF!+A1", "-A1%", "(A1)", "A2:A1", "A1 A1"]  # fmt: skip


@examples(60)
@given(st.integers(0, 10**9))
def test_few_changes_reach_the_same_where_they_are_searched_for(tmp_path: Path, seed: int) -> None:
    """A few changed cells are searched for in the formulas; many are found by the columns that formulas refer to."""
    draw = random.Random(seed)
    rows = []
    for row in range(1, 13):
        cells = [f'<c r="{column}{row}"><v>{draw.randrange(9)}</v></c>' for column in "AB"]
        for column in sorted(draw.sample("CDEFG", draw.randrange(4))):
            said = draw.choice([*SPELLED, f"A{row}+B{row}", f"C{row}*2", f"$D{draw.randrange(1, 13)}"])
            cells.append(formula(f"{column}{row}", escaped(said), draw.choice(["1", "0.5", "77"])))
        rows.append(f'<row r="{row}">{"".join(cells)}</row>')
    body = "\n".join(
        f'cell("S1!{cell}").value = 5'
        for cell in draw.sample(["A1", "A2", "B1", "B2", "B12", "H9"], draw.randint(1, 3))
    )
    told = []
    for few in (8, -1):
        path = tmp_path / f"{few}.xlsx"
        path.write_bytes(packed([f"<sheetData>{''.join(rows)}</sheetData>"] * 2))
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr("scrub.formats.workbook.recalculated.recalculation._FEW", few)
            found = change(path, body)
        told.append(([str(change) for change in found.recalculated], found.notes, members(path)))
    assert told[0] == told[1], seed


def test_a_loop_that_changes_and_asks_sees_each_new_result(home: Path) -> None:
    rows = "".join(
        f'<row r="{row}"><c r="A{row}"><v>{row}</v></c>{formula(f"B{row}", f"A{row}*2", row * 2)}</row>'
        for row in range(2, 30)
    )
    path = book(formula("C1", "SUM(B2:B29)", 868), rows)
    body = "\n".join(
        f'cell("S1!A{row}").value = 0\nlog cell("S1!B{row}").value\nlog cell("S1!C1").value' for row in (2, 3)
    )
    assert change(path, body).log == ["0", "864", "0", "858"]


def escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def results_of(sheet: Any, row: int, column: int) -> object:
    """A result, the text of its error, or None where none is saved."""
    try:
        return sheet.value(row, column)
    except scrub.Failure as failure:
        return str(failure) if "contains the error" in str(failure) else None
