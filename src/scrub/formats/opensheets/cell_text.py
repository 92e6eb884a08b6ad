"""The text of a cell of an Open Document: its paragraphs, each a line (OpenDocument 1.3, part 3, 5.1.3, 6.1)."""

from __future__ import annotations

import re
from collections.abc import Iterator

from scrub.formats.opendocument.read import OFFICE, TEXT, value
from scrub.formats.spans import Namespaces, Span, parse_element, whole
from scrub.formats.workbook.cells.strings import Run
from scrub.formats.xmltext import escaped_text, plain_text, text_of
from scrub.model.core.lazy_pattern import lazy_pattern

#: The paragraph in which most texts are.
PLAIN_PARAGRAPH = lazy_pattern(rb"<text:p>([^<]*)</text:p>")
#: One with blanks that are written out, and such blanks.
_WITH_BLANKS = lazy_pattern(rb'<text:p>[^<]*(?:<text:s(?: text:c="\d+")?/>[^<]*)*</text:p>')
_BLANK = lazy_pattern(rb'<text:s(?: text:c="(\d+)")?/>')
_BLANKS = lazy_pattern(r"[ \t\r\n]+")
_MOST_BLANKS = 32_767
#: What is in a paragraph and is not part of its text.
_BESIDE = frozenset(("bookmark", "bookmark-start", "bookmark-end", "reference-mark", "ruby-text", "note"))
#: What a blank at the start of a text, after another one, or a control character is written as.
_SPECIAL = lazy_pattern(r"^ +| {2,}| +$|\t|\r\n|\n|\r")


def paragraph_text(raw: bytes) -> str:
    """The text of a paragraph that contains characters alone."""
    text = plain_text(raw)
    if "  " in text or text[:1] in " \t\n" or "\n" in text or "\t" in text:
        text = _BLANKS.sub(" ", text).lstrip(" ")
    return text


def blanks_text(raw: bytes) -> str:
    """The text of a paragraph that contains characters and blanks."""
    marked = _BLANK.sub(lambda found: b"\0" * min(int(found[1] or 1), _MOST_BLANKS), raw)
    return paragraph_text(marked).replace("\0", " ")


def text_in(content: bytes, namespaces: Namespaces) -> str | None:
    """The text of the content of a cell; None where it has no paragraph."""
    plain = PLAIN_PARAGRAPH.fullmatch(content)
    if plain is not None:
        return paragraph_text(plain[1])
    if not content:
        return None
    if _WITH_BLANKS.fullmatch(content):
        return blanks_text(content[8:-9])
    lines = ["".join(text for text, _ in pieces) for pieces in _paragraphs(content, namespaces)]
    return "\n".join(lines) if lines else None


def runs_in(content: bytes, namespaces: Namespaces) -> list[Run] | None:
    """The stretches of a text with several looks, each with the tags around it; None for a plain text."""
    if b"<text:span" not in content and b":span" not in content and b":a " not in content:
        return None
    runs: list[Run] = []
    for number, pieces in enumerate(_paragraphs(content, namespaces)):
        if number:
            runs.append(Run(runs[-1].look if runs else b"", "\n"))
        runs += [Run(b"".join(tags), text) for text, tags in pieces if text]
    return runs if len({run.look for run in runs}) > 1 or (runs and runs[0].look) else None


def _paragraphs(content: bytes, namespaces: Namespaces) -> Iterator[list[tuple[str, list[bytes]]]]:
    """Each paragraph as pieces: the characters, and the start tags that they are in."""
    data = b"<x>" + content + b"</x>"
    for child in parse_element(data, 0, len(data), namespaces).children:
        if child.uri == TEXT and child.name in ("p", "h"):
            yield _trimmed(list(_pieces(data, child, [])))


def _trimmed(pieces: list[tuple[str, list[bytes]]]) -> list[tuple[str, list[bytes]]]:
    """The pieces with blanks collapsed, and none at the start; what is marked with NUL is a blank that stays."""
    result = []
    blank = True
    for text, tags in pieces:
        text = _BLANKS.sub(" ", text)
        if blank and text.startswith(" "):
            text = text[1:]
        if text:
            blank = text.endswith(" ")
        result.append((text.replace("\0", " ").replace("\1", "\t").replace("\2", "\n"), tags))
    return result


def _pieces(data: bytes, span: Span, tags: list[bytes]) -> Iterator[tuple[str, list[bytes]]]:
    at = span.open_end
    for child in span.children:
        yield from _characters(data[at : child.start], tags)
        at = child.end
        if child.uri == OFFICE or child.name in _BESIDE:
            continue
        if child.uri == TEXT and child.name == "s":
            count = whole(value(child, "c"), _MOST_BLANKS)
            yield "\0" * (1 if count is None else count), tags
        elif child.uri == TEXT and child.name == "tab":
            yield "\1", tags
        elif child.uri == TEXT and child.name == "line-break":
            yield "\2", tags
        else:
            inner = [*tags, data[child.start : child.open_end]] if child.name in ("span", "a") else tags
            yield from _pieces(data, child, inner)
    yield from _characters(data[at : span.close_start], tags)


def _characters(raw: bytes, tags: list[bytes]) -> Iterator[tuple[str, list[bytes]]]:
    if raw:
        yield (text_of(b"<x>" + raw + b"</x>") if b"<" in raw else plain_text(raw)), tags


def written_text(text: str, prefix: str, runs: list[Run] | None = None) -> bytes:
    """A text as paragraphs; `prefix` is that of the namespace of texts, with its colon."""
    if runs is None:
        return b"".join(
            f"<{prefix}p>{written_line(line, prefix)}</{prefix}p>".encode() for line in re.split("\r\n|\n|\r", text)
        )
    lines: list[list[Run]] = [[]]
    for run in runs:
        first, *others = run.text.split("\n")
        lines[-1].append(Run(run.look, first))
        lines += [[Run(run.look, other)] for other in others]
    made = b""
    for line in lines:
        inner = b"".join(_with_tags(run.look, written_line(run.text, prefix)) for run in line if run.text)
        made += f"<{prefix}p>".encode() + inner + f"</{prefix}p>".encode()
    return made


def _with_tags(tags: bytes, inner: str) -> bytes:
    """Characters in the elements whose start tags are given, from the outer one inwards."""
    names = [found[1] for found in re.finditer(rb"<([^\s/>]+)[^>]*>", tags)]
    return tags + inner.encode() + b"".join(b"</" + name + b">" for name in reversed(names))


def written_line(text: str, prefix: str) -> str:
    """The characters of one paragraph."""
    if not _SPECIAL.search(text):
        return escaped_text(text)
    made, at = "", 0
    for found in _SPECIAL.finditer(text):
        made += escaped_text(text[at : found.start()])
        at = found.end()
        blanks = found[0]
        if blanks == "\t":
            made += f"<{prefix}tab/>"
        elif blanks[0] != " ":
            made += f"<{prefix}line-break/>"
        else:
            inside = found.start() > 0 and found.end() < len(text)
            more = len(blanks) - inside
            made += " " * inside + (f"<{prefix}s/>" if more == 1 else f'<{prefix}s {prefix}c="{more}"/>')
    return made + escaped_text(text[at:])
