"""Lengths of an Open Document (OpenDocument 1.3, part 3, 18.3.18)."""

from __future__ import annotations

from decimal import Decimal

from scrub.model.core.lazy_pattern import lazy_pattern

_LENGTH = lazy_pattern(r"(-?(?:\d+(?:\.\d*)?|\.\d+))(cm|mm|in|pt|pc|px)")
_CENTIMETRES = {
    "cm": Decimal(1), "mm": Decimal("0.1"), "in": Decimal("2.54"), "pt": Decimal("2.54") / 72,
    "pc": Decimal("2.54") / 6, "px": Decimal("2.54") / 96,
}  # fmt: skip


def centimetres(written: str | None) -> Decimal | None:
    """A length as it is written; None for anything else, such as a part of another."""
    match = _LENGTH.fullmatch(written or "")
    return Decimal(match[1]) * _CENTIMETRES[match[2]] if match is not None and len(match[1]) < 18 else None
