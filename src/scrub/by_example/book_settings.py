"""Settings of sheets, widths of columns, and protection."""

from __future__ import annotations

from collections.abc import Container, Iterator

from scrub.by_example import expressions
from scrub.by_example.differences import measures
from scrub.by_example.expressions import Example
from scrub.by_example.sheet_rules import READINGS, SheetRules
from scrub.by_example.steps import NAMES, PROTECTION, SETTINGS, Step
from scrub.by_example.values import alike, literal
from scrub.model.core.area import letters_of


class SettingFinder:
    """Finds settings, each as a rule for sheets."""

    def __init__(self, rules: SheetRules, left_out: Container[str], notes: list[str]) -> None:
        """`left_out` are the settings that a program changed on its own."""
        self._rules, self._pairs, self._left_out, self._notes = rules, rules.pairs, left_out, notes

    def steps(self) -> Iterator[Step]:
        """All of them."""
        yield from self._measures()
        yield from self._settings()
        yield from self._protection()

    def _measures(self) -> Iterator[Step]:
        groups: dict[tuple[str, int, str], set[int]] = {}
        for number, pair in enumerate(self._pairs):
            for column, word, _, after in measures(pair.one, pair.other):
                text = literal(round(after) if word == "width" and after is not None else bool(after))  # type: ignore[call-overload]
                if text is not None:
                    groups.setdefault((word, column, text), set()).add(number)
        for (word, column, text), must in groups.items():
            ways = self._rules.on_sheets(must)
            if ways is not None:
                letters = letters_of(column)
                yield Step(SETTINGS, (ways[0],), (f'column("{letters}").{word} = {text}',))

    def _settings(self) -> Iterator[Step]:
        words = list(dict.fromkeys(word for pair in self._pairs for word in pair.one.settings))
        for word in words:
            if word in self._left_out:
                continue
            examples = [
                Example(pair.one.context, pair.one.settings.get(word), pair.other.settings.get(word))
                for pair in self._pairs
            ]
            must = {number for number, each in enumerate(examples) if not alike(each.before, each.after)}
            if not must:
                continue
            found = expressions.search([examples[number] for number in sorted(must)], ["sheet.name"])
            for each in found[:1]:
                never = {
                    number
                    for number, example in enumerate(examples)
                    if number not in must and not alike(each.of(example.context), example.before)
                }
                ways = self._rules.on_sheets(must, never)
                if ways is not None:
                    order = NAMES if word == "name" else SETTINGS
                    readings = tuple((way,) for way in ways[1 : 1 + READINGS])
                    yield Step(order, (ways[0],), (f"sheet.{word} = {each.text}",), readings)

    def _protection(self) -> Iterator[Step]:
        groups: dict[str, set[int]] = {}
        for number, pair in enumerate(self._pairs):
            before, after = (bool(getattr(each.sheet, "protected", False)) for each in (pair.one, pair.other))
            if before == after:
                continue
            line = "unprotect"
            if after:
                allowed = [str(each) for each in getattr(pair.other.sheet, "allowed", [])]
                line = f"protect allow: [{', '.join(allowed)}]" if allowed else "protect"
                if getattr(pair.other.sheet, "password_needed", False):
                    self._notes.append("A password cannot be learned. Add it: protect password: code")
            groups.setdefault(line, set()).add(number)
        for line, must in groups.items():
            is_on = line != "unprotect"
            never = {
                number
                for number, pair in enumerate(self._pairs)
                if number not in must and bool(getattr(pair.other.sheet, "protected", False)) != is_on
            }
            ways = self._rules.on_sheets(must, never)
            if ways is not None:
                yield Step(PROTECTION, (ways[0],), (line,), tuple((way,) for way in ways[1 : 1 + READINGS]))
