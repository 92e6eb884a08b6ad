"""How words and paragraphs of an Open Document look (OpenDocument 1.3, part 3, 16.29.29 and 17.6).

It is read through the styles, and written as automatic styles of their own.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal
from functools import cached_property
from itertools import count
from typing import Any

from scrub.formats.edited_part import EditedPart
from scrub.formats.opendocument.lengths import centimetres
from scrub.formats.opendocument.read import FO, OFFICE, STYLE, SVG, TEXT, attribute, of, style_name, value
from scrub.formats.spans import Span, Splice, ended, escaped, set_attributes, spliced, tag_end
from scrub.formats.texts.styles import style_named
from scrub.model.core.amounts import Length, number_text
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.text import Looks
from scrub.model.texts.paragraph_format import TextAlignment

_UNSAID = object()
_PERCENT = lazy_pattern(r"\d{1,4}(?:\.\d{1,4})?%")
#: What a style says of itself, as pairs of a namespace and a name, with the value.
Said = Mapping[tuple[str, str], str]
_SCRIPTS = ("", "-asian", "-complex")
_ALIGNMENTS = {
    "left": TextAlignment.LEFT, "start": TextAlignment.LEFT, "center": TextAlignment.CENTRE,
    "right": TextAlignment.RIGHT, "end": TextAlignment.RIGHT, "justify": TextAlignment.JUSTIFIED,
}  # fmt: skip
_ALIGNED = {
    TextAlignment.LEFT: "start", TextAlignment.CENTRE: "center", TextAlignment.RIGHT: "end",
    TextAlignment.JUSTIFIED: "justify",
}  # fmt: skip
_POINT = Decimal("2.54") / 72  # in centimetres
#: Of each length of a paragraph its attribute and unit.
_LENGTHS = {
    "left_indent": ("margin-left", "cm"), "space_before": ("margin-top", "pt"), "space_after": ("margin-bottom", "pt"),
}  # fmt: skip


def _bold(found: str) -> bool:
    return found == "bold" or (found.isdigit() and int(found) >= 600)


def _colour(found: str) -> str | None:
    return found.lower() if re.fullmatch("#[0-9a-fA-F]{6}", found) else None


def checked(word: str, set_: object) -> object:
    """What a look is set to. Raises `Failure` for one that a document cannot keep."""
    if word == "size" and isinstance(set_, Decimal) and not 1 <= set_ <= 1638:
        raise Failure(f"a font size is 1 to 1,638 points, not {set_}")
    return set_


class TextLooks:
    """The styles of one document, as far as they say how words and paragraphs look."""

    def __init__(self, parts: Sequence[EditedPart]) -> None:
        self._parts = parts
        #: The styles of each part that were made for single words and paragraphs, and those that have a name of their
        #: own, under "": by their family and what they are written by.
        self._styles: dict[str, dict[tuple[str, str], Span]] = {"": {}, **{part.name: {} for part in parts}}
        self._usual: dict[str, Span] = {}
        self._said: dict[tuple[str, str, str, str], object] = {}
        for part in parts:
            for holder in part.root.children:
                scope = part.name if holder.name == "automatic-styles" else ""
                for style in holder.children:
                    family = value(style, "family", STYLE) or ""
                    if of(style, STYLE, "style"):
                        self._styles[scope].setdefault((family, value(style, "name", STYLE) or ""), style)
                    elif of(style, STYLE, "default-style"):
                        self._usual.setdefault(family, style)
        self.start()

    @cached_property
    def _fonts(self) -> dict[str, str]:
        """The fonts that are declared, by what they are written by (16.23)."""
        fonts: dict[str, str] = {}
        for part in self._parts:
            for holder in part.root.children:
                for child in holder.children if of(holder, OFFICE, "font-face-decls") else ():
                    family = value(child, "font-family", SVG)
                    fonts.setdefault(value(child, "name", STYLE) or "", (family or "").strip("'\""))
        return fonts

    # -- reading

    def _chain(self, part: str, family: str, written: str | None) -> Iterator[Span]:
        """A style and those that it comes from."""
        met: set[str] = set()
        while written and written not in met:
            met.add(written)
            style = self._styles[part].get((family, written)) or self._styles[""].get((family, written))
            if style is None:
                return
            yield style
            written = value(style, "parent-style-name", STYLE)

    def _of_style(self, part: str, family: str, written: str | None, word: str) -> object:
        key = (part, family, written or "", word)
        if key not in self._said:
            every = list(self._chain(part, family, written))
            if family == "paragraph" and family in self._usual:
                every.append(self._usual[family])
            found = (_properties(span, "text-properties") for span in every)
            self._said[key] = self._first(word, (span for span in found if span is not None))
        return self._said[key]

    def _first(self, word: str, properties: Iterator[Span]) -> object:
        share = Decimal(1)
        for property_ in properties:
            said = self._look(word, property_)
            if word == "size" and isinstance(said, str):  # a part of what it comes from (20.190)
                share *= Decimal(said[:-1]) / 100
            elif said is not _UNSAID:
                return round(said * share, 2) if isinstance(said, Decimal) else said
        return _UNSAID if share == 1 else f"{share * 100}%"

    def _look(self, word: str, properties: Span) -> object:
        """What properties of a text say."""
        if word == "font":
            named = value(properties, "font-name", STYLE)
            family = self._fonts.get(named, named) if named else value(properties, "font-family", FO)
            return _UNSAID if family is None else family.strip("'\"")
        if word == "colour" and value(properties, "use-window-font-color", STYLE) == "true":
            return None
        uri, name, meaning = _READ[word]
        found = value(properties, name, uri)
        return _UNSAID if found is None else meaning(found)

    def of(self, part: str, chain: Sequence[Span], style: str | None, word: str, other: Looks = ()) -> object:
        """A look of characters that are in elements of a paragraph of a style; `other` is what was set since."""
        given = dict(other)
        if word == "style":
            return self._display_name(str(given["style"])) if "style" in given else self._letter_style(part, chain)
        if given.get(word) is not None:
            return given[word]
        is_usual = word in given  # it was set to what contains where the characters say nothing
        if "style" in given and not is_usual and word != "size":
            said = self._of_style("", "text", str(given["style"]), word)
            if said is not _UNSAID:
                return said
        share = Decimal(1)
        for each in () if is_usual else reversed(chain):
            said = self._of_style(part, "text", value(each, "style-name"), word)
            if word == "size" and isinstance(said, str):
                share *= Decimal(said[:-1]) / 100
            elif said is not _UNSAID:
                return said
        said = self._of_style(part, "paragraph", style or "Standard", word)
        if isinstance(said, Decimal):
            return round(said * share, 2)
        if said is _UNSAID or (word == "size" and isinstance(said, str)):
            return False if word in _SWITCHES else None
        return said

    def _letter_style(self, part: str, chain: Sequence[Span]) -> str | None:
        """The name of the inmost character style that has one of its own."""
        for span in reversed(chain):
            for style in self._chain(part, "text", value(span, "style-name")):
                written = value(style, "name", STYLE) or ""
                if self._styles[""].get(("text", written)) is style:
                    return self._display_name(written)
        return None

    def _display_name(self, written: str) -> str:
        style = self._styles[""].get(("text", written))
        return (value(style, "display-name", STYLE) if style is not None else None) or style_name(written)

    def letter_style(self, name: str) -> str:
        """What a character style is written by. Raises `Failure` for one that the document does not have."""
        every = {written: self._display_name(written) for family, written in self._styles[""] if family == "text"}
        return style_named(name, every, "character style", also=every)

    def frame(self, part: str, style: str | None, word: str) -> object:
        """How a paragraph of a style is set; None where nothing says."""
        every = list(self._chain(part, "paragraph", style or "Standard"))
        every += [self._usual["paragraph"]] if "paragraph" in self._usual else []
        found = (_properties(span, "paragraph-properties") for span in every)
        said = (_framed(span, word) for span in found if span is not None)
        return next((each for each in said if each is not None), None)

    # -- writing

    def start(self) -> None:
        """Forgets what was made for an earlier look at the result."""
        self._made: dict[tuple[str, str], dict[object, tuple[str, str]]] = {}
        self._free = {part.name: self._names(part.name) for part in self._parts}

    def _name(self, part: str, family: str, key: object, made: Callable[[str], str]) -> str:
        """The style of a part that says this, made when it is first asked for."""
        known = self._made.setdefault((part, family), {})
        if key not in known:
            name = next(self._free[part])
            known[key] = (name, made(name))
        return known[key][0]

    def _names(self, part: str) -> Iterator[str]:
        """Names that no style has yet."""
        taken = {name for _, name in (*self._styles[part], *self._styles[""])}
        return (name for number in count(1) if (name := f"L{number}") not in taken)

    def for_words(self, part: str, style: str | None, looks: Looks) -> str:
        """The style of words in a paragraph of a style that were given other looks."""
        parent = next((str(set_) for word, set_ in looks if word == "style"), "")
        looks = tuple(look for look in looks if look[0] != "style")
        if parent and not looks:
            return parent
        whole = tuple((word, self.of(part, (), style, word) if set_ is None else set_) for word, set_ in looks)
        said = {key: text for word, set_ in whole for key, text in self._written(word, set_).items()}

        def made(name: str) -> str:
            above = f' {_STYLE}parent-style-name="{escaped(parent)}"' if parent else ""
            return (
                f'<{_STYLE}style {_STYLE}name="{name}" {_STYLE}family="text"{above}>{_element("text", said)}'
                f"</{_STYLE}style>"
            )

        return self._name(part, "text", (parent, whole), made)

    def _written(self, word: str, set_: object) -> dict[str, str]:
        """The attributes that say a look (20.180 and following)."""
        if word == "colour":
            return {f"{_FO}color": str(set_)} if set_ is not None else {f"{_STYLE}use-window-font-color": "true"}
        if word == "highlight":
            return {f"{_FO}background-color": str(set_) if set_ is not None else "transparent"}
        if word == "underlined":
            if not set_:
                return {f"{_STYLE}text-underline-style": "none"}
            return {
                f"{_STYLE}text-underline-style": "solid", f"{_STYLE}text-underline-width": "auto",
                f"{_STYLE}text-underline-color": "font-color",
            }  # fmt: skip
        if word == "hidden":
            return {f"{_TEXT}display": "none" if set_ else "true"}
        if set_ is None:
            return {}
        if word == "font":
            known = next((name for name, family in self._fonts.items() if family == set_ and name), None)
            return {f"{_STYLE}font-name": known} if known else {f"{_FO}font-family": f"'{set_}'"}
        name = {"bold": "font-weight", "italic": "font-style", "size": "font-size"}[word]
        text = f"{set_}pt" if word == "size" else {"bold": "bold", "italic": "italic"}[word] if set_ else "normal"
        return {f"{_STYLE if script else _FO}{name}{script}": text for script in _SCRIPTS}

    def for_paragraph(self, part: EditedPart, style: str | None, frames: Mapping[str, object]) -> str:
        """The style of a paragraph of a style that was set otherwise."""
        said = {f"{_FO}{name}": text for word, set_ in frames.items() for name, text in _set(word, set_).items()}
        old = self._styles[part.name].get(("paragraph", style or ""))

        def made(name: str) -> str:
            if old is not None:
                return _changed(part.data, old, name, said)
            return _style(name, "paragraph", f' {_STYLE}parent-style-name="{escaped(style)}"' if style else "", said)

        return self._name(part.name, "paragraph", (style, tuple(sorted(said.items()))), made)

    def splices(self, part: EditedPart) -> list[Splice]:
        """What puts the styles in that were made."""
        made = "".join(
            text for (name, _), styles in self._made.items() if name == part.name for _, text in styles.values()
        )
        if not made:
            return []
        text, lacking = _prefixed(part.root, made)
        content, declared = text.encode(), set_attributes(part.data, part.root, lacking)
        holder = next((child for child in part.root.children if of(child, OFFICE, "automatic-styles")), None)
        if holder is not None:
            return [*declared, *ended(part.data, holder, content)]
        last = ("body", "master-styles")
        at = next((child.start for child in part.root.children if child.name in last), part.root.close_start)
        name = f"{part.root.prefix}automatic-styles"
        return [*declared, Splice(at, at, f"<{name}>".encode() + content + f"</{name}>".encode())]


#: Looks that are there or not.
_SWITCHES = frozenset(("bold", "italic", "underlined", "hidden"))
#: The attribute of each look, and what it means.
_READ: dict[str, tuple[str, str, Callable[[str], object]]] = {
    "bold": (FO, "font-weight", _bold),
    "italic": (FO, "font-style", lambda found: found in ("italic", "oblique")),
    "underlined": (STYLE, "text-underline-style", lambda found: found != "none"),
    "hidden": (TEXT, "display", lambda found: found == "none"),
    "colour": (FO, "color", _colour),
    "highlight": (FO, "background-color", _colour),
    "size": (FO, "font-size", lambda found: found if _PERCENT.fullmatch(found) else _points(found)),
}
#: What means the prefix of a namespace until it is known where a style is put.
_STYLE, _FO, _TEXT = "\0style:", "\0fo:", "\0text:"
_URIS = {"\0style:": STYLE, "\0fo:": FO, "\0text:": TEXT}


def _points(written: str) -> object:
    found = centimetres(written)
    return _UNSAID if found is None else round(found / _POINT, 2)


def _properties(style: Span, name: str) -> Span | None:
    return next((child for child in style.children if of(child, STYLE, name)), None)


def _framed(properties: Span, word: str) -> object:
    """What properties of a paragraph say."""
    if word == "alignment":
        return _ALIGNMENTS.get(value(properties, "text-align", FO) or "")
    if word == "keep_with_next":
        found = value(properties, "keep-with-next", FO)
        return None if found is None else found == "always"
    name, unit = _LENGTHS[word]
    length = centimetres(value(properties, name, FO) or value(properties, "margin", FO))
    return None if length is None else Length(round(Length.of_cm(length).in_unit(unit), 2), unit)


def _set(word: str, set_: Any) -> dict[str, str]:
    """The attributes that set a paragraph otherwise. Raises `Failure` for what cannot be."""
    if word == "alignment":
        return {"text-align": _ALIGNED[set_]}
    if word == "keep_with_next":
        return {"keep-with-next": "always" if set_ else "auto"}
    name, unit = _LENGTHS[word]
    return {name: f"{number_text(set_.in_unit(unit))}{unit}"}


def ensure_frame(word: str, set_: Any) -> None:
    """Raises `Failure` for what a paragraph cannot be set to."""
    if word == "list_level":
        raise Failure("the level of a list item can only be set in the document's own program")
    unit = _LENGTHS[word][1] if word in _LENGTHS else ""
    if unit and not 0 <= set_.in_unit(unit) <= 1000:
        raise Failure(f"this length can be 0 to 1,000 {unit}, not {set_}")


def _style(name: str, family: str, more: str, said: Mapping[str, str]) -> str:
    tag = f'{_STYLE}style {_STYLE}name="{name}" {_STYLE}family="{family}"{more}'
    return f"<{tag}>{_element(family, said)}</{_STYLE}style>"


def _element(family: str, said: Mapping[str, str]) -> str:
    attributes = "".join(f' {name}="{escaped(text)}"' for name, text in said.items())
    return f"<{_STYLE}{family}-properties{attributes}/>"


def _changed(data: bytes, style: Span, name: str, said: Mapping[str, str]) -> str:
    """A style as it is, under another name and with other properties of its paragraphs."""
    splices = _named(data, style, {f"{_STYLE}name": name})
    properties = _properties(style, "paragraph-properties")
    if properties is not None:
        splices += _named(data, properties, said)
    at = style.start
    made = spliced(
        data[at : style.end], (splice._replace(start=splice.start - at, end=splice.end - at) for splice in splices)
    ).decode()
    if properties is not None:
        return made
    element = _element("paragraph", said)
    if style.open_end == style.end:
        return f"{made[:-2].rstrip()}>{element}</{style.raw_name}>"
    inner = tag_end(made.encode(), 0)
    return (made.encode()[:inner] + element.encode() + made.encode()[inner:]).decode()


def _named(data: bytes, span: Span, said: Mapping[str, str]) -> list[Splice]:
    """What gives an element these attributes, in the place of those that it has."""
    wanted: dict[str, str | None] = {}
    for key, text in said.items():
        mark, _, name = key.partition(":")
        written, declared = attribute(span, name, _URIS[f"{mark}:"])
        wanted |= {**declared, written: text}
    return set_attributes(data, span, wanted.items())


def _prefixed(root: Span, made: str) -> tuple[str, list[tuple[str, str | None]]]:
    """Styles with the prefixes of the part they are put into, and the declarations that it lacks."""
    lacking: list[tuple[str, str | None]] = []
    for mark, uri in _URIS.items():
        prefix = next((namespace for namespace, known in root.namespaces.items() if known == uri and namespace), None)
        if prefix is None and mark in made:
            prefix = f"scrub-{mark[1:-1]}"
            lacking.append((f"xmlns:{prefix}", uri))
        made = made.replace(mark, f"{prefix}:")
    return made, lacking
