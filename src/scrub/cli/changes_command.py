"""`scrub changes`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import accent, change_lines, print_json, short_path


@click.command("changes")
@click.argument("run", type=int, required=False)
@click.option("--json", "as_json", is_flag=True, help="Print the run as JSON.")
def command(run: int | None, as_json: bool) -> int:
    """Every change of a run (left out: the last one), with its log."""
    record = scrub.changes(run)
    if as_json:
        print_json(record.as_dict())
        return 0
    undone = ", taken back" if record.undone else ""
    click.echo(f"Run {record.number}: {record.title}, {record.when[:16].replace('T', ' ')}{undone}")
    for file in record.files:
        click.echo(accent(short_path(file.path)))
        for line in change_lines(file.changes, None):
            click.echo(line)
        for text in file.log:
            click.echo(f"  log: {text}")
        if file.undone and not record.undone:
            click.echo("  taken back")
        if file.problem:
            click.echo(f"  failed: {file.problem}")
        elif not file.changes:
            click.echo("  nothing changed" if file.state == "unchanged" else f"  {file.state}")
    if any(file.changes for file in record.files):
        click.echo(
            f"Do it again: scrub undo {record.number} --redo"
            if record.undone
            else f"Take them back: scrub undo {record.number}"
        )
    return 0
