"""Formulas as text (ISO/IEC 29500-1, 18.17): moved to another cell, split into references, checked."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from scrub.formulas.tokens import DEEPEST_NAMES, SHAPED_ALIKE, FormulaPiece, pieces_of
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, column_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern

_PIECES = lazy_pattern(
    r"""("(?:[^"]|"")*"|'(?:[^']|'')*'!?|\[[^\]]*\])"""  # texts, names of sheets, pieces of structured references
    r"|(?<![\w.$])(\$?)([A-Za-z]{1,3})(\$?)(\d{1,7})(?![\w.(!])"
    r"|(?<![\w.$:])(\$?)([A-Za-z]{1,3}):(\$?)([A-Za-z]{1,3})(?![\w.(!])"
    r"|(?<![\w.$:])(\$?)(\d{1,7}):(\$?)(\d{1,7})(?![\w.(!])"
)


def translated(formula: str, rows: int, columns: int, most: int = MOST_ROWS) -> str:
    """The formula as it reads that many rows below and columns to the right: references without $ move along. `most`
    is the last row to which one can lead.
    """

    def moved(found: re.Match[str]) -> str:
        if found[1] is not None:
            return found[0]
        if found[5] is not None:
            column, row = _column(found[2], found[3], columns), _row(found[4], found[5], rows, most)
            return f"{column}{row}" if column and row else "#REF!"
        if found[7] is not None:
            one, other = _column(found[6], found[7], columns), _column(found[8], found[9], columns)
        else:
            one, other = _row(found[10], found[11], rows, most), _row(found[12], found[13], rows, most)
        return f"{one}:{other}" if one and other else "#REF!"

    return _PIECES.sub(moved, formula)


def _column(fixed: str, letters: str, by: int) -> str:
    if fixed:
        return f"${letters}"
    number = column_of(letters)
    if number > MOST_COLUMNS:
        return letters  # a name such as ZZZ1, no reference
    number += by
    return letters_of(number) if 1 <= number <= MOST_COLUMNS else ""


def _row(fixed: str, digits: str, by: int, most: int) -> str:
    if fixed:
        return f"${digits}"
    number = int(digits) + by
    return str(number) if 1 <= number <= most else ""


def area_at(text: str) -> Area | None:
    """The range of a reference such as `$B$2:C4`; None for one outside every sheet."""
    from scrub.model.core.area import area_of
    from scrub.model.core.problem import Failure

    try:
        return area_of(text)
    except Failure:
        return None


#: Functions that look at cells which are not in the formula as they are.
_ELSEWHERE = frozenset(
    ("INDIRECT", "OFFSET", "INDEX", "CHOOSE", "GETPIVOTDATA", "RTD", "CELL", "INFO", "LAMBDA", "LET")
)

#: What a defined name or a table means, as a formula; None when it is not known.
Resolve = Callable[[str, str], str | None]


def references(formula: str, sheet: str, resolve: Resolve, depth: int = 0) -> list[tuple[str, Area]] | None:
    """The ranges that a formula on a sheet refers to, each with its sheet; None where that cannot be determined.

    `resolve` gives what a name means on a sheet, as a formula. A reference to another file counts as none.
    """
    result: list[tuple[str, Area]] = []
    pieces = list(pieces_of(formula))
    for place, piece in enumerate(pieces):
        if piece.sort == "function" and piece.text.upper() in SHAPED_ALIKE:
            summed = _shaped_alike(pieces[place + 2 :])
            if summed is None:
                return None
            result += [(name or sheet, area) for name, area in summed]
        if piece.sort == "unknown" or (piece.sort == "operator" and piece.text in ":#@"):
            return None
        if piece.sort == "function" and piece.text.upper().removeprefix("_XLFN.") in _ELSEWHERE:
            return None
        if piece.sheet.startswith("[") and piece.sort in ("range", "name"):
            continue
        if piece.sort == "range":
            area = area_at(piece.text)
            if area is None or (":" in piece.sheet and not piece.sheet.startswith("'")):
                return None
            result.append((piece.sheet or sheet, area))
        elif piece.sort in ("name", "table"):
            if piece.text.upper() in ("TRUE", "FALSE"):
                continue
            target = resolve(piece.text, piece.sheet or sheet)
            inner = (
                references(target, sheet, resolve, depth + 1) if target is not None and depth < DEEPEST_NAMES else None
            )
            if inner is None:
                return None
            result += inner
    return result


#: Functions whose result depends on which rows are hidden.
_SEES_HIDDEN = lazy_pattern(r"(?<![\w.])(?:SUBTOTAL|AGGREGATE)\s*\(", re.IGNORECASE)


def sees_hidden_rows(formula: str) -> bool:
    """Whether the result of a formula depends on which rows are hidden."""
    return _SEES_HIDDEN.search(formula) is not None


