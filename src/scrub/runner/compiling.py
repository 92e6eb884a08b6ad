"""What compiles both statements and expressions, as far as a function that is made of them needs it."""

from __future__ import annotations

from collections.abc import Callable

from scrub.language import tree
from scrub.language.tree import Expression
from scrub.model.declare import Item
from scrub.model.problem import Failure
from scrub.model.values import Value, type_name
from scrub.model.vocabulary import Action
from scrub.runner.execution import Execution, Frame, not_allowed
from scrub.runner.expressions import Expressions
from scrub.runner.lookups import deleted


class Compiling(Expressions):
    """Compiles expressions and statements; what a function needs of that."""

    def statement(self, node: tree.Statement) -> Callable[[Frame], int | None]:
        """The closure of a statement."""
        raise NotImplementedError

    def added_to(self, node: tree.SetName) -> Expression | None:
        """What a list is made longer by, where a statement does that."""
        raise NotImplementedError

    @staticmethod
    def ensure_done(item: Item, action: Action, execution: Execution) -> None:
        """Raises `Failure` for an action that cannot or may not be done."""
        if item.removed:
            raise deleted(item)
        if action.reach > execution.reach:
            raise not_allowed(action.word, action.reach)

    @staticmethod
    def no_item(found: Value) -> Failure:
        """The failure for what is after `in` and is not an item."""
        return Failure(f'"in" needs an item; this is {type_name(found)}')
