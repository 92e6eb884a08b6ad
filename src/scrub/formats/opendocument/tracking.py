"""Edits that are recorded, so that a reviewer can accept or reject each (OpenDocument 1.3, part 3, 5.5)."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from datetime import datetime
from itertools import count

from scrub.formats.opendocument.characters import written
from scrub.formats.opendocument.read import DUBLIN, OFFICE, TEXT, of
from scrub.formats.spans import Namespaces, Span, Splice, with_attributes
from scrub.formats.xmltext import escaped_text
from scrub.model.core.lazy_pattern import lazy_pattern

_ID = lazy_pattern(rb'"ct(\d{1,12})"')


class TextTracking:
    """Who records changes in one text, that of the document or of a header, when, and what was recorded."""

    def __init__(self, author: str, text: Span, numbers: Iterator[int]) -> None:
        """`numbers` are those of changes, which are unique in a document."""
        self._author, self._text, self._numbers = author, text, numbers
        self._prefix = _prefix(text.namespaces, TEXT)
        self._office = _prefix(text.namespaces, OFFICE)
        known = _prefix(text.namespaces, DUBLIN)
        self._dublin, self._declared = (known, "") if known else ("dc:", f' xmlns:dc="{DUBLIN}"')
        self._when = datetime.now().isoformat(timespec="seconds")
        self._regions: list[str] = []
        #: Marks at the beginning and the end of paragraphs for what went beside them, by where each begins.
        self.leads: defaultdict[int, str] = defaultdict(str)
        self.tails: defaultdict[int, str] = defaultdict(str)

    def inserted(self) -> tuple[str, str]:
        """The marks round an insertion."""
        id_, t = self._listed("insertion", ""), self._prefix
        return f'<{t}change-start {t}change-id="{id_}"/>', f'<{t}change-end {t}change-id="{id_}"/>'

    def deleted(self, paragraphs: str) -> str:
        """The mark where something was deleted, which are these paragraphs, as elements: the text of the first goes on
        after that of the paragraph with the mark (5.5.4).
        """
        id_, t = self._listed("deletion", paragraphs), self._prefix
        return f'<{t}change {t}change-id="{id_}"/>'

    def _signed(self) -> str:
        """Who it was, and when (part 3, 4.3.2.7 and 4.3.2.10)."""
        d, more = self._dublin, self._declared
        return f"<{d}creator{more}>{escaped_text(self._author)}</{d}creator><{d}date{more}>{self._when}</{d}date>"

    def comment(self, text: str, name: str = "") -> tuple[str, str]:
        """A comment, and the mark where its words end; without a name it is on no words of its own (14.1)."""
        o, t = self._office, self._prefix
        lines = "".join(f"<{t}p>{written(each, t)}</{t}p>" for each in text.split("\n"))
        said = f' {o}name="{name}"' if name else ""
        return f"<{o}annotation{said}>{self._signed()}{lines}</{o}annotation>", f"<{o}annotation-end{said}/>"

    def _listed(self, sort: str, content: str) -> str:
        t, o = self._prefix, self._office
        info = f"<{o}change-info>{self._signed()}</{o}change-info>"
        id_ = f"ct{next(self._numbers)}"
        self._regions.append(
            f'<{t}changed-region xml:id="{id_}" {t}id="{id_}"><{t}{sort}>{info}{content}</{t}{sort}>'
            f"</{t}changed-region>"
        )
        return id_

    def splices(self, data: bytes, on: bool | None) -> list[Splice]:
        """What lists the changes in the text; `on` whether more are to be recorded, None for as before."""
        made, t, text = "".join(self._regions).encode(), self._prefix, self._text
        there = next((child for child in text.children if of(child, TEXT, "tracked-changes")), None)
        said = {} if on is None else {f"{t}track-changes": "true" if on else "false"}
        if there is None:
            if not made and on is None:
                return []
            tag = with_attributes(f"<{t}tracked-changes>".encode(), said)
            forms = next((child.end for child in text.children if of(child, OFFICE, "forms")), text.open_end)
            if text.open_end == text.end:
                return []  # a text without a paragraph, which has nothing to record
            return [Splice(forms, forms, tag + made + f"</{t}tracked-changes>".encode())]
        tag = data[there.start : there.open_end]
        if there.open_end == there.end:
            tag = tag[:-2].rstrip() + b">"
            return [Splice(there.start, there.end, with_attributes(tag, said) + made + f"</{there.raw_name}>".encode())]
        return [
            Splice(there.start, there.open_end, with_attributes(tag, said)),
            Splice(there.close_start, there.close_start, made),
        ]

    @property
    def touched(self) -> bool:
        """Whether anything was recorded."""
        return bool(self._regions)


def numbers_for(parts: Sequence[bytes]) -> Iterator[int]:
    """Numbers that no change has in these parts; they are looked for when something is recorded."""
    yield from count(1 + max((int(found) for data in parts for found in _ID.findall(data)), default=0))


def _prefix(namespaces: Namespaces, uri: str) -> str:
    """The prefix of a namespace with its colon; nothing for one without."""
    return next((f"{namespace}:" for namespace, known in namespaces.items() if known == uri and namespace), "")


def bare(data: bytes, paragraph: Span) -> str:
    """A paragraph as it is, with nothing in it."""
    tag = data[paragraph.start : paragraph.open_end].decode()
    return tag if tag.endswith("/>") else f"{tag}</{paragraph.raw_name}>"


def open_tag(data: bytes, paragraph: Span) -> str:
    """Its start tag, of one that can contain something."""
    return re.sub(r"\s*/>$", ">", data[paragraph.start : paragraph.open_end].decode())
