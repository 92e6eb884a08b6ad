"""A file opened in Python, without a macro."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar

from scrub.model.core.area import letters_of
from scrub.model.core.problem import BadCall, counted, with_article

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.model.core.change import Change
    from scrub.model.core.outline import Contents

T = TypeVar("T")


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
        from scrub.api.values import out

        self.item: Any = out(self._opened.item)

    def __repr__(self) -> str:
        return f"<OpenFile {self.path!r}: a {self.item.kind_word}, {counted(len(self.changes), 'change')}>"

    def _repr_html_(self) -> str:
        """What is in it, for notebooks."""
        from scrub.model.core import html

        contents = self.contents()
        rows = [[_told(value) for word, value in row.items() if word != "headings"] for row in contents.rows]
        words = [word for word in (contents.rows[0] if contents.rows else ()) if word != "headings"]
        head = html.heading(self.path, f"{self.called}, {counted(len(self.changes), 'change')}")
        return head + (html.table(words, rows, len(rows)) if rows else "")

    def __enter__(self) -> OpenFile:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Lets the file go; `with` does so on its own."""
        self._opened.close()

    def item_of(self, kind: type[T]) -> T:
        """The item as a class that type checkers know: `book = opened.item_of(scrub.Workbook)`. Raises `BadCall` for a
        file of another kind.
        """
        if not isinstance(self.item, kind):
            raise BadCall(f"{self.path}: this is {self.called}, not {with_article(getattr(kind, 'kind_word', 'item'))}")
        return self.item

    @property
    def called(self) -> str:
        """How a sentence calls such a file: `a workbook`."""
        item: Any = self._opened.item
        return item.called or with_article(item.kind_word)

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

    def formula_problems(self) -> list[tuple[str, str, str]]:
        """What is wrong with the formulas of a workbook: sheet, cell and problem. Raises `BadCall` for other files."""
        from scrub.model.workbook import Workbook

        book = self._opened.item
        if not isinstance(book, Workbook):
            raise BadCall("only workbooks have formulas to check")
        return [
            (sheet.name, f"{letters_of(column)}{row}", what)
            for sheet in book.sheets()
            for (row, column), what in sorted(sheet.formula_problems().items())
        ]

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


def _told(value: object) -> str:
    """A value of a list of what is inside, as a person reads it."""
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)
