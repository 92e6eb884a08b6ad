"""An Office Open XML document opened for splicing (ISO/IEC 29500-1, 17.2, 11.3)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property, partial

from scrub.formats.file import PickedFile
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.properties import CoreProperties
from scrub.formats.opc.relationships import part_tree, relationships
from scrub.formats.source import Source, opened
from scrub.formats.spans import Span, Splice, escaped, set_attributes, spliced
from scrub.formats.texts.paragraph import OpenParagraph
from scrub.formats.wordprocessing.read import FieldState, Piece, inner, own, paragraphs_of, read_paragraph, value
from scrub.formats.wordprocessing.styles import ParagraphStyles
from scrub.formats.wordprocessing.tables import DocumentRows, caption_of, cells_of, tables_in
from scrub.formats.wordprocessing.write import ParagraphWriter, elements_of
from scrub.formats.zip import Package
from scrub.model.document import Document, Paragraph, PlaceInDocument
from scrub.model.lines_of_text import Line
from scrub.model.problem import Failure
from scrub.model.records import Table
from scrub.model.text import Edit, Fresh, Kept, Stretches
from scrub.store.patch import Patch

#: The parts with paragraphs, by the last word of the relationship that leads to them, in their order.
_PLACES = {
    "header": PlaceInDocument.HEADER, "footer": PlaceInDocument.FOOTER, "footnotes": PlaceInDocument.FOOTNOTE,
    "endnotes": PlaceInDocument.ENDNOTE,
}  # fmt: skip
#: Marks of no width that may stand beside paragraphs, and stay when theirs goes (17.13.2).
_MARKS = frozenset((
    "bookmarkStart", "bookmarkEnd", "commentRangeStart", "commentRangeEnd", "permStart", "permEnd",
    "moveFromRangeStart", "moveFromRangeEnd", "moveToRangeStart", "moveToRangeEnd",
))  # fmt: skip


class StoryPart:
    """One part with paragraphs: the body, a header, the footnotes."""

    def __init__(self, package: Package, name: str, place: PlaceInDocument) -> None:
        self.name = name
        self.place = place
        self.data, self.root = part_tree(package, name)


class OfficeParagraph(OpenParagraph):
    """A paragraph with its elements."""

    def __init__(
        self,
        document: OfficeDocument,
        part: StoryPart,
        span: Span,
        place: PlaceInDocument,
        group: int,
        fields: FieldState,
    ) -> None:
        self.open_before = fields.open
        read = read_paragraph(part.data, span, fields)
        super().__init__(document, read.text, read.fixed)
        self.open_after = fields.open
        self.home = document
        self.part = part
        self.span = span
        self.pieces: tuple[Piece, ...] = read.pieces
        self.group = group
        self.taken: list[OfficeParagraph] = []  # those that were joined to it
        self._place = place
        self._first_style = self._style = value(inner(self._properties, "pStyle")) if self._properties else None
        self.before: list[str] = []  # new paragraphs in front of it, and behind
        self.behind: list[str] = []

    @property
    def _properties(self) -> Span | None:
        return inner(self.span, "pPr")

    @property
    def place(self) -> PlaceInDocument:
        """Where it stands."""
        return self._place

    # -- its style

    @property
    def style(self) -> str:
        """The name of its style."""
        return self.home.styles.name(self._style or "")

    @style.setter
    def style(self, value: str) -> None:
        self._set_style(self.home.styles.named(value), "style", self.style, value)

    @property
    def level(self) -> int | None:
        """The level of a heading: of its own, else of its style."""
        direct = value(inner(self._properties, "outlineLvl")) if self._properties and not self._restyled else None
        if direct is not None and direct.isdigit():
            return int(direct) + 1 if int(direct) < 9 else None
        return self.home.styles.level(self._style or self.home.styles.default)

    @level.setter
    def level(self, value: int | None) -> None:
        if value is not None and not 1 <= value <= 9:
            raise Failure(f"a heading has a level from 1 to 9, not {value}")
        before, styles = self.level, self.home.styles
        if value != before:
            self._set_style(styles.default if value is None else styles.of_level(value), "level", before, value)

    @property
    def _restyled(self) -> bool:
        return self._style != self._first_style

    def ensure_editable(self, edits: Sequence[Edit]) -> None:
        """Raises `Failure` for what must stay."""
        self.home.ensure_open()
        super().ensure_editable(edits)

    def _set_style(self, id_: str, field: str, before: object, after: object) -> None:
        self.home.ensure_open()
        former = self._style
        if id_ == (former or self.home.styles.default):
            return
        self._style = id_
        self.changed(field, before, after, lambda: setattr(self, "_style", former))

    # -- coming and going

    def add_before(self, text: str) -> None:
        """Puts a paragraph in front of it."""
        self._add(self.before, text)

    def add_behind(self, text: str) -> None:
        """Puts a paragraph behind it."""
        if self._properties is not None and inner(self._properties, "sectPr") is not None:
            raise Failure(f"{self.label} ends a section; put the new one in front of the next paragraph")
        self._add(self.behind, text)

    def _add(self, to: list[str], text: str) -> None:
        self.home.ensure_open()
        to.append(text)
        where = "before" if to is self.before else "behind"

        def revert() -> None:
            to.remove(text)

        self.changed(f"new {where}", None, text, revert, f'new paragraph {where}: "{text}"')

    def ensure_deletable(self) -> None:
        """Raises `Failure` where the document needs it: at the end of a section or a cell, or over a field's edge."""
        self.home.ensure_open()
        if self._properties is not None and inner(self._properties, "sectPr") is not None:
            raise Failure(f"{self.label} ends a section; without it the pages before would change")
        if self.open_before or self.open_after:
            raise Failure(f"{self.label}: a field goes over its end")
        if self._place is PlaceInDocument.TABLE or self.part.place is not PlaceInDocument.BODY:
            if not any(each is not self and not each.removed for each in self.home.group(self)):
                raise Failure(f"{self.label} is the last one in its cell or part, which needs one. Empty it: text")

    def can_take(self, following: Line) -> bool:
        """Whether the next one can be joined: the same look, no end of a section, no open field, nothing between."""
        if not isinstance(following, OfficeParagraph) or following.removed or following.group != self.group:
            return False
        last = self.taken[-1] if self.taken else self
        between = self.part.data[last.span.end : following.span.start]
        return (
            self._look() == following._look()
            and not between.strip()
            and not last.open_after
            and last.span.open_end != last.span.end
            and following.span.open_end != following.span.end
        )

    def _look(self) -> tuple[str | None, bytes]:
        """Its style and what else is set for it directly."""
        properties = self._properties
        data = self.part.data
        rest = [each for each in properties.children if each.name not in ("pStyle", "rPr")] if properties else []
        return self._style, b"".join(data[each.start : each.end] for each in rest)

    def join(self, following: OpenParagraph, between: str) -> Callable[[], None]:
        """Takes the next paragraph, with the looks of its words."""
        assert isinstance(following, OfficeParagraph)
        former = (self.stretches, self.fixed, self.pieces, self.taken, self.open_after)
        own_text, other = self.stretches, following.stretches
        shift = len(own_text.old)
        joined = Stretches(own_text.old + other.old)
        moved = [
            Kept(part.start + shift, part.end + shift)
            if isinstance(part, Kept)
            else Fresh(part.text, part.like + shift)
            for part in other.parts
        ]
        joined.parts = (*own_text.parts, *moved)
        length = len(self.text)
        self.fixed = (self.fixed or " " * shift) + (following.fixed or " " * len(other.old))
        self.pieces = (*self.pieces, *(each._replace(start=each.start + shift) for each in following.pieces))
        self.taken = [*self.taken, following, *following.taken]
        self.open_after = following.open_after
        self.stretches = joined
        start = len(self.text[:length].rstrip(" \t"))
        end = length + len(following.text) - len(following.text.lstrip(" \t"))
        self.stretches = joined.edited([(start, end, between)])
        following._gone = True

        def revert() -> None:
            self.stretches, self.fixed, self.pieces, self.taken, self.open_after = former
            following._gone = False

        return revert

    # -- writing

    def splices(self) -> Iterator[Splice]:
        """What changes it in its part."""
        data, p = self.part.data, self.span.prefix
        for text in self.before:
            yield Splice(self.span.start, self.span.start, self._new(text))
        if self._gone and not any(self in each.taken for each in self.home.group(self)):
            kept = [each for each in self.span.children if each.name in _MARKS and own(each)]
            yield Splice(self.span.start, self.span.end, b"".join(data[each.start : each.end] for each in kept))
        elif not self._gone:
            if self.stretches.touched or self.taken:
                yield from ParagraphWriter(data, self.span, self.pieces, self.stretches).splices()
            last = self
            for each in self.taken:
                properties = each._properties
                start = properties.end if properties is not None else each.span.open_end
                yield Splice(last.span.close_start, start, b"")
                last = each
            if self._restyled:
                yield self._style_splice(p)
        for text in reversed(self.behind):
            end = (self.taken[-1] if self.taken else self).span.end
            yield Splice(end, end, self._new(text))

    def _style_splice(self, p: str) -> Splice:
        """The style is the first of the properties (17.3.1.27)."""
        style = f'<{p}pStyle {p}val="{escaped(self._style or "")}"/>'
        properties = self._properties
        if properties is None:
            if self.span.open_end == self.span.end:
                tag = self.part.data[self.span.start : self.span.open_end - 2].rstrip().decode()
                whole = f"{tag}><{p}pPr>{style}</{p}pPr></{self.span.raw_name}>"
                return Splice(self.span.start, self.span.end, whole.encode())
            return Splice(self.span.open_end, self.span.open_end, f"<{p}pPr>{style}</{p}pPr>".encode())
        old = inner(properties, "pStyle")
        if old is not None:
            (found,) = set_attributes(self.part.data, old, [(f"{old.prefix}val", self._style)]) or [
                Splice(old.start, old.start, b"")
            ]
            return found
        if properties.open_end == properties.end:
            return Splice(properties.start, properties.end, f"<{p}pPr>{style}</{p}pPr>".encode())
        return Splice(properties.open_end, properties.open_end, style.encode())

    def _new(self, text: str) -> bytes:
        """A new paragraph of the same style."""
        p = self.span.prefix
        style = f'<{p}pPr><{p}pStyle {p}val="{escaped(self._style)}"/></{p}pPr>' if self._style else ""
        run = f"<{p}r>{elements_of(text, p)}</{p}r>" if text else ""
        return f"<{p}p>{style}{run}</{p}p>".encode()


