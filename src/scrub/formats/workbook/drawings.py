"""Pictures and charts on a sheet (ISO/IEC 29500-1, 20.5, 21.2): their names, alternative texts and titles."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from decimal import Decimal
from functools import partial
from typing import NamedTuple

from scrub.formats.kept import Kept, put_in
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import part_tree, relationships
from scrub.formats.spans import Span, Splice, number_in, set_attributes, spliced
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.workbook.protection import ensure_unprotected
from scrub.formats.xmltext import escaped_text, text_of
from scrub.model.declare import FileItem
from scrub.model.drawings import Chart
from scrub.model.inline import Picture
from scrub.model.problem import Failure
from scrub.model.sheet import Sheet

_DRAWING = "http://schemas.openxmlformats.org/drawingml/2006/main"
_CHART = "http://schemas.openxmlformats.org/drawingml/2006/chart"
#: English metric units in a centimetre (20.1.2.1).
_CENTIMETRE = 360_000


class Found(NamedTuple):
    """One picture or chart: the part of the drawing, the place of its properties there, and its own part."""

    drawing: str
    place: int
    name: str
    said: str
    size: tuple[int, int]
    chart: str | None


class Drawings:
    """The pictures and charts of one sheet as they should be."""

    def __init__(self, sheet: Sheet, part: SheetPart) -> None:
        self._sheet = sheet
        self._part = part
        self._found: Kept[list[Found]] = Kept(lambda: list(self._read()))
        self._said: dict[tuple[str, int], str | None] = {}
        self._titles: dict[str, str] = {}

    def _read(self) -> Iterator[Found]:
        package = self._part.package
        for each in self._part.related().values():
            if each.type != "drawing" or each.target not in package.members:
                continue
            related = relationships(package, str(each.target))
            _, root = part_tree(package, str(each.target))
            for span in root.inside():
                if span.name not in ("pic", "graphicFrame"):
                    continue
                inner = list(span.inside())
                about = next((one for one in inner if one.name == "cNvPr"), None)
                leads = next((one.related for one in inner if one.name == "chart"), None)
                chart = related[leads].target if leads in related else None
                if about is None or (span.name == "graphicFrame" and chart is None):
                    continue
                extent = next((one for one in inner if one.name == "ext" and "cx" in one.attributes), None)
                size = (0, 0)
                if extent is not None:
                    size = (number_in(extent.attributes, "cx"), number_in(extent.attributes, "cy"))
                of = about.attributes
                yield Found(str(each.target), about.start, of.get("name", ""), of.get("descr", ""), size, chart)

    def pictures(self) -> Iterator[OfficePicture]:
        """Its pictures."""
        return (OfficePicture(self, self._sheet, each) for each in self._found.now if each.chart is None)

    def charts(self) -> Iterator[OfficeChart]:
        """Its charts."""
        return (OfficeChart(self, self._sheet, each) for each in self._found.now if each.chart is not None)

    def alternative_text(self, found: Found) -> str | None:
        """What it shows, in words."""
        return self._said.get((found.drawing, found.place), found.said) or None

    def describe(self, found: Found, value: str | None) -> None:
        """Sets what it shows, in words."""
        before = self.alternative_text(found)
        if before != (value or None):
            ensure_unprotected(self._sheet)
            back = put_in(self._said, (found.drawing, found.place), value or None)
            self._sheet.changed("alternative-text", before, value, back, inner=(found.name,))

    def title(self, found: Found) -> str | None:
        """The title written in a chart."""
        assert found.chart is not None
        return self._titles.get(found.chart) or self._title_in(found.chart)

    def _title_in(self, chart: str) -> str | None:
        data, root = part_tree(self._part.package, chart)
        paragraphs = _paragraphs(_title_of(root))
        texts = ["".join(text_of(data[run.start : run.end]) for run in _runs(each)) for each in paragraphs]
        return "\n".join(texts) or None

    def put_title(self, found: Found, value: str) -> None:
        """Sets the title of a chart."""
        assert found.chart is not None
        before = self.title(found)
        if value == before:
            return
        if not value.strip():
            raise Failure("a chart without a title is made in the workbook's own program")
        ensure_unprotected(self._sheet)
        title = _title_of(part_tree(self._part.package, found.chart)[1])
        if title is None or not any(_runs(each) for each in _paragraphs(title)):
            raise Failure(f'"{found.name}" has no title that is written in it. Give it one in its own program')
        back = put_in(self._titles, found.chart, value)
        self._sheet.changed("title", before, value, back, inner=(found.name,))

    @property
    def touched(self) -> bool:
        """Whether anything of them must be written."""
        return bool(self._said or self._titles)

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """Nothing of the sheet's own part; those of drawings and charts are changed."""
        package = self._part.package
        by_drawing: dict[str, list[tuple[int, str | None]]] = {}
        for (drawing, place), value in self._said.items():
            by_drawing.setdefault(drawing, []).append((place, value))
        for drawing, changes in by_drawing.items():
            data, root = part_tree(package, drawing)
            spans = {span.start: span for span in root.inside() if span.name == "cNvPr"}
            splices: list[Splice] = []
            for place, said in changes:
                splices += set_attributes(data, spans[place], [("descr", said)])
            parts.changed[drawing] = partial(spliced, data, splices)
        for chart, value in self._titles.items():
            data, root = part_tree(package, chart)
            parts.changed[chart] = partial(_titled, data, root, value)
        return {}


