"""`scrub pins`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import columns, echo, print_json, strong


@click.command("pins")
@click.option("--json", "as_json", is_flag=True, help="Print the keys as JSON.")
def command(as_json: bool) -> int:
    """Lists the macros with keys, in order."""
    pins = scrub.home().pins.all()
    if as_json:
        print_json([pin.as_dict() for pin in pins])
        return 0
    if not pins:
        echo("No macro has a key. Give one: scrub pin TITLE KEY")
    wide = max((len(pin.key) for pin in pins), default=0)
    titles = {entry.title.casefold() for entry in scrub.home().library.entries()}
    rows = [
        (
            pin.label or pin.title,
            (pin.title if pin.label else "") if pin.title.casefold() in titles else "(gone)",
            ("in the file manager" if pin.asks else "in the file manager, without asking") if pin.in_files else "",
        )
        for pin in pins
    ]
    for pin, line in zip(pins, columns(rows, ""), strict=True):
        echo(f"  {strong(pin.key.ljust(wide))}  {line}")
    return 0
