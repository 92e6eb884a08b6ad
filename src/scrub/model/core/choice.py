"""Sets of words, one of which is expected. A run makes dozens of them, which as `StrEnum` would take a twentieth of the
time that a small run needs.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from enum import StrEnum as _Words
else:

    class _MakingWords(type):
        """Makes a class whose members are the words of its body: each is one object, found by its word."""

        def __new__(cls, name: str, bases: tuple[type, ...], body: dict[str, object]) -> object:
            words = {key: word for key, word in body.items() if type(word) is str and not key.startswith("_")}
            made = super().__new__(cls, name, bases, {key: each for key, each in body.items() if key not in words})
            made._members = {}
            for key, word in words.items():
                member = str.__new__(made, word)
                member.name, member.value = key, word
                made._members[word] = member
                type.__setattr__(made, key, member)
            return made

        def __call__(cls, word: str) -> object:
            try:
                return cls._members[word]
            except KeyError:
                raise ValueError(f"{word!r} is not a valid {cls.__qualname__}") from None

        def __iter__(cls) -> Iterator[object]:
            return iter(cls._members.values())

        def __len__(cls) -> int:
            return len(cls._members)

        def __contains__(cls, word: object) -> bool:
            return word in cls._members

    class _Words(str, metaclass=_MakingWords):
        """The base of a set of words."""

        def __reduce__(self) -> object:
            return type(self), (self.value,)

        def __copy__(self) -> object:
            return self

        def __deepcopy__(self, _: object) -> object:
            return self

        def __repr__(self) -> str:
            return f"<{type(self).__qualname__}.{self.name}: {self.value!r}>"

        def __str__(self) -> str:
            return self.value


class Choice(_Words):
    """A set of words, one of which is expected; a macro writes them bare."""


__all__ = ["Choice"]
