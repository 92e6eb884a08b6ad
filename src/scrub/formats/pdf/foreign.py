"""A page of another PDF as a stamp: a form (8.10) with all that its content needs, copied into what is appended."""

from __future__ import annotations

import io
from typing import Any

from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.pdf.bounded import ensure_bounded, unpacked
from scrub.formats.pdf.boxes import FoundPage, pages_of, seen
from scrub.formats.pdf.content import balance, streams_of
from scrub.formats.pdf.images import UPRIGHT
from scrub.formats.pdf.update import Section, dictionary, real
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: The most objects, and bytes of streams, that a stamp brings along.
_MOST_OBJECTS, _MOST_BYTES = 50_000, 200_000_000


class DrawnPage(NamedTuple):
    """The first page of a file, and how large it is in points of paper."""

    pdf: object
    found: FoundPage
    content: bytes
    size: tuple[float, float]
    matrix: tuple[int, int, int, int, int, int] = UPRIGHT

    def put(self, section: Section) -> int:
        """Adds it to what is appended, as a form of the size of one unit."""
        view = seen(self.found)
        a, b, c, d, e, f = view.matrix()
        area = a * d - b * c
        wide, high = self.size
        back = (d / area, -b / area, -c / area, a / area, (c * f - d * e) / area, (b * e - a * f) / area)
        unit = [each / (high if at % 2 else wide) for at, each in enumerate(back)]
        entries = {
            "Type": b"/XObject", "Subtype": b"/Form",
            "BBox": b"[" + b" ".join(map(real, (view.left, view.bottom, view.right, view.top))) + b"]",
            "Matrix": b"[" + b" ".join(b"%.9f" % each for each in unit) + b"]",
        }  # fmt: skip
        number = section.number()
        with told_as_damage():
            entries["Resources"] = _Copying(section).written(self.found.get("/Resources"), number)
        return section.put_stream(entries, self.content, number=number)


def drawn_page(data: bytes, shown: str) -> DrawnPage:
    """The first page of a PDF from its bytes. Raises `Failure` for one that is damaged, or opens with a password."""
    pikepdf = needed("pikepdf")
    try:
        ensure_bounded(data)
        with told_as_damage():
            try:
                pdf = pikepdf.open(io.BytesIO(data))
            except pikepdf.PasswordError:
                raise Failure("it needs a password to open, so it cannot be a stamp") from None
        pages = pages_of(pdf)
        if not pages:
            raise Failure("it has no page to use as a stamp")
        content = unpacked(streams_of(pages[0].page.get("/Contents")))
        around = balance(pdf, pages[0].page, content)
        return DrawnPage(pdf, pages[0], around.before + content + around.behind, seen(pages[0]).size)
    except Failure as failure:
        raise failure.at(shown) from None


class _Copying:
    """Objects of one file, written as those of another: each once, with a number of its own there."""

    def __init__(self, section: Section) -> None:
        self._section = section
        self._numbers: dict[tuple[int, int], int] = {}
        self._waiting: list[tuple[object, int]] = []
        self._room = _MOST_BYTES

    def written(self, value: object, number: int) -> bytes:
        """A value as the object of a number contains it, and all that it refers to."""
        body = self._body(value, number)
        while self._waiting:
            found, own = self._waiting.pop()
            if isinstance(found, needed("pikepdf").Stream):
                self._stream(found, own)
            else:
                self._section.put(self._body(found, own), own)
        return body

    def _stream(self, stream: Any, number: int) -> None:
        data = bytes(stream.read_raw_bytes())
        self._room -= len(data)
        if self._room < 0:
            raise Failure(f"it needs more than {_MOST_BYTES // 1000000} MB of fonts and pictures")
        entries = {str(key)[1:]: self._within(stream[key], number) for key in stream if str(key) != "/Length"}
        self._section.put_stream(entries, data, packed=True, number=number)

    def _within(self, value: object, number: int) -> bytes:
        """A value inside another: a reference where it is an object of its own."""
        pikepdf = needed("pikepdf")
        if not isinstance(value, pikepdf.Object) or not value.is_indirect:
            return self._body(value, number)
        if isinstance(value, pikepdf.Dictionary) and str(value.get("/Type", "")) in ("/Page", "/Pages", "/Catalog"):
            return b"null"  # what leads back to the whole file stays there
        if value.objgen not in self._numbers:
            if len(self._numbers) >= _MOST_OBJECTS:
                raise Failure(f"it needs more than {_MOST_OBJECTS:,} objects")
            self._numbers[value.objgen] = self._section.number()
            self._waiting.append((value, self._numbers[value.objgen]))
        return b"%d 0 R" % self._numbers[value.objgen]

    def _body(self, value: object, number: int) -> bytes:
        pikepdf = needed("pikepdf")
        if isinstance(value, pikepdf.Dictionary):
            return dictionary({str(key)[1:]: self._within(value[key], number) for key in value})
        if isinstance(value, pikepdf.Array):
            return b"[" + b" ".join(self._within(each, number) for each in value) + b"]"
        return self._section.plain(value, number)
