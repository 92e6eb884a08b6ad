"""Paragraphs that are found by search are what they are when every element is read: same tree, same texts, same bytes."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import docx
import pytest
from conftest import examples, model_of
from documents import W, document, members
from hypothesis import example, given
from hypothesis import strategies as st
from test_documents import PARAGRAPHS, edits_of

import scrub
from scrub.formats.found import FoundElement
from scrub.formats.spans import NotReadable, Span, parse
from scrub.formats.wordprocessing import found
from scrub.formats.wordprocessing.read import FieldState, paragraphs_of, read_paragraph
from scrub.formats.wordprocessing.styles import parse_styles

LOOKS = st.sampled_from(
    ["", "", "<w:rPr><w:b/></w:rPr>", '<w:rPr><w:sz w:val="20"/><w:lang w:val="en"/></w:rPr>', "<w:rPr/>"]
)
LETTERS = st.lists(
    st.sampled_from([
        "<w:t>path</w:t>", '<w:t xml:space="preserve"> 6  kg </w:t>', "<w:t>a &amp; b &#233; &#xE9;</w:t>", "<w:t/>",
        "<w:t></w:t>", "<w:tab/>", "<w:br/>", "<w:lastRenderedPageBreak/>", "<w:t>line\r\nline</w:t>", "<w:t>a>b</w:t>",
    ]),
    max_size=3,
).map("".join)  # fmt: skip
ODD_LETTERS = st.sampled_from([
    '<w:br w:type="page"/>', '<w:t w:odd="a>b">odd</w:t>', "<w:noBreakHyphen/>", "<w:t >x</w:t >", "<w:tab />",
    "<w:rPr><w:t>x</w:t></w:rPr>",
])  # fmt: skip
ATTRIBUTES = st.sampled_from(["", "", ' w:rsidR="00A1"', ' w:rsidR="a>b"', " "])
PLAIN = st.builds("<w:r{}>{}{}</w:r>".format, ATTRIBUTES, LOOKS, LETTERS)
ODD = st.one_of(
    st.builds("<w:r{}>{}{}{}</w:r>".format, ATTRIBUTES, LOOKS, ODD_LETTERS, LETTERS),
    st.sampled_from([
        "<w:r/>", '<w:r w:rsidR="1"/>', '<w:bookmarkStart w:id="1" w:name="x"/>', '<w:proofErr w:type="spellStart"/>',
        "<w:del><w:r><w:delText>gone</w:delText></w:r></w:del>", " ", "<o:r><o:t>other</o:t></o:r>", "<w:p/>",
        '<w:p w:rsidR="1"/>', "<w:t>loose</w:t>",
        '<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText>PAGE</w:instrText></w:r>'
        '<w:r><w:fldChar w:fldCharType="separate"/></w:r>', '<w:r><w:fldChar w:fldCharType="end"/></w:r>',
    ]),
)  # fmt: skip
#: What a search would be misled by, and what binds the prefix again.
MISLEADING = st.sampled_from([
    "<!-- <w:p><w:r><w:t>c</w:t></w:r></w:p> -->", "<w:r><w:t><![CDATA[<w:p></w:p>]]></w:t></w:r>",
    "<?go <w:p></w:p>?>", '<o:x xmlns:w="urn:other"><w:p><w:r><w:t>other</w:t></w:r></w:p></o:x>',
    f'<o:x xmlns:v="{W}"><v:p/></o:x>',
])  # fmt: skip
PROPERTIES = st.one_of(
    st.sampled_from([
        "", "", '<w:pPr><w:pStyle w:val="H1"/></w:pPr>', "<w:pPr><w:keepNext/></w:pPr>", "<w:pPr></w:pPr>",
        '<w:pPr><w:tabs><w:tab w:val="left" w:pos="720"/></w:tabs><w:rPr><w:b/></w:rPr></w:pPr>',
    ]),
    st.sampled_from([
        "<w:pPr/>", '<w:pPr><w:keepNext/><w:pStyle w:val="H2"/></w:pPr>', '<w:pPr><w:outlineLvl w:val="1"/></w:pPr>',
        "<w:pPr><w:tabs><w:tab/></w:tabs></w:pPr>", "<w:pPr><w:sectPr/></w:pPr>",
        '<w:pPr><w:pStyle w:val="a&amp;b"/></w:pPr>', "<w:pPr><w:rPr><w:del w:id='1'/></w:rPr></w:pPr>",
    ]),
)  # fmt: skip
SHAPE = "<w:p{}>{}{}</w:p>".format
SEARCHED = st.builds(SHAPE, ATTRIBUTES, PROPERTIES, st.lists(PLAIN, max_size=3).map("".join))
ONE = st.one_of(
    SEARCHED,
    SEARCHED,
    st.builds(SHAPE, ATTRIBUTES, PROPERTIES, st.lists(st.one_of(PLAIN, ODD), max_size=3).map("".join)),
)
SHORT = st.lists(
    st.builds("<w:r>{}<w:t>{}</w:t></w:r>".format, LOOKS, st.sampled_from(["a", "b", "c&amp;"])), min_size=2, max_size=4
).map(lambda runs: f"<w:p>{''.join(runs)}</w:p>")
LONE = st.sampled_from(["<w:p/>", '<w:p w:rsidR="1"/>', " ", "\n"])
BOXED = st.builds("<w:p><w:r><w:pict><o:box><w:txbxContent>{}</w:txbxContent></o:box></w:pict></w:r></w:p>".format, ONE)
TABLED = st.builds("<w:tbl><w:tr><w:tc>{}{}</w:tc></w:tr></w:tbl>".format, ONE, ONE)
BODIES = st.builds(
    "{}{}".format,
    st.lists(st.one_of(ONE, ONE, PARAGRAPHS, LONE, BOXED, TABLED), max_size=6).map("".join),
    st.one_of(st.just(""), st.just(""), MISLEADING),
)


def _told(span: Span) -> tuple[object, ...]:
    """All that is known of an element and what it contains."""
    own = (span.raw_name, span.name, span.uri, span.attributes, dict(span.namespaces))
    return (*own, span.start, span.open_end, span.close_start, span.end, [_told(each) for each in span.children])


@examples(400)
@given(BODIES)
@example('<w:p><w:p w:rsidR="1"/></w:p>')
def test_the_tree_is_the_one_that_reading_every_element_gives(body: str) -> None:
    data = (
        f'<?xml version="1.0"?><w:document xmlns:w="{W}" xmlns:o="urn:o" xmlns:m="urn:m" xmlns:mc="urn:mc" '
        f'xmlns:r="urn:r" xmlns:a="urn:a"><w:body>{body}</w:body></w:document>'
    ).encode()
    try:
        plain = parse(data)
    except NotReadable:
        with pytest.raises(NotReadable):
            found.parse_story(data)
        return
    quick = found.parse_story(data)
    pairs = zip(paragraphs_of(quick), paragraphs_of(plain), strict=True)
    for (one, where, _), (other, there, _) in pairs:
        read = read_paragraph(data, other, FieldState())
        assert where == there
        if isinstance(one, found.FoundParagraph):
            assert (one.text(), "") == (read.text, read.fixed)
            mine = [(each.start, each.text, _told(each.element), _told(each.run)) for each in one.pieces()]
            assert mine == [(each.start, each.text, _told(each.element), _told(each.run)) for each in read.pieces]
    assert _told(quick) == _told(plain)


def test_most_of_a_document_is_found() -> None:
    one = '<w:p><w:pPr><w:pStyle w:val="H1"/></w:pPr><w:r w:rsidR="1"><w:rPr><w:b/></w:rPr><w:t>a</w:t><w:tab/></w:r></w:p>'
    data = f'<w:document xmlns:w="{W}"><w:body>{one * 3}<w:p/></w:body></w:document>'.encode()
    assert [each.style for each in found.plain_paragraphs(data)] == [b"H1"] * 3


@examples(250)
@given(st.lists(SHORT, min_size=3, max_size=6), st.booleans(), st.data())
def test_edits_give_the_same_bytes(paragraphs: list[str], recorded: bool, data: st.DataObject) -> None:
    _same_both_ways(paragraphs, recorded, data)


@examples(100)
@given(st.lists(st.one_of(ONE, PARAGRAPHS), min_size=1, max_size=3), st.booleans(), st.data())
def test_edits_of_any_paragraphs_give_the_same_bytes(
    paragraphs: list[str], recorded: bool, data: st.DataObject
) -> None:
    _same_both_ways(paragraphs, recorded, data)


def _same_both_ways(paragraphs: list[str], recorded: bool, data: st.DataObject) -> None:
    made: list[bytes] = []
    chosen: list[list[tuple[int, int, str]]] = []
    old = document("".join(paragraphs), settings="<w:trackRevisions/>" if recorded else "<w:zoom/>")
    searches: list[Callable[[bytes], list[found.FoundParagraph]]] = [found.plain_paragraphs, lambda _: []]
    for search in searches:
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(found, "plain_paragraphs", search):
            path = Path(folder) / "a.docx"
            path.write_bytes(old)
            try:
                opened = scrub.open(str(path))
            except scrub.ScrubError as problem:
                made.append(str(problem).replace(folder, "").encode())
                continue
            with opened:
                every = list(model_of(opened).paragraphs())
                told = [(each.text, each.style, each.level, each.fixed) for each in every]
                chosen = chosen or [data.draw(edits_of(len(each.text))) for each in every]
                for paragraph, edits in zip(every, chosen, strict=True):
                    try:
                        paragraph.edit(edits)
                    except scrub.Failure as failure:
                        told.append((str(failure), "", None, ""))
                tracking = model_of(opened).tracking
                tracking.when = "2026-11-02T10:00:00Z"
                opened.save("by hand")
            made.append(repr(told).encode() + path.read_bytes())
    assert made[0] == made[1]


@pytest.mark.everything
def test_styles_are_what_they_are_when_every_element_is_read(home: Path) -> None:
    docx.Document().save("a.docx")
    data = members(Path("a.docx"))["word/styles.xml"]
    quick = parse_styles(data)
    assert sum(isinstance(each, FoundElement) for each in quick.children) > 100
    assert _told(quick) == _told(parse(data))
    odd = data.replace(
        b"</w:styles>", b'<w:style w:type="paragraph"><w:style w:type="table"/><w:name/></w:style></w:styles>'
    )
    for each in (odd, data.replace(b"<w:style ", b"<!-- <w:style> --><w:style ", 3)):
        assert _told(parse_styles(each)) == _told(parse(each))
