"""An Open Document workbook as the parts that the model of workbooks reads (ISO/IEC 29500-1): each is made of what the
file says when somebody asks for it. Cells are not among them: they are read where they are.

What the file says is read here, once; what a run changed is written back from the model, by the modules beside this.
"""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping
from functools import cached_property

from scrub.formats.open_keys import DIGESTS, KEY
from scrub.formats.opendocument.flat import FlatPackage
from scrub.formats.opendocument.read import STYLE, TABLE, value
from scrub.formats.opensheets.cell_styles import CellStyles
from scrub.formats.opensheets.content import Content, sheets_of
from scrub.formats.opensheets.formulas import addresses, text_of_formula
from scrub.formats.opensheets.page_styles import Page, PageStyles
from scrub.formats.opensheets.views import Views
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import RELATIONSHIPS, Span, escaped
from scrub.formats.workbook.names.names import Names
from scrub.formats.xmltext import escaped_text
from scrub.formats.zip import Package
from scrub.model.core.area import Area, letters_of
from scrub.model.core.problem import FileProblem

CONTENT, STYLES, SETTINGS = "content.xml", "styles.xml", "settings.xml"
#: The ranges of filters that belong to a sheet itself, as programs call them.
ANONYMOUS = "__Anonymous_Sheet_DB__"
MAIN = "xl/workbook.xml"
TYPE = "application/vnd.oasis.opendocument.spreadsheet"


def ensure_workbook(package: Package | FlatPackage, ending: str) -> None:
    """Raises `FileProblem` for a package that is not a workbook, or is encrypted."""
    if CONTENT not in package.members:
        raise package.problem("its content is missing: not an OpenDocument file, or a damaged one")
    if "mimetype" in package.members and not package.read("mimetype").strip().startswith(TYPE.encode()):
        raise package.problem(f"an OpenDocument file, but not a workbook. Save it as {ending} in its own program")
    manifest = "META-INF/manifest.xml"
    if manifest in package.members and b"encryption-data" in package.read(manifest):
        raise package.problem("it is encrypted. In its own program, save it without a password")


