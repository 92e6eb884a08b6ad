"""Text actions as functions of a text: each is run as the language runs it, on an item that is one text."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from scrub.by_example.values import literal
from scrub.model.core.declare import FileItem
from scrub.model.core.problem import Failure
from scrub.model.core.text import Editing, HoldsTexts
from scrub.model.vocabulary import Action, Kind

#: Actions without arguments that edit texts, the plainest first.
_PLAIN = ("trim", "single-spaces", "upper", "lower", "title-case", "sentence-case", "bind-units")


class TextAction(NamedTuple):
    """An action as a macro writes it, and what it makes of a text."""

    text: str
    on: Callable[[str], str]


class _OneText(HoldsTexts):
    """An item that is one text."""

    __slots__ = ("text",)

    def __init__(self, text: str) -> None:
        self.text = text

    @property
    def file(self) -> FileItem:
        """It is in none."""
        raise Failure("this text is in no file")

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits it, from its end so that places stay."""
        for start, end, fresh in sorted(editing(self.text), reverse=True):
            self.text = self.text[:start] + fresh + self.text[end:]


def _runs(action: Action, **arguments: object) -> Callable[[str], str]:
    def on(text: str) -> str:
        item = _OneText(text)
        try:
            action.function(item, **arguments)
        except (Failure, AttributeError, TypeError):
            return text
        return str(item.text)

    return on


def text_actions(kind: Kind, changed: Sequence[tuple[str, str]]) -> Iterator[TextAction]:
    """The actions that may have made these texts of those: the plain ones, and words that were replaced."""
    for word in _PLAIN:
        action = kind.actions.get(word)
        if action is not None and not action.of_item:
            yield TextAction(word, _runs(action))
    replace = kind.actions.get("replace")
    if replace is None:
        return
    for old, new in _replaced(changed):
        text = f"replace {literal(old)}, by: {literal(new)}"
        yield TextAction(text, _runs(replace, what=old, by=new))


def _replaced(changed: Sequence[tuple[str, str]]) -> Iterator[tuple[str, str]]:
    """Words that may have been replaced by others: with as many neighbours as are the same everywhere."""
    found: dict[tuple[str, str], int] = {}
    for before, after in changed[:20]:
        for pair in _words(before, after):
            found[pair] = found.get(pair, 0) + 1
    likely = sorted(found, key=lambda pair: (-found[pair], -len(pair[0])))
    for old, new in likely[:12]:
        if literal(old) is not None and literal(new) is not None:
            yield old, new


def _words(before: str, after: str) -> Iterator[tuple[str, str]]:
    """The words that differ first in two texts, alone and with the words before and after them."""
    one, other = re.findall(r"\s+|\w+|[^\w\s]", before), re.findall(r"\s+|\w+|[^\w\s]", after)
    start = 0
    while start < min(len(one), len(other)) and one[start] == other[start]:
        start += 1
    if start == min(len(one), len(other)):
        return
    for size in (1, 2, 3):
        for length in (1, 2, 3):
            old, new = one[start : start + size], other[start : start + length]
            if one[start + size : start + size + 2] != other[start + length : start + length + 2] or old == new:
                continue
            yield "".join(old), "".join(new)
            if start > 1 and one[start - 1].isspace():
                left = "".join(one[start - 2 : start])
                yield left + "".join(old), left + "".join(new)
