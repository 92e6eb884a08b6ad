"""Changes one by one: each step is proposed, and what is refused is skipped."""

from __future__ import annotations

import random
import sqlite3
from collections import Counter
from pathlib import Path
from typing import Any

import pytest
from conftest import macro
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_many_files import Answering
from translated import EXAMPLES, lay_out, samples

import scrub

#: Examples that send, or that a preview alone can show: they need a server or an approval.
_SENDS = ("Pass it on and send", "Thank who asked")


def pairs() -> list[tuple[str, str]]:
    """Each example macro on each sample of its kind."""
    found = []
    for title in EXAMPLES:
        program = scrub.program(title)
        if title in _SENDS:
            continue
        names = samples(*program.macro.runs_on)
        found += [(title, ", ".join(names))] if program.macro.for_all else [(title, name) for name in names]
    return found


def told(changes: Any) -> list[tuple[str, str]]:
    return [(change.place, str(change)) for change in changes]


def contents(folder: Path) -> dict[str, object]:
    """What is in the files of a folder; of a database the records, as it counts its changes."""
    return {
        path.name: list(sqlite3.connect(path).iterdump()) if path.suffix == ".sqlite" else path.read_bytes()
        for path in folder.iterdir()
        if path.is_file()
    }


def begin(title: str, files: list[str]) -> scrub.Review:
    return scrub.review(title, files, host=Answering())


def decided_by_chance(review: scrub.Review, chance: random.Random, share: float) -> str:
    """Decides about everything; gives why it cannot be, or an empty text."""
    try:
        while review.proposals:
            for proposal in review.proposals:
                proposal.accepted = chance.random() < share
            review.go_on()
    except scrub.Refused as refused:
        return str(refused)
    return ""


@pytest.mark.parametrize(("title", "names"), pairs())
def test_the_proposals_are_the_preview_and_what_is_refused_is_skipped(
    title: str, names: str, home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "stove")
    monkeypatch.setenv("SCRUB_SECRET_ROUTE_CARDS", "stove")
    monkeypatch.chdir(tmp_path)
    lay_out(tmp_path)
    files = names.split(", ")
    before = contents(tmp_path)
    preview = scrub.run(title, files, host=Answering(), preview=True)
    review = begin(title, files)
    if any(file.problem for file in preview.files):
        assert [str(file.problem) for file in review.files] == [str(file.problem) for file in preview.files]
        return
    proposed = Counter(each for proposal in review.proposals for each in told(proposal.changes))
    assert proposed == Counter(each for file in preview.files for each in told(file.changes))
    for seed in range(3):
        chance = random.Random(f"{title} {names} {seed}")
        review = begin(title, files)
        stopped = decided_by_chance(review, chance, (0.5, 0.9, 0.97)[seed])
        if stopped:
            assert "cannot go on" in stopped or "keep moving" in stopped
            continue
        accepted = Counter(each for proposal in review.accepted for each in told(proposal.changes))
        result = review.commit()
        assert result.exit_code == 0, [str(file.problem) for file in result.files]
        assert Counter(each for file in result.files for each in told(file.changes)) == accepted
        if result.number is not None and (accepted or any(file.made for file in result.files)):
            scrub.undo(result.number)
        assert contents(tmp_path) == before


BOOKINGS = "sheet.records(headings: 3)"


def review_of(body: str, *files: str, on: str = "workbook") -> scrub.Review:
    return scrub.review(macro(body, on), list(files), host=Answering())


def refuse(review: scrub.Review, *labels: str, line: int = 0) -> list[scrub.Proposal]:
    """Accepts everything but what is at these places; gives what is proposed next."""
    for proposal in review.proposals:
        proposal.accepted = not (proposal.label in labels and line in (0, proposal.line))
    return review.go_on()


def csv(text: str, name: str = "list.csv") -> str:
    Path(name).write_text(text)
    return name


def test_a_total_over_what_was_refused_is_proposed_again(home: Path) -> None:
    path = csv("Guest,Nights\nAnn,1\nBen,2\nTotal,3\n")
    review = review_of(
        'each record where record.guest is not "Total"\nrecord.nights = record.nights * 10\nend\n'
        'total = sum(record.nights where record.guest is not "Total")\nin cell("B4")\ncell.value = total\nend',
        path,
    )
    assert [str(change) for each in review.proposals for change in each.changes] == [
        "B2: 1 -> 10",
        "B3: 2 -> 20",
        "B4: 3 -> 30",
    ]
    again = refuse(review, "list row 2")
    assert [str(change) for each in again for change in each.changes] == ["B4: 3 -> 21"]
    assert [each.line for each in review.accepted] == [4]
    with pytest.raises(scrub.BadCall, match="not everything is decided"):
        review.commit()
    assert refuse(review) == []
    result = review.commit()
    assert Path(path).read_text() == "Guest,Nights\nAnn,1\nBen,20\nTotal,21\n"
    assert scrub.changes(result.number).files[0].log == ("refused list: B2: 1 -> 10 (line 4)",)
    assert result.files[0].refused == 1
    with pytest.raises(scrub.BadCall, match="saved already"):
        review.commit()


