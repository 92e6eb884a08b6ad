"""What hangs on cells: merges, links, comments, tables (ISO/IEC 29500-1, 18.3.1.55, 18.3.1.48, 18.7, 18.5)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from scrub.formats.opc import Relationship, part_tree
from scrub.formats.spans import Span, escaped
from scrub.formats.workbook.comments import CommentPart
from scrub.formats.workbook.elements import id_of
from scrub.formats.workbook.formulas import area_at
from scrub.formats.workbook.lines import SheetLines
from scrub.model.area import Area, area_of
from scrub.model.grid import Noted, TablePlace
from scrub.model.problem import Failure

if TYPE_CHECKING:
    from scrub.formats.workbook.parts import Parts

_LINK = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/hyperlink"
_RELATIONSHIPS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"


class Link(NamedTuple):
    """A link: its range, where it leads, and its element as it was read (nothing for a new one)."""

    area: Area
    target: str
    element: bytes


class SheetHangings(SheetLines):
    """Merges, links and comments as they should be."""

    def __init__(self) -> None:
        super().__init__()
        self._merged: list[Area] | None = None
        self._first_merged: list[Area] = []
        self._links: list[Link] | None = None
        self._first_links: list[Link] = []
        self._link_of: dict[Area, list[Link]] | None = None  # the links of single cells; None when to be looked up
        self._wide_links: list[Link] = []
        self._tables: list[TablePlace] | None = None
        self.comment_part: CommentPart | None = None

    def related(self) -> dict[str, Relationship]:
        """The relationships of its part."""
        raise NotImplementedError

    # -- merges

    def merged(self) -> Sequence[Area]:
        """The merged ranges."""
        if self._merged is None:
            _, root = self.skeleton()
            holder = root.child("mergeCells")
            self._merged = (
                [area_of(span.attributes.get("ref", "")) for span in holder.all("mergeCell")] if holder else []
            )
            self._first_merged = list(self._merged)
        return self._merged

    @property
    def merges_touched(self) -> bool:
        """Whether they must be written."""
        return self._merged is not None and set(self._merged) != set(self._first_merged)

    def merge_element(self, root: Span) -> bytes:
        """The `mergeCells` element."""
        p, merged = root.prefix, self.merged()
        if not merged:
            return b""
        inner = "".join(f'<{p}mergeCell ref="{area.corners}"/>' for area in merged)
        return f'<{p}mergeCells count="{len(merged)}">{inner}</{p}mergeCells>'.encode()

    def merge(self, area: Area) -> None:
        """Merges a range."""
        if area in self.merged():
            return
        for other in (*self.merged(), *(table.area for table in self.tables())):
            if other.meets(area):
                raise Failure(f"{self.name} {area} meets {other}, which is merged or a table")
        self._set_merged([*self.merged(), area], area, False, True)

    def unmerge(self, area: Area) -> None:
        """Takes a merge apart."""
        self._set_merged([each for each in self.merged() if each != area], area, True, False)

    def _set_merged(self, fresh: list[Area], area: Area, before: bool, after: bool) -> None:
        if self.protected:
            raise Failure(f"{self.name} is protected. Take the protection off first: unprotect")
        former = list(self.merged())
        self._merged, self._free, self._covered = fresh, None, None

        def revert() -> None:
            self._merged, self._free, self._covered = former, None, None

        self.note("merged", before, after, revert, area)

    # -- links

    def links(self) -> list[Link]:
        """The links, each with its range."""
        if self._links is None:
            data, root = self.skeleton()
            holder = root.child("hyperlinks")
            related = self.related() if holder else {}
            self._links = []
            for span in holder.all("hyperlink") if holder else ():
                of = span.attributes
                id_ = id_of(span)
                target = related[id_].address if id_ in related else ""
                target += f"#{of['location']}" if of.get("location") else ""
                area = area_at(of.get("ref", "A1"))
                if area is not None:
                    self._links.append(Link(area, target, data[span.start : span.end]))
            self._first_links = list(self._links)
        return self._links

    def _links_meeting(self, area: Area) -> list[Link]:
        """The links that have a cell in common with a range; those of single cells are found at once."""
        links = self.links()
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
    def links_touched(self) -> bool:
        """Whether they must be written; the same links in another order are no change."""
        if self._links is None:
            return False
        return sorted(each[:2] for each in self._links) != sorted(each[:2] for each in self._first_links)

    def link(self, row: int, column: int) -> str | None:
        """Where a click on the cell leads."""
        return next((link.target for link in self._links_meeting(Area(row, column, row, column))), None)

    def put_link(self, area: Area, target: str | None) -> None:
        """Sets where a click on the cells of a range leads."""
        met = self._links_meeting(area)
        if [(link.area, link.target) for link in met] == ([(area, target)] if target else []):
            return
        for row, column in ((area.top, area.left), (area.bottom, area.right)):
            self.ensure_open(row, column)
        if target is not None and (not target.strip() or any(ord(letter) < 32 for letter in target)):
            raise Failure("a link is an address such as https://huts.example, or a place such as #Totals!A1")
        wide = next((link.area for link in met if link.area.within(area) != link.area), None)
        if wide is not None:
            raise Failure(f'{self.name} {area} shares its link with {wide}; change it for all: cells("{wide}")')
        former = self.links()
        fresh = [link for link in former if link not in met] if met else list(former)
        if target is not None:
            old = next((link for link in self._first_links if link[:2] == (area, target)), None) if met else None
            fresh.append(old or Link(area, target, b""))
            if not met and area.single and self._link_of is not None:
                self._link_of[area] = [fresh[-1]]
        self._links = fresh
        if met or not area.single:
            self._link_of = None

        def revert() -> None:
            self._links, self._link_of = former, None

        self.note("link", met[0].target if met else None, target, revert, area)

    def link_element(self, root: Span, parts: Parts, part: str) -> bytes:
        """The `hyperlinks` element; a new address outside gets a relationship."""
        p = root.prefix
        pieces: list[bytes] = []
        for link in self.links():
            if link.element:
                pieces.append(link.element)
                continue
            outside, _, place = link.target.partition("#")
            extra = f' location="{escaped(place)}"' if place else ""
            if outside:
                id_ = parts.relate(part, _LINK, outside, outside=True)
                extra = f' xmlns:r="{_RELATIONSHIPS}" r:id="{id_}"{extra}'
            pieces.append(f'<{p}hyperlink ref="{link.area.corners}"{extra}/>'.encode())
        inner = b"".join(pieces)
        return f"<{p}hyperlinks>".encode() + inner + f"</{p}hyperlinks>".encode() if inner else b""

    # -- comments

    def _comments(self) -> CommentPart:
        if self.comment_part is None:
            by_id = self.related()
            related = {each.type: each.target for each in by_id.values()}
            conversation = any(each.endswith("threadedComment") for each in related)
            # A picture in a header is drawn by a part of the same sort: the element says which one is of the comments.
            element = self.skeleton()[1].child("legacyDrawing")
            id_ = id_of(element) if element is not None else ""
            drawing = by_id[id_].target if id_ in by_id else None
            self.comment_part = CommentPart(self.book.package, related.get("comments"), drawing, conversation)
        return self.comment_part

    def comments(self) -> Iterator[Noted]:
        """Its comments, in reading order."""
        for place, note in sorted(self._comments().notes.items()):
            yield Noted(*place, note.text, note.author)

    def comment_text(self, row: int, column: int) -> str | None:
        """What the comment of a cell says."""
        note = self._comments().notes.get((row, column))
        return note.text if note else None

    def put_comment(self, row: int, column: int, text: str | None) -> None:
        """Writes a comment, or removes it."""
        part = self._comments()
        old = part.notes.get((row, column))
        before = old.text if old else None
        if before == text:
            return
        self.ensure_open(row, column)
        former = part.change((row, column), text)

        def revert() -> None:
            part.put_back((row, column), former)

        self.note("comment", before, text, revert, Area(row, column, row, column))

    # -- tables

    def tables(self) -> Iterator[TablePlace]:
        """Its tables; one without headings offers none."""
        if self._tables is None:
            self._tables = []
            for each in self.related().values():
                if each.type == "table" and each.target in self.book.package.members:
                    _, root = part_tree(self.book.package, str(each.target))
                    of = root.attributes
                    area = area_of(of.get("ref", "A1"))
                    if of.get("headerRowCount", "1") == "0":
                        continue
                    totals = int(of.get("totalsRowCount", "0"))
                    name = of.get("displayName") or of.get("name", "")
                    self._tables.append(TablePlace(name, area, area.bottom - totals))
        return iter(self._tables)

    # -- names

    def range_name(self, area: Area) -> str | None:
        """The defined name of just this range."""
        return self.book.names.name_of(self.name, area)

    def put_range_name(self, area: Area, name: str | None) -> None:
        """Gives a range a name, or takes its name away."""
        names = self.book.names
        before = self.range_name(area)
        if before == name:
            return
        if name is not None:
            names.ensure_fit(name)
        if name is not None and names.known(name) and (before is None or name.casefold() != before.casefold()):
            raise Failure(f'the workbook has the name "{name}" already')
        used = self.book.uses_of_name(before) if before is not None else ""
        if used:
            raise Failure(
                f'the name "{before}" is used in {used}, which would no longer find {self.name} {area}. '
                "Change that first in its own program"
            )
        target = f"{names.quoted(self.name)}!{names.absolute(area)}"

        def set_to(old: str | None, fresh: str | None) -> None:
            if old is not None:
                names.put(old, None)
            if fresh is not None:
                names.put(fresh, target)

        set_to(before, name)
        self.note("name", before, name, lambda: set_to(name, before), area)
