"""A page that fills the terminal: what it shows is a function of its state, and keys change that."""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Callable
from typing import Any, Protocol

from scrub.cli.output import cells, one_line

#: How a piece of a line looks. Colours are left out: no colour can be read on every background.
PLAIN, BOLD, DIM, CHOSEN = "", "bold", "dim", "reverse"


class Line(list[tuple[str, str]]):
    """A line as pieces of text, each with its look."""

    def add(self, text: str, look: str = PLAIN) -> Line:
        """Puts a piece at its end; what a terminal would obey is named."""
        self.append((look, one_line(text)))
        return self

    @property
    def size(self) -> int:
        """The columns that it takes."""
        return sum(cells(text) for _, text in self)

    @property
    def text(self) -> str:
        """Its text alone."""
        return "".join(text for _, text in self)

    def fitted(self, columns: int, look: str | None = None) -> Line:
        """The line in exactly that many columns, cut or filled; with another look, all of it has that."""
        done, left = Line(), columns
        for own, text in self:
            shown = cut_at(text, left)
            done.append((look if look is not None else own, shown))
            left -= cells(shown)
            if not left:
                break
        done.append((look or PLAIN, " " * left))
        return done


def line(text: str = "", look: str = PLAIN) -> Line:
    """A line of one piece."""
    return Line().add(text, look) if text else Line()


def cut_at(text: str, columns: int) -> str:
    """The beginning of a text that fits into some columns."""
    if text.isascii():
        return text[:columns]
    while text and cells(text) > columns:
        text = text[: min(len(text) - 1, columns)]
    return text


def cut_middle(text: str, columns: int) -> str:
    """A text that fits into some columns; one that is too long loses its middle, as its end tells it from others."""
    if cells(text) <= columns:
        return text
    half = (columns - 1) // 2
    end = text
    while cells(end) > half:
        end = end[1:]
    return f"{cut_at(text, columns - 1 - cells(end))}\u2026{end}"


def keys_line(*keys: tuple[str, str]) -> Line:
    """The keys that can be pressed, each with what it does."""
    result = Line()
    for key, does in keys:
        result.add("   " if result else "").add(key, BOLD).add(f" {does}")
    return result


class Page(Protocol):
    """What is shown, and what keys do."""

    def draw(self, columns: int, rows: int) -> list[Line]:
        """The lines of the page, at most as many as there are rows."""

    def press(self, key: str) -> bool:
        """Is told of a key: a character, or enter, escape, up, down, left, right, tab, backspace, page-up, page-down,
        home, end, ctrl-c, paste:TEXT; gives False to leave the page.
        """


_NAMES = {
    "c-m": "enter", "c-j": "enter", "escape": "escape", "up": "up", "down": "down", "left": "left", "right": "right",
    "c-i": "tab", "s-tab": "shift-tab", "c-h": "backspace", "pageup": "page-up", "pagedown": "page-down",
    "home": "home", "end": "end", "c-c": "ctrl-c", "c-d": "ctrl-c", "delete": "delete", "c-u": "clear",
}  # fmt: skip


def show(page: Page, began: Callable[[Callable[[], None]], None] | None = None) -> None:
    """Shows a page until it is left. `began` is called when the page is first seen, with what draws it again, which
    any thread may call.
    """
    _draw_first(page)
    from prompt_toolkit.application import Application
    from prompt_toolkit.formatted_text import StyleAndTextTuples
    from prompt_toolkit.key_binding import KeyBindings, KeyPressEvent
    from prompt_toolkit.keys import Keys
    from prompt_toolkit.layout import FormattedTextControl, Layout, Window
    from prompt_toolkit.output import ColorDepth
    from prompt_toolkit.styles import Style

    def drawn() -> StyleAndTextTuples:
        size = application.output.get_size()
        pieces: StyleAndTextTuples = []
        for number, each in enumerate(page.draw(size.columns, size.rows)[: size.rows]):
            pieces += [("", "\n")] if number else []
            pieces += [(look, text) for look, text in each.fitted(size.columns)]
        return pieces

    bindings = KeyBindings()

    def pressed(event: KeyPressEvent) -> None:
        key = event.key_sequence[-1]
        name = key.key.value if isinstance(key.key, Keys) else key.key
        told = f"paste:{key.data}" if name == "<bracketed-paste>" else _NAMES.get(name, name)
        if not page.press(told) and not event.app.is_done:
            event.app.exit()

    for key in (Keys.Any, Keys.BracketedPaste, *_NAMES):
        bindings.add(key, eager=key == "escape")(pressed)
    application: Application[Any] = Application(
        layout=Layout(Window(FormattedTextControl(drawn, focusable=True, show_cursor=False), always_hide_cursor=True)),
        key_bindings=bindings,
        full_screen=True,
        color_depth=ColorDepth.DEPTH_1_BIT,
        style=Style([]),
        include_default_pygments_style=False,
    )
    application.ttimeoutlen = 0.05  # how long Escape waits for what may follow it
    application.timeoutlen = 0.05
    if began is not None:

        def seen(_: object) -> None:
            application.after_render -= seen
            began(application.invalidate)

        application.after_render += seen
    application.run()


#: What a terminal is told for a look, before the library that does it otherwise is imported (ECMA-48, 8.3.117).
_LOOKS = {PLAIN: "", BOLD: "\x1b[1m", DIM: "\x1b[2m", CHOSEN: "\x1b[7m"}


def _draw_first(page: Page) -> None:
    """Shows a page once, by hand: half of the time until it is seen would go by importing what reads the keys."""
    if sys.platform == "win32" or not is_terminal():
        return
    size = os.get_terminal_size(sys.stdout.fileno())
    rows = []
    for each in page.draw(size.columns, size.lines)[: size.lines]:
        pieces = (f"{_LOOKS[look]}{text}\x1b[0m" if look else text for look, text in each.fitted(size.columns))
        rows.append("".join(pieces))
    # The other screen of the terminal, from its first place, without a cursor.
    sys.stdout.write("\x1b[?1049h\x1b[?25l\x1b[H\x1b[J" + "\r\n".join(rows))
    sys.stdout.flush()


def forget_typed() -> None:
    """Drops what was typed before a question was on the screen: nobody meant it as an answer."""
    with contextlib.suppress(ImportError, OSError, ValueError):
        import termios

        termios.tcflush(sys.stdin.fileno(), termios.TCIFLUSH)


def is_terminal() -> bool:
    """Whether somebody sees a page here and can press keys."""
    return sys.stdin.isatty() and sys.stdout.isatty() and os.environ.get("TERM", "") not in ("", "dumb")
