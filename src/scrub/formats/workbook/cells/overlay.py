"""What a run changed in the cells of one sheet of a workbook: values, formulas, formats, and rows below all others."""

from __future__ import annotations

from collections.abc import Callable

from scrub.formats.line_changes import LineChanges
from scrub.formats.overlay import CellOverlay, keep, key_of, place_of
from scrub.formats.workbook.cells.appended import AppendedRows
from scrub.formats.workbook.cells.strings import Run
from scrub.model.core.area import Area
from scrub.model.core.change import Undo
from scrub.model.core.values import Value


class SheetOverlay(CellOverlay):
    """Cells as they should be, each by its key. Rows that were appended are kept as they came; as soon as somebody
    looks at a changed value, they are materialized, and their cells are like any others.
    """

    def __init__(self) -> None:
        super().__init__()
        self.formulas: dict[int, str | None] = {}  # without the equals sign; None where one was taken away
        self.written_out: set[int] = set()  # formulas that were shared: another text, the same result
        self.results: dict[int, Value] = {}  # of formulas that moved to another cell with all they refer to
        self.runs: dict[int, list[Run]] = {}
        self.styles: dict[int, int] = {}
        self.formed: dict[int, int] = {}  # the formats that dates and durations brought along
        self.appended: AppendedRows | None = None  # those that were not materialized

    @property
    def values(self) -> dict[int, Value]:
        """The values that were changed, by key."""
        if self.appended is not None:
            self.materialize()
        return self._values

    @property
    def values_above(self) -> dict[int, Value]:
        """Those of them that are not in rows appended below all others."""
        return self._values

    @property
    def has_values(self) -> bool:
        """Whether any value was changed."""
        return bool(self._values) or self.appended is not None

    def materialize(self) -> None:
        """Takes the rows that were appended for cells like any other."""
        appended, self.appended = self.appended, None
        if appended is None:
            return
        for row, values in appended.numbered():
            start = key_of(row, appended.left)
            filled = {start + place: value for place, value in enumerate(values) if value is not None}
            for key in filled:
                self.first.setdefault(key, None)
            self._values.update(filled)
            self.took([*filled])
            for column, known in self.live.items() if self.live else ():
                if key_of(row, column) in filled:
                    keep(known, row, filled[key_of(row, column)])
            self.row_grew(row, place_of(min(filled))[1], place_of(max(filled))[1])

    def span(self, stored: Area | None, is_placed: Callable[[int], bool] | None) -> Area | None:
        """The range of what is stored, made wide enough for what was changed."""
        self.materialize()
        return super().span(stored, is_placed)

    def filled(self, lines: LineChanges) -> Area | None:
        """The range of the changed values, as far as they have a place and are not nothing."""
        appended = self.appended
        if appended is not None and not self._values:
            return appended.area
        keys = [key for key, value in self.values.items() if value is not None]
        if lines:
            keys = [key for key in keys if lines.is_placed(key)]
        if not keys:
            return None
        columns = {(key & 0x7FFF) + 1 for key in keys}  # as `place_of` takes it apart
        return Area(min(keys) >> 15, min(columns), max(keys) >> 15, max(columns))

    def put_style(self, key: int, style: int) -> Undo:
        """Gives a cell another format; returns how to undo it."""
        styles = self.styles
        former = styles.get(key)
        styles[key] = style

        def revert() -> None:
            if former is None:
                styles.pop(key, None)
            else:
                styles[key] = former

        return revert

    def let_go(self, key: int) -> None:
        """Forgets a value that is again what it was, with its runs and the form that it was given on the way."""
        super().let_go(key)
        self.runs.pop(key, None)
        if key in self.formed and self.styles.get(key) == self.formed[key]:
            del self.styles[key]

    def forget_same_styles(self, stored_style: Callable[[int, int], int]) -> None:
        """Lets go of formats that were changed and changed back."""
        for key, style in list(self.styles.items()):
            if style == stored_style(*place_of(key)):
                del self.styles[key]

    @property
    def touched(self) -> bool:
        """Whether stored cells must change."""
        return bool(self.has_values or self.formulas or self.styles)
