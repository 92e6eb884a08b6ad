"""What no change touches keeps its bytes; undo gives back the first file, redo the second."""

from __future__ import annotations

import io
import random
import struct
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from conftest import SAMPLE, Output, examples, macro
from hypothesis import given
from hypothesis import strategies as st
from sheets import changed_parts, members, states

import scrub
from scrub.store.patch import Copy, Patch, digest

MANGLE = macro(
    "each sheet\nif sheet.number is 2\nsheet.hidden = no\nend\nif sheet.number > 1\nprotect allow: [sort]\nend\nend"
)

REQUIRED = (
    ("[Content_Types].xml", '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"/>'),
    ("_rels/.rels", '<Relationships><Relationship Id="r1" Type="t/officeDocument" Target="xl/workbook.xml"/></Relationships>'),
    (
        "xl/workbook.xml",
        '<?xml version="1.0"?>\r\n<!-- made by hand --><m:workbook xmlns:m="urn:m" xmlns:q="urn:q">'
        "<m:sheets><m:sheet name='one' q:id='a'/><m:sheet\n  name='two' state = \"veryHidden\" q:id='b' />"
        "<m:sheet name='t&amp;3' q:id='c'></m:sheet></m:sheets><?pi x?></m:workbook>",
    ),
    (
        "xl/_rels/workbook.xml.rels",
        "<Relationships><Relationship Id='a' Target='s/1.xml'/><Relationship Id='b' Target='/xl/s/2.xml'/>"
        "<Relationship Id='c' Target='s/3%20b.xml'/></Relationships>",
    ),
    ("xl/s/1.xml", "<worksheet><sheetData/></worksheet>"),
    ("xl/s/2.xml", "<worksheet><!-- sheetData --><sheetData ><row><c t='a>b'/></row></sheetData  ><pageMargins/></worksheet>"),
    ("xl/s/3 b.xml", "<w:worksheet xmlns:w='u'><w:sheetPr/><w:sheetData><w:row>\u00e9</w:row></w:sheetData></w:worksheet>\n"),
)  # fmt: skip


@st.composite
def packages(draw: st.DrawFn) -> bytes:
    """A workbook as various writers pack it: order, methods, levels, descriptors, comments, extras, other parts."""
    parts: list[tuple[str, bytes]] = [(name, text.encode()) for name, text in REQUIRED]
    names = draw(
        st.lists(st.from_regex(r"[a-z]{1,8}/[\wéß]{1,6}\.(bin|xml)", fullmatch=True), max_size=4, unique_by=str.lower)
    )
    parts += [(name, draw(st.binary(max_size=300))) for name in names]
    chance = random.Random(draw(st.integers()))
    chance.shuffle(parts)
    raw = io.BytesIO()
    streaming = draw(st.booleans())

    class Unseekable(io.RawIOBase):
        """Makes the writer use data descriptors, as it does for a pipe."""

        def writable(self) -> bool:
            return True

        def write(self, data: Any) -> int:
            return raw.write(data)

    raw.write(draw(st.binary(max_size=20)) if not streaming else b"")
    with zipfile.ZipFile(Unseekable() if streaming else raw, "a" if not streaming else "w") as package:
        package.comment = draw(st.binary(max_size=30).filter(lambda comment: b"PK" not in comment))
        for name, data in parts:
            info = zipfile.ZipInfo(name, (2026, chance.randint(1, 12), 1, 2, 4, 6))
            info.compress_type = chance.choice([zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED])
            info.external_attr = chance.choice([0, 0o644 << 16])
            info.extra = chance.choice([b"", struct.pack("<2H", 0xCAFE, 2) + b"hi"])
            info.comment = chance.choice([b"", b"note"])
            package.writestr(info, data, compresslevel=chance.choice([1, 6, 9]))
    return raw.getvalue()


@examples(60)
@given(packages())
def test_any_package_keeps_what_is_not_changed(tmp_path: Path, data: bytes) -> None:
    old, path = tmp_path / "old.xlsx", tmp_path / "book.xlsx"
    old.write_bytes(data)
    path.write_bytes(data)
    result = scrub.run(MANGLE, [str(path)])
    assert result.files[0].problem is None
    new = path.read_bytes()
    assert changed_parts(old, path) == {"xl/workbook.xml", "xl/s/2.xml", "xl/s/3 b.xml"}
    assert members(path)["xl/workbook.xml"] == members(old)["xl/workbook.xml"].replace(b' state = "veryHidden"', b"")
    lock = b'sheetProtection sheet="1" objects="1" scenarios="1" sort="0"/>'
    assert members(path)["xl/s/2.xml"] == members(old)["xl/s/2.xml"].replace(b"<pageM", b"<" + lock + b"<pageM")
    assert members(path)["xl/s/3 b.xml"] == members(old)["xl/s/3 b.xml"].replace(b"</w:w", b"<w:" + lock + b"</w:w")
    with zipfile.ZipFile(old) as before, zipfile.ZipFile(path) as after:
        for one, other in zip(before.infolist(), after.infolist(), strict=True):
            assert (one.filename, one.date_time, one.comment) == (other.filename, other.date_time, other.comment)
            assert (one.external_attr, one.extra) == (other.external_attr, other.extra)
        assert before.comment == after.comment
    scrub.undo(result.number)
    assert path.read_bytes() == data
    scrub.redo(result.number)
    assert path.read_bytes() == new


