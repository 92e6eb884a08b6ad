"""Files as other makers write them, changed for good by macros that are drawn: what is saved is read by others, and undo
brings back every byte.
"""

from __future__ import annotations

import mailbox
import random
import re
import shutil
import sqlite3
import zipfile
from collections import Counter
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import docx
import openpyxl
import pikepdf
from conftest import SAMPLE
from lxml import etree
from mails import Approving
from openpyxl.comments import Comment
from openpyxl.formatting import rule as rules
from openpyxl.styles import PatternFill
from openpyxl.worksheet.datavalidation import DataValidation
from openpyxl.worksheet.table import Table
from PIL import Image
from python_calamine import CalamineWorkbook
from sheets import schema_findings
from vocabulary_calls import drawn, fitting, macro_of

import scrub
import scrub.cli

DEMO = SAMPLE.parent
PASSWORD = "stove"
KINDS = {
    ".xlsx": "workbook", ".ods": "workbook", ".csv": "workbook", ".docx": "document", ".odt": "document", ".txt": "document", ".md": "document",
    ".mbox": "mailbox", ".eml": "message", ".pdf": "pdf", ".sqlite": "database", ".jpg": "image", ".png": "image",
}  # fmt: skip
SAMPLES = sorted(each.name for each in DEMO.iterdir() if each.suffix in KINDS)


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
    **dict.fromkeys((".xlsx", ".ods", ".docx", ".odt"), respelled), **dict.fromkeys((".csv", ".txt", ".md"), other_text),
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
        case ".odt" | ".ods":
            with zipfile.ZipFile(path) as package:
                if path.suffix == ".ods" and package.read("content.xml")[:40].lower().count(b"utf-8"):
                    CalamineWorkbook.from_path(str(path))  # which reads no other encoding
                for name in package.namelist():
                    if name.endswith(".xml") and package.getinfo(name).file_size:
                        etree.fromstring(package.read(name))
        case ".pdf":
            try:
                opened = pikepdf.open(path)
            except pikepdf.PasswordError:
                opened = pikepdf.open(path, password=PASSWORD)
            with opened as pdf:
                assert not pdf.check_pdf_syntax()
        case ".sqlite":
            link = sqlite3.connect(path)
            assert link.execute("PRAGMA integrity_check").fetchone() == ("ok",)
            link.close()
        case ".mbox":
            box = mailbox.mbox(path, create=False)
            assert all(each["subject"] is not None or each.keys() for each in box)
            box.close()
        case ".jpg" | ".png":
            with Image.open(path) as image:
                image.load()


# -- richer files, by chance


