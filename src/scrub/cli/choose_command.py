"""`scrub choose`, and `scrub` alone at a terminal."""

from __future__ import annotations

import click

import scrub
from scrub.cli.screen import is_terminal


@click.command("choose")
@click.argument("files", nargs=-1, type=click.Path())
def command(files: tuple[str, ...]) -> int:
    """Shows the macros that fit FILES, or the files of this folder, with what the chosen one would change."""
    if not is_terminal():
        raise scrub.BadCall("choosing needs somebody at a terminal. List the macros: scrub macros")
    from scrub.cli.chooser.open import choose

    return choose(files)
