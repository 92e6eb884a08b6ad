"""A package as it is going to be saved, read like one that is there."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from scrub.formats.opc.parts import Parts
from scrub.formats.zip import Package
from scrub.model.core.problem import FileProblem


class FinishedPackage:
    """The parts of a package after all changes. What was read is kept, since making a part takes time."""

    def __init__(self, package: Package, parts: Parts | None = None) -> None:
        """Without `parts`, the package as it is in the file."""
        self._package = package
        self._parts = parts
        self._read: dict[str, bytes] = {}

    @property
    def members(self) -> Mapping[str, object]:
        """What is there, by name."""
        if self._parts is None:
            return self._package.members
        removed = self._parts.removed
        kept = {name: member for name, member in self._package.members.items() if name not in removed}
        return {**kept, **self._parts.added}

    def named(self, name: str) -> str | None:
        """The name of a part as the file writes it, found without regard to case; None for none."""
        known = self._package.named(name)
        if known is not None and (self._parts is None or known not in self._parts.removed):
            return known
        return name if self._parts is not None and name in self._parts.added else None

    def problem(self, what: str) -> FileProblem:
        """A problem with the file."""
        return self._package.problem(what)

    def read(self, name: str) -> bytes:
        """The bytes of a part. Raises `FileProblem`."""
        known = self._read.get(name)
        if known is None:
            known = self._read[name] = self._made(name)
        return known

    def _made(self, name: str) -> bytes:
        if self._parts is not None:
            if name in self._parts.added:
                return self._parts.added[name]
            make = self._parts.changed.get(name)
            if make is not None:
                made = make()
                if isinstance(made, bytes):
                    return made
                pieces = list(made)
                self._parts.changed[name] = partial(iter, pieces)  # not to be made twice
                return b"".join(pieces)
        return self._package.read(name)
