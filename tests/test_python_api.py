"""The Python API: what macros can name, Python can name, and a function runs like a macro."""

from __future__ import annotations

import ast
import functools
import keyword
import math
import os
import re
import shutil
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from datetime import date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Annotated, Any, Literal

import pytest
from conftest import SAMPLE, Output, macro
from hypothesis import given
from hypothesis import strategies as st
from sheets import load, states

import scrub
import scrub.words
from scrub.model.core.python_names import operation_name, plural, python_name
from scrub.model.core.values import shown

ROOT = Path(__file__).parent.parent
VOCABULARY = scrub.vocabulary()


# -- names: a promise


@pytest.mark.parametrize("word", sorted(VOCABULARY.kinds))
def test_what_a_macro_can_name_python_can_name(word: str) -> None:
    """Nothing else is there, and no two words have the same name."""
    kind = VOCABULARY.kinds[word]
    cls = getattr(scrub, kind.cls.__name__)
    assert cls.kind_word == word
    names = cls._names
    wanted = {python_name(each) for each in (*kind.fields, *kind.actions)}
    wanted |= {"as_table" if each == "records" else python_name(each) for each in kind.parts}
    count = len(kind.fields) + len(kind.actions) + len(kind.parts)
    assert len(wanted) == count, "two words have one name"
    for other in VOCABULARY.kinds:
        found = VOCABULARY.finder(word, other) is not None or VOCABULARY.path(word, other) is not None
        if found:
            wanted |= {python_name(other), f"find_{python_name(other)}"}
        if VOCABULARY.path(word, other) is not None:
            wanted.add(plural(other))
    for outer in kind.cls.implied:
        wanted |= {python_name(outer)} if python_name(outer) not in wanted else {f"its_{python_name(outer)}"}
    wanted |= {"keys", "number"} if kind.cls.open_fields else set()
    wanted |= {"table": {"to_frame", "update_from"}, "workbook": {"add_sheet_from"}}.get(word, set())
    assert names == wanted
    assert not [name for name in names if keyword.iskeyword(name) or not name.isidentifier()]


def test_every_operation_has_a_function(home: Path) -> None:
    names = {operation_name(word) for _, word in VOCABULARY.operations}
    assert names <= set(dir(scrub.words))
    assert not names & set(dir(__builtins__))
    for name in names:
        assert getattr(scrub.words, name).__doc__, name


def test_the_stubs_are_in_step() -> None:
    sys.path.insert(0, str(ROOT / "tools"))
    try:
        import make_stubs

        for path, text in make_stubs.every_stub().items():
            assert path.read_text(encoding="utf-8") == make_stubs.formatted(text), f"python tools/make_stubs.py: {path}"
    finally:
        sys.path.remove(str(ROOT / "tools"))
    assert (ROOT / "src" / "scrub" / "py.typed").exists()


def test_a_type_checker_finds_what_is_wrong(tmp_path: Path) -> None:
    wrong = tmp_path / "wrong.py"
    wrong.write_text(
        "import scrub\n\n\n"
        "def wrong(book: scrub.Workbook) -> None:\n"
        "    for sheet in book.sheets():\n"
        "        sheet.hiden = True\n"
        "        sheet.hidden = 'yes'\n"
        "        sheet.protect(pasword=scrub.Secret('x'))\n"
        "        sheet.orientation = 'sideways'\n"
        "    book.find_sheet('Late').delete()\n"
        "    book.sheets().name\n"
    )
    command = [sys.executable, "-m", "mypy", "--strict", "--no-error-summary", "--config-file=", str(wrong)]
    found = subprocess.run(command, text=True, capture_output=True, check=False, cwd=tmp_path).stdout
    lines = [int(match[1]) for match in re.finditer(r"wrong\.py:(\d+): error", found)]
    assert sorted(set(lines)) == [6, 7, 8, 9, 10, 11], found


# -- items


