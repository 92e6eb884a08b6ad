"""What a dictionary of a PDF holds, for files that hold something else there than the standard says."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from scrub.formats.pdf.needed import needed


def held(holder: Any, name: str) -> Any:
    """The dictionary that stands under a name; one with nothing in it where there is none."""
    pikepdf = needed("pikepdf")
    found = holder.get(name) if isinstance(holder, pikepdf.Dictionary) else None
    return found if isinstance(found, pikepdf.Dictionary) else pikepdf.Dictionary()


def listed(holder: Any, name: str) -> list[Any]:
    """What the array under a name lists."""
    pikepdf = needed("pikepdf")
    found = holder.get(name) if isinstance(holder, pikepdf.Dictionary) else None
    return list(found) if isinstance(found, pikepdf.Array) else []


def whole_number(holder: Any, name: str) -> int:
    """The whole number under a name; 0 where there is none."""
    found = holder.get(name)
    return found if isinstance(found, int) else 0


def number_of(value: Any) -> float | None:
    """A number of which a size on paper can be; None for what is none."""
    if isinstance(value, bool) or not isinstance(value, int | float | Decimal):
        return None
    return float(value) if -1e9 < value < 1e9 else None


def fields_of(root: Any) -> Iterator[Any]:
    """The fields of a form, those in fields too (12.7.4.1)."""
    pikepdf = needed("pikepdf")
    waiting, seen = listed(held(root, "/AcroForm"), "/Fields"), 0
    while waiting and seen < 100_000:
        field, seen = waiting.pop(), seen + 1
        if isinstance(field, pikepdf.Dictionary):
            yield field
            waiting += listed(field, "/Kids")


def is_signature(field: Any) -> bool:
    """Whether a field is there to be signed (12.7.5.5)."""
    return str(field.get("/FT", "")) == "/Sig"
