"""`scrub undo`."""

from __future__ import annotations

import sys

import click

import scrub
from scrub.cli.host import TerminalHost
from scrub.cli.output import echo, short_path


@click.command("undo")
@click.argument("run", type=int, required=False)
@click.option("--redo", is_flag=True, help="Redo a run that was undone.")
@click.option("--jobs", type=int, metavar="N", help="Use N threads for many files; default: 8.")
@click.option("--copy", is_flag=True, help="If a file was edited since, save the earlier version beside it.")
def command(run: int | None, redo: bool, jobs: int | None, copy: bool) -> int:
    """Undoes a run byte for byte (default: the last one)."""
    host = TerminalHost()
    try:
        watch = host.progress if host.watching else None
        restored = _redo(run, jobs) if redo else scrub.undo(run, copy=copy, watch=watch, jobs=jobs)
    finally:
        host.close()
    if restored.paths:
        what = short_path(restored.paths[0]) if len(restored.paths) == 1 else scrub.counted(len(restored.paths), "file")
        echo(f"{'Redone' if redo else 'Undone'}: run {restored.run} ({what}).")
        other = f"scrub undo {restored.run}" + ("" if redo else " --redo")
        echo(f"{'Undo' if redo else 'Redo'}: {other}")
    for said in restored.told:
        echo(said)
    sent = [note for note in scrub.outbox() if note.run == restored.run and note.state == "sent"]
    if sent and not redo:
        echo(f"{scrub.counted(len(sent), 'message was', 'messages were')} sent; that cannot be undone.")
    for path in restored.copies:
        echo(f"That file was edited since, so it is unchanged. The earlier version is beside it: {short_path(path)}")
    return 0


def _redo(run: int | None, jobs: int | None) -> scrub.Restored:
    """Does a run again; where it is not plain which one is meant, the person is asked."""
    try:
        return scrub.redo(run, jobs=jobs)
    except scrub.BadCall as problem:
        last = scrub.home().store.taken_back_last() if run is None else None
        if last is None or not sys.stdin.isatty():
            raise
        echo(str(problem), err=True)
        if not click.confirm(f"Redo run {last.number}?", err=True):
            raise click.Abort from None
        return scrub.redo(last.number, jobs=jobs)
