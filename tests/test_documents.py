"""Documents: what is read and written, beside readers that share no code with Scrub."""

from __future__ import annotations

import contextlib
import itertools
import re
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import docx
import openpyxl
import pytest
from conftest import Output, examples, macro, model_of
from documents import W, document, looks, members, put_members, resolved, texts
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from opentexts import opentext
from sheets import schema_findings

import scrub
from scrub.model.core.change import visible
from scrub.model.core.text import edited, shrunk

Cli = Callable[..., Output]
P = '<w:p><w:r><w:t xml:space="preserve">{}</w:t></w:r></w:p>'


def run(text: str, path: Path | str, **options: Any) -> scrub.FileResult:
    """Runs the lines of a macro on a document; its problem is raised."""
    found = scrub.run(macro(text, "document"), [str(path)], **options).files[0]
    if found.problem is not None:
        raise found.problem
    return found


def made(*paragraphs: str, name: str = "a.docx", **parts: str) -> Path:
    """A document of paragraphs, each its text or its whole element."""
    body = "".join(each if each.startswith("<w:") else P.format(each) for each in paragraphs)
    Path(name).write_bytes(document(body, **parts))
    return Path(name)


# -- random paragraphs and edits

LOOKS = st.sampled_from(
    ["", "<w:rPr><w:b/></w:rPr>", "<w:rPr><w:i/></w:rPr>", '<w:rPr><w:color w:val="FF0000"/></w:rPr>']
)
CHARACTERS = st.text("ab c\u00e9&<>\u00a0\U0001f600", max_size=5)


def _text(letters: str) -> str:
    plain = letters.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
    return f'<w:t xml:space="preserve">{plain}</w:t>' if letters else "<w:t/>"


@st.composite
def run_of(draw: st.DrawFn) -> str:
    inside = draw(st.lists(st.one_of(
        CHARACTERS.map(_text), st.sampled_from(["<w:tab/>", "<w:br/>", "<w:noBreakHyphen/>", '<w:br w:type="page"/>', "<w:drawing/>", "<w:lastRenderedPageBreak/>", "<a:t>x</a:t>"]),
    ), min_size=1, max_size=3))  # fmt: skip
    return f"<w:r>{draw(LOOKS)}{''.join(inside)}</w:r>".replace("<a:t>x</a:t>", "")


FIELD = (
    '<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText> PAGE </w:instrText></w:r>'
    '<w:r><w:fldChar w:fldCharType="separate"/></w:r><w:r><w:t>7</w:t></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r>'
)
PIECES = st.one_of(
    run_of(), run_of(), run_of().map(lambda run: f'<w:hyperlink w:anchor="x">{run}</w:hyperlink>'), run_of().map(lambda run: f'<w:ins w:id="1" w:author="A">{run}</w:ins>'),
    run_of().map(lambda run: f'<w:sdt><w:sdtPr/><w:sdtContent>{run}</w:sdtContent></w:sdt>'), run_of().map(lambda run: f"<w:smartTag>{run}</w:smartTag>"),
    st.sampled_from(['<w:bookmarkStart w:id="3" w:name="n"/>', '<w:del w:id="2" w:author="A"><w:r><w:delText>gone</w:delText></w:r></w:del>', "<m:oMath/>", "<w:proofErr/>", FIELD,
                     '<w:moveFrom w:id="9" w:author="A"><w:r><w:t>away</w:t></w:r></w:moveFrom>']),
)  # fmt: skip
PARAGRAPHS = st.lists(PIECES, max_size=5).map(lambda every: f"<w:p><w:pPr/>{''.join(every)}</w:p>")


@st.composite
def edits_of(draw: st.DrawFn, length: int) -> list[tuple[int, int, str]]:
    cuts = sorted(draw(st.lists(st.integers(0, length), min_size=2, max_size=6)))
    pairs = [(cuts[at], cuts[at + 1]) for at in range(0, len(cuts) - 1, 2)]
    pairs = [one for one, after in zip(pairs, [*pairs[1:], (length + 1, 0)], strict=True) if one[1] < after[0]]
    return [(start, end, draw(st.sampled_from(["", "x", "x y ", "\t", "\n", "&<", "\u00e9"]))) for start, end in pairs]


@examples(150)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=3), st.data())
def test_any_edit_of_any_paragraph_is_just_that_edit(paragraphs: list[str], data: st.DataObject) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.docx"
        path.write_bytes(document("".join(paragraphs)))
        just_that_edit(path, looks, _with, "word/document.xml", data)


def just_that_edit(
    path: Path,
    letters: Callable[[Path], list[list[tuple[str, str]]]],
    edited_as: Callable[[list[tuple[str, str]], list[tuple[int, int, str]]], list[tuple[str, str]]],
    part: str,
    data: st.DataObject,
) -> None:
    """Edits each paragraph anyhow: a reader of characters and their looks sees that and no more, and undo is exact."""
    before, old, parts = letters(path), path.read_bytes(), members(path)
    with scrub.open(str(path)) as opened:
        every = list(model_of(opened).paragraphs())
        assert [each.text for each in every] == ["".join(letter for letter, _ in each) for each in before]
        wanted = list(before)
        for number, paragraph in enumerate(every):
            edits = data.draw(edits_of(len(paragraph.text)))
            text = paragraph.text
            try:
                paragraph.edit(edits)
            except scrub.Failure:
                assert paragraph.text == text
                assert "\ufffc" in text or "7" in text
                continue
            assert paragraph.text == edited(text, edits)
            wanted[number] = edited_as(before[number], edits)
        saved = opened.save("by hand")
    assert letters(path) == wanted
    if saved is not None:
        assert {name for name, each in members(path).items() if each != parts[name]} <= {part}
        scrub.undo(saved)
    assert path.read_bytes() == old


def _with(letters: list[tuple[str, str]], edits: list[tuple[int, int, str]]) -> list[tuple[str, str]]:
    """The characters with their looks after edits: a new one looks like the first it replaces, else like the one before."""
    text, out, done = "".join(letter for letter, _ in letters), [], 0
    for start, end, fresh in shrunk(text, edits):
        out += letters[done:start]
        like = start if end > start or not start else start - 1
        look = letters[like][1] if like < len(letters) else letters[-1][1] if letters else ""
        out += [(letter, "" if look == "math" else look) for letter in fresh]
        done = end
    return [*out, *letters[done:]]


# -- what a person does


