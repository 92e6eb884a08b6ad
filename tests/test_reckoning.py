"""Whole macros, made by chance, beside the same steps done by a few lines of Python."""

from __future__ import annotations

import csv
import io
import operator
import re
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import openpyxl
from conftest import examples, macro
from hypothesis import given
from hypothesis import strategies as st

import scrub

# -- expressions: written once in words and once in signs

NAMES = ["huts", "beds", "guests"]
WORDS = {"is": "==", "is not": "!="}


class Both(NamedTuple):
    """The same expression in the language of macros and in Python."""

    ours: str
    theirs: str

    def of(self, values: dict[str, Any]) -> Any:
        return eval(self.theirs, {}, values)


def joined(sides: st.SearchStrategy[Both], signs: list[str]) -> st.SearchStrategy[Both]:
    """Two of them with one of the signs between them."""
    return st.builds(
        lambda a, sign, b: Both(f"{a.ours} {sign} {b.ours}", f"{a.theirs} {WORDS.get(sign, sign)} {b.theirs}"),
        sides,
        st.sampled_from(signs),
        sides,
    )


def numbers(depth: int) -> st.SearchStrategy[Both]:
    plain = st.one_of(
        st.sampled_from(NAMES).map(lambda name: Both(name, name)),
        st.integers(-9, 9).map(lambda number: Both(str(number), str(number))),
    )
    if not depth:
        return plain
    inner = numbers(depth - 1)
    return st.one_of(
        plain,
        joined(inner, ["+", "-", "*"]),
        inner.map(lambda a: Both(f"({a.ours})", f"({a.theirs})")),
    )


def conditions(depth: int) -> st.SearchStrategy[Both]:
    plain = joined(numbers(1), ["<", "<=", ">", ">=", "is", "is not"])
    if not depth:
        return plain
    inner = conditions(depth - 1)
    return st.one_of(
        plain,
        joined(inner, ["and", "or"]),
        inner.map(lambda a: Both(f"not ({a.ours})", f"not ({a.theirs})")),
        inner.map(lambda a: Both(f"({a.ours})", f"({a.theirs})")),
    )


@examples(200)
@given(numbers(3), conditions(3), st.lists(st.integers(-5, 5), min_size=3, max_size=3))
def test_expressions_bind_as_one_reads_them(number: Both, condition: Both, start: list[int]) -> None:
    values = dict(zip(NAMES, start, strict=True))
    heads = "\n".join(f"{name} = {value}" for name, value in values.items())
    body = f'{heads}\nx = {number.ours}\nif {condition.ours}\nsay "{{x}} yes"\nelse\nsay "{{x}} no"\nend'
    found = scrub.run(macro(body, "nothing")).files[0]
    assert found.problem is None, str(found.problem)
    assert found.said == [f"{number.of(values)} {'yes' if condition.of(values) else 'no'}"]


# -- statements

Values = dict[str, Any]


class _Out(Exception):
    """One leaves a loop."""


class _Next(Exception):
    """On to the next turn of a loop."""


class _Failed(Exception):
    """A macro failed on its own."""


class Step(NamedTuple):
    """Some lines of a macro, and what they do."""

    lines: tuple[str, ...]
    do: Callable[[Values, list[str]], None]


def _together(steps: list[Step]) -> Step:
    def do(values: Values, told: list[str]) -> None:
        for step in steps:
            step.do(values, told)

    return Step(tuple(f"  {line}" for step in steps for line in step.lines), do)


def _given(name: str, value: Both) -> Step:
    def do(values: Values, told: list[str]) -> None:
        values[name] = value.of(values)

    return Step((f"{name} = {value.ours}",), do)


def _said(word: str) -> Step:
    def do(values: Values, told: list[str]) -> None:
        told.append(f"{word} {values['huts']} {values['beds']} {values['guests']}")

    return Step((f'say "{word} {{huts}} {{beds}} {{guests}}"',), do)


def _branch(condition: Both, yes: Step, other: Both, maybe: Step, no: Step) -> Step:
    def do(values: Values, told: list[str]) -> None:
        taken = yes if condition.of(values) else maybe if other.of(values) else no
        taken.do(values, told)

    lines = (f"if {condition.ours}", *yes.lines, f"else if {other.ours}", *maybe.lines, "else", *no.lines, "end if")
    return Step(lines, do)


