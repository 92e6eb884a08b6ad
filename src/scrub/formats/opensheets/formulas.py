"""Formulas of an Open Document (OpenDocument 1.3, part 4) as other workbooks write them, and the way back.

References are in brackets there, and arguments are separated by semicolons. What has no counterpart stays as it is
written: nobody calculates it then, and it is written back byte for byte.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache

from scrub.formats.workbook.formulas.future_functions import shown_formula
from scrub.formats.workbook.names.names import Names
from scrub.formulas.tokens import pieces_of
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

#: What an attribute with a formula begins with, by the grammar: that of the standard, and of older writers.
_OWN_GRAMMAR = lazy_pattern(r"(?:of|oooc):=?")
_OTHER_GRAMMAR = lazy_pattern(r"(?:msoxl):=?")
_PREFIX = lazy_pattern(r"[A-Za-z_][\w.-]*:=")
#: Functions with a name of their own there (part 4, 6, and the namespaces of makers in 5.6), by what others call them.
_NAMES = {
    "AGGREGATE": "AGGREGATE", "BETA.DIST": "COM.MICROSOFT.BETA.DIST", "BETA.INV": "COM.MICROSOFT.BETA.INV",
    "BINOM.DIST": "COM.MICROSOFT.BINOM.DIST", "BINOM.INV": "COM.MICROSOFT.BINOM.INV",
    "CEILING": "COM.MICROSOFT.CEILING", "CEILING.MATH": "COM.MICROSOFT.CEILING.MATH",
    "CEILING.PRECISE": "COM.MICROSOFT.CEILING.PRECISE", "CHIDIST": "LEGACY.CHIDIST", "CHIINV": "LEGACY.CHIINV",
    "CHISQ.DIST": "COM.MICROSOFT.CHISQ.DIST", "CHISQ.DIST.RT": "COM.MICROSOFT.CHISQ.DIST.RT",
    "CHISQ.INV": "COM.MICROSOFT.CHISQ.INV", "CHISQ.INV.RT": "COM.MICROSOFT.CHISQ.INV.RT",
    "CHISQ.TEST": "COM.MICROSOFT.CHISQ.TEST", "CHITEST": "LEGACY.CHITEST", "CONCAT": "COM.MICROSOFT.CONCAT",
    "CONFIDENCE.NORM": "COM.MICROSOFT.CONFIDENCE.NORM", "CONFIDENCE.T": "COM.MICROSOFT.CONFIDENCE.T",
    "COVARIANCE.P": "COM.MICROSOFT.COVARIANCE.P", "COVARIANCE.S": "COM.MICROSOFT.COVARIANCE.S",
    "ENCODEURL": "COM.MICROSOFT.ENCODEURL", "ERF.PRECISE": "COM.MICROSOFT.ERF.PRECISE",
    "ERFC.PRECISE": "COM.MICROSOFT.ERFC.PRECISE", "ERROR.TYPE": "ERROR.TYPE",
    "EXPON.DIST": "COM.MICROSOFT.EXPON.DIST", "F.DIST": "COM.MICROSOFT.F.DIST",
    "F.DIST.RT": "COM.MICROSOFT.F.DIST.RT", "F.INV": "COM.MICROSOFT.F.INV", "F.INV.RT": "COM.MICROSOFT.F.INV.RT",
    "F.TEST": "COM.MICROSOFT.F.TEST", "FDIST": "LEGACY.FDIST", "FILTERXML": "COM.MICROSOFT.FILTERXML",
    "FINV": "LEGACY.FINV", "FLOOR": "COM.MICROSOFT.FLOOR", "FLOOR.MATH": "COM.MICROSOFT.FLOOR.MATH",
    "FLOOR.PRECISE": "COM.MICROSOFT.FLOOR.PRECISE", "FORECAST.ETS": "COM.MICROSOFT.FORECAST.ETS",
    "FORECAST.ETS.CONFINT": "COM.MICROSOFT.FORECAST.ETS.CONFINT",
    "FORECAST.ETS.SEASONALITY": "COM.MICROSOFT.FORECAST.ETS.SEASONALITY",
    "FORECAST.ETS.STAT": "COM.MICROSOFT.FORECAST.ETS.STAT", "FORECAST.LINEAR": "COM.MICROSOFT.FORECAST.LINEAR",
    "FORMULATEXT": "FORMULA", "GAMMA.DIST": "COM.MICROSOFT.GAMMA.DIST", "GAMMA.INV": "COM.MICROSOFT.GAMMA.INV",
    "GAMMALN.PRECISE": "COM.MICROSOFT.GAMMALN.PRECISE", "HYPGEOM.DIST": "COM.MICROSOFT.HYPGEOM.DIST",
    "IFS": "COM.MICROSOFT.IFS", "LOGNORM.DIST": "COM.MICROSOFT.LOGNORM.DIST",
    "LOGNORM.INV": "COM.MICROSOFT.LOGNORM.INV", "MAXIFS": "COM.MICROSOFT.MAXIFS", "MINIFS": "COM.MICROSOFT.MINIFS",
    "MODE.MULT": "COM.MICROSOFT.MODE.MULT", "MODE.SNGL": "COM.MICROSOFT.MODE.SNGL",
    "NEGBINOM.DIST": "COM.MICROSOFT.NEGBINOM.DIST", "NETWORKDAYS.INTL": "COM.MICROSOFT.NETWORKDAYS.INTL",
    "NORM.DIST": "COM.MICROSOFT.NORM.DIST", "NORM.INV": "COM.MICROSOFT.NORM.INV",
    "NORM.S.DIST": "COM.MICROSOFT.NORM.S.DIST", "NORM.S.INV": "COM.MICROSOFT.NORM.S.INV",
    "NORMSDIST": "LEGACY.NORMSDIST", "NORMSINV": "LEGACY.NORMSINV",
    "PERCENTILE.EXC": "COM.MICROSOFT.PERCENTILE.EXC", "PERCENTILE.INC": "COM.MICROSOFT.PERCENTILE.INC",
    "PERCENTRANK.EXC": "COM.MICROSOFT.PERCENTRANK.EXC", "PERCENTRANK.INC": "COM.MICROSOFT.PERCENTRANK.INC",
    "POISSON.DIST": "COM.MICROSOFT.POISSON.DIST", "QUARTILE.EXC": "COM.MICROSOFT.QUARTILE.EXC",
    "QUARTILE.INC": "COM.MICROSOFT.QUARTILE.INC", "RANK.AVG": "COM.MICROSOFT.RANK.AVG",
    "RANK.EQ": "COM.MICROSOFT.RANK.EQ", "SKEW.P": "SKEWP", "STDEV.P": "COM.MICROSOFT.STDEV.P",
    "STDEV.S": "COM.MICROSOFT.STDEV.S", "SWITCH": "COM.MICROSOFT.SWITCH", "T.DIST": "COM.MICROSOFT.T.DIST",
    "T.DIST.2T": "COM.MICROSOFT.T.DIST.2T", "T.DIST.RT": "COM.MICROSOFT.T.DIST.RT",
    "T.INV": "COM.MICROSOFT.T.INV", "T.INV.2T": "COM.MICROSOFT.T.INV.2T", "T.TEST": "COM.MICROSOFT.T.TEST",
    "TDIST": "LEGACY.TDIST", "TEXTJOIN": "COM.MICROSOFT.TEXTJOIN", "VAR.P": "COM.MICROSOFT.VAR.P",
    "VAR.S": "COM.MICROSOFT.VAR.S", "WEBSERVICE": "COM.MICROSOFT.WEBSERVICE",
    "WEIBULL.DIST": "COM.MICROSOFT.WEIBULL.DIST", "WORKDAY.INTL": "COM.MICROSOFT.WORKDAY.INTL",
    "Z.TEST": "COM.MICROSOFT.Z.TEST", "XLOOKUP": "COM.MICROSOFT.XLOOKUP", "XMATCH": "COM.MICROSOFT.XMATCH",
    "FILTER": "COM.MICROSOFT.FILTER", "SORT": "COM.MICROSOFT.SORT", "SORTBY": "COM.MICROSOFT.SORTBY",
    "UNIQUE": "COM.MICROSOFT.UNIQUE", "SEQUENCE": "COM.MICROSOFT.SEQUENCE", "RANDARRAY": "COM.MICROSOFT.RANDARRAY",
    "LET": "COM.MICROSOFT.LET", "ASC": "ASC", "JIS": "JIS",
}  # fmt: skip
_BACK = {own: name for name, own in _NAMES.items()}
_MAKERS = ("COM.MICROSOFT.", "ORG.OPENOFFICE.", "ORG.LIBREOFFICE.", "LEGACY.")

_TOKEN = lazy_pattern(
    r"""(?P<text>"(?:[^"]|"")*")|(?P<reference>\[(?:'(?:[^']|'')*'|[^\]'])*\])|(?P<error>#(?:N/A|[A-Z0-9/]+[!?]))|(?P<quoted>\$\$(?:'(?:[^']|'')*'|[\w.]+))"""
    r"""|(?P<function>[A-Za-z_][\w.]*)(?=\s*\()|(?P<word>[A-Za-z_\\][\w.?\\]*)|(?P<mark>[;{}|~!])|(?P<rest>[^\["{};|~!#A-Za-z_\\$']+|.)""",
    re.DOTALL,
)
#: One end of a reference (part 4, 5.8): the sheet with its mark, column and row.
_END = lazy_pattern(
    r"(?:(?P<fixed>\$?)(?:'(?P<quoted>(?:[^']|'')*)'|(?P<plain>[^'$.\[\]:#]+)))?\."
    r"(?P<place>\$?[A-Za-z]{1,3}\$?\d{1,7}|\$?[A-Za-z]{1,3}|\$?\d{1,7}|#REF!)"
)


