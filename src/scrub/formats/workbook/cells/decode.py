"""What the stored text of a cell means, and the way back (ISO/IEC 29500-1, 18.3.1.4, 18.18.11, 18.17.4)."""

from __future__ import annotations

import decimal
from collections.abc import Callable, Sequence
from datetime import date, datetime, timedelta
from decimal import Decimal
from itertools import compress

from scrub.formats.spans import number_in, whole
from scrub.formats.workbook.cells.stored_cell import StoredCell
from scrub.formats.workbook.cells.strings import SharedStrings, runs_of
from scrub.formats.workbook.formatting.styles import DATE, DURATION, NUMBER, TIME, Styles
from scrub.formats.xmltext import attributes_of, plain_text, unescaped
from scrub.model.cells.grid import CellError
from scrub.model.core.amounts import Duration, number_text
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value

_FIRST_1900, _FIRST_1904 = date(1899, 12, 30), date(1904, 1, 1)
_DAY = Decimal(86_400)
#: The largest power of ten in a double (IEEE 754).
_LARGEST = 308

#: Names a cell, for a problem with its value.
Where = Callable[[], str]


class Decoder:
    """Reads the cells of one workbook."""

    def __init__(self, styles: Styles, strings: Callable[[], SharedStrings], from_1904: bool) -> None:
        self.styles = styles
        self._strings = strings
        self.from_1904 = from_1904

    def value(self, cell: StoredCell, where: Where) -> Value:
        """The value of a stored cell, a `CellError` for one that has none to use; of a formula its last result."""
        if cell.formula is not None and not cell.value and cell.inline is None and cell.type != "str":
            return CellError(no_result(where()), lost=True)
        if cell.inline is not None:
            return "".join(run.text for run in runs_of(cell.inline)) or None
        if cell.value is None:
            return None
        return self.typed(cell.type, cell.style, cell.value, where)

    def typed(self, type_: str, style: int, text: str, where: Where) -> Value:
        """The value that a stored text means."""
        if type_ == "n":
            if not text.strip():
                return None
            sort = self.styles.sort(style)
            try:
                return number_of(text) if sort == NUMBER else self._moment(text, sort, where)
            except (decimal.InvalidOperation, ValueError):
                return CellError(f'{where()} is damaged: "{text[:40]}" is not a number')
        if type_ == "s":
            found = self.text(text)
            return CellError(f"{where()} is damaged: its text is missing") if found is None else found or None
        if type_ == "b":
            return text.strip() in ("1", "true")
        if type_ == "e":
            return CellError(f"{where()} contains the error {text}. Check first: if cell.error is empty", text)
        if type_ == "d":
            return _iso(text, where)
        return unescaped(text) or None

    def text(self, number: str) -> str | None:
        """A shared text by its number, as a cell stores it; None where it is missing."""
        at = whole(number.strip(), 10**9)
        return self._strings().text(at) if at is not None else None

    def _moment(self, text: str, sort: str, where: Where) -> Value:
        """A number shown as a date, a time or a duration (18.17.4)."""
        number = number_of(text)
        if sort == DURATION or (sort == TIME and 0 <= number < 1):
            return duration(number * _DAY)
        days = int(number)
        if not self.from_1904 and days == 60:
            return CellError(f"{where()} contains 29 February 1900, which never existed. Set another date")
        if number < 0 or (days == 0 and not self.from_1904) or days > 2_958_465:
            return CellError(f"{where()} is formatted as a date, but contains {number_text(number)}")
        try:
            first = _FIRST_1904 if self.from_1904 else _FIRST_1900 + timedelta(days < 60)
            day = first + timedelta(days)
        except OverflowError:
            return CellError(f"{where()} is formatted as a date, but contains {number_text(number)}")
        if sort == DATE and number == days:
            return day
        seconds = int((number - days) * _DAY + Decimal("0.5"))
        return datetime(day.year, day.month, day.day) + timedelta(seconds=seconds)

    def serial(self, day: date) -> Decimal:
        """The number of a date or time. Raises `Failure` for one before the first day of the workbook."""
        plain = day.date() if isinstance(day, datetime) else day
        days = (plain - (_FIRST_1904 if self.from_1904 else _FIRST_1900)).days
        if not self.from_1904 and days <= 60:
            days -= 1  # the 1900 that never had a 29 February
        if days < (0 if self.from_1904 else 1):
            raise Failure(f"{plain.isoformat()} is before the first date of this workbook")
        number = Decimal(days)
        if isinstance(day, datetime):
            number += Decimal(day.hour * 3600 + day.minute * 60 + day.second) / _DAY
        return number

    def column(
        self,
        cells: Sequence[tuple[object, ...]],
        where: Callable[[int], str],
        numbers: Sequence[int] | None = None,
        texts_only: bool = False,
    ) -> dict[int, Value]:
        """The values of plain cells of one column by row: each is row, attributes, value, inline `t` element.

        Cells of one form are read together; empty texts are left out. `numbers` are the rows where they are known;
        `texts_only` passes all others by.
        """
        if not cells:
            return {}
        columns = list(zip(*cells, strict=True))
        rows, forms = numbers or list(map(int, columns[0])), columns[1]
        result: dict[int, Value] = {}
        different = set(forms)
        for form in different:
            if texts_only and attributes_of(form).get("t") not in ("s", "str", "inlineStr"):
                continue
            chosen = None if len(different) == 1 else [each == form for each in forms]
            raw, texts, of = (
                list(each) if chosen is None else list(compress(each, chosen))
                for each in (columns[2], columns[3], rows)
            )
            attributes = attributes_of(form)
            type_, style = attributes.get("t", "n"), number_in(attributes, "s")
            values: Sequence[Value]
            if type_ == "inlineStr":
                values = _inline_texts(texts)
                if b"" in texts:  # a text that is said to be there, and is where values do
                    values = [
                        value or unescaped(plain_text(each)) or None for value, each in zip(values, raw, strict=True)
                    ]
            else:
                values = self._typed_together(type_, style, raw, of, where)
            result.update(zip(of, values, strict=True))
            if texts_only and CellError in set(map(type, values)):  # a text that is missing
                result = {row: value for row, value in result.items() if type(value) is not CellError}
            if None in values:  # empty texts
                result = {row: value for row, value in result.items() if value is not None}
        return result

    def values_alike(
        self, form: bytes, raw: list[bytes], rows: Sequence[int], where: Callable[[int], str]
    ) -> Sequence[Value]:
        """The values of cells of one form, one in each of the rows."""
        attributes = attributes_of(form)
        type_ = attributes.get("t", "n")
        if type_ == "inlineStr":
            return _often(raw, _plain_texts)
        return self._typed_together(type_, number_in(attributes, "s"), raw, rows, where)

    def alike(
        self, form: bytes, raw: list[bytes], rows: Sequence[int], where: Callable[[int], str]
    ) -> dict[int, Value]:
        """The same by row; empty texts are left out."""
        values = self.values_alike(form, raw, rows, where)
        found = zip(rows, values, strict=True)
        return {row: value for row, value in found if value is not None} if None in values else dict(found)

    def _typed_together(
        self, type_: str, style: int, raw: list[bytes], rows: Sequence[int], where: Callable[[int], str]
    ) -> Sequence[Value]:
        different = set(raw)
        if type_ == "n" and self.styles.sort(style) == NUMBER and b"" not in different:
            joined = b"|".join(different)
            if _NUMBERS.fullmatch(joined) and max(map(len, different)) < 16:
                try:
                    read = dict(zip(different, map(Decimal, joined.decode().split("|")), strict=True))
                    return _Numbers(map(read.__getitem__, raw))
                except decimal.InvalidOperation:
                    pass
        if 2 * len(different) < len(raw):  # most occur often
            typed = {text: self.typed(type_, style, plain_text(text), lambda: "") for text in different}
            if CellError not in set(map(type, typed.values())):  # one that says where it is
                return list(map(typed.__getitem__, raw))
        known: dict[bytes, Value] = {}
        values = []
        for text, row in zip(raw, rows, strict=True):
            value = known.get(text, known)
            if value is known:
                value = self.typed(type_, style, plain_text(text), lambda: where(row))  # noqa: B023 - called at once
                if not isinstance(value, CellError):
                    known[text] = value
            values.append(value)
        return values


