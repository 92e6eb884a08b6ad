"""Values of a database as undo data contain them: JSON, and what it has no type for with the word of its type."""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from scrub.model.core.memory import LongList
from scrub.store.errors import StoreError


def packed(values: Sequence[object] | None) -> object:
    """The values of a row as JSON contains them. Raises `StoreError` for one of a type that is not known here."""
    if values is None or _SIMPLE.issuperset(map(type, values)):
        return values  # as JSON writes it on its own
    return [_plain(value) for value in values]


def unpacked(values: Any) -> tuple[object, ...] | None:
    """The values of a row, as they were packed. Raises `ValueError` or `TypeError` for what is damaged."""
    if values is None:
        return None
    return tuple(values if _SIMPLE.issuperset(map(type, values)) else map(_whole, values))


def packed_column(values: Sequence[object]) -> object:
    """Many values of one column: where all are of one type, its word is there once."""
    kinds = set(map(type, values))
    word = next((word for word, (cls, _, _) in _CODES.items() if kinds == {cls}), "")
    if not word:
        return values if isinstance(values, LongList) and kinds <= _SIMPLE else packed(values)
    written = LongList(map(_CODES[word][1], values))
    return {"all": word, "of": written[:1] if all(each == written[0] for each in written) else written}


def unpacked_column(kept: Any, count: int) -> tuple[object, ...]:
    """This number of values, as they were packed. Raises `ValueError` or `TypeError` for what is damaged."""
    if isinstance(kept, dict):
        values = tuple(map(_CODES[kept["all"]][2], kept["of"]))
        return values * count if len(values) == 1 else values
    return unpacked(kept) or ()


def _plain(value: object) -> object:
    """A value of a database as JSON contains it."""
    if type(value) is Decimal:  # by far the commonest
        return {"number": str(value)}
    if value is None or isinstance(value, bool | int | str):
        return value
    if isinstance(value, float):
        return {"real": value.hex()}
    for word, (cls, write, _) in _CODES.items():
        if isinstance(value, cls):
            return {word: write(value)}
    raise StoreError(
        "", f"values of type {type(value).__name__} cannot be stored in the undo data. Leave this column unchanged"
    )


def _whole(value: object) -> object:
    if not isinstance(value, dict):
        return value
    ((word, text),) = value.items()
    return float.fromhex(text) if word == "real" else _CODES[word][2](text)


_SIMPLE = frozenset((int, str, type(None)))
_TICK = timedelta(microseconds=1)
_CODES: dict[str, tuple[Any, Callable[[Any], str], Callable[[str], Any]]] = {
    "number": (Decimal, str, Decimal),
    "moment": (datetime, datetime.isoformat, datetime.fromisoformat),
    "day": (date, date.isoformat, date.fromisoformat),
    "time": (time, time.isoformat, time.fromisoformat),
    "span": (timedelta, lambda span: str(span // _TICK), lambda text: int(text) * _TICK),
    "id": (UUID, str, UUID),
    "bytes": (bytes | memoryview, lambda data: base64.b64encode(bytes(data)).decode(), base64.b64decode),
    "json": (dict | list, json.dumps, json.loads),
}  # fmt: skip
