"""What keys do in the chooser. Typing always searches; once a macro is chosen, letters are commands."""

from __future__ import annotations

import threading
from collections.abc import Callable

import scrub
from scrub.cli.chooser.draw import draw
from scrub.cli.chooser.previews import Event
from scrub.cli.chooser.state import ALLOWING, ASKING, DONE, FILES, LIST, MACRO, SAVING, State
from scrub.cli.output import sentence
from scrub.cli.screen import Line, Page

#: Lines and macros by which a page is turned.
_PAGE = 10


class Chooser(Page):
    """The page, drawn from a state that keys and previews change."""

    def __init__(self, state: State) -> None:
        self.state = state
        self._lock = threading.RLock()
        self._redraw: Callable[[], None] = lambda: None

    def began(self, redraw: Callable[[], None]) -> None:
        """Is given what draws the page again."""
        self._redraw = redraw
        if self.state.shown.state == "waiting":
            self.state.look()

    def heard(self, event: Event) -> None:
        """Takes what a preview found, in a thread of its own."""
        with self._lock:
            self.state.event(event)
        self._redraw()

    def draw(self, columns: int, rows: int) -> list[Line]:
        """The whole page."""
        with self._lock:
            return draw(self.state, columns, rows)

    def press(self, key: str) -> bool:
        """Does what a key means in the place where the person is."""
        with self._lock:
            mode = self.state.mode
            if key == "ctrl-c":
                return mode == SAVING
            keys = {
                LIST: self._in_list, MACRO: self._in_macro, FILES: self._in_files, ASKING: self._in_question,
                ALLOWING: self._allowing, DONE: self._done,
            }  # fmt: skip
            return keys[mode](key) if mode in keys else True

    def _in_list(self, key: str) -> bool:
        state = self.state
        if key == "escape":
            if state.query:
                state.search("")
                return True
            return False
        if key == "enter":
            self._choose()
        elif key == "tab":
            state.mode = FILES if state.files else LIST
        elif key in _MOVES:
            state.move(_MOVES[key])
        elif key == "backspace":
            state.search(state.query[:-1])
        elif key == "clear":
            state.search("")
        elif typed := _typed(key):
            state.search(state.query + typed)
        return True

    def _choose(self) -> None:
        state = self.state
        if state.chosen is None:
            return
        if state.needs_files:
            state.mode = FILES if state.files else LIST
            return
        state.mode, state.problem = MACRO, ""
        if state.shown.state in ("asks", "does more", "too long"):
            self._go()

    def _go(self) -> None:
        """Begins a preview that waits for a key."""
        state = self.state
        if state.shown.state == "asks":
            state.mode, state.ask_at, state.typed, state.repeated = ASKING, 0, "", None
            state.answers, state.problem = {}, ""
        else:
            state.look(wanted=True)

    def _in_macro(self, key: str) -> bool:
        state = self.state
        shown = state.shown
        if key == "escape":
            if state.text_shown:
                state.text_shown = False
            else:
                state.mode = LIST
        elif key == "enter":
            if shown.state in ("asks", "does more", "too long"):
                self._go()
            elif shown.state == "ready" and shown.saves and shown.does:
                state.mode = ALLOWING
            elif shown.state == "ready" and shown.saves:
                state.save()
        elif key in ("page-down", "down"):
            state.scrolled += _PAGE if key == "page-down" else 1
        elif key in ("page-up", "up"):
            state.scrolled = max(0, state.scrolled - (_PAGE if key == "page-up" else 1))
        elif key == "f" and state.files:
            state.mode = FILES
        elif key == "?":
            state.text_shown, state.scrolled = not state.text_shown, 0
        elif key == "r" and shown.state == "ready" and shown.saves:
            return self._leave_for("review")
        elif key in ("e", "s"):
            return self._leave_for("edit" if key == "e" else "step")
        return True

    def _leave_for(self, what: str) -> bool:
        self.state.outside = what
        return False

    def _in_files(self, key: str) -> bool:
        state = self.state
        if key in ("enter", "escape", "tab"):
            state.mode = LIST if key == "tab" or state.needs_files else MACRO if key == "enter" else LIST
            if not state.find_again():
                state.mode = LIST
            state.look(wanted=bool(state.answers))
        elif key in _MOVES:
            state.file_at = max(0, min(len(state.files) - 1, state.file_at + _MOVES[key]))
        elif key == " ":
            file = state.files[state.file_at]
            file.ticked = not file.ticked
        elif key == "a":
            every = all(file.ticked for file in state.files)
            for file in state.files:
                file.ticked = not every
        return True

    def _in_question(self, key: str) -> bool:
        state = self.state
        ask = state.shown.asks[state.ask_at]
        if key == "escape":
            state.mode, state.answers = LIST, {}
        elif key == "enter":
            self._answer(ask)
        elif key == "backspace":
            state.typed = state.typed[:-1]
        elif key == "clear":
            state.typed = ""
        elif typed := _typed(key):
            state.typed += typed
        return True

    def _answer(self, ask: Event) -> None:
        state = self.state
        state.problem = ""
        if not state.typed and ask["default"] is None:
            return
        if ask["secret"] and ask["twice"]:
            if state.repeated is None:
                state.repeated, state.typed = state.typed, ""
                return
            if state.repeated != state.typed:
                state.problem, state.repeated, state.typed = "The two passwords do not match.", None, ""
                return
        state.answers[ask["name"]] = state.typed
        state.typed, state.repeated = "", None
        state.ask_at += 1
        if state.ask_at == len(state.shown.asks):
            state.mode = MACRO
            asks = state.shown.asks
            state.look(wanted=True)
            state.shown.asks = asks

    def _allowing(self, key: str) -> bool:
        if key == "y":
            self.state.save()
        elif key in ("n", "escape"):
            self.state.mode = MACRO
        return True

    def _done(self, key: str) -> bool:
        state = self.state
        if key == "escape":
            return False
        if key == "enter":
            state.mode, state.undone, state.saved = LIST, "", {}
            state.query = ""
            state.find_again()
            state.look()
        elif key == "u" and state.can_undo:
            try:
                scrub.undo(state.saved["number"])
                state.undone = f"Undone: run {state.saved['number']}."
            except scrub.ScrubError as problem:
                state.undone = sentence(str(problem))
        elif key == "d" and state.can_undo:
            return self._leave_for("details")
        return True


_MOVES = {"up": -1, "down": 1, "page-up": -_PAGE, "page-down": _PAGE, "home": -(10**6), "end": 10**6}


def _typed(key: str) -> str:
    """What a key types; an empty text for one that types nothing."""
    if key.startswith("paste:"):
        return key.removeprefix("paste:").split("\n")[0].strip("\r")
    return key if len(key) == 1 and key.isprintable() else ""
