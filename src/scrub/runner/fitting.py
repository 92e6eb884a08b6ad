"""Values on their way into Python and back: what an action takes, and what a field gives."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from decimal import Decimal
from functools import partial
from typing import Any

from scrub.model.core.addresses import address_from
from scrub.model.core.problem import Failure
from scrub.model.core.types import (
    ADDRESS,
    ANY,
    CLASSES,
    DATE,
    NUMBER,
    TEXT,
    TIME,
    YES_NO,
    ChoiceClass,
    Type,
    list_of,
    unit_missing,
)
from scrub.model.core.values import LONGEST_LIST, LONGEST_TEXT, Value, type_name
from scrub.model.vocabulary import Parameter

#: The types whose values are the same in Python and in a macro.
AS_THEY_ARE = frozenset(each.word for each in (TEXT, YES_NO, DATE, TIME, ADDRESS))


def given(value: object) -> Value:
    """A value from Python as a macro's value: whole numbers become decimal, sequences lists."""
    if isinstance(value, int) and not isinstance(value, bool):
        return Decimal(value)
    if isinstance(value, tuple):
        return [given(each) for each in value]
    return value


def fitted(value: Value, wanted: Type, what: str, choice: ChoiceClass | None = None, whole: bool = False) -> Any:
    """A macro's value as Python takes it. Raises `Failure` when it does not fit."""
    if value is None or wanted == ANY:
        return value
    if wanted.word == "list":
        if not isinstance(value, list) and wanted.of == ADDRESS:
            value = [value]
        if not isinstance(value, list):
            raise Failure(f"{what} is {wanted}, not {type_name(value)}")
        if wanted.of is None or wanted.of == ANY:
            return list(value)
        return [fitted(each, wanted.of, what, choice, whole) for each in value]
    if choice is not None:
        try:
            return choice(str(value).strip().lower())
        except ValueError:
            raise Failure(f'{what} is {wanted}, not "{value}"') from None
    if wanted == ADDRESS and isinstance(value, str):
        return address_from(value)
    expected = CLASSES.get(wanted)
    if expected is not None and not isinstance(value, expected):
        unit = unit_missing(wanted, NUMBER, value) if isinstance(value, Decimal) else ""
        raise Failure(f"{what} is {wanted}, not {type_name(value)}{unit}")
    if whole:
        if value != value.to_integral_value():
            raise Failure(f"{what} is a whole number, not {value}")
        return int(value)
    return value


#: What means an argument that is nothing, which is left out.
LEFT_OUT = object()


def _fit(parameter: Parameter, value: Value) -> object:
    if value is None and parameter.type != ANY:
        if parameter.required:
            raise Failure(f'"{parameter.word}" is {parameter.type}, not nothing')
        return LEFT_OUT
    return fitted(value, parameter.type, f'"{parameter.word}"', parameter.choice, parameter.whole)


def fitting(parameter: Parameter) -> Callable[[Value], object]:
    """What fits values for a parameter, which an action in a loop gets again and again; it gives `LEFT_OUT` for one
    that is nothing, and raises `Failure` for that where it is needed.
    """
    if parameter.type in (list_of(ANY), Type("list")):
        return lambda value: list(value) if type(value) is list else _fit(parameter, value)
    return partial(_fit, parameter)


def fitted_all(values: Iterable[tuple[Parameter, Value]]) -> dict[str, object]:
    """Arguments by their Python names, each fitted; one that is nothing is left out, and a failure if it is needed."""
    found = ((parameter.python, _fit(parameter, value)) for parameter, value in values)
    return {python: value for python, value in found if value is not LEFT_OUT}


def within(value: Value) -> Value:
    """The value, where it is not bigger than a value may be. Raises `Failure`."""
    if isinstance(value, str) and len(value) > LONGEST_TEXT:
        raise Failure(f"text of {len(value):,} characters is too long; the maximum is {LONGEST_TEXT:,}")
    if isinstance(value, list) and len(value) > LONGEST_LIST:
        raise Failure(f"a list of {len(value):,} values is too long; the maximum is {LONGEST_LIST:,}")
    return value
