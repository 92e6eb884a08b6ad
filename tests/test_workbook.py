"""Macros over real workbooks, checked by independent readers."""

from __future__ import annotations

import base64
import hashlib
import random
import re
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from conftest import SAMPLE, Output, macro
from openpyxl.utils.protection import hash_password
from sheets import changed_parts, load, members, schema_findings, states, without

import scrub
from scrub.formats.source import Source

SEAL = 'code = secret("code")\neach sheet\nprotect password: code\nend'
CODE = {"code": scrub.Secret("Lärche 7")}


def run(body: str, path: Path | str, **answers: Any) -> scrub.FileResult:
    result = scrub.run(macro(body), [str(path)], answers=answers)
    return result.files[0]


def opens(attributes: Any, password: str) -> bool:
    """The password check of the standard, rewritten from its text (ISO/IEC 29500-1, 18.3.1.85)."""
    value = hashlib.sha512(base64.b64decode(attributes.saltValue) + password.encode("utf-16-le")).digest()
    for turn in range(attributes.spinCount):
        value = hashlib.sha512(value + turn.to_bytes(4, "little")).digest()
    return bool(base64.b64encode(value).decode() == attributes.hashValue)


def test_showing_every_sheet_changes_the_workbook_part_alone(book: Path) -> None:
    found = run("each sheet\nsheet.hidden = no\nend", book)
    assert [str(change) for change in found.changes] == ["hidden: yes -> no"] * 4
    assert set(states(book).values()) == {"visible"}
    assert changed_parts(SAMPLE, book) == {"xl/workbook.xml"}
    old, new = members(SAMPLE)["xl/workbook.xml"], members(book)["xl/workbook.xml"]
    assert new == re.sub(rb' state="(hidden|veryHidden)"', b"", old)
    assert schema_findings(book) <= schema_findings(SAMPLE)


def test_hiding_brings_another_sheet_to_the_front(book: Path) -> None:
    run('in sheet("Larch Hut")\nsheet.hidden = yes\nend', book)
    seen = load(book)
    assert states(book)["Larch Hut"] == "hidden"
    assert seen.active.title == "Sorrel Hut"  # Kite Hut, the next one, is hidden itself
    selected = [sheet.title for sheet in seen.worksheets if sheet.sheet_view.tabSelected]
    assert selected == ["Sorrel Hut"]
    assert schema_findings(book) <= schema_findings(SAMPLE)


def test_sealing_closes_locked_cells_and_leaves_the_rest(book: Path) -> None:
    found = run(
        SEAL.replace("code\nend", "code, allow: [sort, filter, insert-links], select: open-cells\nend"), book, **CODE
    )
    assert found.problem is None
    seen, before = load(book), load(SAMPLE)
    for sheet in seen.worksheets:
        lock = sheet.protection
        assert (lock.sheet, lock.objects, lock.scenarios) == (True, True, True)
        assert (lock.sort, lock.autoFilter, lock.insertHyperlinks) == (False, False, False)
        assert (lock.formatCells, lock.deleteRows, lock.pivotTables) == (True, True, True)
        assert (lock.selectLockedCells, lock.selectUnlockedCells) == (True, False)
    assert seen["Larch Hut"]["A4"].protection.locked
    assert not seen["Larch Hut"]["C4"].protection.locked  # the input cell can still be filled in
    assert len({(sheet.protection.saltValue, sheet.protection.hashValue) for sheet in seen.worksheets}) == 1
    assert opens(seen["Totals"].protection, "Lärche 7")
    assert not opens(seen["Totals"].protection, "Larche 7")
    parts = changed_parts(SAMPLE, book)
    assert parts == {f"xl/worksheets/sheet{n}.xml" for n in range(1, 12)}
    for part in parts:
        old, new = members(SAMPLE)[part], members(book)[part]
        assert re.sub(rb"<sheetProtection [^>]*/>", b"", new) == old
    assert len(seen["Totals"]._charts) == len(before["Totals"]._charts) == 1
    assert schema_findings(book) <= schema_findings(SAMPLE)


def test_parts_are_read_side_by_side(tmp_path: Path) -> None:
    """Several threads pack the parts of one file: each must read its own range."""
    path = tmp_path / "any.bin"
    data = random.Random(1).randbytes(3_000_000)
    path.write_bytes(data)
    source = Source(str(path))

    def read(start: int) -> bool:
        return source.read(start, 30_000) == data[start : start + 30_000]

    with ThreadPoolExecutor(4) as pool:
        assert all(pool.map(read, [number * 7919 % 2_900_000 for number in range(3000)]))
    source.close()


