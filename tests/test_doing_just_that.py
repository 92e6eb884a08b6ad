"""What is done is what was asked for: the call repeated, the log kept, results where they were wanted, names that follow."""

from __future__ import annotations

import os
import shlex
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pytest
import xlsxwriter
from conftest import SAMPLE, Output, macro, problems
from sheets import load, states

import scrub

Cli = Callable[..., Output]


def write(name: str, body: str, runs_on: str = "workbook", title: str = "Test") -> str:
    Path(name).write_text(macro(body, runs_on, title))
    return name


# -- the call


def test_what_is_said_after_a_preview_can_be_typed(cli: Cli, book: Path) -> None:
    """Followed to the letter, it does what was shown: on the picked place, into the folder, with the answers."""
    os.rename(book, "season book.xlsx")
    write("paint.scrub", 'colour = ask("Colour", default: "red")\nin selection\nselection.fill = colour\nend')
    shown = cli(
        "run",
        "paint.scrub",
        "season book.xlsx",
        "--preview",
        "--at",
        "Larch!A1:B1",
        "--with",
        "colour=light blue",
        "--into",
        "done here",
    )
    (line,) = [
        line for line in shown.out.splitlines() if line.startswith("Preview only; nothing was saved. To apply: ")
    ]
    words = shlex.split(line.partition(": ")[2])
    assert words[0] == "scrub"
    assert cli(*words[1:]).code == 0
    assert Path("season book.xlsx").read_bytes() == SAMPLE.read_bytes()
    made = load("done here/season book.xlsx")
    assert made["Larch Hut"]["A1"].fill.fgColor.rgb == "FFADD8E6"
    assert made["Kite Hut"]["A1"].fill.fgColor.rgb == load(SAMPLE)["Kite Hut"]["A1"].fill.fgColor.rgb


@pytest.mark.parametrize("words", ["bread and water", "it's $HOME", "a & `b` \\ !c", "~ #x {y}"])
def test_a_place_in_quotes_is_typed_as_it_was(cli: Cli, home: Path, words: str) -> None:
    Path("notice.txt").write_text(f"See {words}, more\n")
    write("mark.scrub", "in selection\nupper\nend", "document")
    shown = cli("run", "mark.scrub", "notice.txt", "--preview", "--at", f'"{words}"')
    (line,) = [
        line for line in shown.out.splitlines() if line.startswith("Preview only; nothing was saved. To apply: ")
    ]
    typed = subprocess.run(
        ["sh", "-c", f"printf '%s\\n' {line.partition(': ')[2]}"], capture_output=True, text=True, check=True
    )
    assert cli(*typed.stdout.splitlines()[1:]).code == 0
    assert Path("notice.txt").read_text() == f"See {words.upper()}, more\n"


def test_results_go_where_the_person_stands(cli: Cli, book: Path) -> None:
    Path("deep/er").mkdir(parents=True)
    os.rename(book, "deep/er/book.xlsx")
    assert cli("run", "show every", "deep/er/book.xlsx", "--into", "out").code == 0
    assert Path("out/book.xlsx").exists()
    assert "made out/book.xlsx" in cli("changes").out
    write("into.scrub", "into  results\neach sheet\nsheet.hidden = no\nend")
    Path("into.scrub").write_text("macro Into\nfor workbook\ninto results\neach sheet\nsheet.hidden = no\nend\n")
    assert cli("approve", "into.scrub", "--yes").code == 0
    assert cli("run", "into.scrub", "deep/er/book.xlsx").code == 0
    assert Path("deep/er/results/book.xlsx").exists()
    cli("undo")
    assert not Path("deep/er/results").exists()  # a folder that the run made goes when it is empty


# -- the log


def test_an_audit_leaves_its_record(cli: Cli, book: Path) -> None:
    write("audit.scrub", 'each sheet where sheet.hidden\nlog "hidden: {sheet.name}"\nend\nsay "Looked."')
    shown = cli("run", "audit.scrub", book)
    assert "4 lines in the log: scrub changes 1" in shown.out
    record = cli("changes").out
    assert "log: hidden: Kite Hut" in record
    assert "said: Looked." in record
    write("fails.scrub", 'log "came here"\nfail "No."')
    assert cli("run", "fails.scrub", book).code == 1
    assert "log: came here" in cli("changes").out
    assert "Failed: No." in cli("changes").out


