"""A macro learned from a file before and after: right on the pair, and on a second one that it never saw."""

from __future__ import annotations

import json
import mailbox
import re
import shutil
import subprocess
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import docx
import odfdo
import openpyxl
import pytest
from conftest import FOR_EVER, SAMPLE, Output, some
from learn_jobs import JOBS, pair
from test_cli import typed
from translated import DEMO, samples

import scrub
from scrub.by_example.differences import differences
from scrub.by_example.seen import seen

Cli = Callable[..., Output]


def is_right(learned: scrub.Learned, before: Path, after: Path) -> list[str]:
    """What is other on another pair after the macro ran there."""
    copy = before.with_name(f"copy{before.suffix}")
    shutil.copyfile(before, copy)
    home = scrub.home()
    checked = home.checked(learned.text, "")
    home.approvals.approve(checked.fingerprint, checked.title)
    result = scrub.run(learned.text, [str(copy)])
    if result.exit_code:
        return [str(file.problem) for file in result.files]
    found = []
    for path in (copy, after):
        opened = home.formats.open(str(path))
        found.append(seen(opened.item, home.vocabulary))
    one, other = found
    assert one is not None
    assert other is not None
    return [str(each) for each in differences(one, other)]


@pytest.mark.parametrize("name", JOBS)
def test_a_job_is_learned_and_right_on_a_second_file(name: str, home: Path) -> None:
    before, after = pair(name, Path("first"))
    kept = before.read_bytes(), after.read_bytes()
    learned = scrub.learn(str(before), str(after))
    assert learned.left == [], (learned.text, [(str(each), each.one, each.other) for each in learned.left[:5]])
    assert learned.proved
    assert scrub.check_text(learned.text) == []
    assert is_right(learned, *pair(name, Path("second"), second=True)) == [], learned.text
    assert (before.read_bytes(), after.read_bytes()) == kept
    assert sorted(path.name for path in Path("first").iterdir()) == sorted([before.name, after.name])


def test_slips_of_the_hand_are_named_and_not_learned(home: Path) -> None:
    before, after = pair("titled", Path("first"))
    book: Any = openpyxl.load_workbook(after)
    sheet = book["Larch Hut"]
    noted = [row[5].coordinate for row in sheet.iter_rows(min_row=4) if row[5].value == "long stay"]
    sheet[noted[0]] = openpyxl.load_workbook(before)["Larch Hut"][noted[0]].value
    sheet = book["Kite Hut"]
    free = next(row[5].coordinate for row in sheet.iter_rows(min_row=4) if row[5].value is None and row[1].value < 4)
    sheet[free] = "long stay"
    book.save(after)
    learned = scrub.learn(str(before), str(after))
    assert sorted(str(each) for each in learned.left) == sorted([f"Larch Hut {noted[0]}", f"Kite Hut {free}"])
    assert not learned.proved
    assert is_right(learned, *pair("titled", Path("second"), second=True)) == [], learned.text


def test_a_further_pair_decides_what_the_first_one_leaves_open(home: Path) -> None:
    def supply(path: str, rows: Sequence[tuple[str, int, object]]) -> str:
        book: Any = openpyxl.Workbook()
        book.active.append(["Item", "Kg", "Note"])
        for row in rows:
            book.active.append(list(row))
        book.save(path)
        return path

    first = [("salt", 4, None), ("oats", 2, None), ("rice", 5, None), ("soap", 1, None)]
    before = supply("before.xlsx", first)
    after = supply("after.xlsx", [(name, kg, "heavy" if kg > 3 else None) for name, kg, _ in first])
    more = [("rope", 4, None), ("wood", 90, None), ("salt", 3, None), ("oats", 3, None)]
    also = supply("b2.xlsx", more), supply("a2.xlsx", [(name, kg, "heavy" if kg > 3 else None) for name, kg, _ in more])
    alone = scrub.learn(before, after)
    assert alone.proved
    both = scrub.learn(before, after, also=[also])
    assert both.proved
    assert "record.kg > 3" in both.text or "record.kg >= 4" in both.text
    assert is_right(both, Path(also[0]), Path(also[1])) == []


def test_the_command_tells_keeps_and_writes(home: Path, cli: Cli) -> None:
    before, after = pair("late", Path("first"))
    shown = cli("learn", before, after, "--first")
    assert shown.code == 0
    assert 'record.note = "remind"' in shown.out
    assert f"Run on a copy of {before}, this gives {after} exactly (" in shown.out
    assert scrub.history() == []
    kept = cli("learn", before, after, "--first", "--keep", "Remind the late ones")
    assert kept.code == 0
    assert "Remind the late ones" in [entry.title for entry in scrub.home().library.entries()]
    told = json.loads(cli("learn", before, after, "--json").out)
    assert (told["proved"], told["explained"], told["left"]) == (True, told["of"], [])
    assert cli("learn", before, after, "--first", "--to", "late.scrub").code == 0
    assert cli("check", "late.scrub").code == 0
    again = cli("learn", before, after, "--first", "--to", "late.scrub")
    assert again.code != 0
    assert "Traceback" not in again.err


