"""Patterns that are compiled when they are first used: a run needs few of them, and compiling takes long."""

from __future__ import annotations

import re
from typing import Any, AnyStr, cast

_METHODS = ("match", "fullmatch", "search", "sub", "finditer", "findall", "split", "pattern", "flags")


class _LazyPattern:
    """Stands for a pattern until somebody asks something of it; from then on it answers as fast as that."""

    def __init__(self, pattern: Any, flags: int) -> None:
        self._source = (pattern, flags)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        compiled = re.compile(*self._source)
        for each in _METHODS:
            setattr(self, each, getattr(compiled, each))
        return getattr(compiled, name)


def lazy_pattern(pattern: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """A pattern, compiled when it is first used."""
    return cast("re.Pattern[AnyStr]", _LazyPattern(pattern, flags))
