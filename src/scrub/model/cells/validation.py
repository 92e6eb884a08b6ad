"""What may be entered into cells, and how cells look by what is in them."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from scrub.model.core.choice import Choice
from scrub.model.core.colours import Colour
from scrub.model.core.declare import Item, Reach, action, field
from scrub.model.core.named import NamedTuple
from scrub.model.core.required import required


class Allowed(Choice):
    """What may be entered into a cell (ISO/IEC 29500-1, 18.18.21)."""

    LIST = "list"
    WHOLE_NUMBER = "whole-number"
    NUMBER = "number"
    DATE = "date"
    TIME = "time"
    TEXT_LENGTH = "text-length"
    FORMULA = "formula"


class Restriction(NamedTuple):
    """What may be entered into a cell: values as a macro has them."""

    to: Allowed
    least: Any = None
    most: Any = None
    choices: tuple[str, ...] = ()
    formula: str = ""  # the range with the choices, or the condition
    message: str = ""


class When(NamedTuple):
    """When cells get a look: one of these is set."""

    above: object = None
    below: object = None
    at_least: object = None
    at_most: object = None
    equal: object = None
    between: tuple[object, object] | None = None
    contains: str | None = None
    duplicates: bool = False
    formula: str | None = None


class Emphasis(NamedTuple):
    """The look that cells get."""

    fill: str | None = None
    colour: str | None = None
    bold: bool = False
    italic: bool = False


class Validation(Item):
    """A rule about what may be entered into some cells."""

    kind_word = "validation"

    @property
    @field
    @required
    def range(self) -> str:
        """The cells of the rule; several ranges are separated by commas.

        Example: log validation.range
        Also: applies to, address, cells
        """
        raise NotImplementedError

    @property
    @field
    @required
    def allows(self) -> Allowed:
        """The kind of input allowed: list, whole-number, number, date, time, text-length or formula.

        Example: if validation.allows is list
        Also: type, criteria, data validation
        """
        raise NotImplementedError

    @property
    @field
    @required
    def source(self) -> str | None:
        """The range with the choices, the condition, or the first limit; nothing for choices listed in the rule.

        Example: log validation.source
        Also: list range, formula, criteria
        """
        raise NotImplementedError

    @property
    @field
    @required
    def choices(self) -> list[str]:
        """The choices listed in the rule; an empty list if they are in a range, and for other rules.

        Example: if validation.choices contains "no"
        Also: drop-down list, options, items
        """
        raise NotImplementedError

    @property
    @field
    @required
    def message(self) -> str | None:
        """The message after wrong input; nothing for the program's own message.

        Example: log validation.message
        Also: error alert, warning
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def delete(self) -> None:
        """Deletes the rule; the cells keep their values.

        Example: delete
        Also: remove validation, remove drop-down list
        """
        raise NotImplementedError


class Effect(Choice):
    """By what a conditional format chooses its cells."""

    VALUE = "value"
    TEXT = "text"
    DUPLICATES = "duplicates"
    FORMULA = "formula"
    COLOUR_SCALE = "colour-scale"
    OTHER = "other"


class ConditionalFormat(Item):
    """A look that some cells get by what is in them."""

    kind_word = "conditional-format"

    @property
    @field
    @required
    def range(self) -> str:
        """The cells of the rule; several ranges are separated by commas.

        Example: log conditional-format.range
        Also: applies to, address, cells
        """
        raise NotImplementedError

    @property
    @field
    @required
    def by(self) -> Effect:
        """The type of the rule: value, text, duplicates, formula, colour-scale or other.

        Example: if conditional-format.by is duplicates
        Also: type, rule, conditional formatting
        """
        raise NotImplementedError

    @property
    @field
    @required
    def condition(self) -> str:
        """The condition in words: "> 5", "contains late", or its formula.

        Example: log conditional-format.condition
        Also: rule, criteria, formula
        """
        raise NotImplementedError

    @property
    @field
    def fill(self) -> str | None:
        """The fill colour it applies; nothing for none.

        Example: if conditional-format.fill is "yellow"
        Also: background, highlight, color
        """
        found = self.emphasis.fill
        return None if found is None else Colour(found)

    @property
    @field
    def colour(self) -> str | None:
        """The text colour it applies; nothing for none.

        Example: if conditional-format.colour is "red"
        Also: font color, text color
        """
        found = self.emphasis.colour
        return None if found is None else Colour(found)

    @property
    @required
    def emphasis(self) -> Emphasis:
        """The look it gives."""
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def delete(self) -> None:
        """Deletes the conditional format; the cells keep their own formatting.

        Example: delete
        Also: remove rule, clear conditional formatting
        """
        raise NotImplementedError


def limits(least: object, most: object) -> tuple[str, ...]:
    """Two limits as a person reads them."""
    if least is None and most is None:
        return ()
    if most is None:
        return (f"at least {_plain(least)}",)
    return (f"at most {_plain(most)}",) if least is None else (f"from {_plain(least)} to {_plain(most)}",)


def _plain(value: object) -> str:
    return str(value.normalize() + 0) if isinstance(value, Decimal) else str(value)
