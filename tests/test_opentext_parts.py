"""Links, fields, pictures, bookmarks, pages, looks and rows of Open Document texts, beside readers that share no code."""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path

import docx
import pytest
from conftest import FOR_EVER, SAMPLE
from documents import members, put_members, resolved
from documents import texts as office_texts
from lxml import etree
from opentexts import NS, opentext, texts
from test_documents import run
from test_opentexts import made

import scrub

LINK = '<text:a xlink:href="{}" xlink:type="simple">{}</text:a>'


def content(path: Path, part: str = "content.xml") -> etree._Element:
    return etree.fromstring(members(path)[part])


def all_of(path: Path, name: str, part: str = "content.xml") -> list[etree._Element]:
    return list(content(path, part).iterfind(f".//{name}", NS))


def test_links_are_repaired_and_taken_away(home: Path) -> None:
    inside = '<text:span text:style-name="Internet_20_link">the  map</text:span>'
    path = made(
        "See " + LINK.format("http://old.example/a?x=1&amp;y=2", "page <text:s/>one") + ".",
        LINK.format("#Water", inside) + " and " + LINK.format("http://else.example", "else"),
        header="<text:p>" + LINK.format("http://old.example/h", "home") + "</text:p>",
    )
    old = path.read_bytes()
    result = run(
        'each link where link.address contains "old.example"\n'
        'link.address = link.address.replaced("http://old.example", by: "https://huts.example")\nend\n'
        'each link where link.address starts with "#"\nlog link.text\ndelete\nend\nsingle-spaces\nlog "{count(link)}"',
        path,
    )
    assert result.log == ["the map", "3"]
    href = f"{{{NS['xlink']}}}href"
    assert [each.get(href) for each in all_of(path, "text:a")] == [
        "https://huts.example/a?x=1&y=2",
        "http://else.example",
    ]
    assert [each.get(href) for each in all_of(path, "text:a", "styles.xml")] == ["https://huts.example/h"]
    assert texts(path) == ["See page one.", "the map and else"]
    scrub.undo()
    assert path.read_bytes() == old
    with pytest.raises(scrub.ScrubError, match="is not an address"):
        run('each link\nlink.address = "a b"\nend', path)


def test_links_in_what_goes_are_gone(home: Path) -> None:
    path = made("Water", LINK.format("http://a.example", "a"))
    run('each link\nlink.address = "http://b.example"\nend\nin paragraph(2)\ndelete\nend', path)
    assert texts(path) == ["Water"]


def test_fields_become_text(home: Path) -> None:
    path = made('Printed <text:date text:date-value="2026-06-01">1  June &amp; later</text:date> by <text:bookmark-ref text:ref-name="Ann">Ann</text:bookmark-ref>')  # fmt: skip
    result = run('each field\nlog "{field.code}: {field.result}"\nfix\nend\nreplace "Printed", by: "Made"', path)
    assert result.log == ["date: 1  June & later", "bookmark-ref Ann: Ann"]
    assert texts(path) == ["Made 1 June & later by Ann"]


FRAME = '<draw:frame draw:name="{}" svg:width="5.08cm" svg:height="1in"><draw:image xlink:href="Pictures/a.png"/>{}</draw:frame>'


def test_pictures_get_words(home: Path) -> None:
    path = made(
        FRAME.format("hut", ""), FRAME.format("seal", "<svg:desc>A seal</svg:desc>"), FRAME.format("map", "<svg:title/>"),
        '<draw:frame><draw:text-box><text:p>none</text:p></draw:text-box></draw:frame>',
    )  # fmt: skip
    old = path.read_bytes()
    result = run(
        'each picture where picture.alternative-text is nothing\nlog "{picture.name} {picture.width} {picture.height}"\n'
        'picture.alternative-text = "Hut & <hill>"\nlog picture.alternative-text\nend\n'
        'each picture where picture.name is "seal"\npicture.alternative-text = "The seal"\nend',
        path,
    )
    assert result.log == ["hut 5.08 cm 2.54 cm", "Hut & <hill>", "map 5.08 cm 2.54 cm", "Hut & <hill>"]
    said = [[(etree.QName(one).localname, one.text) for one in each if one.text] for each in all_of(path, "draw:frame")]
    assert said == [[("title", "Hut & <hill>")], [("desc", "The seal")], [("title", "Hut & <hill>")], []]
    scrub.undo()
    assert path.read_bytes() == old