def _guarded(condition: Both, word: str) -> Step:
    def do(values: Values, told: list[str]) -> None:
        if condition.of(values):
            raise _Out if word == "leave loop" else _Next

    return Step((f"if {condition.ours}", f"  {word}", "end"), do)


def _turns(values: Values, told: list[str], body: Step, each: Iterator[None]) -> None:
    for _ in each:
        try:
            body.do(values, told)
        except _Next:
            continue
        except _Out:
            return


def _times(count: int, body: Step) -> Step:
    return Step(
        (f"{count} times", *body.lines, "end"),
        lambda values, told: _turns(values, told, body, iter([None] * count)),
    )


def _while(name: str, most: int, condition: Both, body: Step) -> Step:
    def do(values: Values, told: list[str]) -> None:
        values[name] = 0

        def turns() -> Iterator[None]:
            while values[name] < most and condition.of(values):
                values[name] += 1
                yield

        _turns(values, told, body, turns())

    head = (f"{name} = 0", f"while {name} < {most} and ({condition.ours})", f"  {name} = {name} + 1")
    return Step((*head, *body.lines, "end while"), do)


def _every(name: str, items: list[Both], where: Both, body: Step) -> Step:
    def do(values: Values, told: list[str]) -> None:
        kept = [item.of(values) for item in items]

        def turns() -> Iterator[None]:
            for value in kept:
                if eval(where.theirs, {}, {**values, "it": value}):
                    values["guests"] = value
                    yield

        _turns(values, told, body, turns())

    inside = (f"  guests = {name}", *body.lines)
    listed = ", ".join(item.ours for item in items)
    return Step((f"each {name} in [{listed}] where {where.ours.replace('it', name)}", *inside, "end each"), do)


def _attempt(body: Step, condition: Both, otherwise: Step) -> Step:
    """What was said in it stays said."""

    def do(values: Values, told: list[str]) -> None:
        before = dict(values)
        try:
            body.do(values, told)
            if condition.of(values):
                raise _Failed
        except _Failed:
            values.clear()
            values.update(before)
            otherwise.do(values, told)

    lines = ("attempt", *body.lines, f"  if {condition.ours}", '    fail "no room"', "  end", "if it fails")
    return Step((*lines, *otherwise.lines, "end"), do)


WHERES = st.builds(
    lambda sign, number: Both(f"it {sign} {number}", f"it {sign} {number}"),
    st.sampled_from(["<", ">", "<=", ">="]),
    st.integers(-3, 3),
)


def steps(depth: int, looped: bool = False) -> st.SearchStrategy[Step]:
    plain = [
        st.builds(_given, st.sampled_from(NAMES), numbers(1)),
        st.sampled_from(["a", "b", "c"]).map(_said),
    ]
    if looped:
        plain.append(st.builds(_guarded, conditions(0), st.sampled_from(["leave loop", "skip"])))
    if not depth:
        return st.one_of(plain)

    def block(inside: bool = looped) -> st.SearchStrategy[Step]:
        return st.lists(steps(depth - 1, inside), min_size=1, max_size=3).map(_together)

    return st.one_of(
        *plain,
        st.builds(_branch, conditions(1), block(), conditions(0), block(), block()),
        st.builds(_times, st.integers(0, 3), block(True)),
        st.builds(_while, st.just(f"turn{depth}"), st.integers(0, 3), conditions(1), block(True)),
        st.builds(_every, st.just(f"hut{depth}"), st.lists(numbers(1), min_size=1, max_size=3), WHERES, block(True)),
        st.builds(_attempt, block(), conditions(1), block()),
    )


@examples(150)
@given(st.lists(steps(2), min_size=1, max_size=5).map(_together))
def test_statements_do_what_their_twins_do(program: Step) -> None:
    whole = _together([*(_given(name, Both("1", "1")) for name in NAMES), program, _said("end")])
    values: Values = {}
    told: list[str] = []
    whole.do(values, told)
    if any(abs(value) >= 10**20 for value in values.values()):
        return  # beyond the digits that are kept
    text = macro("\n".join(whole.lines), "nothing")
    found = scrub.run(text).files[0]
    assert found.problem is None, f"{found.problem}\n{text}"
    assert found.said == told, text
    assert scrub.run(scrub.tidy(text)).files[0].said == told


# -- records: the same table as a workbook and as a list, and as rows of Python

