"""Open Document texts made for tests, and what an independent reader sees in them by the rules of the standard."""

from __future__ import annotations

import io
import re
import zipfile
from pathlib import Path

from documents import members
from lxml import etree

_NAME = "urn:oasis:names:tc:opendocument:xmlns"
NS = {each: f"{_NAME}:{each}:1.0" for each in ("office", "text", "table", "style", "meta")} | {
    "draw": f"{_NAME}:drawing:1.0", "dc": "http://purl.org/dc/elements/1.1/",
}  # fmt: skip
_DECLARED = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in NS.items())
_T = f"{{{NS['text']}}}"
STYLES = (
    '<style:style style:name="Standard" style:family="paragraph"/>'
    '<style:style style:name="Quote" style:family="paragraph"/>'
    '<style:style style:name="Text_20_body" style:display-name="Text body" style:family="paragraph"/>'
) + "".join(
    f'<style:style style:name="Heading_20_{level}" style:display-name="Heading {level}" style:family="paragraph" '
    f'style:default-outline-level="{level}"/>'
    for level in (1, 2, 3)
)


def opentext(
    body: str, header: str = "", meta: str = "", automatic: str = "", manifest: str = "", kind: str = "text"
) -> bytes:
    """A .odt with this body."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("mimetype", f"application/vnd.oasis.opendocument.{kind}", zipfile.ZIP_STORED)
        package.writestr(
            "content.xml",
            f"<office:document-content {_DECLARED}><office:automatic-styles>{automatic}</office:automatic-styles>"
            f"<office:body><office:text>{body}</office:text></office:body></office:document-content>",
        )
        package.writestr(
            "styles.xml",
            f"<office:document-styles {_DECLARED}><office:styles>{STYLES}</office:styles><office:master-styles>"
            f'<style:master-page style:name="Standard"><style:header>{header}</style:header></style:master-page>'
            "</office:master-styles></office:document-styles>",
        )
        package.writestr(
            "meta.xml", f"<office:document-meta {_DECLARED}><office:meta>{meta}</office:meta></office:document-meta>"
        )
        package.writestr("META-INF/manifest.xml", f"<manifest>{manifest}</manifest>")
    return stream.getvalue()


def letters(path: Path, part: str = "content.xml") -> list[list[tuple[str, str]]]:
    """Each paragraph of the body as its characters, each with the styles of the spans it stands in."""
    root = etree.fromstring(members(path)[part])
    found = []
    for paragraph in root.iter(f"{_T}p", f"{_T}h"):
        above = {each.tag for each in paragraph.iterancestors()}
        if above & {f"{_T}tracked-changes", f"{{{NS['office']}}}annotation"}:
            continue
        raw: list[tuple[str, str, bool]] = []
        _walk(paragraph, "", raw)
        out: list[tuple[str, str]] = []
        blank = True
        for letter, look, is_data in raw:
            if is_data and letter == " ":
                if not blank:
                    out.append((letter, look))
                blank = True
            else:
                out.append((letter, look))
                blank = False
        if raw and blank and out and out[-1][0] == " ":
            out.pop()
        found.append(out)
    return found


def _walk(element: etree._Element, look: str, out: list[tuple[str, str, bool]]) -> None:
    def characters(text: str | None, of: str) -> None:
        out.extend((letter, of, True) for letter in re.sub("[\t\r\n]", " ", text or ""))

    characters(element.text, look)
    for child in element:
        name = etree.QName(child).localname if isinstance(child.tag, str) else ""
        if name == "span":
            _walk(child, look + "/" + child.get(f"{_T}style-name", ""), out)
        elif name == "a":
            _walk(child, look, out)
        elif name == "s":
            out.extend((" ", look, False) for _ in range(int(child.get(f"{_T}c", "1"))))
        elif name in ("tab", "line-break"):
            out.append(("\t" if name == "tab" else "\n", look, False))
        elif name in ("note", "frame", "page-number"):
            out.append(("\ufffc", look, False))
        characters(child.tail, look)


def texts(path: Path, part: str = "content.xml") -> list[str]:
    """The text of each paragraph."""
    return ["".join(letter for letter, _ in each) for each in letters(path, part)]
