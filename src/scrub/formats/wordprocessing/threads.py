"""Which comments answer which, and which are done: a part that newer programs write ([MS-DOCX] 2.5.4.1)."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from functools import cached_property, partial
from typing import Protocol

from scrub.formats.opc.parts import Parts
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice, ended, set_attributes, spliced
from scrub.formats.xmltext import is_on
from scrub.formats.zip import Package
from scrub.model.core.named import NamedTuple

_W14 = "http://schemas.microsoft.com/office/word/2010/wordml"
_W15 = "http://schemas.microsoft.com/office/word/2012/wordml"
_COMPATIBILITY = "http://schemas.openxmlformats.org/markup-compatibility/2006"
_RELATION = "http://schemas.microsoft.com/office/2011/relationships/commentsExtended"
_TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml.commentsExtended+xml"
_EMPTY = (
    f'<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n<w15:commentsEx xmlns:w15="{_W15}" '
    f'xmlns:mc="{_COMPATIBILITY}" mc:Ignorable="w15"></w15:commentsEx>'
).encode()


class Named(Protocol):
    """A comment, with the id of its last paragraph; an empty text where that has none."""

    @property
    def id(self) -> str:
        """Its number."""

    @property
    def para_id(self) -> str:
        """What identifies the last paragraph of a comment, eight hexadecimal digits."""


class Ids(NamedTuple):
    """The ids of comments by their numbers, and those of new ones."""

    of: dict[str, str]
    fresh: Sequence[str]


def para_id(paragraph: Span) -> str:
    """The id of a paragraph, or an empty text."""
    return paragraph.of("paraId", _W14) or ""


def with_ids(data: bytes, root: Span, wanted: Iterable[tuple[Span, str]]) -> list[Splice]:
    """What gives paragraphs an id; older programs are told to look past it."""
    splices = [splice for span, id_ in wanted for splice in set_attributes(data, span, [("w14:paraId", id_)])]
    known = {name.partition(":")[2]: text for name, text in root.attributes.items() if name.startswith("xmlns:")}
    ignored = root.of("Ignorable", _COMPATIBILITY) or ""
    attributes: list[tuple[str, str | None]] = []
    if "w14" not in known:
        attributes.append(("xmlns:w14", _W14))
    prefix = next((name for name, uri in known.items() if uri == _COMPATIBILITY), "mc")
    if prefix not in known:
        attributes.append((f"xmlns:{prefix}", _COMPATIBILITY))
    if "w14" not in ignored.split():
        attributes.append((f"{prefix}:Ignorable", f"{ignored} w14".strip()))
    return [*splices, *set_attributes(data, root, attributes)]


class Threads:
    """The part with the answers; it may be missing."""

    def __init__(self, package: Package, main: str, name: str | None) -> None:
        self._package, self._main, self._name = package, main, name

    @cached_property
    def _tree(self) -> tuple[bytes, Span | None]:
        return part_tree(self._package, self._name) if self._name is not None else (b"", None)

    @cached_property
    def _entries(self) -> dict[str, Span]:
        root = self._tree[1]
        return {child.of("paraId", _W15) or "": child for child in root.children} if root is not None else {}

    def is_done(self, id_: str) -> bool:
        """Whether the comment with this id was marked as done."""
        entry = self._entries.get(id_)
        return entry is not None and is_on(entry.of("done", _W15))

    def parent(self, id_: str) -> str:
        """The id of the comment that this one answers; an empty text for none."""
        entry = self._entries.get(id_)
        return (entry.of("paraIdParent", _W15) or "") if entry is not None else ""

    def ids_for(self, comments: Iterable[Named], fresh: int) -> Ids:
        """An id for each comment, and for that many new ones, which nobody else has."""
        every = list(comments)
        taken = {int(entry, 16) for entry in (*self._entries, *(one.para_id for one in every)) if entry}
        # Below 0x80000000, as the type demands ([MS-DOCX] 2.2.4.1); from a place where few are.
        free = (number for number in range(0x5C000001, 0x7FFFFFFF) if number not in taken)
        of = {each.id: each.para_id or f"{next(free):08X}" for each in every}
        return Ids(of, [f"{next(free):08X}" for _ in range(fresh)])

    def write(self, parts: Parts, entries: Sequence[tuple[str, str | None, bool]], gone: Collection[str]) -> None:
        """Writes entries: an id, the id of what it answers, whether it is done. Those that are `gone` go."""
        data, root = self._tree
        if root is None:
            if entries:
                made = _EMPTY.replace(b"></w15:", b">" + "".join(map(_entry, entries)).encode() + b"</w15:")
                name = parts.only_name(self._main, "commentsExtended")
                parts.add(name, made, _TYPE)
                parts.relate(self._main, _RELATION, name)
            return
        splices = [Splice(each.start, each.end, b"") for id_, each in self._entries.items() if id_ in gone]
        added = ""
        for entry in entries:
            known = self._entries.get(entry[0])
            if known is None:
                added += _entry(entry)
            else:
                splices += set_attributes(data, known, [(f"{known.prefix}done", "1" if entry[2] else "0")])
        splices += ended(data, root, added.encode())
        if splices and self._name is not None:
            parts.changed[self._name] = partial(spliced, data, splices)


def _entry(entry: tuple[str, str | None, bool]) -> str:
    id_, parent, done = entry
    answers = f' w15:paraIdParent="{parent}"' if parent else ""
    return f'<w15:commentEx xmlns:w15="{_W15}" w15:paraId="{id_}"{answers} w15:done="{int(done)}"/>'
