"""Changes of rows as they are written, kept and undone: for each row the old and the new values."""

from __future__ import annotations

import contextlib
import json
import zlib
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from typing import Any

from scrub.formats.database.engine import Engine, Layout, Refusing, batches
from scrub.formats.database.packed import packed, unpacked
from scrub.formats.database.row_changes import Backward, Group, Key, RowChange, RowColumns, RowValues
from scrub.formats.database.values import Sort
from scrub.model.core.long_json import json_of
from scrub.model.core.problem import FileProblem, counted
from scrub.store.errors import RowMoved, StoreError
from scrub.store.rows import Look

#: What a row is found to be: what it was, what it was to be, or neither.
_OLD, _NEW, _OTHER = range(3)
#: What is written and held at once.
_BATCH = 5_000
#: What is written to see whether it can be, and taken back.
_TRIAL, _ALIKE = "scrub_trial", "scrub_alike"
#: Rows below which they are written one by one.
_FEW = 20
#: Values that the database stored otherwise and that are told.
_TOLD = 5
#: How a refusal of the database or of its changes ends.
_NOT_SAVED = ". Nothing was saved"


class TableChanges:
    """Changes of the rows of one database; see `scrub.store.rows.RowChanges`."""

    def __init__(self, address: str, groups: Sequence[Group], connect: Callable[[], Engine]) -> None:
        """`connect` opens the database."""
        self.address = address
        self.groups = list(groups)
        self._connect = connect
        self._engine: Engine | None = None
        #: What the database made of them, where that is something else.
        self.remarks: list[str] = []
        self._is_undo = False
        #: How the database calls the transaction in which they, or those that they take back, were made.
        self._mark = ""
        self._states: list[bytearray] = []  # what `look` found of each row of each group

    def apply(self) -> None:
        """Writes them in a transaction that is held open. Raises `StoreError` where the database does something else,
        and where an undo would fail.
        """
        self._engine = engine = self._connect()
        try:
            layouts = self._layouts(engine)
            engine.begin()
            self.write(engine, layouts)
            if not self._is_undo:
                self._ensure_undo(engine, layouts)
            self._mark = engine.mark()
        except BaseException:
            self.drop()
            raise

    def _layouts(self, engine: Engine) -> dict[str, Layout]:
        try:
            return {layout.name: layout for layout in engine.layouts()}
        except FileProblem as problem:
            raise StoreError(self.address, problem.what) from None

    def write(self, engine: Engine, layouts: dict[str, Layout]) -> None:
        """Writes them into what was begun, and reads each row back."""
        done = []
        for group in self.groups:
            if group.table not in layouts:
                raise RowMoved(self.address, f'the table "{group.table}" was deleted by another program')
        names = dict.fromkeys(each.table for each in self.groups)
        if engine.alone and any(layouts[name].triggers for name in names):  # which may act on other tables
            names.update(dict.fromkeys(name for name, layout in layouts.items() if layout.key))
        counts = {name: engine.count(layouts[name]) for name in names if engine.alone}
        for group in self.groups:
            done.append(self._written(engine, layouts[group.table], group))
            if engine.alone:
                counts[group.table] += _more(group)
        for name, wanted in counts.items():
            found = engine.count(layouts[name])
            if found < wanted:
                raise self._refused(f'the database deleted other records of "{name}" as well, which cannot be undone')
            if found > wanted:
                more = counted(found - wanted, "other record")
                self.remarks.append(f'The database added {more} to "{name}".')
        self.groups = done

    def _ensure_undo(self, engine: Engine, layouts: dict[str, Layout]) -> None:
        """Puts all back where that may fail, and lets it go again. Raises `StoreError` for rows that could not come
        back, and for deleted ones that would not come back as they were.
        """
        if not any(_may_not_come_back(layouts[each.table], each) for each in self.groups):
            return
        back = self.back()
        keys: dict[str, set[Key]] = {}
        for group in self.groups:
            if group.rows[0].new is None or layouts[group.table].refers.intersection(group.columns):
                keys.setdefault(group.table, set()).update(row.key for row in group.rows if row.key is not None)
        engine.hold(_TRIAL)
        try:
            back.write(engine, layouts)
            engine.ensure_rules([layouts[name] for name in keys], keys)
        except RowMoved:
            what = "the change could not be undone, because the database changes these records again (a trigger)"
            raise self._refused(what) from None
        except StoreError as problem:
            what = problem.what.removesuffix(_NOT_SAVED)
            raise self._refused(f"the change could not be undone: {what}") from None
        engine.let_go(_TRIAL)
        if back.remarks and any(each.rows[0].new is None for each in self.groups):
            raise self._refused(f"the change could not be undone exactly: {back.remarks[0].rstrip('.')}")
        if back.remarks:
            self.remarks.append("Undo cannot restore all values exactly, because the database changes them.")

    def _written(self, engine: Engine, layout: Layout, group: Group) -> Group:
        """Writes a group; gives it as what undoes it needs it. Of rows that go, all columns are known."""
        if self._write_alike(engine, layout, group):
            return Group(group.table, group.columns, group.rows)
        if group.rows[0].old is None:
            return self._inserted(engine, layout, group)
        start = 0
        changed: dict[int, RowChange] = {}
        for some in batches(group.rows, _BATCH):
            keys = [row.key for row in some if row.key is not None]
            now = engine.now(layout, keys, (*group.columns, *group.read))
            for place, row in enumerate(some, start):
                self._ensure_same(now.get(row.key or ()), group, place)
            start += len(some)
            if some[0].new is None:
                engine.delete(layout, keys)
                for key in engine.now(layout, keys, ()):
                    raise self._ignored(group, key, "delete")
                continue
            engine.update(layout, group.columns, [(row.key or (), row.new or ()) for row in some])
            stored = engine.now(layout, keys, group.columns)
            for place, row in enumerate(some, start - len(some)):
                found = stored.get(row.key or ())
                if found is None:
                    raise self._refused(f"the database deleted {_named(group, row.key)} or gave it another key")
                if not same(found, row.new or ()):
                    changed[place] = self._as_stored(group, row, found)
        rows = [changed.get(place, row) for place, row in enumerate(group.rows)] if changed else group.rows
        return Group(group.table, group.columns, rows)

    def _write_alike(self, engine: Engine, layout: Layout, group: Group) -> bool:
        """Writes rows that come, go or are changed alike at once, and reads back what came of that. Where a row is not
        what it was, or the database stored something else, nothing is written: one by one, each is known by its key.
        """
        rows = group.rows
        if not isinstance(rows, RowColumns) or len(rows) < _FEW or layout.triggers:
            return False
        seen = group.seen if isinstance(group.seen, RowValues) else RowValues([])
        engine.hold(_ALIKE)
        try:
            if rows.new is None:
                done = engine.take_out(layout, group.columns, rows)
            elif rows.old is None:
                done = engine.put_in(layout, group.columns, rows)
            else:
                done = engine.replace(layout, group.columns, rows, group.read, seen)
        except Refusing:  # one by one it is known what is wrong with which
            done = False
        if done:
            engine.keep(_ALIKE)
        else:
            engine.let_go(_ALIKE)
        return done

    def _as_stored(self, group: Group, row: RowChange, found: tuple[object, ...]) -> RowChange:
        """A row as the database stored it. Raises `StoreError` where that is what was there before."""
        wanted = row.new or ()
        odd = [
            (name, value, now)
            for name, value, now in zip(group.columns, wanted, found, strict=True)
            if not alike(value, now)
        ]
        if odd and same(found, row.old or ()):
            raise self._ignored(group, row.key, "change")
        for name, value, now in odd:
            self._remark(group, row.key, name, value, now)
        return RowChange(row.key, row.old, found)

    def _remark(self, group: Group, key: Key | None, name: str, wanted: object, found: object) -> None:
        """Notes a value that the database stored otherwise, of the first ones."""
        if len(self.remarks) < _TOLD:
            where = f"{group.table} {_shown_key(key)} {name}"
            self.remarks.append(f"{where}: the database stored {_shown(found)} instead of {_shown(wanted)}.")

    def _refused(self, what: str) -> StoreError:
        return StoreError(self.address, f"{what}{_NOT_SAVED}")

    def _ignored(self, group: Group, key: Key | None, deed: str) -> StoreError:
        what = f"the database did not {deed} {_named(group, key)}"
        return self._refused(f"{what} (a trigger, rule or conflict clause)")

    def _ensure_same(self, found: tuple[object, ...] | None, group: Group, place: int) -> None:
        row = group.rows[place]
        if found is None:
            raise self._moved(group, row.key, "was deleted")
        seen = group.seen[place] if group.read else ()
        if not same(found, (*(row.old or ()), *seen)):
            raise self._moved(group, row.key, "was changed")

    def _moved(self, group: Group, key: Key | None, what: str) -> RowMoved:
        return RowMoved(
            self.address, f'the record {_shown_key(key)} of the table "{group.table}" {what} by another program'
        )

    def _inserted(self, engine: Engine, layout: Layout, group: Group) -> Group:
        columns = tuple(column.name for column in layout.columns)
        there = [row.key for row in group.rows if row.key is not None]
        for key in engine.now(layout, there, ()):
            raise self._moved(group, key, "was added")
        keys = []
        own = {column.name for column in layout.columns if column.own}
        reckoned = {column.name for column in layout.columns if column.own and not column.numbered}
        for row in group.rows:
            left = own if row.key is None else reckoned  # a row that comes back has the number that it had
            given = zip(group.columns, row.new or (), strict=True)
            values = {name: value for name, value in given if name not in left}
            if row.key is not None and layout.hidden_key:
                values[layout.key[0]] = row.key[0]
            key = engine.insert(layout, values)
            if row.key is not None and key != row.key:
                what = f"{_named(group, row.key)} was added as {_shown_key(key)}"
                raise self._refused(f"{what}, because the database numbers it")
            keys.append(key)
        whole = engine.now(layout, keys, columns)
        if any(key not in whole for key in keys):
            raise self._refused(f'a new record of "{group.table}" was not found under its key after writing')
        places = [columns.index(name) for name in group.columns]
        for key, row in zip(keys, group.rows, strict=True):
            for name, place, value in zip(group.columns, places, row.new or (), strict=True):
                if name not in own and not alike(value, whole[key][place]):
                    self._remark(group, key, name, value, whole[key][place])
        return Group(group.table, columns, [RowChange(key, None, whole[key]) for key in keys])

    def finish(self) -> None:
        """Commits the transaction."""
        assert self._engine is not None
        self._engine.commit()
        self.drop()

    def drop(self) -> None:
        """Lets everything go."""
        if self._engine is not None:
            self._engine.close()
            self._engine = None

    def back(self) -> TableChanges:
        """Those that take these back."""
        groups = [Group(group.table, group.columns, _backward(group.rows)) for group in reversed(self.groups)]
        changes = TableChanges(self.address, groups, self._connect)
        changes._is_undo, changes._mark = True, self._mark
        return changes

    def look(self) -> Look:
        """What the rows tell of them, each row separately."""
        self._states = []
        with self._looking() as (engine, layouts):
            for group in self.groups:
                states = bytearray()
                layout = layouts.get(group.table)
                for some in batches(group.rows, _BATCH):
                    keys = [row.key for row in some if row.key is not None]
                    now = engine.now(layout, keys, group.columns) if layout is not None else {}
                    states += bytes(_OTHER if layout is None else _state(row, now.get(row.key or ())) for row in some)
                self._states.append(states)
        return Look(*(sum(each.count(state) for each in self._states) for state in (_OLD, _NEW, _OTHER)))

    @contextlib.contextmanager
    def _looking(self) -> Iterator[tuple[Engine, dict[str, Layout]]]:
        """The database for a look. On a server, rows are waited for that a transaction holds which may still end."""
        engine = self._connect()
        try:
            layouts = self._layouts(engine)
            if not engine.alone:
                engine.begin()
            yield engine, layouts
        except FileProblem as problem:
            raise StoreError(self.address, problem.what) from None
        finally:
            engine.close()

    def fate(self) -> bool | None:
        """Whether the transaction was committed, as the database tells."""
        if not self._mark:
            return None
        with self._looking() as (engine, _):
            return engine.fate(self._mark)

    def still(self, made: bool) -> TableChanges | None:
        """Those of them that `look` found made, or not made."""
        if not self._states:
            self.look()
        groups = []
        for group, states in zip(self.groups, self._states, strict=True):
            rows = [row for row, state in zip(group.rows, states, strict=True) if state == (_NEW if made else _OLD)]
            if rows:
                groups.append(Group(group.table, group.columns, rows))
        changes = TableChanges(self.address, groups, self._connect)
        changes._is_undo, changes._mark = self._is_undo, self._mark
        return changes if groups else None

    # -- kept

    def dump(self) -> bytes:
        """What is kept of them."""
        packer = zlib.compressobj(6 if sum(len(group.rows) for group in self.groups) < _BATCH else 1)
        return b"".join([*map(packer.compress, self._written_out()), packer.flush()])

    def _written_out(self) -> Iterator[bytes]:
        """Their JSON, some rows at a time."""
        for number, group in enumerate(self.groups):
            yield b'{"groups":[[' if number == 0 else b",["
            yield json_of(group.table) + b"," + json_of(list(group.columns)) + b","
            if isinstance(group.rows, RowColumns):
                yield json_of({"alike": group.rows.kept()}) + b"]"
                continue
            for at, some in enumerate(batches(group.rows, _BATCH)):
                rows = json_of([[packed(part) for part in row] for row in some])
                yield (b"," if at else b"[") + rows[1:-1]
            yield b"]]"
        yield b"]" if self.groups else b'{"groups":[]'
        yield b',"mark":' + json_of(self._mark) + b"}"

    @classmethod
    def load(cls, address: str, kept: bytes, connect: Callable[[], Engine]) -> TableChanges:
        """Changes as they were kept. Raises `ValueError` or `TypeError` for what is damaged."""
        try:
            found = json.loads(zlib.decompress(kept))
        except zlib.error as error:
            raise ValueError(str(error)) from error
        groups = [Group(table, tuple(columns), _loaded(rows)) for table, columns, rows in found["groups"]]
        made = cls(address, groups, connect)
        made._mark = str(found.get("mark", ""))
        return made


