"""Results of formulas: as they were saved, or refused; formulas written, moved, and taken away."""

from __future__ import annotations

import datetime
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from books import packed
from conftest import examples, macro
from hypothesis import given
from hypothesis import strategies as st
from sheets import load, members

import scrub


def run(body: str, path: str = "calc.xlsx") -> scrub.FileResult:
    return scrub.run(macro(body), [path]).files[0]


def done(body: str, path: str = "calc.xlsx") -> scrub.FileResult:
    found = run(body, path)
    assert found.problem is None, str(found.problem)
    return found


@pytest.fixture
def calc(home: Path) -> Path:
    """Nights, guests and their product; totals on a second sheet, by a name, a table and a chain."""
    book = xlsxwriter.Workbook("calc.xlsx")
    book.calc_on_load = False  # saved results are right
    sheet = book.add_worksheet("Larch Hut")
    sheet.write_row("A1", ["Guest", "Nights", "Guests", "Guest nights", "Price"])
    for row in range(2, 7):
        sheet.write_row(row - 1, 0, [f"g{row}", row, 2])
        sheet.write_formula(row - 1, 3, f"=B{row}*C{row}", None, row * 2)
        sheet.write_formula(row - 1, 4, f"=D{row}*14.5", None, row * 29)
    totals = book.add_worksheet("Totals")
    totals.write_formula("A1", "=SUM('Larch Hut'!D2:D6)", None, 40)
    totals.write_formula("A2", "=SUM(All_nights)", None, 20)
    totals.write_formula("A3", "=SUM(Booked[Nights])", None, 20)
    totals.write_formula("A4", "=TODAY()-TODAY()+1", None, 1)
    totals.write_formula("A5", '=INDIRECT("B1")', None, 0)
    totals.write_formula("A6", "=A1+A2", None, 60)
    totals.write_formula("A7", '="a"&"b"', None, "ab")
    totals.write_formula("A8", "=CUBEVALUE('Larch Hut'!D3)", None, 6)
    totals.write_formula("A9", "=A8+1", None, 7)
    book.define_name("All_nights", "='Larch Hut'!$B$2:$B$6")
    tables = book.add_worksheet("Lists")
    tables.add_table(
        "A1:B3", {"name": "Booked", "columns": [{"header": "Hut"}, {"header": "Nights"}], "data": [["a", 4], ["b", 16]]}
    )
    book.close()
    return Path("calc.xlsx")


@pytest.mark.parametrize(
    ("read", "right"),
    [
        ('cell("Larch Hut!D3").value', "200"), ('cell("Larch Hut!E3").value', "2900"), ('cell("Larch Hut!D4").value', "8"),
        ('cell("Totals!A1").value', "234"), ('cell("Totals!A2").value', "117"), ('cell("Totals!A3").value', "20"),
        ('cell("Totals!A4").value', "1"), ('cell("Totals!A5").value', "0"), ('cell("Totals!A6").value', "351"),
        ('cell("Totals!A7").value', "ab"), ('sheet("Larch Hut").column("Guest nights").values.sum', "234"),
        ('sheet("Larch Hut").record(nights: 100).guest-nights', "200"), ('sheet("Larch Hut").record(nights: 5).price', "145"),
        ('cells("Larch Hut!D4:D4").value', "8"), ('cell("Totals!A1").shown', "234"),
    ],
)  # fmt: skip
def test_a_result_over_a_changed_cell_is_the_new_one(calc: Path, read: str, right: str) -> None:
    change = 'in sheet("Larch Hut")\ncell("B3").value = 100\nend\n'
    for first in (
        "",
        f'x = cell("Totals!A1").value\ny = sheet("Larch Hut").column("D").values\nz = {read if "100" not in read else 1}\n',
    ):
        assert done(f'{first}{change}w = {read}\nsay "{{w}}"').said == [right], first
        scrub.undo()


