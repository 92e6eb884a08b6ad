"""The styles of paragraphs, by name (ISO/IEC 29500-1, 17.7.4)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache, lru_cache

from scrub.formats.found import FoundElement, is_searchable
from scrub.formats.spans import Span, parse, whole
from scrub.formats.texts.styles import style_named
from scrub.formats.wordprocessing.read import MAIN, inner, own, value
from scrub.formats.xmltext import is_on
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold


class ParagraphStyles:
    """The styles of one document."""

    def __init__(self, root: Span | None) -> None:
        self.names: dict[str, str] = {}  # the name of each style, by its id
        self.default = ""
        self._levels: dict[str, int] = {}
        self._based: dict[str, str] = {}
        for style in root.children if root is not None else ():
            if style.name != "style" or not own(style) or value(style, "type") != "paragraph":
                continue
            id_ = value(style, "styleId") or ""
            self.names[id_] = value(inner(style, "name")) or id_
            if is_on(value(style, "default")):
                self.default = id_
            properties = inner(style, "pPr")
            level = whole(value(inner(properties, "outlineLvl")), 9) if properties is not None else None
            if level is not None:
                self._levels[id_] = level
            based = value(inner(style, "basedOn"))
            if based:
                self._based[id_] = based

    def name(self, id_: str) -> str:
        """The name of a style; of no style, that of the usual one."""
        return self.names.get(id_ or self.default, id_ or "Normal")

    def level(self, id_: str) -> int | None:
        """The level of headings of this style, from 1 (17.3.1.20: 9 is none)."""
        seen: set[str] = set()
        while id_ and id_ not in seen:
            seen.add(id_)
            if id_ in self._levels:
                return self._levels[id_] + 1 if self._levels[id_] < 9 else None
            id_ = self._based.get(id_, "")
        return None

    def named(self, name: str) -> str:
        """The id of a style. Raises `Failure` for one that the document does not have."""
        return style_named(name, self.names, "paragraph style")

    def of_level(self, level: int) -> str:
        """The id of the style of headings of a level. Raises `Failure`."""
        found = [id_ for id_ in self.names if self.level(id_) == level]
        usual = next((id_ for id_ in found if fold(self.names[id_]) == f"heading {level}"), None)
        if usual is None and not found:
            raise Failure(f"the document has no heading style for level {level}. Create one in its own program")
        return usual or found[0]


def styles_for(root: Span | None, sort: str) -> dict[str, str]:
    """The names of the styles of a kind (17.18.83), by their ids."""
    every = (child for child in (root.children if root is not None else ()) if value(child, "type") == sort)
    return {value(span, "styleId") or "": value(inner(span, "name")) or "" for span in every}


class StyleProperties:
    """What the styles of a document say: of runs (`rPr`) or of paragraphs (`pPr`)."""

    def __init__(self, root: Span | None, name: str) -> None:
        self._of: dict[str, Span | None] = {}
        self._based: dict[str, str] = {}
        #: What contains where no style says anything (17.7.5).
        self.usual: Span | None = None
        if root is None:
            return
        defaults = inner(root, "docDefaults")
        holder = inner(defaults, f"{name}Default") if defaults is not None else None
        self.usual = inner(holder, name) if holder is not None else None
        for style in root.children:
            if style.name == "style" and own(style) and value(style, "type") in ("paragraph", "character"):
                id_ = value(style, "styleId") or ""
                self._of[id_] = inner(style, name)
                self._based[id_] = value(inner(style, "basedOn")) or ""

    def inherited(self, id_: str) -> Iterator[Span]:
        """What a style says, then what those say that it is based on (17.7.4.3)."""
        seen: set[str] = set()
        while id_ and id_ not in seen:
            seen.add(id_)
            span = self._of.get(id_)
            if span is not None:
                yield span
            id_ = self._based.get(id_, "")


@lru_cache(maxsize=4)
def styles_of(root: Span | None) -> ParagraphStyles:
    """The styles of a part. Documents of one template have the same, which are read once."""
    return ParagraphStyles(root)


@lru_cache(maxsize=4)
def parse_styles(data: bytes) -> Span:
    """The root of the part with the styles; each is read when it is asked for: most are those of tables, and long.
    Raises `NotReadable`.
    """
    prefix = is_searchable(data, MAIN)
    if prefix is None:
        return parse(data)
    names = {name: f"{prefix}:{name.decode()}" for name in (b"style", b"latentStyles")}
    elements = [
        FoundElement(data, match[2].decode(), names[match[2]], match.start(), match.end(1), match.end())
        for match in _style(prefix).finditer(data)
    ]
    return parse(data, elements)


@cache
def _style(prefix: str) -> re.Pattern[bytes]:
    p = re.escape(prefix)
    inside = rf"(?:[^<]++|<(?!{p}:(?:style|latentStyles)[\s/>]|/{p}:\2>))*+"
    names = "(style|latentStyles)"
    return re.compile(rf'(<{p}:{names}(?: [\w:.-]++="[^"<>]*+")*+>){inside}</{p}:\2>'.encode())