HEADINGS = ["Hut", "Nights", "Note", "Paid"]
Row = dict[str, Any]
ROWS = st.lists(
    st.one_of(
        st.fixed_dictionaries(
            {
                "Hut": st.sampled_from(["Larch", "larch", "Kite", "Tarn Hut"]),
                "Nights": st.one_of(st.none(), st.integers(0, 9)),
                "Note": st.sampled_from([None, "late", "Late again", "paid  twice", "x"]),
                "Paid": st.one_of(st.none(), st.booleans()),
            }
        ),
        st.just(dict.fromkeys(HEADINGS)),
    ),
    min_size=1,
    max_size=9,
).filter(lambda rows: any(row["Hut"] for row in rows[:1]))

Test = tuple[str, Callable[[Row], bool]]
SIGNS: dict[str, Callable[[int, int], bool]] = {
    "<": operator.lt, ">": operator.gt, "<=": operator.le, ">=": operator.ge, "is": operator.eq,
}  # fmt: skip


def _nights(sign: str, limit: int) -> Test:
    text = f"(record.nights is not empty and record.nights {sign} {limit})"
    return text, lambda row: row["Nights"] is not None and SIGNS[sign](row["Nights"], limit)


def _text(field: str, how: str, what: str) -> Test:
    found: dict[str, Callable[[str], bool]] = {
        "contains": lambda text: what in text,
        "starts with": lambda text: text.startswith(what),
        "ends with": lambda text: text.endswith(what),
        "is": lambda text: text == what,
    }
    return f'record.{field.lower()} {how} "{what}"', lambda row: found[how]((row[field] or "").lower())


def _joined(one: Test, word: str, other: Test) -> Test:
    both = all if word == "and" else any
    return f"({one[0]} {word} {other[0]})", lambda row: both([one[1](row), other[1](row)])


PLAIN_TESTS: st.SearchStrategy[Test] = st.one_of(
    st.builds(_nights, st.sampled_from(sorted(SIGNS)), st.integers(0, 9)),
    st.builds(
        _text,
        st.sampled_from(["Hut", "Note"]),
        st.sampled_from(["contains", "starts with", "ends with", "is"]),
        st.sampled_from(["larch", "la", "late", "again", "hut"]),
    ),
    st.just(("record.note is empty", lambda row: not row["Note"])),
    st.just(("record.paid is yes", lambda row: row["Paid"] is True)),
    st.just(("record.paid is not no", lambda row: row["Paid"] is not False)),
)
TESTS = st.one_of(
    PLAIN_TESTS,
    st.builds(_joined, PLAIN_TESTS, st.sampled_from(["and", "or"]), PLAIN_TESTS),
    PLAIN_TESTS.map(lambda test: (f"not ({test[0]})", lambda row: not test[1](row))),
)


class ServerCommand(NamedTuple):
    """What is done to a record, and to a row."""

    lines: str
    do: Callable[[Row], None]


def _put(field: str, written: str, value: Any) -> ServerCommand:
    return ServerCommand(f"record.{field.lower()} = {written}", lambda row: row.update({field: value}))


def _more(row: Row) -> None:
    if row["Nights"] is not None:
        row["Nights"] += 1


DEEDS = st.one_of(
    st.sampled_from(["seen", "late twice", ""]).map(lambda note: _put("Note", f'"{note}"', note or None)),
    st.just(_put("Note", "nothing", None)),
    st.integers(0, 99).map(lambda nights: _put("Nights", str(nights), nights)),
    st.booleans().map(lambda paid: _put("Paid", "yes" if paid else "no", paid)),
    st.just(ServerCommand('record.note = "{record.hut} {row.number}"', lambda row: row.update(Note="{row}"))),
    st.just(ServerCommand("if record.nights is not empty\nrecord.nights = record.nights + 1\nend", _more)),
)


def _workbook(path: Path, rows: list[Row]) -> None:
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.append(HEADINGS)
    for row in rows:
        sheet.append([row[heading] for heading in HEADINGS])
    book.save(path)


def _list(path: Path, rows: list[Row]) -> None:
    shown = {None: "", True: "TRUE", False: "FALSE"}
    with path.open("w", newline="") as stream:
        writer = csv.writer(stream)
        writer.writerow(HEADINGS)
        for row in rows:
            writer.writerow(
                [shown[v] if v is None or isinstance(v, bool) else v for v in (row[each] for each in HEADINGS)]
            )


