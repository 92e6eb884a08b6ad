"""Tracked changes made real, or undone: all, or those that were decided on (ISO/IEC 29500-1, 17.13.5)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Literal

from scrub.formats.spans import NotReadable, Span, parse
from scrub.formats.wordprocessing.read import MARKS, inner, own, value
from scrub.model.core.problem import Failure

#: Tracked changes of looks: what they are was recorded inside.
LOOKS_OF_CHANGES = frozenset((
    "rPrChange", "pPrChange", "sectPrChange", "tblPrChange", "tblPrExChange", "tblGridChange", "trPrChange",
    "tcPrChange", "numberingChange",
))  # fmt: skip
_STARTS, _ENDS = ("moveFromRangeStart", "moveToRangeStart"), ("moveFromRangeEnd", "moveToRangeEnd")
_RANGES = frozenset((*_STARTS, *_ENDS))
_MOVES = ("moveFrom", "moveTo")
_OF_TEXT = frozenset(("ins", "del", *_MOVES))
_CELLS = frozenset(("cellIns", "cellDel", "cellMerge"))
#: What becomes of what a tracked change contains.
_Fate = Literal["stays", "goes", "waits"]


class Resolver:
    """Makes tracked changes of a part real, or undoes them."""

    def __init__(self, data: bytes, decide: Callable[[Span], bool | None], whole: bool = False) -> None:
        """`decide` says whether a change is accepted; None for one that waits. With `whole` none does."""
        self.data = data
        self.decide = decide
        self.whole = whole
        self._moved: Mapping[int, bool] = {}  # of what belongs to a move: what was decided, by where it begins

    def made(self) -> bytes:
        """The part as it is then."""
        try:
            root = parse(self.data)
        except NotReadable:
            raise Failure("part of the document cannot be read") from None
        if not self.whole:
            self._moved = self._moves(root)
        return self.data[: root.start] + self._element(root) + self.data[root.end :]

    def _element(self, span: Span, stays: bool = False) -> bytes:
        """An element; inside a change that stays, deleted text is text again."""
        if not own(span):
            return self._whole(span, stays)
        if span.name in _CELLS and self.whole:
            raise Failure(
                "a table has tracked changes of its cells. Accept or reject them in the document's own program"
            )
        if span.name in _RANGES:
            return b"" if self.whole or span.start in self._moved else self._whole(span, stays)
        if span.name in _OF_TEXT:
            fate = self._fate(span)
            if fate != "waits":
                gone = span.name in ("del", "moveFrom")
                return self._content(span, stays or gone) if fate == "stays" else b""
        elif span.name in LOOKS_OF_CHANGES:
            return b"" if self._decided(span) is not None else self._whole(span, stays)
        refused = [child for child in span.children if child.name in LOOKS_OF_CHANGES and self._decided(child) is False]
        if refused and span.name in ("rPr", "pPr"):
            former = inner(refused[0], span.name)
            if former is not None:
                return self._former(span, former)
        elif refused:
            raise Failure(
                "a tracked change of a table or section cannot be rejected here. Reject it in the document's own "
                "program"
            )
        if span.name == "tr" and self._mark_goes(inner(span, "trPr")):
            return b""
        if stays and span.name in ("delText", "delInstrText"):
            name = f"{span.prefix}{'t' if span.name == 'delText' else 'instrText'}".encode()
            opening = self.data[span.start + 1 + len(span.raw_name.encode()) : span.open_end]
            return b"<" + name + opening + self.data[span.open_end : span.close_start] + b"</" + name + b">"
        return self._whole(span, stays)

    def _whole(self, span: Span, stays: bool) -> bytes:
        if span.open_end == span.end:
            return self.data[span.start : span.end]
        return (
            self.data[span.start : span.open_end] + self._content(span, stays) + self.data[span.close_start : span.end]
        )

    def _content(self, span: Span, stays: bool) -> bytes:
        """What is in an element; paragraphs whose end goes are joined with the next."""
        out: list[bytes] = []
        at = span.open_end
        waiting: list[bytes] = []  # the content of paragraphs that go on in the next
        has_paragraph = False
        for number, child in enumerate(span.children):
            out.append(self.data[at : child.start])
            at = child.end
            if child.name == "p" and own(child):
                later = (
                    element for element in span.children[number + 1 :] if not (own(element) and element.name in MARKS)
                )
                following = next(later, None)
                joins = self._end_goes(child) and following is not None and following.name == "p"
                properties = inner(child, "pPr")
                if joins:
                    waiting.append(self._runs(child, properties, stays))
                    continue
                if waiting:
                    head = self._element(properties, stays) if properties is not None else b""
                    name = child.raw_name.encode()
                    opening = self.data[child.start : child.open_end]
                    opening = opening[:-2].rstrip() + b">" if child.open_end == child.end else opening
                    rest = self._runs(child, properties, stays)
                    out.append(opening + head + b"".join(waiting) + rest + b"</" + name + b">")
                    waiting, has_paragraph = [], True
                    continue
                is_last = following is None or (following.name == "sectPr" and own(following))
                if is_last and has_paragraph and self._end_goes(child) and not self._keeps(child, properties, stays):
                    continue  # the last paragraph of a text has none after it to be joined with
                has_paragraph = True
            elif own(child) and child.name == "tbl":
                has_paragraph = False
            out.append(self._element(child, stays))
        out.append(self.data[at : span.close_start])
        return b"".join(out)

    def _keeps(self, paragraph: Span, properties: Span | None, stays: bool) -> bool:
        """Whether anything of a paragraph is left, or a section ends in it."""
        ends_section = properties is not None and inner(properties, "sectPr") is not None
        return ends_section or bool(self._runs(paragraph, properties, stays).strip())

    def _runs(self, paragraph: Span, properties: Span | None, stays: bool) -> bytes:
        """The content of a paragraph without its properties."""
        if paragraph.open_end == paragraph.end:
            return b""
        start = properties.end if properties is not None else paragraph.open_end
        out, at = [], start
        for child in paragraph.children:
            if child is properties:
                continue
            out += [self.data[at : child.start], self._element(child, stays)]
            at = child.end
        return b"".join([*out, self.data[at : paragraph.close_start]])

    def _end_goes(self, paragraph: Span) -> bool:
        properties = inner(paragraph, "pPr")
        look = inner(properties, "rPr") if properties is not None else None
        return self._mark_goes(look)

    def _mark_goes(self, holder: Span | None) -> bool:
        """Whether a change that is recorded for the end of a paragraph or for a row takes it away."""
        marks = (child for child in holder.children if child.name in _OF_TEXT and own(child)) if holder else ()
        return any(self._fate(mark) == "goes" for mark in marks)

    def _fate(self, change: Span) -> _Fate:
        accepted = self._decided(change)
        if accepted is None:
            return "waits"
        return "stays" if accepted == (change.name in ("ins", "moveTo")) else "goes"

    def _decided(self, change: Span) -> bool | None:
        moved = self._moved.get(change.start) if change.name in _MOVES else None
        return self.decide(change) if moved is None else moved

    def _moves(self, root: Span) -> dict[int, bool]:
        """What was decided on moves (17.13.5.21 to 17.13.5.28): whence words came and where they went is one change."""
        names: dict[int, str] = {}  # of each range mark and of what is in a range: the name of the move
        open_: dict[str, str] = {}
        by_number: dict[tuple[str, str | None], str] = {}
        for span in root.inside():
            if span.name in _STARTS:
                side = span.name.removesuffix("RangeStart")
                open_[side] = by_number[side, value(span, "id")] = names[span.start] = value(span, "name") or ""
            elif span.name in _ENDS:
                side = span.name.removesuffix("RangeEnd")
                names[span.start] = by_number.get((side, value(span, "id")), "")
                open_.pop(side, None)
            elif span.name in _MOVES and span.name in open_:
                names[span.start] = open_[span.name]
        decided = {
            names[span.start]: accepted
            for span in root.inside()
            if span.name in _MOVES and span.start in names and (accepted := self.decide(span)) is not None
        }
        return {start: decided[name] for start, name in names.items() if name in decided}

    def _former(self, span: Span, former: Span) -> bytes:
        """Properties as they were before a tracked change of them."""
        kept = b""
        if span.name == "pPr":  # the mark's look and the section are not part of what was recorded
            kept = b"".join(
                self._element(child) for child in span.children if child.name in ("rPr", "sectPr") and own(child)
            )
        opening = self.data[span.start : span.open_end]
        return opening + self.data[former.open_end : former.close_start] + kept + f"</{span.raw_name}>".encode()
