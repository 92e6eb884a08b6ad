"""What files of several formats say of themselves in their properties."""

from __future__ import annotations

from scrub.model.core.declare import field, may_lack
from scrub.model.core.files import WholeFile


class Described(WholeFile):
    """A file with properties."""

    @property
    @field
    def title(self) -> str | None:
        """The title in the file's properties; nothing if there is none.

        Example: KIND.title = "House rules"
        Also: properties, metadata
        """
        return None

    @title.setter
    @may_lack
    def title(self, value: str | None) -> None:
        raise NotImplementedError

    @property
    @field
    def author(self) -> str | None:
        """The author in the file's properties; nothing if there is none.

        Example: KIND.author = nothing
        Also: creator, writer, properties, metadata
        """
        return None

    @author.setter
    @may_lack
    def author(self, value: str | None) -> None:
        raise NotImplementedError

    @property
    @field
    def subject(self) -> str | None:
        """The subject in the file's properties; nothing if there is none.

        Example: KIND.subject = "Summer season"
        Also: topic, properties, metadata
        """
        return None

    @subject.setter
    @may_lack
    def subject(self, value: str | None) -> None:
        raise NotImplementedError

    @property
    @field
    def keywords(self) -> str | None:
        """The keywords in the file's properties; nothing if there are none.

        Example: KIND.keywords = "huts, rules"
        Also: tags, properties, metadata
        """
        return None

    @keywords.setter
    @may_lack
    def keywords(self, value: str | None) -> None:
        raise NotImplementedError