def _shaped_alike(pieces: Sequence[FormulaPiece]) -> list[tuple[str, Area]] | None:
    """The range that is added up, as large as the first one; `pieces` begin with the first argument. None where the two
    are not plain ranges.
    """
    arguments: list[list[FormulaPiece]] = [[]]
    depth = 0
    for piece in pieces:
        if piece.sort == "mark" and piece.text in "({":
            depth += 1
        elif piece.sort == "mark" and piece.text in ")}":
            if not depth:
                break
            depth -= 1
        elif piece.sort == "mark" and piece.text == "," and not depth:
            arguments.append([])
            continue
        arguments[-1].append(piece)
    if len(arguments) < 3 or not arguments[2]:
        return []
    tested, summed = arguments[0], arguments[2]
    if [each.sort for each in (*tested, *summed)] != ["range", "range"]:
        return None
    areas = [area_at(each.text) for each in (*tested, *summed)]
    first, last = areas
    if first is None or last is None:
        return None
    whole = last._replace(bottom=last.top + first.bottom - first.top, right=last.left + first.right - first.left)
    return [(summed[0].sheet, whole)]


# -- checking

_BINARY = frozenset(("+", "-", "*", "/", "^", "&", "=", "<", ">", "<=", ">=", "<>"))


def problem_of(formula: str, knows: Callable[[str, str], bool], sheets: Callable[[str], bool]) -> str:
    """What is wrong with a formula without its equals sign; an empty text when a program would take it.

    `knows` tells whether a name or a table is there, `sheets` whether a sheet is.
    """
    if len(formula) > 8_192:
        return "it has more than 8,192 characters"
    if formula.count('"') % 2:
        return "a closing quote is missing"
    state = _FormulaState(knows)
    for piece in pieces_of(formula):
        if piece.sort == "unknown":
            return f'"{piece.text[:20]}" cannot be read'
        if piece.sheet and not piece.sheet.startswith("["):
            missing = next((sheet for sheet in _named_sheets(piece.sheet) if not sheets(sheet)), None)
            if missing is not None:
                return f'no sheet "{missing}"'
        wrong = state.take(piece)
        if wrong:
            return wrong
    return state.wrong_at_end()


class _FormulaState:
    """How far a formula was read, from left to right."""

    def __init__(self, knows: Callable[[str, str], bool]) -> None:
        self._knows = knows
        self._open_marks: list[str] = []
        self._value_before = False  # whether an operand ended just before
        self._last = self._sort_before = ""

    def take(self, piece: FormulaPiece) -> str:
        """Reads one piece; tells what is wrong with it, or nothing."""
        sort, text = piece.sort, piece.text
        if sort == "mark":
            wrong = self._mark(text)
        elif sort == "operator":
            wrong = self._operator(text)
        else:
            wrong = self._operand(piece)
        self._last, self._sort_before = "function" if sort == "function" else text, sort
        return wrong

    def wrong_at_end(self) -> str:
        """What is missing at the end of the formula; nothing where it is whole."""
        if self._open_marks:
            return f'"{self._open_marks[-1][-1]}" is never closed'
        return self._missing_after()

    def _missing_after(self) -> str:
        return f'something is missing after "{self._last}"' if self._last in _BINARY else ""

    def _mark(self, text: str) -> str:
        last, marks = self._last, self._open_marks
        if text in "({":
            if self._value_before and last != "function":
                return f'an operator is missing before "{text}"'
            marks.append("function(" if last == "function" else text)
            self._value_before = False
        elif text in ")}":
            if not marks or marks.pop()[-1] != {")": "(", "}": "{"}[text]:
                return f'"{text}" has no opening partner'
            if not self._value_before and last in _BINARY:
                return self._missing_after()
            self._value_before = True
        elif text == ",":
            if last in _BINARY:
                return self._missing_after()
            if (not marks or marks[-1] == "(") and self._sort_before in ("number", "text", "error"):
                return f'"{last}," is not allowed here: a comma separates arguments. Write decimals with a point: 1.5'
            self._value_before = False
        elif text == ";" and "{" in marks:
            self._value_before = False
        else:
            return f'"{text}" is not allowed here' + (". Separate arguments with commas" if text == ";" else "")
        return ""

    def _operator(self, text: str) -> str:
        if text == "%":
            return "" if self._value_before else '"%" goes after a number'
        if text in _BINARY:
            if not self._value_before and text not in "+-":
                if self._last in _BINARY:
                    return f'"{self._last}{text}" is not an operator'
                return f'something is missing before "{text}"'
            self._value_before = False
        return ""

    def _operand(self, piece: FormulaPiece) -> str:
        sort, text = piece.sort, piece.text
        if self._value_before:
            return f'an operator is missing before "{text[:30]}"'
        named = sort in ("name", "table") and text[:1] != "[" and text.upper() not in ("TRUE", "FALSE")
        if named and not self._knows(text, piece.sheet):
            return f'the workbook has no name "{text}"'
        self._value_before = sort != "function"
        return ""


def _named_sheets(prefix: str) -> list[str]:
    """The sheets before an exclamation mark: one, or the two ends of a row of sheets."""
    return prefix.split(":") if ":" in prefix else [prefix]
