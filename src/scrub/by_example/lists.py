"""What was done to the paragraphs of a document or the messages of a mailbox."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from scrub.by_example import conditions, expressions
from scrub.by_example.condition_parts import Condition
from scrub.by_example.differences import counts, match
from scrub.by_example.expressions import FAILS, Context, Example
from scrub.by_example.seen import SeenList
from scrub.by_example.steps import DELETIONS, LOOKS, TEXTS, VALUES, Step, loop
from scrub.by_example.texts import text_actions
from scrub.by_example.values import alike, literal
from scrub.model.vocabulary import Vocabulary

#: Fields that can be set and are learned, by kind.
_LEARNED = {
    "paragraph": ("level", "alignment", "bold", "italic", "underlined", "text"),
    "message": ("subject", "seen", "flagged", "answered", "from", "to", "cc", "reply-to"),
}
_READINGS = 3


class ListFinder:
    """Finds the steps that make one list of items of another."""

    def __init__(self, one: SeenList, other: SeenList, vocabulary: Vocabulary) -> None:
        self.one, self.other = one, other
        self.part = one.part
        self.notes: list[str] = []
        self.left_out: list[str] = []
        self._vocabulary = vocabulary
        self.matched, self.gone, self.fresh = match(one, other)
        if self.fresh:
            self.notes.append(f"{len(self.fresh)} new {self.part}s: how they were made is not learned.")

    def steps(self) -> list[Step]:
        """All of them."""
        found = list(self._deletions())
        explained = list(self._texts())
        found += explained
        for word in _LEARNED[self.part]:
            if word == "text" and explained:
                continue
            found += self._field(word)
        return found

    def _conditions(self, must: set[int], never: set[int], contexts: Sequence[Context]) -> list[Condition]:
        fields = expressions.fields_of(contexts)
        return conditions.search(contexts, must, never, fields)

    def _loops(self, rules: Sequence[Condition]) -> tuple[tuple[str, ...], tuple[tuple[str, ...], ...]]:
        loops = [(loop(f"each {self.part}", rule),) for rule in rules[: 1 + _READINGS]]
        return loops[0], tuple(loops[1:])

    def _deletions(self) -> Iterator[Step]:
        if not self.gone:
            return
        items = self.one.items
        must = set(self.gone)
        rules = self._conditions(must, set(range(len(items))) - must, items)
        if rules and rules[0].text:
            first, others = self._loops(rules)
            note = ""
            if len(must) == 1 and len(rules) > 1:
                note = f"Only one {self.part} is gone, and {len(rules)} rules fit it. Give a second pair with --also."
            elif f'{self.part}.text is "' in rules[0].text:
                note = f"All {len(must)} have the same text, so the rule may be wider. Give a second pair with --also."
            yield Step(DELETIONS, first, ("delete",), others, note)

    def _texts(self) -> Iterator[Step]:
        """One text action over everything."""
        name = "paragraph.text" if self.part == "paragraph" else "message.subject"
        pairs = [
            (str(self.one.items[a].get(name) or ""), str(self.other.items[b].get(name) or "")) for a, b in self.matched
        ]
        changed = [(a, b) for a, b in pairs if a != b]
        if not changed or self.part == "message":
            return
        for action in text_actions(self._vocabulary.kinds[self.part], changed):
            if all(action.on(a) == b for a, b in pairs):
                yield Step(TEXTS, (), (action.text,))
                return

    def _field(self, word: str) -> Iterator[Step]:
        name = f"{self.part}.{word}"
        examples: list[Example] = []
        contexts: list[Context] = []
        for a, b in self.matched:
            context = self.one.items[a]
            if name not in context or name not in self.other.items[b]:
                continue
            counted = counts(name, context)
            after = self.other.items[b][name] if counted else context[name]
            contexts.append(context)
            examples.append(Example(context, context[name], after))
        must = {number for number, each in enumerate(examples) if not alike(each.before, each.after)}
        if not must:
            return
        wanted = [examples[number] for number in sorted(must)]
        fields = [each for each in expressions.fields_of(contexts) if each != name or word in ("text", "subject")]
        for found in expressions.search(wanted, fields)[:4]:
            never = {
                number
                for number, example in enumerate(examples)
                if number not in must and self._would_change(found.of(example.context), example)
            }
            rules = self._conditions(must, never, contexts)
            if not rules or (rules[0].exceptions and len(must) < 4):
                continue
            first, others = self._loops(rules)
            if self.part == "paragraph" and word in ("alignment",) and rules[0].text == "paragraph.level is not empty":
                first, others = ("each heading",), (first, *others)
                yield Step(LOOKS, first, (f"heading.{word} = {found.text}",), ())
                return
            order = VALUES if word in ("subject", "text") else LOOKS
            yield Step(order, first, (f"{name} = {found.text}",), others)
            return
        if literal(wanted[0].after) is None:
            self.notes.append(f"No rule was found for {word}.")

    def _would_change(self, given: object, example: Example) -> bool:
        if given is FAILS:
            return True
        if not counts(f"{self.part}.bold", example.context):
            return False
        return not alike(given, example.before)
