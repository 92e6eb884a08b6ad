"""What is seen in a cell: a value in its number format (ISO/IEC 29500-1, 18.8.31), for the common forms.

A form that is not understood is a failure: never a guess.
"""

from __future__ import annotations

import re
from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal

from scrub.formats.workbook.cells.decode import Decoder
from scrub.model.core.amounts import Duration
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value
from scrub.model.operations.dates import MONTHS, WEEKDAYS

_TOKENS = lazy_pattern(
    r'"([^"]*)"|\\(.)|_(.)|\*(.)|\[\$([^\]-]*)(?:-[^\]]*)?\]'
    r"|\[(?:Black|Blue|Cyan|Green|Magenta|Red|White|Yellow|Color ?\d+)\]"
    r"|(\[h+\]|\[m+\]|\[s+\]|AM/PM|am/pm|y+|m+|d+|h+|s+(?:\.0+)?|[0#?][0#?,]*(?:\.[0#?]*)?|\.[0#?]+|@|General|%|.)",
    re.IGNORECASE | re.DOTALL,
)
_LITERALS = " -+/()$€£:.,'!^&~{}<>="


def shown_as(value: Value, form: str, decoder: Decoder) -> str:
    """The value as it is seen. Raises `Failure` for a form that Scrub does not know."""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    sections = _sections(form)
    if re.search(r"\[\$[^\]]*-(?!0*[48C]?09\])[0-9A-Fa-f]+\]", form) and re.search(r"[md]{3,}", form, re.IGNORECASE):
        raise _unknown(form)  # names of months and days in another language
    if isinstance(value, date):
        return _moment(value, _tokens(sections[0], form), form)
    if isinstance(value, Duration):
        return _elapsed(value.in_unit("seconds"), _tokens(sections[0], form), form)
    return _number(value, sections, form)


def _sections(form: str) -> list[str]:
    found, depth = [""], False
    for letter in re.findall(r'"[^"]*"|\\.|.', form, re.DOTALL):
        if letter == ";" and not depth:
            found.append("")
        else:
            found[-1] += letter
    return found


def _tokens(section: str, form: str) -> list[tuple[str, str]]:
    """The pieces of a section: what each is (a literal or a code), and itself."""
    tokens = []
    for match in _TOKENS.finditer(section):
        quoted, escaped, blank, fill, currency, code = match.groups()
        if code is not None:
            tokens.append(("code", code))
        elif quoted is not None or escaped is not None or currency is not None:
            tokens.append(("text", quoted or escaped or currency or ""))
        elif blank is not None:
            tokens.append(("text", " "))
        elif fill is not None and fill != " ":
            raise _unknown(form)
    return tokens


def _unknown(form: str) -> Failure:
    return Failure(f'Scrub cannot show the number format "{form}". Use the value: cell.value')


def _number(number: Decimal, sections: list[str], form: str) -> str:
    if any("[<" in each or "[>" in each or "[=" in each for each in sections):
        raise _unknown(form)
    negative = number < 0
    if negative and len(sections) > 1:
        section, sign = sections[1], ""
    elif number == 0 and len(sections) > 2:
        section, sign = sections[2], ""
    else:
        section, sign = sections[0], "-" if negative else ""
    tokens = _tokens(section, form)
    codes = [code for kind, code in tokens if kind == "code"]
    if any(code.lower() in ("general", "@") for code in codes):
        parts = [_general(abs(number)) if kind == "code" and c.lower() in ("general", "@") else c for kind, c in tokens]
        return sign + "".join(parts)
    if any(re.match(r"[ymdhse?\[]|AM", code, re.IGNORECASE) for code in codes) or "/" in codes:
        raise _unknown(form)
    if re.search(r"\.[0#?]*,", re.sub(r'"[^"]*"|\\.', "", section)):
        raise _unknown(form)  # thousands left out after the decimals
    digits = [code for code in codes if re.match(r"[0#.]", code) and re.search(r"[0#]", code)]
    percent = codes.count("%")
    if len(digits) > 1 or any(not re.match(r"[0#.%]", c) and c not in _LITERALS for c in codes):
        raise _unknown(form)
    scaled = abs(number).scaleb(2 * percent)
    text = _digits(scaled, digits[0]) if digits else ""
    if sign and not re.search(r"[1-9]", text):
        sign = ""
    return sign + "".join(text if kind == "code" and digits and code is digits[0] else code for kind, code in tokens)


