"""A .csv or .tsv file, as a workbook of one sheet."""

from __future__ import annotations

import os
from collections.abc import Iterator

from scrub.formats.delimited.layout import Layout
from scrub.formats.delimited.records import delimiters_of, line_end_of, records_of
from scrub.formats.delimited.sheet import DelimitedSheet
from scrub.formats.encodings import encoding_of, spoken_encoding
from scrub.formats.file import PickedFile
from scrub.formats.source import FreshSource, Source, opened
from scrub.model.core.area import MOST_COLUMNS
from scrub.model.core.problem import Failure, FileProblem
from scrub.model.workbook import Workbook
from scrub.store.patch import Patch


class DelimitedFile(PickedFile, Workbook):
    """A .csv or .tsv file, as a workbook of one sheet."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        data = source.read(0, source.size)
        marks, encoding, self.guessed = encoding_of(source, data, "table of texts")
        text = data[len(marks) :].decode(encoding)
        line_end = line_end_of(text)
        likely = ["\t"] if source.path.lower().endswith(".tsv") else delimiters_of(text)
        delimiter, records = self._taken_apart(text, line_end, likely)
        widest = max((record.count(delimiter) for record in records), default=0)
        if widest >= MOST_COLUMNS:
            raise source.problem(f"a row has {widest + 1:,} fields; the maximum is {MOST_COLUMNS:,}")
        self.layout = Layout(marks, encoding, delimiter, line_end, '"' in text)
        self.sheet = DelimitedSheet(self, self.layout, records)

    def _taken_apart(self, text: str, line_end: str, likely: list[str]) -> tuple[str, list[str]]:
        """The delimiter and the records: the first likely one with which every quote is closed."""
        problem: FileProblem | None = None
        for delimiter in likely:
            try:
                return delimiter, records_of(self.source, text, line_end, delimiter)
            except FileProblem as found:
                problem = problem or found
        assert problem is not None
        raise problem

    # -- as a macro sees it

    def sheets(self) -> Iterator[DelimitedSheet]:
        """The one sheet, named after the file."""
        return iter((self.sheet,))

    @property
    def notes(self) -> list[str]:
        """What a person should know about saving the changes."""
        read = [f"{self.name} was read as {spoken_encoding(self.layout.encoding)}."] if self.guessed else []
        return read + [
            f"{place} starts like a formula. Scrub wrote an apostrophe before it, so that no program runs it."
            for place in dict.fromkeys(self.sheet.safe)
        ]

    def lacking(self, what: str = "that") -> str:
        """Such a file contains values and nothing else."""
        ending = os.path.splitext(self.name)[1].lower()
        return f"{self.name}: a {ending} file stores values only, not {what}. Save it as .xlsx first"

    def arrange_rows(self) -> None:
        """Rows can come, go and change places."""

    def embed(self, title: str, text: str) -> None:
        """Nothing but values can be inside."""
        raise Failure(f"{self.name}: a text file cannot contain macros. Save it as .xlsx first")

    # -- saving

    def patch(self) -> Patch | None:
        """What makes the changed file of the old one."""
        self.sheet.overlay.forget_there_and_back()
        if not self.sheet.overlay.values and not self.sheet.line_changes and not self.sheet.keeps_rows:
            return None
        marks, encoding, _, line_end, _ = self.layout
        end, size = line_end.encode(encoding), self.source.size
        ended = size <= len(marks) or self.source.read(size - len(end), len(end)) == end
        written = self.sheet.written() or [""]
        if ended:
            written.append("")
        return self.rewritten(marks + line_end.join(written).encode(encoding))


def new_delimited(path: str) -> DelimitedFile:
    """One with nothing in it."""
    return DelimitedFile(FreshSource(path, b""))


def open_delimited(path: str) -> DelimitedFile:
    """Opens one. Raises `FileProblem`."""
    return opened(path, DelimitedFile)
