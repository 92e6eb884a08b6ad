"""What the chooser knows: the macros and files, what is chosen, and how far that has come. Keys are in `keys`, what is
seen of it in `draw`.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import scrub
from scrub.cli.chooser.previews import Event, Previews

LIST, MACRO, FILES, ASKING, ALLOWING, SAVING, DONE = "list macro files asking allowing saving done".split()


@dataclass
class PickedFile:
    """A file that can be worked on."""

    path: str
    kind: str
    ticked: bool = True

    @property
    def name(self) -> str:
        """Its name alone."""
        return os.path.basename(self.path)


@dataclass
class Choice:
    """A macro in the list."""

    entry: scrub.LibraryEntry
    key: str
    group: str
    times: int
    last: str
    words: str = field(repr=False)


@dataclass
class Shown:
    """What is known of the macro that is chosen."""

    asks: list[Event] = field(default_factory=list)
    does: list[str] = field(default_factory=list)
    files: list[Event] = field(default_factory=list)
    glimpses: dict[str, list[str]] = field(default_factory=dict)
    progress: Event | None = None
    #: "waiting", "asks", "does more", "working", "ready", "problem" or "too long".
    state: str = "waiting"
    problem: str = ""
    saves: bool = False

    def event(self, event: Event) -> None:
        """Takes what the process found."""
        what = event["is"]
        if what == "about":
            self.asks, self.does = event["asks"], event["does"]
            self.state = "asks" if self.asks else "does more" if self.does else "working"
        elif what == "progress":
            self.progress, self.state = event, "working"
        elif what == "glimpse":
            self.glimpses[event["path"]], self.state = event["lines"], "working"
        elif what == "prepared":
            self.files, self.saves, self.does, self.state = event["files"], event["saves"], event["does"], "ready"
        elif what == "failed":
            self.problem, self.state = event["problem"], "problem"
        elif what == "too long":
            self.state = "too long"
        elif what == "ended" and self.state not in ("ready", "problem"):
            self.problem, self.state = "the preview ended without a result", "problem"


class State:
    """The chooser, as far as it does not depend on the terminal."""

    def __init__(self, choices: Sequence[Choice], files: Sequence[PickedFile], previews: Previews) -> None:
        """`files` are those that were named, or those of the current folder, none of them ticked."""
        self.choices, self.files, self.previews = list(choices), list(files), previews
        self.every = len(self.choices)
        self.mode = LIST
        self.query = ""
        self.at = 0  # the macro, among those found
        self.file_at = 0
        self.text_shown = False  # the macro's text, in place of the preview
        self.scrolled = 0
        self.columns = 60  # of the right side
        self.shown = Shown()
        self.answers: dict[str, str] = {}
        self.ask_at = 0
        self.typed = ""
        self.repeated: str | None = None
        self.problem = ""
        self.saved: Event = {}
        self.undone = ""
        self.outside = ""  # what is done outside the page: edit, step, review or details
        self.found = self._found()

    # -- the list

    @property
    def kinds(self) -> set[str]:
        """The kinds of the files that are ticked; of all, where none is."""
        ticked = {file.kind for file in self.files if file.ticked}
        return ticked or {file.kind for file in self.files}

    def _found(self) -> list[Choice]:
        fits = [each for each in self.choices if self._fits(each)]
        words = scrub.fold(self.query).split()
        if not words:
            return [each for each in fits if each.key] + [each for each in fits if not each.key]
        found = [each for each in fits if all(word in each.words or word == scrub.fold(each.key) for word in words)]
        title = " ".join(words)

        def rank(each: Choice) -> tuple[bool, bool, bool]:
            folded = scrub.fold(each.entry.title)
            return (scrub.fold(each.key) != title, not folded.startswith(title), not all(w in folded for w in words))

        return sorted(found, key=rank)

    def _fits(self, choice: Choice) -> bool:
        runs_on = set(choice.entry.runs_on)
        return not self.files or bool(runs_on & (self.kinds | {"nothing"}))

    def search(self, query: str) -> None:
        """Looks for other words."""
        self.query = query
        chosen = self.chosen
        self.found = self._found()
        self.at = 0
        if self.chosen is not chosen:
            self.look()

    def find_again(self) -> bool:
        """Finds the macros again; tells whether the chosen one is among them still."""
        chosen = self.chosen
        self.found = self._found()
        self.at = self.found.index(chosen) if chosen in self.found else 0
        return self.chosen is chosen

    @property
    def chosen(self) -> Choice | None:
        """The macro that is chosen."""
        return self.found[self.at] if self.found else None

    def move(self, steps: int) -> None:
        """Chooses another one."""
        before = self.at
        self.at = max(0, min(len(self.found) - 1, self.at + steps))
        if self.at != before:
            self.look()

    # -- the preview

    @property
    def picked(self) -> list[PickedFile]:
        """The ticked files on which the chosen macro runs."""
        choice = self.chosen
        return [each for each in self.files if each.ticked and choice and each.kind in choice.entry.runs_on]

    @property
    def needs_files(self) -> bool:
        """Whether the chosen macro cannot run as no file is picked for it."""
        choice = self.chosen
        return choice is not None and not self.picked and "nothing" not in choice.entry.runs_on

    def look(self, wanted: bool = False) -> None:
        """Asks for the preview of the chosen macro; `wanted` tells that somebody asked for this very one."""
        self.shown, self.scrolled, self.text_shown = Shown(), 0, False
        if not wanted:
            self.answers = {}
        choice = self.chosen
        if choice is None or self.needs_files:
            self.previews.stop()
            return
        request = {
            "do": "look", "macro": choice.entry.title, "files": [each.path for each in self.picked],
            "answers": self.answers, "wanted": wanted, "columns": max(40, self.columns),
        }  # fmt: skip
        self.previews.want(request, at_once=wanted)

    def event(self, event: Event) -> None:
        """Takes what was found of the preview."""
        if event["is"] == "saved":
            self.saved, self.mode = event, DONE
            return
        if event["is"] == "wrong":
            names = [ask["name"] for ask in self.shown.asks]
            self.mode, self.ask_at, self.typed = ASKING, names.index(event["name"]), ""
            self.problem = event["problem"]
            return
        asks = self.shown.asks
        self.shown.event(event)
        if asks and self.answers and event["is"] == "about":
            self.shown.state = "working"
        if self.mode == SAVING:  # it came out differently than it was shown, or failed
            self.mode = MACRO
            self.problem = "Something changed since the preview. Look at it again." if event["is"] == "prepared" else ""

    @property
    def can_undo(self) -> bool:
        """Whether something was saved that can be undone."""
        return bool(self.saved.get("files")) and not self.undone

    @property
    def changes(self) -> int:
        """How many changes there would be."""
        return sum(file["changes"] for file in self.shown.files)

    @property
    def changed(self) -> list[Event]:
        """The files that would change."""
        return [file for file in self.shown.files if file["state"] == "changed"]

    def save(self) -> None:
        """Saves what was shown."""
        self.mode, self.problem = SAVING, ""
        self.previews.save({"do": "save"})


def choices_of(home: scrub.Home) -> list[Choice]:
    """The macros that can be run, those with a key first."""
    pins = {scrub.fold(pin.title): pin.key for pin in home.pins.all()}
    use: Mapping[str, tuple[int, str]] = home.use.of()
    found = []
    order = {title: number for number, title in enumerate(pins)}
    for entry in home.library.entries():
        if entry.draft or entry.unreadable:
            continue
        key = pins.get(scrub.fold(entry.title), "")
        times, last = use.get(entry.title, (0, ""))
        words = scrub.fold(f"{entry.title} {entry.group} {entry.about}")
        group = entry.group or "No group"
        found.append(Choice(entry, key, group, times, last, words))
    return sorted(found, key=lambda each: order.get(scrub.fold(each.entry.title), len(order)) if each.key else 10**6)


def picked_of(paths: Iterable[str]) -> list[PickedFile]:
    """The files that were named. Raises `FileProblem` for one that cannot be opened."""
    return [PickedFile(path if "://" in path else os.path.abspath(path), scrub.kind_of(path)) for path in paths]


def beside(folder: str) -> list[PickedFile]:
    """The files of a folder that can be worked on, none of them ticked."""
    found: list[PickedFile] = []
    for name in sorted(os.listdir(folder)):
        path = os.path.join(folder, name)
        if name.startswith((".", "~")) or not os.path.isfile(path) or scrub.is_macro_path(name):
            continue
        try:
            found.append(PickedFile(os.path.abspath(path), scrub.kind_of(name), False))
        except scrub.ScrubError:
            continue
        if len(found) == _MOST:
            break
    return found


#: Files of the current folder that are offered.
_MOST = 500
