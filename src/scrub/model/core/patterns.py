"""Patterns that a macro writes: regular expressions, each search of one text limited in time."""

from __future__ import annotations

import re
from typing import Any

from scrub.model.core.problem import Failure

#: How long one pattern may search one text, in seconds.
PATTERN_TIME = 1.0


def pattern_of(written: str, exactly: bool = False) -> object:
    """A pattern, compiled. Capitals matter only `exactly`. Raises `Failure` for one that is not right."""
    import regex  # only macros that use patterns pay for it

    try:
        return regex.compile(written, 0 if exactly else regex.IGNORECASE)
    except (regex.error, TypeError) as error:
        ending = re.fullmatch(r"\*\.(\w+)", written)
        if ending:
            raise Failure(
                f'this is not a regular expression. To test the file extension: file.ending is "{ending[1]}"'
            ) from None
        raise Failure(f"error in the regular expression: {error}") from None


def replacement(pattern: Any, by: str) -> list[str]:
    """A replacement in pieces: every second one is the number of the brackets of the pattern that it means. Raises
    `Failure` where the pattern does not have them.
    """
    pieces = re.split(r"\{(\d+)\}", by)
    wanted = max(map(int, pieces[1::2]), default=0)
    if wanted > pattern.groups:
        raise Failure(f"{{{wanted}}} refers to brackets that the pattern does not have; it has {pattern.groups}")
    return pieces


def fits(pattern: Any, text: str) -> bool:
    """Whether a pattern describes the whole of a text. Raises `Failure` when that takes too long."""
    try:
        return pattern.fullmatch(text, timeout=PATTERN_TIME) is not None
    except TimeoutError:
        raise _took_too_long() from None


def found_in(pattern: Any, text: str) -> list[Any]:
    """What a pattern finds in a text; finds of nothing are left out. Raises `Failure` when that takes too long."""
    try:
        return [found for found in pattern.finditer(text, timeout=PATTERN_TIME) if found[0]]
    except TimeoutError:
        raise _took_too_long() from None


def _took_too_long() -> Failure:
    return Failure("the pattern takes too long to match. Simplify it")
