"""What strangers put into macros and files: what is approved is what runs, and nothing of theirs reaches the terminal raw."""

from __future__ import annotations

import io
import os
import re
import shutil
import zipfile
from collections.abc import Callable
from email.header import Header
from pathlib import Path

import pytest
from conftest import SAMPLE, Output
from mails import a_message, mbox
from test_cli import typed

import scrub

#: Characters that a terminal obeys, or that show another text than the one that is there.
RAW = [
    "\x1b",
    "\x9b",
    "\x08",
    "\x7f",
    "\x00",
    "\x0e",
    "\x1c",
    "\x1d",
    "\x1e",
    "\x84",
    "\u202e",
    "\u2066",
    "\u200f",
    "\u061c",
]
NEVER = re.compile("[\0-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]")
ATTACK = "\x1b[2K\x1b[1A\x1b]0;mine\x07\x9b8mSaved\u202eexe.\x08"


def clean(output: Output) -> str:
    """What was printed, when nothing in it is raw."""
    for text in (output.out, output.err):
        assert not NEVER.search(text), repr(NEVER.search(text))
    return output.out + output.err


# -- macros


@pytest.mark.parametrize("mark", [mark for mark in RAW if mark != "\x00"])
@pytest.mark.parametrize("line", ["# a comment {m}", 'say "a{m}b"', "x = 1{m}", "{m}"])
def test_no_macro_holds_what_nobody_sees(home: Path, cli: Callable[..., Output], mark: str, line: str) -> None:
    text = f"macro One\nfor nothing\n{line.format(m=mark)}\nsay 1\n"
    Path("one.scrub").write_text(text)
    assert any(f"(U+{ord(mark):04X})" in each.message for each in scrub.check(text))
    for words in (
        ("check", "one.scrub"),
        ("approve", "one.scrub", "--yes"),
        ("run", "one.scrub"),
        ("show", "one.scrub"),
    ):
        found = cli(*words)
        clean(found)
        assert found.code == 2, words
    clean(cli("add", "one.scrub"))
    (kept,) = (entry for entry in scrub.home().library.entries() if not entry.example)
    assert kept.draft or mark not in kept.text  # a blank line of such marks goes when a text is mended


@pytest.mark.parametrize("end", ["\u2028", "\u2029", "\x85", "\x0b", "\x0c", "\r", "\n", "\r\n"])
def test_a_line_is_the_same_for_who_reads_and_for_what_runs(home: Path, cli: Callable[..., Output], end: str) -> None:
    Path("one.scrub").write_bytes(f"macro One\nfor folder\n# harmless{end}each file{end}    delete{end}end\n".encode())
    for words in (("show", "one.scrub"), ("approve", "one.scrub", "--yes")):
        lines = [line.strip() for line in clean(cli(*words)).splitlines()]
        assert [line for line in lines if line in ("# harmless", "each file", "delete", "end")] == [
            "# harmless",
            "each file",
            "delete",
            "end",
        ]
    assert scrub.program("one.scrub").reach == scrub.Reach.FILES


def test_approve_shows_every_text_that_can_run(home: Path, cli: Callable[..., Output]) -> None:
    for title, body in (
        ("Deep", "each file\ndelete\nend"),
        ("Middle", 'run "Deep"'),
        ("Top", 'if 1 is 2\nrun "Middle"\nend'),
    ):
        scrub.home().library.add(f"macro {title}\nfor folder\n{body}\n", "m")
    told = clean(cli("approve", "Top", "--yes"))
    for line in ("macro Top", "macro Middle", "macro Deep", "\ndelete"):
        assert told.count(line) == 1, line


# -- files


