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
    """Puts MACRO inside the workbook FILE, so that it travels with it. It does nothing there until it is asked for."""
    title, run = sharing.embed(scrub.home(), macro, file)
    echo(f'"{title}" is inside {file}.')
    echo(f'Run it from there: scrub run "{title}" {file} --inside')
    echo(f"Take it out again: scrub undo {run}")
    return 0