def test_what_cannot_be_learned_is_said(home: Path, cli: Cli) -> None:
    before, after = pair("late", Path("first"))
    same = cli("learn", before, before)
    assert (same.code, "no difference that a macro could see" in same.err.lower()) == (2, True)
    other = cli("learn", before, pair("word", Path("second"))[0])
    assert (other.code, "Save both in the same format" in other.err) == (2, True)
    shutil.copyfile(DEMO / "supply-list.xlsx", "supply-list.xlsx")
    nothing = cli("learn", "supply-list.xlsx", after, "--first")
    assert nothing.code == 1
    assert "No rule was found" in nothing.out
    pdf = cli("learn", DEMO / "route-cards.pdf", DEMO / "route-cards.pdf")
    assert "nothing can be learned" in pdf.err
    assert cli("learn", "nowhere.xlsx", before).code == 1


def test_a_text_of_a_file_never_becomes_a_statement(home: Path) -> None:
    odd = 'x" end delete {sheet.name} "y'
    book: Any = openpyxl.Workbook()
    book.active.append([odd, "Name", "Note"])
    for number in range(12):
        book.active.append([number, f'{{a}} "{number % 3}"', None])
    book.save("before.xlsx")
    for row in book.active.iter_rows(min_row=2):
        if row[1].value == '{a} "1"':
            row[2].value = '"{b}" end delete'
    book.save("after.xlsx")
    learned = scrub.learn("before.xlsx", "after.xlsx")
    assert learned.proved, learned.text
    assert scrub.check_text(learned.text) == []
    assert not any(line.strip() == "delete" for line in learned.text.splitlines())


def test_texts_that_look_like_conditions_are_texts(home: Path) -> None:
    odd = ("oats and rice > and salt", "soap where record.kg > 3", "rope")
    for name in ("before.xlsx", "after.xlsx"):
        book: Any = openpyxl.Workbook()
        book.active.append(["Nights (2026)", "Item", "Note"])
        for number in range(30):
            is_meant = name == "after.xlsx" and number % 7 > 3 and number % 3 == 0
            book.active.append([number % 7, odd[number % 3], "check" if is_meant else None])
        book.save(name)
    learned = scrub.learn("before.xlsx", "after.xlsx")
    assert learned.proved, learned.text
    assert 'record."Nights (2026)" > 3' in learned.text
    assert odd[0] in learned.text


@pytest.mark.parametrize("name", some(samples("workbook", "document", "mailbox"), 3))
def test_a_sample_that_was_only_saved_again_is_the_same(name: str, home: Path) -> None:
    shutil.copyfile(DEMO / name, f"again-{name}")
    shutil.copyfile(DEMO / name, name)
    if name.endswith(".xlsx"):
        openpyxl.load_workbook(name).save(f"again-{name}")
    if name.endswith(".docx"):
        docx.Document(name).save(f"again-{name}")
    if name.endswith(".odt"):
        odfdo.Document(name).save(f"again-{name}")
    with pytest.raises(scrub.BadCall, match="no difference"):
        scrub.learn(name, f"again-{name}")


@pytest.mark.office
@pytest.mark.skipif(shutil.which("soffice") is None, reason="no office program is installed (soffice)")
@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("ending", ["docx", "odt", "xlsx"])
def test_what_an_office_program_saves_again_is_the_same(ending: str, home: Path) -> None:
    names = [name for name in samples("workbook", "document") if name.endswith(ending)]
    for name in names:
        shutil.copyfile(DEMO / name, name)
    profile = f"-env:UserInstallation=file://{Path('profile').absolute()}"
    words = ["soffice", profile, "--headless", "--convert-to", ending, "--outdir", "again", *names]
    subprocess.run(words, check=True, capture_output=True, timeout=FOR_EVER)
    for name in names:
        with pytest.raises(scrub.BadCall, match="no difference"):
            scrub.learn(name, f"again/{name}")


def test_nothing_is_kept_beside_the_files_and_the_sample_is_learned(home: Path) -> None:
    shutil.copyfile(SAMPLE, "season-book.xlsx")
    shutil.copyfile(SAMPLE, "done.xlsx")
    scrub.run("Sort out who pays", ["done.xlsx"])
    runs = len(scrub.history())
    learned = scrub.learn("season-book.xlsx", "done.xlsx")
    assert learned.total == 7
    assert len(scrub.history()) == runs
    assert sorted(path.name for path in Path().glob("*.xlsx")) == ["done.xlsx", "season-book.xlsx"]
    if learned.text:
        assert "records(headings: 3)" in learned.text