def test_what_cannot_be_calculated_says_why(calc: Path) -> None:
    before = calc.read_bytes()
    change = 'in sheet("Larch Hut")\ncell("B3").value = 100\nend\n'
    for cell in ("A8", "A9"):
        found = run(f'{change}log cell("Totals!{cell}").value')
        assert f"Totals {cell} cannot be calculated here: CUBEVALUE" in str(found.problem)
    assert calc.read_bytes() == before
    each = run('each record in sheet("Larch Hut")\nlog "{record.guest-nights}"\nrecord.nights = 9\nend')
    assert each.log == ["4", "6", "8", "10", "12"]


def test_a_change_that_was_taken_back_makes_no_result_old(calc: Path) -> None:
    back = 'in cell("Larch Hut!B3")\nattempt\ncell.value = 7\nfail "no"\nif it fails\nend\ncell.value = 8\ncell.value = 3\nend\n'
    found = run(f'{back}say "{{cell("Larch Hut!D3").value}} {{cell("Totals!A6").value}}"')
    assert (found.said, found.state) == (["6 60"], "unchanged")


def test_a_formula_of_this_run_has_a_result(calc: Path) -> None:
    assert done('in cell("Larch Hut!G2")\ncell.formula = "=1+1"\nlog "{cell.value}"\nend').log == ["2"]
    done('in cell("Larch Hut!D3")\ncell("Larch Hut!B3").value = 100\ncell.formula = nothing\nend')
    assert load(calc)["Larch Hut"]["D3"].value == 200  # not the 6 that was saved
    done('in cells("Larch Hut!B3:D3")\nclear\nend')
    assert load(calc)["Larch Hut"]["D3"].value is None
    raw = openpyxl.load_workbook(calc)
    raw["Totals"]["B9"] = "=1+1"  # this writer saves no results
    raw["Totals"]["B10"] = "=CUBEVALUE(1)"
    raw.save("fresh.xlsx")
    assert done('x = cell("Totals!B9").value\nlog "{x}"', "fresh.xlsx").log == ["2"]
    assert "cannot be calculated here: CUBEVALUE" in str(
        run('in cell("Totals!B10")\ncell.formula = nothing\nend', "fresh.xlsx").problem
    )
    done('in cell("Totals!B9")\ncell.formula = nothing\nend', "fresh.xlsx")
    assert load(Path("fresh.xlsx"))["Totals"]["B9"].value == 2


def test_a_circle_of_formulas_ends(home: Path) -> None:
    rows = '<row r="1"><c r="A1"><f>B1+1</f><v>1</v></c><c r="B1"><f>A1+C1</f><v>1</v></c><c r="C1"><v>1</v></c></row>'
    Path("circle.xlsx").write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
    for cell in ("A1", "B1"):
        body = f'in cell("S1!C1")\ncell.value = 2\nend\nlog "{{cell("S1!{cell}").value}}"'
        assert "it depends on itself" in str(run(body, "circle.xlsx").problem)


def test_a_long_chain_of_formulas_is_followed(home: Path) -> None:
    rows = '<row r="1"><c r="A1"><v>1</v></c></row>' + "".join(
        f'<row r="{n}"><c r="A{n}"><f>A{n - 1}+1</f><v>{n}</v></c></row>' for n in range(2, 5001)
    )
    Path("chain.xlsx").write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
    assert done('in cell("S1!A1")\ncell.value = 5\nend\nlog "{cell("S1!A5000").value}"', "chain.xlsx").log == ["5004"]


def test_a_formula_over_a_range_moves_along(calc: Path) -> None:
    assert run('in cells("Larch Hut!G2:H4")\ncells.formula = "=B2*$C$2+Totals!A$1"\nend').problem is None
    sheet = load(calc)["Larch Hut"]
    assert [[sheet[f"{c}{r}"].value for c in "GH"] for r in (2, 3, 4)] == [
        [f"=B{r}*$C$2+Totals!A$1", f"=C{r}*$C$2+Totals!B$1"] for r in (2, 3, 4)
    ]


