"""How words of a document look: read through the styles, written as properties of a run (ISO/IEC 29500-1, 17.3.2)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal, InvalidOperation
from functools import cached_property

from scrub.formats.spans import Span, escaped
from scrub.formats.texts.styles import style_named
from scrub.formats.wordprocessing.read import inner, value
from scrub.formats.wordprocessing.styles import StyleProperties, styles_for
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.xmltext import is_on
from scrub.model.core.problem import Failure
from scrub.model.core.text import Looks

#: The properties of a run in the order of the schema (CT_RPr).
_ORDER = (
    "ins del moveFrom moveTo rStyle rFonts b bCs i iCs caps smallCaps strike dstrike outline shadow emboss imprint "
    "noProof snapToGrid vanish webHidden color spacing w kern position sz szCs highlight u effect bdr shd fitText "
    "vertAlign rtl cs em lang eastAsianLayout specVanish oMath rPrChange"
).split()
_RANK = {name: rank for rank, name in enumerate(_ORDER)}
#: The elements of each look: the one that is read, and its twin for scripts that are written otherwise.
_ELEMENTS = {
    "bold": ("b", "bCs"), "italic": ("i", "iCs"), "underlined": ("u",), "hidden": ("vanish",), "colour": ("color",),
    "highlight": ("highlight",), "font": ("rFonts",), "size": ("sz", "szCs"), "style": ("rStyle",),
}  # fmt: skip
#: Looks that a style switches, so that two that say it take each other back (17.7.3).
_SWITCHES = frozenset(("bold", "italic", "hidden"))
#: The colours of a highlighter (17.18.40).
_HIGHLIGHTS = {
    "black": "000000", "blue": "0000ff", "cyan": "00ffff", "green": "00ff00", "magenta": "ff00ff", "red": "ff0000",
    "yellow": "ffff00", "white": "ffffff", "darkBlue": "00008b", "darkCyan": "008b8b", "darkGreen": "006400",
    "darkMagenta": "800080", "darkRed": "8b0000", "darkYellow": "808000", "darkGray": "a9a9a9", "lightGray": "d3d3d3",
}  # fmt: skip
_UNSAID = object()


def _switch(element: Span) -> object:
    return is_on(value(element), True)


def _colour(element: Span) -> object:
    found = value(element)
    return None if found in (None, "auto") else f"#{str(found).lower()}"


def _size(element: Span) -> object:
    try:
        return Decimal(value(element) or "") / 2  # half points (17.3.2.38)
    except InvalidOperation:
        return None


_READ: dict[str, Callable[[Span], object]] = {
    "bold": _switch, "italic": _switch, "hidden": _switch, "colour": _colour, "size": _size,
    "underlined": lambda element: value(element) not in ("none", None),
    "highlight": lambda element: f"#{found}" if (found := _HIGHLIGHTS.get(value(element) or "")) else None,
    "font": lambda element: value(element, "ascii"),
}  # fmt: skip


class RunLooks:
    """The looks of the words of one document."""

    def __init__(self, styles: Span | None) -> None:
        """`styles` is the root of the part with the styles."""
        self._root = styles
        self._styles = StyleProperties(styles, "rPr")
        self._known: dict[tuple[str, str], object] = {}

    @cached_property
    def _letter_styles(self) -> dict[str, str]:
        """The names of the styles of characters, by their ids."""
        return styles_for(self._root, "character")

    def letter_style(self, name: str) -> str:
        """The id of a character style. Raises `Failure` for one that the document does not have."""
        return style_named(name, self._letter_styles, "character style")

    def of(self, run: Span, style: str, word: str, other: Looks = ()) -> object:
        """A look of a run in a paragraph of a style; `other` is what was set since."""
        given = dict(other)
        properties = inner(run, "rPr") if run.name == "r" else None
        if word == "style":
            id_ = _letter_style_of(properties, given)
            return self._letter_styles.get(id_, id_) if id_ else None
        if given.get(word) is not None:
            return given[word]
        said = _said(properties, word) if word not in given else _UNSAID
        if said is not _UNSAID:
            return said
        of_letters = _letter_style_of(properties, given)
        own_style = self._of_style(of_letters, word) if of_letters else _UNSAID
        around = self._of_style(style, word)
        usual = _said(self._styles.usual, word)
        if word in _SWITCHES:
            return usual is True or (own_style is True) != (around is True)
        found = next((each for each in (own_style, around, usual) if each is not _UNSAID), None)
        return bool(found) if word == "underlined" else found

    def _of_style(self, id_: str, word: str) -> object:
        key = (id_, word)
        if key not in self._known:
            every = (_said(span, word) for span in self._styles.inherited(id_))
            self._known[key] = next((each for each in every if each is not _UNSAID), _UNSAID)
        return self._known[key]


def _letter_style_of(properties: Span | None, given: Mapping[str, object]) -> str | None:
    """The id of the character style of a run that was given these looks since."""
    if "style" in given:
        return str(given["style"] or "")
    return value(inner(properties, "rStyle")) if properties is not None else None


def _said(properties: Span | None, word: str) -> object:
    element = inner(properties, _ELEMENTS[word][0]) if properties is not None else None
    return _UNSAID if element is None else _READ[word](element)


def checked(word: str, set_: object) -> object:
    """What a look is set to. Raises `Failure` for one that a document cannot keep."""
    if word == "highlight" and set_ is not None and str(set_)[1:] not in _HIGHLIGHTS.values():
        names = ", ".join(f'"{name}"' for name in ("yellow", "red", "blue", "black", "white"))
        raise Failure(f"highlight colours are {names} and some others, not {set_}")
    if word == "size" and isinstance(set_, Decimal) and not (1 <= set_ <= 1638 and set_ * 2 == int(set_ * 2)):
        raise Failure(f"a font size is 1 to 1,638 points in steps of 0.5, not {set_}")
    return set_


def properties_of(data: bytes, children: Sequence[Span], looks: Looks, prefix: str, tracking: Tracking | None) -> str:
    """The properties of a run, which has these so far, with other looks, as written; with `tracking` what they were is
    recorded (17.13.5.31).
    """
    gone = {name for word, _ in looks for name in _ELEMENTS[word]}
    kept = [(child.name, data[child.start : child.end].decode()) for child in children if child.name not in gone]
    for word, set_ in looks:
        kept += [
            (name, _element(f"{prefix}{name}", word, set_, prefix)) for name in _ELEMENTS[word] if set_ is not None
        ]
    if tracking is not None and not any(name == "rPrChange" for name, _ in kept):
        before = "".join(data[child.start : child.end].decode() for child in children)
        record = f"<{prefix}rPr>{before}</{prefix}rPr>"
        kept.append(("rPrChange", f"<{prefix}rPrChange{tracking.attributes(prefix)}>{record}</{prefix}rPrChange>"))
    kept.sort(key=lambda each: _RANK.get(each[0], len(_ORDER) - 2))
    return f"<{prefix}rPr>{''.join(text for _, text in kept)}</{prefix}rPr>" if kept else ""


def _element(name: str, word: str, set_: object, prefix: str) -> str:
    if isinstance(set_, bool):
        if word == "underlined":
            return f'<{name} {prefix}val="{"single" if set_ else "none"}"/>'
        return f"<{name}/>" if set_ else f'<{name} {prefix}val="0"/>'
    if word == "font":
        font = escaped(str(set_))
        return f'<{name} {prefix}ascii="{font}" {prefix}hAnsi="{font}" {prefix}cs="{font}"/>'
    if word == "style":
        return f'<{name} {prefix}val="{escaped(str(set_))}"/>'
    if word == "highlight":
        set_ = next(known for known, code in _HIGHLIGHTS.items() if f"#{code}" == set_)
    elif isinstance(set_, Decimal):
        set_ = int(set_ * 2)
    else:
        set_ = str(set_).removeprefix("#").upper()
    return f'<{name} {prefix}val="{set_}"/>'
