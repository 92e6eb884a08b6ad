"""Operations of numbers, and reading a number as a person types it."""

from __future__ import annotations

import re
from decimal import ROUND_DOWN, ROUND_HALF_UP, ROUND_UP, Decimal, InvalidOperation

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.preferences import CURRENT, Mark
from scrub.model.core.problem import Failure
from scrub.model.core.values import ARITHMETIC, shown
from scrub.model.operations.declare import operation


class TwoReadings(Failure):
    """A number whose mark may be the decimal one, or group thousands; `asked` is what was said of the text alone."""

    def __init__(self, asked: str) -> None:
        super().__init__(f"{asked}. Set the decimal separator: mark: point, or mark: comma")
        self.asked = asked


@operation("text", "number")
def as_number(text: str | Decimal, mark: Mark | None = None) -> Decimal:
    """The text as a number. An ambiguous number is an error, unless the decimal separator is given here or in the
    settings.

    mark: the decimal separator.
    Example: "1.5".as-number
    Also: convert, parse, number in a text
    """
    if isinstance(text, Decimal):
        return text
    plain = re.sub(r"[\s\u00a0\u202f'\u2019]", "", text).replace("\u2212", "-")
    percent = plain.endswith("%")
    plain = _without_currency(plain.removesuffix("%"))
    without_cents = _NO_CENTS.sub("", plain)
    if without_cents != plain:
        # The mark before the dash is that of the decimals, so that any other one groups thousands.
        if percent or not re.fullmatch(r"\(?[+-]?(\d+|\d{1,3}([,.]\d{3})+)\)?", without_cents):
            raise _no_number(text)
        return Decimal(_signed(without_cents.replace(",", "").replace(".", "")))
    plain = _with_point(_signed(plain), text, mark or CURRENT.get().decimal_mark)
    if not re.fullmatch(r"[+-]?(\d+(\.\d*)?|\.\d+)", plain):
        raise _no_number(text)
    try:
        number = Decimal(plain)
    except InvalidOperation:
        raise _no_number(text) from None
    return ARITHMETIC.divide(number, Decimal(100)) if percent else number


def _with_point(plain: str, text: str, mark: Mark | None) -> str:
    """A number with a point before its decimals, and no mark between thousands. `text` is as it is written, and `mark`
    that of the decimals where it is known. Raises `Failure` for text that is not a number, or could be two.
    """
    comma, point = plain.count(","), plain.count(".")
    if comma and point:
        last = max(",.", key=plain.rfind)
        grouping = "," if last == "." else "."
        whole = plain.partition(last)[0]
        if plain.count(last) > 1 or not re.fullmatch(r"[+-]?\d{1,3}([,.]\d{3})+", whole):
            raise _no_number(text)
        plain = plain.replace(grouping, "").replace(last, ".")
    elif comma > 1 or point > 1:
        if not re.fullmatch(r"[+-]?\d{1,3}([,.]\d{3})+", plain):
            raise _no_number(text)
        plain = plain.replace(",", "").replace(".", "")
    elif comma or point:
        one, is_mark = ("," if comma else "."), (Mark.COMMA if comma else Mark.POINT)
        if re.fullmatch(rf"[+-]?[1-9]\d{{0,2}}{re.escape(one)}\d{{3}}", plain):
            if mark is None:
                readings = f"as {plain.replace(one, '')} and as {plain.replace(one, '.')}"
                raise TwoReadings(f'"{text}" is ambiguous: {readings}')
            plain = plain.replace(one, "." if mark is is_mark else "")
        plain = plain.replace(",", ".")
    return plain


#: A dash in the place of the cents, which is not a minus: 5.- and 12,–
_NO_CENTS = lazy_pattern(r"[.,][-\u2012-\u2015]{1,2}(?=\)?$)")
#: Marks and codes of currencies (ISO 4217) that are before or after an amount.
_CURRENCY = r"(?:[$€£¥₹₽₩₺₴₪¢₫₦₱฿]|(?:EUR|USD|GBP|CHF|JPY|SEK|NOK|DKK|PLN|CZK|HUF|CAD|AUD|NZD|CNY|INR)(?![A-Za-z]))"
_BEFORE = lazy_pattern(rf"([-+(]?){_CURRENCY}([-+(]?)(?=[\d.,])", re.IGNORECASE)
_BEHIND = lazy_pattern(rf"(?<=[\d.,)\u2012-\u2015-]){_CURRENCY}([-)]?)$", re.IGNORECASE)


