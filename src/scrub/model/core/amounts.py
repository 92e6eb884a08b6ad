"""Durations, lengths and sizes, and what arithmetic does with them and with dates."""

from __future__ import annotations

import contextlib
import operator
from collections.abc import Callable, Mapping
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any, ClassVar, Self

from scrub.model.core.problem import Failure

_Compare = Callable[[Any, Any], bool]


def number_text(number: Decimal) -> str:
    """A number without exponent and without idle zeros."""
    text = format(number, "f")
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def hundredths(number: Decimal) -> Decimal:
    """A number with at most two places after the point, and without idle zeros."""
    return number.quantize(Decimal("0.01")).normalize() + 0


class Amount:
    """A number with a unit. Amounts of one kind add up and compare; the unit is kept for showing."""

    #: What one of each unit is, in the smallest one; the first is the one shown when nothing else is known.
    units: ClassVar[dict[str, Decimal]] = {}
    word: ClassVar[str] = ""

    def __init__(self, number: Decimal, unit: str) -> None:
        self.unit = unit
        self.total = number * self.units[unit]

    def _made(self, total: Decimal) -> Self:
        return type(self)(total / self.units[self.unit], self.unit)

    def in_unit(self, unit: str) -> Decimal:
        """The number of such units."""
        return self.total / self.units[unit]

    def __str__(self) -> str:
        number = self.in_unit(self.unit)
        word = self.unit.removesuffix("s") if abs(number) == 1 and self.unit.endswith("s") else self.unit
        return f"{number_text(number)} {word.upper() if word in ('kb', 'mb', 'gb') else word}"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, type(self)) and self.total == other.total

    def __hash__(self) -> int:
        return hash((self.word, self.total))

    def _ordered(self, other: object, compare: _Compare) -> bool:
        if not isinstance(other, type(self)):
            raise Failure(f"a {self.word} can only be compared with another {self.word}")
        return compare(self.total, other.total)

    def __lt__(self, other: object) -> bool:
        return self._ordered(other, operator.lt)

    def __le__(self, other: object) -> bool:
        return self._ordered(other, operator.le)

    def __gt__(self, other: object) -> bool:
        return self._ordered(other, operator.gt)

    def __ge__(self, other: object) -> bool:
        return self._ordered(other, operator.ge)

    def combined(self, sign: str, other: object) -> object:
        """This amount and another value, added, taken away, multiplied or divided; NotImplemented for no meaning."""
        if isinstance(other, type(self)):
            if sign in "+-":
                return self._made(self.total + other.total if sign == "+" else self.total - other.total)
            return self.total / other.total if sign == "/" else NotImplemented
        if isinstance(other, Decimal) and sign in "*/":
            return self._made(self.total * other if sign == "*" else self.total / other)
        return NotImplemented


class Length(Amount):
    """A length. One unit is 1/360,000 cm, of which a point has 12,700 (ISO/IEC 29500-1, 20.1.2.1): all whole."""

    word = "length"
    units: ClassVar = {"cm": Decimal(360_000), "mm": Decimal(36_000), "pt": Decimal(12_700), "inches": Decimal(914_400)}

    @classmethod
    def of_cm(cls, number: Decimal | int) -> Length:
        """A length in centimetres."""
        return cls(Decimal(number), "cm")

    @classmethod
    def of_points(cls, number: Decimal | int) -> Length:
        """A length in points."""
        return cls(Decimal(number), "pt")


class Size(Amount):
    """A size of data, in bytes; a KB has 1,000 (IEC 80000-13)."""

    word = "size"
    units: ClassVar = {"mb": Decimal(10**6), "kb": Decimal(10**3), "gb": Decimal(10**9), "bytes": Decimal(1)}

    @classmethod
    def of_bytes(cls, count: int) -> Size:
        """So many bytes, in megabytes, kilobytes or bytes."""
        unit = "mb" if count >= 10**6 else "kb" if count >= 10**3 else "bytes"
        return cls(Decimal(count) / cls.units[unit], unit)