class _Numbers(list[Value]):
    """Values that are all numbers: nobody needs to look for an empty one."""

    def __contains__(self, value: object) -> bool:
        return False


_OPENING = lazy_pattern(rb"<t[^>]*>")
_NUMBERS = lazy_pattern(rb"[0-9.|-]*")


def _inline_texts(elements: list[bytes]) -> Sequence[Value]:
    """The texts of inline `t` elements. One that is there often is one text."""
    return _often(elements, _texts_of)


def _often(raw: list[bytes], read: Callable[[list[bytes]], Sequence[Value]]) -> Sequence[Value]:
    """What is read of each; where most occur often, each is read once."""
    different = list(set(raw))
    if len(different) >= len(raw) / 2:
        return read(raw)
    known = dict(zip(different, read(different), strict=True))
    return list(map(known.__getitem__, raw))


def _texts_of(elements: list[bytes]) -> Sequence[Value]:
    joined = b"\0".join(elements)  # a character that XML cannot contain
    if _is_plain(joined):
        joined = _OPENING.sub(b"", joined).replace(b"</t>", b"")
        return [text or None for text in plain_text(joined).split("\0")]
    return [
        unescaped(plain_text(element[element.index(b">") + 1 : -4])) or None if element else None
        for element in elements
    ]


def _plain_texts(raw: list[bytes]) -> Sequence[Value]:
    """The texts of what is in `t` elements without attributes."""
    joined = b"\0".join(raw)
    if _is_plain(joined):
        return [text or None for text in plain_text(joined).split("\0")]
    return [unescaped(plain_text(each)) or None for each in raw]