def test_each_line_stands_under_its_file(cli: Cli, book: Path) -> None:
    for name in ("a.xlsx", "b.xlsx"):
        Path(name).write_bytes(SAMPLE.read_bytes())
    Path("c.xlsx").write_text("no")
    write("say.scrub", 'say "This is {workbook.name}."\nif workbook.name is "b.xlsx"\nfail "Not this one."\nend')
    done = cli("run", "say.scrub", "a.xlsx", "b.xlsx", "c.xlsx")
    assert done.out.splitlines() == ["a.xlsx", "  This is a.xlsx.", "Read a.xlsx; nothing to change."]
    assert done.err.splitlines() == [
        "Failed: 2 of 3 files", "  b.xlsx  Not this one.  (Test, line 5)",
        "  c.xlsx  not an office file, despite its name (or damaged)", "Retry: scrub run --continue 1",
    ]  # fmt: skip


# -- undo and redo


def test_redo_takes_back_the_last_undo_and_nothing_else(cli: Cli, book: Path) -> None:
    Path("other").mkdir()
    Path("other/old.xlsx").write_bytes(SAMPLE.read_bytes())
    cli("run", "show every", "other/old.xlsx")
    cli("undo")
    cli("run", "show every", book)
    refused = cli("undo", "--redo")
    assert refused.code == 2
    assert (
        'Run 2 is newer than the last undo, so name the run. Last undone: run 1, "Show every hidden sheet": scrub undo 1 --redo'
        in refused.err
    )
    assert Path("other/old.xlsx").read_bytes() == SAMPLE.read_bytes()
    cli("undo")
    assert cli("undo", "--redo").code == 0
    assert set(states(book).values()) == {"visible"}
    assert cli("undo", "1", "--redo").code == 0


def test_what_is_held_is_bounded_and_a_run_can_be_kept(cli: Cli, home: Path) -> None:
    for number in range(1, 6):
        made = xlsxwriter.Workbook(f"big{number}.xlsx")
        made.add_worksheet("S").write_column("A1", [os.urandom(400).hex() for _ in range(500)])
        made.close()
        write("mark.scrub", 'in cell("S!B1")\ncell.value = 1\nend')
        assert cli("run", "mark.scrub", f"big{number}.xlsx").code == 0
    store = scrub.home().store
    assert len(store.held()) == 5
    assert "for 5 runs. Keep one for good" in cli("history").out
    assert cli("history", "--keep", "1").code == 0
    assert "kept" in cli("history").out
    scrub.home().settings.set("keep-undo-mb", "1")
    assert cli("run", "mark.scrub", "big5.xlsx").code == 0
    store.forget(90, 1_000_000)
    held = sorted(store.held())
    assert 1 in held
    assert 5 in held
    assert 2 not in held
    assert "expired" in cli("undo", "2").err
    assert cli("undo", "1").code == 0
    cli("history", "--release", "1")
    assert not any(each.pinned for each in store.held().values())