def test_unsealing_with_the_right_password_gives_the_old_parts_back(book: Path) -> None:
    run(SEAL, book, **CODE)
    body = 'code = secret("code")\neach sheet\nunprotect password: code\nend'
    wrong = run(body, book, code=scrub.Secret("wrong"))
    assert "a different password" in str(wrong.problem)
    assert not wrong.changes
    none = run("each sheet\nunprotect\nend", book)
    assert "its password. Write: unprotect" in str(none.problem)
    assert len(run(body, book, **CODE).changes) == 11
    assert members(book) == members(SAMPLE)


def test_an_existing_protection_gives_way_only_to_its_password(book: Path) -> None:
    run(SEAL, book, **CODE)
    assert "different password" in str(run(SEAL, book, code=scrub.Secret("other")).problem)
    assert run(SEAL, book, **CODE).state == "unchanged"
    changed = run(SEAL.replace("password: code", "password: code, allow: [sort]"), book, **CODE)
    assert {str(change) for change in changed.changes} == {
        "protected: yes, with a password -> yes, with a password, allow: [sort]"
    }
    open_one = run("each sheet\nprotect\nend", book)
    assert "needs its password" in str(open_one.problem)


def test_without_a_password_anyone_can_lift_it(book: Path) -> None:
    assert len(run("each sheet\nprotect\nend", book).changes) == 11
    assert len(run("each sheet where sheet.protected\nunprotect\nend", book).changes) == 11
    assert members(book) == members(SAMPLE)


@pytest.mark.parametrize("password", ["larch", "a", "Hut 7!", "x" * 15])
def test_older_hashes_are_verified(tmp_path: Path, password: str) -> None:
    path = tmp_path / "old.xlsx"
    made: Any = openpyxl.Workbook()
    made.active.protection.set_password(password)
    made.active.protection.enable()
    made.save(path)
    assert hash_password(password)
    body = 'code = secret("code")\neach sheet\nunprotect password: code\nend'
    assert "different password" in str(run(body, path, code=scrub.Secret(password + "?")).problem)
    assert run(body, path, code=scrub.Secret(password)).problem is None
    assert not load(path).active.protection.sheet


def test_an_unknown_hash_is_refused(book: Path, tmp_path: Path) -> None:
    run(SEAL, book, **CODE)
    strange = rewritten(book, tmp_path, {"xl/worksheets/sheet1.xml": lambda part: part.replace(b"SHA-512", b"WHIRL")})
    assert 'hashed with "WHIRL"' in str(
        run('code = secret("c")\neach sheet\nunprotect password: code\nend', strange, **CODE).problem
    )


def test_a_field_is_not_set_to_nothing(book: Path) -> None:
    found = run("each sheet\nsheet.hidden = nothing\nend", book)
    assert '"hidden" is yes or no, not nothing' in str(found.problem)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_the_last_visible_sheet_stays(book: Path) -> None:
    found = run("each sheet\nsheet.hidden = yes\nend", book)
    assert '"Totals" is the last visible sheet' in str(found.problem)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_a_locked_structure_is_respected(book: Path, tmp_path: Path) -> None:
    locked = rewritten(
        book,
        tmp_path,
        {
            "xl/workbook.xml": lambda part: part.replace(
                b"<bookViews>", b'<workbookProtection lockStructure="1"/><bookViews>'
            )
        },
    )
    assert "structure of the workbook is protected" in str(run("each sheet\nsheet.hidden = no\nend", locked).problem)


def test_chart_sheets_and_odd_spellings(tmp_path: Path) -> None:
    path = tmp_path / "charts.xlsx"
    made = xlsxwriter.Workbook(str(path))
    sheet = made.add_worksheet("Rock & 'Ice' <x>")
    sheet.write("A1", 1)
    chart = made.add_chart({"type": "line"})
    chart.add_series({"values": "='Rock & ''Ice'' <x>'!$A$1"})
    made.add_chartsheet("Plot").set_chart(chart)
    made.close()
    prefixed = rewritten(
        path,
        tmp_path,
        {
            "xl/worksheets/sheet1.xml": lambda part: re.sub(
                rb"<(/?)(?!\?)", rb"<\1x:", part.replace(b"xmlns=", b"xmlns:x=")
            ).replace(b"<x:?", b"<?"),
            "xl/workbook.xml": lambda part: part.replace(b'name="Plot"', b"name='Plot'   state = 'hidden' "),
        },
    )
    found = run("each sheet\nsheet.hidden = no\nprotect\nend\nsay sheet(\"rock & 'ice' <X>\").name", prefixed)
    assert found.said == ["Rock & 'Ice' <x>"]
    assert [str(change) for change in found.changes] == ["protected", "hidden: yes -> no", "protected"]
    parts = members(prefixed)
    assert b"<x:sheetProtection " in parts["xl/worksheets/sheet1.xml"]
    assert re.search(
        rb'<sheetViews>.*</sheetViews><sheetProtection content="1" objects="1"/>', parts["xl/chartsheets/sheet1.xml"]
    )
    assert set(states(prefixed).values()) == {"visible"}


