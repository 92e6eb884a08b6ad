"""What is worked out here is worked out a second time by something that shares no code with it."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import Any

from books import packed
from conftest import examples, macro, model_of, problems, said, some
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.formula import Tokenizer
from openpyxl.formula.translate import Translator
from openpyxl.utils.cell import range_boundaries

import scrub

# -- formulas

REFERENCES = st.builds(
    lambda d1, column, d2, row: f"{'$' * d1}{column}{'$' * d2}{row}",
    st.booleans(), st.sampled_from(["A", "B", "H", "AB", "XFD"]), st.booleans(), st.integers(1, 1_000_000),
)  # fmt: skip
RANGES = st.one_of(
    REFERENCES, st.builds(lambda a, b: f"{a}:{b}", REFERENCES, REFERENCES), st.sampled_from(["A:C", "$2:$9", "B:$D"])
)
SHEETS = st.sampled_from(["", "", "S1!", "'Larch Hut'!", "'It''s'!"])
OPERANDS = st.one_of(
    st.builds(lambda s, r: s + r, SHEETS, RANGES),
    st.integers(0, 99).map(str),
    st.sampled_from(["1.5", '"a""b"', '"A1"', "TRUE", "2%", "1E3"]),
)


def formulas(depth: int = 2) -> st.SearchStrategy[str]:
    if not depth:
        return OPERANDS
    inner = formulas(depth - 1)
    return st.one_of(
        OPERANDS,
        st.builds(
            lambda a, sign, b: f"{a}{sign}{b}",
            inner,
            st.sampled_from(["+", "-", "*", "/", "&", "<>", ">=", "=", "^"]),
            inner,
        ),
        st.builds(
            lambda name, parts: f"{name}({','.join(parts)})",
            st.sampled_from(["SUM", "IF", "LOG10", "_xlfn.CONCAT"]),
            st.lists(inner, min_size=1, max_size=3),
        ),
        st.builds(lambda a: f"({a})", inner),
        st.builds(lambda a: f"-{a}", inner),
    )


def check(formula: str) -> str:
    from scrub.formats.workbook.formulas.syntax import problem_of

    return problem_of(formula, lambda name, sheet: False, lambda name: True)


@examples(150)
@given(formulas())
def test_a_right_formula_is_taken_and_its_ranges_are_found(formula: str) -> None:
    from scrub.formats.workbook.formulas.syntax import references

    assert check(formula) == ""
    found = references(formula, "Here", lambda name, sheet: None)
    assert found is not None
    tokens = [
        token.value for token in Tokenizer("=" + formula).items if token.type == "OPERAND" and token.subtype == "RANGE"
    ]
    tokens = [token for token in tokens if token not in ("TRUE", "FALSE")]
    assert len(found) == len(tokens)
    for (sheet, area), token in zip(found, tokens, strict=True):
        name, _, place = token.rpartition("!")
        assert sheet == (name.strip("'").replace("''", "'") or "Here")
        left, top, right, bottom = range_boundaries(place)
        columns, rows = sorted((left or 1, right or 16_384)), sorted((top or 1, bottom or 1_048_576))
        assert area == (rows[0], columns[0], rows[1], columns[1])


@examples(150)
@given(formulas(), st.integers(0, 30), st.integers(0, 5))
def test_a_formula_moves_as_another_reader_moves_it(formula: str, rows: int, columns: int) -> None:
    from scrub.formats.workbook.formulas.syntax import translated
    from scrub.model.core.area import letters_of

    if "XFD" in formula or "1000000" in formula:
        return  # what leaves the sheet becomes an error here, and text beyond it there
    moved = translated(formula, rows, columns)
    other = Translator("=" + formula, origin="A1").translate_formula(f"{letters_of(1 + columns)}{1 + rows}")
    assert "=" + moved == other


@examples(150)
@given(formulas(), st.data())
def test_a_formula_with_a_slip_is_refused(formula: str, data: st.DataObject) -> None:
    slip = data.draw(st.sampled_from(["(", ")", "bracket", "==", "end", "start", "names"]))
    wrong = {
        "(": "(" + formula, ")": formula + ")", "==": f"{formula}==1", "end": formula + "*", "start": "/" + formula,
        "names": f"{formula}+unheard_of", "bracket": formula.replace(")", "", 1) if ")" in formula else f"({formula}",
    }[slip]  # fmt: skip
    assert check(wrong) != "", wrong


# -- which results are old

CELLS = [f"{column}{row}" for row in range(1, 5) for column in "ABCD"]


@st.composite
def sheets_of_formulas(draw: st.DrawFn) -> dict[str, list[str] | None]:
    """Cells that hold a number (None), or add up these ranges."""
    found: dict[str, list[str] | None] = {}
    for cell in CELLS:
        if draw(st.booleans()):
            found[cell] = draw(
                st.lists(
                    st.one_of(
                        st.sampled_from(CELLS), st.tuples(st.sampled_from(CELLS), st.sampled_from(CELLS)).map(":".join)
                    ),
                    min_size=1,
                    max_size=2,
                )
            )
        else:
            found[cell] = None
    return found


def inside(reference: str) -> set[str]:
    first, _, last = reference.partition(":")
    last = last or first
    columns = sorted((first[0], last[0]))
    rows = sorted((int(first[1:]), int(last[1:])))
    return {f"{chr(c)}{r}" for c in range(ord(columns[0]), ord(columns[1]) + 1) for r in range(rows[0], rows[1] + 1)}


def reached(cells: dict[str, list[str] | None], changed: set[str]) -> set[str]:
    """The formulas that a change reaches, found by going forward until nothing is added."""
    old: set[str] = set()
    while True:
        fresh = {
            cell
            for cell, references in cells.items()
            if references and cell not in old and any((changed | old) & inside(each) for each in references)
        }
        if not fresh:
            return old
        old |= fresh


def expanded(references: list[str]) -> list[str]:
    """The cells of ranges; one that is in two of them is there twice."""
    return [cell for reference in references for cell in inside(reference)]


def worth(cells: dict[str, list[str] | None], cell: str, changed: set[str]) -> int:
    """What a cell holds after 2 was put into those that changed, where all held 1: a formula that nothing reached too."""
    references = cells[cell]
    if references is None:
        return 2 if cell in changed else 1
    if cell not in reached(cells, changed):
        return 1
    return sum(worth(cells, other, changed) for other in expanded(references))


@examples(80)
@given(sheets_of_formulas(), st.lists(st.sampled_from(CELLS), min_size=1, max_size=3, unique=True), st.booleans())
def test_a_result_is_another_one_just_where_a_change_reaches_it(
    tmp_path: Path, cells: dict[str, list[str] | None], wanted: list[str], before: bool
) -> None:
    rows = ""
    for row in range(1, 5):
        inner = ""
        for letter in "ABCD":
            references = cells[f"{letter}{row}"]
            formula = f"<f>SUM({','.join(references)})</f>" if references else ""
            inner += f'<c r="{letter}{row}">{formula}<v>1</v></c>'
        rows += f'<row r="{row}">{inner}</row>'
    path = tmp_path / "graph.xlsx"
    path.write_bytes(packed([f"<sheetData>{rows}</sheetData>"]))
    changed = {cell for cell in wanted if cells[cell] is None}
    circular = {cell for cell, references in cells.items() if references and cell in reached(cells, {cell})}
    near_circle = circular | reached(cells, circular)
    with scrub.open(str(path)) as opened:
        sheet: Any = next(model_of(opened).sheets())
        if before:
            for column in range(1, 5):
                sheet.column_values(column)
            held = [sheet.column_values(column) for column in range(1, 5)]
            assert held
        for cell in changed:
            sheet.put(int(cell[1:]), ord(cell[0]) - 64, scrub_number(2))
        old = reached(cells, changed)
        for cell, references in cells.items():
            if not references or (cell in near_circle and changed):
                continue  # of a circle nothing is sure
            row, column = int(cell[1:]), ord(cell[0]) - 64
            right = sum(worth(cells, other, changed) for other in expanded(references)) if cell in old else 1
            assert sheet.value(row, column) == right, (cell, cells, changed)


def scrub_number(number: int) -> object:
    from decimal import Decimal

    return Decimal(number)


# -- pasted text

PROSE = st.lists(
    st.sampled_from(
        [
            "Hi Ann,",
            "",
            "see below",
            "I wrote this yesterday.",
            "Best,",
            "Ben",
            "macro attached",
            "end of message",
            "-- ",
            "Kestrel Ridge Huts",
        ]
    ),
    max_size=5,
)
BODY = 'macro Mark\nabout Marks what is late.\nfor   workbook\n\neach sheet where sheet.hidden\n    sheet.hidden = no\nend\nsay "Done, {count(sheet)}."\n'


@examples(60)
@given(PROSE, PROSE, st.sampled_from(["plain", "fenced", "quoted", "crlf", "printable"]))
def test_a_macro_is_the_same_whatever_is_round_it(before: list[str], after: list[str], how: str) -> None:
    body = BODY
    if how == "fenced":
        body = f"```\n{BODY}```\n"
    text = "\n".join([*before, "", body, *after])
    if how == "quoted":
        text = "\n".join(f"> {line}" for line in text.splitlines())
    if how == "crlf":
        text = text.replace("\n", "\r\n")
    if how == "printable":
        text = text.replace("=", "=3D")
    found = scrub.pasted(text)[0]
    assert scrub.check_text(found) == [], found
    assert scrub.program(found).title == "Mark"
    assert scrub.tidy(found) == scrub.tidy(BODY)


# -- the language


@examples(60)
@given(
    st.integers(0, 6),
    st.integers(0, 6),
    st.sampled_from(["{a} times", "a times", "(a) times as n", "a + b - b times", "a times as turn"]),
)
def test_loops_by_count_turn_so_often(a: int, b: int, form: str) -> None:
    head = form.replace("{a}", str(a))
    assert said(f'a = {a}\nb = {b}\nx = 0\n{head}\nx = x + 1\nend times\nsay "{{x}}"') == [str(a)]
    text = macro(f'a = {a}\nb = {b}\n{head}\nsay "a"\nend', "nothing")
    tidied = scrub.tidy(text)
    assert scrub.tidy(tidied) == tidied
    assert "    say" in tidied


@examples(60)
@given(st.integers(-5, 30))
def test_while_ends_when_its_condition_does(limit: int) -> None:
    assert said(f'n = 0\nwhile n < {limit}\nn = n + 2\nend while\nsay "{{n}}"') == [str(max(0, limit + limit % 2))]


def test_names_like_fields_still_work() -> None:
    assert problems(macro('hidden = yes\nsay "{hidden}"', "nothing")) == []
    assert problems(macro('each sheet\nhidden = yes\nsay "{hidden}"\nend')) == []


def test_every_word_of_the_catalog_finds_itself() -> None:
    vocabulary = scrub.vocabulary()
    for entry in some(vocabulary.entries(), 30):
        if not any(letter.isalpha() for letter in entry.written):
            continue
        found = [each.written for each in vocabulary.search(entry.written)]
        assert entry.written in found[:6], (entry.written, found[:6])


def test_results_say_what_they_are(book: Path) -> None:
    result = scrub.run("show every", [str(book)])
    assert repr(result) == "<RunResult 'Show every hidden sheet': run 1, 1 file>"
    assert repr(result.files[0]) == "<FileResult 'season-book.xlsx': changed, 4 changes>"
    assert repr(result.files[0].changes[0]) == "<Change Kite Hut: hidden: yes -> no>"
    assert repr(scrub.changes(1)).startswith("<RunRecord 1: 'Show every hidden sheet', 20")
    with scrub.open(str(book)) as opened:
        assert repr(opened) == "<OpenFile 'season-book.xlsx': a workbook, 0 changes>"
        assert repr(next(model_of(opened).sheets())) == "<sheet 'Larch Hut'>"
    assert {"run", "check", "undo", "open", "Failure"} <= set(dir(scrub))
    assert set(result.as_dict()["files"][0]) == {
        "file",
        "state",
        "changes",
        "recalculated",
        "log",
        "said",
        "notes",
        "refused",
        "left",
        "made",
        "sent",
        "unsent",
        "problem",
    }


# -- how far a long run has come


def test_a_big_file_tells_how_far_it_has_come(book: Path, monkeypatch: object) -> None:
    heard: list[tuple[float, str]] = []

    class Watching(scrub.QuietHost):
        watching = True

        def progress(self, done: float, of: int, label: str) -> None:
            heard.append((done, label))

    from scrub.model.core import progress

    monkeypatch.setattr(progress, "_PAUSE", 0.0)  # type: ignore[attr-defined]
    body = "each sheet\neach cell\nx = cell.address\nend\nend\nsingle-spaces"
    assert scrub.run(macro(body), [str(book)], host=Watching()).files[0].problem is None
    shares = [done for done, _ in heard if done < 1]
    assert shares[0] == 0
    assert max(shares) > 0.9
    assert any("Tarn Hut" in label for _, label in heard)
    loop = [done for done, label in heard if "Hut" in label]
    assert loop[: len(loop) // 2] == sorted(loop[: len(loop) // 2])


def test_a_zip_that_comes_out_the_same_is_no_change(book: Path) -> None:
    """A part that is rewritten with the same bytes is copied as it was packed."""
    from scrub.formats.source import Source
    from scrub.formats.zip import Package

    package = Package(Source(str(book)))
    name = "xl/workbook.xml"
    assert package.patch({name: lambda: package.read(name)}) is None
    patch = package.patch(
        {name: lambda: package.read(name), "xl/styles.xml": lambda: package.read("xl/styles.xml") + b"\n"}
    )
    assert patch is not None
    fresh = b"".join(patch.chunks(io.BytesIO(book.read_bytes())))
    with zipfile.ZipFile(io.BytesIO(fresh)) as made:
        assert made.testzip() is None
        assert made.read("xl/styles.xml").endswith(b"\n")
    package.source.close()