def test_another_order_after_a_refusal_is_noticed(home: Path) -> None:
    path = csv("Guest,Nights\nAnn,5\nBen,4\nCal,3\n")
    body = 'each record where record.guest is "Ann"\nrecord.nights = 1\nend\nin sheet("list").records(headings: 1)\nsort by: "Nights"\nend'
    review = review_of(body, path)
    assert [str(change) for each in review.proposals for change in each.changes] == [
        "B2: 5 -> 1",
        "sorted by Nights",
    ] or len(review.proposals) == 2
    again = refuse(review, "list row 2")
    assert [[str(change) for change in each.changes] for each in again] == [["sorted by Nights"]]
    refuse(review)
    review.commit()
    assert Path(path).read_text() == "Guest,Nights\nCal,3\nBen,4\nAnn,5\n"


def test_what_uses_something_that_was_made_is_one_question(book: Path) -> None:
    body = (
        'late = new-sheet("Late")\neach sheet where sheet.name ends with "Hut"\neach record in sheet.records(headings: 3) where record.note is "late"\n'
        'in late\ncell("A{record.row.number}").value = record.guest\nend\nend\nend\nin sheet("Lists")\nsheet.hidden = no\nend'
    )
    review = review_of(body.replace("record.row.number", "late.number"), str(book))
    assert len(review.proposals) == 2
    made, shown = review.proposals
    assert "Late" in {change.place for change in made.changes}
    made.accepted, shown.accepted = False, True
    assert review.go_on() == []
    result = review.commit()
    assert [str(change) for change in result.files[0].changes] == ["hidden: yes -> no"]


def test_a_macro_that_cannot_go_on_says_why_and_saves_nothing(home: Path) -> None:
    path = csv("Guest,Nights\nAnn,5\n")
    review = review_of(
        'in sheet("list").records(headings: 1)\nadd-column "Last"\nend\neach record\nrecord.last = "x"\nend', path
    )
    for proposal in review.proposals:
        proposal.accepted = not any("Last" in str(change) for change in proposal.changes)
    with pytest.raises(scrub.Refused, match="Without these changes the macro cannot go on: .*no heading"):
        review.go_on()
    assert Path(path).read_text() == "Guest,Nights\nAnn,5\n"


@pytest.mark.parametrize(
    ("action", "before", "after"),
    [
        ('replace "kg", by: "lb"', "1 kg\n2 kg\n3 kg\n", "1 lb\n2 kg\n3 lb\n"),
        ("single-spaces", "1  kg\n2  kg\n3  kg\n", "1 kg\n2  kg\n3 kg\n"),
        ("upper", "one\ntwo\nthree\n", "ONE\ntwo\nTHREE\n"),
    ],
)
def test_an_action_over_a_whole_file_is_refused_change_by_change(
    home: Path, action: str, before: str, after: str
) -> None:
    path = csv(before, "notice.txt")
    review = review_of(action, path, on="document")
    assert len(review.proposals) == 3
    assert refuse(review, "paragraph 2") == []
    review.commit()
    assert Path(path).read_text() == after
    scrub.undo()
    assert Path(path).read_text() == before


def test_cells_and_their_number_formats_are_refused_together(home: Path) -> None:
    path = csv("Guest,Share\nAnn,12%\nBen,13%\n")
    review = review_of("read-numbers", path)
    labels = [each.label for each in review.proposals]
    assert len(labels) == 2
    refuse(review, labels[0])
    review.commit()
    assert Path(path).read_text() == "Guest,Share\nAnn,12%\nBen,0.13\n"


def test_joined_lines_are_refused_paragraph_by_paragraph(home: Path) -> None:
    lines = [
        "The path over the ridge is closed for repairs until the",
        "end of the month, and the huts behind it cannot be",
        "reached from here.",
    ]
    text = "\n".join([*lines, "", *lines, ""])
    path = csv(text, "notice.txt")
    review = review_of("join-lines", path, on="document")
    assert [each.label for each in review.proposals] == ["paragraph 5", "paragraph 1"]
    refuse(review, "paragraph 1")
    review.commit()
    assert Path(path).read_text() == "\n".join([*lines, "", " ".join(lines), ""])


