"""The library: macros found by title or by any of their words, the shipped examples apart."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from scrub.language.header import read_header
from scrub.language.lexer import ended_lines, split_lines
from scrub.language.tree import Macro
from scrub.library.text import ENDINGS, held, read_macro, write_text, write_whole
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import BadCall, Problem, ScrubError, did_you_mean
from scrub.model.core.values import fold
from scrub.model.operations import as_file_name
from scrub.store.disk import private_folder
from scrub.store.patch import free_path

if TYPE_CHECKING:
    from scrub.library.former import FormerTexts


class LibraryEntry(NamedTuple):
    """One macro of the library, as its header tells. `unreadable` says why nothing is known of it."""

    title: str
    path: str
    about: str
    group: str
    runs_on: tuple[str, ...]
    example: bool
    unreadable: str = ""
    draft: bool = False
    shared: str = ""

    @property
    def text(self) -> str:
        """The whole macro."""
        return read_macro(self.path)

    @property
    def files(self) -> dict[str, str]:
        """The files that belong to it, by name, with their paths."""
        return files_of(self.path)


class Library:
    """The macros in one folder, and the shipped examples beside them. The folder is made at the first `add`."""

    def __init__(self, folder: str, examples: str | None = None, others: Iterable[str] = ()) -> None:
        self.folder = folder
        self.others = tuple(others)
        self._drafts = os.path.join(folder, "drafts")
        self._examples = examples

    def entries(self) -> list[LibraryEntry]:
        """Every macro, one's own first, by group and title."""
        drafts = [entry._replace(draft=True) for entry in _in_folder(self._drafts, False)]
        own = list(_in_folder(self.folder, False))
        examples = list(_in_folder(self._examples, True))
        taken = {fold(entry.title) for entry in (*own, *examples)}
        shared = []
        for folder in self.others:  # of equal titles one's own or shipped one counts, then what was joined first
            for entry in _in_folder(folder, False, strange=True):
                if fold(entry.title) not in taken:
                    shared.append(entry._replace(shared=folder))
            taken |= {fold(entry.title) for entry in shared}
        found = [*own, *drafts, *shared, *examples]
        return sorted(found, key=lambda e: (e.example, e.draft, bool(e.shared), e.shared, fold(e.group), fold(e.title)))

    @cached_property
    def former(self) -> FormerTexts:
        """The earlier texts of macros."""
        from scrub.library.former import FormerTexts

        return FormerTexts(os.path.join(self.folder, "former"))

    def find(self, words: str, to_edit: bool = False) -> LibraryEntry:
        """The one macro with this title, or with these words in its title; a draft only where nothing else fits, or
        before examples where it is to be edited. Raises `BadCall` for none or several.
        """
        entries = [entry for entry in self.entries() if not entry.unreadable]
        for candidates in _tiers(words, entries):
            own = _nearest_home(candidates, to_edit)
            if len(own) == 1:
                return own[0]
            if own:
                if len({fold(entry.title) for entry in own}) == 1:
                    paths = " and ".join(entry.path for entry in own)
                    raise BadCall(f'two macros are called "{own[0].title}": {paths}. Rename one or remove it')
                several = ", ".join(f'"{entry.title}"' for entry in own[:6])
                raise BadCall(f'"{words}" could be {several}. Type more of the title')
        near = ", ".join(f'"{title}"' for title in _nearest(words, entries))
        raise BadCall(f'no macro "{words}".{f" Nearest: {near}." if near else ""} List them: scrub macros')

    def titled(self, title: str) -> LibraryEntry:
        """The macro with exactly this title, in any case. Raises `BadCall` when there is none."""
        entries = [entry for entry in self.entries() if not entry.draft and not entry.unreadable]
        result = _titled(title, entries)
        if result is None:
            guess = did_you_mean(title, [entry.title for entry in entries])
            raise BadCall(f'the library has no macro "{title}".{guess}')
        return result

    def same_title(self, text: str, name: str) -> LibraryEntry | None:
        """The macro that one with this text would take the place of: of the same title, with another text, no draft."""
        title = fold(header(text, name)[0].title)
        entries = [
            entry for entry in self.entries() if not entry.unreadable and not entry.draft and fold(entry.title) == title
        ]
        if any(entry.text == text for entry in entries):
            return None
        return next(iter(_nearest_home(entries, False)), None)

    def replace(self, entry: LibraryEntry, text: str, why: str = "edited") -> LibraryEntry:
        """Gives a macro another text, and keeps the earlier one. Raises `BadCall` for a title that is taken."""
        with held(os.path.dirname(self.folder)):
            return self._replace(entry, text, why)

    def _replace(self, entry: LibraryEntry, text: str, why: str) -> LibraryEntry:
        self._ensure_own(entry)
        title = header(text, entry.path)[0].title
        if not title:
            raise BadCall("the title is missing. The first line must be: macro, and a title")
        if fold(title) != fold(entry.title):
            if _titled(title, _in_folder(self.folder, False)):
                raise BadCall(f'a macro "{title}" is in the library already')
        self.former.keep(entry.title, entry.text, why)
        self.former.renamed(entry.title, title)
        path = entry.path if title == entry.title else _free_path(os.path.dirname(entry.path), title)
        write_text(path, text)
        if path != entry.path:
            own, moved = files_folder(entry.path), files_folder(path)
            try:
                if os.path.isdir(own):
                    os.rename(own, moved)
                os.remove(entry.path)
            except OSError:  # with its own files, or not at all
                if os.path.isdir(moved) and not os.path.isdir(own):
                    os.rename(moved, own)
                os.remove(path)
                raise
        return _entry(path, text, False)

    def draft_of(self, entry: LibraryEntry, text: str) -> str:
        """Keeps an edited text with mistakes as a draft beside the good macro; gives its path."""
        private_folder(self._drafts)
        path = os.path.join(self._drafts, os.path.basename(entry.path))
        write_text(path, text)
        return path

    def rename(self, entry: LibraryEntry, title: str) -> LibraryEntry:
        """Gives a macro another title, in its first line and in its file's name."""
        return self.replace(entry, retitled(entry.text, title), "renamed")

    def remove(self, entry: LibraryEntry) -> None:
        """Takes a macro out; its text is kept with the earlier ones."""
        self._ensure_own(entry)
        text = entry.text
        with held(os.path.dirname(self.folder)):
            aside = f"{entry.path}.{os.urandom(6).hex()}.gone"  # it goes in one step, and its files follow
            os.rename(entry.path, aside)
            try:
                self.former.keep(entry.title, text, "removed", files_folder(entry.path))
            except OSError:
                os.rename(aside, entry.path)
                raise
            os.remove(aside)

    @staticmethod
    def _ensure_own(entry: LibraryEntry) -> None:
        if entry.example:
            raise BadCall(f'"{entry.title}" is a shipped example. Start your own from it: scrub new TITLE --from …')
        if entry.shared:
            raise BadCall(f'"{entry.title}" belongs to another library, which is read only: {entry.shared}')

    def search(self, words: str) -> list[LibraryEntry]:
        """The macros in whose title, group, description or text every one of the words is."""
        wanted = fold(words).split()
        result = []
        for entry in self.entries():
            text = fold(" ".join((entry.title, entry.group, entry.about)))
            if not all(word in text for word in wanted):
                try:
                    text = fold(entry.text)
                except ScrubError:
                    continue
            if all(word in text for word in wanted):
                result.append(entry)
        return result

    def add(
        self,
        text: str,
        name: str,
        draft: bool = False,
        files: Mapping[str, bytes] | None = None,
        over: LibraryEntry | None = None,
    ) -> LibraryEntry:
        """Keeps a macro with its files, under a file name made of its title; one with mistakes as a draft.

        A draft of the same title gives way to a macro, and is kept with the earlier texts; to another draft it gives
        way only where `over` says that this one is meant. Raises `BadCall` when the title is taken or missing.
        """
        with held(os.path.dirname(self.folder)):
            return self._add(text, name, draft, files, over)

    def _add(
        self, text: str, name: str, draft: bool, files: Mapping[str, bytes] | None, over: LibraryEntry | None
    ) -> LibraryEntry:
        macro, _ = header(text, name)
        title = macro.title or (os.path.basename(name).partition(".scrub")[0] if draft else "")
        if not title:
            raise BadCall(f"{name}: the title is missing. The first line must be: macro, and a title")
        taken = _titled(title, _in_folder(self.folder, False))
        if taken is not None:
            if taken.text == text:
                return taken
            raise BadCall(
                f'a macro "{title}" is in the library already ({taken.path}). Change the title in the first line, or '
                f'edit that macro: scrub edit "{title}"'
            )
        former = _titled(title, _in_folder(self._drafts, False))
        folder = self._drafts if draft else self.folder
        private_folder(folder)
        same = former is not None and draft and (former.text == text or (over is not None and over.path == former.path))
        path = former.path if former is not None and same else _free_path(folder, title)
        made = bool(files) and not os.path.lexists(files_folder(path))
        try:
            for file, data in (files or {}).items():
                private_folder(files_folder(path))
                write_whole(os.path.join(files_folder(path), os.path.basename(file)), data)
            write_text(path, text)
        except BaseException:
            if made:
                from shutil import rmtree  # it loads what packs files, and is rarely needed

                rmtree(files_folder(path), ignore_errors=True)
            raise
        if former and not draft:
            self.former.keep(former.title, former.text, "draft")
            os.remove(former.path)
        return _entry(path, text, False)._replace(draft=draft)


