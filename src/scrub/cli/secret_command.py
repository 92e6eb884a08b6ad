"""`scrub secret`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import echo, print_json


@click.group("secret")
def command() -> None:
    """Saves passwords in the system's key store, and nowhere else."""


@command.command("set")
@click.argument("name")
def set_(name: str) -> int:
    """Keeps a password under NAME; it is typed without echo."""
    keys = scrub.home().keys
    keys.set(name, click.prompt(f"Password ({name})", hide_input=True, confirmation_prompt=True, err=True))
    echo(f'Saved. In a macro: secret("{name}")')
    return 0


@command.command("list")
@click.option("--json", "as_json", is_flag=True, help="Print the names as JSON.")
def list_(as_json: bool) -> int:
    """The names under which passwords are kept."""
    names = scrub.home().keys.names()
    if as_json:
        print_json(names)
        return 0
    for name in names:
        echo(name)
    if not names:
        echo("No passwords saved. Save one: scrub secret set NAME")
    return 0


@command.command("forget")
@click.argument("name")
def forget(name: str) -> int:
    """Forgets the password under NAME."""
    scrub.home().keys.forget(name)
    echo(f'Password "{name}" was deleted.')
    return 0
