"""The links and fields of an Office Open XML document (ISO/IEC 29500-1, 17.16)."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterator

from scrub.formats.edited_part import EditedPart
from scrub.formats.kept import put_in
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import Relationship, relationships
from scrub.formats.spans import RELATIONSHIPS, Span, Splice, escaped
from scrub.formats.texts.marks import Mark
from scrub.formats.texts.placed import Placed
from scrub.formats.wordprocessing.holes import MetField
from scrub.formats.wordprocessing.home import Home
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.wordprocessing.read import own, value
from scrub.formats.wordprocessing.stories import Stories, StoryPlace
from scrub.formats.xmltext import text_of
from scrub.formats.zip import Package
from scrub.model.core.change import Undo, cut
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold
from scrub.model.texts.inline import Field, Link, ensure_address

_HYPERLINK = lazy_pattern(r'(\s*HYPERLINK\s+)"([^"]*)"', re.IGNORECASE)
_RELATION = f"{RELATIONSHIPS}/hyperlink"


class OfficeLink(Placed[StoryPlace], Link):
    """A link: an element with a relationship or an anchor, or a field (17.16.22, 17.16.5.25)."""

    def __init__(self, place: StoryPlace, links: Links, words: str | None = None) -> None:
        """`words` are those of a field, whose code is at the place."""
        self._place, self._links, self._words = place, links, words
        self._is_field = words is not None

    @property
    def text(self) -> str:
        """Its words."""
        if self._words is not None:
            return self._words
        paragraph = self._place.paragraph
        pieces = paragraph.pieces if paragraph is not None else ()
        span = self._place.span
        first, last = (bisect_left(pieces, at, key=lambda each: each.element.start) for at in (span.start, span.end))
        return "".join(piece.text for piece in pieces[first:last])

    @property
    def _code_name(self) -> str:
        """The attribute with the code of a simple field; an empty text for a code that is the text of an element."""
        return "instr" if self._place.span.name == "fldSimple" else ""

    @property
    def address(self) -> str:
        """Where it leads."""
        if self._is_field:
            match = _HYPERLINK.match(self._place.said(self._code_name) or "")
            return match[2] if match else ""
        anchor = self._place.said("anchor")
        return self._links.address(self._place) + (f"#{anchor}" if anchor else "")

    @address.setter
    def address(self, value: str) -> None:
        before = self.address
        if value == before:
            return
        ensure_address(value)
        self.changed("link", before, value, self._set(value), inner=(f'"{self.text[:30]}"',))

    def _set(self, address: str) -> Undo:
        place = self._place
        if self._is_field:
            code = place.said(self._code_name) or ""
            return place.say(self._code_name, _HYPERLINK.sub(lambda found: f'{found[1]}"{address}"', code))
        target, _, anchor = address.partition("#")
        if target and not place.span.related:
            raise Failure(
                f"{self.label}: the link points into the document. Change it to an address in the document's own "
                "program"
            )
        if not target and place.span.related:
            raise Failure(f"{self.label}: the link points to an address. Change it in the document's own program")
        said = place.say("anchor", anchor or None)
        led = self._links.lead(place, target) if target else None

        def revert() -> None:
            said()
            if led is not None:
                led()

        return revert

    @property
    def removed(self) -> bool:
        """Whether its words are plain text now."""
        span, paragraph = self._place.span, self._place.paragraph
        return paragraph is not None and Splice(span.start, span.open_end, b"") in paragraph.unlinked

    def delete(self) -> None:
        """Takes it away."""
        if self._is_field:
            raise Failure(f"{self.label}: the link is a field. Delete it in the document's own program")
        span, paragraph = self._place.span, self._place.paragraph
        assert paragraph is not None
        gone = [Splice(span.start, span.open_end, b""), Splice(span.close_start, span.end, b"")]
        for element in span.inside():
            if element.name == "rStyle" and fold(value(element) or "") == "hyperlink":
                gone.append(Splice(element.start, element.end, b""))
        paragraph.unlink(gone, f'link of "{self.text[:30]}" deleted: {self.address}')


class Links:
    """The relationships that links go by, and which are to lead elsewhere."""

    def __init__(self, package: Package) -> None:
        self._package = package
        self._known: dict[str, dict[str, Relationship]] = {}
        #: New links, each with its part and where it leads.
        self._new: list[tuple[EditedPart, Mark, str]] = []
        #: By the part and the place of a link: its relationship, and where that is to lead.
        self._wanted: dict[tuple[str, int], tuple[str, str]] = {}

    def address(self, place: StoryPlace) -> str:
        """Where the relationship of a link leads, or is to lead."""
        part, span = place.part.name, place.span
        if (part, span.start) in self._wanted:
            return self._wanted[part, span.start][1]
        if part not in self._known:
            self._known[part] = relationships(self._package, part)
        relationship = self._known[part].get(span.related)
        return relationship.address if relationship is not None else ""

    def lead(self, place: StoryPlace, target: str) -> Undo:
        """Lets a link lead elsewhere; returns how to undo it."""
        return put_in(self._wanted, (place.part.name, place.span.start), (place.span.related, target))

    def new(self, part: EditedPart, address: str) -> tuple[Mark, Undo]:
        """A new link; gives what is written round its words, and how to undo it."""
        p = part.root.prefix
        mark = Mark(f"{len(self._new) + 1}", _opening(p, address), f"</{p}hyperlink>", holds=True)
        new = (part, mark, address)
        self._new.append(new)
        return mark, lambda: self._new.remove(new)

    def write(self, parts: Parts, stories: Stories) -> None:
        """Changes relationships that all their links leave, and makes others for those of the rest."""
        for showing, mark, address in self._new:
            target = address.partition("#")[0]
            if target:
                id_ = parts.relate(showing.name, _RELATION, target, outside=True)
                mark.opening = _opening(showing.root.prefix, address, id_)
        for part in stories.parts:
            here = {at: pair for (name, at), pair in self._wanted.items() if name == part.name}
            users: dict[str, list[Span]] = {}
            for span in part.root.inside(read_only=True) if here else ():
                if span.name == "hyperlink" and span.related:
                    users.setdefault(span.related, []).append(span)
            for related in dict.fromkeys(pair[0] for pair in here.values()):
                targets = {here[element.start][1] if element.start in here else None for element in users[related]}
                if len(targets) == 1:
                    parts.retarget(part.name, related, str(targets.pop()))
                    continue
                for element in users[related]:
                    if element.start in here:
                        id_ = parts.relate(part.name, _RELATION, here[element.start][1], outside=True)
                        part.say(element, {_id_of(element): id_})


def _opening(p: str, address: str, id_: str = "") -> str:
    """What is written before the words of a new link, with the relationship that leads outside (17.16.22)."""
    anchor = address.partition("#")[2]
    said = f' {p}anchor="{escaped(anchor)}"' if anchor else ""
    led = f' r:id="{id_}" xmlns:r="{RELATIONSHIPS}"' if id_ else ""
    return f'<{p}hyperlink{said} {p}history="1"{led}>'


def _id_of(span: Span) -> str:
    """The attribute that names a relationship, as it is written."""
    return next(
        attribute for attribute, text in span.attributes.items() if attribute.endswith(":id") and text == span.related
    )


def links_in(home: Home, stories: Stories, links: Links) -> Iterator[OfficeLink]:
    """The links of a document."""
    for part in stories.parts:
        open_: list[tuple[Span | None, list[str]]] = []  # of each open field its code, and its result
        for span in part.root.inside(read_only=True):
            if not own(span):
                continue
            if span.name == "hyperlink":
                yield OfficeLink(StoryPlace(home, stories, part, span), links)
            elif span.name == "fldSimple" and _HYPERLINK.match(value(span, "instr") or ""):
                words = (
                    text_of(part.data[element.start : element.end]) for element in span.inside() if element.name == "t"
                )
                yield OfficeLink(StoryPlace(home, stories, part, span), links, "".join(words))
            elif span.name == "fldChar":
                kind = value(span, "fldCharType")
                if kind == "begin":
                    open_.append((None, []))
                elif kind == "end" and open_:
                    code, result = open_.pop()
                    if code is not None:
                        yield OfficeLink(StoryPlace(home, stories, part, code), links, "".join(result))
            elif span.name == "instrText" and open_:
                if _HYPERLINK.match(text_of(part.data[span.start : span.end])):
                    open_[-1] = (span, open_[-1][1])
            elif span.name == "t" and open_:
                open_[-1][1].append(text_of(part.data[span.start : span.end]))


class OfficeField(Placed[StoryPlace], Field):
    """A field of one paragraph (17.16.2)."""

    def __init__(self, place: StoryPlace, paragraph: OfficeParagraph, met: MetField) -> None:
        self._place, self._paragraph, self._met = place, paragraph, met
        self._result = paragraph.stretches.old[met.start : met.end]

    @property
    def removed(self) -> bool:
        """Whether it is plain text now."""
        return any(splice in self._paragraph.unlinked for splice in self._met.gone)

    @property
    def code(self) -> str:
        """What it works out."""
        return " ".join(self._met.code.split())

    @property
    def result(self) -> str:
        """What it shows."""
        return self._result

    def fix(self) -> None:
        """Makes what it shows plain text."""
        met = self._met
        if met.refused:
            raise Failure(f"{self.label}: the field {self.code} {met.refused}")
        if self._place.home.tracks_changes:
            raise Failure(f"{self.label}: fields cannot become plain text while changes are tracked. Turn tracking off")
        self._paragraph.unlink(met.gone, f'field {self.code} is plain text now: "{cut(self._result)}"')
        self._paragraph.unfix(met.start, met.end)


def fields_of(home: Home, stories: Stories) -> Iterator[OfficeField]:
    """The fields of a document."""
    for paragraph in stories.paragraphs:
        for met in paragraph.fields() if not paragraph.removed else ():
            field = OfficeField(StoryPlace(home, stories, paragraph.part, paragraph.span), paragraph, met)
            if not field.removed:
                yield field
