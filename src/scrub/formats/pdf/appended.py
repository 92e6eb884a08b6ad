"""Pages that come from other files: those of PDFs, and pictures each on a page of its own."""

from __future__ import annotations

import io
import os
import zlib
from collections.abc import Sequence
from typing import Any, Protocol

from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.pdf.bounded import ensure_bounded
from scrub.formats.pdf.boxes import pages_of
from scrub.formats.pdf.images import Drawn, drawn_all
from scrub.formats.pdf.update import real
from scrub.formats.source import data_of
from scrub.model.core.problem import Failure
from scrub.model.pages.pdf import OnPaper

#: Paper in points.
_PAPER = {
    OnPaper.A4: (595.28, 841.89), OnPaper.A3: (841.89, 1190.55), OnPaper.A5: (419.53, 595.28),
    OnPaper.LETTER: (612.0, 792.0),
}  # fmt: skip


class Appended(Protocol):
    """The pages of a file that are appended to another one."""

    count: int

    def put(self, made: Any, indices: Sequence[int]) -> None:
        """Puts some of them, counted from 0, after the last page of a document."""


class OfPdf:
    """The pages of a PDF."""

    def __init__(self, data: bytes, password: str | None) -> None:
        """Raises `Failure` for a damaged one."""
        ensure_bounded(data)
        with told_as_damage():
            self._pdf = needed("pikepdf").open(io.BytesIO(data), password=password or "")
            self.count = len(pages_of(self._pdf))

    def put(self, made: Any, indices: Sequence[int]) -> None:
        """Puts some of them, counted from 0, after the last page of a document."""
        made.add_pages_from(self._pdf, pages=indices)


class OfPicture:
    """A picture as a page, or each of several in one file: turned as the paper is best, as large as fits."""

    def __init__(self, data: bytes, name: str, paper: OnPaper) -> None:
        """Raises `Failure` for one that is damaged or too large."""
        self._pictures = [_packed(each) for each in drawn_all(data, name)]
        self._paper = paper
        self.count = len(self._pictures)

    def put(self, made: Any, indices: Sequence[int]) -> None:
        """Puts some of them, counted from 0, after the last page of a document."""
        for index in indices:
            _add_page(made, self._pictures[index], self._paper)


def pages_like(item: object, paper: OnPaper) -> tuple[Appended, str]:
    """The pages of a file that is to be appended, and its name. Raises `Failure` for one that has none."""
    name, password = str(getattr(item, "label", "it")), None
    if isinstance(item, str):
        name = os.path.basename(item)
        data = data_of(item)
    elif getattr(item, "kind_word", "") == "image":
        data = item.picture_bytes()  # type: ignore[attr-defined]
    elif getattr(item, "kind_word", "") == "pdf":
        data, password = item.bytes_now()  # type: ignore[attr-defined]
    else:
        raise Failure(f"{name} is neither a PDF nor an image, so its pages cannot be appended")
    if b"%PDF-" not in data[:1024]:
        return OfPicture(data, name, paper), name
    try:
        return OfPdf(data, password), name
    except Failure as failure:
        raise failure.at(name) from None


def _packed(picture: Drawn) -> Drawn:
    """The same with its points packed, as they are kept until the pages are written."""
    mask = None if picture.mask is None else zlib.compress(picture.mask)
    if picture.packed:
        return picture._replace(mask=mask)
    entries = {**picture.entries, "Filter": b"/FlateDecode"}
    return picture._replace(entries=entries, data=zlib.compress(picture.data), packed=True, mask=mask)


def _add_page(pdf: Any, picture: Drawn, paper: OnPaper) -> None:
    """A new last page with a picture, which is packed."""
    pikepdf = needed("pikepdf")
    wide, high = picture.size
    width, height = _PAPER.get(paper, (wide, high))
    if (wide > high) != (width > height):
        width, height = height, width
    margin = 0.0 if paper == OnPaper.AS_IT_IS else 28.35
    scale = min((width - 2 * margin) / wide, (height - 2 * margin) / high)
    left, bottom = (width - wide * scale) / 2, (height - high * scale) / 2
    stream = pdf.make_stream(picture.data)
    for key, written in picture.entries.items():
        stream[f"/{key}"] = pikepdf.Object.parse(written)
    if picture.profile is not None:
        data, parts = picture.profile
        profile = pdf.make_stream(zlib.compress(data), N=parts, Filter=pikepdf.Name.FlateDecode)
        base = pikepdf.Array([pikepdf.Name.ICCBased, profile])
        if isinstance(stream.ColorSpace, pikepdf.Array):
            stream.ColorSpace[1] = base
        else:
            stream.ColorSpace = base
    if picture.mask is not None:
        mask = pdf.make_stream(picture.mask, Filter=pikepdf.Name.FlateDecode)
        for key, value in (("Type", "/XObject"), ("Subtype", "/Image"), ("ColorSpace", "/DeviceGray")):
            mask[f"/{key}"] = pikepdf.Name(value)
        mask.Width, mask.Height, mask.BitsPerComponent = *picture.pixels, 8
        stream.SMask = mask
    page = pdf.add_blank_page(page_size=(width, height))
    page.obj.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Image=stream))
    placed = b" ".join(map(real, (wide * scale, 0, 0, high * scale, left, bottom)))
    content = b"q %b cm %b cm /Image Do Q" % (placed, b" ".join(map(real, picture.matrix)))
    page.obj.Contents = pdf.make_stream(content)
