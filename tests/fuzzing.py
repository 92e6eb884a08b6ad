"""Damaged inputs of every sort, made by chance from the samples, and what must never happen with them."""

from __future__ import annotations

import contextlib
import io
import os
import random
import shutil
import subprocess
import sys
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import pikepdf
import saving
from opentexts import AUTOMATIC, opentext

import scrub
import scrub.cli

DEMO = Path(scrub.__file__).parent / "demo"
#: What is put into files: what has broken readers before.
TOKENS = [
    b"\0", b"\xff\xfe", b"\xed\xa0\x80", b"&#0;", b"&#xD800;", b"&#99999999;", b"<a/>", b"</a>", b"<![CDATA[", b"<!--", b"]]>", b"<!DOCTYPE a>",
    b"-1", b"1E99999", b"NaN", b"x", b"", b"999999999999999999999", b'""', b"'", b"\r", b"\n", b"\n\n", b"From ", b"\nFrom a Sat May  2 10:00:00 2026\n",
    b"=?utf-8?b?", b"=?x?q?=?=", b"--", b"%", b"{", b"}", b"[]", b"null", b"{}", b"\\", b"/../", b"A1:XFD1048576", b"w:p", b"xml:space", b"\xe2\x80\xa8",
    b"endobj", b"stream", b"endstream", b"xref", b"<<", b">>", b"/Kids", b"/Length", b"1 0 R", b"999999 0 R", b"(", b"]", b"BT", b"q", b"Q", b"Do",
]  # fmt: skip
#: The commands that read our own records.
READERS: list[tuple[str, ...]] = [
    ("history",), ("macros",), ("changes",), ("pins",), ("settings",), ("undo",), ("outbox",), ("library",),
]  # fmt: skip
MACROS = {
    "workbook": "each sheet\nx = \"{sheet.name} {sheet.hidden} {sheet.protected}\"\neach cell\ny = cell.value\nz = cell.bold\nend\neach row\nw = row.height\nend\nsingle-spaces\nend\nread-numbers\neach sheet\nattempt\neach row where row.number.remainder(5) is 4\ndelete\nend\nif it fails\nend\nattempt\nin sheet.records\nsort by: sheet.records.headings.first\nend\nif it fails\nend\nattempt\nsheet.name = \"{sheet.number}\"\nif it fails\nend\nend",
    "document": "each change\nattempt\nif change.type is deletion\nreject\nelse\naccept\nend\nif it fails\nend\nend\nattempt\nreject-changes\nif it fails\nend\neach bookmark\nu = bookmark.name\nend\neach picture\npicture.alternative-text = \"w\"\nend\nattempt\neach field\nfix\nend\neach paragraph where paragraph.bold\nparagraph.colour = \"red\"\nend\neach table\nadd-row [1]\nend\nif it fails\nend\neach paragraph\nx = \"{paragraph.style} {paragraph.level}\"\nend\nsingle-spaces\nbind-units\njoin-lines\neach comment\ny = \"{comment.text} {comment.words}\"\nattempt\nreply \"z\"\nif it fails\nend\nend\neach picture\nattempt\nreplace-with \"SEAL\"\npicture.width = 3 cm\nif it fails\nend\nattempt\ndelete\nif it fails\nend\nend\neach paragraph\nattempt\ncomment-on \"why\"\nbookmark-as \"b{paragraph.number}\"\nlink-to \"https://x.example\"\nif it fails\nend\nend\nattempt\ndocument.tracks-changes = yes\neach table\neach record\ndelete\nend\nadd-row [2]\nend\nif it fails\nend\neach link\nz = link.address\nend\neach change\nw = change.author\nend",
    "mailbox": "each message\nx = \"{message.subject} {message.from} {message.date} {message.text} {message.size}\"\nmessage.subject = message.base-subject\neach attachment\ny = \"{attachment.name} {attachment.size}\"\nend\nend\nsingle-spaces\ndelete-duplicates",
    "message": "x = \"{message.subject} {message.to} {message.date} {message.text}\"\nmessage.subject = message.base-subject\nsingle-spaces\neach attachment\ny = \"{attachment.name} {attachment.type} {attachment.inline}\"\nend",
    "pdf": "x = \"{pdf.title} {pdf.author} {pdf.signed}\"\neach page\ny = \"{page.number} {page.text} {page.width} {page.rotation}\"\nend\nattempt\nstamp-text \"Draft\", place: middle, size: 60 pt, angle: 45, called: \"draft\"\nif it fails\nend\neach page where page.number is 2\nattempt\ndelete\nif it fails\nend\nend\nremove-metadata\neach outline-item\nz = outline-item.title\nend",
    "database": 'x = "{database.engine}"\neach table\ny = "{table.name}"\nsingle-spaces\nend\neach record in table("night") where record.nights is not empty and record.nights >= 3\nrecord.note = "x"\nend\nattempt\neach record in table("request") where record.answered\ndelete\nend\nif it fails\nend\nin table("guest")\nadd-record name: "x"\nend',
    "image": "x = \"{image.width} {image.height} {image.taken-at} {image.has-location} {image.upright} {image.format}\"\nattempt\nremove-location\nif it fails\nend\nattempt\nmake-upright\nif it fails\nend\nattempt\nturn to: right\nif it fails\nend\nattempt\nresize longest: 60\nif it fails\nend\nremove-metadata",
}  # fmt: skip
MACROS["document"] = MACROS["document"].replace("SEAL", str(DEMO / "seal.png"))
#: An Open Document text with all that the sample has not: tracked changes, links, looks, a picture, a field.
_RICH = opentext(
    '<text:tracked-changes text:track-changes="false">'
    '<text:changed-region text:id="c1"><text:insertion><office:change-info><dc:creator>Ann</dc:creator></office:change-info></text:insertion></text:changed-region>'
    '<text:changed-region text:id="c2"><text:deletion><office:change-info/><text:p>one</text:p><text:h text:outline-level="1">two</text:h></text:deletion></text:changed-region>'
    '<text:changed-region text:id="c3"><text:format-change><office:change-info/></text:format-change></text:changed-region></text:tracked-changes>'
    '<text:p text:style-name="Quote">a  <text:change-start text:change-id="c1"/><text:span text:style-name="T1">b <text:s/>6 kg</text:span></text:p>'
    '<text:p>c<text:change-end text:change-id="c1"/> d<text:change text:change-id="c2"/><text:a xlink:href="#e">link</text:a></text:p>'
    '<text:list><text:list-item><text:p><text:bookmark-start text:name="e"/>x<text:bookmark-end text:name="e"/><text:date>1 May</text:date></text:p></text:list-item></text:list>'
    '<table:table table:name="T"><table:table-row><table:table-cell office:value-type="string"><text:p>H</text:p></table:table-cell></table:table-row>'
    '<table:table-row><table:table-cell office:value-type="float" office:value="2"><text:p>2</text:p></table:table-cell></table:table-row></table:table>'
    '<text:p><draw:frame draw:name="f" svg:width="2cm"><draw:image xlink:href="a"/></draw:frame><office:annotation><dc:creator>Bo</dc:creator><text:p>no</text:p></office:annotation></text:p>',
    automatic=AUTOMATIC,
)
#: Inputs that are not sample.
_MADE = {"rich.odt": _RICH}
FILES = [
    name for name in sorted(os.listdir(DEMO)) if "." in name and not name.startswith("__") and not name.endswith(".py")
] + sorted(_MADE)
TEXTS = [path.read_text() for path in sorted((DEMO / "macros").glob("*.scrub"))]


