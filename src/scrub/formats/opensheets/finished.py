"""The content of a workbook as it is to be; tables are made when somebody asks."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

from scrub.formats.opensheets.saved_book import Maker, SavedBook
from scrub.formats.opensheets.sheet_part import TablePart
from scrub.formats.spans import Splice, spliced
from scrub.formats.workbook.sheet import OfficeSheet


class Finished:
    """The content as it is to be; tables are made when somebody asks."""

    def __init__(self, saving: SavedBook, tables: Mapping[OfficeSheet, Maker | None]) -> None:
        self.saving = saving
        self.makers = dict(tables)
        self._known: dict[OfficeSheet, bytes] = {}
        self.results: dict[OfficeSheet, Callable[[bytes], bytes]] = {}

    @property
    def touched(self) -> bool:
        """Whether the content is another one."""
        of_file = [sheet.saved.part for sheet in self.saving.every if not sheet.saved.part.is_new]
        return any(self.makers.values()) or bool(self.results) or [s.saved.part for s in self.makers] != of_file

    def table(self, sheet: OfficeSheet) -> bytes:
        """The element of a sheet, without new results."""
        maker = self.makers[sheet]
        if maker is None:
            return sheet.saved.part.data()
        known = self._known.get(sheet)
        if known is None:
            known = self._known[sheet] = b"".join(maker())
        return known

    def pieces(self) -> Iterator[bytes]:
        """All of it."""
        saving = self.saving
        content, cut = saving.projection.content, saving.projection.content.cut
        before = [splice for splice in saving.frame if splice.start < cut or splice.end < cut]
        after = [splice for splice in saving.frame if splice not in before]
        yield spliced(content.frame[:cut], before)
        moved = len(self.makers) != len(content.tables)
        for number, (sheet, maker) in enumerate(self.makers.items()):
            if number and not moved and number <= len(content.gaps):
                yield content.gaps[number - 1]
            change = self.results.get(sheet)
            if maker is None and change is None and isinstance(sheet.saved.part, TablePart):
                yield from content.pieces(sheet.saved.part.number - 1)
                continue
            if change is None and maker is not None and sheet not in self._known:
                yield from maker()
                continue
            made = self.table(sheet)
            yield change(made) if change is not None else made
            self._known.pop(sheet, None)
        yield spliced(content.frame[cut:], [Splice(s.start - cut, s.end - cut, s.new) for s in after])
