"""`scrub edit`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.completing import macro_titles
from scrub.cli.editing import edited, keep, replace
from scrub.cli.output import echo


@click.command("edit")
@click.argument("macro", shell_complete=macro_titles)
@click.option("--back", type=int, metavar="N", help="Restore an earlier version; `scrub show --history` numbers them.")
def command(macro: str, back: int | None) -> int:
    """Opens MACRO in your editor and checks it afterwards. The earlier version is kept."""
    home = scrub.home()
    if back is not None:
        return _bring_back(macro, back)
    entry = home.find(macro, to_edit=True)
    if entry.example:
        raise scrub.BadCall(
            f'"{entry.title}" is a shipped example. Start your own from it: scrub new TITLE --from "{entry.title}"'
        )
    text = edited(entry.text, entry.title)
    if text == entry.text:
        echo("Nothing changed.")
        return 0
    if entry.draft:
        return keep(text, entry.title, own=home.is_own(entry.text, entry.path), over=entry)
    return replace(entry, text)


def _bring_back(macro: str, number: int) -> int:
    library = scrub.home().library
    try:
        title = library.find(macro, to_edit=True).title
    except scrub.BadCall:
        title = macro
    former = library.former.all(title)
    if not 1 <= number <= len(former):
        raise scrub.BadCall(
            f'"{title}" has {scrub.counted(len(former), "earlier version")}. List them: scrub show "{title}" --history'
        )
    text, files = former[number - 1].text, former[number - 1].files
    try:
        entry = library.titled(title)
    except scrub.BadCall:
        return keep(text, title, own=False, files=files)  # one that was trusted is so still, by its text
    return replace(entry, text, by_text=True)
