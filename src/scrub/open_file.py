"""A file opened in Python, without a macro."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from scrub.model.core.problem import counted

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.model.core.change import Change
    from scrub.model.core.outline import Contents


class OpenFile:
    """A file opened in Python, as the item that a macro sees; used with `with`.

    `item` is the workbook; `changes` lists what was changed so far; `save` writes it as an ordinary run.
    """

    def __init__(self, home: Home, path: str) -> None:
        from scrub.model.core.passwords import knowing
        from scrub.model.core.preferences import preferring

        self.path = path
        self._home = home
        with preferring(home.preferences), knowing(home.password):
            self._opened: Any = home.formats.open(path)
        self.item: Any = self._opened.item

    def __repr__(self) -> str:
        return f"<OpenFile {self.path!r}: a {self.item.kind_word}, {counted(len(self.changes), 'change')}>"

    def __enter__(self) -> OpenFile:
        return self

    def __exit__(self, *_: object) -> None:
        self._opened.close()

    @property
    def changes(self) -> list[Change]:
        """What was changed since it was opened."""
        result: list[Change] = self._opened.changes
        return result

    def contents(self, tell: Callable[[str, float], None] | None = None) -> Contents:
        """What a macro can see in it; `tell` hears how far the look has come: a label, and the share from 0 to 1."""
        from scrub.model.core.preferences import preferring
        from scrub.model.core.progress import watched

        with watched(tell), preferring(self._home.preferences):
            result: Contents = self._opened.contents()
        return result

    def embedded(self) -> list[str]:
        """The texts of the macros inside it."""
        result: list[str] = self._opened.embedded()
        return result

    def save(self, title: str) -> int | None:
        """Writes the changes as a run with this title, which `undo` undoes; gives its number.

        None when there was nothing to write. After it, the file is opened again for more. Raises `Refused` or
        `FileProblem` when the file cannot be written.
        """
        from scrub.runner.run import save_opened

        return save_opened(self._home.store, self._opened, title)
