"""Stamps on pages: forms of their own (8.10), drawn by streams after or before what is on the page."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from typing import Any, Protocol

from scrub.formats.images.needed import needed
from scrub.formats.pdf.bounded import unpacked
from scrub.formats.pdf.boxes import FoundPage, Seen, own_turn, seen
from scrub.formats.pdf.content import balance, streams_of
from scrub.formats.pdf.fonts import line, put_piece, put_standard
from scrub.formats.pdf.objects import held
from scrub.formats.pdf.update import Section, dictionary, real
from scrub.model.core.colours import colour_of
from scrub.model.core.named import NamedTuple
from scrub.model.pages.stamping import Layer, Placing, Spot

#: What the streams of a stamp say beside their length: its name; and those that bracket the content of a page.
_NAME, _BRACKET = "ScrubStamp", "ScrubBracket"
_ACROSS = {**dict.fromkeys((Spot.TOP_LEFT, Spot.LEFT, Spot.BOTTOM_LEFT), 0),
           **dict.fromkeys((Spot.TOP, Spot.MIDDLE, Spot.BOTTOM), 1)}  # fmt: skip
_UP = {**dict.fromkeys((Spot.BOTTOM_LEFT, Spot.BOTTOM, Spot.BOTTOM_RIGHT), 0),
       **dict.fromkeys((Spot.LEFT, Spot.MIDDLE, Spot.RIGHT), 1)}  # fmt: skip


class Drawing(Protocol):
    """What a stamp shows: a picture, or a page."""

    @property
    def size(self) -> tuple[float, float]:
        """How large it is of itself, in points of paper."""

    @property
    def matrix(self) -> tuple[int, int, int, int, int, int]:
        """How it is in a square of one unit."""

    def put(self, section: Section) -> int:
        """Adds it to what is appended to a file, as an object of the size of one unit."""


class PictureStamp(NamedTuple):
    """A picture or a page, and how large it is on paper, in points."""

    drawn: Drawing
    key: str
    size: tuple[float, float]


class TextStamp(NamedTuple):
    """A text, the size of its characters in points, and their colour."""

    text: str
    points: Decimal
    colour: str


class Stamp(NamedTuple):
    """Something to be put on a page, and where."""

    what: PictureStamp | TextStamp
    at: Placing


class Stamping:
    """Puts stamps on the pages of one file, as what is appended to it. What is the same on many pages is there once."""

    def __init__(self, pdf: object, section: Section, texts: Iterable[str]) -> None:
        """`texts` are all that is going to be written, so that each font is there once with its characters."""
        self._pdf = pdf
        self._section = section
        self._letters: dict[str, set[str]] = {}
        for text in texts:
            font = line(text).font
            if font:
                self._letters.setdefault(font, set()).update(text)
        self._forms: dict[object, tuple[int, tuple[float, float]]] = {}
        self._parts: dict[object, int] = {}

    def page(self, found: FoundPage, stamps: Mapping[str, Stamp | None], turn: int | None) -> None:
        """Gives a page other stamps, by their names; None takes one off. `turn` is another turn for it."""
        page, (number, generation) = found.page, found.page.objgen
        entries = {
            str(key)[1:]: self._section.own(page[key], number, generation)
            for key in page
            if str(key) not in ("/Contents", "/Resources", "/Rotate")
        }
        if turn is not None:
            entries["Rotate"] = b"%d" % turn
        elif "/Rotate" in page:
            entries["Rotate"] = b"%d" % own_turn(found)
        resources = found.get("/Resources")
        contents = page.get("/Contents")
        if not stamps:
            if contents is not None:
                entries["Contents"] = self._section.own(contents, number, generation)
            if "/Resources" in page:
                entries["Resources"] = self._section.own(resources, number, generation)
        else:
            streams = streams_of(contents)
            named = [(stream, stream.get(f"/{_NAME}")) for stream in streams]
            kept = [(stream, name) for stream, name in named if name is None or str(name) not in stamps]
            fresh = {name: stamp for name, stamp in stamps.items() if stamp is not None}
            names: dict[str, int] = {}
            view = seen(found, turn)
            behind = [self._drawing(stamp, view, names) for stamp in fresh.values() if stamp.at.layer == Layer.BEHIND]
            above = [self._drawing(stamp, view, names) for stamp in fresh.values() if stamp.at.layer == Layer.ABOVE]
            entries["Contents"] = self._contents(found, kept, behind, above)
            entries["Resources"] = self._resources(resources, names, number, generation)
        self._section.put(dictionary(entries), number, generation)

    def _contents(
        self, found: FoundPage, kept: Sequence[tuple[Any, object]], behind: Sequence[int], above: Sequence[int]
    ) -> bytes:
        """The streams of a page, in order; what was there before is bracketed: nothing of it goes on (8.4.2)."""
        own = [stream for stream, name in kept if name is None]
        first = next((at for at, (_, name) in enumerate(kept) if name is None), 0)
        before = [stream for stream, name in kept[:first] if name is not None]
        later = [stream for stream, name in kept[first:] if name is not None]
        brackets = [stream for stream in own if f"/{_BRACKET}" in stream]
        content = [stream for stream in own if f"/{_BRACKET}" not in stream]
        references = [each.unparse() for each in content]
        if above or later:
            if len(brackets) == 2:
                references = [brackets[0].unparse(), *references, brackets[1].unparse()]
            elif content:
                found_balance = balance(self._pdf, found.page, unpacked(content))
                opening = self._bracket(b"q " + found_balance.before)
                closing = self._bracket(b"\n" + found_balance.behind + b" Q\n")
                references = [b"%d 0 R" % opening, *references, b"%d 0 R" % closing]
        made = [b"%d 0 R" % each for each in behind]
        made += [each.unparse() for each in before] + references + [each.unparse() for each in later]
        made += [b"%d 0 R" % each for each in above]
        return b"[" + b" ".join(made) + b"]"

    def _bracket(self, data: bytes) -> int:
        key = ("bracket", data)
        if key not in self._parts:
            self._parts[key] = self._section.put_stream({_BRACKET: b"true"}, data)
        return self._parts[key]

    def _drawing(self, stamp: Stamp, view: Seen, names: dict[str, int]) -> int:
        """The stream that draws a stamp on a page; `names` takes the form that it draws."""
        form, size = self._form(stamp)
        name = f"ScrubForm{form}"
        names[name] = form
        matrix = b" ".join(map(real, placed(view, size, stamp.at)))
        key = ("drawing", stamp.at.called, matrix, form)
        if key not in self._parts:
            section = self._section
            number = section.number()
            said = section.text(stamp.at.called, number)
            data = b"/Artifact BMC q " + matrix + b" cm /" + name.encode() + b" Do Q EMC\n"
            self._parts[key] = section.put_stream({_NAME: said}, data, number=number)
        return self._parts[key]

    def _form(self, stamp: Stamp) -> tuple[int, tuple[float, float]]:
        what, opacity = stamp.what, stamp.at.opacity
        key = (what.key, what.size, opacity) if isinstance(what, PictureStamp) else (*what, opacity)
        if key not in self._forms:
            if isinstance(what, PictureStamp):
                self._forms[key] = self._picture(what, opacity)
            else:
                self._forms[key] = self._text(what, opacity)
        return self._forms[key]

    def _picture(self, what: PictureStamp, opacity: Decimal) -> tuple[int, tuple[float, float]]:
        image = self._parts.get(what.key)
        if image is None:
            image = self._parts[what.key] = what.drawn.put(self._section)
        wide, high = what.size
        upright = b" ".join(b"%d" % each for each in what.drawn.matrix)
        data = b"q %b 0 0 %b 0 0 cm %b cm /Image Do Q" % (real(wide), real(high), upright)
        resources = {"XObject": dictionary({"Image": b"%d 0 R" % image})}
        return self._made(data, resources, (wide, high), opacity)

    def _text(self, what: TextStamp, opacity: Decimal) -> tuple[int, tuple[float, float]]:
        written = line(what.text)
        points = float(what.points)
        font = self._parts.get(("font", written.font))
        if font is None:
            made = put_piece(self._section, written.font, self._letters[written.font]) if written.font else None
            font = self._parts["font", written.font] = made or put_standard(self._section)
        size = (written.width * points / 1000, (written.rise + written.fall) * points / 1000)
        parts = [int(colour_of(what.colour)[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        data = b"%b rg BT /Font %b Tf 0 %b Td %b Tj ET" % (
            b" ".join(map(real, parts)), real(points), real(written.fall * points / 1000), written.codes,
        )  # fmt: skip
        return self._made(data, {"Font": dictionary({"Font": b"%d 0 R" % font})}, size, opacity)

    def _made(
        self, data: bytes, resources: dict[str, bytes], size: tuple[float, float], opacity: Decimal
    ) -> tuple[int, tuple[float, float]]:
        if opacity != 1:
            strong = real(opacity)
            key = ("strength", strong)
            if key not in self._parts:
                state = {"Type": b"/ExtGState", "ca": strong, "CA": strong}
                self._parts[key] = self._section.put(dictionary(state))
            resources = {**resources, "ExtGState": dictionary({"Strength": b"%d 0 R" % self._parts[key]})}
            data = b"/Strength gs " + data
        entries = {
            "Type": b"/XObject", "Subtype": b"/Form", "BBox": b"[0 0 %b %b]" % (real(size[0]), real(size[1])),
            "Resources": dictionary(resources),
        }  # fmt: skip
        return self._section.put_stream(entries, data), size

    def _resources(self, resources: object, names: Mapping[str, int], number: int, generation: int) -> bytes:
        """The resources of a page, copied one level deep, with the forms that stamps draw (7.8.3)."""
        entries: dict[str, bytes] = {}
        forms: dict[str, bytes] = {}
        if isinstance(resources, needed("pikepdf").Dictionary):
            for key in resources:
                if str(key) == "/XObject":
                    drawn = held(resources, "/XObject")
                    forms = {str(name)[1:]: self._section.own(drawn[name], number, generation) for name in drawn}
                else:
                    entries[str(key)[1:]] = self._section.own(resources[key], number, generation)
        forms |= {name: b"%d 0 R" % form for name, form in names.items()}
        if forms:
            entries["XObject"] = dictionary(forms)
        return dictionary(entries)


def stamps_on(found: FoundPage) -> list[str]:
    """The names of the stamps that Scrub put on a page before."""
    return [
        str(name) for stream in streams_of(found.page.get("/Contents")) if (name := stream.get(f"/{_NAME}")) is not None
    ]


def placed(view: Seen, size: tuple[float, float], at: Placing) -> tuple[float, ...]:
    """From the points of a stamp, counted from its lower left corner, to the units of a page."""
    angle = math.radians(float(at.angle))
    cos, sin = math.cos(angle), math.sin(angle)
    wide, high = size
    box = (abs(wide * cos) + abs(high * sin), abs(wide * sin) + abs(high * cos))
    margin = float(at.margin)
    across, up = _ACROSS.get(at.spot, 2), _UP.get(at.spot, 2)
    x, y = (
        (margin + own / 2, room / 2, room - margin - own / 2)[place]
        for place, room, own in ((across, view.size[0], box[0]), (up, view.size[1], box[1]))
    )
    left, bottom = x - wide / 2 * cos + high / 2 * sin, y - wide / 2 * sin - high / 2 * cos
    turned = (cos, sin, -sin, cos, left, bottom)
    return _times(turned, view.matrix())


def _times(first: Sequence[float], then: Sequence[float]) -> tuple[float, ...]:
    """One matrix after another (8.3.4)."""
    a, b, c, d, e, f = first
    g, h, i, j, k, m = then
    return (
        a * g + b * i, a * h + b * j, c * g + d * i, c * h + d * j, e * g + f * i + k, e * h + f * j + m,
    )  # fmt: skip
