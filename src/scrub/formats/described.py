"""Files that say of themselves what they are, regardless of the format that they say it in."""

from __future__ import annotations

from typing import Protocol

from scrub.model.core.change import Undo
from scrub.model.texts.described import Described


class Properties(Protocol):
    """The properties of one file as they should be, by the words of a macro."""

    def get(self, name: str) -> str | None:
        """What one says."""

    def put(self, name: str, value: str | None) -> Undo:
        """Lets one say something else; returns how to undo it."""


class DescribedFile(Described):
    """A file whose properties are read and set."""

    properties: Properties

    def read_property(self, name: str) -> str | None:
        """What a property says now."""
        return self.properties.get(name)

    def put_property(self, name: str, value: str | None) -> None:
        """Lets a property say something else."""
        before = self.read_property(name)
        if before != value:
            self.changed(name, before, value, self.properties.put(name, value))

    @property
    def title(self) -> str | None:
        """The title in its properties."""
        return self.read_property("title")

    @title.setter
    def title(self, value: str | None) -> None:
        self.put_property("title", value)

    @property
    def author(self) -> str | None:
        """Who wrote it."""
        return self.read_property("author")

    @author.setter
    def author(self, value: str | None) -> None:
        self.put_property("author", value)

    @property
    def subject(self) -> str | None:
        """What it is about."""
        return self.read_property("subject")

    @subject.setter
    def subject(self, value: str | None) -> None:
        self.put_property("subject", value)

    @property
    def keywords(self) -> str | None:
        """The words by which it is found."""
        return self.read_property("keywords")

    @keywords.setter
    def keywords(self, value: str | None) -> None:
        self.put_property("keywords", value)
