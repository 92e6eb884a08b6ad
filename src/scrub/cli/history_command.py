"""`scrub history`."""

from __future__ import annotations

import os

import click

import scrub
from scrub.cli.output import columns, echo, echo_lines, file_size, more, print_json, tell_recovered


@click.command("history")
@click.option("--all", "every", is_flag=True, help="Show all runs, not only the last twenty.")
@click.option("--keep", type=int, metavar="RUN", help="Keep the undo data of this run for good.")
@click.option("--release", type=int, metavar="RUN", help="Allow it to expire again.")
@click.option("--json", "as_json", is_flag=True, help="Print the runs as JSON.")
def command(every: bool, keep: int | None, release: int | None, as_json: bool) -> int:
    """Lists runs: what, when, on which files. The last run comes first."""
    for number, kept in ((keep, True), (release, False)):
        if number is not None:
            scrub.keep_undo(number, kept)
            word = "is kept until you release it" if kept else "expires as usual"
            echo(f"Undo data of run {number} {word}.")
    if keep is not None or release is not None:
        return 0
    tell_recovered()
    records = scrub.history()
    if as_json:
        print_json([record.as_dict() for record in records])
        return 0
    if not records:
        echo("No runs yet. Try: scrub demo")
        return 0
    cut = len(records) if every else 20
    held = scrub.home().store.held()
    rows = []
    for record in records[:cut]:
        names = [os.path.basename(path) for path in record.named(2)]
        count = record.file_count if names else 0
        files = ", ".join(names) + (f" and {count - 2:,} more" if count > 2 else "")
        state = "undone" if record.undone else scrub.counted(record.changes, "change")
        state += f", {record.failed:,} failed" if record.failed else ""
        state += f", {record.left:,} not done" if record.left else ""
        state += ", kept" if record.number in held and held[record.number].pinned else ""
        rows.append((str(record.number), record.when[:16].replace("T", " "), record.title, state, files))
    lines = columns(rows, "")
    if len(records) > cut:
        lines.append(more(len(records) - cut))
    size = sum(each.size for each in held.values())
    if held:
        runs = scrub.counted(len(held), "run")
        lines.append(f"Undo data: {file_size(size)} for {runs}. Keep one for good: scrub history --keep RUN")
    echo_lines(lines)
    return 0
