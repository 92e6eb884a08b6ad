"""The person at the terminal: asks them, and shows a bar when something takes long."""

from __future__ import annotations

import sys
import threading
from collections.abc import Sequence
from typing import Any

import click

import scrub
from scrub import Go, Outgoing, Question, View, counted
from scrub.cli.output import accent, echo, file_size, one_line


class TerminalHost:
    """A host at a terminal. What is said is kept for whoever prints the results; without a terminal nobody answers."""

    def __init__(self, asking: bool = True, bars: bool = True) -> None:
        self.asking = asking and sys.stdin.isatty()
        self._bars = bars and sys.stderr.isatty()
        self._bar: Any = None
        self._task: Any = None
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
        answer: str = click.prompt(question.prompt + hint, default=default, show_default=bool(default), err=True)
        return answer

    def secret(self, question: Question) -> str | None:
        """A password typed without echo; a new one twice."""
        if not self.asking:
            return None
        again = "The same once more" if question.twice else False
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
        echo(f"{counted(len(messages), 'message')} will be sent, and cannot be taken back:", err=True)
        for each in messages:
            to = ", ".join(each.recipients)
            echo(f"  {to}  {accent(each.subject)}  {file_size(each.size)}", err=True)
        return click.confirm("Send?" if len(messages) == 1 else "Send them?", err=True)

    def in_use(self, path: str, why: str) -> str:
        """Asks what to do about a file that another program has open; without a terminal, stops."""
        if not self.asking:
            return "stop"
        self.close()
        echo(f"{path}: {why}", err=True)
        choices = click.Choice(["wait", "copy", "stop"])
        answer: str = click.prompt(
            "Wait until it is closed, put the result beside it, or stop?", type=choices, err=True
        )
        return answer

    def progress(self, done: float, of: int, label: str) -> None:
        """Moves the bar, which is shown when the work has taken as long as the setting `bar-after` says."""
        label = one_line(label)
        label = f"{min(of, int(done) + 1)}/{of} {label}" if of > 1 else label
        soon = False
        with self._lock:
            self._state = (done, of, label)
            if self._bar is not None:
                self._bar.update(self._task, completed=done, total=of, description=label)
            elif self._timer is None and done < of and self._bars:
                delay = float(scrub.home().settings.load().get("bar-after", 1))
                self._timer = threading.Timer(delay, self._show)
                self._timer.daemon = True
                if delay:
                    self._timer.start()
                else:
                    soon = True
        if soon:
            self._show()
        if done >= of:
            self.close()

    @property
    def busy(self) -> bool:
        """Whether a bar is on the screen."""
        return self._bar is not None

    def _show(self) -> None:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn

        with self._lock:
            done, of, label = self._state
            if self._timer is None:
                return
            bar = BarColumn(30, style="dim", complete_style="cyan", finished_style="cyan", pulse_style="cyan")
            self._bar = Progress(
                bar,
                TaskProgressColumn(),
                TimeRemainingColumn(compact=True),
                TextColumn("{task.description}", markup=False),
                console=Console(stderr=True),
                transient=True,
            )
            self._task = self._bar.add_task(label, total=of, completed=done)
            self._bar.start()

    def close(self) -> None:
        """Takes the bar away."""
        with self._lock:
            if self._timer is not None:
                self._timer.cancel()
                self._timer = None
            if self._bar is not None:
                self._bar.stop()
                self._bar = None


class TerminalStepper:
    """Shows each statement with the current item and the values, and asks how to go on."""

    def step(self, view: View) -> Go:
        """Asks on the terminal; an empty answer is: next."""
        echo(f"{view.title}, line {view.line}" + (f"  ({view.item})" if view.item else ""), err=True)
        echo(f"    {view.text}", err=True)
        if view.values:
            echo(f"    ({', '.join(f'{name} = {value}' for name, value in view.values.items())})", err=True)
        words = {go.value[0]: go for go in Go} | {go.value: go for go in Go}
        while True:
            answer = click.prompt("next, into, over, end, stop", default="next", show_default=False, err=True)
            if answer.strip().lower() in words:
                return words[answer.strip().lower()]
            echo("Answer with one of these words, or its first letter.", err=True)
