"""What the changes of a run reach is calculated anew, and written beside the formulas."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime

from scrub.formats.opc.parts import Parts
from scrub.formats.spans import spliced
from scrub.formats.workbook.cells.decode import Decoder
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.recalculated.book_cells import BookCells
from scrub.formats.workbook.recalculated.finished import FinishedPackage
from scrub.formats.workbook.recalculated.results import ResultWriter
from scrub.formats.workbook.recalculated.sheet_cells import SheetCells
from scrub.formats.zip import Package
from scrub.formulas.calculation import Calculation, Cell, Held, Lost
from scrub.formulas.contract import Needed
from scrub.formulas.functions import FUNCTIONS
from scrub.formulas.reach import Reach, References, Run
from scrub.formulas.tree import Call, Constant, Name, every_node
from scrub.formulas.values import REF, Array, ErrorValue, Unsupported, Value
from scrub.model.core.area import address_of
from scrub.model.core.named import NamedTuple

#: How many formulas are named that could not be calculated.
_TOLD = 5
#: What a formula is refused for whose saved result is not what it gives here.
_UNPROVED = "its saved result is another one than it gives here"


class Place(NamedTuple):
    """A sheet of the workbook as it is to be: its part, its name, and where a cell of the file is now."""

    part: SheetPart
    name: str
    first: str  # its name in the file; empty for a new one
    now: Callable[[int, int], tuple[int, int] | None]


class Recalculated(NamedTuple):
    """A result that became another one: where, what it was and what it is, `Lost` for one that is not there."""

    sheet: int
    row: int
    column: int
    before: Held
    after: Value | Lost


class Touched(NamedTuple):
    """What a run changed: areas (sheet, top, left, bottom, right), references that may have become #REF!, names."""

    areas: Sequence[tuple[int, int, int, int, int]]
    references: bool
    names: bool


class Recalculation:
    """One pass over a workbook that is about to be saved."""

    def __init__(self, package: Package, parts: Parts, main: str, places: Sequence[Place], decoder: Decoder) -> None:
        self._package, self._parts, self._main = package, parts, main
        self._places = places
        self._decoder = decoder
        self.results: list[Recalculated] = []
        self.lost: list[Recalculated] = []  # those that cannot be calculated for a reason of their own
        self.is_volatile = False  # whether a result changes without any change of a cell

    def run(self, touched: Touched, trusted: bool, refused: str, moment: datetime) -> None:
        """Calculates what changes reach and writes it into the parts.

        `trusted` tells that saved results are right, `refused` why nothing can be calculated.
        """
        finished = FinishedPackage(self._package, self._parts)
        sheets = [
            SheetCells(place.part, finished.read(str(place.part.name)), place.name, self._decoder)
            for place in self._places
        ]
        if not any(sheet.may_calculate for sheet in sheets):
            return
        for sheet in sheets:
            sheet.untrusted = not trusted
        cells = BookCells(finished, self._main, sheets, self._decoder.from_1904, moment)
        runs = [run for number, sheet in enumerate(sheets) for run in sheet.runs(number)]
        areas = [*touched.areas, *_touched_forms(runs, touched)]
        reached = list(Reach(runs, References(cells).of).reached(areas))
        if not reached:
            return
        if refused:
            for run, _ in reached:
                run.form.refuse(refused)
        elif trusted:
            self._prove(reached, cells, moment)
        self._calculate(cells, reached)
        self._write(sheets)

    def notes(self) -> list[str]:
        """What could not be calculated, as a person reads it."""
        gone = sum(isinstance(result.after, Lost) for result in self.results)
        if not gone:
            return []
        named = [
            f"{self._places[result.sheet].name}!{address_of(result.row, result.column)} ({result.after.reason})"
            for result in self.lost[:_TOLD]
            if isinstance(result.after, Lost)
        ]
        more = f" and {len(self.lost) - _TOLD:,} more" if len(self.lost) > _TOLD else ""
        formulas = "1 formula" if gone == 1 else f"{gone:,} formulas"
        result = "its result appears" if gone == 1 else "their results appear"
        return [
            f"{formulas} could not be calculated; {result} when the file is opened in an office program: "
            f"{', '.join(named)}{more}."
        ]

    # -- proof by the old result

    def _prove(self, reached: Sequence[tuple[Run, Sequence[int]]], cells: BookCells, moment: datetime) -> None:
        """Refuses forms that do not give a saved result from the values before the run: then the evaluator or the
        file is wrong.
        """
        known = [place for place in self._places if place.first]
        before = FinishedPackage(self._package)
        sheets = [SheetCells(place.part, place.part.data(), place.first, self._decoder) for place in known]
        former = BookCells(before, self._main, sheets, self._decoder.from_1904, moment)
        calculation = Calculation(former, former.columns, former.calculated)
        numbers = {place.part: number for number, place in enumerate(self._places)}
        wanted = {id(run.form) for run, _ in reached}
        for sheet, place in enumerate(known):
            for run in sheets[sheet].runs(sheet):
                now = place.now(run.rows[0], run.column)
                form = cells.calculated((numbers[place.part], *now)) if now is not None else None
                if form is not None and id(form.form) in wanted and not self._is_proved(calculation, former, run):
                    form.form.refuse(_UNPROVED)

    @staticmethod
    def _is_proved(calculation: Calculation, former: BookCells, run: Run) -> bool:
        """Whether one cell of a run gives its saved result; where that cannot be told, it is taken for granted."""
        if run.form.node is None or any(_is_moving(name) for name in _functions(run)):
            return True
        for row in (run.rows[0], run.rows[-1]):
            cell = (run.sheet, row, run.column)
            held = former.columns.held(cell)
            if not isinstance(held, float | str | bool | ErrorValue):
                continue
            try:
                given = calculation.result(cell)
            except (Needed, Unsupported, RecursionError):
                continue
            return alike(held, given.at(0, 0) if isinstance(given, Array) else given)
        return True

    # -- calculating

    def _calculate(self, cells: BookCells, reached: Sequence[tuple[Run, Sequence[int]]]) -> None:
        columns = cells.columns
        wanted: list[Cell] = []
        before: dict[Cell, Held] = {}
        for run, rows in reached:
            if any(_is_volatile(name) for name in _functions(run)):
                self.is_volatile = True
            for cell in _cells(run, rows):
                before[cell] = columns.held(cell)
                wanted.append(cell)
        for cell in wanted:
            columns.mark(cell)
        Calculation(cells, columns, cells.calculated).calculate(wanted)
        self._note(cells, before)

    def _note(self, cells: BookCells, before: dict[Cell, Held]) -> None:
        """Notes what differs; a cell without a saved result that was needed on the way is one too."""
        for cell, after in cells.columns.calculated():
            was = before.get(cell)
            held: Held = was
            if isinstance(after, Lost):
                if not after.inherited:
                    self.lost.append(Recalculated(*cell, held, after))
                self.results.append(Recalculated(*cell, held, after))
            elif type(was) is not type(after) or was != after:
                self.results.append(Recalculated(*cell, held, after))

    def _write(self, sheets: Sequence[SheetCells]) -> None:
        by_sheet: dict[int, list[tuple[int, int, Value | Lost]]] = {}
        for result in self.results:
            by_sheet.setdefault(result.sheet, []).append((result.row, result.column, result.after))
        for number, results in by_sheet.items():
            sheet = sheets[number]
            splices = list(ResultWriter(sheet).splices(sorted(results, key=lambda result: result[:2])))
            if not splices:
                continue
            name, data = str(sheet.part.name), sheet.data
            made = spliced(data, splices)
            if name in self._parts.added:
                self._parts.added[name] = made
            else:
                self._parts.changed[name] = _maker(made)


