"""A changed paragraph as splices: characters that stay keep their elements, new ones look like those they replace."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby

from scrub.formats.spans import Ordered, Span, Splice, spliced
from scrub.formats.texts.marks import are_marked, around, bare
from scrub.formats.texts.pieces import Pieces
from scrub.formats.wordprocessing.looks import properties_of
from scrub.formats.wordprocessing.read import RunPiece, inner, own
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.xmltext import escaped_text
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.text import Fresh, Kept, Looks, Stretches

#: How characters are written that are elements (17.3.3).
_ELEMENTS = {
    "\t": "tab", "\n": "br", "\r": "br", "\r\n": "br", "\u2011": "noBreakHyphen", "\u00ad": "softHyphen",
}  # fmt: skip
SPECIAL = lazy_pattern("(\r\n|[\t\n\r\u2011\u00ad])")


#: What becomes of some characters of a run; or what is between runs, and is not a text.
KEPT, NEW, GONE, MARK = "kept", "new", "gone", "mark"


class Bit(NamedTuple):
    """Characters of a paragraph as it is to be: what becomes of them, and the run whose look they have."""

    sort: str
    text: str
    look: Span
    looks: Looks = ()  # what is other about it


_NONE = Ordered()


class ParagraphWriter:
    """Makes the splices of one paragraph's text; with `tracking` what goes stays, as tracked changes."""

    def __init__(
        self,
        data: bytes,
        paragraph: Span,
        pieces: Sequence[RunPiece],
        stretches: Stretches,
        tracking: Tracking | None = None,
        gone: frozenset[int] = frozenset(),
        edits: Ordered = _NONE,
    ) -> None:
        """`gone` is where elements begin that go, whatever they hold; `edits` is what is done to others."""
        self.data = data
        self.paragraph = paragraph
        self.pieces = pieces
        self.stretches = stretches
        self.tracking = tracking
        self.gone = gone
        self.edits = edits
        self.prefix = paragraph.prefix
        self._places = Pieces(pieces)

    def splices(self) -> list[Splice]:
        """What makes the paragraph say what it is to say, from its beginning to its end."""
        if not self.pieces:
            return self._in_empty()
        contents = self._contents()
        if are_marked(self.stretches):
            contents = _with_marks(contents)
        result: list[Splice] = []
        for run, group in groupby(zip(self.pieces, contents, strict=True), lambda pair: pair[0].run):
            pairs = list(group)
            if not all(_is_same(piece, content) for piece, content in pairs):
                result += self._run(run, pairs) if run.name == "r" else self._beside(pairs)
        return result

    def _contents(self) -> list[list[Bit]]:
        """What each piece is to be."""
        contents: list[list[Bit]] = [[] for _ in self.pieces]
        parts = self.stretches.parts
        done, whole = 0, len(self.stretches.old)  # old characters that are dealt with, and all
        for part, in_order, following in _with_the_next(parts, whole):
            if self.tracking is not None or in_order:
                self._gone(done, following, contents)
                done = max(done, following)
            if isinstance(part, Kept) and in_order:
                for piece, text in self._places.within(part.start, part.end):
                    contents[piece].append(Bit(KEPT, text, self.pieces[piece].run, part.looks))
                done = part.end
                continue
            like = part.like if isinstance(part, Fresh) else -1
            anchor = self._places.at(like if like >= done else max(done - 1, 0))
            sort = NEW if self._records(self.pieces[anchor].inside) else KEPT
            if isinstance(part, Kept):
                for piece, text in self._places.within(part.start, part.end):
                    contents[anchor].append(Bit(sort, text, self.pieces[piece].run, part.looks))
            else:
                contents[anchor].append(Bit(sort, part.text, self.pieces[self._places.at(part.like)].run, part.looks))
        self._gone(done, whole, contents)
        return contents

    def _gone(self, start: int, end: int, contents: list[list[Bit]]) -> None:
        """Old characters that go: they stay as recorded deletions where changes are recorded."""
        if self.tracking is None or start >= end:
            return
        for piece, text in self._places.within(start, end):
            if self._records(self.pieces[piece].inside):
                contents[piece].append(Bit(GONE, text, self.pieces[piece].run))

    def _records(self, inside: Span | None) -> bool:
        """Whether a change is recorded here: not in an insertion of one's own, which is just changed."""
        return self.tracking is not None and not self.tracking.is_own(inside)

    def _run(self, run: Span, pairs: list[tuple[RunPiece, list[Bit]]]) -> list[Splice]:
        """The new XML of a run. Text of another look is in a run of its own; a run without anything goes."""
        by_element = {id(piece.element): (piece, content) for piece, content in pairs}
        inside = pairs[0][0].inside
        out: list[tuple[str, str, str]] = []  # what becomes of each stretch, its look, its elements
        own_look = self._look(run)
        for child in run.children:
            if child.name == "rPr" and own(child):
                continue
            if child.start in self.gone:
                continue
            piece, content = by_element.get(id(child), (None, []))
            as_it_is = self._as_it_is(child)
            if piece is None:
                out.append((KEPT, own_look, as_it_is))
                continue
            for sort, text, look, looks in _merged(content) if piece.is_text and len(content) > 1 else content:
                if sort == MARK:
                    out.append((MARK, "", text))
                    continue
                same = sort == KEPT and text == piece.text and look is run and not looks
                written = as_it_is if same else elements_of(text, self.prefix, sort == GONE)
                if not piece.is_text and (sort == GONE or (look is run and text == piece.text)):
                    written = as_it_is
                of_run = own_look if look is run and not looks else self._look(look, looks, sort == KEPT, inside)
                out.append((sort, of_run, written))
        opening = self.data[run.start : run.open_end].decode()
        text = ""
        for (sort, look), group in groupby(out, lambda each: each[:2]):
            if sort == MARK:
                text += "".join(each for _, _, each in group)
                continue
            start = opening if look == own_look and sort != NEW else f"<{self.prefix}r>"
            whole = f"{start}{look}{''.join(each for _, _, each in group)}</{run.raw_name}>"
            text += self._wrapped(sort, whole, run, inside)
        return [Splice(run.start, run.end, text.encode())]

    def _as_it_is(self, child: Span) -> str:
        """An element of a run, with what is done to it besides."""
        raw = self.data[child.start : child.end]
        inside = self.edits.within(child.start, child.end)
        if inside:
            at = child.start
            raw = spliced(raw, [Splice(splice.start - at, splice.end - at, splice.new) for splice in inside])
        return raw.decode()

    def _wrapped(self, sort: str, run: str, of: Span, inside: Span | None) -> str:
        """A run as a tracked change. In an insertion of somebody else a deletion nests; an insertion is beside."""
        tracking, p = self.tracking, self.prefix
        if sort == KEPT or tracking is None:
            return run
        if sort == GONE:
            return f"<{p}del{tracking.attributes(p)}>{run}</{p}del>"
        fresh = f"<{p}ins{tracking.attributes(p)}>{run}</{p}ins>"
        if inside is None or not any(child is of for child in inside.children):
            return fresh
        again = self.data[inside.start : inside.open_end].decode()
        return f"</{inside.raw_name}>{fresh}{again}"

    def _beside(self, pairs: list[tuple[RunPiece, list[Bit]]]) -> list[Splice]:
        """Text at a formula, which is beside runs and not in one."""
        p, found = self.prefix, []
        for piece, content in pairs:
            out = ""
            for sort, text, look, looks in content:
                if sort == MARK:
                    out += text
                    continue
                as_it_is = self.data[piece.element.start : piece.element.end].decode()
                if sort == KEPT and text == piece.text and look is piece.run:
                    out += as_it_is
                    continue
                look_of = self._look(look, looks) if look.name == "r" or looks else ""
                run = f"<{p}r>{look_of}{elements_of(text, p, sort == GONE)}</{p}r>"
                out += self._wrapped(sort, run, piece.run, piece.inside)
            found.append(Splice(piece.element.start, piece.element.end, out.encode()))
        return found

    def _look(self, run: Span, looks: Looks = (), kept: bool = False, inside: Span | None = None) -> str:
        """The properties of a run, as they are written; other looks of text that is kept are recorded."""
        if looks:
            tracking = self.tracking if kept and self._records(inside) else None
            look = inner(run, "rPr") if run.name == "r" else None  # a formula has none
            return properties_of(self.data, look.children if look is not None else (), looks, self.prefix, tracking)
        look = inner(run, "rPr")
        if look is None:
            return ""
        gone = [
            Splice(child.start - look.start, child.end - look.start, b"")
            for child in look.children
            if child.start in self.gone
        ]
        return spliced(self.data[look.start : look.end], gone).decode()

    def _in_empty(self) -> list[Splice]:
        """Runs in a paragraph without text: after its properties, with the look of its mark."""
        fresh = [part for part in self.stretches.parts if isinstance(part, Fresh)]
        if not fresh:
            return []
        p, paragraph = self.prefix, self.paragraph
        content = ""
        for each, (opening, closing) in zip(fresh, around(each.looks for each in fresh), strict=True):
            run = f"<{p}r>{self._mark_look(bare(each.looks))}{elements_of(each.text, p)}</{p}r>"
            if self.tracking is not None:
                run = f"<{p}ins{self.tracking.attributes(p)}>{run}</{p}ins>"
            content += f"{opening}{run}{closing}"
        if paragraph.open_end == paragraph.end:
            start = self.data[paragraph.start : paragraph.open_end - 2].rstrip().decode() + ">"
            return [Splice(paragraph.start, paragraph.end, f"{start}{content}</{paragraph.raw_name}>".encode())]
        properties = inner(paragraph, "pPr")
        at = properties.end if properties is not None else paragraph.open_end
        return [Splice(at, at, content.encode())]

    def _mark_look(self, looks: Looks = ()) -> str:
        """The look of the paragraph's mark, without what only a mark has (17.3.1.29), and with other looks."""
        properties = inner(self.paragraph, "pPr")
        look = inner(properties, "rPr") if properties is not None else None
        children = look.children if look is not None else []
        kept = [child for child in children if child.name not in ("ins", "del", "moveFrom", "moveTo", "rPrChange")]
        if looks:
            return properties_of(self.data, kept, looks, self.prefix, None)
        content = "".join(self.data[span.start : span.end].decode() for span in kept)
        return f"<{self.prefix}rPr>{content}</{self.prefix}rPr>" if content else ""