def price_list(path: str, prices: Sequence[tuple[str, float]], title: bool) -> str:
    book: Any = openpyxl.Workbook()
    book.active.title = "Notes"
    sheet = book.create_sheet("Prices")
    if title:
        sheet.append(["Prices of the season"])
        sheet.append([])
    sheet.append(["Item", "Supplier", "Unit price"])
    for item, price in prices:
        sheet.append([item, f"from {item[0]}", price])
    book.save(path)
    return path


def list_of_supplies(path: str, items: Sequence[str], prices: dict[str, float] | None = None) -> str:
    book: Any = openpyxl.Workbook()
    book.active.append(["Hut", "Item", "Price"])
    for number, item in enumerate(items):
        book.active.append([f"Hut {number % 3}", item, None if prices is None else prices.get(item)])
    book.save(path)
    return path


@pytest.mark.parametrize("form", ["workbook", "below a title", "csv"])
def test_values_come_from_a_file_beside(form: str, home: Path, cli: Cli) -> None:
    prices = {
        "salt": 1.25,
        "oats": 3.5,
        "rope": 12.75,
        "soap": 2.4,
        "candles": 4.1,
        "tea": 5.2,
        "rice": 2.9,
        "wood": 8.0,
    }
    if form == "csv":
        Path("prices.csv").write_text("Item,Unit price\n" + "".join(f"{a},{b}\n" for a, b in prices.items()))
        path = "prices.csv"
    else:
        path = price_list("prices.xlsx", list(prices.items()), form == "below a title")
    items = ["salt", "rope", "oats", "lamps", "soap", "tea", "rice", "wood", "salt", "candles", "rope"]
    before, after = list_of_supplies("before.xlsx", items), list_of_supplies("after.xlsx", items, prices)
    assert not scrub.learn(before, after).proved
    learned = scrub.learn(before, after, beside=[path])
    assert learned.proved, (learned.text, learned.left)
    assert f'prices = open("{path}")' in learned.text
    other = ["candles", "candles", "soap", "nails", "oats"]
    second = list_of_supplies("second.xlsx", other), list_of_supplies("second-after.xlsx", other, prices)
    assert is_right(learned, Path(second[0]), Path(second[1])) == []
    shown = cli("learn", before, after, "--beside", path, "--first")
    assert (shown.code, 'open("prices' in shown.out) == (0, True)
    assert cli("learn", before, after, "--beside", "nowhere.csv", "--first").code == 1


@pytest.mark.parametrize("has_identifiers", [True, False])
def test_filed_messages_are_learned_with_the_mailbox_they_are_in(has_identifiers: bool, home: Path, cli: Cli) -> None:
    before, after = pair("invoices", Path("first"))
    gone = {message["Message-ID"] for message in mailbox.mbox(after)}
    filed = mailbox.mbox("first/invoices.mbox")
    for message in mailbox.mbox(before):
        if message["Message-ID"] not in gone:
            filed.add(message)
    filed.close()
    if not has_identifiers:
        for path in Path("first").iterdir():
            path.write_bytes(re.sub(rb"Message-ID: .*\n", b"", path.read_bytes()))
    contents = Path("first/invoices.mbox").read_bytes()
    learned = scrub.learn(str(before), str(after), beside=["first/invoices.mbox"])
    assert learned.proved, learned.text
    assert 'move to: "invoices.mbox"' in learned.text
    assert Path("first/invoices.mbox").read_bytes() == contents
    second, wanted = pair("invoices", Path("second"), second=True)
    assert is_right(learned, second, wanted) == []
    assert len(mailbox.mbox("second/invoices.mbox")) == len(mailbox.mbox(second)) - len(mailbox.mbox(wanted)) > 0
    shutil.move("first/invoices.mbox", "invoices.mbox")
    refused = cli("learn", before, after, "--beside", "invoices.mbox")
    assert refused.code == 2
    assert "put it in the folder of the first file" in refused.err
    assert Path("invoices.mbox").read_bytes() == contents


def test_the_mailbox_can_follow_from_the_message(home: Path) -> None:
    before, after = pair("invoices", Path("first"))
    kept = mailbox.mbox(after)
    kept.clear()
    for message in mailbox.mbox(before):
        subject = message["Subject"]
        if "Booking" in subject:
            host = message["From"].rpartition("@")[2].rstrip(">").partition(".")[0]
            mailbox.mbox(f"first/{host}.mbox").add(message)
        else:
            kept.add(message)
    kept.close()
    boxes = sorted(str(path) for path in Path("first").glob("*.mbox") if path.name in ("huts.mbox", "moss.mbox"))
    assert len(boxes) == 2
    learned = scrub.learn(str(before), str(after), beside=boxes)
    assert learned.left == [], learned.text
    assert learned.text.count("move to:") == 1


