"""A table of a document whose rows come, go and change places, regardless of its format."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from functools import cached_property

from scrub.formats.edited_part import EditedPart
from scrub.formats.spans import Span, Splice, spliced
from scrub.formats.texts.tables import DocumentRows
from scrub.model.core.change import Undo
from scrub.model.core.required import required


class ArrangedTable:
    """A table whose rows may have come, gone or changed places."""

    def __init__(self, part: EditedPart, span: Span, label: str) -> None:
        self.part, self.span = part, span
        self._label = label
        self.rows: DocumentRows | None = None

    # -- what each format offers

    def ensure_movable(self, ordering: bool) -> None:
        """Raises `Failure` where its rows stay where they are; `ordering` tells that they are to change places."""

    @cached_property
    @required
    def _rows(self) -> list[Span]:
        """Its rows."""
        raise NotImplementedError

    @required
    def _new(self, texts: Mapping[int, str]) -> bytes:
        """A row that looks like the last one, or like that of the headings where it is alone; by the columns."""
        raise NotImplementedError

    @property
    def _end(self) -> int:
        """Where a row is put that has no place of an old one."""
        return self._rows[-1].end

    # -- what follows from that

    def hold(self, ordering: bool) -> Undo:
        """Is told that rows are about to come, go or (`ordering`) change places. Raises `Failure` where they cannot."""
        self.ensure_movable(ordering)
        return self.part.put((self.span.start, "rows"), ())

    def arranged(self, splices: Sequence[Splice]) -> list[Splice]:
        """What is done to the part, with the rows where they are to be."""
        if self.rows is None or not self.is_arranged:
            return list(splices)
        rows = self._rows
        inside: dict[int, list[Splice]] = {}
        others: list[Splice] = []
        starts = [span.start for span in rows]
        for splice in splices:
            at = bisect_right(starts, splice.start) - 1
            within = at >= 1 and splice.end <= rows[at].end and splice.start < rows[at].end
            (inside.setdefault(at, []) if within else others).append(splice)
        made = [self._made(row, inside) for row in self.rows.order]
        for at, row in enumerate(rows[1:]):
            others.append(Splice(row.start, row.end, made[at] if at < len(made) else b""))
        rest = b"".join(made[len(rows) - 1 :])
        if rest:
            others.append(Splice(self._end, self._end, rest))
        return others

    @property
    def is_arranged(self) -> bool:
        """Whether rows came, went or changed places."""
        return self.rows is not None and self.rows.is_arranged

    def _made(self, row: int, inside: Mapping[int, Sequence[Splice]]) -> bytes:
        added = self.rows.added(row) if self.rows is not None else None
        if added is not None:
            return self._new(added)
        span = self._rows[row - 1]
        at = span.start
        splices = (Splice(splice.start - at, splice.end - at, splice.new) for splice in inside.get(row - 1, ()))
        return spliced(self.part.data[at : span.end], splices)
