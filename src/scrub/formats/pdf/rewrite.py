"""PDFs written anew: of the pages that stay a new document is made, so that nothing of the others is left in it."""

from __future__ import annotations

import io
import os
import zlib
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Protocol

from scrub.formats.pdf.bounded import ensure_bounded, ensure_plainly_packed
from scrub.formats.pdf.images import Drawn, drawn_all
from scrub.formats.pdf.needed import needed, told_as_damage
from scrub.formats.pdf.objects import fields_of, held, is_signature
from scrub.formats.pdf.update import real
from scrub.model.pdf import OnPaper
from scrub.model.problem import Failure

#: Paper in points.
_PAPER = {
    OnPaper.A4: (595.28, 841.89), OnPaper.A3: (841.89, 1190.55), OnPaper.A5: (419.53, 595.28),
    OnPaper.LETTER: (612.0, 792.0),
}  # fmt: skip
#: What a document says of itself as a whole, which a new one keeps.
_KEPT = ("/Lang", "/ViewerPreferences", "/PageMode", "/PageLayout", "/OutputIntents")
#: What goes when pages are taken out or moved, and how a person calls it.
_LOST = {
    "/PageLabels": "the pages' own numbers", "/StructTreeRoot": "its structure for readers aloud",
    "/OpenAction": "what happens when it is opened",
}  # fmt: skip

Foreign = Mapping[int, tuple[bytes, str | None]]


class Readable(Protocol):
    """A file whose pages can be taken."""

    def bytes_now(self) -> tuple[bytes, str | None]:
        """The file as it is now, and its password."""


class Rewriting:
    """One file to be written anew."""

    def __init__(self, data: bytes, password: str | None, bare: bool, unsigned: bool) -> None:
        self._data = data
        self._password = password
        self._bare = bare
        self._unsigned = unsigned

    @property
    def notes(self) -> list[str]:
        """What is lost."""
        with told_as_damage(), self._open() as pdf:
            lost = [said for name, said in _LOST.items() if name in pdf.trailer.Root]
        return [f"Where pages go or move, {' and '.join(lost)} is left out."] if lost else []

    def _open(self) -> Any:
        return needed("pikepdf").open(io.BytesIO(self._data), password=self._password or "")

    def made(
        self, order: Sequence[tuple[int | None, int]] | None, foreign: Foreign, password: str | None, encrypted: bool
    ) -> bytes:
        """The file as it is to be: its pages in an order, None for all as they are; `encrypted` tells that it stays so
        where there is no new password.
        """
        with told_as_damage(), self._open() as pdf:
            if self._unsigned:
                _unsign(pdf)
            if order is None:
                made = pdf
            else:
                made = needed("pikepdf").Pdf.new()
                _fill(made, pdf, order, foreign)
                _keep(made, pdf)
            if self._bare:
                _forget(made)
            return _saved(made, password, encrypted, pdf)


def new_with(
    foreign: Foreign,
    order: Sequence[tuple[int | None, int]],
    password: str | None,
    info: Mapping[str, str | None],
    names: Mapping[str, str],
) -> bytes:
    """A new file of the pages of others."""
    made = needed("pikepdf").Pdf.new()
    _fill(made, None, order, foreign)
    for word, value in info.items():
        if value is not None:
            made.docinfo[names[word]] = value
    return _saved(made, password, False, made)


def _fill(made: Any, own: Any, order: Sequence[tuple[int | None, int]], foreign: Foreign) -> None:
    """Puts pages into a new document, with what it holds for them."""
    pikepdf = needed("pikepdf")
    opened: dict[int, Any] = {}
    for source, indices in _stretches(order):
        if source is None:
            pdf = own
        else:
            data, password = foreign[source]
            if source not in opened:
                opened[source] = pikepdf.open(io.BytesIO(data), password=password or "")
            pdf = opened[source]
        made.add_pages_from(pdf, pages=indices)


def _stretches(order: Sequence[tuple[int | None, int]]) -> Iterator[tuple[int | None, list[int]]]:
    """Pages of one file that follow each other."""
    source: int | None = None
    found: list[int] = []
    for of, index in order:
        if found and of != source:
            yield source, found
            found = []
        source = of
        found.append(index)
    if found:
        yield source, found


def _keep(made: Any, pdf: Any) -> None:
    """What the old document says of itself as a whole goes along."""
    old, new = pdf.trailer.Root, made.trailer.Root
    for name in _KEPT:
        if name in old:
            value = old[name]
            whole = value if getattr(value, "is_indirect", False) else pdf.make_indirect(value)
            new[name] = made.copy_foreign(whole)
    if "/Info" in pdf.trailer:
        for key, value in pdf.docinfo.items():
            made.docinfo[key] = str(value)
    if "/Metadata" in old:
        new["/Metadata"] = made.copy_foreign(old["/Metadata"])
    files = held(held(old, "/Names"), "/EmbeddedFiles")
    if len(files):
        names = held(new, "/Names")
        names.EmbeddedFiles = made.copy_foreign(files if files.is_indirect else pdf.make_indirect(files))
        new.Names = names


