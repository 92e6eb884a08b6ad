"""Pictures and charts as they are to be: their words, what they show, and the titles of charts."""

from __future__ import annotations

import posixpath
from functools import partial
from itertools import count
from typing import Any

from scrub.formats.opendocument.read import DRAW, SVG, TEXT, XLINK, attribute, of
from scrub.formats.opensheets.projected_sheet import FoundFrame, chart_title
from scrub.formats.opensheets.saved_book import SavedBook
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Splice, ended, escaped, parse_element, set_attributes, spliced
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.xmltext import escaped_text

_MANIFEST = "META-INF/manifest.xml"
_OWN_MANIFEST = "urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"
Swaps = dict[tuple[int, int], list[tuple[bytes, bytes]]]


def frame_swaps(sheet: OfficeSheet, saving: SavedBook) -> Swaps:
    """The frames of a sheet that change, by their cells."""
    drawings, part = sheet.saved.pieces.drawings, sheet.saved.part
    assert isinstance(part, TablePart)
    swaps: Swaps = {}
    if not drawings.touched and not any(True for _ in drawings.shown_anew()):
        return swaps
    frames = list(part.projected.frames())
    for number, said, removed, new in drawings.changes():
        frame = frames[number - 1]
        data = frame.data[frame.span.start : frame.span.end]
        fresh = b"" if removed else _described(frame, data, said)
        if new is not None and not removed:
            fresh = _showing(fresh, new, saving, frame)
        if fresh != data:
            swaps.setdefault((frame.row, frame.column), []).append((data, fresh))
    for target, title in drawings.new_titles():
        saving.book.note_title(target, title)
    return swaps


def _described(frame: FoundFrame, data: bytes, said: Any) -> bytes:
    """A frame with other words for who cannot see it (10.3.2)."""
    if said is False:
        return data
    root = parse_element(data, 0, len(data), frame.span.namespaces)
    words = [child for child in root.children if child.uri == SVG and child.name in ("title", "desc")]
    old = next((child for child in words if child.name == "title"), words[0] if words else None)
    text = escaped_text(said or "").encode()
    if old is not None:
        tag = data[old.start : old.open_end].removesuffix(b"/>").removesuffix(b">").rstrip() + b">"
        made = tag + text + f"</{old.raw_name}>".encode() if said else b""
        return spliced(data, [Splice(old.start, old.end, made)])
    name, declared = attribute(root, "title", SVG)
    more = "".join(f' {each}="{uri}"' for each, uri in declared.items())
    return spliced(data, ended(data, root, f"<{name}{more}>".encode() + text + f"</{name}>".encode()))


def _showing(data: bytes, new: Any, saving: SavedBook, frame: FoundFrame) -> bytes:
    """A frame that shows another picture."""
    root = parse_element(data, 0, len(data), frame.span.namespaces)
    image = next(child for child in root.children if of(child, DRAW, "image"))
    known = next((name for name, each in saving.media.items() if each == new.data), "")
    if not known:
        members = saving.projection.real.members
        names = (f"Pictures/picture{number}{new.ending}" for number in count(1))
        known = next(name for name in names if name not in members and name not in saving.media)
        saving.media[known] = new.data
    written, declared = attribute(image, "href", XLINK)
    gone = [Splice(c.start, c.end, b"") for c in image.children if c.name == "binary-data"]
    kind = [name for name in image.attributes if name.endswith(":mime-type")]
    values = {**declared, written: known, **dict.fromkeys(kind, new.media_type)}
    return spliced(data, [*set_attributes(data, image, values.items()), *gone])


def written_media(saving: SavedBook, changed: dict[str, Any]) -> tuple[dict[str, bytes], set[str]]:
    """The pictures that come, those that go, and the list of what is in the file (part 2, 4.2)."""
    projection = saving.projection
    for target, title in saving.book.titles.items():
        name = posixpath.join(target, "content.xml")
        data, root = part_tree(projection.real, name)
        if name in changed:
            data = changed[name]()
            root = parse_element(data, 0, len(data), {})
        changed[name] = partial(_titled, data, root, title)
    added = dict(saving.media)
    if not added:
        return added, set()
    if _MANIFEST in projection.real.members:
        data, root = part_tree(projection.real, _MANIFEST)
        prefix = next((p for p, uri in root.namespaces.items() if uri == _OWN_MANIFEST), "manifest")
        p = f"{prefix}:" if prefix else ""
        types = {".png": "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg"}
        made = "".join(
            f'<{p}file-entry {prefix or "manifest"}:full-path="{escaped(name)}" '
            f'{prefix or "manifest"}:media-type="{types.get(posixpath.splitext(name)[1], "")}"/>'
            for name in added
        )
        changed[_MANIFEST] = partial(spliced, data, ended(data, root, made.encode()))
    return added, set()


def _titled(data: bytes, root: Any, title: str) -> bytes:
    """A chart with another title, which looks as its first line did."""
    found = chart_title(root)
    if found is None:
        return data
    lines = [child for child in found.children if of(child, TEXT, "p") or child.name == "p"]
    first = lines[0]
    tag = data[first.start : first.open_end].removesuffix(b"/>").removesuffix(b">").rstrip() + b">"
    made = tag + escaped_text(title.replace("\n", " ")).encode() + f"</{first.raw_name}>".encode()
    return spliced(data, [Splice(first.start, first.end, made), *(Splice(c.start, c.end, b"") for c in lines[1:])])
