"""Where the values in an expression are in the file, so that a failure can name them."""

from __future__ import annotations

from collections.abc import Callable

from scrub.language import tree
from scrub.language.tree import Expression
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure
from scrub.model.core.values import type_name
from scrub.runner.comparisons import NoText, Told
from scrub.runner.compiling import Compiler
from scrub.runner.execution import Frame


def origins_of(on: Compiler, *sides: Expression | None) -> list[Callable[[Frame], str]]:
    """Where the values of those expressions are that come straight from the file."""
    return [origin for side in sides if side is not None for origin in [origin_of(on, side)] if origin]


def telling(on: Compiler, *sides: Expression | None) -> Told:
    """Adds to a failure the cells whose values it is about."""
    origins = origins_of(on, *sides)
    return lambda failure, frame: at_origins(failure, origins, frame)


def asking_first(node: Expression, told: Told) -> Told:
    """The same; where the value of a cell is not a text, a failure tells how to ask for texts only."""
    if not isinstance(node, tree.Dot) or node.word != "value" or not isinstance(node.target, tree.Name):
        return told
    item = node.target.word

    def tell(failure: Failure, frame: Frame) -> Failure:
        result = told(failure, frame)
        if isinstance(failure, NoText):
            result.what += f". To test text only: where {item}.holds is text and …"
        return result

    return tell


def placing_failures(run: Callable[[Frame], bool], told: Told) -> Callable[[Frame], bool]:
    """The same; a failure names the cells whose values it is about."""

    def placed(frame: Frame) -> bool:
        try:
            return run(frame)
        except Failure as failure:
            raise told(failure, frame) from None

    return placed


def origin_of(on: Compiler, node: Expression) -> Callable[[Frame], str] | None:
    """Where the value of an expression is in the file, if it comes straight from there."""
    if not isinstance(node, tree.Dot) or node.arguments is not None:
        return None
    target, heading = on.evaluate(node.target), on.means[node].heading

    def place(frame: Frame) -> str:
        item = target(frame)
        if isinstance(item, Item):
            return item.place_of(heading) if item.open_fields else item.label
        return type_name(item)

    return place if heading or node.word == "value" else None


def at_origins(failure: Failure, origins: list[Callable[[Frame], str]], frame: Frame) -> Failure:
    """The failure, with the cells whose values it is about."""
    return failure.at(" and ".join(origin(frame) for origin in origins)) if origins else failure
