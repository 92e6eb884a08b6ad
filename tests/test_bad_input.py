"""Bad input: a sentence that says where, what and how to mend it; the right exit code; no file changed."""

from __future__ import annotations

import os
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import SAMPLE, Output
from sheets import members
from test_workbook import rewritten

Cli = Callable[..., Output]


def refused(cli: Cli, path: Path | str, message: str, code: int = 1) -> None:
    """Runs a macro on a bad file: preview and real run say the same, and its bytes stay."""
    before = Path(path).read_bytes() if os.path.isfile(path) else None
    for words in (("run", "show every", path), ("run", "show every", path, "--preview"), ("inside", path)):
        found = cli(*words)
        if words[0] == "inside" and os.path.isdir(path):
            continue  # what is in a folder can be seen; a macro for workbooks cannot run on it
        if words[-1] != "--preview" or code == 1:
            assert message in found.err, (words, found)
            assert found.code == code
        assert "Traceback" not in found.err
        if code != 1:
            break
    assert before is None or Path(path).read_bytes() == before


def raw_zip(*parts: tuple[str, bytes], declared: int | None = None) -> bytes:
    """A zip package made by hand, so that it can be wrong."""
    body, directory = b"", b""
    for name, data in parts:
        packed = zlib.compress(data, 9)[2:-4]
        size = declared if declared is not None else len(data)
        common = struct.pack("<5H3L2H", 20, 0, 8, 0, 0x5821, zlib.crc32(data), len(packed), size, len(name), 0)
        directory += (
            b"PK\x01\x02" + struct.pack("<H", 20) + common + struct.pack("<3H2L", 0, 0, 0, 0, len(body)) + name.encode()
        )
        body += b"PK\x03\x04" + common + name.encode() + packed
    end = struct.pack("<4s4H2LH", b"PK\x05\x06", 0, 0, len(parts), len(parts), len(directory), len(body), 0)
    return body + directory + end


RELS = (
    "_rels/.rels",
    b'<Relationships><Relationship Id="r" Type="t/officeDocument" Target="xl/workbook.xml"/></Relationships>',
)


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"", "the file is empty"),
        (b"Guest;Nights\r\nMoss;2\r\n" * 20, "not an office file"),
        (SAMPLE.read_bytes()[:-30], "cut short"),
        (SAMPLE.read_bytes()[:9000], "cut short"),
        (SAMPLE.read_bytes()[:40] + SAMPLE.read_bytes()[3000:], "damaged"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600 + "EncryptedPackage".encode("utf-16-le"), "encrypted"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600, "older format with a new file extension"),
        (raw_zip(RELS, ("xl/workbook.xml", b"<workbook/>"), ("xl/workbook.xml", b"<workbook/>")), "two parts named"),
        (raw_zip(RELS, ("xl/Workbook.xml", b"<workbook/>"), ("xl/workbook.xml", b"<workbook/>")), "two parts named"),
        (raw_zip(RELS, ("xl/workbook.xml", b"\0" * (40 << 20))), "be an attack; Scrub"),
        (raw_zip(RELS, ("xl/workbook.xml", b"<workbook/>" * 99), declared=9), "is wrong"),
        (raw_zip(RELS, ("xl/workbook.xml", b'<!DOCTYPE a [<!ENTITY b "c">]><workbook/>')), "document type declaration"),
        (raw_zip(RELS, ("xl/workbook.xml", b"<workbook><sheets></workbook>")), "its XML is broken at line 1"),
        (raw_zip(RELS, ("xl/workbook.xml", "<workbook/>".encode("utf-16") + b"\0")), "UTF-16"),
        (raw_zip(RELS, ("xl/workbook.xml", b"<?xml version='1.0' encoding='x-none'?><workbook/>")), "encoded in x-none"),
        (raw_zip(RELS, ("word/document.xml", b"<document/>")), "workbook part is missing"),
        (raw_zip(("mimetype", b"application/vnd.oasis.opendocument.spreadsheet")), "not an .xlsx workbook"),
        (raw_zip(), "workbook part is missing"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)  # fmt: skip
