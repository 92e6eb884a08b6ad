"""Calculates again what the changes of a run reach, and writes the results beside the formulas."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime
from functools import partial

from scrub.formats.opc.parts import Parts
from scrub.formats.workbook.cells.decode import Decoder
from scrub.formats.workbook.cells.searched import Searched
from scrub.formats.workbook.part import SheetPart
from scrub.formats.workbook.recalculated.book_cells import BookCells
from scrub.formats.workbook.recalculated.column_graph import Node, naming_columns, reachable
from scrub.formats.workbook.recalculated.finished import FinishedPackage
from scrub.formats.workbook.recalculated.results import ResultWriter
from scrub.formats.workbook.recalculated.sheet_cells import SheetCells
from scrub.formats.workbook.recalculated.told import ResultColumn
from scrub.formats.zip import Package
from scrub.formulas.calculation import Calculation, Cell, Columns, Held, Lost
from scrub.formulas.contract import Needed
from scrub.formulas.reach import Reach, References, Run
from scrub.formulas.tree import Constant, Name
from scrub.formulas.values import REF, Array, ErrorValue, Unsupported, Value, same_number
from scrub.model.core.area import MOST_COLUMNS, address_of
from scrub.model.core.named import NamedTuple

#: How many formulas are named that could not be calculated.
_TOLD = 5
#: Changed cells up to which each is searched for in the formulas.
_FEW = 8
#: What a formula is refused for whose saved result is not what it gives here.
_UNPROVED = "its saved result is another one than it gives here"


class Place(NamedTuple):
    """A sheet of the workbook as it is to be: its part, its names, and where its cells were."""

    part: SheetPart
    name: str
    first: str  # its name in the file; empty for a new one
    before: Callable[[int, int], tuple[int, int] | None]  # where a cell was in the file
    first_value: Callable[[int, int], Held]  # what a cell that was changed held in the file


class Touched(NamedTuple):
    """What a run changed: areas (sheet, top, left, bottom, right), references that may have become #REF!, names."""

    areas: Sequence[tuple[int, int, int, int, int]]
    references: bool
    names: bool
    is_rearranged: bool  # whether lines or sheets came, went or moved
    hides: bool  # whether rows were hidden or shown


def _by_sheet(areas: Sequence[tuple[int, int, int, int, int]]) -> dict[int, list[tuple[int, int, int, int]]]:
    found: dict[int, list[tuple[int, int, int, int]]] = {}
    for sheet, *area in areas:
        found.setdefault(sheet, []).append((area[0], area[1], area[2], area[3]))
    return found


def _is_in(areas: Iterable[tuple[int, int, int, int]], row: int, column: int) -> bool:
    return any(top <= row <= bottom and left <= column <= right for top, left, bottom, right in areas)


def _is_alike(calculation: Calculation, former: BookCells, cell: Cell, run: Run, moved: bool) -> bool | None:
    """Whether a cell gave its saved result before the run; None where it had another formula or no result, so that
    there is nothing to hold it against. Where lines were moved, the former formula is looked at.
    """
    held = former.columns.held(cell)
    if not isinstance(held, float | str | bool | ErrorValue):
        return None
    if moved:
        was = former.calculated(cell)
        if was is None or was.form.node != run.form.node:
            return None
    try:
        given = calculation.result(cell, None if moved else run.form)
    except (Needed, Unsupported, RecursionError):
        return None
    return alike(held, given.at(0, 0) if isinstance(given, Array) else given)


