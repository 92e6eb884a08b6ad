"""Loops that go on for long: what is done in one function, in stretches of rows and in columns of one form, is what
is done step by step.
"""

from __future__ import annotations

import ast
import io
import re
import shutil
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from conftest import SAMPLE, examples, macro, model_of
from documents import put_members
from hypothesis import assume, given
from hypothesis import strategies as st
from openpyxl.styles import Font
from pdfs import Agreeing
from sheets import members
from test_cells_whole import changed
from test_reckoning import NAMES, Both, Step, _given, _said, _together, steps

import scrub
from scrub.formats.workbook.cells import row_form
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.runner import compiling, loop_compiler, source_writer

AT_ONCE, NEVER = 1, 10**9

# -- bodies in which everything meets everything: what goes wrong must go wrong alike

LEAVES = st.sampled_from(
    [
        "record.hut", "record.nights", "record.note", "record.paid", "record.day", "record.wrong", "a", "b", "seen(a)",
        "seen(record.hut)", "1", "0", "2.5", '"Larch"', '"larch"', '"7"', '""', "yes", "nothing", "sheet.name",
        "row.number", "[a, record.hut]", "today",
    ]
)  # fmt: skip


def values(depth: int) -> st.SearchStrategy[str]:
    if not depth:
        return LEAVES
    inner = values(depth - 1)
    return st.one_of(
        LEAVES,
        st.builds(lambda a, sign, b: f"({a} {sign} {b})", inner, st.sampled_from("+-*/"), inner),
        st.builds(lambda a, word: f"({a}){word}", inner, st.sampled_from([".upper", ".length", ".as-text", ".count"])),
        st.builds(lambda a, b: f"({a}).rounded({b})", inner, inner),
        st.builds(lambda a, b: f'"{{{a}}} and {{{b}}}"', st.sampled_from(["a", "record.hut"]), st.just("b")),
        inner.map(lambda a: f"seen({a})"),
        conditions(depth - 1),
    )


def conditions(depth: int) -> st.SearchStrategy[str]:
    inner = values(depth - 1) if depth else LEAVES
    signs = ["<", "<=", ">", ">=", "is", "is not", "is exactly", "contains", "starts with", "is in"]
    plain = st.one_of(
        st.builds(lambda a, sign, b: f"{a} {sign} {b}", inner, st.sampled_from(signs), inner),
        st.builds(lambda a, word: f"{a} {word}", inner, st.sampled_from(["is empty", "is not empty", "exists"])),
        st.builds(lambda a: f"not seen({a}) exists", inner),
        st.builds(lambda a, b, c: f"{a} is between {b} and {c}", inner, inner, inner),
        st.just("late exists"),
        inner,
    )
    if not depth:
        return plain
    smaller = conditions(depth - 1)
    return st.one_of(
        plain,
        st.builds(lambda a, word, b: f"({a}) {word} ({b})", smaller, st.sampled_from(["and", "or"]), smaller),
        smaller.map(lambda a: f"not ({a})"),
    )


def lines(depth: int) -> st.SearchStrategy[list[str]]:
    plain = st.one_of(
        st.builds(lambda name, value: [f"{name} = {value}"], st.sampled_from(["a", "b"]), values(2)),
        st.builds(lambda name, value: [f"record.{name} = {value}"], st.sampled_from(["note", "nights"]), values(1)),
        st.builds(lambda key, value: [f"seen({key}) = {value}"], values(1), values(1)),
        st.builds(lambda a, b: ["in late", f"add-row [{a}, {b}]", "end"], values(1), values(1)),
        st.builds(lambda name: [f"in sheet({name})", "add-row [row.number, sheet.name]", "end"], values(0)),
        st.builds(lambda value: [f'log "{{{value}}}"'], st.sampled_from(["a", "record.hut", "record.nights"])),
        st.sampled_from([["skip"], ["leave loop"], ['fail "{record.hut}"'], ["seen = pairs()"], ["delete"]]),
        st.builds(lambda times, value: [f"{times} times", f"a = {value}", "end"], st.just("2"), values(1)),
    )
    if not depth:
        return plain
    block = st.lists(lines(depth - 1), min_size=1, max_size=3).map(
        lambda every: [line for each in every for line in each]
    )
    return st.one_of(
        plain,
        st.builds(
            lambda a, yes, b, no: [f"if {a}", *yes, f"else if {b}", *no, "end"],
            conditions(2),
            block,
            conditions(1),
            block,
        ),
        st.builds(lambda body, otherwise: ["attempt", *body, "if it fails", *otherwise, "end"], block, block),
    )


