"""What a letter is filled in at: content controls by their tag, merge fields by their name (17.5.2, 17.16.5.35)."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from scrub.formats.spans import Span, Splice
from scrub.formats.wordprocessing.read import RunPiece, inner, own, value
from scrub.formats.xmltext import text_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

_MERGE = lazy_pattern(r'\s*MERGEFIELD\s+(?:"([^"]+)"|(\S+))', re.IGNORECASE)
#: What means a field in the code of another.
_NESTED = " \ufffc "
_PLACEHOLDER = "PlaceholderText"


class OfficeHole(NamedTuple):
    """A control or field of a paragraph: its name, which characters it shows, and what goes when it is filled in."""

    name: str
    start: int
    end: int
    called: str
    gone: tuple[Splice, ...]
    refused: str = ""  # why it cannot be filled in


class MetField(NamedTuple):
    """A field of a paragraph: its code, the characters of its result, and what goes when these become plain text."""

    code: str
    start: int
    end: int
    gone: tuple[Splice, ...]
    refused: str = ""  # why it cannot become plain text


def holes_in(data: bytes, paragraph: Span, pieces: Sequence[RunPiece]) -> Iterator[OfficeHole]:
    """The controls and merge fields of a paragraph, in its order."""
    for each in _met(data, paragraph, pieces):
        if isinstance(each, Span):
            content = inner(each, "sdtContent")
            if tag_of(each) and content is not None:
                yield control_hole(each, *_letters(pieces, content.start, content.end))
            continue
        merge = _MERGE.match(each.code)
        if merge is not None:
            name = merge[1] or merge[2]
            yield OfficeHole(name, each.start, each.end, f'the merge field "{name}"', each.gone, each.refused)


def fields_in(data: bytes, paragraph: Span, pieces: Sequence[RunPiece]) -> Iterator[MetField]:
    """The fields of a paragraph."""
    return (each for each in _met(data, paragraph, pieces) if isinstance(each, MetField))


def _met(data: bytes, paragraph: Span, pieces: Sequence[RunPiece]) -> Iterator[MetField | Span]:
    """The content controls and fields of a paragraph: a control where it begins, a field where it ends."""
    begun: list[tuple[list[Span], list[str], list[int]]] = []  # the marks of each open field, its code, its result
    runs: dict[int, Span] = {}  # by where each of its elements begins
    for span in _inside(paragraph):
        if span.name == "r":
            runs |= {child.start: span for child in span.children}
        elif span.name == "sdt":
            yield span
        elif span.name == "fldSimple":
            tags = Splice(span.start, span.open_end, b""), Splice(span.close_start, span.end, b"")
            yield MetField(value(span, "instr") or "", *_letters(pieces, span.open_end, span.close_start), tags)
        elif span.name == "fldChar":
            kind = value(span, "fldCharType")
            if kind == "begin":
                begun.append(([span], [], []))
            elif begun:
                begun[-1][0].append(span)
                if kind == "separate":
                    begun[-1][2].append(span.end)
                elif kind == "end":
                    marks, code, result = begun.pop()
                    if begun and not begun[-1][2]:
                        begun[-1][1].append(_NESTED)
                    letters = _letters(pieces, result[0] if result else span.start, span.start)
                    refused = "is inside another field, which may need it" if begun else ""
                    refused = refused or ("contains another field in its code" if _NESTED in code else "")
                    yield MetField("".join(code), *letters, _without(marks, runs), refused)
        elif span.name == "instrText" and begun:
            begun[-1][0].append(span)
            begun[-1][1].append(text_of(data[span.start : span.end]))
    for marks, code, _ in begun:
        yield MetField(
            "".join(code), *_letters(pieces, marks[0].start, marks[0].end), (), ("extends beyond the paragraph")
        )


def tag_of(control: Span) -> str:
    """What a content control is called: its tag, else its title (17.5.2.42, 17.5.2.1); an empty text for none."""
    properties = inner(control, "sdtPr")
    if properties is None:
        return ""
    return (value(inner(properties, "tag")) or value(inner(properties, "alias")) or "").strip()


def controls_in(root: Span) -> Iterator[tuple[int, Span]]:
    """The content controls that hold a paragraph and no more, each with where that begins."""
    for span in root.inside(read_only=True):
        content = inner(span, "sdtContent") if span.name == "sdt" and own(span) and tag_of(span) else None
        held = content.children if content is not None else []
        if len(held) == 1 and held[0].name == "tc":  # a cell in a control
            held = [child for child in held[0].children if child.name != "tcPr"]
        if len(held) == 1 and held[0].name == "p":
            yield held[0].start, span


def control_hole(control: Span, start: int, end: int) -> OfficeHole:
    """A control that shows these characters."""
    properties = inner(control, "sdtPr")
    children = properties.children if properties is not None else []
    names = {child.name for child in children}
    lock = value(next((child for child in children if child.name == "lock"), None))
    refused = ""
    if "checkbox" in names or "picture" in names:
        refused = "is a check box or a picture, not text"
    elif "dataBinding" in names or lock in ("contentLocked", "sdtContentLocked"):
        refused = "is locked, or shows text from elsewhere in the document"
    taken = [child for child in children if child.name == "showingPlcHdr"]
    content = inner(control, "sdtContent")
    for each in content.inside() if content is not None else ():
        if each.name == "rStyle" and value(each) == _PLACEHOLDER:
            taken.append(each)
    gone = tuple(Splice(span.start, span.end, b"") for span in taken)
    return OfficeHole(tag_of(control), start, end, f'the content control "{tag_of(control)}"', gone, refused)


def _inside(paragraph: Span) -> Iterator[Span]:
    """Every element of word processing that is in the paragraph itself, not in a text box of it."""
    waiting = list(reversed(paragraph.children))
    while waiting:
        span = waiting.pop()
        if own(span) and span.name not in ("p", "del", "moveFrom", "drawing", "pict", "object"):
            yield span
            waiting += reversed(span.children)


def _without(marks: Sequence[Span], runs: Mapping[int, Span]) -> tuple[Splice, ...]:
    """What takes the marks of a field out; a run that contains nothing else goes too."""
    starts = {mark.start for mark in marks}
    found: dict[int, Splice] = {}
    for mark in marks:
        run = runs.get(mark.start)
        held = [child for child in run.children if child.name != "rPr"] if run is not None else []
        whole = run if run is not None and all(child.start in starts for child in held) else mark
        found[whole.start] = Splice(whole.start, whole.end, b"")
    return tuple(found.values())


def _letters(pieces: Sequence[RunPiece], start: int, end: int) -> tuple[int, int]:
    """The characters whose elements are between two places of the part."""
    found = [piece for piece in pieces if start <= piece.element.start < end]
    if found:
        return found[0].start, found[-1].start + len(found[-1].text)
    at = next((piece.start for piece in pieces if piece.element.start >= end), None)
    if at is None:
        at = pieces[-1].start + len(pieces[-1].text) if pieces else 0
    return at, at
