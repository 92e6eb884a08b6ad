"""Links, pictures, bookmarks and sections of documents, beside readers that share no code with Scrub."""

from __future__ import annotations

import io
import re
from pathlib import Path

import docx
import pytest
from documents import W, members, put_members, texts
from docx.enum.section import WD_ORIENT
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Cm
from lxml import etree
from PIL import Image
from sheets import schema_findings
from test_documents import made, run, table

import scrub


def linked(*addresses: str, shared: bool = False) -> Path:
    """A document with links, made by another writer; with `shared` all go by one relationship."""
    made_by = docx.Document()
    ids: dict[str, str] = {}
    for number, address in enumerate(addresses):
        paragraph = made_by.add_paragraph(f"See  page {number}: ")
        if not (shared and ids):
            ids[address] = made_by.part.relate_to(address, RELATIONSHIP_TYPE.HYPERLINK, is_external=True)
        link = OxmlElement("w:hyperlink")
        link.set(qn("r:id"), next(iter(ids.values())) if shared else ids[address])
        run_ = OxmlElement("w:r")
        text = OxmlElement("w:t")
        text.text = f"hut {number}"
        run_.append(text)
        link.append(run_)
        paragraph._p.append(link)
    made_by.save("links.docx")
    return Path("links.docx")


def seen(path: Path) -> list[tuple[str, str]]:
    """The links as python-docx sees them."""
    return [(link.text, link.url) for paragraph in docx.Document(str(path)).paragraphs for link in paragraph.hyperlinks]


REPAIR = (
    'each link where link.address contains "old.example"\n'
    'link.address = link.address.replaced("http://old.example", by: "https://huts.example")\nend'
)


def test_links_are_repaired(home: Path) -> None:
    path = linked("http://old.example/a?x=1&y=2", "https://else.example", "http://old.example/b#map")
    old, before = path.read_bytes(), schema_findings(str(path))
    done = run(f"{REPAIR}\nsingle-spaces", path)
    assert seen(path) == [
        ("hut 0", "https://huts.example/a?x=1&y=2"), ("hut 1", "https://else.example"), ("hut 2", "https://huts.example/b#map"),
    ]  # fmt: skip
    assert b"old.example" not in b"".join(members(path).values())
    assert str(done.changes[0]) == '"hut 0" link: http://old.example/a?x=1&y=2 -> https://huts.example/a?x=1&y=2'
    assert schema_findings(str(path)) == before
    scrub.undo()
    assert path.read_bytes() == old


def test_a_link_that_shares_its_relationship_leaves_the_others(home: Path) -> None:
    path = linked("http://old.example/a", "-", "-", shared=True)
    run('each link where link.text is "hut 1"\nlink.address = "https://huts.example"\nend', path)
    assert [url for _, url in seen(path)] == ["http://old.example/a", "https://huts.example", "http://old.example/a"]


def test_links_in_fields_and_into_the_document(home: Path) -> None:
    field = (
        '<w:p><w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText> HYPERLINK "http://old.example/c" </w:instrText></w:r>'
        '<w:r><w:fldChar w:fldCharType="separate"/></w:r><w:r><w:t>hut</w:t></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r></w:p>'
    )
    simple = '<w:p><w:fldSimple w:instr="HYPERLINK &quot;http://old.example/d&quot;"><w:r><w:t>path</w:t></w:r></w:fldSimple></w:p>'
    anchor = '<w:p><w:hyperlink w:anchor="Water"><w:r><w:rPr><w:rStyle w:val="Hyperlink"/></w:rPr><w:t>water</w:t></w:r></w:hyperlink></w:p>'
    path = made(field, simple, anchor)
    done = run(
        f'each link\nlog "{{link.text}} {{link.address}}"\nend\n{REPAIR}\neach link where link.address is "#Water"\ndelete\nend',
        path,
    )
    assert done.log == ["hut http://old.example/c", "path http://old.example/d", "water #Water"]
    content = members(path)["word/document.xml"].decode()
    assert ' HYPERLINK "https://huts.example/c" ' in content
    assert 'w:instr="HYPERLINK &quot;https://huts.example/d&quot;"' in content
    assert "w:hyperlink" not in content
    assert 'w:val="Hyperlink"' not in content
    assert texts(path) == ["hut", "path", "water"]
    scrub.undo()
    with pytest.raises(scrub.Failure, match="is not an address"):
        run('each link\nlink.address = "a b"\nend', path)
    with pytest.raises(scrub.Failure, match="points into the document. Change"):
        run('each link where link.address is "#Water"\nlink.address = "https://x.example"\nend', path)


