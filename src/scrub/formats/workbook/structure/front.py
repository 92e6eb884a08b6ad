"""Which tab is before (ISO/IEC 29500-1, 18.2.30): one that is hidden or goes gives its place to a visible one."""

from __future__ import annotations

from collections.abc import Sequence

from scrub.formats.spans import NotReadable, Span, Splice, number_in, set_attributes
from scrub.formats.workbook.sheet import OfficeSheet


def in_front(views: Span | None, sheets: Sequence[OfficeSheet]) -> OfficeSheet | None:
    """The sheet that the file is opened with; `sheets` are those of the file in its order."""
    view = next(views.all("workbookView"), None) if views is not None else None
    front = _front(view) if view is not None else 0
    return sheets[front] if front < len(sheets) else None


def reselected(
    data: bytes,
    views: Span | None,
    every: Sequence[OfficeSheet],
    shown: Sequence[OfficeSheet],
    wanted: OfficeSheet | None,
    splices: list[Splice],
) -> dict[OfficeSheet, bool]:
    """Brings the wanted sheet to the front; or, where the one before was hidden or went, the next one that is shown.

    `every` are all sheets by their place in the file, `shown` those that are visible, in the order of the tabs. A
    hidden sheet that stays selected would be edited together with the visible one, unseen.
    """
    gone = [sheet for sheet in every if sheet not in shown and sheet.saved.first_state == "visible"]
    selected = dict.fromkeys(gone, False)
    for view in views.all("workbookView") if views else ():
        front = _front(view)
        before = every[front] if front < len(every) else None
        if wanted is not None and wanted is not before and wanted in shown:
            chosen = wanted
            if before is not None:
                selected[before] = False
        elif before in gone:
            chosen = next((sheet for sheet in shown if sheet.saved.part.number > front), shown[0])
        else:
            continue
        selected[chosen] = True
        values: list[tuple[str, str | None]] = [("activeTab", str(chosen.saved.part.number - 1))]
        if number_in(view.attributes, "firstSheet") > chosen.saved.part.number - 1:
            values.append(("firstSheet", str(chosen.saved.part.number - 1)))
        splices += set_attributes(data, view, values)
    return selected


def _front(view: Span) -> int:
    try:
        return number_in(view.attributes, "activeTab")
    except NotReadable:
        return 0
