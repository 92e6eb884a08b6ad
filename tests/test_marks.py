"""Comments and bookmarks put over words, beside readers that share no code with Scrub."""

from __future__ import annotations

import contextlib
import csv
import shutil
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import docx
import odfdo
import pytest
import test_documents as office
import test_opentexts as open_document
from conftest import SAMPLE, examples, model_of
from documents import W, document, looks, members, resolved, texts
from docx.enum.style import WD_STYLE_TYPE
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from mails import Approving
from opentexts import NS, letters, opentext, reviewed
from sheets import schema_findings

import scrub

_W, _T, _O = f"{{{W}}}", f"{{{NS['text']}}}", f"{{{NS['office']}}}"
#: What a document has in a place where no letter is: a character that no generated text has.
HREF = "{http://www.w3.org/1999/xlink}href"
_START, _END = "\u2460", "\u2461"


def _between(root: etree._Element, ends: tuple[str, str], name: str, value: str) -> tuple[etree._Element, ...]:
    """The one element of each sort that has this name, or number."""
    found = tuple([each for each in root.iter(tag) if each.get(name) == value] for tag in ends)
    assert [len(each) for each in found] == [1, 1], value
    return tuple(each[0] for each in found)


def _words_in_docx(path: Path, sort: str, value: str) -> str:
    """The characters between the two marks of a comment or a bookmark."""
    root = etree.fromstring(members(path)["word/document.xml"])
    ends = {"comment": ("commentRangeStart", "commentRangeEnd"), "bookmark": ("bookmarkStart", "bookmarkEnd")}[sort]
    if sort == "bookmark":
        (value,) = [
            str(each.get(f"{_W}id")) for each in root.iter(f"{_W}bookmarkStart") if each.get(f"{_W}name") == value
        ]
    start, end = _between(root, (f"{_W}{ends[0]}", f"{_W}{ends[1]}"), f"{_W}id", value)
    order = {each: place for place, each in enumerate(root.iter())}
    inside = [each for each in order if order[start] < order[each] < order[end]]
    gone = {f"{_W}del", f"{_W}moveFrom"}
    there = [each for each in inside if not gone & {above.tag for above in each.iterancestors()}]
    return "".join(each.text or "" for each in there if each.tag == f"{_W}t")


def _words_in_odt(path: Path, sort: str, value: str) -> tuple[int, int]:
    """How many characters are in the document before each of the two marks."""
    root = etree.fromstring(members(path)["content.xml"])
    tags = {
        "comment": (f"{_O}annotation", f"{_O}annotation-end"), "bookmark": (f"{_T}bookmark-start", f"{_T}bookmark-end"),
    }[sort]  # fmt: skip
    name = f"{_O}name" if sort == "comment" else f"{_T}name"
    for each, sign in zip(_between(root, tags, name, value), (_START, _END), strict=True):
        each.tail = sign + (each.tail or "")
    whole = path.parent / "signs.odt"
    with zipfile.ZipFile(whole, "w") as package:
        package.writestr("content.xml", etree.tostring(root))
    every = "".join(letter for paragraph in letters(whole) for letter, _ in paragraph)
    return every.index(_START), every.replace(_START, "").index(_END)


PUT = st.lists(
    st.tuples(st.sampled_from(["comment", "bookmark", "link"]), st.integers(0, 9), st.integers(0, 9)), max_size=3
)


def put_over(paragraph: Any, sort: str, start: int, end: int, name: str) -> None:
    """Puts a mark over characters."""
    put = {"comment": paragraph.put_comment_on, "bookmark": paragraph.put_bookmark, "link": paragraph.put_link}[sort]
    put(start, end, f"https://x.example/{name}" if sort == "link" else name)


def _leads(path: Path) -> dict[str, str]:
    """Where each relationship of a document leads."""
    root = etree.fromstring(members(path)["word/_rels/document.xml.rels"])
    return {str(each.get("Id")): str(each.get("Target")) for each in root}


def _link_words(root: etree._Element, tag: str, name: str, leads: dict[str, str] | None = None) -> str:
    """The words of the links with an address."""
    wanted = [
        each
        for each in root.iter(tag)
        if any((leads or {}).get(text, text).endswith(f"/{name}") for text in map(str, each.attrib.values()))
    ]
    gone = {f"{_W}del", f"{_W}moveFrom"}
    return "".join(
        text.text or ""
        for each in wanted
        for text in each.iter(f"{_W}t")
        if not gone & {above.tag for above in text.iterancestors()}
    )