class Duration(Amount):
    """A span of time. Months and years are counted on the calendar and do not mix with days."""

    word = "duration"
    units: ClassVar = {
        "days": Decimal(86_400), "hours": Decimal(3600), "minutes": Decimal(60), "seconds": Decimal(1),
        "weeks": Decimal(604_800), "months": Decimal(1), "years": Decimal(12),
    }  # fmt: skip

    @property
    def on_calendar(self) -> bool:
        """Whether it counts months, whose length differs."""
        return self.unit in ("months", "years")

    def _ordered(self, other: object, compare: _Compare) -> bool:
        self._ensure_like(other)
        return super()._ordered(other, compare)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Duration) and self.on_calendar == other.on_calendar and self.total == other.total

    def __hash__(self) -> int:
        return hash((self.on_calendar, self.total))

    def in_unit(self, unit: str) -> Decimal:
        """The number of such units. Raises `Failure` for days of a month."""
        if (unit in ("months", "years")) != self.on_calendar:
            raise Failure(f"{self} cannot be converted to {unit}: months have no fixed length")
        return super().in_unit(unit)

    def combined(self, sign: str, other: object) -> Any:
        """As for every amount; a month and a day do not add up."""
        if isinstance(other, Duration):
            self._ensure_like(other)
        return super().combined(sign, other)

    def _ensure_like(self, other: object) -> None:
        if isinstance(other, Duration) and self.on_calendar != other.on_calendar:
            raise Failure("months and days cannot be compared or added: months have no fixed length")

    def after(self, start: date) -> date:
        """The date or time so much later. A day that the month lacks becomes its last one."""
        if self.on_calendar:
            months = self._whole(self.total)
            year, month = divmod(start.year * 12 + start.month - 1 + months, 12)
            if not 1 <= year <= 9999:
                raise Failure("the date is outside the calendar")
            for day in (start.day, 30, 29, 28):
                with contextlib.suppress(ValueError):  # the month has no such day
                    return start.replace(year=year, month=month + 1, day=min(day, start.day))
            raise Failure(f"{start} does not exist in the other month")
        try:
            if isinstance(start, datetime):
                return start + timedelta(seconds=float(self.total))
            return start + timedelta(days=self._whole(self.total / 86_400))
        except OverflowError:
            raise Failure("the date is outside the calendar") from None

    def _whole(self, number: Decimal) -> int:
        if number != number.to_integral_value():
            raise Failure(f"{self} cannot be added to a date without a time. Use now, or whole days")
        return int(number)


#: Every kind of amount.
AMOUNTS: tuple[type[Amount], ...] = (Duration, Length, Size)

#: The word of every unit, as written, with its amount and its own name.
UNITS: Mapping[str, tuple[type[Amount], str]] = {
    spelling: (cls, unit)
    for cls in AMOUNTS
    for unit in cls.units
    for spelling in ({unit, unit.removesuffix("s")} if cls is Duration or unit == "bytes" else {unit})
} | {"inch": (Length, "inches")}


def combine(sign: str, one: object, other: object) -> object:
    """Arithmetic beyond plain numbers; NotImplemented where it has no meaning."""
    if isinstance(one, Amount):
        if isinstance(one, Duration) and isinstance(other, date) and sign == "+":
            return one.after(other)
        return one.combined(sign, other)
    if isinstance(other, Amount):
        if isinstance(one, Decimal) and sign == "*":
            return other.combined(sign, one)
        if isinstance(other, Duration) and isinstance(one, date) and sign in "+-":
            return (other if sign == "+" else other.combined("*", Decimal(-1))).after(one)
        return NotImplemented
    if isinstance(one, date) and isinstance(other, date) and sign == "-":
        if isinstance(one, datetime) != isinstance(other, datetime):
            raise Failure("a date and a time cannot be subtracted. Use the date of both: .date")
        return Duration(Decimal(str((one - other) / timedelta(days=1))), "days")
    return NotImplemented
