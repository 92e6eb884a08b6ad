"""Steps of a learned macro: lines inside loops, each with how long it is to say and what else it could be."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

from scrub.by_example.condition_parts import Condition
from scrub.by_example.values import literal

#: The order of steps: what is read before it is set comes first.
LOOKS_BY_RULE, DELETIONS, TEXTS, VALUES, LOOKS, ORDER, SETTINGS, PROTECTION, NAMES = range(9)


class Step(NamedTuple):
    """Something that a macro does: its place in the order, the loops around it from the outside in, and its lines."""

    order: int
    loops: tuple[str, ...]
    lines: tuple[str, ...]
    #: What the step could be as well: other loops with the same lines.
    readings: tuple[tuple[str, ...], ...] = ()
    #: Why the example does not tell more.
    note: str = ""
    #: The line that opens another file, if it reads one.
    opening: str = ""
    #: How many items each reading would treat otherwise; empty where nobody counted them.
    doubts: tuple[int, ...] = ()
    #: Of each limit in its conditions: between what others fit the example as well.
    gaps: tuple[str, ...] = ()


def written(steps: Sequence[Step], kind: str, title: str) -> str:
    """The macro; steps that share their loops share them in the text."""
    body = list(dict.fromkeys(step.opening for step in steps if step.opening))
    if body:
        body.append("")
    _write(sorted(steps, key=lambda step: step.order), 0, body)
    return "\n".join([f"macro {title}", f"for   {kind}", "", *body, ""])


def _write(steps: Sequence[Step], depth: int, body: list[str]) -> None:
    for opening, group in groupby(steps, key=lambda step: step.loops[depth] if len(step.loops) > depth else ""):
        inside = list(group)
        indent = "    " * depth
        if not opening:
            body += [indent + line for step in inside for line in step.lines]
            continue
        if opening.startswith("each record"):  # a record loop reads what the one before it set: each has its own
            for step in inside:
                body.append(indent + opening)
                _write([step], depth + 1, body)
                body.append(f"{indent}end")
            continue
        body.append(indent + opening)
        _write(inside, depth + 1, body)
        body.append(f"{indent}end")


#: Cells that are listed one by one if no rule is found.
LISTED = 6


def in_cell(order: int, sheet: str, address: str, line: str) -> Step:
    """A step in one cell, for which no rule was found."""
    return Step(order, (), (f'in sheet({literal(sheet)}).cell("{address}")', f"    {line}", "end"))


class Found(NamedTuple):
    """The loops of a step, what else they could be, and how many items each of these would treat otherwise."""

    loops: tuple[str, ...]
    readings: tuple[tuple[str, ...], ...] = ()
    doubts: tuple[int, ...] = ()
    gaps: tuple[str, ...] = ()
    note: str = ""

    def step(self, order: int, *lines: str, inside: tuple[str, ...] = (), opening: str = "") -> Step:
        """The step with these lines, in a further loop if need be."""
        readings = tuple((*each, *inside) for each in self.readings)
        return Step(order, (*self.loops, *inside), lines, readings, self.note, opening, self.doubts, self.gaps)


def single(what: str, rules: int) -> str:
    """What is told where one item only was changed, and several rules fit it."""
    return f"Only one {what} was changed, and {rules} rules fit it. Give a second pair with --also."


def loop(opening: str, condition: Condition) -> str:
    """A loop with its condition."""
    return f"{opening} where {condition.text}" if condition.text else opening
