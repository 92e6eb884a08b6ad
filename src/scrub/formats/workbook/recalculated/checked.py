"""What is wrong with the formulas of a workbook as it is in the file."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from scrub.formats.workbook.recalculated.book_cells import BookCells
from scrub.formats.workbook.recalculated.finished import FinishedPackage
from scrub.formats.workbook.recalculated.recalculation import alike
from scrub.formats.workbook.recalculated.sheet_cells import SheetCells
from scrub.formats.workbook.recalculated.told import told
from scrub.formulas.calculation import Calculation, Form, Lost
from scrub.formulas.values import ErrorValue

#: Problems by sheet, row and column.
Problems = dict[tuple[int, int, int], str]


def problems_of(package: FinishedPackage, main: str, sheets: list[SheetCells]) -> Problems:
    """What is wrong, by the sheets in their order: results that formulas do not give, errors, formulas that differ from
    those above and below, and values typed over them.
    """
    found: Problems = {}
    if not any(sheet.may_calculate for sheet in sheets):
        return found
    for sheet in sheets:
        sheet.untrusted = True
    cells = BookCells(package, main, sheets, sheets[0].from_1904, datetime.now())
    calculation = Calculation(cells, cells.columns, cells.calculated)
    for number, sheet in enumerate(sheets):
        for column in sheet.formulas.texts() if sheet.may_calculate else ():
            forms = {row: run.form for run in sheet.formulas.runs(column) for row in run.rows if run.area is None}
            calculation.calculate((number, row, column) for row in forms)
            for row, form in forms.items():
                what = _wrong_result(cells, sheet, number, row, column, form) or _unlike(forms, row)
                if what:
                    found[number, row, column] = what
            found |= {(number, row, column): what for row, what in _typed_over(cells, number, column, forms)}
    return found


def _wrong_result(cells: BookCells, sheet: SheetCells, number: int, row: int, column: int, form: Form) -> str:
    given, saved = cells.columns.held((number, row, column)), sheet.saved.get((row, column))
    if isinstance(given, Lost):
        return ""
    if isinstance(given, ErrorValue):
        return f"gives {given.code}"
    if saved is None or isinstance(saved, Lost) or any(each.volatile for each in form.functions()):
        return ""
    return "" if alike(saved, given) else f"gives {told(given)}, but {told(saved)} is saved"  # type: ignore[arg-type]


def _unlike(forms: dict[int, Form], row: int) -> str:
    """Whether the formulas above and below are of one form, and the one between is not."""
    above, below = forms.get(row - 1), forms.get(row + 1)
    alike_around = above is not None and below is not None and above is below
    return "differs from the formulas above and below" if alike_around and forms[row] is not above else ""


def _typed_over(cells: BookCells, sheet: int, column: int, forms: dict[int, Form]) -> Iterator[tuple[int, str]]:
    """Plain values between formulas of one form."""
    for row, form in forms.items():
        if row + 1 not in forms and forms.get(row + 2) is form:
            value = cells.columns.held((sheet, row + 1, column))
            if value is not None:
                yield row + 1, f"contains {told(value)}, where the cells above and below have a formula"
