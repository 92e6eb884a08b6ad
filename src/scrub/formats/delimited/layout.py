"""How a table of texts is written: what parts its fields and its records, and its encoding."""

from __future__ import annotations

from scrub.model.core.named import NamedTuple


class Layout(NamedTuple):
    """The form of one file. `marks` are the bytes before its text (a byte order mark)."""

    marks: bytes
    encoding: str
    delimiter: str
    line_end: str
    #: Whether any field is quoted.
    quoted: bool
