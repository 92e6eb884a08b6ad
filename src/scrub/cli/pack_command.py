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
    """Writes MACRO, with all that it runs, as one file OUT for a colleague; `scrub add OUT` takes it."""
    path, titles = sharing.pack(scrub.home(), macro, out)
    echo(f"Packed {scrub.listed(titles)} into {path}.")
    echo(f"Your colleague writes: scrub add {path}")
    return 0