def _with_marks(contents: Sequence[Sequence[Bit]]) -> list[list[Bit]]:
    """The new XML of each piece, with the elements around marked words."""
    result: list[list[Bit]] = [[] for _ in contents]
    every = [(piece, bit) for piece, bits in enumerate(contents) for bit in bits]
    for (piece, bit), (opening, closing) in zip(every, around(bit.looks for _, bit in every), strict=True):
        bits = (
            Bit(MARK, opening, bit.look), bit._replace(looks=bare(bit.looks)), Bit(MARK, closing, bit.look)
        )  # fmt: skip
        result[piece] += [each for each in bits if each.sort != MARK or each.text]
    return result


def _with_the_next(parts: Sequence[Kept | Fresh], whole: int) -> list[tuple[Kept | Fresh, bool, int]]:
    """Each stretch, whether it is kept in its order, and where the next one begins that is: itself, or one after."""
    at, in_order = 0, []
    for part in parts:
        in_order.append(isinstance(part, Kept) and part.start >= at)
        at = part.end if isinstance(part, Kept) and in_order[-1] else at
    found, following = [], whole
    for part, kept in zip(reversed(parts), reversed(in_order), strict=True):
        following = part.start if isinstance(part, Kept) and kept else following
        found.append((part, kept, following))
    return found[::-1]


