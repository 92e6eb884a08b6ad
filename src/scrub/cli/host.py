"""The person at the terminal: asks them, and shows a bar when something takes long."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Sequence

import click

import scrub
from scrub import Go, Outgoing, Question, View, counted
from scrub.cli.output import BAR, cut, echo, file_size, one_line, quiet, strong, width


class TerminalHost:
    """A host at a terminal. What is said is kept for whoever prints the results; without a terminal nobody answers."""

    def __init__(self, asking: bool = True, bars: bool = True) -> None:
        self.asking = asking and sys.stdin.isatty()
        self._bars = bars and sys.stderr.isatty()
        self.failed = 0  # the files that failed so far
        self._shown = False
        self._began = self._drawn = 0.0
        self._timer: threading.Timer | None = None
        self._lock = threading.Lock()
        self._state: tuple[float, int, str] = (0, 1, "")

    @property
    def watching(self) -> bool:
        """Whether somebody looks at a bar while a file is worked on."""
        return self._bars

    def say(self, text: str) -> None:
        """Kept in the result of the file."""

    def log(self, text: str) -> None:
        """Kept in the record of the run."""

    def ask(self, question: Question) -> str | None:
        """The answer typed at the terminal; one that was wrong is told, and asked for again."""
        if not self.asking:
            return None
        if question.problem:
            echo(question.problem, err=True)
        hint = ""
        if question.choices:
            hint = f" ({', '.join(str(choice) for choice in question.choices)})"
        elif question.type == "yes-no":
            hint = " (yes or no)"
        default = "" if question.default is None else str(question.default)
        if question.default in (True, False):
            default = "yes" if question.default else "no"
        prompt = BAR + one_line(question.prompt + hint)
        answer: str = click.prompt(prompt, default=default, show_default=bool(default), err=True)
        return answer

    def secret(self, question: Question) -> str | None:
        """A password typed without echo; a new one twice."""
        if not self.asking:
            return None
        again = "Repeat the password" if question.twice else False
        answer: str = click.prompt(
            f"Password ({question.prompt})", hide_input=True, err=True, confirmation_prompt=again
        )
        return answer

    def approve(self, title: str, reaches: Sequence[str]) -> bool:
        """Asks once."""
        if not self.asking:
            return False
        for reach in reaches:
            echo(f'"{title}" {reach}.', err=True)
        return click.confirm("Allow this?", err=True)

    def approve_sending(self, messages: Sequence[Outgoing]) -> bool | None:
        """Shows to whom what goes, and asks once."""
        if not self.asking:
            return None
        self.close()
        echo(f"{counted(len(messages), 'message')} will be sent. Sending cannot be undone:", err=True)
        for message in messages:
            to = ", ".join(message.recipients)
            echo(f"  {to}  {strong(message.subject)}  {file_size(message.size)}", err=True)
        return click.confirm("Send?" if len(messages) == 1 else "Send them?", err=True)

    def in_use(self, path: str, why: str) -> str:
        """Asks what to do about a file that another program has open; without a terminal, stops."""
        if not self.asking:
            return "stop"
        self.close()
        echo(f"{path}: {why}", err=True)
        choices = click.Choice(["wait", "copy", "stop"])
        answer: str = click.prompt(
            "Wait until it is closed, save the result beside it, or stop?", type=choices, err=True
        )
        return answer

    def progress(self, done: float, of: int, label: str) -> None:
        """Moves the bar, which is shown when the work has taken as long as the setting `bar-after` says."""
        with self._lock:
            self._state = (done, of, one_line(label))
            if self._timer is None and done < of and self._bars:
                delay = float(scrub.home().settings.load().get("bar-after", 1))
                self._began = time.monotonic()
                self._timer = threading.Timer(delay, self._show)
                self._timer.daemon = True
                self._shown = not delay
                if delay:
                    self._timer.start()
            self._draw()
        if done >= of:
            self.close()

    @property
    def busy(self) -> bool:
        """Whether a bar is on the screen."""
        return self._shown

    def _show(self) -> None:
        with self._lock:
            if self._timer is not None:
                self._shown = True
                self._draw()

    def _draw(self) -> None:
        """Draws the bar on its one line, ten times a second at most."""
        now = time.monotonic()
        if not self._shown or now - self._drawn < 0.1:
            return
        self._drawn = now
        sys.stderr.write("\r" + shown_bar(*self._state, now - self._began, width() - 1, self.failed) + "\x1b[K")
        sys.stderr.flush()

    def close(self) -> None:
        """Removes the bar."""
        with self._lock:
            if self._timer is not None:
                self._timer.cancel()
                self._timer = None
            if self._shown and self._drawn:
                sys.stderr.write("\r\x1b[K")
                sys.stderr.flush()
            self._shown, self._drawn = False, 0.0


def shown_bar(done: float, of: int, label: str, seconds: float, room: int, failed: int = 0) -> str:
    """`██████░░░░  26 of 300, 1 failed, 14 a second, about 20 s left   week-026.xlsx`: the empty part is lighter on
    every background.
    """
    share = max(0.0, min(1.0, done / of if of else 1.0))
    full = round(share * _BAR)
    count = f"{min(of, int(done) + 1):,} of {of:,}" if of > 1 else f"{share:.0%}"
    count += f", {failed:,} failed" if failed else ""
    count += f", {done / seconds:.0f} a second" if of >= _MANY and seconds > 2 and done > seconds else ""
    left = f", about {_span(seconds / share - seconds)} left" if share > 0.02 and seconds > 2 else ""
    return cut(f"{'█' * full}{'░' * (_BAR - full)}  {count}{left}   {label}", room)


def _span(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 100 else f"{seconds / 60:.0f} min"


#: Files from which on the bar tells how many are done in a second.
_MANY = 100
#: The columns of the bar.
_BAR = 10


class TerminalStepper:
    """Shows each statement with the current item and the values, and asks how to go on."""

    def __init__(self) -> None:
        self._explained = False

    def step(self, view: View) -> Go:
        """Asks on the terminal; an empty answer is: next."""
        if not self._explained:
            echo(quiet(_KEYS), err=True)
            self._explained = True
        echo(f"{view.title}, line {view.line}" + (f"  ({view.item})" if view.item else ""), err=True)
        echo(f"    {strong(view.text)}", err=True)
        if view.values:
            echo(quiet(f"    ({', '.join(f'{name} = {value}' for name, value in view.values.items())})"), err=True)
        words = {go.value[0]: go for go in Go} | {go.value: go for go in Go}
        while True:
            answer = click.prompt("  key", default="next", show_default=False, err=True)
            if answer.strip().lower() in words:
                return words[answer.strip().lower()]
            echo(_KEYS, err=True)


_KEYS = "Enter = next   i = into a macro   o = over this block   e = to the end   s = stop"