@pytest.mark.everything
def test_pictures_that_say_nothing_are_listed_and_told(home: Path) -> None:
    made_by = docx.Document()
    for number, size in enumerate((4, 8)):
        stream = io.BytesIO()
        Image.new("RGB", (8 + number, 8), "white").save(stream, "PNG")
        stream.seek(0)
        paragraph = made_by.add_paragraph("old  picture ")
        paragraph.add_run("before ").add_picture(stream, width=Cm(size))
    made_by.save("pictures.docx")
    old, before = Path("pictures.docx").read_bytes(), schema_findings("pictures.docx")
    done = run(
        'each picture where picture.alternative-text is nothing and picture.width > 6 cm\nlog "{picture.name} {picture.width} {picture.height}"\n'
        'picture.alternative-text = "The "hut" & its path"\nend\nreplace "before", by: "behind"\nsingle-spaces'.replace(
            '"hut"', "hut"
        ),
        "pictures.docx",
    )
    assert len(done.log) == 1
    assert re.fullmatch(r"Picture \d 8 cm 7\.11 cm", done.log[0])
    said = [shape._inline.docPr.get("descr") for shape in docx.Document("pictures.docx").inline_shapes]
    assert said == [None, "The hut & its path"]
    assert texts(Path("pictures.docx")) == ["old picture behind \ufffc"] * 2
    assert schema_findings("pictures.docx") == before
    scrub.undo()
    assert Path("pictures.docx").read_bytes() == old


MARKED = (
    '<w:p><w:r><w:t xml:space="preserve">The </w:t></w:r><w:bookmarkStart w:id="1" w:name="Water"/><w:r><w:t>old water</w:t></w:r></w:p>',
    '<w:p><w:r><w:t>old jugs</w:t></w:r><w:bookmarkEnd w:id="1"/><w:r><w:t xml:space="preserve"> old</w:t></w:r>'
    '<w:bookmarkStart w:id="2" w:name="_Hidden"/><w:bookmarkEnd w:id="2"/></w:p>',
    '<w:p><w:hyperlink w:anchor="Water"><w:r><w:t>see</w:t></w:r></w:hyperlink><w:r><w:fldChar w:fldCharType="begin"/></w:r>'
    '<w:r><w:instrText xml:space="preserve"> PAGEREF Water \\h </w:instrText></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r></w:p>',
)  # fmt: skip


def test_bookmarks_are_renamed_with_what_leads_to_them_and_picked(home: Path) -> None:
    path = made(*MARKED)
    old = path.read_bytes()
    done = run('each bookmark\nlog bookmark.name\nbookmark.name = "Spring"\nend', path)
    assert done.log == ["Water"]
    content = members(path)["word/document.xml"].decode()
    assert "Water" not in content
    assert (content.count('"Spring"'), content.count("PAGEREF Spring \\h")) == (2, 1)
    scrub.undo()
    run('in selection\nreplace "old", by: "new"\nend', path, at="bookmark water")
    assert texts(path)[:2] == ["The new water", "new jugs old"]
    scrub.undo()
    run("each bookmark\ndelete\nend", path)
    assert 'w:id="1"' not in members(path)["word/document.xml"].decode()
    scrub.undo()
    assert path.read_bytes() == old
    for name in ("1st", "two words", "_Hidden"):
        with pytest.raises(scrub.Failure, match="is not a valid bookmark name|already"):
            run(f'each bookmark\nbookmark.name = "{name}"\nend', path)
    with pytest.raises(scrub.ScrubError, match='no bookmark "wine"'):
        run("in selection\nupper\nend", path, at="bookmark wine")


