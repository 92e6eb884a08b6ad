"""The body of a loop that goes on for long as one function of Python: the plain way takes a call for each step."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from scrub.language import tree
from scrub.language.tree import Argument, Block, Expression
from scrub.model.types import ANY, Type, list_of
from scrub.runner.execution import Frame
from scrub.runner.fitting import fitting
from scrub.runner.written import Written


class Function(Written):
    """One function as it is written, statement by statement."""

    def of(self, node: Block | Expression, is_test: bool) -> Callable[[Frame], Any]:
        """The function: it gives what the closure gives, and so does what goes wrong in it."""
        title, given = self.keep(self.compiler.title), "None"
        if isinstance(node, Expression):
            self.compiler.line = node.place.line
            self.put(f"line = {node.place.line:d}")
            given = self.condition(node) if is_test else self.value(node)
        else:
            self._block(node)
        text = "\n".join(
            (
                "def run(frame):",
                "    line = 0",
                "    execution = frame[0]",
                "    try:",
                *self.lines,
                "    except Failure as failure:",
                "        if failure.line is None:",
                f"            failure.title, failure.line = {title}, line",
                "        raise",
                f"    return {given}",
            )
        )
        exec(compile(text, "<a loop>", "exec"), self.held)
        found: Callable[[Frame], Any] = self.held["run"]
        return found

    # -- statements

    def _block(self, body: Block) -> None:
        compiler = self.compiler
        if not body:
            self.put("pass")
        for node in body:
            before, compiler.line = compiler.line, node.place.line
            self.put(f"line = {node.place.line:d}")
            write = getattr(self, f"_do_{type(node).__name__.lower()}", None)
            if write is None or not write(node):
                signal = self.closure(compiler.statement(node))
                self.put(f"if {signal} is not None: return {signal}")
            compiler.line = before

    def _do_setname(self, node: tree.SetName) -> bool:
        asked = isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret")
        if asked or isinstance(node.value, tree.RunValue) or self.means[node].pairs or self.compiler.added_to(node):
            return False
        self.set_place(self.means[node].slot, self.value(node.value))
        return True

    def _do_setpair(self, node: tree.SetPair) -> bool:
        key = self.value(node.target.arguments[0].value)
        pairs = self.pairs(self.means[node.target].slot, node.target.word)
        of, value, found = self.key(key), self.value(node.value), self.variable()
        self.put(
            f"{found} = {pairs}.held.get({of})",
            f"if {found} is None or execution.attempts: execution.put_pair({pairs}, {key}, {value})",
            f"else: {pairs}.held[{of}] = ({found}[0], {value})",
        )
        return True

    def _do_setfield(self, node: tree.SetField) -> bool:
        heading = self.means[node.target].heading
        if not heading or not isinstance(node.target.target, tree.Name):
            return False
        item = self.value(node.target.target)
        with self.below(f"if isinstance({item}, Item) and {item}.open_fields:"):
            self.put(f"{item}.write({self.keep(heading)}, {self.value(node.value)})")
            self.read.clear()
        with self.below("else:"):
            self.closure(self.compiler.statement(node))
        return True

    def _do_do(self, node: tree.Do) -> bool:
        means = self.means[node]
        action = means.action
        assert action is not None
        if action.open or any(argument.exactly for argument in node.arguments):
            return False
        item, reach = self.variable_of(f"frame[{means.base:d}]"), self.keep(action.reach)
        ensure, what = self.keep(self.compiler.ensure_done), self.keep(action)
        self.put(f"if {item}.removed or {reach} > execution.reach: {ensure}({item}, {what}, execution)")
        given = self._given(action.by_python, means.bound, node.arguments)
        method = action.function.__name__
        assert method.isidentifier()
        call = f"{item}.{method}(" if action.of_item else f"{self.keep(action.function)}({item}, "
        self.put(f"{call}{given})")
        self.read.clear()
        remarks = self.variable_of(f"{item}.file.recorder.remarks")
        self.put(f"while {remarks}: execution.remark({remarks}.pop(0))")
        return True

    def _given(self, parameters: Any, names: Iterable[str], arguments: Iterable[Argument]) -> str:
        """The arguments of an action as they are in a call, each fitted."""
        found = []
        unsure = ""
        for name, argument in zip(names, arguments, strict=False):
            parameter = parameters[name]
            by_path = parameter.path
            value = self.closure(self.compiler.path(argument.value)) if by_path else self.value(argument.value)
            is_list = isinstance(argument.value, tree.ListOf) and parameter.type in (list_of(ANY), Type("list"))
            if not is_list:  # a list that was just made fits as it is
                value = self.variable_of(f"{self.keep(fitting(parameter))}({value})")
                if not parameter.required and parameter.type != ANY:
                    unsure = unsure or self.variable_of("{}")
                    self.put(f"if {value} is not LEFT_OUT: {unsure}[{self.keep(name)}] = {value}")
                    continue
            found.append(f"{name}={value}" if name.isidentifier() else f"**{{{self.keep(name)}: {value}}}")
        return ", ".join(found + ([f"**{unsure}"] if unsure else []))

    def _do_if(self, node: tree.If) -> bool:
        self._branches(list(node.branches), node.otherwise)
        return True

    def _branches(self, branches: list[tuple[Expression, Block]], otherwise: Block | None) -> None:
        condition, body = branches[0]
        with self.below(f"if {self.condition(condition)}:"):
            self._block(body)
        if branches[1:]:
            with self.below("else:"):
                self._branches(branches[1:], otherwise)
        elif otherwise:
            with self.below("else:"):
                self._block(otherwise)

    def _do_in(self, node: tree.In) -> bool:
        item = self.value(node.item)
        wrong = self.keep(self.compiler.no_item)
        self.put(f"if not isinstance({item}, Item): raise {wrong}({item})")
        self.set_place(self.means[node].slot, item)
        self._block(node.body)
        return True

    def _do_skip(self, node: tree.Skip) -> bool:
        self.put(f"return {self.means[node].depth:d}")
        return True
