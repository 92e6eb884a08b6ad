"""`scrub demo`."""

from __future__ import annotations

import os

import click

import scrub
from scrub.cli.run_command import command as run_command


@click.command("demo")
@click.argument("folder", default="kestrel-ridge")
def command(folder: str) -> int:
    """Lays out the sample files in FOLDER, runs the first example, and says what to try next."""
    paths = scrub.lay_out_samples(folder)
    click.echo(f"The sample files are in {folder}: {', '.join(os.path.basename(path) for path in paths)}")
    book = paths[0]
    click.echo(f'\n$ scrub run "Show every hidden sheet" {book}')
    code = click.get_current_context().invoke(run_command, macro="Show every hidden sheet", files=(book,))
    click.echo(
        f"""
Next, try:
  scrub inside {book}
  scrub run seal {book} --preview
  scrub run seal {book}
  scrub undo
  scrub show seal"""
    )
    return code if isinstance(code, int) else 0