def test_a_table_is_picked_by_its_number(home: Path) -> None:
    path = made("old", table(["old", "a"]), "old", table(["Old b", "old c"]))
    run('in selection\nreplace "old", by: "new"\nend', path, at="table 2")
    assert texts(path) == ["old", "old", "a", "old", "new b", "new c"]
    with pytest.raises(scrub.ScrubError, match="no table 3: a.docx has 2 tables"):
        run("in selection\nupper\nend", path, at="table 3")


@pytest.mark.everything
def test_sections_are_set_up(home: Path) -> None:
    made_by = docx.Document()
    made_by.add_paragraph("one")
    made_by.add_section()
    made_by.save("sections.docx")
    before = schema_findings("sections.docx")
    run(
        "each section\nsection.page-width = 21 cm\nsection.page-height = 29.7 cm\nsection.left-margin = 2.5 cm\nsection.orientation = landscape\nend",
        "sections.docx",
    )
    for section in docx.Document("sections.docx").sections:
        assert section.orientation == WD_ORIENT.LANDSCAPE
        assert (round(section.page_width.cm, 1), round(section.page_height.cm, 1)) == (29.7, 21)  # type: ignore[union-attr]
        assert round(section.left_margin.cm, 2) == 2.5  # type: ignore[union-attr]
    assert schema_findings("sections.docx") == before
    found = run(
        'each section\nlog "{section.orientation} {section.page-width} {section.top-margin}"\nend', "sections.docx"
    )
    assert found.log == ["landscape 29.7 cm 2.54 cm"] * 2
    bare = made("words")
    assert run(
        'each section\nlog "{section.page-width}"\nsection.left-margin = 3 cm\nsection.orientation = landscape\nend',
        bare,
    ).log == [""]
    section = docx.Document(str(bare)).sections[0]
    assert (round(section.left_margin.cm, 1), section.orientation) == (3, WD_ORIENT.LANDSCAPE)  # type: ignore[union-attr]
    with pytest.raises(scrub.Failure, match="0 to 55 cm"):
        run("each section\nsection.left-margin = 90 cm\nend", bare)
    with pytest.raises(scrub.Failure, match="while changes are tracked"):
        run("document.tracks-changes = yes\neach section\nsection.left-margin = 2 cm\nend", "sections.docx")


@pytest.mark.parametrize(
    ("there", "were", "left"),
    [
        ("", 1, {"num": "3", "space": "708"}),
        ('<w:cols w:space="400"/>', 1, {"num": "3", "space": "400"}),
        ('<w:pgSz w:w="11906" w:h="16838"/><w:pgNumType w:start="4"/><w:docGrid w:linePitch="1"/>', 1, {"num": "3", "space": "708"}),
        (
            '<w:cols w:num="5" w:equalWidth="0"><w:col w:w="3000" w:space="200"/><w:col w:w="5000"/></w:cols>', 2,
            {"num": "3"},
        ),
    ],
)  # fmt: skip
def test_words_run_in_columns(home: Path, there: str, were: int, left: dict[str, str]) -> None:
    path = made("a", "b")
    parts = members(path)
    body = parts["word/document.xml"].replace(b"<w:sectPr/>", f"<w:sectPr>{there}</w:sectPr>".encode())
    put_members(path, parts | {"word/document.xml": body})
    before, kept = schema_findings(path), path.read_bytes()
    lines = 'each section\nlog "{section.columns}"\nsection.columns = 3\nsection.left-margin = 2 cm\nlog "{section.columns}"\nend\neach section\nlog "{section.columns}"\nend'
    assert run(lines, path).log == [str(were), "3", "3"]
    (found,) = etree.fromstring(members(path)["word/document.xml"]).iter(f"{{{W}}}cols")
    assert {etree.QName(name).localname: text for name, text in found.attrib.items()} == left
    assert len(found) == 0
    assert schema_findings(path) == before
    with pytest.raises(scrub.Failure, match="1 to 20 columns, not 0"):
        run("each section\nsection.columns = 0\nend", path)
    scrub.undo(1)
    assert path.read_bytes() == kept


