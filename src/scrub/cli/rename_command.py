"""`scrub rename`."""

from __future__ import annotations

import click

import scrub
from scrub import upkeep
from scrub.cli.completing import macro_titles
from scrub.cli.output import echo


@click.command("rename")
@click.argument("macro", shell_complete=macro_titles)
@click.argument("title")
def command(macro: str, title: str) -> int:
    """Renames MACRO to TITLE: its first line, its file name, and your macros that run it."""
    home = scrub.home()
    old = home.find(macro)
    new, mended, left = upkeep.rename(home, old, title)
    echo(f'"{old.title}" is now "{new.title}".')
    if mended:
        echo(f"Macros that run it now use the new title: {scrub.listed(mended)}.")
    if left:
        echo(f"Macros of others still use the old title: {scrub.listed(left)}.")
    return 0