def _title_of(root: Span) -> Span | None:
    """The title of the chart itself (21.2.2.211), not those of its axes."""
    chart = root.child("chart", uri=_CHART)
    return chart.child("title", uri=_CHART) if chart is not None else None


def _paragraphs(title: Span | None) -> list[Span]:
    return [span for span in title.inside() if span.name == "p" and span.uri == _DRAWING] if title is not None else []


def _runs(paragraph: Span) -> list[Span]:
    """The texts of a paragraph."""
    return [span for span in paragraph.inside() if span.name == "t" and span.uri == _DRAWING]


def _titled(data: bytes, root: Span, value: str) -> bytes:
    """A chart with another title, which looks as its first letters did."""
    paragraphs = [each for each in _paragraphs(_title_of(root)) if _runs(each)]
    first, *others = _runs(paragraphs[0])
    fresh = escaped_text(value.replace("\n", " ")).encode()
    if first.open_end == first.end:
        tag = data[first.start : first.end].removesuffix(b"/>").rstrip()
        splices = [Splice(first.start, first.end, tag + b">" + fresh + f"</{first.raw_name}>".encode())]
    else:
        splices = [Splice(first.open_end, first.close_start, fresh)]
    splices += [Splice(each.open_end, each.close_start, b"") for each in others if each.open_end != each.end]
    return spliced(data, [*splices, *(Splice(each.start, each.end, b"") for each in paragraphs[1:])])


class OfficePicture(Picture):
    """One picture as an item."""

    def __init__(self, drawings: Drawings, sheet: Sheet, found: Found) -> None:
        self._drawings = drawings
        self._sheet = sheet
        self._found = found

    def __eq__(self, other: object) -> bool:
        return isinstance(other, OfficePicture) and self._found == other._found

    def __hash__(self) -> int:
        return hash(self._found)

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._sheet.file

    @property
    def label(self) -> str:
        """Its name."""
        return self.name

    @property
    def name(self) -> str:
        """Its name in the file."""
        return self._found.name

    @property
    def alternative_text(self) -> str | None:
        """What it shows, in words."""
        return self._drawings.alternative_text(self._found)

    @alternative_text.setter
    def alternative_text(self, value: str | None) -> None:
        self._drawings.describe(self._found, value)

    @property
    def width(self) -> Decimal | None:
        """How wide it is, in centimetres."""
        return _centimetres(self._found.size[0])

    @property
    def height(self) -> Decimal | None:
        """How high it is, in centimetres."""
        return _centimetres(self._found.size[1])


class OfficeChart(Chart):
    """One chart as an item."""

    def __init__(self, drawings: Drawings, sheet: Sheet, found: Found) -> None:
        self._drawings = drawings
        self._sheet = sheet
        self._found = found

    def __eq__(self, other: object) -> bool:
        return isinstance(other, OfficeChart) and self._found == other._found

    def __hash__(self) -> int:
        return hash(self._found)

    @property
    def file(self) -> FileItem:
        """The workbook."""
        return self._sheet.file

    @property
    def label(self) -> str:
        """Its name."""
        return self.name

    @property
    def name(self) -> str:
        """Its name in the file."""
        return self._found.name

    @property
    def title(self) -> str | None:
        """The title written in it."""
        return self._drawings.title(self._found)

    @title.setter
    def title(self, value: str) -> None:
        self._drawings.put_title(self._found, value)

    @property
    def alternative_text(self) -> str | None:
        """What it shows, in words."""
        return self._drawings.alternative_text(self._found)

    @alternative_text.setter
    def alternative_text(self, value: str | None) -> None:
        self._drawings.describe(self._found, value)


def _centimetres(length: int) -> Decimal | None:
    return (Decimal(length) / _CENTIMETRE).quantize(Decimal("0.01")).normalize() + 0 if length else None
