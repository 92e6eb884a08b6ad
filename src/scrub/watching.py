"""A folder that is watched: a macro runs on each file that arrives there, once by its contents."""

from __future__ import annotations

import errno
import hashlib
import os
import shutil
import time
from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING, NamedTuple

from scrub.model.core.declare import Reach
from scrub.model.core.host import QuietHost
from scrub.model.core.problem import BadCall, Refused, ScrubError, with_article
from scrub.runner.options import RunOptions
from scrub.runner.results import CHANGED
from scrub.store.patch import free_path
from scrub.touch.arrivals import Arrivals, Journal, digest_of_file, is_remote

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.runner.results import FileResult

#: Seconds between two looks at a folder; at one of another machine, which is asked for each.
LOOK, _FAR_LOOK = 0.3, 2.0
#: Where results are put if nobody says, and inside that the files as they came, and those that failed.
DONE, _ORIGINALS, _FAILED = "Done", "originals", "failed"


class Arrived(NamedTuple):
    """What became of a file that arrived."""

    #: "done", "same", "failed", "left" or "waiting".
    what: str
    name: str
    #: The changes of what is done, the other name of the same contents, or why it failed.
    text: str = ""
    run: int | None = None


class WatchedFolder:
    """A folder, and the macro that runs on what arrives there. Its text is the one that it had at the start."""

    def __init__(
        self, home: Home, folder: str, macro: str, into: str | None = None, answers: Mapping[str, object] | None = None
    ) -> None:
        """Raises `Refused` for a macro that needs a person, or where this folder is watched already."""
        self.folder = os.path.realpath(os.path.expanduser(folder))
        if not os.path.isdir(self.folder):
            raise BadCall(f"no folder {folder}. Name the folder to watch")
        self.into = os.path.abspath(os.path.expanduser(into)) if into else os.path.join(self.folder, DONE)
        if os.path.realpath(self.into) == self.folder:
            raise BadCall("the results cannot be put into the folder that is watched. Choose another: --into FOLDER")
        self._home = home
        text, self._path = home.text_and_path(macro)
        self._program = home.checked(text, self._path)
        self.title = self._program.title
        self._ensure_alone(dict(answers or {}))
        self._options = RunOptions(QuietHost(), answers or {}, into=self.into, in_use="stop", watched=self.folder)
        self.look_every = _FAR_LOOK if is_remote(self.folder) else LOOK
        self._kinds = set(self._program.macro.runs_on)
        self._arrivals = Arrivals(self.folder)
        self._left: set[str] = set()
        key = hashlib.blake2b(self.folder.encode("utf-8", "surrogateescape"), digest_size=16).hexdigest()
        self._journal = Journal(os.path.join(home.folder, "watched", f"{key}.jsonl"), self._program.fingerprint)
        if not self._journal.is_own:
            raise Refused("this folder is watched already")
        os.makedirs(os.path.join(self.into, _ORIGINALS), exist_ok=True)

    def _ensure_alone(self, answers: dict[str, object]) -> None:
        program = self._program
        for each in self._home.open_questions(program):
            if each.name not in answers and each.default is None:
                remedy = f"Keep it: scrub secret set {each.prompt}" if each.secret else f"Add: --with {each.name}=..."
                raise Refused(f'"{self.title}" asks "{each.prompt}", and nobody is there to answer. {remedy}')
        if program.macro.for_all:
            raise Refused(f'"{self.title}" works on all files together, so it cannot run on each as it arrives')
        if "nothing" in program.macro.runs_on and len(program.macro.runs_on) == 1:
            raise Refused(f'"{self.title}" needs no file, so there is nothing to watch for')
        if program.reach >= Reach.SEND:
            raise Refused(f'"{self.title}" sends messages, which cannot be undone, so it needs somebody who looks')
        if program.reach > Reach.CHANGE and not self._home.approvals.allows(program.fingerprint):
            raise Refused(
                f'"{self.title}" needs your approval. Read it: scrub show "{self.title}"    '
                f'Approve it: scrub approve "{self.title}"'
            )

    def look(self) -> Iterator[Arrived]:
        """Works on each file that is whole now, and tells what became of it."""
        for path in list(self._arrivals.whole()):
            found = self._take(path)
            if found is not None:
                yield found

    def resume(self) -> Iterator[Arrived]:
        """Finishes what was begun when the last watch of this folder was cut short."""
        self._home.store.recover()
        begun = self._journal.begun
        if begun is None:
            return
        name, contents = begun["name"], begun["begun"]
        run = self._run_of(os.path.join(self.folder, name), begun["after"])
        if run is not None:
            self._journal.end(contents, name, run)
            yield Arrived("done", name, "found finished", run)

    def _run_of(self, path: str, after: int) -> int | None:
        """The run that saved what came of a file, after another one; None where none did."""
        from scrub.runner.records import RunRecord

        for kept in self._home.store.runs():
            if kept.number <= after:
                return None
            for file in RunRecord(kept).each_file():
                if file.path == path and file.state == CHANGED:
                    return kept.number
        return None

    def _take(self, path: str) -> Arrived | None:
        name = os.path.basename(path)
        try:
            kind = self._home.formats.kind_of(path)
        except ScrubError:
            kind = "file of another format"
        if kind not in self._kinds:
            if name in self._left:
                return None
            self._left.add(name)
            return Arrived("left", name, f"this is {with_article(kind)}")
        try:
            contents = digest_of_file(path)
            if contents in self._journal.done:
                self._put_away(path, _ORIGINALS)
                return Arrived("same", name, self._journal.done[contents])
            return self._work(path, name, contents)
        except FileNotFoundError:
            return None  # somebody took it away
        except OSError as error:
            if error.errno == errno.EACCES:
                return None  # it is not given to us yet
            raise

    def _work(self, path: str, name: str, contents: str) -> Arrived | None:
        held = self._home.prepare(self._program, [path], self._options, self.title, self._path)
        file = held.files[0]
        if digest_of_file(path) != contents:
            return None  # it was written while it was read: the next look takes it
        if file.problem is None:
            self._journal.begin(contents, name, self._last_run())
            file = held.commit().files[0]
        if file.problem is not None:
            why = str(file.problem).removeprefix(f"{path}: ")
            self._journal.fail(contents, name, why)
            self._fail(path, why)
            return Arrived("failed", name, why)
        number = held.result.number if held.result is not None else None
        self._journal.end(contents, name, number)
        self._put_away(path, _ORIGINALS)
        return Arrived("done", name, _told(file), number)

    def _last_run(self) -> int:
        return max((kept.number for kept in self._home.store.runs()), default=0)

    def _fail(self, path: str, why: str) -> None:
        """Puts a file that failed aside, with the reason beside it."""
        os.makedirs(os.path.join(self.into, _FAILED), exist_ok=True)
        to = self._put_away(path, _FAILED)
        with open(f"{to}.reason.txt", "w", encoding="utf-8", errors="replace") as stream:
            stream.write(f"{why}\n")

    def _put_away(self, path: str, where: str) -> str:
        to = free_path(os.path.join(self.into, where, os.path.basename(path)))
        try:
            os.rename(path, to)
        except OSError as error:
            if error.errno != errno.EXDEV:
                raise
            shutil.copy2(path, to)  # another file system
            os.unlink(path)
        return to

    def close(self) -> None:
        """Lets others watch the folder."""
        self._journal.close()


def _told(file: FileResult) -> str:
    from scrub.model.core.problem import counted

    return counted(file.change_count, "change") if file.change_count else "nothing to change"


def watch(
    folder: WatchedFolder,
    tell: Callable[[Arrived], None],
    seconds: float | None = None,
    wake: Callable[[float], None] = time.sleep,
) -> None:
    """Watches a folder, for some seconds or until somebody stops it. `wake` waits until the next look."""
    end = None if seconds is None else time.monotonic() + seconds
    for each in folder.resume():
        tell(each)
    while True:
        for each in folder.look():
            tell(each)
        if end is not None and time.monotonic() >= end:
            return
        wake(folder.look_every)