def mutated(data: bytes, chance: random.Random) -> bytes:
    """The bytes with a few damages."""
    for _ in range(chance.randrange(1, 5)):
        at = chance.randrange(len(data) + 1)
        length = chance.choice((0, 1, 1, 2, 8, 64))
        how = chance.randrange(5)
        if how == 0:
            data = data[:at] + bytes(byte ^ (1 << chance.randrange(8)) for byte in data[at : at + 1]) + data[at + 1 :]
        elif how == 1:
            data = data[:at] + data[at + length :]
        elif how == 2:
            data = data[:at] + data[at : at + length] * chance.randrange(2, 9) + data[at:]
        elif how == 3:
            data = data[:at] + chance.choice(TOKENS) + data[at + length :]
        else:
            data = data[:at] if chance.random() < 0.2 else data
    return data


def unpacked(data: bytes) -> bytes:
    """A PDF with nothing packed in it, so that damages reach what is inside."""
    made = io.BytesIO()
    with pikepdf.open(io.BytesIO(data)) as pdf:
        pdf.save(made, compress_streams=False, stream_decode_level=pikepdf.StreamDecodeLevel.generalized)
    return made.getvalue()


def damaged(name: str, chance: random.Random) -> bytes:
    """A sample with damages: of the file, or of a part inside a package."""
    data = _MADE.get(name) or (DEMO / name).read_bytes()
    if name.endswith(".pdf") and chance.random() < 0.7:
        data = unpacked(data)
    if name.endswith((".jpg", ".png")) and chance.random() < 0.7:  # what is around the points
        return mutated(data[:1500], chance) + data[1500:]
    if not data.startswith(b"PK") or chance.random() < 0.15:
        return mutated(data, chance)
    made = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as new:
        names = [each for each in old.namelist() if each.endswith((".xml", ".rels"))]
        chosen = chance.choice(names)
        for each in old.namelist():
            part = old.read(each)
            new.writestr(each, inside(part, chance) if each == chosen else part)
    return made.getvalue()


