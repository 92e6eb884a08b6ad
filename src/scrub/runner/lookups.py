"""Items as they are found, counted and made: each closure takes the running frame."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal
from typing import Any

from scrub.language import tree
from scrub.language.meanings import Meanings
from scrub.language.tree import Argument, Expression
from scrub.model.problem import Failure, Missing, did_you_mean
from scrub.model.series import Series
from scrub.model.values import Value, fold, loosen, type_name
from scrub.model.vocabulary import Callee
from scrub.runner.comparisons import Evaluate
from scrub.runner.execution import Frame
from scrub.runner.fitting import fitted_all


class Lookups:
    """Compiles what finds or makes items; what compiles all other expressions builds on it."""

    means: Meanings

    def evaluate(self, node: Expression) -> Evaluate:
        """The closure of an expression."""
        raise NotImplementedError

    def condition(self, node: Expression) -> Callable[[Frame], bool]:
        """The closure of a condition."""
        raise NotImplementedError

    def path(self, node: Expression) -> Evaluate:
        """The closure of a path."""
        raise NotImplementedError

    def fitted(
        self, callee: Callee, names: Sequence[str], arguments: Sequence[Argument]
    ) -> Callable[[Frame], dict[str, Any]]:
        """The closure that gives the arguments of an action or part by their Python names, each fitted."""
        parameters = callee.by_python
        compiled = [
            (parameters[name], self.path(argument.value) if parameters[name].path else self.evaluate(argument.value))
            for name, argument in zip(names, arguments, strict=False)
        ]
        if any(argument.exactly for argument in arguments):
            compiled.append((parameters["exactly"], lambda frame: True))
        return lambda frame: fitted_all((parameter, value(frame)) for parameter, value in compiled)

    def _part(self, node: tree.Dot, target: Evaluate) -> Evaluate:
        means = self.means[node]
        callee = means.part
        assert callee is not None
        arguments = self.fitted(callee, means.bound, node.arguments or ())

        def make(frame: Frame) -> Value:
            return callee.function(target(frame), **arguments(frame))

        return make

    def _call(self, node: tree.Call, outer: Evaluate | None = None) -> Evaluate:
        means = self.means[node]
        if node.word == "own-file":
            own_file = means.own_file
            return lambda frame: own_file
        base = means.base
        holder: Evaluate = outer or (lambda frame: frame[base])
        if node.word == "copy-of":
            paths = {argument.name or "": self.path(argument.value) for argument in node.arguments}
            source, name, to = paths[""], paths["name"], paths.get("to")
            return lambda frame: frame[0].copy(source(frame), name(frame), to(frame) if to else None)
        if node.word == "new-file":
            paths = {argument.name or "": self.path(argument.value) for argument in node.arguments}
            fresh, folder = paths[""], paths.get("to")
            return lambda frame: frame[0].new_file(fresh(frame), folder(frame) if folder else None)
        if node.word == "new-message":
            values = {argument.name: self.evaluate(argument.value) for argument in node.arguments}
            return lambda frame: frame[0].new_message({word: value(frame) for word, value in values.items()})
        if node.word == "open":
            path = self.path(node.arguments[0].value)
            return lambda frame: frame[0].open(path(frame))
        if means.action is not None:
            return self._making(node)
        if means.finder is not None:
            return self._found(node, holder)
        name = self.evaluate(node.arguments[0].value)
        fix = loosen if node.arguments[0].exactly else fold
        way, word, missing_is_fine = means.path, node.word, means.may_be_missing

        def look_up(frame: Frame) -> Value:
            wanted = name(frame)
            if not isinstance(wanted, str):
                raise Failure(f"the name of a {word} is a text, not {type_name(wanted)}")
            low = fix(wanted)
            every = list(inside(holder(frame), way))
            for item in every:
                if fix(item.label) == low:
                    return item
            if missing_is_fine:
                return None
            names = [item.label for item in every]
            there = ", ".join(names[:8]) + (f" and {len(names) - 8} more" if len(names) > 8 else "")
            raise Failure(f'there is no {word} "{wanted}".{did_you_mean(wanted, names)} There are: {there}')

        return look_up

    def _making(self, node: tree.Call) -> Evaluate:
        """An action that makes an item: `late = new-sheet("Late")`."""
        means = self.means[node]
        action, base = means.action, means.base
        assert action is not None
        arguments = self.fitted(action, means.bound, node.arguments)

        def make(frame: Frame) -> Value:
            if action.reach > frame[0].reach:
                raise Failure(f'"{action.word}" {action.reach.sentence}, which this run was not allowed to do')
            return action.do(frame[base], arguments(frame))

        return make

    def _found(self, node: tree.Call, holder: Evaluate) -> Evaluate:
        """An item looked up by more than its name."""
        means = self.means[node]
        finder = means.finder
        assert finder is not None
        way, missing_is_fine = means.path, means.may_be_missing
        parameters = {} if finder.open else finder.by_python
        arguments = [
            (name, self.evaluate(argument.value)) for name, argument in zip(means.bound, node.arguments, strict=False)
        ]
        method = finder.function.__name__

        def find(frame: Frame) -> Value:
            outer = holder(frame)
            if outer is None:
                raise Failure("the item is missing")
            values = {name: value(frame) for name, value in arguments}
            if not finder.open:
                values = fitted_all((parameters[name], value) for name, value in values.items())
            missing: Missing | None = None
            holders = list(inside(outer, way)) if way else [outer]
            if len(holders) > 1 and not finder.open:
                kind = holders[0].kind_word
                raise Failure(f'{node.word}(…) of which {kind}? Put it in a block: in {kind}("{holders[0].label}")')
            for item in holders:
                try:
                    return getattr(item, method)(**values)
                except Missing as failure:
                    missing = missing or failure
            if missing_is_fine:
                return None
            raise missing or Failure(f"there is no {node.word} to look up")

        return find

    def _count(self, node: tree.Count) -> Evaluate:
        outer = self.evaluate(node.inside) if node.inside is not None else None
        where = self.condition(node.where) if node.where is not None else None
        base, path, slot = self.means[node].base, self.means[node].path, self.means[node].slot

        def count(frame: Frame) -> Value:
            items = inside(outer(frame) if outer else frame[base], path)
            if where is None:
                return Decimal(sum(1 for _ in items))
            found = 0
            for item in items:
                frame[slot] = item
                found += where(frame)
            return Decimal(found)

        return count


def inside(item: Any, path: tuple[str, ...]) -> Iterator[Any]:
    """The items at the end of a path of methods, in document order."""
    if item is None:
        raise Failure("the item is missing")
    for inner in getattr(item, path[0])():
        if inner.removed:
            continue
        if len(path) == 1:
            yield inner
        else:
            yield from inside(inner, path[1:])


def visited(item: Any, path: tuple[str, ...]) -> Sequence[Any]:
    """The items at the end of a path as a loop goes through them: fixed when it begins."""
    if len(path) == 1 and item is not None:
        found = getattr(item, path[0])()
        return found if isinstance(found, Series) else [each for each in found if not each.removed]
    return list(inside(item, path))


def records(item: Any, path: tuple[str, ...], headings: tuple[str, ...]) -> list[Any]:
    """The records at the end of a path, fixed when their loop begins."""
    if item is None:
        raise Failure("the item is missing")
    holders = list(inside(item, path[:-1])) if len(path) > 1 else [item]
    if len(holders) == 1:
        return list(getattr(holders[0], path[-1])(headings))
    return [record for holder in holders for record in getattr(holder, path[-1])(headings)]
