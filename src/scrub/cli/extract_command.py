"""`scrub extract`."""

from __future__ import annotations

import click

import scrub
from scrub import sharing
from scrub.cli.editing import keep
from scrub.cli.output import echo


@click.command("extract")
@click.argument("file")
@click.option("--show", is_flag=True, help="Print the macros; save nothing.")
def command(file: str, show: bool) -> int:
    """Adds the macros inside the workbook FILE to the library."""
    texts = sharing.embedded(scrub.home(), file)
    if not texts:
        echo(f"{file} contains no macro.")
        return 1
    code = 0
    for text in texts:
        if show:
            echo(text)
        else:
            code = max(code, keep(text, file, own=False))
    return code
