"""`scrub catalog`."""

from __future__ import annotations

import textwrap

import click

import scrub
from scrub.cli.output import echo, print_json, room, strong, width, wrapped


@click.command("catalog")
@click.argument("words", nargs=-1)
@click.option("--json", "as_json", is_flag=True, help="Print the entries as JSON.")
def command(words: tuple[str, ...], as_json: bool) -> int:
    """Searches kinds, fields, actions and operations in everyday words: `scrub catalog lock cells`."""
    entries = scrub.vocabulary().search(" ".join(words))
    if as_json:
        print_json([entry.as_dict() for entry in entries])
        return 0
    if not entries:
        echo(f"The catalog has nothing about {' '.join(words)}. Show all: scrub catalog")
        return 1
    for entry in entries[:8] if words else entries:
        for line in wrapped(f"{strong(entry.written)}  ({entry.what})", room(), 2):
            echo(line)
        _wrapped(entry.docs.summary, "  ")
        if not words:
            continue
        for name, text in entry.docs.arguments.items():
            _wrapped(f"{name.replace('_', '-')}: {text}", "    ")
            if name in entry.choices:
                _wrapped(", ".join(entry.choices[name]), "      ")
        if entry.docs.example:
            echo(f"  Example: {entry.docs.example}")
    if words and len(entries) > 8:
        echo(f"... {len(entries) - 8} more. Add a word, or show all: scrub catalog")
    return 0


def _wrapped(text: str, indent: str) -> None:
    for line in textwrap.wrap(text, width(), initial_indent=indent, subsequent_indent=indent, break_on_hyphens=False):
        echo(line)
