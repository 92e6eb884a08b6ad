"""Changed cells as splices of a sheet's part (ISO/IEC 29500-1, 18.3.1.73, 18.3.1.4)."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping
from datetime import date
from decimal import Decimal
from typing import Any

from scrub.formats.overlay import key_of, place_of
from scrub.formats.spans import ManySplices, Splice, number_in, tag_end, with_attributes
from scrub.formats.workbook.cells.appended import AppendedRows, AppendedWriter
from scrub.formats.workbook.cells.decode import stored_number
from scrub.formats.workbook.cells.overlay import SheetOverlay
from scrub.formats.workbook.cells.searched import LONG_ROW, Searched, places_in
from scrub.formats.workbook.cells.sheet_data import Parsed, Stored
from scrub.formats.workbook.cells.stored_cell import StoredCell
from scrub.formats.workbook.cells.strings import inline, text_element
from scrub.formats.workbook.formulas.future_functions import stored_formula
from scrub.formats.workbook.shared import Shared
from scrub.formats.xmltext import attributes_of, xstring
from scrub.model.core.amounts import Duration
from scrub.model.core.area import address_of, letters_of
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure

_DAY = Decimal(86_400)
#: Values whose form is kept: most occur often.
_MANY = 100_000
#: The value of a cell, as it is written.
_VALUE = lazy_pattern(rb"<(?:\w+:)?v(?:\s[^>]*)?>(.*?)</(?:\w+:)?v\s*>", re.DOTALL)
_OLD_TYPE = lazy_pattern(rb"""\s(?:t|cm|vm|ph|s|r)\s*=\s*(?:"[^"]*"|'[^']*')""")


class _Openings(dict[int, bytes]):
    """What a stored cell of each column begins with."""

    def __missing__(self, column: int) -> bytes:
        found = self[column] = b'<c r="%b' % letters_of(column).encode()
        return found


