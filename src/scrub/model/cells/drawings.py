"""What else a workbook contains: names for ranges and formulas, pictures and charts on its sheets."""

from __future__ import annotations

from scrub.model.core.declare import Item, Reach, action, field, may_lack
from scrub.model.core.required import required


class DefinedName(Item):
    """A name that means a range or a formula."""

    kind_word = "defined-name"

    @property
    @field
    @required
    def name(self) -> str:
        """The name.

        Example: if defined-name.name starts with "Old"
        Also: named range
        """
        raise NotImplementedError

    @property
    @field
    @required
    def refers_to(self) -> str:
        """What the name refers to: a range with its sheet, or a formula.

        Example: log defined-name.refers-to
        Also: reference, target, formula
        """
        raise NotImplementedError

    @refers_to.setter
    @may_lack
    def refers_to(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def of_sheet(self) -> str | None:
        """The sheet of the name; nothing if the name is valid in the whole workbook.

        Example: if defined-name.of-sheet is nothing
        Also: scope, local, global
        """
        raise NotImplementedError

    @property
    @field
    def broken(self) -> bool:
        """Whether the name refers to something that was deleted.

        Example: if defined-name.broken
        Also: ref error, invalid, dead
        """
        return "#REF!" in self.refers_to

    @action(Reach.CHANGE)
    @required
    def delete(self) -> None:
        """Deletes the name. If formulas, rules or charts use the name, the places are listed and nothing is saved.

        Example: delete
        Also: remove name, clean up names
        """
        raise NotImplementedError


class Chart(Item):
    """A chart on a sheet."""

    kind_word = "chart"

    @property
    @field
    @required
    def name(self) -> str:
        """The name in the file.

        Example: log chart.name
        Also: object name
        """
        raise NotImplementedError

    @property
    @field
    @required
    def title(self) -> str | None:
        """The chart title; nothing if there is none, or if it comes from a cell.

        Example: chart.title = "Nights, season 2026"
        Also: heading, caption
        """
        raise NotImplementedError

    @title.setter
    @may_lack
    def title(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def alternative_text(self) -> str | None:
        """The alternative text, for people who cannot see the chart; nothing if it is missing.

        Example: if chart.alternative-text is nothing
        Also: alt text, description, accessibility
        """
        raise NotImplementedError

    @alternative_text.setter
    @may_lack
    def alternative_text(self, value: str | None) -> None:
        raise NotImplementedError
