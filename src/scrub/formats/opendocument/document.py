"""An Open Document text opened for splicing (OpenDocument 1.3, part 2 for the package, part 3 for what is in it)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from itertools import count

from scrub.formats.beside import Beside
from scrub.formats.described import DescribedFile
from scrub.formats.file import PickedFile
from scrub.formats.opendocument.flat import FlatPackage
from scrub.formats.opendocument.found import parse_text
from scrub.formats.opendocument.gone import mark_gone
from scrub.formats.opendocument.inline import (
    TextBookmark,
    TextField,
    TextLink,
    TextSection,
    bookmarks_in,
    ensure_bookmark,
    fields_in,
    links_in,
    sections_in,
)
from scrub.formats.opendocument.looks import TextLooks
from scrub.formats.opendocument.paragraph import TextParagraph, TextPart
from scrub.formats.opendocument.pictures import Media, TextPicture, pictures_in
from scrub.formats.opendocument.properties import TextProperties
from scrub.formats.opendocument.read import (
    TABLE,
    TEXT,
    XLINK,
    SpanPiece,
    is_paragraph,
    of,
    paragraphs_of,
    value,
)
from scrub.formats.opendocument.recording import CONTENT, RecordingText, body_of
from scrub.formats.opendocument.resolve import resolved
from scrub.formats.opendocument.review import TextChange, TextComment, changes_in, comments_in, names_in
from scrub.formats.opendocument.styles import TextStyles
from scrub.formats.opendocument.tables import TextTable, cells_of, plain_cell, rows_of, says_more
from scrub.formats.part_tree import part_tree
from scrub.formats.source import Source, opened
from scrub.formats.spans import escaped, outside, spliced
from scrub.formats.texts.marks import Mark
from scrub.formats.texts.stories import Stories
from scrub.formats.texts.tables import DocumentRows
from scrub.formats.zip import Package
from scrub.model.cells.records import Table
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure, counted
from scrub.model.texts.paragraphs import PlaceInDocument
from scrub.store.patch import Effect, Patch

_STYLES = "styles.xml"
_TYPE = b"application/vnd.oasis.opendocument.text"
#: Where paragraphs are that another one contains.
_HELD = (PlaceInDocument.FOOTNOTE, PlaceInDocument.ENDNOTE, PlaceInDocument.TEXT_BOX)


class OpenText(PickedFile, DescribedFile, RecordingText):
    """A .odt file."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self.package: Package | FlatPackage = (
            FlatPackage(source, _TYPE.decode()) if source.path.lower().endswith(".fodt") else Package(source)
        )
        if CONTENT not in self.package.members:
            raise self.problem("its content is missing: not an OpenDocument file, or a damaged one")
        if "mimetype" in self.package.members and not self.package.read("mimetype").strip().startswith(_TYPE):
            raise self.problem("an OpenDocument file, but not a text document. Save it as .odt in its own program")
        manifest = "META-INF/manifest.xml"
        if manifest in self.package.members and b"encryption-data" in self.package.read(manifest):
            raise self.problem("it is encrypted. In its own program, save it without a password")
        parts = [TextPart(CONTENT, *part_tree(self.package, CONTENT, parse_text))]
        if body_of(parts[0]) is None:
            raise self.problem("not a text document, despite its name")
        if _STYLES in self.package.members:
            parts.append(TextPart(_STYLES, *part_tree(self.package, _STYLES)))
        self._stories: Stories[TextPart, TextParagraph] = Stories(self, parts, self._read, _resolved, self._forget)
        self._nameless = False
        self._new_names: list[str] = []  # of comments and bookmarks
        self._link_numbers = count(1)
        self.beside = Beside(source.path)
        self._arranged: list[TextTable] = []
        self.properties: TextProperties = TextProperties(self.package)

    @property
    def parts(self) -> Sequence[TextPart]:
        """Those with paragraphs."""
        return self._stories.parts

    @property
    def _every(self) -> Sequence[TextParagraph]:
        return self._stories.paragraphs

    def _forget(self) -> None:
        """Drops what was found among paragraphs that are others now."""
        for name in ("text_looks", "styles", "_listed", "_tables"):
            self.__dict__.pop(name, None)
        self.begin_recording()
        self._arranged.clear()

    def _read(self, parts: Sequence[TextPart]) -> list[TextParagraph]:
        paragraphs: list[TextParagraph] = []
        for part in parts:
            root = body_of(part) or part.root
            holder, group = None, list[TextParagraph]()
            for span, where, around in paragraphs_of(root):
                if around is not holder:
                    holder, group = around, []
                place = PlaceInDocument(where or "body")
                if part.name == _STYLES:
                    margin = part.margin_at(span.start)
                    if margin is None:
                        continue  # what styles hold besides headers and footers is not a paragraph of the document
                    if place not in _HELD:
                        place = PlaceInDocument.FOOTER if "footer" in margin.name else PlaceInDocument.HEADER
                paragraph = TextParagraph(self, part, span, place, group)
                paragraph.index = len(paragraphs)
                if of(around, TABLE, "table-cell") and says_more(around):
                    paragraph.cell = around
                group.append(paragraph)
                paragraphs.append(paragraph)
        return paragraphs

    @cached_property
    def styles(self) -> TextStyles:
        """Those of the content and of `styles.xml` (OpenDocument 1.3, part 3, 16.2)."""
        return TextStyles(part.root for part in reversed(self.parts))

    @cached_property
    def text_looks(self) -> TextLooks:
        """How its words and paragraphs look."""
        return TextLooks(self.parts)

    @cached_property
    def _listed(self) -> dict[tuple[str, int], int]:
        """How many lists each paragraph of a list is in (5.3)."""
        result: dict[tuple[str, int], int] = {}
        for part in self.parts:
            waiting = [(part.root, 0)]
            while waiting:
                span, depth = waiting.pop()
                if is_paragraph(span):
                    if depth:
                        result[part.name, span.start] = depth
                    continue
                depth += of(span, TEXT, "list")
                waiting += [(child, depth) for child in span.children]
        return result

    def list_level(self, paragraph: TextParagraph) -> int | None:
        """How many lists a paragraph is in."""
        return self._listed.get((paragraph.part.name, paragraph.span.start))

    def ensure_open(self) -> None:
        """It always allows changes."""

    # -- tracked changes

    def accept_changes(self) -> None:
        """Makes every tracked change real."""
        self._decide_all(True)

    def reject_changes(self) -> None:
        """Takes every tracked change back."""
        self._decide_all(False)

    def _decide_all(self, accepted: bool) -> None:
        decided = len(list(self.changes_waiting()))
        if decided:
            said = f"{counted(decided, 'tracked change')} {'accepted' if accepted else 'rejected'}"
            self.changed("changes", decided, 0, self._stories.decide_all(accepted), said)

    @property
    def notes(self) -> Sequence[str]:
        """What a person should know about saving the changes."""
        if self.recorder and "META-INF/documentsignatures.xml" in self.package.members:
            return [f"{self.name} has a digital signature. After a change, the signature is invalid."]
        return []

    # -- what it contains

    def every_paragraph(self) -> Sequence[TextParagraph]:
        """Its paragraphs: of the body, each followed by its notes, then of headers and footers."""
        return [paragraph for paragraph in self._every if not paragraph.removed]

    def paragraphs(self) -> Iterator[TextParagraph]:
        """Those that are still there."""
        return iter(self.every_paragraph())

    def headings(self) -> Iterator[TextParagraph]:
        """Those with a level, in the same order."""
        return (paragraph for paragraph in self.every_paragraph() if paragraph.level is not None)

    def paragraph_at(self, part: TextPart, place: int) -> TextParagraph | None:
        """The paragraph of a part that something is in, or after."""
        return self._stories.paragraph_at(part, place)

    def between(self, part: TextPart, start: int, end: int) -> Iterator[tuple[TextParagraph, Sequence[SpanPiece]]]:
        """The paragraphs between two places of a part, each with its pieces there."""
        return self._stories.between(part, start, end)

    def all_paragraphs(self) -> Sequence[TextParagraph]:
        """Its paragraphs, those that went too."""
        return self._every

    def tables(self) -> Iterator[Table]:
        """Its tables, by the name that each has."""
        return iter(self._tables)

    @cached_property
    def _tables(self) -> list[Table]:
        by_place = {(paragraph.part.name, paragraph.span.start): paragraph for paragraph in self._every}
        tables: list[Table] = []
        part = self.parts[0]
        for span in self._body.inside(read_only=True):
            if of(span, TABLE, "table"):
                rows = [
                    {
                        at: [by_place[CONTENT, p.start] for p in cell.children if (CONTENT, p.start) in by_place]
                        for at, cell in cells_of(row)
                    }
                    for row in rows_of(span)
                ]
                name = value(span, "name", TABLE) or f"table {len(tables) + 1}"
                arranged = TextTable(part, span, name)
                arranged.rows = DocumentRows(self, name, rows, arranged.hold)
                self._arranged.append(arranged)
                tables.append(Table(arranged.rows))
        return tables

    def arrange_rows(self) -> None:
        """Raises `Failure` where rows cannot be arranged."""
        if self.tracks_changes:
            raise Failure(
                f"{self.name}: rows cannot be added, deleted or moved while changes are tracked. Turn tracking off"
            )

    # -- what is among the words

    def links(self) -> Iterator[TextLink]:
        """In the order of the text (6.1.8)."""
        return (link for part in self.parts for link in links_in(self, part))

    def fields(self) -> Iterator[TextField]:
        """In the order of the text (7)."""
        return (field for part in self.parts for field in fields_in(self, part))

    def pictures(self) -> Iterator[TextPicture]:
        """In the order of the text (10.4)."""
        return (picture for part in self.parts for picture in pictures_in(self, part, self._media))

    @cached_property
    def _media(self) -> Media:
        return Media(self.package)

    def bookmarks(self) -> Iterator[TextBookmark]:
        """In the order of the text (6.2.1)."""
        return (bookmark for part in self.parts for bookmark in bookmarks_in(self, part))

    def sections(self) -> Iterator[TextSection]:
        """Its layouts of pages."""
        return iter(self._sections)

    @cached_property
    def _sections(self) -> Sequence[TextSection]:
        return [section for part in self.parts if part.name == _STYLES for section in sections_in(self, part)]

    # -- what reviewers left

    def comment_mark(self, paragraph: TextParagraph, text: str) -> tuple[Mark, Undo]:
        """What a new comment is: one name ties it to the end of its words."""
        taken = [part.data for part in self.parts]
        names = (f"comment {number}" for number in count(1))
        name = next(
            each for each in names if each not in self._new_names and not any(each.encode() in data for data in taken)
        )
        mark = Mark(name, *self.tracking.comment(text, name))
        return mark, self._named(name)

    def link_mark(self, paragraph: TextParagraph, address: str) -> tuple[Mark, Undo]:
        """What a new link is (6.1.8): one for each piece of its words, as no element is over the edge of another."""
        t = paragraph.span.prefix
        name = f"link {next(self._link_numbers)}"
        mark = Mark(
            name,
            f'<{t}a xlink:type="simple" xlink:href="{escaped(address)}" xmlns:xlink="{XLINK}">',
            f"</{t}a>",
            holds=True,
            pieces=True,
        )
        return mark, lambda: None

    def _named(self, name: str) -> Undo:
        self._new_names.append(name)
        return lambda: self._new_names.remove(name)

    def bookmark_mark(self, paragraph: TextParagraph, name: str) -> tuple[Mark, Undo]:
        """What a new bookmark is."""
        ensure_bookmark(name, (*(bookmark.name for bookmark in self.bookmarks()), *self._new_names))
        t = paragraph.span.prefix
        mark = Mark(name, f'<{t}bookmark-start {t}name="{name}"/>', f'<{t}bookmark-end {t}name="{name}"/>')
        return mark, self._named(name)

    def comments(self) -> Iterator[TextComment]:
        """In the order of the text (14.1)."""
        return (comment for part in self.parts for comment in comments_in(self, part))

    def changes_waiting(self) -> Iterator[TextChange]:
        """The tracked changes that wait."""
        return (change for part in self.parts for change in changes_in(self, self._stories, part))

    def has_people(self) -> bool:
        """Whether it names who wrote or changed it, beside its properties."""
        return any(next(names_in(part.root), None) for part in self.parts)

    # -- writing

    def effects(self, into: str | None = None) -> list[Effect]:
        """What saving it comes to, with the pictures that are saved of it."""
        return [*super().effects(into), *self.beside.effects()]

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        if not self.recorder:
            return None
        changed: dict[str, Callable[[], bytes]] = {}
        self.text_looks.start()
        self.begin_recording()
        mark_gone(self._every, self.tracking_of)
        added = self._media.names()
        for part in self.parts:
            of_part = [paragraph for paragraph in self._every if paragraph.part is part]
            splices = [
                splice for paragraph in of_part if paragraph.place not in _HELD for splice in paragraph.splices()
            ]
            # What is in notes and frames goes with the paragraph that contains them.
            splices += outside(
                splices, [splice for paragraph in of_part if paragraph.place in _HELD for splice in paragraph.splices()]
            )
            cells = {
                paragraph.cell.start: paragraph.cell
                for paragraph in of_part
                if paragraph.cell is not None and paragraph.says_otherwise
            }
            splices += [splice for cell in cells.values() for splice in plain_cell(part.data, cell)]
            splices += outside(splices, part.edited)
            splices += outside(splices, names_in(part.root)) if self._nameless else ()
            for table in reversed(self._arranged):  # one in a cell of another first
                splices = table.arranged(splices) if table.part is part else splices
            splices += self.text_looks.splices(part)
            splices = [*self.lists_of_changes(part), *splices]  # above the first paragraph
            if splices or part.data is not part.first:
                changed[part.name] = partial(spliced, part.data, splices)
        changed |= self.properties.changed()
        if not changed:
            return None
        gone: set[str] = set()
        if self._media.touched:
            gone = self._media.left(
                changed.get(text_part.name, partial(bytes, text_part.data))() for text_part in self.parts
            )
            changed |= self._media.listed(added, gone)
        return self.package.patch(changed, {name: new.data for name, new in added.items()}, gone)


def _resolved(part: TextPart, decided: Mapping[int, bool] | bool) -> TextPart:
    data = resolved(part.data, decided)
    return TextPart(part.name, data, parse_text(data), part.first) if data != part.data else part


def open_open_text(path: str) -> OpenText:
    """Opens one. Raises `FileProblem`."""
    return opened(path, OpenText)
