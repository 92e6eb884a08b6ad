"""Pictures of an Open Document (OpenDocument 1.3, part 3, 10.4; part 2, 4): frames, and the files that they show."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterable, Iterator, Mapping
from decimal import Decimal
from functools import partial

from scrub.formats.images.new_picture import NewPicture
from scrub.formats.kept import all_back, put_in
from scrub.formats.opendocument.flat import FlatPackage
from scrub.formats.opendocument.lengths import centimetres
from scrub.formats.opendocument.paragraph import TextHome, TextPart
from scrub.formats.opendocument.place import TextPlace
from scrub.formats.opendocument.read import DRAW, SVG, XLINK, alive, attribute, of, value
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice, ended, escaped, spliced
from scrub.formats.texts.placed import PlacedPicture
from scrub.formats.xmltext import escaped_text, text_of
from scrub.formats.zip import Package
from scrub.model.core.amounts import Length, hundredths
from scrub.model.core.change import Undo

_MANIFEST = "META-INF/manifest.xml"


class TextPicture(PlacedPicture[TextPlace]):
    """A picture: a frame with an image in it (10.4.2, 10.4.4)."""

    def __init__(self, place: TextPlace, media: Media) -> None:
        self._place, self._media = place, media

    @property
    def name(self) -> str:
        """As `draw:name` of the frame has it; may be empty."""
        return self._place.said("name", DRAW) or ""

    @property
    def _in_words(self) -> Span | None:
        """What says it: the short text (10.3.2), else the long one (10.3.3)."""
        found = {child.name: child for child in self._place.span.children if child.uri == SVG}
        return found.get("title") or found.get("desc")

    @property
    def alternative_text(self) -> str | None:
        """What it shows, in words."""
        place, there = self._place, self._in_words
        if place.has("title"):
            (splice,) = place.part.edits[place.span.start, "title"]
            return text_of(splice.new) or None
        return place.part.said(there) or None if there is not None else None

    @alternative_text.setter
    def alternative_text(self, value: str | None) -> None:
        before, said = self.alternative_text, value or None
        if said == before:
            return
        place, there = self._place, self._in_words
        if there is not None and there.open_end != there.end:
            place.home.ensure_open()
            back = place.part.say(there, {"": said})
        else:
            name, declared = attribute(place.span, "title", SVG)
            more = "".join(f' {each}="{uri}"' for each, uri in declared.items())
            made = f"<{name}{more}>{escaped_text(said or '')}</{name}>".encode()
            last = ("title", "desc", "contour-polygon", "contour-path")  # what comes after it, or in its place
            at = next((child.start for child in place.span.children if child.name in last), place.span.close_start)
            end = there.end if there is not None else at
            back = place.put("title", [Splice(at, end, made)])
        self.noted("alternative-text", before, said, back)

    def measure(self, side: str) -> Length | None:
        """How wide or high it is."""
        found = centimetres(self._place.said(side, SVG))
        return None if found is None else Length.of_cm(hundredths(found))

    def put_side(self, side: str, length: Decimal) -> Undo:
        """Sets how wide or high it is; returns how to undo it."""
        return self._place.say(side, f"{length:.3f}cm", SVG)

    # -- what it shows

    @property
    def _images(self) -> list[Span]:
        """What it shows: the first that a program can show (10.4.2)."""
        return [child for child in self._place.span.children if of(child, DRAW, "image")]

    def _inside(self) -> str:
        result = self._media.shown_by(self._place, self._images[0])
        if not result:
            raise self.not_inside()
        return result

    def shown(self) -> str:
        """The name of the file that it shows now."""
        return posixpath.basename(self._inside())

    def inside(self) -> tuple[bytes, str]:
        """What it shows now."""
        return self._media.read(self._place, self._images[0]), self._inside()

    def show(self, new: NewPicture | None) -> Undo:
        """Shows another one, or none."""
        first, *others = self._images
        gone = [*others, *(child for child in first.children if child.name == "binary-data")]
        back = self._media.show(self._place, first, new)
        return all_back([back, self._place.put("others", [Splice(span.start, span.end, b"") for span in gone])])

    def take_out(self) -> Undo:
        """Takes its frame out."""
        return self._place.put("picture", [Splice(self._place.span.start, self._place.span.end, b"")])


class Media:
    """The files that pictures show, and those that are to be shown."""

    def __init__(self, package: Package | FlatPackage) -> None:
        self._package = package
        #: By the part and the place of the image: its frame, and what that is to show; None for none.
        self._wanted: dict[tuple[str, int], tuple[TextPlace, NewPicture | None]] = {}

    def _new(self, place: TextPlace, image: Span) -> NewPicture | None:
        _, new = self._wanted.get((place.part.name, image.start), (place, None))
        return new

    def shown_by(self, place: TextPlace, image: Span) -> str:
        """The name of the file that an image shows now; nothing where the document does not have it."""
        new = self._new(place, image)
        if new is not None:
            return new.shown
        target = (value(image, "href", XLINK) or "").removeprefix("./")
        return target if target in self._package.members else ""

    def read(self, place: TextPlace, image: Span) -> bytes:
        """What an image shows now."""
        new = self._new(place, image)
        return new.data if new is not None else self._package.read(self.shown_by(place, image))

    def show(self, place: TextPlace, image: Span, new: NewPicture | None) -> Undo:
        """Lets an image show another file, or none; returns how to undo it."""
        return put_in(self._wanted, (place.part.name, image.start), (place, new))

    def names(self) -> dict[str, NewPicture]:
        """The files that are to be added, by their names; the elements that show them name them from now on."""
        added: dict[str, NewPicture] = {}
        named: dict[bytes, str] = {}
        taken = {name.lower() for name in self._package.members}
        for place, new in self._wanted.values():
            if new is None:
                continue
            name = named.get(new.data)
            if name is None:
                names = (f"Pictures/image{number}{new.ending}" for number in range(1, 100_000))
                name = named[new.data] = next(each for each in names if each.lower() not in taken)
                taken.add(name.lower())
                added[name] = new
            image = place._replace(span=next(child for child in place.span.children if of(child, DRAW, "image")))
            image.say("href", name, XLINK)
            for known in image.span.attributes:
                if known.rpartition(":")[2] == "mime-type":
                    place.part.say(image.span, {known: new.media_type})
        return added

    @property
    def touched(self) -> bool:
        """Whether anything else is to be shown."""
        return bool(self._wanted)

    def left(self, parts: Iterable[bytes]) -> set[str]:
        """The files that nothing in these parts shows any more."""
        every = list(parts)
        former = {
            (value(child, "href", XLINK) or "").removeprefix("./")
            for place, _ in self._wanted.values()
            for child in place.span.children
            if of(child, DRAW, "image")
        }
        return {
            name
            for name in former
            if name in self._package.members and not any(escaped(name).encode() in data for data in every)
        }

    def listed(self, added: Mapping[str, NewPicture], gone: set[str]) -> dict[str, Callable[[], bytes]]:
        """The list of all files, with what comes and goes (part 2, 4.3)."""
        if _MANIFEST not in self._package.members or not (added or gone):
            return {}
        data, root = part_tree(self._package, _MANIFEST)
        p, entries = root.prefix, list(root.children)
        # Attributes have a prefix even where elements have none.
        known = (name for entry in entries for name in entry.attributes if name.endswith(":full-path"))
        a = next(known, f"{p}full-path").removesuffix("full-path")
        splices = [
            Splice(entry.start, entry.end, b"")
            for entry in entries
            if any(entry.attributes.get(name) in gone for name in entry.attributes if name.endswith("full-path"))
        ]
        made = "".join(
            f'<{p}file-entry {a}full-path="{escaped(name)}" {a}media-type="{new.media_type}"/>'
            for name, new in added.items()
        )
        return {_MANIFEST: partial(spliced, data, [*splices, *ended(data, root, made.encode())])}


def pictures_in(home: TextHome, part: TextPart, media: Media) -> Iterator[TextPicture]:
    """The pictures of a part; frames with texts and drawings are none."""
    for span in alive(part.root):
        if of(span, DRAW, "frame") and any(of(child, DRAW, "image") for child in span.children):
            if not any(of(child, DRAW, "object") for child in span.children):  # a chart, with a picture of it
                picture = TextPicture(TextPlace(home, part, span), media)
                if not picture.removed:
                    yield picture