@pytest.mark.parametrize(
    ("formula", "advice"),
    [
        ("=SUM(A1:B2", '"(" is never closed'), ("=A1)", '")" has no opening partner'), ('="a', "a closing quote is missing"),
        ("=A1==B1", '"==" is not an operator'), ("=A1+", 'something is missing after "+"'), ("=*A1", 'something is missing before "*"'),
        ("=A1 B1", "an operator is missing"), ("=rate*2", 'the workbook has no name "rate"'), ("=Nowhere!A1", 'no sheet "Nowhere"'),
        ("=SUM(A1;B1)", "Separate arguments with commas"), ("=A1 § B1", "cannot be read"), ("=" + "1+" * 5000 + "1", "8,192"),
        ("=", "the formula is empty. To delete a formula"), ("=(A1+)", 'something is missing after "+"'),
    ],
)  # fmt: skip
def test_a_formula_is_looked_at_before_it_is_written(calc: Path, formula: str, advice: str) -> None:
    before = calc.read_bytes()
    written = formula.replace('"', '""')
    found = run(f'in cell("Larch Hut!G2")\ncell.formula = "{written}"\nend')
    assert advice in str(found.problem)
    assert calc.read_bytes() == before


@pytest.mark.parametrize(
    "formula",
    [
        "=A1", "=-A1+2%", "=SUM(A1:B2,'Larch Hut'!C3,Totals!$A$1)", '=IF(A1="a,b","","x")', "=All_nights", "=SUM(Booked[Nights])",
        "=SUM(Booked[[#All],[Nights]])", "={{1,2;3,4}}", "=A:A", "=1:3", "=A1&B1", "=(A1+B1)*(A2-B2)^2", "=SUMIF(A1:A9,\">=3\",B1:B9)",
        "=TRUE", "=#N/A", "=VLOOKUP(A1,$A$1:$C$9,3,FALSE)", "=LEFT(A1,FIND(\" \",A1)-1)", "=IF(,1,)", "=1.5E3", "=NOW()", "=A1<>B1",
        "=_xlfn.XLOOKUP(A1,B1:B9,C1:C9)", "=[1]Sheet1!A1", "='It''s'!A1",
    ],
)  # fmt: skip
def test_right_formulas_are_written_as_they_are(calc: Path, formula: str) -> None:
    if "It''s" in formula:
        assert run('x = new-sheet("It\'s")').problem is None
    found = run(f'in cell("Larch Hut!G2")\ncell.formula = "{formula.replace(chr(34), chr(34) * 2)}"\nend')
    assert found.problem is None, str(found.problem)
    assert load(calc)["Larch Hut"]["G2"].value == formula.replace("{{", "{").replace("}}", "}")


EXACT = [
    "12",
    "0.1",
    "4111111111111112",
    "0.30000000000000004",
    "1E-300",
    "46159.604166666664",
    "0.333333333333333315",
    "-5",
]


@examples(25)
@given(
    st.lists(st.tuples(st.sampled_from(["", ' s="1"', ' s="2"']), st.sampled_from(EXACT)), min_size=1, max_size=5),
    st.booleans(),
)
def test_a_formula_that_goes_leaves_its_result_to_the_letter(
    tmp_path: Path, stored: list[tuple[str, str]], shared: bool
) -> None:
    cells = [
        f'<c r="A{row}"{style}><f>{"1+" + str(row)}</f><v>{value}</v></c>'
        for row, (style, value) in enumerate(stored, 1)
    ]
    if shared:
        cells = [
            f'<c r="A{row}"{style}><f t="shared" si="0"{f" ref={chr(34)}A1:A{len(stored)}{chr(34)}" if row == 1 else ""}>{"B1*2" if row == 1 else ""}</f><v>{value}</v></c>'
            for row, (style, value) in enumerate(stored, 1)
        ]
    rows = "".join(f'<row r="{row}">{cell}</row>' for row, cell in enumerate(cells, 1))
    path = tmp_path / "exact.xlsx"
    path.write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
    found = run('in cell("S1!A1")\ncell.formula = nothing\nend', str(path))
    assert found.problem is None
    part = members(path)["xl/worksheets/sheet1.xml"].decode()
    style, value = stored[0]
    assert f'<c r="A1"{style}><v>{value}</v></c>' in part
    for row, (_, value) in enumerate(stored[1:], 2):
        assert f"<f>{f'B{row}*2' if shared else f'1+{row}'}</f><v>{value}</v>" in part


