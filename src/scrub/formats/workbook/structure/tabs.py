"""Sheets that go or change places: their entries in the workbook part, and all that counts them.

Clauses are of ISO/IEC 29500-1, 18.2. Sheets are counted as they are in the file, new ones after the others.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from scrub.formats.opc.relationships import relationships, relationships_name
from scrub.formats.spans import Span, Splice, number_in, parse, set_attributes, spliced
from scrub.formats.workbook.cells.sheet_data import Stored
from scrub.formats.workbook.structure.moved_cells import calculated
from scrub.formats.workbook.structure.places import formulas_in
from scrub.formats.zip import Package
from scrub.formulas.tokens import pieces_of
from scrub.model.core.area import address_of
from scrub.model.core.values import fold


def reordered(data: bytes, order: Sequence[int]) -> bytes:
    """The workbook part with its sheets in another order; those that are not in it go."""
    root = parse(data)
    splices: list[Splice] = []
    holder = root.child("sheets")
    if holder is not None:
        entries = [data[element.start : element.end] for element in holder.all("sheet")]
        splices.append(Splice(holder.open_end, holder.close_start, b"".join(entries[place] for place in order)))
    places = {old: new for new, old in enumerate(order)}
    names = root.child("definedNames")
    gone = [span for span in names.all("definedName") if _of_gone(span, places)] if names is not None else []
    if names is not None and gone and len(gone) == len(names.children):
        splices.append(Splice(names.start, names.end, b""))
    else:
        splices += [Splice(span.start, span.end, b"") for span in gone]
        for span in names.all("definedName") if names is not None else ():
            if span not in gone and "localSheetId" in span.attributes:
                new = str(places[number_in(span.attributes, "localSheetId")])
                splices += set_attributes(data, span, [("localSheetId", new)])
    views = root.child("bookViews")
    for view in views.all("workbookView") if views is not None else ():
        for word in ("activeTab", "firstSheet"):
            if word in view.attributes:
                new = str(places.get(number_in(view.attributes, word), 0))
                splices += set_attributes(data, view, [(word, new)])
    return spliced(data, splices)


def _of_gone(span: Span, places: dict[int, int]) -> bool:
    return "localSheetId" in span.attributes and number_in(span.attributes, "localSheetId") not in places


def without_titles(data: bytes) -> bytes:
    """The properties of a file without the list of its sheets, which its program makes again."""
    root = parse(data)
    listed = [span for span in root.children if span.name in ("TitlesOfParts", "HeadingPairs")]
    return spliced(data, [Splice(span.start, span.end, b"") for span in listed])


def only_of(package: Package, main: str, sheets: Sequence[str]) -> set[str]:
    """The parts that nothing but these sheets leads to, the sheets and their relationships too."""
    kept = set(_reached(package, "", set(sheets)))
    gone = {name for sheet in sheets for name in _reached(package, sheet, set())} - kept
    for name in list(gone):
        rels = package.named(relationships_name(name))
        if rels is not None:
            gone.add(rels)
    return gone


def _reached(package: Package, start: str, without: set[str]) -> Iterator[str]:
    seen, waiting = {start}, [start]
    while waiting:
        name = waiting.pop()
        if name:
            yield name
        for relationship in relationships(package, name).values():
            target = relationship.target
            if target is not None and target in package.members and target not in seen and target not in without:
                seen.add(target)
                waiting.append(target)


def names_one(formula: str, sheets: set[str]) -> bool:
    """Whether a formula refers to one of these sheets, which are given without case."""
    return any(fold(name) in sheets for piece in pieces_of(formula) for name in piece.sheet.split(":") if name)


def cells_naming(stored: Stored, sheet: str, sheets: set[str], most: int) -> list[str]:
    """The cells of a sheet whose formulas refer to one of some sheets."""
    result: list[str] = []
    for cell in calculated(stored):
        if cell.formula.text and names_one(cell.formula.text, sheets):
            result.append(f"{sheet} {address_of(cell.row, cell.column)}")
            if len(result) >= most:
                break
    return result


def places_naming(data: bytes, root: Span, sheets: set[str], called: Callable[[Span], str]) -> list[str]:
    """What else in a part refers to one of some sheets."""
    found = [called(span) for span, text in formulas_in(root, data) if names_one(text, sheets)]
    for span in root.inside():
        if span.name in ("worksheetSource", "dataRef", "rangeSet") and fold(span.attributes.get("sheet", "")) in sheets:
            found.append("the data of a pivot table")
    return list(dict.fromkeys(found))
