"""Operations of durations, lengths and sizes: their number in a unit."""

from __future__ import annotations

from decimal import Decimal

from scrub.model.core.amounts import Amount
from scrub.model.operations.declare import operation


@operation("duration")
def days(amount: Amount) -> Decimal:
    """The duration in days.

    Example: wait.days
    Also: number of days
    """
    return amount.in_unit("days")


@operation("duration")
def hours(amount: Amount) -> Decimal:
    """The duration in hours.

    Example: wait.hours
    Also: number of hours
    """
    return amount.in_unit("hours")


@operation("duration")
def minutes(amount: Amount) -> Decimal:
    """The duration in minutes.

    Example: wait.minutes
    Also: number of minutes
    """
    return amount.in_unit("minutes")


@operation("length")
def cm(amount: Amount) -> Decimal:
    """The length in centimetres.

    Example: margin.cm
    Also: centimetres
    """
    return amount.in_unit("cm")


@operation("length")
def mm(amount: Amount) -> Decimal:
    """The length in millimetres.

    Example: margin.mm
    Also: millimetres
    """
    return amount.in_unit("mm")


@operation("length")
def pt(amount: Amount) -> Decimal:
    """The length in points.

    Example: margin.pt
    Also: points
    """
    return amount.in_unit("pt")


@operation("size")
def bytes_(amount: Amount) -> Decimal:
    """The size in bytes.

    Example: limit.bytes
    Also: number of bytes
    """
    return amount.in_unit("bytes")


@operation("size")
def mb(amount: Amount) -> Decimal:
    """The size in megabytes (1,000,000 bytes).

    Example: limit.mb
    Also: megabytes
    """
    return amount.in_unit("mb")
