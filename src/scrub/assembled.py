"""What is the same in every home, and in every worker: the formats, the words of macros, and how settings are read."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from scrub.formats.registry import Registry
    from scrub.model.core.preferences import Preferences
    from scrub.model.vocabulary import Vocabulary


@cache
def formats() -> Registry:
    """The formats of files that can be opened."""
    from scrub.formats.registry import Registry

    return Registry()


def vocabulary(registry: Registry) -> Vocabulary:
    """All that a macro can name on files of these formats, with the actions that this program has declared."""
    from scrub.catalog import ACTIONS
    from scrub.own_actions import OWN_ACTIONS, load_packages

    load_packages()
    return _vocabulary(registry, tuple(ACTIONS), tuple(OWN_ACTIONS))


@cache
def _vocabulary(registry: Registry, actions: tuple[Any, ...], own: tuple[Any, ...]) -> Vocabulary:
    """It is not quickly made: a script calls `run` for each of its files."""
    from scrub.model.vocabulary import Vocabulary

    return Vocabulary(registry.kinds(), actions, own, registry.endings, registry.files)


def preferences_of(found: Mapping[str, Any]) -> Preferences:
    """How a person who has set this writes dates and numbers."""
    from scrub.model.core.addresses import address_from
    from scrub.model.core.preferences import DateOrder, Mark, Preferences

    usual = Preferences()
    order, mark = found.get("date-order"), found.get("decimal-mark")
    return Preferences(
        DateOrder(order) if order else None,
        Mark(mark) if mark else None,
        found.get("encoding") or None,
        found.get("author") or None,
        address_from(found["address"]) if found.get("address") else None,
        tuple(word.strip().rstrip(":") for word in found.get("subject-prefixes", "").split(",") if word.strip()),
        int(found.get("max-elements", usual.most_elements)),
        int(found.get("max-minutes", usual.most_minutes)),
        int(found.get("max-gigabytes", usual.most_gigabytes)),
        int(found.get("max-memory", usual.most_memory)),
    )
