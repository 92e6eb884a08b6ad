"""`scrub demo`."""

from __future__ import annotations

import os
import shutil
import sys

import click

import scrub
from scrub.cli.output import echo, quoted
from scrub.cli.run_command import command as run_command


@click.command("demo")
@click.argument("folder", default="kestrel-ridge")
def command(folder: str) -> int:
    """Creates the sample files in FOLDER, runs an example, and says what to try next."""
    known = os.path.isdir(folder) and len(os.listdir(folder))
    paths = scrub.lay_out_samples(folder)
    names = ", ".join(os.path.basename(path) for path in paths)
    book, program, code = quoted(paths[0]), _program(), 0
    if known:
        echo(f"The sample files are already in {folder}.")
    else:
        echo(f"Created sample files in {folder}: {names}")
        echo(f'\n$ {program} run "Show every hidden sheet" {book}', raw=True)
        code = click.get_current_context().invoke(run_command, macro="Show every hidden sheet", files=(paths[0],))
    echo(
        f"""
Next, try:
  {program} inside {book}
  {program} run seal {book} --preview
  {program} run seal {book}
  {program} undo
  {program} show seal""",
        raw=True,
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
    return f"SCRUB_HOME={quoted(chosen)} {quoted(called)}" if chosen and called != "scrub" else quoted(called)