def test_words_round_a_conjunction_change_places_with_their_looks(home: Path) -> None:
    path = made("<w:p><w:r><w:t xml:space=\"preserve\">We have </w:t></w:r><w:r><w:rPr><w:b/></w:rPr><w:t>bread</w:t></w:r>"
                "<w:r><w:t xml:space=\"preserve\"> and </w:t></w:r><w:r><w:rPr><w:i/></w:rPr><w:t>water</w:t></w:r></w:p>", "Bread and water and wine.")  # fmt: skip
    run('in selection\nswap-around "and"\nend', path, at='2 "bread and water"')
    assert texts(path)[1] == "Water and bread and wine."
    run('in paragraph(1)\nswap-around "and"\nend', path)
    found = docx.Document(str(path)).paragraphs[0]
    assert [(each.text, each.bold, each.italic) for each in found.runs] == [
        ("We have ", None, None), ("water", None, True), (" and ", None, None), ("bread", True, None),
    ]  # fmt: skip
    with pytest.raises(scrub.Failure, match="2 times: paragraph 1, paragraph 2"):
        run('in selection\nswap-around "and"\nend', path, at='"bread"')
    with pytest.raises(scrub.Failure, match="appears 2 times"):
        run('in selection\nswap-around "and"\nend', path, at='3 "bread"')
    with pytest.raises(scrub.Failure, match='"wine" appears once: paragraph 2'):
        run('in selection\nswap-around "and"\nend', path, at='2 "wine"')
    with pytest.raises(scrub.Failure, match="does not appear in paragraph 1"):
        run('in selection\nswap-around "and"\nend', path, at='paragraph 1 "wine"')
    run("in selection\nupper\nend", path, at='paragraph 2 "bread", paragraph 1 "have"')
    assert texts(path) == ["We HAVE water and bread", "Water and BREAD and wine."]


@pytest.mark.parametrize("suffix", [".docx", ".odt", ".md"])
def test_words_are_looked_for_in_the_item_at_hand(home: Path, suffix: str) -> None:
    path = Path(f"note{suffix}")
    lines = ["Bring 6 kg of rice and 2 kg of salt.", "", "Bring 4 kg of peat.", "", "Nothing more."]
    if suffix == ".docx":
        path.write_bytes(document("".join(f"<w:p><w:r><w:t>{line}</w:t></w:r></w:p>" for line in lines if line)))
    elif suffix == ".odt":
        path.write_bytes(opentext("".join(f"<text:p>{line}</text:p>" for line in lines if line)))
    else:
        path.write_text("\n".join(lines))
    told = """each paragraph where paragraph.text contains "Bring"
    each passage in passages(matching: "[0-9]+ kg")
        log "{paragraph.number}: {passage.text}"
    end
end
in selection
    log "{count(passage in passages("kg"))} picked"
end"""
    first, second = (1, 2) if suffix != ".md" else (1, 3)
    found = run(told, path, at=f'paragraph {first} "6 kg of rice", paragraph {second}')
    assert found.log == [f"{first}: 6 kg", f"{first}: 2 kg", f"{second}: 4 kg", "2 picked"]
    assert run('each passage in passages("4 kg")\nlog "{paragraph.number}"\nend', path).log == [str(second)]
    with pytest.raises(scrub.Failure, match=f'"rice" does not appear in paragraph {second}'):
        run(f'in paragraph({second})\nlog passage("rice").text\nend', path)
    run('each paragraph where paragraph.text contains "peat"\nin passages("kg")\nupper\nend\nend', path)
    assert run("each paragraph where paragraph.text is not empty\nlog paragraph.text\nend", path).log == [
        "Bring 6 kg of rice and 2 kg of salt.", "Bring 4 KG of peat.", "Nothing more."
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("6 L and 20 kg", "6~L and 20~kg"), ("3.5 km, 2,5 kg", "3.5~km, 2,5~kg"), ("Room 4 W", "Room 4 W"), ("6L", "6L"), ("007 kg", "007 kg"), ("v1.2 kg", "v1.2 kg"),
        ("30 % of 5 m/s", "30~% of 5~m/s"), ("3 months", "3 months"), ("-5 \u00b0C", "-5~\u00b0C"), ("6  kg", "6~kg"), ("May 3 s", "May 3 s"), ("1/2 kg", "1/2~kg"), ("5 kg/day", "5 kg/day"),
    ],
)  # fmt: skip
def test_a_number_stays_with_its_unit(home: Path, before: str, after: str) -> None:
    path = made(before)
    found = run("bind-units", path)
    assert texts(path) == [after.replace("~", "\u00a0")]
    assert all("{no-break-space}" in str(change) for change in found.changes)
    assert run("bind-units", path).state == "unchanged"


NOTICE = (
    "Dear guest of the Larch Hut,", "", "The wardens ask everybody who comes up this summer to carry at least one",
    "litre of water and 2 kg of wood from the car park. The spring behind the", "hut ran dry in July, and the tank holds only 600 L for all of you until it", "rains again.", "",
    "Bread and water can be had from 7 to 9.", "- bring a sleeping bag that has been washed at least once in this year", "- pay in cash", "", "Kind regards,", "The wardens",
)  # fmt: skip


@pytest.mark.parametrize("name", ["notice.txt", "notice.md", "notice.docx"])
def test_pasted_lines_become_paragraphs_and_the_real_ends_stay(home: Path, name: str) -> None:
    path = made(*NOTICE, name=name)
    if not name.endswith("docx"):
        path.write_bytes("\r\n".join(NOTICE).encode())
    old = path.read_bytes()
    result = scrub.run(macro("join-lines", "document"), [str(path)])
    wanted = [*NOTICE[:2], " ".join(NOTICE[2:6]), *NOTICE[6:]]
    assert (texts(path) if name.endswith("docx") else path.read_bytes().decode().split("\r\n")) == wanted
    assert scrub.run(macro("join-lines", "document"), [str(path)]).files[0].state == "unchanged"
    scrub.undo(result.number)
    assert path.read_bytes() == old


def test_what_was_picked_grows_with_what_is_joined(home: Path) -> None:
    path = made(*NOTICE[2:6], "after  it")
    body = 'in selection\njoin-lines\nsingle-spaces\nlog "{count(passage)}"\neach passage where passage.text is not empty\nlog passage.text\nend\nend'
    found = run(body.replace("and 2 kg", "and"), path, at="paragraphs 1-4")
    assert found.log[1:] == [" ".join(NOTICE[2:6])]
    assert texts(path) == [" ".join(NOTICE[2:6]), "after  it"]


