"""Records of .csv files with all their fields, times with their seconds, and lines of new text files."""

from __future__ import annotations

import csv
from datetime import datetime
from pathlib import Path

import openpyxl
import pytest
from conftest import examples, macro
from hypothesis import given
from hypothesis import strategies as st
from mails import Approving
from test_structure import done

import scrub


def rows(path: Path, delimiter: str = ",") -> list[list[str]]:
    with path.open(newline="") as stream:
        return list(csv.reader(stream, delimiter=delimiter))


@given(
    st.lists(
        st.lists(st.sampled_from(["nothing", '"a"', '"x y"', "3"]), min_size=1, max_size=3), min_size=1, max_size=4
    ),
    st.sampled_from([",", ";", "\t"]),
    st.sampled_from(["\n", "\r\n"]),
    st.booleans(),
)
@examples(30)
def test_every_row_has_all_its_fields(
    home: Path, added: list[list[str]], delimiter: str, end: str, ended: bool
) -> None:
    path = Path("huts.tsv" if delimiter == "\t" else "huts.csv")
    old = delimiter.join("abc") + end + delimiter.join("123") + (end if ended else "")
    path.write_bytes(old.encode())
    steps = "".join(f"add-row [{', '.join(each)}]\n" for each in added)
    done(f'in sheet("huts").records()\n{steps}end', path)
    found = rows(path, delimiter)
    assert len(found) == 2 + len(added)
    assert {len(each) for each in found} == {3}
    said = {"nothing": "", '"a"': "a", '"x y"': "x y", "3": "3"}
    assert found[2:] == [[said[value] for value in each] + [""] * (3 - len(each)) for each in added]
    scrub.undo()
    assert path.read_bytes() == old.encode()


def test_a_new_heading_gives_every_record_a_field(home: Path) -> None:
    path = Path("huts.csv")
    path.write_text("a,b\n1,2\n\n3,4\n")
    done(
        'in sheet("huts").records()\nadd-column "c"\nend\neach record in sheet("huts") where record.a is 1\nrecord.c = "x"\nend',
        path,
    )
    assert path.read_text() == "a,b,c\n1,2,x\n\n3,4,\n"
    done('each record in sheet("huts")\nlog record.c\nend', path)


def test_a_table_made_anew_has_all_its_fields(home: Path) -> None:
    Path("in.csv").write_text("x\n1\n")
    body = 'list = new-file("list.csv")\nin list.sheet("list")\nrow(1).cell("A").value = "Hut"\nrow(1).cell("B").value = "Nights"\nrow(1).cell("C").value = "Note"\nend\nin list.sheet("list").records()\nadd-row ["Larch", 3]\nadd-row [nothing]\nadd-row ["Birch"]\nend'
    found = scrub.run(macro(body), ["in.csv"], host=Approving()).files[0]
    assert found.problem is None, str(found.problem)
    assert rows(Path("list.csv")) == [["Hut", "Nights", "Note"], ["Larch", "3", ""], ["", "", ""], ["Birch", "", ""]]


@pytest.mark.parametrize(("moment", "written"), [
    (datetime(2026, 5, 1, 14, 30, 45), "2026-05-01T14:30:45"), (datetime(2026, 5, 1, 14, 30), "2026-05-01T14:30"),
])  # fmt: skip
def test_times_keep_their_seconds(home: Path, moment: datetime, written: str) -> None:
    book = openpyxl.Workbook()
    assert book.active is not None
    book.active["A1"] = moment
    book.save("times.xlsx")
    body = 'list = new-file("list.csv")\nx = cell("A1").value\nin list.sheet("list")\ncell("A1").value = x\nend'
    found = scrub.run(macro(f'in sheet("Sheet")\n{body}\nend'), ["times.xlsx"], host=Approving()).files[0]
    assert found.problem is None, str(found.problem)
    assert Path("list.csv").read_text() == f"{written}\n"


def test_a_new_text_begins_with_its_first_line(home: Path) -> None:
    Path("in.csv").write_text("x\n1\n")
    body = 'all = new-file("all.txt")\nin all\nadd-paragraph "one"\nadd-paragraph "two"\nend'
    found = scrub.run(macro(body), ["in.csv"], host=Approving()).files[0]
    assert found.problem is None, str(found.problem)
    assert Path("all.txt").read_text() == "one\ntwo\n"
    Path("empty.txt").write_bytes(b"")
    found = scrub.run(macro('add-paragraph "one"', "document"), ["empty.txt"]).files[0]
    assert Path("empty.txt").read_text() == "one\n"
    scrub.undo()
    assert Path("empty.txt").read_bytes() == b""
