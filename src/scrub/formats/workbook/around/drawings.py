"""Pictures and charts on a sheet (ISO/IEC 29500-1, 20.5, 21.2): their names, alternative texts and titles."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import partial

from scrub.formats.beside import Beside
from scrub.formats.edited_part import EditedPart
from scrub.formats.images.new_picture import NewPicture
from scrub.formats.kept import LazyPiece, all_back, put_in
from scrub.formats.opc.media import EMU, Media, blip_of, of_former, others_of
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import relationships
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import Span, Splice, number_in, spliced
from scrub.formats.texts.pictures import ShownPicture
from scrub.formats.workbook.around.protection import ensure_unprotected
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.formats.workbook.shared import Shared
from scrub.formats.xmltext import escaped_text, text_of
from scrub.model.cells.drawings import Chart
from scrub.model.cells.sheet import Sheet
from scrub.model.core.amounts import Length, hundredths
from scrub.model.core.change import Undo
from scrub.model.core.declare import FileItem, Item
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_DRAWING = "http://schemas.openxmlformats.org/drawingml/2006/main"
_CHART = "http://schemas.openxmlformats.org/drawingml/2006/chart"


class FoundDrawing(NamedTuple):
    """One picture or chart: the part of the drawing, the place of its properties there, and its own part."""

    drawing: str
    place: int
    name: str
    said: str
    size: tuple[int, int]
    chart: str | None


class DrawingPart(EditedPart):
    """The part with the drawings of a sheet (20.5.2)."""

    def __init__(self, name: str, data: bytes, root: Span) -> None:
        self.name, self.data, self.root = name, data, root
        self.clear()


class Drawings:
    """The pictures and charts of one sheet as they should be."""

    def __init__(self, sheet: Sheet, part: SheetPart, shared: Shared) -> None:
        self._sheet = sheet
        self._part = part
        self.shared = shared
        self._found: LazyPiece[list[FoundDrawing]] = LazyPiece(lambda: list(self._read()))
        self._parts: dict[str, DrawingPart] = {}
        self._titles: dict[str, str] = {}

    def part(self, name: str) -> DrawingPart:
        """A part with drawings."""
        if name not in self._parts:
            self._parts[name] = DrawingPart(name, *part_tree(self._part.package, name))
        return self._parts[name]

    @property
    def parts(self) -> Iterable[DrawingPart]:
        """Those that somebody asked about."""
        return self._parts.values()

    def _read(self) -> Iterator[FoundDrawing]:
        package = self._part.package
        for relationship in self._part.related().values():
            if relationship.type != "drawing" or relationship.target not in package.members:
                continue
            related = relationships(package, str(relationship.target))
            for span in self.part(str(relationship.target)).root.inside():
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
                yield FoundDrawing(
                    str(relationship.target), about.start, of.get("name", ""), of.get("descr", ""), size, chart
                )

    def pictures(self) -> Iterator[OfficePicture]:
        """In the order of the drawing part (20.5.2.25)."""
        every = (OfficePicture(self, self._sheet, drawing) for drawing in self._found.now if drawing.chart is None)
        return (picture for picture in every if not picture.removed)

    def charts(self) -> Iterator[OfficeChart]:
        """In the order of the drawing part (21.2)."""
        return (OfficeChart(self, self._sheet, drawing) for drawing in self._found.now if drawing.chart is not None)

    def _properties(self, found: FoundDrawing) -> tuple[DrawingPart, Span]:
        part = self.part(found.drawing)
        return part, next(span for span in part.root.inside() if span.start == found.place)

    def alternative_text(self, found: FoundDrawing) -> str | None:
        """What it shows, in words."""
        part, span = self._properties(found)
        return part.said(span, "descr") or None

    def describe(self, found: FoundDrawing, value: str | None) -> None:
        """Sets what it shows, in words."""
        before = self.alternative_text(found)
        if before != (value or None):
            ensure_unprotected(self._sheet)
            part, span = self._properties(found)
            self._sheet.changed(
                "alternative-text", before, value, part.say(span, {"descr": value or None}), inner=(found.name,)
            )

    def title(self, found: FoundDrawing) -> str | None:
        """The title written in a chart."""
        assert found.chart is not None
        return self._titles.get(found.chart) or self._title_in(found.chart)

    def _title_in(self, chart: str) -> str | None:
        data, root = part_tree(self._part.package, chart)
        paragraphs = _paragraphs(_title_of(root))
        texts = ["".join(text_of(data[run.start : run.end]) for run in _runs(paragraph)) for paragraph in paragraphs]
        return "\n".join(texts) or None

    def put_title(self, found: FoundDrawing, value: str) -> None:
        """Sets the title of a chart."""
        assert found.chart is not None
        before = self.title(found)
        if value == before:
            return
        if not value.strip():
            raise Failure("a chart title cannot be removed here. Remove it in the workbook's own program")
        ensure_unprotected(self._sheet)
        title = _title_of(part_tree(self._part.package, found.chart)[1])
        if title is None or not any(_runs(paragraph) for paragraph in _paragraphs(title)):
            raise Failure(f'"{found.name}" has no title. Add one in the workbook\'s own program')
        back = put_in(self._titles, found.chart, value)
        self._sheet.changed("title", before, value, back, inner=(found.name,))

    def changes(self) -> Iterator[tuple[int, str | bool | None, bool, NewPicture | None]]:
        """The pictures and charts that change: the number of each in the drawing, what it shows in words (False where
        that stays), whether it goes, and what it is to show.
        """
        for found in self._found.now if self._found.known else ():
            part, span = self._properties(found)
            said: str | bool | None = part.said(span, "descr")
            if said == span.attributes.get("descr"):
                said = False
            removed = (found.place, "picture") in part.edits
            new = None
            if found.chart is None:
                holder = next(
                    one for one in part.root.inside() if one.name == "pic" and one.start < found.place < one.end
                )
                new = self.shared.media.wanted(part.name, blip_of(holder, found.name))
            if said is not False or removed or new is not None:
                yield number_in(span.attributes, "id"), said, removed, new

    def shown_anew(self) -> Iterator[NewPicture]:
        """What pictures are to show."""
        return (new for *_, new in self.changes() if new is not None)

    def new_titles(self) -> Iterator[tuple[str, str]]:
        """The parts of charts that get another title, with it."""
        return iter(self._titles.items())

    @property
    def touched(self) -> bool:
        """Whether anything of them must be written."""
        return bool(self._titles) or any(part.touched for part in self.parts)

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """Nothing of the sheet's own part; those of drawings and charts are changed."""
        package = self._part.package
        for part in self.parts:
            if part.touched:
                parts.changed[part.name] = partial(spliced, part.data, part.edited)
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
    """A chart with another title, which looks as its first characters did."""
    paragraphs = [paragraph for paragraph in _paragraphs(_title_of(root)) if _runs(paragraph)]
    first, *others = _runs(paragraphs[0])
    fresh = escaped_text(value.replace("\n", " ")).encode()
    if first.open_end == first.end:
        tag = data[first.start : first.end].removesuffix(b"/>").rstrip()
        splices = [Splice(first.start, first.end, tag + b">" + fresh + f"</{first.raw_name}>".encode())]
    else:
        splices = [Splice(first.open_end, first.close_start, fresh)]
    splices += [Splice(span.open_end, span.close_start, b"") for span in others if span.open_end != span.end]
    return spliced(data, [*splices, *(Splice(paragraph.start, paragraph.end, b"") for paragraph in paragraphs[1:])])