@pytest.fixture
def hostile(home: Path) -> Path:
    """A folder with files whose names and texts are attacks."""
    folder = Path("files")
    folder.mkdir()
    name = ATTACK.replace("\x00", "").replace("/", "")
    (folder / f"{name}\nSaved all.csv").write_text("x\n1\n")
    heading, value = f"Guest{ATTACK}", f"{ATTACK}\nSaved season-book.xlsx: 9 changes."
    (folder / "list.csv").write_text(f'"{heading}","Note\n2"\n"{value}","  6  kg{ATTACK}"\n')
    (folder / "notice.txt").write_text(f"Dear  all {ATTACK}\nSaved  it\u2028all\n")
    said = Header(f"Fwd: Water{ATTACK}", "utf-8").encode()
    made = a_message(1)
    del made["Subject"]
    made._headers.append(("Subject", said))  # type: ignore[attr-defined]
    mbox(folder / "box.mbox", made)
    return folder


def test_nothing_from_a_file_reaches_the_terminal_raw(
    hostile: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    Path("values.scrub").write_text(
        'macro Values\nfor workbook\neach cell\nsay "{cell.value}"\nlog "{cell.value}"\nsingle-spaces\nend\nfail "{sheet.name}"\n'.replace(
            "sheet.name", 'cell("A2").value'
        )
    )
    Path("spaces.scrub").write_text("macro Spaces\nfor workbook, document, mailbox\nsingle-spaces\n")
    Path("names.scrub").write_text(
        'macro Names\nfor folder\neach file\nsay "{file.name}"\nrename to: "{file.stem} 2"\nend\n'
    )
    Path("wrong.scrub").write_text("macro Wrong\nfor workbook\neach record\nsay record.nights\nend\n")
    every = [str(path) for path in hostile.iterdir()]
    for path in every:
        clean(cli("inside", path))
    clean(cli("inside", "files"))
    clean(cli("inside", "files/notice.txt", "--texts"))
    for name in ("values", "spaces", "wrong"):
        for more in ((), ("--preview",), ("--json",), ("--all",)):
            clean(cli("run", f"{name}.scrub", *every, *more))
            clean(cli("changes"))
            clean(cli("changes", "--json"))
            clean(cli("changes", "--all"))
    clean(cli("approve", "names.scrub", "--yes"))
    clean(cli("run", "names.scrub", "files", "--preview"))
    clean(cli("run", "names.scrub", "files"))
    for words in (
        ("history",),
        ("history", "--json"),
        ("undo",),
        ("macros",),
        ("run", "spaces.scrub", f"gone{ATTACK}.csv"),
        ("show", ATTACK),
    ):
        clean(cli(*words))


def test_a_line_of_a_stranger_is_not_taken_for_one_of_ours(hostile: Path, cli: Callable[..., Output]) -> None:
    Path("values.scrub").write_text('macro Values\nfor workbook\nsay "{cell("A2").value}"\n')
    told = clean(cli("run", "values.scrub", "files/list.csv"))
    assert "Saved season-book.xlsx" in told
    assert not [line for line in told.splitlines() if line.startswith("Saved season-book.xlsx")]


# -- what comes from elsewhere


def test_a_backup_brings_macros_and_nothing_else_unasked(
    home: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("SCRUB_HOME", "theirs")
    scrub.home().library.add("macro Mine\nfor nothing\nsay 1\n", "m")
    cli("settings", "editor", "rm -rf /")
    cli("settings", "name", "Theirs")
    cli("pin", "Mine", "m")
    cli("library", "join", str(Path("elsewhere").absolute()))
    Path("elsewhere").mkdir(exist_ok=True)
    cli("library", "join", str(Path("elsewhere").absolute()))
    assert cli("library", "backup", "b.zip").code == 0
    monkeypatch.setenv("SCRUB_HOME", str(home))
    told = clean(cli("library", "restore", "b.zip"))
    for said in ("the setting editor: rm -rf /", "the setting name: Theirs", 'the key of "Mine"', "a joined folder"):
        assert f"It also contains: {said}" in told
    found = scrub.home()
    assert [entry.title for entry in found.library.entries() if not entry.example] == ["Mine"]
    assert found.settings.load() == {}
    assert found.pins.all() == []
    taken = clean(cli("library", "restore", "b.zip", "--take", "name", "--take", "m"))
    assert "Restored: the setting name: Theirs" in taken
    assert scrub.home().settings.load() == {"name": "Theirs"}
    assert [pin.key for pin in scrub.home().pins.all()] == ["m"]
    assert cli("library", "restore", "b.zip", "--take", "gone").code == 2
    with zipfile.ZipFile("odd.zip", "w") as archive:
        archive.writestr("settings.json", '{"max-sent": "many", "date-order": "day-first"}')
    told = clean(cli("library", "restore", "odd.zip"))
    assert ("max-sent" in told, "date-order" in told) == (False, True)


def test_a_joined_folder_follows_no_links_and_stands_in_for_nothing(
    home: Path, cli: Callable[..., Output], tmp_path: Path
) -> None:
    team = Path("team")
    team.mkdir()
    (tmp_path / "secret").write_text("macro Secret\nfor nothing\nsay 1\n")
    (team / "link.scrub").symlink_to(tmp_path / "secret")
    os.mkfifo(team / "pipe.scrub")
    (team / "seal.scrub").write_text("macro Seal every sheet\nfor folder\neach file\ndelete\nend\n")
    (team / "good.scrub").write_text("macro Good\nfor nothing\nsay 1\n")
    (team / "good files").mkdir()
    (team / "good files" / "key").symlink_to(tmp_path / "secret")
    cli("library", "join", "team")
    library = scrub.home().library
    assert [entry.title for entry in library.entries() if entry.shared] == ["Good"]
    assert library.titled("Good").files == {}
    assert library.titled("seal every sheet").example


SECRET = 'macro Stranger\nfor workbook\ncode = secret("sheet-code")\neach sheet\nprotect password: code\nend\n'


def test_a_text_that_was_not_approved_gets_no_password_by_itself(
    book: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "larch")
    Path("s.scrub").write_text(SECRET)
    before = book.read_bytes()

    def refused(name: str) -> bool:
        found = cli("run", name, str(book))
        assert book.read_bytes() == before
        return found.code == 2 and "is not approved, so it gets no saved password" in found.err

    assert refused("s.scrub")
    cli("add", "s.scrub")
    assert refused("Stranger")
    cli("remove", "Stranger")
    cli("edit", "Stranger", "--back", "1")
    assert refused("Stranger")
    monkeypatch.setenv("EDITOR", "true")
    cli("new", "Copied", "--from", "Stranger")
    assert refused("Copied")
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(SECRET.replace("Stranger", "Pasted").encode())))
    cli("new", "--paste")
    assert refused("Pasted")
    cli("approve", "Stranger", "--yes")
    assert cli("run", "Stranger", str(book)).code == 0
    assert book.read_bytes() != before


