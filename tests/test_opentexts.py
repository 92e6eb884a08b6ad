"""Open Document texts: what is read and written, beside readers that share no code with Scrub."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import odfdo
import pytest
from conftest import Output, examples, model_of
from documents import members, put_members
from hypothesis import assume, given
from hypothesis import strategies as st
from lxml import etree
from opentexts import AUTOMATIC, NS, letters, looks, opentext, reviewed, texts
from test_documents import edits_of, just_that_edit, run

import scrub
from scrub.model.core.text import shrunk

Cli = Callable[..., Output]
P = "<text:p>{}</text:p>"


def made(*paragraphs: str, name: str = "a.odt", **parts: str) -> Path:
    """A document of paragraphs, each its content or its whole element."""
    body = "".join(
        each if each.startswith(("<text:p>", "<text:p ", "<text:h ", "<text:tracked", "<table:")) else P.format(each)
        for each in paragraphs
    )
    Path(name).write_bytes(opentext(body, **parts))
    return Path(name)


DATA = st.text("ab \u00e9\u00a0&<\n\t", max_size=6).map(lambda text: text.replace("&", "&amp;").replace("<", "&lt;"))
ELEMENTS = st.sampled_from([
    "<text:s/>", '<text:s text:c="3"/>', "<text:tab/>", "<text:line-break/>", '<text:bookmark text:name="b"/>',
    '<draw:frame><draw:text-box><text:p>boxed</text:p></draw:text-box></draw:frame>', "<text:soft-page-break/>",
    "<text:page-number>7</text:page-number>",
    '<office:annotation office:name="c1"><dc:creator>Ann</dc:creator><text:p>why</text:p></office:annotation>',
])  # fmt: skip
CONTENT = st.lists(st.one_of(DATA, DATA, ELEMENTS), max_size=4).map("".join)
SPAN = st.builds('<text:span text:style-name="{}">{}</text:span>'.format, st.sampled_from(["T1", "T2"]), CONTENT)
NESTED = st.builds('<text:span text:style-name="T3">{}{}</text:span>'.format, SPAN, CONTENT)
LINK = st.builds("<text:a>{}</text:a>".format, CONTENT)
PARAGRAPHS = st.lists(st.one_of(CONTENT, SPAN, SPAN, NESTED, LINK), max_size=4).map(
    lambda every: f'<text:p text:style-name="Quote">{"".join(every)}</text:p>'
)


@examples(200)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=3), st.data())
def test_any_edit_of_any_paragraph_is_just_that_edit(paragraphs: list[str], data: st.DataObject) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.odt"
        path.write_bytes(opentext("".join(paragraphs)))
        just_that_edit(path, letters, _with, "content.xml", data)


def _with(now: list[tuple[str, str]], edits: list[tuple[int, int, str]]) -> list[tuple[str, str]]:
    text, out, done = "".join(letter for letter, _ in now), [], 0
    for start, end, fresh in shrunk(text, edits):
        out += now[done:start]
        like = start if end > start or not start else start - 1
        look = now[like][1] if like < len(now) else now[-1][1] if now else ""
        out += [(letter, look) for letter in fresh]
        done = end
    return [*out, *now[done:]]


PLAIN = st.lists(
    st.one_of(DATA, DATA, st.sampled_from(["<text:s/>", "<text:tab/>", '<text:bookmark text:name="b"/>'])), max_size=4
).map("".join)
STYLED = st.builds('<text:span text:style-name="{}">{}</text:span>'.format, st.sampled_from(["T1", "T2"]), PLAIN)
SIMPLE = st.builds(
    '<text:p text:style-name="{}">{}</text:p>'.format, st.sampled_from(["Quote", "Quote", "Standard"]),
    st.lists(st.one_of(PLAIN, STYLED), max_size=3).map("".join),
)  # fmt: skip


@examples(150)
@given(st.lists(SIMPLE, min_size=1, max_size=5), st.booleans(), st.data())
def test_recorded_edits_are_accepted_and_refused_by_the_rules(
    paragraphs: list[str], above: bool, data: st.DataObject
) -> None:
    """In the body as in a header, which lists what was recorded in it."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.odt"
        words = "".join(paragraphs)
        path.write_bytes(opentext("<text:p>below</text:p>", header=words) if above else opentext(words))
        old, before = path.read_bytes(), reviewed(path, True, above)
        with scrub.open(str(path)) as opened:
            document = model_of(opened)
            document.tracks_changes = True
            for paragraph in [each for each in document.paragraphs() if (str(each.place) == "header") == above]:
                deed = data.draw(st.sampled_from(["edit", "edit", "delete", "before", "after", "join", "nothing"]))
                if deed == "edit" and not paragraph.removed:
                    paragraph.edit(data.draw(edits_of(len(paragraph.text))))
                elif deed == "delete" and not paragraph.removed:
                    if above and sum(not each.removed for each in paragraph.group) == 1:
                        with pytest.raises(scrub.Failure, match="is the only paragraph of its cell or part"):
                            paragraph.delete()
                    else:
                        paragraph.delete()
                elif deed in ("before", "after") and not paragraph.removed:
                    getattr(paragraph, f"add_{deed}")(data.draw(st.sampled_from([" new", "a  b ", ""])))
                elif deed == "join":
                    every = list(document.paragraphs())
                    at = next((at for at, each in enumerate(every) if each is paragraph), len(every))
                    if at + 1 < len(every) and paragraph.can_take(every[at + 1]):
                        paragraph.take(every[at + 1], data.draw(st.sampled_from([" ", ""])))
            problem = ""
            try:
                saved = opened.save("by hand")
            except scrub.ScrubError as error:
                problem = str(error)
        if problem:
            assert re.search("cannot be tracked", problem)
            return
        accepted = reviewed(path, True, above)
        assert [each.text for each in _alive(path) if (str(each.place) == "header") == above] == [
            text for text, _ in accepted
        ]
        assert reviewed(path, False, above) == before
        if saved is None:
            return
        made_so = path.read_bytes()
        for verb, wanted in (("accept", accepted), ("reject", before)):
            run(f"{verb}-changes", path)
            part = members(path)["styles.xml" if above else "content.xml"]
            assert "change-" not in part.decode().replace("track-changes", "")
            assert reviewed(path, True, above) == wanted
            path.write_bytes(made_so)
            run(f"each change\n{verb}\nend", path)
            assert reviewed(path, True, above) == wanted
            path.write_bytes(made_so)
        scrub.undo(saved)
        assert path.read_bytes() == old


