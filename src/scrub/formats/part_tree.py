"""A part of a package as a tree of its elements."""

from __future__ import annotations

from collections.abc import Callable

from scrub.formats.spans import NotReadable, Span, parse
from scrub.formats.zip import ReadsParts


def part_tree(package: ReadsParts, name: str, parse: Callable[[bytes], Span] = parse) -> tuple[bytes, Span]:
    """A part's bytes and span tree. Raises `FileProblem` when it is missing or cannot be read."""
    data = package.read(name)
    try:
        return data, parse(data)
    except NotReadable as problem:
        raise package.problem(f'its part "{name}": {problem}') from None
