"""Defined names of ranges: read, given and taken away."""

from __future__ import annotations

from scrub.formats.workbook.names.names import Names
from scrub.formats.workbook.shared import Shared
from scrub.model.core.area import Area
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure


def range_name(names: Names, first_name: str, name: str, area: Area) -> str | None:
    """The defined name of just a range, of a sheet by the name that it has in the file, or has now."""
    return names.name_of(first_name, area) or names.name_of(name, area)


def put_range_name(shared: Shared, sheet: str, area: Area, before: str | None, name: str | None) -> Undo:
    """Gives a range of a sheet a name in place of the one before, or takes that away; returns how to undo it."""
    names = shared.names
    if name is not None:
        names.ensure_fit(name)
    if name is not None and names.known(name) and (before is None or name.casefold() != before.casefold()):
        raise Failure(f'the name "{name}" exists already')
    used = shared.uses_of_name(before) if before is not None else ""
    if used:
        raise Failure(
            f'the name "{before}" is used in {used}, which would lose {sheet} {area}. Change those first in the '
            "workbook's own program"
        )
    target = f"{names.quoted(sheet)}!{names.absolute(area)}"

    def set_to(old: str | None, fresh: str | None) -> None:
        if old is not None:
            names.put(old, None)
        if fresh is not None:
            names.put(fresh, target)

    set_to(before, name)
    return lambda: set_to(name, before)