def _digits(number: Decimal, code: str) -> str:
    whole, _, decimals = code.partition(".")
    scaled = number.scaleb(-3 * (len(whole) - len(whole.rstrip(","))))
    grouped = "," in whole.rstrip(",")
    places = len(decimals)
    rounded = scaled.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)
    left, _, right = format(rounded, "f").partition(".")
    least = whole.count("0")
    left = left.lstrip("0").rjust(least, "0")
    if grouped:
        left = re.sub(r"(?<=\d)(?=(?:\d{3})+$)", ",", left)
    while right and len(right) > decimals.rfind("0") + 1 and right.endswith("0"):
        right = right[:-1]
    return f"{left}.{right}" if right or (places and "." in code and not right and decimals == "") else left


def _general(number: Decimal) -> str:
    """A number without a form of its own: up to 11 digits and the point."""
    if number and (number.adjusted() >= 11 or number.adjusted() < -9):
        mantissa = f"{number:.5E}"
        base, _, power = mantissa.partition("E")
        return f"{base.rstrip('0').rstrip('.')}E{int(power):+03d}"
    places = 10 - max(0, number.adjusted())
    text = format(number.quantize(Decimal(1).scaleb(-min(9, places)), ROUND_HALF_UP), "f")
    return text.rstrip("0").rstrip(".") if "." in text else text


def _moment(day: date, tokens: list[tuple[str, str]], form: str) -> str:
    codes = [code.lower() for kind, code in tokens if kind == "code"]
    if codes == ["general"] or any(code.startswith("[") for code in codes):
        raise _unknown(form)
    twelve = "am/pm" in codes
    hour = day.hour if isinstance(day, datetime) else 0
    minute, second = (day.minute, day.second) if isinstance(day, datetime) else (0, 0)
    parts: list[str] = []
    for at, (kind, code) in enumerate(tokens):
        low = code.lower()
        if kind == "text":
            parts.append(code)
        elif low[0] == "y":
            parts.append(f"{day.year % 100:02d}" if len(low) <= 2 else f"{day.year:04d}")
        elif low[0] == "d":
            name = WEEKDAYS[day.weekday()]
            parts.append(_name(low, str(day.day), name, form))
        elif low[0] == "m" and _is_minutes(tokens, at):
            parts.append(f"{minute:02d}" if len(low) > 1 else str(minute))
        elif low[0] == "m":
            parts.append(_name(low, str(day.month), MONTHS[day.month - 1], form))
        elif low[0] == "h":
            shown_hour = (hour - 1) % 12 + 1 if twelve else hour
            parts.append(f"{shown_hour:02d}" if len(low) > 1 else str(shown_hour))
        elif low in ("s", "ss"):
            parts.append(f"{second:02d}" if len(low) > 1 else str(second))
        elif low == "am/pm":
            parts.append("AM" if hour < 12 else "PM")
        elif code in _LITERALS:
            parts.append(code)
        elif code not in ("@",):
            raise _unknown(form)
    return "".join(parts)


def _name(code: str, number: str, name: str, form: str) -> str:
    if len(code) > 4:
        raise _unknown(form)
    return (number, number.rjust(2, "0"), name[:3], name)[len(code) - 1]


def _is_minutes(tokens: list[tuple[str, str]], at: int) -> bool:
    """Whether an m means minutes: after hours, or before seconds (18.8.31)."""
    codes = [
        (index, code.lower())
        for index, (kind, code) in enumerate(tokens)
        if kind == "code" and (code[0].isalpha() or code.startswith("["))
    ]
    place = next(number for number, (index, _) in enumerate(codes) if index == at)
    before = codes[place - 1][1] if place else ""
    after = codes[place + 1][1] if place + 1 < len(codes) else ""
    return before.lstrip("[").startswith("h") or after.lstrip("[").startswith("s")


