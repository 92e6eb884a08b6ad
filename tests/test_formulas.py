"""What formulas give: held against results that an office program saved, and against one that runs here."""

from __future__ import annotations

import math
import random
import shutil
import subprocess
from fractions import Fraction
from pathlib import Path

import openpyxl
import pytest
from books import packed
from conftest import FOR_EVER, model_of, portion
from formula_grammar import DIFFERENT, LEFT_OUT, Formulas, workbook

import scrub
from scrub.formulas.functions import FUNCTIONS

CASES = Path(__file__).with_name("formula_cases.tsv")
OFFICE = shutil.which("soffice")


def values(path: Path, cells: list[str]) -> list[object]:
    """The results of cells as a macro sees them; the code of an error, or None for what cannot be calculated."""
    found: list[object] = []
    with scrub.open(str(path)) as opened:
        sheet = next(model_of(opened).sheets())
        for cell in cells:
            row, column = int(cell[1:]), ord(cell[0]) - 64
            try:
                found.append(sheet.value(row, column))
            except scrub.Failure as failure:
                text = str(failure)
                error = text.partition("contains the error ")[2]
                found.append(error.partition(".")[0] if error else None)
    return found


def alike(one: object, other: object) -> bool:
    """Whether two results are the same to 12 digits; any error is like any other, and a truth value like 1 and 0."""
    if isinstance(one, str) and one.startswith("#"):
        return isinstance(other, str) and other.startswith("#")
    if one in (None, "") and other in (None, ""):
        return True
    try:
        return math.isclose(float(one), float(other), rel_tol=1e-12, abs_tol=1e-12)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return one == other


def test_every_function_gives_what_an_office_program_saved(home: Path) -> None:
    """At least three formulas for each function that such a program knows, over a sheet that is drawn from one seed."""
    cases = [line.split("\t") for line in CASES.read_text("utf-8").splitlines()]
    book = workbook(random.Random(2026))
    for row, (_, said, _) in enumerate(cases, 1):
        book["S"].cell(row, 10, f"={said}")
    book.save("cases.xlsx")
    given = values(Path("cases.xlsx"), [f"J{row}" for row in range(1, len(cases) + 1)])
    wrong = [(*case, value) for case, value in zip(cases, given, strict=True) if not alike(value, case[2])]
    assert wrong == []
    assert {name for name, _, _ in cases} >= set(FUNCTIONS) - LEFT_OUT - UNKNOWN_THERE


#: What the office program that saved the results lacks, or does with other arguments.
UNKNOWN_THERE: frozenset[str] = frozenset()


@pytest.mark.office
@pytest.mark.skipif(OFFICE is None, reason="no office program is installed (soffice)")
@pytest.mark.parametrize("seed", range(2))
def test_an_office_program_gives_the_same(home: Path, seed: int) -> None:
    draw = random.Random(seed)
    book, grammar = workbook(draw), Formulas(draw)
    names = sorted(set(FUNCTIONS) - LEFT_OUT - DIFFERENT)
    drawn = [grammar.formula(names) for _ in range(portion(2500))]
    for row, (_, said) in enumerate(drawn, 1):
        book["S"].cell(row, 10, f"={said}")
    book.save("drawn.xlsx")
    profile = f"-env:UserInstallation=file://{Path('profile').absolute()}"
    call = ["soffice", profile, "--headless", "--convert-to", "xlsx", "--outdir", "there", "drawn.xlsx"]
    subprocess.run(call, check=True, capture_output=True, timeout=FOR_EVER)
    there = openpyxl.load_workbook("there/drawn.xlsx", data_only=True)["S"]
    given = values(Path("drawn.xlsx"), [f"J{row}" for row in range(1, len(drawn) + 1)])
    wrong = [
        (said, value, there.cell(row, 10).value)
        for row, ((_, said), value) in enumerate(zip(drawn, given, strict=True), 1)
        if value is not None and not alike(value, there.cell(row, 10).value)
    ]
    assert len(wrong) <= len(drawn) // 100, wrong[:20]


