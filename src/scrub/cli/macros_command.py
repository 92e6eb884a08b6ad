"""`scrub macros`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import accent, columns, print_json


@click.command("macros")
@click.argument("words", nargs=-1)
@click.option("--json", "as_json", is_flag=True, help="Print the list as JSON.")
def command(words: tuple[str, ...], as_json: bool) -> int:
    """The library, searched in titles and texts when WORDS are given."""
    library = scrub.own_library()
    entries = library.search(" ".join(words)) if words else library.entries()
    if as_json:
        print_json([{**entry._asdict(), "runs_on": list(entry.runs_on)} for entry in entries])
        return 0
    if words and not entries:
        click.echo(f"No macro has {' and '.join(words)} in its title or text. See them all: scrub macros")
        return 1
    heading = ""
    wide = max((len(entry.title) for entry in entries), default=0)
    for entry in entries:
        group = "Examples" if entry.example else "Drafts, to be mended" if entry.draft else entry.group or "No group"
        if group != heading:
            click.echo(("\n" if heading else "") + accent(group))
            heading = group
        about = f"cannot be read: {entry.unreadable}" if entry.unreadable else entry.about
        for line in columns([(f"{entry.title:<{min(wide, 48)}}", about)]):
            click.echo(line)
    if not words:
        click.echo("\nRead one: scrub show TITLE    Run one: scrub run TITLE FILE --preview")
        if all(entry.example for entry in entries):
            click.echo("Keep one of your own: scrub add FILE.scrub")
    return 0
