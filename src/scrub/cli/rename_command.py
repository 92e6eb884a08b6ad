"""`scrub rename`."""

from __future__ import annotations

import click

import scrub


@click.command("rename")
@click.argument("macro")
@click.argument("title")
def command(macro: str, title: str) -> int:
    """Gives MACRO another TITLE, in its first line and its file's name. Its key goes along."""
    home = scrub.home()
    old = home.find(macro)
    users = [user for user in home.uses_of(old.title) if user != title]
    trusted = scrub.home().is_trusted(old.text, old.path)
    new = home.library.rename(old, title)
    home.pins.renamed(old.title, new.title)
    if trusted:
        home.written_here(new.text, new.path)
    click.echo(f'"{old.title}" is now "{new.title}".')
    if users:
        click.echo(f"It is run by {scrub.listed(users)}, under the old title: mend these too.")
    return 0
