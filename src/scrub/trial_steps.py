"""Trying a macro out: each step is done at once on a copy in memory, a slip is undone, the good ones are kept."""

from __future__ import annotations

import filecmp
import os
import re
import shutil
import tempfile
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from scrub.language.complete import Known, at, is_open
from scrub.language.layout import tidy
from scrub.model.core.change import Change
from scrub.model.core.host import Host, Question
from scrub.model.core.named import NamedTuple
from scrub.model.core.preferences import preferring
from scrub.model.core.problem import BadCall, MacroProblems, Problem, ScrubError, with_article
from scrub.model.core.values import Secret
from scrub.runner.options import RunOptions

if TYPE_CHECKING:
    from scrub.by_example.learner import Learned
    from scrub.home_folder import Home
    from scrub.runner.results import FileResult, RunResult


#: The kinds of files from which steps are learned.
_LEARNED_FROM = ("workbook", "document", "mailbox")


class Step(NamedTuple):
    """What one step did: its changes and what it said, or why it was not taken."""

    changes: list[Change]
    said: list[str]
    problem: str


class _Remembering:
    """A host that asks each question once, regardless of the number of steps."""

    def __init__(self, host: Host) -> None:
        self._host = host
        self._known: dict[str, Any] = {}

    def __getattr__(self, name: str) -> object:
        return getattr(self._host, name)

    def ask(self, question: Question) -> str | None:
        """The answer, from the first time."""
        if question.name not in self._known:
            self._known[question.name] = self._host.ask(question)
        answer: str | None = self._known[question.name]
        return answer

    def secret(self, question: Question) -> str | None:
        """The password, from the first time."""
        if question.name not in self._known:
            text = self._host.secret(question)
            self._known[question.name] = Secret(text) if text else None
        kept: Secret | None = self._known[question.name]
        return kept.reveal() if kept else None

    def progress(self, done: float, of: int, label: str) -> None:
        """Steps are short."""


class TriedStep(NamedTuple):
    """A step that went well: its text, and the `in …` line it was done under, if any."""

    text: str
    inside: str
    #: Whether the file contains it already, so that it is not done again.
    in_file: bool = False