CELLS = st.sampled_from(
    [
        None,
        "Larch",
        "larch ",
        "7",
        "Kite & co",
        "",
        0,
        1,
        2.5,
        12,
        True,
        False,
        date(2027, 3, 1),
        "=1/0",
        "nothing",
        "é",
    ]
)
TABLE = st.lists(st.tuples(CELLS, CELLS, CELLS, CELLS, CELLS), min_size=1, max_size=5)


def book_of(path: Path, rows: list[tuple[Any, ...]]) -> None:
    book: Any = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Stays"
    sheet.append(["Hut", "Nights", "Note", "Paid", "Day"])
    for row in rows:
        sheet.append(["Kite", *row[1:]] if not any(row) else list(row))
    for number in range(2, len(rows) + 2):
        for cell in sheet[number]:
            if cell.value == "=1/0":
                cell.value, cell.data_type = "#DIV/0!", "e"
    for title in ("Late", "Larch"):
        book.create_sheet(title).append(["Hut"])
    book.save(path)


def done(text: str, path: Path) -> tuple[Any, ...]:
    """All that comes of a macro."""
    found = scrub.run(text, [str(path)], preview=True).files[0]
    problem = found.problem
    said = "" if problem is None else str(problem)
    return said, found.said, found.log, [f"{each.place}: {each}" for each in found.changes]


@examples(250)
@given(st.lists(lines(1), min_size=1, max_size=5), conditions(1), TABLE)
def test_a_long_loop_does_what_a_short_one_does(
    tmp_path: Path, body: list[list[str]], where: str, table: list[tuple[Any, ...]]
) -> None:
    path = tmp_path / "stays.xlsx"
    inside = "\n".join(line for each in body for line in each)
    heads = "".join(f'{name} = sheet("Late").cell("A1").value\n' for name in ("a", "b"))
    heads += 'seen = pairs(otherwise: sheet("Late").cell("A2").value)\nlate = sheet("Late")'
    loop = f'each record in sheet("Stays") where {where}\n{inside}\nend' if "late" not in where else ""
    loop = loop or f'each record in sheet("Stays")\n{inside}\nend'
    text = macro(f'{heads}\n{loop}\nlog "{{a}} {{b}} {{seen.count}} {{count(record in sheet("Stays") where {where})}}"')
    assume(not scrub.check(text))
    book_of(path, table)
    both = []
    for long in (AT_ONCE, NEVER):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(compiling, "_LONG", long)
            both.append(done(text, path))
    assert both[0] == both[1], text


@examples(60)
@given(st.lists(steps(2), min_size=1, max_size=4).map(_together))
def test_statements_in_one_function_do_what_their_twins_do(program: Step) -> None:
    whole = _together([*(_given(name, Both("1", "1")) for name in NAMES), program, _said("end")])
    told: list[str] = []
    kept: dict[str, Any] = {}
    whole.do(kept, told)
    assume(all(abs(value) < 10**20 for value in kept.values()))
    text = macro("\n".join(["1 times", *whole.lines, "end"]), "nothing")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(compiling, "_LONG", AT_ONCE)
        assert scrub.run(text).files[0].said == told, text


def test_a_failure_in_a_long_loop_names_its_line_and_the_record(home: Path) -> None:
    rows: list[tuple[Any, ...]] = [("Larch", number, None, None, None) for number in range(1, 900)]
    book_of(Path("stays.xlsx"), [*rows, ("Kite", "many", None, None, None)])
    adding = "if record.hut is not empty\n    total = total + record.nights\n    end"
    found = scrub.run(macro(f'total = 0\neach record in sheet("Stays")\n{adding}\nend'), ["stays.xlsx"]).files[0]
    assert str(found.problem) == 'Stays B901: "+" needs numbers; this is a text "many"  (Test, line 6)'


