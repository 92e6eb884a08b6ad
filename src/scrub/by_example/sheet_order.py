"""In which order the sheets are: sorted by name, or some of them moved."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from scrub.by_example.order import moved
from scrub.by_example.sheet_rules import SheetRules
from scrub.by_example.steps import ORDER, Step
from scrub.model.core.values import fold


class SheetOrderFinder:
    """Finds in which order the sheets were put."""

    def __init__(self, rules: SheetRules, after: Sequence[str], notes: list[str]) -> None:
        """`after` are the names of the sheets of the second file, in their order."""
        self._rules, self._after, self._notes = rules, after, notes

    def steps(self) -> Iterator[Step]:
        """One step, if the order is another one."""
        pairs = self._rules.pairs
        places = {name: place for place, name in enumerate(self._after)}
        order = sorted(range(len(pairs)), key=lambda number: places[pairs[number].other.name])
        if order == sorted(order):
            return
        if len(pairs) < len(places):
            self._notes.append("The sheets are in another order, among new ones: this was not learned.")
            return
        found = self._sorted(order) or self._parted(order) or self._single(order)
        if found is None:
            self._notes.append("The sheets are in another order, for which no rule was found.")
        else:
            yield found

    def _sorted(self, order: list[int]) -> Step | None:
        names = [fold(pair.one.name) for pair in self._rules.pairs]
        for down, word in ((False, ""), (True, " descending")):
            if order == sorted(range(len(names)), key=names.__getitem__, reverse=down):
                lines = ("place = place + 1", "move-to place")
                return Step(ORDER, (f"each sheet sorted by sheet.name{word}",), lines, opening="place = 0")
        return None

    def _parted(self, order: list[int]) -> Step | None:
        """Some sheets moved to the front, or to the end, without another order among them."""
        cut = next(place for place in range(1, len(order)) if order[place] < order[place - 1])
        if order[cut:] != sorted(order[cut:]):
            return None
        for chosen, lines, opening in (
            (set(order[:cut]), ("place = place + 1", "move-to place"), "place = 0"),
            (set(order[cut:]), ("move-to last",), "last = count(sheet)"),
        ):
            if len(chosen) == 1 and opening == "place = 0":
                lines, opening = ("move-to 1",), ""
            if 2 * len(chosen) <= len(order):
                ways = self._rules.on_sheets(chosen)
                if ways is not None:
                    return Step(ORDER, (ways[0],), lines, tuple((way,) for way in ways[1:]), opening=opening)
        return None

    def _single(self, order: list[int]) -> Step | None:
        """One sheet moved to a place among the others."""
        every = moved(order)
        ways = self._rules.on_sheets(set(every)) if len(every) == 1 else None
        return Step(ORDER, (ways[0],), (f"move-to {order.index(every[0]) + 1}",)) if ways else None
