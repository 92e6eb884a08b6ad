"""An Office Open XML document opened for splicing (ISO/IEC 29500-1, 17.2, 11.3)."""

from __future__ import annotations

import posixpath
from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property, partial

from scrub.formats.beside import Beside
from scrub.formats.kept import LazyPiece as FromFile
from scrub.formats.opc.file import OfficeFile
from scrub.formats.opc.media import Media
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import relationships, targets_of
from scrub.formats.part_tree import part_tree
from scrub.formats.source import Source, opened
from scrub.formats.spans import Ordered, Span, Splice, outside, spliced
from scrub.formats.texts.marks import Mark
from scrub.formats.texts.tables import DocumentRows
from scrub.formats.wordprocessing.comments import CommentPart, OfficeComment
from scrub.formats.wordprocessing.frames import ParagraphFrames
from scrub.formats.wordprocessing.holes import controls_in
from scrub.formats.wordprocessing.home import Home, StoryPart
from scrub.formats.wordprocessing.inline import (
    OfficeBookmark,
    OfficeSection,
    bookmarks_in,
    ensure_bookmark,
    sections_in,
)
from scrub.formats.wordprocessing.links import Links, OfficeField, OfficeLink, fields_of, links_in
from scrub.formats.wordprocessing.looks import RunLooks
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.wordprocessing.pictures import OfficePicture, pictures_in
from scrub.formats.wordprocessing.read import RunPiece, inner, own, value
from scrub.formats.wordprocessing.review import OfficeChange, nameless, recorded_in
from scrub.formats.wordprocessing.stories import Stories
from scrub.formats.wordprocessing.styles import ParagraphStyles, parse_styles, styles_for, styles_of
from scrub.formats.wordprocessing.tables import OfficeTable, caption_of, cells_of, tables_in
from scrub.formats.wordprocessing.threads import Threads
from scrub.formats.wordprocessing.tracking import Tracking, recording
from scrub.formats.xmltext import is_on
from scrub.model.cells.records import Table
from scrub.model.core.change import Undo
from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import Failure, counted
from scrub.model.core.text import Looks
from scrub.model.texts.paragraphs import PlaceInDocument
from scrub.store.patch import Effect, Patch

#: The parts with paragraphs, by the last word of the relationship that leads to them, in their order.
_PLACES = {
    "header": PlaceInDocument.HEADER, "footer": PlaceInDocument.FOOTER, "footnotes": PlaceInDocument.FOOTNOTE,
    "endnotes": PlaceInDocument.ENDNOTE,
}  # fmt: skip
_OFFICE = "docProps/app.xml"
_BOXES = (PlaceInDocument.TEXT_BOX,)


