"""A part whose elements are made when somebody asks for them: a sheet has a dozen, and a run needs two of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from scrub.formats.spans import Span, parse_element


class GrownBytes:
    """The bytes of the elements that were made so far; places in it stay what they are."""

    def __init__(self, data: bytes) -> None:
        self._data = data

    def __getitem__(self, place: slice) -> bytes:
        return self._data[place]

    def __len__(self) -> int:
        return len(self._data)

    @property
    def whole(self) -> bytes:
        """All of them."""
        return self._data

    def add(self, more: bytes) -> int:
        """Adds some; gives their place."""
        place = len(self._data)
        self._data += more
        return place


class LazyRoot(Span):
    """The root of such a part. Each function makes the elements of one name, one after another."""

    __slots__ = ("_data", "_known", "_make")

    def __init__(self, name: str, data: GrownBytes, make: Mapping[str, Callable[[], bytes]]) -> None:
        super().__init__(name, {}, 0, {"": "urn:made"})
        self.uri = "urn:made"
        self._data = data
        self._make = make
        self._known: dict[str, list[Span]] = {}

    def _made(self, name: str) -> list[Span]:
        known = self._known.get(name)
        if known is None:
            made = self._make[name]() if name in self._make else b""
            known = self._known[name] = []
            if made:
                place = self._data.add(b"<x>" + made + b"</x>")
                holder = parse_element(self._data.whole, place, len(self._data), self.namespaces)
                known += holder.children
        return known

    def child(self, *names: str, uri: str | None = None) -> Span | None:
        """The first child with one of these names."""
        return next((span for name in names for span in self._made(name)), None)

    def all(self, name: str, uri: str | None = None) -> Iterator[Span]:
        """The children with this name."""
        return iter(self._made(name))

    def inside(self, read_only: bool = False) -> Iterator[Span]:
        """Every element inside it, as far as somebody asked for it."""
        for made in list(self._known.values()):
            for span in made:
                yield span
                yield from span.inside()
