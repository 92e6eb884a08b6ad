"""Backups and packs: a library, or one macro with all that it runs, as one zip file."""

from __future__ import annotations

import contextlib
import json
import os
import zipfile
import zlib
from collections.abc import Iterable

from scrub.library.library import Library, LibraryEntry
from scrub.library.records import Pins, Settings
from scrub.library.text import ENDINGS, decoded, write_whole
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import FileProblem
from scrub.model.operations import as_file_name
from scrub.store.disk import only_files, private_folder

#: A backup or a pack bigger than this in bytes, unpacked, is none of ours.
LARGEST = 64 << 20

#: What else of a person's folder belongs into a backup. Approvals do not: they hold for one person on one machine.
_RECORDS = ("pins.json", "settings.json", "use.json")


class Restored(NamedTuple):
    """What a restore found: files that were missing, that differ, and that are the same; and what else the backup
    contains, each under the word by which it is taken, with what it is.
    """

    new: list[str]
    different: list[str]
    same: list[str]
    offered: dict[str, str]


def backup(home: str, to: str) -> int:
    """Writes everything of a library into a zip file, which must not be there yet; gives the number of files."""
    if os.path.lexists(to):
        raise FileProblem(to, "a file of that name exists, and Scrub does not overwrite it. Choose another name")
    names = [name for name in _RECORDS if os.path.isfile(os.path.join(home, name))]
    for folder, _, files in os.walk(os.path.join(home, "library")):
        names += [os.path.relpath(os.path.join(folder, file), home) for file in files if not file.endswith(".new")]
    try:
        with zipfile.ZipFile(to + ".new", "w", zipfile.ZIP_DEFLATED) as archive:
            for name in sorted(names):
                archive.write(os.path.join(home, name), name.replace(os.sep, "/"))
        os.replace(to + ".new", to)
    except OSError as error:
        with contextlib.suppress(OSError):
            os.remove(to + ".new")
        raise FileProblem(to, f"the file could not be written: {error.strerror}") from None
    return len(names)


def restore(home: str, source: str, library: Library, replace: bool, take: Iterable[str] = ()) -> Restored:
    """Brings back the macros of a backup with their files: what is missing always, what differs only with `replace`.

    Its settings, keys and joined folders are offered, and only those taken whose words are named: a setting may name
    a program of whoever made the backup.
    """
    result = Restored([], [], [], {})
    wanted = set(take)
    own = {os.path.realpath(entry.path): entry for entry in library.entries() if not entry.example}
    for name, data in _members(source):
        if not (name in _RECORDS or name.startswith("library/")):
            raise FileProblem(source, f'"{name}" is not part of a library backup')
        if name in _RECORDS:
            _offer(home, name, data, wanted, result.offered)
            continue
        path = os.path.join(home, *name.split("/"))
        if not os.path.exists(path):
            result.new.append(name)
        else:
            with open(path, "rb", opener=only_files) as stream:
                same = stream.read() == data
            (result.same if same else result.different).append(name)
            if same or not replace:
                continue
            entry = own.get(os.path.realpath(path))
            if entry is not None:
                library.former.keep(entry.title, entry.text, "restored")
        private_folder(os.path.dirname(path))
        write_whole(path, data)
    return result


def _offer(home: str, name: str, data: bytes, wanted: set[str], offered: dict[str, str]) -> None:
    """Tells what a record of a backup contains that is not so here, and takes what is wanted of it."""
    try:
        held = json.loads(data)
        if name == "settings.json":
            settings = Settings(os.path.join(home, name))
            with settings.changing() as own:
                folders = own.get("libraries", [])
                for folder in map(str, held.pop("libraries", [])):
                    if folder not in folders:
                        offered[folder] = "a joined folder"
                        own["libraries"] = folders = [*folders, *([folder] if folder in wanted else [])]
                for word, value in held.items():
                    if own.get(word) != value and not settings.wrong({word: value}):
                        offered[word] = f"the setting {word}: {value}"
                        own |= {word: value} if word in wanted else {}
                if not own.get("libraries", ["some"]):
                    del own["libraries"]
        elif name == "pins.json":
            pins = Pins(os.path.join(home, name))
            for each in held["pins"]:
                if pins.find(each["key"]) is None:
                    offered[each["key"]] = f'the key of "{each["title"]}"'
                    if each["key"] in wanted:
                        pins.pin(each["title"], each["key"], ())
    except (ValueError, KeyError, TypeError, AttributeError):
        return  # damaged: nothing of it is offered


def pack(entries: Iterable[LibraryEntry], out: str) -> str:
    """Writes macros as one file; gives its path, with the ending that `add` knows."""
    path = out if out.endswith(".scrubpack") else out + ".scrubpack"
    if os.path.lexists(path):
        raise FileProblem(path, "a file of that name exists, and Scrub does not overwrite it. Choose another name")
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for number, entry in enumerate(entries, 1):
            stem = f"{number:02} {as_file_name(entry.title)[:80]}"
            archive.writestr(stem + ENDINGS[0], entry.text)
            for name, file in entry.files.items():
                archive.write(file, f"{stem} files/{name}")
    return path


class Packed(NamedTuple):
    """One macro of a pack: its text, the name that problems call it by, and its files."""

    text: str
    name: str
    files: dict[str, bytes]


def unpack(path: str) -> list[Packed]:
    """The macros of a pack, what is run before what runs it."""
    members = dict(_members(path))
    found = []
    for name, data in members.items():
        if name.endswith(ENDINGS[0]):
            folder = name.removesuffix(ENDINGS[0]) + " files/"
            files = {
                member.removeprefix(folder): content for member, content in members.items() if member.startswith(folder)
            }
            found.append(Packed(decoded(data, f"{path}, {name}"), name, files))
    if not found:
        raise FileProblem(path, "the file contains no macro")
    return found[::-1]


def _members(path: str) -> Iterable[tuple[str, bytes]]:
    """The files of a zip file, each checked: none may climb out, or unpack to more than it should."""
    try:
        with open(path, "rb", opener=only_files) as stream, zipfile.ZipFile(stream) as archive:
            infos = [info for info in archive.infolist() if not info.filename.endswith("/")]
            if sum(info.file_size for info in infos) > LARGEST:
                raise FileProblem(path, "it unpacks to more than 64 MB, so it is not a library backup")
            for info in infos:
                parts = info.filename.replace("\\", "/").split("/")
                if ".." in parts or "" in parts or ":" in info.filename:
                    raise FileProblem(
                        path, f'its entry "{info.filename}" leads out of the folder. Nothing was restored'
                    )
            return [(info.filename, archive.read(info)) for info in infos]
    except FileNotFoundError:
        raise FileProblem(path, "no such file") from None
    except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError, ValueError, zlib.error) as error:
        raise FileProblem(path, f"not a readable zip file: {error}") from None
