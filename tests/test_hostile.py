"""Hostile files and macros end with a sentence, in bounded time and memory, and hold back no other file."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
import xlsxwriter
from conftest import FOR_EVER, SAMPLE, Output, macro, some
from mails import Approving

import scrub

Change = Callable[[bytes], bytes]
SHEET, STRINGS = "xl/worksheets/sheet1.xml", "xl/sharedStrings.xml"


def put(old: bytes, new: bytes) -> Change:
    return lambda data: data.replace(old, new, 1)


#: What is done to a part of a workbook.
ATTACKS: dict[str, tuple[str, Change]] = {
    "eight million elements": (SHEET, put(b"</sheetData>", b"</sheetData>" + b"<a/>" * 8_000_000)),
    "a huge exponent": (SHEET, put(b"<v>5</v>", b"<v>1E999999999</v>")),
    "cells that never close": (SHEET, put(b"<v>5</v></c>", b"<v>5</v></c>" + b"<c>" * 20_000)),
    "texts that never close": (STRINGS, put(b"</sst>", b"<si>" * 20_000 + b"</sst>")),
    "an address of ten letters": (SHEET, put(b'r="A2"', b'r="AAAAAAAAAA2"')),
    "an address without letters": (SHEET, put(b'r="A2"', b'r="-2"')),
    "an address of other letters": (SHEET, put(b'r="A2"', b'r="@2"')),
    "an attribute that is no text": (SHEET, put(b'<c r="A2"', b'<c r="A2" \xa0x="1"')),
    "a text that is not in UTF-8": (STRINGS, put(b"<t>a</t>", b"<t>a\xa0</t>")),
    "row 2147483648": (SHEET, put(b'<row r="2"', b'<row r="2147483648"')),
    "both corners": (SHEET, lambda data: data.replace(b'r="A2"', b'r="XFD1048576"').replace(b'<row r="2"', b'<row r="1048576"')),
    "a style that is no number": (SHEET, put(b'<c r="A2"', b'<c r="A2" s="x"')),
    "a style below all": (SHEET, put(b'<c r="A2"', b'<c r="A2" s="-5"')),
    "a font below all": ("xl/styles.xml", put(b'fontId="0"', b'fontId="-9"')),
    "a fill below all": ("xl/styles.xml", put(b'fillId="0"', b'fillId="-9"')),
    "a theme colour below all": ("xl/styles.xml", put(b'theme="1"', b'theme="-99"')),
    "an author below all": ("xl/comments1.xml", put(b'authorId="0"', b'authorId="-9"')),
    "a text that is missing": (SHEET, put(b'<c r="A1" t="s"><v>0</v>', b'<c r="A1" t="s"><v>99</v>')),
    "a height that is no number": (SHEET, put(b'<row r="2"', b'<row r="2" ht="x"')),
    "columns without numbers": (SHEET, put(b"<sheetData>", b'<cols><col min="x" max="y" width="z"/></cols><sheetData>')),
    "a NUL": (SHEET, put(b"<v>5</v>", b"<v>&#0;</v>")),
    "a lone surrogate": (SHEET, put(b"<v>5</v>", b"<v>&#xD800;</v>")),
    "comments without end": ("xl/comments1.xml", lambda data: data.replace(b"</commentList>", b"".join(b'<comment ref="A%d" authorId="0"><text><t>x</t></text></comment>' % i for i in range(1, 400_001)) + b"</commentList>")),
    "the same comment a million times": ("xl/comments1.xml", put(b"</commentList>", b'<comment ref="A1" authorId="0"><text><t>x</t></text></comment>' * 1_000_000 + b"</commentList>")),
    "90,000 comments": ("xl/comments1.xml", lambda data: data.replace(b"</commentList>", b"".join(b'<comment ref="A%d" authorId="0"><text><t>x</t></text></comment>' % i for i in range(1, 90_001)) + b"</commentList>")),
    "a million turns of the password": (SHEET, put(b"</sheetData>", b'</sheetData><sheetProtection sheet="1" algorithmName="SHA-512" hashValue="AAAA" saltValue="AAAA" spinCount="9999999"/>')),
    "wide merges over each other": (SHEET, put(b"</sheetData>", b"</sheetData><mergeCells>" + b"".join(b'<mergeCell ref="A%d:ZZ%d"/>' % (i, i + 130) for i in range(1, 20_000)) + b"</mergeCells>")),
    "150,000 merges": (SHEET, put(b"</sheetData>", b"</sheetData><mergeCells>" + b"".join(b'<mergeCell ref="A%d:B%d"/>' % (i * 2 + 1, i * 2 + 2) for i in range(150_000)) + b"</mergeCells>")),
}  # fmt: skip

LOOK = """
import re, resource, sys
resource.setrlimit(resource.RLIMIT_AS, (3 << 30, 3 << 30))
import scrub
body = 'macro T\\nfor workbook\\neach cell\\nx = cell.value\\nend\\nsingle-spaces\\neach sheet\\ny = "{sheet.name}"\\nend\\neach cell\\nv = "{cell.fill} {cell.colour} {cell.bold}"\\nend\\neach row\\nz = row.number\\nend\\neach sheet\\neach comment\\nu = comment.text\\nend\\neach merged-range\\nunmerge\\nend\\nend\\n'
texts = 'macro T\\nfor workbook\\nsingle-spaces\\nread-numbers\\n'
print([str(scrub.run(each, sys.argv[1:], preview=True).files[0].problem) for each in (body, texts)])
print(re.search("VmHWM:\\\\s*(\\\\d+)", open("/proc/self/status").read())[1])
"""


def hostile(name: str) -> Path:
    path = Path("hostile.xlsx")
    made = xlsxwriter.Workbook("plain.xlsx")
    sheet = made.add_worksheet("S")
    sheet.write(0, 0, "a")
    sheet.write(1, 0, 5)
    sheet.write_comment(0, 0, "b")
    made.close()
    part, change = ATTACKS[name]
    with zipfile.ZipFile("plain.xlsx") as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for each in old.namelist():
            data = old.read(each)
            new.writestr(each, change(data) if each == part else data)
    return path


@pytest.mark.parametrize("name", some(ATTACKS, 25))
def test_a_hostile_workbook_ends_with_a_sentence(home: Path, name: str) -> None:
    path = hostile(name)
    words = [sys.executable, "-c", LOOK, str(path)]
    found = subprocess.run(words, capture_output=True, text=True, check=False, timeout=FOR_EVER)
    assert found.returncode == 0, found.stderr[-500:]
    said, memory = found.stdout.strip().splitlines()
    assert "is a bug" not in said
    assert "bug in Scrub" not in said
    assert int(memory) < 300_000  # in KB; what a process has before it opens anything is some 25,000


def test_a_bad_file_holds_back_no_other(home: Path) -> None:
    hostile("a style that is no number").rename("bad.xlsx")
    hostile("a NUL")
    result = scrub.run(
        macro('each sheet\nin cell("A2")\ncell.value = 7\nend\nend'.replace("in cell", "in sheet.cell")),
        ["bad.xlsx", "plain.xlsx"],
    )
    assert [file.state for file in result.files][1] == "changed"
    assert "Traceback" not in str(result.files[0].problem)


def test_a_pipe_is_no_file(home: Path, cli: Callable[..., Output]) -> None:
    for name in ("pipe.csv", "pipe.xlsx", "pipe.eml", "pipe.mbox", "pipe.docx", "pipe.txt", "pipe.odt"):
        os.mkfifo(name)
        told = cli("inside", name)
        assert (told.code, "a pipe or a device" in told.err) == (1, True), name
    os.mkfifo("pipe.scrub")
    assert "a pipe or a device" in cli("check", "pipe.scrub").err
    assert "a pipe or a device" in cli("inside", "/dev/zero").err or cli("inside", "/dev/zero").code == 1


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("ending", ["csv", "xlsx", "docx", "odt", "txt", "eml", "mbox", "pdf", "jpg", "sqlite"])
def test_a_file_that_is_mostly_nothing_is_not_read(home: Path, cli: Callable[..., Output], ending: str) -> None:
    name = f"large.{ending}"
    with open(name, "wb") as stream:
        stream.truncate(90 * 10**9)
    told = cli("inside", name)
    assert told.code == 1
    if ending != "sqlite":  # which is told by its first bytes
        assert "it has 90 GB, and is read up to 10 GB" in told.err
        assert "scrub settings max-gigabytes 90" in told.err
    os.remove(name)
    assert cli("settings", "max-gigabytes", "many").code == 2
    assert cli("settings", "max-gigabytes", "20").code == 0


@pytest.mark.timeout(FOR_EVER)
def test_a_pipe_among_messages_is_none(home: Path, cli: Callable[..., Output]) -> None:
    for folder in ("cur", "new", "tmp"):
        Path("box", folder).mkdir(parents=True)
    Path("box/cur/1:2,S").write_bytes(b"Subject: a\n\nb\n")
    os.mkfifo("box/cur/2:2,S")
    os.mkfifo("box/new/3")
    found = scrub.run(macro('log "{count(message)}"\neach message\nlog message.subject\nend', "mailbox"), ["box"])
    assert found.files[0].log == ["1", "a"]


@pytest.mark.timeout(FOR_EVER)
def test_a_pipe_in_the_place_of_what_lies_beside_a_file_is_not_waited_for(
    home: Path, cli: Callable[..., Output]
) -> None:
    shutil.copyfile(SAMPLE, "book.xlsx")
    for owner in (".~lock.book.xlsx#", "~$book.xlsx", "~$ok.xlsx"):
        os.mkfifo(owner)
        assert "another program has it open" in cli("run", "show every", "book.xlsx").err
        os.remove(owner)
    Path(".~lock.book.xlsx#").write_bytes(b"\x1b[31mEve\r\nSaved book.xlsx: 1 change.,host;")
    told = cli("run", "show every", "book.xlsx").err
    assert "({U+001B}[31mEve Saved book.xlsx: 1 change.)" in told
    os.remove(".~lock.book.xlsx#")
    os.mkfifo("backup.zip")
    assert "not a file: a pipe or a device" in cli("library", "restore", "backup.zip").err
    os.mkfifo("seal.png")
    Path("mine.scrub").write_text('macro Mine\nfor pdf\neach page\nstamp-picture own-file("seal.png")\nend\n')
    assert "a pipe or a device" in cli("add", "mine.scrub", "--file", "seal.png").err
    os.mkfifo(home / "pins.json")
    assert "not a file: a pipe or a device" in cli("pins").err


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("ending", ["-journal", "-wal", "-shm"])
def test_a_pipe_beside_a_database_is_not_waited_for(home: Path, cli: Callable[..., Output], ending: str) -> None:
    shutil.copyfile(SAMPLE.parent / "huts.sqlite", "huts.sqlite")
    os.mkfifo(f"huts.sqlite{ending}")
    for words in (("inside", "huts.sqlite"), ("run", "mark who", "huts.sqlite")):
        told = cli(*words)
        assert (told.code != 0, f"huts.sqlite{ending} beside it is not a file" in told.err) == (True, True)


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize(
    ("kind", "file", "line"),
    [
        ("pdf", "route-cards.pdf", 'each page\nstamp-picture "pipe"\nend'),
        ("pdf", "route-cards.pdf", 'append "pipe"'),
        ("image", "larch-hut.jpg", 'stamp-picture "pipe"'),
        ("message", "water.eml", 'note = reply(text: "x")\nin note\nattach "pipe"\nend'),
    ],
)
def test_a_pipe_that_a_macro_names_is_no_file(home: Path, kind: str, file: str, line: str) -> None:
    shutil.copyfile(SAMPLE.parent / file, file)
    os.mkfifo("pipe")
    problem = scrub.run(macro(line, kind), [file], host=Approving()).files[0].problem
    assert "pipe cannot be read: not a file: a pipe or a device" in str(problem)


@pytest.mark.parametrize(("body", "what"), [
    ('t = "aaaaaaaaaa"\n40 times\nt = "{t}{t}"\nend', "text of 167,772,160 characters is too long;"),
    ('t = "a".padded(10000000000)', "."),
])  # fmt: skip
def test_a_value_has_a_size_at_most(home: Path, body: str, what: str) -> None:
    import re

    problem = scrub.run(macro(body, "nothing")).files[0].problem
    assert re.search(what, str(problem or "")), problem


def test_work_without_end_is_ended_by_the_clock(
    home: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also where each turn is allowed to fail. Here a minute goes by whenever the clock is looked at."""
    monkeypatch.setattr("scrub.runner.execution.time.process_time", iter(range(0, 10**6, 60)).__next__)
    body = "n = 0\nwhile yes\nattempt\nn = 1 / 0\nif it fails\nn = 1\nend\nend"
    assert "worked 10 minutes on this file without" in str(scrub.run(macro(body, "nothing")).files[0].problem)
    assert cli("settings", "max-minutes", "soon").code == 2
    assert cli("settings", "max-minutes", "1").code == 0
    told = str(scrub.run(macro(body, "nothing")).files[0].problem)
    assert "worked 1 minute on this" in told
    assert "scrub settings max-minutes 10" in told


