"""How the cells of a workbook were made to look."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from scrub.by_example import conditions, seen
from scrub.by_example.differences import KnownLooks, looks_that_differ
from scrub.by_example.expressions import Context
from scrub.by_example.sheet_rules import READINGS, Records, SheetRules
from scrub.by_example.steps import LISTED, LOOKS, LOOKS_BY_RULE, Found, Step, in_cell, loop
from scrub.by_example.values import literal
from scrub.model.core.area import letters_of


class LookFinder:
    """Finds looks: of the row of headings, of columns, of whole records, or by how cells looked before."""

    def __init__(self, rules: SheetRules) -> None:
        self._rules, self._pairs = rules, rules.pairs

    def steps(self) -> Iterator[Step]:
        """A step for each look that some cells got."""
        groups: dict[tuple[str, str], list[tuple[int, int, int]]] = {}
        afters: dict[tuple[str, str], object] = {}
        for number, pair in enumerate(self._pairs):
            to, gone = dict(pair.rows), set(pair.gone)
            known: KnownLooks = {}
            rows = [(row, to.get(row, row)) for row in pair.one.used_rows if row not in gone]
            for column in pair.one.columns:
                for row, word, _, after in looks_that_differ(pair.one, pair.other, column, rows, known):
                    if word not in ("font", "size"):
                        groups.setdefault((word, str(after)), []).append((number, row, column))
                        afters[word, str(after)] = after
        for key, cells in groups.items():
            text = literal(afters[key])
            if text is not None:
                yield from self._look(key[0], text, cells)

    def _look(self, word: str, text: str, cells: list[tuple[int, int, int]]) -> Iterator[Step]:
        """One look that some cells got: by the row of headings, a column, whole records, or how they looked before."""
        line = f"cell.{word} = {text}"
        must = {number for number, _, _ in cells}
        by_sheet: dict[int, set[tuple[int, int]]] = {}
        for number, row, column in cells:
            by_sheet.setdefault(number, set()).add((row, column))
        rows = {row for _, row, _ in cells}
        if len(rows) == 1:
            row = rows.pop()
            if all(self._filled(number, row) <= {c for _, c in by_sheet[number]} for number in must):
                others = {n for n in range(len(self._pairs)) if n not in must and self._filled(n, row)}
                ways = self._rules.on_sheets(must, others)
                if ways is not None:
                    yield Step(LOOKS, (ways[0], f"each cell in row({row})"), (line,))
                    return
        yield from self._look_by_rule(word, text, cells, by_sheet)

    def _filled(self, number: int, row: int) -> set[int]:
        sheet = self._pairs[number].one
        return {column for column in sheet.columns if sheet.values[column].get(row) is not None}

    def _look_by_rule(
        self, word: str, text: str, cells: list[tuple[int, int, int]], by_sheet: dict[int, set[tuple[int, int]]]
    ) -> Iterator[Step]:
        headings = {self._heading_at(number, column) for number, _, column in cells}
        if len(headings) == 1 and (written := next(iter(headings))):
            found = self._look_of_records(word, written, cells)
            if found is not None:
                heading = literal(self._pairs[cells[0][0]].one.heading_text(written))
                line = f"record.cell({heading}).{word} = {text}"
                yield found.step(LOOKS, line)
                return
        line = f"cell.{word} = {text}"
        whole = self._look_of_records(word, "", cells)
        if whole is not None:
            yield whole.step(LOOKS, line, inside=("each cell in record",))
            return
        contexts: list[Context] = []
        must: set[int] = set()
        sheets: set[int] = set(by_sheet)
        for number in sorted(sheets):
            sheet = self._pairs[number].one
            for row, column in sheet.places():
                if (row, column) in by_sheet[number]:
                    must.add(len(contexts))
                contexts.append(
                    {
                        f"cell.{each}": sheet.look(row, column, each)
                        for each in (*seen.LOOKS, "comment")
                        if each not in ("font", "size")
                    }
                    | {"cell.value": sheet.value(row, column)}
                )
        never = {number for number in range(len(contexts)) if number not in must}
        rules = [each for each in conditions.search(contexts, must, never, list(contexts[0])) if not each.exceptions]
        rules = [each for each in rules if each.text]
        ways = ["each sheet"] if len(sheets) == len(self._pairs) else self._rules.on_sheets(sheets, set())
        if rules and ways is not None:
            readings = tuple((ways[0], loop("each cell", each)) for each in rules[1 : 1 + READINGS])
            yield Step(LOOKS_BY_RULE, (ways[0], loop("each cell", rules[0])), (line,), readings)
        elif len(cells) <= LISTED:
            for number, row, column in cells:
                yield in_cell(LOOKS, self._pairs[number].one.name, f"{letters_of(column)}{row}", line)

    def _heading_at(self, number: int, column: int) -> str:
        return next((w for w, c in self._pairs[number].one.headings.items() if c == column), "")

    def _look_of_records(self, word: str, written: str, cells: list[tuple[int, int, int]]) -> Found | None:
        """A look of one column of the records, or of whole records, for those of a condition. An empty cell, whose look
        is not seen, may have it as well.
        """
        records = Records()
        must: set[int] = set()
        unseen: set[int] = set()
        marked = {(number, row) for number, row, _ in cells}
        counts = Counter((number, row) for number, row, _ in cells)
        for number, pair in enumerate(self._pairs):
            if (written and written not in pair.one.headings) or pair.one.heading_row is None:
                continue
            columns = [pair.one.headings[written]] if written else list(pair.one.headings.values())
            gone = set(pair.gone)
            for row in pair.one.rows:
                if row in gone:
                    continue
                place = records.add(number, pair.one.record(row))
                visible = sum(pair.one.is_look_seen(row, column, word) for column in columns)
                if (number, row) in marked:
                    if not written and counts[number, row] < visible:
                        return None
                    must.add(place)
                elif not visible:
                    unseen.add(place)
        known = {(number, row) for number, pair in enumerate(self._pairs) for row in pair.one.rows}
        if not must or not marked <= known:
            return None
        free = must | unseen
        return self._rules.rules(records, must, lambda number: number not in free, [written] if written else [])
