"""Other files that a learned macro can read, or file messages in."""

from __future__ import annotations

import re
from collections.abc import Container, Iterator
from typing import NamedTuple

from scrub.by_example.columns import Source
from scrub.by_example.seen import SeenBook, SeenList
from scrub.by_example.values import literal


class Beside(NamedTuple):
    """A file next to the others."""

    #: How a macro names the file: relative to the selected file, or absolute.
    path: str
    seen: SeenBook | SeenList
    #: What a macro calls the open file.
    name: str

    def sources(self) -> Iterator[Source]:
        """Its sheets, in which values can be looked up."""
        if not isinstance(self.seen, SeenBook):
            return
        opening = f"{self.name} = open({literal(self.path)})"
        for sheet in self.seen.sheets:
            alone = len(self.seen.sheets) == 1
            yield Source(sheet, self.name if alone else f"{self.name}.sheet({literal(sheet.name)})", opening)


def name_for(path: str, taken: Container[str]) -> str:
    """What a macro calls a file: by its name, where that is not taken."""
    stem = re.split(r"[/\\]", path)[-1].rpartition(".")[0]
    word = re.sub(r"[^a-z0-9]+", "-", stem.lower()).strip("-")
    if not word[:1].isalpha():
        word = "other"
    while word in taken:
        word += "-file"
    return word
