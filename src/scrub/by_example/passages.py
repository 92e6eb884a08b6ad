"""How parts of paragraphs were made to look: certain words, what a pattern finds, or what looked alike before."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

from scrub.by_example import conditions, expressions
from scrub.by_example.condition_parts import Condition
from scrub.by_example.differences import ChangedPassage, changed_passages
from scrub.by_example.expressions import Context
from scrub.by_example.seen import SeenList
from scrub.by_example.steps import LOOKS, LOOKS_BY_RULE, Step, loop
from scrub.by_example.values import alike, literal
from scrub.model.core.patterns import found_in, pattern_of
from scrub.model.core.values import fold, loosen
from scrub.model.operations.texts import loose

#: Different words that are told one by one.
_TOLD = 3
_READINGS = 3
#: A number, a word, spaces, or another sign.
_TOKENS = re.compile(r"\d+(?:[.,]\d+)*|[^\W\d_]+|\s+|.", re.DOTALL)
_NUMBER = re.compile(r"\d+(?:[.,]\d+)*")

Span = tuple[int, int]
#: What finds words in a text.
Finds = Callable[[str], Iterator[Span]]


class _Change(NamedTuple):
    """A part of a paragraph that looks otherwise: which of the matched paragraphs, where, and its words."""

    at: int
    span: Span
    text: str


class PassageFinder:
    """Finds looks of parts of paragraphs."""

    def __init__(self, one: SeenList, other: SeenList, matched: Sequence[tuple[int, int]], notes: list[str]) -> None:
        self._one, self._other, self._matched, self._notes = one, other, matched, notes
        self._texts = [str(one.items[a].get("paragraph.text") or "") for a, _ in matched]

    def steps(self) -> Iterator[Step]:
        """A step for each look that some words got."""
        groups: dict[tuple[str, str], list[_Change]] = {}
        for at, (a, b) in enumerate(self._matched):
            for change in changed_passages(self._one, self._other, a, b):
                text = literal(change.after)
                if text is not None:
                    groups.setdefault((change.word, text), []).append(self._change(at, change))
        for (word, text), changes in groups.items():
            found = list(self._look(word, changes, f"passage.{word} = {text}"))
            yield from found
            if not found:
                self._notes.append(f"No rule was found for {word} in parts of paragraphs.")

    def _change(self, at: int, change: ChangedPassage) -> _Change:
        """A change without the spaces around it."""
        whole = self._texts[at][change.start : change.end]
        start = change.start + len(whole) - len(whole.lstrip())
        return _Change(at, (start, start + len(whole.strip())), whole.strip())

    def _look(self, word: str, changes: list[_Change], line: str) -> Iterator[Step]:
        different = list({fold(each.text): each.text for each in changes}.values())
        by_looks = self._by_looks(word, changes)
        others = [(each,) for each in by_looks]
        if len(different) == 1:
            words = self._by_words(word, changes, different[0])
            if words is not None:
                yield Step(LOOKS, words, (line,), tuple(others[:_READINGS]))
                return
        if by_looks:
            yield Step(LOOKS_BY_RULE, others[0], (line,), tuple(others[1 : 1 + _READINGS]))
            return
        pattern = self._by_pattern(word, changes)
        if pattern is not None:
            yield Step(LOOKS, pattern, (line,))
            return
        for text in different if len(different) <= _TOLD else ():
            words = self._by_words(word, [each for each in changes if fold(each.text) == fold(text)], text)
            if words is not None:
                yield Step(LOOKS, words, (line,))

    # -- by words

    def _by_words(self, word: str, changes: Sequence[_Change], text: str) -> tuple[str, ...] | None:
        """These words wherever they are, or in paragraphs of a condition."""
        written = literal(text)
        pattern = loose(text)
        if written is None:
            return None

        def finds(said: str) -> Iterator[Span]:
            return (found.span() for found in pattern.finditer(said))

        return self._in_paragraphs(word, changes, finds, f"each passage in passages({written})")

    def _by_pattern(self, word: str, changes: Sequence[_Change]) -> tuple[str, ...] | None:
        """What a pattern finds that is made of these words."""
        made = _pattern_of([each.text for each in changes])
        if made is None:
            return None
        for pattern in (made, f"^{made}"):
            compiled = pattern_of(pattern)

            def finds(said: str, compiled: Any = compiled) -> Iterator[Span]:
                return (found.span() for found in found_in(compiled, loosen(said)))

            found = self._in_paragraphs(word, changes, finds, f"each passage in passages(matching: {literal(pattern)})")
            if found is not None:
                return found
        return None

    def _in_paragraphs(
        self, word: str, changes: Sequence[_Change], finds: Finds, opening: str
    ) -> tuple[str, ...] | None:
        """A loop over what is found, in all paragraphs or in those of a condition; None where it finds other words."""
        wanted: dict[int, set[Span]] = {}
        for each in changes:
            wanted.setdefault(each.at, set()).add(each.span)
        never: set[int] = set()
        for at, said in enumerate(self._texts):
            spans = set(finds(said))
            if not wanted.get(at, set()) <= spans:
                return None
            if any(not self._looks(at, span, word, changes) for span in spans - wanted.get(at, set())):
                never.add(at)
        if never & wanted.keys():
            return None
        if not never:
            return (opening,)
        items = [self._one.items[a] for a, _ in self._matched]
        rules = conditions.search(items, set(wanted), never, expressions.fields_of(items))
        rules = [each for each in rules if not each.exceptions]
        return (loop("each paragraph", rules[0]), opening) if rules else None

    def _looks(self, at: int, span: Span, word: str, changes: Sequence[_Change]) -> bool:
        """Whether words look in the second file as the changed ones do."""
        now = self._looks_of(changes[0].at, changes[0].span, word)
        return bool(now) and all(alike(each, now[0]) for each in self._looks_of(at, span, word))

    def _looks_of(self, at: int, span: Span, word: str) -> list[object]:
        said = self._texts[at]
        return [
            piece.fields.get(f"passage.{word}")
            for piece in self._other.pieces(self._matched[at][1])
            if said[max(piece.start, span[0]) : min(piece.end, span[1])].strip()
        ]

    # -- by how they looked

    def _by_looks(self, word: str, changes: Sequence[_Change]) -> list[str]:
        """Loops over the parts that looked in one way before."""
        touched: dict[int, list[Span]] = {}
        for each in changes:
            touched.setdefault(each.at, []).append(each.span)
        contexts: list[Context] = []
        must: set[int] = set()
        never: set[int] = set()
        for at, said in enumerate(self._texts):
            for piece in self._one.pieces(self._matched[at][0]):
                words = said[piece.start : piece.end]
                if not words.strip():
                    continue
                start = piece.start + len(words) - len(words.lstrip())
                end = start + len(words.strip())
                inside = [span for span in touched.get(at, ()) if span[0] < end and start < span[1]]
                if any(span[0] <= start and end <= span[1] for span in inside):
                    must.add(len(contexts))
                elif inside:
                    return []
                elif not self._looks(at, (start, end), word, changes):
                    never.add(len(contexts))
                contexts.append({name: value for name, value in piece.fields.items() if name != "passage.text"})
        if not must:
            return []
        found: list[Condition] = conditions.search(contexts, must, never, expressions.fields_of(contexts))
        return [loop("each passage", each) for each in found if each.text and not each.exceptions]


def _pattern_of(texts: Sequence[str]) -> str | None:
    """A pattern that finds all of these: what they have in common, with any number or any word where they differ."""
    every = [_TOKENS.findall(text) for text in texts]
    if len({len(tokens) for tokens in every}) != 1:
        return None
    parts = []
    for tokens in zip(*every, strict=True):
        if len({fold(token) for token in tokens}) == 1:
            parts.append(" " if tokens[0].isspace() else re.escape(tokens[0]))
        elif all(_NUMBER.fullmatch(token) for token in tokens):
            parts.append("[0-9]+" if all(token.isdigit() for token in tokens) else "[0-9]+([.,][0-9]+)?")
        elif all(token.isalpha() for token in tokens):
            parts.append(r"\w+")
        else:
            return None
    return "".join(parts) if any(part not in (r"\w+", " ", "[0-9]+") for part in parts) else None
