"""How paragraphs are set, beside readers that share no code with Scrub."""

from __future__ import annotations

from pathlib import Path

import docx
import pytest
from documents import members, texts
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.shared import Cm, Pt
from sheets import schema_findings
from test_documents import NOTICE, made, run

import scrub

SET = (
    "paragraph.space-before = 12 pt\nparagraph.alignment = centre\nparagraph.left-indent = 1.5 cm\nparagraph.space-after = 6.5 pt\n"
    "paragraph.keep-with-next = yes\nparagraph.space-before = 9 pt"
)


def real() -> Path:
    """A document made by another writer."""
    made_by = docx.Document()
    made_by.add_heading("Water", 2)
    made_by.add_paragraph("Fill the jugs.").paragraph_format.line_spacing = 1.5
    made_by.add_paragraph("carry wood", style="List Bullet").paragraph_format.left_indent = Cm(3)
    made_by.save("real.docx")
    return Path("real.docx")


def test_paragraphs_are_set_as_others_see_them(home: Path) -> None:
    path = real()
    old, before = path.read_bytes(), schema_findings(str(path))
    done = run(f'in paragraph(2)\n{SET}\nend\nreplace "jugs", by: "large jugs"', path)
    found = docx.Document(str(path)).paragraphs[1].paragraph_format
    assert (found.alignment, found.space_before, found.space_after) == (WD_ALIGN_PARAGRAPH.CENTER, Pt(9), Pt(6.5))
    assert found.left_indent is not None
    assert (round(found.left_indent.cm, 2), found.keep_with_next, found.line_spacing) == (1.5, True, 1.5)
    assert texts(path)[1] == "Fill the large jugs."
    assert [str(each) for each in done.changes][:2] == ["space-before: 0 pt -> 9 pt", "alignment: left -> centre"]
    assert schema_findings(str(path)) == before
    read = run(
        'each paragraph\nlog "{paragraph.alignment} {paragraph.left-indent} {paragraph.space-before} {paragraph.keep-with-next}"\nend',
        path,
    )
    assert read.log == [
        "left 0 cm 10 pt yes",
        "centre 1.5 cm 9 pt yes",
        "left 3 cm 0 pt no",
    ]  # a heading is set by its style
    scrub.undo(1)
    assert path.read_bytes() == old


def test_set_as_a_recorded_change_it_can_be_refused(home: Path) -> None:
    path = real()
    kept = members(path)["word/document.xml"]
    run(f"document.tracks-changes = yes\nin paragraph(2)\n{SET}\nend", path)
    assert members(path)["word/document.xml"].count(b"<w:pPrChange ") == 1
    run("document.tracks-changes = no\nreject-changes", path)
    assert members(path)["word/document.xml"] == kept
    run(f"in paragraph(2)\n{SET}\nend", path)
    assert run("in paragraph(2)\nlog paragraph.space-after\nend", path).log == ["6.5 pt"]


def test_items_of_lists_get_another_level(home: Path) -> None:
    item = (
        '<w:p><w:pPr><w:numPr><w:ilvl w:val="1"/><w:numId w:val="4"/></w:numPr></w:pPr><w:r><w:t>wood</w:t></w:r></w:p>'
    )
    path = made(item, "plain", item.replace('w:numId w:val="4"', 'w:numId w:val="0"'))
    done = run(
        'each paragraph\nlog "{paragraph.list-level}"\nend\nin paragraph(1)\nparagraph.list-level = 3\nend', path
    )
    assert done.log == ["2", "", ""]
    assert b'<w:numPr><w:ilvl w:val="2"/><w:numId w:val="4"/></w:numPr>' in members(path)["word/document.xml"]
    for number, level, why in ((2, 1, "not a list item of its own."), (1, 12, "is 1 to 9")):
        with pytest.raises(scrub.Failure, match=why):
            run(f"in paragraph({number})\nparagraph.list-level = {level}\nend", path)


def test_joined_paragraphs_are_set_together(home: Path) -> None:
    path = made("before", *NOTICE[2:5], "- behind")
    run("join-lines\nin paragraph(2)\nparagraph.alignment = right\nend", path)
    found = docx.Document(str(path)).paragraphs
    assert [each.alignment for each in found] == [None, WD_ALIGN_PARAGRAPH.RIGHT, None]
    Path("a.txt").write_text("one\n")
    with pytest.raises(scrub.Failure, match="stores text only"):
        run("each paragraph\nparagraph.alignment = right\nend", "a.txt")
