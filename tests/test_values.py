"""What the language computes, seen through `say`."""

from __future__ import annotations

import itertools
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path

import pytest
from conftest import macro, problems, said
from hypothesis import given
from hypothesis import strategies as st

import scrub


@pytest.mark.parametrize(
    ("expression", "shown"),
    [
        ("0.1 + 0.2", "0.3"),
        ("1 / 3", "0.3333333333333333333333333333"),
        ("2 + 3 * 4 - -1", "15"),
        ("(2 + 3) * 4", "20"),
        ("30%", "0.3"),
        ("2.5.rounded", "3"),
        ("(0 - 2.5).rounded", "-3"),
        ("1.005.rounded(2)", "1.01"),
        ("2.9.rounded-down", "2"),
        ("2.1.rounded-up", "3"),
        ("(0 - 4).absolute", "4"),
        ("100000000000 * 100000000000", "10000000000000000000000"),
        ("yes", "yes"),
        ("nothing", ""),
        ('["b", "a"]', "b, a"),
        ('["b", "a"].joined(" and ")', "b and a"),
        ('["b", "a"].count', "2"),
        ('["b", "a"].first', "b"),
        ('["b", "a"].with("c").last', "c"),
        ('" Larch  Hut ".trimmed.upper', "LARCH  HUT"),
        ('" Larch \u00a0 Hut ".single-spaced', "Larch\u00a0Hut"),
        ('"larch hut\u2019s o\'clock".title-case', "Larch Hut\u2019s O'clock"),
        ('"Larch".starting(2)', "La"),
        ('"Larch".ending(2)', "ch"),
        ('"Larch".ending(0)', ""),
        ('"Moss, Ann".before(", ")', "Moss"),
        ('"Moss, Ann".after(", ")', "Ann"),
        ('"no mark".after(",")', ""),
        ('"Hut HUT hut".replaced("hut", by: "house")', "house house house"),
        ('"6\u00a0kg".replaced("6 kg", by: "6 kilos")', "6 kilos"),
        ('"one two".words.count', "2"),
        ('"Gañet Çol".without-accents', "Ganet Col"),
        ('"a/b:c".as-file-name', "a-b-c"),
        ('"con".as-file-name', "con-"),
        ('"1,234.5".as-number', "1234.5"),
        ('"1.234,5".as-number', "1234.5"),
        ('"1\u00a0234".as-number', "1234"),
        ('"0,125".as-number', "0.125"),
        ('"12%".as-number', "0.12"),
        ('"Larch".length.as-text', "5"),
        ("2026-05-01", "2026-05-01"),
        ("2026-05-01T14:30", "2026-05-01T14:30"),
    ],
)
def test_an_expression_has_its_value(expression: str, shown: str) -> None:
    assert said(f"x = {expression}\nsay x") == [shown]
    assert said(f'say "<{{{expression}}}>"' if '"' not in expression else f'x = {expression}\nsay "<{{x}}>"') == [
        f"<{shown}>"
    ]


@pytest.mark.parametrize(
    ("condition", "holds"),
    [
        ('"Larch" is "LARCH"', True),
        ('"6\u00a0kg" is "6 kg"', True),
        ('"o\u2019clock" is "o\'clock"', True),
        ('"Larch" is exactly "larch"', False),
        ('"Larch" is not exactly "larch"', True),
        ('"Straße" is "STRASSE"', True),
        ('"Larch Hut" contains "HUT"', True),
        ('"Larch Hut" does not contain "hut"', False),
        ('"Larch Hut" starts with "larch"', True),
        ('"Larch Hut" does not start with "kite"', True),
        ('"Larch Hut" ends with "HUT"', True),
        ('"Larch Hut" does not end with "x"', True),
        ('"a" is in ["A", "b"]', True),
        ('"a" is not in ["A", "b"]', False),
        ('["A", "b"] contains "a"', True),
        ('" \u00a0" is empty', True),
        ('"x" is not empty', True),
        ("nothing is empty", True),
        ("[] is empty", True),
        ("1 < 2 and 2 <= 2 and 3 > 2 and 2 >= 2", True),
        ("1 is 1.0", True),
        ("yes is not no", True),
        ("not (1 < 2) or 1 is 1", True),
        ("2026-05-01 < 2026-05-02", True),
        ("today >= 2026-01-01", True),
        ("now > 2026-01-01T00:00", True),
    ],
)
def test_a_condition_holds_or_not(condition: str, holds: bool) -> None:
    assert said(f'if {condition}\nsay "yes"\nelse\nsay "no"\nend') == ["yes" if holds else "no"]