class CellWriter:
    """Makes the splices of one sheet's cells."""

    def __init__(
        self,
        overlay: SheetOverlay,
        stored: Stored,
        shared: Shared,
        inherited_style: Callable[[int, int], int],
        where: Callable[[int, int], str],
        row_attributes: Mapping[int, Mapping[str, str | None]],
    ) -> None:
        """`inherited_style` is the number of the format that a new cell gets from its row or column, `where` how a
        person names a cell, and `row_attributes` what the elements of rows are to say.
        """
        self.overlay = overlay
        self.stored = stored
        self.shared = shared
        self.inherited_style = inherited_style
        self.where = where
        self.row_attributes = row_attributes
        self.prefix = stored.prefix
        self.numbers = shared.format_numbers
        self._misplaced: set[tuple[int, int]] | None = None
        #: What is before the row in a new cell of a column, and the format that it gets from it.
        self._column_heads: dict[int, tuple[bytes, bytes]] = {}
        #: The rest of a new cell after its format, for each type of values.
        self._contents: defaultdict[type, dict[object, bytes]] = defaultdict(dict)

    def splices(self) -> tuple[ManySplices, list[Splice]]:
        """What makes the part say what the cells are to be: the commonest in the order of the part, and the others."""
        overlay = self.overlay
        appended = overlay.appended if self._stands_alone(overlay.appended) else None
        values = overlay.values if appended is None else overlay.values_above
        if isinstance(self.stored, Searched) and not overlay.formulas and not self.row_attributes:
            found, rest = self._plain(self.stored, values)
        else:
            found, rest = ManySplices(), {*values, *overlay.formulas, *overlay.styles}
        if appended is None:
            return found, self._others(rest, [])
        below = {key for key in rest if key >> 15 >= appended.top}
        return found, self._others(rest - below, [(appended.top, self._appended(appended, below))])

    def _stands_alone(self, appended: AppendedRows | None) -> bool:
        """Whether nothing is stored or set in or below the rows that were appended below all others."""
        return (
            appended is not None
            and max([0, *self.stored.numbers[-1:], *self.row_attributes]) < appended.top
            and (isinstance(self.stored, Parsed) or not self.stored.misplaced())
        )

    def _appended(self, appended: AppendedRows, others: set[int]) -> bytes:
        """The rows that were appended; `others` are the cells there that have more than a value."""
        overlay, left = self.overlay, appended.left
        more: defaultdict[int, set[int]] = defaultdict(set)
        styled: set[int] = set()
        bottom = appended.top + len(appended.rows) - 1
        for key in others:
            row, column = place_of(key)
            place, values = column - left, appended.rows[row - appended.top] if row <= bottom else ()
            if 0 <= place < len(values) and key not in overlay.formulas and key not in overlay.runs:
                styled.add(column)
            else:
                more[row].add(column)
        for row in appended.sparse.union(row for row in more if row <= bottom):
            values = appended.rows[row - appended.top]
            more[row] |= {left + place for place, value in enumerate(values) if value is not None}
        writer = AppendedWriter(self.prefix, self._style, lambda value: self._content(value, -1))
        pieces = []
        for first, rows in appended.stretches(more):
            if first in more:
                pieces.append(self._new_row(first, sorted(more.pop(first))))
            else:
                pieces.append(writer.rows(first, rows, left, styled))
        pieces += [self._new_row(row, sorted(more[row])) for row in sorted(more)]
        return b"".join(pieces)

    def _style(self, row: int, column: int, stored: int = -1) -> int:
        """The number of the format of a cell; of a new one none is stored."""
        style = self.overlay.styles.get(key_of(row, column), stored)
        if style < 0:
            style = self.inherited_style(row, column)
        return self.numbers.get(style, style)

    def _moment_style(self, attributes: bytes, style: int | None) -> int | None:
        """The format of a cell that is read as a date or a duration; None for others. `style` is one that was set."""
        own = number_in(attributes_of(attributes), "s") if style is None else style
        return own if self.shared.styles.is_moment(own) else None

    def _plain(self, stored: Searched, values: Mapping[int, object]) -> tuple[ManySplices, set[int]]:
        """The commonest changes, another plain value in a stored cell, in one pass; gives what is left."""
        overlay, data, find = self.overlay, stored.data, stored.data.find
        styles, runs = overlay.styles, overlay.runs
        splices = ManySplices()
        rest: set[int] = {key for key in styles if key not in values}
        #: What a cell of some attributes begins with, and its format where it is read as a moment.
        heads: dict[tuple[bytes, int | None], tuple[bytes, int | None]] = {}
        #: What follows the address of a cell, by the head and the value: most values occur often.
        made: dict[object, bytes] = {}
        row_before, start, end, is_there, openings = 0, stored.body[0], 0, False, _Openings()
        at_once: dict[bytes, int] | None = None  # the places of all cells of a row that is long
        for key in sorted(values):
            row, column = key >> 15, (key & 0x7FFF) + 1
            if row != row_before:
                row_before, is_there = row, stored.index(row) >= 0
                if is_there:
                    start, end = stored.next_row(row, start)
                    at_once = places_in(data, start, end) if end - start > LONG_ROW else None
            needle = b'%b%d"' % (openings[column], row)
            at = -1
            if is_there:
                at = find(needle, start, end) if at_once is None else at_once.get(needle, -1)
            opened = find(b">", at)
            empty = data[opened - 1] == 47
            close = opened + 1 if empty else find(b"</c>", opened) + 4
            if at < 0 or key in runs or (not empty and find(b"<extLst", opened, close) >= 0):
                rest.add(key)
                continue
            attributes = data[at + len(needle) : opened - empty]
            head_key = (attributes, styles.get(key))
            if head_key not in heads:
                heads[head_key] = self._head(*head_key), self._moment_style(*head_key)
            value, (head, own) = values[key], heads[head_key]
            if own is not None and type(value) is Decimal:
                self.shared.moments.setdefault(self.where(row, column), (value, own))
            made_key = (head, type(value), value)
            new = made.get(made_key)
            if new is None:
                new = made[made_key] = b"%b%b%b" % (head, *self._plain_content(value, key))
            splices.add(at + len(needle), close, new)
        return splices, rest

    def _head(self, attributes: bytes, style: int | None) -> bytes:
        """What is after the address of a cell, but for its type."""
        if style is None:
            style = number_in(attributes_of(attributes), "s")
        style = self.numbers.get(style, style)
        return (b' s="%d"' % style if style else b"") + _OLD_TYPE.sub(b"", attributes).rstrip()

    def _plain_content(self, value: object, key: int) -> tuple[bytes, bytes]:
        """The type attribute, and the rest of a cell from the end of its start tag."""
        if value is None:
            return b"", b"/>"
        type_, content = self._content(value, key)
        return (f' t="{type_}"'.encode() if type_ else b""), b">" + content + b"</c>"

    def _others(self, keys: Iterable[int], last_rows: list[tuple[int, bytes]]) -> list[Splice]:
        """The splices of all other changes, row by row; `last_rows` are new ones below all others."""
        rows: dict[int, list[int]] = {row: [] for row in self.row_attributes}
        at, columns = 0, []
        for key in sorted(keys):  # as `place_of` takes it apart
            if key >> 15 != at:
                at = key >> 15
                columns = rows.setdefault(at, [])
            columns.append((key & 0x7FFF) + 1)
        splices: list[Splice] = []
        fresh: list[tuple[int, bytes]] = []
        last = self.stored.numbers[-1] if self.stored.numbers else 0
        for row in sorted(rows):
            index = -1 if row > last else self.stored.index(row)
            columns = rows[row]
            if index < 0:
                self._ensure_nowhere_else(row, columns)
                made = self._new_row(row, columns)
                if made:
                    fresh.append((row, made))
            else:
                splices += self._row(row, index, columns)
        return [*splices, *self._new_rows(fresh + last_rows)]

    def _new_rows(self, fresh: list[tuple[int, bytes]]) -> list[Splice]:
        if not fresh:
            return []
        tag = self.stored.empty_tag
        if tag is not None:  # <sheetData/> has no inside yet
            opening = self.stored.data[tag.start : tag.open_end - 2].rstrip() + b">"
            closing = f"</{tag.raw_name}>".encode()
            return [Splice(tag.start, tag.end, opening + b"".join(row for _, row in fresh) + closing)]
        return [Splice(at, at, made) for at, made in self._joined(fresh)]

    def _joined(self, fresh: list[tuple[int, bytes]]) -> Iterable[tuple[int, bytes]]:
        """New rows that go to one place, as one piece."""
        by_place: dict[int, list[bytes]] = {}
        for row, made in fresh:
            by_place.setdefault(self.stored.following(row), []).append(made)
        return [(at, b"".join(pieces)) for at, pieces in by_place.items()]

    def _new_row(self, row: int, columns: list[int]) -> bytes:
        cells = b"".join(self._plain_cells(row, columns) or (self._cell(row, column, None) for column in columns))
        own = "".join(f' {name}="{value}"' for name, value in self.row_attributes.get(row, {}).items() if value)
        if not cells and not own:
            return b""
        return f'<{self.prefix}row r="{row}"{own}>'.encode() + cells + f"</{self.prefix}row>".encode()

    def _plain_cells(self, row: int, columns: list[int]) -> list[bytes]:
        """The pieces of the cells of a new row that contains plain values and nothing else, of which there are many;
        none for others.
        """
        if row in self.row_attributes:
            return []
        overlay = self.overlay
        result: list[bytes] = []
        number, base, values = b"%d" % row, row << 15, overlay.values
        styles, formulas, runs = overlay.styles, overlay.formulas, overlay.runs
        with_more = bool(styles or formulas or runs)
        for column in columns:
            key = base | column - 1
            value = values.get(key)
            if value is None or (with_more and (key in styles or key in formulas or key in runs)):
                return []
            known = self._column_heads.get(column)
            if known is None:
                style = self.inherited_style(row, column)
                style = self.numbers.get(style, style)
                opening = f'<{self.prefix}c r="{letters_of(column)}'.encode()
                known = self._column_heads[column] = opening, b'" s="%d"' % style if style else b'"'
            contents = self._contents[type(value)]
            content = contents.get(value)
            if content is None:
                type_, inner = self._content(value, key)
                kind = f' t="{type_}"'.encode() if type_ else b""
                content = b"%b>%b</%bc>" % (kind, inner, self.prefix.encode())
                if len(contents) < _MANY:
                    contents[value] = content
            result += (known[0], number, known[1], content)
        return result

    def _ensure_nowhere_else(self, row: int, columns: list[int]) -> None:
        """Raises `Failure` where a new cell is in a row that is not its own: it must not be there
        twice.
        """
        if self._misplaced is None:
            self._misplaced = set() if isinstance(self.stored, Parsed) else self.stored.misplaced()
        for column in columns if self._misplaced else ():
            if (row, column) in self._misplaced:
                raise Failure(f"{self.where(row, column)} is in the wrong row of the file, so the file is damaged")

    def _row(self, row: int, index: int, columns: list[int]) -> list[Splice]:
        """The splices of a row that is there."""
        stored, data = self.stored, self.stored.data
        span = stored.row_span(index)
        splices: list[Splice] = []
        missing = []
        for column in columns:
            cell = stored.cell(row, column)
            if cell is None:
                missing.append(column)
            else:
                splice = self._change(cell)
                if splice is not None:
                    splices.append(splice)
        attributes: dict[str, str | None] = dict(self.row_attributes.get(row, {}))
        tag = data[span.start : span.open_end]
        made = {column: self._cell(row, column, None) for column in missing}
        made = {column: cell for column, cell in made.items() if cell}
        if made:
            widened = _wider(tag, min(made), max(made))
            if widened:
                attributes["spans"] = widened
        changed_tag = tag
        if attributes:
            changed_tag = with_attributes(tag, attributes)
        if span.open_end == span.end and made:  # <row …/> has no inside yet
            inside = b"".join(made[column] for column in sorted(made))
            opening = changed_tag[:-2].rstrip() + b">"
            return [*splices, Splice(span.start, span.end, opening + inside + f"</{self.prefix}row>".encode())]
        if changed_tag != tag:
            splices.append(Splice(span.start, span.open_end, changed_tag))
        if made:
            self._ensure_nowhere_else(row, list(made))
            splices += self._inserted(index, made, span.close_start)
        return splices

    def _inserted(self, index: int, made: dict[int, bytes], at_end: int) -> list[Splice]:
        """New cells among those of a row, in the order of the columns."""
        by_place: dict[int, list[bytes]] = {}
        cells = self.stored.cells(index)
        for column in sorted(made):
            at = next((cell.start for cell in cells if cell.column > column), at_end)
            by_place.setdefault(at, []).append(made[column])
        return [Splice(at, at, b"".join(pieces)) for at, pieces in by_place.items()]

    def _change(self, cell: StoredCell) -> Splice | None:
        overlay = self.overlay
        key = key_of(cell.row, cell.column)
        if key not in overlay.values and key not in overlay.formulas:
            style = overlay.styles.get(key, cell.style)
            if style == cell.style:
                return None
            end = tag_end(self.stored.data, cell.start)
            tag = self.stored.data[cell.start : end]
            style = self.numbers.get(style, style)
            return Splice(cell.start, end, with_attributes(tag, {"s": str(style) if style else None}))
        return Splice(cell.start, cell.end, self._cell(cell.row, cell.column, cell))

    def _cell(self, row: int, column: int, old: StoredCell | None) -> bytes:
        """An element `c` (18.3.1.4), with what the former one had besides."""
        overlay, prefix = self.overlay, self.prefix
        key = key_of(row, column)
        style = self._style(row, column, old.style if old else -1)
        value = overlay.values.get(key)
        formula = overlay.formulas.get(key)
        if type(value) is Decimal:
            own = overlay.styles.get(key, old.style if old else self.inherited_style(row, column))
            if self.shared.styles.is_moment(own):
                self.shared.moments.setdefault(self.where(row, column), (value, own))
        if old is None and value is None and formula is None and key not in overlay.styles:
            return b""
        type_, content = "", b""
        if formula is not None:
            content = f"<{prefix}f>{xstring(stored_formula(formula))}</{prefix}f>".encode()
        if old is not None and key not in overlay.values and (formula is None or key in overlay.written_out):
            type_, result = self._result(old, formula is None)
            content += result
        elif value is not None:
            type_, content = self._content(value, key)
        elif formula is not None and overlay.results.get(key) is not None:
            type_, result = self._saved(overlay.results[key], key)
            content += result
        others = b""
        if old is not None:
            tag = self.stored.data[old.start : self.stored.data.index(b">", old.start)]
            others = _OLD_TYPE.sub(b"", tag[len(prefix) + 2 :]).rstrip(b"/").rstrip()
            content += old.tail
        head = f'<{prefix}c r="{address_of(row, column)}"' + (f' s="{style}"' if style else "")
        head += f' t="{type_}"' if type_ else ""
        opening = head.encode() + others
        return opening + b">" + content + f"</{prefix}c>".encode() if content else opening + b"/>"

    def _result(self, old: StoredCell, alone: bool) -> tuple[str, bytes]:
        """The type and the saved result of a formula, just as they are stored; `alone` when the formula goes."""
        cell = self.stored.data[old.start : old.end]
        match = _VALUE.search(cell)
        if match is None:
            return ("" if old.type == "n" else old.type), b""
        if old.type != "str" or not alone:
            return ("" if old.type == "n" else old.type), match[0]
        prefix = self.prefix.encode()  # a text alone is inline; its characters stay as they are written
        inner = b'<%bis><%bt xml:space="preserve">%b</%bt></%bis>' % (prefix, prefix, match[1], prefix, prefix)
        return "inlineStr", inner

    def _saved(self, value: object, key: int) -> tuple[str, bytes]:
        """The type and the saved result of a formula that moved."""
        if isinstance(value, str):
            return "str", f"<{self.prefix}v>{xstring(value)}</{self.prefix}v>".encode()
        return self._content(value, key)

    def _content(self, value: Any, key: int) -> tuple[str, bytes]:
        prefix = self.prefix
        if isinstance(value, str):
            runs = self.overlay.runs.get(key)
            inner = inline(runs, prefix) if runs else text_element(value, prefix)
            return "inlineStr", f"<{prefix}is>".encode() + inner + f"</{prefix}is>".encode()
        if isinstance(value, bool):
            return "b", f"<{prefix}v>{int(value)}</{prefix}v>".encode()
        if isinstance(value, date):
            value = self.shared.decoder.serial(value)
        elif isinstance(value, Duration):
            value = value.in_unit("seconds") / _DAY
        return "", f"<{prefix}v>{stored_number(value)}</{prefix}v>".encode()


_SPANS = lazy_pattern(rb"""\sspans\s*=\s*["'](\d+):(\d+)["']""")


def _wider(tag: bytes, first: int, last: int) -> str | None:
    """The `spans` of a row made wide enough (18.3.1.73); None when it has none, or they are."""
    match = _SPANS.search(tag)
    if match is None or (int(match[1]) <= first and last <= int(match[2])):
        return None
    return f"{min(first, int(match[1]))}:{max(last, int(match[2]))}"
