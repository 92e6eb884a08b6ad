"""What a macro changed of the rows of a table so far, and how that is noted."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Mapping, MutableMapping, Sequence
from itertools import compress, repeat
from typing import TYPE_CHECKING, Any, Protocol

from scrub.formats.database.at_once import FoundRows, NewValues
from scrub.formats.database.row_changes import Key
from scrub.formats.database.stored_row import StoredRow
from scrub.formats.sheet import told
from scrub.model.core.change import Change, plain
from scrub.model.core.changes import ChangeColumn
from scrub.model.core.edit_columns import EditColumn
from scrub.model.core.edits import RecordedEdit
from scrub.model.core.memory import LongDict, LongList
from scrub.model.core.values import Value

if TYPE_CHECKING:

    class ChangedRows(Protocol):
        """The rows of a table that are changed."""

        name: str
        draft: Draft

        def key_said(self, key: Key) -> str:
            """A key as it is told."""

        def keys_said(self, keys: Sequence[Key]) -> Sequence[str]:
            """Many of them."""

        def read_as(self, name: str, raw: object) -> Value:
            """A value of a column, as a macro has it."""

        def spoil(self, name: str, key: Key) -> None:
            """Notes that another value is in a column."""

        def spoil_all(self) -> None:
            """Notes that a row came or went."""


#: The field of a change that takes a row out.
DELETED = "deleted"


class Fresh:
    """Stands for the key of a record that the database does not have yet."""

    def __init__(self, number: int) -> None:
        self.number = number


class Draft:
    """What is to become of the rows of one table."""

    def __init__(self) -> None:
        self._changed: dict[str, LongDict[Key, object]] = {}
        self._read: LongDict[Key, StoredRow] = LongDict()
        #: What was read of rows later, by the names of the columns.
        self.more: dict[Key, dict[str, object]] = {}
        self._gone: dict[Key, None] = {}
        #: Rows that were deleted at once, at which nobody has looked one by one so far.
        self.gone_alike: FoundRows | None = None
        #: Rows that are to be added, in order.
        self.added: dict[Key, dict[str, object]] = {}
        #: Rows that were changed alike, at which nobody has looked one by one so far.
        self.alike: list[ChangedAlike] = []

    def __bool__(self) -> bool:
        return bool(self._gone or self.gone_alike or self.added or self.alike or any(self._changed.values()))

    @property
    def changed_apart(self) -> bool:
        """Whether rows were changed one by one."""
        return any(self._changed.values())

    @property
    def changed(self) -> dict[str, LongDict[Key, object]]:
        """The new values by the name of the column and the key."""
        if self.alike:
            self._take_apart()
        return self._changed

    @property
    def read(self) -> LongDict[Key, StoredRow]:
        """The rows that are changed as they were read first."""
        if self.alike:
            self._take_apart()
        return self._read

    @property
    def gone(self) -> dict[Key, None]:
        """The keys of the rows that are to be deleted."""
        found = self.gone_alike
        if found is not None:
            self.gone_alike = None
            for key, values in zip(found.keys, found.values, strict=True):
                self.more[key] = dict(zip(found.places, values, strict=True))
            self._gone |= dict.fromkeys(found.keys)
        return self._gone

    def changed_in(self, name: str) -> LongDict[Key, object]:
        """The new values of a column."""
        if self.alike:
            self._take_apart()
        found = self._changed.get(name)
        if found is None:
            found = self._changed[name] = LongDict()
        return found

    def is_changed(self, name: str) -> bool:
        """Whether a column of any row is changed."""
        return bool(self._changed.get(name)) or any(name in each.made for each in self.alike)

    def _take_apart(self) -> None:
        """Puts what was changed alike where single rows are looked up."""
        waiting, self.alike = self.alike, []
        for each in waiting:
            for name, values in each.made.items():
                self.changed_in(name).update(zip(values.keys, values.after, strict=True))
            self._keep(each)

    def _keep(self, alike: ChangedAlike) -> None:
        for row in alike.rows():
            first = self._read.get(row.key) if self._read else None
            if first is None:
                self._read[row.key] = row
                continue
            for name in alike.made:
                if name not in first.places:
                    self.more.setdefault(row.key, {}).setdefault(name, row.values[row.places[name]])

    def was(self, key: Key) -> dict[str, object]:
        """What is known of a row as before."""
        row = self.read.get(key)
        found = {} if row is None else dict(zip(row.places, row.values, strict=True))
        return found | self.more.get(key, {})

    def take_back(self, name: str, key: Key, value: object) -> None:
        """Gives a column of a row a value that it had before: one of this run, or the one that was read."""
        read = self.was(key)[name]
        if type(read) is type(value) and read == value:
            self.changed_in(name).pop(key, None)
        else:
            self.changed_in(name)[key] = value


class ChangedAlike:
    """Rows that were found and changed at once: what was read of them, and what was put into each column."""

    def __init__(self, found: FoundRows, made: Mapping[str, NewValues]) -> None:
        self.found, self.made = found, made

    @property
    def is_whole(self) -> bool:
        """Whether each of the columns was changed in each of the rows."""
        return all(values.picked is None for values in self.made.values())

    def rows(self) -> Iterator[StoredRow]:
        """The rows that have a change, as read."""
        found = self.found
        rows: Iterator[StoredRow] = map(StoredRow, found.keys, found.values, repeat(found.places), repeat(True))
        if any(values.picked is None for values in self.made.values()):
            return rows
        picks = (values.picked or () for values in self.made.values())
        return compress(rows, map(any, zip(*picks, strict=True)))


class GoneColumn(EditColumn):
    """Rows that were deleted at once: their keys, and all that was in them."""

    __slots__ = ("_rows", "_said")

    def __init__(self, rows: ChangedRows, said: Callable[[Sequence[Any]], Sequence[str]]) -> None:
        """`said` gives how rows are told, by their values."""
        super().__init__()
        self.keys, self.before, self.after = LongList(), LongList(), LongList()
        self._rows, self._said = rows, said

    @property
    def within(self) -> Hashable:
        """The table."""
        return self._rows, DELETED

    def edit(self, key: Any, before: object, after: object) -> RecordedEdit:
        """One of them alone."""
        return _Gone(self._rows, key, self._said((before,))[0])

    def told(self, keys: Sequence[Any], before: Sequence[Any], after: Sequence[Any]) -> ChangeColumn:
        """They, or some of them, as they are listed."""
        rows = self._rows
        sides = [[plain(side)] * len(keys) for side in (False, True)]
        return ChangeColumn(rows.name, DELETED, sides[0], sides[1], rows.keys_said(keys), said=self._said(before))


class _Gone(RecordedEdit):
    """A row that was deleted with many others."""

    __slots__ = ("_key", "_rows", "_said")

    def __init__(self, rows: ChangedRows, key: Key, said: str) -> None:
        self._rows, self._key, self._said = rows, key, said

    @property
    def thing(self) -> tuple[Hashable, Hashable]:
        """The table, and the key."""
        return (self._rows, DELETED), self._key

    @property
    def change(self) -> Change:
        """As it is listed and stored."""
        return Change((self._rows.name, self._rows.key_said(self._key)), DELETED, False, True, self._said)

    def revert(self) -> None:
        """Undoes it."""
        self._rows.draft.gone.pop(self._key, None)
        self._rows.spoil_all()


class PutColumn(EditColumn):
    """Values that were put into one column, each side as the database keeps it."""

    __slots__ = ("_name", "_rows")

    def __init__(self, rows: ChangedRows, name: str) -> None:
        super().__init__()
        self.keys, self.before, self.after = LongList(), LongList(), LongList()
        self._rows, self._name = rows, name

    @property
    def within(self) -> Hashable:
        """The table and the column."""
        return self._rows, self._name

    def edit(self, key: Any, before: object, after: object) -> RecordedEdit:
        """One of them alone."""
        return _PutBack(self._rows, key, self._name, before, after)

    def told(self, keys: Sequence[Any], before: Sequence[Any], after: Sequence[Any]) -> ChangeColumn:
        """They, or some of them, as they are listed."""
        rows, name = self._rows, self._name
        labels = rows.keys_said(keys)
        return ChangeColumn(rows.name, name, before, after, labels, None, lambda raw: told(rows.read_as(name, raw)))


class _PutInColumn(RecordedEdit):
    """A value that was put into a column."""

    __slots__ = ("_after", "_before", "_key", "_name", "_rows")

    def __init__(self, rows: ChangedRows, key: Key, name: str, before: object, after: object) -> None:
        self._rows, self._key, self._name, self._before, self._after = rows, key, name, before, after

    @property
    def thing(self) -> tuple[Hashable, Hashable]:
        """The table with the column, and the key."""
        return (self._rows, self._name), self._key

    @property
    def change(self) -> Change:
        """As it is listed and stored."""
        rows, name = self._rows, self._name
        before, after = (told(rows.read_as(name, raw)) for raw in (self._before, self._after))
        return Change((rows.name, rows.key_said(self._key)), name, before, after)


class _PutBack(_PutInColumn):
    """One of many of a column."""

    __slots__ = ()

    def revert(self) -> None:
        """Undoes it."""
        self._rows.draft.take_back(self._name, self._key, self._before)
        self._rows.spoil(self._name, self._key)


class Put(_PutInColumn):
    """One that is noted alone: in a row that the database does not have yet, or where each change is looked at."""

    __slots__ = ("_former", "_had", "_own", "_place")

    def __init__(
        self, rows: ChangedRows, key: Key, own: MutableMapping[Any, object], name: str, before: object, after: object
    ) -> None:
        """`own` is where the value is put: by the column in a row that is new, else by the key."""
        super().__init__(rows, key, name, before, after)
        self._own, self._place = own, name if key in rows.draft.added else key
        self._had, self._former = self._place in own, own.get(self._place)

    def revert(self) -> None:
        """Undoes it."""
        if self._had:
            self._own[self._place] = self._former
        else:
            self._own.pop(self._place, None)
        self._rows.spoil(self._name, self._key)
