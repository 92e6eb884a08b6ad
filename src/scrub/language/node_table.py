"""Tables of functions by the kind of node: what the checker and the compilers do with each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar

from scrub.language import tree

C = TypeVar("C")
R = TypeVar("R")
N = TypeVar("N", bound=tree.Node)


class NodeTable(dict[type[tree.Node], Callable[[C, Any], R]], Generic[C, R]):
    """For each kind of node the function that takes a context and such a node."""

    def of(self, node: type[N]) -> Callable[[Callable[[C, N], R]], Callable[[C, N], R]]:
        """Marks the function for one kind of node."""

        def mark(function: Callable[[C, N], R]) -> Callable[[C, N], R]:
            self[node] = function
            return function

        return mark
