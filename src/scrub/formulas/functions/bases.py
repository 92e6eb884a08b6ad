"""Numbers in other bases, and single bits (OpenDocument 1.3, part 4, 6.6 and 6.19)."""

from __future__ import annotations

from scrub.formulas.functions.arguments import whole
from scrub.formulas.functions.registry import function
from scrub.formulas.values import NUM, VALUE, ErrorValue, Raised, Unsupported, Value, number_of, text_of

_DIGITS = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"
#: The base of each word, and how many bits its ten digits have.
_BASES = {"BIN": (2, 10), "OCT": (8, 30), "HEX": (16, 40), "DEC": (10, 0)}


def written(number: int, base: int) -> str:
    """A whole number from 0 on in a base."""
    digits = ""
    while True:
        number, rest = divmod(number, base)
        digits = _DIGITS[rest] + digits
        if not number:
            return digits


def _read(value: Value, base: int, bits: int) -> int:
    if isinstance(value, ErrorValue):
        raise Raised(value)
    if isinstance(value, bool):
        raise Raised(VALUE)
    if base == 10:
        return whole(number_of(value))
    text = text_of(value) or "0"
    if len(text) > 10 or any(letter not in _DIGITS[:base] for letter in text.upper()):
        raise Raised(NUM)
    number = int(text, base)
    return number - (1 << bits) if number >= 1 << (bits - 1) else number


def _write(number: int, base: int, bits: int, places: float | None) -> str:
    if not -(1 << (bits - 1)) <= number < 1 << (bits - 1):
        raise Raised(NUM)
    if number < 0:
        return written(number + (1 << bits), base)
    digits = written(number, base)
    if places is None:
        return digits
    width = whole(places)
    if not len(digits) <= width <= 10:
        raise Raised(NUM)
    return digits.rjust(width, "0")


def _converting(one: str, other: str) -> None:
    (from_base, from_bits), (to_base, to_bits) = _BASES[one], _BASES[other]

    @function(f"{one}2{other}", "v" if other == "DEC" else "v?n", "6.19")
    def convert(on: object, value: Value, places: float | None = None) -> Value:
        number = _read(value, from_base, from_bits)
        return float(number) if other == "DEC" else _write(number, to_base, to_bits, places)


for _one in _BASES:
    for _other in _BASES:
        if _one != _other:
            _converting(_one, _other)


@function("BASE", "nn?n", "6.19")
def base(on: object, number: float, base_: float, length: float = 0.0) -> Value:
    """A number in a base."""
    at, width = whole(base_), whole(length)
    if not 2 <= at <= 36 or not 0 <= number < 2**53 or not 0 <= width <= 255:
        raise Raised(NUM)
    return written(whole(number), at).rjust(width, "0")


@function("DECIMAL", "tn", "6.19")
def decimal(on: object, text: str, base_: float) -> Value:
    """The number that digits of a base are."""
    at = whole(base_)
    if not 2 <= at <= 36 or len(text) > 255:
        raise Raised(NUM)
    plain = text.strip()
    if not plain:
        return 0.0
    if any(letter not in _DIGITS[:at] for letter in plain.upper()):
        raise Raised(NUM)
    return float(int(plain, at))


_ROMAN = (
    (1000, "M"), (900, "CM"), (500, "D"), (400, "CD"), (100, "C"), (90, "XC"), (50, "L"), (40, "XL"), (10, "X"),
    (9, "IX"), (5, "V"), (4, "IV"), (1, "I"),
)  # fmt: skip


@function("ROMAN", "n?n", "6.19")
def roman(on: object, number: float, form: float = 0.0) -> Value:
    """A number in Roman digits, in the classic form."""
    left = whole(number)
    if not 0 <= left <= 3999 or not 0 <= form <= 4:
        raise Raised(VALUE)
    if form >= 1:
        raise Unsupported("ROMAN in a concise form")
    said = ""
    for value, digits in _ROMAN:
        times, left = divmod(left, value)
        said += digits * times
    return said


@function("ARABIC", "t", "6.19")
def arabic(on: object, text: str) -> Value:
    """The number that Roman digits are."""
    plain = text.strip().upper()
    sign, plain = (-1, plain[1:]) if plain.startswith("-") else (1, plain)
    values = {"M": 1000, "D": 500, "C": 100, "L": 50, "X": 10, "V": 5, "I": 1}
    if len(plain) > 255 or any(letter not in values for letter in plain):
        raise Raised(VALUE)
    total = 0
    for at, letter in enumerate(plain):
        value = values[letter]
        total += -value if at + 1 < len(plain) and values[plain[at + 1]] > value else value
    return float(sign * total)


def _bits(number: float) -> int:
    if not 0 <= number < 2**48 or number != whole(number):
        raise Raised(NUM)
    return whole(number)


@function("BITAND", "nn", "6.6")
def bitand(on: object, one: float, other: float) -> Value:
    """The bits that two numbers have in common."""
    return float(_bits(one) & _bits(other))


@function("BITOR", "nn", "6.6")
def bitor(on: object, one: float, other: float) -> Value:
    """The bits that one of two numbers has."""
    return float(_bits(one) | _bits(other))


@function("BITXOR", "nn", "6.6")
def bitxor(on: object, one: float, other: float) -> Value:
    """The bits that just one of two numbers has."""
    return float(_bits(one) ^ _bits(other))


def _shifted(number: float, by: float) -> float:
    if abs(by) > 53:
        raise Raised(NUM)
    bits, places = _bits(number), whole(by)
    result = bits << places if places >= 0 else bits >> -places
    if result >= 2**48:
        raise Raised(NUM)
    return float(result)


@function("BITLSHIFT", "nn", "6.6")
def bitlshift(on: object, number: float, by: float) -> Value:
    """The bits moved to the left."""
    return _shifted(number, by)


@function("BITRSHIFT", "nn", "6.6")
def bitrshift(on: object, number: float, by: float) -> Value:
    """The bits moved to the right."""
    return _shifted(number, -by)
