"""How numbers are shown (OpenDocument 1.3, part 3, 16.29), as the codes that other workbooks have for it, and back."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence

from scrub.formats.opendocument.read import FO, STYLE, value
from scrub.formats.spans import Span, escaped, whole
from scrub.formats.workbook.formatting.styles import DATE, DURATION, TIME, sort_of
from scrub.formats.xmltext import escaped_text, text_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple

NUMBER = "urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0"
_SORTS = ("number", "currency", "percentage", "date", "time", "boolean", "text")
_COLOURS = {
    "#000000": "Black", "#0000ff": "Blue", "#00ffff": "Cyan", "#00ff00": "Green", "#ff00ff": "Magenta",
    "#ff0000": "Red", "#ffffff": "White", "#ffff00": "Yellow",
}  # fmt: skip
_NAMED_COLOURS = {name.lower(): colour for colour, name in _COLOURS.items()}
#: Characters that a code shows as they are.
_PLAIN = frozenset("$-+/():!^&'~{}<>= €£¥")
_MOST_DIGITS, _DEEPEST = 30, 32
#: The signs of a section, in order, by the conditions that its maps have.
_CONDITION = lazy_pattern(r"\s*value\(\)\s*(<=|>=|!=|<|>|=)\s*(-?[\d.]+)\s*")
_USUAL = ((">=0",), (">0", "<0"), (">0", "<0", "=0"))


class NumberStyles:
    """The data styles of a workbook: the codes of those that it has."""

    def __init__(self) -> None:
        self._found: dict[str, tuple[bytes, Span]] = {}
        self._codes: dict[str, str] = {}

    def take(self, data: bytes, holder: Span) -> None:
        """Takes those of an element in; what was taken before stays."""
        for span in holder.children:
            if span.uri == NUMBER and span.name.endswith("-style"):
                self._found.setdefault(value(span, "name", STYLE) or "", (data, span))

    def names(self) -> set[str]:
        """What they are called."""
        return set(self._found)

    def sort(self, name: str | None) -> str:
        """The word of its element: number, currency, percentage, date, time, boolean or text."""
        found = self._found.get(name or "")
        return found[1].name.removesuffix("-style") if found is not None else "number"

    def currency(self, name: str | None) -> str | None:
        """The symbol of a currency."""
        found = self._found.get(name or "")
        if found is None:
            return None
        data, span = found
        symbol = next((child for child in span.children if child.name == "currency-symbol"), None)
        return text_of(data[symbol.start : symbol.end]) or None if symbol is not None else None

    def code(self, name: str | None) -> str:
        """The code of a style by its name."""
        if not name or name not in self._found:
            return "General"
        if name not in self._codes:
            self._codes[name] = self._read(name, 0)
        return self._codes[name]

    def _read(self, name: str, depth: int) -> str:
        data, span = self._found[name]
        own = _section(data, span)
        maps = [child for child in span.children if child.uri == STYLE and child.name == "map"]
        others: list[tuple[str, str]] = []
        for each in maps if depth < _DEEPEST else ():
            match = _CONDITION.fullmatch(value(each, "condition", STYLE) or "")
            target = value(each, "apply-style-name", STYLE) or ""
            if match is not None and target in self._found and target != name:
                others.append((f"{match[1]}{match[2]}", _section(*self._found[target])))
        if not others:
            return own
        if tuple(condition for condition, _ in others) in _USUAL:
            return ";".join([*(section for _, section in others), own])
        return ";".join([*(f"[{_as_code(condition)}]{section}" for condition, section in others), own])


def _as_code(condition: str) -> str:
    return condition.replace("!=", "<>")


def _section(data: bytes, span: Span) -> str:
    """One style without its maps, as a section of a code."""
    made: list[str] = []
    sort = span.name.removesuffix("-style")
    elapsed = sort == "time" and value(span, "truncate-on-overflow", NUMBER) == "false"
    for child in span.children:
        if child.uri == STYLE and child.name == "text-properties":
            colour = _COLOURS.get((value(child, "color", FO) or "").lower())
            made += [f"[{colour}]"] if colour else []
        elif child.uri == NUMBER:
            piece = _PIECES.get(child.name)
            if piece is not None:
                written = piece(data, child)
                if elapsed and child.name in ("hours", "minutes", "seconds"):
                    written, elapsed = f"[{written}]", False
                made.append(written)
            elif child.name == "text":
                made.append(_literal(text_of(data[child.start : child.end]), sort))
    return "".join(made) or "General"


def _literal(text: str, sort: str) -> str:
    """Characters as a code has them: those that mean something else between quotes."""
    if sort == "percentage" and "%" in text:
        before, _, after = text.partition("%")
        return f"{_literal(before, '')}%{_literal(after, '')}"
    plain = _PLAIN | frozenset(".,") if sort in ("date", "time") else _PLAIN
    if all(letter in plain for letter in text):
        return text
    return '"' + text.replace('"', '"\\""') + '"'


def _digits(attributes: Span) -> str:
    """The whole part and the decimals."""
    least = whole(value(attributes, "min-integer-digits", NUMBER), _MOST_DIGITS)
    grouped = value(attributes, "grouping", NUMBER) == "true"
    places = whole(value(attributes, "decimal-places", NUMBER), _MOST_DIGITS)
    sure = whole(value(attributes, "min-decimal-places", NUMBER), _MOST_DIGITS)
    if sure is None:
        replaced = value(attributes, "decimal-replacement", NUMBER)
        sure = 0 if replaced == "" else places
    if least is None:
        least = 1
    if grouped:
        digits = "0" * least
        digits = digits.rjust(4, "#")
        digits = f"{digits[:-3]},{digits[-3:]}"
    else:
        digits = "0" * least or "#"
    if places:
        digits += "." + "0" * min(sure or 0, places) + "#" * (places - min(sure or 0, places))
    factor = value(attributes, "display-factor", NUMBER) or "1"
    if factor.isdigit() and factor.strip("0") == "1":
        digits += "," * ((len(factor) - 1) // 3)
    return digits


def _number(data: bytes, span: Span) -> str:
    plain = value(span, "decimal-places", NUMBER) is None and value(span, "grouping", NUMBER) != "true"
    if plain and value(span, "min-integer-digits", NUMBER) in (None, "1") and not span.children:
        return "General"
    return _digits(span)


def _scientific(data: bytes, span: Span) -> str:
    exponent = whole(value(span, "min-exponent-digits", NUMBER), 10) or 1
    interval = whole(value(span, "exponent-interval", NUMBER), 10) or 1
    digits = _digits(span)
    if interval > 1:
        head, dot, rest = digits.partition(".")
        digits = head.rjust(interval, "#") + dot + rest
    sign = "-" if value(span, "forced-exponent-sign", NUMBER) == "false" else "+"
    return f"{digits}E{sign}{'0' * exponent}"


def _fraction(data: bytes, span: Span) -> str:
    least = whole(value(span, "min-integer-digits", NUMBER), _MOST_DIGITS)
    above = whole(value(span, "min-numerator-digits", NUMBER), _MOST_DIGITS) or 1
    below = whole(value(span, "min-denominator-digits", NUMBER), _MOST_DIGITS) or 1
    fixed = value(span, "denominator-value", NUMBER)
    before = "" if least is None else ("0" * least or "#") + " "
    return f"{before}{'?' * above}/{fixed or '?' * below}"


def _long(span: Span) -> bool:
    return value(span, "style", NUMBER) == "long"


def _seconds(data: bytes, span: Span) -> str:
    places = whole(value(span, "decimal-places", NUMBER), 9) or 0
    return ("ss" if _long(span) else "s") + ("." + "0" * places if places else "")


def _month(data: bytes, span: Span) -> str:
    if value(span, "textual", NUMBER) == "true":
        return "mmmm" if _long(span) else "mmm"
    return "mm" if _long(span) else "m"


_PIECES: Mapping[str, Callable[[bytes, Span], str]] = {
    "number": _number,
    "scientific-number": _scientific,
    "fraction": _fraction,
    "currency-symbol": lambda data, span: _currency(text_of(data[span.start : span.end])),
    "day": lambda data, span: "dd" if _long(span) else "d",
    "month": _month,
    "year": lambda data, span: "yyyy" if _long(span) else "yy",
    "day-of-week": lambda data, span: "dddd" if _long(span) else "ddd",
    "hours": lambda data, span: "hh" if _long(span) else "h",
    "minutes": lambda data, span: "mm" if _long(span) else "m",
    "seconds": _seconds,
    "am-pm": lambda data, span: "AM/PM",
    "boolean": lambda data, span: "General",
    "text-content": lambda data, span: "@",
}


def _currency(symbol: str) -> str:
    return symbol if symbol in ("$", "€", "£", "¥") else f"[${symbol}]" if symbol else ""


# -- the way back


class Written(NamedTuple):
    """A data style: its element, and those of the styles that it leads to."""

    name: str
    elements: tuple[str, ...]


_TOKEN = lazy_pattern(
    r'"(?P<quoted>[^"]*)"|\\(?P<escaped>.)|_(?P<blank>.)|\*(?P<fill>.)'
    r"|\[\$(?P<currency>[^\]-]*)(?:-[^\]]*)?\]"
    r"|\[(?P<colour>Black|Blue|Cyan|Green|Magenta|Red|White|Yellow)\]|\[Color ?\d+\]"
    r"|\[(?P<condition>(?:<=|>=|<>|<|>|=)-?[\d.]+)\]"
    r"|\[(?P<elapsed>h+|m+|s+)\]"
    r"|(?P<ampm>AM/PM|A/P)|(?P<date>y+|m+|d+|h+|s+(?:\.0+)?)"
    r"|(?P<scientific>[0#?][0#?,]*(?:\.[0#?]*)?E[+-][0#?]+)"
    r"|(?P<fraction>(?:[0#?]+ )?[#?0]+/(?:[?#0]+|[1-9]\d*))"
    r"|(?P<number>[0#?][0#?,]*(?:\.[0#?]*)?,*|\.[0#?]+)"
    r"|(?P<general>General)|(?P<text>@)|(?P<other>.)",
    re.IGNORECASE | re.DOTALL,
)


def sections_of(code: str) -> list[str]:
    """The sections of a code."""
    found = [""]
    for piece in re.findall(r'"[^"]*"|\\.|\[[^\]]*\]|.', code, re.DOTALL):
        if piece == ";":
            found.append("")
        else:
            found[-1] += piece
    return found


def written_style(code: str, name: str) -> Written:
    """A code as a data style of that name. Prefixes are the usual ones."""
    sections = sections_of(code)
    if len(sections) == 1:
        return Written(name, (_element(sections[0], name, code, ()),))
    elements: list[str] = []
    maps: list[tuple[str, str]] = []
    conditions = [_condition_of(section) for section in sections]
    usual: Sequence[str] = _USUAL[min(len(sections), 4) - 2]
    for place, section in enumerate(sections[:-1]):
        own = conditions[place] or usual[place]
        elements.append(_element(section, f"{name}P{place}", section, (), inner=True))
        maps.append((own.replace("<>", "!="), f"{name}P{place}"))
    elements.append(_element(sections[-1], name, sections[0], maps))
    return Written(name, tuple(elements))


def _condition_of(section: str) -> str:
    return next((match["condition"] for match in _TOKEN.finditer(section) if match["condition"]), "")


def sort_of_code(code: str) -> str:
    """The word for the element of a code: that of its last section, as programs have it."""
    return _sort_of(sections_of(code)[-1]) if code != "General" else "number"


def _sort_of(section: str) -> str:
    """The word for the element of a section."""
    if any(match["text"] for match in _TOKEN.finditer(section)):
        return "text"
    sort = sort_of(section)
    if sort in (DATE, TIME):
        return "date"
    if sort == DURATION:
        return "time"
    found = list(_TOKEN.finditer(section))
    if any(match["currency"] for match in found):
        return "currency"
    return "percentage" if any(match["other"] == "%" for match in found) else "number"


def _element(section: str, name: str, whole_code: str, maps: Sequence[tuple[str, str]], inner: bool = False) -> str:
    sort = _sort_of(section)
    made: list[str] = []
    text = ""
    more = ' style:volatile="true"' if inner else ""
    matches = list(_TOKEN.finditer(section))

    def flush() -> None:
        nonlocal text
        if text:
            made.append(f"<number:text>{escaped_text(text)}</number:text>")
        text = ""

    for place, match in enumerate(matches):
        literal = match["quoted"] if match["quoted"] is not None else match["escaped"]
        if literal is None and match["blank"] is not None:
            literal = " "
        if literal is None and match["other"] is not None:
            literal = match["other"]
        if literal is not None:
            text += literal
            continue
        if match["condition"]:
            continue
        if match["colour"]:
            colour = _NAMED_COLOURS[match["colour"].lower()]
            made.insert(0, f'<style:text-properties fo:color="{colour}"/>')
            continue
        flush()
        if match["elapsed"]:
            more += ' number:truncate-on-overflow="false"'
        made.append(_piece(match, matches, place))
    flush()
    if not made:
        made.append("<number:text/>")
    inside = "".join(made) + "".join(
        f'<style:map style:condition="value(){escaped(condition)}" style:apply-style-name="{target}"/>'
        for condition, target in maps
    )
    return f'<number:{sort}-style style:name="{name}"{more}>{inside}</number:{sort}-style>'


def _piece(match: re.Match[str], matches: Sequence[re.Match[str]], place: int) -> str:
    if match["fill"] is not None:
        return f"<number:fill-character>{escaped_text(match['fill'])}</number:fill-character>"
    if match["currency"] is not None:
        return f"<number:currency-symbol>{escaped_text(match['currency'])}</number:currency-symbol>"
    if match["elapsed"] or match["date"]:
        return _moment(match["elapsed"] or match["date"], matches, place)
    if match["ampm"]:
        return "<number:am-pm/>"
    if match["text"]:
        return "<number:text-content/>"
    if match["scientific"]:
        digits, _, exponent = match["scientific"].upper().partition("E")
        head = digits.partition(".")[0].replace(",", "")
        interval = f' number:exponent-interval="{len(head)}"' if "#" in head and len(head) > 1 else ""
        sign = "true" if exponent[0] == "+" else "false"
        return (
            f"<number:scientific-number{_attributes(digits)} number:min-exponent-digits="
            f'"{len(exponent) - 1}"{interval} number:forced-exponent-sign="{sign}"/>'
        )
    if match["fraction"]:
        before, _, parts = match["fraction"].rpartition(" ")
        above, _, below = parts.partition("/")
        least = f' number:min-integer-digits="{before.count("0")}"' if before else ""
        fixed = f' number:denominator-value="{below}"' if below.isdigit() and int(below) else ""
        return (
            f'<number:fraction{least} number:min-numerator-digits="{len(above)}"'
            f' number:min-denominator-digits="{len(below)}"{fixed}/>'
        )
    if match["general"]:
        return '<number:number number:min-integer-digits="1"/>'
    return f"<number:number{_attributes(match['number'])}/>"


def _attributes(digits: str) -> str:
    scaled = len(digits) - len(digits.rstrip(","))
    head, _, decimals = digits.rstrip(",").partition(".")
    said = f' number:decimal-places="{len(decimals)}" number:min-decimal-places="{decimals.count("0")}"'
    said += f' number:min-integer-digits="{head.count("0")}"'
    if "," in head:
        said += ' number:grouping="true"'
    if scaled:
        said += f' number:display-factor="1{"000" * scaled}"'
    return said


def _moment(code: str, matches: Sequence[re.Match[str]], place: int) -> str:
    letter, count = code[0].lower(), len(code)
    if letter == "m" and count < 3 and _is_minute(matches, place):
        return _timed("minutes", count > 1)
    if letter == "m":
        textual = ' number:textual="true"' if count > 2 else ""
        return _timed("month", count in (2, 4) or count > 4, textual)
    if letter == "d":
        return _timed("day", count == 2) if count < 3 else _timed("day-of-week", count > 3)
    if letter == "y":
        return _timed("year", count > 2)
    if letter == "h":
        return _timed("hours", count > 1)
    plain, _, decimals = code.partition(".")
    places = f' number:decimal-places="{len(decimals)}"' if decimals else ""
    return _timed("seconds", len(plain) > 1, places)


def _timed(name: str, long: bool, more: str = "") -> str:
    style = ' number:style="long"' if long else ""
    return f"<number:{name}{style}{more}/>"


def _is_minute(matches: Sequence[re.Match[str]], place: int) -> bool:
    """Whether an `m` means minutes: after hours, or before seconds."""
    if matches[place]["elapsed"]:
        return True
    codes = [match["date"] or match["elapsed"] for match in matches[:place] if match["date"] or match["elapsed"]]
    if codes and codes[-1][0].lower() == "h":
        return True
    after = [match["date"] or match["elapsed"] for match in matches[place + 1 :] if match["date"] or match["elapsed"]]
    return bool(after) and after[0][0].lower() == "s"