def _alive(path: Path) -> list[Any]:
    with scrub.open(str(path)) as opened:
        return list(model_of(opened).paragraphs())


VALUES = {
    "bold": st.booleans(), "underlined": st.booleans(), "colour": st.sampled_from(["#ff0000", "#00ff00", None]),
    "highlight": st.sampled_from(["#ffff00", None]),
}  # fmt: skip


@examples(200)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=3), st.data())
def test_a_look_of_some_letters_is_theirs_alone(paragraphs: list[str], data: st.DataObject) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.odt"
        path.write_bytes(opentext("".join(paragraphs), automatic=AUTOMATIC))
        old, text = path.read_bytes(), texts(path)
        wanted = {word: looks(path, word) for word in VALUES}
        marks = [(number, at) for number, each in enumerate(text) for at, letter in enumerate(each) if letter.strip()]
        assume(marks)
        with scrub.open(str(path)) as opened:
            every = list(model_of(opened).paragraphs())
            assert [each.text for each in every] == text
            for word, seen in wanted.items():
                assert [
                    [next(iter(each.looks(at, at + 1, word))) for at in range(len(each.text))] for each in every
                ] == seen
            for _ in range(data.draw(st.integers(1, 3))):
                number, start = data.draw(st.sampled_from(marks))
                end = data.draw(st.integers(start + 1, len(text[number])))
                word = data.draw(st.sampled_from(sorted(VALUES)))
                value = data.draw(VALUES[word])
                every[number].put_look(start, end, word, value)
                for at in range(start, end):
                    if text[number][at] != "\ufffc":
                        wanted[word][number][at] = value
            run = opened.save("by hand")
        assert texts(path) == text
        for word, seen in wanted.items():
            for said, found, meant in zip(text, looks(path, word), seen, strict=True):
                assert [
                    (letter, *pair)
                    for letter, *pair in zip(said, found, meant, strict=True)
                    if letter != "\ufffc" and pair[0] != pair[1]
                ] == []
        if run is not None:
            scrub.undo(run)
        assert path.read_bytes() == old


