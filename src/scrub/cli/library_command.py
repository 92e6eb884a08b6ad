"""`scrub library`."""

from __future__ import annotations

import os

import click

import scrub
from scrub import sharing
from scrub.cli.output import echo


@click.group("library", invoke_without_command=True)
@click.pass_context
def command(context: click.Context) -> None:
    """Shows where the library is, its name, and joined folders."""
    if context.invoked_subcommand:
        return
    home = scrub.home()
    name = home.settings.load().get("name")
    own = [entry for entry in home.library.entries() if not entry.example and not entry.shared]
    echo(f"{name or 'Your library'}: {home.library.folder}, {scrub.counted(len(own), 'macro')}")
    for folder in home.library.others:
        echo(f"Joined (read only): {folder}")
    echo("Name it: scrub settings name NAME    Back it up: scrub library backup FILE.zip")


@command.command("backup")
@click.argument("to")
def backup(to: str) -> int:
    """Writes all macros, drafts, earlier texts, pins and settings into the file TO."""
    count = sharing.backup(scrub.home(), to)
    echo(f"{scrub.counted(count, 'file')} in {to}. To restore: scrub library restore {to}")
    return 0


@command.command("restore")
@click.argument("source")
@click.option("--replace", is_flag=True, help="Replace what differs; earlier versions are kept.")
@click.option("--take", multiple=True, metavar="WORD", help="Also restore a setting, a key or a joined folder.")
def restore(source: str, replace: bool, take: tuple[str, ...]) -> int:
    """Brings back the macros in the backup SOURCE. What differs is shown, and replaced only with --replace."""
    found = sharing.restore(scrub.home(), source, replace, take)
    for word in take:
        if word not in found.offered:
            raise scrub.BadCall(f'the backup contains no "{word}"')
    for word, names in (
        ("New", found.new),
        ("Replaced" if replace else "Differs, left unchanged", found.different),
    ):
        for name in names:
            echo(f"{word}: {name}")
    echo(f"{scrub.counted(len(found.same), 'file')} identical.")
    if found.different and not replace:
        echo(f"To replace what differs: scrub library restore {source} --replace")
    for word, what in found.offered.items():
        echo(f"{'Restored' if word in take else 'It also contains'}: {what}")
    left = [word for word in found.offered if word not in take]
    if left:
        echo(f"To restore one: scrub library restore {source} --take {left[0]}")
    return 0


@command.command("join")
@click.argument("folder")
def join(folder: str) -> int:
    """Adds the macros of another FOLDER (a team's), which is only read. If two share a title, yours is used."""
    path = os.path.abspath(folder)
    if not os.path.isdir(path):
        raise scrub.BadCall(f"{folder} is not a folder")
    _keep([*(each for each in _joined() if each != path), path])
    echo(f"Joined: {path}. Where two macros share a title, yours is used.")
    return 0


@command.command("leave")
@click.argument("folder")
def leave(folder: str) -> int:
    """Leaves out a FOLDER that was joined."""
    path = os.path.abspath(folder)
    if path not in _joined():
        raise scrub.BadCall(f"{folder} is not joined. Joined folders: scrub library")
    _keep([each for each in _joined() if each != path])
    echo(f"Left: {path}")
    return 0


def _joined() -> list[str]:
    return list(scrub.home().settings.load().get("libraries", []))


def _keep(folders: list[str]) -> None:
    settings = scrub.home().settings
    with settings.changing() as found:
        found["libraries"] = folders