def test_joined_paragraphs_are_one_for_what_follows(home: Path) -> None:
    path = made(*NOTICE[2:6])
    run(
        'join-lines\nreplace "the tank holds only", by: "the  tank has"\nsingle-spaces\nattempt\njoin-lines\nupper\nfail "no"\nif it fails\nlog problem\nend',
        path,
    )
    assert texts(path) == [" ".join(NOTICE[2:6]).replace("tank holds only", "tank has")]


def test_headings_styles_and_empty_paragraphs(home: Path) -> None:
    path = made('<w:p><w:pPr><w:pStyle w:val="H1"/></w:pPr><w:r><w:t>Rules</w:t></w:r></w:p>', "One", "", '<w:p><w:pPr><w:pStyle w:val="H2"/></w:pPr><w:r><w:t>Water</w:t></w:r></w:p>',
                "Carry it.", "<w:p/>", '<w:p><w:pPr><w:pStyle w:val="H1"/></w:pPr><w:r><w:t>Beds</w:t></w:r></w:p>', "<w:p><w:pPr><w:jc w:val=\"center\"/></w:pPr><w:r><w:t>Last</w:t></w:r></w:p>")  # fmt: skip
    body = (
        'each heading where heading.level is 2\nheading.level = 3\nend\n'
        'each paragraph where paragraph.text is empty\ndelete\nend\n'
        'in heading("Beds")\nadd-before "Before"\nadd-after "Behind"\nend\nin paragraph(8)\nparagraph.style = "quote"\nend\n'
        'log "{count(heading)} {count(paragraph in heading("Rules"))}"'
    )  # fmt: skip
    assert run(body, path).log == ["3 3"]
    found = docx.Document(str(path)).paragraphs
    assert [(each.text, each.style.name if each.style else None) for each in found] == [
        ("Rules", "Heading 1"), ("One", "Normal"), ("Water", "Heading 3"), ("Carry it.", "Normal"), ("Before", "Heading 1"), ("Beds", "Heading 1"), ("Behind", "Heading 1"), ("Last", "Quote"),
    ]  # fmt: skip
    with pytest.raises(scrub.Failure, match='no paragraph style "Qote". Did you mean "Quote"'):
        run('each paragraph\nparagraph.style = "Qote"\nend', path)


def test_markdown_keeps_its_code_and_where_its_links_lead(home: Path) -> None:
    text = "# House  rules\n\nCarry 6 kg. See  [the  map](huts.html  'a  b') and `6 kg  now`.  \nNext\n\n```\n6 kg  of\n```\n"
    Path("a.md").write_text(text)
    found = run("single-spaces\nbind-units\neach heading\nheading.level = 2\nend", "a.md")
    assert Path("a.md").read_text() == (
        "## House rules\n\nCarry 6\u00a0kg. See [the map](huts.html  'a  b') and `6 kg  now`.  \nNext\n\n```\n6 kg  of\n```\n"
    )
    assert found.left > 0
    assert "this text is code" in " ".join(found.log)


def test_a_plain_text_keeps_its_line_ends_its_encoding_and_its_other_lines(home: Path) -> None:
    Path("a.txt").write_bytes("\ufeffone  two\r\nthree\nfour".encode())
    run('single-spaces\nin paragraph(3)\nadd-after "five"\nend\nin paragraph(2)\ndelete\nend', "a.txt")
    assert Path("a.txt").read_bytes() == "\ufeffone two\r\nfour\r\nfive".encode()
    with pytest.raises(scrub.Failure, match='a plain text file stores text only, not "style" of a'):
        run('each paragraph\nparagraph.style = "Quote"\nend', "a.txt")
    Path("b.txt").write_bytes(b"M\xfcnchen und  K\xf6ln, G\xe4nge, \xfcber\n")
    run("single-spaces", "b.txt")
    assert Path("b.txt").read_bytes() == b"M\xfcnchen und K\xf6ln, G\xe4nge, \xfcber\n"


def test_what_must_stay_is_left_and_told(home: Path) -> None:
    locked = '<w:p><w:sdt><w:sdtPr><w:lock w:val="contentLocked"/></w:sdtPr><w:sdtContent><w:r><w:t>a  b</w:t></w:r></w:sdtContent></w:sdt></w:p>'
    field = (
        "<w:p>"
        + FIELD.replace("<w:t>7</w:t>", "<w:t>7  8</w:t>")
        + '<w:r><w:t xml:space="preserve"> c  d</w:t></w:r></w:p>'
    )
    picture = '<w:p><w:r><w:t xml:space="preserve">e  f</w:t><w:drawing/><w:t>g</w:t></w:r></w:p>'
    path = made(locked, field, picture)
    found = run("single-spaces", path)
    assert texts(path) == ["a  b", "7  8 c d", "e f\ufffcg"]
    assert (found.left, sorted(found.log)) == (2, ["skipped paragraph 1: this text is in a locked content control", "skipped paragraph 2: this text is the result of a field; the next update would restore it"])  # fmt: skip
    with pytest.raises(scrub.Failure, match="paragraph 3: the text to change contains a picture, a note or a break"):
        run('in paragraph(3)\nparagraph.text = "x"\nend', path)
    cell = f"<w:tbl><w:tr><w:tc>{P.format('in a cell')}</w:tc></w:tr></w:tbl>"
    section = "<w:p><w:pPr><w:sectPr/></w:pPr><w:r><w:t>end</w:t></w:r></w:p>"
    path = made("first", cell, section, "last")
    for number, why in ((2, "is the only paragraph of its cell"), (3, "ends a section")):
        with pytest.raises(scrub.Failure, match=why):
            run(f"in paragraph({number})\ndelete\nend", path)


@pytest.mark.parametrize(
    ("setting", "why"),
    [
        ('<w:documentProtection w:edit="readOnly" w:enforcement="1"/>', "is protected"),
        ('<w:documentProtection w:edit="trackedChanges" w:enforcement="1"/>', "changes must be tracked. Turn tracking on"),
    ],
)  # fmt: skip
def test_a_document_that_allows_no_plain_change_is_respected(home: Path, setting: str, why: str) -> None:
    assert run('log "{document.protected}"', made("a", settings=setting)).log == ["yes"]
    path = made("a  b", settings=setting)
    old = path.read_bytes()
    for body in ('in paragraph(1)\nparagraph.text = "x"\nend', "in paragraph(1)\ndelete\nend", 'add-paragraph "x"'):
        with pytest.raises(scrub.Failure, match=why):
            run(body, path)
    assert run('log "{paragraph(1).text}"', path).log == ["a  b"]
    assert path.read_bytes() == old


