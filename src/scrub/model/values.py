"""The values of a macro, how they compare, and how they are written for a person."""

from __future__ import annotations

import decimal
from collections.abc import Callable
from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal
from enum import StrEnum
from typing import Any, NamedTuple, TypeAlias, TypeVar

from scrub.model.addresses import Address, same_address
from scrub.model.amounts import AMOUNTS, Amount, number_text
from scrub.model.colours import Colour, same_colour
from scrub.model.problem import Failure

T = TypeVar("T")

#: Decimal arithmetic as the language promises it: 28 digits, halves away from zero.
ARITHMETIC = decimal.Context(
    prec=28, rounding=ROUND_HALF_UP, traps=[decimal.Overflow, decimal.InvalidOperation, decimal.DivisionByZero]
)


class Choice(StrEnum):
    """A set of words, one of which is expected; a macro writes them bare."""


class Secret:
    """A password. It never prints, and never enters a log, a record or an error."""

    __slots__ = ("_derived", "_text")

    def __init__(self, text: str) -> None:
        self._text = text
        self._derived: dict[object, Any] = {}

    def reveal(self) -> str:
        """The password itself, for the one place that needs it."""
        return self._text

    def derived(self, key: object, make: Callable[[str], T]) -> T:
        """What `make` computes from the password, computed once for each key and forgotten with the secret."""
        if key not in self._derived:
            self._derived[key] = make(self._text)
        found: T = self._derived[key]
        return found

    def __repr__(self) -> str:
        return "a secret"

    __str__ = __repr__

    def __reduce__(self) -> Any:
        raise TypeError("a secret cannot be stored")


class NewSecret(Secret):
    """A password that is set rather than given: it is asked for twice."""

    __slots__ = ()


#: What a cell or a field of a table can hold.
Plain: TypeAlias = str | Decimal | bool | date | Amount | None
#: Any value of a macro: a plain one, a list of values, a secret, an item.
Value: TypeAlias = Any

#: What a value may hold: characters of a text, values of a list.
LONGEST_TEXT, LONGEST_LIST = 100_000_000, 10_000_000

_FOLD = str.maketrans({"\u00a0": " ", "\u202f": " ", "\u2007": " ", "\u2019": "'", "\u2018": "'", "\u02bc": "'"})


def fold(text: str) -> str:
    """`text` as comparisons see it: no case, plain spaces, straight apostrophes."""
    if text.isascii():
        return text.lower()
    return text.translate(_FOLD).casefold()


def loosen(text: str) -> str:
    """`text` for a strict comparison: only the marks that a word processor swaps are made equal."""
    return text if text.isascii() else text.translate(_FOLD)


def heading_key(heading: str) -> str:
    """A heading as macros compare it: case, spaces, hyphens and underscores are the same."""
    return "-".join(fold(heading).replace("-", " ").replace("_", " ").split())


def harmless(text: str) -> str:
    """A text for a table of texts; one that a spreadsheet would run as a formula is made plain by an apostrophe."""
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t", "\r")) else text


class ValueType(NamedTuple):
    """A type of value: its word in the language, its class in Python, how a sentence calls one, how it is shown."""

    word: str
    cls: type
    called: str
    shown: Callable[[Any], str]


def _never_shown(value: object) -> str:
    raise Failure("a secret cannot be written into a text")


#: Every type of value, a narrower one before a wider: in Python a time is a date too, and an address a text.
VALUE_TYPES = (
    ValueType("yes or no", bool, "yes or no", lambda value: "yes" if value else "no"),
    ValueType("address", Address, "an address", str),
    ValueType("text", str, "a text", str),
    ValueType("number", Decimal, "a number", number_text),
    ValueType("time", datetime, "a time", lambda value: value.strftime("%Y-%m-%dT%H:%M")),
    ValueType("date", date, "a date", date.isoformat),
    ValueType("list", list, "a list", lambda value: ", ".join(map(shown, value))),
    ValueType("secret", Secret, "a secret", _never_shown),
    *(ValueType(amount.word, amount, f"a {amount.word}", str) for amount in AMOUNTS),
)
_EXACTLY = {each.cls: each for each in VALUE_TYPES}


def value_type(value: Value) -> ValueType | None:
    """The type of a value; None for nothing, and for an item."""
    return _EXACTLY.get(type(value)) or next((each for each in VALUE_TYPES if isinstance(value, each.cls)), None)


def type_name(value: Value) -> str:
    """What a person calls the type of `value`, with its article."""
    if value is None:
        return "nothing"
    found = value_type(value)
    return found.called if found is not None else f"a {value.kind_word}"


def shown(value: Value) -> str:
    """A value as a text with holes shows it. Raises `Failure` for a secret."""
    if value is None:
        return ""
    found = value_type(value)
    return found.shown(value) if found is not None else str(value.label)


def is_empty(value: Value) -> bool:
    """`is empty`: nothing, blanks only, or a list without values."""
    if value is None:
        return True
    if isinstance(value, str):
        return not value.strip("\u200b\ufeff \t\r\n\u00a0\u202f")
    return isinstance(value, list) and not value


def same(left: Value, right: Value, exactly: bool = False) -> bool:
    """`left is right`; texts without regard to case unless `exactly`.

    Values of two sorts are not equal, but for nothing and an empty text.
    """
    if isinstance(left, str) and isinstance(right, str):
        if isinstance(left, Colour) or isinstance(right, Colour):
            return same_colour(left, right)
        if isinstance(left, Address) or isinstance(right, Address):
            return same_address(left, right)
        return loosen(left) == loosen(right) if exactly else fold(left) == fold(right)
    if isinstance(left, list) and isinstance(right, list):
        return len(left) == len(right) and all(same(a, b, exactly) for a, b in zip(left, right, strict=True))
    if isinstance(left, bool) or isinstance(right, bool):
        return left is right
    if left is None or right is None:
        return left is right or left == "" or right == ""
    if isinstance(left, datetime) != isinstance(right, datetime):
        return False
    return bool(left == right)
