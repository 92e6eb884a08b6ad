"""The looks of words in documents, beside readers that share no code with Scrub."""

from __future__ import annotations

import contextlib
import re
import tempfile
from decimal import Decimal
from pathlib import Path

import docx
import pytest
from conftest import examples, model_of
from documents import document, looks, resolved, texts
from docx.shared import Pt, RGBColor
from hypothesis import given
from hypothesis import strategies as st
from sheets import schema_findings
from test_documents import PARAGRAPHS, edits_of, made, run

import scrub

SET = st.sampled_from([
    ("bold", True, "b"), ("bold", False, "b"), ("italic", True, "i"), ("colour", "#00ff00", "color"),
    ("colour", None, "color"), ("size", Decimal(12), "sz"), ("highlight", "#ffff00", "highlight"), ("hidden", True, "vanish"),
])  # fmt: skip


def _of(look: str, name: str) -> str | None:
    """What a property of a run says: its value, "" for none, None where it is missing."""
    found = re.search(rf'<w:{name}(?: xmlns:w="[^"]*")?(?: w:val="([^"]*)")?>', look)
    return None if found is None else found[1] or ""


def _rest(look: str, name: str) -> str:
    plain = re.sub(r"<w:rPrChange.*</w:rPrChange>", "", look)
    plain = re.sub(rf"<w:{name}(Cs)?( [^>]*)?></w:{name}(Cs)?>", "", plain)
    return "" if not re.sub(r"</?w:rPr[^>]*>", "", plain) else re.sub(r' xmlns:w="[^"]*"', "", plain)


@examples(150)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=2), SET, st.booleans(), st.data())
def test_a_look_is_that_of_the_letters_asked_for_and_of_no_other(
    paragraphs: list[str], wanted: tuple[str, object, str], recorded: bool, data: st.DataObject
) -> None:
    word, value, element = wanted
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.docx"
        path.write_bytes(document("".join(paragraphs), settings="<w:trackRevisions/>" if recorded else "<w:zoom/>"))
        before, old, said = looks(path), path.read_bytes(), texts(path)
        picked = []
        with scrub.open(str(path)) as opened:
            for paragraph in model_of(opened).paragraphs():
                start, end = sorted(data.draw(st.tuples(*[st.integers(0, len(paragraph.text))] * 2)))
                picked.append((start, end))
                if start < end:
                    paragraph.put_look(start, end, word, value)
                    assert set(paragraph.looks(start, end, word)) == {value}
            saved = opened.save("by hand")
        assert texts(path) == said
        assert resolved(path, True) == said
        for letters, were, (start, end) in zip(looks(path), before, picked, strict=True):
            for place, ((letter, look), (_, was)) in enumerate(zip(letters, were, strict=True)):
                if start <= place < end and was != "math":
                    assert _rest(look, element) == _rest(was, element)
                    told = (
                        {True: "", False: "0", None: None}.get(value, value) if isinstance(value, bool | None) else ...
                    )
                    assert told is ... or _of(look.split("<w:rPrChange")[0], element) == told, (letter, look)
                else:
                    assert look == was
        if saved is not None:
            scrub.undo(saved)
        assert path.read_bytes() == old


def test_looks_are_set_and_read_as_others_see_them(home: Path) -> None:
    made_by = docx.Document()
    paragraph = made_by.add_paragraph("Bread and ")
    paragraph.add_run("water").bold = True
    paragraph.add_run(" for all")
    made_by.save("real.docx")
    before = schema_findings("real.docx")
    done = run(
        'each passage in passages("Bread")\npassage.colour = "#b03a2e"\npassage.size = 14.5\npassage.italic = yes\nend\n'
        'each passage in passages("water")\npassage.bold = no\npassage.highlight = "yellow"\npassage.font = "Lora"\n'
        "passage.underlined = yes\nend",
        "real.docx",
    )  # fmt: skip
    runs = {each.text: each.font for each in docx.Document("real.docx").paragraphs[0].runs}
    assert list(runs) == ["Bread", " and ", "water", " for all"]
    bread, water = runs["Bread"], runs["water"]
    assert (bread.color.rgb, bread.size, bread.italic) == (RGBColor(0xB0, 0x3A, 0x2E), Pt(14.5), True)
    assert (water.bold, str(water.highlight_color), water.name, water.underline) == (False, "YELLOW (7)", "Lora", True)
    assert str(done.changes[0]) == '"Bread" colour: nothing -> #b03a2e'
    assert schema_findings("real.docx") == before
    scrub.undo()