def test_texts_hold_paths_quotes_braces_and_marks() -> None:
    assert said('say "C:\\huts\\new"') == ["C:\\huts\\new"]
    assert said('say "a ""b"" {{c}} \\d{3}{2,}"') == ['a "b" {c} \\d{3}{2,}']
    assert said('names = ["a", "b"]\nsay "all: {names.joined(", ")}."') == ["all: a, b."]


def test_loops_and_blocks() -> None:
    assert said('each hut in ["Larch", "Kite", "Col"]\nif hut is "kite"\nskip\nend\nsay hut\nend') == ["Larch", "Col"]
    assert said('3 times as n\nif n is 3\nleave loop\nend\nsay "{n}"\nend') == ["1", "2"]
    assert said('n = 0\nwhile n < 3\nn = n + 1\nend while\nsay "{n}"') == ["3"]
    assert said('say "a"\nfinish "done"\nsay "never"') == ["a", "done"]
    assert said('each a in [1, 2] where a > 1\nsay "{a}"\nend each') == ["2"]


def test_an_attempt_takes_its_values_back() -> None:
    body = 'n = 1\nattempt\nn = 2\nfail "no luck"\nif it fails\nsay "{problem}, n is {n}"\nend attempt'
    assert said(body) == ["no luck, n is 1"]


LISTS = st.lists(
    st.one_of(
        st.tuples(st.sampled_from("abc"), st.sampled_from("abc")).map(lambda two: f"{two[0]} = {two[1]}"),
        st.tuples(st.sampled_from("abc"), st.sampled_from("abc"), st.integers(0, 9)).map(lambda of: f"{of[0]} = {of[1]}.with({of[2]})"),
        st.sampled_from("abc").map(lambda one: f"{one} = {one}.with({one})"),
        st.sampled_from("abc").map(lambda one: f"{one} = {one}.with({one}.count)"),
        st.tuples(st.sampled_from("abc"), st.sampled_from("abc")).map(lambda two: f"each x in {two[0]}\nif {two[1]}.count < 30\n{two[1]} = {two[1]}.with(x)\nend\nend"),
        st.tuples(st.sampled_from("abc"), st.sampled_from("abc")).map(lambda two: f"attempt\n{two[0]} = {two[0]}.with(1)\n{two[1]} = {two[1]}.with(2)\nx = {two[0]}.last / 0\nif it fails\n{two[1]} = {two[1]}.with(3)\nend"),
        st.sampled_from("abc").map(lambda one: f"all = all.with({one})"),
    ),
    max_size=14,
)  # fmt: skip


@given(LISTS)
def test_a_list_grows_in_place_where_nobody_can_see_it(lines: list[str]) -> None:
    """What contains a list keeps it as it is; both ways of lengthening one come to the same."""
    body = "\n".join(["a = []", "b = [1]", "c = b", "all = []", *lines, 'say "{a} {b} {c} {all}"'])
    fast = said(body)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("scrub.runner.growing._ALONE", -1)
        assert said(body) == fast


@pytest.mark.parametrize(
    ("body", "message"),
    [
        ("x = 1 / 0", "division by zero"),
        ("x = 0 / 0", "division of zero by zero"),
        ('x = "1,234".as-number', "is ambiguous"),
        ('x = "six".as-number', '"six" is not a number'),
        ("x = [].first", "empty list has no first"),
        ('x = "a".starting(0 - 1)', "cannot be -1"),
        ('x = "a".starting(1.5)', "whole number"),
        ('x = [1, "a"]\neach y in x\nz = y + 1\nend', 'this is a text "a"'),
        ('x = [1, "a"]\nif x.last < 2\nend', "two dates or two pieces of text"),
        ('x = ["a", 1]\nif x.last contains "a"\nend', "needs text;"),
        ('x = [1, "a"]\nif x.last\nend', "expected a condition"),
        ('x = ["a", 1]\nx = x.last.upper', 'a number has no operation "upper"'),
        ("while yes\nend", "lines without finishing"),
        ('x = ["a", 1]\ny = today.days-to(x.first)', '"other" is a date, not a text'),
        ('x = [nothing, 1]\ny = "abc".starting(x.first)', '"length" is a number, not nothing'),
        ('fail "The {1 + 1} huts"', "The 2 huts"),
    ],
)
def test_a_failure_names_its_line(body: str, message: str) -> None:
    with pytest.raises(scrub.Failure, match=message) as caught:
        said(body)
    assert caught.value.line is not None
    assert caught.value.line > 2
    assert "Test, line" in str(caught.value)