def test_fields_are_told_and_become_plain_text(home: Path) -> None:
    def field(code: str, shown: str, more: str = "") -> str:
        return (
            f'<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText> {code} </w:instrText></w:r>{more}'
            f'<w:r><w:fldChar w:fldCharType="separate"/></w:r><w:r><w:t>{shown}</w:t></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r>'
        )

    simple = '<w:fldSimple w:instr=" AUTHOR "><w:r><w:t>Ann  Moss</w:t></w:r></w:fldSimple>'
    path = made(
        f'<w:p><w:r><w:t xml:space="preserve">On </w:t></w:r>{field("DATE", "2  May")}<w:r><w:t xml:space="preserve"> by </w:t></w:r>{simple}</w:p>',
        f"<w:p>{field('IF', 'yes', field('PAGE', '3'))}</w:p>",
    )
    old = path.read_bytes()
    done = run(
        'each field\nlog "{field.code}: {field.result}"\nend\neach field where field.code is "DATE" or field.code is "AUTHOR"\nfix\nend\nsingle-spaces',
        path,
    )
    assert done.log == ["DATE: 2  May", "AUTHOR: Ann  Moss", "PAGE: ", "IF \ufffc: yes"]
    content = members(path)["word/document.xml"].decode()
    assert texts(path)[0] == "On 2 May by Ann Moss"
    assert not re.search("DATE|AUTHOR|fldSimple|<w:r></w:r>", content)
    scrub.undo()
    assert path.read_bytes() == old
    with pytest.raises(scrub.Failure, match="is inside another field"):
        run('each field where field.code is "PAGE"\nfix\nend', path)
    with pytest.raises(scrub.Failure, match="contains another field in its code"):
        run('each field where field.code starts with "IF"\nfix\nend', path)


def test_what_was_set_is_known_to_later_lines_and_set_with_them(home: Path) -> None:
    made_by = docx.Document()
    stream = io.BytesIO()
    Image.new("RGB", (8, 8), "white").save(stream, "PNG")
    stream.seek(0)
    made_by.add_paragraph("x").add_run().add_picture(stream, width=Cm(2))
    made_by.save("several.docx")
    done = run(
        "each section\nsection.left-margin = 2 cm\nend\neach section\nsection.right-margin = 3 cm\nend\n"
        'each section\nlog "{section.left-margin} {section.right-margin}"\nend\n'
        'each picture\npicture.alternative-text = "hut"\nend\neach picture\nlog picture.alternative-text\nend',
        "several.docx",
    )
    assert done.log == ["2 cm 3 cm", "hut"]
    section = docx.Document("several.docx").sections[0]
    assert (round(section.left_margin.cm, 1), round(section.right_margin.cm, 1)) == (2, 3)  # type: ignore[union-attr]
    path = linked("http://old.example/a", "https://else.example")
    again = (
        'each link where link.address starts with "https://huts.example"\nlink.address = "https://new.example/b"\nend'
    )
    run(f"{REPAIR}\n{again}\neach link\nlog link.address\nend", path)
    assert seen(path) == [("hut 0", "https://new.example/b"), ("hut 1", "https://else.example")]
    code = '<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText> HYPERLINK "http://old.example" \\l Water </w:instrText></w:r>'
    shown = '<w:r><w:fldChar w:fldCharType="separate"/></w:r><w:r><w:t>x</w:t></w:r><w:r><w:fldChar w:fldCharType="end"/></w:r>'
    path = made(*MARKED, f"<w:p>{code}{shown}</w:p>")
    run(
        f'each bookmark\nbookmark.name = "Spring"\nend\n{REPAIR}\neach bookmark\nbookmark.name = "Well"\nend\n'
        'each link where link.address is "#Well"\nlink.address = "#Other"\nend',
        path,
    )
    content = members(path)["word/document.xml"].decode()
    assert ' HYPERLINK "https://huts.example" \\l Well ' in content
    assert 'w:anchor="Other"' in content
    assert not re.search("Spring|Water", content)


def test_names_are_compared_with_those_that_were_given_before(home: Path) -> None:
    two = "".join(
        f'<w:p><w:bookmarkStart w:id="{n}" w:name="{name}"/><w:bookmarkEnd w:id="{n}"/></w:p>'
        for n, name in ((1, "A"), (2, "B"))
    )
    with pytest.raises(scrub.Failure, match='a bookmark "Same" exists already'):
        run('each bookmark\nbookmark.name = "Same"\nend', made(two))
