"""Rules for sheets, and for the records on them: how a macro goes through those where something was done."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from scrub.by_example import conditions, expressions
from scrub.by_example.condition_parts import ALWAYS, Condition
from scrub.by_example.expressions import Context, Example
from scrub.by_example.matching import Pair
from scrub.by_example.steps import Found, loop, single
from scrub.by_example.values import alike

#: Readings of a step that are told.
READINGS = 3
#: How much longer a reading may be.
_NEAR = 2.5
#: Readings that a further pair may decide between.
_OPEN = 12


class Records:
    """Records of several sheets: what is visible of each, and on which sheet it is."""

    def __init__(self) -> None:
        self.contexts: list[Context] = []
        self.sheets: dict[int, list[int]] = {}

    def add(self, sheet: int, context: Context) -> int:
        """Adds one; gives its number."""
        self.sheets.setdefault(sheet, []).append(len(self.contexts))
        self.contexts.append(context)
        return len(self.contexts) - 1

    def on(self, sheets: set[int]) -> Records:
        """The same, of some sheets only."""
        found = Records()
        found.contexts = self.contexts
        found.sheets = {sheet: every for sheet, every in self.sheets.items() if sheet in sheets}
        return found

    def used(self, must: set[int]) -> set[int]:
        """The sheets on which some of these records are."""
        return {sheet for sheet, every in self.sheets.items() if must & set(every)}


class Column(Records):
    """What is under one heading, before and after."""

    def __init__(self, written: str) -> None:
        """`written` is the heading as a macro writes it."""
        super().__init__()
        self.written = written
        self.examples: list[Example] = []
        self.must: set[int] = set()  # the records whose value is another one

    def add_example(self, sheet: int, example: Example) -> None:
        """Adds a record with its value before and after."""
        number = self.add(sheet, example.context)
        self.examples.append(example)
        if not alike(example.before, example.after):
            self.must.add(number)

    @property
    def wanted(self) -> list[Example]:
        """The examples whose value is another one."""
        return [self.examples[number] for number in sorted(self.must)]


class SheetRules:
    """Finds how a macro goes through sheets and records."""

    def __init__(self, pairs: Sequence[Pair], single: bool) -> None:
        """`single` is whether the workbook has one sheet only."""
        self.pairs, self._single = pairs, single

    def on_sheets(self, must: set[int], never: set[int] | None = None) -> list[str] | None:
        """How a macro goes through these sheets and not through those, the shortest first; None for no rule. Without
        `never` it goes through no other.
        """
        others = set(range(len(self.pairs))) - must if never is None else never
        return [loop("each sheet", each) for each in self.ways(must, others)] or None

    def ways(self, must: set[int], never: set[int]) -> list[Condition]:
        """The conditions for these sheets and not for those, the shortest first."""
        if self._single:
            return [ALWAYS]
        contexts = [pair.one.context for pair in self.pairs]
        found = conditions.search(contexts, must, never, ["sheet.name", "sheet.headings", "sheet.hidden"])
        return [each for each in found if not each.exceptions][: READINGS + 1]

    def rules(
        self,
        records: Records,
        must: set[int],
        wrong: Callable[[int], bool],
        needs: Sequence[str] = (),
        slips: bool = True,
    ) -> Found | None:
        """Loops over records for which something is done: `wrong` tells for which others it must not be. The sheets are
        chosen first: all that have what is read, or those in which something was done. With `slips` a few of the
        records may be exceptions.
        """
        contexts, sheets, used = records.contexts, records.sheets, records.used(must)
        able = {number for number in sheets if all(each in self.pairs[number].one.headings for each in needs)}
        openings = {self.pairs[number].one.opening for number in used}
        if len(openings) != 1:
            return None
        opening = openings.pop()
        able = {number for number in able if self.pairs[number].one.opening == opening and self.pairs[number].one.rows}
        best: list[tuple[float, tuple[str, ...], Condition]] = []
        for chosen in (able, used):
            if not used <= chosen or (chosen is used and used == able):
                continue
            inside = {number for sheet in chosen for number in sheets[sheet]}
            never = {number for number in inside if number not in must and wrong(number)}
            fields = expressions.fields_of([contexts[number] for number in sorted(inside)])
            rules = conditions.search(contexts, must, never, fields, slips)
            outside = set(range(len(self.pairs))) - chosen
            for way in self.ways(chosen if all(not each.exceptions for each in rules[:1]) else used, outside)[:2]:
                for rule in rules[: 2 * READINGS]:
                    cost = way.cost + rule.cost + 2.5 * rule.exceptions
                    best.append((cost, (loop("each sheet", way), loop(opening, rule)), rule))
        best.sort(key=lambda each: each[0])
        near = {loops: rule for cost, loops, rule in best if cost <= best[0][0] + _NEAR}
        if not near:
            return None
        first, *others = list(near)[: 1 + _OPEN]
        doubts = conditions.doubts(near[first], [near[each] for each in others], contexts)
        note = single("record", len(near)) if len(must) == 1 and len(near) > 1 else ""
        return Found(first, tuple(others), doubts, near[first].gaps, note)
