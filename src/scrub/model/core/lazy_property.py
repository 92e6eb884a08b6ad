"""What an object works out once, when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from functools import cached_property as lazy_property
else:

    class _LazyProperty:
        """As `functools.cached_property`, for objects of which there are a hundred thousand: it takes no lock, and sets
        the value as any other attribute, so that the object needs no dictionary of its own.
        """

        def __init__(self, make: Callable[[object], object]) -> None:
            self._make, self.__doc__ = make, make.__doc__

        def __set_name__(self, owner: type, name: str) -> None:
            self._name = name

        def __get__(self, instance: object, owner: type | None = None) -> object:
            if instance is None:
                return self
            value = self._make(instance)
            setattr(instance, self._name, value)
            return value

    lazy_property = _LazyProperty


__all__ = ["lazy_property"]
