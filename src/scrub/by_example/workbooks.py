"""What was done in a workbook: rows, values, looks and settings, each told as a rule."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from scrub.by_example.beside import Beside
from scrub.by_example.book_looks import LookFinder
from scrub.by_example.book_settings import SettingFinder
from scrub.by_example.book_values import ValueFinder
from scrub.by_example.differences import noise
from scrub.by_example.matching import pairs_of
from scrub.by_example.rows import RowFinder
from scrub.by_example.seen import SeenBook
from scrub.by_example.sheet_order import SheetOrderFinder
from scrub.by_example.sheet_rules import SheetRules
from scrub.by_example.steps import Step
from scrub.model.vocabulary import Vocabulary


class BookFinder:
    """Finds the steps that make one workbook of another."""

    def __init__(self, one: SeenBook, other: SeenBook, vocabulary: Vocabulary, beside: Sequence[Beside] = ()) -> None:
        self._beside = [source for each in beside for source in each.sources()]
        self._left_out = noise(one, other)
        self._vocabulary = vocabulary
        pairs, self.notes = pairs_of(one, other)
        self._after = [sheet.name for sheet in other.sheets]
        self._rules = SheetRules(pairs, len(one.sheets) == 1)

    @property
    def left_out(self) -> list[str]:
        """What a program changed on its own, as a person reads it."""
        return sorted(told for told in self._left_out.values() if told)

    def steps(self) -> Iterator[Step]:
        """All of them."""
        rows = RowFinder(self._rules, self.notes)
        yield from rows.deletions()
        yield from ValueFinder(self._rules, self._vocabulary, self._beside).steps()
        yield from rows.orders()
        yield from LookFinder(self._rules).steps()
        yield from SheetOrderFinder(self._rules, self._after, self.notes).steps()
        yield from rows.hidden()
        yield from SettingFinder(self._rules, self._left_out, self.notes).steps()