class Trial:
    """Steps on one file. The file is never written, unless `write` runs the kept steps as an ordinary macro."""

    def __init__(self, home: Home, path: str, host: Host) -> None:
        with preferring(home.preferences):
            opened = home.formats.open(path)
        self.file_kind = opened.item.kind_word
        self.label = opened.item.label
        contents = opened.contents()
        opened.close()
        self._items = contents.names
        headings = [field.removeprefix("record.") for _, outline in contents.outlines for field in outline.fields]
        self._headings = list(dict.fromkeys(headings))
        self.home = home
        self.path = path
        self.kept: list[TriedStep] = []
        self.inside = ""
        self._host: Any = _Remembering(host)
        self._before: FileResult | None = None
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        if self.file_kind in _LEARNED_FROM and os.path.isfile(path):
            self._folder = tempfile.TemporaryDirectory(prefix="scrub-try-")
            self._remember()

    @property
    def _copy(self) -> str:
        """A copy of the file from when the trial began, or when something was learned from it last."""
        assert self._folder is not None
        return os.path.join(self._folder.name, os.path.basename(self.path))

    def _remember(self) -> None:
        if self._folder is not None:
            shutil.copyfile(self.path, self._copy)

    @property
    def kind(self) -> str:
        """The word of the current item's kind."""
        match = re.match(r"in ([\w-]+)", self.inside)
        return match[1] if match and match[1] in self.home.vocabulary.kinds else self.file_kind

    @property
    def steps(self) -> list[str]:
        """The texts of the steps that are kept."""
        return [f"{step.text}   ({step.inside})" if step.inside else step.text for step in self.kept]

    def needs_more(self, text: str) -> bool:
        """Whether a block in the text is still open; a line `in …` alone just makes another item current."""
        return not _enters(text) and is_open(text)

    def step(self, text: str) -> Step:
        """Does one statement or block; it is kept when it went well. `in …` and `end` change the current item."""
        if _enters(text):
            done = self._try([*self.kept, TriedStep("", text.strip())])
            if not done.problem:
                self.inside = text.strip()
            return done
        if text.strip().lower().split(" ")[0] == "end" and self.inside:
            self.inside = ""
            return Step([], [], "")
        fresh = TriedStep(text, self.inside)
        done = self._try([*self.kept, fresh])
        if not done.problem:
            self.kept.append(fresh)
        return done

    def _try(self, steps: list[TriedStep]) -> Step:
        steps = [step for step in steps if not step.in_file]
        source = self._macro(steps, "Trial")
        problems = self.home.problems(source, "the step")
        if problems:
            return Step([], [], "\n".join(_placed(problem) for problem in problems))
        try:
            file = self.home.run(source, [self.path], RunOptions(self._host, preview=True)).files[0]
        except ScrubError as problem:
            return Step([], [], str(problem))
        if file.problem is not None:
            return Step([], [], getattr(file.problem, "what", str(file.problem)))
        former, self._before = self._before, file
        return Step(_difference(former, file), file.said[len(former.said) if former else 0 :], "")

    def back(self) -> str:
        """Takes the last step back; gives its text. Raises `BadCall` when there is none."""
        if not self.kept:
            raise BadCall("no step to undo")
        gone = self.kept.pop()
        self._before = None
        if self.kept:
            self._try(self.kept)
        return gone.text

    def macro(self, title: str, each: str = "") -> str:
        """The kept steps as a macro. `each` names a kind: what was done in one such item is done in each of them."""
        if not self.kept:
            raise BadCall("no steps to save yet")
        if each and each not in self.home.vocabulary.kinds:
            raise BadCall(f'"{each}" is not a kind of item, such as sheet')
        return self._macro(self.kept, title, each)

    def _macro(self, steps: list[TriedStep], title: str, each: str = "") -> str:
        text = f"macro {title}\nfor {self.file_kind}\n\n{self._block(steps, each)}\n"
        try:
            return tidy(text, title)
        except MacroProblems:
            return text

    @staticmethod
    def _block(steps: list[TriedStep], each: str = "") -> str:
        lines: list[str] = []
        block = ""
        inner_only = each and not any(step.inside for step in steps)
        for step in steps:
            opener = step.inside
            if each and not step.in_file and (inner_only or re.match(rf"in {re.escape(each)}\b", opener)):
                opener = "" if _asks(step.text) else f"each {each}"
            if opener != block:
                lines += ["end"] if block else []
                lines += [opener] if opener else []
                block = opener
            lines += [step.text] if step.text else []
        lines += ["end"] if block else []
        return "\n".join(lines)

    def learn(self, tell: Callable[[str], None] = lambda text: None) -> Learned:
        """Learns what was done to the file in another program since the trial began or this was called last, and adds
        it to the steps. Raises `BadCall` if the file did not change, or if nothing can be learned from its kind.
        """
        from scrub.learning import LearnOptions, learned_from

        if self._folder is None:
            raise BadCall(f"nothing can be learned from {with_article(self.file_kind)} yet")
        if filecmp.cmp(self._copy, self.path, shallow=False):
            raise BadCall(f"{self.path} has not changed. Do the step in your own program, save, and type: learn")
        learned = learned_from(self.home, self._copy, self.path, LearnOptions(tell=tell))
        if learned.text:
            body = learned.text.split("\n", 3)[3].strip("\n")
            self.kept.append(TriedStep(body, "", True))
        self._remember()
        self._before = None
        self._try(self.kept)
        return learned

    def write(self, title: str, host: Host) -> RunResult:
        """Applies the steps to the file, as an ordinary run that can be undone; those that it contains already are left
        out. Raises `BadCall` when none is left.
        """
        fresh = [step for step in self.kept if not step.in_file]
        if self.kept and not fresh:
            raise BadCall('the file contains these steps already. To save them as a macro: keep "Title"')
        text = self._macro(fresh, title) if fresh else self.macro(title)
        result = self.home.run(text, [self.path], RunOptions(self._host))
        if not result.exit_code:
            self.kept = [step._replace(in_file=True) for step in self.kept]
            self._remember()
            self._before = None
        return result

    def completions(self, line: str) -> list[str]:
        """The words that could come next."""
        before = [f"macro Trial\nfor {self.file_kind}", self._block(self.kept), self.inside]
        text = "\n".join([*filter(None, before), line])
        if self.inside:
            text += "\nend"
        place = text.count("\n") + (0 if self.inside else 1)
        found = at(text, place, len(line) + 1, self.home.vocabulary, Known(self._items, self._headings))
        return [fit.word for fit in found]

    def offers(self) -> list[tuple[str, str]]:
        """What the current item can do: what changes it first, each as an example with its line of help."""
        kind = self.home.vocabulary.kinds[self.kind]
        actions = [(action.docs.example or action.word, action.docs.summary) for action in kind.actions.values()]
        fields = [field for field in kind.fields.values() if field.can_be_set]
        others = [field for field in kind.fields.values() if not field.can_be_set]
        told = [(field.docs.example or f"{kind.word}.{field.word}", field.docs.summary) for field in (*fields, *others)]
        half = 5 if len(actions) > 5 else len(actions)
        return [*actions[:half], *told[: 10 - half], *actions[half:], *told[10 - half :]]


def _enters(text: str) -> bool:
    return re.fullmatch(r"\s*in\s+[^\n]+", text, re.IGNORECASE) is not None


def _asks(text: str) -> bool:
    return re.match(r"[\w-]+\s*=\s*(ask|secret)\b", text.strip()) is not None


def _placed(problem: Problem) -> str:
    """A problem without the line's number, which nobody at the prompt sees."""
    return str(problem).partition("\n")[2]


def _difference(former: FileResult | None, found: FileResult) -> list[Change]:
    """What the last step changed: new changes, and earlier ones that it took back."""
    before = {(change.at, change.field): change for change in former.changes} if former else {}
    now = {(change.at, change.field): change for change in found.changes}
    fresh = [each for key, each in now.items() if key not in before or before[key].after != each.after]
    gone = [each for key, each in before.items() if key not in now]
    return [
        *fresh,
        *(Change(change.at, change.field, change.after, change.before, f"{change}, undone") for change in gone),
    ]