def opened(path: Path) -> Any:
    return scrub.open(str(path))


def test_a_workbook_is_read_and_changed_under_the_names_of_macros(book: Path) -> None:
    with opened(book) as file:
        workbook = file.item
        assert repr(workbook) == "<Workbook 'season-book.xlsx'>"
        assert isinstance(workbook, scrub.Workbook)
        assert file.item_of(scrub.Workbook) is workbook
        with pytest.raises(scrub.BadCall, match="this is a workbook, not a document"):
            file.item_of(scrub.Document)
        assert "hidden" not in dir(workbook)
        assert "sheets" in dir(workbook)
        assert len(workbook.sheets()) == 11
        for sheet in workbook.sheets():
            sheet.hidden = False
        hut = workbook.sheet("larch hut")
        assert hut == workbook.sheets()[0]
        assert workbook.find_sheet("Late") is None
        with pytest.raises(scrub.Failure, match='no sheet "Late"'):
            workbook.sheet("Late")
        hut.protect(password=scrub.Secret("stove"), allow=["sort", "filter"])
        late = workbook.new_sheet("Late")
        late.add_row(["Guest", 3, 14.5, date(2026, 7, 1), None, True])
        assert [cell.value for cell in late.cells()][1:3] == [Decimal(3), Decimal("14.5")]
        assert len(late.cells("A1:B1").cells()) == 2
        late.cells("A1:F1").bold = True
        assert file.save("From Python") == 1
    assert states(book)["Draft prices"] == "visible"
    assert load(book)["Late"]["C1"].value == 14.5
    scrub.undo()
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_records_go_by_headings_in_any_spelling(book: Path) -> None:
    with opened(book) as file:
        hut = file.item.sheet("Larch Hut")
        first = hut.records(headings=3)[0]
        assert (
            first["Guest nights"]
            == first["guest-nights"]
            == first["GUEST_NIGHTS"]
            == first.number("guest nights")
            == 12
        )
        assert dict(first)["Arrival"] == date(2026, 6, 30)
        assert "price" in first
        assert "prize" not in first
        assert first.row.number == 4
        assert first.sheet.name == "Larch Hut"
        first["note"] = "late"
        assert [str(each) for each in file.changes] == ['H4: nothing -> "late"']
        with pytest.raises(scrub.Failure, match=r'Larch Hut!A4|A4.*expected a number, found a text "Alder, Dario"'):
            first.number("guest")
        with pytest.raises(scrub.Failure, match='no heading "prize".*Did you mean "Price"'):
            first["prize"]
        table = hut.as_table(headings=3)
        assert table.headings[:2] == ["Guest", "Arrival"]
        assert table.record(guest="Thorn, Jon")["nights"] == 4
        assert table.find_record({"Guest": "Nobody"}) is None


def test_a_loop_is_fixed_and_leaves_out_what_is_deleted(book: Path) -> None:
    with opened(book) as file:
        hut = file.item.sheet("Larch Hut")
        every = hut.records(headings=3)
        many = len(every)
        seen = []
        for number, record in enumerate(every):
            seen.append(record["guest"])
            if number == 0:
                following = hut.records(headings=3)[1]
                following.delete()
                with pytest.raises(scrub.Failure, match="was deleted"):
                    following["note"] = "x"
                hut.as_table(headings=3).add_record(guest="New")
        assert len(seen) == many - 1
        assert "New" not in seen
        assert len(hut.records(headings=3)) == many
        assert not file.item.sheet("Totals").comments()


