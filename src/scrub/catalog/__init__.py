"""Actions that work through the fields of others: above all those on text. One module a family."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from scrub.catalog import columns, texts, values

#: Every action, with the word of its kind.
ACTIONS: list[tuple[str, Callable[..., Any]]] = [
    (kind, function) for family in (texts, values, columns) for function, kinds in family.ACTIONS for kind in kinds
]
