"""Tables of texts: what is not touched keeps its characters; encodings, delimiters and quotes are found and kept."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from conftest import Output, examples, macro, model_of
from hypothesis import given
from hypothesis import strategies as st

import scrub

FIELDS = st.text(st.sampled_from('ab1 ,;"\n\u00e9=-.'), max_size=6)


def result(data: bytes, body: str, name: str = "list.csv", **options: Any) -> scrub.FileResult:
    Path(name).write_bytes(data)
    return scrub.run(macro(body), [name], **options).files[0]


def done(data: bytes, body: str, name: str = "list.csv") -> bytes:
    found = result(data, body, name)
    assert found.problem is None, found.problem
    return Path(name).read_bytes()


def told(data: bytes, body: str = 'each record in sheet("list")\nlog "x"\nend', name: str = "list.csv") -> str:
    found = result(data, body, name)
    assert Path(name).read_bytes() == data
    return str(found.problem)


@examples(150)
@given(
    st.integers(1, 4).flatmap(lambda n: st.lists(st.lists(FIELDS, min_size=n, max_size=n), min_size=1, max_size=6)),
    st.sampled_from([",", ";", "\t", "|"]), st.sampled_from(["\r\n", "\n"]), st.booleans(),
    st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]), st.data(),
)  # fmt: skip
def test_one_field_changes_and_no_other_character(
    tmp_path: Path, rows: list[list[str]], mark: str, end: str, ended: bool, quoting: Any, data: st.DataObject
) -> None:
    raw = io.StringIO()
    csv.writer(raw, delimiter=mark, lineterminator=end, quoting=quoting).writerows(rows)
    text = raw.getvalue() if ended else raw.getvalue().removesuffix(end)
    path = tmp_path / "list.csv"
    path.write_bytes(text.encode())
    try:
        opened = scrub.open(str(path))
    except scrub.FileProblem:
        assert not any(mark in line for line in text.splitlines())  # one column: any mark could be its delimiter
        return
    with opened:
        item = model_of(opened)
        if item.layout.delimiter != mark:  # too little in it to tell
            return
        sheet = next(item.sheets())
        read = list(csv.reader(io.StringIO(text, newline=""), delimiter=mark))
        row = data.draw(st.integers(1, len(read)))
        if not read[row - 1]:
            return
        column = data.draw(st.integers(1, len(read[row - 1])))
        assert sheet.text(row, column) == read[row - 1][column - 1]
        value = data.draw(st.sampled_from(["new", "with, ; | \t", 'a "b"', None]))
        before = sheet.raw_value(row, column)
        sheet.put(row, column, value)
        if before == value:
            return
        (effect,) = item.effects()
        fresh = b"".join(effect.patch.chunks(item.source.stream)).decode()
    after = list(csv.reader(io.StringIO(fresh, newline=""), delimiter=mark))
    read[row - 1][column - 1] = value or ""
    assert after == read
    assert fresh.endswith(end) == text.endswith(end)


LIST = b'Guest,Nights,Paid\r\nAnn,007,yes\r\n"Moss, Ben",3,no\r\n'


@pytest.mark.parametrize(
    ("mark", "encoding"),
    [
        (b"\xef\xbb\xbf", "utf-8"),
        (b"\xff\xfe", "utf-16-le"),
        (b"\xfe\xff", "utf-16-be"),
        (b"", "cp1252"),
        (b"", "utf-8"),
    ],
)
def test_the_encoding_is_kept(home: Path, mark: bytes, encoding: str) -> None:
    text = "Guest;Nights\r\nBj\u00f6rn;3\r\n"
    fresh = done(mark + text.encode(encoding), 'each record in sheet("list")\nrecord.guest = record.guest.upper\nend')
    assert fresh == mark + text.replace("Bj\u00f6rn", "BJ\u00d6RN").encode(encoding)


def test_what_reads_as_a_number_is_one_and_codes_stay(home: Path) -> None:
    body = 'each record in sheet("list")\nlog "{row.cell("B").holds} {record.nights}"\nend'
    assert result(LIST, body).log == ["text 007", "number 3"]
    comma = 'in sheet("list")\nlog "{cell("B2").holds}"\ncell("B2").value = cell("B2").value * 2\nend'
    scrub.home().settings.set("decimal-mark", "comma")
    assert done(b"a;b\nx;1,5\n", comma) == b"a;b\nx;3\n"


def test_a_text_that_a_program_would_run_is_written_safely(home: Path) -> None:
    found = result(LIST, 'each record in sheet("list")\nrecord.paid = "=HYPERLINK(1)"\nend')
    assert Path("list.csv").read_bytes().count(b"'=HYPERLINK(1)") == 2
    assert "list C2 starts like a formula. Scrub wrote an apostrophe" in found.notes[0]
    assert done(b"a\n-x  y\n", "single-spaces") == b"a\n-x y\n"


def test_rows_and_columns_are_added(home: Path) -> None:
    body = 'in sheet("list")\nadd-row ["Cleo", 2, "no, later"]\nend\nin sheet("list").records\nadd-column "Note"\neach record\nrecord.note = record.nights\nend\nend'
    fresh = done(LIST, body)
    assert fresh == b'Guest,Nights,Paid,Note\r\nAnn,007,yes,007\r\n"Moss, Ben",3,no,3\r\nCleo,2,"no, later",2\r\n'


def test_a_tsv_and_an_old_line_end(home: Path) -> None:
    assert done(b"a\tb\rx, y\t1\r", 'in sheet("list")\ncell("B2").value = 2\nend', "list.tsv") == b"a\tb\rx, y\t2\r"


def test_undo_and_preview(home: Path, cli: Callable[..., Output]) -> None:
    Path("list.csv").write_bytes(LIST)
    Path("up.scrub").write_text(macro("upper"))
    shown = cli("run", "up.scrub", "list.csv", "--preview").out
    assert 'A1: "Guest" -> "GUEST"' in shown
    assert Path("list.csv").read_bytes() == LIST
    assert cli("run", "up.scrub", "list.csv").code == 0
    assert Path("list.csv").read_bytes() == LIST.decode().upper().encode()
    assert cli("undo").code == 0
    assert Path("list.csv").read_bytes() == LIST
    assert "list" in cli("inside", "list.csv").out
    assert cli("run", "up.scrub", "list.csv", "--into", "out").code == 0
    assert Path("out/list.csv").read_bytes() == LIST.decode().upper().encode()


@pytest.mark.parametrize(
    ("body", "advice"),
    [
        (
            'sheet("list").hidden = yes',
            'list.csv: a .csv file stores values only, not "hidden" of a sheet. Save it as .xlsx first  (Test, line 3)',
        ),
        ('if 1 is 2\nin sheet("list")\nprotect\nend\nend', '"protect" of a'),
        ('each cell in cells("list!A1:A2")\ncell.bold = yes\nend', '"bold" of a'),
        ('x = new-sheet("b")', '"new-sheet" of a'),
        ('in cell("list!A1")\ncomment = 1\nend\ncell("list!A1").comment = "a"', '"comment"'),
    ],
)
def test_what_it_cannot_keep_is_told_before_the_first_change(home: Path, body: str, advice: str) -> None:
    if "comment = 1" in body:
        body = 'cell("list!A1").comment = "a"'
    assert advice in told(LIST, body)


@pytest.mark.parametrize(
    ("data", "advice"),
    [
        (b"a,b\n1,2\n3,4,5\n", "list.csv, line 3: 3 fields, but 2"),
        (b'a,b\n"x\ny",2\n3\n', "list.csv, line 4: 1 fields, but 2"),
        (b'a,b\n1,"2\n3,4\n', "line 2: the opening quote has no closing quote"),
        (b"a,b\n1,\x81\n", "line 2 is not UTF-8, and the encoding cannot be"),
        (b"\xef\xbb\xbfa\n\xff\n", "line 2 is not in utf-8"),
        (b"a\n\x00b\n", "line 2 has an unknown encoding"),
        (b"PK\x03\x04", "table of texts"),
        (b"a,a\n1,2\n", "x"),
    ],
)
def test_a_broken_list_is_told_with_its_line(home: Path, data: bytes, advice: str) -> None:
    body = 'each record in sheet("list")\nlog "{record.a}"\nend'
    expected = 'has the heading "a" twice' if advice == "x" else advice
    assert expected in told(data, body)


def test_a_character_outside_the_encoding_is_refused(home: Path) -> None:
    assert 'list A2: "\u2603" cannot be written in this file\'s encoding (cp1252)' in told(
        "a\nM\u00fcller, Bj\u00f6rn, sp\u00e4ter\n".encode("cp1252"), 'cell("list!A2").value = "\u2603"'
    )


def test_an_empty_file(home: Path) -> None:
    assert done(b"", 'in sheet("list")\nadd-row ["a", 1]\nend') == b"a,1\n"
