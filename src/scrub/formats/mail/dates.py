"""Dates of messages (RFC 5322, 3.3), in the time of this machine."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta, timezone

from scrub.model.core.lazy_pattern import lazy_pattern

_MONTHS = {name: number for number, name in enumerate("jan feb mar apr may jun jul aug sep oct nov dec".split(), 1)}
_DATE = lazy_pattern(
    r"(?:[A-Za-z]{3}, )? ?(\d{1,2}) ([A-Za-z]{3}) (\d{4}) (\d{2}):(\d{2})(?::(\d{2}))? ([+-])(\d{2})(\d{2})(?: \(.*\))?"
)


def date_in(text: str) -> datetime | None:
    """The moment that the value of a Date header names; None where it names none."""
    match = _DATE.fullmatch(text)
    if match is not None and match[2].lower() in _MONTHS:
        day, month, year, hour, minute, second, sign, hours, minutes = match.groups()
        ahead = timedelta(hours=int(hours), minutes=int(minutes))
        try:
            moment = datetime(
                int(year), _MONTHS[month.lower()], int(day), int(hour), int(minute), min(int(second or 0), 59),
                tzinfo=timezone(-ahead if sign == "-" else ahead),
            )  # fmt: skip
            return here(moment)
        except (ValueError, OverflowError):
            return None
    return any_date(text)


def any_date(text: str) -> datetime | None:
    """The same for any form, by the library's own reader."""
    from email.utils import parsedate_to_datetime

    try:
        moment = parsedate_to_datetime(text)
        return moment if moment.tzinfo is None else here(moment)
    except (ValueError, TypeError, OverflowError, IndexError):
        return None


def here(moment: datetime) -> datetime:
    """A moment in the time of this machine, as clocks show it."""
    return moment.astimezone().replace(tzinfo=None)


def date_line(moment: float | None = None) -> str:
    """A moment, left out now, as the value of a Date header."""
    from email.utils import formatdate

    return formatdate(moment, localtime=True)


def from_line_date(line: bytes) -> datetime | None:
    """When a message came into its mailbox, as the line says that parts messages there (RFC 4155): in UTC."""
    match = _ASCTIME.search(line)
    if match is None:
        return None
    try:
        moment = time.strptime(match[0].decode("ascii"), "%a %b %d %H:%M:%S %Y")
        return here(datetime(*moment[:6], tzinfo=UTC))
    except ValueError:
        return None


_ASCTIME = lazy_pattern(rb"[A-Z][a-z]{2} [A-Z][a-z]{2} +\d{1,2} \d\d:\d\d:\d\d \d{4}")
