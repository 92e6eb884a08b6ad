"""The words of pages, read by a library that draws them."""

from __future__ import annotations

from typing import Any

from scrub.formats.pdf.needed import needed, told_as_damage


class Words:
    """The words of one file."""

    def __init__(self, data: bytes, password: str | None) -> None:
        pdfium = needed("pypdfium2")
        with told_as_damage():
            self._document: Any = pdfium.PdfDocument(data, password=password)
        self._known: dict[int, str] = {}

    def page(self, index: int) -> str:
        """The words of a page, counted from 0."""
        if index not in self._known:
            with told_as_damage():
                page = self._document[index]
                words = page.get_textpage()
                self._known[index] = words.get_text_range().replace("\r\n", "\n").replace("\ufffe", "")
                words.close()
                page.close()
        return self._known[index]

    def close(self) -> None:
        """Lets the file go."""
        self._document.close()
