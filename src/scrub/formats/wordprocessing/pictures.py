"""Pictures of an Office Open XML document (ISO/IEC 29500-1, 20.2, 20.4): drawings, and the parts that they show."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal

from scrub.formats.kept import all_back, put_in
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import Relationship, relationships
from scrub.formats.spans import RELATIONSHIPS, Span, Splice, whole
from scrub.formats.texts.pictures import NewPicture, file_name, new_picture
from scrub.formats.texts.placed import Placed
from scrub.formats.wordprocessing.read import own
from scrub.formats.wordprocessing.reading import Home
from scrub.formats.wordprocessing.stories import Place, Stories
from scrub.formats.zip import Package
from scrub.model.files import FilePath
from scrub.model.inline import Picture
from scrub.model.problem import Failure
from scrub.store.patch import whole as whole_file

_EMU = Decimal(360_000)  # in a centimetre (20.1.2.1)
_RELATION = f"{RELATIONSHIPS}/image"


class OfficePicture(Placed[Place], Picture):
    """A picture: its drawing has properties of its own (20.4.2.5)."""

    def __init__(self, place: Place, holder: Span, drawing: Span | None, media: Media) -> None:
        """`drawing` is the element that is all of it; None where other elements of the document are a part of it."""
        self._place, self._holder, self._drawing, self._media = place, holder, drawing, media

    @property
    def removed(self) -> bool:
        """Whether it was taken out."""
        return (self._place.span.start, "picture") in self._place.part.edits

    @property
    def name(self) -> str:
        """Its name."""
        return self._place.span.attributes.get("name", "")

    @property
    def alternative_text(self) -> str | None:
        """What it shows, in words."""
        return self._place.part.said(self._place.span, "descr") or None

    @alternative_text.setter
    def alternative_text(self, value: str | None) -> None:
        before, value = self.alternative_text, value or None
        if value != before:
            self.file.ensure_open()
            back = self._place.part.say(self._place.span, {"descr": value})
            self.changed("alternative-text", before, value, back, inner=self._called)

    @property
    def _called(self) -> tuple[str]:
        return (self.name or "picture",)

    @property
    def _extents(self) -> list[Span]:
        """What says how large it is: of the drawing (20.4.2.7), and of the picture in it (20.1.7.3)."""
        found = [each for each in self._holder.children if each.name == "extent"]
        forms = (each for each in self._holder.inside() if each.name == "xfrm")
        return found + [each for form in forms for each in form.children if each.name == "ext"]

    def _extent(self, name: str) -> int | None:
        found = next(iter(self._extents), None)
        return whole(self._place.part.said(found, name), 10**12) if found is not None else None

    def _length(self, name: str) -> Decimal | None:
        found = self._extent(name)
        return round(Decimal(found) / _EMU, 2) if found is not None else None

    @property
    def width(self) -> Decimal | None:
        """In centimetres."""
        return self._length("cx")

    @property
    def height(self) -> Decimal | None:
        """In centimetres."""
        return self._length("cy")

    # -- what it shows

    def _blip(self) -> Span:
        """The element that names what it shows (20.1.8.13)."""
        found = [each for each in self._holder.inside() if each.name == "blip" and each.uri.endswith("/main")]
        if len(found) != 1:
            raise Failure(f"{self.label}: {self._called[0]} is a group of pictures; change it in its own program")
        if not self._media.shown_by(self._place, found[0]):
            raise Failure(f"{self.label}: {self._called[0]} is not in the document, which only says where it is")
        return found[0]

    def _ensure_free(self) -> None:
        self.file.ensure_open()
        if self._place.home.tracks_changes:
            raise Failure(f"{self.label}: pictures come and go only while no changes are recorded")

    def replace_with(self, picture: FilePath) -> None:
        """Shows another one in its place."""
        self._ensure_free()
        blip, media = self._blip(), self._media
        new = new_picture(self._place.home.beside.whole(picture))
        before = media.shown_by(self._place, blip)
        # A part of the former one is no part of this; and what newer programs show in its place is the former one.
        crops = [each for each in self._holder.inside() if each.name == "srcRect"]
        others = [each for each in blip.children if each.name == "extLst"]
        back = [
            media.show(self._place, blip, new, _others(blip)),
            self._place.put("crop", [Splice(each.start, each.end, b"") for each in (*crops, *others)]),
        ]
        wide, high = self._extent("cx"), self._extent("cy")
        if wide and high and abs(wide * new.high / new.wide - high) > high / 200:
            fresh = str(max(1, round(wide * new.high / new.wide)))
            back += [self._place.part.say(each, {"cy": fresh}) for each in self._extents]
        self.changed("picture", before, new.shown, all_back(back), inner=self._called)

    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file."""
        data, inside = self._media.read(self._place, self._blip())
        wanted = name or self.name or posixpath.basename(inside)
        path, back = self._place.home.beside.save(whole_file(data), to, file_name(wanted, inside))
        self.changed(f"saved {path}", None, path, back, f"picture saved: {path}", inner=self._called)

    def delete(self) -> None:
        """Takes it out."""
        self._ensure_free()
        blip, drawing = self._blip(), self._drawing
        if drawing is None:
            raise Failure(f"{self.label}: {self._called[0]} stands in a group of drawings; take it out there")
        back = [
            self._media.show(self._place, blip, None, _others(blip)),
            self._place.put("picture", [Splice(drawing.start, drawing.end, b"")]),
        ]
        self.changed("picture", self._called[0], None, all_back(back), f"picture {self._called[0]} taken out")


