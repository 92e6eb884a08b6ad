"""Statements to closures; those of loops are in `loops`."""

from __future__ import annotations

import scrub.runner.expressions
import scrub.runner.loops  # noqa: F401 - marks those for loops
from scrub.language import tree
from scrub.language.paths import is_own
from scrub.language.program import Program
from scrub.model.core.declare import Item
from scrub.model.core.problem import BadCall, Failure, FileProblem, WrongPassword
from scrub.model.core.values import Secret, Value, shown, type_name
from scrub.model.vocabulary import Action
from scrub.runner.answers import typed
from scrub.runner.blocks import FINISH, LEAVE, compile_block, compile_inside
from scrub.runner.compiling import Compiler, Run, runs
from scrub.runner.execution import Execution, Frame, not_allowed
from scrub.runner.fitting import fitted
from scrub.runner.growing import lengthened
from scrub.runner.lookups import copied, deleted, fitted_arguments, pairs_of


def ensure_done(item: Item, action: Action, execution: Execution) -> None:
    """Raises `Failure` for an action that cannot or may not be done."""
    if item.removed:
        raise deleted(item)
    if action.reach > execution.reach:
        raise not_allowed(action.word, action.reach)


def no_item(found: Value) -> Failure:
    """The failure for what is after `in` and is not an item."""
    return Failure(f'"in" needs an item; this is {type_name(found)}')


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


@runs(tree.In)
def _in(on: Compiler, node: tree.In) -> Run:
    slot = on.means[node].slot
    item, body = on.evaluate(node.item), compile_inside(on, slot, node.body)

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
    data = [argument.name or "" for argument in node.arguments if not is_own(argument.value, on.own_names)]
    compiler = Compiler(inner, on.vocabulary, on.flatten, on.wrapper, data, is_inner=True)
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