def _marked(paragraph: Any, put: list[tuple[str, int, int]]) -> list[tuple[str, str, str]]:
    """Puts marks over characters of a paragraph; gives the sort, the text and the characters of each."""
    found = []
    for number, (sort, one, other) in enumerate(put):
        length = len(paragraph.text)
        start, end = sorted((min(one, length), min(other, length)))
        if start == end:
            continue
        name = f"mark{id(put)}_{number}"
        with contextlib.suppress(scrub.Failure):
            put_over(paragraph, sort, start, end, name)
            found.append((sort, name, paragraph.text[start:end]))
    return found


@examples(150)
@given(st.lists(office.PARAGRAPHS, min_size=1, max_size=2), st.booleans(), st.lists(PUT, min_size=2, max_size=2))
def test_a_mark_lies_over_the_letters_asked_for(
    paragraphs: list[str], recorded: bool, put: list[list[tuple[str, int, int]]]
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.docx"
        path.write_bytes(document("".join(paragraphs), settings="<w:trackRevisions/>" if recorded else "<w:zoom/>"))
        old, before, said = path.read_bytes(), looks(path), texts(path)
        with scrub.open(str(path)) as opened:
            made = [
                each
                for paragraph, some in zip(model_of(opened).paragraphs(), put, strict=False)
                for each in _marked(paragraph, some)
            ]
            saved = opened.save("by hand")
        assert texts(path) == said
        if not any(sort == "link" for sort, *_ in made):  # which look as links do
            assert looks(path) == before
        assert resolved(path, False) == said
        comments = members(path).get("word/comments.xml")
        listed = etree.fromstring(comments) if comments else []
        ids = {"".join(map(str, each.itertext())): each.get(f"{_W}id") for each in listed}
        for sort, name, words in made:
            plain = "".join(letter for letter in words if letter not in "\ufffc\u00ad\u2011\t\n")
            if sort == "link":
                root = etree.fromstring(members(path)["word/document.xml"])
                assert _link_words(root, f"{_W}hyperlink", name, _leads(path)) == plain
                continue
            assert _words_in_docx(path, sort, str(ids[name]) if sort == "comment" else name) == plain
        assert len(ids) == sum(sort == "comment" for sort, *_ in made)
        if saved is not None:
            scrub.undo(saved)
        assert path.read_bytes() == old


@examples(150)
@given(st.lists(open_document.SIMPLE, min_size=1, max_size=2), st.booleans(), st.lists(PUT, min_size=2, max_size=2))
def test_a_mark_lies_over_the_letters_asked_for_in_odt(
    paragraphs: list[str], recorded: bool, put: list[list[tuple[str, int, int]]]
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.odt"
        path.write_bytes(opentext("".join(paragraphs)))
        old, before, reviewers = path.read_bytes(), letters(path), reviewed(path, True)
        with scrub.open(str(path)) as opened:
            if recorded:
                model_of(opened).tracks_changes = True
            made: list[tuple[str, str, tuple[int, int]]] = []
            done = 0
            for paragraph, some in zip(list(model_of(opened).paragraphs()), put, strict=False):
                for sort, one, other in some:
                    start, end = sorted((min(one, len(paragraph.text)), min(other, len(paragraph.text))))
                    if start < end:
                        name = f"mark{len(made)}"
                        with contextlib.suppress(scrub.Failure):  # a link over another one
                            put_over(paragraph, sort, start, end, name)
                            made.append((sort, name, (done + start, done + end)))
                done += len(paragraph.text)
            saved = opened.save("by hand")
        assert letters(path) == before
        assert reviewed(path, False) == reviewers
        root = etree.fromstring(members(path)["content.xml"])
        names = {
            "".join(map(str, each.itertext(f"{_T}p"))): each.get(f"{_O}name") for each in root.iter(f"{_O}annotation")
        }  # fmt: skip
        whole = "".join(letter for paragraph in before for letter, _ in paragraph)
        for sort, name, where in made:
            if sort == "link":
                found = [each for each in root.iter(f"{_T}a") if str(each.get(HREF)).endswith(f"/{name}")]
                there = "".join("".join(map(str, each.itertext())) for each in found)
                kept = "".join(letter for letter in whole[where[0] : where[1]] if letter not in " \t\n")
                assert "".join(letter for letter in there if letter not in " \t\n") == kept
                continue
            assert _words_in_odt(path, sort, str(names[name]) if sort == "comment" else name) == where
        if saved is not None:
            scrub.undo(saved)
        assert path.read_bytes() == old


@examples(150)
@given(st.sampled_from(["docx", "odt"]), st.booleans(), PUT, st.data())
def test_words_under_marks_are_edited_as_others_are(
    kind: str, recorded: bool, put: list[tuple[str, int, int]], data: st.DataObject
) -> None:
    content = data.draw(office.PARAGRAPHS if kind == "docx" else open_document.SIMPLE)
    with tempfile.TemporaryDirectory() as folder:
        path, plain = Path(folder) / f"a.{kind}", Path(folder) / f"b.{kind}"
        path.write_bytes(document(content, settings="<w:zoom/>") if kind == "docx" else opentext(content))
        plain.write_bytes(path.read_bytes())
        edits: list[tuple[int, int, str]] | None = None
        for each, marks in ((path, put), (plain, [])):
            with scrub.open(str(each)) as opened:
                model_of(opened).tracks_changes = recorded
                paragraph = next(iter(model_of(opened).paragraphs()))
                _marked(paragraph, marks)
                edits = data.draw(office.edits_of(len(paragraph.text))) if edits is None else edits
                with contextlib.suppress(scrub.Failure):
                    paragraph.edit(edits)
                opened.save("by hand")
        if kind == "odt":
            for accepted in (True, False):
                assert reviewed(path, accepted) == reviewed(plain, accepted)
            return
        assert [resolved(path, accepted) for accepted in (True, False)] == [
            resolved(plain, accepted) for accepted in (True, False)
        ]
        root = etree.fromstring(members(path)["word/document.xml"])
        comments = members(path).get("word/comments.xml")
        ids = [str(each.get(f"{_W}id")) for each in etree.fromstring(comments)] if comments else []
        for name in ("commentRangeStart", "commentRangeEnd", "commentReference"):
            assert sorted(ids) == sorted(str(each.get(f"{_W}id")) for each in root.iter(f"{_W}{name}"))


@pytest.mark.parametrize("kind", ["docx", "odt"])
def test_a_mark_goes_along_with_its_words(home: Path, kind: str) -> None:
    make = office.made if kind == "docx" else open_document.made
    path = make("Fill the old jugs with water", "gone", "", name=f"a.{kind}")
    old = path.read_bytes()
    done = office.run(
        'in passage("old jugs")\ncomment-on "Which?"\nbookmark-as "jugs"\nend\n'
        'in paragraph(2)\ncomment-on "Never seen"\ndelete\nend\n'
        'in paragraph(3)\nparagraph.text = "new words"\nparagraph.bold = yes\ncomment-on "Fine & good"\nend\n'
        'replace "the old", by: "both"\nreplace "jugs", by: "large jugs"\n'
        'attempt\nin passage("water")\ncomment-on "taken back"\nend\nfail "no"\nif it fails\nlog problem\nend',
        path,
    )  # fmt: skip
    assert [str(each) for each in done.changes if "new" in each.field] == [
        'new comment on "old jugs": "Which?"', 'new bookmark on "old jugs": "jugs"', 'new comment on "gone": "Never seen"',
        'new comment on "new words": "Fine & good"',
    ]  # fmt: skip
    seen = office.run(
        'each comment\nlog "{comment.author} on {comment.words}: {comment.text} ({comment.address})"\nend\n'
        "each bookmark\nlog bookmark.name\nend\neach passage where passage.bold\nlog passage.text\nend",
        path,
    )
    assert seen.log == [
        "Scrub on  large jugs: Which? (paragraph 1)", "Scrub on new words: Fine & good (paragraph 2)", "jugs", "new words",
    ]  # fmt: skip
    if kind == "docx":
        assert _words_in_docx(path, "bookmark", "jugs") == " large jugs"
        assert _words_in_docx(path, "comment", "0") == " large jugs"
    scrub.undo(1)
    assert path.read_bytes() == old


@pytest.mark.everything
def test_what_is_written_has_no_finding_and_others_read_it(home: Path) -> None:
    made_by = docx.Document()
    made_by.add_paragraph("Fill the jugs").add_run(" with water").bold = True
    made_by.save("real.docx")
    before = schema_findings("real.docx")
    office.run('in passage("jugs with")\ncomment-on "Which?\\nAll?"\nend\nin paragraph(1)\nbookmark-as "Jugs"\nend'.replace("\\n", " "), "real.docx")  # fmt: skip
    assert schema_findings("real.docx") == before
    (comment,) = docx.Document("real.docx").comments
    assert (comment.text, comment.author, comment.initials) == ("Which? All?", "Scrub", "S")
    office.run('in passage("water")\ncomment-on "From the stream?"\nend\neach comment where comment.text contains "All"\nreply "All"\nend', "real.docx")  # fmt: skip
    assert schema_findings("real.docx") == before
    assert [each.text for each in docx.Document("real.docx").comments] == ["Which? All?", "All", "From the stream?"]


def test_comments_of_odt_are_answered(home: Path) -> None:
    path = open_document.made(
        'Fill <office:annotation office:name="a"><dc:creator>Ann</dc:creator><text:p>Which?</text:p></office:annotation>the jugs'
        '<office:annotation-end office:name="a"/> now'
    )
    old = path.read_bytes()
    done = office.run('each comment\nreply "The large ones <here>"\nreply "Really"\nend', path)
    assert [str(each) for each in done.changes] == ['answered: "The large ones <here>"', 'answered: "Really"']
    seen = office.run('each comment\nlog "{comment.author}: {comment.text}"\nend', path)
    assert seen.log == ["Ann: Which?", "Scrub: The large ones <here>", "Scrub: Really"]
    assert "".join(letter for letter, _ in letters(path)[0]) == "Fill the jugs now"
    scrub.undo(1)
    gone = office.run('each comment\nreply "Never"\ndelete\nend', path)
    assert gone.state == "changed"
    assert b"annotation" not in members(path)["content.xml"]
    scrub.undo()
    assert path.read_bytes() == old


@pytest.mark.parametrize("kind", ["docx", "odt"])
@pytest.mark.parametrize(
    ("line", "why"),
    [
        ('in paragraph(1)\nbookmark-as "two words"\nend', "is not a valid bookmark"),
        ('in paragraph(1)\nbookmark-as "n"\nbookmark-as "N"\nend', 'a bookmark "N" exists already'),
        ('in paragraph(2)\ncomment-on "x"\nend', "paragraph 2: a comment needs some text"),
        ('in paragraph(3)\ncomment-on "x"\nend', "cannot have comments"),
    ],
)
def test_what_cannot_be_marked_is_told(home: Path, kind: str, line: str, why: str) -> None:
    header = "<w:p><w:r><w:t>top</w:t></w:r></w:p>" if kind == "docx" else "<text:p>top</text:p>"
    path = (office.made if kind == "docx" else open_document.made)("one", "", name=f"a.{kind}", header=header)
    old = path.read_bytes()
    with pytest.raises(scrub.Failure, match=why):
        office.run(line, path)
    assert path.read_bytes() == old


def test_plain_texts_keep_no_comment(home: Path) -> None:
    Path("a.txt").write_text("one\n")
    with pytest.raises(scrub.Failure, match="stores text only"):
        office.run('in paragraph(1)\ncomment-on "x"\nend', "a.txt")


@pytest.mark.parametrize("kind", ["docx", "odt"])
def test_words_become_links(home: Path, kind: str) -> None:
    if kind == "docx":
        made_by = docx.Document()
        first = made_by.add_paragraph("Read the ")
        first.add_run("season ").bold = True
        first.add_run("rules now")
        made_by.add_paragraph("See below")
        made_by.save("a.docx")
    else:
        open_document.made(
            'Read the <text:span text:style-name="T1">season </text:span>rules now', "See below",
            automatic='<style:style style:name="T1" style:family="text"><style:text-properties fo:font-weight="bold"/></style:style>',
        )  # fmt: skip
    path = Path(f"a.{kind}")
    old = path.read_bytes()
    findings = schema_findings(str(path)) if kind == "docx" else None
    done = office.run(
        'in passage("season rules")\nlink-to "https://huts.example/a?b=1&c=2"\ncomment-on "Right?"\nend\n'
        'in paragraph(2)\nlink-to "#Rules"\nend\nreplace "rules", by: "house rules"',
        path,
    )
    assert [str(each) for each in done.changes if "link" in each.field] == [
        'new link on "season rules": "https://huts.example/a?b=1&c=2"', 'new link on "See below": "#Rules"',
    ]  # fmt: skip
    seen = office.run('each link\nlog "{link.text}: {link.address}"\nend\neach passage where passage.bold\nlog passage.text\nend', path)  # fmt: skip
    assert "".join(each.partition(":")[0] for each in seen.log if "huts.example" in each) == "season house rules"
    assert {each.partition(": ")[2] for each in seen.log if ": " in each} == {
        "https://huts.example/a?b=1&c=2",
        "#Rules",
    }
    assert seen.log[-1] == "season house "  # what is put in looks like what is before it
    if kind == "docx":
        assert schema_findings(str(path)) == findings
        (link,) = docx.Document(str(path)).paragraphs[0].hyperlinks
        assert {(run.underline, str(run.font.color.rgb)) for run in link.runs} == {(True, "0000EE")}
        assert (link.text, link.url) == ("season house rules", "https://huts.example/a?b=1&c=2")
        assert docx.Document(str(path)).paragraphs[1].hyperlinks[0].fragment == "Rules"
    with pytest.raises(scrub.Failure, match="in a link"):
        office.run('in passage("house rules")\nlink-to "https://x.example"\nend', path)
    with pytest.raises(scrub.Failure, match="is not an address"):
        office.run('in passage("Read")\nlink-to "a b"\nend', path)
    with pytest.raises(scrub.Failure, match="part of this text is a link already"):
        office.run('in passage("Read")\nlink-to "https://x.example"\nlink-to "https://y.example"\nend', path)
    scrub.undo(1)
    assert path.read_bytes() == old


@pytest.mark.parametrize("kind", ["docx", "odt"])
def test_letters_get_a_style(home: Path, kind: str) -> None:
    if kind == "docx":
        made_by = docx.Document()
        made_by.add_paragraph("Fill the old jugs")
        made_by.save("a.docx")
    else:
        text = odfdo.Document("text")
        text.body.clear()
        text.body.append(odfdo.Paragraph("Fill the old jugs"))
        text.insert_style(odfdo.Style("text", name="Emphasis", italic=True))
        text.save("a.odt")
    path = Path(f"a.{kind}")
    old = path.read_bytes()
    office.run(
        'in passage("old")\npassage.style = "emphasis"\nlog passage.italic\npassage.colour = "red"\nend\n'
        'replace "old", by: "new"',
        path,
    )
    seen = office.run(
        'each passage where passage.style is "Emphasis"\nlog "{passage.text} {passage.italic} {passage.colour}"\nend\n'
        'each passage where passage.style is nothing\nlog passage.text\nend',
        path,
    )  # fmt: skip
    assert seen.log == ["new yes #ff0000", "Fill the ", " jugs"]
    if kind == "docx":
        assert [run.style.name for run in docx.Document("a.docx").paragraphs[0].runs if run.style is not None][
            1
        ] == "Emphasis"
        assert office.run('in passage("new")\npassage.style = nothing\nend', path).state == "changed"
        scrub.undo()
    with pytest.raises(scrub.Failure, match='no character style "Emphasiz". Did you mean "Emphasis"'):
        office.run('in passage("new")\npassage.style = "Emphasiz"\nend', path)
    scrub.undo(1)
    assert path.read_bytes() == old


def test_comments_are_put_on_distances_and_listed_to_a_table(home: Path) -> None:
    shutil.copyfile(SAMPLE.parent / "route.docx", "route.docx")
    old = Path("route.docx").read_bytes()
    assert scrub.run("Ask about the distances", ["route.docx"]).files[0].problem is None
    assert scrub.run("List what reviewers asked", ["route.docx"], host=Approving()).files[0].problem is None
    with open("asked.csv", newline="", encoding="utf-8") as stream:
        rows = list(csv.DictReader(stream))
    assert [(row["Who"], row["About"]) for row in rows if row["Asked"] == "Is this still right?"] == [
        ("Scrub", "2 km"), ("Scrub", "180 m"), ("Scrub", "420 m"), ("Scrub", "6 km"),
    ]  # fmt: skip
    (ines,) = [row for row in rows if row["Who"] == "Ines Vale"]
    assert ines["About"].startswith("Cross the bridge")
    assert ines["About"].strip().endswith("above the car park.")
    words = {each.comment_id: each.text for each in docx.Document("route.docx").comments}
    assert len(words) == len(rows)
    for _ in range(2):
        scrub.undo()
    assert Path("route.docx").read_bytes() == old


def test_a_link_looks_as_the_document_has_links_look(home: Path) -> None:
    made_by = docx.Document()
    made_by.styles.add_style("Hyperlink", WD_STYLE_TYPE.CHARACTER)
    made_by.add_paragraph("Read the rules")
    made_by.save("a.docx")
    done = office.run('in passage("rules")\nlink-to "https://huts.example"\nend', "a.docx")
    assert len(done.changes) == 1
    (link,) = docx.Document("a.docx").paragraphs[0].hyperlinks
    assert [run.style.name for run in link.runs if run.style is not None] == ["Hyperlink"]
