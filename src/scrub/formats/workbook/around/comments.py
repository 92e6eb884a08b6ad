"""Comments (ISO/IEC 29500-1, 18.7) and the drawings that show them (29500-4, 19.1): two parts that belong together."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import RELATIONSHIPS, Splice, ended, number_in, numbered, parse, spliced
from scrub.formats.workbook.cells.strings import runs_of, text_element
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.xmltext import text_of, unescaped
from scrub.formats.zip import Package
from scrub.model.cells.grid import Noted
from scrub.model.cells.sheet import Sheet
from scrub.model.core.area import Area, address_of, cell_of
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_VML = "urn:schemas-microsoft-com:vml"
_EMPTY_COMMENTS = (
    b'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
    b'<comments xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><authors></authors>'
    b"<commentList></commentList></comments>"
)
#: Who wrote a comment that a macro writes.
AUTHOR = "Scrub"


class Note(NamedTuple):
    """A comment."""

    text: str
    author: str


class Notes:
    """The comments of one sheet, with the parts that hold them; these are read when somebody asks."""

    def __init__(self, sheet: Sheet, part: SheetPart) -> None:
        self._sheet = sheet
        self._part = part
        self._kept: CommentPart | None = None

    def _comments(self) -> CommentPart:
        if self._kept is None:
            by_id = self._part.related()
            related = {relationship.type: relationship.target for relationship in by_id.values()}
            conversation = any(each.endswith("threadedComment") for each in related)
            # A picture in a header is drawn by a part of the same type: the element says which one is of the comments.
            element = self._part.skeleton().root.child("legacyDrawing")
            id_ = element.related if element is not None else ""
            drawing = by_id[id_].target if id_ in by_id else None
            self._kept = CommentPart(self._part.package, related.get("comments"), drawing, conversation)
        return self._kept

    def noted(self) -> Iterator[Noted]:
        """The comments, in reading order."""
        for place, note in sorted(self._comments().notes.now.items()):
            yield Noted(*place, note.text, note.author)

    def text(self, row: int, column: int) -> str | None:
        """What the comment of a cell says."""
        note = self._comments().notes.now.get((row, column))
        return note.text if note else None

    def put(self, row: int, column: int, text: str | None) -> None:
        """Writes a comment, or removes it."""
        comments = self._comments()
        former = comments.change((row, column), text)

        def revert() -> None:
            comments.put_back((row, column), former)

        before = former.text if former else None
        self._sheet.changed("comment", before, text, revert, inner=(Area(row, column, row, column),))

    def changed(self) -> tuple[Mapping[tuple[int, int], Note], Mapping[tuple[int, int], Note]]:
        """Those of the file, and those that are to be; none where nothing was changed."""
        if self._kept is None or not self.touched:
            return {}, {}
        return self._kept.notes.first, self._kept.notes.now

    @property
    def touched(self) -> bool:
        """Whether they must be written."""
        return self._kept is not None and self._kept.notes.touched

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The element that leads to their drawing, where the sheet had none; the two parts are changed or added."""
        comments, part = self._comments(), str(self._part.name)
        if comments.part:
            parts.changed[comments.part] = comments.comments
        else:
            name = parts.free_name("xl/comments{}.xml")
            type_ = "application/vnd.openxmlformats-officedocument.spreadsheetml.comments+xml"
            parts.add(name, comments.comments(), type_)
            parts.relate(part, f"{RELATIONSHIPS}/comments", name)
        if comments.drawing:
            parts.changed[comments.drawing] = comments.drawn
            return {}
        name = parts.free_name("xl/drawings/vmlDrawing{}.vml")
        parts.added[name] = comments.drawn()
        parts.add_default("vml", "application/vnd.openxmlformats-officedocument.vmlDrawing")
        id_ = parts.relate(part, f"{RELATIONSHIPS}/vmlDrawing", name)
        p = skeleton.root.prefix
        return {"legacyDrawing": f'<{p}legacyDrawing xmlns:r="{RELATIONSHIPS}" r:id="{id_}"/>'.encode()}


