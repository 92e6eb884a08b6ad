"""Elements that hold one text each, such as the properties of a document: set, put in, removed."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from scrub.formats.spans import Span, Splice, ended, escaped
from scrub.formats.xmltext import escaped_text

#: The namespace of an element, and its local name.
Name = tuple[str, str]


def text_splices(
    data: bytes, holder: Span, find: Callable[[Name], Span | None], wanted: Iterable[tuple[Name, str | None]]
) -> list[Splice]:
    """What gives elements these texts; those that are missing are put at the end of the holder, None takes one out."""
    splices: list[Splice] = []
    added = ""
    for (uri, name), text in wanted:
        span = find((uri, name))
        if span is not None:
            tag = data[span.start : span.open_end].rstrip(b"/> ").decode()
            whole = f"{tag}>{escaped_text(text)}</{span.raw_name}>" if text else ""
            splices.append(Splice(span.start, span.end, whole.encode()))
        elif text:
            added += f'<p:{name} xmlns:p="{escaped(uri)}">{escaped_text(text)}</p:{name}>'
    return [*splices, *ended(data, holder, added.encode())]
