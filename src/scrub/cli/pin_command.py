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
@click.option("--label", default="", help="Label shown in the list of keys instead of the title.")
@click.option("--place", type=int, help="Position in the list of keys, from 1.")
@click.option("--remove", is_flag=True, help="Remove the key.")
def command(macro: str, key: str | None, label: str, place: int | None, remove: bool) -> int:
    """Gives MACRO a short KEY, for `scrub run KEY FILE`."""
    home = scrub.home()
    title = home.find(macro).title
    if remove:
        taken = home.pins.unpin(title)
        echo(f'"{title}" has no key {"now" if taken else "to remove"}.')
        return 0
    if not key:
        raise scrub.BadCall(f'the key is missing: scrub pin "{title}" KEY')
    home.pins.pin(title, key, COMMANDS, label, place)
    echo(f'"{title}" has the key {key}: scrub run {key} FILE')
    return 0
