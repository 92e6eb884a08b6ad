"""Loops to closures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

from scrub.language import tree
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure
from scrub.model.core.progress import over
from scrub.model.core.series import Opening
from scrub.model.core.types import NUMBER
from scrub.model.core.values import Value, type_name
from scrub.runner.at_once import at_once, each_at_once
from scrub.runner.blocks import LEAVE, compile_block, compile_turns, cost_of
from scrub.runner.compiling import Compiler, Run, runs
from scrub.runner.execution import Execution, Frame
from scrub.runner.fitting import fitted
from scrub.runner.lookups import records, visited, visited_apart
from scrub.runner.pushdown import choosing
from scrub.runner.sorting import sorting


def _in_order(
    on: Compiler, node: tree.Each, where: Callable[[Frame], bool] | None
) -> Callable[[Frame, Sequence[Value]], Sequence[Value]] | None:
    """What puts the items of a loop in the order that it asks for; None where it asks for none."""
    orders = [(on.evaluate(order.by), order.descending) for order in node.orders]
    return sorting(on.means[node].slot, where, orders) if orders else None


@runs(tree.Each)
def _each(on: Compiler, node: tree.Each) -> Run:
    where = on.condition(node.where) if node.where is not None else None
    outer = on.evaluate(node.inside) if node.inside is not None else None
    means = on.means[node]
    slot, base, counter = means.slot, means.base, means.counter
    body = compile_turns(on, slot, means.items, node.body)
    warm, test_warm = on.warming(body, node.body), on.warming(where, node.where, True)
    cost, in_cells = cost_of(node.body), node.word in ("cell", "record", "row", "column", "cells")
    goes_through, headings = _visited(on, node), sorted(means.headings)
    by_items = means.items and (not means.headings or on.deletes)
    label = _label if means.items else None
    in_order = _in_order(on, node, where)
    sifted = node.where if means.items and in_order is None else None
    choose = choosing(sifted, where, on.means, slot, node.body)
    do_all = at_once(on, node, where)
    attempts = in_order is None and any(isinstance(statement, tree.Attempt) for statement in node.body)

    def run(frame: Frame) -> int | None:
        execution: Execution = frame[0]
        holder = outer(frame) if outer else frame[base]
        every: Sequence[Value] | None = None
        if do_all is not None:
            pieces = visited_apart(holder, means.path)
            done, left = each_at_once(do_all, frame, pieces, headings)
            execution.spend(cost * done)
            if not left:
                return None
            if len(left) < len(pieces):
                every = [item for piece in left for item in piece]
        candidates, test = choose(frame, goes_through(holder) if every is None else every)
        turns, body, is_plain = 0, warm(), test is where
        if attempts and isinstance(candidates, Opening):
            candidates = candidates.but_for_broken(execution.remark)
        for value in over(in_order(frame, candidates) if in_order else candidates, label):
            if by_items and value.removed:
                continue
            execution.steps -= cost
            if execution.steps < execution.look_at:
                execution.spend(0)
                body, test = warm(), test_warm() if is_plain else test
            frame[slot] = value
            try:
                if test is not None and not test(frame):
                    continue
                if counter >= 0:
                    turns += 1
                    frame[counter] = Decimal(turns)
                signal = body(frame)
            except Failure as failure:
                raise (failure.at(value.label) if in_cells else failure) from None
            if signal == LEAVE:
                break
            if signal:
                return signal - 1 if signal > 0 else signal
        return None

    return run


def _visited(on: Compiler, node: tree.Each) -> Callable[[Value], Sequence[Value]]:
    """What a loop goes through: fixed when it starts."""
    means = on.means[node]
    path, headings = means.path, tuple(sorted(means.headings))
    if headings:
        return lambda found: records(found, path, headings)
    if means.items:
        return lambda found: visited(found, path)

    def values(found: Value) -> list[Value]:
        if not isinstance(found, list):
            raise Failure(f'"each … in" needs a list; this is {type_name(found)}')
        return list(found)

    return values


@runs(tree.Times)
def _times(on: Compiler, node: tree.Times) -> Run:
    cost, slot = cost_of(node.body), on.means[node].slot
    times, closure = on.evaluate(node.times), compile_turns(on, slot, False, node.body)
    warm = on.warming(closure, node.body)

    def run(frame: Frame) -> int | None:
        execution, body = frame[0], warm()
        count = fitted(times(frame), NUMBER, "how often to repeat", None, True) or 0
        for turn in range(1, count + 1):
            execution.steps -= cost
            if execution.steps < execution.look_at:
                execution.spend(0)
                body = warm()
            if slot >= 0:
                frame[slot] = Decimal(turn)
            signal = body(frame)
            if signal:
                if signal == LEAVE:
                    break
                return signal - 1 if signal > 0 else signal
        return None

    return run


@runs(tree.While)
def _while(on: Compiler, node: tree.While) -> Run:
    condition, closure, cost = on.condition(node.condition), compile_block(on, node.body), cost_of(node.body)
    warm = on.warming(closure, node.body)

    def run(frame: Frame) -> int | None:
        execution, body = frame[0], warm()
        while condition(frame):
            execution.steps -= cost
            if execution.steps < execution.look_at:
                execution.spend(0)
                body = warm()
            signal = body(frame)
            if signal:
                if signal == LEAVE:
                    break
                return signal - 1 if signal > 0 else signal
        return None

    return run


def _label(item: Item) -> str:
    """How the work on an item is called while it goes on."""
    return item.label