class Recalculation:
    """One pass over a workbook that is about to be saved."""

    def __init__(self, package: Package, parts: Parts, main: str, places: Sequence[Place], decoder: Decoder) -> None:
        self._package, self._parts, self._main = package, parts, main
        self._places = places
        self._decoder = decoder
        self.results: list[ResultColumn] = []
        self.lost: list[tuple[Cell, str]] = []  # what cannot be calculated for a reason of its own, and why
        self.is_volatile = False  # whether a result changes without any change of a cell

    def run(self, touched: Touched, trusted: bool, refused: str, moment: datetime) -> None:
        """Calculates what changes reach and writes it into the parts.

        `trusted` tells that saved results are right, `refused` why nothing can be calculated.
        """
        finished = FinishedPackage(self._package, self._parts)
        sheets = [self._cells_now(finished, place, not touched.is_rearranged) for place in self._places]
        if not any(sheet.may_calculate for sheet in sheets):
            return
        for sheet in sheets:
            sheet.untrusted = not trusted
        cells = self._book(finished, sheets, moment)
        wide = touched.references or touched.names  # then any formula can mean something else
        texts = [sheet.formulas.texts() if sheet.may_calculate else {} for sheet in sheets]
        columns = reachable(
            texts,
            [sheet.name for sheet in sheets],
            [(number, 1, MOST_COLUMNS) for number in range(len(sheets))]
            if wide
            else [(sheet, left, right) for sheet, _, left, _, right in touched.areas],
            None if wide else _naming(touched.areas, sheets),
        )
        if not columns:
            return
        by_sheet: dict[int, list[int]] = {}
        for sheet_number, column in sorted(columns):
            by_sheet.setdefault(sheet_number, []).append(column)
        runs = [run for number, own in by_sheet.items() for run in sheets[number].runs(number, own)]
        areas = [*touched.areas, *_touched_forms(runs, touched)]
        reached = list(Reach(runs, References(cells).of).reached(areas))
        if not reached:
            return
        if refused:
            for run, _ in reached:
                run.form.refuse(refused)
        elif trusted:
            self._prove(reached, cells, touched)
        self._calculate(cells, reached)
        self._write(sheets)

    # -- what is read and written

    def _cells_now(self, finished: FinishedPackage, place: Place, as_before: bool) -> SheetCells:
        """The cells of a sheet as it is to be."""
        return SheetCells(place.part, finished.read(str(place.part.name)), place.name, self._decoder, as_before)

    def _cells_before(self, place: Place, name: str) -> SheetCells:
        """The cells of a sheet as it is in the file."""
        return SheetCells(place.part, place.part.data() if place.first else b"", name, self._decoder)

    def _book(self, package: FinishedPackage, sheets: Sequence[SheetCells], moment: datetime) -> BookCells:
        """The workbook that consists of them."""
        return BookCells(package, self._main, sheets, self._decoder.from_1904, moment)

    def sheet_name(self, sheet: int) -> str:
        """The name of a sheet by its number."""
        return self._places[sheet].name

    def notes(self) -> list[str]:
        """What could not be calculated, as a person reads it."""
        gone = sum(isinstance(after, Lost) for result in self.results for after in result.after) if self.lost else 0
        if not gone:
            return []
        named = [
            f"{self.sheet_name(sheet)}!{address_of(row, column)} ({reason})"
            for (sheet, row, column), reason in self.lost[:_TOLD]
        ]
        more = f" and {len(self.lost) - _TOLD:,} more" if len(self.lost) > _TOLD else ""
        formulas = "1 formula" if gone == 1 else f"{gone:,} formulas"
        result = "its result appears" if gone == 1 else "their results appear"
        return [
            f"{formulas} could not be calculated; {result} when the file is opened in an office program: "
            f"{', '.join(named)}{more}."
        ]

    # -- proof by the old result

    def _prove(self, reached: Sequence[tuple[Run, Sequence[int]]], cells: BookCells, touched: Touched) -> None:
        """Refuses forms that do not give a saved result from the values before the run: then the evaluator or the
        file is wrong.
        """
        former = self._former_cells(cells, touched)
        calculation = Calculation(former, former.columns, former.calculated)
        fresh = _by_sheet(touched.areas)
        for run, rows in reached:
            if run.form.node is None or any(each.volatile or each.dynamic for each in run.form.functions()):
                continue
            for row in dict.fromkeys((rows[0], rows[len(rows) // 2], rows[-1])):
                cell = self._places[run.sheet].before(row, run.column)
                if cell is None or not self._places[run.sheet].first:
                    continue
                if not touched.is_rearranged and _is_in(fresh.get(run.sheet, ()), row, run.column):
                    continue  # its formula may be new
                if _is_alike(calculation, former, (run.sheet, *cell), run, touched.is_rearranged) is False:
                    run.form.refuse(_UNPROVED)
                    break

    def _former_cells(self, cells: BookCells, touched: Touched) -> BookCells:
        """The cells as they were before the run. Where no lines or sheets moved, columns in which nothing was touched
        are those that are there.
        """
        sheets = list(cells.sheets)
        if touched.is_rearranged or touched.hides:
            sheets = [
                self._cells_before(place, place.first if touched.is_rearranged else place.name)
                for place in self._places
            ]
        package = FinishedPackage(self._package, None if touched.is_rearranged else self._parts)
        former = self._book(package, sheets, cells.moment)
        if touched.is_rearranged:
            return former
        by_sheet = _by_sheet(touched.areas)

        def read(sheet: int, column: int) -> list[Held]:
            areas = [area for area in by_sheet.get(sheet, ()) if area[1] <= column <= area[3]]
            if not areas:
                return cells.columns.all(sheet, column)
            values = list(cells.columns.all(sheet, column))
            for top, _, bottom, _ in areas:
                for row in range(top, min(bottom, len(values)) + 1):
                    values[row - 1] = self._places[sheet].first_value(row, column)
            return values

        former.use(Columns(read), cells)
        return former

    # -- calculating

    def _calculate(self, cells: BookCells, reached: Sequence[tuple[Run, Sequence[int]]]) -> None:
        columns = cells.columns
        before: list[tuple[Run, Sequence[int], list[Held]]] = []
        for run, rows in reached:
            self.is_volatile |= any(each.volatile for each in run.form.functions())
            for column, own in _columns_of(run, rows):
                before.append((run._replace(column=column), own, columns.mark_rows(run.sheet, column, own)))
        calculation = Calculation(cells, columns, cells.calculated)
        for run, rows in reached:
            if run.height == run.width == 1:
                calculation.calculate_rows(run.sheet, run.column, run.form, rows)
            else:
                calculation.calculate((run.sheet, row, run.column) for row in rows)
        self._note(cells, before)

    def _note(self, cells: BookCells, before: Sequence[tuple[Run, Sequence[int], list[Held]]]) -> None:
        """Notes what differs; a cell without a saved result that was needed on the way is one too."""
        known: dict[tuple[int, int], set[int]] = {}
        for run, rows, were in before:
            known.setdefault((run.sheet, run.column), set()).update(rows)
            now_held = cells.columns.held_rows(run.sheet, run.column, rows)
            if not cells.sheets[run.sheet].saved and set(map(type, were)) == set(map(type, now_held)) == {float}:
                self._take_numbers(run, rows, were, now_held)
                continue
            for row, was, now in zip(rows, were, now_held, strict=True):
                if was is not now and (type(was) is not float or was != now):
                    self._take(cells, (run.sheet, row, run.column), was, now)
        for cell in cells.columns.given():
            if cell[1] not in known.get((cell[0], cell[2]), ()):
                self._take(cells, cell, None, cells.columns.held(cell))

    def _take_numbers(self, run: Run, rows: Sequence[int], were: Sequence[Held], now_held: Sequence[Held]) -> None:
        """Notes the numbers of a column that became others."""
        other = [
            place
            for place, (was, now) in enumerate(zip(were, now_held, strict=True))
            if was != now and not same_number(was, now)  # type: ignore[arg-type]
        ]
        if len(other) < len(rows):
            rows = [rows[place] for place in other]
            were, now_held = ([each[place] for place in other] for each in (were, now_held))
        if rows:
            self.results.append(ResultColumn(run.sheet, run.column, rows, were, now_held))

    def _take(self, cells: BookCells, cell: Cell, was: Held, now: Held) -> None:
        was = cells.sheets[cell[0]].saved.get(cell[1:], was)
        if isinstance(now, Lost) and not now.inherited:
            self.lost.append((cell, now.reason))
        if not _is_same(was, now):
            self.results.append(ResultColumn(cell[0], cell[2], [cell[1]], [was], [now]))

    def _write(self, sheets: Sequence[SheetCells]) -> None:
        by_sheet: dict[int, list[ResultColumn]] = {}
        for result in self.results:
            by_sheet.setdefault(result.sheet, []).append(result)
        for number, results in by_sheet.items():
            self._put(number, sheets[number], results)

    def _put(self, number: int, sheet: SheetCells, results: Sequence[ResultColumn]) -> None:
        """Writes the results of a sheet into its part."""
        pieces = ResultWriter(sheet).pieces(results)
        if pieces is None:
            return
        name = str(sheet.part.name)
        if name in self._parts.added:
            self._parts.added[name] = b"".join(pieces)
        else:
            self._parts.changed[name] = partial(iter, pieces)


def _naming(areas: Sequence[tuple[int, int, int, int, int]], sheets: Sequence[SheetCells]) -> set[Node] | None:
    """The columns with a formula that names a changed cell; None where many changed, or a search could miss one."""
    if len(areas) > _FEW or any((top, left) != (bottom, right) for _, top, left, bottom, right in areas):
        return None
    found: set[Node] = set()
    for number, sheet in enumerate(sheets):
        if not sheet.may_calculate:
            continue
        for _, row, column, _, _ in areas:
            columns = naming_columns(sheet.stored.data, row, column) if isinstance(sheet.stored, Searched) else None
            if columns is None:
                return None
            found |= {(number, each) for each in columns}
    return found


def _is_same(was: Held, now: Held) -> bool:
    """Whether a saved result can stay as it is written: numbers are equal but for the last bits."""
    if isinstance(was, float) and isinstance(now, float):
        return same_number(was, now)
    return type(was) is type(now) and was == now


def _columns_of(run: Run, rows: Sequence[int]) -> Iterator[tuple[int, Sequence[int]]]:
    """The columns that a run fills, each with the rows."""
    if run.height == run.width == 1:
        yield run.column, rows
        return
    filled = sorted({row + down for row in rows for down in range(run.height)})
    yield from ((run.column + across, filled) for across in range(run.width))


def _touched_forms(runs: Sequence[Run], touched: Touched) -> Iterator[tuple[int, int, int, int, int]]:
    """The areas of formulas that mean something else now, although nothing in them says so."""
    for run in runs if touched.references or touched.names else ():
        nodes = list(run.form.nodes())
        broken = touched.references and any(isinstance(each, Constant) and each.value is REF for each in nodes)
        if broken or (touched.names and any(isinstance(each, Name) for each in nodes)):
            yield run.sheet, run.rows[0], run.column, run.rows[-1], run.column


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
