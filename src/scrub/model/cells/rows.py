"""What tables and their records need of whatever contains them: cells of a sheet, a table of a document, a database."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, TypeVar

from scrub.model.cells.grid import Grid, resolve
from scrub.model.core.area import Area
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem, Item
from scrub.model.core.problem import Failure, Missing, did_you_mean, listed
from scrub.model.core.required import required
from scrub.model.core.series import Fixed, Series
from scrub.model.core.text import Editing, edited, parted
from scrub.model.core.values import Value, fold, heading_key, shown
from scrub.model.operations.mistaken import NOTED, twins

T = TypeVar("T")

#: Gives the value that a row has under one heading; a `CellError` where there is none to use.
Reader = Callable[[Any], Value]


class Rows:
    """Rows of values under headings. What a row is, a number or a key, is known here only."""

    #: The headings as they are written, by what macros compare; those that are there twice are in `twice` only.
    headings: dict[str, str]
    twice: frozenset[str] | set[str] = frozenset()
    #: Its name, where it has one of its own.
    name: str = ""

    def __init__(self) -> None:
        self._indexes: dict[tuple[str, ...], tuple[int, dict[tuple[object, ...], object]]] = {}

    # -- what each holder of rows offers

    @property
    @required
    def file(self) -> FileItem:
        """The file they are in."""
        raise NotImplementedError

    @property
    def label(self) -> str:
        """How a person calls them all."""
        return self.name

    def holds(self, item: object) -> bool:
        """Whether a paragraph is in them, where they are a table of a document."""
        return False

    @property
    def style(self) -> str | None:
        """The name of the style of the table; None where it has none."""
        return None

    def put_style(self, name: str | None) -> Undo:
        """Gives the table another style; returns how to undo it. Raises `Failure` for one that is not there."""
        raise Failure(f"{self.label} is not a table of the file, so it has no style. Format its cells instead")

    def paragraphs(self, row: Any = None) -> Sequence[Any]:
        """The paragraphs in them, or in one of them, in a document. Raises `Failure` elsewhere."""
        raise Failure(f"{self.label} is not a table of a document, so it has no paragraphs")

    @required
    def row_label(self, row: Any) -> str:
        """How a person calls one row."""
        raise NotImplementedError

    @required
    def reader(self, key: str) -> Reader:
        """What gives the values under a heading, changes included. Raises `Failure` for one that is not there."""
        raise NotImplementedError

    def value(self, row: Any, key: str) -> Value:
        """One value, for who wants no more of what is under the heading."""
        return self.reader(key)(row)

    @required
    def filled(self) -> Sequence[object]:
        """The rows that hold something, in order."""
        raise NotImplementedError

    def series(self, rows: Sequence[object]) -> Series[Any]:
        """Rows that are there now, for a loop."""
        return Fixed(rows)

    @required
    def put(self, row: Any, key: str, value: Value) -> None:
        """Sets the value under a heading."""
        raise NotImplementedError

    def place(self, row: Any, key: str) -> str:
        """How a person names what is in a row under a heading."""
        return f'{self.row_label(row)}, "{self.headings.get(key, key)}"'

    @required
    def version(self, keys: Iterable[str]) -> int:
        """A number that grows with every change under these headings."""
        raise NotImplementedError

    def add_column(self, heading: str) -> None:
        """Adds a heading after the last one."""
        raise Failure(f"{self.label}: columns cannot be added here")

    def under(self, values: Sequence[Value]) -> dict[str, Value]:
        """Values from the left, by the headings that they are under."""
        return dict(zip(self.headings, values, strict=False))

    def add(self, values: Mapping[str, Value], table: Item) -> object:
        """Adds a row after the last one, as a change of the table, and gives it. `values` go by the headings."""
        said = f"new row: {' | '.join(shown(value) for value in values.values())}"
        row, back = self.add_row(values)
        table.changed("new row", None, said, back, said, (f"row {len(list(self.filled())) + 1}",))
        return row

    def add_row(self, values: Mapping[str, Value]) -> tuple[object, Callable[[], None]]:
        """Adds a row after the last one; gives it, and how to undo it."""
        raise Failure(f"{self.label}: rows cannot be added here")

    def is_gone(self, row: Any) -> bool:
        """Whether a row was deleted in this run, and is still held by something."""
        return False

    def deletion_test(self) -> Callable[[Any], bool]:
        """What says of each row that is there now whether it was deleted, for loops over many."""
        return self.is_gone

    def delete(self, row: Any, record: Item) -> None:
        """Takes a row out, as a change of its record."""
        said = f"row deleted: {' | '.join(shown(resolve(self.reader(key)(row))) for key in self.headings)}"
        record.changed("deleted", False, True, self.delete_row(row), said)

    def delete_row(self, row: Any) -> Undo:
        """Takes a row out; returns how to undo it."""
        raise Failure(f"{self.label}: rows cannot be deleted here")

    def sortable(self) -> Sequence[object]:
        """The rows that can change places: all that hold something, but for totals below them."""
        return self.filled()

    def put_in_order(self, rows: Sequence[Any]) -> Undo:
        """Puts the rows in an order; returns how to undo it."""
        raise Failure(f"{self.label}: rows cannot be moved here")

    def grid(self) -> tuple[Grid, Area]:
        """The cells that the rows are in, without the headings. Raises `Failure` where they are not cells."""
        raise Failure(f"{self.label} has no cells. Use its records: each record")

    def address(self) -> str:
        """Where it is, headings included."""
        return self.label

    def no_heading(self, heading: str) -> Missing:
        """The failure for a heading that is not there."""
        names = list(self.headings.values())
        there = f"There are: {', '.join(names[:12])}" if names else "There are none"
        return Missing(f'{self.label} has no heading "{heading}".{did_you_mean(heading, names)} {there}')

    def twice_there(self, heading: str) -> Failure:
        """The failure for a heading that is there twice."""
        return Failure(f'{self.label} has the heading "{heading}" twice. Rename one of them')

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

    # -- what follows from that

    def by_heading(self, found: Iterable[tuple[str, T]]) -> dict[str, T]:
        """Notes headings, and gives what is under each by its key; those that are there twice are left out."""
        under: dict[str, T] = {}
        twice = set(self.twice)
        for heading, thing in found:
            key = heading_key(heading)
            if key in under or key in twice:
                twice.add(key)
                under.pop(key, None)
                self.headings.pop(key, None)
            elif key:
                under[key], self.headings[key] = thing, heading
        self.twice = twice
        return under

    def has(self, heading: str) -> bool:
        """Whether it has this heading."""
        key = heading_key(heading)
        return key in self.headings or key in self.twice

    def key(self, heading: str) -> str:
        """A heading as macros compare it. Raises `Failure` when it is not there, or there twice."""
        key = heading_key(heading)
        if key in self.twice:
            raise self.twice_there(heading)
        if key not in self.headings:
            raise self.no_heading(heading)
        return key

    def find(self, wanted: Mapping[str, Value]) -> object:
        """The first row with these values under these headings. Raises `Missing`."""
        by_key = {self.key(word): value for word, value in wanted.items()}
        keys = tuple(sorted(by_key))
        readers = [self.reader(key) for key in keys]
        version = self.version(keys)
        known = self._indexes.get(keys)
        if known is None or known[0] != version:  # a macro can change what the index was built from
            index: dict[tuple[object, ...], object] = {}
            for row in self.filled():
                index.setdefault(tuple(_indexed(resolve(read(row))) for read in readers), row)
            known = self._indexes[keys] = (version, index)
        sought = tuple(_indexed(by_key[key]) for key in keys)
        if sought not in known[1]:
            self._note_twins(known[1], by_key, keys, readers)
            what = listed(f'{word} "{shown(value)}"' for word, value in wanted.items())
            raise Missing(f"{self.label} has no record with {what}")
        return known[1][sought]

    def _note_twins(
        self,
        index: Mapping[tuple[object, ...], object],
        wanted: Mapping[str, Value],
        keys: Sequence[str],
        readers: Sequence[Reader],
    ) -> None:
        """Notes a row that was not found only because a value in it is of another type than what was looked for."""
        for key in keys:
            for what, other in twins(wanted[key]):
                sought = tuple(_indexed(other if each == key else wanted[each]) for each in keys)
                if sought in index:
                    NOTED.get()(what, self.place(index[sought], key), self.headings.get(key, key))

    def take_in(self, row: object) -> None:
        """Lets look-ups know of a row that came after the last one."""
        for keys, (_, index) in self._indexes.items():
            index.setdefault(tuple(_indexed(resolve(self.reader(key)(row))) for key in keys), row)


def _indexed(value: Value) -> object:
    """A value as an index finds it: texts without regard to case; yes and 1 are two values."""
    if isinstance(value, str):
        return "text", fold(value)
    return ("yes or no", value) if isinstance(value, bool) else value
