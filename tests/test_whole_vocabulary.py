"""Every field and action of every kind of item, on every sample and on files of other makers: whatever is asked for,
and with whatever values, ends in a result or in a sentence, and what was written is read by others.
"""

from __future__ import annotations

import random
import re
import shutil
import sqlite3
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path

import docx
import openpyxl
import pikepdf
import pytest
from conftest import FOR_EVER, SAMPLE
from lxml import etree
from mails import Approving
from PIL import Image
from sheets import schema_findings
from vocabulary_calls import drawn, fitting, macro_of, reachable, statements

import scrub

DEMO = SAMPLE.parent
KINDS = {
    ".xlsx": "workbook", ".csv": "workbook", ".docx": "document", ".odt": "document", ".txt": "document", ".md": "document",
    ".mbox": "mailbox", ".eml": "message", ".pdf": "pdf", ".sqlite": "database", ".jpg": "image", ".png": "image",
}  # fmt: skip
SAMPLES = sorted(each.name for each in DEMO.iterdir() if each.suffix in KINDS)
OFFICE = shutil.which("soffice")
#: What the office program here can open; that for workbooks is installed on its own.
OPENED = (".docx", ".odt", *((".xlsx",) if OFFICE and (Path(OFFICE).resolve().parent / "libsclo.so").exists() else ()))


