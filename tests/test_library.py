"""The personal library: writing, editing, keys, approval, sharing; nothing is ever lost."""

from __future__ import annotations

import json
import os
import stat
import sys
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import keyring
import keyring.backend
import pytest
from conftest import SAMPLE, Output, macro
from sheets import members, schema_findings, states

import scrub

Cli = Callable[..., Output]
SHOW = macro("each sheet\nsheet.hidden = no\nend", title="Show them")


def editor(monkeypatch: pytest.MonkeyPatch, text: str) -> None:
    """An editor that writes this text."""
    script = Path("editor.sh")
    Path("typed.txt").write_text(text)
    script.write_text(f'#!/bin/sh\ncat "{Path("typed.txt").absolute()}" > "$1"\n')
    script.chmod(script.stat().st_mode | stat.S_IEXEC)
    monkeypatch.delenv("VISUAL", raising=False)
    monkeypatch.setenv("EDITOR", str(script.absolute()))


def test_writing_editing_and_bringing_back(cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    editor(monkeypatch, SHOW)
    assert 'Added "Show them"' in cli("new", "Show them").out
    editor(monkeypatch, SHOW.replace("= no", "= nope"))
    wrong = cli("edit", "show them")
    assert wrong.code == 2
    assert "The macro is unchanged" in wrong.err
    assert scrub.home().library.find("show them").text == SHOW
    editor(monkeypatch, SHOW.replace("= no", "= yes"))
    assert cli("edit", "show them").code == 0
    assert "  1  20" in cli("show", "show them", "--history").out
    assert json.loads(cli("show", "show them", "--history", "--json").out)[0]["text"] == SHOW
    assert cli("edit", "show them", "--back", "1").code == 0
    assert scrub.home().library.find("show them").text == SHOW
    assert "has 2 earlier versions" in cli("edit", "show them", "--back", "9").err
    cli("rename", "show them", "To restore")
    assert cli("show", "to restore").out.startswith("To restore")
    cli("remove", "to restore")
    assert 'No macro "to restore"' in cli("show", "to restore").err
    assert cli("edit", "To restore", "--back", "1").code == 0
    assert cli("show", "to restore").code == 0
    monkeypatch.setenv("EDITOR", "/no/such/editor")
    assert "The editor /no/such/editor failed" in cli("edit", "to restore").err
    assert "is a shipped example. Start your own from it" in cli("edit", "seal").err
    editor(monkeypatch, SHOW.replace("Show them", "Mine"))
    assert 'Added "Mine"' in cli("new", "Mine", "--from", "seal").out


def test_keys(cli: Cli, book: Path, home: Path) -> None:
    assert cli("pin", "show every", "u").code == 0
    assert cli("pin", "seal", "s", "--label", "Close it", "--place", "1").code == 0
    assert cli("pins").out.split() == [
        "s",
        "Close",
        "it",
        "Seal",
        "every",
        "sheet",
        "u",
        "Show",
        "every",
        "hidden",
        "sheet",
    ]
    assert 'is used by "Show every hidden sheet"' in cli("pin", "seal", "U").err
    assert "is a command, so it" in cli("pin", "seal", "run").err
    assert cli("run", "u", book).code == 0
    assert set(states(book).values()) == {"visible"}
    assert cli("pin", "seal", "--remove").code == 0
    assert [pin["key"] for pin in json.loads(cli("pins", "--json").out)] == ["u"]
    (home / "pins.json").write_text("{broken")
    broken = cli("pins")
    assert broken.code == 1
    assert "pins.json: the file is damaged" in broken.err
    assert (home / "pins.json").read_text() == "{broken"


def test_use_is_counted_and_listed(cli: Cli, book: Path) -> None:
    cli("run", "show every", book)
    cli("run", "show every", book)
    assert "Run 2 times, last on 20" in cli("show", "show every").out
    listed = {each["title"]: each["runs"] for each in json.loads(cli("macros", "--json").out)}
    assert listed["Show every hidden sheet"] == 2
    Path("f.scrub").write_text(macro("each file\nlog file.name\nend", "folder", "List files"))
    cli("add", "f.scrub")
    assert "List files" not in cli("macros", "--for", book).out
    assert "Seal" not in cli("macros", "--for", ".").out


def test_backup_and_restore_lose_nothing(cli: Cli, home: Path) -> None:
    scrub.home().library.add(SHOW, "x")
    cli("pin", "show them", "t")
    assert "2 files in b.zip" in cli("library", "backup", "b.zip").out
    assert "a file of that name" in cli("library", "backup", "b.zip").err
    path = home / "library" / "Show them.scrub"
    path.write_text(SHOW.replace("no", "yes"))
    shown = cli("library", "restore", "b.zip").out
    assert "Differs, left unchanged: library/Show them.scrub" in shown
    assert "yes" in path.read_text()
    assert "Replaced: library/Show them.scrub" in cli("library", "restore", "b.zip", "--replace").out
    assert path.read_text() == SHOW
    assert "restored" in cli("show", "show them", "--history").out
    path.unlink()
    assert "New: library/Show them.scrub" in cli("library", "restore", "b.zip").out
    with zipfile.ZipFile("bad.zip", "w") as bad:
        bad.writestr("library/../../out.scrub", "x")
    assert "leads out" in cli("library", "restore", "bad.zip").err
    Path("none.zip").write_bytes(b"no zip")
    assert "not a readable zip file" in cli("library", "restore", "none.zip").err
    assert not (home.parent / "out.scrub").exists()


def test_a_team_shares_a_folder(cli: Cli, book: Path) -> None:
    team = Path("team")
    team.mkdir()
    (team / "a.scrub").write_text(SHOW)
    (team / "b.scrub").write_text(SHOW.replace("Show them", "Theirs"))
    assert cli("library", "join", "team").code == 0
    assert "Joined: " in cli("macros").out
    assert cli("run", "theirs", book).code == 0
    assert "belongs to another library, which is read only" in cli("remove", "theirs").err
    scrub.home().library.add(SHOW.replace("= no", "= yes"), "x")
    assert "= yes" in cli("show", "show them").out
    assert cli("library", "leave", "team").code == 0
    assert 'No macro "theirs"' in cli("show", "theirs").err


def test_a_pack_takes_along_what_it_runs(cli: Cli, monkeypatch: pytest.MonkeyPatch, home: Path) -> None:
    library = scrub.home().library
    library.add(SHOW, "x")
    library.add(macro('run "Show them"', title="Outer"), "x")
    assert "Packed into out.scrubpack: Outer and Show" in cli("pack", "outer", "out").out
    assert "Run by: Outer" in cli("show", "show them").out
    monkeypatch.setenv("SCRUB_HOME", str(home) + "2")
    added = cli("add", "out.scrubpack")
    assert added.code == 0, added
    assert added.out.count("Added") == 2
    assert "the file contains no macro" in cli("add", _zip("empty.scrubpack", {})).err
    assert "leads out" in cli("add", _zip("climbs.scrubpack", {"../x.scrub": "x"})).err


def _zip(name: str, files: dict[str, str]) -> str:
    with zipfile.ZipFile(name, "w") as archive:
        for path, text in files.items():
            archive.writestr(path, text)
    return name


def test_a_macro_travels_inside_a_workbook(cli: Cli, book: Path, monkeypatch: pytest.MonkeyPatch, home: Path) -> None:
    before = members(book)
    assert cli("embed", "show every", book).code == 0
    after = members(book)
    assert set(after) - set(before) == {"customXml/item1.xml"}
    assert {name for name in before if before[name] != after[name]} == {"xl/_rels/workbook.xml.rels"}
    assert schema_findings(book) <= schema_findings(SAMPLE)
    assert len(states(book)) == 11
    assert "1 macro inside" in cli("inside", book).out
    monkeypatch.setenv("SCRUB_HOME", str(home) + "2")
    assert cli("extract", book, "--show").out.startswith("macro Show every hidden sheet\n")
    ran = cli("run", "show", book, "--inside")
    assert ran.code == 0
    assert set(states(book).values()) == {"visible"}
    assert (
        'season-book.xlsx contains no single macro "seal". It contains: "Show every hidden sheet"'
        in cli("run", "seal", book, "--inside").err
    )
    Path("own.scrub").write_text(scrub.home().library.find("show every").text.replace("shown again", "back"))
    assert cli("embed", "own.scrub", book).code == 0
    assert [name for name in members(book) if name.startswith("customXml")] == ["customXml/item1.xml"]
    assert "back." in cli("extract", book, "--show").out
    assert cli("extract", SAMPLE).code == 1
    cli("undo")
    cli("undo")
    monkeypatch.setenv("SCRUB_HOME", str(home))
    cli("undo")
    assert book.read_bytes() == SAMPLE.read_bytes()


class Box(keyring.backend.KeyringBackend):
    """A key store in memory, in place of the system's."""

    priority = 1

    def __init__(self) -> None:
        self.kept: dict[tuple[str, str], str] = {}

    def get_password(self, service: str, username: str) -> str | None:
        return self.kept.get((service, username))

    def set_password(self, service: str, username: str, password: str) -> None:
        self.kept[service, username] = password

    def delete_password(self, service: str, username: str) -> None:
        del self.kept[service, username]


def test_stored_passwords_go_to_trusted_texts_only(cli: Cli, book: Path, home: Path) -> None:
    former = keyring.get_keyring()
    keyring.set_keyring(Box())
    try:
        scrub.home().keys.set("sheet-code", "Kestrel-9")
        assert cli("secret", "list").out == "sheet-code\n"
        assert cli("run", "seal", book).code == 0  # a shipped example counts as written here
        text = scrub.home().library.find("unseal").text.replace("Unseal every sheet", "From elsewhere")
        Path("other.scrub").write_text(text)
        cli("add", "other.scrub")
        refused = cli("run", "from elsewhere", book)
        assert refused.code == 2
        assert 'No password for "sheet-code"' in refused.err
        assert cli("approve", "from elsewhere", "--yes").code == 0
        assert cli("run", "from elsewhere", book).code == 0
        assert cli("approve", "from elsewhere", "--withdraw").out == '"From elsewhere": 1 approval revoked.\n'
        assert all(b"Kestrel-9" not in path.read_bytes() for path in home.rglob("*") if path.is_file())
        assert cli("secret", "forget", "sheet-code").code == 0
        assert 'No password "sheet-code" is saved' in cli("secret", "forget", "sheet-code").err
    finally:
        keyring.set_keyring(former)


def test_without_a_key_store_nothing_is_kept(home: Path) -> None:
    from keyring.backends.fail import Keyring

    former = keyring.get_keyring()
    keyring.set_keyring(Keyring())  # type: ignore[no-untyped-call]
    try:
        with pytest.raises(scrub.ScrubError, match="no key store. Set the password as"):
            scrub.home().keys.set("sheet-code", "Kestrel-9")
    finally:
        keyring.set_keyring(former)
    assert not (home / "secrets.json").exists()


FILES = macro(
    'each file where file.name starts with "draft"\nmove to: "old/{file.ending}"\nend\n'
    'each file where file.ending is "tmp"\ndelete\nend\n'
    'each file where file.stem is "keep"\nrename to: "Draft"\nend\nsay "{count(file)} {count(file where file.size > 1 KB)}"',
    "folder",
    "Sort",
)


def folder_of_files() -> dict[str, bytes]:
    contents = {
        "draft 1.txt": b"one",
        "sub/Draft 1.txt": b"two",
        "x.tmp": b"t",
        "keep.txt": b"k" * 2000,
        "old/txt/draft 1.txt": b"old",
    }
    for name, data in contents.items():
        path = Path("f") / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    return contents


def found() -> dict[str, bytes]:
    return {str(path.relative_to("f")): path.read_bytes() for path in Path("f").rglob("*") if path.is_file()}


def test_files_move_only_when_approved_and_come_back(cli: Cli) -> None:
    before = folder_of_files()
    Path("sort.scrub").write_text(FILES)
    refused = cli("run", "sort.scrub", "f")
    assert refused.code == 3
    assert "needs your approval: it deletes files, moves files and renames files" in refused.err
    preview = cli("run", "sort.scrub", "f", "--preview")
    assert preview.code == 0
    assert "x.tmp" in preview.out
    assert found() == before
    assert cli("approve", "sort.scrub", "--yes").code == 0
    done = cli("run", "sort.scrub", "f")
    assert done.code == 0, done.err
    assert "Saved f: 4 changes on 4 files." in done.out
    assert found() == {
        "old/txt/draft 1.txt": b"old", "old/txt/draft 1 (2).txt": b"one", "old/txt/Draft 1.txt": b"two", "Draft.txt": b"k" * 2000,
    }  # fmt: skip
    assert cli("undo").code == 0
    assert found() == before
    assert cli("undo", "--redo").code == 0
    assert "x.tmp" not in found()
    cli("undo")
    Path("sort.scrub").write_text(FILES.replace('"Draft"', '"Other"'))
    assert cli("run", "sort.scrub", "f").code == 3  # a changed text is a new text


@pytest.mark.parametrize(
    ("body", "message"),
    [
        (
            'each file\nname = file.stem.replaced(file.stem, by: "../up")\nmove to: "{name}/x"\nend',
            "could lead to another folder",
        ),
        (
            'each file\nname = file.stem.replaced(file.stem, by: "/tmp")\nmove to: name\nend',
            "comes from data and leads to",
        ),
        (
            'each part in ["a", "b"]\nname = "x"\neach file\nmove to: name\nname = file.stem.replaced(file.stem, by: "~")\nend\nend',
            "comes from data and leads to",
        ),
        ('each file\nrename to: "a/b"\nend', "is not a valid file name"),
        ('each file where file.ending is "tmp"\ndelete\ndelete\nend', "was deleted in a line above"),
    ],
)
def test_paths_from_data_do_not_climb(body: str, message: str) -> None:
    before = folder_of_files()

    class Yes(scrub.QuietHost):
        def approve(self, title: str, reaches: object) -> bool:
            return True

    result = scrub.run(macro(body, "folder"), ["f"], host=Yes())
    assert message in str(result.files[0].problem)
    assert found() == before


def test_copies_are_saved_with_the_changes(cli: Cli, book: Path) -> None:
    Path("copy.scrub").write_text(
        macro('each sheet\nsheet.hidden = no\nend\nsave-copy to: "sent", name: "For {workbook.name.before(".")}"')
    )
    assert cli("approve", "copy.scrub", "--yes").code == 0
    assert "Created sent/For season-book.xlsx" in cli("run", "copy.scrub", book).out
    assert Path("sent/For season-book.xlsx").read_bytes() == book.read_bytes()
    assert cli("undo").code == 0
    assert book.read_bytes() == SAMPLE.read_bytes()
    assert not Path("sent/For season-book.xlsx").exists()


def test_trying_out_keeps_the_good_steps(cli: Cli, book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    trial = scrub.trial(str(book), scrub.QuietHost())
    assert trial.needs_more("each sheet\nsheet.hidden = no")
    done = trial.step('each sheet where sheet.name ends with "Hut"\nsheet.hidden = no\nend')
    assert [str(change) for change in done.changes] == ["hidden: yes -> no"] * 2
    assert "Did you mean" in trial.step("each sheet\nsheet.hiden = no\nend").problem
    assert "last visible sheet" in trial.step("each sheet\nsheet.hidden = yes\nend").problem
    assert 'no sheet "Totels"' in trial.step('in sheet("Totels")').problem
    assert not trial.step('in sheet("Totals")').problem
    assert [str(change) for change in trial.step("protect allow: [sort]").changes] == ["protected"]
    assert "password:" in trial.completions("protect ")
    assert "each sheet\n    protect allow: [sort]\nend" in trial.macro("Kept", "sheet")
    assert 'in sheet("Totals")\n    protect' in trial.macro("Kept")
    assert trial.back() == "protect allow: [sort]"
    trial.step("end")
    hidden = trial.step('in sheet("Kite Hut")\nsheet.hidden = yes\nend')
    assert "undone" in str(hidden.changes[0])
    assert "protect" not in trial.macro("Kept")
    assert scrub.check_text(trial.macro("Kept")) == []
    assert trial.completions("each sheet where sheet.hid") == ["hidden"]
    assert trial.completions("sa") == ["save-copy", "say"]
    assert trial.completions("fit-") == []  # an action of columns, and the workbook is at hand
    assert trial.completions("protect allow: [so") == ["sort"]
    assert "password:" in trial.completions("protect ")
    assert book.read_bytes() == SAMPLE.read_bytes()
    trial.write("Tried", scrub.QuietHost())
    assert states(book)["Tarn Hut"] == "visible"
    cli("undo")
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_the_prompt_for_trying_out(book: Path) -> None:
    import subprocess

    typed = 'in sheet("Lists")\nsheet.hidden = no\nend\nsteps\nback\nback\neach sheet\nprotect\nend\nkeep "Close" \nkeep\nwrite\n?\nleave\n'
    done = subprocess.run(
        [sys.executable, "-m", "scrub", "try", str(book)], input=typed, text=True, capture_output=True, check=False
    )
    assert done.returncode == 0, done.stderr
    for shown in ("Lists  hidden: yes -> no", "Undone: sheet.hidden = no", "(in sheet", "sheet(\"Lists\"), step: sheet.hidden = no", "no step to undo", 'Added "Close"', 'a title is missing: keep "Title"',
                  "11 changes. Undo: scrub undo 1", "Removes spaces at both ends"):  # fmt: skip
        assert shown in done.stdout, (shown, done.stdout)


def test_stepping_shows_each_statement(book: Path) -> None:
    seen: list[scrub.View] = []

    class Looks:
        def __init__(self, *answers: scrub.Go) -> None:
            self.answers = list(answers)

        def step(self, view: scrub.View) -> scrub.Go:
            seen.append(view)
            return self.answers.pop(0) if self.answers else scrub.Go.NEXT

    scrub.home().library.add(macro('x = 1\nlog "in {x}"', title="Inner"), "x")
    text = macro('n = 0\neach sheet where sheet.number < 3\nn = n + 1\nend\nrun "Inner"\nsay "{n}"')
    scrub.run(text, [str(book)], preview=True, stepper=Looks())
    assert [view.line for view in seen] == [3, 4, 5, 5, 7, 8]
    assert seen[3].item == "Kite Hut"
    assert seen[4].item == "season-book.xlsx"
    assert seen[3].values == {"n": "1"}
    seen.clear()
    scrub.run(text, [str(book)], preview=True, stepper=Looks(scrub.Go.NEXT, scrub.Go.OVER, scrub.Go.INTO))
    assert [(view.title, view.line) for view in seen] == [
        ("Test", 3),
        ("Test", 4),
        ("Test", 7),
        ("Inner", 3),
        ("Inner", 4),
    ]
    seen.clear()
    scrub.run(text, [str(book)], preview=True, stepper=Looks(scrub.Go.END))
    assert len(seen) == 1
    stopped = scrub.run(
        macro("each sheet\nsheet.hidden = no\nend"), [str(book)], stepper=Looks(scrub.Go.NEXT, scrub.Go.STOP)
    )
    assert "stopped. Nothing" in str(stopped.files[0].problem)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_an_outline_folds_blocks(cli: Cli) -> None:
    one = cli("show", "seal", "--outline").out
    assert "    each sheet\n        ... 5 lines\n    end" in one
    assert "skip" in cli("show", "seal", "--outline", "3").out


def test_answers_from_a_file_and_files_that_failed(cli: Cli, book: Path) -> None:
    Path("ask.scrub").write_text(macro('which = ask("Which")\nin sheet(which)\nsheet.hidden = no\nend'))
    Path("a.toml").write_text('which = "Lists"\n')
    Path("a.json").write_text('{"which": "Tarn Hut"}')
    Path("bad.xlsx").write_bytes(b"no")
    assert cli("run", "ask.scrub", book, "bad.xlsx", "--answers", "a.toml").code == 1
    assert states(book)["Lists"] == "visible"
    Path("bad.xlsx").write_bytes(SAMPLE.read_bytes())
    assert cli("run", "--continue", "1", "--answers", "a.json").code == 0
    assert states("bad.xlsx")["Tarn Hut"] == "visible"
    assert "All files of run 1 are done" in cli("run", "--continue", "1").err
    Path("a.toml").write_text("which is Lists")
    assert "Write one line per answer" in cli("run", "ask.scrub", book, "--answers", "a.toml").err


def test_a_file_in_use_is_copied_or_waited_for(cli: Cli, book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    lock = Path(".~lock.season-book.xlsx#")
    lock.write_bytes(b"Ann Moss,")
    copied = cli("run", "show every", book, "--copy")
    assert copied.code == 0
    assert "Saved season-book (2).xlsx: 4 changes on 4 sheets." in copied.out
    assert book.read_bytes() == SAMPLE.read_bytes()
    monkeypatch.setattr("scrub.runner.run.time.sleep", lambda seconds: lock.unlink())  # it is closed while we wait
    assert cli("run", "show every", book, "--wait").code == 0
    assert set(states(book).values()) == {"visible"}


def test_undo_is_kept_as_long_as_was_set(cli: Cli, book: Path, home: Path) -> None:
    cli("settings", "keep-undo", "30")
    cli("run", "show every", book)
    for path in (home / "runs" / "1").iterdir():
        os.utime(path, (0, 0))
    for number in range(2, 8):  # a run is old after runs on some later days
        cli("run", "ready", book)
        assert cli("undo", str(number)).code == 0
        for path in (home / "runs" / str(number)).iterdir():
            os.utime(path, (time.time() - number * 86_400,) * 2)
    assert (home / "runs" / "1").exists()
    cli("run", "ready", book)
    gone = cli("undo", "1")
    assert gone.code != 0
    assert cli("undo", "8").code == 0
    assert "expired" in cli("undo", "1").err
    assert "Show every hidden sheet" in cli("history").out


def test_tidy_on_files_and_in_the_library(cli: Cli) -> None:
    Path("a.scrub").write_text("macro A\nfor workbook\neach sheet\nsheet.hidden=no\nend\n")
    assert "sheet.hidden = no" in cli("tidy", "a.scrub", "--show").out
    assert cli("tidy", "a.scrub").out == "a.scrub was reformatted.\n"
    assert cli("tidy", "a.scrub").out == "a.scrub needs no change.\n"
    Path("a.scrub").write_text("macro A\nfor workbook\neach sheet\n")
    before = Path("a.scrub").read_text()
    assert cli("tidy", "a.scrub").code == 2
    assert Path("a.scrub").read_text() == before


def test_pasting(cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    import io

    class Piped:
        buffer = io.BytesIO(b"> macro Pasted\n> for workbook\n> each sheet\n> sheet.hidden = no\n> end\n")

        def isatty(self) -> bool:
            return False

    monkeypatch.setattr(sys, "stdin", Piped())
    shown = cli("new", "--paste").out
    assert "Scrub reads it as:\n    macro Pasted\n" in shown
    assert 'Added "Pasted"' in shown


def test_files_that_belong_to_a_macro_travel_with_it(
    cli: Cli, book: Path, home: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    Path("stamp.png").write_bytes(b"a picture")
    text = macro('log own-file("Stamp.png")', title="Stamp")
    Path("stamp.scrub").write_text(text)
    lacking = cli("check", "stamp.scrub")
    assert 'no file "Stamp.png" belongs to this macro. Add it: scrub add … --file FILE' in lacking.out
    assert cli("add", "stamp.scrub", "--file", "stamp.png").code == 0
    assert "Its files: stamp.png" in cli("show", "stamp").out
    path = home / "library" / "Stamp files" / "stamp.png"
    assert scrub.run("stamp", [str(book)]).files[0].log == [str(path)]
    cli("rename", "stamp", "Seal it")
    assert scrub.check("seal it") == []
    cli("remove", "seal it")
    assert cli("edit", "Seal it", "--back", "1").code == 0
    assert scrub.check("seal it") == []
    assert cli("pack", "seal it", "out").code == 0
    assert cli("library", "backup", "all.zip").code == 0
    monkeypatch.setenv("SCRUB_HOME", str(home) + "2")
    assert cli("add", "out.scrubpack").code == 0
    assert (Path(str(home) + "2") / "library" / "Seal it files" / "stamp.png").read_bytes() == b"a picture"
    monkeypatch.setenv("SCRUB_HOME", str(home) + "3")
    assert cli("library", "restore", "all.zip").code == 0
    assert scrub.check("seal it") == []


def test_two_macros_of_one_title_are_told(cli: Cli, home: Path) -> None:
    library = home / "library"
    library.mkdir(parents=True)
    for name in ("a.scrub", "b.scrub"):
        (library / name).write_text(SHOW)
    assert 'Two macros are called "Show them"' in cli("show", "show them").err
    assert "b.scrub" in cli("show", "show them").err


def test_replacing_a_file_keeps_what_was_there(cli: Cli) -> None:
    Path("f/old").mkdir(parents=True)
    Path("f/a.txt").write_bytes(b"new")
    Path("f/old/a.txt").write_bytes(b"former")
    Path("move.scrub").write_text(
        macro(
            'each file where file.name is "a.txt" and file.size < 4 bytes\nmove to: "old", if-there: replace\nend',
            "folder",
        )
    )
    assert cli("approve", "move.scrub", "--yes").code == 0
    assert cli("run", "move.scrub", "f").code == 0
    assert found() == {"old/a.txt": b"new"}
    assert cli("undo").code == 0
    assert found() == {"a.txt": b"new", "old/a.txt": b"former"}


def test_a_macro_for_parts_is_run_by_others_only(cli: Cli, book: Path) -> None:
    scrub.home().library.add(macro("sheet.hidden = no", "sheet", "One sheet"), "x")
    alone = cli("run", "one sheet", book)
    assert alone.code == 2
    assert 'each sheet, and in that block: run "One sheet"' in alone.err
    assert scrub.run(macro('each sheet\nrun "One sheet"\nend'), [str(book)]).files[0].state == "changed"


def test_the_library_and_settings_say_where_things_are(cli: Cli, home: Path) -> None:
    assert f"Your library: {home / 'library'}, 0 macros" in cli("library").out
    cli("settings", "name", "Office")
    assert cli("library").out.startswith("Office: ")
    assert json.loads(cli("settings", "--json").out)["name"] == "Office"
    assert "Office" in cli("settings", "name").out
    assert "No macro has a key" in cli("pins").out
    assert "The key is missing" in cli("pin", "seal").err
    assert "not a folder" in cli("library", "join", "nowhere").err
    assert "is not joined" in cli("library", "leave", "nowhere").err
    assert json.loads(cli("check", "seal", "--json").out) == []
    Path("bad.scrub").write_text("macro A\nfor workbook\nshw\n")
    assert json.loads(cli("check", "bad.scrub", "--json").out)[0]["line"] == 3
    second = json.loads(cli("inside", SAMPLE, "--json").out)["sheets"][1]
    assert [second[word] for word in ("number", "name", "hidden", "protected", "range")] == [
        2, "Kite Hut", True, False, "A1:H15",
    ]  # fmt: skip
    assert second["headings"]["each record in sheet.records(headings: 3)"]["record.paid"] == "yes"
    folder_of_files()
    assert "keep.txt" in cli("inside", "f").out
    assert "No passwords saved" in cli("secret", "list").out
    assert json.loads(cli("secret", "list", "--json").out) == []


def test_drafts_are_edited_until_they_are_right(cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    editor(monkeypatch, SHOW.replace("hidden", "hiden"))
    assert cli("new", "Show them").code == 2
    assert "Drafts" in cli("macros").out
    editor(monkeypatch, SHOW)
    assert 'Added "Show them"' in cli("edit", "show them").out
    assert "Drafts to fix" not in cli("macros").out
    assert cli("edit", "show them").out == "Nothing changed.\n"
    assert "--inside needs a file" in cli("run", "x", "--inside").err
    assert "The macro needs a title" in cli("new").err
    assert cli("extract", SAMPLE).code == 1
