"""Pictures of an Office Open XML document (ISO/IEC 29500-1, 20.2, 20.4): drawings, and the parts that they show."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from scrub.formats.images.new_picture import NewPicture
from scrub.formats.kept import all_back
from scrub.formats.opc.media import EMU, Media, blip_of, of_former, others_of
from scrub.formats.spans import Span, Splice, whole
from scrub.formats.texts.placed import PlacedPicture
from scrub.formats.wordprocessing.home import Home
from scrub.formats.wordprocessing.read import own
from scrub.formats.wordprocessing.stories import Stories, StoryPlace
from scrub.model.core.amounts import Length, hundredths
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure


class OfficePicture(PlacedPicture[StoryPlace]):
    """A picture: its drawing has properties of its own (20.4.2.5)."""

    def __init__(self, place: StoryPlace, holder: Span, drawing: Span | None, media: Media) -> None:
        """`drawing` is the element that is all of it; None where the same is beside it in another form."""
        self._place, self._holder, self._drawing, self._media = place, holder, drawing, media

    @property
    def name(self) -> str:
        """As `name` of `docPr` has it; may be empty."""
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
            self.noted("alternative-text", before, value, back)

    @property
    def _extents(self) -> list[Span]:
        """What says how large it is: of the drawing (20.4.2.7), and of the picture in it (20.1.7.3)."""
        spans = [child for child in self._holder.children if child.name == "extent"]
        forms = (span for span in self._holder.inside() if span.name == "xfrm")
        return spans + [child for form in forms for child in form.children if child.name == "ext"]

    def _extent(self, name: str) -> int | None:
        span = next(iter(self._extents), None)
        return whole(self._place.part.said(span, name), 10**12) if span is not None else None

    def measure(self, side: str) -> Length | None:
        """How wide or high it is."""
        found = self._extent("cx" if side == "width" else "cy")
        return Length.of_cm(hundredths(found / EMU)) if found is not None else None

    def put_side(self, side: str, length: Decimal) -> Undo:
        """Sets how wide or high it is; returns how to undo it."""
        values: dict[str, str | None] = {"cx" if side == "width" else "cy": str(max(1, round(length * EMU)))}
        return all_back([self._place.part.say(extent, values) for extent in self._extents])

    # -- what it shows

    def _blip(self) -> Span:
        """The element that names what it shows (20.1.8.13)."""
        return blip_of(self._holder, f"{self.label}: {self.called_here}")

    def shown(self) -> str:
        """The name of the file that it shows now."""
        result = self._media.shown_by(self._place.part.name, self._blip())
        if not result:
            raise self.not_inside()
        return result

    def inside(self) -> tuple[bytes, str]:
        """What it shows now."""
        self.shown()
        return self._media.read(self._place.part.name, self._blip())

    def show(self, new: NewPicture | None) -> Undo:
        """Shows another one, of which nothing is cut off, or none."""
        blip = self._blip()
        back = self._media.show(self._place.part.name, blip, new, others_of(blip))
        return all_back([back, self._place.put("crop", of_former(self._holder, blip))])

    def ensure_free(self) -> None:
        """Raises `Failure` where it may not change, and for one that is in the file in another form, too."""
        super().ensure_free()
        if self._drawing is None:
            raise Failure(f"{self.label}: {self.called_here} is in the file twice. Change it in its own program")

    def take_out(self) -> Undo:
        """Takes its drawing out."""
        assert self._drawing is not None  # it is free
        return self._place.put("picture", [Splice(self._drawing.start, self._drawing.end, b"")])


def pictures_in(home: Home, stories: Stories, media: Media) -> Iterator[OfficePicture]:
    """The pictures of a document; other drawings are none."""
    for part in stories.parts:
        twofold: set[int] = set()  # drawings beside which the same is in another form (ISO/IEC 29500-3, 7.4)
        for span in part.root.inside(read_only=True):
            if span.name == "AlternateContent":
                twofold |= {element.start for element in span.inside() if element.name == "drawing"}
            for holder in span.children if span.name == "drawing" and own(span) else ():
                if holder.name not in ("inline", "anchor") or "wordprocessingDrawing" not in holder.uri:
                    continue
                properties = next((child for child in holder.children if child.name == "docPr"), None)
                if properties is not None and any(element.name == "pic" for element in holder.inside()):
                    place = StoryPlace(home, stories, part, properties)
                    picture = OfficePicture(place, holder, None if span.start in twofold else span, media)
                    if not picture.removed:
                        yield picture
