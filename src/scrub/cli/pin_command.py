"""`scrub pin`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.completing import macro_titles
from scrub.cli.group import COMMANDS
from scrub.cli.output import echo


@click.command("pin")
@click.argument("macro", shell_complete=macro_titles)
@click.argument("key", required=False)
@click.option("--label", default="", help="What the list of pins says in place of the title.")
@click.option("--place", type=int, help="Its place in the list of pins, from 1.")
@click.option("--remove", is_flag=True, help="Take its key away.")
def command(macro: str, key: str | None, label: str, place: int | None, remove: bool) -> int:
    """Gives MACRO a short KEY: then `scrub run KEY FILE` runs it."""
    home = scrub.home()
    title = home.find(macro).title
    if remove:
        taken = home.pins.unpin(title)
        echo(f'"{title}" has no key {"any more" if taken else "to take away"}.')
        return 0
    if not key:
        raise scrub.BadCall(f'which key? Write: scrub pin "{title}" KEY')
    home.pins.pin(title, key, COMMANDS, label, place)
    echo(f'"{title}" has the key {key}: scrub run {key} FILE')
    return 0
