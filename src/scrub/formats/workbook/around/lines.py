"""Rows and columns: their size, and whether they are hidden (ISO/IEC 29500-1, 18.3.1.13, 18.3.1.73)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from typing import Any

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.spans import Span, escaped, number_in, parse, with_attributes
from scrub.formats.workbook.around.protection import ensure_unprotected
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.model.cells.sheet import Sheet
from scrub.model.core.amounts import Length, number_text
from scrub.model.core.area import letters_of
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure
from scrub.model.core.values import type_name

#: A digit of the usual font is 7 pixels wide, and a column has 5 pixels of margin (18.3.1.13).
_DIGIT, _MARGIN = 7, 5


#: The most columns that are looked at one by one.
_MANY = 20_000
#: The `col` elements: attributes, each for the columns from `min` to `max`.
_Columns = list[dict[str, str]]

#: The stored width of a column where a sheet says none (18.3.1.81).
_USUAL_WIDTH = "9.140625"


class Lines:
    """Rows and columns as they should be."""

    def __init__(
        self, sheet: Sheet, part: SheetPart, stored: Callable[[], Stored], numbers: Callable[[int], int]
    ) -> None:
        """`numbers` gives the numbers that cell formats have in the file."""
        self._numbers = numbers
        self._sheet = sheet
        self._part = part
        self._stored = stored
        self._rows: dict[int, dict[str, str | None]] = {}
        self._columns: LazyPiece[_Columns] = LazyPiece(self._read_columns, _joined)

    def _read_columns(self) -> _Columns:
        holder = self._part.skeleton().root.child("cols")
        return [dict(span.attributes) for span in holder.all("col")] if holder else []

    @property
    def touched(self) -> bool:
        """Whether anything of them must be written."""
        return self._columns.touched or bool(self.changed_rows())

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The `cols` element; rows are written with their cells."""
        result = {"cols": self._element(skeleton.root)} if self._columns.touched else {}
        deepest = [max((int(level or 0) for level in levels), default=0) for levels in self._levels()]
        if any(deepest):  # without these no program shows the buttons that open and close the levels (18.3.1.81)
            element = skeleton.element("sheetFormatPr")
            was = parse(element).attributes
            fresh = {
                word: str(level)
                for word, level in zip(("outlineLevelRow", "outlineLevelCol"), deepest, strict=True)
                if level > int(was.get(word, "0"))
            }
            if "defaultRowHeight" not in was:
                fresh["defaultRowHeight"] = "15"
            if set(fresh) - {"defaultRowHeight"}:
                result["sheetFormatPr"] = with_attributes(element, fresh)
        return result

    def _levels(self) -> tuple[list[str | None], list[str | None]]:
        """The levels that rows and columns were given."""
        rows = [row["outlineLevel"] for row in self._rows.values() if "outlineLevel" in row]
        return rows, [each.get("outlineLevel") for each in self._columns.now] if self._columns.touched else []

    # -- columns

    def _column_entry(self, column: int) -> dict[str, str]:
        for entry in self._columns.now:
            if number_in(entry, "min") <= column <= number_in(entry, "max"):
                return entry
        return {}

    def column_style(self, column: int) -> int:
        """The number of the format of a column itself."""
        return number_in(self._column_entry(column), "style")

    def put_column_style(self, column: int, style: int) -> Undo:
        """Gives a column another format; returns how to undo it. Some programs hide one without a width."""
        usual = self._part.skeleton().root.child("sheetFormatPr")
        width = self._column_entry(column).get("width")
        if width is None:
            width = (usual.attributes.get("defaultColWidth") if usual is not None else None) or _USUAL_WIDTH
        return self._change_column(column, {"style": str(style) if style else None, "width": width})

    def styles(self) -> set[int]:
        """The numbers of the formats that columns have."""
        return {number_in(entry, "style") for entry in self._columns.now} if self._columns.touched else set()

    def _change_column(self, column: int, changes: dict[str, str | None]) -> Undo:
        """Gives one column attributes of its own: an entry for many is split around it. Returns how to undo it."""
        found: list[dict[str, str]] = []
        done = False
        for entry in self._columns.now:
            first, last = int(entry["min"]), int(entry["max"])
            if not first <= column <= last:
                found.append(entry)
                continue
            if first < column:
                found.append({**entry, "max": str(column - 1)})
            found.append(_with({**entry, "min": str(column), "max": str(column)}, changes))
            if column < last:
                found.append({**entry, "min": str(column + 1)})
            done = True
        if not done:
            found.append(_with({"min": str(column), "max": str(column)}, changes))
        # An entry that says nothing any more is left out.
        says = (each for each in found if set(each) - {"min", "max"})
        return self._columns.put(sorted(says, key=lambda each: int(each["min"])))

    def _element(self, root: Span) -> bytes:
        """The `cols` element."""
        p = root.prefix
        written = [
            {**entry, "style": str(self._numbers(int(entry["style"])))} if entry.get("style", "").isdecimal() else entry
            for entry in self._columns.now
        ]
        entries = "".join(
            f"<{p}col " + " ".join(f'{name}="{escaped(value)}"' for name, value in entry.items()) + "/>"
            for entry in written
        )
        return f"<{p}cols>{entries}</{p}cols>".encode() if entries else b""

    def changed_columns(self) -> dict[int, dict[str, str | None]]:
        """What of columns is to be other than the file says; None for what is not said any more."""
        if not self._columns.touched:
            return {}
        first, now = self._columns.first, self._columns.now
        result: dict[int, dict[str, str | None]] = {}
        for entry in (*first, *now):
            for column in range(number_in(entry, "min"), number_in(entry, "max") + 1):
                if column not in result:
                    result[column] = _difference(_entry_of(first, column), _entry_of(now, column))
                if len(result) > _MANY:
                    break
        return {column: said for column, said in result.items() if said}

    # -- rows

    def changed_rows(self) -> dict[int, dict[str, str | None]]:
        """The attributes of rows that are to be other than they are stored."""
        result: dict[int, dict[str, str | None]] = {}
        for row, attributes in self._rows.items():
            stored = self._stored_attributes(row)
            changed = {name: value for name, value in attributes.items() if value != stored.get(name)}
            if changed:
                result[row] = changed
        return result

    def _stored_attributes(self, row: int) -> Mapping[str, str]:
        return self._stored().row_attributes(row)

    def hidden_rows(self) -> Sequence[int]:
        """The rows that were hidden or shown in this run."""
        return [row for row, said in self._rows.items() if "hidden" in said]

    def is_hidden(self, row: int) -> bool:
        """Whether a row is hidden now."""
        return self._row_attribute(row, "hidden") in ("1", "true")

    def _row_attribute(self, row: int, name: str) -> str | None:
        if name in self._rows.get(row, {}):
            return self._rows[row][name]
        return self._stored_attributes(row).get(name)

    def inherited_style(self, row: int, column: int) -> int:
        """The format that a new cell gets: its row's, else its column's."""
        style = self._row_attribute(row, "s")
        if style is not None and self._row_attribute(row, "customFormat") in ("1", "true"):
            return int(style)
        return number_in(self._column_entry(column), "style")

    # -- both

    def measure(self, line: int, is_row: bool, word: str) -> object:
        """Width, height, or whether it is hidden."""
        if word == "hidden":
            value = self._row_attribute(line, "hidden") if is_row else self._column_entry(line).get("hidden")
            return value in ("1", "true")
        if word == "level":
            return int(
                (self._row_attribute(line, "outlineLevel") if is_row else self._column_entry(line).get("outlineLevel"))
                or 0
            )
        if is_row:
            height = self._row_attribute(line, "ht")
            return Length.of_points(Decimal(height)) if height else None
        width = self._column_entry(line).get("width")
        return None if width is None else _characters(float(width))

    def put_measure(self, line: int, is_row: bool, word: str, value: object) -> None:
        """Changes it."""
        before = self.measure(line, is_row, word)
        if before == value:
            return
        ensure_unprotected(self._sheet)
        changes = self._line_changes(is_row, word, value)
        revert = self._change_row(line, changes) if is_row else self._change_column(line, changes)
        where = f"row {line}" if is_row else f"column {letters_of(line)}"
        self._sheet.changed(word, before, value, revert, inner=(where,))

    def _change_row(self, row: int, changes: dict[str, str | None]) -> Undo:
        former = self._rows.get(row)
        self._rows[row] = {**(former or {}), **changes}

        def revert() -> None:
            if former is None:
                self._rows.pop(row, None)
            else:
                self._rows[row] = former

        return revert

    def make_like(self, fresh: int, line: int, is_row: bool) -> Undo:
        """Gives a new line the size and looks of another one, which is shown; returns how to undo it."""
        if not is_row:
            entry = {name: value for name, value in self._column_entry(line).items() if name not in ("min", "max")}
            return self._change_column(fresh, {**entry, "hidden": None}) if entry else lambda: None
        words = ("ht", "customHeight", "s", "customFormat", "outlineLevel")
        found = {word: self._row_attribute(line, word) for word in words}
        says: dict[str, str | None] = {word: value for word, value in found.items() if value is not None}
        return self._change_row(fresh, says) if says else lambda: None

    @staticmethod
    def _line_changes(is_row: bool, word: str, value: Any) -> dict[str, str | None]:
        if word == "hidden":
            return {"hidden": "1" if value else None}
        if word == "level":
            if not 0 <= value <= 7:
                raise Failure(f"the outline level of a row or column is 0 to 7, not {value}")
            return {"outlineLevel": str(value) if value else None}
        if is_row:
            height = None if value is None else value.in_unit("pt")
            if height is not None and not 0 <= height <= 409:
                raise Failure(f'"{word}" can be 0 to 409 pt, not {value}')
            return {
                "ht": None if height is None else number_text(height),
                "customHeight": None if height is None else "1",
            }
        if value is not None and (not isinstance(value, Decimal) or not 0 <= value <= 255):
            shown = value if isinstance(value, Decimal) else type_name(value)
            raise Failure(f'"{word}" is a number from 0 to 255, not {shown}')
        return {
            "width": None if value is None else _width(value),
            "customWidth": None if value is None else "1",
            "bestFit": None,
        }


