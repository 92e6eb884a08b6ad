"""`scrub outbox`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import columns, echo, echo_lines, failed, more, print_json, tell_recovered


@click.command("outbox")
@click.option("--all", "every", is_flag=True, help="Show all messages, not only the last twenty.")
@click.option("--json", "as_json", is_flag=True, help="Print them as JSON.")
def command(every: bool, as_json: bool) -> int:
    """Lists sent messages, recipients and status. The last message comes first."""
    tell_recovered()
    notes = scrub.outbox()
    if as_json:
        print_json([note._asdict() for note in notes])
        return 0
    if not notes:
        echo("No messages sent yet. How a macro sends: scrub catalog send")
        return 0
    cut = len(notes) if every else 20
    rows = []
    for note in notes[:cut]:
        state = note.state if note.state == note.done else failed(note.state)
        rows.append((str(note.number), f"run {note.run}", state, ", ".join(note.recipients), note.subject))
    lines = columns(rows, "")
    if len(notes) > cut:
        lines.append(more(len(notes) - cut))
    lines += [f"{note.number}: {note.why}. Message: {note.path}" for note in notes[:cut] if note.why]
    echo_lines(lines)
    return 0
