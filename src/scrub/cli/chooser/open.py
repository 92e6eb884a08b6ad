"""`scrub` and `scrub FILES` at a terminal."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Sequence

import scrub
from scrub.cli.chooser.keys import Chooser
from scrub.cli.chooser.previews import Previews
from scrub.cli.chooser.state import DONE, LIST, MACRO, Shown, State, beside, choices_of, picked_of
from scrub.cli.output import echo
from scrub.cli.screen import show


def choose(names: Sequence[str]) -> int:
    """Shows the chooser for some files, or for those of the current folder; gives the exit code."""
    files = picked_of(scrub.expanded(names)) if names else beside(os.getcwd())
    previews = Previews(lambda event: page.heard(event))
    state = State(choices_of(scrub.home()), files, previews)
    page = Chooser(state)
    try:
        while True:
            state.outside = ""
            show(page, page.began)
            if not state.outside:
                return 0
            _outside(state)
    finally:
        previews.close()


def _outside(state: State) -> None:
    """Does what takes the whole terminal, and comes back."""
    choice = state.chosen
    assert choice is not None
    title, files = choice.entry.title, [file.path for file in state.picked]
    if state.outside == "details":
        _scrub("changes", str(state.saved["number"]))
        state.mode = DONE
    elif state.outside == "edit":
        _scrub("edit", title)
    elif state.outside == "step":
        _scrub("run", title, *files, "--step")
    else:
        _scrub("run", title, *files, "--review")
    echo("\nEnter: back to the macros", nl=False)
    sys.stdin.readline()
    if state.outside != "details":
        state.choices = choices_of(scrub.home())
        state.mode, state.shown = (MACRO if state.outside == "edit" else LIST), Shown()
        state.search(state.query)


def _scrub(*words: str) -> None:
    """Runs another command of this program in the same terminal."""
    subprocess.run([sys.executable, "-P", "-m", "scrub", *words], check=False)