def _rows_of(path: Path, count: int) -> list[Row]:
    """The rows as another reader finds them."""
    if path.suffix == ".xlsx":
        sheet = openpyxl.load_workbook(path).worksheets[0]
        cells = [[sheet.cell(row, column).value for column in range(1, 5)] for row in range(2, count + 2)]
        return [dict(zip(HEADINGS, [each if each != "" else None for each in row], strict=True)) for row in cells]
    back: dict[str, Any] = {"": None, "TRUE": True, "FALSE": False}
    found = list(csv.reader(io.StringIO(path.read_text(), newline="")))[1:]
    rows = [dict(zip(HEADINGS, [back.get(each, each) for each in row], strict=True)) for row in found]
    return [{**row, "Nights": None if row["Nights"] is None else int(row["Nights"])} for row in rows]


@examples(120)
@given(ROWS, st.lists(st.tuples(TESTS, DEEDS), min_size=1, max_size=4))
def test_records_change_as_rows_of_python_do(
    tmp_path: Path, rows: list[Row], parts: list[tuple[Test, ServerCommand]]
) -> None:
    body = ["met = 0", "each sheet"]
    for test, deed in parts:
        body += [f"each record in sheet where {test[0]}", "met = met + 1", deed.lines, "end"]
    text = macro("\n".join([*body, "end", 'say "{met}"']))
    wanted, met = [dict(row) for row in rows], 0
    for test, deed in parts:
        for number, row in enumerate(wanted, 2):
            if any(value is not None for value in row.values()) and test[1](row):
                met += 1
                deed.do(row)
                if row["Note"] == "{row}":
                    row["Note"] = f"{row['Hut'] or ''} {number}"
    for path, make in ((tmp_path / "guests.xlsx", _workbook), (tmp_path / "guests.csv", _list)):
        make(path, rows)
        before = path.read_bytes()
        found = scrub.run(text, [str(path)])
        assert found.files[0].problem is None, f"{found.files[0].problem}\n{text}"
        assert found.files[0].said == [str(met)], text
        assert _rows_of(path, len(rows)) == wanted, text
        if found.files[0].state == "changed":
            scrub.undo(found.number)
        assert path.read_bytes() == before


# -- texts: in a cell, in a list, as a value, and by a regular expression

NEEDLES = st.text("aAb.+ü", min_size=1, max_size=2)
HEAPS = st.lists(st.text("aAbB.+üÜ ", min_size=1, max_size=8).filter(str.strip), min_size=1, max_size=5)


@examples(100)
@given(HEAPS, NEEDLES, st.sampled_from(["", "x", "aa", "\\1"]), st.booleans())
def test_a_text_is_replaced_alike_everywhere(
    tmp_path: Path, texts: list[str], needle: str, fresh: str, exactly: bool
) -> None:
    how = "exactly " if exactly else ""
    wanted = [re.sub(re.escape(needle), lambda _: fresh, each, flags=0 if exactly else re.IGNORECASE) for each in texts]
    for path in (tmp_path / "texts.xlsx", tmp_path / "texts.csv"):
        if path.suffix == ".xlsx":
            book = openpyxl.Workbook()
            for row, each in enumerate(texts, 1):
                book.worksheets[0].cell(row, 1, "word").value = "word"
                book.worksheets[0].cell(row, 2, each).data_type = "s"
            book.save(path)
        else:
            with path.open("w", newline="", encoding="utf-8") as stream:
                csv.writer(stream).writerows(["word", each] for each in texts)
        acted = tmp_path / f"acted{path.suffix}"
        shutil.copyfile(path, acted)
        by_action = f'each sheet\nin cells("B1:B{len(texts)}")\nreplace {how}"{needle}", by: "{fresh}"\nend\nend'
        by_value = f'each sheet\neach cell in cells("B1:B{len(texts)}")\nif cell.value is not empty\n' \
            f'log "{{cell.shown.replaced({how}"{needle}", by: "{fresh}")}}"\nend\nend\nend'  # fmt: skip
        found = scrub.run(macro(by_action), [str(acted)])
        assert found.files[0].problem is None, str(found.files[0].problem)
        if path.suffix == ".csv":
            with acted.open(newline="", encoding="utf-8") as stream:
                after = [row[1] for row in csv.reader(stream)]
        else:
            sheet = openpyxl.load_workbook(acted).worksheets[0]
            after = [str(sheet.cell(row, 2).value or "") for row in range(1, len(texts) + 1)]
        assert [each.removeprefix("'") for each in after] == wanted
        logged = scrub.run(macro(by_value), [str(path)])
        assert logged.files[0].problem is None, str(logged.files[0].problem)
        assert logged.files[0].log == wanted