@given(st.decimals(-1000, 1000, places=3), st.decimals(-1000, 1000, places=3), st.integers(0, 3))
def test_arithmetic_is_decimal(a: Decimal, b: Decimal, places: int) -> None:
    lines = [f"a = 0 + {a:f}" if a >= 0 else f"a = -{-a:f}", f"b = 0 + {b:f}" if b >= 0 else f"b = -{-b:f}"]
    found = said("\n".join([*lines, f'say "{{a + b}} {{a * b}} {{a.rounded({places})}}"']))[0].split()
    rounded = a.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)
    assert [Decimal(each) for each in found] == [a + b, a * b, rounded]


@given(st.text(st.characters(exclude_categories=["Cs", "Cc", "Zl", "Zp"], exclude_characters='"{}'), max_size=40))
def test_any_text_comes_through_as_it_is(text: str) -> None:
    marks = "\u200e\u200f\u061c\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"
    if any(mark in text for mark in marks):
        assert "reading direction" in scrub.check(macro(f'say "{text}"', "nothing"))[0].message
    else:
        assert said(f'say "{text}"') == [text]


def test_questions_are_answered_ahead_or_by_the_host() -> None:
    body = (
        'who = ask("Pass on to", default: "office")\nlimit = ask("How many", as: number)\n'
        'day = ask("From", as: date)\nsure = ask("Sure", as: yes-no)\nhut = ask("Hut", from: ["Larch", "Kite"])\n'
        'say "{who} {limit + 1} {day} {sure} {hut}"'
    )
    answers = {"limit": "1.5", "day": "2026-05-01", "sure": "y", "hut": "KITE"}
    assert said(body, **answers) == ["office 2.5 2026-05-01 yes Kite"]
    typed = {**answers, "limit": 3, "who": "Ann", "sure": False}
    assert said(body, **typed) == ["Ann 4 2026-05-01 no Kite"]
    for name, wrong in itertools.product(["limit", "day", "sure", "hut"], ["maybe"]):
        with pytest.raises(scrub.BadCall, match=name):
            said(body, **{**answers, name: wrong})
    with pytest.raises(scrub.BadCall, match='does not ask for "lmit". Did you mean "limit"'):
        said(body, **answers, lmit="3")
    with pytest.raises(scrub.BadCall, match='no answer for "limit"'):
        said(body)


#: A value of each type as a macro writes it.
WRITTEN = ['"a"', "1", "yes", "2026-01-02", "now", "2 days", "3 cm", "1 KB", "[1]", '["a"]', "nothing", "today"]


@pytest.mark.parametrize("left", WRITTEN)
def test_what_the_check_lets_through_has_a_meaning(home: Path, left: str) -> None:
    """No two values that are written out fail for their types once a macro runs: that is found before."""
    for right in WRITTEN:
        for sign in ("+", "-", "*", "/", "<", ">=", "is", "is not", "contains", "starts with", "is in"):
            line = (
                f'z = {left} {sign} {right}\nlog "{{z}}"'
                if sign in "+-*/"
                else f'if {left} {sign} {right}\nlog "t"\nend'
            )
            if problems(macro(line, "nothing")):
                continue
            (found,) = scrub.run(macro(line, "nothing"), []).files
            assert found.problem is None, (line, str(found.problem))


def test_the_wrong_side_of_a_calculation_is_named(home: Path) -> None:
    for line, why in (("x.first + today", 'this is a text "a"'), ("today + x.first", 'this is a text "a"'), ("today * x.last", "no meaning between a date and a date")):  # fmt: skip
        (found,) = scrub.run(macro(f'x = ["a", today]\nz = {line}', "nothing"), []).files
        assert why in str(found.problem)