def test_an_attempt_that_failed_proposes_nothing(home: Path) -> None:
    path = csv("Guest,Nights\nAnn,5\nBen,x\n")
    body = 'each record\nattempt\nrecord.guest = "{record.guest}!"\nrecord.nights = record.nights + 1\nif it fails\nlog "no number"\nend\nend'
    review = review_of(body, path)
    assert sorted(str(change) for each in review.proposals for change in each.changes) == [
        'A2: "Ann" -> "Ann!"',
        "B2: 5 -> 6",
    ]


def test_two_files_are_reviewed_together_and_only_what_was_refused_runs_again(home: Path) -> None:
    paths = [csv("Guest,Nights\nAnn,5\n", "a.csv"), csv("Guest,Nights\nBen,6\n", "b.csv")]
    review = review_of("each record\nrecord.nights = 1\nend", *paths)
    assert [each.path for each in review.proposals] == paths
    refuse(review, "b row 2")
    result = review.commit()
    assert Path("a.csv").read_text() == "Guest,Nights\nAnn,1\n"
    assert Path("b.csv").read_text() == "Guest,Nights\nBen,6\n"
    assert [file.state for file in result.files] == ["changed", "unchanged"]


def test_a_file_that_was_edited_while_it_was_reviewed_stays(home: Path) -> None:
    path = csv("Guest,Nights\nAnn,5\n")
    review = review_of("each record\nrecord.nights = 1\nend", path)
    refuse(review)
    csv("Guest,Nights\nZoe,9\n")
    result = review.commit()
    assert result.files[0].problem is not None
    assert Path(path).read_text() == "Guest,Nights\nZoe,9\n"


def test_what_falls_away_is_told(home: Path) -> None:
    path = csv("Guest,Nights,Note\nAnn,5,\n")
    body = 'each record\nrecord.nights = 9\nend\neach record where record.nights is 9\nrecord.note = "long"\nend'
    review = review_of(body, path)
    for proposal in review.proposals:
        proposal.accepted = proposal.line != 4
    assert review.go_on() == []
    assert [each.line for each in review.dropped] == [7]
    assert review.accepted == []


def test_a_python_function_is_not_reviewed(home: Path) -> None:
    def change(book: scrub.Workbook) -> None: ...

    with pytest.raises(scrub.BadCall, match="only macros"):
        scrub.review(change, [csv("a\n")])  # type: ignore[arg-type]


@settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 9)), min_size=1, max_size=6), st.integers(0, 2**20))
def test_the_result_is_the_run_with_conditions_that_skip_the_refused(
    home: Path, rows: list[tuple[str, int]], bits: int
) -> None:
    """A macro that is told in its own words which rows to leave out writes the same file."""
    text = "Guest,Nights\n" + "".join(f"{name},{nights}\n" for name, nights in rows)
    path = csv(text)
    review = review_of('each record\nrecord.nights = record.nights + 1\nrecord.guest = "{record.guest}!"\nend', path)
    refused = set()
    for number, proposal in enumerate(review.proposals):
        proposal.accepted = not bits >> number & 1
        if not proposal.accepted:
            refused.add((proposal.label, proposal.line))
    review.go_on()
    review.commit()
    lines = ["each record"]
    for line, statement in ((4, "record.nights = record.nights + 1"), (5, 'record.guest = "{record.guest}!"')):
        numbers = [label.rsplit(" ", 1)[1] for label, at in refused if at == line]
        lines += [f"if {' and '.join(f'row.number is not {number}' for number in [0, *numbers])}", statement, "end"]
    expected = csv(text, "expected.csv")
    scrub.run(macro("\n".join([*lines, "end"])), [expected])
    assert Path(path).read_bytes() == Path(expected).read_bytes()


def test_more_than_there_is_room_for_is_prepared_again_and_compared(
    home: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("scrub.runner.run._KEPT", 0)
    paths = [csv(f"Guest,Nights\nAnn,{number}\n", f"n{number}.csv") for number in range(4)]
    held = scrub.prepare(macro("each record\nrecord.nights = 99\nend"), paths)
    assert held.saves
    assert not any(file.effects for file in held.files)
    assert [str(change) for file in held.files for change in file.changes] == [f"B2: {n} -> 99" for n in range(4)]
    csv("Guest,Nights\nZoe,3\n", "n3.csv")
    result = held.commit()
    assert [file.state for file in result.files] == ["changed", "changed", "changed", "failed"]
    assert "it was changed since, so it is not what was shown" in str(result.files[3].problem)
    assert [Path(path).read_text()[-3:] for path in paths] == ["99\n", "99\n", "99\n", ",3\n"]
    into = scrub.prepare(macro("each record\nrecord.nights = 98\nend"), paths, into="Out").commit()
    assert sorted(path.name for path in Path("Out").iterdir()) == [f"n{n}.csv" for n in range(4)]
    assert into.exit_code == 0
