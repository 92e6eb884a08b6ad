"""A person's own Scrub: the one place where the packages are connected."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

from scrub.assembled import formats, preferences_of, vocabulary
from scrub.model.core.problem import BadCall, MacroProblems, Problem, Refused, RunsItself, ScrubError, listed
from scrub.model.core.values import fold

if TYPE_CHECKING:
    from scrub.formats.database.changes import TableChanges
    from scrub.formats.registry import Registry
    from scrub.language.incremental import Edited
    from scrub.language.program import Program
    from scrub.library.keystore import KeyStore
    from scrub.library.library import Library, LibraryEntry
    from scrub.library.records import Approvals, Pins, Settings, Use
    from scrub.model.core.host import Host, Question
    from scrub.model.core.preferences import Preferences
    from scrub.model.core.sending import Transport
    from scrub.model.core.values import Secret
    from scrub.model.vocabulary import Vocabulary
    from scrub.runner.continuation import Continuation
    from scrub.runner.holding import Held
    from scrub.runner.options import RunOptions
    from scrub.runner.parallel import WorkerPool
    from scrub.runner.results import Prepared, RunResult
    from scrub.runner.review import Review
    from scrub.runner.reviewing import Key, Proposal
    from scrub.runner.run import Runner
    from scrub.runner.sending import Sender
    from scrub.store.store import Store


#: How long undo data is held when nothing else is set, and how much of it: in days, and in MB.
_HELD_DAYS, _HELD_MB = 90, 1000
#: What is held is looked at after each of the first runs, and later after each tenth: a look takes longer then.
_LOOK_ALWAYS, _LOOK_EVERY = 50, 10


class Home:
    """The library, pins, settings, approvals and history in one folder."""

    def __init__(self, folder: str) -> None:
        self.folder = folder

    def _file(self, name: str) -> str:
        return os.path.join(self.folder, name)

    @cached_property
    def library(self) -> Library:
        """The macros, with those of joined libraries and the shipped examples."""
        from scrub.library.library import Library

        examples = os.path.join(os.path.dirname(__file__), "demo", "macros")
        return Library(self._file("library"), examples, self.settings.load().get("libraries", []))

    @cached_property
    def settings(self) -> Settings:
        """What the person has set."""
        from scrub.library.records import Settings

        return Settings(self._file("settings.json"))

    @cached_property
    def pins(self) -> Pins:
        """The keys of macros."""
        from scrub.library.records import Pins

        return Pins(self._file("pins.json"))

    @cached_property
    def approvals(self) -> Approvals:
        """What was approved."""
        from scrub.library.records import Approvals

        return Approvals(self._file("approvals.json"))

    @cached_property
    def use(self) -> Use:
        """How often macros were run."""
        from scrub.library.records import Use

        return Use(self._file("use.json"))

    @cached_property
    def keys(self) -> KeyStore:
        """Passwords in the system's key store."""
        from scrub.library.keystore import KeyStore
        from scrub.library.records import Names

        return KeyStore(Names(self._file("secrets.json")))

    @cached_property
    def store(self) -> Store:
        """The history of runs, with what undoes it."""
        from scrub.store.store import Store

        def rows(address: str, kept: bytes) -> TableChanges:
            from scrub.formats.database.opening import kept_changes

            return kept_changes(address, kept)

        return Store(self.folder, opens_rows=rows)

    @cached_property
    def vocabulary(self) -> Vocabulary:
        """All that a macro can name."""
        return vocabulary(self.formats)

    @cached_property
    def formats(self) -> Registry:
        """The formats of files that can be opened."""
        return formats()

    # -- macros

    def find(self, words: str, to_edit: bool = False) -> LibraryEntry:
        """The macro that a person means: by its key, its title or words of it."""
        pin = self.pins.find(words) if os.path.exists(self.pins.path) else None
        return self.library.titled(pin.title) if pin else self.library.find(words, to_edit)

    def text(self, macro: str) -> tuple[str, str]:
        """The text of a macro (itself, a path or a title), and what problems call it by."""
        text, path = self.text_and_path(macro)
        return text, os.path.basename(path) or "macro"

    def text_and_path(self, macro: str) -> tuple[str, str]:
        """The text of a macro, and the path of its file where it has one."""
        from scrub.library.text import is_macro_path, read_macro

        if len(macro.splitlines()) > 1:
            return macro, ""
        if is_macro_path(macro):
            return read_macro(macro), macro
        entry = self.find(macro)
        return entry.text, entry.path

    def program(self, macro: str) -> Program:
        """A macro, checked. Raises `MacroProblems` with all that is wrong."""
        return self.checked(*self.text_and_path(macro))

    def checked(self, text: str, path: str) -> Program:
        """A macro's text, checked; its own files are beside `path`."""
        from scrub.language import checker

        name = os.path.basename(path) or "macro"
        return checker.program(text, name, self.vocabulary, self._resolver(text), self._files(path))

    def problems(self, text: str, path: str, files: Iterable[str] = (), name: str = "") -> list[Problem]:
        """What is wrong with a macro's text. `files` names files that will belong to it; `name` is what problems
        call it by, in place of its path.
        """
        from scrub.language import checker

        own = {**self._files(path), **{os.path.basename(file): file for file in files}}
        name = name or (path if len(path.splitlines()) < 2 else "macro")
        return checker.check(text, name, self.vocabulary, self._resolver(text), own)

    def edited(self, text: str, path: str = "") -> Edited:
        """A macro's text in an editor; its own files are beside `path`."""
        from scrub.language.incremental import Edited

        return Edited(text, self.vocabulary, self._resolver(text), self._files(path), os.path.basename(path) or "macro")

    def check(self, macro: str) -> list[Problem]:
        """What is wrong with a macro: its text, a path or a title."""
        text, path = self.text_and_path(macro)
        return self.problems(text, path, name=os.path.basename(path) or "macro")

    @staticmethod
    def _files(path: str) -> dict[str, str]:
        """The files that belong to the macro at a path."""
        if not path:
            return {}
        from scrub.library.library import files_of

        return files_of(path)

    def _resolver(
        self, text: str, around: tuple[str, ...] = (), known: dict[str, Program] | None = None
    ) -> Callable[[str], Program]:
        """Finds the macros that this text runs; one that comes back to itself is refused. Each is checked once, however
        many run it: none of those that are known can come back to what is being checked.
        """
        checked: dict[str, Program] = {} if known is None else known
        from scrub.language import checker
        from scrub.library.library import header

        chain = (*around, header(text, "")[0].title)

        def resolve(title: str) -> Program:
            if fold(title) in [fold(each) for each in chain]:
                raise RunsItself(f'"{title}" would run itself: {" runs ".join([*chain, title])}')
            if fold(title) not in checked:
                entry = self.library.titled(title)
                inner, name = entry.text, os.path.basename(entry.path)
                resolver = self._resolver(inner, chain, checked)
                checked[fold(title)] = checker.program(inner, name, self.vocabulary, resolver, entry.files)
            return checked[fold(title)]

        return resolve

    def written_here(self, text: str, name: str) -> None:
        """Notes that a text was written here, so that it gets stored secrets; one with mistakes is not."""
        try:
            checked = self.checked(text, name)
        except MacroProblems:
            return
        self.approvals.written(checked.fingerprint, checked.title)

    def is_trusted(self, text: str, path: str) -> bool:
        """Whether this text, with its own files beside `path`, was written here or approved."""
        try:
            return self.approvals.trusts(self.checked(text, path).fingerprint)
        except ScrubError:
            return False

    def is_own(self, text: str, path: str) -> bool:
        """Whether what comes of this text is the person's own: of a shipped example, or of a text that is trusted."""
        if self.approvals.trusts(_draft(text)) or self.is_trusted(text, path):
            return True
        return any(entry.example and entry.text == text for entry in self.library.entries())

    def draft_written_here(self, text: str, title: str) -> None:
        """Notes that a text with mistakes was written here, so that it is the person's own once it is mended."""
        self.approvals.written(_draft(text), title)

    def write(self, macro: str, text: str, why: str) -> None:
        """Gives a macro (a path or a title) another text; in the library the earlier one is kept."""
        from scrub.library.text import is_macro_path, write_text

        if is_macro_path(macro):
            write_text(macro, text)
            return
        entry = self.find(macro)
        trusted = self.is_trusted(entry.text, entry.path)
        self.library.replace(entry, text, why)
        if trusted:
            self.written_here(text, entry.path)

    def permissions(self, checked: Program) -> list[str]:
        """What a macro may do, in words: only what this very macro and those that it runs do."""
        from scrub.model.core.declare import Reach

        does = dict(checked.does)
        if checked.macro.into:
            does.pop(Reach.CHANGE.sentence, None)  # the files themselves stay as they are
            does[f'saves results in the folder "{checked.macro.into}"'] = Reach.FILES
        found = sorted((reach, what) for what, reach in does.items() if reach > Reach.READ)
        return [what for _, what in found] or [Reach.READ.sentence]

    # -- running

    @property
    def preferences(self) -> Preferences:
        """How the person writes dates and numbers."""
        return preferences_of(self.settings.load())

    def continue_run(self, number: int, options: RunOptions) -> RunResult:
        """Continues a run; see `scrub.continue_run`."""
        from scrub.runner.continuation import continuation_of

        self.store.recover()
        former = continuation_of(self.store.run(number))
        if former.path.endswith(".py"):
            raise BadCall(f"run {number} ran a Python function. Call scrub.run(function, files) with the files left")
        answers = {**former.answers, **options.answers}
        options = options._replace(into=former.into, at=former.at, answers=answers)
        return self.run(former.path, list(former.left), options, former)

    def run(self, macro: str, paths: list[str], options: RunOptions, former: Continuation | None = None) -> RunResult:
        """Runs a macro; see `scrub.run`. `former` is what was of a run that is continued."""
        text, path = self.text_and_path(macro) if former is None else (former.text, former.path)
        return self.run_program(self.checked(text, path), paths, options, macro, path, former)

    def run_program(
        self,
        checked: Program,
        paths: list[str],
        options: RunOptions,
        macro: str,
        path: str = "",
        former: Continuation | None = None,
    ) -> RunResult:
        """Runs a checked macro, which a person calls `macro`, or a Python function, which may do all that its script
        may.
        """
        from scrub.model.core.passwords import knowing

        runner, alone = self._runner(checked, paths, options, macro, path, former)
        with knowing(lambda name: self.password(name, options.host)):
            result = runner.run(paths)
        result.alone = alone
        if not options.preview:
            self.use.count(checked.title)
            self._forget_old(result.number or 0)
        return result

    def prepare(self, checked: Program, paths: list[str], options: RunOptions, macro: str, path: str = "") -> Held:
        """Prepares a run and keeps it in memory; see `scrub.prepare`."""
        from scrub.model.core.declare import Reach
        from scrub.model.core.passwords import knowing
        from scrub.runner.holding import Held

        runner, _ = self._runner(checked, paths, options, macro, path, None)
        with knowing(lambda name: self.password(name, options.host)):
            held = runner.hold(paths)
        return Held(checked.title, held, self._commit(runner, options), checked.reach == Reach.READ)

    def review(self, checked: Program, paths: list[str], options: RunOptions, macro: str, path: str = "") -> Review:
        """Prepares a run whose changes are accepted one by one; see `scrub.review`."""
        from scrub.model.core.passwords import knowing
        from scrub.runner.review import Review

        runner, _ = self._runner(checked, paths, options, macro, path, None)
        reviewed = runner.reviewed()

        def prepare(group: Sequence[str], refused: frozenset[Key]) -> tuple[Prepared, list[Proposal]]:
            with knowing(lambda name: self.password(name, options.host)):
                return reviewed(group, refused)

        return Review(checked.title, runner.groups(paths), prepare, self._commit(runner, options))

    def _commit(self, runner: Runner, options: RunOptions) -> Callable[[Sequence[Prepared], Host | None], RunResult]:
        """What saves what was prepared."""
        from scrub.model.core.passwords import knowing

        def commit(chosen: Sequence[Prepared], host: Host | None = None) -> RunResult:
            if host is not None and runner.sender is not None:
                runner.sender = self._sender(host)
            with knowing(lambda name: self.password(name, options.host)):
                result = runner.commit(chosen)
            self.use.count(runner.program.title)
            self._forget_old(result.number or 0)
            return result

        return commit

    def _runner(
        self,
        checked: Program,
        paths: list[str],
        options: RunOptions,
        macro: str,
        path: str,
        former: Continuation | None,
    ) -> tuple[Runner, str]:
        """What runs a macro, and why that needs a single process; an empty text for no reason."""
        from scrub.model.core.declare import Reach
        from scrub.runner.run import Runner

        host, preview = options.host, options.preview
        is_function = checked.function is not None
        into = os.path.abspath(os.path.expanduser(options.into)) if options.into else None
        self._ensure_runs_on(checked, paths, into)
        servers = [] if is_function else [path for path in paths if "://" in path]
        boxes = [path for path in servers if self.formats.kind_of(path) != "database"]
        self._ensure_servers(checked, [path for path in servers if path not in boxes], host, macro)
        pool, alone = self._pool(checked, paths, options)
        runner = Runner(
            checked,
            self.vocabulary,
            self.formats,
            None if preview else self.store,
            options._replace(into=into),
            reach=Reach.SEND if preview or is_function else self._allowed(checked, into, host, macro, bool(boxes)),
            stored=self.keys.get if is_function or self._trusted(checked) else None,
            preferences=self.preferences,
            sender=None if preview else self._sender(host),
            pool=pool,
            path=path,
            former=former,
        )
        return runner, alone

    def _pool(
        self, checked: Program, paths: list[str], options: RunOptions
    ) -> tuple[Callable[[Mapping[str, str]], WorkerPool] | None, str]:
        """What starts the workers of a run, or why it needs a single process; neither if no workers are wanted."""
        if options.jobs == 1 and options.executor is None:
            return None, ""
        if checked.function is not None:
            raise BadCall("a Python function runs in this process. Leave out jobs and executor")
        from scrub.executors import pool_for
        from scrub.own_actions import OWN_ACTIONS
        from scrub.runner.ticket import About
        from scrub.version import VERSION

        modules = sorted({function.__module__ for _, function in OWN_ACTIONS})
        about = About(VERSION, self.vocabulary.fingerprint, modules, self.settings.load())
        kinds = checked.macro.runs_on
        opening = {each.opener.partition(":")[0] for each in self.formats.formats if each.kind in kinds}
        start = pool_for(options, about, sorted(opening))
        if "__main__" in modules:
            raise BadCall("actions of your own are in the script itself. Put them into a module, which workers import")
        alone = self._alone(checked, paths, options)
        return (None, alone) if alone else (start, "")

    def _alone(self, checked: Program, paths: list[str], options: RunOptions) -> str:
        """Why a run needs a single process; an empty text for any other."""
        from scrub.model.core.declare import Reach

        if checked.macro.for_all:
            return "the macro works on all files together"
        if options.stepper is not None:
            return "each line waits for an answer"
        if checked.reach >= Reach.SEND:
            return "the macro sends messages, which go one after the other"
        endings = self.formats.endings
        if any("://" in path or endings.get(os.path.splitext(path)[1].lower()) == "database" for path in paths):
            return "databases and servers are worked on by one process"
        return ""

    def _ensure_runs_on(self, checked: Program, paths: list[str], into: str | None) -> None:
        """Raises `BadCall` where a macro does not go with what it is run on."""
        runs_on = checked.macro.runs_on
        if not set(runs_on) & {"nothing", *self.vocabulary.files}:
            raise BadCall(
                f'"{checked.title}" runs on a {listed(runs_on, "or")}, inside another macro: '
                f'each {runs_on[0]}, and in that block: run "{checked.title}"'
            )
        if "folder" in runs_on and (into or checked.macro.into):
            raise BadCall('"into" works for files only. In a macro for folders: move to: "…"')
        if paths and runs_on == ["nothing"]:
            raise BadCall(f'"{checked.title}" needs no file. Type only: scrub run "{checked.title}"')
        if not paths and "nothing" not in runs_on:
            raise BadCall(f'"{checked.title}" runs on a {listed(runs_on, "or")}: add a file name')

    def _forget_old(self, number: int) -> None:
        """Lets go of what undoes old runs, every now and then; `number` is that of the run just done."""
        if number <= _LOOK_ALWAYS or number % _LOOK_EVERY == 0:
            found = self.settings.load()
            size = int(found.get("keep-undo-mb", _HELD_MB)) * 1_000_000
            self.store.forget(int(found.get("keep-undo", _HELD_DAYS)), size)

    def _sender(self, host: Host) -> Sender:
        """What sends the messages of a run."""
        from scrub.runner.sending import MOST, Sender

        most = int(self.settings.load().get("max-sent", MOST))
        return Sender(host, lambda: self.carrier(host), self.store.outbox, most)

    def carrier(self, host: Host) -> Transport:
        """What carries messages to the mail server of the settings; its password is the person's, or asked for."""
        from scrub.formats.sending.smtp import SmtpCarrier, server_of
        from scrub.model.core.passwords import MAIL
        from scrub.model.core.sending import NotSent

        found = self.settings.load().get("mail-server")
        if not found:
            raise NotSent("no mail server is set: scrub settings mail-server smtps://you@mail.huts.example")

        return SmtpCarrier(server_of(found), lambda: self.password(MAIL, host))

    def password(self, name: str, host: Host | None = None) -> Secret | None:
        """The password of a server: from the environment, the key store, or the person."""
        from scrub.model.core.host import Question
        from scrub.model.core.values import Secret
        from scrub.runner.answers import variable

        known = os.environ.get(variable(name)) or self.keys.get(name)
        if not known and host is not None:
            known = host.secret(Question(name, name, "text", (), None, True))
        return Secret(known) if known else None

    def _allowed(self, checked: Program, into: str | None, host: Host, macro: str, remote: bool) -> Any:
        """How far this run may go. Raises `Refused` when the macro goes further and the person does not allow it."""
        from scrub.model.core.declare import Reach

        wanted = Reach(checked.reach)
        if checked.macro.into and not into:
            wanted = max(wanted, Reach.FILES)
        if remote and wanted == Reach.CHANGE:  # what changes there cannot be undone
            wanted = Reach.SEND
        if wanted <= Reach.CHANGE:
            return Reach.CHANGE
        fingerprint = checked.fingerprint
        if not self.approvals.allows(fingerprint):
            sentences = [permission for permission in self.permissions(checked) if permission != Reach.CHANGE.sentence]
            sentences += ["changes a mailbox on a server"] if remote else []
            if not host.approve(checked.title, sentences):
                name = _named(checked, macro)
                raise Refused(
                    f'"{checked.title}" needs your approval: it {listed(sentences)}. '
                    f'Read it: scrub show "{name}"    Approve it: scrub approve "{name}"'
                )
            self.approvals.approve(fingerprint, checked.title)
        return wanted

    def _ensure_servers(self, checked: Program, addresses: list[str], host: Host, macro: str) -> None:
        """Raises `Refused` for a text that was neither written here nor approved for the server of a database: what it
        reads there, it could tell.
        """
        if not addresses or self.approvals.is_written(checked.fingerprint) or self._is_example(checked):
            return
        from urllib.parse import urlsplit  # rarely needed, and slow to import

        for server in dict.fromkeys(urlsplit(address).hostname or address for address in addresses):
            if self.approvals.allows_server(checked.fingerprint, server):
                continue
            what = f"works on a database on {server}"
            if not host.approve(checked.title, [what]):
                name = _named(checked, macro)
                raise Refused(
                    f'"{checked.title}" needs your approval: it {what}. '
                    f'Read it: scrub show "{name}"    Approve it: scrub approve "{name}" --server {server}'
                )
            self.approvals.approve(checked.fingerprint, checked.title, server)

    def open_questions(self, checked: Program) -> list[Question]:
        """What a macro asks, without the passwords that are known here."""
        from scrub.runner.answers import variable

        trusted = self._trusted(checked)
        return [
            each
            for each in checked.questions
            if not (each.secret and trusted and (os.environ.get(variable(each.prompt)) or self.keys.get(each.prompt)))
        ]

    def _trusted(self, checked: Program) -> bool:
        """Whether the text was written here or approved; the shipped examples count as written here."""
        if not any(question.secret for question in checked.questions):
            return False
        return self.approvals.trusts(checked.fingerprint) or self._is_example(checked)

    def _is_example(self, checked: Program) -> bool:
        examples = [entry.text for entry in self.library.entries() if entry.example]
        return checked.text in examples and not checked.inner


def _named(checked: Program, macro: str) -> str:
    """How a person names the macro that was run."""
    return checked.title if len(macro.splitlines()) > 1 else macro


def _draft(text: str) -> str:
    """What a text with mistakes is known by."""
    from scrub.store.patch import digest

    return f"draft {digest(text.encode('utf-8', 'surrogatepass'))}"
