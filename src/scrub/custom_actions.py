"""Actions of one's own, in Python: `@scrub.action("sheet")` above a typed, documented function of an item."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any, TypeVar

from scrub.model.core.declare import Reach
from scrub.own_actions import OWN_ACTIONS

F = TypeVar("F", bound=Callable[..., None])


def action(kind: str, reach: Reach = Reach.CHANGE) -> Callable[[F], F]:
    """Declares a function as an action of a kind; its name, with hyphens, is the action's word.

    The function takes the item first, then typed arguments; its docstring is its help, as everywhere in Scrub. It
    changes the item through its fields and actions, so that preview, undo and the list of changes hold for it too.
    """

    def mark(function: F) -> F:
        @functools.wraps(function)
        def act(item: Any, **arguments: Any) -> None:
            from scrub.api.values import out

            function(out(item), **{word: out(value) for word, value in arguments.items()})

        act.scrub_reach = reach  # type: ignore[attr-defined]
        word = function.__name__
        OWN_ACTIONS[:] = [each for each in OWN_ACTIONS if (each[0], each[1].__name__) != (kind, word)]
        OWN_ACTIONS.append((kind, act))
        return function

    return mark
