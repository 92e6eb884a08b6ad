"""Styles of a document by the names that a person gives them, regardless of its format."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from scrub.model.core.problem import Failure, did_you_mean, listed
from scrub.model.core.values import fold


def style_named(name: str, names: Mapping[str, str], called: str, also: Collection[str] = ()) -> str:
    """What a style is written by in the file. Raises `Failure` for one that the document does not have.

    `names` are the names of the styles by what they are written by, of which those in `also` are names as well; the
    styles are `called` so, such as "paragraph style".
    """
    wanted = fold(name)
    for written, known in names.items():
        if fold(known) == wanted or (written in also and fold(written) == wanted):
            return written
    raise Failure(
        f'no {called} "{name}".{did_you_mean(name, names.values())} There are: '
        f"{listed(sorted(names.values())[:12]) or 'none'}"
    )