def rich_book(path: Path, chance: random.Random) -> None:
    """A workbook with what hangs on its cells: rules, links, comments, a table, names, merged cells, formulas."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = chance.choice(["Stays", "Larch Hut", "A'b", "2026"])
    sheet.append(["Hut", "Nights", "Guest", "Arrival"])
    rows = chance.randrange(3, 30)
    for number in range(rows):
        hut = chance.choice(["Larch", " Tarn  Hut ", "Gra\u00f1a", "=1", "6  kg", None])
        sheet.append(
            [hut, chance.choice([number, 2.5, "3", None]), f"Guest  {number % 5}", f"2026-05-0{1 + number % 9}"]
        )
    last = rows + 1

    def area() -> str:
        top, left = chance.randrange(1, last + 1), chance.choice("ABCD")
        return (
            f"{left}{top}:{chance.choice([each for each in 'ABCDE' if each >= left])}{chance.randrange(top, last + 3)}"
        )

    made: Any = rules  # which has no types
    fill = PatternFill("solid", bgColor="FFFFC7CE")
    for _ in range(chance.randrange(4)):
        rule: Any = chance.choice([
            made.CellIsRule(operator="greaterThan", formula=["$B$2"], fill=fill), made.FormulaRule(formula=["B2>$B$3"], fill=fill),
            made.ColorScaleRule(start_type="min", start_color="FFFFFF", end_type="max", end_color="FF0000"),
        ])  # fmt: skip
        sheet.conditional_formatting.add(area(), rule)
    for _ in range(chance.randrange(4)):
        rule = DataValidation(
            type=chance.choice(["list", "whole"]), formula1=chance.choice(['"a,b"', "$A$2:$A$4", "1"]), formula2="9"
        )
        rule.add(area())
        if chance.random() < 0.5:
            rule.add(area())
        sheet.add_data_validation(rule)
    for _ in range(chance.randrange(4)):
        cell = sheet[f"{chance.choice('ABC')}{chance.randrange(1, last + 1)}"]
        if chance.random() < 0.5:
            cell.hyperlink = chance.choice(["https://huts.example/a?b=1&c=2", "#Stays!A1"])
        else:
            cell.comment = Comment("Still  so?", "Ann")
    for _ in range(chance.randrange(3)):
        sheet[f"F{chance.randrange(2, last + 1)}"] = chance.choice(["=SUM(B2:B9)", "=B2*2", '=IF(A2="",0,B2)', "=F2+1"])
    if chance.random() < 0.4:
        sheet.add_table(Table(displayName="Stays_1", ref=f"A1:D{last}"))
    elif chance.random() < 0.4:
        sheet.merge_cells(f"H2:I{chance.randrange(2, 6)}")
    if chance.random() < 0.4:
        book.defined_names["Nights"] = openpyxl.workbook.defined_name.DefinedName(
            "Nights", attr_text=f"'{sheet.title.replace(chr(39), chr(39) * 2)}'!$B$2:$B$4"
        )
    if chance.random() < 0.4:
        sheet.freeze_panes = "B2"
    if chance.random() < 0.3:
        sheet.protection.enable()
    other = book.create_sheet("Other")
    other["A1"] = f"='{sheet.title.replace(chr(39), chr(39) * 2)}'!B2"
    if chance.random() < 0.5:
        other.sheet_state = "hidden"
    book.save(path)


def rich_box(path: Path, chance: random.Random) -> None:
    """A mailbox whose messages have spaces, blank lines and lines like the first one of a message where they may be."""
    pieces = []
    for number in range(chance.randrange(1, 6)):
        lines = [
            chance.choice(
                ["6  kg of wood", "", "  ", ">From the hut", "From: nobody", "a \t b", ".", "-- ", "\u00e4  \u00df"]
            )
            for _ in range(chance.randrange(8))
        ]
        subject = chance.choice(["Fwd:  Wood", "Re: Re: Hut", "=?utf-8?q?H=C3=BCtte?=", " ", "x" * 90])
        head = [
            f"From ann@moss.example Sat May  2 10:00:0{number} 2026",
            "From: Ann <ann@moss.example>",
            f"Subject: {subject}",
        ]
        pieces.append("\n".join([*head, f"Message-ID: <{number % 3}@huts.example>", "", *lines, "", ""]))
    text = "".join(pieces)
    if chance.random() < 0.3:
        text = text.rstrip("\n") + "\n"
    path.write_bytes(text.replace("\n", chance.choice(["\n", "\n", "\r\n"])).encode())


def rich_base(path: Path, chance: random.Random) -> None:
    """A database that does something else than it is told: conflict clauses, triggers, rules, odd keys and types."""

    def conflict() -> str:
        return chance.choice(["", "", " ON CONFLICT REPLACE", " ON CONFLICT IGNORE", " ON CONFLICT FAIL"])

    key = chance.choice([
        "id INTEGER PRIMARY KEY", "id INTEGER PRIMARY KEY AUTOINCREMENT", "id TEXT PRIMARY KEY", "id REAL PRIMARY KEY", "id",
        f"id TEXT COLLATE NOCASE UNIQUE NOT NULL{conflict()}",
    ])  # fmt: skip
    kind = chance.choice(["TEXT", "VARCHAR(5)", "NUMERIC", "BLOB", "", "TEXT COLLATE NOCASE"])
    link = sqlite3.connect(path)
    link.execute(
        f"CREATE TABLE night ({key}, hut {kind}{chance.choice(['', f' UNIQUE{conflict()}', f' NOT NULL{conflict()}', ' CHECK (length(hut) < 9)'])}, "
        f"nights INTEGER{chance.choice(['', ' DEFAULT 3', ' CHECK (nights < 99)'])}, note TEXT)"
    )
    link.execute("CREATE TABLE guest (id INTEGER PRIMARY KEY, name TEXT NOT NULL)")
    for number in range(chance.randrange(1, 12)):
        hut = chance.choice([f"Hut {number}", f" Tarn  {number} ", f"l\u00e4rche{number}"])
        link.execute(
            "INSERT OR IGNORE INTO night VALUES (?, ?, ?, ?)",
            (number, hut, chance.choice([None, 3, 8]), chance.choice([None, "a  b"])),
        )
        link.execute("INSERT INTO guest (name) VALUES (?)", (f"Guest  {number}",))
    for deed in chance.sample(["UPDATE", "INSERT", "DELETE"], chance.randrange(3)):
        row = "OLD" if deed == "DELETE" else "NEW"
        does = chance.choice([
            "SELECT RAISE(IGNORE)", "SELECT RAISE(ABORT, 'no')", f"UPDATE night SET note = upper(note) WHERE id = {row}.id",
            f"DELETE FROM guest WHERE id = {row}.id", "INSERT INTO guest (name) VALUES ('by the trigger')",
        ])  # fmt: skip
        link.execute(f"CREATE TRIGGER on_{deed} {chance.choice(['BEFORE', 'AFTER'])} {deed} ON night BEGIN {does}; END")
    link.commit()
    link.close()


_RICH = {".xlsx": rich_book, ".mbox": rich_box, ".sqlite": rich_base}


#: What the validator finds where the standard allows it: texts in their cells are as good as in a list, and the parts of
#: a font may come in any order (18.8.22).
_ADVICE = ("inline-string cell(s)", "Unexpected element 'sz'")


class Ruined(AssertionError):
    """A file that was saved, and is not what it has to be."""


class Knowing(Approving):
    """A person who approves, and knows the password."""

    def secret(self, question: object) -> str:
        return PASSWORD


@lru_cache(20_000)
def _fits(file: str, kind: str, line: str) -> bool:
    return bool(fitting(file, kind, [line]))


def contents(path: Path) -> object:
    """What undo has to bring back: every byte, and of a database every record and rule."""
    if path.suffix != ".sqlite":
        return path.read_bytes()
    link = sqlite3.connect(path)
    try:
        return sorted(link.iterdump())
    finally:
        link.close()


def _difference(old: object, new: object) -> str:
    if isinstance(old, list) and isinstance(new, list):
        return f"gone {[each for each in old if each not in new][:3]}, came {[each for each in new if each not in old][:3]}"
    return "other bytes"


def check_saved(chance: random.Random, folder: Path, tally: Counter[str]) -> None:
    """Changes a file of some other maker for good, a few times; what is saved is read by others, and all is undone."""
    ending = chance.choice(sorted(set(MAKERS) | set(_RICH)))
    path = folder / f"made{ending}"
    path.unlink(missing_ok=True)
    sources = [DEMO / name for name in SAMPLES if name.endswith(ending)]
    if ending == ".md":
        sources = [DEMO / "notice.txt"]
    if ending in _RICH and (not sources or chance.random() < 0.7):
        plain = folder / f"plain{ending}"
        plain.unlink(missing_ok=True)
        _RICH[ending](plain, chance)
        sources = [plain]
    MAKERS[ending](chance.choice(sources), path, chance)
    if not (folder / "seal.png").exists():
        shutil.copy(DEMO / "seal.png", folder / "seal.png")
    schemas = ending in (".xlsx", ".docx") and chance.random() < 0.1
    findings = schema_findings(path) if schemas else set()
    first, file = contents(path), KINDS[ending]
    runs, meddled = [], list[str]()  # what a trigger did besides is told, and stays
    for _ in range(chance.randrange(1, 4)):
        kind, lines = drawn(file, chance, 8)
        text = macro_of(file, kind, [line for line in lines if _fits(file, kind, line)])
        before = contents(path)
        result = scrub.run(text, [str(path)], preview=False, host=Knowing(), budget=200_000)
        problem = str(result.files[0].problem or "")
        if "bug in Scrub" in problem:
            raise Ruined(f"{problem}\n{text}")
        if result.files[0].problem is not None:
            tally["refused"] += 1
            if path.exists() and contents(path) != before:
                raise Ruined(f"refused, and changed: {problem}\n{text}")
            continue
        if result.number is not None and result.files[0].state == "changed":
            runs.append(result.number)
        meddled += [
            each for each in result.files[0].notes if "The database added" in each or "Undo cannot restore" in each
        ]
        if path.exists() and contents(path) != before:
            tally["saved"] += 1
            try:
                ensure_read_by_others(path)
                worse = (
                    {each for each in schema_findings(path) - findings if not any(word in each for word in _ADVICE)}
                    if schemas
                    else None
                )
                if worse:
                    raise Ruined(str(worse))
            except Exception as error:
                raise Ruined(f"{error!r}\n{text}") from error
        if not path.exists():
            break
    for number in reversed(runs):
        scrub.undo(number)
    if runs and not meddled and contents(path) != first:
        raise Ruined(f"undo did not bring it back: {_difference(first, contents(path))}")
    tally["undone"] += bool(runs)
