"""Operations of texts."""

from __future__ import annotations

import re

from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.patterns import found_in, pattern_of
from scrub.model.core.problem import Failure
from scrub.model.core.values import LONGEST_TEXT, loosen
from scrub.model.operations.declare import operation

#: A run of spaces that should be one.
BLANKS = lazy_pattern(r"[ \t\u00a0\u202f]{2,}")


def one_blank(found: re.Match[str]) -> str:
    """The one that a run of spaces becomes: what keeps two words on one line stays."""
    return next((each for each in "\u00a0\u202f" if each in found[0]), " ")


@operation("text")
def length(text: str) -> int:
    """The number of characters.

    Example: if sheet.name.length > 31
    Also: characters, size, count
    """
    return len(text)


@operation("text")
def upper(text: str) -> str:
    """The text in upper case.

    Example: reply.upper
    Also: uppercase, capital letters
    """
    return text.upper()


@operation("text")
def lower(text: str) -> str:
    """The text in lower case.

    Example: reply.lower
    Also: lowercase
    """
    return text.lower()


@operation("text")
def title_case(text: str) -> str:
    """The text with each word capitalized.

    Example: "larch hut".title-case
    Also: title, capitalise, proper case
    """
    return re.sub(r"[^\W_]+(?:['\u2019][^\W_]+)*", lambda word: capital(word[0][:1]) + word[0][1:].lower(), text)


def capital(letter: str) -> str:
    """A letter as a capital; one that would become several, such as a ligature, stays one."""
    found = letter.upper()
    return found if len(found) == len(letter) else letter


@operation("text")
def trimmed(text: str) -> str:
    """The text without spaces at both ends, including no-break spaces.

    Example: reply.trimmed
    Also: strip, spaces
    """
    return text.strip().strip("\u200b\ufeff").strip()


@operation("text")
def single_spaced(text: str) -> str:
    """The text with single spaces, and none at the ends.

    Example: reply.single-spaced
    Also: double spaces, extra spaces
    """
    return BLANKS.sub(one_blank, trimmed(text))


@operation("text")
def starting(text: str, length: int) -> str:
    """The first characters of the text.

    length: the number of characters.
    Example: reply.starting(3)
    Also: left, first characters
    """
    return text[: _count(length)]


@operation("text")
def ending(text: str, length: int) -> str:
    """The last characters of the text.

    length: the number of characters.
    Example: reply.ending(3)
    Also: right, last characters
    """
    size = _count(length)
    return text[len(text) - size :] if size < len(text) else text


@operation("text")
def before(text: str, mark: str) -> str:
    """The text before the first occurrence of `mark`; the whole text if there is none.

    mark: the text to look for.
    Example: "Moss, Ann".before(",")
    Also: split names, split, left of, last name
    """
    found = find(text, mark)
    return text[: found[0]] if found else text


@operation("text")
def after(text: str, mark: str) -> str:
    """The text after the first occurrence of `mark`; an empty text if there is none.

    mark: the text to look for.
    Example: "Moss, Ann".after(",")
    Also: split names, split, right of, first name
    """
    found = find(text, mark)
    return text[found[1] :] if found else ""


@operation("text")
def replaced(text: str, what: str, by: str, exactly: bool = False) -> str:
    """The text with every occurrence of `what` replaced. Upper and lower case count as equal.

    what: the text to look for.
    by: the replacement.
    exactly: whether upper and lower case must match.
    Example: sheet.name.replaced("Hut", by: "House")
    Also: substitute, swap, change
    """
    if not what:
        raise Failure('.replaced("", …) needs text to look for')
    return re.sub(loose(what, exactly), lambda _: by, text)


@operation("text")
def words(text: str) -> list[str]:
    """The words of the text, as a list.

    Example: sheet.name.words.first
    Also: split, first word, last word, separate words
    """
    return text.split()


@operation("text")
def lines(text: str) -> list[str]:
    """The lines of the text, as a list.

    Example: reply.lines.count
    Also: split, paragraphs
    """
    return text.splitlines()


@operation("text")
def without_accents(text: str) -> str:
    """The text without accents, umlauts and cedillas.

    Example: "Gañet".without-accents
    Also: without-marks, accents, diacritics, umlauts
    """
    import unicodedata

    bare = "".join(letter for letter in unicodedata.normalize("NFD", text) if not unicodedata.combining(letter))
    return unicodedata.normalize("NFC", bare)


@operation("text")
def as_file_name(text: str) -> str:
    r"""The text as a safe file name: characters such as \ / : * ? " < > | become hyphens.

    Example: sheet.name.as-file-name
    Also: safe name, path
    """
    name = _UNSEEN.sub("", text)
    name = re.sub(r'[\\/:*?"<>|\x00-\x1f\x7f]+', "-", name).strip(" .")
    if name.partition(".")[0].upper() in _DEVICES:
        name = f"{name}-"
    stem, dot, tail = name.rpartition(".")
    if not stem or len(tail) > 20:
        stem, dot, tail = name, "", ""
    while len(f"{stem}{dot}{tail}".encode("utf-8", "replace")) > _LONGEST_NAME:
        stem = stem[:-1]
    return f"{stem.rstrip(' .')}{dot}{tail}" or "-"