def inside(part: bytes, chance: random.Random) -> bytes:
    """A part with damages; most of them leave it well formed, so that they reach what reads it."""
    if chance.random() < 0.3:
        return mutated(part, chance)
    for _ in range(chance.randrange(1, 4)):
        places = (
            [at for at in range(len(part)) if part[at : at + 1] == b'"']
            if len(part) < 40_000
            else [part.find(b'"', chance.randrange(len(part)))]
        )
        if len(places) >= 2:
            at = chance.randrange(len(places) // 2) * 2
            start, end = places[at] + 1, places[at + 1]
            part = (
                part[:start]
                + chance.choice([token for token in TOKENS if not set(b'"<&\0\xff\xed\xe2') & set(token)])
                + part[end:]
            )
    return part


class Broken(Exception):
    """Something happened that never may."""


def check_file(chance: random.Random, folder: Path) -> None:
    """Runs a macro on a damaged file, and looks into it."""
    name = chance.choice(FILES)
    path = folder / name
    path.write_bytes(damaged(name, chance))
    kind = (
        scrub.kind_of(name)
        if not name.endswith((".mbox", ".eml"))
        else "mailbox"
        if name.endswith(".mbox")
        else "message"
    )
    result = scrub.run(f"macro Fuzz\nfor {kind}\n{MACROS[kind]}\n", [str(path)], preview=True, budget=200_000)
    said = str(result.files[0].problem or "")
    if "bug in Scrub" in said:
        raise Broken(f"{name}: {said}")
    command("inside", str(path))


def check_macro(chance: random.Random, folder: Path) -> None:
    """Checks, tidies and shows a damaged macro."""
    text = mutated(chance.choice(TEXTS).encode(), chance).decode("utf-8", chance.choice(("replace", "surrogateescape")))
    scrub.check_text(text)
    with contextlib.suppress(scrub.ScrubError):
        scrub.tidy(text)
    path = folder / "m.scrub"
    path.write_bytes(text.encode("utf-8", "surrogatepass"))
    command(*chance.choice((("check",), ("show",), ("approve", "--yes"))), str(path))


def check_record(chance: random.Random, folder: Path) -> None:
    """Damages a record of our own, and calls what reads it."""
    home = Path(os.environ["SCRUB_HOME"])
    names = [path for path in home.rglob("*.json") if "aside" not in path.parts]
    if not names:
        scrub.run("macro A\nfor document\nsingle-spaces\n", [str(folder / "notice.txt")]) if (
            folder / "notice.txt"
        ).exists() else (folder / "notice.txt").write_text("a  b\n")
        command("settings", "name", "Fuzz")
        command("pin", "seal", "s")
        return
    path = chance.choice(names)
    before = path.read_bytes()
    path.write_bytes(mutated(before, chance))
    try:
        for words in chance.sample(READERS, 3):
            command(*words)
    finally:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(before)


def check_pack(chance: random.Random, folder: Path) -> None:
    """Adds a damaged pack, and restores a damaged backup."""
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        archive.writestr("01 One.scrub", chance.choice(TEXTS))
        archive.writestr("01 One files/a.txt", b"x")
        archive.writestr("library/One.scrub", chance.choice(TEXTS))
        archive.writestr("settings.json", b'{"editor": "x", "libraries": ["/tmp"]}')
    for name, words in (("p.scrubpack", ("add",)), ("b.zip", ("library", "restore"))):
        (folder / name).write_bytes(mutated(made.getvalue(), chance))
        command(*words, str(folder / name))


def command(*words: str) -> None:
    """A command, whose output says of no bug of its own and contains nothing raw."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        scrub.cli.run(list(words))
    said = out.getvalue() + err.getvalue()
    if "bug in Scrub" in said:
        raise Broken(f"{words}: {said[-400:]}")


def check_saved(chance: random.Random, folder: Path) -> None:
    """Changes a file for good, has it read by others, and undoes it."""
    saving.check_saved(chance, folder, TALLY)


#: A command whose process is killed by chance, with its words.
_COMMAND = "import sys, scrub.cli; sys.exit(scrub.cli.run(sys.argv[1:]))"


def check_killed(chance: random.Random, folder: Path) -> None:
    """Kills a process while it runs a macro on two files: each file is old or new, and the next command says so."""
    work = folder / "killed"
    shutil.rmtree(work, ignore_errors=True)
    work.mkdir()
    title, name = chance.choice(
        [("show every", "season-book.xlsx"), ("tidy the", "house-rules.docx"), ("clean a list", "bookings.csv"),
         ("mark the late", "huts.sqlite"), ("clean subjects", "bookings.mbox")]
    )  # fmt: skip
    path = work / name
    shutil.copyfile(DEMO / name, path)
    before = saving.contents(path)
    words = [sys.executable, "-c", _COMMAND, "run", title, str(path)]
    process = subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    with contextlib.suppress(subprocess.TimeoutExpired):
        process.wait(chance.random() * 0.4)
    process.kill()
    process.wait()
    told = scrub.recover()
    if any("could not be completed" in each or "unchanged" in each for each in told):
        raise Broken(f"{told}")
    now = saving.contents(path)
    last = next((each for each in scrub.history() if each.files and each.files[0].path == str(path)), None)
    done = last is not None and last.changes > 0 and not last.undone
    if now != before and not done:
        raise Broken(f"{name} was changed, and the history does not say so")
    if now != before:
        assert last is not None
        TALLY["finished after a kill"] += 1
        scrub.undo(last.number)
        if saving.contents(path) != before:
            raise Broken(f"{name}: undo did not bring it back")
    else:
        TALLY["untouched after a kill"] += 1
    if sorted(os.listdir(work)) != [name]:
        raise Broken(f"left behind: {sorted(os.listdir(work))}")


#: What became of the files that were changed for good.
TALLY: Counter[str] = Counter()
CHECKS: list[Callable[[random.Random, Path], None]] = [
    check_file,
    check_file,
    check_file,
    check_saved,
    check_saved,
    check_saved,
    check_macro,
    check_macro,
    check_record,
    check_pack,
]


def inputs(seed: int) -> Iterator[tuple[int, random.Random, Callable[[random.Random, Path], None]]]:
    """Endless inputs: the number of each, by which it can be made again, its chance, and its check."""
    number = seed
    while True:
        chance = random.Random(number)
        yield number, chance, check_killed if chance.random() < 0.005 else chance.choice(CHECKS)
        number += 1
