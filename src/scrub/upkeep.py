"""Keeping a library in order: a macro renamed wherever it is run, the macros that a file takes, who runs whom."""

from __future__ import annotations

from typing import TYPE_CHECKING

from scrub.model.core.problem import Failure, ScrubError
from scrub.model.core.values import fold

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.library.library import LibraryEntry
    from scrub.library.records import Pin


def rename(home: Home, entry: LibraryEntry, title: str) -> tuple[LibraryEntry, list[str], list[str]]:
    """Gives a macro another title; its key goes along, and so do the lines in which one's own macros run it.

    Gives the macro, the titles of those that were mended, and of those that still have the old title.
    """
    from scrub.language.lexer import ended_lines
    from scrub.language.parser import parse
    from scrub.language.walk import runs_of

    users = [home.library.titled(user) for user in uses_of(home, entry.title) if fold(user) != fold(entry.title)]
    trusted = [home.is_trusted(each.text, each.path) for each in (entry, *users)]
    in_files = _pin_in_files(home, entry)
    new = home.library.rename(entry, title)
    home.pins.renamed(entry.title, new.title)
    mended, left = [], []
    for user in users:
        if user.example or user.shared:
            left.append(user.title)
            continue
        lines = ended_lines(user.text)
        for node in runs_of(parse(user.text, "")[0].body):
            if fold(node.title) == fold(entry.title):
                line, start = node.place.line - 1, node.place.column - 1
                end = start + node.place.length
                lines[line] = f'{lines[line][:start]}"{title}"{lines[line][end:]}'
        home.library.replace(user, "".join(lines), "mended")
        mended.append(user.title)
    for each, was_trusted in zip((new, *users), trusted, strict=True):
        if was_trusted:
            home.written_here(each.text, each.path)
    if in_files is not None:  # its entry shows the title, and the text that was pinned has another first line
        from scrub.file_manager import show_in_files

        show_in_files(home, new.title, in_files.asks)
    return new, mended, left


def _pin_in_files(home: Home, entry: LibraryEntry) -> Pin | None:
    """The pin of a macro that is in the menu of the file manager, and has the text that was pinned."""
    pin = next((each for each in home.pins.all() if each.in_files and fold(each.title) == fold(entry.title)), None)
    if pin is None:
        return None
    return pin if home.checked(entry.text, entry.path).fingerprint == pin.fingerprint else None


def fitting(home: Home, path: str) -> list[LibraryEntry]:
    """The macros that a file takes: they run on its kind, and change nothing that its format cannot keep."""
    from scrub.model.core.preferences import preferring
    from scrub.runner.run import ensure_kept

    with preferring(home.preferences):
        opened = home.formats.open(path)
    result = []
    try:
        for entry in home.library.entries():
            if opened.item.kind_word not in entry.runs_on:
                continue
            try:
                checked = home.checked(entry.text, entry.path)
                ensure_kept(checked.on(opened.item.kind_word), opened, home.vocabulary)
            except Failure:
                continue
            except ScrubError:
                pass  # a draft, which is still to be mended
            result.append(entry)
    finally:
        opened.close()
    return result


def uses_of(home: Home, title: str) -> list[str]:
    """The titles of macros that run this one."""
    from scrub.language.parser import parse
    from scrub.language.walk import statements

    uses = []
    for entry in home.library.entries():
        try:
            body = parse(entry.text, "")[0].body
        except ScrubError:
            continue
        if any(fold(getattr(node, "title", "")) == fold(title) for node in statements(body)):
            uses.append(entry.title)
    return uses
