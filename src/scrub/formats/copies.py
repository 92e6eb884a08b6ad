"""Where a copy of a file goes."""

from __future__ import annotations

import os
from collections.abc import Sequence

from scrub.model.files import FilePath
from scrub.model.problem import Failure
from scrub.store.patch import free_path


def copy_path(path: str, name: str, to: FilePath | None, wanted: FilePath | None, taken: Sequence[str]) -> str:
    """Where a copy goes: a free path in a folder, under the file's own or another name. Raises `Failure`."""
    own = str(wanted) if wanted else name
    if not os.path.splitext(own)[1]:
        own += os.path.splitext(name)[1]
    if any(mark in own for mark in '\\/:*?"<>|'):
        raise Failure(f'"{own}" cannot be the name of a file. Make it one: .as-file-name')
    folder = os.path.expanduser(str(to or ".").replace("\\", "/"))
    whole = os.path.normpath(os.path.join(os.path.dirname(path), folder, own))
    return free_path(whole, lambda each: each in taken or os.path.lexists(each))