def test_bookmarks_are_renamed_with_what_leads_to_them(home: Path) -> None:
    path = made(
        'The <text:bookmark-start text:name="Water"/>tank<text:bookmark-end text:name="Water"/> is full',
        LINK.format("#Water", "see") + '<text:bookmark-ref text:ref-name="Water">tank</text:bookmark-ref>',
        '<text:bookmark text:name="Key"/><text:bookmark text:name="__RefHeading"/>',
    )
    result = run(
        'bookmark("Water").name = "Tank"\nin bookmark("Key")\ndelete\nend\neach bookmark\nlog bookmark.name\nend', path
    )
    assert result.log == ["Tank"]
    data = members(path)["content.xml"].decode()
    assert "Water" not in data
    assert 'text:name="Key"' not in data
    assert data.count('"Tank"') == 3
    assert data.count('"#Tank"') == 1
    run("in selection\nupper\nend", path, at="bookmark Tank")
    assert texts(path)[0] == "The TANK is full"
    for name in ("a b", "Key#"):
        with pytest.raises(scrub.ScrubError, match="is not a valid bookmark"):
            run(f'bookmark("Tank").name = "{name}"', path)


LAYOUT = (
    '<office:automatic-styles><style:page-layout style:name="pm1"><style:page-layout-properties fo:page-width="21.001cm" '
    'fo:page-height="29.7cm" style:print-orientation="portrait" fo:margin="2cm"/></style:page-layout></office:automatic-styles>'
)


def test_pages_are_set_up(home: Path) -> None:
    path = made("a")
    parts = members(path)
    styles = parts["styles.xml"].decode().replace("<office:master-styles>", f"{LAYOUT}<office:master-styles>")
    styles = styles.replace(
        '<style:master-page style:name="Standard"',
        '<style:master-page style:name="Standard" style:page-layout-name="pm1"',
    )
    put_members(path, parts | {"styles.xml": styles})
    result = run('each section\nlog "{section.page-width} {section.left-margin}"\nsection.orientation = landscape\nsection.left-margin = 2.5 cm\nend', path)  # fmt: skip
    assert result.log == ["21 cm 2 cm"]
    (found,) = all_of(path, "style:page-layout-properties", "styles.xml")
    said = {etree.QName(name).localname: text for name, text in found.attrib.items()}
    assert said == {"page-width": "29.7cm", "page-height": "21.001cm", "print-orientation": "landscape", "margin": "2cm", "margin-left": "2.5cm"}  # fmt: skip


@pytest.mark.parametrize(
    ("there", "were"),
    [
        ('/></style:page-layout>', 1),
        ('><style:background-image/><style:footnote-sep/></style:page-layout-properties></style:page-layout>', 1),
        ('><style:columns fo:column-count="2" fo:column-gap="1cm"><style:column style:rel-width="1*"/>'
         '<style:column style:rel-width="3*"/></style:columns></style:page-layout-properties></style:page-layout>', 2),
    ],
)  # fmt: skip
def test_words_run_in_columns(home: Path, there: str, were: int) -> None:
    path = made("a")
    parts = members(path)
    layout = LAYOUT.replace("/></style:page-layout>", there)
    styles = parts["styles.xml"].decode().replace("<office:master-styles>", f"{layout}<office:master-styles>")
    named = '<style:master-page style:name="Standard"'
    styles = styles.replace(named, f'{named} style:page-layout-name="pm1"')
    put_members(path, parts | {"styles.xml": styles})
    before = path.read_bytes()
    lines = 'each section\nlog "{section.columns}"\nsection.columns = 3\nsection.left-margin = 1 cm\nend\neach section\nlog "{section.columns}"\nend'
    assert run(lines, path).log == [str(were), "3"]
    (layout_,) = all_of(path, "style:page-layout-properties", "styles.xml")
    (found,) = all_of(path, "style:columns", "styles.xml")
    assert {etree.QName(name).localname: text for name, text in found.attrib.items()} == {"column-count": "3", "column-gap": "0.5cm"}  # fmt: skip
    names = [etree.QName(each).localname for each in layout_]
    assert names == [each for each in ("background-image", "columns", "footnote-sep") if each in names]
    assert "1cm" in layout_.attrib.values()
    scrub.undo()
    assert path.read_bytes() == before


