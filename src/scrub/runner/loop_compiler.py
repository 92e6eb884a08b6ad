"""The body of a loop that goes on for long as one function of Python: the plain way takes a call for each step."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import scrub.runner.loop_values  # noqa: F401 - marks the functions for expressions
from scrub.language import tree
from scrub.language.tree import Argument, Block, Expression
from scrub.model.core.types import ANY, Type, list_of
from scrub.runner.execution import Frame
from scrub.runner.fitting import fitting
from scrub.runner.loop_values import key_of, pairs_in
from scrub.runner.paths import path_of
from scrub.runner.source_writer import LINES, SourceWriter, writes
from scrub.runner.statements import added_to, ensure_done, no_item


def loop_function(to: SourceWriter, node: Block | Expression, is_test: bool) -> Callable[[Frame], object]:
    """The function: it gives what the closure gives, and so does what goes wrong in it."""
    title, given = to.keep(to.compiler.title), "None"
    if isinstance(node, Expression):
        to.compiler.line = node.place.line
        to.put(f"line = {node.place.line:d}")
        given = to.condition(node) if is_test else to.value(node)
    else:
        _block(to, node)
    text = "\n".join(
        (
            "def run(frame):",
            "    line = 0",
            "    execution = frame[0]",
            "    try:",
            *to.lines,
            "    except Failure as failure:",
            "        if failure.line is None:",
            f"            failure.title, failure.line = {title}, line",
            "        raise",
            f"    return {given}",
        )
    )
    exec(compile(text, "<a loop>", "exec"), to.held)
    result: Callable[[Frame], object] = to.held["run"]
    return result


def _block(to: SourceWriter, body: Block) -> None:
    compiler = to.compiler
    if not body:
        to.put("pass")
    for node in body:
        before, compiler.line = compiler.line, node.place.line
        to.put(f"line = {node.place.line:d}")
        write = LINES.get(type(node))
        if write is None or not write(to, node):
            signal = to.closure(compiler.statement(node))
            to.put(f"if {signal} is not None: return {signal}")
        compiler.line = before


@writes(tree.SetName)
def _setname(to: SourceWriter, node: tree.SetName) -> bool:
    asked = isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret")
    if asked or isinstance(node.value, tree.RunValue) or to.means[node].pairs or added_to(to.compiler, node):
        return False
    to.set_place(to.means[node].slot, to.value(node.value))
    return True


@writes(tree.SetPair)
def _setpair(to: SourceWriter, node: tree.SetPair) -> bool:
    key = to.value(node.target.arguments[0].value)
    pairs = pairs_in(to, to.means[node.target].slot, node.target.word)
    of, value, found = key_of(to, key), to.value(node.value), to.variable()
    to.put(
        f"{found} = {pairs}.held.get({of})",
        f"if {found} is None or execution.attempts: execution.put_pair({pairs}, {key}, {value})",
        f"else: {pairs}.held[{of}] = ({found}[0], {value})",
    )
    return True


@writes(tree.SetField)
def _setfield(to: SourceWriter, node: tree.SetField) -> bool:
    heading = to.means[node.target].heading
    if not heading or not isinstance(node.target.target, tree.Name):
        return False
    item = to.value(node.target.target)
    with to.below(f"if isinstance({item}, Item) and {item}.open_fields:"):
        to.put(f"{item}.write({to.keep(heading)}, {to.value(node.value)})")
        to.read.clear()
    with to.below("else:"):
        to.closure(to.compiler.statement(node))
    return True


@writes(tree.Do)
def _do(to: SourceWriter, node: tree.Do) -> bool:
    means = to.means[node]
    action = means.action
    assert action is not None
    if action.open or any(argument.exactly for argument in node.arguments):
        return False
    item, reach = to.variable_of(f"frame[{means.base:d}]"), to.keep(action.reach)
    ensure, what = to.keep(ensure_done), to.keep(action)
    to.put(f"if {item}.removed or {reach} > execution.reach: {ensure}({item}, {what}, execution)")
    given = _given(to, action.by_python, means.bound, node.arguments)
    method = action.function.__name__
    assert method.isidentifier()
    call = f"{item}.{method}(" if action.of_item else f"{to.keep(action.function)}({item}, "
    to.put(f"{call}{given})")
    to.read.clear()
    remarks = to.variable_of(f"{item}.file.recorder.remarks")
    to.put(f"while {remarks}: execution.remark({remarks}.pop(0))")
    return True


def _given(to: SourceWriter, parameters: Any, names: Iterable[str], arguments: Iterable[Argument]) -> str:
    """The arguments of an action as they are in a call, each fitted."""
    found = []
    unsure = ""
    for name, argument in zip(names, arguments, strict=False):
        parameter = parameters[name]
        by_path = parameter.path
        value = to.closure(path_of(to.compiler, argument.value)) if by_path else to.value(argument.value)
        is_list = isinstance(argument.value, tree.ListOf) and parameter.type in (list_of(ANY), Type("list"))
        if not is_list:  # a list that was just made fits as it is
            value = to.variable_of(f"{to.keep(fitting(parameter))}({value})")
            if not parameter.required and parameter.type != ANY:
                unsure = unsure or to.variable_of("{}")
                to.put(f"if {value} is not LEFT_OUT: {unsure}[{to.keep(name)}] = {value}")
                continue
        found.append(f"{name}={value}" if name.isidentifier() else f"**{{{to.keep(name)}: {value}}}")
    return ", ".join(found + ([f"**{unsure}"] if unsure else []))


@writes(tree.If)
def _if(to: SourceWriter, node: tree.If) -> bool:
    _branches(to, list(node.branches), node.otherwise)
    return True


def _branches(to: SourceWriter, branches: list[tuple[Expression, Block]], otherwise: Block | None) -> None:
    condition, body = branches[0]
    with to.below(f"if {to.condition(condition)}:"):
        _block(to, body)
    if branches[1:]:
        with to.below("else:"):
            _branches(to, branches[1:], otherwise)
    elif otherwise:
        with to.below("else:"):
            _block(to, otherwise)


@writes(tree.In)
def _in(to: SourceWriter, node: tree.In) -> bool:
    item = to.value(node.item)
    wrong = to.keep(no_item)
    to.put(f"if not isinstance({item}, Item): raise {wrong}({item})")
    to.set_place(to.means[node].slot, item)
    _block(to, node.body)
    return True


@writes(tree.Skip)
def _skip(to: SourceWriter, node: tree.Skip) -> bool:
    to.put(f"return {to.means[node].depth:d}")
    return True