def test_the_macros_for_documents_work_here_too(home: Path) -> None:
    path = made(
        '<text:h text:style-name="Heading_20_3" text:outline-level="3">Water</text:h>', "",
        '<text:span text:style-name="T1">bread</text:span> and water,  6 L for 20 kg',
        header="<text:p>old hut</text:p>", meta="<dc:title>Old</dc:title><meta:initial-creator>Ann</meta:initial-creator>",
    )  # fmt: skip
    old = path.read_bytes()
    done = run(
        'bind-units\nswap-around "and"\nreplace "old hut", by: "new hut"\nheading("Water").level = 2\n'
        'each paragraph where paragraph.text is empty\ndelete\nend\ndocument.title = "Rules"\ndocument.subject = "Huts"\nadd-paragraph "The end"\n'
        'log "{paragraph(3).style} {heading("Water").level}"',
        path,
    )
    assert texts(path) == ["Water", "water and bread, 6\u00a0L for 20\u00a0kg", "The end"]
    assert {letter for letter, look in letters(path)[1] if look == "/T1"} == set("bread")
    assert texts(path, "styles.xml") == ["new hut"]
    assert done.log == ["Standard 2"]
    seen = odfdo.Document(str(path))
    assert [
        (each.get_attribute("text:outline-level"), each.get_attribute("text:style-name")) for each in seen.body.headers
    ] == [("2", "Heading_20_2")]
    assert (seen.meta.title, seen.meta.subject) == ("Rules", "Huts")
    scrub.undo()
    assert path.read_bytes() == old


def test_lines_are_joined_and_paragraphs_put_beside(home: Path) -> None:
    lines = [
        "The path to Gannet Hut was mended in spring and",
        "all the wood was carried up by the wardens in the",
        "first two days of a long and windy week. ",
    ]
    path = made(*lines, "- a list")
    run("join-lines", path)
    assert texts(path) == [" ".join(each.strip() for each in lines), "- a list"]
    run('in paragraph(2)\nadd-before "above  two"\nadd-after " behind"\nend', path)
    assert texts(path)[1:] == ["above  two", "- a list", " behind"]


@pytest.mark.parametrize(
    "more",
    [
        ' office:value-type="float" office:value="12" table:formula="x"',
        ' office:value-type="string" office:string-value="12"',
    ],
)
def test_tables_have_records_and_numbers_are_no_longer_what_the_text_was(home: Path, more: str) -> None:
    cell = "<table:table-cell{}><text:p>{}</text:p></table:table-cell>".format
    path = made(
        '<table:table table:name="Provisions"><table:table-header-rows><table:table-row>'
        + cell("", "Good") + cell("", "Kg") + "</table:table-row></table:table-header-rows><table:table-row>"
        + cell("", "Rice") + cell(more, "12")
        + "</table:table-row><table:table-row>" + cell(' table:number-columns-spanned="2"', "none")
        + "<table:covered-table-cell/></table:table-row></table:table>"
    )  # fmt: skip
    found = run(
        'each record in table("Provisions") where record.good is "Rice"\nlog "{record.good}"\nrecord.kg = 14\nend', path
    )
    assert found.log == ["Rice"]
    content = members(path)["content.xml"].decode()
    assert '<table:table-cell office:value-type="string"><text:p>14</text:p>' in content
    seen = odfdo.Document(str(path)).body.get_table(name="Provisions")
    assert seen is not None
    assert seen.get_value((1, 1)) == "14"


REVIEWED = (
    '<text:tracked-changes text:track-changes="false"><text:changed-region text:id="c1"><text:insertion><office:change-info>'
    "<dc:creator>Ann</dc:creator><dc:date>2026-05-01T10:00:00</dc:date></office:change-info></text:insertion></text:changed-region>"
    '<text:changed-region text:id="c2"><text:deletion><office:change-info><dc:creator>Ben</dc:creator></office:change-info>'
    "<text:p>gone</text:p></text:deletion></text:changed-region></text:tracked-changes>"
)