SET = """paragraph(1).alignment = centre
paragraph(1).bold = yes
paragraph(2).left-indent = 1.5 cm
paragraph(2).space-before = 12 pt
paragraph(2).space-after = 6 pt
paragraph(2).keep-with-next = yes
each passage in passages("two blanks")
    passage.colour = "#b03a2e"
    passage.size = 14
    passage.font = "Lora"
    passage.italic = yes
    passage.highlight = "yellow"
    passage.underlined = yes
end
each passage in passages("whisper")
    passage.hidden = yes
end
paragraph(3).style = "Caption"
paragraph(3).alignment = right"""


@pytest.mark.office
@pytest.mark.skipif(shutil.which("soffice") is None, reason="no word processor is installed (soffice)")
@pytest.mark.timeout(FOR_EVER)
def test_a_word_processor_sees_how_it_is_set(home: Path) -> None:
    automatic = (
        '<style:style style:name="P1" style:family="paragraph" style:parent-style-name="Text_20_body">'
        '<style:paragraph-properties fo:margin-left="1cm" fo:margin-right="0.5cm"/></style:style>'
    )
    made_up = made(
        '<text:p text:style-name="Standard">Opening times</text:p>',
        '<text:p text:style-name="P1">Here are <text:s/>two blanks and a whisper</text:p>',
        "Shut",
        automatic=automatic,
    )
    path = Path("b.odt")
    parts = members(SAMPLE.parent / "wardens.odt") | {"content.xml": members(made_up)["content.xml"]}
    put_members(path, parts)
    old = path.read_bytes()
    before = run('log "{paragraph(2).left-indent} {paragraph(1).bold} {paragraph(1).alignment}"\nsingle-spaces', path)
    assert before.log == ["1 cm no left"]
    run(SET, path)
    subprocess.run(
        ["soffice", f"-env:UserInstallation=file://{Path('profile').absolute()}", "--headless", "--convert-to", "docx", str(path)],
        capture_output=True, timeout=FOR_EVER, check=False,
    )  # fmt: skip
    seen = docx.Document("b.docx").paragraphs
    assert [each.text for each in seen] == ["Opening times", "Here are two blanks and a whisper", "Shut"]
    assert (str(seen[0].alignment), seen[0].runs[0].bold) == ("CENTER (1)", True)
    assert re.search('w:jc w:val="(end|right)"', seen[2]._p.xml)
    assert seen[2].style is not None
    assert seen[2].style.name.lower() == "caption"
    frame = seen[1].paragraph_format
    # Twentieths of a point: 1.5 and 0.5 cm; the two sides have two names (17.3.1.12).
    assert re.search('<w:ind w:(?:start|left)="850" w:(?:end|right)="283"', seen[1]._p.xml)
    assert [each.pt if each is not None else None for each in (frame.space_before, frame.space_after)] == [12, 6]
    assert frame.keep_with_next
    (words,) = (each for each in seen[1].runs if each.text == "two blanks")
    assert (str(words.font.color.rgb), words.font.name, words.italic, words.underline) == ("B03A2E", "Lora", True, True)
    assert words.font.size is not None
    assert words.font.size.pt == 14
    assert 'w:fill="FFFF00"' in words._r.xml or 'w:val="yellow"' in words._r.xml
    assert [each.font.hidden for each in seen[1].runs if each.text == "whisper"] == [True]
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == old


def test_headings_that_only_look_like_it(home: Path) -> None:
    """Looks come from styles of styles, and parts of sizes are of what they come from."""
    automatic = (
        '<style:style style:name="B" style:family="text"><style:text-properties fo:font-weight="700" fo:font-size="150%"/></style:style>'
        '<style:style style:name="P1" style:family="paragraph" style:parent-style-name="Quote"><style:text-properties fo:font-size="10pt"/></style:style>'
    )
    path = made(
        '<text:p text:style-name="P1"><text:span text:style-name="B">Water</text:span></text:p>', "The tank.",
        automatic=automatic,
    )  # fmt: skip
    result = run('each paragraph where paragraph.bold\nlog "{paragraph.size}"\nparagraph.level = 2\nend', path)
    assert result.log == ["15"]
    assert [each.get(f"{{{NS['text']}}}outline-level") for each in all_of(path, "text:h")] == ["2"]