def test_what_is_not_there_is_told_with_what_is(book: Path) -> None:
    wrong: Any
    with opened(book) as file:
        sheet = file.item.sheet("Totals")
        for wrong, message in (
            (lambda: sheet.hiden, "Sheet has no 'hiden'. Did you mean \"hidden\""),
            (lambda: sheet.protect(pasword=None), "no argument 'pasword'. Did you mean \"password\""),
            (lambda: sheet.cells("A1:B2").merge("x", "y"), "merge"),
            (lambda: sheet.rows("x"), "rows"),
        ):
            with pytest.raises((AttributeError, TypeError, scrub.Failure), match=re.escape(message)):
                wrong()
        with pytest.raises(AttributeError, match="read only"):
            sheet.number = 3
        with pytest.raises(AttributeError):
            sheet.colour_of_the_tab = "red"
        for word, value, message in (
            ("hidden", "yes", '"hidden" is yes or no, not a text'),
            ("zoom", 2.5, '"zoom" is a whole number'),
            ("orientation", "sideways", '"orientation" is one of'),
            ("zoom", math.nan, "nan is not a number"),
            ("zoom", {"a": 1}, "a dict is not a value"),
            ("zoom", object(), "object is not a type"),
        ):
            with pytest.raises(scrub.Failure, match=message):
                setattr(sheet, word, value)
        with pytest.raises(scrub.Failure, match="must be secret"):
            sheet.protect(password="stove")
        assert file.changes == []


NUMBERS = st.one_of(
    st.integers(-(10**14), 10**14), st.floats(-1e14, 1e14).filter(lambda value: not value or abs(value) > 1e-9),
    st.decimals(-(10**12), 10**12, places=4),
)  # fmt: skip
VALUES = st.one_of(
    NUMBERS, st.text(st.characters(codec="utf-8", exclude_categories=["Cc", "Cs"]), min_size=1, max_size=30), st.booleans(),
    st.dates(date(1950, 1, 1), date(2100, 1, 1)), st.none(),
)  # fmt: skip


@given(st.lists(VALUES, min_size=1, max_size=12))
def test_values_come_back_as_they_went(values: list[Any]) -> None:
    """Into memory and out again; numbers are the same to the 15 digits that a cell has."""
    from scrub.api.values import into, out

    for value in values:
        there = out(into(value))
        if isinstance(value, float):
            assert float(there) == value
        else:
            assert there == value
            assert isinstance(there, bool) == isinstance(value, bool)
    assert out(into([values])) == [[out(into(value)) for value in values]]


@pytest.mark.parametrize(
    ("span", "text"),
    [
        (timedelta(days=3), "3 days"),
        (timedelta(hours=5), "5 hours"),
        (timedelta(0), "0 days"),
        (timedelta(minutes=90), "90 minutes"),
    ],
)
def test_spans_of_time_are_shown_as_macros_show_them(span: timedelta, text: str) -> None:
    assert scrub.words.shown(span) == text
    assert scrub.words.added(datetime(2026, 7, 1), span) == datetime(2026, 7, 1) + span


def test_a_duration_in_a_cell_keeps_its_unit(home: Path) -> None:
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.append(["Walk"])
    sheet.append([timedelta(hours=48)])
    sheet.append([timedelta(minutes=45)])
    book.save("walks.xlsx")
    with scrub.open("walks.xlsx") as file:
        found = [record["walk"] for record in file.item.records()]
    assert found == [timedelta(days=2), timedelta(minutes=45)]
    text = macro('each record\nlog "{record.walk}"\nend')
    told = scrub.run(text, ["walks.xlsx"], preview=True).files[0].log
    assert [scrub.words.shown(each) for each in found] == told


# -- conditions that are handed on


CONDITIONS: list[tuple[str, Callable[[], Any]]] = [
    ("record.nights >= 7", lambda: scrub.heading("nights") >= 7),
    ("record.nights < 7 and record.paid is no", lambda: (scrub.heading("nights") < 7) & (scrub.heading("paid") == False)),  # noqa: E712
    ('record.hut is "larch" or record.hut starts with "g"', lambda: (scrub.heading("hut") == "larch") | scrub.heading("hut").starts_with("g")),
    ("record.nights is empty", lambda: scrub.heading("nights").is_empty()),
    ('not (record.hut contains "a")', lambda: ~scrub.heading("hut").contains("A")),
    ('record.hut is in ["Larch", "Tarn"]', lambda: scrub.heading("hut").one_of(["Larch", "Tarn"])),
    ("record.arrival >= 2026-07-01 and record.nights is not 3", lambda: (scrub.heading("arrival") >= date(2026, 7, 1)) & (scrub.heading("nights") != 3)),
]  # fmt: skip


