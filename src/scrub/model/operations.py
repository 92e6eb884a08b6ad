"""Operations of a value, written after a dot. Each belongs to a type; `reply.trimmed.upper`."""

from __future__ import annotations

import re
from collections.abc import Callable
from decimal import ROUND_DOWN, ROUND_HALF_UP, ROUND_UP, Decimal, InvalidOperation
from typing import Any, TypeVar

from scrub.model.problem import Failure
from scrub.model.values import ARITHMETIC, fold, shown

F = TypeVar("F", bound=Callable[..., Any])

#: Every operation, by the word of its type and its own word.
OPERATIONS: dict[tuple[str, str], Callable[..., Any]] = {}


def operation(*types: str) -> Callable[[F], F]:
    """Declares an operation of values of these types; its name is the function's, with hyphens."""

    def mark(function: F) -> F:
        word = function.__name__.rstrip("_").replace("_", "-")
        for name in types:
            OPERATIONS[name, word.removeprefix(f"{name}-")] = function
        return function

    return mark


@operation("text")
def length(text: str) -> int:
    """How many characters the text has.

    Example: if sheet.name.length > 31
    Also: characters, size, count
    """
    return len(text)


@operation("text")
def upper(text: str) -> str:
    """The text in capitals.

    Example: reply.upper
    Also: uppercase, capital letters
    """
    return text.upper()


@operation("text")
def lower(text: str) -> str:
    """The text in small letters.

    Example: reply.lower
    Also: lowercase
    """
    return text.lower()


@operation("text")
def title(text: str) -> str:
    """The text with a capital at the start of each word.

    Example: "larch hut".title
    Also: capitalise, proper case
    """
    return re.sub(r"[^\W_]+(?:['\u2019][^\W_]+)*", lambda word: word[0][:1].upper() + word[0][1:].lower(), text)


@operation("text")
def trimmed(text: str) -> str:
    """The text without blanks at both ends, no-break spaces included.

    Example: reply.trimmed
    Also: strip, spaces
    """
    return text.strip().strip("\u200b\ufeff").strip()


@operation("text")
def single_spaced(text: str) -> str:
    """The text with every run of spaces made one, and none at the ends.

    Example: reply.single-spaced
    Also: double spaces, extra spaces
    """
    return re.sub(r"[ \t\u00a0\u202f]{2,}", " ", trimmed(text))


@operation("text")
def starting(text: str, length: int) -> str:
    """The first characters of the text.

    length: how many.
    Example: reply.starting(3)
    Also: left, first characters
    """
    return text[: _count(length)]


@operation("text")
def ending(text: str, length: int) -> str:
    """The last characters of the text.

    length: how many.
    Example: reply.ending(3)
    Also: right, last characters
    """
    size = _count(length)
    return text[len(text) - size :] if size < len(text) else text


@operation("text")
def before(text: str, mark: str) -> str:
    """What stands before the first place of `mark`; the whole text where there is none.

    mark: the text to look for.
    Example: "Moss, Ann".before(",")
    Also: split, left of
    """
    found = find(text, mark)
    return text[: found[0]] if found else text


@operation("text")
def after(text: str, mark: str) -> str:
    """What stands after the first place of `mark`; an empty text where there is none.

    mark: the text to look for.
    Example: "Moss, Ann".after(",")
    Also: split, right of
    """
    found = find(text, mark)
    return text[found[1] :] if found else ""


@operation("text")
def replaced(text: str, what: str, by: str) -> str:
    """The text with every place of `what` replaced, whatever its case.

    what: the text to look for.
    by: the text to put there.
    Example: sheet.name.replaced("Hut", by: "House")
    Also: substitute, swap, change
    """
    if not what:
        raise Failure('there is nothing to look for in .replaced("", …)')
    return re.sub(_loose(what), lambda _: by, text)


@operation("text")
def words(text: str) -> list[str]:
    """The words of the text, as a list.

    Example: sheet.name.words.first
    Also: split
    """
    return text.split()


@operation("text")
def lines(text: str) -> list[str]:
    """The lines of the text, as a list.

    Example: note.lines.count
    Also: split, paragraphs
    """
    return text.splitlines()


@operation("text")
def without_marks(text: str) -> str:
    """The text with plain letters: no accents, umlauts or cedillas.

    Example: "Gañet".without-marks
    Also: accents, diacritics, umlauts
    """
    import unicodedata

    bare = "".join(letter for letter in unicodedata.normalize("NFD", text) if not unicodedata.combining(letter))
    return unicodedata.normalize("NFC", bare)


@operation("text")
def as_number(text: str) -> Decimal:
    """The number that the text says. A text that can be read in two ways is a failure.

    Example: "1.5".as-number
    Also: convert, parse, text to number
    """
    plain = re.sub(r"[\s\u00a0\u202f']", "", text).replace("\u2212", "-")
    percent = plain.endswith("%")
    plain = plain.removesuffix("%")
    comma, point = plain.count(","), plain.count(".")
    if comma and point:
        mark = max(",.", key=plain.rfind)
        grouping = "," if mark == "." else "."
        whole = plain.partition(mark)[0]
        if plain.count(mark) > 1 or not re.fullmatch(r"[+-]?\d{1,3}([,.]\d{3})+", whole):
            raise _no_number(text)
        plain = plain.replace(grouping, "").replace(mark, ".")
    elif comma > 1 or point > 1:
        if not re.fullmatch(r"[+-]?\d{1,3}([,.]\d{3})+", plain):
            raise _no_number(text)
        plain = plain.replace(",", "").replace(".", "")
    elif comma:
        if re.fullmatch(r"[+-]?[1-9]\d{0,2},\d{3}", plain):
            raise Failure(
                f'"{text}" can be read in two ways: as {plain.replace(",", "")} and as {plain.replace(",", ".")}'
            )
        plain = plain.replace(",", ".")
    if not re.fullmatch(r"[+-]?(\d+(\.\d*)?|\.\d+)", plain):
        raise _no_number(text)
    try:
        number = Decimal(plain)
    except InvalidOperation:
        raise _no_number(text) from None
    return ARITHMETIC.divide(number, Decimal(100)) if percent else number


