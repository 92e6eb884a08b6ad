"""The values of a macro, how they compare, and how they are written for a person."""

from __future__ import annotations

import decimal
import unicodedata
from collections.abc import Callable, Iterable
from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal
from typing import Any, TypeAlias, TypeVar

from scrub.model.core.addresses import Address, same_address
from scrub.model.core.amounts import AMOUNTS, Amount, number_text
from scrub.model.core.colours import Colour, same_colour
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure, with_article

T = TypeVar("T")


def alphabetical(text: str) -> tuple[str, str]:
    """What a text is put in order by: characters without their marks first, as in most indexes; then with them."""
    low = fold(text)
    return (low, low) if low.isascii() else ("".join(map(_plain_letter, low)), low)


#: Characters that no decomposition splits (Unicode, chapter 7.1).
_LETTERS = {"ø": "o", "ł": "l", "đ": "d", "ð": "d", "æ": "ae", "œ": "oe", "ħ": "h", "ı": "i", "þ": "th"}


def _plain_letter(letter: str) -> str:
    return _LETTERS.get(letter) or unicodedata.normalize("NFD", letter)[0]


#: Decimal arithmetic as the language promises it: 28 digits, halves away from zero.
ARITHMETIC = decimal.Context(
    prec=28, rounding=ROUND_HALF_UP, traps=[decimal.Overflow, decimal.InvalidOperation, decimal.DivisionByZero]
)


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
        result: T = self._derived[key]
        return result

    def __repr__(self) -> str:
        return "a secret"

    __str__ = __repr__

    def __reduce__(self) -> Any:
        raise TypeError("a secret cannot be stored")


class Pairs:
    """A value for each key. Keys are the same as `is` finds values the same; any costs as much, however many there are.

    `otherwise` is the value of a key that got none; left out, asking for it is a failure.
    """

    __slots__ = ("_otherwise", "held", "types")

    def __init__(self, *otherwise: object) -> None:
        #: Each key as it was written first, with its value, by what keys have in common that are the same: `of` them.
        self.held: dict[object, tuple[object, object]] = {}
        self._otherwise = otherwise
        #: The types of its keys.
        self.types: set[type] = set()

    def __len__(self) -> int:
        return len(self.held)

    def has(self, key: object) -> bool:
        """Whether a key got a value."""
        return self.of(key) in self.held

    @staticmethod
    def of(key: object) -> object:
        """What two keys have in common that are the same."""
        return key.lower() if type(key) is str and key and key.isascii() else _key(key)

    def get(self, key: object) -> object:
        """The value of a key. Raises `Failure` for one that got none."""
        found = self.held.get(self.of(key))
        if found is not None:
            return found[1]
        if self._otherwise:
            return self._otherwise[0]
        raise Failure(f'"{shown(key)}" has no value. Check first: exists, or set a default: pairs(otherwise: 0)')

    def put(self, key: object, value: object) -> tuple[object, object] | None:
        """Gives a key a value; gives what it was, for `put_back`."""
        kept = self.of(key)
        former = self.held.get(kept)
        if former is None and len(self.held) >= LONGEST_LIST:
            raise Failure(f"pairs can have up to {LONGEST_LIST:,} keys")
        if former is None:
            self.types.add(type(key))
        self.held[kept] = (key if former is None else former[0], value)
        return former

    def put_back(self, key: object, former: tuple[object, object] | None) -> None:
        """Makes a key what it was."""
        if former is None:
            del self.held[self.of(key)]
        else:
            self.held[self.of(key)] = former

    def copied(self) -> Pairs:
        """The same pairs, to be changed by themselves."""
        pairs = Pairs(*self._otherwise)
        pairs.held, pairs.types = dict(self.held), set(self.types)
        return pairs

    def every(self) -> Iterable[tuple[object, object]]:
        """Each key with its value."""
        return self.held.values()

    def keys(self) -> list[object]:
        """The keys in the order in which they came, each as it was first written."""
        return [key for key, _ in self.held.values()]

    def values(self) -> list[object]:
        """The values, in the order of the keys."""
        return [value for _, value in self.held.values()]


def _key(value: object) -> object:
    """What two values have in common that are the same."""
    if isinstance(value, str):
        if isinstance(value, Address):
            value = value.mailbox
        return fold(value) if value else None
    if isinstance(value, list):
        return tuple(map(_key, value))
    if isinstance(value, bool | datetime):
        return type(value), value
    return value


class NewSecret(Secret):
    """A password that is set rather than given: it is asked for twice."""

    __slots__ = ()


#: What a cell or a field of a table can contain.
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


def as_written(text: str) -> str:
    """A text as a macro writes it: in quotes, with quotes and braces doubled."""
    doubled = text.replace('"', '""').replace("{", "{{").replace("}", "}}")
    return f'"{doubled}"'


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
    raise Failure("a secret cannot be part of text")


#: Every type of value, a narrower one before a wider: in Python a time is a date too, and an address a text.
VALUE_TYPES = (
    ValueType("yes or no", bool, "yes or no", lambda value: "yes" if value else "no"),
    ValueType("address", Address, "an address", str),
    ValueType("text", str, "a text", str),
    ValueType("number", Decimal, "a number", number_text),
    ValueType("time", datetime, "a time", lambda value: value.strftime("%Y-%m-%dT%H:%M")),
    ValueType("date", date, "a date", date.isoformat),
    ValueType("list", list, "a list", lambda value: ", ".join(map(shown, value))),
    ValueType("pairs", Pairs, "pairs", lambda value: ", ".join(f"{shown(a)}: {shown(b)}" for a, b in value.every())),
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
    return found.called if found is not None else with_article(value.kind_word)


def shown(value: Value) -> str:
    """A value as a text with holes shows it. Raises `Failure` for a secret."""
    if value is None:
        return ""
    found = value_type(value)
    return found.shown(value) if found is not None else str(value.label)


def is_empty(value: Value) -> bool:
    """`is empty`: nothing, spaces only, or a list without values."""
    if value is None:
        return True
    if isinstance(value, str):
        return not value.strip("\u200b\ufeff \t\r\n\u00a0\u202f")
    if isinstance(value, list | Pairs):
        return not len(value)
    return getattr(value, "is_blank", False) is True


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
        if isinstance(left, date) and isinstance(right, date):  # a time and a date compare by the day
            return date(left.year, left.month, left.day) == date(right.year, right.month, right.day)
        return False
    return bool(left == right)
