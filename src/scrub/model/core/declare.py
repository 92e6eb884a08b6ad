"""Kinds, fields and actions are declared once, as typed and documented Python; this is how.

From a declaration come the checker's knowledge, the catalog, the help and the completion.
A docstring's first paragraph says what it does; then lines `name: ...` describe arguments, a line
`Example: ...` shows one, and a line `Also: ...` lists everyday words by which people look for it.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator, Mapping
from enum import IntEnum
from types import MappingProxyType
from typing import ClassVar, TypeVar

from scrub.model.core.area import Area
from scrub.model.core.change import Change, Undo
from scrub.model.core.changes import Changes
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.recorder import Recorder
from scrub.model.core.required import required

F = TypeVar("F", bound=Callable[..., object])


class Reach(IntEnum):
    """How far an action goes, from harmless to leaving this machine."""

    READ = 0
    CHANGE = 1
    FILES = 2
    SEND = 3

    @property
    def sentence(self) -> str:
        """What a person is told about it."""
        return (
            "only reads the files you name",
            "changes the files you name",
            "creates, moves or deletes files",
            "sends data from this computer",
        )[self]


def field(getter: F) -> F:
    """Marks the getter under `@property` as a field of the kind; a setter makes it one that can be set."""
    getter.scrub_field = True  # type: ignore[attr-defined]
    return getter


def otherwise(value: object) -> Callable[[F], F]:
    """Declares what a field is where a format has nothing of the kind: a sheet without formatting is not bold. Without
    it, that is nothing.
    """

    def mark(getter: F) -> F:
        getter.scrub_otherwise = value  # type: ignore[attr-defined]
        return getter

    return mark


_DEFAULTS: dict[tuple[type, str], object] = {}


def default_of(cls: type, word: str) -> object:
    """What a field of a kind is where a format has nothing of it."""
    result = _DEFAULTS.get((cls, word), _DEFAULTS)
    if result is _DEFAULTS:
        getter = getattr(getattr(cls, word.replace("-", "_"), None), "fget", None)
        result = _DEFAULTS[cls, word] = getattr(getter, "scrub_otherwise", None)
    return result


def action(reach: Reach, does: str = "", separate: bool = False) -> Callable[[F], F]:
    """Marks a method (or a function of an item) as an action with this reach. `does` says what a macro with it does,
    for whoever is to approve it; left out, the reach says it. `separate` tells that its changes at different places do
    not depend on each other, so that each can be refused alone.
    """

    def mark(function: F) -> F:
        function.scrub_reach = reach  # type: ignore[attr-defined]
        function.scrub_does = does  # type: ignore[attr-defined]
        function.scrub_separate = separate  # type: ignore[attr-defined]
        return function

    return mark


def holds(method: F) -> F:
    """Marks the method that lists, in document order, the items of a kind directly inside this one."""
    method.scrub_holds = True  # type: ignore[attr-defined]
    return method


def holds_files(method: F) -> F:
    """Marks a method as `contains` does, for files that are opened as items of their own: what is in them is reached
    through each of them only.
    """
    method.scrub_apart = True  # type: ignore[attr-defined]
    return holds(method)


def finds(method: F) -> F:
    """Marks the method that looks an item of a kind up inside this one, by what is in the brackets."""
    method.scrub_finds = True  # type: ignore[attr-defined]
    return method


def selects(method: F) -> F:
    """Marks the method of a file that gives what a person picked with `--at`, or all of it; its annotation is the kind
    that the word `selection` means in macros for such files.
    """
    method.scrub_selects = True  # type: ignore[attr-defined]
    return method


def may_lack(method: F) -> F:
    """Marks a method that a format may leave out, since it cannot keep what the method sets. A macro that needs it is
    refused before its first change; called all the same, it fails.
    """

    @functools.wraps(method)
    def lacking(self: Item, *arguments: object, **named: object) -> None:
        raise Failure(self.file.lacking())

    lacking.scrub_lacking = True  # type: ignore[attr-defined]
    return lacking  # type: ignore[return-value]


def needs(*methods: str) -> Callable[[F], F]:
    """Marks what sets a field, or an action, that works through methods which a format may lack."""

    def mark(function: F) -> F:
        function.scrub_needs = methods  # type: ignore[attr-defined]
        return function

    return mark


def part(method: F) -> F:
    """Marks a method that gives an item made of this one: `sheet.records(headings: 3)`."""
    method.scrub_part = True  # type: ignore[attr-defined]
    return method


class Item:
    """Something in a file that a macro can visit. Items are identities: the same thing is the same object."""

    __slots__ = ()

    #: The word by which a macro calls this kind.
    kind_word: ClassVar[str] = "item"
    #: How a sentence calls one of it, where that is not its word with an article.
    called: ClassVar[str] = ""
    #: Whether its fields are what a file says (the headings over a record), so that any word may be one.
    open_fields: ClassVar[bool] = False
    #: Whether no two of a file have the same name.
    is_one_of_its_name: ClassVar[bool] = False
    #: Other items that its presence brings along: their word, and the method that gives them.
    implied: ClassVar[Mapping[str, str]] = MappingProxyType({})

    @property
    @required
    def file(self) -> FileItem:
        """The picked file this item belongs to."""
        raise NotImplementedError

    @property
    def label(self) -> str:
        """How a person calls this very item."""
        return self.kind_word

    @property
    def removed(self) -> bool:
        """Whether it was deleted during this run."""
        return False

    def __repr__(self) -> str:
        return f"<{self.kind_word} {self.label!r}>"

    def read(self, key: str) -> object:
        """The value of an open field."""
        raise NotImplementedError

    def write(self, key: str, value: object) -> None:
        """Sets an open field."""
        raise NotImplementedError

    def place_of(self, key: str) -> str:
        """How a person names the place of an open field."""
        return self.label

    def changed(
        self,
        field: str,
        before: object,
        after: object,
        revert: Undo,
        said: str = "",
        inner: tuple[str | Area, ...] = (),
        proof: object = None,
    ) -> None:
        """Notes a change just made to this item, or to a place inside it, with the way to undo it. `proof` tells
        outcomes apart that are told in the same words.
        """
        self.file.recorder.add(Change((self.label, *inner), field, before, after, said), revert, self, proof)


class FileItem(Item):
    """An item that is a whole file."""

    #: What its changes are counted by.
    part_word: ClassVar[str] = "place"
    recorder: Recorder

    def headings_over(self, changes: Changes) -> dict[str, Mapping[str, str]]:
        """What is over the columns of the places that have many changes: place, column, heading."""
        return {}

    @may_lack
    def arrange_rows(self) -> None:
        """Is told that rows of its tables are about to come, go or move. Raises `Failure` where they must not."""
        raise NotImplementedError

    @may_lack
    def style_tables(self) -> None:
        """Is told that a table of it is about to get another style. Raises `Failure` where none may."""
        raise NotImplementedError

    def lacking(self, what: str = "that") -> str:
        """Why this format cannot keep what its classes leave out, as a sentence."""
        return f"{self.label}: a file of this format cannot store {what}"

    @property
    def file(self) -> FileItem:
        """Itself."""
        return self


class Docs:
    """A docstring, split: summary, arguments, example, synonyms."""

    __slots__ = ("also", "arguments", "example", "summary")

    def __init__(self, docstring: str | None) -> None:
        self.summary = ""
        self.arguments: dict[str, str] = {}
        self.example = ""
        self.also: tuple[str, ...] = ()
        for label, text in _labelled(docstring or ""):
            if label is None:
                self.summary = text
            elif label == "Example":
                self.example = text
            elif label == "Also":
                self.also = tuple(word.strip() for word in text.split(","))
            else:
                self.arguments[label] = text

    def called(self, word: str) -> bool:
        """Whether people call it by a word, in which a hyphen means a space."""
        return word in self.also or word.replace("-", " ") in self.also


_LABEL = lazy_pattern(r"([A-Za-z][\w-]*): (.*)")


def _labelled(docstring: str) -> Iterator[tuple[str | None, str]]:
    label: str | None = None
    parts: list[str] = []
    for raw in docstring.strip().splitlines():
        line = raw.strip()
        match = _LABEL.fullmatch(line)
        if match:
            yield label, " ".join(parts).strip()
            label, parts = match[1], [match[2]]
        elif line:
            parts.append(line)
    yield label, " ".join(parts).strip()
