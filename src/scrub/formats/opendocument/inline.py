"""What is among the words of an Open Document, and its pages (OpenDocument 1.3, part 3: 6.1.8, 6.2, 7, 10.4)."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator

from scrub.formats.kept import all_back
from scrub.formats.opendocument.lengths import centimetres
from scrub.formats.opendocument.paragraph import TextHome, TextPart
from scrub.formats.opendocument.place import TextPlace
from scrub.formats.opendocument.read import FO, STYLE, TEXT, XLINK, alive, attribute, of, style_name, value
from scrub.formats.spans import Span, Splice, whole
from scrub.formats.texts.placed import Placed, PlacedBookmark, ensure_other
from scrub.formats.xmltext import escaped_text, text_of
from scrub.model.core.amounts import Length, number_text
from scrub.model.core.change import cut
from scrub.model.core.printing import Orientation
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold
from scrub.model.texts.inline import MOST_TEXT_COLUMNS, Field, Link, Section, ensure_address

#: Styles of characters that show where a link is; without the link they would mislead.
_OF_LINKS = frozenset(("internet link", "visited internet link"))
#: Elements whose words a program works out (chapter 7).
_FIELDS = frozenset((
    "date", "time", "page-number", "page-count", "paragraph-count", "word-count", "character-count", "table-count",
    "image-count", "object-count", "page-continuation", "author-name", "author-initials", "chapter", "file-name",
    "template-name", "sheet-name", "variable-set", "variable-get", "variable-input", "user-field-get",
    "user-field-input", "sequence", "expression", "text-input", "initial-creator", "creation-date", "creation-time",
    "description", "user-defined", "print-time", "print-date", "printed-by", "title", "subject", "keywords",
    "editing-cycles", "editing-duration", "modification-time", "modification-date", "creator", "database-display",
    "database-row-number", "database-name", "reference-ref", "bookmark-ref", "note-ref", "sequence-ref", "placeholder",
    "conditional-text", "hidden-text", "drop-down", "measure", "dde-connection",
))  # fmt: skip


class TextLink(Placed[TextPlace], Link):
    """An element `text:a` (6.1.8)."""

    def __init__(self, place: TextPlace) -> None:
        self._place = place

    @property
    def removed(self) -> bool:
        """Whether it was taken away."""
        return self._place.has("link")

    @property
    def text(self) -> str:
        """Its words."""
        return self._place.words

    @property
    def address(self) -> str:
        """Where it leads."""
        return self._place.said("href", XLINK) or ""

    @address.setter
    def address(self, value: str) -> None:
        before = self.address
        if value == before:
            return
        ensure_address(value)
        back = self._place.say("href", value, XLINK)
        self.changed("link", before, value, back, inner=(f'"{self.text[:30]}"',))

    def delete(self) -> None:
        """Takes it away."""
        span = self._place.span
        tags = [span, *(element for element in span.inside() if of(element, TEXT, "span") and _shows_link(element))]
        gone = [Splice(*edge, b"") for tag in tags for edge in _edges(tag)]
        back = self._place.put("link", gone)
        self.changed("link", self.address, None, back, f'link of "{self.text[:30]}" deleted: {self.address}')


def _shows_link(span: Span) -> bool:
    return fold(style_name(value(span, "style-name") or "")) in _OF_LINKS


def _edges(span: Span) -> tuple[tuple[int, int], tuple[int, int]]:
    return (span.start, span.open_end), (span.close_start, span.end)


def links_in(home: TextHome, part: TextPart) -> Iterator[TextLink]:
    """The links of a part."""
    for span in alive(part.root):
        if of(span, TEXT, "a"):
            link = TextLink(TextPlace(home, part, span))
            if not link.removed:
                yield link


class TextField(Placed[TextPlace], Field):
    """A field. In the text of its paragraph it is one mark, which stays when words round it change."""

    def __init__(self, place: TextPlace) -> None:
        self._place = place

    @property
    def removed(self) -> bool:
        """Whether it is plain text now."""
        return self._place.has("field")

    @property
    def code(self) -> str:
        """What it works out: the name of its element, and of what it shows."""
        span = self._place.span
        named = value(span, "ref-name") or value(span, "name") or value(span, "column-name")
        return f"{span.name} {named}" if named else span.name

    @property
    def result(self) -> str:
        """What it shows."""
        span = self._place.span
        return text_of(self._place.part.data[span.start : span.end])

    def fix(self) -> None:
        """Makes what it shows plain text."""
        if self._place.home.tracks_changes:
            raise Failure(f"{self.label}: fields cannot become plain text while changes are tracked. Turn tracking off")
        span, result = self._place.span, self.result
        back = self._place.put("field", [Splice(span.start, span.end, escaped_text(result).encode())])
        said = f'field {self.code} is plain text now: "{cut(result)}"'
        self.changed(f"tags {span.start}", True, False, back, said)


def fields_in(home: TextHome, part: TextPart) -> Iterator[TextField]:
    """The fields of a part."""
    for span in alive(part.root):
        if span.uri == TEXT and span.name in _FIELDS:
            field = TextField(TextPlace(home, part, span))
            if not field.removed and field._place.paragraph is not None:
                yield field


class TextBookmark(PlacedBookmark[TextPlace]):
    """A bookmark: one mark, or two of one name (6.2.1)."""

    @property
    def name(self) -> str:
        """As `text:name` has it."""
        return self._place.said("name") or ""

    @name.setter
    def name(self, value: str) -> None:
        before, place = self.name, self._place
        if value == before:
            return
        ensure_bookmark(value, (bookmark.name for bookmark in place.home.bookmarks() if bookmark.name != before))
        back = [place.say("name", value), *self._lead_to(before, value)]
        if self._end is not None:
            back.append(place._replace(span=self._end).say("name", value))
        self.changed("name", before, value, all_back(back))

    def _lead_to(self, before: str, name: str) -> Iterator[Callable[[], None]]:
        """Links and references that name it name it again (7.7.6)."""
        for part in self._place.home.parts:
            for span in alive(part.root):
                place = TextPlace(self._place.home, part, span)
                if of(span, TEXT, "bookmark-ref") and place.said("ref-name") == before:
                    yield place.say("ref-name", name)
                elif of(span, TEXT, "a") and place.said("href", XLINK) == f"#{before}":
                    yield place.say("href", f"#{name}", XLINK)


def ensure_bookmark(name: str, others: Iterable[str]) -> None:
    """Raises `Failure` for a name that no bookmark can have, or another one has."""
    if not name.strip() or re.search(r"[\s#/\\@:*?\";,.|()<>&']", name):
        raise Failure(f'"{name}" is not a valid bookmark name. Use letters, digits, "-" and "_"')
    ensure_other(name, others)


def bookmarks_in(home: TextHome, part: TextPart) -> Iterator[TextBookmark]:
    """The bookmarks of a part; those that its program made for itself begin with a line, and are left out."""
    marks = [span for span in alive(part.root) if span.uri == TEXT and span.name.startswith("bookmark")]
    ends = {value(mark, "name"): mark for mark in marks if mark.name == "bookmark-end"}
    for mark in marks:
        if mark.name in ("bookmark", "bookmark-start") and not (value(mark, "name") or "_").startswith("_"):
            end = ends.get(value(mark, "name")) if mark.name == "bookmark-start" else None
            bookmark = TextBookmark(TextPlace(home, part, mark), end)
            if not bookmark.removed:
                yield bookmark


class TextSection(Placed[TextPlace], Section):
    """The pages of one layout (16.5)."""

    def __init__(self, place: TextPlace, number: int) -> None:
        self._place, self._number = place, number
        self._columns = 0  # none are set yet

    @property
    def label(self) -> str:
        """Its number."""
        return f"section {self._number}"

    def measure(self, word: str) -> Length | None:
        """A length."""
        said = self._place.said(_MEASURES[word], FO)
        if said is None and "margin" in word:
            said = self._place.said("margin", FO)
        found = centimetres(said)
        return None if found is None else Length.of_cm(round(found, 2))

    def put_measure(self, word: str, value: Length) -> None:
        """Sets a length."""
        self.ensure_length(word, value)
        before = self.measure(word)
        if before != value:
            self.changed(
                word.replace("_", "-"),
                before,
                value,
                self._place.say(_MEASURES[word], f"{number_text(value.in_unit('cm'))}cm", FO),
            )

    @property
    def orientation(self) -> Orientation:
        """How its paper is."""
        written = self._place.said("print-orientation", STYLE)
        return Orientation.LANDSCAPE if written == "landscape" else Orientation.PORTRAIT

    @orientation.setter
    def orientation(self, value: Orientation) -> None:
        before, place = self.orientation, self._place
        if value == before:
            return
        width, height = place.said("page-width", FO), place.said("page-height", FO)
        back = [place.say("print-orientation", str(value), STYLE)]
        wide, high = centimetres(width), centimetres(height)
        if wide is not None and high is not None and (wide > high) != (value is Orientation.LANDSCAPE):
            back += [place.say("page-width", height, FO), place.say("page-height", width, FO)]
        self.changed("orientation", before, value, all_back(back))

    @property
    def columns(self) -> int:
        """In how many columns its text runs (17.12)."""
        if self._columns:
            return self._columns
        there = self._own_columns()
        return whole(value(there, "column-count", FO), MOST_TEXT_COLUMNS) or 1 if there is not None else 1

    @columns.setter
    def columns(self, value: int) -> None:
        before, former = self.columns, self._columns
        if value == before:
            return
        self.ensure_columns(value)
        place, there = self._place, self._own_columns()
        (count, declared), (gap, _) = attribute(place.span, "column-count", FO), attribute(place.span, "column-gap", FO)
        p = place.span.prefix
        names = "".join(f' {name}="{uri}"' for name, uri in declared.items())
        fresh = f'<{p}columns{names} {count}="{value}" {gap}="{_GAP_OF_COLUMNS}"/>'.encode()
        if there is not None:
            splices = [Splice(there.start, there.end, fresh)]
        elif place.span.open_end == place.span.end:  # its attributes may be set, too
            splices = [Splice(place.span.end - 2, place.span.end, b">%b</%b>" % (fresh, place.span.raw_name.encode()))]
        else:  # after a picture (16.5)
            at = max(
                (child.end for child in place.span.children if child.name == "background-image"),
                default=place.span.open_end,
            )
            splices = [Splice(at, at, fresh)]
        back = place.put("columns", splices)
        self._columns = value

        def revert() -> None:
            self._columns = former
            back()

        self.changed("columns", before, value, revert)

    def _own_columns(self) -> Span | None:
        return next((child for child in self._place.span.children if of(child, STYLE, "columns")), None)


#: What is between columns that are new.
_GAP_OF_COLUMNS = "0.5cm"
#: The attribute of each length of a page.
_MEASURES = {
    "page_width": "page-width", "page_height": "page-height", "left_margin": "margin-left",
    "right_margin": "margin-right", "top_margin": "margin-top", "bottom_margin": "margin-bottom",
}  # fmt: skip


def sections_in(home: TextHome, part: TextPart) -> Iterator[TextSection]:
    """The layouts that pages have, in the order of the kinds of pages."""
    every = list(alive(part.root))
    layouts = {
        value(span, "name", STYLE): next((one for one in span.children if one.name == "page-layout-properties"), None)
        for span in every
        if of(span, STYLE, "page-layout")
    }
    used = dict.fromkeys(value(span, "page-layout-name", STYLE) for span in every if of(span, STYLE, "master-page"))
    spans = [span for name in used if (span := layouts.get(name)) is not None]
    return (TextSection(TextPlace(home, part, span), number) for number, span in enumerate(spans, 1))
