"""Links of cells (ISO/IEC 29500-1, 18.3.1.47, 18.3.1.48)."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.spans import RELATIONSHIPS, escaped
from scrub.formats.workbook.formulas.syntax import area_at
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.model.cells.sheet import Sheet
from scrub.model.core.area import Area
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure


class Link(NamedTuple):
    """A link: its range, where it leads, and its element as it was read (nothing for a new one)."""

    area: Area
    target: str
    element: bytes


class Links:
    """The links of one sheet as they should be."""

    def __init__(self, sheet: Sheet, part: SheetPart) -> None:
        self._sheet = sheet
        self._part = part
        # The same links in another order are not change.
        self._links: LazyPiece[list[Link]] = LazyPiece(self._read, lambda links: sorted(link[:2] for link in links))
        self._link_of: dict[Area, list[Link]] | None = None  # the links of single cells; None when to be looked up
        self._wide_links: list[Link] = []

    def _read(self) -> list[Link]:
        data, root = self._part.skeleton()
        holder = root.child("hyperlinks")
        related = self._part.related() if holder else {}
        result = []
        for span in holder.all("hyperlink") if holder else ():
            of = span.attributes
            id_ = span.related
            target = related[id_].address if id_ in related else ""
            target += f"#{of['location']}" if of.get("location") else ""
            area = area_at(of.get("ref", "A1"))
            if area is not None:
                result.append(Link(area, target, data[span.start : span.end]))
        return result

    @property
    def any(self) -> bool:
        """Whether the sheet has any."""
        return bool(self._links.now)

    def _meeting(self, area: Area) -> list[Link]:
        """The links that have a cell in common with a range; those of single cells are found at once."""
        links = self._links.now
        if self._link_of is None:
            self._link_of, self._wide_links = {}, []
            for link in links:
                if link.area.single:
                    self._link_of.setdefault(link.area, []).append(link)
                else:
                    self._wide_links.append(link)
        if not area.single:
            return [link for link in links if link.area.meets(area)]
        found = [link for link in self._wide_links if link.area.meets(area)]
        return [*self._link_of.get(area, ()), *found]

    @property
    def touched(self) -> bool:
        """Whether they must be written."""
        return self._links.touched

    def changed(self) -> tuple[list[Area], list[tuple[Area, str]]]:
        """The ranges of links that go, and those that come with where they lead."""
        if not self.touched:
            return [], []
        first, now = [link[:2] for link in self._links.first], [link[:2] for link in self._links.now]
        return [area for area, target in first if (area, target) not in now], [
            each for each in now if each not in first
        ]

    def at(self, row: int, column: int) -> str | None:
        """Where a click on the cell leads."""
        return next((link.target for link in self._meeting(Area(row, column, row, column))), None)

    def put(self, area: Area, target: str | None, ensure_open: Callable[[int, int], None]) -> None:
        """Sets where a click on the cells of a range leads; `ensure_open` is asked about its corners."""
        met = self._meeting(area)
        if [(link.area, link.target) for link in met] == ([(area, target)] if target else []):
            return
        for row, column in ((area.top, area.left), (area.bottom, area.right)):
            ensure_open(row, column)
        if target is not None and (not target.strip() or any(ord(letter) < 32 for letter in target)):
            raise Failure("a link is an address such as https://huts.example, or a place such as #Totals!A1")
        wide = next((link.area for link in met if link.area.within(area) != link.area), None)
        if wide is not None:
            raise Failure(
                f'{self._sheet.name} {area} shares its link with {wide}. Change them together: cells("{wide}")'
            )
        former = self._links.now
        fresh = [link for link in former if link not in met] if met else list(former)
        if target is not None:
            old = next((link for link in self._links.first if link[:2] == (area, target)), None) if met else None
            fresh.append(old or Link(area, target, b""))
            if not met and area.single and self._link_of is not None:
                self._link_of[area] = [fresh[-1]]
        back = self._links.put(fresh)
        if met or not area.single:
            self._link_of = None

        def revert() -> None:
            back()
            self._link_of = None

        self._sheet.changed("link", met[0].target if met else None, target, revert, inner=(area,))

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The `hyperlinks` element; a new address outside gets a relationship."""
        p = skeleton.root.prefix
        pieces: list[bytes] = []
        for link in self._links.now:
            if link.element:
                pieces.append(link.element)
                continue
            outside, _, place = link.target.partition("#")
            extra = f' location="{escaped(place)}"' if place else ""
            if outside:
                id_ = parts.relate(str(self._part.name), f"{RELATIONSHIPS}/hyperlink", outside, outside=True)
                extra = f' xmlns:r="{RELATIONSHIPS}" r:id="{id_}"{extra}'
            pieces.append(f'<{p}hyperlink ref="{link.area.corners}"{extra}/>'.encode())
        inner = b"".join(pieces)
        whole = f"<{p}hyperlinks>".encode() + inner + f"</{p}hyperlinks>".encode() if inner else b""
        return {"hyperlinks": whole}
