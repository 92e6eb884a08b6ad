"""A page of HTML as the text that people read of it."""

from __future__ import annotations

import re
from html.parser import HTMLParser

_HIDDEN = frozenset(("script", "style", "head", "title", "template"))
_BLOCKS = frozenset(("p", "div", "br", "tr", "li", "ul", "ol", "table", "h1", "h2", "h3", "h4", "h5", "h6", "hr"))


class _Reader(HTMLParser):
    """Gathers what is shown."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.found: list[str] = []
        self._hidden = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Blocks begin on a line of their own."""
        if tag in _HIDDEN:
            self._hidden += 1
        elif tag in _BLOCKS:
            self.found.append("\n")

    def handle_endtag(self, tag: str) -> None:
        """What is hidden ends."""
        if tag in _HIDDEN:
            self._hidden = max(0, self._hidden - 1)
        elif tag in ("p", "tr", "table", "h1", "h2", "h3"):
            self.found.append("\n")
        elif tag in ("td", "th"):
            self.found.append("\t")

    def handle_data(self, data: str) -> None:
        """Words, with the spaces of the source made one."""
        if not self._hidden:
            self.found.append(re.sub(r"[ \t\r\n]+", " ", data))


def readable(page: str) -> str:
    """What a page of HTML says."""
    reader = _Reader()
    reader.feed(page)
    reader.close()
    text = "".join(reader.found)
    lines = [line.strip(" \t") for line in text.split("\n")]
    return re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip()
