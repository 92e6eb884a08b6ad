"""Attributes of elements by their namespaces, whatever prefixes a file has for these."""

from __future__ import annotations

from collections.abc import Mapping

from scrub.formats.opendocument.read import TABLE, attribute
from scrub.formats.spans import Span, Splice, set_attributes


def named_attributes(data: bytes, span: Span, said: Mapping[str, str | None], uri: str = TABLE) -> list[Splice]:
    """What sets attributes of a namespace, whatever prefix the element has for it."""
    values: dict[str, str | None] = {}
    for name, text in said.items():
        written, declared = attribute(span, name, uri)
        if text is not None or written in span.attributes:
            values |= {**declared, written: text}
    return set_attributes(data, span, values.items())
