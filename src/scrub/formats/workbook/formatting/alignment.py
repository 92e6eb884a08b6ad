"""Where the text of a cell is in it (ISO/IEC 29500-1, 18.8.1)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from scrub.formats.spans import number_in
from scrub.model.cells.grid import Alignment, UpDown
from scrub.model.core.problem import Failure

#: The fields that tell it.
PLACING = ("alignment", "wrapped", "vertical-alignment", "indent", "rotation")
_ALIGNMENTS = {
    Alignment.GENERAL: "general", Alignment.LEFT: "left", Alignment.CENTRE: "center", Alignment.RIGHT: "right",
    Alignment.JUSTIFIED: "justify", Alignment.FILL: "fill", Alignment.CENTRED_OVER: "centerContinuous",
    Alignment.DISTRIBUTED: "distributed",
}  # fmt: skip
_UP_DOWN = {
    UpDown.TOP: "top", UpDown.MIDDLE: "center", UpDown.BOTTOM: "bottom", UpDown.JUSTIFIED: "justify",
    UpDown.DISTRIBUTED: "distributed",
}  # fmt: skip
#: Characters that are below each other, in place of an angle; the widest indent.
_STACKED, _WIDEST = 255, 250


def look(alignment: Mapping[str, str], word: str) -> object:
    """A field of where a text is."""
    if word == "alignment":
        said = alignment.get("horizontal", "general")
        return next((each for each, written in _ALIGNMENTS.items() if written == said), Alignment.GENERAL)
    if word == "wrapped":
        return alignment.get("wrapText", "0") in ("1", "true")
    if word == "vertical-alignment":
        said = alignment.get("vertical", "bottom")
        return next((each for each, written in _UP_DOWN.items() if written == said), UpDown.BOTTOM)
    if word == "indent":
        return number_in(alignment, "indent")
    angle = number_in(alignment, "textRotation")
    return None if angle == _STACKED else angle if angle <= 90 else 90 - angle


def put(alignment: dict[str, str], word: str, value: Any) -> None:
    """Changes it. Raises `Failure` for what cannot be."""
    if word == "alignment":
        alignment["horizontal"] = _ALIGNMENTS[value]
    elif word == "wrapped":
        alignment["wrapText"] = "1" if value else "0"
    elif word == "vertical-alignment":
        alignment["vertical"] = _UP_DOWN[value]
    elif word == "indent":
        if not 0 <= value <= _WIDEST:
            raise Failure(f"the indent is 0 to {_WIDEST} steps, not {value}")
        alignment["indent"] = str(value)
        if alignment.get("horizontal", "general") == "general":
            alignment["horizontal"] = "left"  # an indent counts from an edge
    else:
        if value is not None and not -90 <= value <= 90:
            raise Failure(f"the text rotation is -90 to 90 degrees, not {value}")
        alignment["textRotation"] = str(_STACKED if value is None else value if value >= 0 else 90 - value)
