"""Which formulas a change reaches, by what they refer to. A cautious answer is right: one that is reached in vain is
calculated to the same result.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections.abc import Callable, Iterable, Iterator, Sequence

from scrub.formulas import tree
from scrub.formulas.calculation import Cell, Form
from scrub.formulas.contract import Cells
from scrub.formulas.functions import FUNCTIONS
from scrub.formulas.tokens import DEEPEST_NAMES, SHAPED_ALIKE
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS
from scrub.model.core.named import NamedTuple

#: How many rows one block of the index has, and how many blocks an area may meet to be kept by blocks.
_BLOCK, _MOST_BLOCKS = 64, 16
#: A run of up to N rows is kept by the areas of its single formulas.
_FEW = 4


class Run(NamedTuple):
    """The cells of a column that have one form. `height` and `width` are those of an array formula."""

    sheet: int
    column: int
    form: Form
    rows: Sequence[int]
    height: int = 1
    width: int = 1


#: The references of a run, each with its sheet; None where they are not in the formula as they are.
Known = list[tuple[int, tree.Reference]] | None


class _Source(NamedTuple):
    """What a run refers to: columns, and rows as they follow from that of a formula."""

    run: int
    left: int
    right: int
    top: tree.Edge
    bottom: tree.Edge


class References:
    """What trees refer to in one workbook."""

    def __init__(self, cells: Cells) -> None:
        self._cells = cells

    def of(self, run: Run) -> Known:
        """What a run refers to."""
        found: list[tuple[int, tree.Reference]] = []
        if run.form.node is None:
            return None
        return found if self._into(found, run.form.node, run, 0) else None

    def _into(self, found: list[tuple[int, tree.Reference]], node: tree.Node, run: Run, depth: int) -> bool:
        waiting: list[tree.Node] = [node]
        while waiting:
            each = waiting.pop()
            if isinstance(each, tree.Reference):
                found += self._sheets(each, run)
            elif isinstance(each, tree.Chain):
                if each.operators[0] == ":":
                    return False
                waiting += each.operands
            elif isinstance(each, tree.Sign):
                waiting.append(each.operand)
            elif isinstance(each, tree.Call):
                function = FUNCTIONS.get(each.name)
                if function is not None and function.dynamic:
                    return False
                if each.name in SHAPED_ALIKE and len(each.arguments) == 3 and not self._alike(found, each, run):
                    return False
                waiting += each.arguments
            elif isinstance(each, tree.TableReference):
                if not self._table(found, each.table, run):
                    return False
            elif isinstance(each, tree.Name) and not self._name(found, each, run, depth):
                return False
        return True

    def _sheets(self, reference: tree.Reference, run: Run) -> Iterator[tuple[int, tree.Reference]]:
        if not reference.sheet:
            yield run.sheet, reference
            return
        first = self._cells.sheet(reference.sheet)
        last = self._cells.sheet(reference.last_sheet) if reference.last_sheet else first
        if first is not None and last is not None:
            yield from ((sheet, reference) for sheet in range(min(first, last), max(first, last) + 1))

    def _alike(self, found: list[tuple[int, tree.Reference]], call: tree.Call, run: Run) -> bool:
        """Adds the range that is summed, as large as the one that is tested."""
        tested, summed = call.arguments[0], call.arguments[2]
        if isinstance(summed, tree.Missing):
            return True
        if not isinstance(tested, tree.Reference) or not isinstance(summed, tree.Reference):
            return False
        if tested.top.fixed != tested.bottom.fixed or tested.left.fixed != tested.right.fixed:
            return False
        height, width = tested.bottom.at - tested.top.at, tested.right.at - tested.left.at
        whole = tree.Reference(
            summed.top,
            summed.left,
            tree.Edge(summed.top.at + height, summed.top.fixed),
            tree.Edge(summed.left.at + width, summed.left.fixed),
            summed.sheet,
        )
        found += self._sheets(whole, run)
        return True

    def _table(self, found: list[tuple[int, tree.Reference]], name: str, run: Run) -> bool:
        place = self._cells.table(name, run.sheet, run.rows[0], run.column)
        if place is None:
            return True
        top, left, bottom, right = (tree.Edge(at, True) for at in (place.top, place.left, place.bottom, place.right))
        found.append((place.sheet, tree.Reference(top, left, bottom, right)))
        return True

    def _name(self, found: list[tuple[int, tree.Reference]], name: tree.Name, run: Run, depth: int) -> bool:
        sheet = self._cells.sheet(name.sheet) if name.sheet else run.sheet
        target = self._cells.name(name.word, sheet) if sheet is not None else None
        if target is None:
            return self._table(found, name.word, run)
        return depth < DEEPEST_NAMES and self._into(found, target, run, depth + 1)


class Reach:
    """Finds what changes reach."""

    def __init__(self, runs: Sequence[Run], references: Callable[[Run], Known]) -> None:
        self._runs = runs
        self._covered: list[list[tuple[int, int]]] = [[] for _ in runs]  # rows that are reached, as intervals
        self._always: list[int] = []  # runs that may refer to anything
        self._tall: dict[tuple[int, int], list[_Source]] = {}  # by sheet and column
        self._wide: dict[int, list[_Source]] = {}
        self._blocks: dict[tuple[int, int, int], list[tuple[int, int, int, int, int, int]]] = {}
        for number, run in enumerate(runs):
            known = references(run)
            if known is None:
                self._always.append(number)
                continue
            for sheet, reference in known:
                self._note(number, run, sheet, reference)

    def _note(self, number: int, run: Run, sheet: int, reference: tree.Reference) -> None:
        left, right = sorted(
            (reference.left.of(run.column, MOST_COLUMNS), reference.right.of(run.column, MOST_COLUMNS))
        )
        source = _Source(number, left, right, reference.top, reference.bottom)
        if right - left >= _BLOCK:
            self._wide.setdefault(sheet, []).append(source)
            return
        if len(run.rows) <= _FEW:
            for row in run.rows:
                top, bottom = sorted((source.top.of(row, MOST_ROWS), source.bottom.of(row, MOST_ROWS)))
                first, last = top // _BLOCK, bottom // _BLOCK
                if last - first >= _MOST_BLOCKS:
                    break
                for block in range(first, last + 1):
                    entry = (top, bottom, left, right, number, row)
                    for column in range(left // _BLOCK, right // _BLOCK + 1):
                        self._blocks.setdefault((sheet, column, block), []).append(entry)
            else:
                return
        for column in range(left, right + 1):
            self._tall.setdefault((sheet, column), []).append(source)

    def reached(self, touched: Iterable[tuple[int, int, int, int, int]]) -> Iterator[tuple[Run, list[int]]]:
        """The runs that are reached, each with its rows. `touched` are areas: sheet, top, left, bottom, right."""
        waiting = list(touched)
        for area in tuple(waiting):  # formulas in it are new, or mean something else
            waiting += self._inside(*area)
        if waiting:
            for number in self._always:
                run = self._runs[number]
                waiting += self._fresh(number, run.rows[0], run.rows[-1])
        while waiting:
            sheet, top, left, bottom, right = waiting.pop()
            for source in self._sources(sheet, left, right):
                low, high = self._rows(source, sheet, top, bottom)
                if low <= high:
                    waiting += self._fresh(source.run, low, high)
            for number, row in self._single(sheet, top, left, bottom, right):
                waiting += self._fresh(number, row, row)
        for number, intervals in enumerate(self._covered):
            rows = self._runs[number].rows
            every = [row for low, high in intervals for row in rows[bisect_left(rows, low) : bisect_right(rows, high)]]
            if every:
                yield self._runs[number], every

    def _inside(
        self, sheet: int, top: int, left: int, bottom: int, right: int
    ) -> Iterator[tuple[int, int, int, int, int]]:
        """The formulas in an area."""
        for number, run in enumerate(self._runs):
            across = run.column <= right and left < run.column + run.width
            if run.sheet == sheet and across and run.rows[0] <= bottom and top < run.rows[-1] + run.height:
                yield from self._fresh(number, top - run.height + 1, bottom)

    def _sources(self, sheet: int, left: int, right: int) -> Iterator[_Source]:
        if right - left < _BLOCK:
            for column in range(left, right + 1):
                yield from self._tall.get((sheet, column), ())
        else:
            for (on, column), sources in list(self._tall.items()):
                if on == sheet and left <= column <= right:
                    yield from sources
        for source in self._wide.get(sheet, ()):
            if source.left <= right and left <= source.right:
                yield source

    def _single(self, sheet: int, top: int, left: int, bottom: int, right: int) -> Iterator[tuple[int, int]]:
        blocks = range(top // _BLOCK, bottom // _BLOCK + 1)
        columns = range(left // _BLOCK, right // _BLOCK + 1)
        if len(blocks) * len(columns) > len(self._blocks):
            keys: Iterable[tuple[int, int, int]] = [
                key for key in self._blocks if key[0] == sheet and key[1] in columns and key[2] in blocks
            ]
        else:
            keys = [(sheet, column, block) for column in columns for block in blocks]
        for key in keys:
            for first, last, start, end, number, row in self._blocks.get(key, ()):
                if first <= bottom and top <= last and start <= right and left <= end:
                    yield number, row

    def _rows(self, source: _Source, sheet: int, top: int, bottom: int) -> tuple[int, int]:
        """From which row to which the formulas of a run look at rows that changed."""
        run = self._runs[source.run]
        first, last = source.top, source.bottom
        low, high = run.rows[0], run.rows[-1]
        if first.fixed and last.fixed:
            start, end = sorted((first.at, last.at))
            return (low, high) if start <= bottom and top <= end else (1, 0)
        if first.fixed or last.fixed:  # a range that grows from a fixed end to one that moves along
            fixed, moving = (first.at, last.at) if first.fixed else (last.at, first.at)
            if fixed < top:
                return max(low, top - moving), high
            return (low, high) if fixed <= bottom else (low, min(high, bottom - moving))
        start, end = min(first.at, last.at), max(first.at, last.at)
        low_reached, high_reached = top - end, bottom - start
        if run.sheet == sheet and source.left <= run.column <= source.right:
            # It refers to its own column: what it reaches goes on through all of it.
            if start < 0:
                high_reached = high
            if end > 0:
                low_reached = low
        if low + start < 1 or high + end > MOST_ROWS:
            return low, high  # a reference that continues at the other end of the sheet
        return max(low, low_reached), min(high, high_reached)

    def _fresh(self, number: int, low: int, high: int) -> Iterator[tuple[int, int, int, int, int]]:
        """Notes that rows of a run are reached; gives the areas that are reached for the first time."""
        covered, run = self._covered[number], self._runs[number]
        for first, last in _uncovered(covered, low, high):
            start, end = bisect_left(run.rows, first), bisect_right(run.rows, last) - 1
            if start > end:
                continue
            rows = run.rows[start], run.rows[end]
            yield run.sheet, rows[0], run.column, rows[1] + run.height - 1, run.column + run.width - 1
        _cover(covered, low, high)


def _uncovered(covered: list[tuple[int, int]], low: int, high: int) -> list[tuple[int, int]]:
    """The parts of an interval that are in none of others, which are in order."""
    result = []
    at = max(0, bisect_right(covered, (low, MOST_ROWS + 1)) - 1)
    while at < len(covered) and covered[at][0] <= high:
        first, last = covered[at]
        if last >= low:
            if first > low:
                result.append((low, first - 1))
            low = last + 1
        at += 1
    if low <= high:
        result.append((low, high))
    return result


def _cover(covered: list[tuple[int, int]], low: int, high: int) -> None:
    """Adds an interval to others, which stay in order and apart."""
    at = max(0, bisect_right(covered, (low, MOST_ROWS + 1)) - 1)
    while at < len(covered) and covered[at][0] <= high + 1:
        first, last = covered[at]
        if last < low - 1:
            at += 1
            continue
        low, high = min(low, first), max(high, last)
        del covered[at]
    insort(covered, (low, high))


def cells_of(reached: Iterable[tuple[Run, Sequence[int]]]) -> Iterator[Cell]:
    """Single cells."""
    for run, rows in reached:
        for row in rows:
            yield run.sheet, row, run.column
