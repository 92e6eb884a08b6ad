"""`scrub macros`."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import click

import scrub
from scrub import upkeep
from scrub.cli.output import columns, echo, one_line, print_json, quiet, strong, width


@click.command("macros")
@click.argument("words", nargs=-1)
@click.option("--for", "file", metavar="FILE", help="Only macros for this kind of file.")
@click.option("-q", "--quiet", "bare", is_flag=True, help="Titles only.")
@click.option("--json", "as_json", is_flag=True, help="Print the list as JSON.")
def command(words: tuple[str, ...], file: str | None, bare: bool, as_json: bool) -> int:
    """Lists the library, or the macros that contain WORDS."""
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
        echo(f"No macro contains {' and '.join(words)}. Show all: scrub macros")
        return 1
    _list(entries, use, bare, with_use=bool(words))
    if not words:
        echo("\nRead one: scrub show TITLE    Preview one: scrub run TITLE FILE --preview")
        if all(entry.example for entry in entries):
            echo("Add your own: scrub add FILE.scrub")
    return 0


def _list(
    entries: Sequence[scrub.LibraryEntry], use: Mapping[str, tuple[int, str]], bare: bool, with_use: bool
) -> None:
    """Prints the entries under their groups; `bare` without what they are about, `with_use` with how often they ran."""
    heading = ""
    wide = max((len(entry.title) for entry in entries), default=0)
    for entry in entries:
        group = _group(entry)
        if group != heading:
            echo(("\n" if heading else "") + strong(group))
            heading = group
        about = f"cannot be read: {entry.unreadable}" if entry.unreadable else entry.about
        times, last = use.get(entry.title, (0, ""))
        used = f"run {scrub.counted(times, 'time')}, last {last[:10]}" if times else ""
        about = f"{about}  ({used})" if used and with_use else about
        if bare or width() < _NARROW:
            echo(f"  {one_line(entry.title)}")
            if about and not bare:
                echo(quiet(f"    {about}"))
            continue
        for line in columns([(f"{entry.title:<{min(wide, 48)}}", about)], wrap=True):
            echo(line)


#: Columns of a terminal below which a description has a line of its own.
_NARROW = 100


def _group(entry: scrub.LibraryEntry) -> str:
    """What it is listed under."""
    if entry.shared:
        return f"Joined: {entry.shared}"
    if entry.example:
        return f"Examples: {entry.group}"
    return "Drafts to fix" if entry.draft else entry.group or "No group"
