"""Reading a macro's file: UTF-8, with or without a mark, or UTF-16 as some editors save it."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator

from scrub.model.core.problem import BadCall, FileProblem
from scrub.store.disk import Disk, only_files, private_folder

ENDINGS = (".scrub", ".scrub.txt")

#: A macro longer than this in bytes is not a macro.
LARGEST = 1 << 20


def read_macro(path: str) -> str:
    """The text of a macro's file. Raises `FileProblem` when it cannot be read as text."""
    if os.path.exists(path) and not os.path.isfile(path) and not os.path.isdir(path):
        raise FileProblem(path, "not a macro: a pipe or a device")
    try:
        with open(path, "rb", opener=only_files) as stream:
            data = stream.read(LARGEST + 1)
    except FileNotFoundError:
        raise FileProblem(path, "no such file") from None
    except IsADirectoryError:
        raise FileProblem(path, "not a macro: a folder") from None
    except OSError as error:
        raise FileProblem(path, f"the file cannot be read: {error.strerror}") from None
    return decoded(data, path)


def decoded(data: bytes, name: str) -> str:
    """The text of a macro's bytes. Raises `BadCall` when they are none."""
    if len(data) > LARGEST:
        raise BadCall(f"{name}: not a macro: the file is larger than 1 MB")
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return data.decode("utf-16")
        except UnicodeDecodeError:
            raise BadCall(f"{name}: the text is damaged. Save it again as UTF-8") from None
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise BadCall(f"{name}, line {line}: the text is not UTF-8. Save it as UTF-8 in an editor") from None
    if "\0" in text:
        raise BadCall(f"{name}: not a macro: the file is not text")
    return text


def write_text(path: str, text: str) -> None:
    """Writes a text file whole, or not at all; two that do it at once do not mix."""
    write_whole(path, text.encode("utf-8"))


def write_whole(path: str, data: bytes) -> None:
    """The same with bytes."""
    fresh = f"{path}.{os.urandom(6).hex()}.new"
    try:
        with open(fresh, "xb") as stream:
            stream.write(data)
        os.replace(fresh, path)
    except BaseException:
        with contextlib.suppress(OSError):
            os.remove(fresh)
        raise


_HELD: set[str] = set()


@contextlib.contextmanager
def held(folder: str) -> Iterator[None]:
    """Waits until no other process changes what is in a folder of ours, and keeps others waiting."""
    path = os.path.join(os.path.abspath(folder), ".lock")
    if path in _HELD:
        yield
        return
    private_folder(os.path.dirname(path))
    with Disk().locked(path):
        _HELD.add(path)
        try:
            yield
        finally:
            _HELD.discard(path)


def is_macro_path(name: str) -> bool:
    """Whether a word of a call names a macro's file rather than a title."""
    if name.lower().endswith(ENDINGS):
        return True
    plain = os.path.splitext(name)[1].lower() in ("", ".txt", ".md")
    return plain and bool(os.path.dirname(name)) and os.path.isfile(name)
