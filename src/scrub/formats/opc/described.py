"""Packages that say of themselves what they are, in their core properties."""

from __future__ import annotations

from scrub.formats.opc.file import OfficeFile
from scrub.formats.opc.properties import CoreProperties
from scrub.formats.source import Source
from scrub.model.described import Described


class DescribedPackage(OfficeFile, Described):
    """A package with properties."""

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self.properties = CoreProperties(self.package)

    @property
    def title(self) -> str | None:
        """The title in its properties."""
        return self.properties.get("title")

    @title.setter
    def title(self, value: str | None) -> None:
        self._set_property("title", value)

    @property
    def author(self) -> str | None:
        """Who wrote it."""
        return self.properties.get("creator")

    @author.setter
    def author(self, value: str | None) -> None:
        self._set_property("creator", value)

    @property
    def subject(self) -> str | None:
        """What it is about."""
        return self.properties.get("subject")

    @subject.setter
    def subject(self, value: str | None) -> None:
        self._set_property("subject", value)

    @property
    def keywords(self) -> str | None:
        """The words by which it is found."""
        return self.properties.get("keywords")

    @keywords.setter
    def keywords(self, value: str | None) -> None:
        self._set_property("keywords", value)

    def _set_property(self, name: str, value: str | None) -> None:
        before = self.properties.get(name)
        if before != value:
            field = "author" if name == "creator" else name
            self.changed(field, before, value, self.properties.put(name, value))
