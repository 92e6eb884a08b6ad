"""What a dictionary of a PDF contains, for files that hold something else there than the standard says."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from scrub.formats.images.needed import needed


def held(holder: object, name: str) -> Any:
    """The dictionary that is under a name; one with nothing in it where there is none."""
    pikepdf = needed("pikepdf")
    found = holder.get(name) if isinstance(holder, (pikepdf.Dictionary, pikepdf.Stream)) else None
    return found if isinstance(found, pikepdf.Dictionary) else pikepdf.Dictionary()


def listed(holder: object, name: str) -> list[Any]:
    """What the array under a name lists."""
    pikepdf = needed("pikepdf")
    found = holder.get(name) if isinstance(holder, (pikepdf.Dictionary, pikepdf.Stream)) else None
    return list(found) if isinstance(found, pikepdf.Array) else []


def whole_number(holder: Any, name: str) -> int:
    """The whole number under a name; 0 where there is none."""
    found = holder.get(name)
    return found if isinstance(found, int) else 0


def number_of(value: object) -> float | None:
    """A number that can be a size on paper; None for anything else."""
    if isinstance(value, bool) or not isinstance(value, int | float | Decimal):
        return None
    return float(value) if -1e9 < value < 1e9 else None


def misses_hidden(pdf: Any) -> bool:
    """Whether some objects are not seen that only a stream for newer readers lists, beside the table for all (7.5.8.4):
    a library that takes the table at its word would leave out what refers to them.
    """
    pikepdf = needed("pikepdf")
    if "/XRefStm" not in pdf.trailer:
        return False
    for stream in pdf.objects:
        if not isinstance(stream, pikepdf.Stream) or str(stream.get("/Type", "")) != "/XRef":
            continue
        widths = [each for each in listed(stream, "/W") if isinstance(each, int)]
        rows, size, at = bytes(stream.read_bytes()), sum(widths), 0
        spans = listed(stream, "/Index") or [0, whole_number(stream, "/Size")]
        for first, many in zip(spans[::2], spans[1::2], strict=False):
            for number in range(first, min(first + many, first + len(rows))):
                packed = size and rows[at : at + widths[0]] == (2).to_bytes(widths[0], "big")
                if packed and pdf.get_object(number, 0) is None:
                    return True
                at += size
    return False


def fields_of(root: object) -> Iterator[Any]:
    """The fields of a form, those in fields too (12.7.4.1)."""
    pikepdf = needed("pikepdf")
    waiting = listed(held(root, "/AcroForm"), "/Fields")
    seen: set[tuple[int, int]] = set()
    while waiting and len(seen) < 100_000:
        field = waiting.pop()
        if isinstance(field, pikepdf.Dictionary) and field.objgen not in seen:
            if field.is_indirect:
                seen.add(field.objgen)
            yield field
            waiting += listed(field, "/Kids")


def is_signature(field: Any) -> bool:
    """Whether a field is there to be signed (12.7.5.5)."""
    return str(field.get("/FT", "")) == "/Sig"