class DrawnItem(Item):
    """One picture or chart as an item."""

    def __init__(self, drawings: Drawings, sheet: Sheet, found: FoundDrawing) -> None:
        self._drawings = drawings
        self._sheet = sheet
        self._found = found

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self) and self._found == other._found

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


class OfficePicture(DrawnItem, ShownPicture):
    """One picture as an item."""

    def measure(self, side: str) -> Length | None:
        """How wide or high it is."""
        length = self._found.size[0 if side == "width" else 1]
        return Length.of_cm(hundredths(length / EMU)) if length else None

    @property
    def removed(self) -> bool:
        """Whether it was removed."""
        return (self._found.place, "picture") in self._part.edits

    # -- what it shows

    @property
    def _part(self) -> DrawingPart:
        return self._drawings.part(self._found.drawing)

    def _holders(self) -> tuple[Span | None, Span]:
        """The element that is all of it (20.5.2.33), None where it is a part of a group; the picture (20.5.2.25)."""
        place = self._found.place
        anchor = next(child for child in self._part.root.children if child.start < place < child.end)
        pictures = [span for span in anchor.inside() if span.name == "pic" and span.start < place < span.end]
        return (anchor if any(child is pictures[-1] for child in anchor.children) else None), pictures[-1]

    def _blip(self) -> Span:
        return blip_of(self._holders()[1], self.name)

    @property
    def _media(self) -> Media:
        return self._drawings.shared.media

    @property
    def beside(self) -> Beside:
        """What is made beside the workbook."""
        return self._drawings.shared.beside

    def ensure_free(self) -> None:
        """Raises `Failure` on a protected sheet."""
        ensure_unprotected(self._sheet)

    def noted(self, field: str, before: object, after: object, back: Undo, said: str = "") -> None:
        """Notes a change of it, as one of its sheet."""
        self._sheet.changed(field, before, after, back, said, inner=(self.name,))

    def shown(self) -> str:
        """The name of the file that it shows now."""
        result = self._media.shown_by(self._part.name, self._blip())
        if not result:
            raise Failure(f"{self.name} is linked, not stored in the workbook")
        return result

    def inside(self) -> tuple[bytes, str]:
        """What it shows now."""
        self.shown()
        return self._media.read(self._part.name, self._blip())

    def show(self, new: NewPicture | None) -> Undo:
        """Shows another one, or none."""
        _, holder = self._holders()
        blip = blip_of(holder, self.name)
        back = self._media.show(self._part.name, blip, new, others_of(blip))
        return all_back([back, self._part.put((self._found.place, "crop"), of_former(holder, blip))])

    def fit(self, new: NewPicture) -> Undo:
        """It keeps the cells that it covers."""
        wide, high = self._found.size
        if wide and high and abs(wide * new.high / new.wide - high) > high / 20:
            raise Failure(f"{new.shown} has other proportions than {self.name} and would be distorted. Crop it first")
        return lambda: None

    def take_out(self) -> Undo:
        """Takes its anchor out."""
        anchor, _ = self._holders()
        if anchor is None or "Anchor" not in anchor.name:
            raise Failure(f"{self.name} is in a group of drawings. Delete it in the workbook's own program")
        return self._part.put((self._found.place, "picture"), [Splice(anchor.start, anchor.end, b"")])


class OfficeChart(DrawnItem, Chart):
    """One chart as an item."""

    @property
    def title(self) -> str | None:
        """The title written in it."""
        return self._drawings.title(self._found)

    @title.setter
    def title(self, value: str) -> None:
        self._drawings.put_title(self._found, value)