@operation("text")
def as_file_name(text: str) -> str:
    r"""The text with the characters that a file name cannot hold ( \ / : * ? " < > | ) made into hyphens.

    Example: sheet.name.as-file-name
    Also: safe name, path
    """
    name = re.sub(r'[\\/:*?"<>|\x00-\x1f]+', "-", text).strip(" .")
    stem = name.partition(".")[0].upper()
    if stem in _DEVICES:
        name = f"{name}-"
    return name[:200] or "-"


_DEVICES = {"CON", "PRN", "AUX", "NUL", *(f"{name}{n}" for name in ("COM", "LPT") for n in range(1, 10))}


@operation("number")
def rounded(number: Decimal, places: int = 0) -> Decimal:
    """The number rounded to so many places; halves go away from zero.

    places: digits after the point; left out, none.
    Example: weight.rounded(2)
    Also: decimals
    """
    return _to_places(number, places, ROUND_HALF_UP)


@operation("number")
def rounded_down(number: Decimal, places: int = 0) -> Decimal:
    """The number without what comes after so many places: towards zero.

    places: digits after the point; left out, none.
    Example: weight.rounded-down
    Also: truncate, floor, whole number
    """
    return _to_places(number, places, ROUND_DOWN)


@operation("number")
def rounded_up(number: Decimal, places: int = 0) -> Decimal:
    """The number brought to so many places, away from zero.

    places: digits after the point; left out, none.
    Example: boxes.rounded-up
    Also: ceiling
    """
    return _to_places(number, places, ROUND_UP)


@operation("number")
def size(number: Decimal) -> Decimal:
    """The number without its sign.

    Example: difference.size
    Also: absolute, positive
    """
    return abs(number)


@operation("number", "yes or no")
def as_text(value: Decimal | bool) -> str:
    """The value as a text.

    Example: sheet.number.as-text
    Also: convert, string
    """
    return shown(value)


@operation("list")
def count(values: list[Any]) -> int:
    """How many values the list has.

    Example: sheet.name.words.count
    Also: length, number of
    """
    return len(values)


@operation("list")
def first(values: list[Any]) -> Any:
    """The first value of the list; a failure when it is empty.

    Example: sheet.name.words.first
    Also: head
    """
    return _filled(values, "first")[0]


@operation("list")
def last(values: list[Any]) -> Any:
    """The last value of the list; a failure when it is empty.

    Example: sheet.name.words.last
    Also: tail
    """
    return _filled(values, "last")[-1]


@operation("list")
def joined(values: list[Any], by: str = "") -> str:
    """The values as one text.

    by: what stands between them.
    Example: names.joined(", ")
    Also: concatenate, combine
    """
    return by.join(shown(value) for value in values)


@operation("list")
def with_(values: list[Any], value: Any) -> list[Any]:
    """The list with one more value at its end.

    value: the value to add.
    Example: late = late.with(sheet.name)
    Also: append, add, collect
    """
    return [*values, value]


def find(text: str, mark: str) -> tuple[int, int] | None:
    """Where `mark` first stands in `text`, without regard to case: its start and end in characters."""
    if not mark:
        return None
    found = re.search(_loose(mark), text)
    return found.span() if found else None


def contains(text: str, mark: str) -> bool:
    """Whether `mark` stands in `text`, as texts compare."""
    return fold(mark) in fold(text)


def _loose(mark: str) -> re.Pattern[str]:
    """A pattern for `mark` as texts compare: no case, any space for a space, any apostrophe for one."""
    parts = []
    for letter in mark:
        if letter in " \u00a0\u202f\u2007":
            parts.append("[ \u00a0\u202f\u2007]")
        elif letter in "'\u2019\u2018\u02bc":
            parts.append("['\u2019\u2018\u02bc]")
        else:
            parts.append(re.escape(letter))
    return re.compile("".join(parts), re.IGNORECASE)


def _count(number: int) -> int:
    if number < 0:
        raise Failure(f"a number of characters cannot be {number}")
    return number


def _filled(values: list[Any], word: str) -> list[Any]:
    if not values:
        raise Failure(f"an empty list has no {word} value")
    return values


def _no_number(text: str) -> Failure:
    return Failure(f'"{text}" is not a number')


def _to_places(number: Decimal, places: int, rounding: str) -> Decimal:
    if not -27 <= places <= 27:
        raise Failure(f"a number can be rounded to at most 27 places, not {places}")
    try:
        return number.quantize(Decimal(1).scaleb(-places), rounding=rounding, context=ARITHMETIC)
    except InvalidOperation:
        return number
