"""A part of a package with paragraphs in it, and what is done to its elements beside their texts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from scrub.formats.kept import put_in
from scrub.formats.spans import Span, Splice, outside, set_attributes
from scrub.formats.xmltext import escaped_text, text_of
from scrub.model.core.change import Undo


class EditedPart:
    """One part: its bytes, their elements, and what becomes of those."""

    name: str
    data: bytes
    root: Span

    def clear(self) -> None:
        """Has nothing done to it yet."""
        #: What is put in or removed beside the texts of paragraphs, by the place and the kind of each.
        self.edits: dict[tuple[int, str], Sequence[Splice]] = {}
        #: What attributes of elements are to say, and under an empty name their text, by where each begins.
        self._said: dict[int, tuple[Span, dict[str, str | None]]] = {}

    @property
    def touched(self) -> bool:
        """Whether anything was done to its elements."""
        return bool(self.edits or self._said)

    def put(self, key: tuple[int, str], splices: Sequence[Splice]) -> Undo:
        """Puts something in or takes it out; returns how to undo it."""
        return put_in(self.edits, key, splices)

    def said(self, span: Span, name: str = "") -> str | None:
        """What an attribute of an element says now; without a name, what its text is."""
        _, known = self._said.get(span.start, (span, {}))
        if name in known:
            return known[name]
        return span.attributes.get(name) if name else text_of(self.data[span.start : span.end])

    def say(self, span: Span, values: Mapping[str, str | None]) -> Undo:
        """Lets attributes of an element say something else, or its text; returns how to undo it."""
        _, known = self._said.get(span.start, (span, {}))
        return put_in(self._said, span.start, (span, {**known, **values}))

    @property
    def edited(self) -> list[Splice]:
        """All that is done to elements; what is done inside one that goes, goes with it."""
        every = [splice for splices in self.edits.values() for splice in splices]
        gone: list[Splice] = []
        for each in sorted((each for each in every if _goes(each)), key=lambda each: (each.start, -each.end)):
            if not gone or each.end > gone[-1].end:
                gone.append(each)
        rest = [splice for splice in every if not _goes(splice)]
        for span, values in self._said.values():
            rest += set_attributes(self.data, span, ((name, text) for name, text in values.items() if name))
            if "" in values:
                rest.append(Splice(span.open_end, span.close_start, escaped_text(values[""] or "").encode()))
        return [*gone, *outside(gone, rest)]


def _goes(splice: Splice) -> bool:
    """Whether it takes something out and puts nothing in its place."""
    return not splice.new and splice.start < splice.end
