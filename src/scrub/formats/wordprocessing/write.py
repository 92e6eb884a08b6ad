"""A changed paragraph as splices: characters that stay keep their elements, new ones look like those they replace."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby

from scrub.formats.spans import Span, Splice
from scrub.formats.wordprocessing.read import Piece, inner, own
from scrub.formats.xmltext import escaped_text
from scrub.model.text import Fresh, Kept, Stretches

#: How characters are written that are elements (17.3.3).
_ELEMENTS = {"\t": "tab", "\n": "br", "\u2011": "noBreakHyphen", "\u00ad": "softHyphen"}


class ParagraphWriter:
    """Makes the splices of one paragraph."""

    def __init__(self, data: bytes, paragraph: Span, pieces: Sequence[Piece], stretches: Stretches) -> None:
        self.data = data
        self.paragraph = paragraph
        self.pieces = pieces
        self.stretches = stretches
        self.prefix = paragraph.prefix

    def splices(self) -> list[Splice]:
        """All of them."""
        if not self.pieces:
            return self._in_empty(str(self.stretches))
        contents: list[list[tuple[str, Span]]] = [[] for _ in self.pieces]  # the text that each piece is to be
        done = 0  # old characters that are dealt with
        for part in self.stretches.parts:
            if isinstance(part, Kept) and part.start >= done:
                for number, text in self._kept(part.start, part.end):
                    contents[number].append((text, self.pieces[number].run))
                done = part.end
                continue
            moved = part if isinstance(part, Kept) else None
            like = part.like if isinstance(part, Fresh) else -1
            anchor = self._piece_at(like if like >= done else max(done - 1, 0))
            if moved is not None:
                for number, text in self._kept(moved.start, moved.end):
                    contents[anchor].append((text, self.pieces[number].run))
            elif isinstance(part, Fresh):
                contents[anchor].append((part.text, self.pieces[self._piece_at(part.like)].run))
        found: list[Splice] = []
        for run, group in groupby(zip(self.pieces, contents, strict=True), lambda pair: pair[0].run):
            pairs = list(group)
            if any(_merged(content) != [(piece.text, run)] for piece, content in pairs):
                found += self._run(run, pairs) if run.name == "r" else self._beside(pairs)
        return found

    def _kept(self, start: int, end: int) -> Iterator[tuple[int, str]]:
        """The pieces that a range of old characters stands in, each with its part of the text."""
        for number, piece in enumerate(self.pieces):
            first, last = max(start, piece.start), min(end, piece.start + len(piece.text))
            if first < last:
                yield number, piece.text[first - piece.start : last - piece.start]

    def _piece_at(self, place: int) -> int:
        return next(
            (number for number, each in enumerate(self.pieces) if each.start <= place < each.start + len(each.text)),
            len(self.pieces) - 1,
        )

    def _run(self, run: Span, pairs: list[tuple[Piece, list[tuple[str, Span]]]]) -> list[Splice]:
        """A run made what it is to be. Text of another look stands in a run of its own; a run without anything goes."""
        by_element = {id(piece.element): (piece, content) for piece, content in pairs}
        looks: list[tuple[str, str]] = []  # the look of each stretch, and its elements
        own_look = self._look(run)
        for child in run.children:
            if child.name == "rPr" and own(child):
                continue
            piece, content = by_element.get(id(child), (None, []))
            as_it_is = self.data[child.start : child.end].decode()
            if piece is None:
                looks.append((own_look, as_it_is))
                continue
            for text, look in _merged(content) if piece.is_text else content:
                same = text == piece.text and look is run
                looks.append((self._look(look), as_it_is if same else elements_of(text, self.prefix)))
        p, opening = self.prefix, self.data[run.start : run.open_end].decode()
        out = []
        for look, group in groupby(looks, lambda pair: pair[0]):
            start = opening if look == own_look else f"<{p}r>"
            out.append(f"{start}{look}{''.join(each for _, each in group)}</{run.raw_name}>")
        return [Splice(run.start, run.end, "".join(out).encode())]

    def _beside(self, pairs: list[tuple[Piece, list[tuple[str, Span]]]]) -> list[Splice]:
        """Text at a formula, which stands beside runs and not in one."""
        p, found = self.prefix, []
        for piece, content in pairs:
            out = []
            for text, look in content:
                same = text == piece.text and look is piece.run
                as_it_is = self.data[piece.element.start : piece.element.end].decode()
                look_of = self._look(look) if look.name == "r" else ""
                out.append(as_it_is if same else f"<{p}r>{look_of}{elements_of(text, p)}</{p}r>")
            found.append(Splice(piece.element.start, piece.element.end, "".join(out).encode()))
        return found

    def _look(self, run: Span) -> str:
        """The properties of a run, as they are written."""
        look = inner(run, "rPr")
        return self.data[look.start : look.end].decode() if look is not None else ""

    def _in_empty(self, text: str) -> list[Splice]:
        """A run in a paragraph without text: behind its properties, with the look of its mark."""
        if not text:
            return []
        p, paragraph = self.prefix, self.paragraph
        run = f"<{p}r>{self._mark_look()}{elements_of(text, p)}</{p}r>"
        if paragraph.open_end == paragraph.end:
            opening = self.data[paragraph.start : paragraph.open_end - 2].rstrip().decode() + ">"
            return [Splice(paragraph.start, paragraph.end, f"{opening}{run}</{paragraph.raw_name}>".encode())]
        properties = inner(paragraph, "pPr")
        at = properties.end if properties is not None else paragraph.open_end
        return [Splice(at, at, run.encode())]

    def _mark_look(self) -> str:
        """The look of the paragraph's mark, without what only a mark has (17.3.1.29)."""
        properties = inner(self.paragraph, "pPr")
        look = inner(properties, "rPr") if properties is not None else None
        if look is None:
            return ""
        kept = [each for each in look.children if each.name not in ("ins", "del", "moveFrom", "moveTo", "rPrChange")]
        content = "".join(self.data[each.start : each.end].decode() for each in kept)
        return f"<{self.prefix}rPr>{content}</{self.prefix}rPr>" if content else ""


def elements_of(text: str, prefix: str) -> str:
    """Characters as the elements of a run (17.3.3.31)."""
    out: list[str] = []
    plain: list[str] = []

    def flush() -> None:
        if plain:
            joined = "".join(plain)
            keep = ' xml:space="preserve"' if joined != joined.strip() or "  " in joined else ""
            out.append(f"<{prefix}t{keep}>{escaped_text(joined)}</{prefix}t>")
            plain.clear()

    for letter in text.replace("\r\n", "\n").replace("\r", "\n"):
        name = _ELEMENTS.get(letter)
        if name is None:
            plain.append(letter)
            continue
        flush()
        out.append(f"<{prefix}{name}/>")
    flush()
    return "".join(out)


def _merged(content: list[tuple[str, Span]]) -> list[tuple[str, Span]]:
    """Neighbours of one run made one."""
    found: list[tuple[str, Span]] = []
    for text, run in content:
        if found and found[-1][1] is run:
            found[-1] = (found[-1][0] + text, run)
        else:
            found.append((text, run))
    return found