def test_the_search_ends_in_time_and_says_so(home: Path, cli: Cli) -> None:
    before, after = pair("late", Path("first"))
    shown = cli("learn", before, after, "--first", "--minutes", "0.00001")
    assert shown.code == 1
    assert "Allow more time: --minutes 5" in shown.out
    assert cli("learn", before, after, "--minutes", "0").code == 2


def doubtful(folder: Path) -> tuple[str, str]:
    """An example that fits two rules: a stay of six nights had its note before, so it shows nothing."""
    folder.mkdir()
    stays = [(f"Guest {number}", nights, None) for number, nights in enumerate((1, 2, 4, 3, 4, 2, 4, 1, 4, 3, 4, 2))]
    paths = []
    for name in ("before.xlsx", "after.xlsx"):
        book: Any = openpyxl.Workbook()
        book.active.append(["Guest", "Nights", "Note"])
        for guest, nights, note in [*stays, ("Guest 12", 6, "long stay"), ("Guest 13", 7, "long stay")]:
            book.active.append([guest, nights, "long stay" if name == "after.xlsx" and nights == 4 else note])
        book.save(folder / name)
        paths.append(str(folder / name))
    return paths[0], paths[1]


def test_which_rule_is_meant_is_asked_once(home: Path, cli: Cli) -> None:
    pair_of_files = doubtful(Path("files"))
    learned = scrub.learn(*pair_of_files)
    assert learned.proved
    told = [each.told for each in learned.choice]
    assert told[0] == "where record.nights is 4"
    assert "where record.nights > 3" in told
    assert learned.choice[0].text == learned.text
    number = told.index("where record.nights > 3") + 1
    shown = typed(["learn", *pair_of_files], [str(number), "Note the long stays"])
    assert "Which one? Enter alone: the first" in shown
    assert "where record.nights > 3" in cli("show", "note the long").out
    listed = cli("learn", *pair_of_files, "--first").out
    assert "The example does not show which is meant; the macro has the first:" in listed
    assert "Which one?" not in listed


def test_a_step_done_by_hand_becomes_a_step_of_a_trial(home: Path) -> None:
    shutil.copyfile(SAMPLE, "season-book.xlsx")
    trial = scrub.trial("season-book.xlsx", scrub.QuietHost())
    assert trial.step('in sheet("Totals")').problem == ""
    assert trial.step("sheet.zoom = 80").problem == ""
    trial.step("end")
    with pytest.raises(scrub.BadCall, match="has not changed"):
        trial.learn()
    shutil.copyfile(DEMO / "by-hand" / "season-book.xlsx", "season-book.xlsx")
    learned = trial.learn()
    assert [str(each) for each in learned.left] == ["Sorrel Hut H12"]
    assert len(trial.steps) == 2
    assert 'record.note = "remind"' in trial.macro("Both")
    assert scrub.check_text(trial.macro("Both")) == []
    assert trial.step("each sheet\nsheet.hidden = no\nend").problem == ""
    written = trial.write("Tried", scrub.QuietHost())
    assert {change.field for change in written.files[0].changes} == {"zoom", "hidden"}
    with pytest.raises(scrub.BadCall, match="contains these steps already"):
        trial.write("Tried", scrub.QuietHost())
    with pytest.raises(scrub.BadCall, match="has not changed"):
        trial.learn()
    assert "each sheet" in trial.back()
    assert trial.macro("Both").count("record.note") == 1
    assert sorted(path.name for path in Path().iterdir()) == ["season-book.xlsx"]


def test_the_example_of_the_samples_is_learned(home: Path, cli: Cli) -> None:
    scrub.lay_out_samples("huts")
    shown = cli("learn", "huts/season-book.xlsx", "huts/by-hand/season-book.xlsx", "--first")
    assert shown.code == 1
    assert 'where record.nights > 2 and record.paid is "no"' in shown.out
    assert (
        "except for 1 of 19 places:\n  Sorrel Hut H12  the macro gives remind; your file has 6 kg of flour" in shown.out
    )


def test_limits_that_the_example_leaves_open_are_told(home: Path) -> None:
    before, after = pair("late", Path("first"))
    learned = scrub.learn(str(before), str(after))
    (note,) = (each for each in learned.notes if "any limit between" in each)
    assert note.startswith("record.arrival: any limit between 2026-06-")
