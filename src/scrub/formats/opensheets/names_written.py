"""Defined names as they are to be (OpenDocument 1.3, part 3, 9.4.11 to 9.4.13)."""

from __future__ import annotations

from collections.abc import Mapping

from scrub.formats.opendocument.read import TABLE, value
from scrub.formats.opensheets.formulas import open_expression, quoted_sheet
from scrub.formats.opensheets.moved import moved_attributes
from scrub.formats.opensheets.saved_book import SavedBook
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.spans import Span, Splice, ended, escaped
from scrub.formats.workbook.names.names import read_target
from scrub.model.core.area import letters_of
from scrub.model.core.values import fold

#: Names that are written in another way, as attributes and elements of the sheet itself.
_OWN = ("_xlnm.print_area", "_xlnm.print_titles", "_xlnm._filterdatabase")


def named_splices(saving: SavedBook) -> list[Splice]:
    """What changes in the names of the whole workbook."""
    projection = saving.projection
    holder = projection.holder.child("named-expressions", uri=TABLE)
    splices = _changed(saving, projection.frame, holder, None)
    if holder is not None and saving.moves:
        places = {(each.start, each.end) for each in splices}
        moved = moved_attributes(saving.moves, "", projection.frame, holder)
        splices += [each for each in moved if (each.start, each.end) not in places and not _inside(each, splices)]
    made = _fresh(saving, holder, None)
    if made and holder is not None:
        splices += ended(projection.frame, holder, made)
    elif made:
        p = saving.declaring.prefix(TABLE, "table")
        whole = f"<{p}:named-expressions>".encode() + made + f"</{p}:named-expressions>".encode()
        splices.append(after_tables(saving, whole, ()))
    return splices


def after_tables(saving: SavedBook, made: bytes, before: tuple[str, ...]) -> Splice:
    """Puts an element after the last table, and after others that come before it."""
    projection = saving.projection
    earlier = [c.end for c in projection.holder.children if c.name in before and c.start >= projection.content.cut]
    at = max([projection.content.cut, *earlier])
    return Splice(at, at, made)


def _inside(splice: Splice, others: list[Splice]) -> bool:
    return any(other.start <= splice.start and splice.end <= other.end for other in others)


def local_splices(saving: SavedBook, part: TablePart, outline: bytes, root: Span) -> list[Splice]:
    """What changes in the names of one sheet."""
    holder = root.child("named-expressions", uri=TABLE)
    number = part.number - 1
    splices = _changed(saving, outline, holder, number)
    made = _fresh(saving, holder, number)
    if made and holder is not None:
        splices += ended(outline, holder, made)
    elif made:
        p = saving.declaring.prefix(TABLE, "table")
        whole = f"<{p}:named-expressions>".encode() + made + f"</{p}:named-expressions>".encode()
        later = next((child.start for child in root.children if child.name == "conditional-formats"), root.close_start)
        splices.append(Splice(later, later, whole))
    return splices


def _wanted(saving: SavedBook, local: int | None) -> Mapping[str, tuple[str, str | None]]:
    return {
        name: said for (name, own), said in saving.shared.names.changed().items() if own == local and name not in _OWN
    }


def _changed(saving: SavedBook, data: bytes, holder: Span | None, local: int | None) -> list[Splice]:
    wanted = _wanted(saving, local)
    splices = []
    for span in holder.children if holder is not None else ():
        name = value(span, "name", TABLE) or ""
        if fold(name) in wanted:
            _, target = wanted[fold(name)]
            made = b"" if target is None else _element(saving, name, target)
            splices.append(Splice(span.start, span.end, made))
    return splices


def _fresh(saving: SavedBook, holder: Span | None, local: int | None) -> bytes:
    there = {fold(value(span, "name", TABLE) or "") for span in (holder.children if holder is not None else ())}
    return b"".join(
        _element(saving, name, target)
        for key, (name, target) in _wanted(saving, local).items()
        if key not in there and target is not None
    )


def _element(saving: SavedBook, name: str, target: str) -> bytes:
    """A name as an element: a range where it means one."""
    target = saving.moves.formula(target, "") if saving.moves else target
    found = read_target(target)
    if found is not None:
        sheet, area = found
        first = f"${quoted_sheet(sheet)}.${letters_of(area.left)}${area.top}"
        last = "" if area.single else f":.${letters_of(area.right)}${area.bottom}"
        said = {"name": name, "base-cell-address": first, "cell-range-address": first + last}
        word = "named-range"
    else:
        first_sheet = next(iter(saving.book.sheets())).name
        base = f"${quoted_sheet(first_sheet)}.$A$1"
        said = {"name": name, "base-cell-address": base, "expression": open_expression(target)}
        word = "named-expression"
    written = "".join(f' table:{each}="{escaped(text)}"' for each, text in said.items())
    return saving.declaring(f"<table:{word}{written}/>").encode()