@pytest.mark.everything
def test_limits_can_be_raised(home: Path, cli: Callable[..., Output]) -> None:
    path = hostile("eight million elements")
    told = cli("inside", str(path))
    assert "To open it anyway: scrub settings max-elements 3500000" in told.err
    assert cli("settings", "max-elements", "none").code == 2
    assert cli("settings", "max-elements", "700000").code == 0
    assert "more than 700,000 elements" in cli("inside", str(path)).err


@pytest.mark.timeout(FOR_EVER)  # a trillion checks would take longer
def test_macros_that_run_each_other_twice_are_checked_once_each(home: Path) -> None:
    library = scrub.home().library
    for level in range(40):
        body = "say 1" if not level else f'run "M{level - 1}"\nrun "M{level - 1}"'
        library.add(f"macro M{level}\nfor nothing\n{body}\n", "m")
    program = scrub.program("M39")
    assert len(program.texts) == 40
    assert len(program.fingerprint) == 64
    library.add('macro A\nfor nothing\nrun "B"\nrun "C"\n', "m")
    library.add('macro B\nfor nothing\nrun "C"\n', "m")
    library.add('macro C\nfor nothing\nrun "D"\n', "m")
    library.add('macro D\nfor nothing\nrun "B"\n', "m")
    with pytest.raises(scrub.ScrubError, match='"B" would run itself: A runs B runs C runs D runs B'):
        scrub.program("A")
    assert "would run itself: D runs B runs C runs D" in str(scrub.check("D")[0])


@pytest.mark.everything
@pytest.mark.timeout(FOR_EVER)
def test_a_thousand_broken_lines_are_mended_in_time(home: Path) -> None:
    text = "macro T\nfor nothing\n" + "\n".join('say "' + "x {" * 300 for _ in range(1000))
    assert scrub.mended(text)


def test_names_of_every_sort(home: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch) -> None:
    import io

    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(b"a\0b.csv\0")))
    assert "Failed: 2 of 2 files\n  a      no such file" in cli("run", "show every", "-").err  # as `find -print0` lists
    name = os.fsdecode(b"n\xff.csv")
    Path(name).write_text("a\n1  2\n")
    Path("s.scrub").write_text(
        'macro S\nfor workbook\nsingle-spaces\nsay "{sheet(1)}"\n'.replace('\nsay "{sheet(1)}"', "")
    )
    assert cli("run", "s.scrub", name).code == 0
    assert Path(name).read_text() == "a\n1 2\n"
    for words in (("changes",), ("history",), ("changes", "--json"), ("inside", name), ("undo",)):
        found = cli(*words)
        assert found.code == 0, found.err
        (found.out + found.err).encode()
    assert Path(name).read_text() == "a\n1  2\n"