class NotTranslated(Exception):
    """A piece of a formula has no counterpart in the other way of writing."""


def text_of_formula(written: str) -> str:
    """A formula as other workbooks write it, without its equals sign; as it is written where that is not possible."""
    return _read(written)


@lru_cache(maxsize=65_536)
def _read(written: str) -> str:
    own = _OWN_GRAMMAR.match(written)
    if own is None:
        other = _OTHER_GRAMMAR.match(written)
        if other is not None:
            return shown_formula(written[other.end() :])
        prefix = _PREFIX.match(written)  # whatever prefix a writer declared for the namespace of formulas
        bare = written[prefix.end() :] if prefix is not None else written.removeprefix("=")
        return expression(bare) if "[" in bare or ";" in bare or prefix is not None else bare
    return expression(written[own.end() :])


def expression(formula: str) -> str:
    """An expression without what it begins with; as it is written where it cannot be translated."""
    try:
        return "".join(_pieces(formula))
    except NotTranslated:
        return formula


def _pieces(formula: str) -> list[str]:
    made: list[str] = []
    depth = 0  # of the braces of inline arrays
    for match in _TOKEN.finditer(formula):
        sort, text = match.lastgroup, match[0]
        if sort == "reference":
            text = _plain_reference(text[1:-1])
        elif sort == "function":
            name = text.upper()
            text = _BACK.get(name, name.removeprefix("ORG.OPENOFFICE.").removeprefix("ORG.LIBREOFFICE."))
        elif sort == "quoted":
            text = text[2:].strip("'").replace("''", "'")
        elif sort == "mark":
            depth += (text == "{") - (text == "}")
            text = {";": ",", "|": ";" if depth else "|", "~": ",", "!": " "}.get(text, text)
        made.append(text)
    result = "".join(made)
    for constant in ("TRUE", "FALSE"):
        result = _CONSTANTS[constant].sub(constant, result) if f"{constant}(" in result else result
    return [result]


