"""The kinds of a workbook: what every spreadsheet format offers to a macro."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from scrub.model.declare import FileItem, Item, Reach, action, field, holds
from scrub.model.files import FilePath
from scrub.model.values import Choice, Secret


class SheetPermission(Choice):
    """What stays possible on a protected sheet (ISO/IEC 29500-1, 18.3.1.85), in plain words."""

    FORMAT_CELLS = "format-cells"
    FORMAT_COLUMNS = "format-columns"
    FORMAT_ROWS = "format-rows"
    INSERT_COLUMNS = "insert-columns"
    INSERT_ROWS = "insert-rows"
    INSERT_LINKS = "insert-links"
    DELETE_COLUMNS = "delete-columns"
    DELETE_ROWS = "delete-rows"
    SORT = "sort"
    FILTER = "filter"
    PIVOT_TABLES = "pivot-tables"
    EDIT_OBJECTS = "edit-objects"
    EDIT_SCENARIOS = "edit-scenarios"


class Selecting(Choice):
    """Which cells can be selected on a protected sheet."""

    ANY_CELL = "any-cell"
    OPEN_CELLS = "open-cells"
    NO_CELL = "no-cell"


class Sheet(Item):
    """One sheet of a workbook."""

    kind_word = "sheet"

    @property
    @field
    def name(self) -> str:
        """The name on its tab.

        Example: if sheet.name starts with "Draft"
        Also: tab, title
        """
        raise NotImplementedError

    @property
    @field
    def number(self) -> int:
        """Its place among the sheets, from 1, hidden ones counted.

        Example: if sheet.number > 1
        Also: position, index, order
        """
        raise NotImplementedError

    @property
    @field
    def hidden(self) -> bool:
        """yes when its tab is not shown. Set to no, it also shows a sheet hidden the stronger way.

        Example: sheet.hidden = no
        Also: show, unhide, hide, visible, invisible, very hidden
        """
        raise NotImplementedError

    @hidden.setter
    def hidden(self, value: bool) -> None:
        raise NotImplementedError

    @property
    @field
    def protected(self) -> bool:
        """yes when its locked cells cannot be changed; `protect` and `unprotect` change it.

        Example: if not sheet.protected
        Also: locked, sealed
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def protect(
        self,
        password: Secret | None = None,
        allow: Sequence[SheetPermission] = (),
        select: Selecting = Selecting.ANY_CELL,
    ) -> None:
        """Stops changes to the locked cells of the sheet; open cells can still be filled in.

        A sheet that is protected already gets the new settings only if the password opens it.

        password: needed to lift the protection again; left out, anyone can lift it.
        allow: what stays possible on the protected sheet.
        select: which cells can still be selected.
        Example: protect password: code, allow: [sort, filter]
        Also: lock cells, seal, read only, close, secure
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def unprotect(self, password: Secret | None = None) -> None:
        """Lifts the protection of the sheet. A wrong password is refused.

        password: the one it was protected with; left out when it was protected without one.
        Example: unprotect password: code
        Also: unlock cells, unseal, open, editable
        """
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The sheet's name."""
        return self.name


class Workbook(FileItem):
    """A workbook: a file of sheets."""

    kind_word = "workbook"
    part_word = "sheet"

    @property
    @field
    def name(self) -> str:
        """The file's name, with its ending.

        Example: say "Done with {workbook.name}."
        Also: file name
        """
        raise NotImplementedError

    @action(Reach.FILES)
    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves the workbook, as it is at the end of the macro, once more under another name or in another folder.

        to: the folder, which is made if it is not there; a relative one counts from the workbook's own.
        name: the name of the copy; left out, the workbook's own.
        Example: save-copy to: "sent", name: "Season book for the wardens"
        Also: save as, duplicate, export, backup
        """
        raise NotImplementedError

    @holds
    def sheets(self) -> Iterator[Sheet]:
        """Its sheets, in the order of the tabs."""
        raise NotImplementedError

    @property
    def label(self) -> str:
        """The file's name."""
        return self.name
