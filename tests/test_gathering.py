"""Totals, pairs, sorted loops, and values that one macro gives to another."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from conftest import SAMPLE, Output, examples, macro, problems, said
from hypothesis import given
from hypothesis import strategies as st

import scrub
from scrub.model.core.values import alphabetical, fold

WORDS = st.sampled_from(
    ["Larch", "larch", "KITE", "Kite ", "Gañet", "gañet", "Straße", "STRASSE", "7", "", "A\u00a0b", "a b"]
)


def logged(body: str, book: Path = SAMPLE, runs_on: str = "workbook") -> list[str]:
    found = scrub.run(macro(body, runs_on), [str(book)], preview=True).files[0]
    assert found.problem is None, str(found.problem)
    return found.log


def nights(hut: str) -> list[tuple[str, Decimal, object]]:
    """Guest, nights and price of each record, read by another reader."""
    rows = openpyxl.load_workbook(SAMPLE, data_only=True)[hut].iter_rows(min_row=4, values_only=True)
    return [(str(row[0]), Decimal(str(row[2])), row[5]) for row in rows if isinstance(row[2], int)]


def test_totals_over_records_are_what_a_spreadsheet_adds_up() -> None:
    stays = nights("Larch Hut")
    every = [each for _, each, _ in stays]
    over = 'in sheet("Larch Hut").records(headings: 3)'
    assert logged(f"""
log "{{sum(record.nights {over})}}"
log "{{sum(record.nights {over} where record.nights > 3)}}"
log "{{largest(record.nights {over})}} {{smallest(record.nights {over})}}"
log "{{average(record.nights {over}).rounded(6)}}"
log "{{list(record.guest {over} where record.nights is between 3 and 4).joined("; ")}}"
each r in list(record {over} where record.nights >= 5)
    log "{{r.guest}} {{r.nights * 2}}"
end""") == [
        str(sum(every)),
        str(sum(each for each in every if each > 3)),
        f"{max(every)} {min(every)}",
        str(round(sum(every, Decimal(0)) / len(every), 6).normalize()),
        "; ".join(guest for guest, each, _ in stays if 3 <= each <= 4),
        *(f"{guest} {each * 2}" for guest, each, _ in stays if each >= 5),
    ]  # fmt: skip


def test_totals_by_name_in_the_order_of_the_totals() -> None:
    totals: dict[str, Decimal] = {}
    for hut in ("Larch Hut", "Kite Hut"):
        for guest, each, _ in nights(hut):
            totals[guest] = totals.get(guest, Decimal(0)) + each
    found = logged("""
nights = pairs(otherwise: 0)
each hut in ["Larch Hut", "Kite Hut"]
    each record in sheet(hut).records(headings: 3) where record.nights is not empty
        nights(record.guest) = nights(record.guest) + record.nights
    end
end
each guest in nights.keys sorted by nights(guest) descending, guest as n
    log "{n}. {guest}: {nights(guest)}"
