"""How the sheets of a workbook are shown (OpenDocument 1.3, part 3, 3.10): what programs keep in the settings."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.formats.spans import Span, Splice, ended, escaped
from scrub.formats.xmltext import escaped_text, text_of

CONFIG = "urn:oasis:names:tc:opendocument:xmlns:config:1.0"
_SETS = ("ooo:view-settings",)


class Views:
    """The settings of one workbook about its view; they belong to the programs, so that anything can be missing."""

    def __init__(self, data: bytes, root: Span | None) -> None:
        self.data = data
        self.root = root

    def _named(self, holder: Span | None, *path: str) -> Span | None:
        for name in path:
            holder = next(
                (child for child in holder.children if child.of("name", CONFIG) == name), None
            ) if holder is not None else None  # fmt: skip
        return holder

    @property
    def _set(self) -> Span | None:
        if self.root is None:
            return None
        every = [span for span in self.root.inside() if span.name == "config-item-set" and span.uri == CONFIG]
        return next((span for span in every if (span.of("name", CONFIG) or "").endswith("view-settings")), None)

    @property
    def view(self) -> Span | None:
        """The first view: an entry with the tables in it."""
        views = self._named(self._set, "Views")
        return views.children[0] if views is not None and views.children else None

    def _item(self, holder: Span | None, name: str) -> str | None:
        found = self._named(holder, name)
        return text_of(self.data[found.start : found.end]) if found is not None else None

    def of_view(self, name: str) -> str | None:
        """A setting of the view."""
        return self._item(self.view, name)

    def of_table(self, table: str, name: str) -> str | None:
        """A setting of a sheet in the view."""
        return self._item(self._named(self.view, "Tables", table), name)

    def number(self, table: str, name: str) -> int:
        """A whole number of a sheet; 0 for none."""
        said = (self.of_table(table, name) or "0").strip()
        return int(said) if said.lstrip("-").isdigit() and len(said) < 10 else 0

    @property
    def active(self) -> str | None:
        """The name of the sheet that is in front."""
        return self.of_view("ActiveTable")

    def sheet_view(self, table: str) -> bytes:
        """The `sheetViews` element of a sheet (ISO/IEC 29500-1, 18.3.1.88)."""
        said = ""
        across = self.number(table, "HorizontalSplitPosition") if self._frozen(table, "Horizontal") else 0
        down = self.number(table, "VerticalSplitPosition") if self._frozen(table, "Vertical") else 0
        grid = self.of_table(table, "ShowGrid") or self.of_view("ShowGrid")
        said += ' showGridLines="0"' if grid == "false" else ""
        if self.of_view("ShowPageBreakPreview") == "true":
            said += ' view="pageBreakPreview"'
        zoom = self.number(table, "ZoomValue")
        said += f' zoomScale="{zoom}"' if zoom and zoom != 100 else ""
        split = (f' xSplit="{across}"' if across else "") + (f' ySplit="{down}"' if down else "")
        pane = f'<pane{split} state="frozen"/>' if split else ""
        return f'<sheetViews><sheetView workbookViewId="0"{said}>{pane}</sheetView></sheetViews>'.encode()

    def _frozen(self, table: str, direction: str) -> bool:
        return self.number(table, f"{direction}SplitMode") == 2

    # -- writing

    def splices(self, active: str | None, wanted: dict[str, dict[str, tuple[str, str]]],
                of_view: dict[str, tuple[str, str]]) -> list[Splice]:  # fmt: skip
        """What sets the sheet in front (None for no change) and settings of sheets: by sheet and name, the type and the
        value of each. What is missing on the way is made.
        """
        if active is not None:
            of_view = {**of_view, "ActiveTable": ("string", active)}
        if self.root is None or not (wanted or of_view):
            return []
        config = self._set
        p = config.prefix if config is not None else "config:"
        view = self.view
        if config is None or view is None:
            return self._made(config, of_view, wanted)
        result: list[Splice] = []
        fresh = "".join(_item(p, name, *said) for name, said in of_view.items() if self._named(view, name) is None)
        for name, said in of_view.items():
            result += self._changed(self._named(view, name), p, name, said)
        tables = self._named(view, "Tables")
        if tables is None and wanted:
            inner = "".join(_entry(p, table, items) for table, items in wanted.items())
            fresh += f'<{p}config-item-map-named {p}name="Tables">{inner}</{p}config-item-map-named>'
        result += ended(self.data, view, fresh.encode())
        if tables is not None:
            result += self._of_tables(tables, wanted, p)
        return result

    def _of_tables(self, tables: Span, wanted: dict[str, dict[str, tuple[str, str]]], p: str) -> Iterator[Splice]:
        made = ""
        for table, items in wanted.items():
            entry = self._named(tables, table)
            if entry is None:
                made += _entry(p, table, items)
                continue
            fresh = ""
            for name, said in items.items():
                old = self._named(entry, name)
                if old is None:
                    fresh += _item(p, name, *said)
                yield from self._changed(old, p, name, said)
            yield from ended(self.data, entry, fresh.encode())
        yield from ended(self.data, tables, made.encode())

    def _changed(self, old: Span | None, p: str, name: str, said: tuple[str, str]) -> list[Splice]:
        if old is None or text_of(self.data[old.start : old.end]) == said[1]:
            return []
        return [Splice(old.start, old.end, _item(p, name, *said).encode())]

    def _made(
        self,
        config: Span | None,
        of_view: dict[str, tuple[str, str]],
        wanted: dict[str, dict[str, tuple[str, str]]],
    ) -> list[Splice]:
        """A view where there is none."""
        assert self.root is not None
        p = config.prefix if config is not None else "config:"
        items = _item(p, "ViewId", "string", "view1") + "".join(_item(p, name, *said) for name, said in of_view.items())
        if wanted:
            inner = "".join(_entry(p, table, of) for table, of in wanted.items())
            items += f'<{p}config-item-map-named {p}name="Tables">{inner}</{p}config-item-map-named>'
        views = (
            f'<{p}config-item-map-indexed {p}name="Views"><{p}config-item-map-entry>{items}'
            f"</{p}config-item-map-entry></{p}config-item-map-indexed>"
        )
        if config is not None:
            old = self._named(config, "Views")
            if old is not None:
                return [Splice(old.start, old.end, views.encode())]
            return ended(self.data, config, views.encode())
        holder = next((span for span in (self.root, *self.root.inside()) if span.name == "settings"), None)
        if holder is None:
            return []
        declared = "" if holder.namespaces.get("config") == CONFIG else f' xmlns:config="{CONFIG}"'
        whole = f'<config:config-item-set{declared} config:name="ooo:view-settings">{views}</config:config-item-set>'
        if "ooo" not in holder.namespaces:
            ooo = ' xmlns:ooo="http://openoffice.org/2004/office"'
            whole = whole.replace("<config:config-item-set", f"<config:config-item-set{ooo}", 1)
        return ended(self.data, holder, whole.encode())


def _item(p: str, name: str, type_: str, value: str) -> str:
    return f'<{p}config-item {p}name="{name}" {p}type="{type_}">{escaped_text(value)}</{p}config-item>'


def _entry(p: str, table: str, items: dict[str, tuple[str, str]]) -> str:
    inner = "".join(_item(p, name, *said) for name, said in items.items())
    return f'<{p}config-item-map-entry {p}name="{escaped(table)}">{inner}</{p}config-item-map-entry>'
