"""Learning from files: copies are opened and run in a folder of their own, so that nothing is kept."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from scrub.by_example.learner import Learned, LearnOptions, Ran, learn
from scrub.model.core.declare import Reach
from scrub.model.core.preferences import preferring
from scrub.model.core.problem import ScrubError

if TYPE_CHECKING:
    from scrub.home_folder import Home

__all__ = ["LearnOptions", "Learned", "learned_from"]


class _Trials:
    """Opens files, and runs macros on copies of them."""

    def __init__(self, home: Home, folder: str, before: str, beside: Sequence[str]) -> None:
        from scrub.home_folder import Home as OtherHome

        self._home = home
        self._own = OtherHome(os.path.join(folder, "home"))
        self._folder, self._count = folder, 0
        self._base = os.path.dirname(os.path.abspath(before))
        self._beside = {self.named(path): path for path in beside}
        self._kinds: dict[str, str] = {}
        self._open: list[Any] = []

    def item(self, path: str) -> Any:
        """The item of a file."""
        opened = self._home.formats.open(path)
        self._open.append(opened)
        self._kinds[path] = opened.item.kind_word
        return opened.item

    def named(self, path: str) -> str:
        """How a macro names a file beside the first one: relative to it where it is in the same folder or below."""
        relative = os.path.relpath(os.path.abspath(path), self._base)
        return os.path.abspath(path) if relative.startswith(os.pardir) else relative.replace(os.sep, "/")

    def run(self, text: str, path: str) -> Ran:
        """What comes of a copy after a macro ran on it. Messages are filed in new mailboxes beside it."""
        from scrub.runner.options import RunOptions

        self._count += 1
        folder = os.path.join(self._folder, str(self._count))
        os.mkdir(folder)
        copy = _copied(path, os.path.join(folder, os.path.basename(path)))
        boxes = []
        for name, source in self._beside.items():
            if self._kinds.get(source) == "mailbox":
                boxes.append(name)
            elif not os.path.isabs(name):
                _copied(source, os.path.join(folder, name))
        checked = self._own.checked(text, "")
        if checked.reach <= Reach.FILES:  # what was learned opens and files at most, and here only among the copies
            self._own.approvals.approve(checked.fingerprint, checked.title)
        result = self._own.run_program(checked, [copy], RunOptions(), text)
        problem = result.files[0].problem
        if problem is not None:
            raise problem
        filed = {name: place for name in boxes if os.path.exists(place := os.path.join(folder, name))}
        return Ran(self.item(copy), {name: self.item(place) for name, place in filed.items()})

    def close(self) -> None:
        """Lets all files go."""
        for each in self._open:
            with contextlib.suppress(OSError, ScrubError):
                each.close()


def _copied(source: str, target: str) -> str:
    """A copy of a file, or of a folder of messages."""
    os.makedirs(os.path.dirname(target), exist_ok=True)
    if os.path.isdir(source):
        shutil.copytree(source, target)
    else:
        shutil.copyfile(source, target)
    return target


@contextmanager
def _trials(home: Home, before: str, beside: Sequence[str]) -> Iterator[_Trials]:
    with tempfile.TemporaryDirectory(prefix="scrub-learn-") as folder, preferring(home.preferences):
        trials = _Trials(home, folder, before, beside)
        try:
            yield trials
        finally:
            trials.close()


def learned_from(home: Home, before: str, after: str, options: LearnOptions) -> Learned:
    """See `scrub.learn`."""
    with _trials(home, before, options.beside) as trials:
        return learn(before, after, home.vocabulary, trials, options)
