"""Items as they are found, counted and made: each closure takes the running frame."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from decimal import Decimal
from typing import Any

from scrub.language import tree
from scrub.language.tree import Argument
from scrub.model.core.declare import Item
from scrub.model.core.files import IfExists
from scrub.model.core.predicate import Tally
from scrub.model.core.problem import Failure, Missing, did_you_mean
from scrub.model.core.series import Series
from scrub.model.core.values import Pairs, Value, fold, loosen, type_name
from scrub.model.operations.lists import NoOrder
from scrub.model.vocabulary import Callee
from scrub.runner.comparisons import Evaluate
from scrub.runner.compiling import Compiler, evaluates
from scrub.runner.execution import Frame, not_allowed
from scrub.runner.fitting import LEFT_OUT, fitting
from scrub.runner.gathering import GATHERED
from scrub.runner.origins import origin_of
from scrub.runner.paths import path_of
from scrub.runner.pushdown import choosing


def fitted_arguments(
    on: Compiler, callee: Callee, names: Sequence[str], arguments: Sequence[Argument]
) -> Callable[[Frame], dict[str, object]]:
    """The closure that gives the arguments of an action or part by their Python names, each fitted."""
    if callee.open:
        under = [(name, on.evaluate(argument.value)) for name, argument in zip(names, arguments, strict=False)]
        return lambda frame: {name: value(frame) for name, value in under}
    parameters = callee.by_python
    compiled = [
        (
            name,
            fitting(parameters[name]),
            path_of(on, each.value) if parameters[name].path else on.evaluate(each.value),
        )
        for name, each in zip(names, arguments, strict=False)
    ]
    if any(argument.exactly for argument in arguments):
        compiled.append(("exactly", fitting(parameters["exactly"]), lambda frame: True))
    if len(compiled) == 1:
        ((word, fit, only),) = compiled
        return lambda frame: {} if (found := fit(only(frame))) is LEFT_OUT else {word: found}

    def fit_all(frame: Frame) -> dict[str, object]:
        result = {}
        for word, fit, value in compiled:
            fresh = fit(value(frame))
            if fresh is not LEFT_OUT:
                result[word] = fresh
        return result

    return fit_all


def part_of(on: Compiler, node: tree.Dot, target: Evaluate) -> Evaluate:
    """What an item has one of, with arguments."""
    means = on.means[node]
    callee = means.part
    assert callee is not None
    arguments = fitted_arguments(on, callee, means.bound, node.arguments or ())
    method = callee.function.__name__  # a format may have its own

    def make(frame: Frame) -> Value:
        holder = target(frame)
        result: Value = holder if type(holder) is Absent else getattr(holder, method)(**arguments(frame))
        return result

    return make


@evaluates(tree.Call)
def _call(on: Compiler, node: tree.Call) -> Evaluate:
    return call_of(on, node)


def call_of(on: Compiler, node: tree.Call, outer: Evaluate | None = None) -> Evaluate:
    """What a call gives: an item looked up in `outer`, else in the one that the checker found; a file; a key."""
    base = on.means[node].base
    holder: Evaluate = outer or (lambda frame: frame[base])
    other = _other_call(on, node, holder)
    if other is not None:
        return other
    name, find = on.evaluate(node.arguments[0].value), _finding(on, node)

    def look_up(frame: Frame) -> Value:
        wanted = name(frame)
        return find(holder(frame), wanted)

    return look_up


def finder_by_name(on: Compiler, node: tree.Call) -> Callable[[Value, Value], Value] | None:
    """What looks an item up in another one by its name; None where a call is anything else."""
    is_other = _other_call(on, node, lambda frame: None) is not None
    return None if is_other else _finding(on, node)


def _other_call(on: Compiler, node: tree.Call, holder: Evaluate) -> Evaluate | None:
    """The closure of a call that is not an item looked up by its name."""
    means = on.means[node]
    if means.pairs:
        return _of_key(on, node)
    if node.word == "pairs":
        otherwise = [on.evaluate(argument.value) for argument in node.arguments]
        return lambda frame: Pairs(*(value(frame) for value in otherwise))
    if node.word == "own-file":
        own_file = means.own_file
        return lambda frame: own_file
    if node.word == "copy-of":
        paths = {argument.name or "": path_of(on, argument.value) for argument in node.arguments}
        source, name, to = paths[""], paths["name"], paths.get("to")
        return lambda frame: frame[0].copy(source(frame), name(frame), to(frame) if to else None)
    if node.word == "new-file":
        chosen = next((argument.value for argument in node.arguments if argument.name == "if-exists"), None)
        if_exists = chosen.word if isinstance(chosen, tree.Name) else IfExists.NUMBER.value
        paths = {
            argument.name or "": path_of(on, argument.value)
            for argument in node.arguments
            if argument.name != "if-exists"
        }
        fresh, folder = paths[""], paths.get("to")
        return lambda frame: frame[0].new_file(fresh(frame), folder(frame) if folder else None, if_exists)
    if node.word == "new-message":
        values = {argument.name: on.evaluate(argument.value) for argument in node.arguments}
        return lambda frame: frame[0].new_message({word: value(frame) for word, value in values.items()})
    if node.word == "open":
        path = path_of(on, node.arguments[0].value)
        return lambda frame: frame[0].open(path(frame))
    if means.action is not None:
        return _making(on, node)
    return _found(on, node, holder) if means.finder is not None else None


def _finding(on: Compiler, node: tree.Call) -> Callable[[Value, Value], Value]:
    means = on.means[node]
    fix = loosen if node.arguments[0].exactly else fold
    way, word, missing_is_fine = means.path, node.word, means.may_be_missing
    kind = on.vocabulary.kinds.get(word)
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
        try:
            item = item_named(holder, way, word, wanted, fix)
        except Missing as failure:
            if missing_is_fine:
                return Absent(failure)
            raise
        if is_one and fix(called := _called(item)) == fix(wanted):
            known[holder, wanted] = item, called
        return item

    return find


def item_named(holder: object, way: tuple[str, ...], word: str, wanted: str, fix: Callable[[str], str] = fold) -> Any:
    """The item of a kind with this name, at the end of a path of methods; `fix` makes names alike that count as equal.
    Raises `Missing` where there is none.
    """
    low = fix(wanted)
    every: list[object] = []
    for item in inside(holder, way):
        called = _called(item)
        if fix(called) == low or ((label := item.label) != called and fix(label) == low):
            return item
        every.append(item)
    names = [_called(item) for item in every]
    more = f" and {len(names) - 8} more" if len(names) > 8 else ""
    there = f"There are: {', '.join(names[:8])}{more}" if names else "There are none"
    raise Missing(f'no {word} "{wanted}".{did_you_mean(wanted, names)} {there}')


def _of_key(on: Compiler, node: tree.Call) -> Evaluate:
    """`nights(record.hut)`: the value of a key, or whether it has one."""
    means, word = on.means[node], node.word
    slot, key = means.slot, on.evaluate(node.arguments[0].value)
    if means.may_be_missing:

        def asked(frame: Frame) -> Value:
            pairs, wanted = pairs_of(frame[slot], word), key(frame)
            return pairs.has(wanted) or frame[0].missed(pairs, wanted)

        return asked

    def fetched(frame: Frame) -> Value:
        pairs, wanted = pairs_of(frame[slot], word), key(frame)
        return pairs.get(wanted) if pairs.has(wanted) else frame[0].get_pair(pairs, wanted)

    return fetched


def _making(on: Compiler, node: tree.Call) -> Evaluate:
    """An action that makes an item: `late = new-sheet("Late")`."""
    means = on.means[node]
    action, base = means.action, means.base
    assert action is not None
    arguments = fitted_arguments(on, action, means.bound, node.arguments)

    def make(frame: Frame) -> Value:
        if action.reach > frame[0].reach:
            raise not_allowed(action.word, action.reach)
        return action.do(frame[base], arguments(frame))

    return make


def _found(on: Compiler, node: tree.Call, holder: Evaluate) -> Evaluate:
    """An item looked up by more than its name."""
    means = on.means[node]
    finder = means.finder
    assert finder is not None
    way, missing_is_fine = means.path, means.may_be_missing
    arguments = fitted_arguments(on, finder, means.bound, node.arguments)
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


@evaluates(tree.Gather)
def _gather(on: Compiler, node: tree.Gather) -> Evaluate:
    outer = on.evaluate(node.inside) if node.inside is not None else None
    where = on.condition(node.where) if node.where is not None else None
    means, value = on.means[node], on.evaluate(node.value)
    base, path, slot, headings = means.base, means.path, means.slot, tuple(sorted(means.headings))
    work, choose = GATHERED[node.operation], choosing(node.where, where, on.means, slot)
    warm, test_warm = on.warming(value, node.value), on.warming(where, node.where, True)
    origin = origin_of(on, node.value) if node.operation != "list" else None

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


@evaluates(tree.Count)
def _count(on: Compiler, node: tree.Count) -> Evaluate:
    outer = on.evaluate(node.inside) if node.inside is not None else None
    where = on.condition(node.where) if node.where is not None else None
    base, path, slot = on.means[node].base, on.means[node].path, on.means[node].slot
    choose, warm = choosing(node.where, where, on.means, slot), on.warming(where, node.where, True)

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


def inside(item: object, path: tuple[str, ...]) -> Iterator[Any]:
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


def members(item: object, path: tuple[str, ...]) -> Iterable[object]:
    """The same; a series as it is, with what was removed in it."""
    if len(path) != 1 or item is None:
        return inside(item, path)
    found = getattr(item, path[0])()
    return found if isinstance(found, Series) else (each for each in found if not each.removed)


def visited_apart(item: object, path: tuple[str, ...]) -> list[Sequence[object]]:
    """The same, separately for each holder: a workbook has sheets, which have records."""
    return [visited(holder, path[-1:]) for holder in _holders(item, path)]


def _holders(item: object, path: tuple[str, ...]) -> list[Any]:
    """What holds the items at the end of a path."""
    return list(inside(item, path[:-1])) if len(path) > 1 else [item]


def visited(item: object, path: tuple[str, ...]) -> Sequence[object]:
    """The items at the end of a path as a loop goes through them: fixed when it begins."""
    found = members(item, path)
    return found if isinstance(found, Series) else list(found)


def records(item: object, path: tuple[str, ...], headings: tuple[str, ...]) -> Sequence[object]:
    """The records at the end of a path, fixed when their loop begins."""
    if item is None:
        raise Failure("the item is missing")
    holders = _holders(item, path)
    if len(holders) == 1:
        found = getattr(holders[0], path[-1])(headings)
        return found if isinstance(found, Series) else list(found)
    return [record for holder in holders for record in getattr(holder, path[-1])(headings)]


def _called(item: Any) -> str:
    """The name of an item that has one of its own, such as a bookmark; else how it is told from others."""
    name = getattr(item, "name", None)
    result: str = name if isinstance(name, str) and name else item.label
    return result
