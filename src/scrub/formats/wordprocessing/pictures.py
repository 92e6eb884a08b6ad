"""Pictures of an Office Open XML document (ISO/IEC 29500-1, 20.2, 20.4): drawings, and the parts that they show."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterator
from decimal import Decimal

from scrub.formats.kept import all_back
from scrub.formats.opc.media import Media, blip_of, others_of
from scrub.formats.spans import Span, Splice, whole
from scrub.formats.texts.pictures import file_name, new_picture
from scrub.formats.texts.placed import Placed
from scrub.formats.wordprocessing.read import own
from scrub.formats.wordprocessing.reading import Home
from scrub.formats.wordprocessing.stories import Place, Stories
from scrub.model.files import FilePath
from scrub.model.inline import Picture
from scrub.model.problem import Failure
from scrub.store.patch import whole as whole_file

_EMU = Decimal(360_000)  # in a centimetre (20.1.2.1)


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

    def measure(self, side: str) -> Decimal | None:
        """How wide or high it is, in centimetres."""
        found = self._extent("cx" if side == "width" else "cy")
        return (Decimal(found) / _EMU).quantize(Decimal("0.01")).normalize() + 0 if found is not None else None

    def put_size(self, wide: Decimal, high: Decimal) -> None:
        """Sets how large it is."""
        self._ensure_free()
        before = (self.width, self.height)
        back = all_back([self._sized(wide, "cx"), self._sized(high, "cy")])
        said = f"{before[0]} x {before[1]} cm -> {self.width} x {self.height} cm"
        self.changed("size", before, (wide, high), back, f"size: {said}", inner=self._called)

    def _sized(self, length: Decimal, name: str) -> Callable[[], None]:
        written = str(max(1, round(length * _EMU)))
        return all_back([self._place.part.say(each, {name: written}) for each in self._extents])

    # -- what it shows

    def _blip(self) -> Span:
        """The element that names what it shows (20.1.8.13)."""
        found = blip_of(self._holder, f"{self.label}: {self._called[0]}")
        if not self._media.shown_by(self._place.part.name, found):
            raise Failure(f"{self.label}: {self._called[0]} is not in the document, which only says where it is")
        return found

    def _ensure_free(self) -> None:
        self.file.ensure_open()
        if self._place.home.tracks_changes:
            raise Failure(f"{self.label}: pictures come, go and change only while no changes are recorded")

    def replace_with(self, picture: FilePath) -> None:
        """Shows another one in its place."""
        self._ensure_free()
        blip, media = self._blip(), self._media
        new = new_picture(self._place.home.beside.whole(picture))
        before = media.shown_by(self._place.part.name, blip)
        # A part of the former one is no part of this; and what newer programs show in its place is the former one.
        crops = [each for each in self._holder.inside() if each.name == "srcRect"]
        others = [each for each in blip.children if each.name == "extLst"]
        back = [
            media.show(self._place.part.name, blip, new, others_of(blip)),
            self._place.put("crop", [Splice(each.start, each.end, b"") for each in (*crops, *others)]),
        ]
        wide, high = self._extent("cx"), self._extent("cy")
        if wide and high and abs(wide * new.high / new.wide - high) > high / 200:
            back.append(self._sized(wide / _EMU * new.high / new.wide, "cy"))
        self.changed("picture", before, new.shown, all_back(back), inner=self._called)

    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file."""
        data, inside = self._media.read(self._place.part.name, self._blip())
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
            self._media.show(self._place.part.name, blip, None, others_of(blip)),
            self._place.put("picture", [Splice(drawing.start, drawing.end, b"")]),
        ]
        self.changed("picture", self._called[0], None, all_back(back), f"picture {self._called[0]} taken out")


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
