"""The records of a table of a database, with what a macro changed of them so far: nothing is written here."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from functools import partial
from itertools import islice, repeat
from typing import Any, cast

from scrub.formats.database.at_once import FoundRows, NewValues, made_values, new_values, read_once, rows_found
from scrub.formats.database.draft import DELETED, ChangedAlike, Draft, Fresh, GoneColumn, Put, PutColumn
from scrub.formats.database.engine import Engine, Layout
from scrub.formats.database.row_changes import Key
from scrub.formats.database.stored_row import StoredRow
from scrub.formats.database.values import Column, fitted, reader
from scrub.formats.database.where import Where
from scrub.model.cells.grid import CellError, resolve
from scrub.model.cells.rows import Reader, Rows
from scrub.model.core.change import Change, cut
from scrub.model.core.declare import FileItem, Item
from scrub.model.core.edit_columns import note_in_turn
from scrub.model.core.memory import LongList
from scrub.model.core.predicate import Predicate, Setting, Sieve, Tally, headings_of
from scrub.model.core.problem import Failure
from scrub.model.core.series import Series
from scrub.model.core.text import Editing, parted
from scrub.model.core.values import Value, shown
from scrub.model.database import Database


class DatabaseRows(Rows):
    """The rows of one table; a row is a `StoredRow`."""

    def __init__(self, book: Database, engine: Engine, layout: Layout) -> None:
        super().__init__()
        self._book, self._engine, self.layout = book, engine, layout
        self.name = layout.name
        self.headings, self.twice = {}, set()
        self._columns = self.by_heading((column.name, column) for column in layout.columns)
        self._reads = {column.name: reader(column) for column in layout.columns}
        self._closed = layout.closed or (
            "" if layout.key else "has no key, so its records cannot be identified. Add a primary key"
        )
        self.draft = Draft()
        self._wanted: dict[str, int] = {}  # the columns that are read along, and their places
        self._readers: dict[str, Reader] = {}
        self._versions: dict[str, int] = {}
        self._set: set[str] = set()  # the columns in which something was changed
        self._watches: list[_Watch] = []
        self._open: dict[str, PutColumn | None] = {}  # the arrays that took the last change of each column
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

    def key_said(self, key: Key) -> str:
        """A key as it is told."""
        first = key[0]
        if len(key) == 1:
            return "new" if type(first) is Fresh else str(first)
        return ", ".join(map(str, key))

    def keys_said(self, keys: Sequence[Key]) -> Sequence[str]:
        """Many of them."""
        if len(self.layout.key) == 1 and not self.draft.added:
            return LongList(str(key) for (key,) in keys)
        return LongList(map(self.key_said, keys))

    def row_label(self, row: StoredRow) -> str:
        """The table and the key."""
        return f"{self.name} {self.key_said(row.key)}"

    def is_gone(self, row: StoredRow) -> bool:
        """Whether a row was deleted in this run."""
        return row.key in self.draft.gone

    # -- reading

    def reader(self, key: str) -> Reader:
        """What gives the values under a heading; from now on the column is read along."""
        key = self.key(key)
        result = self._readers.get(key)
        if result is None:
            column = self._columns[key]
            self._wanted.setdefault(column.name, len(self._wanted))
            result = self._readers[key] = self._reader(column)
        return result

    def _reader(self, column: Column) -> Reader:
        name, read, raw = column.name, self._reads[column.name], self._raw
        draft, changed, added = self.draft, self.draft.changed_in(column.name), self.draft.added

        def get(row: StoredRow) -> Value:
            place = row.places.get(name)
            if place is None or changed or added or draft.alike:
                return read(raw(row, name))
            return read(row.values[place])

        return get

    def _raw(self, row: StoredRow, name: str) -> object:
        """What is in a column, as the database keeps it, changes included."""
        changed = self.draft.changed_in(name)
        if row.key in changed:
            return changed[row.key]
        return self._former(row, name)

    def _former(self, row: StoredRow, name: str) -> object:
        """The same as it was read."""
        fresh = self.draft.added.get(row.key)
        if fresh is not None:
            return fresh.get(name)
        place = row.places.get(name)
        if place is not None:
            return row.values[place]
        kept = self.draft.more.get(row.key)
        if kept is not None and name in kept:
            return kept[name]
        first = self.draft.read.get(row.key)
        if first is not None and name in first.places:
            return first.values[first.places[name]]
        if row.key and isinstance(row.key[0], Fresh):
            return None
        return self._read_again(row, (name,))[0]

    def _read_again(self, row: StoredRow, names: Sequence[str]) -> tuple[object, ...]:
        """Columns of a row that was read before. Raises `Failure` where its key leads nowhere: a damaged index."""
        result = self._engine.row(self.layout, row.key, names) if self.layout.key else None
        if result is None:
            raise Failure(f"{self.row_label(row)} cannot be found by its key; the database is damaged")
        return result

    def _load(self, row: StoredRow) -> None:
        """Reads all columns of a row at once."""
        if self.layout.key and not isinstance(row.key[0], Fresh):
            names = [column.name for column in self.layout.columns]
            found = self._read_again(row, names)
            self.draft.more.setdefault(row.key, {}).update(zip(names, found, strict=True))

    def filled(self) -> Sequence[object]:
        """Its rows in the order of their keys, new ones last: fixed now, and read as somebody comes to them."""
        return _Stream(self)

    def stored(self, predicate: Predicate | None = None, tally: Tally | None = None) -> Iterator[StoredRow]:
        """The rows, one by one; with a sieve those for which it may hold, with a tally but for those that are counted
        there.
        """
        fresh, width, gone = list(self.draft.added), len(self.layout.key), self.draft.gone
        watch = _Watch(
            frozenset() if predicate is None else {self._columns[heading].name for heading in headings_of(predicate)}
        )
        self._watches.append(watch)
        where = None if predicate is None else Where(predicate, self._columns)
        try:
            more = True
            while more:
                more = False
                if any(name in self._set for name in watch.columns):
                    where = None  # it is about values that the database does not have
                places = dict(self._wanted)
                end = width + len(places)
                if tally is not None and where is not None and not (gone or watch.key):
                    sent, sure = self._engine.how_many(self.layout, where)
                    tally.sure += sure
                    if sent == sure:
                        break
                    where = where._replace(unsure=True)
                for number, values in enumerate(self._engine.rows(self.layout, list(places), watch.key, where)):
                    key = values[:width]
                    if key in gone:
                        continue
                    watch.key = key
                    if tally is not None and values[end]:
                        tally.sure += 1
                        continue
                    yield StoredRow(key or (number,), values[width:end], places, bool(values[end]))
                    if len(self._wanted) != len(places) or (watch.spoiled and where is not None):
                        more = bool(width)  # on from here, with what is asked for now
                        if more:
                            break
        finally:
            self._watches.remove(watch)
        for key in fresh:
            if key in self.draft.added:
                yield StoredRow(key, (), {})

    def knows(self, predicate: Predicate) -> bool:
        """Whether each heading that a condition asks for is there."""
        return all(heading in self._columns for heading in headings_of(predicate))

    def how_many(self) -> int:
        """How many rows there are now."""
        gone = sum(not isinstance(key[0], Fresh) for key in self.draft.gone)
        return self._engine.count(self.layout) - gone + len(self.draft.added)

    def want_all(self) -> None:
        """Lets all columns be read along."""
        for column in self.layout.columns:
            self._wanted.setdefault(column.name, len(self._wanted))

    def edit(self, rows: Iterable[object] | None, editing: Editing, between: str = "") -> None:
        """Edits the texts of these rows, or of all; of what cannot be changed nothing but a note is made."""
        if not self._closed:
            super().edit(rows, editing, between)
            return
        whole = parted(editing, between)
        readers = [self.reader(key) for key in self.headings]
        texts = (read(row) for row in (self.filled() if rows is None else rows) for read in readers)
        if any(whole(text) for text in texts if isinstance(text, str)):
            self._book.recorder.remarks.append(f'skipped "{self.name}": it {self._closed}')

    def version(self, keys: Iterable[str]) -> int:
        """Grows with every change of these columns; a row that came is put into each index."""
        return sum(self._versions.get(self._columns[key].name, 0) for key in keys)

    # -- changing

    def _ensure_open(self, what: str = "") -> None:
        if self._closed or what:
            raise Failure(f'"{self.name}" {self._closed or what}')

    def put(self, row: StoredRow, key: str, value: Value) -> None:
        """Sets the value under a heading."""
        column = self._columns.get(key) or self._columns[self.key(key)]
        if self._closed:
            self._ensure_open()
        try:
            raw = fitted(column, value)
        except Failure as failure:
            raise failure.at(self.place(row, key)) from None
        if key not in self._readers:
            self.reader(key)
        former = self._raw(row, column.name)
        before = self._reads[column.name](former)
        if column.own:
            raise Failure(f"{self.place(row, key)}: calculated by the database, so it cannot be set")
        if column.name in self.layout.key and row.key not in self.draft.added:
            raise Failure(
                f"{self.place(row, key)}: the key of a record cannot be changed, because other tables refer to it"
            )
        if type(before) is CellError:
            raise Failure(f"{self.place(row, key)}: its value has a type that Scrub cannot read, so it cannot be set")
        after = self._reads[column.name](raw)
        if type(before) is type(after) and before == after:
            return
        self._note(row, column.name, former, raw)

    def _note(self, row: StoredRow, name: str, before: object, after: object) -> None:
        draft, key = self.draft, row.key
        fresh = draft.added.get(key)
        recorder = self._book.recorder
        if fresh is not None:
            done = Put(self, key, fresh, name, before, after)
            fresh[name] = after
            self.spoil(name, key)
            recorder.note(done)
            return
        read = draft.read
        if key not in read:
            read[key] = row
        first = read[key]
        if name not in first.places and name not in draft.more.get(key, ()):
            draft.more.setdefault(key, {})[name] = self._former(row, name)
        changed = draft.changed_in(name)
        column = self._open[name] = recorder.column(self._open.get(name), partial(PutColumn, self, name))
        if column is not None:
            changed[key] = after
            self.spoil(name, key)
            column.note(key, before, after)
        else:
            done = Put(self, key, changed, name, before, after)
            changed[key] = after
            self.spoil(name, key)
            recorder.note(done)

    def read_as(self, name: str, raw: object) -> Value:
        """A value of a column, as a macro has it."""
        return self._reads[name](raw)

    def set_all(self, sieve: Sieve | None, settings: Sequence[Setting]) -> int | None:
        """Sets values in all rows for which a condition holds; see `Series.set_all`."""
        predicate = None if sieve is None else sieve.predicate
        named = [setting.heading for setting in settings] + [each for setting in settings for each in setting.sources]
        asked = headings_of(predicate) if predicate is not None else set()
        if self._closed or not self._book.recorder.takes_columns or self.draft.gone or self.draft.added:
            return None
        if self._watches or not all(heading in self._columns for heading in (*named, *asked)):
            return None
        puts = [self._columns[setting.heading] for setting in settings]
        looked = {self._columns[heading].name for heading in (*named[len(puts) :], *asked)}
        if any(map(self.draft.is_changed, looked)):
            return None  # what the database has of them is not what the macro sees
        if any(column.own or column.name in self.layout.key for column in puts):
            return None
        names = sorted({*looked, *(column.name for column in puts)})
        where = None if predicate is None else Where(predicate, self._columns)
        found = rows_found(self._engine, self.layout, names, where)
        made = None if found is None else self._new_values(found, settings)
        if found is None or made is None:
            return None
        named_values = zip((column.name for column in puts), made, strict=True)
        self._note_all(found, {name: values for name, values in named_values if values.keys})
        return len(found)

    def delete_all(self, sieve: Sieve | None) -> int | None:
        """Takes out all rows for which a condition holds; see `Series.delete_all`. All of each is read with that."""
        asked = headings_of(sieve.predicate) if sieve is not None else set()
        if self._closed or self.layout.kept or self.draft or self._watches or not self._book.recorder.takes_columns:
            return None
        if not all(heading in self._columns for heading in asked):
            return None
        names = [column.name for column in self.layout.columns]
        where = None if sieve is None else Where(sieve.predicate, self._columns)
        found = rows_found(self._engine, self.layout, names, where)
        if found is None:
            return None
        if len(found):
            column = self._book.recorder.column(None, partial(GoneColumn, self, self._deletions_said))
            assert column is not None
            note_in_turn([(column, found.keys, found.values, LongList(repeat(None, len(found))), None)], len(found))
            self.draft.gone_alike = found
            self.spoil_all()
        return len(found)

    def _deletions_said(self, rows: Sequence[Sequence[object]]) -> Sequence[str]:
        """How deleted rows are told, by all that was in them."""
        places = {column.name: place for place, column in enumerate(self.layout.columns)}
        named = [self._columns[heading].name for heading in self.headings]
        texts = [read_once([row[places[name]] for row in rows], self._told_as(name)) for name in named]
        return LongList(map(_deletion_said, zip(*texts, strict=True)))

    def _told_as(self, name: str) -> Callable[[object], str]:
        read = self._reads[name]
        return lambda raw: _told(read(raw))

    def _new_values(self, found: FoundRows, settings: Sequence[Setting]) -> list[NewValues] | None:
        """What is put into the columns; None where it cannot be."""
        result = []
        for setting in settings:
            column = self._columns[setting.heading]
            if setting.make is None:
                after: Sequence[object] = [fitted(column, setting.value)] * len(found)
            else:
                sources = [self._columns[heading] for heading in setting.sources]
                reads = [(each.name, self._reads[each.name]) for each in sources]
                after = made_values(found, reads, setting.make, column)
            before = found.column(column.name)
            if self.draft.is_changed(column.name):
                changed = self.draft.changed_in(column.name)
                before = LongList(changed.get(key, old) for key, old in zip(found.keys, before, strict=True))
            values = new_values(column, self._reads[column.name], found.keys, before, after)
            if values is None:
                return None
            result.append(values)
        return result

    def _note_all(self, found: FoundRows, made: Mapping[str, NewValues]) -> None:
        """Notes what was put into the columns of rows, in the order in which a loop does."""
        if not made:
            return
        draft, recorder = self.draft, self._book.recorder
        columns = []
        for name, values in made.items():
            column = self._open[name] = recorder.column(self._open.get(name), partial(PutColumn, self, name))
            assert column is not None
            columns.append((column, values.keys, values.before, values.after, values.picked))
            self._grow(name)
            self._set.add(name)
        note_in_turn(columns, len(found))
        draft.alike.append(ChangedAlike(found, made))

    def spoil(self, name: str, key: Key) -> None:
        """Notes that another value is in a column: a row that a loop passed over may be one of its own now."""
        self._grow(name)
        self._set.add(name)
        for watch in self._watches:
            if name in watch.columns and key != watch.key:
                watch.spoiled = True

    def _grow(self, name: str) -> None:
        self._versions[name] = self._versions.get(name, 0) + 1

    def spoil_all(self) -> None:
        """Notes that a row came or went."""
        for column in self.layout.columns:
            self._grow(column.name)

    def add(self, values: Mapping[str, Value], table: Item) -> StoredRow:
        """Adds a row, as a change of the table."""
        self._ensure_open()
        self._count += 1
        key: Key = (Fresh(self._count),)
        row = StoredRow(key, (), {})
        fresh: dict[str, object] = {}
        for heading, value in values.items():
            column = self._columns[heading]
            if column.own:
                raise Failure(f"{self.name}, {column.name}: calculated by the database, so it cannot be set")
            try:
                fresh[column.name] = fitted(column, value)
            except Failure as failure:
                raise failure.at(f'new record of {self.name}, "{column.name}"') from None
        for column in self.layout.columns:
            if column.needed and column.name not in fresh:
                why = "(the key, which the database does not generate)" if column.name in self.layout.key else ""
                raise Failure(f'a new record of "{self.name}" needs a value under "{column.name}"{why}')
        self.draft.added[key] = fresh
        self.take_in(row)

        def revert() -> None:
            self.draft.added.pop(key, None)
            self.spoil_all()

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
        self._load(row)
        self._note_deleted(row)

    def _note_deleted(self, row: StoredRow) -> None:
        draft, key = self.draft, row.key
        said = _deletion_said(_told(self.reader(heading)(row)) for heading in self.headings)
        had = draft.added.pop(key, None)
        former = [(changed, changed.pop(key)) for changed in draft.changed.values() if key in changed]
        draft.gone[key] = None
        self.spoil_all()

        def revert() -> None:
            draft.gone.pop(key, None)
            if had is not None:
                draft.added[key] = had
            for changed, value in former:
                changed[key] = value
            self.spoil_all()

        where = (self.name, self.key_said(key))
        self._book.recorder.add(Change(where, DELETED, False, True, said), revert, (self.name, key))


def _told(value: Value) -> str:
    """What is in a record, where that is told."""
    value = resolve(value)
    return "…" if isinstance(value, CellError) else shown(value)


def _deletion_said(texts: Iterable[str]) -> str:
    return f"record deleted: {cut(' | '.join(texts))}"


class _Watch:
    """A loop over the rows: the columns its condition is about, where it is, and whether they changed elsewhere."""

    def __init__(self, columns: Collection[str]) -> None:
        self.columns, self.key, self.spoiled = columns, cast(Key, ()), False


class _Stream(Series[StoredRow]):
    """Rows that are read one by one, from the start each time."""

    __slots__ = ("_rows", "_sieve", "_tally")

    def __init__(self, rows: DatabaseRows, predicate: Predicate | None = None, tally: Tally | None = None) -> None:
        super().__init__(0, lambda place: next(each for at, each in enumerate(self) if at == place))
        self._rows, self._sieve, self._tally = rows, predicate, tally

    def __len__(self) -> int:
        """How many rows there are; with a sieve, there are not more."""
        return self._rows.how_many()

    def many(self) -> int:
        """The same: those that were removed are counted off."""
        return len(self)

    def __getitem__(self, place: Any) -> Any:
        if isinstance(place, slice):  # for a look at the first ones
            self._rows.want_all()
            return list(islice(self, place.start, place.stop, place.step))
        return self._make(place)

    def __iter__(self) -> Iterator[StoredRow]:
        return self._rows.stored(self._sieve, self._tally)

    def sifted(self, predicate: Predicate, tally: Tally | None = None) -> Series[StoredRow] | None:
        """Those for which a condition may hold."""
        return _Stream(self._rows, predicate, tally) if self._rows.knows(predicate) else None

    def set_all(self, sieve: Sieve | None, settings: Sequence[Setting]) -> int | None:
        """Sets values in all rows for which a condition holds."""
        return self._rows.set_all(sieve, settings) if self._sieve is None else None

    def delete_all(self, sieve: Sieve | None) -> int | None:
        """Takes out all rows for which a condition holds."""
        return self._rows.delete_all(sieve) if self._sieve is None else None
