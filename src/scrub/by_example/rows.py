"""What was done to the rows of a workbook: deleted, sorted, hidden."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import Any

from scrub.by_example.matching import Pair, key_of
from scrub.by_example.sheet_rules import Records, SheetRules
from scrub.by_example.steps import DELETIONS, ORDER, SETTINGS, Step
from scrub.by_example.values import literal
from scrub.model.core.values import fold


class RowFinder:
    """Finds what was done to whole rows."""

    def __init__(self, rules: SheetRules, notes: list[str]) -> None:
        self._rules, self._pairs, self._notes = rules, rules.pairs, notes

    def deletions(self) -> Iterator[Step]:
        """Rows that are gone, by a rule or as repeated ones."""
        must: set[int] = set()
        records = Records()
        for number, pair in enumerate(self._pairs):
            gone = set(pair.gone)
            for row in pair.one.rows:
                place = records.add(number, pair.one.record(row))
                if row in gone:
                    must.add(place)
        if not must:
            return
        doubles = self._doubles()
        if doubles is not None:
            yield doubles
            return
        found = self._rules.rules(records, must, lambda number: number not in must)
        if found is not None:
            yield Step(DELETIONS, found.loops, ("delete",), found.readings)

    def _doubles(self) -> Step | None:
        """Rows that were there before, under all headings or some of them."""
        used = [number for number, pair in enumerate(self._pairs) if pair.gone]
        common = [w for w in self._pairs[used[0]].one.headings if all(w in self._pairs[n].one.headings for n in used)]
        for under in ([], *([one] for one in common), *([a, b] for a, b in combinations(common, 2))):
            if not all(self._is_double(self._pairs[n], under) for n in used):
                continue
            never = {
                n
                for n, pair in enumerate(self._pairs)
                if n not in used and not (set(under) <= set(pair.one.headings) and self._is_double(pair, under))
            }
            ways = self._rules.on_sheets(set(used), never)
            if ways is None:
                return None
            first = self._pairs[used[0]].one
            names = ", ".join(literal(first.heading_text(each)) or "" for each in under)
            line = f"delete-duplicates under: [{names}]" if under else "delete-duplicates"
            return Step(DELETIONS, (ways[0], f"in {first.table}"), (line,))
        return None

    @staticmethod
    def _is_double(pair: Pair, under: Sequence[str]) -> bool:
        """Whether exactly the rows are gone that were there before."""
        seen: set[tuple[str, ...]] = set()
        gone = []
        for row in pair.one.rows:
            key = tuple(each.casefold() for each in key_of(pair.one, row, under or list(pair.one.headings)))
            if key in seen:
                gone.append(row)
            seen.add(key)
        return gone == pair.gone

    def orders(self) -> Iterator[Step]:
        """Rows in another order."""
        must = {number for number, pair in enumerate(self._pairs) if pair.moved}
        if not must:
            return
        first = self._pairs[min(must)].one
        common = [w for w in first.headings if all(w in self._pairs[n].one.headings for n in must)]
        found = [each for each in self._sortings(common) if all(self._is_sorted(self._pairs[n], each) for n in must)]
        if not found:
            self._notes.append("The rows are in another order, for which no rule was found.")
            return
        keys = found[0]
        words = [f"by: {literal(first.heading_text(keys[0][0]))}"]
        words += ["descending: yes"] if keys[0][1] else []
        if len(keys) > 1:
            words.append(f"then: {literal(first.heading_text(keys[1][0]))}")
            words += ["then-descending: yes"] if keys[1][1] else []
        never = {
            number
            for number, pair in enumerate(self._pairs)
            if number not in must
            and not (all(w in pair.one.headings for w, _ in keys) and self._is_sorted(pair, keys) and pair.one.rows)
        }
        ways = self._rules.on_sheets(must, never)
        if ways is not None:
            yield Step(ORDER, (ways[0], f"in {first.table}"), (f"sort {', '.join(words)}",))

    @staticmethod
    def _sortings(common: Sequence[str]) -> Iterator[list[tuple[str, bool]]]:
        for one in common:
            for down in (False, True):
                yield [(one, down)]
        for one in common:
            for two in common:
                if one != two:
                    for down in (False, True):
                        for then in (False, True):
                            yield [(one, down), (two, then)]

    @staticmethod
    def _is_sorted(pair: Pair, keys: list[tuple[str, bool]]) -> bool:
        """Whether sorting the rows before gives their order after: equal ones keep their order, empty ones are last."""
        rows = [a for a, _ in sorted(pair.rows)]
        for written, down in reversed(keys):
            column = pair.one.headings[written]
            values = {row: pair.one.value(row, column) for row in rows}
            if len({type(value) for value in values.values() if value is not None}) > 1:
                return False
            filled = [row for row in rows if values[row] is not None]
            filled.sort(key=lambda row: _order_of(values[row]), reverse=down)  # equal ones keep their order
            rows = filled + [row for row in rows if values[row] is None]
        after = [a for a, _ in sorted(pair.rows, key=lambda each: each[1])]
        return rows == after

    def hidden(self) -> Iterator[Step]:
        """Rows hidden, or shown again, by a rule."""
        for hidden in (True, False):
            records = Records()
            must: set[int] = set()
            free: set[int] = set()  # they are so before, or become so
            for number, pair in enumerate(self._pairs):
                for a, b in pair.rows:
                    place = records.add(number, pair.one.record(a))
                    if pair.other.is_row_hidden(b) == hidden:
                        free.add(place)
                        if pair.one.is_row_hidden(a) != hidden:
                            must.add(place)
            others = set(range(len(records.contexts))) - free
            found = self._rules.rules(records, must, others.__contains__) if must else None
            if found is not None:
                yield Step(SETTINGS, found.loops, (f"row.hidden = {literal(hidden)}",), found.readings)


def _order_of(value: Any) -> Any:
    return fold(value) if isinstance(value, str) else value