def test_a_wrong_clock_makes_no_run_old(cli: Cli, home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A day in 2036, and back: what was done before stays. Runs on many later days make a run old."""
    store, now, day = scrub.home().store, time.time(), 86_400
    days = [now, now + 3_650 * day, now + day, now + 3_650 * day + 60]

    def runs(moments: list[float]) -> None:
        for moment in moments:
            made = xlsxwriter.Workbook("one.xlsx")
            made.add_worksheet("S")
            made.close()
            write("mark.scrub", 'in cell("S!B1")\ncell.value = 1\nend')
            assert cli("run", "mark.scrub", "one.xlsx").code == 0
            number = max(store.held())
            for path in (home / "runs" / str(number)).iterdir():
                os.utime(path, (moment, moment))
            with monkeypatch.context() as patched:
                patched.setattr(time, "time", lambda now=moment: now)
                store.forget(90, 10**9)

    runs(days)
    assert sorted(store.held()) == [1, 2, 3, 4]
    runs([now + (100 + number) * day for number in range(6)])
    assert 1 not in store.held()
    assert len(store.held()) == 8


# -- kinds of files


def test_a_macro_meets_a_file_of_another_kind(cli: Cli, book: Path) -> None:
    write("none.scrub", 'say "hello"', "nothing")
    assert 'no file. Type only: scrub run "Test"' in cli("run", "none.scrub", book).err
    write("folder.scrub", "each file\nlog file.name\nend", "folder")
    found = cli("run", "folder.scrub", book)
    assert found.code == 1
    assert 'this is a workbook, and "Test" runs on a folder' in found.err
    Path("f").mkdir()
    assert "this is a folder" in cli("run", "seal", "f", "--no-questions").err


def test_a_macro_for_two_kinds_sees_what_they_share(cli: Cli, book: Path) -> None:
    Path("f").mkdir()
    write("both.scrub", 'say "It is {file.name}."', "workbook, folder")
    found = cli("run", "both.scrub", book, "f")
    assert found.code == 0, found.err
    assert "  It is season-book.xlsx." in found.out
    assert "  It is f." in found.out
    assert problems(macro('say "{workbook.name}"', "workbook, folder"))
    assert problems(macro("each sheet\nend", "workbook, folder")) == [
        "3:6 no sheet inside a file. It contains: each file, each workbook and each document"
    ]
    assert "must be alone" in problems(macro('say "a"', "nothing, workbook"))[0]


@pytest.mark.parametrize(
    "what", ['column("Zebra")', 'table("Zebra")', 'sheet("Zebra")', 'record(item: "zebra")', "record(zebra: 1)"]
)
def test_what_is_missing_is_answered(book: Path, what: str) -> None:
    body = f'in sheet("Kite Hut")\nif {what} exists\nsay "there"\nelse\nsay "missing"\nend\nend'
    if "sheet" in what:
        body = body.removeprefix('in sheet("Kite Hut")\n').removesuffix("\nend")
    if "item" in what:
        body = body.replace('in sheet("Kite Hut")', 'in sheet("Kite Hut").records(headings: 3)').replace(
            "item:", "guest:"
        )
    found = scrub.run(macro(body), [str(book)]).files[0]
    assert found.problem is None, str(found.problem)
    assert found.said == ["missing"]


# -- paths of one's own


def test_own_files_and_named_paths_can_be_opened(cli: Cli, book: Path) -> None:
    rates = xlsxwriter.Workbook("rates.xlsx")
    rates.add_worksheet("Rates").write_column("A1", ["Hut", "Larch"])
    rates.close()
    Path("deep").mkdir()
    Path("deep/rates.xlsx").write_bytes(Path("rates.xlsx").read_bytes())
    write("own.scrub", 'r = open(own-file("rates.xlsx"))\nsay "{r.sheet("Rates").range}"', title="Own")
    assert cli("add", "own.scrub", "--file", "rates.xlsx").code == 0
    write(
        "named.scrub",
        'place = "deep"\npath = "{place}/rates.xlsx"\nr = open(path)\nsay "{r.sheet("Rates").range}"',
        title="Named",
    )
    write("asked.scrub", 'path = ask("Rates", as: file)\nr = open(path)\nsay "{r.sheet("Rates").range}"', title="Asked")
    write(
        "data.scrub",
        'path = sheet("Kite Hut").cell("A1").value\nr = open(path)\nsay "{r.sheet("Rates").range}"',
        title="Data",
    )
    for name, answers in (
        ("own", ()),
        ("named.scrub", ()),
        ("asked.scrub", ("--with", f"path={Path('deep/rates.xlsx').absolute()}")),
    ):
        assert cli("approve", name, "--yes").code == 0
        found = cli("run", name, book, *answers)
        assert found.code == 0, found.err
        assert "A1:A2" in found.out
    assert "no file" in cli("run", "asked.scrub", book, "--with", "path=nowhere.xlsx").err
    inner = write("inner.scrub", 'path = ask("Rates")\nr = open(path)\nsay "{r.sheet("Rates").range}"', title="Inner")
    outer = write(
        "outer.scrub", 'p = "{sheet("Kite Hut").cell("A9").value}/../../x"\nrun "Inner", path: p', title="Outer"
    )
    assert cli("add", inner).code == 0
    assert cli("approve", outer, "--yes").code == 0
    assert "comes from data" in cli("run", outer, book).err


@pytest.mark.parametrize(
    ("type_", "answer", "advice"),
    [("address", "ann", "is not an address"), ("address", "a@b.example, c@d.example", "is not an address"), ("address", "a\nb@c.example", "is not an address"),
     ("colour", "blurple", "is not a colour"), ("folder", "nowhere", "no folder"), ("yes-no", "perhaps", "write yes or no"), ("date", "soon", "is not a date")],
)  # fmt: skip
def test_an_answer_is_what_it_should_be(home: Path, type_: str, answer: str, advice: str) -> None:
    with pytest.raises(scrub.BadCall, match=advice):
        scrub.run(macro(f'x = ask("X", as: {type_})\nsay "{{x}}"', "nothing"), answers={"x": answer})


# -- approval, and the library


def test_the_hint_for_approval_names_the_file(cli: Cli, book: Path) -> None:
    write("far away.scrub", 'save-copy to: "sent"\nx = open("prices.xlsx")')
    refused = cli("run", "far away.scrub", book)
    assert refused.code == 3
    assert '"Test" needs your approval: it reads other files and saves copies of files' in refused.err
    hint = refused.err.partition("Approve it: ")[2].strip()
    assert cli(*shlex.split(hint)[1:], "--yes").code == 0
    shown = cli("show", "far away.scrub").out
    assert "It reads other files.\n" in shown
    assert "It saves copies of files. You can undo it." in shown
    assert "moves" not in shown


def test_an_edited_title_keeps_its_history(cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    write("a.scrub", 'say "one"', "nothing", "First title")
    cli("add", "a.scrub")
    monkeypatch.setenv("EDITOR", "sed -i s/First/Second/")
    assert cli("edit", "first").code == 0
    assert "edited" in cli("show", "second title", "--history").out
    assert cli("rename", "second", "Third title").code == 0
    assert cli("show", "third title", "--history").out.count(" lines") == 2


def test_a_new_title_reaches_the_macros_that_run_it(cli: Cli) -> None:
    write("inner.scrub", 'say "hello"', "nothing", "Inner part")
    write("outer.scrub", 'if yes\nrun "Inner part"\nend\n  run   "inner PART"', "nothing", "Outer part")
    for name in ("inner.scrub", "outer.scrub"):
        assert cli("add", name).code == 0
    shown = cli("rename", "inner", "Better name")
    assert "Macros that run it now use the new title: Outer part." in shown.out
    assert cli("run", "outer").out.count("hello") == 2
    assert cli("check", "outer").code == 0


def test_what_fits_a_file_is_what_it_takes(cli: Cli) -> None:
    Path("list.csv").write_text("a,b\n1,2\n")
    fitting = cli("macros", "--for", "list.csv").out
    assert "Clean a list of bookings" in fitting
    assert "Seal every sheet" not in fitting
    assert "Seal every sheet" in cli("macros", "--for", str(SAMPLE)).out


MAILED = """Hi Ann,

here is the macro I told you about.

```
macro Mark the late ones
for   workbook

each sheet where sheet.name ends with \u2018Hut\u2019
    protect select:
    open-cells
end
```

Best, Ben
--
Kestrel Ridge Huts
"""


def test_a_macro_is_found_among_other_text() -> None:
    (found,) = scrub.pasted(MAILED)
    assert scrub.check_text(found) == [], found
    assert found.startswith("macro Mark the late ones")
    assert "Ben" not in found
    bare = scrub.mended(
        "Dear Ann,\n\nmacro A\nfor workbook\neach sheet\nsheet.hidden = no\nend\n\nKind regards\nBen Birch, Kestrel Ridge\n"
    )
    assert scrub.check_text(bare) == []
    printable = 'macro A\nfor workbook\neach sheet where sheet.name ends with "Hu=\nt"\nsheet.hidden =3D no\nend\n'
    assert scrub.check_text(scrub.mended(printable)) == []
    quoted = "On Monday Ann wrote:\n> macro A\n> for workbook\n> each sheet\n> sheet.hidden = no\n> end\n\nThanks!\n"
    assert scrub.check_text(scrub.mended(quoted)) == []


def test_two_macros_in_one_text_are_two(cli: Cli) -> None:
    Path("two.txt").write_text(
        'Two for you:\n\nmacro One\nfor nothing\nsay "1"\n\nmacro Two\nabout more\nfor nothing\nsay "2"\n\nbye\n'
    )
    assert cli("add", "two.txt").code == 0
    assert cli("run", "one").out == "1\n"
    assert cli("run", "two").out == "2\n"


def test_a_bad_paste_overwrites_no_draft(cli: Cli, home: Path) -> None:
    Path("a.txt").write_text("macro Same\nfor workbook\neach shet\nend\n")
    Path("b.txt").write_text("macro Same\nfor workbook\neach sheeet\nend\n")
    assert cli("add", "a.txt").code == 2
    assert cli("add", "b.txt").code == 2
    texts = {path.read_text() for path in (home / "library" / "drafts").iterdir()}
    assert len(texts) == 2


# -- what is printed


def test_many_changes_are_told_by_column(cli: Cli) -> None:
    made = xlsxwriter.Workbook("many.xlsx")
    sheet = made.add_worksheet("S")
    sheet.write_row("A1", ["Item", "Price", "Note"])
    for row in range(1, 40):
        sheet.write_row(row, 0, [f"item {row}", str(row), "" if row % 2 else "x"])
    made.close()
    write(
        "do.scrub",
        'in sheet("S").records\nin column("Item")\nupper\nend\nin column("Price")\nread-numbers\nend\neach record where record.note is empty\nrecord.note = "n"\nend\nend',
    )
    shown = cli("run", "do.scrub", "many.xlsx").out
    assert "Item: 39 cells in upper case" in shown
    assert "Price: 39 cells converted to numbers" in shown
    assert "Note: 20 empty cells filled" in shown
    assert "Item: 39 cells in upper case" in cli("changes").out
    whole = cli("changes", "--all").out
    assert 'A2: "item 1" -> "ITEM 1"' in whole
    places = [line.split(":")[0].strip() for line in whole.splitlines() if " -> " in line]
    assert places[0].endswith("A2")
    assert places[1:4] == ["B2", "C2", "A3"]


def test_the_page_of_a_run_needs_nothing_else(cli: Cli, book: Path) -> None:
    write(
        "page.scrub", 'in sheet("Kite Hut")\ncell("A4").value = "<b>new & old</b>"\nsheet.hidden = no\nend\nlog "a < b"'
    )
    cli("run", "page.scrub", book)
    assert cli("changes", "--to", "run.html").code == 0
    from html.parser import HTMLParser

    class Reader(HTMLParser):
        def __init__(self) -> None:
            super().__init__()
            self.tags: list[str] = []
            self.text: list[str] = []

        def handle_starttag(self, tag: str, attrs: object) -> None:
            self.tags.append(tag)

        def handle_data(self, data: str) -> None:
            self.text.append(data)

    page = Path("run.html").read_text()
    reader = Reader()
    reader.feed(page)
    text = " ".join(" ".join(reader.text).split())
    assert "<b>new & old</b>" in text
    assert "a < b" in text
    assert "Kite Hut" in text
    assert not {"script", "img", "link", "iframe", "b"} & set(reader.tags)
    assert "http" not in page.replace("http-equiv", "")
    assert "a file of that name" in cli("changes", "--to", "run.html").err


def test_lists_keep_to_the_width_and_to_wide_characters(cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    from rich.cells import cell_len

    made = xlsxwriter.Workbook("wide.xlsx")
    for name in ("小屋一覧表", "Kite 🏔", "plain"):
        made.add_worksheet(name).write_column("A1", ["x", "y " * 60])
    made.close()
    write("wide.scrub", "each sheet\nupper\nend")
    for columns in ("60", "100", "140"):
        monkeypatch.setenv("COLUMNS", columns)
        lines = cli("run", "wide.scrub", "wide.xlsx", "--preview").out.splitlines()
        rows = [line for line in lines if "A1" in line]
        assert all(cell_len(line) <= int(columns) for line in rows)
        assert len({cell_len(line[: line.index("A1")]) for line in rows}) == 1


def test_help_is_found_by_everyday_ways(cli: Cli) -> None:
    assert cli("help").out == cli("--help").out
    assert cli("help", "run").out.replace("help", "") == cli("run", "--help").out.replace("help", "")
    assert "Help: scrub run --help" in cli("run", "--wrong").err
    assert "The macro is missing" in cli("run").err
    told = "28 is not a macro. To do what is left of run 28: scrub run --continue 28"
    assert cli("run", "28").err.startswith(told)


def test_titles_are_completed(home: Path) -> None:
    from scrub.cli.completing import macro_titles

    scrub.home().pins.pin("Seal every sheet", "seal-it", [])
    assert [each.value for each in macro_titles(None, None, "sea")] == ["seal-it", "Seal every sheet"]  # type: ignore[arg-type]


def test_the_prompt_completes_what_is_in_the_file(book: Path) -> None:
    trial = scrub.trial(str(book), scrub.QuietHost())
    assert trial.completions('in sheet("K') == ["Kite Hut"]
    assert trial.completions('table("') == ["Totals"]
    assert trial.completions("sheet.orientation = l") == ["landscape"]
    assert trial.completions("sheet.hidden = ") == ["yes", "no"]
    assert "guest-nights" in trial.completions("log record.gu")
    assert len(trial.offers()) > 10


def test_tracebacks_are_for_developers_only(cli: Cli, book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("odd")

    monkeypatch.setattr(scrub.Home, "run_program", broken)
    shown = cli("run", "show every", book)
    assert shown.code == 1
    assert shown.err.startswith("This is a bug in Scrub (RuntimeError in test_doing_just_that.py, line ")


def test_slips_of_other_languages_have_their_own_advice() -> None:
    for body, advice in (
        ("hide", "Write: sheet.hidden = yes"), ("sheet.visible = yes", "Write: sheet.hidden = no"), ("sheet.visible = no", "Write: sheet.hidden = yes"),
        ("sheet.hide", "Write: sheet.hidden = yes"), ("sheet.copy", "an action works on the current item. Write only: copy"), ("row(3).copy", "Copying is not possible in a row yet"), ("row(3).delete", "Write: in row(3), below it delete, and end"), ("sheet.rename", "Write: sheet.name ="), ("delete columns", 'write: in column("C"), below it delete, and end'),
        ("set x = 5", "write only: x = 5"), ('cell("A1") = "x"', "write: cell(…).value = …"), ("hidden = yes", "To set the field, write: sheet.hidden = yes".replace("yes", "…")),
        ("x = 1/2/2026", "write a date as year-month-day"), ('x = today.as-text("dd/mm/yyyy")', 'write: "two-digit-day/two-digit-month/year"'),
        ("x = true", 'write "yes" in place of "true"'), ('if sheet.name begins with "a"\nend', "write: starts with"), ("x = 1\nx += 1", "write: x = x + …"),
        ('print "a"', 'write: say "…"'), ("for each sheet\nend", "write only: each sheet"), ("for i = 1 to 10\nlog \"{i}\"\nend", "to count, write: 10 times as i"),
        ("repeat 3 times\nend", "to repeat, write: 3 times"), ('x = "a" & "b"', "join text with braces"), ('if sheet("Totals").exists\nend', "Write it without the dot: … exists"),
        ("x = A1.value", 'Write a cell like this: cell("A1")'), ('x = range("A1:B2")', 'write a range like this: cells("A1:B2")'), ('if today > "2026-01-01"\nend', "Write it without quotes: 2026-01-01"),
        ("if sheet.hidden then\nend", '"then" is not needed'), ("if sheet.hidden\nelseif sheet.protected\nend", "write two words: else if"), ("if sheet.hidden\nendif\nend", "a block ends with: end"),
        ("next", "a block ends with: end. To continue with the next item, write: skip"), ("if sheet.number != 3\nend", "to compare, write: is not"), ("if sheet.number == 3\nend", "to compare, write: is"),
        ("sort by: \"a\"", 'a sheet has no action "sort"; a table has'), ("delete row 3", "write: in row(3), below it delete"), ("sort rows", "below it sort by"), ("x = cell(\"A1\").border", "Write: cell.borders = thin"), ("x = cell(\"A1\").validation", 'a cell has no field "validation". Write: restrict to:'),
        ('in sheet("Totals")\nsheet.rows-in-sight = 1\nend', 'Did you mean "frozen-rows"?'), ("x = 1\ny = x.size", 'Did you mean "absolute"?'), ('y = "a".without-marks', 'Did you mean "without-accents"?'),
        ('x = "{page-number}"', "works only in headers and footers"), ('x = cell("A1").text', 'Did you mean "shown"?'),
        ("bookmark = 1", "is a kind of item and cannot be a name"),
    ):  # fmt: skip
        found = problems(macro(f"each sheet\n{body}\nend"))
        assert any(advice in each for each in found), (body, found)


def test_a_pattern_that_never_ends_is_ended(book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("scrub.model.core.patterns.PATTERN_TIME", 0.01)
    found = scrub.run(macro(f'if "{"a" * 60}c" matches "(a|aa|aaa)+b"\nlog "x"\nend'), [str(book)]).files[0]
    assert "the pattern takes too long" in str(found.problem)
    found = scrub.run(macro('if "aab" matches "(a|aa|aaa)+b"\nlog "x"\nend'), [str(book)]).files[0]
    assert found.log == ["x"]
