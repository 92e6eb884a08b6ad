"""What hangs on cells: merges, links, comments, tables (ISO/IEC 29500-1, 18.3.1.55, 18.3.1.48, 18.7, 18.5)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from scrub.formats.opc import Relationship, part_tree
from scrub.formats.spans import Span, escaped
from scrub.formats.workbook.comments import CommentPart
from scrub.formats.workbook.lines import SheetLines
from scrub.model.area import Area, address_of, area_of
from scrub.model.comments import Comment
from scrub.model.problem import Failure
from scrub.model.records import Table

if TYPE_CHECKING:
    from scrub.formats.workbook.parts import Parts

_LINK = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/hyperlink"
_RELATIONSHIPS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"


class Link(NamedTuple):
    """A link: where it leads, and its element as it was read (nothing for a new one)."""

    target: str
    element: bytes


class SheetHangings(SheetLines):
    """Merges, links and comments as they should be."""

    def __init__(self) -> None:
        super().__init__()
        self._merged: list[Area] | None = None
        self._first_merged: list[Area] = []
        self._links: dict[Area, Link] | None = None
        self.links_touched = False
        self._tables: list[Table] | None = None
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
        return self._merged is not None and self._merged != self._first_merged

    def merge_element(self, root: Span) -> bytes:
        """The `mergeCells` element."""
        p, merged = root.prefix, self.merged()
        if not merged:
            return b""
        inner = "".join(f'<{p}mergeCell ref="{area}"/>' for area in merged)
        return f'<{p}mergeCells count="{len(merged)}">{inner}</{p}mergeCells>'.encode()

    def merge(self, area: Area) -> None:
        """Merges a range."""
        if area in self.merged():
            return
        for other in (*self.merged(), *(table.area for table in self.tables())):
            if other.meets(area):
                raise Failure(f"{self.name} {area} meets {other}, which is merged or a table")
        self._set_merged([*self.merged(), area], f"{area} merged", False, True)

    def unmerge(self, area: Area) -> None:
        """Takes a merge apart."""
        self._set_merged([each for each in self.merged() if each != area], f"{area} merged", True, False)

    def _set_merged(self, fresh: list[Area], what: str, before: bool, after: bool) -> None:
        if self.protected:
            raise Failure(f"{self.name} is protected. Take the protection off first: unprotect")
        former = list(self.merged())
        self._merged, self._free, self._covered = fresh, None, None

        def revert() -> None:
            self._merged, self._free, self._covered = former, None, None

        self.note(what, before, after, revert)

    # -- links

    def links(self) -> dict[Area, Link]:
        """The links by their ranges."""
        if self._links is None:
            data, root = self.skeleton()
            holder = root.child("hyperlinks")
            related = self.related() if holder else {}
            self._links = {}
            for span in holder.all("hyperlink") if holder else ():
                of = span.attributes
                id_ = next((value for name, value in of.items() if name.endswith(":id")), "")
                target = related[id_].address if id_ in related else ""
                target += f"#{of['location']}" if of.get("location") else ""
                self._links[area_of(of.get("ref", "A1"))] = Link(target, data[span.start : span.end])
        return self._links

    def link(self, row: int, column: int) -> str | None:
        """Where a click on the cell leads."""
        return next((link.target for area, link in self.links().items() if area.holds(row, column)), None)

    def put_link(self, row: int, column: int, target: str | None) -> None:
        """Sets where a click leads."""
        before = self.link(row, column)
        if before == target:
            return
        self.ensure_open(row, column)
        if target is not None and (not target.strip() or any(ord(letter) < 32 for letter in target)):
            raise Failure("a link is an address such as https://huts.example, or a place such as #Totals!A1")
        own = Area(row, column, row, column)
        wide = next((area for area in self.links() if area.holds(row, column) and area != own), None)
        if wide is not None:
            raise Failure(f'{self.where(row, column)} shares its link with {wide}; change it for all: cells("{wide}")')
        former, touched = self.links(), self.links_touched
        self._links = {area: link for area, link in former.items() if area != own}
        if target is not None:
            self._links[own] = Link(target, b"")
        self.links_touched = True

        def revert() -> None:
            self._links, self.links_touched = former, touched

        self.note(f"{address_of(row, column)} link", before, target, revert)

    def link_element(self, root: Span, parts: Parts, part: str) -> bytes:
        """The `hyperlinks` element; a new address outside gets a relationship."""
        p = root.prefix
        pieces: list[bytes] = []
        for area, link in self.links().items():
            if link.element:
                pieces.append(link.element)
                continue
            outside, _, place = link.target.partition("#")
            extra = f' location="{escaped(place)}"' if place else ""
            if outside:
                id_ = parts.relate(part, _LINK, outside, outside=True)
                extra = f' xmlns:r="{_RELATIONSHIPS}" r:id="{id_}"{extra}'
            pieces.append(f'<{p}hyperlink ref="{area}"{extra}/>'.encode())
        inner = b"".join(pieces)
        return f"<{p}hyperlinks>".encode() + inner + f"</{p}hyperlinks>".encode() if inner else b""

    # -- comments

    def _comments(self) -> CommentPart:
        if self.comment_part is None:
            related = {each.type: each.target for each in self.related().values()}
            conversation = any(each.endswith("threadedComment") for each in related)
            self.comment_part = CommentPart(
                self.book.package, related.get("comments"), related.get("vmlDrawing"), conversation
            )
        return self.comment_part

    def comments(self) -> Iterator[Comment]:
        """Its comments, in reading order."""
        for place, note in sorted(self._comments().notes.items()):
            yield Comment(self, *place, note.text, note.author)

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
            part.notes = former

        self.note(f"{address_of(row, column)} comment", before, text, revert)

    # -- tables

    def tables(self) -> Iterator[Table]:
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
                    self._tables.append(Table(self, area, name, area.bottom - totals))
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
        if name is not None and names.known(name):
            raise Failure(f'the workbook has the name "{name}" already')
        target = f"{names.quoted(self.name)}!{names.absolute(area)}"

        def set_to(old: str | None, fresh: str | None) -> None:
            if old is not None:
                names.put(old, None)
            if fresh is not None:
                names.put(fresh, target)

        set_to(before, name)
        self.note(f"{area} name", before, name, lambda: set_to(name, before))