def test_no_word_of_a_macro_stands_in_a_function_that_is_made_of_it(
    monkeypatch: pytest.MonkeyPatch, home: Path
) -> None:
    """What is made is looked at by Python's own parser: counted names, known ones, and not one text."""
    made: list[str] = []

    def spy(text: str, *rest: Any) -> Any:
        made.append(text)
        return compile(text, *rest)

    monkeypatch.setattr(loop_compiler, "compile", spy, raising=False)
    monkeypatch.setattr(compiling, "_LONG", AT_ONCE)
    book_of(Path("stays.xlsx"), [("Larch", 2, "x", True, None)])
    body = '''evil = pairs(otherwise: sheet("Late").cell("A1").value)
each record in sheet("Stays") where record.hut is "); import os; ("
    log "never"
end
each record in sheet("Stays") where record.nights > 1
    evil("__import__('os')") = "{record.hut}'); exec('1"
    record.note = "raise SystemExit{record.hut}"
    if record.note contains "lambda" and not record.paid is "eval"
        say "never"
    end
    say evil("__import__('os')")
    in sheet("Late")
        add-row ["globals()", record.hut.upper, ["1", "2"].joined("os")]
    end
end
say "{count(record in sheet("Stays") where record.hut is "Larch")} {sum(record.nights in sheet("Stays"))}"'''
    found = scrub.run(macro(body, title="import os"), ["stays.xlsx"], preview=True).files[0]
    assert found.problem is None
    assert found.said == ["Larch'); exec('1", "1 2"]
    assert len(made) >= 4
    known = {
        *source_writer._KNOWN,
        *source_writer._KNOWN["__builtins__"],
        "frame",
        "line",
        "execution",
        "failure",
        "error",
        "run",
    }
    for text in made:
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.Name | ast.arg):
                name = node.id if isinstance(node, ast.Name) else node.arg
                assert name in known or re.fullmatch(r"[vk]\d+", name), name
            elif isinstance(node, ast.Attribute):
                assert node.attr in ATTRIBUTES, node.attr
            elif isinstance(node, ast.Constant):
                assert node.value is None or type(node.value) in (int, bool) or node.value == "", node.value
            assert not isinstance(node, ast.Import | ast.ImportFrom | ast.Lambda | ast.Global)


ATTRIBUTES = frozenset(
    "add_row attempts file get held is_trying isascii items join line lower of open_fields pop put_pair reach readers recorder remark remarks "
    "removed row resolved table title write".split()
)

# -- rows that are laid below all others

LAID = st.one_of(
    st.none(), st.booleans(), st.integers(-999, 10**15 - 1), st.floats(-99, 99).map(lambda each: round(each, 3) or 0.5),
    st.dates(date(1905, 1, 2), date(2100, 1, 1)), st.sampled_from(["", "Larch", " two  blanks ", "a<b & c", "é\u00a0", "a_x0041_"]),
    st.text(st.characters(codec="utf-8", exclude_characters="\r", exclude_categories=("Cs", "Cc")), max_size=6),
)  # fmt: skip


@examples(60)
@given(
    st.lists(st.lists(LAID, min_size=1, max_size=4), min_size=1, max_size=12),
    st.sampled_from(["", "bold", "taken back"]),
    st.booleans(),
)
def test_rows_laid_below_others_are_written_as_single_cells_are(
    tmp_path: Path, rows: list[list[Any]], deed: str, is_styled: bool
) -> None:
    """Once as they come, and once with a look at the sheet after each row: then each cell is one like any other."""
    path = tmp_path / "late.xlsx"
    made: Any = openpyxl.Workbook()
    made.active.append(["Hut", "Nights"])
    if is_styled:  # a filled cell that contains nothing, where rows are to come
        made.active.cell(3, 2).font = Font(bold=True)
        made.active.column_dimensions["C"].font = Font(italic=True)
    made.save(path)

    def add(looks: bool) -> Callable[[Any], None]:
        def do(book: Any) -> None:
            sheet = next(iter(book.sheets()))
            for number, row in enumerate(rows):
                sheet.add_row([Decimal(str(each)) if type(each) in (int, float) else each for each in row])
                if looks:
                    assert isinstance(sheet, OfficeSheet)
                    sheet.used()
                if deed and number == len(rows) // 2:
                    deed_on(sheet, deed)

        return do

    both = [changed(path, add(looks)) for looks in (False, True)]
    assert both[0] == both[1]
    book: Any = openpyxl.load_workbook(io.BytesIO(both[0]))
    found = [[cell.value for cell in row] for row in book.active.iter_rows(min_row=2)]
    told = [[told_of(each) for each in row] for row in found if any(each is not None for each in row)]
    wanted = [[told_of(each) for each in row] for row in rows if any(each not in (None, "") for each in row)]
    assert [trimmed(row) for row in told] == [trimmed(row) for row in wanted]


def deed_on(sheet: Any, deed: str) -> None:
    used = sheet.used()
    if used is None:
        return
    if deed == "bold":
        sheet.put_look(used.bottom, used.left, "bold", True)
    else:
        mark = sheet.file.recorder.savepoint()
        sheet.add_row([Decimal(1), None, "goes again"])
        sheet.add_row([Decimal(2)])
        sheet.file.recorder.rollback(mark)


