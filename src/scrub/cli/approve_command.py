"""`scrub approve`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.completing import macro_titles
from scrub.cli.editing import sentences
from scrub.cli.output import echo


@click.command("approve")
@click.argument("macro", shell_complete=macro_titles)
@click.option("--withdraw", is_flag=True, help="Revoke the approval.")
@click.option("--server", default="", help="Allow it to change databases on this server, such as db.huts.example.")
@click.option("--yes", is_flag=True, help="Do not ask for confirmation.")
def command(macro: str, withdraw: bool, server: str, yes: bool) -> int:
    """Shows MACRO and what it does, and asks. The approval is for its exact text and the macros it runs."""
    home = scrub.home()
    if withdraw:
        title = home.program(macro).title
        count = home.approvals.withdraw(title)
        echo(f'"{title}": {scrub.counted(count, "approval")} revoked.')
        return 0
    checked = home.program(macro)
    for text in checked.texts:
        for line in text:
            echo(line, raw=True)
        echo()
    for sentence in sentences(home.permissions(checked)):
        echo(sentence)
    if server:
        echo(f"It changes databases on {server}.")
    if not yes and not click.confirm("Allow this?", err=True):
        echo("Not approved.")
        return 3
    home.approvals.approve(checked.fingerprint, checked.title, server)
    echo("Approved. A change to its text ends the approval.")
    return 0
