"""Conditional formats as they are to be, in the form of newer programs, which all of them read."""

from __future__ import annotations

from typing import Any

from scrub.formats.opensheets.conditions import written_highlight
from scrub.formats.opensheets.formulas import address
from scrub.formats.opensheets.saved_book import SavedBook
from scrub.formats.spans import Span, Splice, escaped, parse
from scrub.formats.workbook.rules.ruled import corner
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.xmltext import text_of
from scrub.model.core.area import Area
from scrub.model.core.problem import Failure


def conditional_splices(saving: SavedBook, sheet: OfficeSheet, outline: bytes, root: Span) -> list[Splice]:
    """What changes in the conditional formats of a sheet."""
    rules = sheet.saved.pieces.conditional
    if not rules.touched:
        return []
    first, now = rules.changed()
    old = next((child for child in root.children if child.name == "conditional-formats"), None)
    blocks = list(old.children) if old is not None else []
    made = ""
    for number, block in enumerate(blocks):
        own = [rule for rule in now if rule.block == number]
        if own == [rule for rule in first if rule.block == number]:
            made += outline[block.start : block.end].decode()
            continue
        for areas in dict.fromkeys(rule.areas for rule in own):
            of_file = [rule for rule in first if rule.block == number]
            kept = {rule.element: at for at, rule in enumerate(of_file)}
            made += _block(saving, sheet, areas, [
                (rule, outline[c.start : c.end] if (c := _same(block, kept.get(rule.element))) is not None
                 and rule.areas == of_file[0].areas else None)
                for rule in own if rule.areas == areas
            ])  # fmt: skip
    for rule in now:
        if rule.block < 0:
            made += _block(saving, sheet, rule.areas, [(rule, None)])
    whole = saving.declaring(
        f"<calcext:conditional-formats>{made}</calcext:conditional-formats>" if made else ""
    ).encode()
    if old is not None:
        return [Splice(old.start, old.end, whole)]
    return [Splice(root.close_start, root.close_start, whole)] if whole else []


def _same(block: Span, place: int | None) -> Span | None:
    return block.children[place] if place is not None and place < len(block.children) else None


def _block(
    saving: SavedBook, sheet: OfficeSheet, areas: tuple[Area, ...], rules: list[tuple[Any, bytes | None]]
) -> str:
    name = sheet.name
    where = " ".join(address(name, area) for area in areas)
    inner = "".join(old.decode() if old is not None else _rule(saving, sheet, rule) for rule, old in rules)
    return (
        f'<calcext:conditional-format calcext:target-range-address="{escaped(where)}">{inner}'
        "</calcext:conditional-format>"
    )


def _rule(saving: SavedBook, sheet: OfficeSheet, rule: Any) -> str:
    root = parse(rule.element)
    scale = root.child("colorScale")
    if scale is not None:
        kinds, colours = list(scale.all("cfvo")), list(scale.all("color"))
        words = {"min": "minimum", "max": "maximum", "percentile": "percentile", "percent": "percent"}
        entries = "".join(
            f'<calcext:color-scale-entry calcext:value="{escaped(kind.attributes.get("val", "0"))}" '
            f'calcext:type="{words.get(kind.attributes.get("type", ""), "number")}" '
            f'calcext:color="#{colour.attributes.get("rgb", "FF000000")[-6:].lower()}"/>'
            for kind, colour in zip(kinds, colours, strict=False)
        )
        return f"<calcext:color-scale>{entries}</calcext:color-scale>"
    formulas = [text_of(rule.element[span.start : span.end]) for span in root.all("formula")]
    said = written_highlight(dict(root.attributes), formulas)
    if said is None:
        raise Failure(f"{sheet.name}: this conditional format cannot be written into an OpenDocument file")
    if rule.emphasis is not None:
        _, style = saving.styles.highlight(rule.emphasis)
    else:
        names = saving.projection.styles.names
        number = int(root.attributes.get("dxfId", "0"))
        style = names[number] if number < len(names) else "Default"
    row, column = corner(rule.areas)
    base = address(sheet.name, Area(row, column, row, column))
    return (
        f'<calcext:condition calcext:apply-style-name="{escaped(style)}" calcext:value="{escaped(said)}" '
        f'calcext:base-cell-address="{escaped(base)}"/>'
    )
