"""A macro as Python: readable, clean, and with the same result."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from chance_macros import chance_macro, lay_out_book
from conftest import FOR_EVER, SAMPLE, macro, portion, some
from saving import KINDS, SAMPLES, Knowing
from test_many_files import Answering
from translated import DEMO, EXAMPLES, both, function_of, lay_out, samples
from vocabulary_calls import fitting, macro_of, reachable, statements

import scrub


def differs_by_nature(data: bytes) -> bool:
    """A new PDF has an identifier of its own (ISO 32000-1, 14.4), and a draft its date."""
    return data.startswith((b"%PDF", b"To: ", b"From: "))


@pytest.mark.parametrize("title", EXAMPLES)
def test_each_example_does_the_same_as_python(title: str, home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "stove")
    monkeypatch.setenv("SCRUB_SECRET_ROUTE_CARDS", "stove")
    text = (DEMO / "macros" / f"{title}.scrub").read_text()
    program = scrub.program(title)
    if program.reach >= scrub.Reach.SEND:
        return  # tested as a preview, below
    answers = {
        question.name: Answering().ask(question) or question.default
        for question in program.questions
        if not question.secret and question.default is None
    }
    files = samples(*program.macro.runs_on)
    assert files
    for name in [files] if program.macro.for_all else [[each] for each in files]:

        def lay(work: Path, name: list[str] = name) -> list[str]:
            lay_out(work)
            return name

        one, other = both(text, lay, answers, home, monkeypatch, host=Answering())
        if one.failed:
            continue
        assert other.problems == one.problems
        assert other.changes == one.changes
        assert (other.said, other.logged) == (one.said, one.logged)
        kept = {path: data for path, data in one.contents.items() if not differs_by_nature(data)}
        assert {path: data for path, data in other.contents.items() if path in kept} == kept
        assert other.contents.keys() == one.contents.keys()


def test_an_example_that_sends_is_the_same_as_a_preview(home: Path) -> None:
    lay_out(Path())
    text = (DEMO / "macros" / "Pass it on and send.scrub").read_text()
    answers = {"who": "ann@huts.example"}
    scrub.home().settings.set("address", "warden@huts.example")
    one = scrub.run(text, ["water.eml"], answers=answers, preview=True).files[0]
    function, _ = function_of(scrub.as_python(text), Path("passing_on.py"))
    other = scrub.run(function, ["water.eml"], answers=answers, preview=True).files[0]
    assert one.problem is None
    assert other.problem is None
    assert [(each.recipients, each.subject) for each in other.sends] == [
        (each.recipients, each.subject) for each in one.sends
    ]


def test_every_script_is_clean_and_typed(home: Path, tmp_path: Path) -> None:
    """By the usual rules, and by a strict type checker."""
    folder = tmp_path / "scripts"
    folder.mkdir()
    for number, title in enumerate(EXAMPLES):
        text = scrub.as_python(str(DEMO / "macros" / f"{title}.scrub"))
        compile(text, title, "exec")
        (folder / f"example_{number}.py").write_text(text)
    for number, (text, *_) in enumerate(WHOLE):
        (folder / f"whole_{number}.py").write_text(scrub.as_python(text))
    for words in (
        ["ruff", "check", "--isolated", "--select", "E,F,B,I,UP,SIM,A,N,RUF", "--output-format", "concise"],
        ["mypy", "--strict", "--config-file="],
    ):
        done = subprocess.run(
            [sys.executable, "-m", *words, "."], cwd=folder, text=True, capture_output=True, check=False,
            env={**os.environ, "MYPYPATH": str(SAMPLE.parents[2])},
        )  # fmt: skip
        assert done.returncode == 0, done.stdout


@pytest.mark.parametrize("seed", range(portion(1200, 200)))
def test_macros_drawn_by_chance_do_the_same(seed: int, home: Path) -> None:
    """Where the macro runs, the script gives the same changes and lines; where it fails, the script fails."""
    text = chance_macro(seed)
    if scrub.check_text(text):
        return  # not every one is right
    lay_out_book(Path("book.xlsx"), seed)
    one = scrub.run(text, ["book.xlsx"], preview=True, budget=20_000).files[0]
    if "without finishing" in str(one.problem):
        return
    function, _ = function_of(scrub.as_python(text), Path(f"chance_{seed}.py"))
    other = scrub.run(function, ["book.xlsx"], preview=True).files[0]
    if one.problem is not None:
        assert other.problem is not None
        return
    assert other.problem is None, f"{other.problem}\n{text}"
    assert sorted(map(str, other.changes)) == sorted(map(str, one.changes)), text
    assert (other.said, other.log) == (one.said, one.log), text


#: Macros with what the examples do not have, the kind of file, and what the script must contain.
WHOLE: list[tuple[str, str, str]] = [
    (
        macro(
            'each sheet where sheet.name ends with "Hut"\n'
            "each record in sheet.records(headings: 3)\n"
            'each cell in record\nif cell.value is "no"\nskip sheet\nend\nif cell.value is "yes"\nskip record\nend\n'
            'log "{sheet.name} {cell.address}"\nend\nend\nlog "{sheet.name} has no unpaid stay"\nend'
        ),
        "season-book.xlsx", "next_sheet = True",
    ),
    (
        macro(
            "# Adds up\ntotal = 0\nnames = []\nfirst = \"none\"\n\neach sheet as hut where hut.name ends with \"Hut\"\n"
            "attempt\nnames = names.with(hut.name)  # kept\ntotal = total + 1\nfirst = hut.name\n"
            'if hut.name is "Kite Hut"\nfail "closed"\nend\nif it fails\nlog "{problem} {names.count} {total} {first}"\nend\nend\n'
            'say "{names.joined("; ")}: {total} {first}"'
        ),
        "season-book.xlsx", "first, names, total = before",
    ),
    (
        macro(
            "each page as one\nif one.number is 2\nskip\nend\nlog \"{one.number}: {one.text.length}\"\nend", "pdf, image"
        ).replace("each page as one", 'log file.name\nlast = "x"').replace(
            "if one.number is 2\nskip\nend\nlog \"{one.number}: {one.text.length}\"\nend", 'say "{last}"'
        ),
        "route-cards.pdf", "file: scrub.Pdf | scrub.Image",
    ),
    (
        macro(
            'if file.name ends with "csv"\nlog "a table"\nelse\nlog file.title\nend', "workbook, document"
        ).replace("file.title", "file.name"),
        "season-book.xlsx", "file: scrub.Workbook | scrub.Document",
    ),
    (
        macro(
            'each message where message.subject contains "booking" sorted by message.date descending as n\n'
            'log "{n}: {message.date.year} {message.subject.replaced("Fwd:", by: "").trimmed}"\nend\n'
            "old = count(message where message.date < today - 1 month)\nlog \"{old}\"", "mailbox"
        ),
        "bookings.mbox", "enumerate(",
    ),
    (
        macro(
            "n = 0\nwhile n < 3\nn = n + 1\n2 times as k\nif k is n\nleave loop\nend\nlog \"{n} {k}\"\nend\nend\n"
            "x = n / 2\ny = x * 3 + n - 1.5\nlog \"{x} {y} {(y).rounded(1)} {-x}\"\n"
            'd = 2026-01-31 + 1 month\nlog "{d} {(d - 2026-01-01)} {2026-07-01 - 3 days} {1.5 cm}"'
        ),
        "season-book.xlsx", "while n < 3:",
    ),
    (
        macro(
            'late = sheet("Late")\nif late is missing\nlate = new-sheet("Late")\nend\nlate.hidden = yes\n'
            'if sheet("None").record(guest: "x") exists\nsay "there"\nelse\nsay "missing"\nend\n'
            'if sheet("Totals").cell("A1").value is "x" or sheet("Totals").hidden\nfinish\nend\nsay "{late.name}"'
        ),
        "season-book.xlsx", "(found := workbook.find_sheet(\"None\")) is not None",
    ),
]  # fmt: skip


@pytest.mark.parametrize("number", range(len(WHOLE)))
def test_each_form_of_the_language_does_the_same(number: int, home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    text, name, contained = WHOLE[number]
    assert scrub.check_text(text) == []
    assert contained in scrub.as_python(text)

    def lay(work: Path) -> list[str]:
        lay_out(work)
        return [name]

    one, other = both(text, lay, {}, home, monkeypatch)
    assert not one.failed, one.problems
    assert other == one


def test_macros_that_run_others_become_functions_that_call_others(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    inner = macro(
        'least = ask("Least", as: number, default: 2)\ncode = ask("Code")\nn = 0\n'
        "each record in sheet.records(headings: 3) where record.nights >= least\nn = n + 1\nend\n"
        'if n is 0\nfinish\nend\ngive "{n} {code}"',
        "sheet", "Count long stays",
    )  # fmt: skip
    outer = macro(
        'each sheet where sheet.name ends with "Hut"\nfound = run("Count long stays", least: 4)\n'
        'log "{sheet.name}: {found}"\nend\nrun "Show every hidden sheet"'
    )
    scrub.home().library.add(inner, "inner")
    library = home / "library"
    kept = {path: path.read_bytes() for path in library.rglob("*") if path.is_file()}

    def lay(work: Path) -> list[str]:
        lay_out(work)
        for path, data in kept.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        return ["season-book.xlsx"]

    script = scrub.as_python(outer)
    assert "def count_long_stays(" in script
    assert "found: Any = count_long_stays(sheet, least=4, code=code)" in script
    one, other = both(outer, lay, {"code": "x"}, home, monkeypatch)
    assert not one.failed, one.problems
    assert (other.changes, other.said, other.logged) == (one.changes, one.said, one.logged)


def test_a_file_that_belongs_to_a_macro_is_next_to_the_script(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lay_out(Path())
    text = macro('each page\nstamp-picture own-file("seal.png")\nend', "pdf", "Stamp")
    scrub.home().library.add(text, "stamp", files={"seal.png": Path("seal.png").read_bytes()})
    script = scrub.as_python("Stamp")
    assert 'page.stamp_picture(scrub.own_file("seal.png"))' in script
    function, _ = function_of(script, Path("stamp_script.py"))
    file = scrub.run(function, ["route-cards.pdf"], preview=True).files[0]
    assert file.problem is None
    assert len(file.changes) == len(scrub.run("Stamp", ["route-cards.pdf"], preview=True).files[0].changes) > 0
    Path("seal.png").unlink()
    assert 'no file "seal.png" next to the script' in str(
        scrub.run(function, ["route-cards.pdf"], preview=True).files[0].problem
    )


def test_files_that_cannot_be_opened_are_left_out_as_a_macro_leaves_them_out(home: Path) -> None:
    Path("books").mkdir()
    shutil.copyfile(SAMPLE, "books/a.xlsx")
    Path("books/b.xlsx").write_text("broken")
    shutil.copyfile(SAMPLE, "books/c.xlsx")
    body = 'each workbook\nattempt\nlog "{workbook.name}"\nif it fails\nlog "failed"\nend\nend'
    text = macro(body, "folder")
    function, _ = function_of(scrub.as_python(text), Path("leaving_out.py"))

    class Watching(scrub.QuietHost):
        watching = True

        def progress(self, done: float, of: int, label: str) -> None:
            seen.append(done)

    seen: list[float] = []
    for host in (None, Watching()):
        one, other = (scrub.run(what, ["books"], preview=True, host=host).files[0] for what in (text, function))
        assert one.problem is None
        assert other.problem is None
        assert other.log == one.log
    assert seen
    assert len(one.log) == 3


def test_a_path_of_data_does_not_lead_out(home: Path) -> None:
    import openpyxl

    book = openpyxl.Workbook()
    book.worksheets[0].append(["Guest"])
    book.worksheets[0].append(["../../evil"])
    book.save("guests.xlsx")
    text = macro('each record\nx = new-file("lists/{record.guest}.csv")\nend')
    script = scrub.as_python(text)
    assert 'path("lists", f\'{shown(record["guest"])}.csv\')' in script
    function, _ = function_of(script, Path("leading_out.py"))
    for what in (text, function):
        assert "another folder" in str(scrub.run(what, ["guests.xlsx"], preview=True).files[0].problem)


def test_comments_names_and_blank_lines_stay(home: Path) -> None:
    text = 'macro Late ones\nabout Who is late.\nfor   workbook\n\n# first of all\nlong-stays = 0\n\neach sheet  # every one\n    # nothing hidden\n    if not sheet.hidden\n        long-stays = long-stays + 1\n    end\n    # at the end\nend\nlog "{long-stays}"\n# bye\n'
    script = scrub.as_python(text)
    body = script[script.index("def ") : script.index("if __name__")].strip()
    assert body == (
        'def late_ones(workbook: scrub.Workbook) -> None:\n    """Late ones.\n\n    Who is late.\n    """\n'
        "    # first of all\n    long_stays = 0\n\n    for sheet in workbook.sheets():  # every one\n        # nothing hidden\n"
        "        if not sheet.hidden:\n            long_stays += 1\n        # at the end\n"
        '    scrub.log(f"{long_stays}")\n    # bye'
    )


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("name", some(SAMPLES))
def test_every_call_of_the_vocabulary_does_the_same(name: str, home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Each field and action of each kind, with arguments good and bad: each line is an attempt of its own, so that what
    fails in one form must fail in the other.
    """
    monkeypatch.setenv("SCRUB_SECRET_DRAWN", "stove")
    shutil.copyfile(DEMO / name, name)
    shutil.copyfile(DEMO / "seal.png", "seal.png")
    file = KINDS[Path(name).suffix]
    groups = []
    for kind in reachable(file):
        lines = fitting(file, kind, list(statements(kind)))
        groups += [(kind, lines[first : first + 12]) for first in range(0, len(lines), 12)]
    for number, (kind, lines) in enumerate(some(groups, 8)):
        text = macro_of(file, kind, lines)
        function, _ = function_of(scrub.as_python(text), Path(f"every_call_{number}.py"))
        one, other = (scrub.run(what, [name], preview=True, host=Knowing()).files[0] for what in (text, function))
        if one.problem is None:
            assert other.problem is None, text
            assert sorted(map(str, other.changes)) == sorted(map(str, one.changes)), text
            assert other.said == one.said
