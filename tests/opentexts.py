"""Open Document texts made for tests, and what an independent reader sees in them by the rules of the standard."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

from documents import members
from lxml import etree

_NAME = "urn:oasis:names:tc:opendocument:xmlns"
NS = {each: f"{_NAME}:{each}:1.0" for each in ("office", "text", "table", "style", "meta")} | {
    "draw": f"{_NAME}:drawing:1.0", "dc": "http://purl.org/dc/elements/1.1/", "xlink": "http://www.w3.org/1999/xlink",
    "fo": f"{_NAME}:xsl-fo-compatible:1.0", "svg": f"{_NAME}:svg-compatible:1.0",
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
    """Each paragraph of the body as its characters, each with the styles of the spans it is in."""
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
            if len(letter) > 1:
                continue  # a mark of a tracked change
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


#: The start of a paragraph, with its style; a letter with its look; or a mark with its name and its change.
_Token = tuple[str, str, str]


def _tokens(paragraph: etree._Element) -> list[_Token]:
    """A paragraph with what it says, and the marks of tracked changes; spaces collapse first."""
    raw: list[tuple[str, str, bool]] = []
    _walk(paragraph, "", raw)
    out: list[_Token] = [("start", "", paragraph.get(f"{_T}style-name", ""))]
    blank, last = True, -1
    for letter, look, is_data in raw:
        if len(letter) > 1:
            out.append(("mark", letter, look))
            continue
        if is_data and letter == " " and blank:
            continue
        blank = is_data and letter == " "
        last = len(out) if blank else -1
        out.append(("letter", letter, look))
    if last >= 0:
        del out[last]
    return out


def reviewed(path: Path, accepted: bool, header: bool = False) -> list[tuple[str, str]]:
    """The text and the style of each paragraph of the body, or of the header, with every tracked change
    accepted, or refused, by the rules of the standard (part 3, 5.5).
    """
    root = etree.fromstring(members(path)["styles.xml" if header else "content.xml"])
    body = next(root.iter(f"{{{NS['style']}}}header" if header else f"{{{NS['office']}}}text"))
    tokens: list[_Token] = []
    deletions: dict[str, list[_Token]] = {}
    for region in body.iter(f"{_T}changed-region"):
        for deletion in region.iter(f"{_T}deletion"):
            found = [token for each in deletion.iter(f"{_T}p", f"{_T}h") for token in _tokens(each)]
            deletions[region.get(f"{_T}id", "")] = found
    above = {f"{_T}tracked-changes", f"{{{NS['office']}}}annotation"}
    for each in body.iter(f"{_T}p", f"{_T}h", f"{_T}change"):
        around = {one.tag for one in each.iterancestors()}
        if around & above:
            continue
        if each.tag != f"{_T}change":
            tokens += _tokens(each)
        elif not around & {f"{_T}p", f"{_T}h"}:  # of whole paragraphs, in whose place it is
            tokens.append(("mark", "place", each.get(f"{_T}change-id", "")))
    if not accepted:
        kept: list[_Token] = []
        inside: set[str] = set()
        for kind, what, more in tokens:
            if kind == "mark" and what == "change-start":
                inside.add(more)
            elif kind == "mark" and what == "change-end":
                inside.discard(more)
            elif kind == "mark":
                # In a paragraph, what was deleted begins in the paragraph with the mark.
                kept += deletions[more][0 if what == "place" else 1 :] if not inside else []
            elif not inside:
                kept.append((kind, what, more))
        tokens = kept
    out: list[tuple[str, str]] = []
    for kind, what, more in tokens:
        if kind == "start":
            out.append(("", more))
        elif kind == "letter":
            out[-1] = (out[-1][0] + what, out[-1][1])
    return out


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
        elif name in ("change", "change-start", "change-end"):
            out.append((name, child.get(f"{_T}change-id", ""), False))
        characters(child.tail, look)


def texts(path: Path, part: str = "content.xml") -> list[str]:
    """The text of each paragraph."""
    return ["".join(letter for letter, _ in each) for each in letters(path, part)]


AUTOMATIC = (
    '<style:style style:name="T1" style:family="text"><style:text-properties fo:font-weight="bold"/></style:style>'
    '<style:style style:name="T2" style:family="text"><style:text-properties fo:color="#ff0000"/></style:style>'
    '<style:style style:name="T3" style:family="text"><style:text-properties fo:color="#0000ff" '
    'fo:font-weight="normal" fo:font-size="150%"/></style:style>'
)
#: The attribute of each look, and how each of its values is meant.
_MEANT: dict[str, tuple[str, Callable[[str], object]]] = {
    "bold": (f"{{{NS['fo']}}}font-weight", lambda found: found == "bold"),
    "colour": (f"{{{NS['fo']}}}color", lambda found: found),
    "highlight": (f"{{{NS['fo']}}}background-color", lambda found: None if found == "transparent" else found),
    "underlined": (f"{{{NS['style']}}}text-underline-style", lambda found: found != "none"),
}


def looks(path: Path, word: str) -> list[list[object]]:
    """A look of each letter of each paragraph of the body, through the styles of the spans that it is in."""
    name, meant = _MEANT[word]
    root = etree.fromstring(members(path)["content.xml"])
    styles = {
        each.get(f"{{{NS['style']}}}name"): properties.get(name)
        for each in root.iter(f"{{{NS['style']}}}style")
        for properties in each.iter(f"{{{NS['style']}}}text-properties")
    }
    window = {
        each.get(f"{{{NS['style']}}}name")
        for each in root.iter(f"{{{NS['style']}}}style")
        for properties in each.iter(f"{{{NS['style']}}}text-properties")
        if properties.get(f"{{{NS['style']}}}use-window-font-color") == "true"
    }

    def look(path: str) -> object:
        for style in reversed(path.split("/")):
            if word == "colour" and style in window:
                return None
            if styles.get(style) is not None:
                return meant(str(styles[style]))
        return False if word in ("bold", "underlined") else None

    return [[look(path) for _, path in each] for each in letters(path)]