def _is_same(piece: RunPiece, content: list[Bit]) -> bool:
    """Whether a piece stays as it is."""
    if len(content) == 1:
        return content[0] == (KEPT, piece.text, piece.run, ())
    return _merged(content) == [(KEPT, piece.text, piece.run, ())]


def elements_of(text: str, prefix: str, gone: bool = False) -> str:
    """Characters as the elements of a run (17.3.3.31), or of one that is recorded as deleted (17.3.3.7)."""
    name_of_text = "delText" if gone else "t"
    if not SPECIAL.search(text):
        return text_element(text, prefix, name_of_text) if text else ""
    out = ""
    for each in SPECIAL.split(text):
        if each in _ELEMENTS:
            out += f"<{prefix}{_ELEMENTS[each]}/>"
        elif each:
            out += text_element(each, prefix, name_of_text)
    return out


def text_element(text: str, prefix: str, name: str = "t") -> str:
    """Text without special characters as one element; its spaces are kept (17.3.3.31)."""
    keep = ' xml:space="preserve"' if text != text.strip() or "  " in text else ""
    return f"<{prefix}{name}{keep}>{escaped_text(text)}</{prefix}{name}>"


def _merged(content: list[Bit]) -> list[Bit]:
    """Neighbours of one kind and one run made one."""
    bits: list[Bit] = []
    for bit in content:
        if bits and (bits[-1].look is bit.look and bits[-1].sort == bit.sort and bits[-1].looks == bit.looks):
            bits[-1] = bit._replace(text=bits[-1].text + bit.text)
        else:
            bits.append(bit)
    return bits
