"""Words as people write them: units, prices, hours and fractions, sentences, divided words, and replacements that
reviewers can read.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest
from conftest import examples, macro
from documents import document, members, resolved, texts
from hypothesis import given
from hypothesis import strategies as st
from opentexts import opentext
from opentexts import texts as open_texts

import scrub
from scrub.catalog import wording


def changed(text: str, body: str) -> tuple[str, list[str]]:
    """A text after a macro, with its no-break spaces as tildes, and the record."""
    path = Path("note.txt")
    path.write_text(text)
    found = scrub.run(macro(body, "document"), [str(path)]).files[0]
    assert found.problem is None, str(found.problem)
    return path.read_text().replace("\u00a0", "~").replace("\u202f", "|"), list(found.log)


@pytest.mark.parametrize("text", [
    "€~5 and CHF~12.50", "1~000~kg", "10~000 guests", "Room 4 125", "+41 79 123 45 67", "1/2~kg and 1~1/2~kg, ½~L", "at 3~pm, 11:30~p.m., 4~am",
    "In 2026 300~kg", "5 ft 3 lb", "6~kg of 3 months", "USD~1~200.50", "12~345~678~m", "I am 3", "page 3 of 10", "007 kg", "1.5~L", "3 apples", "$~3",
])  # fmt: skip
def test_what_belongs_to_a_number_stays_on_its_line(home: Path, text: str) -> None:
    assert changed(text.replace("~", " "), "bind-units")[0] == text
    assert changed(text.replace("~", "\u00a0"), "bind-units")[0] == text


def test_units_of_ones_own(home: Path) -> None:
    assert changed("5 ft 3 lb, € 5, 6 kg", 'bind-units units: ["ft", "lb"]')[0] == "5~ft 3~lb, € 5, 6 kg"
    assert changed("5 ft and 3 lb", 'bind-units units: ["ft"], narrow: yes')[0] == "5|ft and 3 lb"


@pytest.mark.parametrize(("before", "after"), [
    ("6 \u00a0kg  and", "6~kg and"), ("a \u202f b", "a|b"), (" a  b ", "a b"), ("a\u00a0b", "a~b"),
])  # fmt: skip
def test_a_no_break_space_is_kept_beside_others(home: Path, before: str, after: str) -> None:
    assert changed(before, "single-spaces")[0] == after


@pytest.mark.parametrize(("before", "after"), [
    ("THE HUT OPENS AT 3 P.M. AND CLOSES AT 9 A.M. WE GO.", "The hut opens at 3 p.m. and closes at 9 a.m. we go."),
    ("It opens at 3 p.m. Bring wood. take water", "It opens at 3 p.m. Bring wood. Take water"),
    ("See e.g. the map. \ufb01re is out", "See e.g. the map. \ufb01re is out"),
    ("\ufb02at roof", "\ufb02at roof"), ("what? yes! no", "What? Yes! No"),
])  # fmt: skip
def test_sentences_begin_with_a_capital(home: Path, before: str, after: str) -> None:
    assert changed(before, "sentence-case")[0] == after


def test_a_ligature_is_not_split_in_titles(home: Path) -> None:
    assert changed("the \ufb01re place", "title-case")[0] == "The \ufb01re Place"


LONG = "The wardens ask everybody who comes up this summer to carry at least one"


@pytest.mark.parametrize(("text", "joined", "told"), [
    (f"{LONG} moun-\ntain stove, for the mountain is cold and wood is rare in every place of all.", f"{LONG} mountain stove, for the mountain is cold and wood is rare in every place of all.", ""),
    (f"{LONG} well-\nknown stove. It is well-known and there are many of the same kind here sort.", f"{LONG} well-known stove. It is well-known and there are many of the same kind here sort.", ""),
    (f"{LONG} moun\u00ad\ntain stove, for it is cold and wood is rare up here in most places.", f"{LONG} mountain stove, for it is cold and wood is rare up here in most places.", ""),
    (f"{LONG} moun-\ntain stove, for it is cold and wood is rare up here in most places.", f"{LONG} moun-\ntain stove, for it is cold and wood is rare up here in most places.", '"moun-" and "tain"'),
    (f"{LONG} to bring wood and\n- water\n- bread", f"{LONG} to bring wood and\n- water\n- bread", "starts like a list"),
])  # fmt: skip
def test_lines_are_joined_or_named(home: Path, text: str, joined: str, told: str) -> None:
    found, log = changed(text, "join-lines")
    assert found == joined
    assert any(told in each for each in log) if told else not log


# -- tracked changes


def pieces(path: Path) -> list[tuple[str, str]]:
    """What was recorded as deleted and as inserted, in order."""
    part = members(path)["word/document.xml"].decode()
    return [
        (kind, "".join(re.findall(r"<w:(?:delText|t)[^>]*>([^<]*)<", inner)))
        for kind, inner in re.findall(r"<w:(ins|del) [^>]*>(.*?)</w:\1>", part)
    ]


@pytest.mark.parametrize(
    ("body", "wanted"),
    [
        ('replace "House", by: "Hut"', [("del", "House"), ("ins", "Hut")]),
        ('replace "Gannet House", by: "Gannet Hut"', [("del", "House"), ("ins", "Hut")]),
        ('replace "the", by: "The"', [("del", "the"), ("ins", "The")]),
        ('replace "wood", by: "woods"', [("del", "wood"), ("ins", "woods")]),
        ("bind-units", [("del", " "), ("ins", "\u00a0")]),
    ],
)
@pytest.mark.parametrize("split", [False, True])
def test_a_word_is_replaced_whole(home: Path, body: str, wanted: list[tuple[str, str]], split: bool) -> None:
    path = Path("rules.docx")
    words = "<w:r><w:t>In Gannet House is also the wood, 6 kg.</w:t></w:r>"
    if split:  # in the middle of words, as word processors leave it
        words = '<w:r><w:t>In Gannet Ho</w:t></w:r><w:r><w:rPr><w:b/></w:rPr><w:t>use is also t</w:t></w:r><w:r><w:t>he wo</w:t></w:r><w:r><w:rPr><w:i/></w:rPr><w:t xml:space="preserve">od, 6 kg.</w:t></w:r>'
    path.write_bytes(document(f"<w:p>{words}</w:p>", settings="<w:zoom/>"))
    before = texts(path)
    run = scrub.run(macro(f"document.tracks-changes = yes\n{body}", "document"), [str(path)])
    assert run.files[0].problem is None
    joined: list[tuple[str, str]] = []
    for kind, text in pieces(path):
        if joined and joined[-1][0] == kind:
            joined[-1] = (kind, joined[-1][1] + text)
        else:
            joined.append((kind, text))
    assert joined == wanted
    assert resolved(path, False) == before
    plain = Path("plain.docx")
    plain.write_bytes(document(f"<w:p>{words}</w:p>"))
    scrub.run(macro(body, "document"), [str(plain)])
    assert resolved(path, True) == texts(plain)


LETTERS = st.text(st.sampled_from("ab '-."), max_size=12)


@given(
    st.lists(st.tuples(LETTERS, st.booleans()), min_size=1, max_size=4),
    st.sampled_from(["a", "b", "ab", "a b", "'"]),
    st.sampled_from(["", "c", "cd", "c d"]),
)
@examples(40)
def test_whole_words_are_accepted_and_refused(home: Path, runs: list[tuple[str, bool]], what: str, by: str) -> None:
    def kept(text: str) -> str:
        return f'<w:t xml:space="preserve">{text}</w:t>'

    words = "".join(f"<w:r>{'<w:rPr><w:b/></w:rPr>' if bold else ''}{kept(text)}</w:r>" for text, bold in runs)
    spans = "".join(
        f'<text:span text:style-name="{"B" if bold else "I"}">{text.replace(" ", "<text:s/>")}</text:span>'
        for text, bold in runs
    )
    body = f'replace "{what}", by: "{by}"'
    found: list[list[str]] = []
    for name, data, reader in (
        ("a.docx", document(f"<w:p>{words}</w:p>", settings="<w:zoom/>"), texts),
        ("a.odt", opentext(f"<text:p>{spans}</text:p>"), open_texts),
    ):
        path = Path(name)
        path.write_bytes(data)
        before = reader(path)

        def run(steps: str, path: Path = path) -> Any:
            result = scrub.run(macro(steps, "document"), [str(path)]).files[0]
            assert result.problem is None, str(result.problem)

        run(body)
        found.append(reader(path))
        path.write_bytes(data)
        run(f"document.tracks-changes = yes\n{body}\ndocument.tracks-changes = no")
        recorded = path.read_bytes()
        run("accept-changes")
        assert reader(path) == found[-1]
        path.write_bytes(recorded)
        run("reject-changes")
        assert reader(path) == before


#: Pieces of texts with numbers, units, currencies and what only looks like them.
AMOUNTS = [
    "6", "12", "-3", "+4", "\u22125", "0", "07", "1 000", "10 000 000", "1,5", "2.25", "1/2", "\u00bd", "2\u00bd", "\u2150\u2151", "3 1/4", "\u0663",
    " ", "  ", "\u00a0", "\u202f", "kg", "km", "W", "%", "m", "h", "EUR", "\u20ac", "$", "USD", "XEUR", "am", "p.m.", "PM", "10:30", "9.15", "Room", "page ",
    "a", ".", ",", "-", "/", "x", "\n", "kg.", "m\u00b2", "\0",
]  # fmt: skip


@examples(400)
@given(
    every=st.lists(st.lists(st.sampled_from(AMOUNTS), max_size=12), min_size=1, max_size=5),
    units=st.sampled_from([(), ("kg",), ("W", "Room"), ("a\0",)]),
    narrow=st.booleans(),
)
def test_numbers_are_bound_as_a_search_of_the_whole_text_finds_them(
    monkeypatch: pytest.MonkeyPatch, every: list[list[str]], units: tuple[str, ...], narrow: bool
) -> None:
    """One text, and many that are looked at together."""
    texts = ["".join(pieces) for pieces in every]
    found: list[Any] = []

    class Item:
        def edit_texts(self, editing: Any, between: str = "") -> None:
            found.append([list(editing(text)) for text in texts])
            assert list(map(list, editing.many(texts))) == found[-1]

    item: Any = Item()
    wording.bind_units(item, units, narrow)
    with monkeypatch.context() as patched:
        patched.setattr(wording, "_matches", lambda pattern, text, starts: pattern.finditer(text))
        wording.bind_units(item, units, narrow)
    assert found[0] == found[1]
