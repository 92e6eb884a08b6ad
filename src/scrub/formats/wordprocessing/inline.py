"""Bookmarks and sections of an Office Open XML document (ISO/IEC 29500-1, 17.13.6, 17.6)."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from decimal import Decimal

from scrub.formats.kept import all_back
from scrub.formats.spans import Splice, ended, escaped, set_attributes, whole
from scrub.formats.texts.placed import Placed, PlacedBookmark, ensure_other
from scrub.formats.wordprocessing.home import Home
from scrub.formats.wordprocessing.read import TWIPS_IN_CENTIMETRE, inner, own, value
from scrub.formats.wordprocessing.stories import Stories, StoryPlace
from scrub.formats.xmltext import is_on
from scrub.model.core.amounts import Length
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.printing import Orientation
from scrub.model.core.problem import Failure
from scrub.model.texts.inline import MOST_TEXT_COLUMNS, Section

_NAME = lazy_pattern(r"[^\W\d]\w{0,39}")


class OfficeBookmark(PlacedBookmark[StoryPlace]):
    """A bookmark: two marks with one number (17.13.6)."""

    @property
    def name(self) -> str:
        """As `w:name` has it."""
        return self._place.said("name") or ""

    @name.setter
    def name(self, value: str) -> None:
        before = self.name
        if value == before:
            return
        place = self._place
        every = bookmarks_in(place.home, place.stories, True)
        ensure_bookmark(value, (bookmark.name for bookmark in every if bookmark._place.span is not place.span))
        back = [*self._lead_to(before, value), place.say("name", value)]
        self.changed("name", before, value, all_back(back))

    def _lead_to(self, before: str, name: str) -> Iterator[Callable[[], None]]:
        """Links and fields that name it name it again (17.16.5)."""
        own_name = re.compile(rf"(?<!\w){re.escape(before)}(?!\w)")
        for part in self._place.stories.parts:
            for span in part.root.inside(read_only=True):
                if not own(span):
                    continue
                place = StoryPlace(self._place.home, self._place.stories, part, span)
                if span.name == "hyperlink" and place.said("anchor") == before:
                    yield place.say("anchor", name)
                elif span.name == "instrText":
                    code = place.said() or ""
                    if code.split()[:1] and code.split()[0].upper() in ("REF", "PAGEREF", "NOTEREF", "HYPERLINK"):
                        fresh = own_name.sub(name, code)
                        if fresh != code:
                            yield place.say("", fresh)


def ensure_bookmark(name: str, others: Iterable[str]) -> None:
    """Raises `Failure` for a name that no bookmark can have (17.13.6.2), or another one has."""
    if not _NAME.fullmatch(name):
        raise Failure(f'"{name}" is not a valid bookmark name. Use up to 40 letters, digits and _, with a letter first')
    ensure_other(name, others)


def bookmarks_in(home: Home, stories: Stories, hidden: bool = False) -> Iterator[OfficeBookmark]:
    """The bookmarks of a document; those that its program made for itself begin with a line, and are left out."""
    for part in stories.parts:
        marks = [span for span in part.root.inside(read_only=True) if span.name in ("bookmarkStart", "bookmarkEnd")]
        ends = {value(mark, "id"): mark for mark in marks if mark.name == "bookmarkEnd"}
        for mark in marks:
            if mark.name == "bookmarkStart" and (hidden or not (value(mark, "name") or "_").startswith("_")):
                bookmark = OfficeBookmark(StoryPlace(home, stories, part, mark), ends.get(value(mark, "id")))
                if not bookmark.removed:
                    yield bookmark


#: The element and the attribute of each length of a page.
_MEASURES = {
    "page_width": ("pgSz", "w"), "page_height": ("pgSz", "h"), "left_margin": ("pgMar", "left"),
    "right_margin": ("pgMar", "right"), "top_margin": ("pgMar", "top"), "bottom_margin": ("pgMar", "bottom"),
}  # fmt: skip
#: What an element says beside what it is to say, where it was not there.
_USUAL = {
    "pgMar": {
        **dict.fromkeys(("top", "right", "bottom", "left"), "1417"), "header": "708", "footer": "708", "gutter": "0",
    },
    "cols": {"space": "708"},
}  # fmt: skip
#: The elements of a section up to its columns, in order (17.6.17).
_ORDER = (
    "headerReference", "footerReference", "footnotePr", "endnotePr", "type", "pgSz", "pgMar", "paperSrc", "pgBorders",
    "lnNumType", "pgNumType", "cols",
)  # fmt: skip


class OfficeSection(Placed[StoryPlace], Section):
    """A section: its properties are at its end (17.6.17)."""

    def __init__(self, place: StoryPlace, number: int) -> None:
        self._place, self._number = place, number
        self._set: dict[tuple[str, str], str] = {}

    @property
    def label(self) -> str:
        """Its number."""
        return f"section {self._number}"

    def _get(self, element: str, name: str) -> str | None:
        return self._set.get((element, name)) or value(inner(self._place.span, element), name)

    def _put(self, field: str, before: object, after: object, wanted: dict[tuple[str, str], str]) -> None:
        if self._place.home.tracks_changes:
            raise Failure(f"{self.label}: its page setup cannot change while changes are tracked. Turn tracking off")
        former = dict(self._set)
        self._set |= wanted
        back = self._place.put("page", self._splices())

        def revert() -> None:
            self._set = former
            back()

        self.changed(field, before, after, revert)

    def _splices(self) -> list[Splice]:
        """What makes its elements what they are to be; one that it lacks is put where it belongs (17.6.17)."""
        place, data = self._place, self._place.part.data
        splices: list[Splice] = []
        added: dict[int, bytes] = {}
        for element in ("pgSz", "pgMar", "cols"):
            values: dict[str, str | None] = {name: text for (of, name), text in self._set.items() if of == element}
            there = inner(place.span, element)
            if there is None and values:
                before = _ORDER[: _ORDER.index(element)]
                at = max(
                    (child.end for child in place.span.children if child.name in before), default=place.span.open_end
                )
                added[at] = added.get(at, b"") + self._element(element, {**_USUAL.get(element, {}), **values})
            elif there is not None and values:
                if element == "cols":  # columns of widths of their own go (17.6.4)
                    values["equalWidth"] = None
                    splices += [Splice(there.open_end, there.close_start, b"")] if there.children else []
                written = place._replace(span=there)
                splices += set_attributes(
                    data, there, [(written.attribute(name), text) for name, text in values.items()]
                )
        if place.span.open_end == place.span.end:
            return [*splices, *ended(data, place.span, b"".join(added.values()))]
        return [*splices, *(Splice(at, at, new) for at, new in added.items())]

    def _element(self, name: str, values: Mapping[str, str | None]) -> bytes:
        p = self._place.span.prefix
        attributes = "".join(f' {p}{key}="{escaped(text)}"' for key, text in values.items() if text is not None)
        return f"<{p}{name}{attributes}/>".encode()

    def measure(self, word: str) -> Length | None:
        """A length."""
        written = self._get(*_MEASURES[word])
        if not written or not re.fullmatch(r"-?\d+", written):
            return None
        return Length.of_cm(round(Decimal(written) / TWIPS_IN_CENTIMETRE, 2))

    def put_measure(self, word: str, value: Length) -> None:
        """Sets a length."""
        self.ensure_length(word, value)
        before = self.measure(word)
        if before != value:
            self._put(
                word.replace("_", "-"),
                before,
                value,
                {_MEASURES[word]: str(round(value.in_unit("cm") * TWIPS_IN_CENTIMETRE))},
            )

    @property
    def orientation(self) -> Orientation:
        """How its paper is."""
        return Orientation.LANDSCAPE if self._get("pgSz", "orient") == "landscape" else Orientation.PORTRAIT

    @orientation.setter
    def orientation(self, value: Orientation) -> None:
        before = self.orientation
        if value == before:
            return
        wanted = {("pgSz", "orient"): str(value)}
        width, height = self._get("pgSz", "w") or "11906", self._get("pgSz", "h") or "16838"  # A4 where nothing is said
        if (int(width) > int(height)) != (value is Orientation.LANDSCAPE):
            wanted |= {("pgSz", "w"): height, ("pgSz", "h"): width}
        self._put("orientation", before, value, wanted)

    @property
    def columns(self) -> int:
        """In how many columns its text runs; those of widths of their own are counted (17.6.4)."""
        there = inner(self._place.span, "cols")
        if there is not None and ("cols", "num") not in self._set and not is_on(value(there, "equalWidth"), True):
            return max(1, sum(child.name == "col" and own(child) for child in there.children))
        return whole(self._get("cols", "num"), MOST_TEXT_COLUMNS) or 1

    @columns.setter
    def columns(self, value: int) -> None:
        before = self.columns
        if value != before:
            self.ensure_columns(value)
            self._put("columns", before, value, {("cols", "num"): str(value)})


def sections_in(home: Home, stories: Stories) -> Iterable[OfficeSection]:
    """The sections of a document, in order."""
    body = stories.parts[0]
    spans = [span for span in body.root.inside(read_only=True) if span.name == "sectPr" and own(span)]
    return [OfficeSection(StoryPlace(home, stories, body, each), number) for number, each in enumerate(spans, 1)]
