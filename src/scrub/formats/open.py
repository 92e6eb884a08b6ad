"""Which format a file is, and what to do with those that Scrub cannot open."""

from __future__ import annotations

import os

from scrub.formats.endings import CLOSED, LATER, READABLE
from scrub.formats.source import Source
from scrub.model.declare import FileItem
from scrub.model.problem import FileProblem


def open_file(path: str, folder: bool = False) -> FileItem:
    """Opens a file, or with `folder` a folder, as an item.

    Raises `FileProblem` when it is missing, damaged or of another format.
    """
    if folder and os.path.isdir(path):
        from scrub.formats.folder import PlainFolder

        return PlainFolder(path)
    ending = os.path.splitext(path)[1].lower()
    if ending not in READABLE and os.path.isfile(path):
        if ending in CLOSED:
            raise FileProblem(
                path, f"{ending} is {CLOSED[ending]}. Open it in its program, save it as .xlsx, and run again"
            )
        if ending in LATER:
            raise FileProblem(path, f"{ending} files cannot be opened yet. Save it as {LATER[ending]}, and run again")
        raise FileProblem(
            path, f"Scrub does not know {ending or 'files without an ending'}. It opens: {', '.join(READABLE)}"
        )
    source = Source(path)
    try:
        if ending in (".csv", ".tsv"):
            from scrub.formats.delimited.book import DelimitedFile

            return DelimitedFile(source)
        from scrub.formats.workbook.book import OfficeWorkbook

        return OfficeWorkbook(source)
    except BaseException:
        source.close()
        raise
