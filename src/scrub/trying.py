"""Trying a macro out: each step is done at once on a copy in memory, a slip is taken back, the good ones are kept."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

from scrub.language.complete import completions, is_open
from scrub.model.change import Change
from scrub.model.host import Host, Question
from scrub.model.problem import BadCall, Problem, ScrubError
from scrub.model.values import Secret

if TYPE_CHECKING:
    from scrub.runner.run import FileResult, RunResult
    from scrub.wiring import Home


class Step(NamedTuple):
    """What one step did: its changes and what it said, or why it was not taken."""

    changes: list[Change]
    said: list[str]
    problem: str


class _Remembering:
    """A host that asks each question once, whatever the number of steps."""

    def __init__(self, host: Host) -> None:
        self._host = host
        self._known: dict[str, Any] = {}

    def __getattr__(self, name: str) -> Any:
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

    def progress(self, done: int, of: int, label: str) -> None:
        """Steps are short."""


class Trial:
    """Steps on one file. The file is never written, unless `write` runs the kept steps as an ordinary macro."""

    def __init__(self, home: Home, path: str, host: Host) -> None:
        from scrub.formats.open import open_file

        item = open_file(path)
        self.kind = item.kind_word
        self.label = item.label
        item.close()  # type: ignore[attr-defined]
        self.home = home
        self.path = path
        self.steps: list[str] = []
        self._host: Any = _Remembering(host)
        self._before: FileResult | None = None

    def needs_more(self, text: str) -> bool:
        """Whether a block in the text is still open."""
        return is_open(text)

    def step(self, text: str) -> Step:
        """Does one statement or block; it is kept when it went well."""
        source = self._macro([*self.steps, text], "Trial")
        problems = self.home.problems(source, "the step")
        if problems:
            return Step([], [], "\n".join(self._placed(problem) for problem in problems))
        try:
            found = self.home.run(source, [self.path], preview=True, answers={}, host=self._host).files[0]
        except ScrubError as problem:
            return Step([], [], str(problem))
        if found.problem is not None:
            return Step([], [], getattr(found.problem, "what", str(found.problem)))
        former = self._before
        self._before = found
        self.steps.append(text)
        known = {_key(change) for change in (former.changes if former else [])}
        fresh = [change for change in found.changes if _key(change) not in known]
        undone = [
            Change(change.place, change.what, change.after, change.before, f"{change}, taken back")
            for change in (former.changes if former else [])
            if (change.place, change.what) not in {(each.place, each.what) for each in found.changes}
        ]
        return Step([*fresh, *undone], found.said[len(former.said) if former else 0 :], "")

    def _placed(self, problem: Problem) -> str:
        lines = str(problem).split("\n", 1)
        return lines[1] if len(lines) > 1 else lines[0]

    def back(self) -> str:
        """Takes the last step back; gives its text. Raises `BadCall` when there is none."""
        if not self.steps:
            raise BadCall("there is no step to take back")
        gone = self.steps.pop()
        steps, self.steps, self._before = self.steps, [], None
        for text in steps:
            self.step(text)
        return gone

    def macro(self, title: str, each: str = "") -> str:
        """The kept steps as a macro; `each` names a kind that they are repeated for."""
        if not self.steps:
            raise BadCall("there is nothing to keep yet")
        if each and each not in self.home.vocabulary.kinds:
            raise BadCall(f'"{each}" is no kind of item')
        return self._macro(self.steps, title, each)

    def _macro(self, steps: list[str], title: str, each: str = "") -> str:
        body = "\n".join(steps)
        if each:
            asked = [step for step in steps if "= ask(" in step or "= secret(" in step]
            inner = "\n".join(step for step in steps if step not in asked)
            body = "\n".join([*asked, f"each {each}", inner, "end"])
        from scrub.language.layout import tidy
        from scrub.model.problem import MacroProblems

        text = f"macro {title}\nfor {self.kind}\n\n{body}\n"
        try:
            return tidy(text, title)
        except MacroProblems:
            return text

    def write(self, title: str, host: Host) -> RunResult:
        """Applies the steps to the file, as an ordinary run that can be taken back."""
        return self.home.run(self.macro(title), [self.path], preview=False, answers={}, host=self._host)

    def completions(self, line: str) -> list[str]:
        """The words that could come next."""
        names = [step.partition("=")[0].strip() for step in self.steps if "=" in step.partition("\n")[0]]
        return completions(self.home.vocabulary, line, self.kind, [name for name in names if name.isidentifier()])

    def offers(self) -> list[tuple[str, str]]:
        """What the current item, and the items in it, can do: each word with its line of help."""
        found = []
        for kind in self.home.vocabulary.kinds.values():
            if kind.word != self.kind and self.home.vocabulary.path(self.kind, kind.word) is None:
                continue
            found += [(f"{kind.word}.{field.word}", field.docs.summary) for field in kind.fields.values()]
            found += [
                (
                    action.word,
                    action.docs.summary + ("" if kind.word == self.kind else f" In a block: each {kind.word}"),
                )
                for action in kind.actions.values()
            ]
        return found


def _key(change: Change) -> tuple[str, str, str]:
    return change.place, change.what, str(change.after)
