"""Texts (OpenDocument 1.3, part 4, 6.20)."""

from __future__ import annotations

import math
import re
import unicodedata

from scrub.formulas.context import Context, Result
from scrub.formulas.functions.arguments import is_many, values_of, whole
from scrub.formulas.functions.conditions import Wildcards
from scrub.formulas.functions.numbers import rounded
from scrub.formulas.functions.registry import function
from scrub.formulas.values import (
    LONGEST,
    NA,
    VALUE,
    Array,
    ErrorValue,
    Raised,
    Unsupported,
    Value,
    long_enough,
    number_of_text,
    text_of,
)


def _units(text: str) -> bytes:
    """A text as UTF-16, in which formulas count characters."""
    return text.encode("utf-16-le", "surrogatepass")


def _cut(text: str, start: int, length: int) -> str:
    """Characters of a text, from 0, counted as formulas do."""
    if text.isascii() or max(text) < "\U00010000":
        return text[start : start + length]
    return _units(text)[2 * start : 2 * (start + length)].decode("utf-16-le", "surrogatepass")


def _length(text: str) -> int:
    return len(text) if text.isascii() else len(_units(text)) // 2


def _count(number: float) -> int:
    if number < 0:
        raise Raised(VALUE)
    return min(whole(number), LONGEST)


@function("LEN", "t", "6.20")
def len_(on: object, text: str) -> Value:
    """How many characters a text has."""
    return float(_length(text))


@function("LEFT", "t?n", "6.20")
def left(on: object, text: str, length: float = 1.0) -> Value:
    """The first characters."""
    return _cut(text, 0, _count(length))


@function("RIGHT", "t?n", "6.20")
def right(on: object, text: str, length: float = 1.0) -> Value:
    """The last characters."""
    count = _count(length)
    return _cut(text, max(0, _length(text) - count), count)


@function("MID", "tnn", "6.20")
def mid(on: object, text: str, start: float, length: float) -> Value:
    """Characters from a place on."""
    if start < 1:
        raise Raised(VALUE)
    return _cut(text, whole(start) - 1, _count(length))


@function("UPPER", "t", "6.20")
def upper(on: object, text: str) -> Value:
    """In capitals."""
    return long_enough(text.upper())


@function("LOWER", "t", "6.20")
def lower(on: object, text: str) -> Value:
    """In small letters."""
    return text.lower()


@function("PROPER", "t", "6.20")
def proper(on: object, text: str) -> Value:
    """Each word with a capital first letter."""
    letters, before = [], False
    for letter in text:
        letters.append(letter.lower() if before else letter.upper())
        before = letter.isalpha()
    return "".join(letters)


@function("TRIM", "t", "6.20")
def trim(on: object, text: str) -> Value:
    """Without blanks at the ends, and with one between words."""
    return " ".join(part for part in text.split(" ") if part)


@function("CLEAN", "t", "6.20")
def clean(on: object, text: str) -> Value:
    """Without control characters."""
    return "".join(letter for letter in text if ord(letter) >= 32)


@function("CONCATENATE", "t*t", "6.20")
def concatenate(on: object, *given: str) -> Value:
    """Texts one after another."""
    return long_enough("".join(given))


def _joined(given: tuple[Result, ...]) -> list[Value]:
    return [value for one in given for value in (values_of(one) if is_many(one) else (one,))]  # type: ignore[misc]


@function("CONCAT", "x*x", "18.17.7")
def concat(on: Context, *given: Result) -> Value:
    """All texts of ranges, one after another."""
    return _within_limit("", [text_of(value) for value in _joined(given)])


@function("TEXTJOIN", "tbx*x", "18.17.7")
def textjoin(on: Context, between: str, skips: bool, *given: Result) -> Value:
    """All texts of ranges, with another one between."""
    texts = [text_of(value) for value in _joined(given)]
    return _within_limit(between, [text for text in texts if text] if skips else texts)


def _within_limit(between: str, texts: list[str]) -> str:
    if sum(map(len, texts)) + len(between) * max(0, len(texts) - 1) > LONGEST:
        raise Raised(VALUE)
    return between.join(texts)


@function("REPT", "tn", "6.20")
def rept(on: object, text: str, times: float) -> Value:
    """A text again and again."""
    count = whole(times)
    if times < 0 or len(text) * count > LONGEST:
        raise Raised(VALUE)
    return text * count


@function("SUBSTITUTE", "ttt?n", "6.20")
def substitute(on: object, text: str, old: str, new: str, which: float | None = None) -> Value:
    """A text with another one in place of a piece of it, everywhere or once."""
    if which is not None and which < 1:
        raise Raised(VALUE)
    if not old:
        return text
    if which is None:
        if len(text) + text.count(old) * (len(new) - len(old)) > LONGEST:
            raise Raised(VALUE)
        return text.replace(old, new)
    at = -len(old)
    for _ in range(whole(which)):
        at = text.find(old, at + len(old))
        if at < 0:
            return text
    return long_enough(text[:at] + new + text[at + len(old) :])


@function("REPLACE", "tnnt", "6.20")
def replace(on: object, text: str, start: float, length: float, new: str) -> Value:
    """A text with another one in place of some characters."""
    if start < 1 or length < 0:
        raise Raised(VALUE)
    at = whole(start) - 1
    after = min(at + whole(length), LONGEST)
    return long_enough(_cut(text, 0, at) + new + _cut(text, after, LONGEST))


