"""Dates, amounts, patterns, lists, macros that run macros, all files at once: the language as a whole."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path

import pytest
from conftest import SAMPLE, Output, macro, problems, said
from hypothesis import given
from hypothesis import strategies as st
from sheets import states
from test_workbook import rewritten

import scrub
from scrub.language.layout import meaning
from scrub.language.parser import parse


@pytest.mark.parametrize(
    ("expression", "shown"),
    [
        ("2026-01-31 + 1 month", "2026-02-28"),
        ("2024-02-29 + 1 year", "2025-02-28"),
        ("2026-03-31 - 1 month", "2026-02-28"),
        ("2026-12-30 + 3 days", "2027-01-02"),
        ("2 weeks + 2026-01-01", "2026-01-15"),
        ("2026-05-01T14:30 + 90 minutes", "2026-05-01T16:00"),
        ("2026-05-01 - 2026-04-01", "30 days"),
        ("(2026-05-01 - 2026-04-01).days + 1", "31"),
        ("1 day + 12 hours", "1.5 days"),
        ("3 days * 2", "6 days"),
        ("3 * 1 day", "3 days"),
        ("1 day / 1 hour", "24"),
        ("-(2 hours)", "-2 hours"),
        ("1 hour - 2 hours", "-1 hour"),
        ("4 cm + 10 mm", "5 cm"),
        ("72 pt / 1 inch", "1"),
        ("1 inch.mm", "25.4"),
        ("1.5 MB.bytes", "1500000"),
        ("1 MB + 500 KB", "1.5 MB"),
        ("2026-05-01.year + 2026-05-01.month + 2026-05-01.day", "2032"),
        ("2026-05-01.weekday", "Friday"),
        ("2026-01-01.week", "1"),
        ("2026-02-10.month-end", "2026-02-28"),
        ("2026-05-01T14:30.hour + 2026-05-01T14:30.minute", "44"),
        ("2026-05-01T14:30.date", "2026-05-01"),
        ("1990-05-02.years-to(2026-05-01)", "35"),
        ("1990-05-01.years-to(2026-05-01)", "36"),
        ("2026-05-01.days-to(2026-04-30)", "-1"),
        ('2026-05-01.as-text("weekday, day month year")', "Friday, 1 May 2026"),
        ('2026-05-01.as-text("two-digit-day.two-digit-month.short-year")', "01.05.26"),
        ('"1 May 2026".as-date', "2026-05-01"),
        ('"May 1st, 2026".as-date', "2026-05-01"),
        ('"1.5.2026".as-date', "2026-05-01"),
        ('"25/04/2026".as-date', "2026-04-25"),
        ('"04/25/2026".as-date', "2026-04-25"),
        ('"2026/4/5".as-date', "2026-04-05"),
        ('"03/04/2026".as-date(order: month-first)', "2026-03-04"),
        ('"1,234".as-number(mark: point)', "1234"),
        ('"1.234".as-number(mark: comma)', "1234"),
        ("1.5.as-text(places: 2)", "1.50"),
        ("[3, nothing, 1.5].sum", "4.5"),
        ("[1 day, 12 hours].sum", "1.5 days"),
        ("[3, 1, 2].largest", "3"),
        ("[2026-05-01, 2026-04-01].smallest", "2026-04-01"),
        ("[1, 2, nothing].average", "1.5"),
        ('["b", "A", "c"].sorted', "A, b, c"),
        ("[10, 9].sorted.reversed", "10, 9"),
        ('["Larch", "LARCH", "Kite"].unique', "Larch, Kite"),
        ('["Larch", "LARCH"].unique(exactly: yes)', "Larch, LARCH"),
        ('["a", "", nothing].filled', "a"),
        ('"Hut hut".replaced(exactly "hut", by: "x")', "Hut x"),
        ('"a (b) c".between("(", end: ")")', "b"),
        ('"a, b ,c".parts(",").last', "c"),
        ('"7".padded(3, by: "0")', "007"),
        ('"abcAB".count("ab")', "2"),
        ('"larch hut".sentence-case', "Larch hut"),
    ],
)
def test_an_expression_has_its_value(expression: str, shown: str) -> None:
    assert said(f"x = {expression}\nsay x") == [shown]


@pytest.mark.parametrize(
    ("condition", "holds"),
    [
        ('"AB-123" matches "[a-z]{2}-\\d{3}"', True),
        ('"AB-1234" matches "[a-z]{2}-\\d{3}"', False),
        ('"AB" matches exactly "[a-z]+"', False),
        ('"AB" does not match "x"', True),
        ("3 days > 2 days and 1 week is 7 days", True),
        ("12 months is 1 year", True),
        ("10 cm < 1 inch", False),
        ("2026-05-01 - 2026-04-01 > 4 weeks", True),
    ],
)
def test_a_condition_holds_or_not(condition: str, holds: bool) -> None:
    assert said(f'if {condition}\nsay "yes"\nelse\nsay "no"\nend') == ["yes" if holds else "no"]


@pytest.mark.parametrize(
    ("body", "message"),
    [
        ('x = "03/04/2026".as-date', "ambiguous: 3 April and March"),
        ('x = "1/5/26".as-date', "digits"),
        ('x = "30 February 2026".as-date', "not a calendar date"),
        ('x = "soon".as-date', "is not a date"),
        ("x = 2026-05-01 + 90 minutes", "without a time"),
        ("x = 1 month + 1 day", "months have no fixed length"),
        ("x = 1 month.days", "months have no fixed length"),
        ("x = 9999-12-31 + 1 day", "outside the calendar"),
        ("x = 1 day / 0", "division by zero"),
        ("x = [1, yes].sum", "a sum needs numbers"),
        ('x = [1, "a"].largest', "no common order"),
        ('if "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa!" matches "(a|aa|a?)+b"\nend', "took too long|never"),
    ],
)
def test_what_has_no_meaning_is_a_failure(body: str, message: str) -> None:
    with pytest.raises(scrub.Failure, match=message):
        said(body + '\nif yes\nfail "never"\nend' if "matches" in body else body)


@pytest.mark.parametrize(
    ("body", "advice"),
    [
        ('if "a" matches "[a"\nend', "error in the regular expression"),
        ("x = 2026-05-01 + 1", '"+" has no meaning between a date and a number'),
        ("x = 2026-05-01 * 2", '"*" has no meaning'),
        ("x = 3 cm + 1 day", "has no meaning between a length and a duration"),
        ("if 3 cm < 1 day\nend", "cannot be compared"),
        ('x = sheet("a").hidden + 1', "this is yes or no"),
        ('x = "a".upper(exactly "b")', "takes no"),
        ('run "Nobody"', 'the library has no macro "Nobody"'),
    ],
)
def test_a_slip_gets_its_advice(body: str, advice: str) -> None:
    found = problems(macro(body))
    assert any(advice in each for each in found), found


@given(st.dates(date(1900, 1, 1), date(2200, 1, 1)), st.integers(0, 4000))
def test_dates_go_by_the_calendar(day: date, days: int) -> None:
    lines = f'd = {day.isoformat()}\nlater = d + {days} days\nsay "{{later}} {{d.days-to(later)}} {{(later - d).days}}"'
    assert said(lines) == [f"{day + timedelta(days=days)} {days} {days}"]
    years = said(f'd = {day.isoformat()}\nsay "{{d.years-to(d + {days} days)}}"')[0]
    later = day + timedelta(days=days)
    assert int(years) == later.year - day.year - ((later.month, later.day) < (day.month, day.day))


def test_the_settings_decide_what_is_ambiguous(cli: Callable[..., Output]) -> None:
    assert cli("settings", "date-order", "month-first").code == 0
    assert cli("settings", "decimal-mark", "comma").code == 0
    assert said('say "{"03/04/2026".as-date} {"1.234".as-number}"') == ["2026-03-04 1234"]
    assert "month-first" in cli("settings").out
    assert 'is one of: point, comma; not "dot"' in cli("settings", "decimal-mark", "dot").err
    assert 'Did you mean "date-order"?' in cli("settings", "date-ordr", "x").err
    assert cli("settings", "date-order", "--forget").code == 0
    with pytest.raises(scrub.Failure):
        said('say "{"03/04/2026".as-date}"')


def add(title: str, body: str, runs_on: str = "workbook") -> None:
    scrub.home().library.add(macro(body, runs_on, title), title)


def test_a_macro_runs_others(book: Path) -> None:
    add(
        "Show one",
        'which = ask("Which")\nlimit = ask("Limit", as: number, default: 3)\nsheet.hidden = no\nlog "{which} {limit}"',
        "sheet",
    )
    add("Show two", 'each sheet where sheet.hidden\nrun "show ONE", which: sheet.name\nend')
    body = 'limit = ask("Limit", as: number)\nx = 1\nrun "Show two"\nsay "{x} {limit}"'
    found = scrub.run(macro(body), [str(book)], answers={"limit": 5}).files[0]
    assert found.problem is None
    assert found.log == ["Kite Hut 5", "Tarn Hut 5", "Draft prices 5", "Lists 5"]
    assert found.said == ["1 5"]
    assert set(states(book).values()) == {"visible"}
    failing = scrub.run(macro('each sheet\nrun "Show one", which: "a", limit: "many"\nend'), [str(book)]).files[0]
    assert "is not a number" in str(failing.problem)


def test_running_others_is_checked(book: Path) -> None:
    add("Round", 'run "And round"')
    add("And round", 'run "Round"')
    assert "would run itself: Round runs And round runs Round" in problems(scrub.home().library.find("Round").text)[
        0
    ] or ("has 1 error. Details" in problems(scrub.home().library.find("Round").text)[0])
    add("Asks", 'code = secret("c")\nwho = ask("Who")', "sheet")
    advice = problems(macro('each sheet\nrun "Asks", code: "x", whom: "y"\nend\nrun "Asks"'))
    assert any("only a secret can answer" in each for each in advice)
    assert any('does not ask for "whom". Did you mean "who"?' in each for each in advice)
    assert any('"Asks" runs on a sheet, and the current item is a workbook' in each for each in advice)


def test_all_files_at_once_are_one_change(cli: Callable[..., Output]) -> None:
    for name in ("a.xlsx", "b.xlsx"):
        Path(name).write_bytes(SAMPLE.read_bytes())
    text = macro(
        'each book in picked\neach sheet in book\nsheet.hidden = no\nend\nend\nsay "{picked.count} books, {picked.first.name}"',
        "all workbook",
    )
    result = scrub.run(text, ["a.xlsx", "b.xlsx"])
    assert result.files[0].said == ["2 books, a.xlsx"]
    assert [len(each.changes) for each in result.files] == [4, 4]
    assert cli("undo").code == 0
    assert Path("b.xlsx").read_bytes() == SAMPLE.read_bytes()
    failing = macro(
        'each book in picked\neach sheet in book\nsheet.hidden = no\nend\nif book.name is "b.xlsx"\nfail "b"\nend\nend',
        "all workbook",
    )
    failed = scrub.run(failing, ["a.xlsx", "b.xlsx"])
    assert failed.exit_code == 1
    assert Path("a.xlsx").read_bytes() == SAMPLE.read_bytes()


def test_results_go_into_a_folder(cli: Callable[..., Output], book: Path) -> None:
    found = cli("run", "show every", book, "--into", "results")
    assert "Saved results/season-book.xlsx: 4 changes on 4 sheets." in found.out
    assert book.read_bytes() == SAMPLE.read_bytes()
    assert set(states("results/season-book.xlsx").values()) == {"visible"}
    assert "Saved results/season-book (2).xlsx" in cli("run", "show every", book, "--into", "results").out
    assert cli("undo").code == 0
    assert sorted(path.name for path in Path("results").iterdir()) == ["season-book.xlsx"]
    assert cli("undo", "--redo").code == 0
    assert set(states("results/season-book (2).xlsx").values()) == {"visible"}
    made = Path("results/season-book (2).xlsx")
    made.write_bytes(made.read_bytes() + b" ")
    assert cli("undo", 2, "--copy").code == 0
    assert sorted(path.name for path in Path("results").iterdir()) == ["season-book (2).xlsx", "season-book.xlsx"]
    Path("into.scrub").write_text("macro Into\nfor workbook\ninto there\neach sheet\nsheet.hidden = no\nend\n")
    assert cli("run", "into.scrub", book).code == 3
    assert cli("run", "into.scrub", book, "--into", "there").code == 0
    Path("f.scrub").write_text(macro("each file\nlog file.name\nend", "folder"))
    assert '"into" works for files' in cli("run", "f.scrub", ".", "--into", "there").err


TIDY = """Macro Tidy  me
about One.
for workbook
# about the code