def _titled(title: str, entries: Iterable[LibraryEntry]) -> LibraryEntry | None:
    return next((entry for entry in entries if fold(entry.title) == fold(title)), None)


def _free_path(folder: str, title: str) -> str:
    return free_path(os.path.join(folder, as_file_name(title)[:120] + ENDINGS[0]))


def files_folder(path: str) -> str:
    """The folder beside a macro's file that contains what belongs to it."""
    ending = next((each for each in reversed(ENDINGS) if path.lower().endswith(each)), "")
    return path[: len(path) - len(ending)] + " files"


def files_of(path: str) -> dict[str, str]:
    """The files that belong to the macro at a path, by name, with their paths."""
    folder = files_folder(path)
    names = sorted(os.listdir(folder)) if os.path.isdir(folder) and not os.path.islink(folder) else []
    return {name: os.path.join(folder, name) for name in names if _is_plain(os.path.join(folder, name))}


def _is_plain(path: str) -> bool:
    """Whether it is a file, and no link that may lead to another one, nor a pipe or a device."""
    return os.path.isfile(path) and not os.path.islink(path)


def header(text: str, name: str) -> tuple[Macro, list[Problem]]:
    """The header of a macro alone, without reading its body."""
    lines = split_lines(text)
    macro, problems = Macro(name, lines), list[Problem]()
    read_header(macro, lines, problems)
    return macro, problems


