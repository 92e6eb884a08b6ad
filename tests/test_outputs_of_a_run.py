"""What a run creates: no two outputs share a path, the preview names each, and the same macro works next week."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from conftest import SAMPLE, Output, macro
from mails import Approving

import scrub

DEMO = SAMPLE.parent
BODIES = {
    "save-copy": ('save-copy to: "out", name: "same"', "out/same.xlsx"),
    "new-file": (
        'x = new-file("same.csv", to: "out")\nin x.sheet("same")\ncell("A1").value = "x"\nend',
        "out/same.csv",
    ),
    "copy-of": ('x = copy-of("letter.docx", name: "same", to: "out")', "out/same.docx"),
    "draft": ('x = new-message(to: "ann@moss.example", subject: "same", text: "a")', "drafts/same.eml"),
}


def books(count: int = 3) -> list[str]:
    for number in range(count):
        book = openpyxl.Workbook()
        assert book.active is not None
        book.active["A1"] = number
        book.save(f"week {number}.xlsx")
    shutil.copy(DEMO / "letter.docx", "letter.docx")
    return [f"week {number}.xlsx" for number in range(count)]


def run(body: str, paths: list[str], kind: str = "workbook", **options: Any) -> scrub.RunResult:
    return scrub.run(macro(body, kind), paths, host=Approving(), **options)


@pytest.mark.parametrize("word", BODIES)
@pytest.mark.parametrize("twice", [False, True])
def test_files_of_one_name_get_numbers_in_the_run_and_in_the_preview(home: Path, word: str, twice: bool) -> None:
    """Several files of a run, and several outputs of one file."""
    paths = books()
    body, path = BODIES[word]
    body = (
        body if not twice else f"{body}\n{body.replace('x', 'y', 1)}" if body.startswith("x =") else f"{body}\n{body}"
    )
    if twice and word == "new-file":
        body = body.replace("in x.sheet", "in y.sheet", 2).replace("in y.sheet", "in x.sheet", 1)
    preview = run(body, paths, preview=True)
    assert not Path("out").exists()
    made = run(body, paths)
    stem, ending = path.rsplit(".", 1)
    count = len(paths) * (2 if twice else 1)
    wanted = [path, *(f"{stem} ({number}).{ending}" for number in range(2, count + 1))]
    for result in (preview, made):
        assert [each.problem for each in result.files] == [None] * len(paths)
        assert [str(Path(each).relative_to(Path.cwd())) for file in result.files for each in file.made] == wanted
    assert all(Path(each).is_file() for each in wanted)
    scrub.undo()
    assert not any(Path(each).exists() for each in wanted)
    assert not Path(path).parent.exists()
    scrub.redo()  # two files of the run share the folder
    assert all(Path(each).is_file() for each in wanted)


def test_pages_pictures_and_attachments_of_one_name(home: Path) -> None:
    for name in ("a", "b"):
        Path(name).mkdir()
        shutil.copy(DEMO / "route-cards.pdf", f"{name}/cards.pdf")
        shutil.copy(DEMO / "larch-hut.jpg", f"{name}/seal.jpg")
    both = run('in pages("1")\nsave-pages to: "../out", name: "card"\nend', ["a/cards.pdf", "b/cards.pdf"], "pdf")
    assert [file.problem for file in both.files] == [None, None]
    assert sorted(each.name for each in Path("out").iterdir()) == ["card (2).pdf", "card.pdf"]
    both = run('convert to: png, folder: "../out"', ["a/seal.jpg", "b/seal.jpg"], "picture")
    assert [file.problem for file in both.files] == [None, None]
    assert sorted(each.name for each in Path("out").glob("seal*")) == ["seal (2).png", "seal.png"]


def test_a_failed_file_gives_its_names_up(home: Path) -> None:
    paths = books()
    found = run('save-copy to: "out", name: "same"\nif sheet("Sheet").cell("A1").value is 0\nfail "no"\nend', paths)
    assert [file.problem is None for file in found.files] == [False, True, True]
    assert sorted(each.name for each in Path("out").iterdir()) == ["same (2).xlsx", "same.xlsx"]


def test_an_attempt_that_fails_gives_its_names_up(home: Path) -> None:
    (path, *_) = books()
    body = 'attempt\nsave-copy to: "out", name: "same"\nx = new-file("a.csv")\nfail "no"\nif it fails\nend\nsave-copy to: "out", name: "same"\ny = new-file("a.csv")\nin y.sheet("a")\ncell("A1").value = 1\nend'
    assert run(body, [path]).files[0].problem is None
    assert sorted(each.name for each in Path("out").iterdir()) == ["same.xlsx"]
    assert Path("a.csv").exists()


def test_the_shipped_macro_writes_to_all_who_have_not_paid(home: Path) -> None:
    for name in ("bookings.csv", "letter.docx"):
        shutil.copy(DEMO / name, name)
    for _ in range(2):  # this week, and the next
        found = scrub.run("Write to late guests", ["bookings.csv"], host=Approving())
        assert found.files[0].problem is None, str(found.files[0].problem)
    assert len(list(Path("drafts").iterdir())) == 2 * len(set(found.files[0].made))


# -- next week


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
@pytest.mark.parametrize("choice", ["", ", if-exists: number", ", if-exists: replace", ", if-exists: fail"])
def test_a_weekly_report_in_the_second_week(home: Path, ending: str, choice: str) -> None:
    (path, *_) = books(1)
    body = f'report = new-file("report.{ending}"{choice})\nin report.sheet("report")\ncell("A1").value = "{{sheet("Sheet").cell("A1").value}}"\nend'

    def cell(name: str) -> str:
        if ending == "csv":
            return Path(name).read_text().strip()
        return str(openpyxl.load_workbook(name)["report"]["A1"].value)

    assert run(body, [path]).files[0].problem is None
    assert cell(f"report.{ending}") == "0"
    first = Path(f"report.{ending}").read_bytes()
    book = openpyxl.load_workbook(path)
    book["Sheet"]["A1"] = 7
    book.save(path)
    preview = run(body, [path], preview=True).files[0]
    second = run(body, [path]).files[0]
    if "fail" in choice:
        assert "exists already" in str(second.problem)
        assert Path(f"report.{ending}").read_bytes() == first
        return
    assert second.problem is None
    assert (preview.made, preview.also) == (second.made, second.also)
    name = f"report.{ending}" if "replace" in choice else f"report (2).{ending}"
    assert cell(name) == "7"
    scrub.undo()
    assert Path(f"report.{ending}").read_bytes() == first
    assert not Path(f"report (2).{ending}").exists()
    scrub.redo()
    assert cell(name) == "7"


def test_what_cannot_be_replaced_is_told(home: Path, cli: Any) -> None:
    paths = books(2)
    Path("report.csv").mkdir()
    found = run('x = new-file("report.csv", if-exists: replace)', paths[:1]).files[0]
    assert "is not a file" in str(found.problem)
    found = run('x = new-file("week 0.xlsx", if-exists: replace)', paths[:1]).files[0]
    assert "is open in this run" in str(found.problem)
    Path("all.csv").write_text("old\n")
    both = run(
        'x = new-file("all.csv", if-exists: replace)\nin x.sheet("all")\ncell("A1").value = "{workbook.name}"\nend',
        paths,
    )
    assert [file.problem for file in both.files] == [None, None]
    assert "week 0" in Path("all.csv").read_text()  # what this run made is not replaced by it
    assert "week 1" in Path("all (2).csv").read_text()
    assert [str(each.message) for each in scrub.check(macro('x = new-file("a.csv", if-exists: overwrite)'))]


def test_a_preview_names_what_is_replaced(home: Path, cli: Any) -> None:
    (path, *_) = books(1)
    Path("report.csv").write_text("old\n")
    Path("r.scrub").write_text(
        macro('x = new-file("report.csv", if-exists: replace)\nin x.sheet("report")\ncell("A1").value = 1\nend')
    )
    told: Output = cli("run", "r.scrub", path, "--preview")
    assert "report.csv" in told.out
    assert Path("report.csv").read_text() == "old\n"
