"""What a macro can see in a file, as a person is shown it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType

from scrub.model.core.named import NamedTuple


class Outline(NamedTuple):
    """How a macro opens a loop over records, and each heading as it writes it, with a value that is there."""

    opening: str
    fields: dict[str, str]


class Contents(NamedTuple):
    """The parts of a file: the word of their kind, what is told of each, and how a macro names them."""

    part: str
    #: What is told of each part, by what it is.
    rows: Sequence[Mapping[str, object]] = ()
    #: The headings in each part: its name, and how a macro goes through what is under them.
    outlines: Sequence[tuple[str, Outline]] = ()
    #: How a macro speaks of the parts.
    hint: str = ""
    #: The names of items that can be looked up, by the word of their kind.
    names: Mapping[str, Sequence[str]] = MappingProxyType({})
    #: What it contains in a few words; without it, the number of its parts.
    summary: str = ""
