"""Plain paragraphs of a part, found by search and read when they are asked for: most of a document never is.

A plain paragraph contains its properties, runs with their looks, and text; of tracked changes, fields, marks or
pictures it has none. The search is exact because the part was checked to be well-formed, so that every `<` begins a
tag; a part where that is not enough (comments, CDATA sections, a second prefix) is read in the plain way, element by
element.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Sequence
from functools import cache

from scrub.formats.found import FoundElement, is_searchable
from scrub.formats.spans import Span, Splice, parse
from scrub.formats.wordprocessing.read import MAIN, RunPiece
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.wordprocessing.write import SPECIAL, elements_of, text_element
from scrub.formats.xmltext import plain_text
from scrub.model.core.named import NamedTuple
from scrub.model.core.text import Fresh, Kept, Stretches

#: What the look of a run contains (17.3.2), without what was recorded.
_LOOKS = (
    "rStyle|rFonts|b|bCs|i|iCs|caps|smallCaps|strike|dstrike|outline|shadow|emboss|imprint|noProof|snapToGrid|vanish|"
    "webHidden|color|spacing|w|kern|position|sz|szCs|highlight|u|effect|bdr|shd|fitText|vertAlign|rtl|cs|em|lang|"
    "eastAsianLayout|specVanish"
)
#: What the properties of a paragraph hold (17.3.1) besides its style, which is first: no section, no level.
_PROPERTIES = (
    "keepNext|keepLines|pageBreakBefore|framePr|widowControl|numPr|ilvl|numId|suppressLineNumbers|pBdr|top|left|bottom|"
    "right|between|bar|tabs|suppressAutoHyphens|kinsoku|wordWrap|overflowPunct|topLinePunct|autoSpaceDE|autoSpaceDN|"
    "bidi|adjustRightInd|ind|contextualSpacing|mirrorIndents|suppressOverlap|jc|textDirection|textAlignment|"
    "textboxTightWrap|divId|cnfStyle|rPr"
)


class FoundParagraph(FoundElement):
    """A plain paragraph."""

    __slots__ = ("_alone", "style")

    def __init__(self, data: bytes, found: re.Match[bytes], raw_name: str, alone: bool) -> None:
        """`alone` says that no paragraph of the part has a character that is an element."""
        super().__init__(data, "p", raw_name, found.start(), found.end(1), found.end())
        self.style = found[2]
        self._alone = alone

    def text(self) -> str:
        """Its characters."""
        data, start, end, prefix = self._data, self.open_end, self.close_start, self.prefix
        if self._is_text_alone:
            joined = b"".join(_texts(prefix).findall(data, start, end))
            if b"&" not in joined and b"\r" not in joined:
                return joined.decode()
        return _written(_letters(prefix).findall(data, start, end))

    def recorded(self, stretches: Stretches, tracking: Tracking) -> list[Splice] | None:
        """The same as tracked changes, where each edit is in a run of one piece of text; else nothing."""
        former = tracking.last
        splices = self._recorded(stretches, tracking)
        if splices is None:
            tracking.last = former  # the plain way gives its numbers again
        return splices

    def _recorded(self, stretches: Stretches, tracking: Tracking) -> list[Splice] | None:
        edits = _edits(stretches)
        if edits is None:
            return None
        splices: list[Splice] = []
        data, prefix = self._data, self.prefix
        read = _letters(prefix).findall
        number = at = 0
        for run in _run(prefix).finditer(data, self.open_end, self.close_start):
            if number == len(edits):
                break
            letters = read(data, run.end(2), run.end())
            text = _written(letters)
            end = at + len(text)
            if edits[number][0] < end:
                if len(letters) != 1 or letters[0][1]:
                    return None
                opening, look = run[1].decode(), run[2].decode()
                same, fresh = f"{opening}{look}", f"<{prefix}r>{look}"
                close = f"</{prefix}r>"
                out, done = "", at
                while number < len(edits) and edits[number][0] < end:
                    if not edits[number].lies_in(at, end):
                        return None
                    start, stop, new, _ = edits[number]
                    if done < start:
                        out += f"{same}{elements_of(text[done - at : start - at], prefix)}{close}"
                    if start < stop:
                        gone = elements_of(text[start - at : stop - at], prefix, True)
                        out += f"<{prefix}del{tracking.attributes(prefix)}>{same}{gone}{close}</{prefix}del>"
                    if new:
                        put = elements_of(new, prefix)
                        out += f"<{prefix}ins{tracking.attributes(prefix)}>{fresh}{put}{close}</{prefix}ins>"
                    done = stop
                    number += 1
                if done < end:
                    out += f"{same}{elements_of(text[done - at :], prefix)}{close}"
                splices.append(Splice(run.start(), run.end(), out.encode()))
            at = end
        return splices if number == len(edits) else None

    @property
    def _is_text_alone(self) -> bool:
        """Whether no character of it is an element."""
        if self._alone:
            return True
        tab, line_break = _elements(self.prefix)
        start, end, find = self.open_end, self.close_start, self._data.find
        return find(tab, start, end) < 0 and find(line_break, start, end) < 0

    def splices(self, stretches: Stretches) -> list[Splice] | None:
        """What makes its text what it is to be, where each edit is in one piece of text that stays; else nothing, and
        the plain way knows more.
        """
        edits = _edits(stretches)
        if edits is None:
            return None
        found: list[Splice] = []
        last = edits[-1][1] if edits else -1
        prefix = self.prefix
        number = at = 0
        alone = self._is_text_alone
        letters = _texts(prefix) if alone else _letters(prefix)
        for match in letters.finditer(self._data, self.open_end, self.close_start):
            if not alone and match[2]:
                at += len(_WRITTEN[match[2]])
                continue
            text = plain_text(match[1])
            end = at + len(text)
            fresh: list[str] = []
            done = at
            while number < len(edits) and edits[number][0] < end:
                if not edits[number].lies_in(at, end):
                    return None
                start, stop, new, _ = edits[number]
                fresh += text[done - at : start - at], new
                done = stop
                number += 1
            if fresh:
                fresh.append(text[done - at :])
                whole = "".join(fresh)
                if not whole or SPECIAL.search(whole):
                    return None
                found.append(Splice(match.start(), match.end() + len(prefix) + 4, text_element(whole, prefix).encode()))
            at = end
            if at > last:
                break
        return found if number == len(edits) else None

    def pieces(self, first: int = 0, last: int = sys.maxsize) -> tuple[RunPiece, ...]:
        """What its characters are in. Runs that end before `first` or begin after `last` are one piece each."""
        data, prefix = self._data, self.prefix
        names = {name: f"{prefix}{name.decode()}" for name in _WRITTEN}
        of_look, of_run, of_text = f"{prefix}rPr", f"{prefix}r", f"{prefix}t"
        to_look, to_text = len(of_look) + 2, len(of_text) + 3
        found: list[RunPiece] = []
        at = 0
        letters, read = _letters(prefix).finditer, _letters(prefix).findall
        for whole in _run(prefix).finditer(data, self.open_end, self.close_start):
            start, end = whole.span()
            opened, looked = whole.end(1), whole.end(2)
            run = self._inner("r", of_run, start, opened, end)
            if at > last or at < first:
                whole_text = _written(read(data, looked, end))
                if whole_text and (at > last or at + len(whole_text) < first):
                    found.append(RunPiece(at, whole_text, run, run, False))
                    at += len(whole_text)
                    continue
            run.children = [self._inner("rPr", of_look, opened, opened + to_look, looked)] if looked > opened else []
            for match in letters(data, looked, end):
                text, name = match.groups()
                if name is None:
                    element = self._inner("t", of_text, match.start(), match.start(1), match.end() + to_text)
                    written = plain_text(text)
                else:
                    element = self._inner(name.decode(), names[name], match.start(), match.end(), match.end())
                    written = _WRITTEN[name]
                element.children = []
                run.take_in(element)
                if written:
                    found.append(RunPiece(at, written, element, run, name is None))
                    at += len(written)
        return tuple(found)

    def _inner(self, name: str, raw_name: str, start: int, open_end: int, end: int) -> FoundElement:
        element = FoundElement(self._data, name, raw_name, start, open_end, end)
        element.namespaces, element.uri = self.namespaces, self.uri
        return element


def parse_story(data: bytes) -> Span:
    """The root of a part with paragraphs; plain ones are read when they are asked for. Raises `NotReadable`."""
    return parse(data, plain_paragraphs(data))


def plain_paragraphs(data: bytes) -> list[FoundParagraph]:
    """The plain paragraphs, in order; none where a search cannot tell them for certain."""
    prefix = is_searchable(data, MAIN)
    if prefix is None:
        return []
    raw_name = f"{prefix}:p"
    alone = not any(element in data for element in _elements(f"{prefix}:"))
    return [FoundParagraph(data, found, raw_name, alone) for found in _paragraph(prefix).finditer(data)]


@cache
def _paragraph(prefix: str) -> re.Pattern[bytes]:
    """A plain paragraph: its start tag, and the name of its style."""
    p = re.escape(prefix) + ":"

    def of(names: str) -> str:
        return rf"(?:[^<]*+</?+{p}(?:{names}))*+[^<]*+"

    more = r"(?:\s[^<>]*+(?<!/))?+>"
    ends = r"(?=[\s/>])"
    looks = of(f"(?:{_LOOKS}){ends}")
    look = f"(?:<{p}rPr>{looks}</{p}rPr>)?+"
    inside = of(rf"tab(?=\s)|(?:{_PROPERTIES}|{_LOOKS}){ends}")
    properties = rf'(?:<{p}pPr>(?:<{p}pStyle {p}val="([^"<>&]*+)"/>)?+{inside}</{p}pPr>)?+'
    letters = rf'(?:<{p}t(?: xml:space="preserve")?+>[^<]*+</{p}t>|<{p}tab/>|<{p}br/>|<{p}lastRenderedPageBreak/>)'
    run = rf"<{p}r{more}{look}{letters}*+</{p}r>"
    return re.compile(rf"(<{p}p{more}){properties}(?:{run})*+</{p}p>".encode())


def _written(found: Sequence[tuple[bytes, bytes]]) -> str:
    """The characters of pieces of text and of elements that are characters."""
    return "".join([_WRITTEN[name] if name else plain_text(text) for text, name in found])


class _Edit(NamedTuple):
    """What is other than it was: from, to, the new text, and the place that it looks like."""

    start: int
    stop: int
    new: str
    like: int

    def lies_in(self, at: int, end: int) -> bool:
        """Whether it is in a piece of these characters, what it looks like and is beside too."""
        inside = at <= self.start and self.stop <= end and at <= self.like < end
        return inside and not (self.like < self.start == at)


def _edits(stretches: Stretches) -> list[_Edit] | None:
    """What is other than it was, in order; None for text that was moved or has other formatting only."""
    edits: list[_Edit] = []
    done, fresh, like = 0, "", -1
    if any(part.looks for part in stretches.parts):
        return None
    for part in (*stretches.parts, Kept(len(stretches.old), len(stretches.old))):
        if isinstance(part, Fresh):
            if fresh and part.like != like:
                return None
            fresh, like = fresh + part.text, part.like
            continue
        if part.start < done:
            return None
        if fresh or part.start > done:
            edits.append(_Edit(done, part.start, fresh, like if fresh else done))
        done, fresh = part.end, ""
    return edits


@cache
def _texts(prefix: str) -> re.Pattern[bytes]:
    p = re.escape(prefix)
    return re.compile(rf'<{p}t(?: xml:space="preserve")?>([^<]*)'.encode())


@cache
def _elements(prefix: str) -> tuple[bytes, ...]:
    return tuple(f"<{prefix}{name}/>".encode() for name in ("tab", "br"))


@cache
def _run(prefix: str) -> re.Pattern[bytes]:
    """A run of a plain paragraph: its start tag, and its look."""
    p = re.escape(prefix)
    return re.compile(rf"(<{p}r(?:\s[^<>]*+)?+>)(<{p}rPr>.*?</{p}rPr>|).*?</{p}r>".encode(), re.DOTALL)


@cache
def _letters(prefix: str) -> re.Pattern[bytes]:
    """The text of a run, or an element that is a character or the mark of a earlier page."""
    p = re.escape(prefix)
    return re.compile(rf'<{p}t(?: xml:space="preserve")?>([^<]*)|<{p}(tab|br|lastRenderedPageBreak)/>'.encode())


_WRITTEN = {b"tab": "\t", b"br": "\n", b"lastRenderedPageBreak": ""}
