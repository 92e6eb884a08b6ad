"""Types as the checker knows them, and how they are read from Python annotations."""

from __future__ import annotations

import types
import typing
from collections.abc import Iterable, Sequence
from functools import cache

from scrub.model.core.choice import Choice
from scrub.model.core.problem import with_article
from scrub.model.core.values import VALUE_TYPES, NewSecret, Pairs


class Type(typing.NamedTuple):
    """A type of the language: its word, what a list contains, the words of a choice, or the kind of an item."""

    word: str
    of: Type | None = None
    choices: tuple[str, ...] = ()
    item: bool = False

    def __str__(self) -> str:
        if self.choices:
            return f"one of: {', '.join(self.choices)}"
        if self.word == "list" and self.of and self.of != ANY:
            return f"a list of {(self.of.choices and 'these: ' + ', '.join(self.of.choices)) or self.of.word}"
        if self.word in ("nothing", "anything", "yes or no", "pairs"):
            return self.word
        return with_article(self.word)

    def fits(self, wanted: Type) -> bool:
        """Whether a value of this type may be where `wanted` is expected; `nothing` fits any type."""
        if ANY in (self, wanted) or self in (wanted, NOTHING):
            return True
        if wanted == list_of(ADDRESS) and self in (TEXT, ADDRESS):  # one means a list of one
            return True
        if {self, wanted} == {TEXT, ADDRESS}:  # a text that is not an address is noticed when the macro runs
            return True
        if self.word == wanted.word and self.word in ("list", "pairs"):
            return self.of is None or wanted.of is None or self.of.fits(wanted.of)
        return self.word == wanted.word and self.item == wanted.item and not wanted.choices


ANY = Type("anything")
TEXT = Type("text")
ADDRESS = Type("address")
NUMBER = Type("number")
YES_NO = Type("yes or no")
DATE = Type("date")
TIME = Type("time")
SECRET = Type("secret")
DURATION = Type("duration")
LENGTH = Type("length")
SIZE = Type("size")
NOTHING = Type("nothing")
#: The unit to write after a bare number where an amount is expected.
_UNITS = {LENGTH: "cm", SIZE: "MB", DURATION: "days"}


def unit_missing(wanted: Type, found: Type, written: object = None) -> str:
    """That a bare number needs a unit here, as the end of a sentence; an empty text for another mistake."""
    unit = _UNITS.get(wanted)
    if unit is None or found != NUMBER:
        return ""
    return f". Write a unit: {'…' if written is None else written} {unit}"


_PLAIN: dict[object, Type] = {
    **{value_type.cls: Type(value_type.word) for value_type in VALUE_TYPES if value_type.cls not in (list, Pairs)},
    Pairs: Type("pairs", Type("anything")),
    int: NUMBER, NewSecret: SECRET, type(None): NOTHING, typing.Any: ANY, object: ANY,
}  # fmt: skip
#: The Python class of the values of each type.
CLASSES: dict[Type, type] = {Type(value_type.word): value_type.cls for value_type in VALUE_TYPES}


def list_of(item: Type | None) -> Type:
    """The type of a list with such values in it."""
    return Type("list", item)


def item_of(word: str) -> Type:
    """The type of an item of this kind."""
    return Type(word, item=True)


ChoiceClass: typing.TypeAlias = type[Choice]


@cache
def type_of(annotation: object) -> Type:
    """The language's type for a Python annotation; None beside a type is left out, since `nothing` fits any type."""
    if annotation in _PLAIN:
        return _PLAIN[annotation]
    origin = typing.get_origin(annotation)
    arguments = [argument for argument in typing.get_args(annotation) if argument is not type(None)]
    if origin in (typing.Union, types.UnionType):
        return type_of(arguments[0]) if len(arguments) == 1 else ANY
    if origin in (list, Sequence, Iterable):
        return list_of(type_of(arguments[0]) if arguments else ANY)
    if isinstance(annotation, type) and issubclass(annotation, str) and not issubclass(annotation, Choice):
        return TEXT
    if isinstance(annotation, type) and issubclass(annotation, Choice):
        return Type("choice", choices=tuple(word.value for word in annotation))
    word = getattr(annotation, "kind_word", None)
    return item_of(word) if word else ANY


def choice_class(annotation: object) -> ChoiceClass | None:
    """The `Choice` class inside an annotation, if there is one."""
    if isinstance(annotation, type) and issubclass(annotation, Choice):
        return annotation
    for inner in typing.get_args(annotation):
        result = choice_class(inner)
        if result:
            return result
    return None
