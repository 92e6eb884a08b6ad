"""`scrub history`."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Any

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
    held = scrub.home().store.held()
    groups = list(islice(_folded(records), None if every else 20))
    rows = [_of_watched(group) if len(group) > 1 else _of_run(group[0], held) for group in groups]
    lines = columns(rows, "")
    left = len(records) - sum(len(group) for group in groups)
    if left:
        lines.append(more(left))
    size = sum(each.size for each in held.values())
    if held:
        runs = scrub.counted(len(held), "run")
        lines.append(f"Undo data: {file_size(size)} for {runs}. Keep one for good: scrub history --keep RUN")
    echo_lines(lines)
    return 0


def _of_run(record: scrub.RunRecord, held: Mapping[int, Any]) -> tuple[str, str, str, str, str]:
    """The line of one run; `held` is the undo data that is kept, by run."""
    names = [os.path.basename(path) for path in record.named(2)]
    count = record.file_count if names else 0
    files = ", ".join(names) + (f" and {count - 2:,} more" if count > 2 else "")
    state = "undone" if record.undone else scrub.counted(record.changes, "change")
    state += f", {record.failed:,} failed" if record.failed else ""
    state += f", {record.left:,} not done" if record.left else ""
    state += ", kept" if record.number in held and held[record.number].pinned else ""
    return (str(record.number), record.when[:16].replace("T", " "), record.title, state, files)


def _folded(records: Sequence[scrub.RunRecord]) -> Iterator[list[scrub.RunRecord]]:
    """The runs; those that follow each other in one watched folder together."""
    group: list[scrub.RunRecord] = []
    for record in records:
        if group and not (record.watched and (record.watched, record.title) == (group[0].watched, group[0].title)):
            yield group
            group = []
        group.append(record)
    if group:
        yield group


def _of_watched(group: Sequence[scrub.RunRecord]) -> tuple[str, str, str, str, str]:
    """The line of many runs in a watched folder."""
    first, last = group[-1], group[0]
    changes = sum(record.changes for record in group if not record.undone)
    undone = sum(record.undone for record in group)
    state = scrub.counted(changes, "change") + (f", {undone:,} undone" if undone else "")
    files = f"Watched {os.path.basename(last.watched)}: {scrub.counted(len(group), 'file')}"
    return f"{first.number}-{last.number}", last.when[:16].replace("T", " "), last.title, state, files
