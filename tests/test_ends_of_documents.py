"""Tracked changes at the first and the last paragraph of a text, notes that nobody wrote, and styles that are one
empty element.
"""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import pytest
from conftest import examples, macro
from documents import W, document, members, put_members, resolved, texts
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from opentexts import opentext
from opentexts import texts as open_texts

import scrub


def run(body: str, path: Path) -> scrub.RunResult:
    found = scrub.run(macro(body, "document"), [str(path)])
    if found.files[0].problem is not None:
        raise found.files[0].problem
    return found


def shape(path: Path) -> list[tuple[str, str]]:
    """The text of each paragraph, and how it is set."""
    set_ = members(path)["word/document.xml"].decode().split("<w:p>")[1:]
    how = [each.partition("<w:pPr>")[2].partition("</w:pPr>")[0].split("<w:rPr>")[0] for each in set_]
    return list(zip(texts(path), how, strict=True))


SETTINGS = st.sampled_from(
    ["", '<w:pStyle w:val="Quote"/>', '<w:pStyle w:val="Quote"/><w:jc w:val="center"/>', '<w:jc w:val="right"/>']
)


@given(
    st.lists(st.tuples(st.text("abc", min_size=1, max_size=3), SETTINGS), min_size=2, max_size=5),
    st.sets(st.integers(1, 5)),
    st.booleans(),
    st.booleans(),
)
@examples(40)
def test_what_is_recorded_at_the_end_leaves_nothing_behind(
    home: Path, paragraphs: list[tuple[str, str]], gone: set[int], adds: bool, marked: bool
) -> None:
    gone = {each for each in gone if each <= len(paragraphs)}
    if len(gone) == len(paragraphs):
        gone.discard(1)
    if adds:
        gone.discard(len(paragraphs))
    between = '<w:bookmarkStart w:id="7" w:name="here"/><w:bookmarkEnd w:id="7"/>' if marked else ""
    body = between.join(
        f"<w:p>{f'<w:pPr>{set_}</w:pPr>' if set_ else ''}<w:r><w:t>{text}</w:t></w:r></w:p>"
        for text, set_ in paragraphs
    )
    data = document(body, settings="<w:zoom/>")
    steps = "".join(f"in paragraph({each})\ndelete\nend\n" for each in sorted(gone, reverse=True))
    steps += 'add-paragraph "fresh"\n' if adds else ""
    plain, path = Path("plain.docx"), Path("recorded.docx")
    for one in (plain, path):
        one.write_bytes(data)
    run(steps, plain)
    before = shape(path)
    run(f"document.tracks-changes = yes\n{steps}document.tracks-changes = no", path)
    recorded = path.read_bytes()
    assert resolved(path, True) == texts(plain)
    assert resolved(path, False) == [text for text, _ in before]
    run("accept-changes", path)
    assert shape(path) == shape(plain)
    path.write_bytes(recorded)
    run("reject-changes", path)
    assert shape(path) == before


def test_an_end_that_another_program_recorded_is_no_paragraph_once_refused(home: Path) -> None:
    ins = '<w:ins w:id="1" w:author="Ann" w:date="2026-05-01T10:00:00Z"'
    body = f"<w:p><w:r><w:t>first</w:t></w:r></w:p><w:p><w:pPr><w:rPr>{ins}/></w:rPr></w:pPr>{ins}><w:r><w:t>more</w:t></w:r></w:ins></w:p>"
    path = Path("other.docx")
    path.write_bytes(document(body))
    run("reject-changes", path)
    assert texts(path) == ["first"]


