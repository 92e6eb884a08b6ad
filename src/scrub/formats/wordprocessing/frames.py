"""How paragraphs of a document are set: read through the styles, written as properties (ISO/IEC 29500-1, 17.3.1)."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from scrub.formats.spans import Span, whole, with_attributes
from scrub.formats.wordprocessing.read import TWIPS_IN_CENTIMETRE, inner, value
from scrub.formats.wordprocessing.styles import StyleProperties
from scrub.formats.xmltext import is_on
from scrub.model.core.amounts import Length
from scrub.model.core.problem import Failure
from scrub.model.texts.paragraph_format import TextAlignment

#: The properties of a paragraph in the order of the schema (CT_PPr).
_ORDER = (
    "pStyle keepNext keepLines pageBreakBefore framePr widowControl numPr suppressLineNumbers pBdr shd tabs "
    "suppressAutoHyphens kinsoku wordWrap overflowPunct topLinePunct autoSpaceDE autoSpaceDN bidi adjustRightInd "
    "snapToGrid spacing ind contextualSpacing mirrorIndents suppressOverlap jc textDirection textAlignment "
    "textboxTightWrap outlineLvl divId cnfStyle rPr sectPr pPrChange"
).split()
RANK = {name: rank for rank, name in enumerate(_ORDER)}
#: The element of each word.
ELEMENTS = {
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
#: The attributes of each length, the first that is there; its unit, and how many twips one has.
_LENGTHS = {
    "left_indent": (("left", "start"), "cm", TWIPS_IN_CENTIMETRE),
    "space_before": (("before",), "pt", Decimal(20)), "space_after": (("after",), "pt", Decimal(20)),
}  # fmt: skip


class ParagraphFrames:
    """How paragraphs of one document are set by their styles."""

    def __init__(self, styles: Span | None) -> None:
        """`styles` is the root of the part with the styles."""
        self._styles = StyleProperties(styles, "pPr")

    def of(self, element: Span | None, style: str, word: str) -> Any:
        """How a paragraph of a style is set that has this element; None where nothing says."""
        name = ELEMENTS[word]
        usual = [self._styles.usual] if self._styles.usual is not None else []
        inherited = (inner(span, name) for span in (*self._styles.inherited(style), *usual))
        every = (_said(span, word) for span in (element, *inherited) if span is not None)
        return next((each for each in every if each is not None), None)


def _said(element: Span, word: str) -> Any:
    """What an element says."""
    if word == "alignment":
        return _ALIGNMENTS.get(value(element) or "")
    if word == "keep_with_next":
        return is_on(value(element), True)
    if word == "list_level":
        number, level = value(inner(element, "numId")), whole(value(inner(element, "ilvl")) or "0", 8)
        return level + 1 if number not in (None, "0") and level is not None else None
    names, unit, twips = _LENGTHS[word]
    written = next((found for name in names if (found := value(element, name)) is not None), None)
    if not written or not written.lstrip("-").isdecimal():
        return None
    return Length(round(Decimal(written) / twips, 2), unit)


def element_for(data: bytes, old: Span | None, word: str, set_: Any, prefix: str) -> str:
    """The element that says it, made of the one that is there. Raises `Failure` for what cannot be."""
    name = ELEMENTS[word]
    if word == "alignment":
        return f'<{prefix}{name} {prefix}val="{_WRITTEN[set_]}"/>'
    if word == "keep_with_next":
        return f"<{prefix}{name}/>" if set_ else f'<{prefix}{name} {prefix}val="0"/>'
    if word == "list_level":
        number = inner(old, "numId") if old is not None else None
        if old is None or number is None:
            raise Failure("this paragraph is not a list item of its own. Make it one in the document's own program")
        if not 1 <= set_ <= 9:
            raise Failure(f"a list level is 1 to 9, not {set_}")
        rest = data[number.start : number.end].decode()
        return f'<{prefix}{name}><{prefix}ilvl {prefix}val="{set_ - 1}"/>{rest}</{prefix}{name}>'
    names, unit, twips = _LENGTHS[word]
    if not 0 <= set_.in_unit(unit) <= 1000:
        raise Failure(f"this length can be 0 to 1,000 {unit}, not {set_}")
    tag = data[old.start : old.open_end] if old is not None else f"<{prefix}{name}/>".encode()
    known = next((each for each in names if old is not None and value(old, each) is not None), names[0])
    return with_attributes(tag, {f"{prefix}{known}": str(round(set_.in_unit(unit) * twips))}).decode()
