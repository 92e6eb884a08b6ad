"""`scrub add`."""

from __future__ import annotations

import sys

import click

import scrub
from scrub.cli.editing import keep


@click.command("add")
@click.argument("files", nargs=-1, required=True)
def command(files: tuple[str, ...]) -> int:
    """Keeps macros in the library; `-` reads one from standard input. One with mistakes is kept as a draft."""
    code = 0
    for name in files:
        if name.lower().endswith(".scrubpack"):
            for text, shown in scrub.home().unpack(name):
                code = max(code, keep(text, shown, own=False))
            continue
        if name == "-":
            text, shown = scrub.decoded(sys.stdin.buffer.read(), "pasted text"), "pasted text"
        else:
            text, shown = scrub.read_macro(name), name
        mended = scrub.mended(text)
        if mended != text:
            click.echo("The text was broken or quoted by a mail program. It is read as:")
            click.echo("".join(f"    {line}\n" for line in mended.splitlines()), nl=False)
        code = max(code, keep(mended, shown, own=False))
    return code