def test_errors_texts_and_times_stay_when_their_formula_goes(calc: Path) -> None:
    book = xlsxwriter.Workbook("kinds.xlsx")
    book.calc_on_load = False
    sheet = book.add_worksheet("S1")
    time = book.add_format({"num_format": "yyyy-mm-dd hh:mm:ss"})
    sheet.write_formula("A1", "=1/0", None, "#DIV/0!")
    sheet.write_formula("A2", '=" a & <b> "', None, " a & <b> ")
    sheet.write_formula("A3", "=NOW()", time, 46159.604166666664)
    sheet.write_formula("A4", "=1=1", None, True)
    book.close()
    found = run('in cells("S1!A1:A4")\neach cell\ncell.formula = nothing\nend\nend', "kinds.xlsx")
    assert found.problem is None, str(found.problem)
    sheet = load("kinds.xlsx")["S1"]
    assert [sheet[f"A{row}"].value for row in (1, 2, 4)] == ["#DIV/0!", " a & <b> ", True]
    assert abs(sheet["A3"].value - datetime.datetime(2026, 5, 17, 14, 30)) < datetime.timedelta(seconds=1)


def test_a_name_that_a_formula_uses_keeps_its_range(calc: Path) -> None:
    before = calc.read_bytes()
    for line in ('cells("Larch Hut!B2:B6").name = "Nights_all"', 'cells("Larch Hut!B2:B6").name = nothing'):
        found = run(line)
        assert 'the name "All_nights" is used in Totals A2' in str(found.problem), line
    assert calc.read_bytes() == before
    assert run('cells("Larch Hut!A2:A6").name = "People"').problem is None
    assert run('cells("Larch Hut!A2:A6").name = "Guests"').problem is None
    assert set(load(calc).defined_names) == {"All_nights", "Guests"}
    for wrong in ("TRUE", "R1C1", "r", "C5", "_xlnm.Print_Area", "A1", "two words"):
        assert "range name" in str(run(f'cells("Larch Hut!C2:C6").name = "{wrong}"').problem), wrong


def test_shared_formulas_are_read_quickly(home: Path) -> None:
    """Each shared formula is found in one pass: the number of looks at the cells does not grow with their square."""
    count = 4000
    rows = "".join(
        f'<row r="{n}"><c r="A{n}"><v>{n}</v></c><c r="B{n}"><f t="shared" si="0"{f" ref={chr(34)}B1:B{count}{chr(34)}" if n == 1 else ""}>'
        f"{'A1*2' if n == 1 else ''}</f><v>{n * 2}</v></c></row>"
        for n in range(1, count + 1)
    )
    Path("shared.xlsx").write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
    passes = 0
    from scrub.formats.workbook.cells.searched import Searched

    real = Searched.all_cells

    def counted(self: Any) -> Any:
        nonlocal passes
        passes += 1
        return real(self)

    Searched.all_cells = counted  # type: ignore[method-assign]
    try:
        found = run(
            'in sheet("S1")\nread-numbers\nread-dates\neach cell where cell.formula is "=A4000*2"\nlog cell.address\nend\nend',
            "shared.xlsx",
        )
    finally:
        Searched.all_cells = real  # type: ignore[method-assign]
    assert found.log == ["B4000"]
    assert passes < 10
