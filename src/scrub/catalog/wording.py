"""Actions on the wording of texts: words swapped round another, numbers kept with their units, sentences, patterns."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from scrub.catalog.texts import lettered
from scrub.model.core.declare import Reach, action
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.patterns import found_in, pattern_of, replacement
from scrub.model.core.problem import Failure
from scrub.model.core.text import Edit, Editing, HoldsTexts, Moved, OfMany
from scrub.model.operations import texts

#: Symbols of units (SI Brochure, 9th edition; IEC 80000-13) that are bound where nothing else is said. Those that are
#: words or labels of their own ("in", "d", "t", "A", "N", "K") are bound only where they are named.
UNITS = (
    "km m dm cm mm \u00b5m \u03bcm nm kg g mg \u00b5g l L dl dL cl cL ml mL ha s ms min h km/h m/s Hz kHz MHz GHz W kW "
    "MW kWh Wh V kV mA mol Pa hPa kPa bar \u00b0C \u00b0F % \u2030 \u20ac \u00a3 $ EUR USD GBP CHF kB KB MB GB TB dB "
    "lx lm m\u00b2 m\u00b3 km\u00b2 cm\u00b2 cm\u00b3 px pt"
).split()
#: One letter that is a unit after a number, and a label after these words.
_LABELS = lazy_pattern(
    r"(?:room|rooms|hut|page|pages|no|nr|number|gate|platform|line|bed|beds|door|may|part|step|row|bus)\.?\s*$",
    re.IGNORECASE,
)
_BLANK = " \u00a0\u202f\u2009"
_BLANKS = lazy_pattern(rf"[{_BLANK}]+")
#: Before a number: nothing that it would be a part of.
_START = r"(?<![\w.,/\u2019'\u00bc-\u00be-])"
_GROUPED = rf"\d{{1,3}}(?:[{_BLANK}]\d{{3}})+(?!\d)"
_PLAIN = rf"(?!0\d)[+\u2212-]?(?:{_GROUPED}|\d+)(?:[.,]\d+)*"
_FRACTION = r"(?:\d{1,3}/\d{1,3}|[\u00bc-\u00be\u2150-\u215e])"
#: A number, with a fraction after it or in its place.
_AMOUNT = rf"(?:(?:{_PLAIN}[{_BLANK}]?)?{_FRACTION}|{_PLAIN})"
#: A currency before its amount.
_PRICE = rf"(?<!\w)(?:[$\u20ac\u00a3\u00a5\u20b9]|EUR|USD|GBP|CHF|JPY|SEK|NOK|DKK|PLN|CZK|CAD|AUD)[{_BLANK}]+{_PLAIN}"
#: Digits in groups of three, and no other digits beside them, as a telephone number has.
_GROUPED_ALONE = rf"{_START}(?<!\d[{_BLANK}])(?!0)\d{{1,3}}(?:[{_BLANK}]\d{{3}})+(?![\w/-]|[{_BLANK}]\d)"
_ALONE = lazy_pattern(_GROUPED_ALONE)
_OF_DAY = rf"(?<![\w.,:])\d{{1,2}}(?:[:.]\d{{2}})?[{_BLANK}]+(?:am|pm|AM|PM|a\.m\.|p\.m\.|A\.M\.|P\.M\.)(?!\w)"
_WORD = r"[^\W\d_][\w'\u2019-]*"


@action(Reach.CHANGE, separate=True)
def swap_around(item: HoldsTexts, word: str) -> None:
    """Swaps the text before and after a word: one word each, or all of the selected text. Each part keeps its
    formatting; a capital at the start remains at the start.

    word: the word between them, such as "and".
    Example: swap-around "and"
    Also: transpose, exchange words, reverse order, conjunction
    """
    if not word.strip():
        raise Failure('swap-around needs the word between both parts: swap-around "and"')
    middle = re.escape(word.strip())
    side = ".+?" if item.picked_whole else _WORD
    form = (
        rf"\s*({side})(\s+{middle}\s+)({side})\s*"
        if item.picked_whole
        else rf"(?<![\w\u2019-])({side})(\s+{middle}\s+)({side})"
    )
    pattern = re.compile(form, re.IGNORECASE | re.DOTALL)

    def editing(text: str) -> Sequence[Edit]:
        matches = [pattern.fullmatch(text)] if item.picked_whole else pattern.finditer(text)
        return [edit for match in matches if match for edit in _swapped(text, match)]

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


@action(Reach.CHANGE, separate=True)
def replace_matching(item: HoldsTexts, pattern: str, by: str, exactly: bool = False) -> None:
    """Replaces what a regular expression finds. In the replacement, {1} is what the first pair of brackets found, with
    its formatting. Upper and lower case count as equal.

    pattern: a regular expression.
    by: the replacement.
    exactly: whether upper and lower case must match.
    Example: replace-matching "(\\w+) and (\\w+)", by: "{2} and {1}"
    Also: regex, regular expression, find and replace, wildcard
    """
    compiled = pattern_of(pattern, exactly)
    pieces = replacement(compiled, by)

    def editing(text: str) -> Sequence[Edit]:
        return [_filled(each, pieces) for each in found_in(compiled, text)]

    item.edit_texts(editing)


def _filled(found: Any, pieces: list[str]) -> Edit:
    """The replacement of one find; one that is a single group keeps its looks."""
    if len(pieces) == 3 and not pieces[0] and not pieces[2] and found[int(pieces[1])]:
        group = int(pieces[1])
        return found.start(), found.end(), Moved(found[group], found.start(group))
    texts_of = [piece if place % 2 == 0 else (found[int(piece)] or "") for place, piece in enumerate(pieces)]
    return found.start(), found.end(), "".join(texts_of)


@action(Reach.CHANGE, separate=True)
def bind_units(item: HoldsTexts, units: Sequence[str] = (), narrow: bool = False) -> None:
    """Keeps a number and its unit on one line, with a no-break space between them. The same for currency and amount,
    grouped digits, fractions, am and pm.

    units: further symbols; default: the usual units only.
    narrow: whether to use the narrow no-break space.
    Example: bind-units units: ["L", "kg"]
    Also: non-breaking space, nbsp, number and unit, line break, protected space
    """
    space = "\u202f" if narrow else "\u00a0"
    if not all(each.strip() for each in units):
        raise Failure('bind-units needs at least one unit: bind-units ["kg"]')
    known = "|".join(re.escape(each.strip()) for each in sorted(units or UNITS, key=len, reverse=True))
    behind = re.compile(rf"{_START}{_AMOUNT}([{_BLANK}]+)(?:{known})(?![\w/\u2019'\u00b2\u00b3%])")
    patterns = [(behind, _amount_starts)]
    if not units:
        patterns += [(re.compile(_PRICE), _price_starts), (_ALONE, _digit_starts), (re.compile(_OF_DAY), _digit_starts)]

    def editing(text: str, end: str = "") -> Sequence[Edit]:
        found: dict[int, Edit] = {}
        numbers = [match.start() for match in _NUMBERS.finditer(text)]
        for pattern, starts in patterns if numbers else ():
            for match in _matches(pattern, text, starts(text, numbers)):
                unit = text[match.end(1) : match.end()] if pattern is behind else ""
                is_label = len(unit) == 1 and unit.isalpha()
                begin = text.rfind(end, 0, match.start()) + 1 if end else 0
                if (is_label or pattern is _ALONE) and _LABELS.search(text[begin : match.start()]):
                    continue  # "Room 4 W" is not a power
                for blank in _BLANKS.finditer(text, match.start(), match.end()):
                    if blank[0] != space:
                        found[blank.start()] = (blank.start(), blank.end(), space)
        return [found[place] for place in sorted(found)]

    def many(texts: Sequence[str]) -> Sequence[Sequence[Edit]]:
        joined = _BETWEEN.join(texts)
        if joined.count(_BETWEEN) >= len(texts) or any(_BETWEEN in each for each in units):
            return list(map(editing, texts))
        return _apart(texts, editing(joined, _BETWEEN))

    item.edit_texts(OfMany(editing, many))


#: Between texts that are looked at together: nothing that is looked for contains it, and no document can.
_BETWEEN = "\0"


def _apart(texts: Sequence[str], edits: Sequence[Edit]) -> list[list[Edit]]:
    """Edits of texts that were joined, those of each by its own places."""
    found: list[list[Edit]] = []
    waiting = iter(edits)
    edit = next(waiting, None)
    begin = 0
    for text in texts:
        own = []
        while edit is not None and edit[0] < begin + len(text):
            own.append((edit[0] - begin, edit[1] - begin, edit[2]))
            edit = next(waiting, None)
        found.append(own)
        begin += len(text) + len(_BETWEEN)
    return found


#: Where numbers begin: looked for alone, as the patterns take long to fail at every other letter.
_NUMBERS = lazy_pattern(r"[\d\u00bc-\u00be\u2150-\u215e]+")
_SIGNS = "+\u2212-"
#: What the currencies end with that are looked for before a number.
_ENDS = frozenset("$\u20ac\u00a3\u00a5\u20b9RDPFYKNZ")


def _digit_starts(text: str, numbers: Sequence[int]) -> Iterable[int]:
    """Where a number begins."""
    return numbers


def _amount_starts(text: str, numbers: Sequence[int]) -> Iterable[int]:
    """Where a number begins, or the sign before it."""
    for place in numbers:
        if place and text[place - 1] in _SIGNS:
            yield place - 1
        yield place


def _price_starts(text: str, numbers: Sequence[int]) -> Iterable[int]:
    """Where a currency may begin that is before a number: one sign, or three letters."""
    for place in numbers:
        after = place - 1 if place and text[place - 1] in _SIGNS else place
        if not after or text[after - 1] not in _BLANK:
            continue
        end = after
        while end and text[end - 1] in _BLANK:
            end -= 1
        if text[end - 1 : end] in _ENDS:
            yield from range(max(0, end - 3), end)


def _matches(pattern: re.Pattern[str], text: str, starts: Iterable[int]) -> Iterator[re.Match[str]]:
    """What `finditer` gives of a pattern that matches at these places alone, which are in order."""
    done = 0
    for start in starts:
        if start >= done:
            match = pattern.match(text, start)
            if match is not None:
                done = match.end()
                yield match


@action(Reach.CHANGE, separate=True)
def sentence_case(item: HoldsTexts) -> None:
    """Converts text to lower case with a capital at the start of each sentence.

    Example: sentence-case
    Also: letter case, capital letter, sentence
    """
    item.edit_texts(_SENTENCES)


#: What ends with a point and ends no sentence: single characters (p.m., e.g.), and these.
_SHORTENED = frozenset("approx bzw ca dr etc evtl incl inkl max min mr mrs ms nr no prof st tel usw vgl vs".split())
_SENTENCE = lazy_pattern(r"(^[^\w]*|([^\W\d_]*)([.!?\u2026])[\"'\u201d\u2019)]*\s+[^\w]*)(\w)")


def _sentences(text: str) -> str:
    low = text.lower()
    if len(low) != len(text):  # a letter that has no small one alone: letter for letter
        low = "".join(each.lower() if len(each.lower()) == 1 else each for each in text)

    def begun(found: re.Match[str]) -> str:
        word, mark = found[2] or "", found[3]
        shortened = mark == "." and word and (len(word) == 1 or word in _SHORTENED)
        # After such a one a sentence may begin or go on: the letter stays as it is written.
        letter = (low if text.isupper() else text)[found.start(4)] if shortened else texts.capital(found[4])
        return f"{found[1]}{letter}"

    return _SENTENCE.sub(begun, low)


_SENTENCES: Editing = lettered(_sentences)

ACTIONS = (swap_around, replace_matching, bind_units, sentence_case)