end
log "{nights.count} {nights.values.sum}" """)
    ranked = sorted(totals.items(), key=lambda each: (-each[1], alphabetical(each[0])))
    assert found[:-1] == [f"{n}. {guest}: {total}" for n, (guest, total) in enumerate(ranked, 1)]
    assert found[-1] == f"{len(totals)} {sum(totals.values())}"


@given(st.lists(st.tuples(WORDS, st.integers(0, 9), st.booleans()), max_size=30))
def test_pairs_are_what_a_dictionary_of_folded_texts_is(steps: list[tuple[str, int, bool]]) -> None:
    """Also where an attempt fails: what it set is undone."""
    lines = ["p = pairs(otherwise: 0)", "other = p"]
    held: dict[str, int] = {}
    for key, number, fails in steps:
        if fails:
            lines += ["attempt", f'p("{key}") = 99', f'p("new{number}") = 1', 'fail "back"', "if it fails", "end"]
        else:
            lines.append(f'p("{key}") = p("{key}") + {number}')
            held[fold(key)] = held.get(fold(key), 0) + number
    lines.append('say "{p.values} {other.count}"')
    lines += [f'say "{{p("{key}")}}"' for key, _, _ in steps]
    found = said("\n".join(lines))
    assert found[0] == f"{', '.join(map(str, held.values()))} 0"
    assert found[1:] == [str(held.get(fold(key), 0)) for key, _, _ in steps]


@given(
    st.lists(
        st.tuples(st.one_of(st.none(), WORDS), st.one_of(st.none(), st.integers(-5, 5)), st.booleans()), max_size=12
    ),
    st.booleans(),
    st.booleans(),
)
@examples(100)
def test_a_sorted_loop_is_stable_and_has_the_empty_ones_last(
    tmp_path: Path, rows: list[tuple[str | None, int | None, bool]], one: bool, other: bool
) -> None:
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.append(["Hut", "Nights", "Here", "Number"])
    for number, row in enumerate(rows):
        sheet.append([*row, number])
    book.save(tmp_path / "rows.xlsx")
    down = {True: " descending", False: ""}
    found = logged(
        f"each record in sheet(\"Sheet\") where record.here sorted by record.hut{down[one]}, record.nights{down[other]}\n"
        'log "{record.number}"\nend', tmp_path / "rows.xlsx",
    )  # fmt: skip
    wanted = [number for number, row in enumerate(rows) if row[2]]

    def by(field: int, descending: bool) -> None:
        filled = [each for each in wanted if rows[each][field] not in (None, "")]
        keys: dict[int, Any] = {each: rows[each][1] if field else alphabetical(str(rows[each][0])) for each in filled}
        filled.sort(key=keys.__getitem__, reverse=descending)
        wanted[:] = [*filled, *(each for each in wanted if each not in filled)]

    by(1, other)
    by(0, one)
    assert found == [str(each) for each in wanted]


def test_what_is_looked_up_is_kept_and_asked_for() -> None:
    body = """
in sheet("Larch Hut").records(headings: 3)
    found = record(guest: "alder, dario")
    gone = record(guest: "Nobody")
end
if found exists and gone is missing
    log "{found.nights}"
end
lost = sheet("Lost")
log "{lost is missing}"
if lost exists
    log "never"
end
"""
    assert logged(body) == ["3", "yes"]
    for use in ('log "{gone.nights}"', "in lost\nsingle-spaces\nend", "lost.hidden = yes", 'x = "{lost}"', "x = gone"):
        problem = scrub.run(macro(body + use), [str(SAMPLE)], preview=True).files[0].problem
        assert ("no sheet" if "lost" in use else "has no record") in str(problem), use
        assert isinstance(problem, scrub.Failure)
        assert problem.line == len(macro(body + use).splitlines()) - use.count("\n")


def test_a_macro_gives_a_value_to_the_one_that_runs_it(home: Path, cli: Callable[..., Output], tmp_path: Path) -> None:
    for title, text in {
        "Nights of a hut": "for sheet\nif sheet.name is \"Kite Hut\"\nfinish\nend\ngive sum(record.nights in sheet.records(headings: 3))\n",
        "Twice": "for nothing\namount = ask(\"How much\", as: number)\ngive amount * 2\n",
        "No value": "for nothing\nsay \"a\"\n",
    }.items():  # fmt: skip
        Path(f"{title}.scrub").write_text(f"macro {title}\n{text}")
        assert cli("add", f"{title}.scrub").code == 0
    stays = {hut: sum(each for _, each, _ in nights(hut)) for hut in ("Larch Hut", "Sorrel Hut")}
    found = logged("""
each sheet where sheet.name is in ["Larch Hut", "Kite Hut", "Sorrel Hut"]
    n = run("Nights of a hut")
    if n is empty
        skip
    end
    twice = run("Twice", amount: n)
    log "{sheet.name} {n} {twice}"
