"""`scrub pack`."""

from __future__ import annotations

import click

import scrub
from scrub import sharing
from scrub.cli.completing import macro_titles
from scrub.cli.output import echo


@click.command("pack")
@click.argument("macro", shell_complete=macro_titles)
@click.argument("out")
def command(macro: str, out: str) -> int:
    """Writes MACRO and all macros that it runs to one file OUT for a colleague, who types `scrub add OUT`."""
    path, titles = sharing.pack(scrub.home(), macro, out)
    echo(f"Packed into {path}: {scrub.listed(titles)}.")
    echo(f"Your colleague types: scrub add {path}")
    return 0