def test_words_of_a_look_are_found(home: Path) -> None:
    red = '<w:r><w:rPr><w:color w:val="FF0000"/></w:rPr><w:t xml:space="preserve">{}</w:t></w:r>'
    plain = '<w:r><w:t xml:space="preserve">{}</w:t></w:r>'
    hidden = "<w:r><w:rPr><w:vanish/></w:rPr><w:t>secret</w:t></w:r>"
    bold = "<w:p><w:r><w:rPr><w:b/></w:rPr><w:t>{}</w:t></w:r></w:p>"
    path = made(
        f"<w:p>{red.format('old hut ')}{plain.format('old path ')}{hidden}</w:p>",
        bold.format("Water"),
        "Fill the jugs.",
    )
    found = run(
        'each passage where passage.colour is "red"\nreplace "old", by: "new"\nend\neach passage where passage.hidden\ndelete\nend\n'
        "each paragraph where paragraph.bold and paragraph.level is nothing\nparagraph.level = 2\nend\n"
        'each passage\nlog "{passage.text}|{passage.colour}"\nend',
        path,
    )
    assert texts(path) == ["new hut old path ", "Water", "Fill the jugs."]
    assert found.log == ["new hut |#ff0000", "old path |", "Water|", "Fill the jugs.|"]
    assert [each.style.name for each in docx.Document(str(path)).paragraphs if each.style] == [
        "Normal",
        "Heading 2",
        "Normal",
    ]


def test_looks_come_from_styles_too(home: Path) -> None:
    styles = (
        '<w:docDefaults><w:rPrDefault><w:rPr><w:sz w:val="21"/></w:rPr></w:rPrDefault></w:docDefaults>'
        '<w:style w:type="paragraph" w:styleId="Loud"><w:name w:val="Loud"/><w:rPr><w:b/><w:color w:val="00FF00"/></w:rPr></w:style>'
        '<w:style w:type="paragraph" w:styleId="Louder"><w:name w:val="Louder"/><w:basedOn w:val="Loud"/></w:style>'
        '<w:style w:type="character" w:styleId="Strong"><w:name w:val="Strong"/><w:rPr><w:b/></w:rPr></w:style>'
        '<w:style w:type="paragraph" w:styleId="Round"><w:name w:val="Round"/><w:basedOn w:val="Round"/></w:style>'
    )
    loud = '<w:p><w:pPr><w:pStyle w:val="Louder"/></w:pPr><w:r>{}<w:t>x</w:t></w:r></w:p>'
    path = made(
        loud.format(""), loud.format('<w:rPr><w:rStyle w:val="Strong"/></w:rPr>'), loud.format('<w:rPr><w:b w:val="0"/></w:rPr>'),
        '<w:p><w:pPr><w:pStyle w:val="Round"/></w:pPr><w:r><w:rPr><w:rStyle w:val="Strong"/></w:rPr><w:t>y</w:t></w:r></w:p>',
        styles=styles,
    )  # fmt: skip
    found = run('each paragraph\nlog "{paragraph.bold} {paragraph.colour} {paragraph.size}"\nend', path)
    assert found.log == ["yes #00ff00 10.5", "no #00ff00 10.5", "no #00ff00 10.5", "yes  10.5"]


@examples(60)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=2), st.data())
def test_edits_and_looks_together(paragraphs: list[str], data: st.DataObject) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.docx"
        path.write_bytes(document("".join(paragraphs)))
        wanted = []
        with scrub.open(str(path)) as opened:
            for paragraph in model_of(opened).paragraphs():
                start, end = sorted(data.draw(st.tuples(*[st.integers(0, len(paragraph.text))] * 2)))
                if start < end:
                    paragraph.put_look(start, end, "bold", True)
                with contextlib.suppress(scrub.Failure):
                    paragraph.edit(data.draw(edits_of(len(paragraph.text))))
                look = [next(iter(paragraph.looks(at, at + 1, "bold"))) for at in range(len(paragraph.text))]
                wanted.append((paragraph.text, look))
            opened.save("by hand")
        after = [("".join(a for a, _ in each), [_of(b, "b") in ("", "1") for _, b in each]) for each in looks(path)]
        for (text, look), (said, seen) in zip(wanted, after, strict=True):
            assert said == text
            assert [a for a, letter in zip(look, text, strict=True) if letter != "\ufffc"] == [
                a for a, letter in zip(seen, text, strict=True) if letter != "\ufffc"
            ]


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ('passage.highlight = "pink"', "highlight colours are"),
        ("passage.size = 0.3", "1 to 1,638 points"),
        ('passage.colour = "wood"', "is not a colour"),
    ],
)
def test_a_look_that_cannot_be_is_told(home: Path, line: str, why: str) -> None:
    with pytest.raises(scrub.Failure, match=re.escape(why)):
        run(f"each passage\n{line}\nend", made("words"))


def test_plain_texts_have_no_looks(home: Path) -> None:
    Path("a.txt").write_text("one\n")
    with pytest.raises(scrub.Failure, match="stores text only"):
        run("each passage\npassage.bold = yes\nend", "a.txt")
    assert run("each passage where not passage.bold\nlog passage.text\nend", "a.txt").log == ["one"]