class OfficeDocument(OfficeFile, Home):
    """A .docx file."""

    usual = "a .docx"

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        body = StoryPart(self.package, self.main, PlaceInDocument.BODY)
        if body.root.name != "document" or not own(body.root):
            raise self.problem("its main part is not a document, despite its name")
        parts = [body]
        related = relationships(self.package, self.main).values()
        for kind, place in _PLACES.items():
            for one in related:
                if one.type == kind and one.target in self.package.members:
                    parts.append(StoryPart(self.package, str(one.target), place))
        self._targets = targets_of(self.package, self.main)
        self._settings_part = self._targets.get("settings")
        self._settings = part_tree(self.package, self._settings_part)[1] if self._settings_part else None
        self._nameless = False
        self._arranged: list[OfficeTable] = []
        self._new_bookmarks: list[str] = []
        self.beside = Beside(source.path)
        self._controls: dict[str, tuple[StoryPart, Mapping[int, Span]]] = {}
        self._records: FromFile[bool] = FromFile(self._recording)
        self._stories = Stories(self, parts, self._forget)

    def ensure_open(self) -> None:
        """Raises `Failure` where the document allows no changes (17.15.1.29)."""
        if self._lock is None:
            return
        if self._lock != "trackedChanges":
            raise Failure(f"{self.name} is protected. Remove the protection in its own program first")
        if not self._records.now:
            raise Failure(f"{self.name} is protected: changes must be tracked. Turn tracking on")

    @cached_property
    def _lock(self) -> str | None:
        """What its protection allows; None for one without."""
        lock = inner(self._settings, "documentProtection") if self._settings is not None else None
        return value(lock, "edit") or "" if lock is not None and is_on(value(lock, "enforcement")) else None

    def _recording(self) -> bool:
        span = inner(self._settings, "trackRevisions") if self._settings is not None else None
        return span is not None and value(span) not in ("0", "false", "off")

    @property
    def tracks_changes(self) -> bool:
        """Whether changes are recorded (17.15.1.90)."""
        return self._records.now

    @tracks_changes.setter
    def tracks_changes(self, value: bool) -> None:
        if value == self._records.now:
            return
        if self._settings is None:
            raise Failure(f"{self.name} has no settings, so changes cannot be tracked")
        self.changed("tracks-changes", not value, value, self._records.put(value))

    @cached_property
    def tracking(self) -> Tracking:
        """Who records changes in it."""
        parts = [part.data for part in self._stories.parts]
        parts += [self.package.read(name) for name in self.package.members if name.endswith("comments.xml")]
        return Tracking(CURRENT.get().author or "Scrub", parts)

    @cached_property
    def _style_part(self) -> Span | None:
        part = self._targets.get("styles")
        return part_tree(self.package, part, parse_styles)[1] if part else None

    @cached_property
    def styles(self) -> ParagraphStyles:
        """Those of its part for styles (ISO/IEC 29500-1, 17.7)."""
        return styles_of(self._style_part)

    @cached_property
    def table_styles(self) -> Mapping[str, str]:
        """The names of its styles of tables, by their ids."""
        return styles_for(self._style_part, "table")

    @cached_property
    def frames(self) -> ParagraphFrames:
        """How its paragraphs are set by their styles."""
        return ParagraphFrames(self._style_part)

    def controls(self, part: StoryPart) -> Mapping[int, Span]:
        """The content controls of a part that hold one paragraph, by where that begins."""
        control = self._controls.get(part.name)
        if control is None or control[0] is not part:
            control = self._controls[part.name] = (part, dict(controls_in(part.root)))
        return control[1]

    @cached_property
    def run_looks(self) -> RunLooks:
        """How its words look."""
        return RunLooks(self._style_part)

    def every_paragraph(self) -> Sequence[OfficeParagraph]:
        """Its paragraphs: of the body, then of headers, footers, footnotes and endnotes."""
        return [paragraph for paragraph in self._stories.paragraphs if not paragraph.removed]

    def paragraphs(self) -> Iterator[OfficeParagraph]:
        """Those that are still there."""
        return iter(self.every_paragraph())

    def tables(self) -> Iterator[Table]:
        """Its tables, each called by its caption, else by the heading above it, else by its number."""
        return iter(self._tables)

    @cached_property
    def _tables(self) -> list[Table]:
        paragraphs = self._stories.paragraphs
        by_place = {id(paragraph.span): paragraph for paragraph in paragraphs}
        tables: list[Table] = []
        names: set[str] = set()
        for part in self._stories.parts:
            headings = [paragraph for paragraph in paragraphs if paragraph.part is part and paragraph.level is not None]
            starts = [heading.span.start for heading in headings]
            for span in tables_in(part.root):
                rows = [
                    {at: [by_place[id(p)] for p in cell.children if id(p) in by_place] for at, cell in row}
                    for row in cells_of(span)
                ]
                above = bisect_right(starts, span.start) - 1
                name = caption_of(span) or (headings[above].text.strip() if above >= 0 else "")
                if not name or name in names:
                    name = f"{name} {len(tables) + 1}" if name else f"table {len(tables) + 1}"
                names.add(name)
                arranged = OfficeTable(self, part, span, name)
                arranged.rows = DocumentRows(self, name, rows, arranged.hold, arranged)
                self._arranged.append(arranged)
                tables.append(Table(arranged.rows))
        return tables

    def arrange_rows(self) -> None:
        """Raises `Failure` where rows cannot be arranged."""
        self.ensure_open()

    def style_tables(self) -> None:
        """Raises `Failure` where the styles of tables stay."""
        self.ensure_open()
        if self.tracks_changes:
            raise Failure(f"{self.label}: a table style cannot change while changes are tracked. Turn tracking off")

    # -- what is among the words

    @cached_property
    def _links(self) -> Links:
        return Links(self.package)

    def links(self) -> Iterator[OfficeLink]:
        """Elements and fields (17.16.22, 17.16.5.25)."""
        return links_in(self, self._stories, self._links)

    def fields(self) -> Iterator[OfficeField]:
        """Simple and complex ones (17.16.19, 17.16.18)."""
        return fields_of(self, self._stories)

    def pictures(self) -> Iterator[OfficePicture]:
        """Inline and floating ones (20.4.2)."""
        return pictures_in(self, self._stories, self._media)

    @cached_property
    def _media(self) -> Media:
        return Media(self.package)

    def bookmarks(self) -> Iterator[OfficeBookmark]:
        """In the order of the text (17.13.6)."""
        return bookmarks_in(self, self._stories)

    def sections(self) -> Iterator[OfficeSection]:
        """In the order of the text (17.6)."""
        return iter(self._sections)

    @cached_property
    def _sections(self) -> Sequence[OfficeSection]:
        return list(sections_in(self, self._stories))

    @property
    def story_parts(self) -> Sequence[StoryPart]:
        """The parts with its paragraphs."""
        return self._stories.parts

    def between(self, part: StoryPart, start: int, end: int) -> Iterator[tuple[OfficeParagraph, Sequence[RunPiece]]]:
        """The paragraphs between two places of a part, each with its pieces there."""
        return self._stories.between(part, start, end)

    # -- what reviewers left

    def changes_waiting(self) -> Iterator[OfficeChange]:
        """The tracked changes that wait."""
        return recorded_in(self, self._stories)

    @cached_property
    def _comments(self) -> CommentPart:
        threads = Threads(self.package, self.main, self._targets.get("commentsExtended"))
        return CommentPart(self, self.package, self._targets.get("comments"), threads)

    def comments(self) -> Iterator[OfficeComment]:
        """In the order of their part (17.13.4)."""
        return iter(self._comments.items)

    def comment_mark(self, paragraph: OfficeParagraph, text: str) -> tuple[Mark, Undo]:
        """What a new comment is, and how to undo it."""
        return self._comments.comment(paragraph.part.root.prefix, text)

    @property
    def link_looks(self) -> Looks:
        """As the document has links look, else as most programs do."""
        try:
            return (("style", self.run_looks.letter_style("Hyperlink")),)
        except Failure:
            return (("colour", "#0000ee"), ("underlined", True))

    def link_mark(self, paragraph: OfficeParagraph, address: str) -> tuple[Mark, Undo]:
        """What a new link is, and how to undo it."""
        return self._links.new(paragraph.part, address)

    def bookmark_mark(self, paragraph: OfficeParagraph, name: str) -> tuple[Mark, Undo]:
        """What a new bookmark is, and how to undo it."""
        ensure_bookmark(
            name, (*(bookmark.name for bookmark in bookmarks_in(self, self._stories, True)), *self._new_bookmarks)
        )
        p, id_ = paragraph.part.root.prefix, self.tracking.number()
        mark = Mark(
            name, f'<{p}bookmarkStart {p}id="{id_}" {p}name="{name}"/>', f'<{p}bookmarkEnd {p}id="{id_}"/>'
        )  # fmt: skip
        self._new_bookmarks.append(name)
        return mark, lambda: self._new_bookmarks.remove(name)

    def accept_changes(self) -> None:
        """Makes every tracked change real."""
        self._resolve(True)

    def reject_changes(self) -> None:
        """Takes every tracked change back."""
        self._resolve(False)

    def _resolve(self, accepted: bool) -> None:
        self.ensure_open()
        count = len(list(self.changes_waiting()))
        if not count:
            return
        verb = "accepted" if accepted else "rejected"
        said = f"{counted(count, 'tracked change')} {verb}"
        self.changed("changes", count, 0, self._stories.decide_all(accepted), said)

    def _forget(self) -> None:
        """Drops what was found among paragraphs that are others now."""
        for name in ("_tables", "_sections"):
            self.__dict__.pop(name, None)
        self._arranged.clear()
        self._comments.forget()

    @cached_property
    def _with_names(self) -> list[tuple[str, bytes, list[Splice]]]:
        """The other parts with names, and what takes them out: of the office (ISO/IEC 29500-1, 22.2.2), of the people
        who wrote ([MS-DOCX] 2.5.3.4).
        """
        result: list[tuple[str, bytes, list[Splice]]] = []
        for part, names in ((_OFFICE, ("Company", "Manager")), (self._targets.get("people", ""), ("person",))):
            if part in self.package.members:
                data, root = part_tree(self.package, part)
                named = (child for child in root.children if child.name in names)
                full = [span for span in named if span.name == "person" or span.open_end < span.close_start]
                if full:
                    result.append((part, data, [Splice(span.start, span.end, b"") for span in full]))
        return result

    def has_people(self) -> bool:
        """Whether it names who wrote or changed it, beside its properties."""
        written = [part.data for part in self._stories.parts] + self._comments.written
        return bool(self._with_names) or any(nameless(data) != data for data in written)

    def headings(self) -> Iterator[OfficeParagraph]:
        """Those with a level of their own or by their style."""
        return (paragraph for paragraph in self.every_paragraph() if paragraph.level is not None)

    def all_paragraphs(self) -> Sequence[OfficeParagraph]:
        """Its paragraphs, those that went too."""
        return self._stories.paragraphs

    @property
    def protected(self) -> bool:
        """Whether it allows no changes, or recorded ones only (17.15.1.29)."""
        return self._lock is not None

    def _write(self, parts: Parts, name: str, first: bytes, made: bytes) -> None:
        """A part as it is to be, if that is another than it was."""
        made = nameless(made) if self._nameless else made
        if made != first:
            parts.changed[name] = lambda: made

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to, with the pictures that are saved of it."""
        return [*super().effects(into), *self.beside.effects()]

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        if not self.recorder:
            return None
        parts = Parts(self.package, self._stories.parts[0].root)
        self._comments.begin()
        self._links.write(parts, self._stories)
        self._media.write(parts, posixpath.join(posixpath.dirname(self.main), "media"), self._stories.parts)
        for part in self._stories.parts:
            of_part = [paragraph for paragraph in self._stories.paragraphs if paragraph.part is part]
            # What is in text boxes comes first: the runs that hold them are written with it.
            edits = part.edited
            known = Ordered(edits)
            edits += [
                splice for paragraph in of_part if paragraph.place in _BOXES for splice in paragraph.splices(known)
            ]
            known = Ordered(edits)
            splices = [
                splice for paragraph in of_part if paragraph.place not in _BOXES for splice in paragraph.splices(known)
            ]
            splices += outside(splices, self._comments.marks(part.root))
            splices += outside(splices, edits)
            for table in reversed(self._arranged):  # one in a cell of another first
                splices = table.arranged(splices) if table.part is part else splices
            if splices or part.data is not part.first or self._nameless:
                self._write(parts, part.name, part.first, spliced(part.data, splices))
        self._comments.write(parts, self._nameless)
        for name, data, splices in self._with_names if self._nameless else ():
            self._write(parts, name, data, spliced(data, splices))
        if self._records.touched and self._settings_part and self._settings is not None:
            data = self.package.read(self._settings_part)
            parts.changed[self._settings_part] = partial(
                spliced, data, recording(data, self._settings, self._records.now)
            )
        self._write_properties(parts)
        parts.finish()
        if not parts.changed and not parts.added:
            return None
        return self.package.patch(parts.changed, parts.added, parts.removed)


def open_document(path: str) -> OfficeDocument:
    """Opens one. Raises `FileProblem`."""
    return opened(path, OfficeDocument)