#: Marks that turn the direction of reading or take no room, by which a name can look like another one.
_UNSEEN = lazy_pattern("[\u00ad\u061c\u200b-\u200f\u202a-\u202e\u2060-\u2064\u2066-\u2069\ufeff]")
#: Octets of a name: file systems take 255, and a number or a mark of ours may come on top.
_LONGEST_NAME = 200


_DEVICES = {"CON", "PRN", "AUX", "NUL", *(f"{name}{n}" for name in ("COM", "LPT") for n in range(1, 10))}


def find(text: str, mark: str) -> tuple[int, int] | None:
    """Where `mark` first is in `text`, without regard to case: its start and end in characters."""
    if not mark:
        return None
    match = re.search(loose(mark), text)
    return match.span() if match else None


def loose(mark: str, exactly: bool = False) -> re.Pattern[str]:
    """A pattern for `mark` as texts compare: no case, any space for a space, any apostrophe for one."""
    pieces_ = []
    for letter in mark:
        if letter in " \u00a0\u202f\u2007":
            pieces_.append("[ \u00a0\u202f\u2007]")
        elif letter in "'\u2019\u2018\u02bc":
            pieces_.append("['\u2019\u2018\u02bc]")
        else:
            pieces_.append(re.escape(letter))
    return re.compile("".join(pieces_), 0 if exactly else re.IGNORECASE)


def _count(number: int) -> int:
    if number < 0:
        raise Failure(f"a number of characters cannot be {number}")
    if number > LONGEST_TEXT:
        raise Failure(f"text can have up to {LONGEST_TEXT:,} characters, not {number:,}")
    return number


@operation("text")
def between(text: str, start: str, end: str) -> str:
    """The text between two pieces of text; an empty text if one is missing.

    start: the text before.
    end: the text after.
    Example: reply.between("(", end: ")")
    Also: extract, brackets
    """
    opened = find(text, start)
    if opened is None:
        return ""
    closed = find(text[opened[1] :], end)
    return text[opened[1] : opened[1] + closed[0]] if closed else ""


@operation("text")
def parts(text: str, by: str) -> list[str]:
    """The text split at a separator, as a list; spaces around each part are removed.

    by: the separator.
    Example: reply.parts(",").count
    Also: split, separate
    """
    if not by:
        raise Failure('.parts("") needs text to split at')
    return [part.strip() for part in re.split(loose(by), text)]


@operation("text")
def pieces(text: str, pattern: str, exactly: bool = False) -> list[str]:
    """The parts that the brackets of a regular expression match, as a list; an empty list if it does not match.
    Without brackets, the whole match. Upper and lower case count as equal.

    pattern: a regular expression; each pair of brackets gives a part.
    exactly: whether upper and lower case must match.
    Example: weights = reply.pieces("(\\d+) kg")
    Also: extract, regex, pattern, capture, groups, number in a text, take apart
    """
    found = found_in(pattern_of(pattern, exactly), loosen(text))
    return [piece or "" for piece in found[0].groups() or (found[0][0],)] if found else []


@operation("text")
def matches_of(text: str, pattern: str, exactly: bool = False) -> list[str]:
    """All matches of a regular expression, as a list. Upper and lower case count as equal.

    pattern: a regular expression.
    exactly: whether upper and lower case must match.
    Example: numbers = reply.matches-of("\\d+")
    Also: find all, regex, pattern, extract, every number
    """
    return [found[0] for found in found_in(pattern_of(pattern, exactly), loosen(text))]


@operation("text")
def digits(text: str) -> str:
    """The digits of the text, without other characters.

    Example: reply.digits
    Also: numbers only, phone number, strip letters, extract numbers
    """
    return "".join(letter for letter in text if letter.isdecimal())


@operation("text")
def padded(text: str, length: int, by: str = " ") -> str:
    """The text padded at its start to a minimum length.

    length: the number of characters.
    by: the character to pad with.
    Example: reply.padded(5, by: "0")
    Also: leading zeros, fill
    """
    return text.rjust(_count(length), by) if len(by) == 1 else text


@operation("text")
def sentence_case(text: str) -> str:
    """The text with a capital at its start.

    Example: reply.sentence-case
    Also: sentence, first letter, capitalise
    """
    return capital(text[:1]) + text[1:]


@operation("text")
def count(text: str, what: str) -> int:
    """The number of times a text appears in this one.

    what: the text to look for.
    Example: reply.count(",")
    Also: occurrences, how many
    """
    return len(re.findall(loose(what), text)) if what else 0
