"""`scrub tidy`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.completing import macro_titles
from scrub.cli.output import echo


@click.command("tidy")
@click.argument("macros", nargs=-1, required=True, shell_complete=macro_titles)
@click.option("--show", is_flag=True, help="Print the result; change nothing.")
def command(macros: tuple[str, ...], show: bool) -> int:
    """Reformats macros (titles or paths). Comments, blank lines and the meaning do not change."""
    for macro in macros:
        text, _ = scrub.home().text(macro)
        tidied = scrub.tidy(text)
        if show:
            echo(tidied, nl=False)
        elif tidied == text:
            echo(f"{macro} needs no change.")
        else:
            scrub.home().write(macro, tidied, "tidied")
            echo(f"{macro} was reformatted.")
    return 0
