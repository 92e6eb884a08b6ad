"""Actions on texts: each computes edits of one plain text, and on an item with many texts it edits each of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import groupby

from scrub.model.core.declare import Reach, action
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.text import Edit, Editing, HoldsTexts
from scrub.model.operations import texts

_NOT_BLANK = lazy_pattern(r"[^\s\u200b\ufeff]")


def _trimmed(text: str) -> list[Edit]:
    first = _NOT_BLANK.search(text)
    if first is None:
        return [(0, len(text), "")] if text else []
    end = len(text) - len(text.rstrip(" \t\r\n\u00a0\u202f\u200b\ufeff\u2007\u3000"))
    found: list[Edit] = [(0, first.start(), "")] if first.start() else []
    return [*found, (len(text) - end, len(text), "")] if end else found


def _single_spaced(text: str) -> list[Edit]:
    if text.isascii() and "  " not in text and "\t" not in text and text[:1] > " " and text[-1:] > " ":
        return []  # as most texts are
    ends = _trimmed(text)
    start = ends[0][1] if ends and ends[0][0] == 0 else 0
    stop = ends[-1][0] if ends and ends[-1][1] == len(text) else len(text)
    inner: list[Edit] = [
        (found.start(), found.end(), texts.one_blank(found)) for found in texts.BLANKS.finditer(text, start, stop)
    ]
    return sorted([*ends, *inner])


def lettered(change: Callable[[str], str]) -> Editing:
    """Edits that only touch the characters that change, so that each keeps its look."""

    def editing(text: str) -> Sequence[Edit]:
        fresh = change(text)
        if fresh == text:
            return ()
        if len(fresh) != len(text):
            return [(0, len(text), fresh)]
        places = [place for place, (one, other) in enumerate(zip(text, fresh, strict=True)) if one != other]
        runs = [[place for _, place in run] for _, run in groupby(enumerate(places), lambda pair: pair[1] - pair[0])]
        return [(run[0], run[-1] + 1, fresh[run[0] : run[-1] + 1]) for run in runs]

    return editing


@action(Reach.CHANGE, separate=True)
def trim(item: HoldsTexts) -> None:
    """Removes spaces at both ends, including no-break spaces.

    Example: trim
    Also: strip, spaces, clean
    """
    item.edit_texts(_trimmed)


@action(Reach.CHANGE, separate=True)
def single_spaces(item: HoldsTexts) -> None:
    """Replaces several spaces with one, and removes spaces at both ends. A no-break space remains one.

    Example: single-spaces
    Also: double spaces, extra spaces, clean, trim
    """
    item.edit_texts(_single_spaced, between="\t\n")


@action(Reach.CHANGE, separate=True)
def upper(item: HoldsTexts) -> None:
    """Converts text to upper case.

    Example: upper
    Also: uppercase, capital letters, letter case
    """
    item.edit_texts(lettered(str.upper))


@action(Reach.CHANGE, separate=True)
def lower(item: HoldsTexts) -> None:
    """Converts text to lower case.

    Example: lower
    Also: lowercase, letter case
    """
    item.edit_texts(lettered(str.lower))


@action(Reach.CHANGE, separate=True)
def title_case(item: HoldsTexts) -> None:
    """Capitalizes each word.

    Example: title-case
    Also: title, capitalise, proper case, letter case
    """
    item.edit_texts(lettered(texts.title_case))


@action(Reach.CHANGE, separate=True)
def replace(item: HoldsTexts, what: str, by: str, exactly: bool = False) -> None:
    """Replaces text wherever it appears. Upper and lower case count as equal.

    what: the text to look for.
    by: the replacement.
    exactly: whether upper and lower case must match.
    Example: replace "Hut", by: "House"
    Also: find, substitute, change, swap
    """
    if not what:
        raise Failure('replace needs the text to find: replace "old", with: "new"')
    pattern = texts.loose(what, exactly)
    item.edit_texts(
        lambda text: [(found.start(), found.end(), by) for found in pattern.finditer(text) if found[0] != by]
    )


ACTIONS = (trim, single_spaces, upper, lower, title_case, replace)
