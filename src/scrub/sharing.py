"""Sharing macros: backups, packs for a colleague, macros inside a workbook."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from scrub.model.core.problem import BadCall, listed
from scrub.model.core.values import fold

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.library.bundle import Packed


def backup(home: Home, to: str) -> int:
    """Writes the library into one file; gives the number of files in it."""
    from scrub.library import bundle

    return bundle.backup(home.folder, to)


def restore(home: Home, source: str, replace: bool = False, take: Iterable[str] = ()) -> Any:
    """Brings back the macros of a backup: what is missing always, what differs only with `replace`; of all else that
    it contains what `take` names.
    """
    from scrub.library import bundle

    return bundle.restore(home.folder, source, home.library, replace, take)


def pack(home: Home, macro: str, out: str) -> tuple[str, list[str]]:
    """Writes a macro, with all that it runs, as one file; gives its path and the titles."""
    from scrub.library import bundle

    entry = home.find(macro)
    checked = home.checked(entry.text, entry.path)
    entries = [entry]
    waiting = list(checked.inner)
    while waiting:
        inner = waiting.pop()
        waiting += inner.inner
        other = home.library.titled(inner.title)
        entries = [each for each in entries if each.path != other.path] + [other]
    return bundle.pack(entries, out), [each.title for each in entries]


def unpack(path: str) -> list[Packed]:
    """The macros of a pack, with their files."""
    from scrub.library import bundle

    return bundle.unpack(path)


def embedded(home: Home, path: str) -> list[str]:
    """The texts of the macros inside a file."""
    item: Any = home.formats.open(path)
    try:
        result: list[str] = item.embedded()
    finally:
        item.close()
    return result


def embed(home: Home, macro: str, path: str) -> tuple[str, int | None]:
    """Puts a macro inside a file, as an ordinary run; gives its title and the number of the run."""
    from scrub.runner.run import save_opened

    text, name = home.text(macro)
    checked = home.checked(text, name)
    if checked.inner:
        raise BadCall(f'"{checked.title}" runs other macros, which would be missing. Pack it: scrub pack')
    item: Any = home.formats.open(path)
    try:
        item.embed(checked.title, text)
        return checked.title, save_opened(home.store, item, f"Embed: {checked.title}")
    finally:
        item.close()


def inside(home: Home, words: str, path: str) -> str:
    """The text of the macro inside a file that these words mean."""
    from scrub.library.library import header

    texts = embedded(home, path)
    titles = [header(text, "")[0].title for text in texts]
    fitting = [
        text
        for text, title in zip(texts, titles, strict=True)
        if all(word in fold(title).split() for word in fold(words).split())
    ]
    if len(fitting) != 1:
        there = listed([f'"{title}"' for title in titles]) or "none"
        raise BadCall(f'{path} contains no single macro "{words}". It contains: {there}')
    return fitting[0]