def test_comments_changes_and_names(home: Path) -> None:
    path = made(
        REVIEWED,
        'Carry <text:change-start text:change-id="c1"/>six<text:change-end text:change-id="c1"/> kg<text:change text:change-id="c2"/>'
        '<office:annotation office:name="n1"><dc:creator>Ann</dc:creator><dc:date>2026-05-01T10:00:00</dc:date>'
        '<text:p>Is that right?</text:p></office:annotation> up<office:annotation-end office:name="n1"/>.',
        meta="<dc:creator>Ann</dc:creator>",
    )  # fmt: skip
    found = run(
        'each change\nlog "{change.type} {change.author} {change.date} {change.text}"\nend\n'
        'each comment\nlog "{comment.author} {comment.address} {comment.date}: {comment.text}"\ndelete\nend\nremove-names',
        path,
    )
    assert found.log == [
        "insertion Ann 2026-05-01T10:00 six", "deletion Ben  gone", "Ann paragraph 1 2026-05-01T10:00: Is that right?",
    ]  # fmt: skip
    assert texts(path) == ["Carry six kg up."]
    whole = b"".join(members(path).values())
    assert b"Ann" not in whole
    assert b"Ben" not in whole
    assert b"annotation" not in members(path)["content.xml"].replace(b"office:annotations", b"")
    etree.fromstring(members(path)["content.xml"])


def test_footnotes_are_paragraphs_of_their_own(home: Path) -> None:
    note = (
        '<text:note text:note-class="footnote"><text:note-citation>1</text:note-citation><text:note-body>'
        "<text:p>old  note</text:p></text:note-body></text:note>"
    )
    path = made(f"old  hut{note}  old", "end")
    seen = run(
        'each paragraph\nlog "{paragraph.place} {paragraph.text}"\nend\nreplace "old", by: "new"\nsingle-spaces', path
    )
    assert seen.log == ["body old hut\ufffc old", "footnote old note", "body end"]
    assert texts(path) == ["new hut\ufffc new", "new note", "end"]


def test_whatever_stands_in_a_header_is_visited(home: Path) -> None:
    """Tables and lists too, and headers of first pages, for which programs have a namespace of their own."""
    cell = "<table:table-cell><text:p>{}</text:p></table:table-cell>"
    first = '</style:header><o:header-first xmlns:o="urn:own"><text:p>old first</text:p></o:header-first><style:footer>'
    header = (
        f"<table:table><table:table-column/><table:table-row>{cell.format('old cell')}</table:table-row></table:table>"
        f"<text:list><text:list-item><text:p>old item</text:p></text:list-item></text:list>{first}<text:p>old foot</text:p>"
    )
    data = opentext("<text:p>old body</text:p>", header=header)
    Path("a.odt").write_bytes(data)
    parts = members(Path("a.odt"))
    styles = parts["styles.xml"].replace(b"old foot</text:p></style:header>", b"old foot</text:p></style:footer>")
    put_members("a.odt", parts | {"styles.xml": styles})
    before = Path("a.odt").read_bytes()
    told = 'each paragraph\nlog "{paragraph.place}: {paragraph.text}"\nend\n'
    assert run(f'{told}replace "old", by: "new"', "a.odt").log == [
        "body: old body", "header: old cell", "header: old item", "header: old first", "footer: old foot"
    ]  # fmt: skip
    assert [each.split()[-2] for each in run(told, "a.odt").log] == ["new"] * 5
    scrub.undo(1)
    assert Path("a.odt").read_bytes() == before
    run('document.tracks-changes = yes\nreplace "old", by: "new"', "a.odt")
    root = etree.fromstring(members(Path("a.odt"))["styles.xml"])
    lists = [each.getparent() for each in root.iter(f"{{{NS['text']}}}tracked-changes")]
    assert [etree.QName(each).localname for each in lists if each is not None] == ["header", "header-first", "footer"]
    assert len(run("each change\nlog change.text\nend", "a.odt").log) == 10
    run("reject-changes", "a.odt")
    assert [each.split()[-2] for each in run(told, "a.odt").log] == ["old"] * 5