def test_macros_inside_a_workbook_are_left_alone(book: Path, tmp_path: Path) -> None:
    with_macros = rewritten(
        book,
        tmp_path,
        {"[Content_Types].xml": lambda part: part.replace(b"sheet.main+xml", b"sheet.main+xml")},
        name="season-book.xlsm",
        added={"xl/vbaProject.bin": bytes(range(256)) * 20},
    )
    before = members(with_macros)
    assert run("each sheet\nsheet.hidden = no\nend", with_macros).state == "changed"
    assert members(with_macros)["xl/vbaProject.bin"] == before["xl/vbaProject.bin"]


def test_values_and_lookups_of_a_workbook(book: Path) -> None:
    body = (
        'say "{workbook.name}: {count(sheet)} sheets, {count(sheet where sheet.hidden)} hidden"\n'
        'if sheet("Nowhere") is missing and sheet("totals") exists\nsay "{sheet("Totals").number}"\nend\n'
        "each sheet as leaf where leaf.number > 10\nsay leaf.name\nend\n"
        'in sheet("Kite Hut")\nsay "{sheet.hidden} {sheet.protected}"\nend'
    )
    assert run(body, book).said == ["season-book.xlsx: 11 sheets, 4 hidden", "9", "Lists", "yes no"]
    missing = str(run('in sheet("Kitehut")\nsheet.hidden = no\nend', book).problem)
    assert 'no sheet "Kitehut". Did you mean "Kite Hut"?' in missing
    assert "There are: Larch Hut, Kite Hut" in missing
    assert "and 3 more" in missing


def test_changes_there_and_back_are_none(book: Path) -> None:
    found = run("each sheet\nprotect\nunprotect\nend", book)
    assert (found.state, list(found.changes)) == ("unchanged", [])
    rolled = 'attempt\neach sheet\nsheet.hidden = no\nend\nfail "no"\nif it fails\nsay problem\nend'
    assert run(rolled, book).state == "unchanged"
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_skip_by_kind_finish_and_fail(book: Path) -> None:
    body = 'each sheet\neach n in [1, 2]\nif n is 2\nskip sheet\nend\nlog "{sheet.number}"\nend\nend'
    assert run(body, book).log == [str(n) for n in range(1, 12)]
    failed = run('each sheet\nsheet.hidden = no\nif sheet.name is "Lists"\nfail "lists"\nend\nend', book)
    assert str(failed.problem) == "lists  (Test, line 6)"
    assert book.read_bytes() == SAMPLE.read_bytes()


def rewritten(
    path: Path,
    folder: Path,
    edits: dict[str, Callable[[bytes], bytes]],
    name: str = "edited.xlsx",
    added: dict[str, bytes] | None = None,
) -> Path:
    """A copy of a package with some parts edited, written by the standard library."""
    target = folder / name
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as package:
        for part, data in members(path).items():
            package.writestr(part, edits.get(part, bytes)(data))
        for part, data in (added or {}).items():
            package.writestr(part, data)
    return target


def test_python_callers_change_and_save_a_file(book: Path) -> None:
    with scrub.open(str(book)) as opened:
        for sheet in opened.item.sheets():
            sheet.hidden = False
        assert len(opened.changes) == 4
        number = opened.save("Shown from Python")
    assert number == 1
    assert set(states(book).values()) == {"visible"}
    scrub.undo(number)
    assert book.read_bytes() == SAMPLE.read_bytes()
    with scrub.open(str(book)) as opened:
        assert opened.save("Nothing") is None


