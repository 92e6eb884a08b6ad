"""What may be entered into cells, and how they look by what is in them: set on one cell or many."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from scrub.model.cells.grid import Grid, HoldsCells
from scrub.model.cells.validation import Allowed, Emphasis, Restriction, When
from scrub.model.core.area import Area
from scrub.model.core.colours import colour_of
from scrub.model.core.declare import Reach, action, field, needs
from scrub.model.core.problem import Failure


class CellRules(HoldsCells):
    """The rules of one cell or of a range."""

    __slots__ = ()

    def _areas_used(self) -> Iterator[tuple[Grid, Area]]:
        """Its ranges; of whole rows and columns all of them, as rules are meant for what is still to come."""
        yield from self.areas()

    @property
    @field
    def choices(self) -> list[str] | None:
        """The choices offered for input, if its rule lists them; nothing if there are none. Set to nothing, anything
        can be entered.

        Example: KIND.choices = ["yes", "no"]
        Also: drop-down list, dropdown, data validation, options, pick list
        """
        restriction = self._restriction()
        return list(restriction.choices) if restriction is not None and restriction.choices else None

    @choices.setter
    @needs("put_restriction")
    def choices(self, value: list[str] | None) -> None:
        if value is not None:
            texts = tuple(str(each) for each in value)
            if not texts or not all(texts):
                raise Failure("the list of choices is empty. To delete the rule: choices = nothing")
            self._restrict(Restriction(Allowed.LIST, choices=texts))
        else:
            self._restrict(None)

    @property
    @field
    def choices_from(self) -> str | None:
        """The range with the choices, such as "Lists!$A$1:$A$2", or its name; nothing if there is none.

        Example: KIND.choices-from = "A2:A9"
        Also: drop-down list from range, list source, data validation
        """
        restriction = self._restriction()
        return restriction.formula or None if restriction is not None and restriction.to == Allowed.LIST else None

    @choices_from.setter
    @needs("put_restriction")
    def choices_from(self, value: str | None) -> None:
        self._restrict(None if value is None else Restriction(Allowed.LIST, formula=value.removeprefix("=")))

    @action(Reach.CHANGE)
    @needs("put_restriction")
    def restrict(
        self,
        to: Allowed,
        at_least: object | None = None,
        at_most: object | None = None,
        formula: str | None = None,
        message: str | None = None,
    ) -> None:
        """Restricts input; existing values remain. For a list of choices, set `choices`.

        to: the kind of input allowed.
        at_least: the minimum: a number, date, time or length.
        at_most: the maximum.
        formula: the condition, written for the first cell; needs to: formula.
        message: the message after wrong input.
        Example: restrict to: whole-number, at-least: 1, at-most: 30
        Also: validation, data validation, only numbers, allowed values, input rule
        """
        if to == Allowed.LIST:
            raise Failure('to set a list of choices: cell.choices = ["yes", "no"]')
        if (to == Allowed.FORMULA) != (formula is not None):
            raise Failure('this needs to: formula. Write: restrict to: formula, formula: "=B4>0"')
        if to != Allowed.FORMULA and at_least is None and at_most is None:
            raise Failure("the limit is missing: at-least, at-most, or both")
        self._restrict(
            Restriction(to, at_least, at_most, formula=(formula or "").removeprefix("="), message=message or "")
        )

    @action(Reach.CHANGE)
    @needs("put_restriction")
    def unrestrict(self) -> None:
        """Allows any input again.

        Example: unrestrict
        Also: remove data validation, clear validation, remove drop-down
        """
        self._restrict(None)

    def _restriction(self) -> Restriction | None:
        restrictions = {sheet.restriction(area.top, area.left) for sheet, area in self.areas()}
        return next(iter(restrictions)) if len(restrictions) == 1 else None

    def _restrict(self, restriction: Restriction | None) -> None:
        for sheet, area in self._areas_used():
            sheet.put_restriction(area, restriction)

    @action(Reach.CHANGE)
    @needs("add_conditional_format")
    def format_when(
        self,
        above: object | None = None,
        below: object | None = None,
        at_least: object | None = None,
        at_most: object | None = None,
        equal: object | None = None,
        between: list[object] | None = None,
        contains: str | None = None,
        duplicates: bool = False,
        formula: str | None = None,
        fill: str | None = None,
        colour: str | None = None,
        bold: bool = False,
        italic: bool = False,
    ) -> None:
        """Highlights cells that meet a condition, now and whenever they change.

        above: values greater than this number, date or text.
        below: values less than this.
        at_least: values greater than or equal to this.
        at_most: values less than or equal to this.
        equal: values equal to this.
        between: values between the two in this list.
        contains: cells that contain this text.
        duplicates: yes for values that appear more than once.
        formula: a condition, written for the first cell.
        fill: the fill colour.
        colour: the text colour.
        bold: yes for bold text.
        italic: yes for italic text.
        Example: format-when above: 5, fill: "#ffe0a0"
        Also: conditional formatting, highlight cells, mark values, duplicates, rule
        """
        pair = tuple(between) if between is not None else None
        if pair is not None and len(pair) != 2:
            raise Failure("between needs a list of two values: between: [1, 5]")
        when = When(above, below, at_least, at_most, equal, pair, contains, duplicates, formula)
        if sum(each is not None and each is not False for each in when) != 1:
            raise Failure("the condition is missing, such as above: 5 or duplicates: yes")
        emphasis = Emphasis(_colour(fill), _colour(colour), bold, italic)
        if emphasis == Emphasis():
            raise Failure('the formatting is missing, such as fill: "#ffe0a0" or bold: yes')
        for sheet, area in self._areas_used():
            sheet.add_conditional_format(area, when, emphasis)

    @action(Reach.CHANGE)
    @needs("add_conditional_format")
    def colour_scale(self, low: str, high: str, middle: str | None = None) -> None:
        """Colours numbers on a scale of two or three colours, by size.

        low: the colour of the smallest number.
        high: the colour of the largest number.
        middle: the colour in the middle.
        Example: colour-scale low: "#ffffff", high: "#46605a"
        Also: color scale, heat map, conditional formatting, gradient
        """
        colours = [colour_of(each) for each in (low, *([middle] if middle is not None else []), high)]
        for sheet, area in self._areas_used():
            sheet.add_colour_scale(area, colours)

    @action(Reach.CHANGE)
    @needs("add_conditional_format")
    def clear_conditional_formats(self) -> None:
        """Deletes all conditional formats of these cells; other cells keep theirs.

        Example: clear-conditional-formats
        Also: remove conditional formatting, clear rules
        """
        for sheet, area in self._areas_used():
            sheet.clear_conditional_formats(area)


def _colour(value: str | None) -> Any:
    return None if value is None else colour_of(value)