def test_places_are_picked_and_looked_up(home: Path) -> None:
    path = made('<w:p><w:pPr><w:pStyle w:val="H1"/></w:pPr><w:r><w:t>Water</w:t></w:r></w:p>', "Dear guest, 6 kg", "and 7 kg to the hut.", "Bye", header=P.format("Head  er"))  # fmt: skip
    picks = {
        "paragraph 2": ["Dear guest, 6 kg"], "paragraphs 2-3": ["Dear guest, 6 kg", "and 7 kg to the hut."], 'heading "water"': ["Water", "Dear guest, 6 kg", "and 7 kg to the hut.", "Bye"],
        'from "Dear" to "hut."': ["Dear guest, 6 kg", "and 7 kg to the hut."], 'from "guest" to "7"': ["guest, 6 kg", "and 7"], 'matching "\\d kg"': ["6 kg", "7 kg"], '2 "kg", paragraph 4': ["kg", "Bye"],
    }  # fmt: skip
    for place, wanted in picks.items():
        assert run("each passage in selection\nlog passage.text\nend", path, at=place, preview=True).log == wanted, (
            place
        )
    assert run('log "{count(paragraph in selection)} {selection.picked}"', path).log == ["5 no"]
    assert run('each passage in passages("kg")\npassage.text = "kilos"\nend', path).state == "changed"
    assert texts(path)[1:3] == ["Dear guest, 6 kilos", "and 7 kilos to the hut."]
    for place, why in (
        ("paragraph 9", "no paragraph 9"),
        ('heading "Wter"', 'Did you mean "Water"'),
        ("B2", "is not a place. Examples"),
    ):
        with pytest.raises(scrub.Failure, match=why):
            run("in selection\nupper\nend", path, at=place)


@pytest.mark.everything
def test_properties_and_schema(home: Path, tmp_path: Path) -> None:
    source = docx.Document()
    source.add_heading("House rules", 1)
    source.add_paragraph("Carry 6 L of  water and wood.")
    source.save("real.docx")
    before = schema_findings("real.docx")
    found = run(
        'document.title = "Rules & more"\ndocument.author = nothing\ndocument.subject = "Huts"\ndocument.keywords = "hut, rules"\nsingle-spaces\nbind-units\nswap-around "and"\nadd-paragraph "Printed."',
        "real.docx",
    )
    assert [str(each) for each in found.changes][:1] == ["title: nothing -> Rules & more"]
    after = docx.Document("real.docx")
    assert (after.core_properties.title, after.core_properties.author) == ("Rules & more", "")
    assert (after.core_properties.subject, after.core_properties.keywords) == ("Huts", "hut, rules")
    assert [each.text for each in after.paragraphs] == ["House rules", "Carry 6\u00a0L of wood and water.", "Printed."]
    assert schema_findings("real.docx") == before


def test_a_document_is_shown_and_tried(cli: Cli, home: Path) -> None:
    path = made('<w:p><w:pPr><w:pStyle w:val="H2"/></w:pPr><w:r><w:t>Water</w:t></w:r></w:p>', "Carry  6 kg", "Bye")
    shown = cli("inside", path).out
    assert "a.docx  document: 3 paragraphs, 1 heading" in shown
    assert 'List the paragraphs: --texts. In a macro: each paragraph, heading("Water")' in shown
    assert cli("inside", path, "--texts").out.splitlines()[1:] == ["  1  Water", "  2  Carry  6 kg", "  3  Bye"]
    assert cli("inside", path, "--texts", "kg").out.splitlines()[1:] == ["  2  Carry  6 kg"]
    trial = scrub.trial(str(path), scrub.QuietHost())
    assert [str(each) for each in trial.step("single-spaces").changes] == ['text: "Carry  6 kg" -> "Carry 6 kg"']
    assert "heading" in trial.completions("each ")
    assert trial.completions('heading("W') == ["Water"]
    Path("page.scrub").write_text(macro("single-spaces", "document"))
    assert cli("run", "page.scrub", path).code == 0
    assert cli("changes", "--to", "page.html").code == 0
    assert "paragraph 2" in Path("page.html").read_text()


@pytest.mark.parametrize(
    ("name", "data", "why"),
    [
        ("a.docx", b"PK", "not an office file"), ("a.docx", b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 600, r"older format .* save it as \.docx"), ("a.doc", b"x", r"\.doc is an older format. In its own program, save it as \.docx"),
        ("a.docx", document("").replace(b"word/document.xml", b"word/documant.xml"), ""),
        ("a.docx", document("<w:p>" + "<w:smartTag>" * 10_000 + "</w:smartTag>" * 10_000 + "</w:p>"), "more than 256 deep"),
    ],
)  # fmt: skip
def test_bad_documents_get_a_sentence(home: Path, name: str, data: bytes, why: str) -> None:
    Path(name).write_bytes(data)
    with pytest.raises(scrub.FileProblem, match=why or "."):
        run("single-spaces", name)
    assert Path(name).read_bytes() == data


def test_a_workbook_with_the_ending_of_a_document(book: Path) -> None:
    book.rename("a.docx")
    with pytest.raises(scrub.FileProblem, match="its main part is not a document"):
        run("single-spaces", "a.docx")
    made("x", name="b.bak")
    assert scrub.kind_of("b.bak") == "document"


def test_the_looks_of_a_moved_word_come_along_in_every_arrangement(home: Path) -> None:
    for number, (one, other) in enumerate(itertools.permutations(["<w:b/>", "<w:i/>", ""], 2)):
        runs = [("big", one), (" or ", ""), ("small", other)]
        body = "".join(f'<w:r><w:rPr>{look}</w:rPr><w:t xml:space="preserve">{text}</w:t></w:r>' for text, look in runs)
        path = made(f"<w:p>{body}</w:p>", name=f"{number}.docx")
        run('replace-matching "(\\w+) or (\\w+)", by: "{2} or {1}"\nswap-around "or"\nswap-around "or"', path)
        assert texts(path) == ["small or big"]
    assert W in members(path)["word/document.xml"].decode()