def test_what_a_part_holds_beside_the_change_is_the_same(book: Path, cli: Callable[..., Output]) -> None:
    run(SEAL, book, **CODE)
    for part, data in members(book).items():
        if part.startswith("xl/worksheets/sheet"):
            assert without(data, "sheetProtection") == without(members(SAMPLE)[part])


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ((b'spinCount="100000"', b'spinCount="99999999999"'), "the limit of the standard"),
        ((b'spinCount="100000"', b'spinCount="many"'), "the password's hash cannot be read"),
        ((b'saltValue="', b'saltValue="!'), "the password's hash cannot be read"),
        ((b'algorithmName="SHA-512"', b'algorithmName="SHA-256"'), "different password"),
    ],
)
def test_a_damaged_protection_is_refused(book: Path, tmp_path: Path, change: tuple[bytes, bytes], message: str) -> None:
    run(SEAL, book, **CODE)
    bad = rewritten(book, tmp_path, {"xl/worksheets/sheet1.xml": lambda part: part.replace(*change)})
    found = run('code = secret("c")\neach sheet\nunprotect password: code\nend', bad, **CODE)
    assert message in str(found.problem)
    assert '"Larch Hut"' in str(found.problem)


def test_a_damaged_old_hash_is_refused(book: Path, tmp_path: Path) -> None:
    bad = rewritten(
        book,
        tmp_path,
        {
            "xl/worksheets/sheet1.xml": lambda part: part.replace(
                b"</sheetData>", b'</sheetData><sheetProtection sheet="1" password="zz"/>'
            )
        },
    )
    assert "the password's hash is not a number" in str(
        run('code = secret("c")\neach sheet\nunprotect password: code\nend', bad, **CODE).problem
    )


def test_a_protection_that_is_switched_off_is_none(book: Path, tmp_path: Path) -> None:
    off = rewritten(
        book,
        tmp_path,
        {
            "xl/worksheets/sheet1.xml": lambda part: part.replace(
                b"</sheetData>", b'</sheetData><sheetProtection sheet="0" password="CC1A"/>'
            )
        },
    )
    found = run('in sheet("Larch Hut")\nsay "{sheet.protected}"\nunprotect\nprotect\nend', off)
    assert found.said == ["no"]
    assert [str(change) for change in found.changes] == ["protected"]
    assert members(off)["xl/worksheets/sheet1.xml"].count(b"sheetProtection") == 1


def test_a_part_that_is_missing_or_strange(book: Path, tmp_path: Path) -> None:
    gone = rewritten(
        book,
        tmp_path,
        {"xl/_rels/workbook.xml.rels": lambda part: part.replace(b"worksheets/sheet3.xml", b"worksheets/sheet33.xml")},
    )
    assert 'the part of the sheet "Sorrel Hut" is missing' in str(run("each sheet\nprotect\nend", gone).problem)
    assert run("each sheet\nsheet.hidden = no\nend", gone).state == "changed"
    macro_sheet = rewritten(
        book, tmp_path, {"xl/worksheets/sheet2.xml": lambda part: part.replace(b"worksheet", b"macrosheet")}
    )
    assert "an old type of sheet that cannot be protected" in str(run("each sheet\nprotect\nend", macro_sheet).problem)


def test_a_signature_no_longer_holds(book: Path, tmp_path: Path) -> None:
    signed = rewritten(book, tmp_path, {}, added={"_xmlsignatures/sig1.xml": b"<Signature/>"})
    assert "digital signature. After" in run("each sheet\nsheet.hidden = no\nend", signed).notes[0]
    assert run("each sheet\nlog sheet.name\nend", signed).notes == []


def _instead(new: bytes, part: bytes) -> bytes:
    return new


def test_cells_are_left_out_only_where_that_is_exact(book: Path, tmp_path: Path) -> None:
    """Comments, CDATA and odd endings make the exact way the slow way; the result is the same."""
    from scrub.formats.workbook.part import without_cells

    plain = members(SAMPLE)["xl/worksheets/sheet1.xml"]
    assert without_cells(plain)[2] > 1000
    for odd in (
        plain.replace(b"<sheetData>", b"<!-- <sheetData> --><sheetData>"),
        plain.replace(b"</sheetData>", b"<!-- x --></sheetData>"),
        plain.replace(b"<v>", b"<v><![CDATA[]]>", 1),
        plain.replace(b"<pageMargins", b"<?x <sheetData ?><pageMargins"),
    ):
        assert without_cells(odd)[2] == 0
        strange = rewritten(book, tmp_path, {"xl/worksheets/sheet1.xml": partial(_instead, odd)})
        assert len(run("each sheet\nprotect\nend", strange).changes) == 11
        now = members(strange)["xl/worksheets/sheet1.xml"]
        assert re.sub(rb"<sheetProtection [^>]*/>", b"", now) == odd
        assert re.search(rb"</sheetData>(<\?x [^>]*>)?<sheetProtection", now)
