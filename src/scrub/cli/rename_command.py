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
    """Gives MACRO another TITLE, in its first line, in its file's name, and in your macros that run it."""
    home = scrub.home()
    old = home.find(macro)
    new, mended, left = upkeep.rename(home, old, title)
    echo(f'"{old.title}" is now "{new.title}".')
    if mended:
        echo(f"Macros that run it have the new title too: {scrub.listed(mended)}.")
    if left:
        echo(f"These still run it under the old title: {scrub.listed(left)}. They are not yours to change.")
    return 0
