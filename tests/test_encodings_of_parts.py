"""Parts that are not written in UTF-8 are edited all the same, and stay written as they declare themselves."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path

import docx
import openpyxl
import pytest
from conftest import SAMPLE, macro
from lxml import etree

import scrub

DEMO = SAMPLE.parent
#: Characters that none of the old encodings has, and some that they have.
WORDS = "L\u00e4rche \u2603 \u4e2d \u20ac \U0001f3d4"


def _by_lxml(encoding: str) -> Callable[[bytes], bytes]:
    def write(part: bytes) -> bytes:
        made = etree.tostring(etree.fromstring(part).getroottree(), xml_declaration=True, encoding=encoding)
        assert isinstance(made, bytes)
        return made

    return write


def _plain(part: bytes) -> str:
    made = etree.tostring(etree.fromstring(part), encoding="unicode")
    assert isinstance(made, str)
    return made


SPELLINGS: dict[str, Callable[[bytes], bytes]] = {
    **{each: _by_lxml(each) for each in ("ASCII", "ISO-8859-1", "windows-1252", "UTF-16", "UTF-8")},
    "UTF-16LE without a mark": lambda part: ("<?xml version='1.0' encoding='UTF-16LE'?>" + _plain(part)).encode("utf-16-le"),
    "UTF-16 big first": lambda part: b"\xfe\xff" + ("<?xml version='1.0' encoding='utf-16'?>" + _plain(part)).encode("utf-16-be"),
    "no declaration": lambda part: _plain(part).encode(),
    "ASCII in small letters": lambda part: b"<?xml version='1.0' encoding='us-ascii' ?>" + _plain(part).encode("ascii", "xmlcharrefreplace"),
}  # fmt: skip
EDITS = {
    "season-book.xlsx": (
        "workbook",
        f'in sheet("Larch Hut")\ncell("A1").value = "{WORDS}"\nsheet.name = "{WORDS}"\ncell("A2").number-format = "0 ""\u20ac"""\nend',
    ),
    "house-rules.docx": ("document", f'in paragraph(1)\nadd-after "{WORDS}"\nend\ndocument.title = "{WORDS}"'),
    "wardens.odt": ("document", f'in paragraph(1)\nadd-after "{WORDS}"\nend\ndocument.title = "{WORDS}"'),
}


def respelled(name: str, spell: Callable[[bytes], bytes]) -> Path:
    path = Path(name)
    with zipfile.ZipFile(DEMO / name) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for each in old.infolist():
            data = old.read(each)
            if data and each.filename.endswith((".xml", ".rels")):
                data = spell(data)
            new.writestr(each, data, each.compress_type)
    return path


@pytest.mark.parametrize("spelling", SPELLINGS)
@pytest.mark.parametrize("name", EDITS)
def test_a_part_stays_in_its_encoding(home: Path, name: str, spelling: str) -> None:
    path = respelled(name, SPELLINGS[spelling])
    before = path.read_bytes()
    kind, body = EDITS[name]
    done = scrub.run(macro(body, kind), [str(path)]).files[0]
    assert done.problem is None, str(done.problem)
    words = ""
    with zipfile.ZipFile(path) as new:
        for each in new.namelist():
            data = new.read(each)
            if data and each.endswith((".xml", ".rels")):
                root = etree.fromstring(data)  # as it declares itself
                said = [*root.itertext(), *(value for part in root.iter("*") for value in part.attrib.values())]
                words += "".join(map(str, said))
    assert words.count(WORDS) >= 2
    if name.endswith(".xlsx"):
        book = openpyxl.load_workbook(path)
        assert book[WORDS]["A1"].value == WORDS
        assert book[WORDS]["A2"].number_format == '0 "\u20ac"'
    if name.endswith(".docx"):
        document = docx.Document(str(path))
        assert WORDS in [each.text for each in document.paragraphs]
        assert document.core_properties.title == WORDS
    assert (
        scrub.run(macro(f"say count({'sheet' if kind == 'workbook' else 'paragraph'})", kind), [str(path)])
        .files[0]
        .said
    )
    scrub.undo(1)
    assert path.read_bytes() == before