end""")
    assert found == [f"{hut} {each} {each * 2}" for hut, each in stays.items()]
    assert problems('macro A\nfor nothing\nx = run("No value")\n') == [
        '3:5 "No value" returns nothing. Add this line to it: give …'
    ]
    assert cli("run", "Twice", "--with", "amount=4").out.splitlines()[0] == "8"


@pytest.mark.parametrize(("line", "problem"), [
    ("b = [p]", "pairs need a name of their own"),
    ("b = l.with(p)", "pairs need a name of their own"),
    ('p("x") = code', "a secret cannot be kept in pairs"),
    ("p(code) = 1", "a secret cannot be a key"),
    ('q("x") = 1', "To store values under keys, write above: q = pairs()"),
    ("p = pairs(1)", "write: pairs(), or with a default value"),
    ('p("a", by: 2) = 1', "write one key in the brackets"),
    ('p("x") = "a"', "is a number, not a text"),
    ("sum = pairs()", "is for items, so pairs need another name"),
    ("x = sum(5)", "name the value of each item"),
    ("x = sum(l)", "follows it after a dot: l.sum"),
    ("x = sum(sheet.name)", '"sum" needs numbers; this is a text'),
    ("x = list(code in workbook)", "name the value of each item"),
    ('x = 5 is between "a" and 3', "a number cannot be compared with a text"),
    ("x = 5 is between 3", "write both ends"),
    ("x = 5\nif x exists\nend", "only an item can exist"),
    ('say "{run("Seal every sheet")}"', "on its own"),
    ("give code", "a secret cannot be passed"),
    ("each sheet sorted name\nend", "write: sorted by"),
    ("each sheet sorted by sheet.hidden\nend", "sorted by numbers, dates or text"),
    ("each sheet in workbook as s\nend", "the name of the item comes first: each sheet as s in"),
])  # fmt: skip
def test_slips_are_told_before_anything_runs(line: str, problem: str) -> None:
    found = problems(macro(f'code = secret("c")\nl = ["a"]\np = pairs(otherwise: 0)\n{line}'))
    assert any(problem in each for each in found), found


@pytest.mark.parametrize(("body", "problem"), [
    ('p = pairs()\nx = p("Larch")', '"Larch" has no value. Check first: exists'),
    ("x = [1, 2].item(3)", "a list of 2 has no value 3"),
    ("x = 5.remainder(0)", "division by zero"),
    ('x = ["10", "9"]\ny = x.item(1) < x.item(2)', "which looks like a number"),
    ('p = "("\nx = "a".pieces(p)', "error in the regular expression"),
    ("x = 2026-01-01.plus-working-days(99999999)", "is outside the calendar"),
    ('x = [1, "a"]\ny = x.first\neach z in x sorted by z\nend', "a text and a number have no common order"),
])  # fmt: skip
def test_failures_while_running(body: str, problem: str) -> None:
    with pytest.raises(scrub.Failure, match=problem.replace("(", r"\(")):
        said(body)


def test_a_failure_in_a_total_names_the_cell(book: Path) -> None:
    total = 'x = sum(record.nights in sheet("Larch Hut").records(headings: 3))'
    problem = scrub.run(macro(f'cell("Larch Hut!C5").value = "4"\n{total}'), [str(book)]).files[0].problem
    assert "Larch Hut C5: a sum needs numbers; this is a text: 4" in str(problem)


def test_small_operations() -> None:
    assert said('say "{17.remainder(5)} {(0 - 7).remainder(3)} {7.5.remainder(2)}"') == ["2 2 1.5"]
    assert said(
        'say "{1234567.891.as-text(places: 2, thousands: ",")} {(0 - 1234).as-text(thousands: ".")} {999.as-text(thousands: ",")}"'
    ) == ["1,234,567.89 -1.234 999"]
    assert said('say "{1234.5.as-text(places: 2, thousands: ".", mark: comma)}"') == ["1.234,50"]
    assert said(
        'say "{"flour 6 kg, salt 2 kg".pieces("(\\w+) (\\d+) kg").joined("|")} {"none".pieces("(\\d+)").count}"'
    ) == ["flour|6 0"]
    assert said('say "{"flour 6 kg, salt 12 kg".matches-of("\\d+").joined("+")} {"tel. 0123/45".digits}"') == [
        "6+12 012345"
    ]
    assert said('say "{["a", "b", "c"].item(2)}{["a", "b", "c"].item(-1)}"') == ["bc"]
    assert said(
        'say "{"Äpfel" < "Birne"} {"birne" < "Äpfel"} {"Øre" < "Pass"} {["Zug", "Äpfel", "apfel", "Birne"].sorted}"'
    ) == ["yes no yes apfel, Äpfel, Birne, Zug"]
    assert said(
        'x = 3\nsay "{x is between 1 and 3} {x is not between 1 and 2} {2026-05-01 is between 2026-01-01 and today}"'
    ) == ["yes yes yes"]


@given(
    st.dates(date(2000, 1, 1), date(2100, 1, 1)), st.integers(-300, 300), st.lists(st.integers(-400, 400), max_size=12)
)
def test_working_days_are_counted_as_by_hand(day: date, number: int, free: list[int]) -> None:
    holidays = [day + timedelta(each) for each in free]
    works = [day]
    while len(works) <= abs(number):
        each = works[-1] + timedelta(1 if number > 0 else -1)
        while each.weekday() > 4 or each in holidays:
            each += timedelta(1 if number > 0 else -1)
        works.append(each)
    listed = f"[{', '.join(each.isoformat() for each in holidays)}]"
    end = works[abs(number)]
    back = len(
        [
            at
            for at in range(1, abs((end - day).days) + 1)
            if (min(day, end) + timedelta(at)).weekday() < 5 and min(day, end) + timedelta(at) not in holidays
        ]
    )
    if number < 0:
        back = len(
            [
                at
                for at in range(abs((end - day).days))
                if (end + timedelta(at)).weekday() < 5 and end + timedelta(at) not in holidays
            ]
        )
    found = said(
        f'h = {listed}\nsay "{{{day}.plus-working-days({number}, holidays: h)}} {{{day}.working-days-to({end}, holidays: h)}} {{{day}.is-working-day(holidays: h)}}"'
        if number >= 0
        else f'h = {listed}\nn = 0 - {-number}\nsay "{{{day}.plus-working-days(n, holidays: h)}} {{{day}.working-days-to({end}, holidays: h)}} {{{day}.is-working-day(holidays: h)}}"'
    )
    assert found == [
        f"{end} {back if number >= 0 else -back} {'yes' if day.weekday() < 5 and day not in holidays else 'no'}"
    ]


def test_the_new_words_are_laid_out() -> None:
    text = macro(
        'x=list( sheet.name where sheet.hidden )\neach sheet   where sheet.hidden sorted   by sheet.name descending , sheet.number\nend\np=pairs( otherwise:0 )\np( "a" )=1\ny=run( "A" ,b:1 )\ngive x'
    )
    tidied = scrub.tidy(text)
    for line in (
        "x = list(sheet.name where sheet.hidden)",
        "each sheet where sheet.hidden sorted by sheet.name descending, sheet.number",
        "p = pairs(otherwise: 0)",
        'p("a") = 1',
        'y = run("A", b: 1)',
        "give x",
    ):
        assert line in tidied
    assert scrub.tidy(tidied) == tidied


def test_many_workbooks_become_one_and_one_becomes_many(home: Path, cli: Callable[..., Output]) -> None:
    guide = (Path(scrub.__file__).parent.parent.parent / "docs" / "guide.md").read_text()
    texts = {text.split("\n")[0][6:]: text for text in re.findall(r"```scrub\n(macro .*?)```", guide, re.DOTALL)}
    Path("join.scrub").write_text(texts["Join the stays"])
    Path("split.scrub").write_text(texts["A workbook for each guest"])
    for number in range(3):
        book = openpyxl.Workbook()
        book.worksheets[0].append(["Guest", "Nights"])
        for row in range(20):
            book.worksheets[0].append([f"Guest {(row * (number + 1)) % 7}", row])
        book.save(f"hut{number}.xlsx")
    for name in ("join", "split"):
        assert cli("approve", f"{name}.scrub", "--yes").code == 0
    for _ in range(2):  # next week again, with what it made the first time beside it
        made = cli("run", "join.scrub", *sorted(Path().glob("*.xlsx")))
        assert made.code == 0, made.err
        assert sorted(each.name for each in Path("joined").iterdir()) == ["All stays.xlsx"]
    every = [
        [cell.value for cell in row]
        for row in openpyxl.load_workbook("joined/All stays.xlsx").worksheets[0].iter_rows(min_row=2)
    ]
    assert every == [
        [f"Guest {(row * (number + 1)) % 7}", row, f"hut{number}.xlsx"] for number in range(3) for row in range(20)
    ]
    for _ in range(2):
        assert "7 workbooks." in cli("run", "split.scrub", "joined/All stays.xlsx").out
    for guest in range(7):
        rows = openpyxl.load_workbook(f"joined/Guest {guest}.xlsx")[f"Guest {guest}"].iter_rows(
            min_row=2, values_only=True
        )
        assert [list(row) for row in rows] == [row[1:] for row in every if row[0] == f"Guest {guest}"]
    scrub.undo()
    assert Path("joined/Guest 1.xlsx").exists()  # that of the week before
    scrub.undo()
    assert not Path("joined/Guest 1.xlsx").exists()