@function("FIND", "tt?n", "6.20")
def find(on: object, wanted: str, text: str, start: float = 1.0) -> Value:
    """Where a text begins in another one, with regard to case."""
    at = whole(start) - 1
    if not 0 <= at <= max(0, len(text)):
        raise Raised(VALUE)
    found = text.find(wanted, at)
    if found < 0:
        raise Raised(VALUE)
    return float(_length(text[:found]) + 1)


@function("SEARCH", "tt?n", "6.20")
def search(on: object, wanted: str, text: str, start: float = 1.0) -> Value:
    """Where a text begins in another one, without regard to case and with wildcards."""
    at = whole(start) - 1
    if not 0 <= at <= max(0, len(text)):
        raise Raised(VALUE)
    found = Wildcards(wanted).find(text, at)
    if found < 0:
        raise Raised(VALUE)
    return float(_length(text[:found]) + 1)


@function("EXACT", "tt", "6.20")
def exact(on: object, one: str, other: str) -> Value:
    """Whether two texts are equal, with regard to case."""
    return one == other


@function("CHAR", "n", "6.20")
def char(on: object, number: float) -> Value:
    """The character with a number in the code page 1252."""
    at = whole(number)
    if not 1 <= at <= 255:
        raise Raised(VALUE)
    if at in (0x81, 0x8D, 0x8F, 0x90, 0x9D):
        return chr(at)
    return bytes([at]).decode("cp1252")


@function("CODE", "t", "6.20")
def code(on: object, text: str) -> Value:
    """The number of the first character in the code page 1252."""
    if not text:
        raise Raised(VALUE)
    first = text[0]
    if ord(first) < 256 and not 0x80 <= ord(first) < 0xA0:
        return float(ord(first))
    try:
        return float(first.encode("cp1252")[0])
    except UnicodeEncodeError:
        return 63.0


@function("UNICHAR", "n", "6.20")
def unichar(on: object, number: float) -> Value:
    """The character with a number in Unicode."""
    at = whole(number)
    if not 1 <= at <= 0x10FFFF or 0xD800 <= at <= 0xDFFF:
        raise Raised(VALUE)
    return chr(at)


@function("UNICODE", "t", "6.20")
def unicode(on: object, text: str) -> Value:
    """The number of the first character in Unicode."""
    if not text:
        raise Raised(VALUE)
    return float(ord(text[0]))


@function("T", "v", "6.20")
def t(on: object, value: Value) -> Value:
    """A text; an empty one for what is none."""
    if isinstance(value, ErrorValue):
        return value
    return value if isinstance(value, str) else ""


@function("VALUE", "v", "6.20")
def value_(on: Context, value: Value) -> Value:
    """The number that a text means."""
    if isinstance(value, bool):
        raise Raised(VALUE)
    if isinstance(value, str):
        number = number_of_text(value, on.from_1904)
        if number is None:
            raise Raised(VALUE)
        return number
    return 0.0 if value is None else value


@function("NUMBERVALUE", "t?tt", "6.20")
def numbervalue(on: object, text: str, point: str = ".", group: str = ",") -> Value:
    """The number that a text means with given signs for the decimal point and for groups."""
    point, group = point[:1], group[:1]
    plain = re.sub(r"\s", "", text)
    if not plain:
        return 0.0
    if not point or point == group or plain.count(point) > 1:
        raise Raised(VALUE)
    percents = len(plain) - len(plain.rstrip("%"))
    plain = plain.rstrip("%")
    head, _, tail = plain.partition(point)
    if group and group in tail:
        raise Raised(VALUE)
    plain = (head.replace(group, "") if group else head) + ("." + tail if tail or point in plain else "")
    if not re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?", plain):
        raise Raised(VALUE)
    return float(plain) / math.pow(100, percents)


@function("FIXED", "n?nb", "6.20")
def fixed(on: object, number: float, digits: float = 2.0, no_commas: bool = False) -> Value:
    """A number as a text with N decimal places."""
    places = whole(digits)
    if places > 127:
        raise Raised(VALUE)
    if not no_commas:
        raise Unsupported("how it groups digits depends on the country")
    text = f"{rounded(number, places, 'ROUND_HALF_UP'):.{max(0, places)}f}"
    return text.lstrip("-") if float(text) == 0 else text


@function("ASC", "t", "6.20")
def asc(on: object, text: str) -> Value:
    """Full-width letters as half-width ones."""
    return "".join(
        unicodedata.normalize("NFKC", letter) if "\uff01" <= letter <= "\uff5e" or letter == "\u3000" else letter
        for letter in text
    )


@function("TEXTBEFORE", "tt?n", "18.17.7")
def textbefore(on: object, text: str, mark: str, which: float = 1.0) -> Value:
    """What is before a mark."""
    return text[: _mark(text, mark, whole(which))]


@function("TEXTAFTER", "tt?n", "18.17.7")
def textafter(on: object, text: str, mark: str, which: float = 1.0) -> Value:
    """What is after a mark."""
    return text[_mark(text, mark, whole(which)) + len(mark) :]


def _mark(text: str, mark: str, which: int) -> int:
    places = [match.start() for match in re.finditer(re.escape(mark), text)] if mark else []
    if which == 0 or abs(which) > len(places):
        raise Raised(NA if which else VALUE)
    return places[which - 1] if which > 0 else places[which]


@function("TEXTSPLIT", "t?t", "18.17.7")
def textsplit(on: object, text: str, between: str = "") -> Result:
    """A text cut at a mark, one piece a column."""
    if not between:
        raise Raised(VALUE)
    return Array([list(text.split(between))])
