"""`scrub show`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import accent


@click.command("show")
@click.argument("macro")
def command(macro: str) -> int:
    """One macro: what it asks, what it may do, and its text."""
    text, name = scrub.macro_text(macro)
    try:
        found = scrub.program(macro)
    except scrub.MacroProblems as problems:
        click.echo(text.rstrip("\n"))
        click.echo(
            f"\nIt cannot run yet: {scrub.counted(len(problems.problems), 'mistake')}. See them: scrub check {name!r}"
        )
        return 2
    click.echo(accent(found.title))
    for line in found.macro.about:
        click.echo(f"  {line}")
    click.echo(f"Runs on: {', '.join(found.macro.runs_on)}")
    for question in found.questions:
        what = "the password" if question.secret else f"{question.prompt} ({question.type})"
        click.echo(f"Asks for: {what}{f' {question.prompt}' if question.secret else ''}")
    click.echo(f"It {scrub.Reach(found.reach).sentence}.")
    click.echo()
    for line in text.rstrip("\n").splitlines():
        click.echo(f"    {line}".rstrip())
    return 0
