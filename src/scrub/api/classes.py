"""The class for each kind of item, by its name: `Workbook`, `Sheet`, `Record` and others, made when first asked for."""

from __future__ import annotations

from scrub.api.kinds import class_names, facade_of


def __getattr__(name: str) -> object:
    word = class_names().get(name)
    if word is None:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return facade_of(word)