class CommentPart:
    """The comments of one sheet as they should be."""

    def __init__(self, package: Package, part: str | None, drawing: str | None, conversation: bool) -> None:
        self.package = package
        self.part = part if part in package.members else None
        self.drawing = drawing if drawing in package.members else None
        self.conversation = conversation
        self.notes: LazyPiece[dict[tuple[int, int], Note]] = LazyPiece(self._read)

    def _read(self) -> dict[tuple[int, int], Note]:
        result: dict[tuple[int, int], Note] = {}
        if self.part:
            data, root = part_tree(self.package, self.part)
            holder, listed = root.child("authors"), root.child("commentList")
            authors = (
                [unescaped(text_of(data[element.start : element.end])) for element in holder.all("author")]
                if holder
                else []
            )
            for span in listed.all("comment") if listed else ():
                text = span.child("text")
                content = data[text.open_end : text.close_start] if text else b""
                number = number_in(span.attributes, "authorId")
                result[cell_of(span.attributes.get("ref", "A1"))] = Note(
                    "".join(run.text for run in runs_of(content)), numbered(authors, number) or ""
                )
        return result

    def change(self, place: tuple[int, int], text: str | None) -> Note | None:
        """Sets or removes a comment; gives the one that was there before."""
        if self.conversation:
            raise Failure(
                f"the comment of {address_of(*place)} is a conversation. Change it in the workbook's own program"
            )
        if text is not None and len(text) > 32_767:
            raise Failure("a comment can have up to 32,767 characters")
        former = self.notes.now.get(place)
        self.put_back(place, None if text is None else Note(text, former.author if former else AUTHOR))
        return former

    def put_back(self, place: tuple[int, int], note: Note | None) -> None:
        """Makes a comment what it was."""
        if note is None:
            self.notes.now.pop(place, None)
        else:
            self.notes.now[place] = note

    def comments(self) -> bytes:
        """The part with the comments."""
        if self.part is None:
            data = _EMPTY_COMMENTS
            root = parse(data)
        else:
            data, root = part_tree(self.package, self.part)
        p = root.prefix
        holder, listed = root.child("authors"), root.child("commentList")
        if holder is None or listed is None:
            raise self.package.problem(f'its part "{self.part}" has no list of comments')
        splices: list[Splice] = []
        seen = set()
        for span in listed.all("comment"):
            place = cell_of(span.attributes.get("ref", "A1"))
            seen.add(place)
            note = self.notes.now.get(place)
            text = span.child("text")
            if note is None:
                splices.append(Splice(span.start, span.end, b""))
            elif note != self.notes.first.get(place) and text is not None:
                fresh = f"<{p}text>".encode() + text_element(note.text, p) + f"</{p}text>".encode()
                splices.append(Splice(text.start, text.end, fresh))
        fresh_places = sorted(set(self.notes.now) - seen)
        if fresh_places:
            number = sum(1 for _ in holder.all("author"))
            author = f"<{p}author>{AUTHOR}</{p}author>".encode()
            splices += ended(data, holder, author)
            added = b"".join(
                f'<{p}comment ref="{address_of(*place)}" authorId="{number}"><{p}text>'.encode()
                + text_element(self.notes.now[place].text, p)
                + f"</{p}text></{p}comment>".encode()
                for place in fresh_places
            )
            splices += ended(data, listed, added)
        return spliced(data, splices)

    def drawn(self) -> bytes:
        """The part with the boxes that show them."""
        data = self.package.read(self.drawing) if self.drawing else _EMPTY_DRAWING
        root = parse(data)
        splices: list[Splice] = []
        number = 1024
        for span in root.all("shape", uri=_VML):
            match = re.search(r"_s(\d+)$", span.attributes.get("id", ""))
            number = max(number, int(match[1])) if match else number
            place = _place_of(data[span.start : span.end])
            if place is not None and place not in self.notes.now:
                splices.append(Splice(span.start, span.end, b""))
        boxes = ""
        for place in sorted(set(self.notes.now) - set(self.notes.first)):
            number += 1
            boxes += _box(number, *place)
        splices += ended(data, root, boxes.encode())
        return spliced(data, splices)


def _place_of(shape: bytes) -> tuple[int, int] | None:
    row, column = re.search(rb"<x:Row>\s*(\d+)", shape), re.search(rb"<x:Column>\s*(\d+)", shape)
    return (int(row[1]) + 1, int(column[1]) + 1) if row and column and b'ObjectType="Note"' in shape else None


_EMPTY_DRAWING = (
    b'<xml xmlns:v="urn:schemas-microsoft-com:vml" xmlns:o="urn:schemas-microsoft-com:office:office" '
    b'xmlns:x="urn:schemas-microsoft-com:office:excel"><o:shapelayout v:ext="edit"><o:idmap v:ext="edit" data="1"/>'
    b'</o:shapelayout><v:shapetype id="_x0000_t202" coordsize="21600,21600" o:spt="202" '
    b'path="m,l,21600r21600,l21600,xe"><v:stroke joinstyle="miter"/><v:path gradientshapeok="t" '
    b'o:connecttype="rect"/></v:shapetype></xml>'
)


def _box(number: int, row: int, column: int) -> str:
    """A hidden box beside its cell. The namespaces are said again: another writer may call them otherwise."""
    return (
        '<v:shape xmlns:v="urn:schemas-microsoft-com:vml" xmlns:o="urn:schemas-microsoft-com:office:office" '
        f'xmlns:x="urn:schemas-microsoft-com:office:excel" id="_x0000_s{number}" type="#_x0000_t202" '
        'style="position:absolute;width:96pt;height:56pt;z-index:1;visibility:hidden" fillcolor="#ffffe1" '
        'o:insetmode="auto"><v:fill color2="#ffffe1"/><v:path o:connecttype="none"/><v:textbox>'
        '<div style="text-align:left"></div></v:textbox><x:ClientData ObjectType="Note"><x:MoveWithCells/>'
        f"<x:SizeWithCells/><x:Anchor>{column}, 15, {max(0, row - 2)}, 10, {column + 2}, 15, {row + 3}, 4</x:Anchor>"
        f"<x:AutoFill>False</x:AutoFill><x:Row>{row - 1}</x:Row><x:Column>{column - 1}</x:Column>"
        "</x:ClientData></v:shape>"
    )