def _elapsed(seconds: Decimal, tokens: list[tuple[str, str]], form: str) -> str:
    total = int(abs(seconds).quantize(Decimal(1), ROUND_HALF_UP))
    counting = next((code.lower()[1] for kind, code in tokens if kind == "code" and code.startswith("[")), "")
    codes = [code.lower()[0] for kind, code in tokens if kind == "code"]
    months = [at for at, (kind, code) in enumerate(tokens) if kind == "code" and code[0] in "mM"]
    if "y" in codes or "d" in codes or any(not _is_minutes(tokens, at) for at in months if not counting):
        raise _unknown(form)  # a time alone has no day
    if not counting:
        sign = "-" if seconds < 0 else ""
        return sign + _moment(datetime(2000, 1, 1, total // 3600 % 24, total // 60 % 60, total % 60), tokens, form)
    left = {"h": total // 3600, "m": total // 60 if counting == "m" else total // 60 % 60}
    left["s"] = total if counting == "s" else total % 60
    parts = ["-" if seconds < 0 else ""]
    for kind, code in tokens:
        low = code.lower().strip("[]")
        if kind == "text":
            parts.append(code)
        elif low in ("h", "hh", "m", "mm", "s", "ss"):
            parts.append(f"{left[low[0]]:02d}" if len(low) > 1 else str(left[low[0]]))
        elif code in _LITERALS:
            parts.append(code)
        else:
            raise _unknown(form)
    return "".join(parts)


#: The pieces of a section: a text in quotes or after a backslash, a width, a fill, what is in brackets, codes of
#: numbers and of dates, and characters that are shown as they are.
_FORMAT = lazy_pattern(
    r"""(?P<text>"[^"]*"|\\.|_.)|(?P<fill>\*.)"""
    r"|(?P<bracket>\[(?:Black|Blue|Cyan|Green|Magenta|Red|White|Yellow|Color ?\d{1,2}|\$[^\]]*|(?:DB|Nat)Num\d+[^\]]*"
    r"|(?:<=|>=|<>|<|>|=)-?[\d.]+(?:E[+-]?\d+)?|~[^\]]*)\])"
    r"|(?P<elapsed>\[(?:h+|m+|s+)\])"
    r"|(?P<general>General)"
    r"|(?P<date>AM/PM|A/P|y+|m+|d+|h+|s+|a{3,4}|g{1,3}|b{1,4}|e{1,4}(?![+-]))"
    r"|(?P<number>[0#?]|E[+-]|%)"
    r"|(?P<at>@)"
    r"|(?P<plain>[^A-Za-z\"\[\]\\*_;])",
    re.IGNORECASE | re.DOTALL,
)


def ensure_number_format(form: str) -> None:
    """Raises `Failure` for a number format that no program would take (ISO/IEC 29500-1, 18.8.31)."""
    if len(form) > 255:
        raise Failure("a number format can have up to 255 characters")
    sections = _sections(form)
    if len(sections) > 4:
        raise Failure(f'the number format "{form}" has {len(sections)} sections; four is the maximum')
    for section in sections:
        at, sorts = 0, set[str]()
        while at < len(section):
            match = _FORMAT.match(section, at)
            if match is None:
                rest = section[at:]
                words = re.match(r"[A-Za-z]+", rest)
                what = f'"{words[0] if words else rest[0]}" is not a code'
                remedy = f'. Put text in quotes: ""{words[0]}""' if words else ""
                raise Failure(f'the number format "{form}": {what}{remedy}')
            sorts.add(str(match.lastgroup))
            at = match.end()
        if "date" in sorts and "number" in sorts and not re.search(r"[sS]\]?\.0", section):
            raise Failure(f'the number format "{form}" mixes codes for numbers and dates in one section')
        if "at" in sorts and sorts & {"number", "date", "elapsed"}:
            raise Failure(f'the number format "{form}" mixes "@" for text with codes for numbers or dates')