def _maker(data: bytes) -> Callable[[], bytes]:
    return lambda: data


def _cells(run: Run, rows: Iterable[int]) -> Iterator[Cell]:
    for row in rows:
        for down in range(run.height):
            for across in range(run.width):
                yield run.sheet, row + down, run.column + across


def _functions(run: Run) -> Iterator[str]:
    """The names of the functions that a form calls."""
    node = run.form.node
    return (each.name for each in every_node(node) if isinstance(each, Call)) if node is not None else iter(())


def _is_volatile(name: str) -> bool:
    known = FUNCTIONS.get(name)
    return known is not None and known.volatile


def _touched_forms(runs: Sequence[Run], touched: Touched) -> Iterator[tuple[int, int, int, int, int]]:
    """The areas of formulas that mean something else now, although nothing in them says so."""
    for run in runs if touched.references or touched.names else ():
        nodes = list(every_node(run.form.node)) if run.form.node is not None else []
        broken = touched.references and any(isinstance(each, Constant) and each.value is REF for each in nodes)
        if broken or (touched.names and any(isinstance(each, Name) for each in nodes)):
            yield run.sheet, run.rows[0], run.column, run.rows[-1], run.column


def _is_moving(name: str) -> bool:
    """Whether a function gives another result at another time or place."""
    known = FUNCTIONS.get(name)
    return known is not None and (known.volatile or known.dynamic)


def alike(one: Value, other: Value) -> bool:
    """Whether two results are the same to 12 digits; a truth value can be saved as 1 or 0."""
    if isinstance(one, bool) or isinstance(other, bool):
        one, other = (float(each) if isinstance(each, bool) else each for each in (one, other))
    other = 0.0 if other is None else other
    if isinstance(one, float) and isinstance(other, float):
        return one == other or abs(one - other) <= 1e-12 * max(abs(one), abs(other)) or abs(one - other) < 1e-14
    if isinstance(one, ErrorValue) and isinstance(other, ErrorValue):
        return True
    return one == other
