"""What was done to the paragraphs of a document or the messages of a mailbox."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from scrub.by_example import conditions, expressions
from scrub.by_example.condition_parts import Condition
from scrub.by_example.differences import counts, match, restyled
from scrub.by_example.expressions import FAILS, Context, Example
from scrub.by_example.passages import PassageFinder
from scrub.by_example.seen import SeenList
from scrub.by_example.steps import DELETIONS, LOOKS, TEXTS, VALUES, Found, Step, loop, single
from scrub.by_example.texts import text_actions
from scrub.by_example.values import alike, literal
from scrub.model.vocabulary import Vocabulary

#: Fields that can be set and are learned, by kind.
_LEARNED = {
    "paragraph": ("level", "style", "alignment", "bold", "italic", "underlined", "colour", "highlight", "text"),
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

    def steps(self) -> Iterator[Step]:
        """All of them."""
        yield from self._filed()
        yield from self._deletions()
        explained = list(self._texts())
        yield from explained
        for word in _LEARNED[self.part]:
            if word == "text" and explained:
                continue
            yield from self._field(word)
        if self.part == "paragraph":
            yield from PassageFinder(self.one, self.other, self.matched, self.notes).steps()

    def _conditions(self, must: set[int], never: set[int], contexts: Sequence[Context]) -> list[Condition]:
        fields = expressions.fields_of(contexts)
        return conditions.search(contexts, must, never, fields)

    def _found(self, rules: Sequence[Condition], contexts: Sequence[Context], many: int) -> Found:
        """The loops by these rules for a number of items: for a single one, all sorts of rules may be meant."""
        near = rules[: 1 + _READINGS] if many > 1 else conditions.unlike(rules)
        first, *others = [(loop(f"each {self.part}", rule),) for rule in near]
        doubts = conditions.doubts(near[0], near[1:], contexts)
        note = single(self.part, len(rules)) if many == 1 and len(rules) > 1 else ""
        return Found(first, tuple(others), doubts, near[0].gaps, note)

    def _filed(self) -> Iterator[Step]:
        """Messages that were moved or copied to other mailboxes."""
        there = {number: target for number in range(len(self.one.items)) if (target := self._target(number))}
        gone = set(self.gone)
        for word in ("move", "copy"):
            must = {number for number in there if (number in gone) == (word == "move")}
            if must:
                yield from self._to_mailboxes(word, {number: there[number] for number in must})

    def _target(self, number: int) -> str:
        return self.other.filed.get(self.one.key(number), "")

    def _to_mailboxes(self, word: str, targets: dict[int, str]) -> Iterator[Step]:
        """One expression for all mailboxes, or else one step for each of them."""
        items, must = self.one.items, set(targets)
        others = set(range(len(items))) - must
        examples = [Example(items[number], None, targets[number]) for number in sorted(must)]
        found = expressions.search(examples, expressions.fields_of(items))
        rules = self._conditions(must, others, items) if found else []
        if rules:
            yield self._found(rules, items, len(must)).step(DELETIONS, f"{word} to: {found[0].text}")
            return
        for target in dict.fromkeys(targets.values()):
            own = {number for number in must if targets[number] == target}
            rules = self._conditions(own, set(range(len(items))) - own, items)
            if rules:
                yield self._found(rules, items, len(own)).step(DELETIONS, f"{word} to: {literal(target)}")

    def _deletions(self) -> Iterator[Step]:
        items = self.one.items
        must = {number for number in self.gone if not self._target(number)}
        if not must:
            return
        rules = self._conditions(must, set(range(len(items))) - must, items)
        if rules and rules[0].text:
            found = self._found(rules, items, len(must))
            if len(must) > 1 and f'{self.part}.text is "' in rules[0].text:
                note = f"All {len(must)} have the same text, so the rule may be wider. Give a second pair with --also."
                found = found._replace(note=note)
            yield found.step(DELETIONS, "delete")

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
        examples = list(self._examples(name, word))
        contexts = [example.context for example in examples]
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
            if word == "alignment" and rules[0].text == "paragraph.level is not empty":
                yield Step(LOOKS, ("each heading",), (f"heading.{word} = {found.text}",))
                return
            order = VALUES if word in ("subject", "text") else LOOKS
            made = self._found(rules, contexts, len(must))
            # Who set one value can see whether the rule sets others; what is gone nobody sees.
            yield made._replace(note="").step(order, f"{name} = {found.text}")
            return
        if literal(wanted[0].after) is None:
            self.notes.append(f"No rule was found for {word}.")

    def _examples(self, name: str, word: str) -> Iterator[Example]:
        """The items that are in both files, with a field before and after, unless it only follows from others."""
        styled = restyled(self.one, self.other, self.matched) if word == "style" else set()
        for a, b in self.matched:
            context, after = self.one.items[a], self.other.items[b]
            if name in context and name in after:
                is_own = a in styled if word == "style" else counts(name, self.one, self.other, a, b)
                yield Example(context, context[name], after[name] if is_own else context[name])

    def _would_change(self, given: object, example: Example) -> bool:
        if given is FAILS:
            return True
        if self.part == "paragraph" and not example.context.get("paragraph.text"):
            return False
        return not alike(given, example.before)