def test_a_bad_package(cli: Cli, data: bytes, message: str) -> None:
    path = Path("bad.xlsx")
    path.write_bytes(data)
    refused(cli, path, message)
    assert cli("inside", path).err.startswith("bad.xlsx: ")


def test_a_flag_of_encryption_and_an_unknown_packing(cli: Cli) -> None:
    data = raw_zip(RELS, ("xl/workbook.xml", b"<workbook/>"))
    at = data.rindex(b"PK\x01\x02")
    Path("locked.xlsx").write_bytes(data[: at + 8] + b"\x01" + data[at + 9 :])
    refused(cli, "locked.xlsx", "the file is encrypted")
    Path("odd.xlsx").write_bytes(data[: at + 10] + b"\x63" + data[at + 11 :])
    refused(cli, "odd.xlsx", "a compression method (99) that office files do not use")


@pytest.mark.parametrize(
    ("name", "message"),
    [
        ("a.xls", ".xls is an older format. In its own program, save it as .xlsx"),
        ("a.xlsb", ".xlsb is a closed format"),
        ("a.numbers", ".numbers is a closed format"),
        ("a.odp", ".odp files cannot be"),
        ("a.exe", "Scrub cannot open .exe files"),
        ("a", "files without a file extension"),
    ],
)
def test_other_formats_are_told_what_to_save_as(cli: Cli, name: str, message: str) -> None:
    Path(name).write_bytes(b"some bytes")
    refused(cli, name, message)


def test_what_is_no_file(cli: Cli, book: Path) -> None:
    refused(cli, "nowhere.xlsx", "nowhere.xlsx: no such file")
    os.mkdir("folder.xlsx")
    refused(cli, "folder.xlsx", "this is a folder")
    assert "No file matches *.xlsm" in cli("run", "show every", "*.xlsm").err
    assert "add a file" in cli("run", "show every").err


def test_a_damaged_sheet_leaves_the_others_alone(cli: Cli, book: Path, tmp_path: Path) -> None:
    bad = rewritten(book, tmp_path, {"xl/worksheets/sheet4.xml": lambda part: part[:-40]}, name="bad.xlsx")
    before = bad.read_bytes()
    found = cli("run", "seal", bad, "--with", "code=x")
    assert found.code == 2
    assert "SCRUB_SECRET_SHEET_CODE" in found.err
    os.environ["SCRUB_SECRET_SHEET_CODE"] = "x"
    found = cli("run", "seal", bad)
    assert found.code == 1
    assert 'the sheet "Gannet Hut": its XML is broken' in found.err
    assert "Nothing was saved." in found.err
    assert bad.read_bytes() == before


def test_a_file_that_cannot_be_changed_now(cli: Cli, book: Path) -> None:
    book.chmod(0o444)
    found = cli("run", "show every", book)
    assert (found.code, "the file is read-only" in found.err) == (1, True)
    book.chmod(0o644)
    for owner, code in ((".~lock.season-book.xlsx#", 3), ("~$season-book.xlsx", 3)):
        Path(owner).write_bytes(b"Ann Moss,office," if owner[0] == "." else b"\x08Ann Moss")
        found = cli("run", "show every", book)
        assert found.code == code
        assert "another program has it open (Ann Moss). Close it" in found.err
        assert cli("run", "show every", book, "--preview").code == 0
        os.remove(owner)
    import fcntl

    with book.open("rb+") as held:
        fcntl.lockf(held, fcntl.LOCK_EX)
        # A process does not see its own lock of this sort, so another one asks.
        child = os.fork()
        if child == 0:
            os._exit(cli("run", "show every", book).code)
        assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 3
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_a_file_that_changes_while_it_is_worked_on(book: Path) -> None:
    import scrub

    edited = book.read_bytes()[:-1] + b"\1"

    class Meddler(scrub.QuietHost):
        def log(self, text: str) -> None:
            book.write_bytes(edited)

    found = scrub.run("show every", [str(book)], host=Meddler()).files[0]
    assert "another program changed the file during the run" in str(found.problem)
    assert book.read_bytes() == edited
    assert [path.name for path in book.absolute().parent.iterdir()] == [book.name]