Code=secret( "c" )#why
n=-1+2*( 3-1 )
each sheet where not( sheet.hidden ) and
n > 3
if sheet.name starts with \u201cDraft\u201d
skip
else if sheet.hidden
protect   password:code,allow:[sort ,filter],
select: open-cells
# inner
end if
attempt
say "a{n . as-text}"
if it fails
say problem
end
end
"""


def test_tidying_gives_the_standard_layout() -> None:
    assert scrub.tidy(TIDY) == (
        "macro Tidy me\nabout One.\nfor   workbook\n\n# about the code\n\n"
        'code = secret("c")  #why\nn = -1 + 2 * (3 - 1)\neach sheet where not (sheet.hidden) and\n        n > 3\n'
        '    if sheet.name starts with "Draft"\n        skip\n    else if sheet.hidden\n'
        "        protect password: code, allow: [sort, filter],\n                select: open-cells\n"
        '        # inner\n    end if\n    attempt\n        say "a{n . as-text}"\n    if it fails\n'
        "        say problem\n    end\nend\n"
    )


@given(st.randoms(use_true_random=False))
def test_tidying_is_stable_and_keeps_the_meaning(chance: object) -> None:
    import random

    assert isinstance(chance, random.Random)
    statements = [
        'say "a {n} b"', "n = n - 1", "n = -1", 'if n < 3 or not (n is 2)', "else", "each sheet as s where s.hidden", "end",
        "protect allow: [sort, filter]", "# note", "", 'x = ["a", "b"].joined(", ")', "3 times as k", "in sheet(\"a\")",
        "d = today + 3 days", 'y = "x".replaced(exactly "a", by: "b").upper', "attempt", "if it fails", "skip",
    ]  # fmt: skip
    lines = [chance.choice([" ", "", "\t "]) + chance.choice(statements) for _ in range(chance.randint(1, 14))]
    lines = [
        re.sub(" ", lambda _: chance.choice([" ", "  ", "\u00a0"]), line) if '"' not in line else line for line in lines
    ]
    text = "macro X\nfor workbook\n" + "\n".join(lines) + "\n"
    tree, wrong = parse(text, "x")
    if wrong:
        with pytest.raises(scrub.MacroProblems):
            scrub.tidy(text)
        return
    once = scrub.tidy(text)
    assert meaning(parse(once, "x")[0]) == meaning(tree)
    assert scrub.tidy(once) == once
    assert once.count("# note") == text.count("# note")


MAILED = """macro Show the huts for the wardens of this season
about Shows the sheets of the huts, so that the wardens find them when they open it.
for workbook
each sheet where sheet.name ends with "Hut" and sheet.hidden and not sheet.protected
    sheet.hidden = no
    log "the sheet {sheet.name} is shown again for the wardens of the huts, all of them"
