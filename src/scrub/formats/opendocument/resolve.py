"""Tracked changes of an Open Document made real, or undone (OpenDocument 1.3, part 3, 5.5)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from scrub.formats.opendocument.found import parse_text
from scrub.formats.opendocument.read import OFFICE, TABLE, TEXT, Read, is_paragraph, of, read_paragraph, value
from scrub.formats.opendocument.write import explicit
from scrub.formats.spans import FoundSpan, NotReadable, Span, Splice, outside, spliced
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_MARKS = ("change", "change-start", "change-end")
#: What can be between two paragraphs that a deletion brings back.
_BESIDE = frozenset(((TEXT, "list"), (TABLE, "table"), (TEXT, "section")))


class Region(NamedTuple):
    """A tracked change as it is listed: its id, the element that says what was done, and that of the list."""

    id: str
    done: Span
    span: Span

    @property
    def sort(self) -> str:
        """What was done: an insertion, a deletion, or a change of looks."""
        return self.done.name


class Mark(NamedTuple):
    """A mark in the text, with the elements that it is in, from the outermost."""

    span: Span
    above: tuple[Span, ...]

    @property
    def paragraph(self) -> Span | None:
        """None for a mark between paragraphs."""
        return next((span for span in reversed(self.above) if is_paragraph(span)), None)


def id_of(region: Span) -> str:
    """What marks name a change by (5.5.7)."""
    return value(region, "id") or region.attributes.get("xml:id", "")


def regions_in(root: Span) -> list[Region]:
    """The tracked changes, as they are listed (5.5.2)."""
    listed = (span for span in root.inside(read_only=True) if of(span, TEXT, "changed-region"))
    sorts = ("insertion", "deletion", "format-change")
    return [
        Region(id_of(region), done, region)
        for region in listed
        for done in region.children
        if done.uri == TEXT and done.name in sorts
    ]


def marks_in(root: Span) -> dict[str, dict[str, Mark]]:
    """The marks of each change, by the name of each."""
    marks: dict[str, dict[str, Mark]] = {}
    waiting: list[tuple[Span, tuple[Span, ...]]] = [(root, ())]
    while waiting:
        span, above = waiting.pop()
        if span.uri == TEXT and span.name in _MARKS:
            marks.setdefault(value(span, "change-id") or "", {}).setdefault(span.name, Mark(span, above))
        if not isinstance(span, FoundSpan):
            waiting += [(child, (*above, span)) for child in reversed(span.children)]
    return marks


def resolved(data: bytes, decided: Mapping[int, bool] | bool) -> bytes:
    """A part with its changes accepted or rejected: all of them, or those that begin at these places."""
    try:
        return _Resolver(data, decided).made()
    except NotReadable:
        raise Failure("part of the document cannot be read") from None


class _Resolver:
    """Three steps, each of which reads the part again: spaces become what they are wherever they are, insertions that
    are refused go, and all other changes are done.
    """

    def __init__(self, data: bytes, decided: Mapping[int, bool] | bool) -> None:
        self._data = data
        regions = regions_in(parse_text(data))
        known = {
            region.id: decided if isinstance(decided, bool) else decided.get(region.span.start) for region in regions
        }
        self._accepted = {id_: each for id_, each in known.items() if each is not None}
        for region in regions:
            if region.sort == "format-change" and self._accepted.get(region.id) is False:
                raise Failure(
                    "a tracked change of formatting cannot be rejected: an OpenDocument file does not store the "
                    "earlier formatting. Accept it"
                )

    def made(self) -> bytes:
        """The part as it is then."""
        if not self._accepted:
            return self._data
        refused = {id_ for id_, accepted in self._accepted.items() if not accepted}
        if refused:
            self._do(self._explicit, refused)
            self._do(self._without, refused)
        self._do(self._rest, refused)
        return self._data

    def _do(self, step: object, refused: set[str]) -> None:
        root = parse_text(self._data)
        splices = list(step(root, regions_in(root), marks_in(root), refused))  # type: ignore[operator]
        gone = sorted(
            (splice for splice in splices if splice.start < splice.end), key=lambda each: (each.start, -each.end)
        )
        whole: list[Splice] = []
        for each in gone:  # a deleted range takes its contents along
            if not whole or each.start >= whole[-1].end:
                whole.append(each)
            elif each.end > whole[-1].end:
                raise Failure("tracked changes overlap. Accept or reject them in the document's own program")
        whole += outside(whole, (splice for splice in splices if splice.start == splice.end))
        self._data = spliced(self._data, whole)

    def _explicit(
        self, root: Span, regions: Sequence[Region], marks: Mapping[str, Mapping[str, Mark]], refused: set[str]
    ) -> Iterator[Splice]:
        """Spaces that depend on what is beside them are written as elements."""
        touched = [mark.paragraph for id_ in refused for mark in marks.get(id_, {}).values()]
        for region in regions:
            if region.id in refused and region.sort == "deletion":
                touched += [child for child in region.done.children if is_paragraph(child)]
        for paragraph in {span.start: span for span in touched if span is not None}.values():
            yield from explicit(self._data, paragraph)

    def _without(
        self, root: Span, regions: Sequence[Region], marks: Mapping[str, Mapping[str, Mark]], refused: set[str]
    ) -> Iterator[Splice]:
        """Insertions that are refused go, with what lists them."""
        for region in regions:
            if region.sort == "insertion" and region.id in refused:
                yield Splice(region.span.start, region.span.end, b"")
                found = marks.get(region.id, {})
                start, end = found.get("change-start"), found.get("change-end")
                if start is None or end is None:
                    if "change" in found:  # a mark of nothing
                        yield _gone(found["change"].span)
                    continue
                if end.span.start < start.span.end:
                    raise _amiss()
                yield from self._cut_out(start, end)

    def _cut_out(self, start: Mark, end: Mark) -> Iterator[Splice]:
        first, last = start.paragraph, end.paragraph
        if first is None or last is None:
            if start.above[-1] is not end.above[-1]:
                raise _amiss()
            yield Splice(start.span.start, end.span.end, b"")
        elif first is last:
            yield from _cut(first, start.span.start, end.span.end)
        else:
            above, below = _apart(start.above, first), _apart(end.above, last)
            shared = sum(1 for one, other in zip(above, below, strict=False) if one is other)
            sides = [[span.raw_name for span in side[shared:]] for side in (above, below)]
            if sides[0] != sides[1] or any(span.uri == TABLE for span in (*above[shared:], *below[shared:])):
                raise Failure(
                    "a tracked insertion crosses the edge of a table or list. Reject it in the document's own program"
                )
            if shared == len(above) == len(below) and _is_bare(self._data, first, start.span.start):
                yield Splice(first.start, last.start, b"")  # the paragraph came with what was inserted
                yield from _cut(last, last.open_end, end.span.end)
                return
            yield from _cut(first, start.span.start, first.close_start)
            yield Splice(first.close_start, last.open_end, b"")
            yield from _cut(last, last.open_end, end.span.end)
            if first.raw_name != last.raw_name:
                yield Splice(last.close_start, last.end, f"</{first.raw_name}>".encode())

    def _rest(
        self, root: Span, regions: Sequence[Region], marks: Mapping[str, Mapping[str, Mark]], refused: set[str]
    ) -> Iterator[Splice]:
        """All that is left: marks and what lists them go, and what was deleted comes back where that is refused."""
        for region in regions:
            found = marks.get(region.id, {})
            if region.id not in self._accepted and found:
                continue
            yield Splice(region.span.start, region.span.end, b"")
            mark = found.get("change")
            if region.id in refused and region.sort == "deletion" and mark is not None:
                yield from self._brought_back(region, mark)
            else:
                yield from (_gone(each.span) for each in found.values())

    def _brought_back(self, region: Region, mark: Mark) -> Iterator[Splice]:
        content = [child for child in region.done.children if not of(child, OFFICE, "change-info")]
        data, paragraph = self._data, mark.paragraph
        if not content:
            yield _gone(mark.span)
            return
        if paragraph is None:
            yield Splice(mark.span.start, mark.span.end, data[content[0].start : content[-1].end])
            return
        whole = all(is_paragraph(span) or (span.uri, span.name) in _BESIDE for span in content)
        if not whole or not is_paragraph(content[0]) or not is_paragraph(content[-1]):
            raise Failure(
                "a tracked deletion starts or ends in a table or list. Reject it in the document's own program"
            )
        words = _inside(data, content[0])
        if len(content) == 1:
            yield Splice(mark.span.start, mark.span.end, words)
            return
        if any(not is_paragraph(span) for span in content) and (
            mark.above[mark.above.index(paragraph) - 1].uri == TEXT
        ):
            raise Failure("a tracked deletion contains a table in a list. Reject it in the document's own program")
        inner, last = mark.above[mark.above.index(paragraph) + 1 :], content[-1]
        closed = (
            "".join(f"</{span.raw_name}>" for span in reversed(inner)).encode() + f"</{paragraph.raw_name}>".encode()
        )
        opened = b"".join(data[span.start : span.open_end] for span in inner)
        tag = data[last.start : last.open_end]
        tag = tag[:-2].rstrip() + b">" if tag.endswith(b"/>") else tag
        between = b"".join(data[span.start : span.end] for span in content[1:-1])
        yield Splice(mark.span.start, mark.span.end, words + closed + between + tag + _inside(data, last) + opened)
        if last.raw_name != paragraph.raw_name:
            yield Splice(paragraph.close_start, paragraph.end, f"</{last.raw_name}>".encode())


def _apart(above: tuple[Span, ...], paragraph: Span) -> tuple[Span, ...]:
    """What a paragraph is in."""
    return above[: above.index(paragraph)]


def _gone(span: Span) -> Splice:
    return Splice(span.start, span.end, b"")


def _inside(data: bytes, span: Span) -> bytes:
    return data[span.open_end : span.close_start]


def _is_bare(data: bytes, paragraph: Span, end: int) -> bool:
    """Whether nothing that is seen is in a paragraph before a place, and no mark of another change."""
    read: Read = read_paragraph(data, paragraph)
    marked = any(span.uri == TEXT and span.name in _MARKS and span.end <= end for span in paragraph.inside())
    return not marked and not any(piece.text for piece in read.pieces if piece.begin < end)


def _cut(span: Span, start: int, end: int) -> Iterator[Splice]:
    """What removes all between two places of an element, but the tags of what goes over them."""
    at = max(span.open_end, start)
    for child in span.children:
        if child.end <= start or child.start >= end:
            continue
        if at < child.start:
            yield Splice(at, child.start, b"")
        if start <= child.start and child.end <= end:
            yield _gone(child)
        else:
            yield from _cut(child, start, end)
        at = child.end
    if at < min(end, span.close_start):
        yield Splice(at, min(end, span.close_start), b"")


def _amiss() -> Failure:
    return Failure("a tracked change is damaged. Accept or reject it in the document's own program")