def retitled(text: str, title: str) -> str:
    """A macro's text with another title; one without gets a first line."""
    macro, _ = header(text, "")
    if not macro.title:
        return f"macro {title}\n{text}"
    line = macro.places["macro"].line - 1
    lines = ended_lines(text)
    end = lines[line][len(split_lines(lines[line])[0]) :]
    return "".join([*lines[:line], f"macro {title}{end}", *lines[line + 1 :]])


def _in_folder(folder: str | None, example: bool, strange: bool = False) -> Iterable[LibraryEntry]:
    """The macros in a folder; in one of somebody else, links are passed over."""
    if folder is None or not os.path.isdir(folder):
        return
    for name in sorted(os.listdir(folder)):
        if not name.lower().endswith(ENDINGS):
            continue
        path = os.path.join(folder, name)
        if not os.path.isfile(path) or (strange and os.path.islink(path)):
            continue
        try:
            yield _entry(path, read_macro(path), example)
        except ScrubError as problem:
            yield LibraryEntry(name, path, "", "", (), example, str(problem))


def _entry(path: str, text: str, example: bool) -> LibraryEntry:
    macro, _ = header(text, path)
    title = macro.title or os.path.basename(path).partition(".scrub")[0]
    return LibraryEntry(title, path, " ".join(macro.about), macro.group, tuple(macro.runs_on), example)


def _nearest_home(entries: list[LibraryEntry], to_edit: bool) -> list[LibraryEntry]:
    """One's own macros, else those of joined libraries, else examples, else drafts; drafts come second for an edit."""
    own = [entry for entry in entries if not (entry.example or entry.draft or entry.shared)]
    drafts = [entry for entry in entries if entry.draft]
    shared = [entry for entry in entries if entry.shared]
    examples = [entry for entry in entries if entry.example]
    order = (own, drafts, shared, examples) if to_edit else (own, shared, examples, drafts)
    return next((chosen for chosen in order if chosen), entries)


def _tiers(words: str, entries: list[LibraryEntry]) -> Iterable[list[LibraryEntry]]:
    """Candidates from the surest to the loosest: the title, whole words of it, beginnings of its words."""
    low = fold(words).strip()
    wanted = low.split()
    yield [entry for entry in entries if fold(entry.title) == low]
    if not wanted:
        return
    titles = [(fold(entry.title).split(), entry) for entry in entries]
    yield [entry for title, entry in titles if all(word in title for word in wanted)]
    yield [entry for title, entry in titles if all(any(each.startswith(word) for each in title) for word in wanted)]


def _nearest(words: str, entries: Sequence[LibraryEntry], most: int = 3) -> list[str]:
    """The titles of the macros that are most like the words, by title and description."""
    from difflib import SequenceMatcher  # only a title that is not found pays for it

    wanted = fold(words).split()
    scores: list[tuple[float, str]] = []
    for entry in entries:
        title, about = fold(entry.title).split(), fold(f"{entry.about} {entry.group}")
        score = 0.0
        for word in wanted:
            like = max((SequenceMatcher(None, word, each, autojunk=False).ratio() for each in title), default=0.0)
            score += like if like >= _ALIKE else 0.5 if len(word) > 2 and word in about else 0.0
        scores.append((score, entry.title))
    scores.sort(key=lambda found: (-found[0], found[1]))
    return list(dict.fromkeys(title for score, title in scores if score > 0))[:most]


#: How much alike two words are, from 0 to 1, for one to be a slip of the other.
_ALIKE = 0.7
