"""`scrub inside`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import accent, columns


@click.command("inside")
@click.argument("file")
def command(file: str) -> int:
    """What a macro can see in FILE."""
    with scrub.open(file) as opened:
        book = opened.item
        rows = []
        for sheet in book.sheets():
            states = [word for word, holds in (("hidden", sheet.hidden), ("protected", sheet.protected)) if holds]
            rows.append((str(sheet.number), sheet.name, ", ".join(states)))
        click.echo(f"{accent(book.name)}  a workbook of {scrub.counted(len(rows), 'sheet')}")
        for line in columns(rows):
            click.echo(line)
        if rows:
            click.echo(f'A macro says: each sheet, or sheet("{rows[0][1]}").hidden. More: scrub catalog sheet')
    return 0
