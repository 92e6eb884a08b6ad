"""Learning from files: copies are opened and run in a folder of their own, so that nothing is kept."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from scrub.by_example.learner import Learned, learn
from scrub.model.core.preferences import preferring
from scrub.model.core.problem import ScrubError

if TYPE_CHECKING:
    from scrub.home_folder import Home

__all__ = ["Learned", "learned_from"]


class _Trials:
    """Opens files, and runs macros on copies of them."""

    def __init__(self, home: Home, folder: str) -> None:
        from scrub.home_folder import Home as OtherHome

        self._home = home
        self._own = OtherHome(os.path.join(folder, "home"))
        self._folder, self._count = folder, 0
        self._open: list[Any] = []

    def item(self, path: str) -> Any:
        """The item of a file."""
        opened = self._home.formats.open(path)
        self._open.append(opened)
        return opened.item

    def run(self, text: str, path: str) -> Any:
        """The item of a copy after a macro ran on it."""
        from scrub.runner.options import RunOptions

        self._count += 1
        copy = os.path.join(self._folder, f"{self._count}", os.path.basename(path))
        os.mkdir(os.path.dirname(copy))
        shutil.copyfile(path, copy)
        result = self._own.run_program(self._own.checked(text, ""), [copy], RunOptions(), text)
        problem = result.files[0].problem
        if problem is not None:
            raise problem
        return self.item(copy)

    def close(self) -> None:
        """Lets all files go."""
        for each in self._open:
            with contextlib.suppress(OSError, ScrubError):
                each.close()


@contextmanager
def _trials(home: Home) -> Iterator[_Trials]:
    with tempfile.TemporaryDirectory(prefix="scrub-learn-") as folder, preferring(home.preferences):
        trials = _Trials(home, folder)
        try:
            yield trials
        finally:
            trials.close()


def learned_from(
    home: Home,
    before: str,
    after: str,
    also: Sequence[tuple[str, str]] = (),
    title: str = "Learned",
    tell: Callable[[str], None] = lambda text: None,
) -> Learned:
    """See `scrub.learn`."""
    with _trials(home) as trials:
        return learn(before, after, home.vocabulary, trials, also, title, tell)
