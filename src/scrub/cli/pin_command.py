"""`scrub pin`."""

from __future__ import annotations

import click

import scrub
from scrub import file_manager
from scrub.cli.completing import macro_titles
from scrub.cli.group import COMMANDS
from scrub.cli.output import echo


@click.command("pin")
@click.argument("macro", shell_complete=macro_titles)
@click.argument("key", required=False)
@click.option("--label", default="", help="Label shown in the list of keys instead of the title.")
@click.option("--place", type=int, help="Position in the list of keys, from 1.")
@click.option("--in-files", is_flag=True, help="Show it in the menu of the file manager too.")
@click.option("--without-asking", is_flag=True, help="With --in-files: save at once, and offer to undo.")
@click.option("--remove", is_flag=True, help="Remove the key, and the macro from the menu of the file manager.")
def command(
    macro: str, key: str | None, label: str, place: int | None, in_files: bool, without_asking: bool, remove: bool
) -> int:
    """Gives MACRO a short KEY, for `scrub run KEY FILE`."""
    home = scrub.home()
    pin = home.pins.find(macro)
    title = pin.title if remove and pin is not None else home.find(macro).title
    pin = next((each for each in home.pins.all() if each.title == title), None)
    if remove:
        if pin is not None:
            file_manager.remove_from_files(home, pin)
        taken = home.pins.unpin(title)
        echo(f'"{title}" has no key {"now" if taken else "to remove"}.')
        return 0
    if without_asking and not in_files:
        raise scrub.BadCall("--without-asking is for the file manager. Add: --in-files")
    if not key and pin is not None and in_files:
        key = pin.key
    if not key:
        raise scrub.BadCall(f'the key is missing: scrub pin "{title}" KEY')
    if in_files:
        file_manager.ensure_fits(home, title, not without_asking)
    home.pins.pin(title, key, COMMANDS, label, place)
    echo(f'"{title}" has the key {key}: scrub run {key} FILE')
    if pin is not None and pin.in_files and (pin.key != key or (label and label != pin.label)):
        file_manager.remove_from_files(home, pin)  # its entry is called by the key
        in_files, without_asking = True, without_asking or not pin.asks
    if in_files:
        notes = file_manager.show_in_files(home, title, not without_asking)
        echo("In the file manager: select files, then Open With in their menu.")
        for note in notes:
            echo(note)
    return 0
