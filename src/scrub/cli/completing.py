"""Completion of macro titles and keys, for the shells that click knows."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem


def macro_titles(context: click.Context, parameter: click.Parameter, begun: str) -> list[CompletionItem]:
    """The titles and keys that begin so; files of macros are completed by the shell."""
    from click.shell_completion import CompletionItem

    import scrub

    del context, parameter
    low = begun.strip("\"'").lower()
    home = scrub.home()
    try:
        keys = [pin.key for pin in home.pins.all()]
        titles = [entry.title for entry in home.library.entries()]
    except (scrub.ScrubError, OSError):
        return []
    found = [CompletionItem(word) for word in dict.fromkeys([*keys, *titles]) if word.lower().startswith(low)]
    return found or [CompletionItem(begun, type="file")]
