"""What was done to the rows of a workbook: deleted, sorted, hidden."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations, pairwise
from typing import Any

from scrub.by_example.matching import Pair, key_of
from scrub.by_example.seen import SeenSheet
from scrub.by_example.sheet_rules import Records, SheetRules
from scrub.by_example.steps import DELETIONS, ORDER, SETTINGS, Step
from scrub.by_example.values import literal
from scrub.model.core.values import fold

#: Headings to sort by, with whether the largest value comes first.
_Keys = tuple[tuple[str, bool], ...]
#: How many of them are looked for.
_SORT_KEYS = 3


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
            yield found.step(DELETIONS, "delete")

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
        keys = self._keys(common, [self._pairs[number] for number in sorted(must)])
        if keys is None:
            self._notes.append("The rows are in another order, for which no rule was found.")
            return
        never = {
            number
            for number, pair in enumerate(self._pairs)
            if number not in must
            and not (all(w in pair.one.headings for w, _ in keys) and self._is_sorted(pair, keys) and pair.one.rows)
        }
        ways = self._rules.on_sheets(must, never)
        if ways is not None:
            yield Step(ORDER, (ways[0], f"in {first.table}"), tuple(self._lines(first, keys)))

    @staticmethod
    def _lines(sheet: SeenSheet, keys: _Keys) -> Iterator[str]:
        """The lines that sort by these headings. `sort` takes two, and rows with equal values keep their order, so a
        third one is sorted by first.
        """
        if len(keys) > 2:
            yield from RowFinder._lines(sheet, keys[2:])
        words = []
        for (written, down), by in zip(keys, ("by", "then"), strict=False):
            words.append(f"{by}: {literal(sheet.heading_text(written))}")
            if down:
                words.append("descending: yes" if by == "by" else "then-descending: yes")
        yield f"sort {', '.join(words)}"

    def _keys(self, common: Sequence[str], pairs: Sequence[Pair]) -> _Keys | None:
        """The fewest headings by which the rows of all these sheets are sorted after."""
        tried: list[_Keys] = [()]
        for _ in range(_SORT_KEYS):
            longer: list[_Keys] = []
            for keys in tried:
                for written in common:
                    if any(written == each for each, _ in keys):
                        continue
                    for down in (False, True):
                        more = (*keys, (written, down))
                        if all(self._is_sorted(pair, more) for pair in pairs):
                            return more
                        if all(self._ascends(pair, more) for pair in pairs):
                            longer.append(more)
            tried = longer
        return None

    @staticmethod
    def _ascends(pair: Pair, keys: _Keys) -> bool:
        """Whether no row comes too early by these headings alone."""
        last = _ranks(pair, *keys[-1])
        if last is None:
            return False
        ranks = [_ranks(pair, *key) or {} for key in keys[:-1]]
        after = [a for a, _ in sorted(pair.rows, key=lambda each: each[1])]
        return all(last[a] <= last[b] or any(rank[a] != rank[b] for rank in ranks) for a, b in pairwise(after))

    @staticmethod
    def _is_sorted(pair: Pair, keys: _Keys) -> bool:
        """Whether sorting the rows before gives their order after: equal ones keep their order, empty ones are last."""
        rows = [a for a, _ in sorted(pair.rows)]
        for key in reversed(keys):
            ranks = _ranks(pair, *key)
            if ranks is None:
                return False
            rows.sort(key=ranks.__getitem__)
        return rows == [a for a, _ in sorted(pair.rows, key=lambda each: each[1])]

    def hidden(self) -> Iterator[Step]:
        """Rows hidden, or shown again, by a rule."""
        for hidden in (True, False):
            records = Records()
            must: set[int] = set()
            free: set[int] = set()  # they are so before, or become so
            for number, pair in enumerate(self._pairs):
                for a, b in pair.rows:
                    place = records.add(number, pair.one.record(a))
                    if (b in pair.other.hidden_rows) == hidden:
                        free.add(place)
                        if (a in pair.one.hidden_rows) != hidden:
                            must.add(place)
            others = set(range(len(records.contexts))) - free
            found = self._rules.rules(records, must, others.__contains__) if must else None
            if found is not None:
                yield found.step(SETTINGS, f"row.hidden = {literal(hidden)}")


def _ranks(pair: Pair, written: str, down: bool) -> dict[int, int] | None:
    """The place of each row by what is under a heading, equal ones with one place and empty ones last; None for values
    of several types, which have no order.
    """
    column = pair.one.headings[written]
    values = {row: _order_of(pair.one.value(row, column)) for row, _ in pair.rows}
    different = {value for value in values.values() if value is not None}
    if len({type(value) for value in different}) > 1:
        return None
    places = {value: place for place, value in enumerate(sorted(different, reverse=down))}
    return {row: len(places) if value is None else places[value] for row, value in values.items()}


def _order_of(value: Any) -> Any:
    return fold(value) if isinstance(value, str) else value
