"""Actions that work through the fields of others: above all those on text. One module a family."""

from __future__ import annotations

from collections.abc import Callable

from scrub.catalog import columns, line_breaks, texts, values, wording

#: Every action; the annotation of its first argument tells what a kind must offer for it.
ACTIONS: tuple[Callable[..., None], ...] = (
    *texts.ACTIONS,
    *values.ACTIONS,
    *columns.ACTIONS,
    *wording.ACTIONS,
    *line_breaks.ACTIONS,
)