_CONSTANTS = {name: lazy_pattern(rf"(?<![\w.]){name}\(\s*\)") for name in ("TRUE", "FALSE")}


def _plain_reference(inside: str) -> str:
    if inside.strip() == "#REF!":
        return "#REF!"
    first = _END.match(inside)
    if first is None:
        raise NotTranslated
    if first["place"] == "#REF!":
        return "#REF!"
    sheet = _sheet_of(first)
    if first.end() == len(inside):
        place = first["place"]
        return f"{_before(sheet)}{place}" if any(map(str.isdigit, place)) else f"{_before(sheet)}{place}:{place}"
    if inside[first.end()] != ":":
        raise NotTranslated
    last = _END.fullmatch(inside, first.end() + 1)
    if last is None:
        raise NotTranslated
    if last["place"] == "#REF!":
        return "#REF!"
    other = _sheet_of(last)
    place = f"{first['place']}:{last['place']}"
    if other and other != sheet:
        if not sheet:
            raise NotTranslated
        together = f"{sheet}:{other}"
        quoted = Names.quoted(sheet) != sheet or Names.quoted(other) != other
        said = "'" + together.replace("'", "''") + "'!" if quoted else f"{together}!"
        return said + (place if first["place"] != last["place"] else first["place"])
    return f"{_before(sheet)}{place}"


