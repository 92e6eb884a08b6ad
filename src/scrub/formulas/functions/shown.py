"""TEXT: a value as a number format shows it (ISO/IEC 29500-1, 18.8.31; OpenDocument 1.3, part 4, 6.20).

Formats are written in the author's language, so that only those are taken which mean one thing everywhere.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache

from scrub.formulas.context import Context
from scrub.formulas.dates import clock, parts
from scrub.formulas.functions.numbers import SHOWN, WIDE
from scrub.formulas.functions.registry import function
from scrub.formulas.values import (
    VALUE,
    ErrorValue,
    Raised,
    Unsupported,
    Value,
    number_of,
    number_of_text,
    text_of,
    text_of_number,
)
from scrub.model.core.lazy_pattern import lazy_pattern

_UNSURE = "its number format can mean something else in another language"
_PIECE = lazy_pattern(
    r'"(?P<quoted>[^"]*)"|\\(?P<escaped>.)|_(?P<blank>.)|\*(?P<filled>.)|\[(?P<elapsed>h+|m+|s+)\]'
    r"|(?P<half>AM/PM|am/pm|A/P)|(?P<date>y+|m+|d+|h+|s+|Y+|M+|D+|H+|S+)|(?P<power>E[+-]0+)|(?P<digits>[0#?]+)|(?P<sign>.)",
    re.DOTALL,
)
_PLAIN = set(" -+/():,.%$'!^&~{}=<>")


@function("TEXT", "vv", "6.20")
def text(on: Context, value: Value, form: Value) -> Value:
    """A value as a number format shows it."""
    for one in (value, form):
        if isinstance(one, ErrorValue):
            return one
    said = text_of(form)
    if isinstance(value, bool):
        return text_of(value)
    if isinstance(value, str):
        number = number_of_text(value, on.from_1904) if value else None
        if number is None:
            sections = _sections(said)
            return value if len(sections) < 4 and "@" not in said else _as_text(sections, value)
        value = number
    return shown(number_of(value), said, on.from_1904)


def shown(number: float, form: str, from_1904: bool) -> str:
    """A number as a format shows it. Raises `Unsupported` for a format that other programs may read differently."""
    if not form:
        return ""
    sections = _sections(form)
    if len(sections) > 4:
        raise Raised(VALUE)
    if any("[" in re.sub(r"\[(?:h+|m+|s+)\]", "", re.sub(r'"[^"]*"', "", one)) for one in sections):
        raise Unsupported(_UNSURE)
    if len(sections) >= 2 and number < 0:
        section, number = sections[1], -number
    elif len(sections) >= 3 and number == 0:
        section = sections[2]
    else:
        section = sections[0]
    return _section(number, section, from_1904)


@lru_cache(256)
def _sections(form: str) -> tuple[str, ...]:
    result, at, quoted = [""], 0, False
    while at < len(form):
        letter = form[at]
        if letter == "\\" and not quoted:
            result[-1] += form[at : at + 2]
            at += 2
            continue
        quoted ^= letter == '"'
        if letter == ";" and not quoted:
            result.append("")
        else:
            result[-1] += letter
        at += 1
    return tuple(result)


def _as_text(sections: Sequence[str], value: str) -> str:
    section = sections[3] if len(sections) == 4 else sections[-1]
    said = []
    for match in _PIECE.finditer(section):
        if match["sign"] == "@":
            said.append(value)
        else:
            said.append(_literal(match))
    return "".join(said)


def _literal(match: re.Match[str]) -> str:
    """What a piece shows that is just text."""
    if match["quoted"] is not None:
        return match["quoted"]
    if match["escaped"] is not None:
        return match["escaped"]
    if match["blank"] is not None:
        return " "
    if match["filled"] is not None:
        return ""
    sign = match["sign"]
    if sign is not None and sign in _PLAIN:
        return sign
    raise Unsupported(_UNSURE)


def _section(number: float, section: str, from_1904: bool) -> str:
    if section.casefold() == "general":
        return text_of_number(number)
    pieces = list(_PIECE.finditer(section))
    if any(piece["date"] or piece["elapsed"] or piece["half"] for piece in pieces):
        return _moment(number, pieces, from_1904)
    return _number(number, pieces)


# -- numbers


def _number(number: float, pieces: Sequence[re.Match[str]]) -> str:
    slots = [place for place, piece in enumerate(pieces) if piece["digits"]]
    if not slots:
        said = "".join(_literal(piece) for piece in pieces)
        return "-" + said if number < 0 and said else said
    points = [place for place, piece in enumerate(pieces) if piece["sign"] == "."]
    power = next((place for place, piece in enumerate(pieces) if piece["power"]), None)
    if len(points) > 1:
        raise Unsupported(_UNSURE)
    if any(piece["sign"] == "/" for piece in pieces[slots[0] :]):
        raise Unsupported("its number format is a fraction")
    point = points[0] if points else None
    if power is not None:
        return _in_powers(number, pieces, point, power)
    return _in_digits(number, pieces, slots, point)


def _in_digits(number: float, pieces: Sequence[re.Match[str]], slots: Sequence[int], point: int | None) -> str:
    """A number in plain digits; a comma between digits groups them, one behind them divides by a thousand."""
    last_before = max((place for place in slots if point is None or place < point), default=-1)
    percents = sum(piece["sign"] == "%" for piece in pieces)
    after = _after_commas(pieces, last_before + 1)
    commas = after - last_before - 1
    end = after
    if slots[-1] > last_before:
        end = _after_commas(pieces, slots[-1] + 1)
        commas += end - slots[-1] - 1
    grouped = any(pieces[place]["sign"] == "," for place in range(slots[0], last_before + 1))
    before = "".join(pieces[place]["digits"] for place in slots if place <= last_before)
    behind = "".join(pieces[place]["digits"] for place in slots if point is not None and place > point)
    value = SHOWN.create_decimal(Decimal(number)).scaleb(2 * percents - 3 * commas, WIDE)
    value = value.quantize(Decimal(1).scaleb(-len(behind), WIDE), ROUND_HALF_UP, WIDE)
    whole, _, rest = f"{abs(value):f}".partition(".")
    whole = whole.lstrip("0")
    shown_pieces = [*pieces[: slots[-1] + 1], *pieces[end:]] if slots[-1] > last_before else pieces
    filled = _filled(
        shown_pieces, slots, point, after, _before_point(whole, before, grouped), _behind_point(rest, behind)
    )
    return ("-" if value < 0 and (whole or rest.strip("0")) else "") + filled


def _after_commas(pieces: Sequence[re.Match[str]], place: int) -> int:
    """The place after commas."""
    while 0 < place < len(pieces) and pieces[place]["sign"] == ",":
        place += 1
    return place


def _filled(
    pieces: Sequence[re.Match[str]], slots: Sequence[int], point: int | None, after: int, said: str, fraction: str
) -> str:
    """A format with the digits before and behind the point in their places; `after` is where what divides ends."""
    out: list[str] = []
    first = True
    for place, piece in enumerate(pieces):
        is_before = point is None or place <= point
        if first and is_before and (piece["digits"] or place == point):
            out.append(said)
            first = False
        if piece["digits"]:
            if not is_before:
                out.append(fraction)
                fraction = ""
        elif piece["sign"] == "," and slots[0] < place < after:
            continue
        elif piece["sign"] == ".":
            out.append(".")
        elif slots[0] < place < after:
            raise Unsupported("its number format has signs between digits")
        else:
            out.append(_literal(piece))
    return "".join(out)


def _before_point(whole: str, form: str, grouped: bool) -> str:
    """The digits before the point: as many as there are zeros, blanks for `?`."""
    shown_from = next((place for place, letter in enumerate(form) if letter != "#"), len(form))
    needed = form[shown_from:]
    digits = whole
    if len(digits) < len(needed):
        digits = "".join("0" if letter in "0#" else " " for letter in needed[: len(needed) - len(digits)]) + digits
    if grouped:
        head = len(digits) % 3
        groups = ([digits[:head]] if head else []) + [digits[at : at + 3] for at in range(head, len(digits), 3)]
        return ",".join(groups)
    return digits


def _behind_point(rest: str, form: str) -> str:
    digits = list(rest.ljust(len(form), "0"))
    for place in range(len(form) - 1, -1, -1):
        if digits[place] != "0" or form[place] == "0":
            break
        digits[place] = "" if form[place] == "#" else " "
    return "".join(digits)


def _in_powers(number: float, pieces: Sequence[re.Match[str]], point: int | None, power: int) -> str:
    before = "".join(p["digits"] or "" for place, p in enumerate(pieces[:power]) if point is None or place < point)
    behind = "".join(p["digits"] or "" for place, p in enumerate(pieces[:power]) if point is not None and place > point)
    if any(p["digits"] is None and place != point for place, p in enumerate(pieces[:power])) or pieces[power + 1 :]:
        raise Unsupported("its number format has signs between digits")
    if len(before) != 1:
        raise Unsupported("its number format has several digits before the point of a power")
    value = SHOWN.create_decimal(Decimal(number))
    exponent = value.adjusted() if value else 0
    mantissa = value.scaleb(-exponent).quantize(Decimal(1).scaleb(-len(behind)), ROUND_HALF_UP)
    if abs(mantissa) >= 10:
        exponent += 1
        mantissa = value.scaleb(-exponent).quantize(Decimal(1).scaleb(-len(behind)), ROUND_HALF_UP)
    whole, _, rest = f"{abs(mantissa):f}".partition(".")
    sign = "-" if exponent < 0 else "+" if pieces[power]["power"][1] == "+" else ""
    digits = str(abs(exponent)).rjust(len(pieces[power]["power"]) - 2, "0")
    tail = "." + _behind_point(rest, behind) if point is not None else ""
    return f"{'-' if mantissa < 0 else ''}{whole}{tail}E{sign}{digits}"


# -- days and times


def _moment(number: float, pieces: Sequence[re.Match[str]], from_1904: bool) -> str:
    if number < 0:
        raise Raised(VALUE)
    words = [piece["date"] or piece["elapsed"] for piece in pieces if piece["date"] or piece["elapsed"]]
    letters = {word[0].lower() for word in words}
    if not letters <= set("ymdhs"):
        raise Unsupported(_UNSURE)
    decimals = _decimals(pieces)
    steps = 86_400 * 10**decimals
    number = round(number * steps) / steps if "s" in letters else number
    try:
        day = parts(number + 1e-9, from_1904) if letters & set("ymd") else (1900, 1, 1)
    except ValueError:
        raise Raised(VALUE) from None
    half = any(piece["half"] for piece in pieces)
    out: list[str] = []
    skip = False
    for place, piece in enumerate(pieces):
        if skip:
            skip = False
        elif piece["sign"] == "." and decimals and place + 1 < len(pieces) and pieces[place + 1]["digits"]:
            out.append(f"{clock(number)[2] % 1:.{decimals}f}"[1:])
            skip = True
        else:
            out.append(_moment_piece(number, pieces, place, day, half))
    return "".join(out)


def _moment_piece(
    number: float, pieces: Sequence[re.Match[str]], place: int, day: tuple[int, int, int], half: bool
) -> str:
    """What one piece of a format shows of a moment; `half` tells that the day is halved."""
    piece = pieces[place]
    hour, minute, second = clock(number)
    if piece["elapsed"]:
        return _elapsed(number, piece["elapsed"])
    if piece["half"]:
        word = "AM" if hour < 12 else "PM"
        return word if len(piece["half"]) > 3 else word[0]
    if piece["digits"]:
        raise Unsupported(_UNSURE)
    if not piece["date"]:
        return _literal(piece)
    word = piece["date"].lower()
    if word[0] == "m" and _is_minute(pieces, place):
        return f"{minute:0{len(word)}d}"
    if word[0] == "h":
        return f"{(hour % 12 or 12) if half else hour:0{min(2, len(word))}d}"
    return f"{int(second):0{min(2, len(word))}d}" if word[0] == "s" else _day_part(word, *day)


def _decimals(pieces: Sequence[re.Match[str]]) -> int:
    for place, piece in enumerate(pieces[:-2]):
        if (piece["date"] or "x")[0] in "sS" and pieces[place + 1]["sign"] == "." and pieces[place + 2]["digits"]:
            return len(pieces[place + 2]["digits"])
    return 0


def _elapsed(number: float, word: str) -> str:
    per_day = {"h": 24, "m": 1440, "s": 86_400}[word[0]]
    return f"{int(number * per_day + 1e-6):0{len(word)}d}"


def _is_minute(pieces: Sequence[re.Match[str]], place: int) -> bool:
    """`m` after an hour or before a second is a minute (18.8.31)."""
    named = [
        (at, (one["date"] or one["elapsed"])[0].lower())
        for at, one in enumerate(pieces)
        if one["date"] or one["elapsed"]
    ]
    at = next(number for number, (where, _) in enumerate(named) if where == place)
    before = named[at - 1][1] if at else ""
    after = named[at + 1][1] if at + 1 < len(named) else ""
    return len(pieces[place]["date"]) <= 2 and (before == "h" or after == "s")


def _day_part(word: str, year: int, month: int, day: int) -> str:
    if word[0] == "y":
        return f"{year % 100:02d}" if len(word) <= 2 else f"{year:04d}"
    if word[0] == "m":
        if len(word) > 2:
            raise Unsupported("the names of months depend on the language")
        return f"{month:0{len(word)}d}"
    if len(word) > 2:
        raise Unsupported("the names of days depend on the language")
    return f"{day:0{len(word)}d}"
