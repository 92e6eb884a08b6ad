"""`scrub add`."""

from __future__ import annotations

import sys

import click

import scrub


@click.command("add")
@click.argument("files", nargs=-1, required=True)
def command(files: tuple[str, ...]) -> int:
    """Keeps macros in the library; `-` reads one from standard input. One with mistakes is kept as a draft."""
    code = 0
    for name in files:
        if name == "-":
            text, shown = scrub.decoded(sys.stdin.buffer.read(), "pasted text"), "pasted text"
        else:
            text, shown = scrub.read_macro(name), name
        problems = scrub.check_text(text, shown)
        entry = scrub.own_library().add(text, shown, draft=bool(problems))
        if problems:
            for problem in problems:
                click.echo(str(problem), err=True)
            click.echo(
                f"Kept as a draft, with {scrub.counted(len(problems), 'mistake')}: {entry.path}\n"
                "Mend the file and add it again.",
                err=True,
            )
            code = 2
        else:
            click.echo(f'Added "{entry.title}": {entry.path}')
            click.echo(f'Try it: scrub run "{entry.title}" FILE --preview')
    return code
