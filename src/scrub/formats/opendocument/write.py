"""A changed paragraph as splices (OpenDocument 1.3, part 3, 6.1): pieces that stay keep their bytes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import groupby, takewhile

from scrub.formats.opendocument.characters import written
from scrub.formats.opendocument.found import FoundParagraph, read_plain
from scrub.formats.opendocument.read import TEXT, SpanPiece, of, read_paragraph
from scrub.formats.opendocument.tracking import TextTracking, open_tag
from scrub.formats.spans import Span, Splice, parse_element, spliced
from scrub.formats.texts.marks import are_marked, around, bare
from scrub.formats.texts.paragraph import ATOM
from scrub.formats.texts.pieces import Pieces
from scrub.model.core.text import Fresh, Kept, Looks, Stretches

#: A text, the number of the piece whose look it has, and what was set since.
_Words = tuple[str, int, Looks]
#: In place of that number: markup that is not a text.
_MARK = -1


class ParagraphWriter:
    """Makes the splices of one paragraph's text."""

    def __init__(
        self,
        data: bytes,
        paragraph: Span,
        pieces: Sequence[SpanPiece],
        stretches: Stretches,
        style_of: Callable[[Looks], str],
    ) -> None:
        """`style_of` tells the style of words with other looks."""
        self.data = data
        self._style_of = style_of
        self.paragraph = paragraph
        self.pieces = pieces
        self.stretches = stretches
        self.prefix = paragraph.prefix
        self._places = Pieces(pieces)
        self._joints: Sequence[int] = ()

    def splices(self) -> list[Splice]:
        """All of them. Spaces at the edges of pieces that stay are rewritten where they would be lost."""
        if not self.stretches.old:
            return self._in_empty(self.content())
        contents = self._contents()
        if self.pieces[-1].end <= self.paragraph.end:
            result = list(self._made(contents, False))
            if self._is_inside(contents) or self._read_back(result) == str(self.stretches):
                return result
        return list(self._made(contents, True))

    def recorded(self, tracking: TextTracking, joints: Sequence[int] = ()) -> list[Splice]:
        """All of them, as changes that a reviewer can accept or reject. At joints of paragraphs that are one now a
        deletion ends, and another begins.
        """
        self._joints = joints
        if not self.stretches.old:
            return self._in_empty(self.recorded_content(tracking))
        return list(self._made(self._contents(tracking), True))

    def recorded_content(self, tracking: TextTracking) -> str:
        """All that an empty paragraph is to say, as an insertion."""
        content = self.content()
        return content.join(tracking.inserted()) if content else ""

    def explicit(self) -> list[Splice]:
        """All of them, with no space left that depends on what is beside it."""
        return list(self._made(self._contents(), True))

    def _is_inside(self, contents: list[list[_Words]]) -> bool:
        """Whether each change is between characters of one piece, so that no space of another depends on it."""
        for number, (piece, content) in enumerate(zip(self.pieces, contents, strict=True)):
            if len(content) == 1 and content[0] == (piece.text, number, ()):
                continue
            if any(look == _MARK for _, look, _ in content):
                return False
            whole = "".join([text for text, *_ in content])
            edges = (*whole[:1], *whole[-1:], *piece.text[:1], *piece.text[-1:])
            if whole == piece.text == "":
                continue
            if not piece.is_data or len(edges) < 4 or any(edge in " \t\n" for edge in edges):
                return False
        return True

    def _read_back(self, splices: Sequence[Splice]) -> str:
        paragraph = self.paragraph
        inside = [
            splice._replace(start=splice.start - paragraph.start, end=splice.end - paragraph.start)
            for splice in splices
        ]
        made = spliced(self.data[paragraph.start : paragraph.end], inside)
        if isinstance(paragraph, FoundParagraph):
            start, end = paragraph.open_end - paragraph.start, len(made) - (paragraph.end - paragraph.close_start)
            return read_plain(made, start, end, self.prefix, paragraph.namespaces).text
        return read_paragraph(made, parse_element(made, 0, len(made), paragraph.namespaces)).text

    def _contents(self, tracking: TextTracking | None = None) -> list[list[_Words]]:
        """What each piece is to be: texts, each with the piece whose look it has, and what was set since. With
        `tracking` there are marks, too, which have the look of none.
        """
        contents: list[list[_Words]] = [[] for _ in self.pieces]
        done = 0
        for part in self.stretches.parts:
            if isinstance(part, Kept) and part.start >= done:
                if tracking is not None and part.start > done:
                    self._delete(contents, done, part.start, tracking)
                for piece, text in self._places.within(part.start, part.end):
                    contents[piece].append((text, piece, part.looks))
                done = part.end
                continue
            like = -1 if isinstance(part, Kept) else part.like
            anchor = self._places.at(like if like >= done else max(done - 1, 0))
            start, end = tracking.inserted() if tracking is not None else ("", "")
            if start:
                contents[anchor].append((start, _MARK, ()))
            if isinstance(part, Kept):
                contents[anchor] += [
                    (text, piece, part.looks) for piece, text in self._places.within(part.start, part.end)
                ]
            else:
                contents[anchor].append((part.text, self._places.at(part.like), part.looks))
            if end:
                contents[anchor].append((end, _MARK, ()))
        if tracking is not None and done < len(self.stretches.old):
            self._delete(contents, done, len(self.stretches.old), tracking)
        return _with_marks(contents) if are_marked(self.stretches) else contents

    def _delete(self, contents: list[list[_Words]], start: int, end: int, tracking: TextTracking) -> None:
        for stop in (*(each for each in self._joints if start < each < end), end):
            contents[self._places.at(start)].append(self._deleted(start, stop, tracking))
            start = stop

    def _deleted(self, start: int, end: int, tracking: TextTracking) -> _Words:
        """The mark of characters that go, which are listed with their looks."""
        words: list[str] = []
        for number, text in self._places.within(start, end):
            piece = self.pieces[number]
            if text == ATOM and not piece.is_data:
                words.append(self.data[piece.begin : piece.end].decode())
                continue
            spans = [span for span in piece.chain if of(span, TEXT, "span")]
            opened = "".join(self.data[span.start : span.open_end].decode() for span in spans)
            closed = "".join(f"</{span.raw_name}>" for span in reversed(spans))
            words.append(f"{opened}{written(text, self.prefix)}{closed}")
        paragraph = self.paragraph
        whole = f"{open_tag(self.data, paragraph)}{''.join(words)}</{paragraph.raw_name}>"
        return tracking.deleted(whole), _MARK, ()

    def _made(self, contents: list[list[_Words]], edges: bool) -> Iterator[Splice]:
        for number, (piece, content) in enumerate(zip(self.pieces, contents, strict=True)):
            whole = "".join(text for text, *_ in content)
            same = whole == piece.text and all((look, looks) == (number, ()) for _, look, looks in content)
            if same and not (edges and self._may_collapse(piece)):
                continue
            if piece.text == ATOM and not piece.is_data:
                yield from self._round_atom(number, content)
            else:
                made = [
                    self._looking(number, "".join(text for text, *_ in words), *look)
                    for look, words in groupby(content, key=lambda each: each[1:])
                ]
                yield Splice(piece.begin, piece.end, "".join(made).encode())

    def _may_collapse(self, piece: SpanPiece) -> bool:
        """Whether spaces of a piece depend on what is beside it."""
        return piece.is_data and self.data[piece.begin : piece.end] != written(piece.text, self.prefix).encode()

    def _round_atom(self, number: int, content: list[_Words]) -> Iterator[Splice]:
        """Text at a picture or a note, which stays as it is."""
        piece, place = self.pieces[number], -1
        for text, look, looks in content:
            if text == ATOM and look == number:
                place = piece.end
                continue
            at = piece.begin if place < 0 else place
            yield Splice(at, at, self._looking(number, text, look, looks).encode())
        if place < 0:
            yield Splice(piece.begin, piece.end, b"")

    def _looking(self, at: int, text: str, look: int, looks: Looks) -> str:
        """Text at a piece with the look of another: its spans are opened for it, those of the place closed."""
        if look == _MARK:
            return text
        here, there = self.pieces[at].chain, self.pieces[look].chain
        if look == at or here == there:
            return self._written(text, looks)
        shared = [a for a, b in takewhile(lambda pair: pair[0] is pair[1], zip(here, there, strict=False))]
        closed = [span for span in here[len(shared) :] if of(span, TEXT, "span")]
        opened = [span for span in there[len(shared) :] if of(span, TEXT, "span")]
        if len(closed) != len(here) - len(shared):
            closed = []  # inside a link the words stay in it
        close = "".join(f"</{span.raw_name}>" for span in reversed(closed))
        again = "".join(self.data[span.start : span.open_end].decode() for span in closed)
        start = "".join(self.data[span.start : span.open_end].decode() for span in opened)
        end = "".join(f"</{span.raw_name}>" for span in reversed(opened))
        return f"{close}{start}{self._written(text, looks)}{end}{again}"

    def _written(self, text: str, looks: Looks) -> str:
        """Text, in a span of its own where it was given other looks."""
        content, p = written(text, self.prefix), self.prefix
        if not looks or not text:
            return content
        return f'<{p}span {p}style-name="{self._style_of(looks)}">{content}</{p}span>'

    def content(self) -> str:
        """All that an empty paragraph is to say."""
        fresh = [part for part in self.stretches.parts if isinstance(part, Fresh)]
        marks = around(each.looks for each in fresh)
        return "".join(
            f"{opening}{self._written(each.text, bare(each.looks))}{closing}"
            for each, (opening, closing) in zip(fresh, marks, strict=True)
        )

    def _in_empty(self, content: str) -> list[Splice]:
        if not content:
            return []
        paragraph = self.paragraph
        if paragraph.open_end == paragraph.end:
            opening = self.data[paragraph.start : paragraph.open_end - 2].rstrip().decode() + ">"
            return [Splice(paragraph.start, paragraph.end, f"{opening}{content}</{paragraph.raw_name}>".encode())]
        return [Splice(paragraph.close_start, paragraph.close_start, content.encode())]


def _with_marks(contents: Sequence[Sequence[_Words]]) -> list[list[_Words]]:
    """The new XML of each piece, with the elements around marked words."""
    result: list[list[_Words]] = [[] for _ in contents]
    every = [(piece, words) for piece, some in enumerate(contents) for words in some]
    for (piece, (text, look, looks)), marks in zip(every, around(looks for _, (*_, looks) in every), strict=True):
        opening, closing = ((mark, _MARK, ()) for mark in marks)
        result[piece] += [each for each in (opening, (text, look, bare(looks)), closing) if each[0] or each[1] != _MARK]
    return result


def explicit(data: bytes, paragraph: Span) -> list[Splice]:
    """What writes the spaces of a paragraph so that they no longer depend on what is beside them."""
    read = paragraph.read() if isinstance(paragraph, FoundParagraph) else read_paragraph(data, paragraph)
    return ParagraphWriter(data, paragraph, read.pieces, Stretches(read.text), str).explicit() if read.text else []
