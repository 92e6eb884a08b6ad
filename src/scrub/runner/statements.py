"""Statements to closures. Each gives None to go on, or a signal that its loop or macro understands."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

import scrub.runner.expressions  # noqa: F401 - marks the functions for expressions
from scrub.language import tree
from scrub.language.paths import is_own
from scrub.language.program import Program
from scrub.language.tree import Block
from scrub.model.core.declare import Item
from scrub.model.core.problem import BadCall, Failure, FileProblem, WrongPassword
from scrub.model.core.progress import over
from scrub.model.core.series import Opening
from scrub.model.core.types import NUMBER
from scrub.model.core.values import Secret, Value, shown, type_name
from scrub.model.vocabulary import Action
from scrub.runner.answers import typed
from scrub.runner.compiling import Compiler, Run, runs
from scrub.runner.execution import Execution, Frame, not_allowed
from scrub.runner.fitting import fitted
from scrub.runner.growing import lengthened
from scrub.runner.lookups import Absent, copied, deleted, fitted_arguments, pairs_of, records, visited
from scrub.runner.pushdown import choosing
from scrub.runner.sorting import sorting
from scrub.runner.step import View

#: Signals: 0 and up skips that many loops outwards; these two leave a loop and end the macro.
LEAVE, FINISH = -1, -2


def ensure_done(item: Item, action: Action, execution: Execution) -> None:
    """Raises `Failure` for an action that cannot or may not be done."""
    if item.removed:
        raise deleted(item)
    if action.reach > execution.reach:
        raise not_allowed(action.word, action.reach)


def no_item(found: Value) -> Failure:
    """The failure for what is after `in` and is not an item."""
    return Failure(f'"in" needs an item; this is {type_name(found)}')


def _watched(on: Compiler, node: tree.Statement) -> Run:
    """The closure of a statement; when somebody steps, it is shown before it runs."""
    before, on.line = on.line, node.place.line
    run = on.statement(node)
    on.line = before
    if on.watch is None:
        return run
    watch, depth, line, item = on.watch, on.depth, node.place.line, on.items[-1]
    title, text = on.program.title, on.program.macro.lines[line - 1].strip()

    def watched(frame: Frame) -> int | None:
        watch.before(depth, title, lambda: View(title, line, text, *_seen(on, frame, item)))
        return run(frame)

    return watched


def _seen(on: Compiler, frame: Frame, item: int) -> tuple[str, dict[str, str]]:
    """The current item and the values that are set, as a person sees them; a secret stays one."""
    values = {}
    for name, slot in on.program.names.items():
        if frame[slot] is not None:
            held = frame[slot]
            values[name] = (
                "a secret" if isinstance(held, Secret) else "missing" if isinstance(held, Absent) else shown(held)
            )
    current = frame[item]
    return (current.label if isinstance(current, Item) else ""), values


def _inside(on: Compiler, slot: int, body: Block) -> Run:
    """The closure of a block in which another item is the current one."""
    on.items.append(slot)
    try:
        return compile_block(on, body)
    finally:
        on.items.pop()


def compile_block(on: Compiler, body: Block) -> Run:
    """The closure of a block. A failure inside gets the line it happened in."""
    title = on.program.title
    on.depth += 1
    compiled = [(_watched(on, statement), statement.place.line) for statement in body]
    on.depth -= 1
    if len(compiled) == 1:
        return _single(on, *compiled[0])

    def run(frame: Frame) -> int | None:
        line = 0
        try:
            for step, line in compiled:  # noqa: B007 - the line is for the failure below
                signal = step(frame)
                if signal is not None:
                    return signal
        except Failure as failure:
            if failure.line is None:
                failure.title, failure.line = title, line
            raise
        return None

    return run


def _single(on: Compiler, step: Run, line: int) -> Run:
    """A block of one statement, as most are."""
    title = on.program.title

    def run(frame: Frame) -> int | None:
        try:
            return step(frame)
        except Failure as failure:
            if failure.line is None:
                failure.title, failure.line = title, line
            raise

    return run


@runs(tree.SetName)
def _setname(on: Compiler, node: tree.SetName) -> Run:
    if isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret"):
        return lambda frame: None  # answered before the start
    if isinstance(node.value, tree.RunValue):
        return _given(on, node, node.value)
    value, slot = on.evaluate(node.value), on.means[node].slot
    if on.means[node].pairs:
        return lambda frame: frame.__setitem__(slot, copied(value(frame)))
    added = added_to(on, node)
    if added is not None:
        return lengthened(slot, on.evaluate(added), value)

    def run(frame: Frame) -> None:
        frame[slot] = value(frame)

    return run


def added_to(on: Compiler, node: tree.SetName) -> tree.Expression | None:
    """What a list is made longer by, in `names = names.with(…)`."""
    dot = node.value
    if not isinstance(dot, tree.Dot) or dot.word != "with" or not isinstance(dot.target, tree.Name):
        return None
    given = dot.arguments or ()
    fits = len(given) == 1 and given[0].name is None and not given[0].exactly
    return given[0].value if fits and on.means[dot.target].slot == on.means[node].slot else None


def _given(on: Compiler, node: tree.SetName, value: tree.RunValue) -> Run:
    """`name = run(…)`: what another macro gives; nothing, when it ends before."""
    run, slot = _runmacro(on, value.run), on.means[node].slot

    def give(frame: Frame) -> None:
        frame[0].given = None
        run(frame)
        frame[slot], frame[0].given = frame[0].given, None

    return give


@runs(tree.Give)
def _give(on: Compiler, node: tree.Give) -> Run:
    value, is_inner = on.evaluate(node.value), on.is_inner

    def give(frame: Frame) -> int:
        found = value(frame)
        if isinstance(found, Secret):
            raise Failure("a secret cannot be passed to another macro")
        if is_inner:
            frame[0].given = found
        else:  # a person ran it
            frame[0].say(shown(found))
        return FINISH

    return give


@runs(tree.SetPair)
def _setpair(on: Compiler, node: tree.SetPair) -> Run:
    slot, word = on.means[node.target].slot, node.target.word
    key, value = on.evaluate(node.target.arguments[0].value), on.evaluate(node.value)

    def run(frame: Frame) -> None:
        found = frame[slot]
        kept = key(frame)
        frame[0].put_pair(pairs_of(found, word), kept, value(frame))

    return run


@runs(tree.SetField)
def _setfield(on: Compiler, node: tree.SetField) -> Run:
    target, value, word = on.evaluate(node.target.target), on.evaluate(node.value), node.target.word
    heading = on.means[node.target].heading
    kinds = on.vocabulary.kinds

    def run(frame: Frame) -> None:
        item = target(frame)
        if not isinstance(item, Item):
            raise Failure(f"{type_name(item)} has no fields to set")
        if item.open_fields:
            item.write(heading, value(frame))
            return
        field = kinds[item.kind_word].fields.get(word)
        if field is None or not field.can_be_set:
            raise Failure(f'"{word}" of a {item.kind_word} cannot be set')
        found = value(frame)
        if found is None and not field.may_be_nothing:
            raise Failure(f'"{word}" is {field.type}, not nothing')
        setattr(item, field.python, fitted(found, field.type, f'"{word}"', field.choice, field.whole))

    return run


@runs(tree.Do)
def _do(on: Compiler, node: tree.Do) -> Run:
    means = on.means[node]
    base, action = means.base, means.action
    assert action is not None
    reach = action.reach
    arguments = fitted_arguments(on, action, means.bound, node.arguments)

    def run(frame: Frame) -> None:
        item = frame[base]
        if item.removed or reach > frame[0].reach:
            ensure_done(item, action, frame[0])
        action.do(item, arguments(frame))
        remarks = item.file.recorder.remarks
        while remarks:
            frame[0].remark(remarks.pop(0))

    return run


@runs(tree.If)
def _if(on: Compiler, node: tree.If) -> Run:
    branches = [(on.condition(condition), compile_block(on, body)) for condition, body in node.branches]
    otherwise = compile_block(on, node.otherwise) if node.otherwise else None
    if len(branches) == 1 and otherwise is None:
        only, then = branches[0]
        return lambda frame: then(frame) if only(frame) else None

    def run(frame: Frame) -> int | None:
        for condition, body in branches:
            if condition(frame):
                return body(frame)
        return otherwise(frame) if otherwise else None

    return run


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
    body = _inside(on, slot if means.items else on.items[-1], node.body)
    warm, test_warm = on.warming(body, node.body), on.warming(where, node.where, True)
    cost, in_cells = _cost(node.body), node.word in ("cell", "record", "row", "column", "cells")
    goes_through = _visited(on, node)
    by_items = means.items and (not means.headings or on.deletes)
    label = _label if means.items else None
    in_order = _in_order(on, node, where)
    sifted = node.where if means.items and in_order is None else None
    choose = choosing(sifted, where, on.means, slot, node.body)
    attempts = in_order is None and any(isinstance(each, tree.Attempt) for each in node.body)

    def run(frame: Frame) -> int | None:
        execution: Execution = frame[0]
        candidates, test = choose(frame, goes_through(outer(frame) if outer else frame[base]))
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
    times, closure = on.evaluate(node.times), compile_block(on, node.body)
    cost, slot = _cost(node.body), on.means[node].slot
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
    condition, closure, cost = on.condition(node.condition), compile_block(on, node.body), _cost(node.body)
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


@runs(tree.In)
def _in(on: Compiler, node: tree.In) -> Run:
    slot = on.means[node].slot
    item, body = on.evaluate(node.item), _inside(on, slot, node.body)

    def run(frame: Frame) -> int | None:
        found = item(frame)
        if not isinstance(found, Item):
            raise no_item(found)
        frame[slot] = found
        return body(frame)

    return run


@runs(tree.Attempt)
def _attempt(on: Compiler, node: tree.Attempt) -> Run:
    body, handler, slot = compile_block(on, node.body), compile_block(on, node.handler), on.means[node].slot

    def run(frame: Frame) -> int | None:
        execution: Execution = frame[0]
        values = list(frame)
        with execution.trying() as take_back:
            try:
                return body(frame)
            except WrongPassword:
                raise
            except (Failure, FileProblem) as failure:
                take_back()
                frame[:] = values
                frame[slot] = failure.what
        return handler(frame)

    return run


@runs(tree.Skip)
def _skip(on: Compiler, node: tree.Skip) -> Run:
    depth = on.means[node].depth
    return lambda frame: depth


@runs(tree.Leave)
def _leave(on: Compiler, node: tree.Leave) -> Run:
    return lambda frame: LEAVE


@runs(tree.Finish)
def _finish(on: Compiler, node: tree.Finish) -> Run:
    text = on.evaluate(node.text) if node.text is not None else None

    def run(frame: Frame) -> int:
        if text is not None:
            frame[0].say(shown(text(frame)))
        return FINISH

    return run


@runs(tree.Fail)
def _fail(on: Compiler, node: tree.Fail) -> Run:
    text = on.evaluate(node.text)

    def run(frame: Frame) -> None:
        failure = Failure(shown(text(frame)))
        failure.placed = True  # these are the macro's own words
        raise failure

    return run


@runs(tree.Say)
def _say(on: Compiler, node: tree.Say) -> Run:
    text = on.evaluate(node.text)
    if node.word == "say":

        def run(frame: Frame) -> None:
            frame[0].say(shown(text(frame)))
    else:

        def run(frame: Frame) -> None:
            frame[0].note(shown(text(frame)))

    return run


@runs(tree.RunMacro)
def _runmacro(on: Compiler, node: tree.RunMacro) -> Run:
    inner: Program = on.means[node].program
    data = [each.name or "" for each in node.arguments if not is_own(each.value, on.own_names)]
    compiler = Compiler(inner, on.vocabulary, on.flatten, on.watch, data, is_inner=True)
    compiler.depth = on.depth
    body = compile_block(compiler, inner.macro.body)
    slots = {question.name: slot for question, slot in zip(inner.questions, inner.question_slots, strict=True)}
    questions = {question.name: question for question in inner.questions}
    given = [
        (slots[argument.name or ""], questions[argument.name or ""], on.evaluate(argument.value))
        for argument in node.arguments
    ]
    asked, base = on.means[node].asked, on.means[node].base

    def run(frame: Frame) -> None:
        own: Frame = [None] * inner.slots
        own[0] = frame[0]
        for slot, question, value in given:
            try:
                own[slot] = value(frame) if question.secret else typed(question, value(frame))
            except BadCall as problem:
                raise Failure(str(problem)) from None
        for slot, outer in asked:
            own[slot] = frame[outer]
        if base >= 0:
            own[inner.start_slot] = frame[base]
        if inner.selection_slot >= 0:
            own[inner.selection_slot] = frame[0].selection()
        body(own)

    return run


def _label(item: Item) -> str:
    """How the work on an item is called while it goes on."""
    return item.label


def _cost(body: Block) -> int:
    """How many statements a turn of a loop runs at the most, inner loops counted by themselves."""
    return 1 + len(body)