def test_lines_above_notes_are_no_paragraphs(home: Path) -> None:
    path = Path("notes.docx")
    path.write_bytes(document("<w:p><w:r><w:t>a  b</w:t></w:r></w:p>", header="<w:p/>"))
    notes = "".join(
        f'<w:footnote w:type="{type_}" w:id="{number}"><w:p><w:r><w:t xml:space="preserve">x  y </w:t></w:r></w:p></w:footnote>'
        for number, type_ in enumerate(("separator", "continuationSeparator", "continuationNotice", "normal"))
    )
    parts = members(path)
    rels = parts["word/_rels/document.xml.rels"].decode().replace('/header"', '/footnotes"')
    put_members(
        path,
        {
            **parts,
            "word/header1.xml": f'<w:footnotes xmlns:w="{W}">{notes}</w:footnotes>',
            "word/_rels/document.xml.rels": rels,
        },
    )
    found = run('single-spaces\ntrim\nsay "{count(paragraph)}"', path)
    assert found.files[0].said == ["2"]
    assert texts(path, "word/header1.xml") == ["x  y ", "x  y ", "x  y ", "x y"]


# -- Open Document


@pytest.mark.parametrize(
    "style",
    [
        '<style:style style:name="P1" style:family="paragraph" style:list-style-name="L1"/>',
        '<style:style style:name="P1" style:family="paragraph" />',
        '<style:style style:name="P1" style:family="paragraph"></style:style>',
        '<style:style style:name="P1" style:family="paragraph"><style:text-properties fo:color="#ff0000"/></style:style>',
        '<style:style style:name="P1" style:family="paragraph"><style:paragraph-properties/></style:style>',
    ],
)
def test_paragraphs_with_every_form_of_style_are_set(home: Path, style: str) -> None:
    path = Path("list.odt")
    body = '<text:list><text:list-item><text:p text:style-name="P1">one</text:p></text:list-item></text:list><text:p>two</text:p>'
    path.write_bytes(opentext(body, automatic=style))
    before = path.read_bytes()
    run(
        "in paragraph(1)\nparagraph.alignment = centre\nparagraph.left-indent = 1 cm\nparagraph.space-before = 6 pt\nend",
        path,
    )
    found = scrub.run(
        macro('in paragraph(1)\nsay "{paragraph.alignment} {paragraph.left-indent}"\nend', "document"), [str(path)]
    )
    assert found.files[0].said == ["centre 1 cm"], found.files[0].said
    scrub.undo(1)
    assert path.read_bytes() == before


TABLE = '<table:table table:name="T"><table:table-column/><table:table-row><table:table-cell><text:p>cell</text:p></table:table-cell></table:table-row></table:table>'
HEADING = '<text:h text:style-name="Heading_20_1" text:outline-level="1">Water</text:h>'


@pytest.mark.parametrize(
    ("body", "number"),
    [
        (f"{HEADING}{TABLE}<text:p>after</text:p>", 1),
        (f"<text:p>before</text:p>{TABLE}{HEADING}{TABLE}<text:p>after</text:p>", 3),
        (f"{HEADING}<text:p>after</text:p>", 1),
    ],
)
def test_a_heading_before_a_table_goes_and_comes_back(home: Path, body: str, number: int) -> None:
    path = Path("water.odt")
    path.write_bytes(opentext(body))
    before = open_texts(path)
    order = [each.tag for each in in_the_body(path)]
    run(f"document.tracks-changes = yes\nin paragraph({number})\ndelete\nend\ndocument.tracks-changes = no", path)
    recorded = path.read_bytes()
    run("reject-changes", path)
    assert open_texts(path) == before
    assert [each.tag for each in in_the_body(path)] == order
    path.write_bytes(recorded)
    run("accept-changes", path)
    assert open_texts(path) == [each for each in before if each != "Water"]


def in_the_body(path: Path) -> list[etree._Element]:
    """The elements directly inside the body, by a reader that is not ours."""
    root = etree.fromstring(zipfile.ZipFile(io.BytesIO(path.read_bytes())).read("content.xml"))
    body = next(root.iter("{urn:oasis:names:tc:opendocument:xmlns:office:1.0}text"))
    return [each for each in body if not str(each.tag).endswith("tracked-changes")]
