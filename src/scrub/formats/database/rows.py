"""The records of a table of a database, with what a macro changed of them so far: nothing is written here."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any

from scrub.formats.database.engine import Engine, Key, Layout
from scrub.formats.database.values import Column, fitted, reader
from scrub.formats.sheet import told
from scrub.model.change import Change, cut
from scrub.model.database import Database
from scrub.model.declare import FileItem, Item
from scrub.model.grid import Trouble, settle
from scrub.model.problem import Failure
from scrub.model.rows import Reader, Rows
from scrub.model.series import Series
from scrub.model.text import Editing, edited, parted
from scrub.model.values import Value, heading_key, shown


class Fresh:
    """Stands for the key of a record that the database does not have yet."""

    def __init__(self, number: int) -> None:
        self.number = number


class StoredRow:
    """A row as it was read: its key, and some of its columns."""

    __slots__ = ("key", "places", "values")

    def __init__(self, key: Key, values: tuple[Any, ...], places: Mapping[str, int]) -> None:
        self.key, self.values, self.places = key, values, places

    def __eq__(self, other: object) -> bool:
        return isinstance(other, StoredRow) and self.key == other.key

    def __hash__(self) -> int:
        return hash(self.key)


class Draft:
    """What is to become of the rows of one table."""

    def __init__(self) -> None:
        #: The new values of a row by the names of their columns, and the row as it was read.
        self.changed: dict[Key, dict[str, Any]] = {}
        self.read: dict[Key, dict[str, Any]] = {}
        self.gone: dict[Key, None] = {}
        #: Rows that are to be added, in order.
        self.added: dict[Key, dict[str, Any]] = {}

    def __bool__(self) -> bool:
        return bool(self.changed or self.gone or self.added)


class DatabaseRows(Rows):
    """The rows of one table; a row is a `StoredRow`."""

    def __init__(self, book: Database, engine: Engine, layout: Layout) -> None:
        super().__init__()
        self._book, self._engine, self.layout = book, engine, layout
        self.name = layout.name
        self.headings, self.twice = {}, set()
        self._columns: dict[str, Column] = {}
        for column in layout.columns:
            key = heading_key(column.name)
            if key in self.headings or key in self.twice:
                self.twice.add(key)
                self.headings.pop(key, None)
                self._columns.pop(key, None)
            elif key:
                self.headings[key], self._columns[key] = column.name, column
        self.draft = Draft()
        self._wanted: dict[str, int] = {}  # the columns that are read along, and their places
        self._readers: dict[str, Reader] = {}
        self._versions: dict[str, int] = {}
        self._count = 0
        if not layout.key:
            self.want_all()  # one row cannot be asked for

    def __eq__(self, other: object) -> bool:
        return isinstance(other, DatabaseRows) and (self._book, self.name) == (other._book, other.name)

    def __hash__(self) -> int:
        return hash(self.name)

    @property
    def file(self) -> FileItem:
        """The database."""
        return self._book

    def _key_said(self, key: Key) -> str:
        return "new" if key and isinstance(key[0], Fresh) else ", ".join(str(each) for each in key)

    def row_label(self, row: StoredRow) -> str:
        """The table and the key."""
        return f"{self.name} {self._key_said(row.key)}"

    def is_gone(self, row: StoredRow) -> bool:
        """Whether a row was deleted in this run."""
        return row.key in self.draft.gone

    # -- reading

    def reader(self, key: str) -> Reader:
        """What gives the values under a heading; from now on the column is read along."""
        key = self.key(key)
        found = self._readers.get(key)
        if found is None:
            column = self._columns[key]
            self._wanted.setdefault(column.name, len(self._wanted))
            found = self._readers[key] = self._reader(column)
        return found

    def _reader(self, column: Column) -> Reader:
        name, read, raw = column.name, reader(column), self._raw
        changed, added = self.draft.changed, self.draft.added

        def get(row: StoredRow) -> Value:
            place = row.places.get(name)
            if place is None or changed or added:
                return read(raw(row, name))
            return read(row.values[place])

        return get

    def _raw(self, row: StoredRow, name: str) -> Any:
        """What stands in a column, as the database keeps it, changes included."""
        own = self.draft.changed.get(row.key)
        if own is not None and name in own:
            return own[name]
        return self._former(row, name)

    def _former(self, row: StoredRow, name: str) -> Any:
        """The same as it was read."""
        fresh = self.draft.added.get(row.key)
        if fresh is not None:
            return fresh.get(name)
        place = row.places.get(name)
        if place is not None:
            return row.values[place]
        kept = self.draft.read.get(row.key)
        if kept is not None and name in kept:
            return kept[name]
        if row.key and isinstance(row.key[0], Fresh):
            return None
        found = self._engine.row(self.layout, row.key, (name,)) if self.layout.key else None
        return None if found is None else found[0]

    def _load(self, row: StoredRow) -> None:
        """Reads all columns of a row at once."""
        if self.layout.key and not isinstance(row.key[0], Fresh):
            names = [column.name for column in self.layout.columns]
            found = self._engine.row(self.layout, row.key, names)
            if found is not None:
                self.draft.read.setdefault(row.key, {}).update(zip(names, found, strict=True))

    def filled(self) -> Sequence[Any]:
        """Its rows in the order of their keys, new ones last: fixed now, and read as somebody comes to them."""
        return _Stream(self)

    def stored(self) -> Iterator[StoredRow]:
        """The rows, one by one."""
        fresh = list(self.draft.added)
        places = dict(self._wanted)
        width, gone = len(self.layout.key), self.draft.gone
        for number, values in enumerate(self._engine.rows(self.layout, list(places))):
            key = values[:width] or (number,)
            if key not in gone:
                yield StoredRow(key, values[width:], places)
        for key in fresh:
            if key in self.draft.added:
                yield StoredRow(key, (), {})

    def how_many(self) -> int:
        """How many rows there are now."""
        gone = sum(not isinstance(key[0], Fresh) for key in self.draft.gone)
        return self._engine.count(self.layout) - gone + len(self.draft.added)

    def want_all(self) -> None:
        """Lets all columns be read along."""
        for column in self.layout.columns:
            self._wanted.setdefault(column.name, len(self._wanted))

    def version(self, keys: Iterable[str]) -> int:
        """Grows with every change of these columns; a row that came is put into each index."""
        return sum(self._versions.get(self._columns[key].name, 0) for key in keys)

    # -- changing

    def _ensure_open(self, what: str = "") -> None:
        self._book.ensure_open()
        why = self.layout.closed or ("" if self.layout.key else "has no key, so that its records cannot be told apart")
        if why or what:
            raise Failure(f'"{self.name}" {why or what}')

    def put(self, row: StoredRow, key: str, value: Value) -> None:
        """Sets the value under a heading."""
        column = self._columns[self.key(key)]
        place = self.place(row, key)
        self._ensure_open()
        fresh = row.key in self.draft.added
        if column.own:
            raise Failure(f"{place}: the database calculates it by itself")
        if column.name in self.layout.key and not fresh:
            raise Failure(f"{place}: the key of a record stays as it is, as other tables refer to it")
        raw = fitted(column, value, place)
        before = self.reader(key)(row)
        if type(before) is Trouble:
            raise Failure(f"{place}: it holds what a macro cannot read, and is left as it is")
        after = reader(column)(raw)
        if type(before) is type(after) and before == after:
            return
        self._note(row, column, raw, before, after)

    def _note(self, row: StoredRow, column: Column, raw: Any, before: Value, after: Value) -> None:
        draft, name, key = self.draft, column.name, row.key
        fresh = draft.added.get(key)
        if fresh is None and key not in draft.read:
            draft.read[key] = {each: row.values[place] for each, place in row.places.items()}
        if fresh is None and name not in draft.read[key]:
            draft.read[key][name] = self._former(row, name)
        own = fresh if fresh is not None else draft.changed.setdefault(key, {})
        had, former = name in own, own.get(name)
        own[name] = raw
        self._grow(name)

        def revert() -> None:
            if had:
                own[name] = former
            else:
                own.pop(name, None)
                if fresh is None and not own:
                    draft.changed.pop(key, None)
            self._grow(name)

        change = Change((self.name, self._key_said(key)), column.name, told(before), told(after))
        self._book.recorder.add(change, revert, (self.name, key))

    def _grow(self, *names: str) -> None:
        for name in names or [column.name for column in self.layout.columns]:
            self._versions[name] = self._versions.get(name, 0) + 1

    def add(self, values: Mapping[str, Value], table: Item) -> StoredRow:
        """Adds a row, as a change of the table."""
        self._ensure_open()
        self._count += 1
        key: Key = (Fresh(self._count),)
        row = StoredRow(key, (), {})
        fresh: dict[str, Any] = {}
        for heading, value in values.items():
            column = self._columns[heading]
            if column.own:
                raise Failure(f"{self.name}, {column.name}: the database calculates it by itself")
            fresh[column.name] = fitted(column, value, f'new record of {self.name}, "{column.name}"')
        for column in self.layout.columns:
            if column.needed and column.name not in fresh:
                raise Failure(f'a new record of "{self.name}" needs something under "{column.name}"')
        self.draft.added[key] = fresh
        self.take_in(row)

        def revert() -> None:
            self.draft.added.pop(key, None)
            self._grow()

        said = (
            f"new record: {cut(' | '.join(f'{self.headings[each]}: {shown(value)}' for each, value in values.items()))}"
        )
        at = (self.name, f"new {self._count}")
        self._book.recorder.add(Change(at, "added", False, True, said), revert, (self.name, key))
        return row

    def delete(self, row: StoredRow, record: Item) -> None:
        """Takes a row out, as a change of the table."""
        fresh = row.key in self.draft.added
        self._ensure_open("" if fresh else self.layout.kept)
        if row.key in self.draft.gone:
            return
        draft, key = self.draft, row.key
        self._load(row)
        values = [settle(self.reader(each)(row)) for each in self.headings]
        said = " | ".join("…" if isinstance(value, Trouble) else shown(value) for value in values)
        had = draft.added.pop(key, None)
        former = draft.changed.pop(key, None)
        draft.gone[key] = None
        self._grow()

        def revert() -> None:
            draft.gone.pop(key, None)
            if had is not None:
                draft.added[key] = had
            if former is not None:
                draft.changed[key] = former
            self._grow()

        where = (self.name, self._key_said(key))
        said = f"record deleted: {cut(said)}"
        self._book.recorder.add(Change(where, "deleted", False, True, said), revert, (self.name, key))

    def edit(self, rows: Iterable[Any] | None, editing: Editing, between: str = "") -> None:
        """Edits the texts of these rows, or of all."""
        editing = parted(editing, between)
        readers = {key: self.reader(key) for key in self.headings}
        for row in self.filled() if rows is None else rows:
            for key, read in readers.items():
                text = read(row)
                edits = editing(text) if isinstance(text, str) else ()
                if edits:
                    self.put(row, key, edited(str(text), edits))


class _Stream(Series[StoredRow]):
    """Rows that are read one by one, from the start each time."""

    __slots__ = ("_rows",)

    def __init__(self, rows: DatabaseRows) -> None:
        super().__init__(rows.how_many(), lambda place: next(each for at, each in enumerate(self) if at == place))
        self._rows = rows

    def __getitem__(self, place: Any) -> Any:
        if isinstance(place, slice):  # for a look at the first ones
            self._rows.want_all()
            return list(islice(self, place.start, place.stop, place.step))
        return super().__getitem__(place)

    def __iter__(self) -> Iterator[StoredRow]:
        return self._rows.stored()
