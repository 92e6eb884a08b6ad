"""Items in Python: what they have in common, records, and the items that a loop goes through."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from decimal import Decimal
from functools import lru_cache
from typing import Any, ClassVar, Generic, SupportsIndex, TypeVar, overload

from scrub.api.conditions import Condition
from scrub.api.current import RUN
from scrub.api.values import FACADES, Facade, into, out
from scrub.model.cells.records import Record as MacroRecord
from scrub.model.cells.records import Records
from scrub.model.core import html
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure, did_you_mean
from scrub.model.core.progress import over
from scrub.model.core.series import Opening, Series
from scrub.model.core.values import heading_key, type_name
from scrub.runner.comparisons import misread, quoted
from scrub.runner.lookups import deleted

T = TypeVar("T", covariant=True)
#: The values under headings that are the same in Python.
_PLAIN = frozenset((str, Decimal, type(None)))
_key = lru_cache(4096)(heading_key)


class ItemFacade(Facade):
    """The base of items that are not records."""

    __slots__ = ("_it",)

    #: Finds an action of one's own by its Python name, which was declared after the class was made.
    _own_action: ClassVar[Callable[[str, str], Callable[..., Any] | None]]
    _own_names: ClassVar[Callable[[str], Iterable[str]]]

    def __init__(self, it: Any) -> None:
        self._it = it

    @classmethod
    def of(cls, it: Any) -> ItemFacade:
        """The object for an item."""
        return cls(it)

    def _repr_html_(self) -> str:
        return self._it._repr_html_() if hasattr(self._it, "_repr_html_") else html.heading(repr(self))

    def __dir__(self) -> list[str]:
        return sorted({*self._names, *ItemFacade._own_names(self.kind_word)})

    def __getattr__(self, name: str) -> Any:
        if not name.startswith("_"):
            action = ItemFacade._own_action(self.kind_word, name)
            if action is not None:
                return action.__get__(self)
        raise AttributeError(f"{type(self).__name__} has no {name!r}.{did_you_mean(name, self._names)}")


class RecordFacade(ItemFacade):
    """What is in one row under the headings of a table: `record["Guest nights"]`, in any case, with spaces, hyphens or
    underscores.
    """

    __slots__ = ("_row", "_table")

    def __init__(self, table: Any, row: Any) -> None:
        self._table = table
        self._row = row

    @classmethod
    def of(cls, it: Any) -> RecordFacade:
        """The object for a record."""
        return cls(it.table, it.row)

    @property
    def _it(self) -> MacroRecord:
        return MacroRecord(self._table, self._row)

    def __getitem__(self, heading: str) -> Any:
        try:
            found = self._table.readers[heading](self._row)
        except KeyError:
            found = self._reader(heading)(self._row)
        return found if type(found) in _PLAIN else out(found)

    def _reader(self, heading: str) -> Callable[[Any], Any]:
        """What reads the values under a heading, kept by its spelling from now on. Raises `Failure`."""
        if not isinstance(heading, str):
            raise Failure(f"a heading is text, not {type_name(into(heading))}")
        result: Callable[[Any], Any] = self._table.reader(_key(heading))
        self._table.readers[heading] = result
        return result

    def __setitem__(self, heading: str, value: object) -> None:
        rows = self._table.rows
        if rows.is_gone(self._row):
            raise deleted(self._it)
        rows.put(self._row, _key(heading), into(value))

    def __contains__(self, heading: object) -> bool:
        return isinstance(heading, str) and bool(self._table.rows.has(heading))

    def keys(self) -> list[str]:
        """The headings, from the left."""
        return list(self._table.rows.headings.values())

    def number(self, heading: str) -> Decimal:
        """The number under a heading. Raises `Failure`, which names the cell, where there is none."""
        try:
            found = self._table.readers[heading](self._row)
        except KeyError:
            found = self._reader(heading)(self._row)
        if type(found) is Decimal:
            return found
        found = out(found)
        if type(found) is Decimal:  # the result of a formula
            return found
        raise self.unfit(heading, "a number", found)

    def unfit(self, heading: str, wanted: str, found: object) -> Failure:
        """The failure for a value of another type than is needed."""
        value = into(found)
        what = f"expected {wanted}, found {type_name(value)}{quoted(value)}{misread(value)}"
        return Failure(what).at(self._it.place_of(_key(heading)))


class Items(Generic[T]):
    """The items of a kind inside another one. A loop over them is fixed when it begins, and leaves out what is deleted
    on the way.
    """

    __slots__ = ("_find", "_kind", "_where")

    def __init__(
        self, kind: str, find: Callable[[], Any], where: Condition | Callable[[Any], object] | None = None
    ) -> None:
        self._kind, self._find, self._where = kind, find, where

    def __iter__(self) -> Iterator[T]:
        found = self._find()
        found = found if isinstance(found, Series | Iterator) else list(found)
        test = self._where
        if isinstance(test, Condition):
            chosen = found.sifted(test.predicate) if isinstance(found, Series) else None
            test = test.test
            if chosen is not None:
                return self._sifted(chosen, test)
        every = _records(found) if isinstance(found, Records) else _items(found, FACADES[self._kind].of)
        return every if test is None else filter(test, every)

    @staticmethod
    def _sifted(found: Any, test: Callable[[Any], object]) -> Iterator[Any]:
        """Those that whoever contains them has found by a condition; it says where it is not sure."""
        make = FACADES["record"].of
        for item in found:
            if not item.removed:
                made = make(item)
                if item.row.sure or test(made):
                    yield made

    def readable(self) -> Items[T]:
        """The same without the files in a folder that cannot be opened; the record of the run names each of those."""
        return Items(self._kind, lambda: _opened(self._find()), self._where)

    def __len__(self) -> int:
        if self._where is None:
            found = self._find()
            return found.many() if isinstance(found, Series) else sum(not each.removed for each in found)
        return sum(1 for _ in self)

    def __bool__(self) -> bool:
        return next(iter(self), None) is not None

    @overload
    def __getitem__(self, place: SupportsIndex) -> T: ...
    @overload
    def __getitem__(self, place: slice) -> list[T]: ...
    def __getitem__(self, place: SupportsIndex | slice) -> T | list[T]:
        return list(self)[place]

    def __repr__(self) -> str:
        return f"<Items: {self._kind}>"

    def _repr_html_(self) -> str:
        rows = ([repr(item)] for item in self)
        return html.table([f"{self._kind}"], rows, len(self))


def _items(found: Iterable[Any], make: Callable[[Any], Any]) -> Iterator[Any]:
    for item in over(found, _label) if isinstance(found, list | Series) else found:
        if not item.removed:
            yield make(item)


def _opened(found: Any) -> Any:
    """Files one by one, but for those that cannot be opened."""
    run = RUN.get()
    told = run.execution.remark if run is not None else _tell_nobody
    return found.but_for_broken(told) if isinstance(found, Opening) else found


def _tell_nobody(_: str) -> None:
    """Nothing is recorded outside a run."""


def _label(item: Item) -> str:
    return item.label


def _records(found: Records) -> Iterator[Any]:
    """The records of one table without the product's own records between: they are what loops make most."""
    table, is_gone = found.table, found.table.rows.deletion_test()
    make: Any = FACADES["record"]
    for row in over(found.inner):
        if not is_gone(row):
            yield make(table, row)