@pytest.mark.parametrize(
    ("parts", "line", "why"),
    [
        ({"body": "<text:p>a</text:p>"}, "document.tracks-changes = yes\nparagraph(1).bold = yes", "while changes are tracked. Turn tracking off"),
        ({"body": "<text:p>a</text:p>"}, "document.tracks-changes = yes\nparagraph(1).style = \"Quote\"", "while changes are tracked. Turn tracking off"),
        ({"body": "<text:list><text:list-item><text:p>a</text:p></text:list-item></text:list>"}, "document.tracks-changes = yes\nin paragraph(1)\ndelete\nend", "cannot be tracked"),
        ({"body": "<text:p>a</text:p>"}, "paragraph(1).left-indent = 2000 cm", "0 to 1,000"),
        ({"body": "<text:p>a</text:p>"}, "paragraph(1).size = 0", "1 to 1,638"),
        ({"body": "<text:p>a</text:p>"}, 'paragraph(1).style = "Qoute"', 'Did you mean "Quote"'),
        ({"body": "<text:p>a</text:p>", "manifest": "<encryption-data/>"}, "single-spaces", "is encrypted"),
    ],
)  # fmt: skip
def test_what_cannot_be_done_is_told(home: Path, parts: dict[str, Any], line: str, why: str) -> None:
    Path("a.odt").write_bytes(opentext(**parts))
    old = Path("a.odt").read_bytes()
    with pytest.raises(scrub.ScrubError, match=re.escape(why)):
        run(line, "a.odt")
    assert Path("a.odt").read_bytes() == old


@pytest.mark.parametrize(
    ("data", "why"),
    [
        (opentext("<text:p>").replace(b"office:text>", b"office:text>"), "XML is broken"),
        (b"PK\x03\x04 no", "cut short"),
        (opentext("", kind="spreadsheet"), "but not a text"),
    ],
)
def test_bad_files_get_a_sentence(home: Path, data: bytes, why: str) -> None:
    Path("a.odt").write_bytes(data)
    with pytest.raises(scrub.ScrubError, match=why):
        run("single-spaces", "a.odt")


def test_a_real_one(home: Path, cli: Cli) -> None:
    made_by = odfdo.Document("text")
    made_by.body.append(odfdo.Header(1, "House rules"))
    made_by.body.append(odfdo.Paragraph("Carry 20 kg   of wood\tand bread and water"))
    made_by.save("real.odt")
    old = Path("real.odt").read_bytes()
    run('single-spaces\nbind-units\nreplace "wood", by: "oil & peat"', "real.odt")
    seen = [each for each in odfdo.Document("real.odt").body.paragraphs if each.inner_text]
    assert seen[-1].inner_text.replace("\t", " ") in ("Carry 20\u00a0kg of oil & peat and bread and water", "Carry 20\u00a0kg of oil & peat\tand bread and water")  # fmt: skip
    shown = cli("inside", "real.odt")
    assert "House rules" in shown.out
    scrub.undo()
    assert Path("real.odt").read_bytes() == old


def test_words_in_frames_are_paragraphs_of_their_own(home: Path) -> None:
    box = "<draw:frame><draw:text-box><text:p>old  box</text:p><text:p>old too</text:p></draw:text-box></draw:frame>"
    note = '<text:note text:note-class="endnote"><text:note-body><text:p>old note</text:p></text:note-body></text:note>'
    path = made(f"old {box} end{note}", "last")
    old = path.read_bytes()
    done = run('each paragraph\nlog "{paragraph.place} {paragraph.text}"\nend\nreplace "old", by: "new"', path)
    assert done.log == [
        "body old \ufffc end\ufffc", "text-box old box", "text-box old too", "endnote old note", "body last",
    ]  # fmt: skip
    assert texts(path) == ["new \ufffc end\ufffc", "new box", "new too", "new note", "last"]
    scrub.undo()
    run('replace "old", by: "new"\nin paragraph(1)\ndelete\nend', path)
    assert texts(path) == ["last"]
    scrub.undo()
    assert path.read_bytes() == old


def test_several_paragraphs_of_a_cell_change_together(home: Path) -> None:
    cell = '<table:table-cell office:value-type="float" office:value="1"><text:p>old</text:p><text:p>old</text:p></table:table-cell>'
    path = made(f'<table:table table:name="T"><table:table-row>{cell}</table:table-row></table:table>', meta="")
    run(
        'replace "old", by: "new"\ndocument.title = "a"\ndocument.subject = "b"\ndocument.keywords = "huts, rules"',
        path,
    )
    assert texts(path) == ["new", "new"]
    assert b'office:value="1"' not in members(path)["content.xml"]
    assert odfdo.Document(str(path)).meta.subject == "b"
    words = etree.fromstring(members(path)["meta.xml"]).iter("{urn:oasis:names:tc:opendocument:xmlns:meta:1.0}keyword")
    assert [each.text for each in words] == ["huts", "rules"]
    seen = run('log document.keywords\ndocument.keywords = "water"\nlog document.keywords', path)
    assert seen.log == ["huts, rules", "water"]
    assert b"rules" not in members(path)["meta.xml"]