def _entry_of(entries: _Columns, column: int) -> dict[str, str]:
    return next((each for each in entries if number_in(each, "min") <= column <= number_in(each, "max")), {})


def _difference(was: Mapping[str, str], now: Mapping[str, str]) -> dict[str, str | None]:
    names = {*was, *now} - {"min", "max"}
    return {name: now.get(name) for name in names if was.get(name) != now.get(name)}


def _with(entry: dict[str, str], changes: dict[str, str | None]) -> dict[str, str]:
    return {name: value for name, value in {**entry, **changes}.items() if value is not None}


def _width(characters: Decimal) -> str:
    """The stored width of a column that is that many characters wide (18.3.1.13)."""
    if characters < 1:
        return str(characters)
    return str(int((float(characters) * _DIGIT + _MARGIN) / _DIGIT * 256) / 256)


def _characters(width: float) -> Decimal:
    """How many characters wide a column with this stored width is."""
    if width < 1:
        return Decimal(str(width))
    return Decimal(str(round((width * _DIGIT - _MARGIN) / _DIGIT, 2))).normalize() + 0


def _joined(entries: _Columns) -> _Columns:
    """Entries of columns with neighbours that say the same made one: the same columns, however they are split."""
    result: _Columns = []
    for entry in entries:
        says = {name: value for name, value in entry.items() if name not in ("min", "max")}
        if result:
            last = result[-1]
            same = says == {name: value for name, value in last.items() if name not in ("min", "max")}
            if same and number_in(last, "max") + 1 == number_in(entry, "min"):
                result[-1] = {**last, "max": entry.get("max", "0")}
                continue
        result.append(dict(entry))
    return result
