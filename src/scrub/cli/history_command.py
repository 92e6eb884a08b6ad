"""`scrub history`."""

from __future__ import annotations

import os

import click

import scrub
from scrub.cli.output import columns, print_json


@click.command("history")
@click.option("--all", "every", is_flag=True, help="Show every run, not only the last twenty.")
@click.option("--json", "as_json", is_flag=True, help="Print the runs as JSON.")
def command(every: bool, as_json: bool) -> int:
    """What was run, when, on what; the last run first."""
    records = scrub.history()
    if as_json:
        print_json([record.as_dict() for record in records])
        return 0
    if not records:
        click.echo("Nothing was run yet. Try: scrub demo")
        return 0
    cut = len(records) if every else 20
    rows = []
    for record in records[:cut]:
        names = [os.path.basename(file.path) for file in record.files]
        files = ", ".join(names[:2]) + (f" and {len(names) - 2} more" if len(names) > 2 else "")
        failed = sum(1 for file in record.files if file.problem)
        state = "taken back" if record.undone else scrub.counted(record.changes, "change")
        state += f", {failed} failed" if failed else ""
        rows.append((str(record.number), record.when[:16].replace("T", " "), record.title, state, files))
    for line in columns(rows, ""):
        click.echo(line)
    if len(records) > cut:
        click.echo(f"... {len(records) - cut} more (--all)")
    return 0
