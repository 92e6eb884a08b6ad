"""Tables as data frames and back, and what notebooks show."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pandas
import pytest
from conftest import SAMPLE
from hypothesis import given
from hypothesis import strategies as st
from sheets import load

import scrub

ROOT = Path(__file__).parent.parent


def written(*rows: list[Any]) -> str:
    book = openpyxl.Workbook()
    for row in rows:
        book.worksheets[0].append(row)
    book.save("table.xlsx")
    return "table.xlsx"


def table_of(file: scrub.OpenFile) -> scrub.Table:
    table: scrub.Table = file.item.sheets()[0].as_table()
    return table


def test_a_frame_has_a_type_for_each_column(home: Path) -> None:
    when = datetime(2026, 7, 1, 8, 30)
    path = written(
        ["Guest", "Nights", "Price", "Paid", "Arrival", "At", "Mixed", "Nothing", "Big"],
        ["Moss", 3, 14.5, True, date(2026, 7, 1), when, 1, None, 2**53],
        [None, None, None, None, None, None, "x", None, 1],
        ["Thorn", 8, 29, False, date(2026, 8, 1), when, None, None, 2],
    )
    with scrub.open(path) as file:
        frame = table_of(file).to_frame()
        exact = table_of(file).to_frame(decimals="exact")
    assert {name: str(kind) for name, kind in frame.dtypes.items()} == {
        "Guest": "string", "Nights": "Int64", "Price": "Float64", "Paid": "boolean", "Arrival": "datetime64[s]",
        "At": "datetime64[us]", "Mixed": "object", "Nothing": "object", "Big": "Float64",
    }  # fmt: skip
    assert frame["Nights"].tolist() == [3, pandas.NA, 8]
    assert frame["Nights"].sum() == 11
    assert exact["Price"].tolist() == [Decimal("14.5"), None, Decimal(29)]
    assert frame.loc[0, "Arrival"] == pandas.Timestamp(2026, 7, 1)


def test_an_error_value_raises_or_is_missing(home: Path) -> None:
    import xlsxwriter

    book = xlsxwriter.Workbook("table.xlsx")
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, ["Guest", "Nights"])
    sheet.write_row(1, 0, ["Moss", 3])
    sheet.write(2, 0, "Thorn")
    sheet.write_formula(2, 1, "=1/0", value="#DIV/0!")
    book.close()
    with scrub.open("table.xlsx") as file:
        with pytest.raises(scrub.Failure, match="B3"):
            table_of(file).to_frame()
        assert table_of(file).to_frame(errors="empty")["Nights"].tolist() == [3, pandas.NA]


def test_what_was_only_read_is_no_change(book: Path) -> None:
    with scrub.open(str(book)) as file:
        for sheet in file.item.sheets():
            if sheet.name.endswith("Hut"):
                table = sheet.as_table(headings=3)
                frame = table.to_frame()
                if frame["Guest"].is_unique:
                    assert table.update_from(frame, key="Guest") == 0
        assert file.changes == []


def test_what_differs_is_written_and_undone(book: Path) -> None:
    with scrub.open(str(book)) as file:
        table = file.item.sheet("Larch Hut").as_table(headings=3)
        frame = table.to_frame()
        frame.loc[frame["Nights"] >= 4, "Note"] = "long"
        frame.loc[0, "Price"] = 99.25
        frame.loc[1, "Arrival"] = pandas.Timestamp(2026, 9, 1)
        frame.loc[2, "Note"] = None
        longs = int((frame["Nights"] >= 4).sum())
        assert (
            table.update_from(frame[["Guest", "Note", "Price", "Arrival"]].sample(frac=1, random_state=1), "Guest")
            >= longs
        )
        assert file.save("From a frame") == 1
    sheet = load(book)["Larch Hut"]
    assert sheet["F4"].value == 99.25
    assert sheet["B5"].value == datetime(2026, 9, 1)
    scrub.undo()
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_a_function_with_frames_is_previewed(book: Path) -> None:
    def half(workbook: scrub.Workbook) -> None:
        table = workbook.sheet("Larch Hut").as_table(headings=3)
        frame = table.to_frame()
        frame["Price"] = frame["Price"] / 2
        table.update_from(frame, "Guest")

    file = scrub.run(half, [str(book)], preview=True).files[0]
    assert file.problem is None
    assert len(file.changes) == 12
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_keys_and_headings_that_do_not_fit_are_refused(home: Path) -> None:
    path = written(["Guest", "Nights"], ["Moss", 3], ["moss", 4], ["Thorn", 5])
    with scrub.open(path) as file:
        table = table_of(file)
        frame = table.to_frame()
        for change, key, message in (
            (frame, "Guest", '"moss" appears twice under "Guest"'),
            (frame, "Gast", 'the frame has no column "Gast"'),
            (frame.rename(columns={"Nights": "Night"}), "Guest", 'no heading "Night".*Did you mean "Nights"'),
        ):
            with pytest.raises(scrub.Failure, match=message):
                table.update_from(change, key)
    path = written(["Guest", "Nights"], ["Moss", 3], ["Thorn", 5])
    with scrub.open(path) as file:
        table = table_of(file)
        twice = pandas.DataFrame({"Guest": ["Moss", "MOSS"], "Nights": [1, 2]})
        with pytest.raises(scrub.Failure, match='twice under "Guest" in the frame'):
            table.update_from(twice, "Guest")
        new = pandas.DataFrame({"Guest": ["Birch"], "Nights": [7]})
        with pytest.raises(scrub.Failure, match="add=True"):
            table.update_from(new, "Guest")
        assert table.update_from(new, "Guest", add=True) == 2
        assert table.record(guest="Birch")["nights"] == 7


CELLS = st.one_of(
    st.none(), st.integers(-(2**53), 2**53), st.floats(-1e9, 1e9).map(lambda value: round(value, 4)),
    st.text(st.characters(codec="ascii", exclude_categories=["Cc"]), min_size=1, max_size=8).filter(str.strip), st.booleans(),
    st.dates(date(1950, 1, 1), date(2100, 1, 1)),
)  # fmt: skip


@given(st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=8))
def test_any_frame_goes_into_a_sheet_and_comes_back(rows: list[tuple[Any, Any]]) -> None:
    frame = pandas.DataFrame(
        {"Key": range(len(rows)), "A": [one for one, _ in rows], "B": [two for _, two in rows]}, dtype="object"
    )
    scrub_open = scrub.open(str(SAMPLE))
    with scrub_open as file:
        sheet = file.item.add_sheet_from(frame, "Fresh")
        table = sheet.as_table()
        back = table.to_frame(decimals="exact")
        assert len(back) == len(rows)
        for name in ("A", "B"):
            for wanted, found in zip(frame[name].tolist(), back[name].tolist(), strict=True):
                missing = found is None or found is pandas.NA or found is pandas.NaT
                if wanted is None:
                    assert missing
                elif isinstance(wanted, date):
                    assert pandas.Timestamp(found) == pandas.Timestamp(wanted)
                elif isinstance(wanted, bool | str):
                    assert found == wanted
                else:
                    assert float(found) == float(wanted)
        assert table.update_from(table.to_frame(), "Key") == 0


def test_without_pandas_the_extra_is_named(book: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "pandas", None)
    with scrub.open(str(book)) as file, pytest.raises(scrub.BadCall, match=r"scrub-macros\[frames\]"):
        file.item.sheet("Larch Hut").as_table(headings=3).to_frame()


# -- notebooks


def test_results_are_shown_as_tables_escaped_and_cut(home: Path) -> None:
    path = written(["Guest", "Nights"], *(["<script>alert(1)</script>", number] for number in range(30)))
    text = "macro Up\nfor workbook\neach record\nrecord.nights = record.nights + 1\nend\n"
    result = scrub.run(text, [path], preview=True)
    with scrub.open(path) as file:
        shown = [result._repr_html_(), result.files[0]._repr_html_(), result.files[0].changes._repr_html_()]
        shown += [file._repr_html_(), table_of(file)._repr_html_(), table_of(file).records()._repr_html_()]  # type: ignore[attr-defined]
        assert repr(table_of(file)) == "<Table 'Sheet'>"
        assert repr(file.item) == "<Workbook 'table.xlsx'>"
    for text in shown:
        assert "<script>" not in text
        assert text.count("<tr>") <= 21
    assert "… and 10 more" in shown[0]
    assert "&lt;script&gt;" in shown[4]
    assert "preview; nothing was saved" in shown[0]
    number = scrub.run(text and "macro Up\nfor workbook\neach record\nrecord.nights = 1\nend\n", [path]).number
    assert "Run 1: Up" in scrub.changes(number)._repr_html_()


def test_the_notebook_runs(home: Path, tmp_path: Path) -> None:
    """In a kernel of its own, as a person would run it."""
    import nbclient
    import nbformat

    source = ROOT / "examples" / "late_stays.ipynb"
    notebook: Any = nbformat.read(source, as_version=4)  # type: ignore[no-untyped-call]
    assert all(not cell.get("outputs") for cell in notebook.cells), "outputs are not kept in the repository"
    nbclient.NotebookClient(notebook, timeout=300, kernel_name="python3").execute()
    html = [
        output["data"].get("text/html", "")
        for cell in notebook.cells
        for output in cell.get("outputs", ())
        if "data" in output
    ]
    assert any("Larch Hut" in text for text in html)
    assert any(re.search(r"Run 1: Late stays from a frame", text) for text in html)
    assert any("Add up by guest" in text and "preview" in text for text in html)


def test_a_long_run_in_a_notebook_says_how_far_it_is(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """One line that is written again, and taken away at the end."""
    from scrub.notebook import NotebookHost

    shown: list[str] = []

    class Handle:
        def update(self, data: dict[str, str], raw: bool) -> None:
            shown.append(data["text/plain"])

    def display(data: dict[str, str], **options: object) -> Handle:
        shown.append(data["text/plain"])
        return Handle()

    import IPython.display

    monkeypatch.setattr(IPython.display, "display", display)
    host = NotebookHost()
    host.progress(0, 3, "a.xlsx")
    assert shown == []
    host._next = 0
    host.progress(1, 3, "b.xlsx")
    host._next = 0
    host.progress(2.5, 3, "c.xlsx")
    host.done()
    assert shown == ["1 of 3 files done; now b.xlsx", "2 of 3 files done; now c.xlsx", ""]


@pytest.mark.browser
@pytest.mark.skipif(not shutil.which("chromium"), reason="no browser")
def test_a_browser_shows_a_result(book: Path) -> None:
    result = scrub.run("Add up by guest", [str(book)], preview=True)
    Path("page.html").write_text(f"<meta charset=utf-8>{result._repr_html_()}")
    done = subprocess.run(
        ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--dump-dom", Path("page.html").absolute().as_uri()],
        text=True, capture_output=True, check=False,
    )  # fmt: skip
    assert done.stdout.count("<tr>") == 21
