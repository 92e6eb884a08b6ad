"""`scrub changes`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import accent, change_lines, print_json, short_path


@click.command("changes")
@click.argument("run", type=int, required=False)
@click.option("--to", "table", metavar="FILE", help="Write a table, .csv, that a spreadsheet opens.")
@click.option("--json", "as_json", is_flag=True, help="Print the run as JSON.")
def command(run: int | None, table: str | None, as_json: bool) -> int:
    """Every change of a run (left out: the last one), with its log."""
    record = scrub.changes(run)
    if table is not None:
        _write_table(record, table)
        click.echo(f"{scrub.counted(record.changes, 'change')} in {table}")
        return 0
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


def _write_table(record: scrub.RunRecord, path: str) -> None:
    """Writes the changes as CSV (RFC 4180), never over a file that is there."""
    import csv

    try:
        with open(path, "x", encoding="utf-8-sig", newline="") as stream:
            writer = csv.writer(stream)
            writer.writerow(["run", "title", "file", "place", "what", "before", "after"])
            for file in record.files:
                for change in file.changes:
                    row = [record.title, file.path, change.place, change.what, str(change.before), str(change.after)]
                    writer.writerow([record.number, *map(scrub.harmless, row)])
    except FileExistsError:
        raise scrub.FileProblem(path, "there is a file of that name. Choose another, nothing is overwritten") from None
    except OSError as error:
        raise scrub.FileProblem(path, f"it could not be written: {error.strerror}") from None
