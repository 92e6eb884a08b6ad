"""What a format lacks: found by comparing what its classes offer with what a macro uses."""

from __future__ import annotations

import inspect
import typing
from collections.abc import Callable

from scrub.model.core.declare import FileItem, Item


def made_of(cls: type[Item]) -> tuple[type[Item], ...]:
    """The class of a file, and those of the items in it, as its methods name them."""
    if cls in _KNOWN:
        return _KNOWN[cls]
    found: dict[type[Item], None] = {cls: None}
    waiting = [cls]
    while waiting:
        of = waiting.pop()
        for name in _holding(of):
            held = _held(of, name)
            if held is not None and held not in found:
                found[held] = None
                waiting.append(held)
    # Of a class and one that is made from it, the latter is what is in such a file.
    _KNOWN[cls] = tuple(
        each for each in found if not any(other is not each and issubclass(other, each) for other in found)
    )
    return _KNOWN[cls]


def left_open(file: type[FileItem]) -> list[str]:
    """What files of this class, and the items in them, have to offer and do not: class and member."""
    result = []
    for cls in made_of(file):
        if cls.__module__.startswith("scrub.model."):
            continue  # the format has no such items
        result += [
            f"{cls.__name__}.{name}: the type of what it gives" for name in _holding(cls) if not _held(cls, name)
        ]
        for name in dir(cls):
            member = inspect.getattr_static(cls, name)
            function = member.fget if isinstance(member, property) else member
            if getattr(function, "scrub_required", False):
                result.append(f"{cls.__name__}.{name}")
    return result


def _holding(cls: type[Item]) -> list[str]:
    """The methods that give the items in one of this class."""
    return sorted({name for base in cls.__mro__ for name, each in vars(base).items() if hasattr(each, "scrub_holds")})


def _held(cls: type[Item], name: str) -> type[Item] | None:
    """The class of the items that a method gives; None where it does not name it."""
    given = typing.get_args(typing.get_type_hints(getattr(cls, name)).get("return"))
    return given[0] if given else None


_KNOWN: dict[type[Item], tuple[type[Item], ...]] = {}


def lacks(file: type[FileItem], kind: type[Item], name: str) -> bool:
    """Whether files of this class cannot keep what a member of a kind, a field or an action, sets."""
    declared = _setting(kind, name)
    if declared is None or _lacking(declared):
        owners = [cls for cls in made_of(file) if issubclass(cls, kind)]
        return any(_left_out(cls, name) for cls in owners)
    return missing(file, declared)


def missing(file: type[FileItem], function: Callable[..., object]) -> bool:
    """Whether files of this class lack something that a function needs."""
    wanted: tuple[str, ...] = getattr(function, "scrub_needs", ())
    return any(_left_out(cls, name) for cls in made_of(file) for name in wanted if hasattr(cls, name))


def _setting(cls: type[Item], name: str) -> Callable[..., object] | None:
    """The function after an action, or what sets a field."""
    member = inspect.getattr_static(cls, name)
    result: Callable[..., object] | None = member.fset if isinstance(member, property) else member
    return result


def _left_out(cls: type[Item], name: str) -> bool:
    found = _setting(cls, name)
    return found is None or _lacking(found)


def _lacking(function: Callable[..., object]) -> bool:
    return bool(getattr(function, "scrub_lacking", False))