@pytest.mark.everything
def test_a_library_that_calculates_agrees_in_most_cases(home: Path) -> None:
    """A third opinion: it takes texts in ranges for numbers and lacks some functions, which is all that may differ."""
    import formulas

    cases = [line.split("\t") for line in CASES.read_text("utf-8").splitlines()][::4]
    book = workbook(random.Random(2026))
    for row, (_, said, _) in enumerate(cases, 1):
        book["S"].cell(row, 10, f"={said}")
    book.save("third.xlsx")
    found = formulas.ExcelModel().loads("third.xlsx").finish().calculate()
    names = [f"'[third.xlsx]S'!J{row}" for row in range(1, len(cases) + 1)]
    given = [str(found[name].value[0, 0]) if name in found else None for name in names]
    truth = {"True": "1.0", "False": "0.0"}
    same = sum(alike(truth.get(str(value), value), case[2]) for value, case in zip(given, cases, strict=True))
    assert same > 0.85 * len(cases), same


HOSTILE = [
    "1" + "+1" * 4000,
    "(" * 64 + "1" + ")" * 64,
    "(" * 3000 + "1" + ")" * 3000,
    "-" * 8000 + "1",
    "SUM(A1:XFD1048576)",
    "SUMPRODUCT(A1:XFD1048576*1)",
    'REPT("x",1E9)',
    'SUBSTITUTE(REPT("a",32000),"a",REPT("b",32000))',
    "9^9^9^9",
    "FACT(170)*FACT(170)",
    "CUMIPMT(0.01,1E9,1,1,1E9,0)",
    "COMBIN(1E9,5E8)",
    'COUNTIF(A1:A20,"' + "*a" * 60 + '")',
    'SEARCH("' + "*a" * 60 + '",REPT("a",30000))',
    "SEQUENCE(1E9)",
    "NETWORKDAYS(1,2958465)",
    "WORKDAY(1,1E9)",
    "{" + ",".join("1" * 3000) + "}",
    "IF(" * 60 + "1" + ",2,3)" * 60,
    'INDIRECT(REPT("A",30000))',
    "IFERROR(1/0,",
    "OFFSET(A1,0,0,1048576,16384)",
]


@pytest.mark.parametrize("formula", HOSTILE, ids=range(len(HOSTILE)))
def test_a_hostile_formula_gives_an_error_or_a_message_soon(home: Path, formula: str) -> None:
    said = formula.replace("&", "&amp;").replace("<", "&lt;")
    path = Path("hostile.xlsx")
    path.write_bytes(
        packed([f'<sheetData><row r="1"><c r="A1"><v>1</v></c><c r="J1"><f>{said}</f></c></row></sheetData>'])
    )
    values(path, ["J1"])  # it ends, and needs no memory to speak of: the limits count cells and characters


def test_a_circle_of_ten_thousand_cells_ends(home: Path) -> None:
    rows = "".join(f'<row r="{row}"><c r="A{row}"><f>A{row % 10_000 + 1}+1</f></c></row>' for row in range(1, 10_001))
    Path("circle.xlsx").write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
    assert values(Path("circle.xlsx"), ["A1", "A5000"]) == [None, None]


def test_probabilities_are_exact_to_12_digits_and_never_more_than_1(home: Path) -> None:
    """Logarithms of factorials would lose digits where there are many trials."""
    draw = random.Random(8)
    cases: list[tuple[str, float]] = [("BINOMDIST(46357,46357,0.1,TRUE)", 1.0), ("POISSON(90000,100,TRUE)", 1.0)]
    for trials in (4, 40, 400):
        hits, chance = draw.randint(0, trials), Fraction(draw.randint(1, 99), 100)
        ways = [math.comb(trials, at) * chance**at * (1 - chance) ** (trials - at) for at in range(trials + 1)]
        cases.append((f"BINOMDIST({hits},{trials},{float(chance)},FALSE)", float(ways[hits])))
        cases.append((f"BINOMDIST({hits},{trials},{float(chance)},TRUE)", float(sum(ways[: hits + 1]))))
    book = workbook(draw)
    for row, (said, _) in enumerate(cases, 1):
        book["S"].cell(row, 10, f"={said}")
    book.save("chances.xlsx")
    given = values(Path("chances.xlsx"), [f"J{row}" for row in range(1, len(cases) + 1)])
    for (said, right), value in zip(cases, given, strict=True):
        assert float(value) <= 1, said  # type: ignore[arg-type]
        assert math.isclose(float(value), right, rel_tol=1e-12), said  # type: ignore[arg-type]