@examples(200)
@given(st.binary(max_size=200), st.data())
def test_a_patch_and_its_inverse(old: bytes, data: st.DataObject) -> None:
    copy = st.tuples(st.integers(0, len(old)), st.integers(0, len(old))).map(
        lambda two: Copy(min(two), max(two) - min(two))
    )
    pieces = data.draw(st.lists(st.one_of(st.binary(max_size=20), copy), max_size=8))
    patch = Patch(digest(old), len(old), pieces)
    new = b"".join(patch.chunks(io.BytesIO(old)))
    again = Patch.load(b"".join(patch.dump()))
    assert b"".join(again.chunks(io.BytesIO(old))) == new
    import scrub.store.patch as module

    whole, module.WHOLE_UP_TO = module.WHOLE_UP_TO, -1
    try:
        back = patch.inverse(io.BytesIO(old), digest(new), len(new))
    finally:
        module.WHOLE_UP_TO = whole
    assert b"".join(back.chunks(io.BytesIO(new))) == old


@pytest.mark.parametrize("comment", [b"PK\5\6", b"PK\5\6 and more, PK\5\6" + b"x" * 30, b"PK\5\6" * 8])
def test_a_comment_may_look_like_the_end_of_a_package(cli: Callable[..., Output], comment: bytes) -> None:
    """The standard library's own reader is misled by such a comment, so Scrub reads back what it wrote."""
    path = Path("comment.xlsx")
    with zipfile.ZipFile(path, "w") as package:
        for name, text in REQUIRED:
            package.writestr(name, text)
        package.comment = comment
    before = path.read_bytes()
    assert cli("run", "show every", path).code == 0
    assert path.read_bytes().endswith(comment)
    assert "hidden" not in cli("inside", path).out.replace("hidden. More", "")
    assert cli("undo").code == 0
    assert path.read_bytes() == before


def made_by_openpyxl(path: Path) -> None:
    made = openpyxl.Workbook()
    for name in ("One", "Two", "Three"):
        made.create_sheet(name).append([1, "a", None, 2.5])
    made["Two"].sheet_state = "veryHidden"
    made.save(path)


def made_by_xlsxwriter(path: Path) -> None:
    made = xlsxwriter.Workbook(str(path), {"constant_memory": True, "use_zip64": True})
    for name in ("One", "Two", "Three"):
        made.add_worksheet(name).write_row(0, 0, [1, "a", 2.5])
    made.get_worksheet_by_name("Two").very_hidden()
    made.close()


@pytest.mark.parametrize("make", [made_by_openpyxl, made_by_xlsxwriter])
def test_files_of_independent_writers(tmp_path: Path, make: Callable[[Path], None]) -> None:
    old, path = tmp_path / "old.xlsx", tmp_path / "book.xlsx"
    make(old)
    path.write_bytes(old.read_bytes())
    result = scrub.run(macro("each sheet\nsheet.hidden = no\nprotect\nend"), [str(path)])
    assert set(states(path).values()) == {"visible"}
    assert all(sheet.protection.sheet for sheet in openpyxl.load_workbook(path).worksheets)
    changed_parts(old, path)
    scrub.undo(result.number)
    assert path.read_bytes() == old.read_bytes()


@pytest.mark.everything
def test_undo_of_a_big_file_is_small(tmp_path: Path, home: Path) -> None:
    path = tmp_path / "big.xlsx"
    made = xlsxwriter.Workbook(str(path), {"constant_memory": True})
    chance = random.Random(1)
    sheet = made.add_worksheet("Big")
    made.add_worksheet("Hidden").hide()
    for row in range(60_000):
        sheet.write_row(row, 0, [chance.random(), chance.random(), chance.random()])
    made.close()
    first = path.read_bytes()
    assert len(first) > 1 << 21
    number = scrub.run("show every", [str(path)]).number
    assert (home / "runs" / str(number) / "1.undo").stat().st_size < 5000
    sealed = scrub.run(macro("each sheet\nprotect\nend"), [str(path)])
    assert (home / "runs" / str(sealed.number) / "1.undo").stat().st_size < 50_000
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == first


def test_undo_is_refused_after_an_edit_and_copies_beside(book: Path, cli: Callable[..., Output]) -> None:
    cli("run", "show every", book)
    book.write_bytes(book.read_bytes() + b" ")
    refused = cli("undo")
    assert refused.code == 3
    assert "the file was edited since" in refused.err
    copied = cli("undo", "--copy")
    assert copied.code == 0
    assert "season-book (before run 1).xlsx" in copied.out
    assert Path("season-book (before run 1).xlsx").read_bytes() == SAMPLE.read_bytes()


def test_undo_goes_by_runs(book: Path, cli: Callable[..., Output]) -> None:
    cli("run", "show every", book)
    cli("run", "ready", book)
    refused = cli("undo", 1)
    assert refused.code == 3
    assert "run 2 changed the file since. Undo that one first: scrub undo 2" in refused.err
    assert cli("undo").code == 0
    assert cli("undo").code == 0
    assert book.read_bytes() == SAMPLE.read_bytes()
    assert cli("undo").code == 2
    assert cli("undo", "--redo").code == 0
    assert set(states(book).values()) == {"visible"}
    assert cli("undo", 9).err == "No run 9. List them: scrub history\n"


def test_mode_and_links_stay(book: Path) -> None:
    book.chmod(0o640)
    link = Path("link.xlsx")
    link.symlink_to(book)
    scrub.run("show every", ["link.xlsx"])
    assert link.is_symlink()
    assert book.stat().st_mode & 0o777 == 0o640
    assert set(states(book).values()) == {"visible"}