def test_a_document_without_styles_of_its_own_gets_them(home: Path) -> None:
    data = opentext("<text:p/>")
    path = Path("a.odt")
    path.write_bytes(data)
    parts = members(path)
    plain = parts["content.xml"].replace(b"<office:automatic-styles></office:automatic-styles>", b"")
    plain = plain.replace(f' xmlns:fo="{NS["fo"]}"'.encode(), b"").replace(
        f' xmlns:style="{NS["style"]}"'.encode(), b""
    )
    put_members(path, parts | {"content.xml": plain})
    run('paragraph(1).text = "Closed"\nparagraph(1).bold = yes\nparagraph(1).alignment = centre', path)
    assert texts(path) == ["Closed"]
    assert [each.get(f"{{{NS['fo']}}}font-weight") for each in all_of(path, "style:text-properties")] == ["bold"]
    assert [each.get(f"{{{NS['fo']}}}text-align") for each in all_of(path, "style:paragraph-properties")] == ["center"]


GOODS = [["Good", "Kg"], ["Rice", "12"], ["oil", "3"], ["Flour", ""], ["beans", "12"]]


def grid(rows: list[list[str]], heads: bool = False, cell: str = "{}", more: str = "") -> str:
    """A table; with `heads` the row of the headings is in a group of its own."""
    made_rows = [
        '<table:table-row table:style-name="R1">'
        + "".join(
            f'<table:table-cell table:style-name="C1" office:value-type="float" office:value="7">'
            f'<text:p text:style-name="Quote">{cell.format(text)}</text:p></table:table-cell>'
            for text in row
        )
        + f"{more}</table:table-row>"
        for row in rows
    ]
    first = f"<table:table-header-rows>{made_rows[0]}</table:table-header-rows>" if heads else made_rows[0]
    return f'<table:table table:name="Provisions"><table:table-column/>{first}{"".join(made_rows[1:])}</table:table>'


def rows_seen(path: Path) -> list[list[str]]:
    """The rows as another reader sees them."""
    return [
        ["".join(map(str, cell.itertext())) for cell in row.iterfind("table:table-cell", NS)]
        for row in content(path).iterfind(".//table:table-row", NS)
    ]


@pytest.mark.parametrize("heads", [False, True])
def test_rows_of_tables_come_go_and_change_places(home: Path, heads: bool) -> None:
    path = made("Goods", grid(GOODS, heads, cell='<text:span text:style-name="T1">{}</text:span>'), "End")
    old = path.read_bytes()
    for line, wanted in (
        ('sort by: "Good"', ["beans", "Flour", "oil", "Rice"]),
        ('sort by: "Kg", descending: yes', ["Rice", "beans", "oil", "Flour"]),
    ):
        run(f'replace "oil", by: "old  oil"\nin table("Provisions")\n{line}\nend\nreplace "old  oil", by: "oil"', path)
        assert [row[0] for row in rows_seen(path)] == ["Good", *wanted]
        scrub.undo()
    assert path.read_bytes() == old
    done = run(
        'in table("Provisions")\nadd-row ["Salt & pepper", 0.5]\nadd-row ["Tea"]\nend\n'
        'each record in table("Provisions") where record.good is "oil"\ndelete\nend\n'
        'each record in table("Provisions") where record.good is "Rice"\nrecord.kg = 14\nend\nreplace "beans", by: "red beans"',
        path,
    )
    assert len(done.changes) == 5
    assert rows_seen(path) == [["Good", "Kg"], ["Rice", "14"], ["Flour", ""], ["red beans", "12"], ["Salt & pepper", "0.5"], ["Tea", ""]]  # fmt: skip
    cells = list(content(path).iterfind(".//table:table-cell", NS))
    assert {each.get(f"{{{NS['table']}}}style-name") for each in cells} == {"C1"}
    assert cells[-1].get(f"{{{NS['office']}}}value-type") == "string"
    assert cells[-1].get(f"{{{NS['office']}}}value") is None
    assert texts(path)[-1] == "End"
    scrub.undo()
    assert path.read_bytes() == old