@pytest.fixture(autouse=True)
def no_bug_is_hidden(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What nobody foresaw is raised as it is."""
    monkeypatch.setenv("SCRUB_TRACEBACK", "1")


class Answering(Approving):
    """A person who also knows the password."""

    def secret(self, question: object) -> str:
        return "stove"


def run(text: str, path: Path | str, preview: bool = True) -> scrub.FileResult:
    """The result; every failure is a sentence, and nothing that Python says."""
    found = scrub.run(text, [str(path)], preview=preview, host=Answering()).files[0]
    told = str(found.problem or "")
    assert not re.search(
        r"\b(KeyError|AttributeError|TypeError|ValueError|IndexError|NoneType|Traceback|object at 0x)\b", told
    ), told
    return found


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("name", SAMPLES)
def test_every_call_on_every_sample(name: str) -> None:
    shutil.copy(DEMO / name, name)
    shutil.copy(DEMO / "seal.png", "seal.png")
    before = Path(name).read_bytes()
    file = KINDS[Path(name).suffix]
    for kind in reachable(file):
        lines = fitting(file, kind, list(statements(kind)))
        for first in range(0, len(lines), 40):
            run(macro_of(file, kind, lines[first : first + 40]), name)
    assert Path(name).read_bytes() == before


@pytest.mark.timeout(FOR_EVER)
def test_every_call_on_a_folder() -> None:
    shutil.copytree(DEMO, "huts", ignore=shutil.ignore_patterns("*.py", "macros", "__pycache__"))
    for kind in reachable("folder"):
        lines = fitting("folder", kind, list(statements(kind)))
        for first in range(0, len(lines), 40):
            run(macro_of("folder", kind, lines[first : first + 40]), "huts")


# -- files as other makers write them

SPELLINGS: list[Callable[[bytes, random.Random], bytes]] = [
    lambda part, chance: re.sub(rb"<([\w:.-]+)((?:\s[^<>]*?)?)/>", rb"<\1\2></\1>", part),
    lambda part, chance: re.sub(rb"(<[\w:.-]+(?:\s[^<>]*?)?)\s*(/?>)", rb"\1 \2", part),
    lambda part, chance: re.sub(rb'="([^"\'<>]*)"', rb"='\1'", part),
    lambda part, chance: re.sub(rb"(</[\w:.-]+)>", rb"\1\n>", part),
    lambda part, chance: re.sub(rb"(<[\w:.-]+) ([\w:.-]+=)", rb"\1\n  \2", part),
    lambda part, chance: _as_lxml(part, "UTF-16"),
    lambda part, chance: _as_lxml(part, "ASCII"),
    lambda part, chance: _as_lxml(part, "ISO-8859-1"),
    lambda part, chance: _as_lxml(part, "windows-1252"),
    lambda part, chance: part,
]


def _as_lxml(part: bytes, encoding: str) -> bytes:
    made = etree.tostring(etree.fromstring(part).getroottree(), xml_declaration=True, encoding=encoding)
    assert isinstance(made, bytes)
    return made


def respelled(source: Path, path: Path, chance: random.Random) -> None:
    """A package with the same contents, in another legal spelling."""
    spell = chance.choice(SPELLINGS)
    with zipfile.ZipFile(source) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for each in old.infolist():
            data = old.read(each)
            if data and each.filename.endswith((".xml", ".rels")):
                data = spell(data, chance)
            new.writestr(each, data, zipfile.ZIP_STORED if each.filename == "mimetype" else zipfile.ZIP_DEFLATED)


def other_text(source: Path, path: Path, chance: random.Random) -> None:
    """The same characters with other ends of lines, in another encoding."""
    text = source.read_text(encoding="utf-8").replace("\r\n", "\n").replace("\n", chance.choice(["\n", "\r\n", "\r"]))
    encoding = chance.choice(["utf-8", "utf-8-sig", "utf-16", "windows-1252"])
    path.write_bytes(text.encode(encoding, "replace"))


def other_pdf(source: Path, path: Path, chance: random.Random) -> None:
    mode = chance.choice(list(pikepdf.ObjectStreamMode))
    with pikepdf.open(source) as pdf:
        pdf.save(
            path,
            object_stream_mode=mode,
            qdf=chance.random() < 0.3,
            linearize=False,
            compress_streams=chance.random() < 0.5,
        )


def other_base(source: Path, path: Path, chance: random.Random) -> None:
    old, new = sqlite3.connect(source), sqlite3.connect(path)
    new.execute(f"PRAGMA page_size = {chance.choice([512, 1024, 4096, 65536])}")
    new.execute(f"PRAGMA encoding = '{chance.choice(['UTF-8', 'UTF-16le', 'UTF-16be'])}'")
    new.executescript("\n".join(old.iterdump()))
    old.close()
    new.close()


def other_image(source: Path, path: Path, chance: random.Random) -> None:
    with Image.open(source) as image:
        if path.suffix == ".jpg":
            image.save(path, quality=chance.choice([30, 95]), progressive=chance.random() < 0.5)
        else:
            image.save(path, optimize=chance.random() < 0.5)


def other_mail(source: Path, path: Path, chance: random.Random) -> None:
    data = source.read_bytes().replace(b"\r\n", b"\n")
    path.write_bytes(data.replace(b"\n", chance.choice([b"\n", b"\r\n"])))


MAKERS: dict[str, Callable[[Path, Path, random.Random], None]] = {
    **dict.fromkeys((".xlsx", ".docx", ".odt"), respelled), **dict.fromkeys((".csv", ".txt", ".md"), other_text),
    ".pdf": other_pdf, ".sqlite": other_base, **dict.fromkeys((".jpg", ".png"), other_image),
    **dict.fromkeys((".mbox", ".eml"), other_mail),
}  # fmt: skip


def ensure_read_by_others(path: Path) -> None:
    """The usual library of each format opens it."""
    match path.suffix:
        case ".xlsx":
            openpyxl.load_workbook(path)
        case ".docx":
            docx.Document(str(path))
        case ".odt":
            with zipfile.ZipFile(path) as package:
                for name in package.namelist():
                    if name.endswith(".xml") and package.getinfo(name).file_size:
                        etree.fromstring(package.read(name))
        case ".pdf":
            with pikepdf.open(path) as pdf:
                assert not pdf.check_pdf_syntax()
        case ".sqlite":
            link = sqlite3.connect(path)
            assert link.execute("PRAGMA integrity_check").fetchone() == ("ok",)
            link.close()
        case ".jpg" | ".png":
            with Image.open(path) as image:
                image.load()


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("block", range(20))
def test_calls_by_chance_on_files_of_other_makers(block: int) -> None:
    shutil.copy(DEMO / "seal.png", "seal.png")
    changed = []
    for number in range(block * 10, block * 10 + 10):
        chance = random.Random(number)
        source = DEMO / SAMPLES[number % len(SAMPLES)]
        path = Path(f"made{number}{source.suffix}")
        MAKERS[source.suffix](source, path, chance)
        old = path.read_bytes()
        findings = schema_findings(path) if path.suffix in (".xlsx", ".docx") else set()
        file = KINDS[path.suffix]
        for _ in range(4):
            kind, lines = drawn(file, chance, 12)
            run(macro_of(file, kind, fitting(file, kind, lines)), path, preview=False)
        if path.exists() and path.read_bytes() != old:
            changed.append(path)
            ensure_read_by_others(path)
            if path.suffix in (".xlsx", ".docx"):
                assert schema_findings(path) <= findings, number
    if OFFICE is not None and block % 5 == 0:
        ensure_opens_in_an_office_program([each for each in changed if each.suffix in OPENED])


def ensure_opens_in_an_office_program(paths: list[Path]) -> None:
    """Every file is turned into a PDF by a real program, all in one go."""
    if not paths:
        return
    words = [str(OFFICE), f"-env:UserInstallation=file://{Path('profile').absolute()}", "--headless"]
    done = subprocess.run(
        [*words, "--convert-to", "pdf", "--outdir", "seen", *map(str, paths)],
        capture_output=True, text=True, timeout=FOR_EVER, check=False,
    )  # fmt: skip
    for path in paths:
        assert (Path("seen") / f"{path.stem}.pdf").exists(), f"{path}: {done.stderr}"
