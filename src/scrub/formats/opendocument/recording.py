"""An Open Document in which changes are recorded: each of its texts lists its own (OpenDocument 1.3, part 3, 5.5)."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from scrub.formats.kept import LazyPiece as FromFile
from scrub.formats.opendocument.paragraph import TextHome, TextParagraph, TextPart
from scrub.formats.opendocument.read import OFFICE, TEXT, of, value
from scrub.formats.opendocument.tracking import TextTracking, numbers_for
from scrub.formats.spans import Span, Splice
from scrub.formats.xmltext import is_on
from scrub.model.core.preferences import CURRENT

CONTENT = "content.xml"


class RecordingText(TextHome):
    """A document, and who records changes in each of its texts."""

    @property
    def _body(self) -> Span:
        body = body_of(self.parts[0])
        assert body is not None
        return body

    @cached_property
    def _records(self) -> FromFile[bool]:
        return FromFile(self._recording)

    def _recording(self) -> bool:
        span = next((child for child in self._body.children if of(child, TEXT, "tracked-changes")), None)
        return span is not None and is_on(value(span, "track-changes"), True)

    @property
    def tracks_changes(self) -> bool:
        """Whether changes are recorded (5.5.1)."""
        return self._records.now

    @tracks_changes.setter
    def tracks_changes(self, value: bool) -> None:
        if value != self._records.now:
            self.changed("tracks-changes", not value, value, self._records.put(value))

    @cached_property
    def _trackings(self) -> dict[tuple[str, int], TextTracking]:
        return {}

    @cached_property
    def _numbers(self) -> Iterator[int]:
        return numbers_for([part.data for part in self.parts])

    def _tracking_in(self, name: str, text: Span) -> TextTracking:
        key = (name, text.start)
        if key not in self._trackings:
            self._trackings[key] = TextTracking(CURRENT.get().author or "Scrub", text, self._numbers)
        return self._trackings[key]

    @cached_property
    def tracking(self) -> TextTracking:
        """Who records changes in its text."""
        return self._tracking_in(CONTENT, self._body)

    def tracking_of(self, paragraph: TextParagraph) -> TextTracking:
        """Who records changes in the text that a paragraph is of: a header has its own (16.10)."""
        part = paragraph.part
        margin = part.margin_at(paragraph.span.start) if part.name != CONTENT else None
        return self.tracking if margin is None else self._tracking_in(part.name, margin)

    def marks_at(self, paragraph: TextParagraph) -> tuple[str, str]:
        """The marks at the beginning and the end of a paragraph for others that were beside it."""
        tracking, at = self.tracking_of(paragraph), paragraph.span.start
        return tracking.leads.get(at, ""), tracking.tails.get(at, "")

    def begin_recording(self) -> None:
        """Nothing was recorded yet."""
        for name in ("_trackings", "_numbers", "tracking"):
            self.__dict__.pop(name, None)

    def lists_of_changes(self, part: TextPart) -> Iterator[Splice]:
        """What lists the changes that were recorded, in each text of a part."""
        if part.name == CONTENT:
            if self._records.touched or self.tracking.touched:
                on = self._records.now if self._records.touched else None
                yield from self.tracking.splices(part.data, on)
            return
        for (name, _), tracking in self._trackings.items():
            if name == part.name and tracking.touched:  # what it says of recording more counts for all of the document
                yield from tracking.splices(part.data, self._records.now)


def body_of(part: TextPart) -> Span | None:
    """The text of a document in its content."""
    return next((span for span in part.root.inside(read_only=True) if of(span, OFFICE, "text")), None)
