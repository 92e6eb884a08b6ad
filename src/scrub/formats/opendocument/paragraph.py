"""A paragraph of an Open Document (OpenDocument 1.3, part 3, 5.1)."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from itertools import accumulate, pairwise

from scrub.formats.edited_part import EditedPart
from scrub.formats.opendocument.characters import written
from scrub.formats.opendocument.found import FoundParagraph
from scrub.formats.opendocument.looks import TextLooks, checked, ensure_frame
from scrub.formats.opendocument.read import (
    MOST_LEVELS,
    TEXT,
    Read,
    SpanPiece,
    attribute,
    margins_in,
    of,
    read_paragraph,
    value,
)
from scrub.formats.opendocument.styles import TextStyles
from scrub.formats.opendocument.tracking import TextTracking, bare, open_tag
from scrub.formats.opendocument.write import ParagraphWriter, explicit
from scrub.formats.spans import Span, Splice, escaped, spliced, whole, with_attributes
from scrub.formats.texts.pieced import PiecedDocument, PiecedParagraph
from scrub.model.core.lazy_property import lazy_property
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.text import Edit, Looks, Stretches
from scrub.model.texts.lines_of_text import Line
from scrub.model.texts.paragraphs import PlaceInDocument

#: Where the mark of a following insertion is put.
_NEXT = "\0"


class TextPart(EditedPart):
    """One part with paragraphs: the content, or the headers and footers."""

    def __init__(self, name: str, data: bytes, root: Span, first: bytes | None = None) -> None:
        """`first` is what it was before changes in it were decided on."""
        self.name = name
        self.first = data if first is None else first
        self.data = data
        self.root = root
        self.notes: dict[int, str] = {}  # what comments were made to say, by where each begins
        self.clear()

    @cached_property
    def margins(self) -> Sequence[Span]:
        """The headers and footers in it."""
        return margins_in(self.root)

    def margin_at(self, place: int) -> Span | None:
        """The header or footer that something is in."""
        return next((margin for margin in self.margins if margin.start < place < margin.end), None)


class TextHome(PiecedDocument):
    """What a paragraph asks of its document."""

    @property
    @required
    def parts(self) -> Sequence[TextPart]:
        """Those with paragraphs."""
        raise NotImplementedError

    @lazy_property
    @required
    def styles(self) -> TextStyles:
        """Those that its paragraphs and words name."""
        raise NotImplementedError

    @lazy_property
    @required
    def text_looks(self) -> TextLooks:
        """How its words and paragraphs look."""
        raise NotImplementedError

    @required
    def list_level(self, paragraph: TextParagraph) -> int | None:
        """How many lists a paragraph is in; None for none."""
        raise NotImplementedError

    @lazy_property
    @required
    def tracking(self) -> TextTracking:
        """Who records changes in it."""
        raise NotImplementedError

    @required
    def tracking_of(self, paragraph: TextParagraph) -> TextTracking:
        """Who records changes in the text that a paragraph is of."""
        raise NotImplementedError

    @required
    def marks_at(self, paragraph: TextParagraph) -> tuple[str, str]:
        """The marks at the beginning and the end of a paragraph for others that were beside it."""
        raise NotImplementedError

    @required
    def every_paragraph(self) -> Sequence[TextParagraph]:
        """Its paragraphs, in every part."""
        raise NotImplementedError

    @required
    def paragraph_at(self, part: TextPart, place: int) -> TextParagraph | None:
        """The paragraph of a part that something is in, or after."""
        raise NotImplementedError


class TextParagraph(PiecedParagraph):
    """A paragraph with its elements."""

    home: TextHome
    part: TextPart
    _is_read = False  # whether somebody asked what it says
    group: Sequence[TextParagraph]

    def __init__(
        self, document: TextHome, part: TextPart, span: Span, place: PlaceInDocument, group: Sequence[TextParagraph]
    ) -> None:
        """`group` are the paragraphs that are together with it, itself among them."""
        super().__init__(document)
        self.home = document
        self.part = part
        self.span = span
        self.group = group
        self._place = place
        #: The cell whose value it shows, which says the number apart from the text; None for none.
        self.cell: Span | None = None
        #: The style and the level that it was given; None where they are what they were.
        self._given: tuple[str, int | None] | None = None
        #: How it was set otherwise.
        self._frames: Mapping[str, object] = {}

    @property
    def _style(self) -> str | None:
        return value(self.span, "style-name") if self._given is None else self._given[0]

    @property
    def _level(self) -> int | None:
        if self._given is not None:
            return self._given[1]
        return whole(value(self.span, "outline-level") or "1", MOST_LEVELS) if self.span.name == "h" else None

    @lazy_property
    def _read(self) -> Read:
        span = self.span
        return span.read() if isinstance(span, FoundParagraph) else read_paragraph(self.part.data, span)

    @lazy_property
    def stretches(self) -> Stretches:
        """What it says, while it is edited."""
        self._is_read = True
        return Stretches(self._read.text)

    @lazy_property
    def fixed(self) -> str:
        """What of it must stay."""
        return self._read.fixed

    @lazy_property
    def pieces(self) -> Sequence[SpanPiece]:
        """What its characters are in."""
        return self._read.pieces

    @property
    def place(self) -> PlaceInDocument:
        """Where it is."""
        return self._place

    def ensure_editable(self, edits: Sequence[Edit]) -> None:
        """Raises `Failure` for what must stay."""
        self.note_way()
        super().ensure_editable(edits)

    # -- its style

    @property
    def style(self) -> str:
        """The name of its style."""
        return self.home.styles.name(self._style)

    @style.setter
    def style(self, value: str) -> None:
        self._set(self.home.styles.named(value), self._level, "style", self.style, value)

    @property
    def level(self) -> int | None:
        """The level of a heading."""
        return self._level

    @level.setter
    def level(self, value: int | None) -> None:
        if value is not None and not 1 <= value <= MOST_LEVELS:
            raise Failure(f"a heading level is 1 to {MOST_LEVELS}, not {value}")
        before, styles = self.level, self.home.styles
        if value != before:
            self._set("Standard" if value is None else styles.of_level(value), value, "level", before, value)

    def _set(self, style: str, level: int | None, field: str, before: object, after: object) -> None:
        self.note_way()
        self.ensure_looks_free()
        if (style, level) == (self._style, self._level):
            return
        chain = [self, *self.taken]
        former = [(each, each._given) for each in chain]
        for each in chain:
            each._given = (style, level)

        def revert() -> None:
            for each, given in former:
                each._given = given

        self.changed(field, before, after, revert)

    @property
    def _restyled(self) -> bool:
        return self._given is not None or bool(self._frames)

    # -- how it is set, and the looks of its words

    def frame(self, word: str) -> object:
        """How it is set."""
        if word in self._frames:
            return self._frames[word]
        return (
            self.home.list_level(self) if word == "list_level" else self._looks.frame(self.part.name, self._style, word)
        )

    def put_frame(self, word: str, value: object) -> None:
        """Sets it otherwise."""
        self.note_way()
        before = getattr(self, word)
        if value == before:
            return
        self.ensure_looks_free()
        ensure_frame(word, value)
        back = self.set_together("_frames", lambda each: {**each._frames, word: value})
        self.changed(word.replace("_", "-"), before, value, back)

    @property
    def _looks(self) -> TextLooks:
        return self.home.text_looks

    def ensure_linkable(self, start: int, end: int) -> None:
        """Raises `Failure` where characters are in a link, or in what is not just a style."""
        every = [piece for _, piece, _ in self.stretches_of(start, end) if piece is not None]
        if any(not of(each, TEXT, "span") for piece in every for each in piece.chain):
            raise self.not_linkable()

    def looks(self, start: int, end: int, word: str) -> Iterator[object]:
        """What the look of each stretch of its characters is."""
        for _, piece, other in self.stretches_of(start, end):
            chain = piece.chain if piece is not None else ()
            yield self._looks.of(self.part.name, chain, self._style, word, other)

    def look_of(self, piece: SpanPiece | None) -> object:
        """The styles of what it is in."""
        return tuple(value(span, "style-name") for span in piece.chain) if piece is not None else ()

    def checked_look(self, word: str, value: object) -> object:
        """What a look is set to."""
        self.ensure_looks_free()
        if word == "style":
            if value is None:
                raise Failure(f"{self.label}: an OpenDocument file needs a character style here. Set another one")
            return self._looks.letter_style(str(value))
        return checked(word, value)

    def _style_of(self, looks: Looks) -> str:
        return self._looks.for_words(self.part.name, self._style, looks)

    @property
    def _written_style(self) -> str | None:
        """The style that it is to name."""
        return self._looks.for_paragraph(self.part, self._style, self._frames) if self._frames else self._style

    @property
    def touched(self) -> bool:
        """Whether anything of it was changed."""
        if self._gone or self.joined or self.before or self.behind or self.taken or self._restyled:
            return True
        return self._is_read and self.stretches.touched

    # -- coming and going

    def ensure_deletable(self) -> None:
        """Raises `Failure` where the document needs it: as the last one of a cell, a header or a note."""
        self.note_way()
        if self._place is not PlaceInDocument.BODY:
            self.ensure_not_alone()

    def can_take(self, following: Line) -> bool:
        """Whether the next one can be joined: the same style, and nothing between."""
        if not isinstance(following, TextParagraph) or not self.is_followed_by(following):
            return False
        own = self._style, self._level, self._frames
        return own == (following._style, following._level, following._frames)

    # -- writing

    @property
    def says_otherwise(self) -> bool:
        """Whether its text is another."""
        return self.touched and not self.joined and self.stretches.touched

    def splices(self) -> Iterator[Splice]:
        """What changes it in its part."""
        tracking = self.home.tracking_of(self) if self.recorded else None
        lead, tail = self.home.marks_at(self)
        if not self.touched and not lead and not tail:
            return
        span, chain = self.span, [self, *self.taken]
        last: Span = chain[-1].span
        before, end = self._beside(self.before, tracking, True)
        behind, start = self._beside(tuple(reversed(self.behind)), tracking, False)
        lead, tail = end + lead, tail + start
        if before:
            yield Splice(span.start, span.start, before)
        if self.joined:
            pass
        elif self._gone:
            yield Splice(span.start, last.end, (lead + tail).encode())
        elif span.open_end == span.end and (lead or tail):
            content = self._writer.recorded_content(tracking) if tracking is not None else self._writer.content()
            element = f"{open_tag(self.part.data, span)}{lead}{content}{tail}</{span.raw_name}>"
            yield Splice(span.start, span.end, element.encode())
        else:
            inner = [Splice(span.open_end, span.open_end, lead.encode())] if lead else []
            if self.stretches.touched or self.taken:
                inner += self._writer.splices() if tracking is None else self._recorded_splices(tracking)
            for one, other in pairwise(chain):
                mark = tracking.deleted(one.bare + other.bare) if tracking is not None else ""
                inner.append(Splice(one.span.close_start, other.span.open_end, mark.encode()))
            if tail:
                inner.append(Splice(last.close_start, last.close_start, tail.encode()))
            yield from self._restyled_splices(inner, last) if self._restyled else inner
        if behind:
            yield Splice(last.end, last.end, behind)

    @property
    def _joints(self) -> list[int]:
        """Where, in the characters of all that it is now, each that was joined to it begins."""
        lengths = [len(each._read.text) for each in (self, *self.taken)]
        return list(accumulate(lengths))[:-1]

    def _beside(self, texts: Sequence[str], tracking: TextTracking | None, before: bool) -> tuple[bytes, str]:
        """New paragraphs that are together before or after it, and the mark that it gets itself for them: an insertion
        begins or ends in it, for the end of a paragraph came too.
        """
        made, mark = "", ""
        for text in texts:
            start, end = tracking.inserted() if tracking is not None else ("", "")
            if before:
                made += self._new(f"{mark}{start}", text, "")
                mark = end
            else:
                made = made.replace(_NEXT, start) + self._new("", text, f"{end}{_NEXT}")
                mark = mark or start
        return made.replace(_NEXT, "").encode(), mark

    @property
    def bare(self) -> str:
        """The element that it is, with nothing in it."""
        return bare(self.part.data, self.span)

    def deleted(self) -> str:
        """The elements that it was before it went, with those that were joined to it."""
        data = self.part.data
        found = []
        for each in (self, *self.taken):
            at = each.span.start
            splices = (one._replace(start=one.start - at, end=one.end - at) for one in explicit(data, each.span))
            found.append(spliced(data[at : each.span.end], splices).decode())
        return "".join(found)

    @property
    def is_recorded(self) -> bool:
        """Whether its changes are recorded."""
        return bool(self.recorded) and self.touched

    @property
    def is_recorded_gone(self) -> bool:
        """Whether it went, which is recorded."""
        return self.is_recorded and self._gone and not self.joined

    def ensure_looks_free(self) -> None:
        """Raises `Failure` while changes are recorded: what looks and styles were before is kept nowhere (5.5.6)."""
        if self.home.tracks_changes:
            raise Failure(
                f"{self.label}: formatting and styles of an OpenDocument file cannot change while changes are "
                "tracked. Turn tracking off"
            )

    @property
    def _writer(self) -> ParagraphWriter:
        return ParagraphWriter(self.part.data, self.span, self.pieces, self.stretches, self._style_of)

    def _recorded_splices(self, tracking: TextTracking) -> Sequence[Splice]:
        stretches = self.stretches.in_whole_words(self._piece_of)
        writer = ParagraphWriter(self.part.data, self.span, self.pieces, stretches, self._style_of)
        return writer.recorded(tracking, self._joints)

    def _piece_of(self, place: int) -> object:
        """What an old character is in; None for one that must stay, or is in more than a style of characters."""
        piece = self.pieces[bisect_right(self.pieces, place, key=lambda each: each.start) - 1]
        if self.fixed[place : place + 1].strip() or not all(of(span, TEXT, "span") for span in piece.chain):
            return None
        return piece.begin

    def _restyled_splices(self, inner: Sequence[Splice], last: Span) -> Iterator[Splice]:
        """The tags of a paragraph of another style; a heading is an element of its own (5.1.2)."""
        data, span = self.part.data, self.span
        name = f"{span.prefix}{'h' if self._level is not None else 'p'}"
        tag = data[span.start : span.open_end]
        tag = b"<" + name.encode() + tag[1 + len(span.raw_name.encode()) :]
        level = None if self._level is None else str(self._level)
        wanted = {"style-name": self._written_style}
        if level is not None or value(span, "outline-level") is not None:
            wanted["outline-level"] = level
        attributes: dict[str, str | None] = {}
        for word, text in wanted.items():
            written_as, declared = attribute(span, word, TEXT)
            attributes |= {**declared, written_as: text}
        empty = span.open_end == span.end
        made = with_attributes(tag, attributes)
        if empty and inner:
            content = f"{self._writer.content()}</{name}>"
            yield Splice(span.start, span.end, made[:-2].rstrip() + b">" + content.encode())
            return
        yield Splice(span.start, span.open_end, made)
        yield from inner
        if not empty:
            yield Splice(last.close_start, last.end, f"</{name}>".encode())

    def _new(self, lead: str, text: str, tail: str) -> str:
        """A new paragraph of the same style, with marks at its beginning and end."""
        p = self.span.prefix
        own = self._written_style
        style = f' {p}style-name="{escaped(own)}"' if own else ""
        level = f' {p}outline-level="{self._level}"' if self._level is not None else ""
        name = f"{p}{'h' if self._level is not None else 'p'}"
        return f"<{name}{style}{level}>{lead}{written(text, p)}{tail}</{name}>"
