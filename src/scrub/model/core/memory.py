"""How much memory this process uses, and what is kept on disk where it would be too much."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator, MutableMapping, Sequence
from itertools import chain, islice
from typing import Any, TypeVar, overload

from scrub.model.core.preferences import CURRENT

K = TypeVar("K")
T = TypeVar("T")
#: Bytes of each megabyte after which lists go to the disk: the rest is for what saves them.
_SHARE = 700_000
#: Values that are put on disk together, and read back together.
_CHUNK = 8192


def memory_used() -> int:
    """The memory of this process in bytes: what it has now, or else the most it has had; 0 where no system tells."""
    if sys.platform == "win32":
        return 0
    import resource

    try:
        with open("/proc/self/statm", "rb") as stream:
            return int(stream.read().split()[1]) * resource.getpagesize()
    except OSError:  # not Linux
        found = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        return found if sys.platform == "darwin" else found * 1024


def _is_too_much() -> bool:
    """Whether this process uses more than the person allows for what is noted of changes."""
    return memory_used() > CURRENT.get().most_memory * _SHARE


class _Shelf:
    """A database of SQLite that only this process has: its file has no name and goes with the connection."""

    def __init__(self) -> None:
        import pickle  # only a run that is short of memory needs these
        import sqlite3

        self.load, self._dump = pickle.loads, pickle.dumps
        self.link = sqlite3.connect("", isolation_level=None, check_same_thread=False)
        self.link.execute("PRAGMA journal_mode = OFF")
        self.link.execute("PRAGMA cache_size = -2000")

    def dump(self, value: object) -> bytes:
        """A value as it is kept; `load` gives it back. Only what this process wrote itself is ever read."""
        return self._dump(value, 5)

    def __del__(self) -> None:
        self.link.close()


class _Lists(_Shelf):
    """Lists of values, by their numbers."""

    def __init__(self) -> None:
        super().__init__()
        self.link.execute("CREATE TABLE list (number INTEGER PRIMARY KEY, data BLOB)")

    def put(self, values: Sequence[object]) -> int:
        """Keeps a list, and gives its number."""
        number = self.link.execute("INSERT INTO list (data) VALUES (?)", (self.dump(values),)).lastrowid
        assert number is not None
        return number

    def get(self, number: int) -> list[Any]:
        """A list."""
        ((data,),) = self.link.execute("SELECT data FROM list WHERE number = ?", (number,))
        found: list[Any] = self.load(data)
        return found

    def drop(self, number: int) -> None:
        """Lets a list go."""
        self.link.execute("DELETE FROM list WHERE number = ?", (number,))


class LongList(Sequence[T]):
    """A list that can be longer than the memory: where that is used up, all but its end is on disk."""

    __slots__ = ("_chunks", "_last", "_shelf", "_tail")

    def __init__(self, values: Iterable[T] = ()) -> None:
        self._chunks: list[list[T] | int] = []  # all of one length; the numbers are those of what is on disk
        self._tail: list[T] = []
        self._shelf: _Lists | None = None
        self._last: tuple[int, list[T]] = -1, []  # the chunk that was read last
        self.extend(values)

    def append(self, value: T) -> None:
        """Puts one at the end."""
        tail = self._tail
        tail.append(value)
        if len(tail) == _CHUNK:
            self._close()

    def extend(self, values: Iterable[T]) -> None:
        """Puts many at the end."""
        every = iter(values)
        while True:
            tail = self._tail
            room = _CHUNK - len(tail)
            tail.extend(islice(every, room))
            if len(tail) < _CHUNK:
                return
            self._close()

    def _close(self) -> None:
        self._chunks.append(self._tail)
        self._tail = []
        if _is_too_much():
            if self._shelf is None:
                self._shelf = _Lists()
            self._chunks = [each if isinstance(each, int) else self._shelf.put(each) for each in self._chunks]

    def _chunk(self, number: int) -> list[T]:
        if number == len(self._chunks):
            return self._tail
        found = self._chunks[number]
        if not isinstance(found, int):
            return found
        if self._last[0] != number:
            assert self._shelf is not None
            self._last = number, self._shelf.get(found)
        return self._last[1]

    def chunks(self) -> Iterator[list[T]]:
        """The values, many at a time; what is given is not to be changed."""
        for number in range(len(self._chunks) + 1):
            yield self._chunk(number)

    def __len__(self) -> int:
        return len(self._chunks) * _CHUNK + len(self._tail)

    def __iter__(self) -> Iterator[T]:
        return chain.from_iterable(self.chunks())

    def __reversed__(self) -> Iterator[T]:
        for number in range(len(self._chunks), -1, -1):
            yield from reversed(self._chunk(number))

    @overload
    def __getitem__(self, place: int) -> T: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[T]: ...
    def __getitem__(self, place: int | slice) -> T | Sequence[T]:
        if isinstance(place, slice):
            if place == slice(None, None, -1):
                return LongList(reversed(self))
            return LongList(self[each] for each in range(*place.indices(len(self))))
        if place < 0:
            place += len(self)
        if not 0 <= place < len(self):
            raise IndexError(place)
        number, at = divmod(place, _CHUNK)
        return self._chunk(number)[at]

    def pop(self) -> T:
        """Takes the last one away."""
        if not self._tail and self._chunks:
            number = len(self._chunks) - 1
            self._tail = list(self._chunk(number))
            last = self._chunks.pop()
            if isinstance(last, int) and self._shelf is not None:
                self._shelf.drop(last)
            self._last = -1, []
        return self._tail.pop()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and len(self) == len(other) and all(map(_same, self, other))

    __hash__ = None  # type: ignore[assignment]


def _same(one: object, other: object) -> bool:
    return one is other or one == other


class _Entries(_Shelf):
    """Keys with values, in the order in which the keys came."""

    def __init__(self) -> None:
        super().__init__()
        self.link.execute("CREATE TABLE entry (number INTEGER PRIMARY KEY, name TEXT UNIQUE, key BLOB, value BLOB)")


class LongDict(MutableMapping[K, T]):
    """A dictionary, in the order in which its keys came, that can be longer than the memory; see `LongList`."""

    def __init__(self) -> None:
        self._now: dict[K, T] = {}
        self._shelf: _Entries | None = None
        self._on_disk = 0
        self._greatest: K | None = None  # of the keys on disk, where each was greater than the one before
        self._room = _CHUNK

    def _find(self, key: K) -> tuple[T] | None:
        """The value on disk."""
        if self._shelf is None or (self._greatest is not None and _is_greater(key, self._greatest)):
            return None
        sql = "SELECT value FROM entry WHERE name = ?"
        found = self._shelf.link.execute(sql, (_name(key),)).fetchone()
        return None if found is None else (self._shelf.load(found[0]),)

    def __getitem__(self, key: K) -> T:
        if key in self._now:
            return self._now[key]
        found = self._find(key)
        if found is None:
            raise KeyError(key)
        return found[0]

    def __contains__(self, key: object) -> bool:
        return key in self._now or (self._shelf is not None and self._find(key) is not None)  # type: ignore[arg-type]

    def __setitem__(self, key: K, value: T) -> None:
        if self._shelf is not None and key not in self._now and self._find(key) is not None:
            sql = "UPDATE entry SET value = ? WHERE name = ?"
            self._shelf.link.execute(sql, (self._shelf.dump(value), _name(key)))
            return
        self._now[key] = value
        if len(self._now) >= self._room:
            self._make_room()

    def _make_room(self) -> None:
        self._room = len(self._now) + _CHUNK
        if not _is_too_much():
            return
        if self._shelf is None:
            self._shelf = _Entries()
            self._greatest = next(iter(self._now))
        for key in self._now:
            if self._greatest is not None and not _is_greater(key, self._greatest) and key != self._greatest:
                self._greatest = None
            self._greatest = key if self._greatest is not None else None
        shelf = self._shelf
        rows = ((_name(key), shelf.dump(key), shelf.dump(value)) for key, value in self._now.items())
        shelf.link.execute("BEGIN")
        shelf.link.executemany("INSERT INTO entry (name, key, value) VALUES (?, ?, ?)", rows)
        shelf.link.execute("COMMIT")
        self._on_disk += len(self._now)
        self._now, self._room = {}, _CHUNK

    def __delitem__(self, key: K) -> None:
        if key in self._now:
            del self._now[key]
            return
        if self._find(key) is None or self._shelf is None:
            raise KeyError(key)
        self._shelf.link.execute("DELETE FROM entry WHERE name = ?", (_name(key),))
        self._on_disk -= 1

    def __len__(self) -> int:
        return self._on_disk + len(self._now)

    def __bool__(self) -> bool:
        return bool(self._now) or self._on_disk > 0

    def __iter__(self) -> Iterator[K]:
        if self._shelf is not None:
            for (key,) in self._shelf.link.execute("SELECT key FROM entry ORDER BY number"):
                yield self._shelf.load(key)
        yield from list(self._now)

    def pairs(self) -> Iterator[tuple[K, T]]:
        """The keys with their values, in order, read once."""
        if self._shelf is not None:
            for key, value in self._shelf.link.execute("SELECT key, value FROM entry ORDER BY number"):
                yield self._shelf.load(key), self._shelf.load(value)
        yield from list(self._now.items())


def _name(key: object) -> str:
    """What a key is found by: equal ones of equal types have the same."""
    return repr(key)


def _is_greater(key: Any, other: Any) -> bool:
    try:
        return bool(key > other)
    except TypeError:
        return False
