"""`scrub embed`."""

from __future__ import annotations

import click

import scrub
from scrub import sharing
from scrub.cli.completing import macro_titles
from scrub.cli.output import echo


@click.command("embed")
@click.argument("macro", shell_complete=macro_titles)
@click.argument("file")
def command(macro: str, file: str) -> int:
    """Embeds MACRO in the workbook FILE. It travels with the file and runs only when you ask for it."""
    title, run = sharing.embed(scrub.home(), macro, file)
    echo(f'"{title}" is now inside {file}.')
    echo(f'Run it: scrub run "{title}" {file} --inside')
    echo(f"Undo: scrub undo {run}")
    return 0
