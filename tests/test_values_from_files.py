"""Values that come from a file do what the same values do that are written in the macro."""

from __future__ import annotations

from pathlib import Path

import pytest
import xlsxwriter
from conftest import macro, said

import scrub

#: A literal of each type, and how a cell contains it; a length and a size have no place in a cell.
LITERALS = {
    "text": '"1.5 (a, b)  c"', "number": "1.7551", "yes or no": "yes", "date": "2026-05-17", "time": "2026-05-17T14:30",
    "duration": "3 days", "list": '["b", "a", "a"]', "length": "3 cm", "size": "2 MB",
    "address": '"Ann Moss <ann@moss.example>"',
}  # fmt: skip
#: Texts that an operation needs in place of the usual one.
OWN = {
    "as-date": '"17/05/2026"',
    "as-number": '"1.5"',
    **dict.fromkeys(("name", "address", "domain"), LITERALS["address"]),
}
#: An argument of each name, as a macro writes it.
ARGUMENTS = {
    "places": "2", "length": "4", "mark": '"("', "what": '"a"', "by": '"-"', "exactly": "yes", "start": '"("', "end": '")"',
    "order": "day-first", "other": "2026-12-31", "form": '"weekday, day month year"', "value": '"x"',
    "number": "2", "holidays": "[2026-05-18]", "thousands": '" "', "pattern": '"(\\d)"',
}  # fmt: skip
OF_LISTS = {"sum": "[1, 2]", "average": "[1, 2]"}
OPERATIONS = sorted(each for each in scrub.vocabulary().operations if each[0] != "pairs")  # no file contains pairs
#: Arguments that one operation takes otherwise.
OTHERWISE = {("as-number", "mark"): "point", ("as-text", "mark"): "point", ("remainder", "by"): "2"}


def call(type_: str, word: str) -> list[str]:
    """The calls of an operation: with all that it takes, and with only what it needs."""
    parameters = scrub.vocabulary().operations[type_, word].parameters
    given = {each.word: OTHERWISE.get((word, each.word), ARGUMENTS[each.word]) for each in parameters}
    named = ", ".join(f"{name}: {value}" for name, value in given.items())
    first = ", ".join([given[each.word] for each in parameters][:1])
    found = [f".{word}({named})"] if named else [f".{word}"]
    return [*found, f".{word}({first})"] if len(parameters) == 1 else found


def literal(type_: str, word: str) -> str:
    own = OF_LISTS if type_ == "list" else {} if type_ == "number" else OWN
    return own.get(word, LITERALS[type_])


@pytest.mark.parametrize(("type_", "word"), OPERATIONS, ids=[" ".join(each) for each in OPERATIONS])
def test_an_operation_gives_the_same_wherever_its_value_came_from(home: Path, type_: str, word: str) -> None:
    value = literal(type_, word)
    for written in call(type_, word):
        wanted = said(f'x = {value}{written}\nsay "{{x}}"')
        named = said(
            f'x = [{value}]\ny = x.first\nz = y{written}\neach v in x\nsay "{{z}}"\nw = v{written}\nsay "{{w}}"\nend'
        )
        assert named == wanted * 2, written
        if type_ in ("list", "length", "size"):
            continue
        book(value, type_)
        lines = [
            f'c = sheet("S").cell("A2").value\nx = c{written}\nsay "{{x}}"',
            f'x = sheet("S").cell("A2").value{written}\nsay "{{x}}"',
            f'each record in sheet("S")\nx = record.it{written}\nsay "{{x}}"\nend',
            f'each record in sheet("S")\nk = record.it\nx = k{written}\nsay "{{x}}"\nend',
            f'l = sheet("S").column("It").values\nx = l.first{written}\nsay "{{x}}"',
        ]
        for line in lines:
            found = scrub.run(macro(line), ["one.xlsx"]).files[0]
            assert found.problem is None, (line, str(found.problem))
            assert found.said == wanted, line
    if type_ in ("text", "number", "date", "yes or no"):
        asked = type_.replace(" or ", "-").replace("yes-no", "yes-no")
        inner = f'v = ask("It", as: {asked})\nx = v{call(type_, word)[0]}\nsay "{{x}}"'
        answer = value.strip('"')
        expected = said(f'x = {value}{call(type_, word)[0]}\nsay "{{x}}"')
        assert said(inner, v=answer) == expected
        scrub.home().library.add(macro(inner, "nothing", "Inner"), "Inner")
        assert said(f'run "Inner", v: {value}') == expected