def _sheet_of(end: re.Match[str]) -> str:
    if end["quoted"] is not None:
        return end["quoted"].replace("''", "'")
    return end["plain"] or ""


def _before(sheet: str) -> str:
    return f"{Names.quoted(sheet)}!" if sheet else ""


# -- the way back


def open_formula(formula: str) -> str:
    """A formula without its equals sign as an attribute has it, with the prefix of its grammar. Raises `Failure` for
    one that an Open Document cannot have.
    """
    return f"of:={open_expression(formula)}"


def open_expression(formula: str) -> str:
    """A formula as it is written there, without a prefix. Raises `Failure`."""
    formula = shown_formula(formula)
    made: list[str] = []
    done = 0
    stack: list[str] = []
    pieces = list(pieces_of(formula))
    for number, piece in enumerate(pieces):
        if piece.sort == "unknown":
            raise Failure(f'"{piece.text[:30]}" in the formula cannot be written into an OpenDocument file')
        blank = formula[done : piece.start]
        before = pieces[number - 1] if number else None
        crosses = blank and before is not None and _ends(before) and piece.sort in ("range", "name")
        made.append("!" if crosses else blank)
        made.append(_open_piece(piece.sort, piece.text, piece.sheet, formula[piece.start : piece.end], stack))
        done = piece.end
    return "".join(made) + formula[done:]


def _ends(piece: object) -> bool:
    return getattr(piece, "sort", "") in ("range", "name")


def _open_piece(sort: str, text: str, sheet: str, whole: str, stack: list[str]) -> str:
    if sort == "range":
        return open_reference(text, sheet)
    if sort == "function":
        return _NAMES.get(text.upper().removeprefix("_XLFN.").removeprefix("_XLWS."), text)
    if sort == "table":
        raise Failure(
            f"a formula with the headings of a table ({whole[:40]}) cannot be written into an OpenDocument file"
        )
    if sort == "name":
        if text.upper() in ("TRUE", "FALSE"):
            return f"{text.upper()}()"
        if sheet.startswith("["):
            raise Failure(f'"{whole[:40]}" refers to another file, which cannot be written into an OpenDocument file')
        return (
            text
            if text.isascii() and re.fullmatch(r"[A-Za-z_]\w*", text)
            else f"$$'{text}'"
            if not text[0].isalpha()
            else text
        )
    if sort == "operator" and text in "@#":
        raise Failure(f'"{text}" in the formula cannot be written into an OpenDocument file')
    if sort == "mark":
        if text in "({":
            stack.append(text)
        elif text in ")}" and stack:
            stack.pop()
        elif text == ",":
            return ";"  # between arguments, and between the columns of an array (part 4, 5.13)
        elif text == ";":
            return "|"
    return text


def open_reference(text: str, sheet: str) -> str:
    """A reference such as `$B$2:C4` of a sheet (`One:Last` for several) in brackets (part 4, 5.8)."""
    if "[" in sheet:
        raise Failure("a formula that refers to another file cannot be written into an OpenDocument file")
    first, mark, last = text.partition(":")
    start, _, end = sheet.partition(":")
    if end and not (sheet.startswith("'")):
        return f"[{_open_sheet(start)}.{first}:{_open_sheet(end)}.{last or first}]"
    return f"[{_open_sheet(sheet)}.{first}{f':.{last}' if mark else ''}]"


