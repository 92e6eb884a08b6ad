"""The defined names of a workbook as items."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from scrub.formats.workbook.shared import Shared
from scrub.model.cells.drawings import DefinedName
from scrub.model.core.declare import FileItem
from scrub.model.core.problem import Failure


class OfficeName(DefinedName):
    """One defined name."""

    def __init__(self, shared: Shared, name: str, local: int | None, check: Callable[[str], str]) -> None:
        """`local` is the sheet it belongs to, from 0; `check` gives a formula as it can be written, or fails."""
        self._shared = shared
        self._name = name
        self._local = local
        self._check = check

    def __eq__(self, other: object) -> bool:
        return isinstance(other, OfficeName) and (self._name, self._local) == (other._name, other._local)

    def __hash__(self) -> int:
        return hash((self._name, self._local))

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._shared.file

    @property
    def label(self) -> str:
        """The name."""
        return self._name

    @property
    def removed(self) -> bool:
        """Whether it was taken away."""
        return self._shared.names.at(self._name, self._local) is None

    @property
    def name(self) -> str:
        """As `definedName` has it (18.2.5)."""
        return self._name

    @property
    def refers_to(self) -> str:
        """What it means."""
        return f"={self._shared.names.at(self._name, self._local) or ''}"

    @refers_to.setter
    def refers_to(self, value: str) -> None:
        fresh, before = self._check(value), self.refers_to
        if f"={fresh}" != before:
            back = self._shared.names.put_at(self._name, self._local, fresh)
            self._shared.cells_changed()
            self.changed("refers-to", before, f"={fresh}", back)

    @property
    def of_sheet(self) -> str | None:
        """The sheet to which it belongs."""
        sheets = [sheet for sheet in self._shared.sheets if sheet.saved.part.number - 1 == self._local]
        return sheets[0].name if self._local is not None and sheets else None

    def delete(self) -> None:
        """Takes it away."""
        used = self._shared.uses_of_name(self._name)
        if used:
            raise Failure(f'the name "{self._name}" is used in {used}. Change those first')
        before = self.refers_to
        self.changed("refers-to", before, None, self._shared.names.put_at(self._name, self._local, None))


def names_of(shared: Shared, check: Callable[[str], str]) -> Iterator[OfficeName]:
    """The names of a workbook."""
    return (OfficeName(shared, name, local, check) for name, local, _ in shared.names.every())
