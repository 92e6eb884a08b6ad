"""The names of files as a person gives them."""

from __future__ import annotations

import os
from collections.abc import Iterable

from scrub.model.core.problem import BadCall


def expanded(files: Iterable[str]) -> list[str]:
    """The files named, with patterns such as `*.xlsx` expanded. Raises `BadCall` for a pattern that fits nothing, and
    for what is not a name.
    """
    result: list[str] = []
    for name in [files] if isinstance(files, str) else files:
        path = os.path.expanduser(os.fspath(name))
        if "\0" in path:
            raise BadCall("a file name contains a NUL character. Remove it")
        if any(mark in path for mark in "*?[") and not os.path.exists(path):
            import glob

            # The owner files of office programs fit such patterns too, and are not documents.
            fitting = [each for each in sorted(glob.glob(path)) if not os.path.basename(each).startswith("~$")]
            if not fitting:
                raise BadCall(f"no file matches {name}")
            result += fitting
        else:
            result.append(path)
    return result