def table(*rows: list[str], caption: str = "") -> str:
    named = f'<w:tblPr><w:tblCaption w:val="{caption}"/></w:tblPr>' if caption else ""
    cells = "".join("<w:tr>" + "".join(f"<w:tc>{P.format(text)}</w:tc>" for text in row) + "</w:tr>" for row in rows)
    return f"<w:tbl>{named}<w:tblGrid/>{cells}</w:tbl>"


def test_tables_of_a_document_have_records(home: Path) -> None:
    path = made('<w:p><w:pPr><w:pStyle w:val="H1"/></w:pPr><w:r><w:t>Provisions</w:t></w:r></w:p>', table(["Item", "Kg", "Note"], ["flour", "12", ""], ["salt", "0.5", ""], ["", "", ""], ["oil", "11", "x  y"]),
                "between", table(["Hut", "Hut"], ["a", "b"], caption="Beds"))  # fmt: skip
    body = (
        'each record in table("Provisions") where record.kg > 10\nrecord.note = "heavy"\nend\n'
        'in table("Provisions")\nlog "{record(item: "SALT").kg} {count(record)}"\nend\n'
        'each table\nlog "{table.name}: {table.headings.joined(" ")}"\nend'
    ).replace('"{record(item: "SALT").kg} {count(record)}"', '"{found.kg}"').replace("in table(\"Provisions\")\nlog", 'in table("Provisions")\nfound = record(item: "SALT")\nlog')  # fmt: skip
    found = run(body, path)
    assert found.log == ["0.5", "Provisions: Item Kg Note", "Beds: "]
    rows = [[cell.text for cell in row.cells] for row in docx.Document(str(path)).tables[0].rows]
    assert rows == [
        ["Item", "Kg", "Note"],
        ["flour", "12", "heavy"],
        ["salt", "0.5", ""],
        ["", "", ""],
        ["oil", "11", "heavy"],
    ]
    run('in table("Provisions")\nupper\nend', path)
    assert docx.Document(str(path)).tables[0].rows[1].cells[0].text == "FLOUR"
    for body, why in (
        ('each record in table("Provisions")\nlog record.prize\nend', 'Provisions has no heading "prize"'), ('each record in table("Beds")\nlog record.hut\nend', 'has the heading "hut" twice'),
        ("each cell\nlog cell.value\nend", "Provisions has no cells"), ('in table("Bed")\nskip\nend'.replace("skip", 'log "x"'), 'Did you mean "Beds"'),
    ):  # fmt: skip
        with pytest.raises(scrub.Failure, match=why):
            run(body, path)


LETTERS = """each record in sheet("Late").records(headings: 1) where record.paid is "no"
    in copy-of("letter.docx", name: "Letter {record.guest}"{to})
        fill-in record
    end
end"""


def guests(*rows: tuple[str, float, str]) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Late"
    for row in (("Guest", "Guest nights", "Paid"), *rows):
        sheet.append(list(row))
    book.save("late.xlsx")


def test_a_letter_for_each_record_of_a_table(home: Path) -> None:
    made("<w:p><w:r><w:t xml:space=\"preserve\">Dear </w:t></w:r><w:r><w:rPr><w:b/></w:rPr><w:t>[Guest]</w:t></w:r><w:r><w:t>,</w:t></w:r></w:p>", "You stayed [guest-nights] nights.", name="letter.docx")  # fmt: skip
    guests(("Moss, Ann", 4, "no"), ("Heath, Ben", 2, "yes"), ("Vale, Ines", 7.5, "no"))
    before = {each.name: each.read_bytes() for each in Path().iterdir()}
    text = macro(LETTERS.replace("{to}", ', to: "out"'))
    preview = scrub.run(text, ["late.xlsx"], preview=True).files[0]
    assert [Path(each).name for each in preview.made] == ["Letter Moss, Ann.docx", "Letter Vale, Ines.docx"]
    assert {each.name: each.read_bytes() for each in Path().iterdir()} == before

    class Agrees(scrub.QuietHost):
        def approve(self, title: str, reaches: Sequence[str]) -> bool:
            return "creates files from other files" in reaches

    result = scrub.run(text, ["late.xlsx"], host=Agrees())
    assert result.files[0].problem is None, result.files[0].problem
    assert texts(Path("out/Letter Moss, Ann.docx")) == ["Dear Moss, Ann,", "You stayed 4 nights."]
    assert [each.bold for each in docx.Document("out/Letter Vale, Ines.docx").paragraphs[0].runs] == [None, True, None]
    assert texts(Path("out/Letter Vale, Ines.docx"))[1] == "You stayed 7.5 nights."
    assert scrub.run(text, ["late.xlsx"], host=Agrees()).files[0].made[0].endswith("Letter Moss, Ann (2).docx")
    scrub.undo()
    scrub.undo(result.number)
    assert not list(Path("out").glob("*.docx"))
    with pytest.raises(scrub.Refused, match="needs your approval"):
        scrub.run(text.replace("Dear", "D").replace("no", "yes"), ["late.xlsx"])


@pytest.mark.parametrize(
    ("letter", "body", "why"),
    [
        ("Dear [Gest],", LETTERS.replace("{to}", ""), r'paragraph 1 has the placeholder \[Gest\], but Late has no such heading. Did you mean "Guest"?'), ("Dear all,", LETTERS.replace("{to}", ""), "has no placeholder to fill in"),
        ("[Guest]", LETTERS.replace("{to}", "").replace("Letter {", "../{"), "comes from data|lead out|is not a valid file name"), ("[Guest]", LETTERS.replace("{to}", "").replace("letter.docx", "gone.docx"), "no such file"),
    ],
)  # fmt: skip
def test_a_letter_that_cannot_be_made_makes_none(home: Path, letter: str, body: str, why: str) -> None:
    made(letter, name="letter.docx")
    guests(("Moss", 4, "no"))
    before = sorted(each.name for each in Path().iterdir())
    found = scrub.run(macro(body), ["late.xlsx"], preview=True).files[0]
    assert found.problem is not None
    assert re.search(why, str(found.problem)), str(found.problem)
    assert sorted(each.name for each in Path().iterdir()) == before


