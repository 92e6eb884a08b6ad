"""`scrub check`."""

from __future__ import annotations

import click

import scrub


@click.command("check")
@click.argument("macros", nargs=-1, required=True)
def command(macros: tuple[str, ...]) -> int:
    """All that is wrong with macros (titles or paths), without running them."""
    code = 0
    for macro in macros:
        problems = scrub.check(macro)
        for problem in problems:
            click.echo(str(problem))
        if problems:
            code = 2
            click.echo(f"{scrub.counted(len(problems), 'mistake')}.")
        else:
            click.echo(f"{macro}: nothing is wrong.")
    return code
