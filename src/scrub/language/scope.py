"""What is in reach at a line: kept values and current items, each with its slot in the running frame."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from scrub.model.core.named import NamedTuple
from scrub.model.core.types import Type
from scrub.model.vocabulary import Vocabulary

#: Kinds that the language names and this version cannot open yet.
LATER_KINDS = frozenset(["style"])


class NameOf(NamedTuple):
    """A kept value: its slot, its type, and the line that first set it."""

    slot: int
    type: Type
    line: int


class ItemOf(NamedTuple):
    """A current item: the word for it, its kind, its slot, the headings that are asked of it, and how a sentence calls
    its kind.
    """

    word: str
    kind: str
    slot: int
    headings: set[str]
    said: str


class Scope:
    """Names and items in reach."""

    def __init__(self) -> None:
        self.names: dict[str, NameOf] = {}
        self.assigned: set[str] = set()
        self.items: list[ItemOf] = []
        self.slots = 1  # the first place of a frame is the run itself

    def copied(self) -> Scope:
        """The same names and items, for who looks at them later."""
        scope = Scope()
        scope.names, scope.assigned = dict(self.names), set(self.names)
        scope.items, scope.slots = list(self.items), self.slots
        return scope

    def new_slot(self) -> int:
        """A fresh place in the frame."""
        self.slots += 1
        return self.slots - 1

    @property
    def current(self) -> ItemOf | None:
        """The innermost item."""
        return self.items[-1] if self.items else None

    def item(self, word: str) -> ItemOf | None:
        """The innermost item that goes by this word."""
        return next(
            (
                item_of
                for item_of in reversed(self.items)
                if item_of.word == word or item_of.said == word != item_of.kind
            ),
            None,
        )

    def implied(self, word: str, vocabulary: Vocabulary) -> tuple[ItemOf, str] | None:
        """The innermost item that brings one of this word along, and the method that gives it."""
        for item in reversed(self.items):
            method = vocabulary.kinds[item.kind].cls.implied.get(word)
            if method:
                return item, method
        return None

    def known(self, word: str) -> bool:
        """Whether the word is a name or an item here."""
        return word in self.names or self.item(word) is not None

    @contextmanager
    def entered(self, word: str, kind: str, said: str = "") -> Iterator[ItemOf]:
        """Makes an item current."""
        item = ItemOf(word, kind, self.new_slot(), set(), said or kind)
        self.items.append(item)
        try:
            yield item
        finally:
            self.items.pop()