def test_letters_of_an_attempt_that_failed_are_not_made(home: Path) -> None:
    made("[Guest]", name="letter.docx")
    guests(("Moss", 4, "no"), ("Heath", 1, "no"))
    body = LETTERS.replace("{to}", "").replace(
        "fill-in record", 'fill-in record\nif record.guest is "Heath"\nfail "x"\nend'
    )
    body = body.replace("    in copy-of", "    attempt\n    in copy-of").replace(
        "    end\nend", "    end\n    if it fails\n    log problem\n    end\nend"
    )
    found = scrub.run(macro(body), ["late.xlsx"], preview=True).files[0]
    assert [Path(each).name for each in found.made] == ["Letter Moss.docx"]
    assert found.log == ["x"]


@examples(120)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=2), st.data())
def test_recorded_edits_can_be_accepted_and_refused(paragraphs: list[str], data: st.DataObject) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.docx"
        path.write_bytes(document("".join(paragraphs), settings="<w:zoom/><w:trackRevisions/>"))
        before, old = texts(path), path.read_bytes()
        with scrub.open(str(path)) as opened:
            wanted = []
            for paragraph in list(model_of(opened).paragraphs()):
                edits = data.draw(edits_of(len(paragraph.text)))
                with contextlib.suppress(scrub.Failure):
                    paragraph.edit(edits)
                wanted.append(paragraph.text)
            saved = opened.save("by hand")
        assert resolved(path, True) == wanted
        assert resolved(path, False) == before
        assert texts(path) == wanted  # as a reader sees it who looks at the insertions
        if saved is not None:
            scrub.undo(saved)
        assert path.read_bytes() == old


def test_paragraphs_come_go_and_join_as_recorded_changes(home: Path) -> None:
    path = made(*NOTICE[2:6], "to go", "between", settings="<w:zoom/>")
    scrub.home().settings.set("author", "Ann Moss")
    before = texts(path)
    body = (
        'document.tracks-changes = yes\njoin-lines\nin paragraph(5)\ndelete\nend\nin paragraph(6)\nadd-before "fresh"\nend\n'
        'in paragraph(6)\nparagraph.style = "Quote"\nend\ndocument.tracks-changes = no'
    )
    found = run(body, path)
    assert not any("tracks" in str(change) for change in found.changes)
    assert resolved(path, True, "Ann Moss") == [" ".join(NOTICE[2:6]), "fresh", "between"]
    assert resolved(path, False, "Ann Moss") == before
    assert b"trackRevisions" not in members(path)["word/settings.xml"]
    assert b"<w:pPrChange w:id=" in members(path)["word/document.xml"]
    run("document.tracks-changes = yes", path)
    assert members(path)["word/settings.xml"].endswith(b"<w:zoom/><w:trackRevisions/></w:settings>")
    with pytest.raises(scrub.Failure, match="was changed without tracking changes earlier in this run"):
        run(
            'document.tracks-changes = no\nin paragraph(1)\nparagraph.text = "x"\nend\ndocument.tracks-changes = yes\nin paragraph(1)\nparagraph.text = "y"\nend',
            path,
        )


@pytest.mark.everything
def test_recorded_changes_have_no_new_finding_in_the_schema(home: Path) -> None:
    source = docx.Document()
    source.add_heading("House rules", 1)
    source.add_paragraph("Carry 6 L of  water and wood.").add_run(" Now.").bold = True
    source.save("real.docx")
    before = schema_findings("real.docx")
    run(
        'document.tracks-changes = yes\nreplace "wood", by: "oil"\nswap-around "and"\nin paragraph(1)\nadd-after "New"\nparagraph.level = 2\nend'.replace(
            "paragraph.level", 'heading("House rules").level'
        ),
        "real.docx",
    )
    assert schema_findings("real.docx") == before
    assert b"<w:del " in members(Path("real.docx"))["word/document.xml"]


REVIEWED = (
    '<w:p><w:pPr><w:rPr><w:del w:id="90" w:author="Ann" w:date="2026-05-01T10:00:00Z"/></w:rPr></w:pPr><w:r><w:t xml:space="preserve">Carry </w:t></w:r>'
    '<w:del w:id="91" w:author="Ann" w:date="2026-05-01T10:00:00Z"><w:r><w:delText>two</w:delText></w:r></w:del>'
    '<w:ins w:id="92" w:author="Ben" w:date="2026-05-02T10:00:00Z"><w:r><w:t>six</w:t></w:r><w:del w:id="93" w:author="Ann"><w:r><w:delText xml:space="preserve"> big</w:delText></w:r></w:del></w:ins>'
    '<w:r><w:rPr><w:b/><w:rPrChange w:id="94" w:author="Ben"><w:rPr><w:i/></w:rPr></w:rPrChange></w:rPr><w:t xml:space="preserve"> kg</w:t></w:r></w:p>',
    '<w:p><w:pPr><w:pStyle w:val="H1"/><w:pPrChange w:id="95" w:author="Ben"><w:pPr><w:pStyle w:val="Quote"/></w:pPr></w:pPrChange></w:pPr><w:commentRangeStart w:id="0"/><w:r><w:t xml:space="preserve"> up.</w:t></w:r>'
    '<w:commentRangeEnd w:id="0"/><w:r><w:commentReference w:id="0"/></w:r></w:p>',
    '<w:tbl><w:tr><w:trPr><w:ins w:id="96" w:author="Ann"/></w:trPr><w:tc><w:p><w:r><w:t>row</w:t></w:r></w:p></w:tc></w:tr></w:tbl>',
)  # fmt: skip
COMMENTS = (
    '<w:comment w:id="0" w:author="Ann" w:initials="A" w:date="2026-05-01T10:00:00Z"><w:p><w:r><w:t>Is that right?</w:t></w:r></w:p></w:comment>'
    '<w:comment w:id="1" w:author="Ben" w:initials="B"><w:p/></w:comment>'
)  # fmt: skip


@pytest.mark.parametrize("recording", [False, True])
@pytest.mark.parametrize(
    ("then", "left"),
    [("delete", ["before", "- behind"]), ('paragraph.style = "Quote"', ["before", " ".join(NOTICE[2:5]), "- behind"])],
)
def test_what_is_done_to_joined_paragraphs_is_done_to_all_of_them(
    home: Path, then: str, left: list[str], recording: bool
) -> None:
    path = made("before", *NOTICE[2:5], "- behind", settings="<w:trackRevisions/>" if recording else "")
    before, old = texts(path), path.read_bytes()
    assert run(f"join-lines\nin paragraph(2)\n{then}\nend", path).state == "changed"
    if recording:
        assert resolved(path, True) == left
        assert resolved(path, False) == before
        run("document.tracks-changes = no\naccept-changes", path)
    assert texts(path) == left
    if then != "delete":
        style = docx.Document(str(path)).paragraphs[1].style
        assert style is not None
        assert style.name == "Quote"
    for number in (2, 1) if recording else (1,):
        scrub.undo(number)
    assert path.read_bytes() == old


