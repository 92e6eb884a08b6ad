"""Named tuples that are made quickly: the usual way compiles the annotation of every field, which takes a tenth of the
time that a small run needs.
"""

from __future__ import annotations

from collections import namedtuple
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from typing import NamedTuple
else:

    class _Making(type):
        """Makes a class of a body with annotated fields."""

        def __new__(cls, name: str, bases: tuple[type, ...], body: dict[str, object]) -> type:
            if not bases:
                return super().__new__(cls, name, bases, body)
            fields = body.pop("__annotations__", {})
            defaults = [body.pop(field) for field in fields if field in body]
            made = namedtuple(name, fields, defaults=defaults, module=body["__module__"])
            made.__annotations__ = dict(fields)
            for word, member in body.items():
                if word not in ("__module__", "__qualname__", "__slots__"):
                    setattr(made, word, member)
            made.__qualname__ = body["__qualname__"]
            return made

    class NamedTuple(metaclass=_Making):
        """The base of a class of named fields."""


__all__ = ["NamedTuple"]
