"""How paragraphs of a document are set: read through the styles, written as properties (ISO/IEC 29500-1, 17.3.1)."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from scrub.formats.spans import Span, with_attributes
from scrub.formats.wordprocessing.read import inner, value
from scrub.formats.wordprocessing.styles import StyleProperties
from scrub.formats.xmltext import is_on
from scrub.model.frames import TextAlignment
from scrub.model.problem import Failure

#: The properties of a paragraph in the order of the schema (CT_PPr).
_ORDER = (
    "pStyle keepNext keepLines pageBreakBefore framePr widowControl numPr suppressLineNumbers pBdr shd tabs "
    "suppressAutoHyphens kinsoku wordWrap overflowPunct topLinePunct autoSpaceDE autoSpaceDN bidi adjustRightInd "
    "snapToGrid spacing ind contextualSpacing mirrorIndents suppressOverlap jc textDirection textAlignment "
    "textboxTightWrap outlineLvl divId cnfStyle rPr sectPr pPrChange"
).split()
RANK = {name: rank for rank, name in enumerate(_ORDER)}
#: The element behind each word.
_ELEMENTS = {
    "alignment": "jc", "left_indent": "ind", "space_before": "spacing", "space_after": "spacing",
    "keep_with_next": "keepNext", "list_level": "numPr",
}  # fmt: skip
_ALIGNMENTS = {
    "left": TextAlignment.LEFT, "start": TextAlignment.LEFT, "center": TextAlignment.CENTRE,
    "right": TextAlignment.RIGHT, "end": TextAlignment.RIGHT, "both": TextAlignment.JUSTIFIED,
    "distribute": TextAlignment.JUSTIFIED,
}  # fmt: skip
_WRITTEN = {
    TextAlignment.LEFT: "left", TextAlignment.CENTRE: "center", TextAlignment.RIGHT: "right",
    TextAlignment.JUSTIFIED: "both",
}  # fmt: skip
_CENTIMETRE = Decimal(1440) / Decimal("2.54")
#: The attributes of each length, the first that is there, and how many twips one of its units has.
_LENGTHS = {
    "left_indent": (("left", "start"), _CENTIMETRE), "space_before": (("before",), Decimal(20)),
    "space_after": (("after",), Decimal(20)),
}  # fmt: skip


class ParagraphFrames:
    """How paragraphs of one document are set by their styles."""

    def __init__(self, styles: Span | None) -> None:
        """`styles` is the root of the part with the styles."""
        self._styles = StyleProperties(styles, "pPr")

    def of(self, properties: Span | None, style: str, word: str) -> Any:
        """How a paragraph with these properties of a style is set; None where nothing says."""
        own_one = [properties] if properties is not None else []
        usual = [self._styles.usual] if self._styles.usual is not None else []
        every = (said(each, word) for each in (*own_one, *self._styles.inherited(style), *usual))
        return next((each for each in every if each is not None), None)


def said(properties: Span | None, word: str) -> Any:
    """What some properties say themselves."""
    element = inner(properties, _ELEMENTS[word]) if properties is not None else None
    if element is None:
        return None
    if word == "alignment":
        return _ALIGNMENTS.get(value(element) or "")
    if word == "keep_with_next":
        return is_on(value(element), True)
    if word == "list_level":
        number, level = value(inner(element, "numId")), value(inner(element, "ilvl")) or "0"
        return int(level) + 1 if number not in (None, "0") and level.isdigit() else None
    names, unit = _LENGTHS[word]
    written = next((found for name in names if (found := value(element, name)) is not None), None)
    return round(Decimal(written) / unit, 2) if written and written.lstrip("-").isdigit() else None


def element_for(data: bytes, properties: Span | None, word: str, set_: Any, prefix: str) -> tuple[str, str]:
    """The name of the element that says it, and the element as it is to be. Raises `Failure` for what cannot be."""
    name = _ELEMENTS[word]
    old = inner(properties, name) if properties is not None else None
    if word == "alignment":
        return name, f'<{prefix}{name} {prefix}val="{_WRITTEN[set_]}"/>'
    if word == "keep_with_next":
        return name, f"<{prefix}{name}/>" if set_ else f'<{prefix}{name} {prefix}val="0"/>'
    if word == "list_level":
        number = inner(old, "numId") if old is not None else None
        if old is None or number is None:
            raise Failure("this paragraph is no item of a list by itself; make it one in the document's own program")
        if not 1 <= set_ <= 9:
            raise Failure(f"an item of a list has a level from 1 to 9, not {set_}")
        rest = data[number.start : number.end].decode()
        return name, f'<{prefix}{name}><{prefix}ilvl {prefix}val="{set_ - 1}"/>{rest}</{prefix}{name}>'
    names, unit = _LENGTHS[word]
    if not 0 <= set_ <= 1000:
        raise Failure(f"this length is from 0 to 1,000, not {set_}")
    tag = data[old.start : old.open_end] if old is not None else f"<{prefix}{name}/>".encode()
    known = next((each for each in names if old is not None and value(old, each) is not None), names[0])
    return name, with_attributes(tag, {f"{prefix}{known}": str(round(set_ * unit))}).decode()
