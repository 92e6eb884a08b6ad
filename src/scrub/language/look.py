"""What is in reach at a line of a macro, however broken the text is."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.checking import Checking
from scrub.language.scope import ItemOf, Scope
from scrub.language.tree import Expression
from scrub.model.core.types import Type


class Seen:
    """What is in reach at a line of a macro."""

    def __init__(self, on: Checking, scope: Scope, loops: list[str]) -> None:
        self._on = on
        self.scope = scope
        self.loops = loops

    def type(self, node: Expression) -> Type:
        """The type of an expression that would be there. The word of a kind means any such item."""
        on = self._on
        waiting: list[tree.Node] = [node]
        on.scope, on.problems = self.scope.copied(), []
        for each in waiting:
            waiting += tree.children(each)
            if isinstance(each, tree.Name) and not self.scope.known(each.word) and each.word in on.vocabulary.kinds:
                on.scope.items.insert(0, ItemOf(each.word, each.word, 0, set(), each.word))
        return on.type(node)
