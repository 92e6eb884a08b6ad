"""`scrub undo`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import short_path


@click.command("undo")
@click.argument("run", type=int, required=False)
@click.option("--redo", is_flag=True, help="Do again what was taken back.")
@click.option("--copy", is_flag=True, help="Lay the former version beside a file that was edited since.")
def command(run: int | None, redo: bool, copy: bool) -> int:
    """Puts back, byte for byte, what a run changed (left out: the last one)."""
    restored = scrub.redo(run) if redo else scrub.undo(run, copy=copy)
    if restored.paths:
        what = short_path(restored.paths[0]) if len(restored.paths) == 1 else scrub.counted(len(restored.paths), "file")
        done = "done again" if redo else "taken back"
        click.echo(f"Run {restored.run} is {done}: {what}.")
        other = f"scrub undo {restored.run}" + ("" if redo else " --redo")
        click.echo(f"{'Take it back' if redo else 'Do it again'}: {other}")
    for path in restored.copies:
        click.echo(
            f"That file was edited since and stays as it is. The former version lies beside it: {short_path(path)}"
        )
    return 0