def test_changes_and_comments_are_listed_and_decided_on(home: Path) -> None:
    path = made(*REVIEWED, comments=COMMENTS)
    found = run(
        'each change\nlog "{change.type} {change.author} {change.text}"\nend\neach comment\nlog "{comment.author} {comment.address} {comment.date}: {comment.text}"\nend',
        path,
    )
    assert found.log == [
        "deletion Ann ", "deletion Ann two", "insertion Ben six big", "deletion Ann  big", "format Ben ", "format Ben ", "insertion Ann ",
        "Ann paragraph 2 2026-05-01T10:00: Is that right?", "Ben a.docx : ",
    ]  # fmt: skip
    accepted = run("accept-changes\nsingle-spaces", path)
    assert str(accepted.changes[0]) == "7 tracked changes accepted"
    assert texts(path) == ["Carry six kg up.", "row"]
    assert looks(path)[0][-5][1].endswith("<w:b></w:b></w:rPr>")
    assert docx.Document(str(path)).paragraphs[0].style.name == "Heading 1"  # type: ignore[union-attr]
    scrub.undo()
    run("reject-changes", path)
    assert texts(path) == ["Carry two kg", " up."]
    assert looks(path)[0][-1][1].endswith("<w:i></w:i></w:rPr>")
    assert [each.style.name for each in docx.Document(str(path)).paragraphs] == ["Normal", "Quote"]  # type: ignore[union-attr]
    assert not any(
        f"<w:{name}".encode() in members(path)["word/document.xml"] for name in ("ins", "del", "rPrChange", "pPrChange")
    )
    scrub.undo()
    with pytest.raises(scrub.Failure, match="changes before all other edits"):
        run("upper\nreject-changes", path)
    back = run('attempt\naccept-changes\nfail "no"\nif it fails\nlog "{count(change)}"\nend', path)
    assert (back.log, back.state) == (["7"], "unchanged")


def with_people(path: Path, people: str) -> None:
    """Adds the part that lists who wrote."""
    parts = members(path)
    parts["word/people.xml"] = people.encode()
    related = b'<Relationship Id="r99" Type="http://schemas.microsoft.com/office/2011/relationships/people" Target="people.xml"/>'
    name = "word/_rels/document.xml.rels"
    parts[name] = parts[name].replace(b"</Relationships>", related + b"</Relationships>")
    put_members(path, parts)


def test_a_document_ready_to_go_out(home: Path) -> None:
    path = made(*REVIEWED[1:2], comments=COMMENTS)
    body = 'if count(change) > 0\nfail "{count(change)} changes wait."\nend\neach comment\ndelete\nend\nremove-names'
    with pytest.raises(scrub.Failure, match="1 changes wait"):
        run(body, path)
    run("accept-changes\n" + body, path)
    parts = members(path)
    assert texts(path) == [" up."]
    assert b"comment" not in parts["word/document.xml"]
    assert b"<w:comment " not in parts["word/comments.xml"]
    assert all(name.encode() not in each for each in parts.values() for name in ("Ann", "Ben"))
    assert run("remove-names", path).state == "unchanged"
    scrub.undo(2)
    run("remove-names", path)
    assert [
        (each.get(f"{{{W}}}author"), each.get(f"{{{W}}}initials"))
        for each in etree.fromstring(members(path)["word/comments.xml"])
    ] == [("", "")] * 2
    source = docx.Document()
    source.core_properties.author = "Ann Moss"
    source.add_paragraph("x")
    source.save("real.docx")
    before = schema_findings("real.docx")
    run("remove-names", "real.docx")
    assert docx.Document("real.docx").core_properties.author == ""
    people = (
        '<w15:people xmlns:w15="http://schemas.microsoft.com/office/word/2012/wordml"><w15:person w15:author="Ann Moss">'
        "<w15:presenceInfo/></w15:person></w15:people>"
    )
    with_people(Path("real.docx"), people)
    run("remove-names", "real.docx")
    assert b"Ann" not in members(Path("real.docx"))["word/people.xml"]
    assert schema_findings("real.docx") == before


LONG = "The beds of the hut are made by noon, and what the wardens carry up there must"
COMMENTED = (
    '<w:p><w:r><w:t xml:space="preserve">keep </w:t></w:r><w:commentRangeStart w:id="0"/><w:r><w:t>6 kg</w:t></w:r>'
    '<w:commentRangeEnd w:id="0"/><w:r><w:commentReference w:id="0"/></w:r></w:p>'
)


@pytest.mark.parametrize("recording", [False, True])
@pytest.mark.parametrize(
    ("edit", "left"),
    [
        ('swap-around "6"', [LONG, "kg 6 keep", "Two."]),
        ('replace "6 kg", by: "7 lb"', [LONG, "keep 7 lb", "Two."]),
        ('paragraph.text = ""', [LONG, "", "Two."]),
        ("each paragraph\nif paragraph.number is 2\ndelete\nend\nend", [LONG, "Two."]),
        ("join-lines", [f"{LONG} keep 6 kg", "Two."]),
        ('each paragraph\nparagraph.style = "Quote"\nend', [LONG, "keep 6 kg", "Two."]),
    ],
)
def test_a_comment_goes_from_words_that_change_too(home: Path, edit: str, left: list[str], recording: bool) -> None:
    settings = "<w:trackRevisions/>" if recording else ""
    lines = edit if edit.startswith(("each", "join")) else f"each paragraph\nif paragraph.number is 2\n{edit}\nend\nend"
    for order in (f"each comment\ndelete\nend\n{lines}", f"{lines}\neach comment\ndelete\nend"):
        path = made(LONG, COMMENTED, "Two.", comments=COMMENTS, settings=settings)
        run(order, path)
        assert (resolved(path, True) if recording else texts(path)) == left
        assert b"comment" not in members(path)["word/document.xml"]
        assert b"<w:comment " not in members(path)["word/comments.xml"]
        if recording and "style" not in edit:
            assert resolved(path, False) == [LONG, "keep 6 kg", "Two."]


# -- how a change is told


