"""The links and fields of an Office Open XML document (ISO/IEC 29500-1, 17.16)."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import Relationship, relationships
from scrub.formats.spans import RELATIONSHIPS, Span, Splice, set_attributes
from scrub.formats.texts.paragraph import cut
from scrub.formats.wordprocessing.holes import OfficeHole
from scrub.formats.wordprocessing.paragraph import OfficeParagraph
from scrub.formats.wordprocessing.read import own, value
from scrub.formats.wordprocessing.reading import Home
from scrub.formats.wordprocessing.stories import Place, Placed, Stories
from scrub.formats.xmltext import escaped_text, text_of
from scrub.formats.zip import Package
from scrub.model.inline import Field, Link
from scrub.model.late import late
from scrub.model.problem import Failure
from scrub.model.values import fold

_HYPERLINK = late(r'(\s*HYPERLINK\s+)"([^"]*)"', re.IGNORECASE)
_RELATION = f"{RELATIONSHIPS}/hyperlink"


class OfficeLink(Placed, Link):
    """A link: an element with a relationship or an anchor, or a field (17.16.22, 17.16.5.25)."""

    def __init__(self, place: Place, links: Links, code: Span | None = None, words: str = "") -> None:
        self._place, self._links, self._code = place, links, code
        self._words = words
        self._now: str | None = None

    @property
    def text(self) -> str:
        """Its words."""
        if self._code is not None:
            return self._words
        paragraph = self._place.paragraph
        pieces = paragraph.pieces if paragraph is not None else ()
        span = self._place.span
        return "".join(each.text for each in pieces if span.start <= each.element.start < span.end)

    @property
    def _first(self) -> str:
        if self._code is not None:
            found = _HYPERLINK.match(self._read_code())
            return found[2] if found else ""
        anchor = value(self._place.span, "anchor")
        address = self._links.address(self._place.part.name, self._place.span.related)
        return address + (f"#{anchor}" if anchor else "")

    def _read_code(self) -> str:
        assert self._code is not None
        if self._code.name == "fldSimple":
            return value(self._code, "instr") or ""
        return text_of(self._place.part.data[self._code.start : self._code.end])

    @property
    def address(self) -> str:
        """Where it leads."""
        return self._first if self._now is None else self._now

    @address.setter
    def address(self, value: str) -> None:
        before = self.address
        if value == before:
            return
        if not value.strip() or re.search(r'[\s"<>]', value.strip()):
            raise Failure(f'"{value}" is no address: it is empty, or has a blank or a quotation mark in it')
        self._now = value
        back = self._set(value)

        def revert() -> None:
            back()
            self._now = None if before == self._first else before

        self.changed("link", before, value, revert, inner=(f'"{self.text[:30]}"',))

    def _set(self, address: str) -> Callable[[], None]:
        place, code = self._place, self._code
        if code is not None:
            text = _HYPERLINK.sub(lambda found: f'{found[1]}"{address}"', self._read_code())
            if code.name == "fldSimple":
                return place.set("address", set_attributes(place.part.data, code, [(place.attribute("instr"), text)]))
            return place.set("address", [Splice(code.open_end, code.close_start, escaped_text(text).encode())])
        target, _, anchor = address.partition("#")
        attributes: list[tuple[str, str | None]] = [(place.attribute("anchor"), anchor or None)]
        related = place.span.related
        if related and target:
            self._links.wanted[place.part.name, place.span.start] = (related, target)
        elif target:
            raise Failure(
                f"{self.label}: the link leads into the document itself; make one to an address in its program"
            )
        elif related:
            raise Failure(f"{self.label}: the link leads to an address; make one into the document in its program")
        back = place.set("address", set_attributes(place.part.data, place.span, attributes))

        def revert() -> None:
            back()
            self._links.wanted.pop((place.part.name, place.span.start), None)

        return revert

    def remove(self) -> None:
        """Takes it away."""
        if self._code is not None:
            raise Failure(f"{self.label}: the link is a field; take it away in the document's own program")
        span, paragraph = self._place.span, self._place.paragraph
        assert paragraph is not None
        gone = [Splice(span.start, span.open_end, b""), Splice(span.close_start, span.end, b"")]
        for each in span.inside():
            if each.name == "rStyle" and fold(value(each) or "") == "hyperlink":
                gone.append(Splice(each.start, each.end, b""))
        paragraph.unlink(gone, f'link of "{self.text[:30]}" taken away: {self.address}')


class Links:
    """The relationships that links go by, and which are to lead elsewhere."""

    def __init__(self, package: Package) -> None:
        self._package = package
        self._known: dict[str, dict[str, Relationship]] = {}
        #: By the part and the place of a link: its relationship, and where that is to lead.
        self.wanted: dict[tuple[str, int], tuple[str, str]] = {}

    def address(self, part: str, id_: str) -> str:
        """Where a relationship leads."""
        if part not in self._known:
            self._known[part] = relationships(self._package, part)
        found = self._known[part].get(id_)
        return found.address if found is not None else ""

    def write(self, parts: Parts, stories: Stories) -> None:
        """Changes relationships that all their links leave, and makes others for those of the rest."""
        for part in stories.parts:
            here = {at: pair for (name, at), pair in self.wanted.items() if name == part.name}
            users: dict[str, list[Span]] = {}
            for span in part.root.inside(read_only=True) if here else ():
                if span.name == "hyperlink" and span.related:
                    users.setdefault(span.related, []).append(span)
            for related in dict.fromkeys(pair[0] for pair in here.values()):
                targets = {here[each.start][1] if each.start in here else None for each in users[related]}
                if len(targets) == 1:
                    parts.retarget(part.name, related, str(targets.pop()))
                    continue
                for each in users[related]:
                    if each.start in here:
                        id_ = parts.relate(part.name, _RELATION, here[each.start][1], outside=True)
                        part.put((each.start, "related"), set_attributes(part.data, each, [(_id_of(each), id_)]))


def _id_of(span: Span) -> str:
    """The attribute that names a relationship, as it is written."""
    return next(each for each, text in span.attributes.items() if each.endswith(":id") and text == span.related)


def links_in(home: Home, stories: Stories, links: Links) -> Iterator[OfficeLink]:
    """The links of a document."""
    for part in stories.parts:
        open_: list[tuple[Span | None, list[str]]] = []  # of each open field its code, and its result
        for span in part.root.inside(read_only=True):
            if not own(span):
                continue
            if span.name == "hyperlink":
                yield OfficeLink(Place(home, stories, part, span), links)
            elif span.name == "fldSimple" and _HYPERLINK.match(value(span, "instr") or ""):
                words = (text_of(part.data[each.start : each.end]) for each in span.inside() if each.name == "t")
                yield OfficeLink(Place(home, stories, part, span), links, span, "".join(words))
            elif span.name == "fldChar":
                kind = value(span, "fldCharType")
                if kind == "begin":
                    open_.append((None, []))
                elif kind == "end" and open_:
                    code, result = open_.pop()
                    if code is not None:
                        yield OfficeLink(Place(home, stories, part, code), links, code, "".join(result))
            elif span.name == "instrText" and open_:
                if _HYPERLINK.match(text_of(part.data[span.start : span.end])):
                    open_[-1] = (span, open_[-1][1])
            elif span.name == "t" and open_:
                open_[-1][1].append(text_of(part.data[span.start : span.end]))


class OfficeField(Placed, Field):
    """A field of one paragraph (17.16.2)."""

    def __init__(self, place: Place, paragraph: OfficeParagraph, hole: OfficeHole) -> None:
        self._place, self._paragraph, self._hole = place, paragraph, hole
        self._result = paragraph.stretches.old[hole.start : hole.end]
        self._fixed = False

    @property
    def removed(self) -> bool:
        """Whether it is plain text by now."""
        return self._fixed

    @property
    def code(self) -> str:
        """What it works out."""
        return self._hole.name

    @property
    def result(self) -> str:
        """What it shows."""
        return self._result

    def fix(self) -> None:
        """Makes what it shows plain text."""
        hole = self._hole
        if hole.refused:
            raise Failure(f"{self.label}: the field {hole.name} {hole.refused}")
        if self._place.home.tracks_changes:
            raise Failure(f"{self.label}: fields become plain text only while no changes are recorded")
        self._paragraph.unlink(hole.gone, f'field {hole.name} is plain text now: "{cut(self._result)}"')
        self._paragraph.unfix(hole.start, hole.end)
        self._fixed = True


def fields_of(home: Home, stories: Stories) -> Iterator[OfficeField]:
    """The fields of a document."""
    for paragraph in stories.paragraphs:
        for hole in paragraph.fields() if not paragraph.removed else ():
            yield OfficeField(Place(home, stories, paragraph.part, paragraph.span), paragraph, hole)
