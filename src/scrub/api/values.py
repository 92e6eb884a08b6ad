"""Values on their way between Python and macros, and the base of the classes of items.

A number comes as a `Decimal` (a whole field as an `int`) and may go as an `int`, a `float` or a `Decimal`; a span of
time comes as a `timedelta`, and one of months or years as a `Duration`.
"""

from __future__ import annotations

import importlib
import math
from collections.abc import Callable, Iterable
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any, ClassVar

from scrub.model.cells.grid import CellError
from scrub.model.core.addresses import Address
from scrub.model.core.amounts import Amount, Duration
from scrub.model.core.choice import Choice
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure
from scrub.model.core.values import Pairs, Secret

#: What is the same on both sides.
_SAME = frozenset((str, Decimal, bool, type(None), date, datetime, int, Address, Pairs, Secret))
_DAY = Decimal(86_400)
_UNITS = (("days", _DAY), ("hours", Decimal(3600)), ("minutes", Decimal(60)))


class Span(timedelta):
    """A span of time that knows in which unit it is shown."""

    unit: str

    @classmethod
    def of(cls, duration: Duration) -> Span | Duration:
        """A duration in Python; itself if it counts months, or is beyond what Python can count."""
        if duration.on_calendar:
            return duration
        try:
            seconds, rest = divmod(duration.total, 1)
            result = cls(seconds=int(seconds), microseconds=int(rest * 1_000_000))
        except OverflowError:
            return duration
        result.unit = duration.unit
        return result


def duration_of(span: timedelta) -> Duration:
    """A span of time as a macro counts it: in the unit it came with, or else in the largest that is whole."""
    total = Decimal(span.days) * 86_400 + span.seconds + Decimal(span.microseconds) / 1_000_000
    unit = getattr(span, "unit", "") or next((unit for unit, size in _UNITS if total % size == 0), "seconds")
    return Duration(total / Duration.units[unit], unit)


class Facade:
    """The base of the classes of items, each made from the vocabulary."""

    __slots__ = ()

    #: The word of its kind.
    kind_word: ClassVar[str] = ""
    _names: ClassVar[frozenset[str]] = frozenset()
    _it: Any

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Facade) and bool(self._it == other._it)

    def __hash__(self) -> int:
        return hash(self._it)

    def __repr__(self) -> str:
        return f"<{type(self).__name__} {self._it.label!r}>"


class Facades(dict[str, type[Any]]):
    """The classes by the words of their kinds; each is made when first met."""

    #: Makes the class for the word of a kind; None until the module that knows how is imported.
    make: Callable[[str], type[Facade]] | None = None

    def __missing__(self, word: str) -> type[Facade]:
        if self.make is None:
            importlib.import_module("scrub.api.kinds")
        assert self.make is not None
        self[word] = found = self.make(word)
        return found


FACADES = Facades()


def out(value: Any) -> Any:
    """A value of a macro as Python gets it. Raises `Failure` for an error value of a cell."""
    if type(value) in _SAME:
        return value
    if isinstance(value, Item):
        return FACADES[value.kind_word].of(value)
    if isinstance(value, Choice):
        return value.value
    if isinstance(value, list | tuple):
        return [out(each) for each in value]
    if isinstance(value, Duration):
        return Span.of(value)
    if type(value) is CellError:
        return out(value.resolved())
    return value


def into(value: Any) -> Any:
    """A value of Python as a macro takes it. Raises `Failure` for one that a macro cannot have."""
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, str | Decimal | Amount | Pairs | Secret):
        return value
    if isinstance(value, int):
        return Decimal(value)
    if isinstance(value, Facade):
        return value._it
    if isinstance(value, timedelta):
        return duration_of(value)
    if isinstance(value, date):
        return value.to_pydatetime() if hasattr(value, "to_pydatetime") else value
    if isinstance(value, float):
        return _of_float(value)
    return _into_other(value)


def _of_float(value: float) -> Decimal:
    """The shortest decimal that means the same float."""
    if not math.isfinite(value):
        raise Failure(f"{value!r} is not a number that a file can contain. Use None for a missing value")
    return Decimal(repr(float(value)))


def _into_other(value: Any) -> Any:
    """Lists, and the numbers of other packages."""
    if isinstance(value, dict):
        raise Failure('a dict is not a value. Pass its values one by one: record["kg"] = 3')
    if isinstance(value, Iterable):
        return [into(each) for each in value]
    plain = getattr(value, "item", None)  # a number of numpy
    if callable(plain):
        found = plain()
        if type(found) is not type(value):
            return into(found)
    if type(value).__name__ in ("NAType", "NaTType"):  # what pandas calls missing
        return None
    raise Failure(f"{type(value).__name__} is not a type that a macro knows: text, numbers, bool, dates, lists or None")
