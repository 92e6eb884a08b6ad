"""Markdown (CommonMark 0.31): what a line says, apart from the marks that give the text its structure.

Indentation, quotes, list markers and the marks of headings belong to no text: no action on words can change them. Code,
the line below a heading that underlines it, and front matter stay as they are.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from scrub.formats.plain.text import PlainParagraph, PlainText
from scrub.formats.source import opened
from scrub.formats.texts.paragraph import OpenParagraph
from scrub.model.core.change import Undo
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.texts.lines_of_text import Line

#: A box to tick at the start of a list item: no part of its text.
_BOX = lazy_pattern(r"\[[ xX]\][ \t]+")
#: Code between backticks, where a link leads, and an address between angles.
_CODE = lazy_pattern(r"(`+)(?!`).+?(?<!`)\1(?!`)|(?<=\])\([^)]*\)|<[A-Za-z][A-Za-z0-9+.-]*:[^>\s]*>")


class Parsed(NamedTuple):
    """A line as a parser understands it: what is before and after its text, the level of a heading, and whether it
    stays as it is. `block` is the same number for the lines of one paragraph.
    """

    lead: str = ""
    text: str = ""
    tail: str = ""
    level: int | None = None
    verbatim: bool = False
    block: int = -1
    underlined: bool = False  # whether the next line makes it a heading (4.3)


def parsed(lines: Sequence[str]) -> list[Parsed]:
    """The lines of a text."""
    from markdown_it import MarkdownIt  # takes long to load, and few texts need it

    start = _front_matter(lines)
    result = [Parsed(text=line, verbatim=True) if line.strip() else Parsed(lead=line) for line in lines]
    # A line that the parser says nothing of is a space one, or says where links lead (4.7).
    tokens = MarkdownIt("commonmark").disable("inline").parse("\n".join(lines[start:]))
    heading = None
    for number, token in enumerate(tokens):
        if token.type == "heading_open":
            heading = token
        if token.type != "inline" or token.map is None:
            continue
        first, last = token.map
        underlined = heading is not None and heading.markup in ("=", "-")
        contents = token.content.split("\n")
        for line, content in zip(range(start + first, start + last), contents, strict=False):
            level = int(heading.tag[1:]) if heading is not None and line == start + last - 1 else None
            result[line] = _parted(lines[line], content, level, number, underlined and level is not None)
        heading = None
    return result


def _parted(line: str, content: str, level: int | None, block: int, underlined: bool) -> Parsed:
    """A line split by what a parser says its text is."""
    text = content.strip(" \t")
    at = line.rfind(text) if level is None or underlined else line.find(text, len(line) - len(line.lstrip("#> \t")))
    if at < 0:
        return Parsed(text=line, verbatim=True)
    end = at + len(text)
    box = _BOX.match(line, at)
    if box is not None and line[:at].strip():
        at = box.end()
    return Parsed(line[:at], line[at:end], line[end:], level, False, block, underlined)


class MarkdownParagraph(PlainParagraph):
    """A line of Markdown: its structure before and after its text, and its text."""

    underline: MarkdownParagraph | None = None  # the line below it, which makes it a heading

    def __init__(self, document: PlainText, text: str, end: str, known: Parsed | None = None) -> None:
        known = parsed([text])[0] if known is None else known
        self.lead, self.tail, self.block = known.lead, known.tail, known.block
        self._is_verbatim, self._level = known.verbatim, known.level
        super().__init__(document, known.text, end, "c" * len(known.text) if known.verbatim else _fixed(known.text))

    @property
    def line(self) -> str:
        """The line that is written."""
        return f"{self.lead}{self.text}{self.tail}"

    @property
    def level(self) -> int | None:
        """The level of a heading, by its marks or by the line below it."""
        return self._level

    @level.setter
    def level(self, value: int | None) -> None:
        if value is not None and not 1 <= value <= 6:
            raise Failure(f"a heading level is 1 to 6, not {value}")
        before = self.level
        if value == before:
            return
        if self._is_verbatim:
            raise Failure(f"{self.label} is code or part of the structure of the text")
        former, below = (self.lead, self.tail, self._level), self.underline
        marked = before is not None and below is None
        containers = self.lead[: self.lead.rindex("#") + 1].rstrip("#") if marked else self.lead
        self.lead = containers + ("" if value is None else "#" * value + " ")
        self.tail = self.tail if value is not None else ""
        self._level, self.underline = value, None
        if below is not None:
            below._gone = True

        def revert() -> None:
            (self.lead, self.tail, self._level), self.underline = former, below
            if below is not None:
                below._gone = False

        self.changed("level", before, value, revert)

    def add_after(self, text: str) -> None:
        """Adds a line after it, and after the line that underlines it."""
        if self.underline is not None:
            self.underline.add_after(text)
        else:
            super().add_after(text)

    def delete(self) -> None:
        """Deletes it, with the line that underlines it."""
        super().delete()
        if self.underline is not None:
            self.underline.delete()

    def can_take(self, following: Line) -> bool:
        """Whether the next line goes on in the same paragraph of the same block."""
        if not isinstance(following, MarkdownParagraph) or not super().can_take(following):
            return False
        is_break = self.tail.startswith("  ")
        return self.block == following.block >= 0 and not is_break and self.level is following.level is None

    def join(self, following: OpenParagraph, between: str) -> Undo:
        """Takes the next line, with the line break at its end."""
        assert isinstance(following, MarkdownParagraph)
        back, former = super().join(following, between), self.tail
        self.tail = following.tail

        def revert() -> None:
            back()
            self.tail = former

        return revert


class Markdown(PlainText):
    """A .md file."""

    made = MarkdownParagraph

    def _read(self, pairs: Sequence[tuple[str, str]]) -> Iterator[PlainParagraph]:
        last: MarkdownParagraph | None = None
        for (line, end), known in zip(pairs, parsed([line for line, _ in pairs]), strict=True):
            made = MarkdownParagraph(self, line, end, known)
            if last is not None:
                last.underline = made
            last = made if known.underlined else None
            yield made

    def paragraphs(self) -> Iterator[MarkdownParagraph]:
        """Its lines."""
        return (paragraph for paragraph in self.every_paragraph() if isinstance(paragraph, MarkdownParagraph))

    def headings(self) -> Iterator[MarkdownParagraph]:
        """Those with a level."""
        return (paragraph for paragraph in self.paragraphs() if paragraph.level is not None)


def _front_matter(lines: Sequence[str]) -> int:
    """How many lines at the start are data about the text, between lines of three hyphens."""
    if not lines or lines[0].rstrip() != "---":
        return 0
    return next((number + 1 for number, line in enumerate(lines) if number and line.rstrip() in ("---", "...")), 0)


def _fixed(text: str) -> str:
    """Which characters of a text stay: code, and where links lead."""
    marks: list[Any] = [" "] * len(text)
    for found in _CODE.finditer(text):
        marks[found.start() : found.end()] = "c" * (found.end() - found.start())
    return "".join(marks)


def open_markdown(path: str) -> Markdown:
    """Opens a .md file. Raises `FileProblem`."""
    return opened(path, Markdown)