class Projection:
    """The parts as they would be elsewhere, by name."""

    def __init__(self, package: Package | FlatPackage) -> None:
        self.real = package
        self.source = package.source
        self.content = Content(package, CONTENT)
        self.frame, self.root = self.content.frame, self.content.root
        holder = sheets_of(self.root)
        assert holder is not None
        self.holder = holder
        self.tables = [self.content.outline(number) for number in range(len(self.content.tables))]
        self.names = [value(span, "name", TABLE) or f"Sheet{number}" for number, (_, span) in enumerate(self.tables, 1)]
        self._made: dict[str, bytes] = {}
        self.charts: dict[str, str] = {}  # the folders of charts, by the parts that they would be
        self.members: dict[str, Callable[[], bytes]] = {
            MAIN: self._workbook,
            "xl/_rels/workbook.xml.rels": self._leading,
            "xl/styles.xml": lambda: self.styles.projected,
            **{sheet_part(number): lambda: b"" for number in range(1, len(self.tables) + 1)},
        }

    def named(self, name: str) -> str | None:
        """The name of a part; None for none."""
        return name if name in self.members else None

    def problem(self, what: str) -> FileProblem:
        """A problem with the file."""
        return self.real.problem(what)

    def read(self, name: str) -> bytes:
        """The bytes of a part."""
        known = self._made.get(name)
        if known is None:
            known = self._made[name] = self.members[name]()
        return known

    def add(self, name: str, make: Callable[[], bytes]) -> None:
        """Adds a part."""
        self.members[name] = make

    # -- the parts of the file

    @cached_property
    def common(self) -> tuple[bytes, Span] | None:
        """The part with the styles that have a name, and those of pages."""
        return part_tree(self.real, STYLES) if STYLES in self.real.members else None

    @cached_property
    def settings(self) -> tuple[bytes, Span] | None:
        """The part with the settings of programs."""
        return part_tree(self.real, SETTINGS) if SETTINGS in self.real.members else None

    @cached_property
    def styles(self) -> CellStyles:
        """How cells look."""
        return CellStyles((self.frame, self.root), self.common)

    @cached_property
    def pages(self) -> PageStyles:
        """Their page styles."""
        data, root = self.common if self.common is not None else (self.frame, self.root)
        return PageStyles(data, root)

    @cached_property
    def views(self) -> Views:
        """How they are shown."""
        return Views(*self.settings) if self.settings is not None else Views(b"", None)

    @cached_property
    def table_styles(self) -> Mapping[str, Span]:
        """The styles of tables, rows and columns, by family and name."""
        found: dict[str, Span] = {}
        holders = [child for child in self.root.children if child.name in ("automatic-styles", "styles")]
        if self.common is not None:
            holders += [child for child in self.common[1].children if child.name in ("automatic-styles", "styles")]
        for holder in holders:
            for span in holder.children:
                family = value(span, "family", STYLE) or ""
                if span.name == "style" and family.startswith("table") and family != "table-cell":
                    found.setdefault(f"{family} {value(span, 'name', STYLE)}", span)
        return found

    def style_of(self, number: int) -> Span | None:
        """The style of a table, by the place of that in the file from 0."""
        return self.table_styles.get(f"table {value(self.tables[number][1], 'style-name', TABLE)}")

    def table_property(self, number: int, name: str) -> str | None:
        """A property of a table (17.15), whatever the namespace of a newer one is."""
        style = self.style_of(number)
        holder = style.child("table-properties", uri=STYLE) if style is not None else None
        if holder is None:
            return None
        return next((said for each, said in holder.attributes.items() if each.rpartition(":")[2] == name), None)

    def page(self, number: int) -> Page:
        """The page style of a table."""
        style = self.style_of(number)
        master = value(style, "master-page-name", STYLE)
        return self.pages.page(master if master else "Default" if "Default" in self.pages.masters else "Standard")

    # -- the workbook part

    def _leading(self) -> bytes:
        entries = "".join(
            f'<Relationship Id="rId{number}" Type="{RELATIONSHIPS}/worksheet" '
            f'Target="{posixpath.relpath(sheet_part(number), "xl")}"/>'
            for number in range(1, len(self.tables) + 1)
        )
        return relationships_part(
            f'{entries}<Relationship Id="rStyles" Type="{RELATIONSHIPS}/styles" Target="styles.xml"/>'
        )

    def _workbook(self) -> bytes:
        entries = ""
        for number, name in enumerate(self.names, 1):
            hidden = self.table_property(number - 1, "display") == "false"
            state = ' state="hidden"' if hidden else ""
            entries += f'<sheet name="{escaped(name)}" sheetId="{number}" r:id="rId{number}"{state}/>'
        active = self.views.active
        front = self.names.index(active) if active in self.names else self._first_shown()
        return (
            '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" '
            f'xmlns:r="{RELATIONSHIPS}">{self._protection()}'
            f'<bookViews><workbookView activeTab="{front}"/></bookViews><sheets>{entries}</sheets>'
            f"<definedNames>{self._defined_names()}</definedNames>{self._calculation()}</workbook>"
        ).encode()

    def _first_shown(self) -> int:
        return next((n for n in range(len(self.names)) if self.table_property(n, "display") != "false"), 0)

    def _protection(self) -> str:
        if value(self.holder, "structure-protected", TABLE) != "true":
            return ""
        return f'<workbookProtection lockStructure="1"{key_attributes(self.holder)}/>'

    def _calculation(self) -> str:
        said = self.holder.child("calculation-settings", uri=TABLE)
        shown = value(said, "precision-as-shown", TABLE) == "true"
        return '<calcPr fullPrecision="0"/>' if shown else "<calcPr/>"

    def _defined_names(self) -> str:
        made = ""
        for name, local, target in self.defined():
            made += _defined(name, local, target)
        for number, name in enumerate(self.names):
            ranges = addresses(value(self.tables[number][1], "print-ranges", TABLE) or "")
            if ranges:
                target = ",".join(f"{Names.quoted(sheet or name)}!{Names.absolute(area)}" for sheet, area in ranges)
                made += _defined("_xlnm.Print_Area", number, target)
            titles = self.titles(number)
            if titles:
                made += _defined("_xlnm.Print_Titles", number, titles)
            filter_ = self.filter_of(number)
            if filter_ is not None:
                target = f"{Names.quoted(name)}!{Names.absolute(filter_[1])}"
                made += _defined("_xlnm._FilterDatabase", number, target, True)
        return made

    def defined(self) -> list[tuple[str, int | None, str]]:
        """The names that people gave: each with the place of its sheet (None for all) and what it means."""
        holders: list[tuple[Span | None, int | None]] = [(self.holder.child("named-expressions", uri=TABLE), None)]
        holders += [
            (span.child("named-expressions", uri=TABLE), number) for number, (_, span) in enumerate(self.tables)
        ]
        result: list[tuple[str, int | None, str]] = []
        for holder, local in holders:
            for span in holder.children if holder is not None else ():
                name = value(span, "name", TABLE) or ""
                if name and not name.startswith("_xlnm"):
                    result.append((name, local, meaning_of_name(span)))
        return result

    def titles(self, number: int) -> str | None:
        """The heading rows and columns of a sheet (9.1.7, 9.1.8), as the name for titles says it."""
        rows, columns = self.heading_lines(number)
        name = Names.quoted(self.names[number])
        said = []
        if columns is not None:
            said.append(f"{name}!${letters_of(columns[0])}:${letters_of(columns[1])}")
        if rows is not None:
            said.append(f"{name}!${rows[0]}:${rows[1]}")
        return ",".join(said) or None

    def heading_lines(self, number: int) -> tuple[tuple[int, int] | None, tuple[int, int] | None]:
        """The first and the last of the heading rows, and of the heading columns; None for none."""
        outline = self.tables[number][1]
        columns = None
        at = 1
        for span, inside in columns_of(outline):
            count = int(value(span, "number-columns-repeated", TABLE) or 1)
            if inside:
                columns = (columns[0] if columns else at, at + count - 1)
            at += count
        return self._heading_rows(number), columns

    def _heading_rows(self, number: int) -> tuple[int, int] | None:
        from scrub.formats.opensheets.heading_rows import heading_rows

        return heading_rows(self.content, number)

    # -- ranges of the workbook with a filter, or with a name of their own (9.4.15)

    @cached_property
    def ranges(self) -> list[tuple[str, str, Area, Span]]:
        """The database ranges: name, sheet, range, element."""
        holder = self.holder.child("database-ranges", uri=TABLE)
        found = []
        for span in holder.children if holder is not None else ():
            where = addresses(value(span, "target-range-address", TABLE) or "")
            if span.uri == TABLE and span.name == "database-range" and where:
                found.append((value(span, "name", TABLE) or "", where[0][0], where[0][1], span))
        return found

    def filter_of(self, number: int) -> tuple[str, Area, Span] | None:
        """The filter of a sheet itself."""
        name = self.names[number]
        for called, sheet, area, span in self.ranges:
            anonymous = called.startswith(ANONYMOUS) or not called
            if sheet == name and anonymous and value(span, "display-filter-buttons", TABLE) == "true":
                return called, area, span
        return None

    def tables_of(self, number: int) -> list[tuple[str, Area, Span]]:
        """The ranges of a sheet that have a name: its tables."""
        name = self.names[number]
        return [
            (called, area, span)
            for called, sheet, area, span in self.ranges
            if sheet == name and called and not called.startswith(ANONYMOUS)
        ]


