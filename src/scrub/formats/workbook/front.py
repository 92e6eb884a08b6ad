"""Which tab is in front (ISO/IEC 29500-1, 18.2.30): one that is hidden gives its place to a visible one."""

from __future__ import annotations

from collections.abc import Sequence

from scrub.formats.spans import NotReadable, Span, Splice, number_in, set_attributes
from scrub.formats.workbook.sheet import OfficeSheet


def reselected(
    data: bytes, views: Span | None, sheets: Sequence[OfficeSheet], splices: list[Splice]
) -> dict[OfficeSheet, bool]:
    """When the sheet that opens in front was hidden, brings the next visible one to the front.

    A hidden sheet that stays selected would be edited together with the visible one, unseen.
    """
    gone = [sheet for sheet in sheets if sheet.hidden and sheet.first_state == "visible"]
    selected = dict.fromkeys(gone, False)
    for view in views.all("workbookView") if views and gone else ():
        front = _front(view)
        if front >= len(sheets) or sheets[front] not in gone:
            continue
        shown = [sheet for sheet in sheets if not sheet.hidden]
        chosen = next((sheet for sheet in shown if sheet.number > front), shown[0])
        selected[chosen] = True
        values: list[tuple[str, str | None]] = [("activeTab", str(chosen.number - 1))]
        if number_in(view.attributes, "firstSheet") > chosen.number - 1:
            values.append(("firstSheet", str(chosen.number - 1)))
        splices += set_attributes(data, view, values)
    return selected


def _front(view: Span) -> int:
    try:
        return number_in(view.attributes, "activeTab")
    except NotReadable:
        return 0
