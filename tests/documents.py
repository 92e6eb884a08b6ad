"""Documents made for tests, and what an independent reader sees in them."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from pathlib import Path

from lxml import etree

W = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
_R = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml"
STYLES = (
    f'<w:styles xmlns:w="{W}"><w:style w:type="paragraph" w:default="1" w:styleId="Normal"><w:name w:val="Normal"/></w:style>'
    + "".join(
        f'<w:style w:type="paragraph" w:styleId="H{level}"><w:name w:val="heading {level}"/><w:basedOn w:val="Normal"/>'
        f'<w:pPr><w:outlineLvl w:val="{level - 1}"/></w:pPr></w:style>'
        for level in (1, 2, 3)
    )
    + '<w:style w:type="paragraph" w:styleId="Quote"><w:name w:val="Quote"/></w:style></w:styles>'
)


def document(body: str, settings: str = "", header: str = "", comments: str = "", styles: str = "") -> bytes:
    """A .docx with this body."""
    related = [("styles", "styles.xml")] + [("settings", "settings.xml")] * bool(settings)
    related += [("header", "header1.xml")] * bool(header) + [("comments", "comments.xml")] * bool(comments)
    parts = {
        "[Content_Types].xml": f'<Types xmlns="{_PACKAGE}/content-types">'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="xml" ContentType="application/xml"/>'
        f'<Override PartName="/word/document.xml" ContentType="{_TYPE}.document.main+xml"/>'
        f'<Override PartName="/word/styles.xml" ContentType="{_TYPE}.styles+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="r1" '
        f'Type="{_R}/officeDocument" Target="word/document.xml"/></Relationships>',
        "word/document.xml": f'<w:document xmlns:w="{W}" xmlns:r="{_R}" xmlns:a="urn:other" '
        'xmlns:m="http://schemas.openxmlformats.org/officeDocument/2006/math" '
        f'xmlns:mc="http://schemas.openxmlformats.org/markup-compatibility/2006"><w:body>{body}<w:sectPr/></w:body></w:document>',
        "word/_rels/document.xml.rels": f'<Relationships xmlns="{_PACKAGE}/relationships">'
        + "".join(
            f'<Relationship Id="r{i}" Type="{_R}/{kind}" Target="{name}"/>' for i, (kind, name) in enumerate(related)
        )
        + "</Relationships>",
        "word/styles.xml": STYLES.replace("</w:styles>", f"{styles}</w:styles>"),
    }
    if settings:
        parts["word/settings.xml"] = f'<w:settings xmlns:w="{W}">{settings}</w:settings>'
    if header:
        parts["word/header1.xml"] = f'<w:hdr xmlns:w="{W}">{header}</w:hdr>'
    if comments:
        parts["word/comments.xml"] = f'<w:comments xmlns:w="{W}">{comments}</w:comments>'
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as package:
        for name, text in parts.items():
            package.writestr(name, text)
    return stream.getvalue()


def members(path: Path | io.BytesIO) -> dict[str, bytes]:
    """Every member of a package."""
    with zipfile.ZipFile(path) as package:
        return {name: package.read(name) for name in package.namelist()}


def put_members(path: Path | str, parts: Mapping[str, bytes | str]) -> None:
    """Makes a package of these members, which are not packed."""
    with zipfile.ZipFile(path, "w") as package:
        for name, data in parts.items():
            package.writestr(name, data)


_CHARACTERS = {"tab": "\t", "cr": "\n", "noBreakHyphen": "\u2011", "softHyphen": "\u00ad"}


def looks(path: Path | io.BytesIO, part: str = "word/document.xml") -> list[list[tuple[str, str]]]:
    """Each paragraph as its characters with the properties of their run, read with lxml by the rules of the standard."""
    root = etree.fromstring(members(path)[part])
    found = []
    for paragraph in root.iter(f"{{{W}}}p"):
        letters: list[tuple[str, str]] = []
        state: list[str] = []  # of the fields that are open
        for run in paragraph.iter(f"{{{W}}}r", "{http://schemas.openxmlformats.org/officeDocument/2006/math}oMath"):
            above = {etree.QName(each).localname for each in run.iterancestors()}
            if above & {"del", "moveFrom"}:
                continue
            if etree.QName(run).localname == "oMath":
                letters.append(("\ufffc", "math"))
                continue
            look = run.find(f"{{{W}}}rPr")
            told = b"" if look is None else etree.tostring(look, method="c14n", exclusive=True)
            for child in run:
                name, own = etree.QName(child).localname, etree.QName(child).namespace == W
                if name == "fldChar":
                    kind = child.get(f"{{{W}}}fldCharType")
                    if kind == "begin":
                        state.append("code")
                    elif kind == "separate":
                        state[-1] = "result"
                    else:
                        state.pop()
                    continue
                if "code" in state or name in (
                    "rPr",
                    "instrText",
                    "delText",
                    "lastRenderedPageBreak",
                    "commentReference",
                ):
                    continue
                if own and name == "t":
                    letters += [(letter, told.decode()) for letter in child.text or ""]
                elif own and name in _CHARACTERS:
                    letters.append((_CHARACTERS[name], told.decode()))
                elif own and name == "br":
                    letters.append(("\n" if child.get(f"{{{W}}}type") is None else "\ufffc", told.decode()))
                else:
                    letters.append(("\ufffc", told.decode()))
        found.append(letters)
    return found


def texts(path: Path, part: str = "word/document.xml") -> list[str]:
    """The text of each paragraph."""
    return ["".join(letter for letter, _ in each) for each in looks(path, part)]


def resolved(path: Path, accepted: bool, author: str = "Scrub") -> list[str]:
    """The text of each paragraph when all tracked changes of an author are accepted, or all are refused."""
    root = etree.fromstring(members(path)["word/document.xml"])
    goes, stays = ("del", "ins") if accepted else ("ins", "del")
    for name in (goes, stays):
        for change in [each for each in root.iter(f"{{{W}}}{name}") if each.get(f"{{{W}}}author") == author]:
            parent = change.getparent()
            assert parent is not None
            if etree.QName(parent).localname == "rPr":
                continue  # the mark of a paragraph
            at = parent.index(change)
            for child in list(change) if name == stays else ():
                parent.insert(at, child)
                at += 1
            parent.remove(change)
    for text in root.iter(f"{{{W}}}delText"):
        if not any(etree.QName(each).localname == "del" for each in text.iterancestors()):
            text.tag = f"{{{W}}}t"
    for paragraph in list(root.iter(f"{{{W}}}p")):
        mark = paragraph.find(f"{{{W}}}pPr/{{{W}}}rPr/{{{W}}}{goes}")
        following = paragraph.getnext()
        while following is not None and "bookmark" in str(following.tag):
            following = following.getnext()
        if mark is None or mark.get(f"{{{W}}}author") != author or following is None:
            continue
        at = 1 if following.find(f"{{{W}}}pPr") is not None else 0
        for child in [each for each in paragraph if etree.QName(each).localname != "pPr"][::-1]:
            following.insert(at, child)
        parent = paragraph.getparent()
        assert parent is not None
        parent.remove(paragraph)
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as package:
        package.writestr("word/document.xml", etree.tostring(root))
    return ["".join(letter for letter, _ in each) for each in looks(stream)]
