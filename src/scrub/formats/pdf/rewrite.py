"""PDFs rewritten: of the pages that stay a new document is made, so that nothing of the others is left in it."""

from __future__ import annotations

import hashlib
import io
import re
import zlib
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from scrub.formats.images.needed import needed, told_as_damage
from scrub.formats.pdf.appended import Appended
from scrub.formats.pdf.bounded import ensure_plainly_packed
from scrub.formats.pdf.objects import fields_of, held, is_signature

#: What a document says of itself as a whole, which a new one keeps.
_KEPT = ("/Lang", "/ViewerPreferences", "/PageMode", "/PageLayout", "/OutputIntents")
#: What goes when pages are removed or moved, and how a person calls it.
_LOST = {
    "/PageLabels": "the page labels", "/StructTreeRoot": "its structure for screen readers",
    "/OpenAction": "actions on opening",
}  # fmt: skip

#: The identifier that a file gets where it is told not to make one; where it is looked for; and what is summed at once.
_SAME_ID, _TAIL, _PART = b"31415926535897932384626433832795", 4_000, 1 << 20

Foreign = Mapping[int, Appended]


class Rewriting:
    """One file to be rewritten."""

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
        return [f"Because pages were deleted or moved, {' and '.join(lost)} was removed."] if lost else []

    def _open(self) -> Any:
        return needed("pikepdf").open(io.BytesIO(self._data), password=self._password or "")

    def made(
        self, order: Sequence[tuple[int | None, int]] | None, foreign: Foreign, password: str | None, encrypted: bool
    ) -> bytes:
        """The file as it is to be: its pages in an order, None for all as they are; `encrypted` tells that it stays so
        where there is not a new password.
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


def _fill(made: Any, own: object, order: Sequence[tuple[int | None, int]], foreign: Foreign) -> None:
    """Puts pages into a new document, with what it applies to them."""
    with told_as_damage():
        for source, indices in _stretches(order):
            if source is None:
                made.add_pages_from(own, pages=indices)
            else:
                foreign[source].put(made, indices)


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
    """Removes what tells about the writer: properties, and what parts of the file say of themselves (14.3)."""
    pikepdf = needed("pikepdf")
    if "/Info" in pdf.trailer:
        del pdf.trailer["/Info"]
    for object_ in list(pdf.objects):
        if isinstance(object_, (pikepdf.Dictionary, pikepdf.Stream)):
            for name in ("/Metadata", "/PieceInfo", "/LastModified"):
                if name in object_:
                    del object_[name]


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


def _saved(made: Any, password: str | None, encrypted: bool, like: object) -> bytes:
    pikepdf = needed("pikepdf")
    ensure_plainly_packed(made)
    if password is not None or encrypted:
        same = password is None and made is like
        # Opened without a password, it may be read by everybody, and no more.
        own = password or ""
        how = True if same else pikepdf.Encryption(user=own, owner=own, R=6)
        return _written(made, encryption=how).getvalue()
    # What is packed stays packed as it is: it comes to the same, and nothing in it can ask for memory.
    plainly = {"stream_decode_level": pikepdf.StreamDecodeLevel.none, "compress_streams": False}
    out = _written(made, static_id=True, **plainly)
    if not _identified(out):
        out = _written(made, deterministic_id=True, **plainly)
    return out.getvalue()


def _written(made: Any, **how: object) -> io.BytesIO:
    out = io.BytesIO()
    made.save(out, **how)
    return out


def _identified(out: io.BytesIO) -> bool:
    """Gives a file an identifier of its own in the place of the one that all have at first, made of what is in it
    (14.4). To let it be made as the file is written takes twice as long as all else. Tells whether it was found.
    """
    with out.getbuffer() as view:
        tail = bytes(view[-_TAIL:])
        at = tail.rfind(b"trailer")
        places = [
            found.start() + len(view) - len(tail) for found in re.finditer(_SAME_ID, tail) if found.start() > at >= 0
        ]
        sums = (zlib.crc32(view[start : start + _PART]) for start in range(0, len(view), _PART))
        own = hashlib.blake2b(b"".join(each.to_bytes(4, "big") for each in sums), digest_size=16).hexdigest()
        for place in places:
            view[place : place + len(own)] = own.encode()
    return bool(places)
