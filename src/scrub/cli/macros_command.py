"""`scrub macros`."""

from __future__ import annotations

import click

import scrub
from scrub import upkeep
from scrub.cli.output import accent, columns, echo, print_json


@click.command("macros")
@click.argument("words", nargs=-1)
@click.option("--for", "file", metavar="FILE", help="Only what fits this file.")
@click.option("--json", "as_json", is_flag=True, help="Print the list as JSON.")
def command(words: tuple[str, ...], file: str | None, as_json: bool) -> int:
    """The library, searched in titles and texts when WORDS are given."""
    library = scrub.home().library
    entries = library.search(" ".join(words)) if words else library.entries()
    if file is not None:
        fitting = {entry.path for entry in upkeep.fitting(scrub.home(), file)}
        entries = [entry for entry in entries if entry.path in fitting]
    use = scrub.home().use.of()
    if as_json:
        print_json(
            [
                {**entry._asdict(), "runs_on": list(entry.runs_on), "runs": use.get(entry.title, (0, ""))[0]}
                for entry in entries
            ]
        )
        return 0
    if words and not entries:
        echo(f"No macro has {' and '.join(words)} in its title or text. See them all: scrub macros")
        return 1
    heading = ""
    wide = max((len(entry.title) for entry in entries), default=0)
    for entry in entries:
        group = _group(entry)
        if group != heading:
            echo(("\n" if heading else "") + accent(group))
            heading = group
        about = f"cannot be read: {entry.unreadable}" if entry.unreadable else entry.about
        times, last = use.get(entry.title, (0, ""))
        used = f"run {scrub.counted(times, 'time')}, last {last[:10]}" if times else ""
        for line in columns([(f"{entry.title:<{min(wide, 48)}}", f"{about}  ({used})" if used and words else about)]):
            echo(line)
    if not words:
        echo("\nRead one: scrub show TITLE    Run one: scrub run TITLE FILE --preview")
        if all(entry.example for entry in entries):
            echo("Keep one of your own: scrub add FILE.scrub")
    return 0


def _group(entry: scrub.Entry) -> str:
    """What it is listed under."""
    if entry.shared:
        return f"Joined: {entry.shared}"
    if entry.example:
        return f"Examples: {entry.group}"
    return "Drafts to fix" if entry.draft else entry.group or "No group"