def test_one_that_fails_does_not_stop_the_others(cli: Cli, book: Path) -> None:
    for name in ("a.xlsx", "c.xlsx"):
        Path(name).write_bytes(SAMPLE.read_bytes())
    Path("b.xlsx").write_bytes(b"not a workbook")
    found = cli("run", "show every", "*.xlsx")
    assert found.code == 1
    assert "Saved a.xlsx" in found.out
    assert "Saved c.xlsx" in found.out
    assert "Failed: 1 of 4 files\n  b.xlsx  not an office file" in found.err
    assert "b.xlsx" not in found.out
    assert cli("undo", "1").code == 0
    assert Path("c.xlsx").read_bytes() == SAMPLE.read_bytes()
    stopped = cli("run", "show every", "a.xlsx", "b.xlsx", "c.xlsx", "--stop")
    assert stopped.code == 1
    assert "Not run after the failure: c.xlsx" in stopped.err
    assert Path("c.xlsx").read_bytes() == SAMPLE.read_bytes()


def test_bad_macros(cli: Cli, book: Path) -> None:
    Path("empty.scrub").write_bytes(b"")
    assert "empty.scrub: 1 error\n\n   1 | " in cli("check", "empty.scrub").out
    assert cli("run", "empty.scrub", book).code == 2
    Path("latin.scrub").write_bytes("macro Gañet\nfor workbook\n".encode("latin-1"))
    found = cli("run", "latin.scrub", book)
    assert found.code == 2
    assert found.err == ("latin.scrub, line 1: the text is not UTF-8. Save it as UTF-8 in an editor\n")
    Path("wide.scrub").write_bytes("macro Gañet\r\nfor workbook\r\n".encode("utf-16"))
    assert cli("check", "wide.scrub").code == 0
    Path("zeros.scrub").write_bytes(b"macro X\0\nfor workbook\n")
    assert "not a macro: the file is not text" in cli("check", "zeros.scrub").err
    Path("huge.scrub").write_bytes(b"#" * (1 << 21))
    assert "file is larger than 1 MB" in cli("check", "huge.scrub").err
    assert "no such file" in cli("check", "none.scrub").err
    assert cli("check", "none.scrub").code == 1


def test_wrong_calls(cli: Cli, book: Path) -> None:
    assert 'Did you mean "macros"?' in cli("macro").err
    assert 'No macro "sael". Nearest: "Seal every sheet"' in cli("run", "sael", book).err
    assert 'The macro comes first, then the file: scrub run "seal"' in cli("run", book, "seal").err
    assert "The macro is missing" in cli("run", book).err
    assert '"every sheet" could be' in cli("run", "every sheet", book).err
    assert "no answer for" not in cli("run", "show every", book, "--preview").err
    missing = cli("run", "seal", book, "--no-questions")
    assert missing.code == 2
    assert 'No password for "sheet-code". Set the variable SCRUB_SECRET_SHEET_CODE' in missing.err
    assert 'does not ask for "huts"' in cli("run", "show every", book, "--with", "huts=8").err
    assert "--with NAME=VALUE" in cli("run", "show every", book, "--with", "huts").err
    assert cli("run").code == 2
    assert cli().code == 0
    assert "Start with: scrub demo" in cli().out
    assert cli("undo", "one").code == 2
    assert cli("run", "show every", book, "--no-such-option").code == 2
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_the_history_folder_cannot_be_written(cli: Cli, book: Path, home: Path) -> None:
    home.write_bytes(b"a file where the folder should be")
    found = cli("run", "show every", book)
    assert found.code == 1
    assert f"{home}: Scrub's own folder cannot be written" in found.err
    assert book.read_bytes() == SAMPLE.read_bytes()
    assert members(book)


