"""The names of files as a person gives them: paths, patterns, and lists of paths."""

from __future__ import annotations

import fnmatch
import os
import sys
from collections.abc import Iterable, Iterator, Sequence

from scrub.model.core.problem import BadCall, ScrubError

#: The maximum length of a path; a longer line is not from a list of paths.
_LONGEST = 32_000


def expanded(files: Iterable[str], left_out: Sequence[str] = ()) -> list[str]:
    """The files named, with patterns such as `*.xlsx` and `archive/**/*.xlsx` expanded, without those that fit one of
    `left_out`. Raises `ScrubError` for a pattern that fits nothing, and `BadCall` for what is not a name.
    """
    result: list[str] = []
    for name in [files] if isinstance(files, str) else files:
        path = os.path.expanduser(os.fspath(name))
        if "\0" in path:
            raise BadCall("a file name contains a NUL character. Remove it")
        if any(mark in path for mark in "*?[") and not os.path.exists(path):
            result += _fitting(path)
        else:
            result.append(path)
    return without(result, left_out)


def without(paths: Sequence[str], left_out: Sequence[str]) -> list[str]:
    """The paths that fit none of some patterns."""
    return [path for path in paths if not any(_fits(path, pattern) for pattern in left_out)]


def _fitting(pattern: str) -> list[str]:
    """The files that fit a pattern, in order; `**` matches any folders except hidden ones."""
    import glob

    # The owner files of office programs fit such patterns too, and are not documents.
    found = [each for each in sorted(glob.glob(pattern, recursive=True)) if not os.path.basename(each).startswith("~$")]
    if "**" in pattern:
        found = [each for each in found if os.path.isfile(each)]
    if not found:
        raise ScrubError(f"no file matches {pattern}")
    return found


def _fits(path: str, pattern: str) -> bool:
    """Whether a file is one of a pattern: by its name, or by its path where the pattern has folders."""
    whole = os.path.expanduser(pattern)
    if "/" not in whole and os.sep not in whole:
        return fnmatch.fnmatch(os.path.basename(path), whole)
    ends = [os.path.normpath(each) for each in (path, os.path.abspath(path))]
    if any(fnmatch.fnmatch(each, os.path.normpath(whole)) for each in ends):
        return True
    return any(fnmatch.fnmatch(each, os.path.join(os.path.abspath("."), os.path.normpath(whole))) for each in ends)


def listed_in(name: str) -> list[str]:
    """The paths in a file, or of standard input for `-`: one on each line, or separated by NUL characters. Raises
    `BadCall` if it is not such a list.
    """
    data = _read(name)
    text = os.fsdecode(data.removeprefix(b"\xef\xbb\xbf"))
    paths = list(_paths(text))
    for number, path in enumerate(paths, 1):
        if len(path) > _LONGEST:
            raise BadCall(
                f"{name}: line {number} has {len(path):,} characters, too many for a path. Write one path per line"
            )
    if not any(paths):
        raise BadCall(f"{name}: no paths found. Write one path per line")
    return [path for path in paths if path]


def _read(name: str) -> bytes:
    if name == "-":
        return sys.stdin.buffer.read()
    try:
        with open(name, "rb") as stream:
            return stream.read()
    except OSError as error:
        raise BadCall(f"{name}: the list cannot be read: {error.strerror}") from None


def _paths(text: str) -> Iterator[str]:
    if "\0" in text:
        yield from (path.strip("\r\n") for path in text.split("\0"))
    else:
        yield from (line.rstrip("\r") for line in text.split("\n"))