def book(value: str, type_: str) -> None:
    """A workbook with one value under a heading, as an independent writer stores it."""
    path = xlsxwriter.Workbook("one.xlsx")
    sheet = path.add_worksheet("S")
    sheet.write("A1", "It")
    day = path.add_format({"num_format": "yyyy-mm-dd"})
    moment = path.add_format({"num_format": "yyyy-mm-dd hh:mm"})
    elapsed = path.add_format({"num_format": "[h]:mm"})
    if type_ in ("text", "address"):
        sheet.write_string("A2", value.strip('"'))
    elif type_ == "yes or no":
        sheet.write_boolean("A2", True)
    elif type_ == "date":
        sheet.write_number("A2", 46159, day)
    elif type_ == "time":
        sheet.write_number("A2", 46159.604166666667, moment)
    elif type_ == "duration":
        sheet.write_number("A2", 3, elapsed)
    else:
        sheet.write_number("A2", float(value))
    path.close()


def test_an_argument_that_no_such_operation_takes_is_told(home: Path) -> None:
    lines = macro('each record in sheet("S")\nx = record.it.rounded(digits: 2)\nend')
    assert any('".rounded" takes no "digits"' in str(each) for each in scrub.check(lines))
    book('"abc"', "text")
    found = scrub.run(macro('x = sheet("S").cell("A2").value\ny = x.rounded(2)'), ["one.xlsx"]).files[0]
    assert 'a text has no operation "rounded"' in str(found.problem)


@pytest.mark.parametrize(
    ("cell", "test", "wanted"),
    [
        ("12", "is 12", "yes"), ('"12"', "is 12", "no"), ('"12"', 'is "12"', "yes"), ("12", 'is "12"', "no"),
        ('"2026-05-17"', "is 2026-05-17", "no"), ('"a"', "is 12", "no"), ("", 'is ""', "yes"), ("", "is nothing", "yes"),
        ("", "is empty", "yes"), ("", 'contains "a"', "no"), ("", 'does not contain "a"', "yes"), ("", 'starts with "a"', "no"),
        ("", 'ends with "a"', "no"), ("", 'matches "a*"', "no"), ("", "is 0", "no"), ('"12"', 'is in [12, "x"]', "no"),
        ('"Larch"', 'is "larch"', "yes"), ('"Larch"', 'is exactly "larch"', "no"),
    ],
)  # fmt: skip
def test_values_of_two_sorts_are_not_equal_and_nothing_holds_no_text(
    home: Path, cell: str, test: str, wanted: str
) -> None:
    set_up = f'in sheet("S")\ncell("A2").value = {cell or "nothing"}\nend\n'
    book('"first"', "text")
    found = scrub.run(
        macro(f'{set_up}if sheet("S").cell("A2").value {test}\nsay "yes"\nelse\nsay "no"\nend'), ["one.xlsx"]
    )
    assert found.files[0].said == [wanted], str(found.files[0].problem)


def test_a_comparison_in_vain_is_told_once(home: Path) -> None:
    path = xlsxwriter.Workbook("two.xlsx")
    sheet = path.add_worksheet("S")
    sheet.write_column("A1", ["It", "12", "13", 12, "a"])
    sheet.write_column("B1", ["When", "2026-05-17", "", "17 May 2026"])
    path.close()
    body = 'each record in sheet("S")\nif record.it is 12 or record.when is 2026-05-17\nlog "x"\nend\nend'
    found = scrub.run(macro(body), ["two.xlsx"]).files[0]
    assert found.notes == [
        '2 comparisons of a number and text that looks like one under "it" (first S A2): never equal. '
        "Convert the text to numbers: read-numbers, or .as-number.",
        '1 comparison of a date and text that looks like one under "when" (first S B2): never equal. '
        "Convert the text to dates: read-dates, or .as-date.",
    ]


def test_yes_is_not_one(home: Path) -> None:
    path = xlsxwriter.Workbook("yes.xlsx")
    sheet = path.add_worksheet("S")
    sheet.write_column("A1", ["It", True, 1, 1])
    sheet.write_column("B1", ["Card", 4111111111111111, 4111111111111112, 5])
    path.close()
    body = 'in column("It")\nmark-duplicates\nend\nin column("Card")\nmark-duplicates\nend\nsay "{record(it: 1).card}"'
    found = scrub.run(macro(f'in sheet("S").records\n{body}\nend'), ["yes.xlsx"]).files[0]
    assert found.problem is None
    assert found.said == ["4111111111111112"]
    assert {str(each).split()[0] for each in found.changes} == {"A3", "A4"}