def _forget(pdf: Any) -> None:
    """Takes out what tells about the writer: properties, and what parts of the file say of themselves (14.3)."""
    pikepdf = needed("pikepdf")
    if "/Info" in pdf.trailer:
        del pdf.trailer["/Info"]
    for each in list(pdf.objects):
        if isinstance(each, (pikepdf.Dictionary, pikepdf.Stream)):
            for name in ("/Metadata", "/PieceInfo", "/LastModified"):
                if name in each:
                    del each[name]


def _unsign(pdf: Any) -> None:
    """Takes signatures off: their fields are empty, and the file says of no one that it is signed (12.7.4.5, 12.8)."""
    root = pdf.trailer.Root
    if "/Perms" in root:
        del root["/Perms"]
    for field in fields_of(root):
        if is_signature(field):
            for name in ("/V", "/Lock", "/SV"):
                if name in field:
                    del field[name]
    form = held(root, "/AcroForm")
    if "/SigFlags" in form:
        form["/SigFlags"] = 0


def _saved(made: Any, password: str | None, encrypted: bool, like: Any) -> bytes:
    pikepdf = needed("pikepdf")
    out = io.BytesIO()
    ensure_plainly_packed(made)
    # What is packed stays packed as it is: it comes to the same, and nothing in it can ask for memory.
    none = pikepdf.StreamDecodeLevel.none
    how: dict[str, Any] = {"deterministic_id": True, "stream_decode_level": none, "compress_streams": False}
    if password is not None:
        how = {"encryption": pikepdf.Encryption(user=password, owner=password, R=6)}
    elif encrypted and made is like:
        how = {"encryption": True}
    elif encrypted:  # opened without a password: it may be read by everybody, and no more
        how = {"encryption": pikepdf.Encryption(user="", owner="", R=6)}
    made.save(out, **how)
    return out.getvalue()


def pages_like(item: object, paper: OnPaper) -> tuple[bytes, str | None, int, str]:
    """The pages of a file that is to be appended: its bytes, its password, how many they are, and its name."""
    pikepdf = needed("pikepdf")
    name, password = str(getattr(item, "label", "it")), None
    if isinstance(item, str):
        name = os.path.basename(item)
        try:
            with open(item, "rb") as stream:
                data = stream.read()
        except OSError as error:
            raise Failure(f"{name} cannot be read: {error.strerror}") from None
    elif getattr(item, "kind_word", "") == "image":
        data = item.picture_bytes()  # type: ignore[attr-defined]
    elif getattr(item, "kind_word", "") == "pdf":
        data, password = item.bytes_now()  # type: ignore[attr-defined]
    else:
        raise Failure(f"only PDFs and images have pages to append, and {name} is neither")
    if b"%PDF-" not in data[:1024]:
        data = _pages_of_picture(data, name, paper)
    try:
        ensure_bounded(data)
        with told_as_damage(), pikepdf.open(io.BytesIO(data), password=password or "") as pdf:
            return data, password, len(pdf.pages), name
    except Failure as failure:
        raise failure.at(name) from None


def _pages_of_picture(data: bytes, name: str, paper: OnPaper) -> bytes:
    """A picture as a page, or each of several in one file: turned as the paper lies best, as large as fits."""
    pdf = needed("pikepdf").Pdf.new()
    for picture in drawn_all(data, name):
        _add_page(pdf, picture, paper)
    out = io.BytesIO()
    pdf.save(out, deterministic_id=True)
    return out.getvalue()


def _add_page(pdf: Any, picture: Drawn, paper: OnPaper) -> None:
    pikepdf = needed("pikepdf")
    wide, high = picture.size
    width, height = _PAPER.get(paper, (wide, high))
    if (wide > high) != (width > height):
        width, height = height, width
    margin = 0.0 if paper == OnPaper.AS_IT_IS else 28.35
    scale = min((width - 2 * margin) / wide, (height - 2 * margin) / high)
    left, bottom = (width - wide * scale) / 2, (height - high * scale) / 2
    stream = pdf.make_stream(picture.data if picture.packed else zlib.compress(picture.data))
    for key, written in picture.entries.items():
        stream[f"/{key}"] = pikepdf.Object.parse(written)
    if not picture.packed:
        stream.Filter = pikepdf.Name.FlateDecode
    if picture.profile is not None:
        data, parts = picture.profile
        profile = pdf.make_stream(zlib.compress(data), N=parts, Filter=pikepdf.Name.FlateDecode)
        base = pikepdf.Array([pikepdf.Name.ICCBased, profile])
        if isinstance(stream.ColorSpace, pikepdf.Array):
            stream.ColorSpace[1] = base
        else:
            stream.ColorSpace = base
    if picture.mask is not None:
        mask = pdf.make_stream(zlib.compress(picture.mask), Filter=pikepdf.Name.FlateDecode)
        for key, value in (("Type", "/XObject"), ("Subtype", "/Image"), ("ColorSpace", "/DeviceGray")):
            mask[f"/{key}"] = pikepdf.Name(value)
        mask.Width, mask.Height, mask.BitsPerComponent = *picture.pixels, 8
        stream.SMask = mask
    page = pdf.add_blank_page(page_size=(width, height))
    page.obj.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Image=stream))
    placed = b" ".join(map(real, (wide * scale, 0, 0, high * scale, left, bottom)))
    content = b"q %b cm %b cm /Image Do Q" % (placed, b" ".join(map(real, picture.matrix)))
    page.obj.Contents = pdf.make_stream(content)