@pytest.mark.parametrize(
    ("edit", "told"),
    [
        ("bind-units", '"600 L. Take 2 L", "6 kg" -> "600{no-break-space}L. Take 2{no-break-space}L", "6{no-break-space}kg"'),
        ("single-spaces", '"the  kitchen," -> "the kitchen,"'),
        ('replace "warm", by: "very warm"', '"is warm" -> "is very warm"'),
        ('replace "at night ", by: ""', '"warm at night beside" -> "warm beside"'),
        ('swap-around "or"', '"wood or peat" -> "peat or wood"'),
        ('replace "The tank", by: "A tank"', '"The" -> "A"'),
    ],
)  # fmt: skip
def test_a_long_text_is_told_by_the_words_that_differ(home: Path, cli: Cli, edit: str, told: str) -> None:
    text = (
        "The tank holds 600 L. Take 2 L a day from the  kitchen, and carry 6 kg of wood or peat up; "
        "it is warm at night beside the stove."
    )
    path = made("short", text)
    Path("edit.scrub").write_text(macro(edit, "document"))
    printed = cli("run", "edit.scrub", path, "--preview").out
    assert f"paragraph 2  text: {told}"[:90] in printed
    change = scrub.run(macro(edit, "document"), [str(path)], preview=True).files[0].changes[-1]
    assert str(change) == f"text: {told}"
    assert change.as_dict()["before"] == f'"{text}"'  # JSON and the page have all of it


@given(st.lists(st.sampled_from(["hut", "a", "  ", " ", "\t", "kg", "\u00a0", "6"]), min_size=30), st.data())
def test_what_is_told_of_a_change_stands_in_both_texts(words: list[str], data: st.DataObject) -> None:
    old = " ".join(words)
    new = edited(old, data.draw(edits_of(len(old))))
    change = scrub.Change(("paragraph 1",), "text", f'"{old}"', f'"{new}"')
    before, after = str(change).removeprefix("text: ").split(" -> ") if "->" not in new else ("", "")
    for side, whole in ((before, old), (after, new)):
        for piece in re.findall(r'"([^"]*)"', side):
            assert piece in visible(whole)
    assert old == new or before != after


def test_places_are_told_in_their_order_and_the_file_is_no_place(home: Path, cli: Cli) -> None:
    path = made(*(f"hut {number}  x" for number in range(12)))
    lines = "in paragraph(11)\nsingle-spaces\nend\nin paragraph(2)\nsingle-spaces\nend\n"
    Path("edit.scrub").write_text(macro(lines, "document"))
    printed = cli("run", "edit.scrub", path, "--preview").out
    assert printed.index("paragraph 2 ") < printed.index("paragraph 11 ")
    assert "2 changes on 2 paragraphs." in printed
    Path("edit.scrub").write_text(macro(lines + 'document.title = "Huts"', "document"))
    assert "3 changes on 2 paragraphs." in cli("run", "edit.scrub", path, "--preview").out
    Path("edit.scrub").write_text(macro('document.title = "Huts"', "document"))
    assert "a.docx: 1 change.\n" in cli("run", "edit.scrub", path, "--preview").out
    columns = "each section\nsection.columns = 2\nend\n"
    for more, told in (("", "1 change on 1 section."), (lines, "3 changes on 3 places.")):
        Path("edit.scrub").write_text(macro(columns + more, "document"))
        assert told in cli("run", "edit.scrub", path, "--preview").out


BOX = '<w:txbxContent xmlns:wps="urn:wps">{}</w:txbxContent>'
TWICE = (
    '<w:p><w:r><w:t xml:space="preserve">old outside </w:t><mc:AlternateContent><mc:Choice Requires="wps"><w:drawing>{}</w:drawing>'
    "</mc:Choice><mc:Fallback><w:pict>{}</w:pict></mc:Fallback></mc:AlternateContent></w:r></w:p>"
)


@pytest.mark.parametrize("recording", [False, True])
def test_words_in_a_text_box_change_in_both_its_copies(home: Path, recording: bool) -> None:
    one = '<w:p><w:r><w:t>old</w:t></w:r><w:r><w:rPr><w:b/></w:rPr><w:t xml:space="preserve">  box</w:t></w:r></w:p>'
    other = '<w:p><w:r><w:t xml:space="preserve">old  box</w:t></w:r></w:p>'
    alone = f"<w:p><w:r><w:pict>{BOX.format(other * 2)}</w:pict><w:t>old end</w:t></w:r></w:p>"
    path = made(
        TWICE.format(BOX.format(one), BOX.format(other)),
        alone,
        settings="<w:trackRevisions/>" if recording else "<w:zoom/>",
    )
    old = path.read_bytes()
    done = run(
        'each paragraph\nlog "{paragraph.number} {paragraph.place} {paragraph.text}"\nend\nreplace "old", by: "new"\nsingle-spaces',
        path,
    )
    assert done.log == [
        "1 body old outside \ufffc", "2 text-box old  box", "3 body \ufffcold end", "4 text-box old  box", "5 text-box old  box",
    ]  # fmt: skip
    inside = ["new box"] * 4
    if recording:
        run("accept-changes\ndocument.tracks-changes = no", path)
    boxed = [
        "".join(text.text or "" for text in paragraph.iter(f"{{{W}}}t"))
        for paragraph in etree.fromstring(members(path)["word/document.xml"]).iter(f"{{{W}}}p")
        if any(etree.QName(each).localname == "txbxContent" for each in paragraph.iterancestors())
    ]
    assert boxed == inside
    assert run('each paragraph where paragraph.place is body\nlog paragraph.text\nend', path).log == [
        "new outside \ufffc", "\ufffcnew end",
    ]  # fmt: skip
    for number in (2, 1) if recording else (1,):
        scrub.undo(number)
    assert path.read_bytes() == old


def test_what_is_not_the_same_in_both_copies_of_a_text_box_is_left_and_told(home: Path) -> None:
    path = made(TWICE.format(BOX.format(P.format("old  one")), BOX.format(P.format("old two"))))
    done = run('replace "old", by: "new"', path)
    assert any("is in the file twice, with differences" in each for each in done.log), done.log
    assert texts(path)[1:] == ["old  one", "old two"]
    same = made(TWICE.format(BOX.format(P.format("old") * 2), BOX.format(P.format("old") * 2)))
    for line in ("delete", 'add-before "x"', 'paragraph.style = "Quote"'):
        with pytest.raises(scrub.Failure, match="in the file twice; only its text"):
            run(f"in paragraph(2)\n{line}\nend", same)