def _without_currency(text: str) -> str:
    """An amount without the mark of its currency; the signs round that stay."""
    match = _BEFORE.match(text)
    if match:
        return match[1] + match[2] + text[match.end() :]
    return _BEHIND.sub(r"\1", text)


def _signed(text: str) -> str:
    """A number whose minus is after it, or which is in brackets for one below zero, as books are kept."""
    if re.fullmatch(r"\([\d.,]+\)", text):
        return f"-{text[1:-1]}"
    return f"-{text[:-1]}" if re.fullmatch(r"[\d.,]+-", text) else text


@operation("number")
def rounded(number: Decimal, places: int = 0) -> Decimal:
    """The number rounded to a number of places; halves are rounded away from zero.

    places: digits after the point; default: 0.
    Example: weight.rounded(2)
    Also: decimals
    """
    return _to_places(number, places, ROUND_HALF_UP)


@operation("number")
def rounded_down(number: Decimal, places: int = 0) -> Decimal:
    """The number rounded towards zero to a number of places.

    places: digits after the point; default: 0.
    Example: weight.rounded-down
    Also: truncate, floor, whole number
    """
    return _to_places(number, places, ROUND_DOWN)


@operation("number")
def rounded_up(number: Decimal, places: int = 0) -> Decimal:
    """The number rounded away from zero to a number of places.

    places: digits after the point; default: 0.
    Example: boxes.rounded-up
    Also: ceiling
    """
    return _to_places(number, places, ROUND_UP)


@operation("number")
def remainder(number: Decimal, by: Decimal) -> Decimal:
    """The remainder of a division, with the sign of the divisor.

    by: the divisor.
    Example: if sheet.number.remainder(2) is 0
    Also: modulo, mod, every second row, every tenth row, odd rows, even rows, banding, left over
    """
    if not by:
        raise Failure("division by zero")
    try:
        left = number % by
    except InvalidOperation:
        raise Failure(f"{shown(number)} is too large to compute the remainder of a division by {shown(by)}") from None
    return left + by if left and (left < 0) != (by < 0) else left


@operation("number")
def absolute(number: Decimal) -> Decimal:
    """The absolute value.

    Example: difference.absolute
    Also: size, abs, positive
    """
    return abs(number)


@operation("number", "yes or no")
def as_text(value: Decimal | bool, places: int | None = None, thousands: str = "", mark: Mark | None = None) -> str:
    """The value as a text.

    places: digits after the point of a number; default: as many as it has.
    thousands: the thousands separator, such as "," or " ".
    mark: the decimal separator; default: point.
    Example: sheet.number.as-text
    Also: convert, string, thousands separator, format a number, decimals, currency
    """
    if not isinstance(value, Decimal):
        return shown(value)
    plain = shown(value) if places is None else format(_to_places(value, places, ROUND_HALF_UP), "f")
    whole, point, rest = plain.partition(".")
    if thousands:
        digits = whole.removeprefix("-")
        first = len(digits) % 3 or 3
        groups = [digits[:first], *(digits[at : at + 3] for at in range(first, len(digits), 3))]
        whole = ("-" if whole.startswith("-") else "") + thousands.join(groups)
    return whole + ("," if point and mark == Mark.COMMA else point) + rest


def _no_number(text: str) -> Failure:
    return Failure(f'"{text}" is not a number')


def _to_places(number: Decimal, places: int, rounding: str) -> Decimal:
    if not -27 <= places <= 27:
        raise Failure(f"a number can be rounded to up to 27 places, not {places}")
    try:
        return number.quantize(Decimal(1).scaleb(-places), rounding=rounding, context=ARITHMETIC)
    except InvalidOperation:
        return number
