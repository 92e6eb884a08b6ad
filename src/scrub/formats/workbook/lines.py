"""Rows and columns: their size, and whether they are hidden (ISO/IEC 29500-1, 18.3.1.13, 18.3.1.73)."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from scrub.formats.spans import Span, escaped
from scrub.formats.workbook.settings import SheetSettings
from scrub.formats.xmltext import attributes_of
from scrub.model.area import letters_of
from scrub.model.problem import Failure
from scrub.model.values import type_name

#: A digit of the usual font is 7 pixels wide, and a column has 5 pixels of margin (18.3.1.13).
_DIGIT, _MARGIN = 7, 5


class SheetLines(SheetSettings):
    """Rows and columns as they should be."""

    def __init__(self) -> None:
        super().__init__()
        self.row_attributes: dict[int, dict[str, str | None]] = {}
        self._columns: list[dict[str, str]] | None = None
        self._first_columns: list[dict[str, str]] = []

    # -- columns

    def column_entries(self) -> list[dict[str, str]]:
        """The `col` elements as they should be: attributes, each for the columns from `min` to `max`."""
        if self._columns is None:
            _, root = self.skeleton()
            holder = root.child("cols")
            self._columns = [dict(span.attributes) for span in holder.all("col")] if holder else []
            self._first_columns = list(self._columns)
        return self._columns

    @property
    def columns_touched(self) -> bool:
        """Whether they must be written: what they say in the end is another thing than at first."""
        return self._columns is not None and _joined(self._columns) != _joined(self._first_columns)

    def _column_entry(self, column: int) -> dict[str, str]:
        for entry in self.column_entries():
            if int(entry.get("min", "0")) <= column <= int(entry.get("max", "0")):
                return entry
        return {}

    def _change_column(self, column: int, changes: dict[str, str | None]) -> None:
        """Gives one column attributes of its own: an entry for many is split around it."""
        found: list[dict[str, str]] = []
        done = False
        for entry in self.column_entries():
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
        self._columns = sorted(
            (each for each in found if set(each) - {"min", "max"}), key=lambda each: int(each["min"])
        )

    def column_element(self, root: Span) -> bytes:
        """The `cols` element."""
        p = root.prefix
        entries = "".join(
            f"<{p}col " + " ".join(f'{name}="{escaped(value)}"' for name, value in entry.items()) + "/>"
            for entry in self.column_entries()
        )
        return f"<{p}cols>{entries}</{p}cols>".encode() if entries else b""

    # -- rows

    def changed_rows(self) -> dict[int, dict[str, str | None]]:
        """The attributes of rows that are to be other than they are stored."""
        found: dict[int, dict[str, str | None]] = {}
        for row, attributes in self.row_attributes.items():
            stored = self._stored_attributes(row)
            changed = {name: value for name, value in attributes.items() if value != stored.get(name)}
            if changed:
                found[row] = changed
        return found

    def _stored_attributes(self, row: int) -> dict[str, str]:
        stored = self.load().stored
        index = stored.index(row)
        if index < 0:
            return {}
        span = stored.row_span(index)
        return attributes_of(stored.data[span.start : span.open_end].partition(b" ")[2])

    def _row_attribute(self, row: int, name: str) -> str | None:
        if name in self.row_attributes.get(row, {}):
            return self.row_attributes[row][name]
        return self._stored_attributes(row).get(name)

    def inherited_style(self, row: int, column: int) -> int:
        """The format that a new cell gets: its row's, else its column's."""
        style = self._row_attribute(row, "s")
        if style is not None and self._row_attribute(row, "customFormat") in ("1", "true"):
            return int(style)
        return int(self._column_entry(column).get("style", "0"))

    # -- both

    def measure(self, line: int, is_row: bool, word: str) -> Any:
        """Width, height, or whether it is hidden."""
        if word == "hidden":
            value = self._row_attribute(line, "hidden") if is_row else self._column_entry(line).get("hidden")
            return value in ("1", "true")
        if is_row:
            height = self._row_attribute(line, "ht")
            return Decimal(height) if height else None
        width = self._column_entry(line).get("width")
        return None if width is None else _characters(float(width))

    def put_measure(self, line: int, is_row: bool, word: str, value: Any) -> None:
        """Changes it."""
        before = self.measure(line, is_row, word)
        if before == value:
            return
        if self.protected:
            raise Failure(f"{self.name} is protected. Take the protection off first: unprotect")
        changes = self._line_changes(is_row, word, value)
        former_rows = {row: dict(each) for row, each in self.row_attributes.items() if row == line}
        former_columns = self.column_entries()
        if is_row:
            self.row_attributes.setdefault(line, {}).update(changes)
        else:
            self._change_column(line, changes)

        def revert() -> None:
            if is_row:
                self.row_attributes.pop(line, None)
                self.row_attributes.update(former_rows)
            else:
                self._columns = former_columns

        self.note(word, before, value, revert, f"row {line}" if is_row else f"column {letters_of(line)}")

    @staticmethod
    def _line_changes(is_row: bool, word: str, value: Any) -> dict[str, str | None]:
        if word == "hidden":
            return {"hidden": "1" if value else None}
        most = 409 if is_row else 255
        if value is not None and (not isinstance(value, Decimal) or not 0 <= value <= most):
            shown = value if isinstance(value, Decimal) else type_name(value)
            raise Failure(f'"{word}" is a number from 0 to {most}, not {shown}')
        if is_row:
            return {"ht": None if value is None else str(value), "customHeight": None if value is None else "1"}
        return {
            "width": None if value is None else _width(value),
            "customWidth": None if value is None else "1",
            "bestFit": None,
        }


def _with(entry: dict[str, str], changes: dict[str, str | None]) -> dict[str, str]:
    return {name: value for name, value in {**entry, **changes}.items() if value is not None}


def _width(characters: Decimal) -> str:
    """The stored width of a column that is so many characters wide (18.3.1.13)."""
    if characters < 1:
        return str(characters)
    return str(int((float(characters) * _DIGIT + _MARGIN) / _DIGIT * 256) / 256)


def _characters(width: float) -> Decimal:
    """How many characters wide a column with this stored width is."""
    if width < 1:
        return Decimal(str(width))
    return Decimal(str(round((width * _DIGIT - _MARGIN) / _DIGIT, 2))).normalize() + 0


def _joined(entries: list[dict[str, str]]) -> list[dict[str, str]]:
    """Entries of columns with neighbours that say the same made one: the same columns, however they are split."""
    found: list[dict[str, str]] = []
    for entry in entries:
        says = {name: value for name, value in entry.items() if name not in ("min", "max")}
        if found:
            last = found[-1]
            same = says == {name: value for name, value in last.items() if name not in ("min", "max")}
            if same and int(last.get("max", "0")) + 1 == int(entry.get("min", "0")):
                found[-1] = {**last, "max": entry.get("max", "0")}
                continue
        found.append(dict(entry))
    return found
