"""The outline of a PDF (12.3.3): its entries, and what is written of it where some have other titles or go."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from dataclasses import field as of
from typing import Any

from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.pdf.objects import held, whole_number
from scrub.formats.pdf.update import Section, dictionary
from scrub.model.core.problem import Failure

#: Levels of entries below each other, and entries of a file.
_DEEPEST, _MOST = 50, 100_000


@dataclass(eq=False)
class OutlineEntry:
    """One entry. `title` is another one that it gets; `gone` tells that it goes, with what is below it."""

    found: Any
    level: int
    page: int | None
    title: str | None = None
    gone: bool = False
    below: list[OutlineEntry] = of(default_factory=list)

    @property
    def said(self) -> str:
        """What it says."""
        return self.title if self.title is not None else str(self.found.get("/Title", ""))

    def every(self) -> Iterator[OutlineEntry]:
        """Itself and all below it that stay."""
        if not self.gone:
            yield self
            for entry in self.below:
                yield from entry.every()


class Outline:
    """All entries of one file. Raises `Failure` for a damaged one."""

    def __init__(self, pdf: Any, numbers: dict[tuple[int, int], int]) -> None:
        """`numbers` are those of the pages, by their objects."""
        self._root = held(pdf.trailer.Root, "/Outlines")
        self._count = 0
        self._seen: set[tuple[int, int]] = set()
        with told_as_damage():
            self._target = _targets(pdf, numbers)
            self.top = list(self._entries(self._root, 1))

    def _entries(self, holder: Any, level: int) -> Iterator[OutlineEntry]:
        pikepdf = needed("pikepdf")
        item = holder.get("/First")
        while isinstance(item, pikepdf.Dictionary) and item.is_indirect and item.objgen not in self._seen:
            self._seen.add(item.objgen)
            if len(self._seen) > _MOST or level > _DEEPEST:
                return
            entry = OutlineEntry(item, level, self._target(item))
            entry.below = list(self._entries(item, level + 1))
            yield entry
            item = item.get("/Next")

    def every(self) -> list[OutlineEntry]:
        """The entries that stay, from the first to the last."""
        return [each for entry in self.top for each in entry.every()]

    @property
    def changed(self) -> bool:
        """Whether it differs from the file's."""
        waiting = list(self.top)
        while waiting:
            entry = waiting.pop()
            if entry.gone or entry.title is not None:
                return True
            waiting += entry.below
        return False

    def write(self, section: Section) -> None:
        """Puts what differs into what is appended."""
        changed: dict[tuple[int, int], dict[str, bytes]] = {}
        self._write_below(section, self._root, self.top, changed)
        for (number, generation), entries in changed.items():
            section.put(dictionary(entries), number, generation)

    def _write_below(
        self,
        section: Section,
        holder: object,
        entries: list[OutlineEntry],
        changed: dict[tuple[int, int], dict[str, bytes]],
    ) -> None:
        def put(found: Any, links: dict[str, Any], said: dict[str, bytes], instead: tuple[str, ...]) -> None:
            if not found.is_indirect:
                raise Failure("its outline is not a separate object, so its entries cannot be deleted")
            number, generation = found.objgen
            old = changed.get(found.objgen) or {
                str(key)[1:]: section.own(found[key], number, generation) for key in found
            }
            kept = {key: value for key, value in old.items() if key not in instead}
            changed[found.objgen] = kept | {key: value.unparse() for key, value in links.items()} | said

        kept = [each for each in entries if not each.gone]
        fewer = len(kept) != len(entries)
        if _fewer_below(entries):  # what is above counts, too (table 151)
            ends = {"First": kept[0].found, "Last": kept[-1].found} if kept else {}
            shown = sum(1 + _open_below(each) for each in kept)
            sign = -1 if holder is not self._root and whole_number(holder, "/Count") < 0 else 1
            put(holder, ends, {"Count": b"%d" % (sign * shown)} if kept else {}, ("First", "Last", "Count"))
        for at, entry in enumerate(kept):
            links = {"Prev": kept[at - 1].found} if at else {}
            links |= {"Next": kept[at + 1].found} if at + 1 < len(kept) else {}
            said = {"Title": section.text(entry.title, entry.found.objgen[0])} if entry.title is not None else {}
            if said or fewer:
                put(entry.found, links, said, ("Prev", "Next"))
            self._write_below(section, entry.found, entry.below, changed)


def _fewer_below(entries: list[OutlineEntry]) -> bool:
    return any(entry.gone or _fewer_below(entry.below) for entry in entries)


def _open_below(entry: OutlineEntry) -> int:
    """How many entries below one are shown when it is."""
    if whole_number(entry.found, "/Count") <= 0:
        return 0
    return sum(1 + _open_below(each) for each in entry.below if not each.gone)


def _targets(pdf: Any, numbers: dict[tuple[int, int], int]) -> Callable[[object], int | None]:
    """How the page is found to which an entry leads (12.3.2, 12.6.4.2)."""
    pikepdf = needed("pikepdf")
    root = pdf.trailer.Root
    tree = held(held(root, "/Names"), "/Dests")
    named = pikepdf.NameTree(tree) if tree.is_indirect or len(tree) else {}
    old = held(root, "/Dests")

    def target(item: Any) -> int | None:
        goal = item.get("/Dest")
        if goal is None:
            way = held(item, "/A")
            goal = way.get("/D") if str(way.get("/S", "")) == "/GoTo" else None
        if isinstance(goal, pikepdf.String):
            goal = named.get(str(goal))
        elif isinstance(goal, pikepdf.Name):
            goal = old.get(str(goal))
        if isinstance(goal, pikepdf.Dictionary):
            goal = goal.get("/D")
        page = goal[0] if isinstance(goal, pikepdf.Array) and len(goal) else None
        return numbers.get(page.objgen) if isinstance(page, pikepdf.Object) and page.is_indirect else None

    return target