def _loaded(kept: Any) -> Sequence[RowChange]:
    """Changes of rows as undo data have them."""
    if isinstance(kept, dict):
        return RowColumns.of(kept["alike"])
    return [RowChange(*(unpacked(part) for part in row)) for row in kept]


def _backward(rows: Sequence[RowChange]) -> Sequence[RowChange]:
    return rows.backward() if isinstance(rows, RowColumns) else Backward(rows)


def _state(row: RowChange, found: tuple[object, ...] | None) -> int:
    """Whether a row is what it was, what it is to be, or neither."""
    for state, wanted in ((_NEW, row.new), (_OLD, row.old)):
        if found is None if wanted is None else found is not None and same(found, wanted):
            return state
    return _OTHER


def same(found: tuple[object, ...], wanted: tuple[object, ...]) -> bool:
    """Whether values of the database are the very same: 1 and 1.0 are not, and neither are "a" and "A"."""
    if list(map(type, found)) != list(map(type, wanted)):
        return False
    return found == wanted or all(map(alike, wanted, found))


def _more(group: Group) -> int:
    """How many rows more the table has after it."""
    first = group.rows[0]
    return len(group.rows) if first.old is None else -len(group.rows) if first.new is None else 0


def _may_not_come_back(layout: Layout, group: Group) -> bool:
    """Whether putting these rows back may fail, or may make something else of them."""
    if layout.ruled or layout.triggers:
        return True
    plain = (Sort.TEXT, Sort.WHOLE, Sort.NUMBER, Sort.YES_NO, Sort.DATE, Sort.ANY)
    return group.rows[0].new is None and any(
        column.sort not in plain or column.loose or column.own for column in layout.columns
    )


def alike(wanted: object, found: object) -> bool:
    """Whether a value is the same in another form of the database: a number as a double, a time with its zone."""
    if isinstance(found, float) and isinstance(wanted, Decimal | int):
        return float(wanted) == found
    return bool(wanted == found) or (wanted != wanted and found != found)  # NaN is unlike itself


def _named(group: Group, key: Key | None) -> str:
    return f'record {_shown_key(key)} of "{group.table}"'


def _shown_key(key: Key | None) -> str:
    return ", ".join(str(each) for each in key or ())


def _shown(value: object) -> str:
    text = f'"{value}"' if isinstance(value, str) else "nothing" if value is None else str(value)
    return text if len(text) <= 60 else f"{text[:57]}..."