def _is_plain(data: bytes) -> bool:
    """Whether characters stand for themselves."""
    return b"&" not in data and b"_x" not in data and b"\r" not in data


def number_of(text: str) -> Decimal:
    """A stored number; a fraction that a double cannot tell apart is rounded to the 15 digits that are shown.

    Whole numbers are exact as they are written: a card number has 16 digits. Raises `ValueError` for what is not a
    number.
    """
    if len(text) < 16 and "E" not in text and "e" not in text and "n" not in text and "N" not in text:
        return Decimal(text.strip())
    result = Decimal(text.strip())
    if not result.is_finite() or result.adjusted() > _LARGEST:
        raise ValueError(text)
    if len(result.as_tuple().digits) > 15 and result != result.to_integral_value():
        return Decimal(format(float(result), ".15g"))
    return result


def duration(seconds: Decimal) -> Duration:
    """A duration in the unit a person would say it in."""
    rounded = seconds.to_integral_value() if abs(seconds - seconds.to_integral_value()) < Decimal("0.001") else seconds
    for unit, size in (("days", _DAY), ("hours", Decimal(3600)), ("minutes", Decimal(60))):
        if rounded and rounded % size == 0:
            return Duration(rounded / size, unit)
    return Duration(rounded, "seconds")


def _iso(text: str, where: Where) -> Value:
    try:
        return iso_day(text)
    except ValueError:
        return CellError(f'{where()} is damaged: "{text[:40]}" is not a date')


def iso_day(text: str) -> date:
    """A date or time in ISO 8601, as `t="d"` has it. Raises `ValueError`."""
    result = datetime.fromisoformat(text.strip().removesuffix("Z"))
    return result if "T" in text else result.date()


def stored_number(number: Decimal) -> str:
    """A number as it is stored: in plain digits, as exact as a double can be."""
    text = str(number)
    if len(text) <= 15 and text.isdecimal():  # a whole number: the commonest
        return text
    if len(number.as_tuple().digits) <= 15 and -10 < number.adjusted() < 15:
        return number_text(number)
    ensure_exact(number)
    return repr(float(number))


#: Whole numbers from here on have more digits than a cell stores (ISO/IEC 29500-1, 18.3.1.96: a double).
MOST_EXACT = Decimal(10) ** 15


def ensure_exact(number: Decimal) -> None:
    """Raises `Failure` for a whole number whose last digits a cell would lose."""
    if abs(number) < MOST_EXACT or number != number.to_integral_value():
        return
    if Decimal(repr(float(number))) != number:
        text = f"{number:f}"
        raise Failure(
            f'{text} has {len(text.lstrip("-"))} digits; a cell stores 15. To keep all of them, write text: "{text}"'
        )


def no_result(where: str) -> str:
    """The sentence for a formula that has no saved result yet."""
    return f"{where} contains a formula without a result. Save the workbook in its own program and run again"
