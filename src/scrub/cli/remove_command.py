"""`scrub remove`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.completing import macro_titles
from scrub.cli.output import echo


@click.command("remove")
@click.argument("macro", shell_complete=macro_titles)
def command(macro: str) -> int:
    """Removes MACRO from the library. Its text is kept; `scrub edit TITLE --back 1` restores it."""
    home = scrub.home()
    entry = home.find(macro, to_edit=True)
    home.library.remove(entry)
    home.pins.unpin(entry.title)
    echo(f'"{entry.title}" was removed. Restore it: scrub edit "{entry.title}" --back 1')
    return 0