def test_an_attempt_is_no_way_to_find_a_password_out(book: Path) -> None:
    scrub.run(
        'macro P\nfor workbook\ncode = secret("c")\neach sheet\nprotect password: code\nend',
        [str(book)],
        answers={"code": scrub.Secret("larch")},
    )
    guess = (
        'macro G\nfor workbook\ncode = secret("c")\nattempt\nin sheet("Kite Hut")\nunprotect password: code\nend\nsay "open"\n'
        'if it fails\nsay "not this one"\nend'
    )
    found = scrub.run(guess, [str(book)], answers={"code": scrub.Secret("kite")}).files[0]
    assert found.said == []
    assert "a different password" in str(found.problem)


# -- files that a macro reads


def test_every_action_with_a_path_needs_approval(home: Path) -> None:
    """The vocabulary is gone through: what takes a path makes or reads files, and neither runs without approval."""
    from scrub.model.core.declare import Reach

    seen = 0
    for kind in scrub.vocabulary().kinds.values():
        for action in kind.actions.values():
            paths = [each for each in action.parameters if each.path or each.reads]
            if not paths or action.word in ("stamp-picture", "append", "replace-with"):
                assert not paths or all(each.reads for each in paths), action.word
                continue
            assert action.reach >= Reach.FILES, action.word
            seen += 1
    assert seen > 10


