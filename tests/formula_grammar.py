"""Random formulas over a small sheet, drawn from the functions with what their arguments are."""

from __future__ import annotations

import random
from collections.abc import Sequence

import openpyxl

from scrub.formulas.functions import FUNCTIONS

NUMBERS = (0, 1, 2, 3, -1, -2.5, 0.5, 7, 10, 12.345, 100, 1000, 45000, 46357, 0.1, 0.001)
TEXTS = ("a", "abc", "Larch Hut", "12", "b", "A", "huts", "x y", "3.5", "kite", "2026-11-30")
#: Functions that give something else each time, or an array, or that an older office program lacks.
LEFT_OUT = frozenset(
    "RAND RANDBETWEEN NOW TODAY FORMULATEXT UNIQUE SEQUENCE TEXTSPLIT TEXTBEFORE TEXTAFTER XLOOKUP XMATCH MMULT "
    "MINVERSE TRANSPOSE FREQUENCY ISFORMULA SHEET SHEETS EASTERSUNDAY".split()
)
#: Functions of which both are right in their own way: days before March 1900, truth values as numbers, the fraction of
#: an argument, ties, and what the standards leave open (`docs/limits.md`).
DIFFERENT = frozenset(
    "TYPE DAYS DAYS360 DATE DAY MONTH YEAR WEEKDAY WEEKNUM ISOWEEKNUM EDATE EOMONTH YEARFRAC DATEDIF TIME HOUR MINUTE "
    "SECOND NETWORKDAYS NETWORKDAYS.INTL WORKDAY WORKDAY.INTL BITAND BITOR BITXOR BITLSHIFT BITRSHIFT CHAR UNICHAR CODE "
    "BIN2DEC BIN2HEX BIN2OCT OCT2BIN OCT2DEC OCT2HEX HEX2BIN HEX2DEC HEX2OCT DEC2BIN DEC2HEX DEC2OCT SYD DB DDB VDB MODE "
    "MODE.SNGL RANK RANK.EQ RANK.AVG ROMAN REPT MROUND ROWS COLUMNS ROUND ROUNDUP ROUNDDOWN TRUNC HYPERLINK VALUE TEXT "
    "NUMBERVALUE TIMEVALUE IRR MIRR RATE NPER XNPV XIRR PV FV PMT EFFECT ISNUMBER ISEVEN ISODD COMBINA MULTINOMIAL "
    "FACTDOUBLE LARGE SMALL LOOKUP POISSON POISSON.DIST EXPONDIST EXPON.DIST SERIESSUM SWITCH IFS GEOMEAN TAN COT "
    "PERCENTRANK PERCENTRANK.INC SUBTOTAL AGGREGATE FIND SEARCH INDEX ATAN2 N T SUMIF COUNTIF AVERAGEIF SUMIFS COUNTIFS "
    "AVERAGEIFS MAXIFS MINIFS NPV VLOOKUP HLOOKUP MATCH IF CLEAN CUMIPMT CUMPRINC".split()
)
#: Functions that a workbook writes with a prefix (ISO/IEC 29500-1, 18.17.7 knows none of them).
LATER = frozenset(
    "CONCAT TEXTJOIN IFS SWITCH MAXIFS MINIFS XOR NUMBERVALUE DAYS ISOWEEKNUM CEILING.MATH FLOOR.MATH BITAND BITOR BITXOR "
    "BITLSHIFT BITRSHIFT BASE DECIMAL ARABIC UNICHAR UNICODE IFNA RRI PDURATION COT SEC CSC ACOT COMBINA GAMMALN.PRECISE "
    "STDEV.S STDEV.P VAR.S VAR.P MODE.SNGL PERCENTILE.INC PERCENTILE.EXC QUARTILE.INC QUARTILE.EXC RANK.EQ RANK.AVG "
    "PERCENTRANK.INC COVARIANCE.P COVARIANCE.S NORM.DIST NORM.INV NORM.S.DIST NORM.S.INV BINOM.DIST POISSON.DIST "
    "EXPON.DIST CONFIDENCE.NORM FORECAST.LINEAR CEILING.PRECISE FLOOR.PRECISE AGGREGATE".split()
)


def workbook(draw: random.Random) -> openpyxl.Workbook:
    """Columns A to C with numbers and a few texts, D with numbers alone, E and F with texts; 20 rows, with gaps."""
    book = openpyxl.Workbook()
    sheet = book.create_sheet("S", 0)
    for row in range(1, 21):
        for column in range(1, 4):
            kind = draw.random()
            number = draw.choice(NUMBERS) if kind < 0.6 else draw.randint(1, 50)
            sheet.cell(row, column, draw.choice(TEXTS[:5]) if kind > 0.95 else None if kind > 0.9 else number)
        sheet.cell(row, 4, draw.choice(NUMBERS))
        for column in (5, 6):
            sheet.cell(row, column, draw.choice((*TEXTS, None)))
    return book


class Formulas:
    """Draws formulas."""

    def __init__(self, draw: random.Random) -> None:
        self.draw = draw

    def number(self, depth: int = 0) -> str:
        """A number, a cell, a sum, or two of these with an operator between."""
        kind = self.draw.random()
        if kind < 0.45:
            return str(self.draw.choice(NUMBERS))
        if kind < 0.75:
            return self._cell("ABCD")
        if kind < 0.9 and depth < 2:
            return f"({self.number(depth + 1)}{self.draw.choice('+-*/')}{self.number(depth + 1)})"
        return f"SUM({self.area()})"

    def _cell(self, columns: str) -> str:
        return f"{self.draw.choice(columns)}{self.draw.randint(1, 20)}"

    def area(self) -> str:
        """A range of one column, or of three."""
        top, bottom = sorted(self.draw.sample(range(1, 21), 2))
        column = self.draw.choice("ABCDEF")
        return f"{column}{top}:{column}{bottom}" if self.draw.random() < 0.7 else f"A{top}:C{bottom}"

    def text(self) -> str:
        """A text, or a cell with one."""
        return self.draw.choice((f'"{self.draw.choice(TEXTS)}"', self._cell("EF")))

    def value(self) -> str:
        """Anything single."""
        return self.draw.choice((self.number(), self.text(), "TRUE", self._cell("ABCDEF")))

    def call(self, name: str) -> str:
        """A call of a function."""
        function = FUNCTIONS[name]
        count = len(function.kinds) + self.draw.randint(0, len(function.optional))
        if function.repeated:
            more = len(function.repeated) * self.draw.randint(0, 2)
            count = len(function.kinds) + len(function.optional) + more
        make = {
            "n": self.number,
            "t": self.text,
            "b": lambda: self.draw.choice(("TRUE", "FALSE", "A1>2", "1", "0")),
            "v": self.value,
            "x": lambda: self.draw.choice((self.area(), self.area(), self.number())),
            "a": self.area,
            "l": self.value,
        }
        return f"{name}({','.join(make[function.kind(place)]() for place in range(count))})"

    def formula(self, names: Sequence[str]) -> tuple[str, str]:
        """A function, and a formula that calls it, as a workbook writes it."""
        name = self.draw.choice(names)
        said = self.call(name)
        said = f"_xlfn.{said}" if name in LATER else said
        return name, f'IFERROR({said},"err")' if self.draw.random() < 0.15 else said