end
"""


@pytest.mark.parametrize("width", [60, 72, 78])
@pytest.mark.parametrize("quote", ["", "> ", ">> "])
def test_mailed_macros_are_mended(cli: Callable[..., Output], width: int, quote: str) -> None:
    import textwrap

    wrapped = []
    for line in MAILED.splitlines():
        wrapped += textwrap.wrap(line, width, break_on_hyphens=False, drop_whitespace=True) or [""]
    mailed = "\n".join(quote + line for line in wrapped) + "\n"
    mended = scrub.mended(mailed)
    assert scrub.check_text(mended) == []
    assert meaning(parse(mended, "x")[0]) == meaning(parse(MAILED, "x")[0])
    Path("mail.scrub").write_text(mailed)
    added = cli("add", "mail.scrub")
    assert added.code == 0
    assert "Scrub reads it as:\n    macro Show the huts" in added.out


def test_what_needs_no_mending_stays() -> None:
    assert scrub.mended(MAILED) == MAILED
    assert scrub.mended("macro X\r\nfor workbook\r\n") == "macro X\r\nfor workbook\r\n"


def test_exactly_in_a_lookup(book: Path) -> None:
    found = scrub.run(
        macro('if sheet(exactly "totals") is missing and sheet("totals") exists\nsay "strict"\nend'), [str(book)]
    ).files[0]
    assert found.said == ["strict"]


def test_an_attempt_takes_changes_of_a_damaged_part_back(book: Path, tmp_path: Path) -> None:
    bad = rewritten(book, tmp_path, {"xl/worksheets/sheet3.xml": lambda part: part[:-30]})
    body = 'attempt\neach sheet\nsheet.hidden = no\nprotect\nend\nif it fails\nlog problem\nend\nin sheet("Lists")\nsheet.hidden = no\nend'
    found = scrub.run(macro(body), [str(bad)]).files[0]
    assert 'the sheet "Sorrel Hut": its XML is broken' in found.log[0]
    assert [(change.place, str(change)) for change in found.changes] == [("Lists", "hidden: yes -> no")]