@pytest.mark.parametrize(
    ("kind", "line"),
    [
        ("pdf", 'each page\nstamp-picture "{path}"\nend'),
        ("pdf", 'append "{path}"'),
        ("image", 'stamp-picture "{path}"'),
        ("document", 'each picture\nreplace-with "{path}"\nend'),
        ("workbook", 'each sheet\neach picture\nreplace-with "{path}"\nend\nend'),
    ],
)
@pytest.mark.parametrize("path", ["/home/ann/secret.png", "../secret.png", "secret.png"])
def test_a_macro_that_reads_another_file_says_which_and_asks(
    home: Path, cli: Callable[..., Output], kind: str, line: str, path: str
) -> None:
    Path("s.scrub").write_text(f"macro S\nfor {kind}\n{line.format(path=path)}\n")
    file = {
        "pdf": "route-cards.pdf",
        "image": "larch-hut.jpg",
        "document": "route.docx",
        "workbook": "season-book.xlsx",
    }
    shutil.copy(SAMPLE.parent / file[kind], file[kind])
    told = cli("run", "s.scrub", file[kind])
    assert (told.code, f'it reads the file "{path}"' in told.err) == (3, True), told
    assert f'It reads the file "{path}".' in cli("approve", "s.scrub", "--yes").out


def test_paths_that_are_put_together_or_come_from_a_default_need_approval_too(
    home: Path, cli: Callable[..., Output]
) -> None:
    shutil.copy(SAMPLE.parent / "route-cards.pdf", "cards.pdf")
    shutil.copy(SAMPLE.parent / "seal.png", "seal.png")
    for body, code in (
        ('x = "/etc/secret.png"\neach page\nstamp-picture x\nend', 3),
        ('each page\nstamp-picture "{pdf.name}.png"\nend', 3),
        ('seal = ask("Seal", as: file, default: "/etc/secret.png")\neach page\nstamp-picture seal\nend', 3),
        ('seal = ask("Seal", as: file)\neach page\nstamp-picture seal\nend', 0),  # a person named it
    ):
        Path("s.scrub").write_text(f"macro S\nfor pdf\n{body}\n")
        assert cli("run", "s.scrub", "cards.pdf", "--with", "seal=seal.png").code in (code, 2 if code else 0), body
    Path("own.scrub").write_text('macro Own\nfor pdf\neach page\nstamp-picture own-file("seal.png")\nend\n')
    assert cli("add", "own.scrub", "--file", "seal.png").code == 0
    assert cli("run", "Own", "cards.pdf").code == 0  # its own file came with it


# -- macros that would take the place of others


def test_nothing_added_replaces_a_macro_silently(home: Path, cli: Callable[..., Output]) -> None:
    shipped = scrub.home().library.find("seal").text
    Path("seal.scrub").write_text('macro Seal every sheet\nfor workbook\nsay "not yours"\n')
    told = cli("add", "seal.scrub")
    assert told.code == 3
    assert told.err.startswith(
        'seal.scrub would replace the shipped macro "Seal every sheet". To replace it: scrub add'
    )
    assert scrub.home().library.find("seal").text == shipped
    assert cli("add", "seal.scrub", "--replace").code == 0
    assert "not yours" in scrub.home().library.find("seal").text

    scrub.home().library.add("macro Mine\nfor workbook\nsay 1\n", "m")
    Path("mine.scrub").write_text("macro Mine\nfor workbook\nsay 2\n")
    assert 'would replace your macro "Mine"' in cli("add", "mine.scrub").err
    assert "say 1" in scrub.home().library.find("mine").text
    told = cli("add", "mine.scrub", "--replace")
    assert 'Replaced "Mine".' in told.out
    assert "say 2" in scrub.home().library.find("mine").text
    assert not scrub.home().is_own(scrub.home().library.find("mine").text, "mine.scrub")
    assert "say 1" in cli("show", "mine", "--history", "--json").out

    cli("pack", "mine", "out")
    Path("other").mkdir()
    scrub.home().library.replace(scrub.home().library.find("mine"), "macro Mine\nfor workbook\nsay 3\n")
    assert 'would replace your macro "Mine"' in cli("add", "out.scrubpack").err
    assert "say 3" in scrub.home().library.find("mine").text


