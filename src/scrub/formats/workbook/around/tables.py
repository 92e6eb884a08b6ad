"""Tables of a sheet (ISO/IEC 29500-1, 18.5.1.2), as they should be: rows come at their end, columns at their right."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import partial

from scrub.formats.kept import put_in
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import related_trees
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice, ended, escaped, number_in, set_attributes, spliced
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.xmltext import unescaped, xstring_value
from scrub.model.cells.grid import TablePlace
from scrub.model.core.area import area_of
from scrub.model.core.change import Undo


def name_of(table: Span) -> str:
    """What formulas call a table (18.5.1.2)."""
    return table.attributes.get("displayName") or table.attributes.get("name", "")


class Tables:
    """The tables of one sheet; one without headings offers none."""

    def __init__(self, part: SheetPart) -> None:
        self._part = part
        self._places: list[TablePlace] | None = None
        self._parts: dict[str, str] = {}  # the part of each, by its name
        self._down: dict[str, int] = {}
        self._right: dict[str, list[str]] = {}
        self._were: dict[str, str | None] = {}  # the style of each in the file
        self._styles: dict[str, str | None] = {}  # those that are to have another one
        self._named: list[str] = []  # all of them, those without headings too
        self.copied: Mapping[str, str] = {}  # names by those of the tables that these are copies of

    def places(self) -> list[TablePlace]:
        """Where they are."""
        if self._places is None:
            self._places = list(self._read())
        return self._places

    def _read(self) -> Iterator[TablePlace]:
        package = self._part.package
        for part, root in related_trees(package, self._part.related().values(), "table"):
            of = root.attributes
            area = area_of(of.get("ref", "A1"))
            name = name_of(root)
            self._named.append(name)
            if of.get("headerRowCount", "1") == "0":
                continue
            self._parts[name] = part
            look = root.child("tableStyleInfo")
            self._were[name] = unescaped(look.attributes.get("name", "")) or None if look is not None else None
            yield TablePlace(name, area, area.bottom - number_in(of, "totalsRowCount"))

    def names(self) -> Sequence[str]:
        """What all are called, those without headings too."""
        self.places()
        return self._named

    def copy(self, source: Tables, names: Mapping[str, str]) -> None:
        """Those of a sheet that is a copy, by names of their own; `names` gives these by those of the first."""
        self._places = [place._replace(name=names[place.name]) for place in source.places()]
        self._were = {names[name]: style for name, style in source._were.items()}
        self.copied, self._named = names, list(names.values())

    def grow(self, name: str, heading: str | None = None) -> Undo:
        """Makes a table a row longer, or a column with a heading wider; returns how to undo it."""
        places = self.places()
        at = next(number for number, place in enumerate(places) if place.name == name)
        former = places[at]
        area = former.area
        if heading is None:
            self._down[name] = self._down.get(name, 0) + 1
            places[at] = TablePlace(name, area._replace(bottom=area.bottom + 1), former.bottom + 1)
        else:
            self._right.setdefault(name, []).append(heading)
            places[at] = TablePlace(name, area._replace(right=area.right + 1), former.bottom)

        def back() -> None:
            places[at] = former
            if heading is None:
                self._down[name] -= 1
            else:
                self._right[name].pop()

        return back

    def style(self, name: str) -> str | None:
        """The style of a table."""
        self.places()
        return self._styles.get(name, self._were.get(name))

    def put_style(self, name: str, style: str | None) -> Undo:
        """Gives a table another style; returns how to undo it."""
        return put_in(self._styles, name, style)

    @property
    def touched(self) -> bool:
        """Whether any grew, or got another style."""
        return any(map(self._touches, self._parts))

    def _touches(self, name: str) -> bool:
        return bool(self._down.get(name) or self._right.get(name)) or self.style(name) != self._were.get(name)

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """Nothing of the sheet's own part; the parts of the tables are changed."""
        for place in self.places():
            if self._touches(place.name):
                parts.changed[self._parts[place.name]] = partial(self._made, place)
        return {}

    def _made(self, place: TablePlace) -> bytes:
        """The part of a table as it is to be."""
        data, root = part_tree(self._part.package, self._parts[place.name])
        splices = self._restyled(place.name, data, root)
        if not self._down.get(place.name) and not self._right.get(place.name):
            return spliced(data, splices)
        splices += set_attributes(data, root, [("ref", place.area.corners)])
        filter_ = root.child("autoFilter")
        if filter_ is not None:
            below = place.area._replace(bottom=place.bottom)
            splices += set_attributes(data, filter_, [("ref", below.corners)])
        holder, headings = root.child("tableColumns"), self._right.get(place.name, [])
        if holder is not None and headings:
            number = max((number_in(child.attributes, "id") for child in holder.children), default=0)
            fresh = "".join(
                f'<{holder.prefix}tableColumn id="{number + more}" name="{escaped(xstring_value(heading))}"/>'
                for more, heading in enumerate(headings, 1)
            )
            count = str(len(holder.children) + len(headings))
            splices += set_attributes(data, holder, [("count", count)])
            splices += ended(data, holder, fresh.encode())
        return spliced(data, splices)

    def _restyled(self, name: str, data: bytes, root: Span) -> list[Splice]:
        """What gives a table another style: the last of its elements but for extensions (18.5.1.2)."""
        style, look = self.style(name), root.child("tableStyleInfo")
        if style == self._were[name]:
            return []
        if look is not None:
            return set_attributes(data, look, [("name", None if style is None else xstring_value(style))])
        shown = "".join(f' {word}="{int(word == _STRIPES)}"' for word in _SHOWN)
        made = f'<{root.prefix}tableStyleInfo name="{escaped(xstring_value(style or ""))}"{shown}/>'.encode()
        more = root.child("extLst")
        return [Splice(more.start, more.start, made)] if more is not None else ended(data, root, made)


#: What a style shows of a table; a new one has stripes and nothing else (18.5.1.5).
_STRIPES = "showRowStripes"
_SHOWN = ("showFirstColumn", "showLastColumn", _STRIPES, "showColumnStripes")
