"""`scrub undo`."""

from __future__ import annotations

import sys

import click

import scrub
from scrub.cli.host import TerminalHost
from scrub.cli.output import echo, short_path


@click.command("undo")
@click.argument("run", type=int, required=False)
@click.option("--redo", is_flag=True, help="Do again what was taken back.")
@click.option("--copy", is_flag=True, help="Put the former version beside a file that was edited since.")
def command(run: int | None, redo: bool, copy: bool) -> int:
    """Puts back, byte for byte, what a run changed (left out: the last one)."""
    host = TerminalHost()
    try:
        watch = host.progress if host.watching else None
        restored = _redo(run) if redo else scrub.undo(run, copy=copy, watch=watch)
    finally:
        host.close()
    if restored.paths:
        what = short_path(restored.paths[0]) if len(restored.paths) == 1 else scrub.counted(len(restored.paths), "file")
        done = "done again" if redo else "taken back"
        echo(f"Run {restored.run} is {done}: {what}.")
        other = f"scrub undo {restored.run}" + ("" if redo else " --redo")
        echo(f"{'Take it back' if redo else 'Do it again'}: {other}")
    for said in restored.told:
        echo(said)
    sent = [note for note in scrub.outbox() if note.run == restored.run and note.state == "sent"]
    if sent and not redo:
        echo(f"{scrub.counted(len(sent), 'message was', 'messages were')} sent, which nothing takes back.")
    for path in restored.copies:
        echo(f"That file was edited since and stays as it is. The former version is beside it: {short_path(path)}")
    return 0


def _redo(run: int | None) -> scrub.Restored:
    """Does a run again; where it is not plain which one is meant, the person is asked."""
    try:
        return scrub.redo(run)
    except scrub.BadCall as problem:
        last = scrub.home().store.taken_back_last() if run is None else None
        if last is None or not sys.stdin.isatty():
            raise
        echo(str(problem), err=True)
        if not click.confirm(f"Do run {last.number} again?", err=True):
            raise click.Abort from None
        return scrub.redo(last.number)