def _open_sheet(sheet: str) -> str:
    """A sheet in a reference: it stays when the cell moves to another one."""
    if not sheet:
        return ""
    return f"${quoted_sheet(sheet)}"


def quoted_sheet(sheet: str) -> str:
    """The name of a sheet, between quotes where it needs them (part 4, 5.8)."""
    return sheet if re.fullmatch(r"[A-Za-z_]\w*", sheet) else "'" + sheet.replace("'", "''") + "'"


def moved_formula(written: str, moved: Callable[[str, str], str]) -> str:
    """A formula with its references as `moved` gives them, byte for byte otherwise. `moved` gets the place (`$A$1:B2`)
    and the sheet as other workbooks write them (empty for the own one), and gives such a piece of a formula.
    """

    def fresh(match: re.Match[str]) -> str:
        if match.lastgroup != "reference":
            return match[0]
        try:
            plain = _plain_reference(match[0][1:-1])
        except NotTranslated:
            return match[0]
        if plain == "#REF!":
            return match[0]
        after = moved(plain, "")
        if after == plain:
            return match[0]
        return _with_marks(open_expression(after), match[0])

    return _TOKEN.sub(fresh, written)


def _with_marks(fresh: str, old: str) -> str:
    """A reference with a sheet that moves along, where the old one did."""
    said = re.match(r"\[(\$?)", old)
    return fresh if said is None or said[1] or not fresh.startswith("[$") or old.startswith("[.") else "[" + fresh[2:]


# -- addresses of ranges outside formulas (part 3, 18.3.2, 18.3.3)

_ADDRESS = lazy_pattern(
    r"(?:\$?(?:'((?:[^']|'')*)'|([^'.$ :]+)))?\.(\$?[A-Za-z]{0,3}\$?\d{0,7})"
    r"(?::(?:\$?(?:'((?:[^']|'')*)'|([^'.$ :]+)))?\.(\$?[A-Za-z]{0,3}\$?\d{0,7}))?"
)


def address_pattern() -> re.Pattern[str]:
    """Finds the addresses in an attribute."""
    return _ADDRESS


def plain_address(match: re.Match[str]) -> str | None:
    """An address that was found as other workbooks write it; None for what is none."""
    if not match[3]:
        return None
    sheet = match[1].replace("''", "'") if match[1] is not None else match[2] or ""
    last = f":{match[6]}" if match[6] else ""
    return f"{_before(sheet)}{match[3]}{last}"


def addresses(text: str) -> list[tuple[str, Area]]:
    """The ranges in an attribute, each with its sheet; what cannot be read is left out."""
    from scrub.formats.workbook.formulas.syntax import area_at

    found = []
    for match in _ADDRESS.finditer(text):
        sheet = match[1].replace("''", "'") if match[1] is not None else match[2] or ""
        place = match[3].replace("$", "")
        last = (match[6] or "").replace("$", "")
        area = area_at(f"{place}:{last}" if last else place)
        if area is not None:
            found.append((sheet, area))
    return found


def address(sheet: str, area: Area, fixed: bool = False) -> str:
    """A range as an attribute has it."""
    mark = "$" if fixed else ""
    name = quoted_sheet(sheet)
    if area.top == 1 and area.bottom == MOST_ROWS and not fixed:
        first, last = f"{letters_of(area.left)}1", f"{letters_of(area.right)}{MOST_ROWS}"
    elif area.left == 1 and area.right == MOST_COLUMNS and not fixed:
        first, last = f"A{area.top}", f"{letters_of(MOST_COLUMNS)}{area.bottom}"
    else:
        first = f"{mark}{letters_of(area.left)}{mark}{area.top}"
        last = f"{mark}{letters_of(area.right)}{mark}{area.bottom}"
    return f"{mark}{name}.{first}" + ("" if area.single else f":{mark}{name}.{last}")