def test_zip64_is_read(cli: Cli) -> None:
    with zipfile.ZipFile("wide.xlsx", "w") as package:
        for part, data in members(SAMPLE).items():
            with package.open(part, "w", force_zip64=True) as stream:
                stream.write(data)
    assert cli("run", "show every", "wide.xlsx").code == 0
    assert len(members("wide.xlsx")) == len(members(SAMPLE))


def test_a_package_with_wide_records(cli: Cli) -> None:
    """The zip64 end record and sizes (APPNOTE.TXT 4.3.14, 4.5.3), as a writer of very big files puts them."""
    parts = (
        RELS,
        (
            "xl/workbook.xml",
            b'<workbook xmlns:r="r"><sheets><sheet name="A" state="hidden" r:id="a"/><sheet name="B" r:id="b"/></sheets></workbook>',
        ),
    )
    body, directory = b"", b""
    for name, data in parts:
        packed = zlib.compress(data, 9)[2:-4]
        wide = struct.pack("<2H3Q", 1, 24, len(data), len(packed), len(body))
        fixed = struct.pack("<5HL", 45, 0, 8, 0, 0x5821, zlib.crc32(data))
        directory += b"PK\x01\x02" + struct.pack("<H", 45) + fixed + b"\xff" * 8
        directory += (
            struct.pack("<2H", len(name), len(wide))
            + struct.pack("<3HL", 0, 0, 0, 0)
            + b"\xff" * 4
            + name.encode()
            + wide
        )
        body += (
            b"PK\x03\x04" + fixed + struct.pack("<2L2H", len(packed), len(data), len(name), 0) + name.encode() + packed
        )
    end64 = struct.pack("<4sQ2H2L4Q", b"PK\x06\x06", 44, 45, 45, 0, 0, 2, 2, len(directory), len(body))
    locator = struct.pack("<4sLQL", b"PK\x06\x07", 0, len(body) + len(directory), 1)
    end = b"PK\x05\x06" + struct.pack("<2H", 0, 0) + b"\xff" * 12 + b"\0\0"
    whole = body + directory + end64 + locator + end
    Path("wide64.xlsx").write_bytes(whole)
    done = cli("run", "show every", "wide64.xlsx")
    assert done.code == 0, done.err
    assert b"hidden" not in members("wide64.xlsx")["xl/workbook.xml"]
    assert cli("undo").code == 0
    assert Path("wide64.xlsx").read_bytes() == whole
    Path("cut64.xlsx").write_bytes(body + directory + end)
    refused(cli, "cut64.xlsx", "its list of parts cannot be found")


@pytest.mark.parametrize("at", range(0, 60, 3))
def test_any_damaged_byte_is_told_or_harmless(cli: Cli, at: int) -> None:
    """One byte changed anywhere: a sentence, or a result that independent readers open; never a traceback."""
    data = bytearray(SAMPLE.read_bytes())
    place = at * len(data) // 60
    data[place] ^= 0x55
    Path("hit.xlsx").write_bytes(data)
    done = cli("run", "show every", "hit.xlsx")
    assert "mistake of its own" not in done.err
    if done.code == 0:
        before, after = _packed_parts(bytes(data)), _packed_parts(Path("hit.xlsx").read_bytes())
        assert {name for name in before if before[name] != after[name]} <= {"xl/workbook.xml"}
    else:
        assert done.err.startswith("Failed: hit.xlsx: ")
        assert Path("hit.xlsx").read_bytes() == data


def _packed_parts(data: bytes) -> dict[str, tuple[int, int]]:
    import io

    with zipfile.ZipFile(io.BytesIO(data)) as package:
        return {info.filename: (info.CRC, info.compress_size) for info in package.infolist()}