class OfficeDocument(PickedFile, Document):
    """A .docx file."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self.package = Package(source)
        found = [each for each in relationships(self.package, "").values() if each.type == "officeDocument"]
        main = found[0].target if found else None
        if main is None or main not in self.package.members:
            raise self.problem("its document part is missing, so this is not a document, or a damaged one")
        self._main = main
        body = StoryPart(self.package, main, PlaceInDocument.BODY)
        if body.root.name != "document" or not own(body.root):
            raise self.problem("its main part is not a document, whatever its name says")
        self._parts = [body]
        related = relationships(self.package, main)
        for kind, place in _PLACES.items():
            for one in related.values():
                if one.type == kind and one.target in self.package.members:
                    self._parts.append(StoryPart(self.package, str(one.target), place))
        self._related = related
        self._settings = self._read_settings()
        self._every = list(self._read())
        for index, each in enumerate(self._every):
            each.index = index
        self.properties = CoreProperties(self.package)

    def _read_settings(self) -> Span | None:
        part = next((each.target for each in self._related.values() if each.type == "settings"), None)
        return part_tree(self.package, part)[1] if part is not None and part in self.package.members else None

    def ensure_open(self) -> None:
        """Raises `Failure` where the document does not allow changes (17.15.1.29) or records each (17.15.1.90)."""
        settings = self._settings
        lock = inner(settings, "documentProtection") if settings is not None else None
        if lock is not None and value(lock, "enforcement") in ("1", "true", "on"):
            raise Failure(f"{self.name} is protected. Take the protection off in its own program first")
        recording = inner(settings, "trackRevisions") if settings is not None else None
        if recording is not None and value(recording) not in ("0", "false", "off"):
            raise Failure(
                f"{self.name} records every change, and Scrub cannot write recorded changes yet. "
                "Turn that off in its own program first"
            )

    def _read(self) -> Iterator[OfficeParagraph]:
        group = 0
        for part in self._parts:
            fields = FieldState()
            holder: object = None
            for span, where, around in paragraphs_of(part.root):
                if around is not holder:
                    group, holder = group + 1, around
                place = PlaceInDocument(where) if where else part.place
                yield OfficeParagraph(self, part, span, place, group, fields)

    @cached_property
    def styles(self) -> ParagraphStyles:
        """Its styles."""
        part = next((each.target for each in self._related.values() if each.type == "styles"), None)
        return ParagraphStyles(part_tree(self.package, part)[1] if part in self.package.members and part else None)

    def every_paragraph(self) -> Sequence[OfficeParagraph]:
        """Its paragraphs: of the body, then of headers, footers, footnotes and endnotes."""
        return [each for each in self._every if not each.removed]

    def paragraphs(self) -> Iterator[OfficeParagraph]:
        """Its paragraphs."""
        return iter(self.every_paragraph())

    def tables(self) -> Iterator[Table]:
        """Its tables, each called by its caption, else by the heading above it, else by its number."""
        return iter(self._tables)

    @cached_property
    def _tables(self) -> list[Table]:
        by_place = {id(each.span): each for each in self._every}
        found: list[Table] = []
        names: set[str] = set()
        for part in self._parts:
            for span in tables_in(part.root):
                rows = [
                    {at: [by_place[id(p)] for p in cell.children if id(p) in by_place] for at, cell in row}
                    for row in cells_of(span)
                ]
                above = [each for each in self._every if each.part is part and each.span.end <= span.start]
                heading = next((each.text.strip() for each in reversed(above) if each.level is not None), "")
                name = caption_of(span) or heading
                if not name or name in names:
                    name = f"{name} {len(found) + 1}" if name else f"table {len(found) + 1}"
                names.add(name)
                found.append(Table(DocumentRows(self, name, rows)))
        return found

    def headings(self) -> Iterator[OfficeParagraph]:
        """Its headings."""
        return (each for each in self.every_paragraph() if each.level is not None)

    def groups(self) -> Sequence[Sequence[Paragraph]]:
        """Its paragraphs, those together that stand together."""
        found: dict[int, list[Paragraph]] = {}
        for each in self.every_paragraph():
            found.setdefault(each.group, []).append(each)
        return list(found.values())

    def group(self, of: OfficeParagraph) -> list[OfficeParagraph]:
        """The paragraphs that stand together with one."""
        return [each for each in self._every if each.group == of.group]

    def add_paragraph(self, text: str) -> None:
        """Adds one at the end of the body."""
        last = next(each for each in reversed(self._every) if each.place is PlaceInDocument.BODY and not each.removed)
        last.add_behind(text)

    @property
    def title(self) -> str | None:
        """The title in its properties."""
        return self.properties.get("title")

    @title.setter
    def title(self, value: str | None) -> None:
        self._set_property("title", value)

    @property
    def author(self) -> str | None:
        """Who wrote it."""
        return self.properties.get("creator")

    @author.setter
    def author(self, value: str | None) -> None:
        self._set_property("creator", value)

    def _set_property(self, name: str, value: str | None) -> None:
        before = self.properties.get(name)
        if before != value:
            field = "author" if name == "creator" else name
            self.changed(field, before, value, self.properties.put(name, value))

    @property
    def notes(self) -> Sequence[str]:
        """What a person should know about saving the changes."""
        if self.recorder and any(name.startswith("_xmlsignatures/") for name in self.package.members):
            return [f"{self.name} carries a digital signature, which no longer holds after a change."]
        return []

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        if not self.recorder:
            return None
        parts = Parts(self.package, self._parts[0].root)
        for part in self._parts:
            splices = [splice for each in self._every if each.part is part for splice in each.splices()]
            if splices:
                parts.changed[part.name] = partial(spliced, part.data, splices)
        self.properties.write(parts)
        parts.finish()
        if not parts.changed and not parts.added:
            return None
        return self.package.patch(parts.changed, parts.added, parts.removed)


def open_document(path: str) -> OfficeDocument:
    """Opens one. Raises `FileProblem`."""
    return opened(path, OfficeDocument)
