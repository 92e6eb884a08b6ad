"""Pages as they are seen: their box, their turn, their unit (7.7.3, 14.11.2)."""

from __future__ import annotations

from typing import Any

from scrub.formats.images.needed import needed
from scrub.formats.pdf.objects import held, listed, number_of
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: What pages take from the nodes above them (7.7.3.4).
_INHERITED = ("/MediaBox", "/CropBox", "/Rotate", "/Resources")
#: Nodes below each other, and pages of a file.
_DEEPEST, _MOST = 100, 50_000


class FoundPage(NamedTuple):
    """A page in the tree: its dictionary, and what it takes from above, the nearest first."""

    page: Any
    inherited: dict[str, object]

    def get(self, name: str) -> object:
        """An entry of the page, its own or from above."""
        return self.page.get(name, self.inherited.get(name))


def pages_of(pdf: Any) -> list[FoundPage]:
    """The pages in order. Raises `Failure` for a tree in a circle, or one with a page in it twice."""
    pages: list[FoundPage] = []
    known: set[tuple[int, int]] = set()
    waiting: list[tuple[Any, dict[str, object], int]] = [(held(pdf.trailer.Root, "/Pages"), {}, 0)]
    while waiting:
        node, above, depth = waiting.pop()
        if depth > _DEEPEST or len(pages) + len(waiting) + _kids(node) > _MOST:
            raise Failure("its pages are nested too deep, or there are too many")
        if node.is_indirect:
            if node.objgen in known:
                raise Failure("a page is listed twice, or its list of pages is circular")
            known.add(node.objgen)
        inherited = {
            name: node[name] if name in node else above[name] for name in _INHERITED if name in node or name in above
        }
        if "/Kids" in node or depth == 0:
            kids = [each for each in listed(node, "/Kids") if isinstance(each, needed("pikepdf").Dictionary)]
            waiting += [(each, inherited, depth + 1) for each in reversed(kids)]
        elif node.is_indirect:
            pages.append(FoundPage(node, above))
        else:
            raise Failure("one of its pages is not a separate object")
    return pages


def _kids(node: Any) -> int:
    """How many nodes a node names; they are counted before they are made."""
    kids = node.get("/Kids")
    return len(kids) if isinstance(kids, needed("pikepdf").Array) else 0


class Seen(NamedTuple):
    """How a page is seen: its box in its own units, how far it is turned to the right, and points in a unit."""

    left: float
    bottom: float
    right: float
    top: float
    turn: int
    unit: float

    @property
    def size(self) -> tuple[float, float]:
        """Width and height as it is seen, in points."""
        wide, high = (self.right - self.left) * self.unit, (self.top - self.bottom) * self.unit
        return (high, wide) if self.turn in (90, 270) else (wide, high)

    def matrix(self) -> tuple[float, float, float, float, float, float]:
        """From points as they are seen, counted from the left and from below, to the page's own units."""
        scale = 1 / self.unit
        if self.turn == 90:
            return 0, scale, -scale, 0, self.right, self.bottom
        if self.turn == 180:
            return -scale, 0, 0, -scale, self.right, self.top
        if self.turn == 270:
            return 0, -scale, scale, 0, self.left, self.top
        return scale, 0, 0, scale, self.left, self.bottom


#: The paper of a page that says nothing, US letter as most programs take it.
_USUAL = (0.0, 0.0, 612.0, 792.0)


def seen(found: FoundPage, turn: int | None = None) -> Seen:
    """How a page is seen; `turn` is another turn than its own."""
    media = _box(found.get("/MediaBox")) or _USUAL
    crop = _box(found.get("/CropBox")) or media
    box = (max(media[0], crop[0]), max(media[1], crop[1]), min(media[2], crop[2]), min(media[3], crop[3]))
    if box[0] >= box[2] or box[1] >= box[3]:
        box = media
    unit = number_of(found.page.get("/UserUnit")) or 1.0
    return Seen(*box, own_turn(found) if turn is None else turn, unit)


def own_turn(found: FoundPage) -> int:
    """By how much a page is turned to the right."""
    return int(number_of(found.get("/Rotate")) or 0) % 360 // 90 * 90


def _box(value: object) -> tuple[float, float, float, float] | None:
    if not isinstance(value, needed("pikepdf").Array):
        return None
    numbers = [number for each in value if (number := number_of(each)) is not None]
    if len(numbers) != 4 or len(value) != 4:
        return None
    one, other = sorted(numbers[0::2]), sorted(numbers[1::2])
    return (one[0], other[0], one[1], other[1]) if one[0] < one[1] and other[0] < other[1] else None
