"""What was done to the values of a workbook: under each heading, and in single cells."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

from scrub.by_example import conditions, expressions
from scrub.by_example.columns import Source, formula_for, lookups
from scrub.by_example.expressions import FAILS, Example, Expression
from scrub.by_example.matching import plain_text
from scrub.by_example.sheet_rules import Column, SheetRules
from scrub.by_example.steps import LISTED, TEXTS, VALUES, Step, in_cell
from scrub.by_example.texts import text_actions
from scrub.by_example.values import alike, literal
from scrub.model.core.area import letters_of
from scrub.model.vocabulary import Vocabulary

#: Records above which fewer expressions are tried with conditions.
_MANY = 5000


class ValueFinder:
    """Finds what was done to values."""

    def __init__(self, rules: SheetRules, vocabulary: Vocabulary, beside: Sequence[Source]) -> None:
        """`beside` are sheets of other files, in which values can be looked up."""
        self._rules, self._pairs, self._vocabulary, self._beside = rules, rules.pairs, vocabulary, beside

    def steps(self) -> Iterator[Step]:
        """Texts that were edited, and what is under each heading."""
        explained: set[tuple[int, int, int]] = set()
        for step, places in self._text_steps():
            explained |= places
            yield step
        for written in dict.fromkeys(each for pair in self._pairs for each in pair.other.headings):
            yield from self._column(written, explained)
        yield from self._loose_cells(explained)

    def _text_steps(self) -> Iterator[tuple[Step, set[tuple[int, int, int]]]]:
        """One text action over whole sheets that explains every text that is other."""
        changed: dict[tuple[int, int, int], tuple[str, str]] = {}
        same: list[tuple[int, str]] = []
        for number, pair in enumerate(self._pairs):
            at = dict(pair.rows)
            for column, values in pair.one.values.items():
                for row, value in values.items():
                    to = at.get(row, row)
                    after = pair.other.value(to, column)
                    if not isinstance(value, str) or pair.one.formula(row, column) is not None or row in pair.gone:
                        continue
                    if isinstance(after, str) and str(after) != str(value):
                        changed[number, row, column] = (str(value), str(after))
                    elif str(after) == str(value):
                        same.append((number, str(value)))
        if len(changed) < 2:
            return
        must = {number for number, _, _ in changed}
        for action in text_actions(self._vocabulary.kinds["sheet"], list(changed.values())):
            if not all(action.on(before) == after for before, after in changed.values()):
                continue
            never = {number for number, text in same if action.on(text) != text}
            if never & must:
                continue
            ways = self._rules.on_sheets(must, never)
            if ways is not None:
                yield Step(TEXTS, (ways[0],), (action.text,)), set(changed)
                return

    def _column(self, written: str, explained: set[tuple[int, int, int]]) -> Iterator[Step]:
        """What was done under one heading."""
        holders = [n for n, pair in enumerate(self._pairs) if written in pair.other.headings and pair.one.headings]
        fresh = {n for n in holders if written not in self._pairs[n].one.headings}
        if fresh and len(fresh) < len(holders):
            holders = [n for n in holders if n in fresh]
        found = Column(written)
        for number in holders:
            pair = self._pairs[number]
            column = pair.other.headings[written]
            for a, b in pair.rows:
                context = pair.one.record(a)
                before = context.get(written)
                after = pair.other.content(b, column)
                if (number, a, column) in explained or (a == b and alike(pair.one.content(a, column), after)):
                    after = before
                found.add_example(number, Example(context, before, after))
        if fresh:
            yield from self._new_heading(written, fresh)
        if not found.must:
            return
        step = (
            self._gaps(found)
            or self._formula_of(found)
            or self._rule_of(found)
            or self._lookup_of(found)
            or self._chain_of(found)
        )
        if step is not None:
            yield step

    def _new_heading(self, written: str, fresh: set[int]) -> Iterator[Step]:
        heading = self._pairs[min(fresh)].other.heading_text(written)
        ways = self._rules.on_sheets(fresh)
        if ways is not None:
            yield Step(TEXTS, (ways[0], f"in {self._pairs[min(fresh)].one.table}"), (f"add-column {literal(heading)}",))

    def _gaps(self, column: Column) -> Step | None:
        """Empty cells that got the value above them."""
        used = column.used(column.must)
        for number in used:
            above: object = None
            for place in column.sheets[number]:
                example = column.examples[place]
                expected = above if example.before is None else example.before
                if not alike(expected, example.after):
                    return None
                above = example.after
        if any(example.before is not None for example in column.wanted):
            return None
        ways = self._rules.on_sheets(used)
        if ways is None:
            return None
        heading = literal(self._pairs[min(used)].one.heading_text(column.written))
        return Step(VALUES, (ways[0], f"in column({heading})"), ("fill-gaps",))

    def _rule_of(self, column: Column) -> Step | None:
        """One expression for all that is other; a few may be slips of the hand."""
        written, contexts, examples, must, wanted = (
            column.written, column.contexts, column.examples, column.must, column.wanted,
        )  # fmt: skip
        fields = expressions.fields_of([example.context for example in wanted])
        found = expressions.search(wanted, fields)
        slips: set[int] = set()
        if not found and len(must) > 5:
            found, slips = self._most(examples, must, fields)
        best: tuple[float, Step] | None = None
        for each in found[: 6 if len(contexts) < _MANY else 2]:
            given = {n: each.of(contexts[n]) for n in range(len(contexts))}

            def wrong(number: int, given: dict[int, object] = given) -> bool:
                return given[number] is FAILS or not alike(given[number], examples[number].after)

            needs = [name for name in (written, *fields) if name in each.text and name in contexts[min(must)]]
            rules = self._rules.rules(column, must - slips, wrong, needs, best is None)
            if rules is None:
                continue
            cost = each.cost + sum(len(part) / 12 for part in rules.loops)
            if best is None or cost < best[0]:
                best = (cost, rules.step(VALUES, f"{written} = {each.text}"))
        return best[1] if best is not None else None

    def _formula_of(self, column: Column) -> Step | None:
        """One formula for all that is other."""
        if not all(str(example.after).startswith("=") for example in column.wanted):
            return None
        sheets, must = column.sheets, column.must
        rows = {n: row for s, every in sheets.items() for n, (_, row) in zip(every, self._pairs[s].rows, strict=True)}
        formula = formula_for([(rows[number], str(column.examples[number].after)) for number in sorted(must)])
        if formula is None:
            return None
        rules = self._rules.rules(column, must, lambda number: number not in must)
        heading = literal(self._pairs[min(sheets)].other.heading_text(column.written))
        return rules.step(VALUES, f"record.cell({heading}).formula = {formula}") if rules is not None else None

    def _lookup_of(self, column: Column) -> Step | None:
        """Values that are on another sheet."""
        contexts, examples, wanted = column.contexts, column.examples, column.wanted
        used = column.used(column.must)
        others = [
            Source(pair.one, f"sheet({literal(pair.one.name)})")
            for number, pair in enumerate(self._pairs)
            if number not in used
        ]
        fields = expressions.fields_of([example.context for example in wanted])
        for found in lookups([*others, *self._beside], wanted, fields):
            given = {n: found.expression.of(contexts[n]) for n in range(len(contexts))}

            def wrong(number: int, given: dict[int, object] = given) -> bool:
                return given[number] is not FAILS and not alike(given[number], examples[number].after)

            rules = self._rules.rules(column.on(used), column.must, wrong)
            if rules is None:
                continue
            lines = [f"{column.written} = {found.expression.text}"]
            if any(value is FAILS for value in given.values()):
                lines = [f"if {found.record} exists", f"    {lines[0]}", "end"]
            return rules.step(VALUES, *lines, opening=found.opening)
        return None

    def _most(
        self, examples: Sequence[Example], must: set[int], fields: Sequence[str]
    ) -> tuple[list[Expression], set[int]]:
        """An expression for all but a few."""
        counts = Counter(plain_text(examples[number].after) for number in must)
        value, times = counts.most_common(1)[0]
        if times * 6 >= len(must) * 5:
            kept = {number for number in must if plain_text(examples[number].after) == value}
            return expressions.search([examples[number] for number in sorted(kept)], fields), must - kept
        ordered = sorted(must)
        allowed = max(1, len(ordered) // 6)
        for start in range(0, len(ordered), max(1, len(ordered) // 4)):
            some = ordered[start : start + 4]
            for each in expressions.search([examples[number] for number in some], fields)[:5]:
                wrong = {n for n in must if not alike(each.of(examples[n].context), examples[n].after)}
                if len(wrong) <= allowed:
                    return [each], wrong
        return [], set()

    def _chain_of(self, column: Column) -> Step | None:
        """Two to six values, each with its condition: the rarest first."""
        contexts, examples, must = column.contexts, column.examples, column.must
        groups: dict[str, set[int]] = {}
        for number in must:
            groups.setdefault(plain_text(examples[number].after), set()).add(number)
        if not 2 <= len(groups) <= 6:
            return None
        used = column.used(must)
        inside = {number for sheet in used for number in column.sheets[sheet]}
        openings = {self._pairs[number].one.opening for number in used}
        ways = self._rules.on_sheets(used)
        fields = expressions.fields_of([contexts[number] for number in sorted(inside)])
        if ways is None or len(openings) != 1:
            return None
        lines: list[str] = []
        done: set[int] = set()
        for _, own in sorted(groups.items(), key=lambda group: len(group[1])):
            value = literal(examples[min(own)].after)
            rest = {
                number
                for number in inside - own - done
                if number in must or not alike(examples[number].after, examples[min(own)].after)
            }
            found = conditions.search(contexts, own, rest or inside - own, fields)
            rules = [each for each in found if not each.exceptions]
            if value is None or not rules or not rules[0].text:
                return None
            lines += [f"{'else if' if lines else 'if'} {rules[0].text}", f"    {column.written} = {value}"]
            done |= own
        return Step(VALUES, (ways[0], openings.pop()), (*lines, "end"))

    def _loose_cells(self, explained: set[tuple[int, int, int]]) -> Iterator[Step]:
        """Cells above and beside the records that are other: up to six are listed."""
        found: list[tuple[int, str, str]] = []
        for number, pair in enumerate(self._pairs):
            top = pair.one.heading_row
            for row, column in dict.fromkeys((*pair.one.places(), *pair.other.places())):
                if top is not None and row >= top and pair.one.rows:
                    continue
                before, after = pair.one.value(row, column), pair.other.value(row, column)
                if not alike(before, after) and (number, row, column) not in explained:
                    text = literal(after)
                    if text is not None:
                        found.append((number, f"{letters_of(column)}{row}", text))
        if 0 < len(found) <= LISTED:
            for number, address, text in found:
                yield in_cell(VALUES, self._pairs[number].one.name, address, f"cell.value = {text}")