class Media:
    """The parts with what pictures show, and those that are to be shown."""

    def __init__(self, package: Package) -> None:
        self._package = package
        self._known: dict[str, dict[str, Relationship]] = {}
        #: By the part and the place of each: the element that names it, what it is to show (None for none), and the
        #: elements that go with what it showed.
        self._wanted: dict[tuple[str, int], tuple[Span, NewPicture | None, Sequence[Span]]] = {}

    def _related(self, part: str) -> dict[str, Relationship]:
        if part not in self._known:
            self._known[part] = relationships(self._package, part)
        return self._known[part]

    def _target(self, place: Place, blip: Span) -> str | None:
        found = self._related(place.part.name).get(blip.attributes.get(_attribute(blip), ""))
        return found.target if found is not None and found.target in self._package.members else None

    def shown_by(self, place: Place, blip: Span) -> str:
        """The name of the file that a picture shows by now; nothing where the document does not have it."""
        _, new, _ = self._wanted.get((place.part.name, blip.start), (blip, None, ()))
        return new.shown if new is not None else posixpath.basename(self._target(place, blip) or "")

    def read(self, place: Place, blip: Span) -> tuple[bytes, str]:
        """What a picture shows by now, and the name of its file."""
        _, new, _ = self._wanted.get((place.part.name, blip.start), (blip, None, ()))
        if new is not None:
            return new.data, f"{new.shown}{new.ending}"
        target = self._target(place, blip)
        assert target is not None
        return self._package.read(target), target

    def show(self, place: Place, blip: Span, new: NewPicture | None, others: Sequence[Span]) -> Callable[[], None]:
        """Lets a picture show another file, or none; gives what takes that back. `others` are elements that go with
        what it showed.
        """
        return put_in(self._wanted, (place.part.name, blip.start), (blip, new, others))

    def write(self, parts: Parts, stories: Stories) -> None:
        """Adds what is to be shown, and takes out what nothing shows any more."""
        added: dict[bytes, str] = {}
        left: set[tuple[str, str]] = set()  # each part, and what it need not lead to
        for part in stories.parts:
            here = [wanted for (name, _), wanted in self._wanted.items() if name == part.name]
            ids: dict[bytes, str] = {}
            used = _uses(part.root) if here else {}
            former = {each.start: each for blip, _, others in here for each in (blip, *others)}.values()
            for id_ in [each.attributes.get(_attribute(each), "") for each in former]:
                used[id_] = used.get(id_, 1) - 1
                target = self._related(part.name)[id_].target if id_ in self._related(part.name) else None
                if not used[id_] and target in self._package.members:
                    left.add((part.name, str(target)))
            for blip, new, _ in here:
                if new is None:
                    continue
                if new.data not in added:
                    folder = posixpath.dirname(stories.parts[0].name)
                    added[new.data] = parts.free_name(posixpath.join(folder, "media", f"image{{}}{new.ending}"))
                    parts.put(added[new.data], new.data, new.media_type)
                if new.data not in ids:
                    ids[new.data] = parts.relate(part.name, _RELATION, added[new.data])
                part.say(blip, {_attribute(blip): ids[new.data]})
        self._take_out(parts, left)

    def _take_out(self, parts: Parts, left: set[tuple[str, str]]) -> None:
        """Takes parts out to which nothing leads any more."""
        if not left:
            return
        sources = [_source_of(name) for name in self._package.members if name.endswith(".rels")]
        leading = {
            (source, each.target) for source in sources for each in self._related(source).values() if each.target
        }
        for source, target in left:
            if all(pair in left for pair in leading if pair[1] == target):
                parts.remove(target, source)


def _others(blip: Span) -> list[Span]:
    """What newer programs show in place of a picture."""
    return [each for each in blip.inside() if _attribute(each)]


def _source_of(name: str) -> str:
    """The part whose relationships stand in this one (ISO/IEC 29500-2, 6.5.2.3)."""
    folder, own_name = posixpath.split(name)
    return posixpath.join(posixpath.dirname(folder), own_name.removesuffix(".rels"))


def _attribute(blip: Span) -> str:
    """The attribute that names the relationship to a picture, as it is written."""
    return next((each for each in blip.attributes if each.rpartition(":")[2] == "embed"), "")


def _uses(root: Span) -> dict[str, int]:
    """How often a part names each of its relationships."""
    found: dict[str, int] = {}
    for span in root.inside(read_only=True):
        for name, text in span.attributes.items():
            if name.rpartition(":")[2] in ("embed", "link", "id", "pict", "href"):
                found[text] = found.get(text, 0) + 1
    return found


def pictures_in(home: Home, stories: Stories, media: Media) -> Iterator[OfficePicture]:
    """The pictures of a document; other drawings are none."""
    for part in stories.parts:
        twofold: set[int] = set()  # drawings beside which the same stands in another form (ISO/IEC 29500-3, 7.4)
        for span in part.root.inside(read_only=True):
            if span.name == "AlternateContent":
                twofold |= {each.start for each in span.inside() if each.name == "drawing"}
            for holder in span.children if span.name == "drawing" and own(span) else ():
                if holder.name not in ("inline", "anchor") or "wordprocessingDrawing" not in holder.uri:
                    continue
                properties = next((each for each in holder.children if each.name == "docPr"), None)
                if properties is not None and any(each.name == "pic" for each in holder.inside()):
                    place = Place(home, stories, part, properties)
                    picture = OfficePicture(place, holder, None if span.start in twofold else span, media)
                    if not picture.removed:
                        yield picture
