"""Characters filled in at content controls and merge fields, read back by readers that share no code with Scrub."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from conftest import model_of
from documents import members, texts
from test_documents import guests, made

import scrub


def control(tag: str, content: str, more: str = "<w:showingPlcHdr/>") -> str:
    """A content control in a paragraph."""
    return f'<w:sdt><w:sdtPr><w:tag w:val="{tag}"/>{more}</w:sdtPr><w:sdtContent>{content}</w:sdtContent></w:sdt>'


def field(code: str, result: str, between: str = "") -> str:
    """A field in a paragraph, as word processors write them."""
    return (
        f'<w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText xml:space="preserve"> {code} </w:instrText></w:r>{between}'
        f'<w:r><w:fldChar w:fldCharType="separate"/></w:r><w:r><w:rPr><w:b/></w:rPr><w:t>{result}</w:t></w:r>'
        '<w:r><w:fldChar w:fldCharType="end"/></w:r>'
    )


GUEST = "Moss & Sons"
PLACEHOLDER = '<w:r><w:rPr><w:rStyle w:val="PlaceholderText"/></w:rPr><w:t>Click here to type</w:t></w:r>'


def filled(path: Path | str) -> None:
    """Fills a letter in from the first guest."""
    with scrub.open("late.xlsx") as book, scrub.open(str(path)) as letter:
        record = book.item.record(guest=GUEST)
        letter.item.fill_in(record)
        letter.save("by hand")


def test_controls_and_merge_fields_are_filled_in(home: Path) -> None:
    guests((GUEST, 4, "no"))
    path = made(
        f'<w:p><w:r><w:t xml:space="preserve">Dear </w:t></w:r>{control("Guest", PLACEHOLDER)}<w:r><w:t>,</w:t></w:r></w:p>',
        f'<w:p>{field("MERGEFIELD &quot;Guest nights&quot; MERGEFORMAT", "«Guest nights»")}<w:r><w:t xml:space="preserve"> nights, paid: [Paid]</w:t></w:r></w:p>',
        '<w:p><w:fldSimple w:instr=" MERGEFIELD Paid "><w:r><w:t>«Paid»</w:t></w:r></w:fldSimple><w:r><w:t>.</w:t></w:r></w:p>',
        control("guest-nights", f"<w:p>{PLACEHOLDER}</w:p>"),
        "<w:tbl><w:tr>" + control("Paid", "<w:tc><w:p><w:r><w:t>[Guest]?</w:t></w:r></w:p></w:tc>") + "</w:tr></w:tbl>",
        f"<w:p>{control('Guest', control('Paid', PLACEHOLDER))}</w:p>",
        f"<w:p>{field('PAGE', '7')}</w:p>",
    )
    old = path.read_bytes()
    filled(path)
    assert texts(path) == ["Dear Moss & Sons,", "4 nights, paid: no", "no.", "4", "no", "no", "7"]
    content = members(path)["word/document.xml"].decode()
    assert not re.search("MERGEFIELD|showingPlcHdr><|PlaceholderText|<w:r></w:r>|fldSimple", content)
    assert content.count("<w:sdt>") == 5
    assert content.count("PAGE") == 1
    assert "<w:r><w:rPr><w:b/></w:rPr><w:t>4</w:t></w:r>" in content
    scrub.undo()
    assert path.read_bytes() == old


@pytest.mark.parametrize(
    ("letter", "why"),
    [
        (f"<w:p>{control('Gest', PLACEHOLDER)}</w:p>", 'the content control "Gest", but Late has no such heading. Did you mean "Guest"'),
        (f"<w:p>{field('MERGEFIELD Name', 'x')}</w:p>", 'the merge field "Name", but Late has no such'),
        (f"<w:p>{control('Paid', PLACEHOLDER, '<w:dataBinding/>')}</w:p>", "shows text from elsewhere"),
        (f"<w:p>{control('Paid', PLACEHOLDER, '<w:checkbox/>')}</w:p>", "is a check box"),
        (f"<w:p>{field('IF', 'x', field('MERGEFIELD Paid', 'no'))}</w:p>", "is inside another field"),
        ('<w:p><w:r><w:fldChar w:fldCharType="begin"/></w:r><w:r><w:instrText>MERGEFIELD Paid</w:instrText></w:r></w:p>', "extends beyond the paragraph"),
    ],
)  # fmt: skip
def test_a_hole_that_cannot_be_filled_in_is_told_and_nothing_is(home: Path, letter: str, why: str) -> None:
    guests((GUEST, 4, "no"))
    path = made("[Guest]", letter)
    old = path.read_bytes()
    with pytest.raises(scrub.Failure, match=re.escape(why)):
        filled(path)
    assert path.read_bytes() == old


def test_fields_are_filled_in_before_other_edits_and_without_recording(home: Path) -> None:
    guests((GUEST, 4, "no"))
    path = made(f"<w:p><w:r><w:t>Dear  you </w:t></w:r>{field('MERGEFIELD Guest', 'x')}</w:p>", settings="<w:zoom/>")
    with scrub.open("late.xlsx") as book, scrub.open(str(path)) as letter:
        record = book.item.record(guest=GUEST)
        model_of(letter).find_paragraph(1).edit([(4, 6, " ")])
        with pytest.raises(scrub.Failure, match="Fill it in first"):
            letter.item.fill_in(record)
    with scrub.open("late.xlsx") as book, scrub.open(str(path)) as letter:
        model_of(letter).tracks_changes = True
        with pytest.raises(scrub.Failure, match="while changes are"):
            letter.item.fill_in(book.item.record(guest=GUEST))
