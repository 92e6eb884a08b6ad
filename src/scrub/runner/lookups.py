"""Items as they are found, counted and made: each closure takes the running frame."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from decimal import Decimal
from typing import Any, TypeVar

from scrub.language import tree
from scrub.language.meanings import Meanings
from scrub.language.tree import Argument, Block, Expression
from scrub.model.declare import Item
from scrub.model.files import IfExists
from scrub.model.operations.lists import NoOrder
from scrub.model.problem import Failure, Missing, did_you_mean
from scrub.model.series import Series
from scrub.model.sieve import Tally
from scrub.model.values import Pairs, Value, fold, loosen, type_name
from scrub.model.vocabulary import Callee, Vocabulary
from scrub.runner.comparisons import Evaluate
from scrub.runner.execution import Frame, not_allowed
from scrub.runner.fitting import LEFT_OUT, fitting
from scrub.runner.gathering import GATHERED
from scrub.runner.sifting import choosing

T = TypeVar("T", bound=Callable[[Frame], Any] | None)


class Lookups:
    """Compiles what finds or makes items; what compiles all other expressions builds on it."""

    means: Meanings
    vocabulary: Vocabulary

    def evaluate(self, node: Expression) -> Evaluate:
        """The closure of an expression."""
        raise NotImplementedError

    def condition(self, node: Expression) -> Callable[[Frame], bool]:
        """The closure of a condition."""
        raise NotImplementedError

    def _origin(self, node: Expression) -> Callable[[Frame], str] | None:
        """Where the value of an expression is in the file, if it comes straight from there."""
        raise NotImplementedError

    def path(self, node: Expression) -> Evaluate:
        """The closure of a path."""
        raise NotImplementedError

    def warming(self, closure: T, node: Block | Expression | None, is_test: bool = False) -> Callable[[], T]:
        """What gives a part of a loop, which is asked for again as the loop goes on: it may give a quicker one."""
        raise NotImplementedError

    def fitted(
        self, callee: Callee, names: Sequence[str], arguments: Sequence[Argument]
    ) -> Callable[[Frame], dict[str, Any]]:
        """The closure that gives the arguments of an action or part by their Python names, each fitted."""
        if callee.open:
            under = [(name, self.evaluate(argument.value)) for name, argument in zip(names, arguments, strict=False)]
            return lambda frame: {name: value(frame) for name, value in under}
        parameters = callee.by_python
        compiled = [
            (
                name,
                fitting(parameters[name]),
                self.path(each.value) if parameters[name].path else self.evaluate(each.value),
            )
            for name, each in zip(names, arguments, strict=False)
        ]
        if any(argument.exactly for argument in arguments):
            compiled.append(("exactly", fitting(parameters["exactly"]), lambda frame: True))
        if len(compiled) == 1:
            ((word, fit, only),) = compiled
            return lambda frame: {} if (found := fit(only(frame))) is LEFT_OUT else {word: found}

        def fit_all(frame: Frame) -> dict[str, Any]:
            found = {}
            for word, fit, value in compiled:
                fresh = fit(value(frame))
                if fresh is not LEFT_OUT:
                    found[word] = fresh
            return found

        return fit_all

    def _part(self, node: tree.Dot, target: Evaluate) -> Evaluate:
        means = self.means[node]
        callee = means.part
        assert callee is not None
        arguments = self.fitted(callee, means.bound, node.arguments or ())
        method = callee.function.__name__  # a format may have its own

        def make(frame: Frame) -> Value:
            holder = target(frame)
            found: Value = holder if type(holder) is Absent else getattr(holder, method)(**arguments(frame))
            return found

        return make

    def _call(self, node: tree.Call, outer: Evaluate | None = None) -> Evaluate:
        base = self.means[node].base
        holder: Evaluate = outer or (lambda frame: frame[base])
        other = self._other_call(node, holder)
        if other is not None:
            return other
        name, find = self.evaluate(node.arguments[0].value), self._named(node)

        def look_up(frame: Frame) -> Value:
            wanted = name(frame)
            return find(holder(frame), wanted)

        return look_up

    def by_name(self, node: tree.Call) -> Callable[[Value, Value], Value] | None:
        """What looks an item up in another one by its name; None where a call is anything else."""
        is_other = self._other_call(node, lambda frame: None) is not None
        return None if is_other else self._named(node)

    def _other_call(self, node: tree.Call, holder: Evaluate) -> Evaluate | None:
        """The closure of a call that is not an item looked up by its name."""
        means = self.means[node]
        if means.pairs:
            return self._of_key(node)
        if node.word == "pairs":
            otherwise = [self.evaluate(argument.value) for argument in node.arguments]
            return lambda frame: Pairs(*(value(frame) for value in otherwise))
        if node.word == "own-file":
            own_file = means.own_file
            return lambda frame: own_file
        if node.word == "copy-of":
            paths = {argument.name or "": self.path(argument.value) for argument in node.arguments}
            source, name, to = paths[""], paths["name"], paths.get("to")
            return lambda frame: frame[0].copy(source(frame), name(frame), to(frame) if to else None)
        if node.word == "new-file":
            chosen = next((each.value for each in node.arguments if each.name == "if-exists"), None)
            if_exists = chosen.word if isinstance(chosen, tree.Name) else IfExists.NUMBER.value
            paths = {each.name or "": self.path(each.value) for each in node.arguments if each.name != "if-exists"}
            fresh, folder = paths[""], paths.get("to")
            return lambda frame: frame[0].new_file(fresh(frame), folder(frame) if folder else None, if_exists)
        if node.word == "new-message":
            values = {argument.name: self.evaluate(argument.value) for argument in node.arguments}
            return lambda frame: frame[0].new_message({word: value(frame) for word, value in values.items()})
        if node.word == "open":
            path = self.path(node.arguments[0].value)
            return lambda frame: frame[0].open(path(frame))
        if means.action is not None:
            return self._making(node)
        return self._found(node, holder) if means.finder is not None else None

    def _named(self, node: tree.Call) -> Callable[[Value, Value], Value]:
        means = self.means[node]
        fix = loosen if node.arguments[0].exactly else fold
        way, word, missing_is_fine = means.path, node.word, means.may_be_missing
        kind = self.vocabulary.kinds.get(word)
        is_one = kind is not None and kind.cls.is_one_of_its_name
        known: dict[tuple[Value, Value], tuple[Any, str]] = {}  # found before, and what each was called

        def find(holder: Value, wanted: Value) -> Value:
            found = known.get((holder, wanted)) if is_one and type(wanted) is str else None
            if found is not None and found[0].name == found[1] and not found[0].removed:
                return found[0]
            if type(holder) is Absent:
                return holder
            if not isinstance(wanted, str):
                raise Failure(f"the name of a {word} must be text, not {type_name(wanted)}")
            low = fix(wanted)
            every: list[Any] = []
            for item in inside(holder, way):
                called = _called(item)
                if fix(called) == low:
                    if is_one:
                        known[holder, wanted] = item, called
                    return item
                if (label := item.label) != called and fix(label) == low:
                    return item
                every.append(item)
            names = [_called(item) for item in every]
            more = f" and {len(names) - 8} more" if len(names) > 8 else ""
            there = f"There are: {', '.join(names[:8])}{more}" if names else "There are none"
            failure = Failure(f'no {word} "{wanted}".{did_you_mean(wanted, names)} {there}')
            if missing_is_fine:
                return Absent(failure)
            raise failure

        return find

    def _of_key(self, node: tree.Call) -> Evaluate:
        """`nights(record.hut)`: the value of a key, or whether it has one."""
        means, word = self.means[node], node.word
        slot, key = means.slot, self.evaluate(node.arguments[0].value)
        if means.may_be_missing:

            def asked(frame: Frame) -> Value:
                pairs, wanted = pairs_of(frame[slot], word), key(frame)
                return pairs.has(wanted) or frame[0].missed(pairs, wanted)

            return asked

        def fetched(frame: Frame) -> Value:
            pairs, wanted = pairs_of(frame[slot], word), key(frame)
            return pairs.get(wanted) if pairs.has(wanted) else frame[0].get_pair(pairs, wanted)

        return fetched

    def _making(self, node: tree.Call) -> Evaluate:
        """An action that makes an item: `late = new-sheet("Late")`."""
        means = self.means[node]
        action, base = means.action, means.base
        assert action is not None
        arguments = self.fitted(action, means.bound, node.arguments)

        def make(frame: Frame) -> Value:
            if action.reach > frame[0].reach:
                raise not_allowed(action.word, action.reach)
            return action.do(frame[base], arguments(frame))

        return make

    def _found(self, node: tree.Call, holder: Evaluate) -> Evaluate:
        """An item looked up by more than its name."""
        means = self.means[node]
        finder = means.finder
        assert finder is not None
        way, missing_is_fine = means.path, means.may_be_missing
        arguments = self.fitted(finder, means.bound, node.arguments)
        method = finder.function.__name__

        def find(frame: Frame) -> Value:
            outer = holder(frame)
            if type(outer) is Absent:
                return outer
            values = arguments(frame)
            missing: Missing | None = None
            holders = list(inside(outer, way)) if way else [outer]
            if len(holders) > 1 and not finder.open:
                kind = holders[0].kind_word
                raise Failure(f'{node.word}(…) needs a {kind}. Put it in a block: in {kind}("{holders[0].label}")')
            for item in holders:
                try:
                    return getattr(item, method)(**values)
                except Missing as failure:
                    missing = missing or failure
            nowhere = missing or Failure(f"no {node.word} to look up")
            if missing_is_fine:
                return Absent(nowhere)
            raise nowhere

        return find

    def _gather(self, node: tree.Gather) -> Evaluate:
        outer = self.evaluate(node.inside) if node.inside is not None else None
        where = self.condition(node.where) if node.where is not None else None
        means, value = self.means[node], self.evaluate(node.value)
        base, path, slot, headings = means.base, means.path, means.slot, tuple(sorted(means.headings))
        work, choose = GATHERED[node.operation], choosing(node.where, where, self.means, slot)
        warm, test_warm = self.warming(value, node.value), self.warming(where, node.where, True)
        origin = self._origin(node.value) if node.operation != "list" else None

        def each(frame: Frame) -> Iterator[Value]:
            execution, holder = frame[0], outer(frame) if outer else frame[base]
            found = records(holder, path, headings) if headings else visited(holder, path)
            items, test = choose(frame, found)
            is_plain, value = test is where, warm()
            for item in items:
                execution.steps -= 1
                if execution.steps < execution.look_at:
                    execution.spend(0)
                    value, test = warm(), test_warm() if is_plain else test
                frame[slot] = item
                if test is None or test(frame):
                    yield value(frame)
            frame[slot] = None

        def gather(frame: Frame) -> Value:
            try:
                return work(each(frame))
            except NoOrder as failure:
                for _ in zip(range(failure.place + 1), each(frame), strict=False):
                    where = origin(frame) if origin else frame[slot].label
                frame[slot] = None
                raise failure.at(where) from None
            except Failure as failure:
                item = frame[slot]  # the one that it is about; none when all were visited
                raise (failure if item is None else failure.at(origin(frame) if origin else item.label)) from None

        return gather

    def _count(self, node: tree.Count) -> Evaluate:
        outer = self.evaluate(node.inside) if node.inside is not None else None
        where = self.condition(node.where) if node.where is not None else None
        base, path, slot = self.means[node].base, self.means[node].path, self.means[node].slot
        choose, warm = choosing(node.where, where, self.means, slot), self.warming(where, node.where, True)

        def count(frame: Frame) -> Value:
            tally = Tally()
            items, test = choose(frame, members(outer(frame) if outer else frame[base], path), tally)
            if test is None:
                return Decimal(items.many() if isinstance(items, Series) else sum(1 for _ in items))
            found, is_plain = 0, test is where
            for turn, item in enumerate(items):
                if not turn & 0x7F and is_plain:
                    test = warm() or test
                if not item.removed:
                    frame[slot] = item
                    found += test(frame)
            return Decimal(found + tally.sure)

        return count


def deleted(item: Item) -> Failure:
    """The failure for an item that is gone."""
    return Failure(f'the {item.kind_word} "{item.label}" was deleted in a line above')


class Absent:
    """What a name keeps that was looked up and is not there; used for anything but to ask, it is the failure."""

    __slots__ = ("what",)

    def __init__(self, failure: Failure) -> None:
        self.what = failure.what


def pairs_of(value: Value, word: str) -> Pairs:
    """The pairs that a name keeps. Raises `Failure` where it keeps something else."""
    if type(value) is Pairs:
        return value
    raise Failure(f'"{word}" is {type_name(value)}; only pairs have keys')


def copied(value: Value) -> Value:
    """A value for another name; pairs are changed under one name only."""
    return value.copied() if type(value) is Pairs else value


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


def members(item: Any, path: tuple[str, ...]) -> Iterable[Any]:
    """The same; a series as it is, with what was removed in it."""
    if len(path) != 1 or item is None:
        return inside(item, path)
    found = getattr(item, path[0])()
    return found if isinstance(found, Series) else (each for each in found if not each.removed)


def visited(item: Any, path: tuple[str, ...]) -> Sequence[Any]:
    """The items at the end of a path as a loop goes through them: fixed when it begins."""
    found = members(item, path)
    return found if isinstance(found, Series) else list(found)


def records(item: Any, path: tuple[str, ...], headings: tuple[str, ...]) -> Sequence[Any]:
    """The records at the end of a path, fixed when their loop begins."""
    if item is None:
        raise Failure("the item is missing")
    holders = list(inside(item, path[:-1])) if len(path) > 1 else [item]
    if len(holders) == 1:
        found = getattr(holders[0], path[-1])(headings)
        return found if isinstance(found, Series) else list(found)
    return [record for holder in holders for record in getattr(holder, path[-1])(headings)]


def _called(item: Any) -> str:
    """The name of an item that has one of its own, such as a bookmark; else how it is told from others."""
    name = getattr(item, "name", None)
    found: str = name if isinstance(name, str) and name else item.label
    return found