def told_of(value: Any) -> str | None:
    if value in (None, ""):
        return None
    if isinstance(value, bool) or not isinstance(value, int | float):
        return str(value).removesuffix(" 00:00:00").replace("_x005F_", "_")  # which openpyxl leaves as it is
    return str(float(value))


def trimmed(row: list[str | None]) -> list[str | None]:
    while row and row[-1] is None:
        row = row[:-1]
    return row


@pytest.mark.parametrize("name", ["season-book.xlsx", "wardens.odt", "huts.sqlite", "route-cards.pdf", "larch-hut.jpg"])
def test_many_copies_are_made_of_any_file(home: Path, name: str) -> None:
    shutil.copytree(SAMPLE.parent, "kr", ignore=shutil.ignore_patterns("*.py", "__pycache__"))
    body = (
        f'each n in ["a", "b", "c", "d", "e", "f"]\nfresh = copy-of("{name}", name: n, to: "made")\nlog fresh.name\nend'
    )
    found = scrub.run(macro(body), ["kr/season-book.xlsx"], host=Agreeing()).files[0]
    assert found.problem is None
    assert len(found.log) == len(list(Path("kr/made").iterdir())) == 6
    assert {each.read_bytes() for each in Path("kr/made").iterdir()} == {Path("kr", name).read_bytes()}


# -- columns in which all cells have one form

FORMS = [
    '<c r="{at}"><v>{number}</v></c>', '<c r="{at}" s="1"><v>{number}</v></c>', '<c r="{at}" t="s"><v>{index}</v></c>',
    '<c r="{at}" t="inlineStr"><is><t>{text}</t></is></c>', '<c r="{at}" t="b"><v>1</v></c>',
]  # fmt: skip
ODD = [
    "", '<c r="{at}" t="e"><v>#N/A</v></c>', '<c r="{at}"><f>1+1</f><v>2</v></c>', '<c r="{at}"><v></v></c>', '<c r="{at}"/>',
    "<c r=\"{at}\" t='inlineStr'><v>7</v></c>", '<c r="{at}" t="inlineStr"><is><t xml:space="preserve"> x </t></is></c>',
    '<c r="{at}" t="inlineStr"><is><r><t>a</t></r><r><t>b</t></r></is></c>', '<c r="{at}" t="s"><v>99</v></c>',
    '<c r="{at}" t="str"><v>a&amp;b</v></c>', '<c r="{at}"><v>1E3</v></c>', '<c r="{at}"><v>x</v></c>',
]  # fmt: skip
TEXTS = ["Larch", "a &lt; b", "_x0041_", "é", "", " x", "two words"]


@examples(200)
@given(
    st.sampled_from(FORMS),
    st.sampled_from([*FORMS, *ODD]),
    st.lists(st.integers(0, 60), max_size=4),
    st.sampled_from(ODD),
    st.integers(0, 10**6),
)
def test_rows_and_columns_of_one_form_are_read_as_cell_by_cell(
    tmp_path: Path, form: str, other: str, odd_rows: list[int], odd: str, seed: int
) -> None:
    """In most rows one form, in some another: the first row, the last, none, several."""
    path = tmp_path / "column.xlsx"
    made: Any = openpyxl.Workbook()
    made.active.append(["Hut", "more"])
    made.active["A2"].number_format = "yyyy-mm-dd"
    made.save(path)
    rows = ""
    for row in range(1, 62):
        cells = [(odd if row in odd_rows else form, "A"), (other, "AB")]
        number, index, text = (seed * row) % 50, (seed + row) % 2, TEXTS[(seed + row) % len(TEXTS)]
        inside = "".join(
            shape.format(at=f"{letters}{row}", number=number, index=index, text=text) for shape, letters in cells
        )
        rows += f'<row r="{row}" spans="1:2">{inside}</row>'
    parts = members(path)
    name = "xl/worksheets/sheet1.xml"
    data = f"<sheetData>{rows}</sheetData>".encode()
    parts[name] = re.sub(rb"<sheetData>.*</sheetData>", lambda _: data, parts[name], flags=re.DOTALL)
    put_members(path, parts)
    both = []
    for slowly in (False, True):
        with pytest.MonkeyPatch.context() as patch, scrub.open(str(path)) as opened:
            patch.setattr(row_form, "_LEAST", 0)
            model_of(opened).parse_slowly = slowly
            sheet = next(model_of(opened).sheets())
            columns = [sheet.column_values(column) for column in (28, 1, 2, 28)]
            values = [{row: getattr(each, "what", each) for row, each in sorted(found.items())} for found in columns]
            both.append((values, sheet.used(), list(sheet.stored_rows()), list(sheet.stored_places())))
    assert both[0] == both[1]