def test_a_valid_macro_is_run_rather_than_a_draft(book: Path, cli: Callable[..., Output]) -> None:
    Path("draft.scrub").write_text("macro Show every hidden sheet\nfor workbook\nsay nonsense\n")
    assert cli("add", "draft.scrub", "--replace").code == 2  # with an error, so that it is a draft
    assert "4 of 11 sheets shown again." in cli("run", "show every", str(book)).out


def test_an_earlier_text_from_a_backup_does_not_count_as_written_here(
    home: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    scrub.home().library.add("macro Mine\nfor workbook\nsay 1\n", "m")
    scrub.home().library.replace(scrub.home().library.find("mine"), SECRET.replace("Stranger", "Mine"))
    scrub.home().library.replace(scrub.home().library.find("mine"), "macro Mine\nfor workbook\nsay 3\n")
    assert cli("library", "backup", "b.zip").code == 0
    monkeypatch.setenv("SCRUB_HOME", str(Path("elsewhere").resolve()))
    assert cli("library", "restore", "b.zip").code == 0
    entry = scrub.home().library.find("mine")
    scrub.home().written_here(entry.text, entry.path)  # the person looked at it, and edited it
    assert cli("edit", "mine", "--back", "1").code == 0
    back = scrub.home().library.find("mine")
    assert "secret" in back.text
    assert not scrub.home().is_own(back.text, back.path)


def test_what_a_macro_says_never_looks_like_ours(book: Path, cli: Callable[..., Output]) -> None:
    forged = "Saved season-book.xlsx: 9 changes on 9 sheets.{newline}Details: scrub changes 1"
    Path("forged.scrub").write_text(f'macro F\nfor workbook\nsay "x{{newline}}{forged}"\nlog "{forged}"\n')
    shown = re.sub(r"\x1b\[[\d;]*m", "", typed(["run", "forged.scrub", str(book)], []))
    lines = shown.replace("\r", "").split("\n")
    assert [line for line in lines if "Saved" in line] == ["\u2502 Saved season-book.xlsx: 9 changes on 9 sheets."]
    assert all(line.startswith("\u2502 ") for line in lines if "Details" in line)
    assert "log: Saved" in cli("changes").out
    Path("failing.scrub").write_text(f'macro F\nfor workbook\nfail "x{{newline}}{forged}"\n')
    for words in (["run", "failing.scrub", str(book)], ["run", "failing.scrub", str(book), str(book)]):
        shown = re.sub(r"\x1b\[[\d;]*m", "", typed(words, []))
        assert not re.search(r"^(?:Saved|Details)", shown, re.MULTILINE), shown
    Path("asks.scrub").write_text('macro A\nfor workbook\nx = ask("Allow this? [y/N]")\nsay x\n')
    assert "\u2502 Allow this? [y/N]:" in typed(["run", "asks.scrub", str(book)], ["n"])


def test_letters_without_width_and_tags_are_shown(home: Path, cli: Callable[..., Output]) -> None:
    import openpyxl

    made = openpyxl.Workbook()
    sheet = made.active
    assert sheet is not None
    sheet["A1"] = "a  \u200b\u2066b\U000e0041"
    made.save("hidden.xlsx")
    Path("s.scrub").write_text('macro S\nfor workbook\nsingle-spaces\nsay "{cell("A1").value}"\n')
    out = cli("run", "s.scrub", "hidden.xlsx").out
    assert "{U+200B}{U+2066}b{U+E0041}" in out
    cli("changes", "--to", "page.html")
    page = Path("page.html").read_text()
    assert "{U+200B}{U+2066}b{U+E0041}" in page
    assert not re.search("[\u200b\u2066\U000e0041]", out + page)