def test_all_rows_go_and_others_come(home: Path) -> None:
    path = made(grid(GOODS, heads=True))
    run('each record in table("Provisions")\ndelete\nend\nin table("Provisions")\nadd-row ["Tea", 1]\nend', path)
    assert rows_seen(path) == [["Good", "Kg"], ["Tea", "1"]]
    assert len(list(content(path).iterfind(".//table:table-header-rows/table:table-row", NS))) == 1


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (("table:table-cell ", 'table:table-cell table:number-rows-spanned="2" '), "are merged"),
        (("<table:table-cell ", "<table:covered-table-cell/><table:table-cell "), "are merged"),
        (("table:table-row ", 'table:table-row table:number-rows-repeated="2" '), "repeated"),
        (("table:table-cell ", 'table:table-cell table:formula="ooow:&lt;A1&gt;" '), "contain formulas"),
    ],
)
def test_rows_that_stay_where_they_are(home: Path, change: tuple[str, str], why: str) -> None:
    path = made(grid(GOODS).replace(*change))
    old = path.read_bytes()
    with pytest.raises(scrub.ScrubError, match=why):
        run('in table("Provisions")\nsort by: "Good"\nend', path)
    assert path.read_bytes() == old


@pytest.mark.office
@pytest.mark.skipif(shutil.which("soffice") is None, reason="no word processor is installed (soffice)")
@pytest.mark.timeout(FOR_EVER)
def test_a_word_processor_sees_recorded_edits(home: Path) -> None:
    path = Path("wardens.odt")
    shutil.copyfile(SAMPLE.parent / path, path)
    run('add-paragraph "The key  hangs behind the door."\nadd-paragraph "Thank you."', path)
    before = [text for text in texts(path) if text]
    run(
        'document.tracks-changes = yes\nbind-units\nsingle-spaces\nreplace "mule", by: "sledge"\n'
        'in paragraph(2)\nadd-after "A new  one."\nend\neach paragraph where paragraph.text starts with "Thank"\ndelete\nend\n'
        'each paragraph where paragraph.text contains "door"\nadd-before "Before it."\nend',
        path,
    )
    after = [text for text in texts(path) if text]
    subprocess.run(
        ["soffice", f"-env:UserInstallation=file://{Path('profile').absolute()}", "--headless", "--convert-to", "docx", str(path)],
        capture_output=True, timeout=FOR_EVER, check=False,
    )  # fmt: skip
    seen = Path("wardens.docx")
    assert [text for text in resolved(seen, True) if text] == after
    assert [text for text in resolved(seen, False) if text] == before
    assert b'w:author="Scrub"' in members(seen)["word/document.xml"]


@pytest.mark.office
@pytest.mark.skipif(shutil.which("soffice") is None, reason="no word processor is installed (soffice)")
@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("accepted", [True, False])
def test_changes_that_a_word_processor_recorded_are_decided_on(home: Path, accepted: bool) -> None:
    route = Path("route.docx")
    shutil.copyfile(SAMPLE.parent / route, route)
    subprocess.run(
        ["soffice", f"-env:UserInstallation=file://{Path('profile').absolute()}", "--headless", "--convert-to", "odt", str(route)],
        capture_output=True, timeout=FOR_EVER, check=False,
    )  # fmt: skip
    path = Path("route.odt")
    listed = run('each change\nlog "{change.author} {change.type}: {change.text}"\nend', path, preview=True).log
    assert (
        listed == run('each change\nlog "{change.author} {change.type}: {change.text}"\nend', route, preview=True).log
    )
    run("accept-changes" if accepted else "reject-changes", path)
    run("accept-changes" if accepted else "reject-changes", route)
    said = [text for text in texts(path) if text.strip()]
    assert said == [text for text in office_texts(route) if text.strip()]


def test_comments_say_something_else(home: Path) -> None:
    said = "<office:annotation><dc:creator>Ann</dc:creator><dc:date>2026-05-02T10:00:00</dc:date>{}</office:annotation>"
    path = made(
        "Water" + said.format("<text:p>why  so</text:p><text:p>much</text:p>"),
        "Key" + said.format("<text:p>old</text:p>"),
    )
    old = path.read_bytes()
    result = run(
        'each comment\ncomment.text = "Seen & <done>{newline}{comment.text.length}"\nlog comment.text\nend\n'
        'each comment where comment.text ends with "3"\ndelete\nend',
        path,
    )
    assert result.log == ["Seen & <done>\n11", "Seen & <done>\n3"]
    (left,) = all_of(path, "office:annotation")
    assert [etree.QName(each).localname for each in left] == ["creator", "date", "p", "p"]
    assert ["".join(map(str, each.itertext())) for each in left.iterfind("text:p", NS)] == ["Seen & <done>", "11"]
    scrub.undo()
    assert path.read_bytes() == old
