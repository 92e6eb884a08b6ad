"""The parts of a document that have paragraphs, and the paragraphs as they are once tracked changes are decided on."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, Generic, NamedTuple, TypeVar

from scrub.formats.edited_part import EditedPart
from scrub.formats.texts.pieced import PiecedDocument, PiecedParagraph
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure

S = TypeVar("S", bound=EditedPart)
P = TypeVar("P", bound=PiecedParagraph)


class _Read(NamedTuple, Generic[S, P]):
    parts: Sequence[S]
    paragraphs: Sequence[P]


class Stories(Generic[S, P]):
    """The parts with paragraphs: the body, headers, footers, notes.

    What was decided on is done when the paragraphs are next asked for, in one go: a loop decides on many.
    """

    def __init__(
        self,
        document: PiecedDocument,
        parts: Sequence[S],
        read: Callable[[Sequence[S]], list[P]],
        resolved: Callable[[S, Mapping[int, bool] | bool], S],
        forget: Callable[[], None],
    ) -> None:
        """`read` gives the paragraphs of parts; `resolved` a part with tracked changes decided on, by where each
        begins or all alike; `forget` drops what was found among paragraphs that are others now.
        """
        self._document = document
        self._base = parts
        self._reads, self._resolves, self._forget = read, resolved, forget
        self._decided: dict[tuple[str, int], bool] = {}  # by the part, and where the change begins in it
        self._made: _Read[S, P] | None = None
        self._placed_for: _Read[S, P] | None = None
        self._placed: dict[str, tuple[list[int], list[P]]] = {}

    @property
    def parts(self) -> Sequence[S]:
        """The parts, in their order."""
        return self._now().parts

    @property
    def paragraphs(self) -> Sequence[P]:
        """Their paragraphs, those that went too."""
        return self._now().paragraphs

    def _now(self) -> _Read[S, P]:
        if self._made is None:
            parts = [self._resolved(part) for part in self._base] if self._decided else self._base
            self._made = _Read(parts, self._reads(parts))
        return self._made

    def paragraph_at(self, part: S, place: int) -> P | None:
        """The paragraph of a part that something is in, or after."""
        read = self._now()
        if read is not self._placed_for:
            self._placed_for, self._placed = read, {}
            for each in sorted(read.paragraphs, key=lambda each: each.span.start):
                starts, every = self._placed.setdefault(each.part.name, ([], []))
                starts.append(each.span.start)
                every.append(each)
        starts, every = self._placed.get(part.name, ([], []))
        at = bisect_right(starts, place) - 1
        return every[at] if at >= 0 else None

    def between(self, part: S, start: int, end: int) -> Iterator[tuple[P, Sequence[Any]]]:
        """The paragraphs between two places of a part, each with its pieces there."""
        first = self.paragraph_at(part, start)
        for paragraph in self.paragraphs[first.index if first is not None else 0 :]:
            if paragraph.part is part and paragraph.span.start >= end:
                return
            if paragraph.part is part and paragraph.span.end > start:
                pieces = [one for one in paragraph.pieces if start <= one.begin < end]
                if pieces:
                    yield paragraph, pieces

    # -- tracked changes

    def is_decided(self, part: S, start: int) -> bool:
        """Whether a tracked change was accepted or rejected."""
        if _has(self._base, part):
            return (part.name, start) in self._decided
        return self._made is None or not _has(self._made.parts, part)

    def decide(self, part: S, start: int, accepted: bool) -> Undo:
        """Accepts or refuses one change; returns how to undo it. Raises `Failure` after other edits."""
        self._ensure_untouched()
        former = self._base, self._decided
        if not _has(self._base, part):
            if self._made is None or not _has(self._made.parts, part):
                raise Failure("the changes have moved; list them again")
            self._base, self._decided = self._made.parts, {}  # what was decided before is done
        key = (part.name, start)
        self._decided[key] = accepted
        made = self._made
        self._change(None)

        def revert() -> None:
            self._decided.pop(key, None)
            self._base, self._decided = former
            self._change(made)

        return revert

    def decide_all(self, accepted: bool) -> Undo:
        """Accepts or refuses every change; returns how to undo it."""
        self._ensure_untouched()
        parts = self.parts
        former = self._base, self._decided, self._made
        resolved = [self._resolves(part, accepted) for part in parts]
        self._base, self._decided = resolved, {}
        self._change(None)

        def revert() -> None:
            self._base, self._decided, made = former
            self._change(made)

        return revert

    def _resolved(self, part: S) -> S:
        decided = {start: accepted for (name, start), accepted in self._decided.items() if name == part.name}
        return self._resolves(part, decided) if decided else part

    def _change(self, made: _Read[S, P] | None) -> None:
        self._made = made
        self._forget()

    def _ensure_untouched(self) -> None:
        if self._made is None:
            return
        if any(part.touched for part in self._made.parts) or any(
            paragraph.touched for paragraph in self._made.paragraphs
        ):
            raise Failure(f"{self._document.name}: accept or reject changes before all other edits")


def _has(parts: Sequence[EditedPart], part: EditedPart) -> bool:
    return any(edited_part is part for edited_part in parts)
