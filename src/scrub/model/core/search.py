"""Finding what can be named by everyday words: any word counts, rare ones more, and the best answers come first."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from scrub.model.core.declare import Docs
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import nearest
from scrub.model.core.values import fold

#: Words that say nothing about what is looked for.
_IDLE = frozenset(
    "a an the in on of to with from by for into and or it is are be my all every each how do i can make set get put "
    "use using another other some this that these one".split()
)


class CatalogEntry(NamedTuple):
    """One line of the catalog: what it is, how it is written, what it does, an example, everyday words for it.

    `choices` has the words of each argument or field that takes one of a few.
    """

    what: str
    written: str
    docs: Docs
    choices: Mapping[str, tuple[str, ...]] = MappingProxyType({})

    def as_dict(self) -> dict[str, object]:
        """The entry as JSON shows it."""
        return {
            "what": self.what,
            "written": self.written,
            "summary": self.docs.summary,
            "arguments": self.docs.arguments,
            "choices": {name: list(words) for name, words in self.choices.items()},
            "example": self.docs.example,
            "also": list(self.docs.also),
        }


def search(entries: Iterable[CatalogEntry], words: str) -> list[CatalogEntry]:
    """The entries that answer everyday words, the best first; all of them for no words."""
    every = list(entries)
    wanted = _stems(words)
    if not wanted:
        return every
    indexes = [_index(entry) for entry in every]
    known = {stem for index in indexes for stem in index}
    wanted = [stem if stem in known else _near(stem, known) for stem in wanted]
    rarity = {stem: math.log(1 + len(every) / (1 + sum(stem in index for index in indexes))) for stem in set(wanted)}
    phrase = " ".join(wanted)
    scored: list[tuple[float, CatalogEntry]] = []
    for entry, index in zip(every, indexes, strict=True):
        found = [stem for stem in wanted if stem in index]
        score = sum(rarity[stem] * index[stem] for stem in found) * (len(found) / len(wanted)) ** 2
        if phrase in entry_phrases(entry):
            score *= 3
        if score:
            scored.append((score, entry))
    return [entry for _, entry in sorted(scored, key=lambda pair: -pair[0])]


def _near(stem: str, known: Iterable[str]) -> str:
    """The stem that was meant by one that is nowhere: a slip of the finger, not another word."""
    alike = [each for each in known if each[:1] == stem[:1]]
    return nearest(stem, alike, 0.8) or stem


def entry_phrases(entry: CatalogEntry) -> set[str]:
    """What an entry is called, and the everyday phrases for it, as stems."""
    return {" ".join(_stems(each)) for each in (entry.written, *entry.docs.also)}


def _index(entry: CatalogEntry) -> dict[str, float]:
    """Each stem that an entry contains, with its weight: its own word most, then everyday words, then text."""
    result: dict[str, float] = {}
    choices: Sequence[str] = sum(entry.choices.values(), ())
    for weight, texts in (
        (0.7, [*choices]),
        (1.0, [entry.docs.summary, *entry.docs.arguments.values()]),
        (3.0, [entry.what]),
        (4.0, [*entry.docs.also]),
        (6.0, [entry.written]),
    ):
        for text in texts:
            for stem in _stems(text):
                result[stem] = max(weight, result.get(stem, 0.0))
    return result


def _stems(text: str) -> list[str]:
    """The words of a text without their endings; idle ones only where there is not an other."""
    plain = "".join(letter if letter.isalnum() or letter == "'" else " " for letter in fold(text))
    words = [word.removesuffix("'s").strip("'") for word in plain.split()]
    return [_stem(word) for word in words if word and word not in _IDLE] or [_stem(word) for word in words if word]


def _stem(word: str) -> str:
    for ending in ("ations", "ation", "ings", "ing", "ied", "ies", "ed", "es", "s"):
        if word.endswith(ending) and len(word) - len(ending) > 2:
            word = word[: len(word) - len(ending)]
            break
    return word[:-1] if len(word) > 3 and word.endswith(("e", "y", "i")) else word
