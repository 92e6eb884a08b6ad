"""Actions on the wording of texts: words swapped round another, numbers kept with their units, sentences, patterns."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from scrub.catalog.texts import lettered
from scrub.model.declare import Reach, action
from scrub.model.late import late
from scrub.model.patterns import found_in, pattern_of
from scrub.model.problem import Failure
from scrub.model.text import Edit, Editing, HoldsTexts, Moved

#: Symbols of units (SI Brochure, 9th edition; IEC 80000-13) that are bound where nothing else is said. Those that are
#: words or labels of their own ("in", "d", "t", "A", "N", "K") are bound only where they are named.
UNITS = (
    "km m dm cm mm \u00b5m \u03bcm nm kg g mg \u00b5g l L dl dL cl cL ml mL ha s ms min h km/h m/s Hz kHz MHz GHz W kW "
    "MW kWh Wh V kV mA mol Pa hPa kPa bar \u00b0C \u00b0F % \u2030 \u20ac \u00a3 $ EUR USD GBP CHF kB KB MB GB TB dB "
    "lx lm m\u00b2 m\u00b3 km\u00b2 cm\u00b2 cm\u00b3 px pt"
).split()
#: One letter that is a unit behind a number, and a label behind these words.
_LABELS = late(
    r"(?:room|rooms|hut|page|pages|no|nr|number|gate|platform|line|bed|beds|door|may|part|step|row|bus)\.?\s*$",
    re.IGNORECASE,
)
_BLANK = " \u00a0\u202f\u2009"
_WORD = r"[^\W\d_][\w'\u2019-]*"


@action(Reach.CHANGE)
def swap_around(item: HoldsTexts, word: str) -> None:
    """Swaps what stands on both sides of a word: one word each, or all of it where a passage was picked. Each keeps
    its looks, and a capital at the start stays at the start.

    word: the word between them, such as "and".
    Example: swap-around "and"
    Also: transpose, exchange words, reverse order, conjunction
    """
    if not word.strip():
        raise Failure("there is no word to swap around in: swap-around")
    middle = re.escape(word.strip())
    side = ".+?" if item.picked_whole else _WORD
    form = (
        rf"\s*({side})(\s+{middle}\s+)({side})\s*"
        if item.picked_whole
        else rf"(?<![\w\u2019-])({side})(\s+{middle}\s+)({side})"
    )
    pattern = re.compile(form, re.IGNORECASE | re.DOTALL)

    def editing(text: str) -> Sequence[Edit]:
        found = [pattern.fullmatch(text)] if item.picked_whole else pattern.finditer(text)
        return [edit for each in found if each for edit in _swapped(text, each)]

    item.edit_texts(editing)


def _swapped(text: str, found: re.Match[str]) -> list[Edit]:
    """The two words changed for each other. A capital that only the first place of a sentence gave stays there."""
    one, other = found[1], found[3]
    start = not text[: found.start(1)].strip(" \"'\u201c(") or text[: found.start(1)].rstrip()[-1:] in ".!?"
    if start and one[:1].isupper() and one[1:] == one[1:].lower() and other[:1].islower():
        return [
            (found.start(1), found.start(1) + 1, other[0].upper()),
            (found.start(1) + 1, found.end(1), Moved(other[1:], found.start(3) + 1)),
            (found.start(3), found.start(3) + 1, one[0].lower()),
            (found.start(3) + 1, found.end(3), Moved(one[1:], found.start(1) + 1)),
        ]
    return [
        (found.start(1), found.end(1), Moved(other, found.start(3))),
        (found.start(3), found.end(3), Moved(one, found.start(1))),
    ]


@action(Reach.CHANGE)
def replace_matching(item: HoldsTexts, pattern: str, by: str, exactly: bool = False) -> None:
    """Replaces what a pattern finds, wherever it stands. In the replacement, {1} is what the first pair of brackets
    found, with its looks. Capitals do not matter.

    pattern: a regular expression.
    by: the text to put there.
    exactly: whether case counts.
    Example: replace-matching "(\\w+) and (\\w+)", by: "{2} and {1}"
    Also: regex, regular expression, find and replace, wildcard
    """
    compiled = pattern_of(pattern, exactly)
    pieces = re.split(r"\{(\d+)\}", by)
    wanted = max(map(int, pieces[1::2]), default=0)
    if wanted > compiled.groups:
        raise Failure(f"{{{wanted}}} stands for brackets that the pattern does not have; it has {compiled.groups}")

    def editing(text: str) -> Sequence[Edit]:
        return [_filled(each, pieces) for each in found_in(compiled, text)]

    item.edit_texts(editing)


def _filled(found: Any, pieces: list[str]) -> Edit:
    """The replacement of one find; one that is a single group keeps its looks."""
    if len(pieces) == 3 and not pieces[0] and not pieces[2] and found[int(pieces[1])]:
        group = int(pieces[1])
        return found.start(), found.end(), Moved(found[group], found.start(group))
    texts_of = [each if place % 2 == 0 else (found[int(each)] or "") for place, each in enumerate(pieces)]
    return found.start(), found.end(), "".join(texts_of)


@action(Reach.CHANGE)
def bind_units(item: HoldsTexts, units: Sequence[str] = (), narrow: bool = False) -> None:
    """Keeps a number and its unit on one line: the space between them becomes one that is never broken. Where there is
    no space, none is put.

    units: the symbols to bind; left out, the usual ones.
    narrow: whether the narrow space is taken.
    Example: bind-units units: ["L", "kg"]
    Also: non-breaking space, nbsp, number and unit, line break, protected space
    """
    space = "\u202f" if narrow else "\u00a0"
    known = "|".join(re.escape(each) for each in sorted(units or UNITS, key=len, reverse=True))
    if not all(each.strip() for each in units):
        raise Failure("a unit is missing in: bind-units")
    pattern = re.compile(
        rf"(?<![\w.,/\u2019'-])(?!0\d)[+\u2212-]?\d+(?:[.,]\d+)*([{_BLANK}]+)(?:{known})(?![\w/\u2019'\u00b2\u00b3%])"
    )

    def editing(text: str) -> Sequence[Edit]:
        found = []
        for each in pattern.finditer(text):
            unit = text[each.end(1) : each.end()]
            if len(unit) == 1 and unit.isalpha() and _LABELS.search(text[: each.start()]):
                continue  # "Room 4 W" is no power
            if each[1] != space:
                found.append((each.start(1), each.end(1), space))
        return found

    item.edit_texts(editing)


@action(Reach.CHANGE)
def sentence_case(item: HoldsTexts) -> None:
    """Writes every text in small letters with a capital at the start of each sentence.

    Example: sentence-case
    Also: letter case, capital letter, sentence
    """
    item.edit_texts(_SENTENCES)


def _sentences(text: str) -> str:
    low = text.lower()
    return re.sub(
        r"(^[^\w]*|[.!?\u2026][\"'\u201d\u2019)]*\s+[^\w]*)(\w)", lambda found: found[1] + found[2].upper(), low
    )


_SENTENCES: Editing = lettered(_sentences)

ACTIONS = (swap_around, replace_matching, bind_units, sentence_case)
