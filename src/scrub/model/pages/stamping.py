"""What is put on pages: pictures and texts at a place."""

from __future__ import annotations

from decimal import Decimal

from scrub.model.core.amounts import Length
from scrub.model.core.choice import Choice
from scrub.model.core.declare import Item, Reach, action, needs
from scrub.model.core.files import FilePath, ReadPath
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure
from scrub.model.core.required import required

_MARGIN, _LETTERS = Length(Decimal(1), "cm"), Length(Decimal(9), "pt")


class Spot(Choice):
    """Where on a page, as it is seen."""

    TOP_LEFT = "top-left"
    TOP = "top"
    TOP_RIGHT = "top-right"
    LEFT = "left"
    MIDDLE = "middle"
    RIGHT = "right"
    BOTTOM_LEFT = "bottom-left"
    BOTTOM = "bottom"
    BOTTOM_RIGHT = "bottom-right"


class Layer(Choice):
    """Whether something is over what is on the page, or under it."""

    ABOVE = "above"
    BEHIND = "behind"


class Placing(NamedTuple):
    """Where a stamp is and how strong it is. Lengths are in points, the angle in degrees to the left."""

    spot: Spot
    margin: Decimal
    angle: Decimal
    opacity: Decimal
    layer: Layer
    called: str

    def words(self) -> str:
        """How the list of changes tells it."""
        said = [str(self.spot)]
        if self.angle:
            said.append(f"{self.angle:f} degrees")
        if self.opacity != 1:
            said.append(f"{(self.opacity * 100).normalize():f}%")
        return ", ".join([*said, *(["behind"] if self.layer == Layer.BEHIND else [])])


def placing(place: Spot, margin: Length, angle: Decimal, opacity: Decimal, layer: Layer, called: str) -> Placing:
    """The arguments of a stamp, checked. Raises `Failure`."""
    if not 0 < opacity <= 1:
        raise Failure(f"opacity is 1% to 100%, not {opacity * 100:f}%")
    if not -360 <= angle <= 360:
        raise Failure(f"an angle is -360 to 360 degrees, not {angle:f}")
    if margin.total < 0:
        raise Failure("a margin must be 0 or more")
    if not called or any(ord(letter) < 32 for letter in called) or len(called) > 100:
        raise Failure('a stamp needs a short name: called: "seal"')
    return Placing(place, margin.in_unit("pt"), angle, opacity, layer, called)


class Stamped(Item):
    """A page, or many pages, on which something can be put."""

    __slots__ = ()

    @required
    def put_picture(self, path: FilePath, width: Decimal | None, at: Placing) -> None:
        """Puts a picture on it; its width is in points, the picture's own where it is None."""
        raise NotImplementedError

    @required
    def put_text(self, text: str, size: Decimal, colour: str, at: Placing) -> None:
        """Puts a text on it; its size is in points."""
        raise NotImplementedError

    @required
    def take_stamp(self, called: str) -> None:
        """Takes a stamp off."""
        raise NotImplementedError

    @action(Reach.CHANGE)
    @needs("put_picture")
    def stamp_picture(
        self,
        picture: ReadPath,
        place: Spot = Spot.BOTTOM_RIGHT,
        width: Length | None = None,
        margin: Length = _MARGIN,
        angle: Decimal = Decimal(0),
        opacity: Decimal = Decimal(1),
        layer: Layer = Layer.ABOVE,
        called: str = "stamp",
    ) -> None:
        """Stamps each page with a picture or the first page of a PDF. It replaces an earlier stamp of the same name.

        picture: the file, such as own-file("seal.png").
        place: the position on the page as displayed.
        width: the width on paper; default: the size of the picture.
        margin: the distance from the edge.
        angle: the rotation to the left in degrees.
        opacity: the opacity, from 1% to 100%.
        layer: in front of the page contents or behind them.
        called: the name for removing or replacing it later.
        Example: stamp-picture "seal.png", place: bottom-right, width: 3 cm, opacity: 35%, called: "seal"
        Also: seal, logo, letterhead, overlay, signature picture
        """
        if width is not None and width.total <= 0:
            raise Failure("the width of a picture must be more than 0")
        points = width.in_unit("pt") if width is not None else None
        self.put_picture(picture, points, placing(place, margin, angle, opacity, layer, called))

    @action(Reach.CHANGE)
    @needs("put_text")
    def stamp_text(
        self,
        text: str,
        place: Spot = Spot.BOTTOM,
        size: Length = _LETTERS,
        margin: Length = _MARGIN,
        angle: Decimal = Decimal(0),
        opacity: Decimal = Decimal(1),
        colour: str = "black",
        layer: Layer = Layer.ABOVE,
        called: str = "text",
    ) -> None:
        """Stamps each page with text. It replaces an earlier stamp of the same name.

        text: the text, on one line.
        place: the position on the page as displayed.
        size: the font size.
        margin: the distance from the edge.
        angle: the rotation to the left in degrees.
        opacity: the opacity, from 1% to 100%.
        colour: the text colour.
        layer: in front of the page contents or behind them.
        called: the name for removing or replacing it later.
        Example: stamp-text "Draft", place: middle, size: 60 pt, angle: 45, opacity: 20%, called: "draft"
        Also: watermark, page numbers, header, footer, number pages, confidential
        """
        points = size.in_unit("pt")
        if not 1 <= points <= 1000:
            raise Failure(f"a font size is 1 to 1,000 points, not {size}")
        if not text.strip():
            raise Failure("the text of the stamp is missing")
        self.put_text(" ".join(text.split()), points, colour, placing(place, margin, angle, opacity, layer, called))

    @action(Reach.CHANGE)
    @needs("take_stamp")
    def unstamp(self, called: str = "stamp") -> None:
        """Removes a stamp added by Scrub.

        called: its name.
        Example: unstamp called: "seal"
        Also: remove watermark, remove stamp, remove page numbers
        """
        self.take_stamp(called)