def meaning_of_name(span: Span) -> str:
    """What a named range or expression means (9.4.12, 9.4.13), as other workbooks say it."""
    if span.name == "named-range":
        where = addresses(value(span, "cell-range-address", TABLE) or "")
        if where and where[0][0]:
            return f"{Names.quoted(where[0][0])}!{Names.absolute(where[0][1])}"
        return "#REF!"
    return text_of_formula(value(span, "expression", TABLE) or "")


def columns_of(table: Span, inside: bool = False) -> list[tuple[Span, bool]]:
    """The columns of a sheet, each with whether it is a heading (9.1.6, 9.1.7, 9.1.8)."""
    found: list[tuple[Span, bool]] = []
    for child in table.children:
        if child.uri != TABLE:
            continue
        if child.name == "table-column":
            found.append((child, inside))
        elif child.name in ("table-columns", "table-header-columns", "table-column-group"):
            found += columns_of(child, inside or child.name == "table-header-columns")
    return found


def key_attributes(span: Span) -> str:
    """The key of a protection, as attributes that this module reads again (19.697, 19.698)."""
    key = value(span, "protection-key", TABLE)
    if not key:
        return ""
    digests = [said for name, said in span.attributes.items() if "protection-key-digest-algorithm" in name]
    return f' {KEY}="{escaped(key)}" {DIGESTS}="{escaped(" ".join(digests))}"'


def sheet_part(number: int) -> str:
    """The part of a sheet, by its place in the file from 1."""
    return f"xl/worksheets/sheet{number}.xml"


def relationships_part(entries: str) -> bytes:
    """A part with relationships."""
    return (
        f'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">{entries}</Relationships>'
    ).encode()


def _defined(name: str, local: int | None, target: str, hidden: bool = False) -> str:
    said = "" if local is None else f' localSheetId="{local}"'
    said += ' hidden="1"' if hidden else ""
    return f'<definedName name="{escaped(name)}"{said}>{escaped_text(target)}</definedName>'
