"""Texts of cells: shared strings (ISO/IEC 29500-1, 18.4.8), inline ones, rich ones; a shared one is never edited.

A cell whose text changes gets the text inline (18.3.1.53), with its runs: other cells may share the old one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import groupby

from scrub.formats.spans import parse
from scrub.formats.xmltext import plain_text, text_of, unescaped, xstring
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.text import Edit, Fresh, Stretches, shrunk

_ENTRY = lazy_pattern(rb"<si(?:\s[^>]*)?(?:/>|>(.*?)</si>)", re.DOTALL)
_PLAIN = lazy_pattern(rb"<t(?:\s[^>]*)?>([^<]*)</t>")
_COMMONEST = lazy_pattern(rb"<si><t>([^<]*)</t></si>")


def text_element(text: str, prefix: str) -> bytes:
    """A `t` element. What XML cannot contain is escaped; spaces at the ends are kept."""
    keep = ' xml:space="preserve"' if text != text.strip() or "\n" in text or "  " in text else ""
    return f"<{prefix}t{keep}>{xstring(text)}</{prefix}t>".encode()


class Run(NamedTuple):
    """A stretch of text with one look: the bytes of its `rPr` element, and its characters."""

    look: bytes
    text: str


def runs_of(content: bytes) -> list[Run]:
    """The runs of a text's XML; a plain text is one run without a look. Phonetic hints are left out (18.4.6)."""
    plain = _PLAIN.fullmatch(content)
    if plain:
        return [Run(b"", unescaped(plain_text(plain[1])))]
    data = b"<si>" + content + b"</si>"
    runs = []
    for child in parse(data).children:
        if child.name == "t":
            runs.append(Run(b"", unescaped(text_of(data[child.start : child.end]))))
        elif child.name == "r":
            look, text = child.child("rPr"), child.child("t")
            bare = data[look.start : look.end] if look else b""
            if child.prefix:
                bare = bare.replace(f"<{child.prefix}".encode(), b"<").replace(f"</{child.prefix}".encode(), b"</")
            runs.append(Run(bare, unescaped(text_of(data[text.start : text.end])) if text else ""))
    return runs


def edited_runs(runs: Sequence[Run], edits: Sequence[Edit]) -> list[Run]:
    """The runs after edits; a replacement takes the look of the first character it replaces."""
    looks = [look for look, text in runs for _ in text]
    found: list[Run] = []
    whole = "".join(run.text for run in runs)
    for part in Stretches(whole).edited(shrunk(whole, edits)).parts:
        if isinstance(part, Fresh):
            found.append(Run(looks[part.like] if looks else b"", part.text))
            continue
        at = 0
        for look, text in runs:
            piece = text[max(part.start - at, 0) : max(part.end - at, 0)]
            if piece:
                found.append(Run(look, piece))
            at += len(text)
    return list(_merged(found)) or [Run(b"", "")]


def _merged(runs: Sequence[Run]) -> Iterator[Run]:
    """Neighbours of one look made one."""
    for look, every in groupby(runs, lambda run: run.look):
        yield Run(look, "".join(run.text for run in every))


def inline(runs: Sequence[Run], prefix: str) -> bytes:
    """The content of an `is` element."""
    if len(runs) == 1 and not runs[0].look:
        return text_element(runs[0].text, prefix)
    parts: list[bytes] = []
    for run in runs:
        look = run.look
        if prefix:
            look = re.sub(rb"<(/?)(?=[A-Za-z])", rb"<\g<1>" + prefix.encode(), look)
        parts += [f"<{prefix}r>".encode(), look, text_element(run.text, prefix), f"</{prefix}r>".encode()]
    return b"".join(parts)


class SharedStrings:
    """The texts that cells share, read when first asked for."""

    def __init__(self, data: bytes) -> None:
        self._texts: list[str | None]
        self._contents: list[bytes] = []
        plain = [] if b"<!" in data else _COMMONEST.findall(data)
        if len(plain) == data.count(b"<si") and (plain or b":si" not in data):
            self._texts = [unescaped(plain_text(each)) for each in plain]
            self.plain = True
            return
        self.plain = False
        opened = data.count(b"<si>") + data.count(b"<si ") + data.count(b"<si/")
        closed = data.count(b"</si>") + data.count(b"<si/")
        # One that is not closed would be looked for to the end, each time.
        entries = _ENTRY.findall(data) if b"<!" not in data and opened == closed else []
        if not entries or len(entries) != opened:
            root = parse(data)
            entries = [data[span.open_end : span.close_start] for span in root.all("si")]
        self._contents = entries
        self._texts = [None] * len(entries)

    def text(self, index: int) -> str | None:
        """A text by its number; None when there is not a such."""
        if not 0 <= index < len(self._texts):
            return None
        result = self._texts[index]
        if result is None:
            result = self._texts[index] = "".join(run.text for run in runs_of(self._contents[index]))
        return result

    def runs(self, index: int) -> list[Run]:
        """The runs of a text."""
        return [Run(b"", self._texts[index] or "")] if self.plain else runs_of(self._contents[index])