@pytest.mark.parametrize(("written", "made"), CONDITIONS)
def test_a_condition_finds_what_the_macro_finds(written: str, made: Callable[[], Any], home: Path) -> None:
    """In a database, which sifts by itself, and in a workbook, which does not."""
    shutil.copyfile(SAMPLE.parent / "huts.sqlite", "huts.sqlite")
    guarded = f"record.nights is not empty and {written}" if "nights" in written and "empty" not in written else written
    body = f'each record in table("night") where {guarded}\nlog "{{record.id}}"\nend'
    wanted = scrub.run(macro(body, "database"), ["huts.sqlite"], preview=True).files[0]
    assert wanted.problem is None
    condition = made() if guarded == written else ~scrub.heading("nights").is_empty() & made()
    with scrub.open("huts.sqlite") as file:
        table = file.item.table("night")
        assert [shown(record["id"]) for record in table.records(where=condition)] == wanted.log
        assert [shown(record["id"]) for record in table.records() if condition.test(record)] == wanted.log
        assert wanted.log or "empty" in written or "in [" in written
    with pytest.raises(TypeError, match="& and |"):
        bool(condition)


def test_a_database_sifts_on_its_own(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of the rows that a condition rules out, none is fetched."""
    base = sqlite3.connect("many.sqlite")
    base.execute("create table stay (id integer primary key, nights integer)")
    base.executemany("insert into stay values (?, ?)", [(number, number % 100) for number in range(5000)])
    base.commit()
    base.close()
    with scrub.open("many.sqlite") as file:
        found = list(file.item.table("stay").records(where=scrub.heading("nights") == 7))
        assert len(found) == 50
        tested: list[Any] = []
        condition = scrub.heading("nights") == 7
        plain = condition.test
        condition.test = lambda record: tested.append(record) or plain(record)  # type: ignore[func-returns-value]
        assert len(list(file.item.table("stay").records(where=condition))) == 50
        assert len(tested) <= 50


# -- functions as runs


def mark_late(
    book: scrub.Workbook, *, least: Annotated[int, "Minimum nights"] = 4, word: Literal["late", "due"] = "late"
) -> None:
    """Mark late stays."""
    for sheet in book.sheets():
        if sheet.name.endswith("Hut"):
            for record in sheet.records(headings=3):
                if record["paid"] == "no" and record.number("nights") >= least:
                    record["note"] = word
    scrub.say("done")
    scrub.log("a line")


def test_a_function_is_previewed_kept_and_undone(book: Path) -> None:
    preview = scrub.run(mark_late, [str(book)], preview=True)
    assert preview.title == "Mark late stays"
    (file,) = preview.files
    assert (file.said, file.log, file.problem) == (["done"], ["a line"], None)
    assert book.read_bytes() == SAMPLE.read_bytes()
    result = scrub.run(mark_late, [str(book)], answers={"least": "1", "word": "due"})
    assert len(result.files[0].changes) > len(file.changes) > 0
    assert {change.after for change in result.files[0].changes} == {'"due"'}
    kept = scrub.history()[0]
    assert kept.title == "Mark late stays"
    scrub.undo()
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_answers_are_asked_for_and_checked(book: Path) -> None:
    class Host(scrub.QuietHost):
        def ask(self, question: scrub.Question) -> str | None:
            asked.append((question.prompt, question.type, question.choices))
            return "" if question.name == "least" else "du"

    asked: list[Any] = []
    result = scrub.run(mark_late, [str(book)], preview=True, host=Host())
    assert asked == [("Minimum nights", "number", ()), ("word", "text", ("late", "due"))]
    assert {change.after for change in result.files[0].changes} == {'"due"'}
    for answers, message in (
        ({"least": "many"}, '"many" is not a number'), ({"least": 2.5}, "whole number"), ({"word": "x"}, "is one of"),
        ({"lest": 3}, 'Did you mean "least"'),
    ):  # fmt: skip
        try:
            problem = scrub.run(mark_late, [str(book)], preview=True, answers=answers).files[0].problem
        except scrub.BadCall as wrong:
            problem = wrong
        assert re.search(message, str(problem)), problem


def test_a_mistake_is_a_failure_with_the_line_of_the_script_and_nothing_is_saved(book: Path) -> None:
    def slip(workbook: scrub.Workbook) -> None:
        workbook.sheet("Larch Hut").hidden = True
        workbook.sheet("Larch Hut").records(headings=3)[0]["guest"] + 3

    def missing(workbook: scrub.Workbook) -> None:
        workbook.sheet("Larch Hut").hidden = True
        workbook.sheet("None")

    for function, what in ((slip, "TypeError"), (missing, 'no sheet "None"')):
        result = scrub.run(function, [str(book)])
        problem = result.files[0].problem
        assert isinstance(problem, scrub.Failure)
        assert what in str(problem)
        line = function.__code__.co_firstlineno + 2
        assert f"test_python_api.py, line {line}" in str(problem)
        assert result.exit_code == 1
        assert book.read_bytes() == SAMPLE.read_bytes()


def test_an_attempt_undoes_what_was_done_in_it(book: Path) -> None:
    def attempts(workbook: scrub.Workbook) -> None:
        counted = scrub.Pairs(0)
        for sheet in workbook.sheets():
            with scrub.attempt() as tried:
                sheet.hidden = True
                counted["Sheets"] += 1
                with scrub.attempt() as inner:
                    sheet.name = "never"
                    raise ValueError("inner")
                assert inner.problem == "ValueError: inner"
                if sheet.name != "Larch Hut":
                    sheet.record_that_is_not_there  # noqa: B018
            if tried.failed:
                scrub.log(tried.problem[:14])
        scrub.say(f"{counted['sheets']} of {len(counted)}")

    file = scrub.run(attempts, [str(book)], preview=True).files[0]
    assert file.problem is None
    assert [(change.place, change.what) for change in file.changes] == [("Larch Hut", "hidden")]
    assert file.log == ["AttributeError"] * 10
    assert file.said == ["1 of 1"]


def test_a_function_makes_files_and_reads_others(book: Path) -> None:
    shutil.copyfile(SAMPLE.parent / "letter.docx", "letter.docx")

    def letters(workbook: scrub.Workbook) -> None:
        first = workbook.sheet("Larch Hut").records(headings=3)[0]
        letter = scrub.copy_of("letter.docx", scrub.words.path("", f"Letter {first['guest']}"), to="letters")
        letter.paragraphs()[0].text = "For the warden"
        table = scrub.new_file("late.csv")
        table.sheets()[0].add_row(["Guest", first["guest"]])
        assert scrub.open_beside("season-book.xlsx").sheet("Totals").name == "Totals"
        assert scrub.selection().picked is False

    file = scrub.run(letters, [str(book)]).files[0]
    assert file.problem is None
    assert Path("late.csv").read_text() == 'Guest,"Alder, Dario"\n'
    assert Path("letters/Letter Alder, Dario.docx").exists()
    scrub.undo()
    assert not Path("late.csv").exists()
    with pytest.raises(scrub.Failure, match="another folder"):
        scrub.words.path("letters", "../x")


def test_a_function_takes_all_files_or_several_kinds_or_none(book: Path) -> None:
    shutil.copyfile(SAMPLE.parent / "wardens.odt", "wardens.odt")

    def name(file: scrub.Workbook | scrub.Document) -> None:
        scrub.say(f"{type(file).__name__} {file.name}")

    def every(picked: list[scrub.Pdf | scrub.Image]) -> None:
        scrub.say(str(len(picked)))

    def alone(*, year: Decimal = Decimal(2026)) -> str:
        return f"year {year}"

    names = [str(book), "wardens.odt"]
    assert [file.said for file in scrub.run(name, names, preview=True).files] == [
        ["Workbook season-book.xlsx"], ["Document wardens.odt"],
    ]  # fmt: skip
    for end in ("seal.png", "larch-hut.jpg"):
        shutil.copyfile(SAMPLE.parent / end, end)
    assert scrub.run(every, ["seal.png", "larch-hut.jpg"], preview=True).files[0].said == ["2"]
    assert scrub.run(alone).files[0].said == ["year 2026"]
    with pytest.raises(scrub.BadCall, match=r"Annotate its first argument: def bad\(file: scrub.Workbook\)"):
        scrub.run(bad, names)
    with pytest.raises(scrub.BadCall, match="Leave out jobs"):
        scrub.run(name, names, jobs=2)
    with pytest.raises(scrub.BadCall, match="works inside a function"):
        scrub.selection()


def test_at_picks_what_the_selection_is(book: Path) -> None:
    def embolden(workbook: scrub.Workbook) -> None:
        picked = scrub.selection()
        assert picked.picked
        picked.bold = True

    file = scrub.run(embolden, [str(book)], preview=True, at="Larch Hut!A4:B5").files[0]
    assert file.problem is None
    assert len(file.changes) == 4


def test_a_function_with_arguments_given_and_a_method_run_too(book: Path) -> None:
    few = functools.partial(mark_late, word="due")
    assert {change.after for change in scrub.run(few, [str(book)], preview=True).files[0].changes} == {'"due"'}

    class Job:
        def __call__(self, workbook: scrub.Workbook) -> None:
            """Unhide all."""
            for sheet in workbook.sheets():
                sheet.hidden = False

        def hide(self, workbook: scrub.Workbook) -> None:
            workbook.sheet("Totals").hidden = True

    result = scrub.run(Job().hide, [str(book)], preview=True)
    assert (result.title, len(result.files[0].changes)) == ("Hide", 1)


def bad(file) -> None:  # type: ignore[no-untyped-def]
    pass


def test_a_run_of_a_function_is_not_continued(book: Path) -> None:
    Path("bad.xlsx").write_bytes(b"x")
    result = scrub.run(mark_late, [str(book), "bad.xlsx"])
    assert result.number is not None
    with pytest.raises(scrub.BadCall, match="ran a Python function"):
        scrub.continue_run(result.number)


def test_main_makes_a_command_line(
    book: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    assert scrub.main(mark_late, [str(book), "--preview", "--least", "6", "--word", "due"]) == 0
    said = capsys.readouterr().out
    assert "season-book.xlsx: " in said
    assert "Preview only; nothing was saved." in said
    assert book.read_bytes() == SAMPLE.read_bytes()
    assert scrub.main(mark_late, [str(book)]) == 0
    assert "Undo: scrub undo 1" in capsys.readouterr().out
    assert scrub.main(mark_late, ["none.xlsx"]) == 1
    assert "none.xlsx" in capsys.readouterr().out
    assert scrub.main(mark_late, [str(book), "--least", "x"]) == 2
    assert '"x" is not a number' in capsys.readouterr().err
    with pytest.raises(SystemExit):
        scrub.main(mark_late, ["--help"])
    help_ = capsys.readouterr().out
    assert "Minimum nights (default: 4)" in help_
    assert "one of: late, due" in help_

    def seal(workbook: scrub.Workbook, *, code: Annotated[scrub.Secret, "sheet-code"]) -> None:
        workbook.sheet("Totals").protect(password=code)

    assert scrub.main(seal, [str(book)]) == 2
    assert "SCRUB_SECRET_SHEET_CODE" in capsys.readouterr().err
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "stove")
    assert scrub.main(seal, [str(book)]) == 0
    assert load(book)["Totals"].protection.sheet


# -- actions of one's own


@pytest.mark.usefixtures("own_actions")
def test_an_own_action_gets_the_items_of_the_api(book: Path) -> None:
    @scrub.action("sheet")
    def note_it(sheet: scrub.Sheet, text: str, times: int = 1) -> None:
        """Writes a text into A2.

        text: what to write.
        times: how often.
        Example: note-it "seen"
        """
        assert isinstance(sheet, scrub.Sheet)
        sheet.cell("A2").value = text * times

    file = scrub.run(macro('in sheet("Totals")\nnote-it "ab", times: 2\nend'), [str(book)], preview=True).files[0]
    assert [change.after for change in file.changes] == ['"abab"']
    with opened(book) as other:
        sheet = other.item.sheet("Totals")
        assert "note_it" in dir(sheet)
        sheet.note_it("x", times=3)
        assert sheet.cell("A2").value == "xxx"


def test_a_package_ships_actions_by_an_entry_point(book: Path, tmp_path: Path) -> None:
    """Installed packages name their modules under `scrub.actions`."""
    site = tmp_path / "site"
    info = site / "hut_actions-1.0.dist-info"
    info.mkdir(parents=True)
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: hut-actions\nVersion: 1.0\n")
    (info / "entry_points.txt").write_text("[scrub.actions]\nhuts = hut_actions\n")
    module = site / "hut_actions.py"
    module.write_text(
        "import scrub\n\n\n@scrub.action('sheet')\ndef open_hut(sheet: scrub.Sheet) -> None:\n"
        '    """Shows the sheet."""\n    sheet.hidden = False\n'
    )
    text = macro("each sheet\nopen-hut\nend", title="Open all")
    Path("open.scrub").write_text(text)
    command = [sys.executable, "-m", "scrub", "run", "open.scrub", str(book), "--preview"]
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join([str(site), str(ROOT / "src")])}
    done = subprocess.run(command, env=environment, text=True, capture_output=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "4 changes" in done.stdout
    module.write_text("raise ValueError('broken')\n")
    done = subprocess.run(command, env=environment, text=True, capture_output=True, check=False)
    assert done.returncode == 2
    assert "he actions of hut_actions cannot be loaded: ValueError: broken" in done.stderr


# -- the documentation


PYTHON_DOC = (ROOT / "docs" / "python.md").read_text(encoding="utf-8")
BLOCKS = re.findall(r"```python\n(.*?)```", PYTHON_DOC, re.DOTALL)


@pytest.mark.parametrize("number", range(len(BLOCKS)))
def test_each_example_of_the_documentation_runs(number: int, book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for path in SAMPLE.parent.iterdir():
        if path.is_file() and path.suffix != ".py":
            shutil.copyfile(path, path.name)
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "stove")
    text = BLOCKS[number]
    ast.parse(text)
    Path("example.py").write_text(text)
    done = subprocess.run(
        [sys.executable, "example.py", "season-book.xlsx"], text=True, capture_output=True, check=False,
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr


def test_the_calls_of_the_documentation_are_there() -> None:
    for name in re.findall(r"`scrub\.(\w+)", PYTHON_DOC):
        assert name in dir(scrub) or name in ("words", "actions", "api"), name


def test_cli_prints_a_macro_as_python(cli: Callable[..., Output]) -> None:
    done = cli("show", "Show every hidden sheet", "--as-python")
    assert done.code == 0
    assert "def show_every_hidden_sheet(workbook: scrub.Workbook) -> None:" in done.out
    ast.parse(done.out)
