"""`scrub demo`."""

from __future__ import annotations

import os
import shutil
import sys

import click

import scrub
from scrub.cli.output import echo
from scrub.cli.run_command import command as run_command


@click.command("demo")
@click.argument("folder", default="kestrel-ridge")
def command(folder: str) -> int:
    """Lays out the sample files in FOLDER, runs the first example, and says what to try next."""
    paths = scrub.lay_out_samples(folder)
    echo(f"The sample files are in {folder}: {', '.join(os.path.basename(path) for path in paths)}")
    book = paths[0]
    program = _program()
    echo(f'\n$ {program} run "Show every hidden sheet" {book}')
    code = click.get_current_context().invoke(run_command, macro="Show every hidden sheet", files=(book,))
    echo(
        f"""
Next, try:
  {program} inside {book}
  {program} run seal {book} --preview
  {program} run seal {book}
  {program} undo
  {program} show seal"""
    )
    return code if isinstance(code, int) else 0


def _program() -> str:
    """How this very command is called from this folder, so that what is printed can be typed."""
    name = os.path.basename(sys.argv[0])
    found = shutil.which(name)
    here = os.path.realpath(sys.argv[0])
    called = name if found and os.path.realpath(found) == here else os.path.relpath(sys.argv[0])
    called = "scrub" if not os.path.isfile(sys.argv[0]) or name == "__main__.py" else called
    chosen = os.environ.get("SCRUB_HOME")
    return f"SCRUB_HOME={chosen} {called}" if chosen and called != "scrub" else called
