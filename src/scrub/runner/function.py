"""The body of a loop that goes on for long as one function of Python, where the plain way takes a call for each step.

The text of the function is put together from the pieces in this module, numbers, and names that are counted (`v1`,
`k1`): no word of a macro ever stands in it, since all that a macro says comes in as a value. A step that has no piece
here is done by its closure, and so is everything that goes wrong: what a function gives is what the closures give.
"""

from __future__ import annotations

import decimal
from collections.abc import Callable, Iterable
from contextlib import contextmanager
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from scrub.language import tree
from scrub.language.tree import Argument, Block, Expression
from scrub.model.declare import Item
from scrub.model.grid import Trouble
from scrub.model.problem import Failure
from scrub.model.types import ANY, Type, list_of
from scrub.model.values import Pairs, Value, fold, same, shown, type_name
from scrub.model.vocabulary import Action
from scrub.runner.arithmetic import no_number
from scrub.runner.comparisons import ORDER
from scrub.runner.execution import Execution, Frame
from scrub.runner.expressions import Expressions
from scrub.runner.fitting import LEFT_OUT, fitted_all, fitting, within
from scrub.runner.lookups import Absent, deleted, pairs_of

if TYPE_CHECKING:
    from collections.abc import Iterator


#: Lines of a function; what is longer stays as it is, since making it takes its time too.
_MOST_LINES = 1_000
#: The signs of calculations and comparisons, as Python has them too.
_SIGNS = {each: each for each in ("+", "-", "*", "/", *ORDER)}
#: How deep conditions may lie in each other in a function.
_DEEPEST = 12

#: What every function has at hand.
_KNOWN: dict[str, Any] = {
    "__builtins__": {each.__name__: each for each in (AttributeError, KeyError, isinstance, str, type, zip)},
    "Absent": Absent,
    "Decimal": Decimal,
    "DecimalException": decimal.DecimalException,
    "Failure": Failure,
    "Item": Item,
    "LEFT_OUT": LEFT_OUT,
    "Pairs": Pairs,
    "Trouble": Trouble,
    "fitted_all": fitted_all,
    "fold": fold,
    "no_number": no_number,
    "pairs_of": pairs_of,
    "same": same,
    "shown": shown,
    "within": within,
}


class TooLong(Exception):
    """A function would be too long, or too deep."""


class Compiling(Expressions):
    """Compiles expressions and statements; what a function needs of that."""

    def statement(self, node: tree.Statement) -> Callable[[Frame], int | None]:
        """The closure of a statement."""
        raise NotImplementedError

    def added_to(self, node: tree.SetName) -> Expression | None:
        """What a list is made longer by, where a statement does that."""
        raise NotImplementedError

    @staticmethod
    def ensure_done(item: Item, action: Action, execution: Execution) -> None:
        """Raises `Failure` for an action that cannot or may not be done."""
        if item.removed:
            raise deleted(item)
        if action.reach > execution.reach:
            raise Failure(f'"{action.word}" {action.reach.sentence}, which this run was not allowed to do')

    @staticmethod
    def no_item(found: Value) -> Failure:
        """The failure for what stands after `in` and is no item."""
        return Failure(f'after "in" stands an item, this is {type_name(found)}')


class Function:
    """One function as it is written."""

    def __init__(self, compiler: Compiling) -> None:
        self._compiler = compiler
        self._means = compiler.means
        self._lines: list[str] = []
        self._indent = 2
        self._held: dict[str, Any] = dict(_KNOWN)
        self._variables = 0
        self._numbers: set[str] = set()  # names of numbers
        self._keys: dict[str, str] = {}  # the variables that hold keys of pairs, by those of their values
        self._read: dict[tuple[int, str], str] = {}  # what was read since anything was done: place, heading, variable

    def of(self, node: Block | Expression, is_test: bool) -> Callable[[Frame], Any]:
        """The function: it gives what the closure gives, and so does what goes wrong in it."""
        title, given = self._keep(self._compiler.title), "None"
        if isinstance(node, Expression):
            self._compiler.line = node.place.line
            self._put(f"line = {node.place.line:d}")
            given = self.condition(node) if is_test else self.value(node)
        else:
            self._block(node)
        text = "\n".join(
            (
                "def run(frame):",
                "    line = 0",
                "    execution = frame[0]",
                "    try:",
                *self._lines,
                "    except Failure as failure:",
                "        if failure.line is None:",
                f"            failure.title, failure.line = {title}, line",
                "        raise",
                f"    return {given}",
            )
        )
        exec(compile(text, "<a loop>", "exec"), self._held)
        found: Callable[[Frame], Any] = self._held["run"]
        return found

    # -- the text

    def _put(self, *lines: str) -> None:
        self._lines += ["    " * self._indent + line for line in lines]
        if len(self._lines) > _MOST_LINES:
            raise TooLong

    def _keep(self, value: Any) -> str:
        """A name for something that the function has at hand."""
        name = f"k{len(self._held)}"
        self._held[name] = value
        return name

    def _variable(self) -> str:
        self._variables += 1
        return f"v{self._variables}"

    def _as(self, text: str) -> str:
        """A variable with what an expression of Python gives."""
        name = self._variable()
        self._put(f"{name} = {text}")
        return name

    @contextmanager
    def _below(self, opening: str) -> Iterator[None]:
        """What stands below `if …:` and the like; it may be left out as the function runs."""
        self._put(opening)
        self._indent += 1
        if self._indent > _DEEPEST:
            raise TooLong
        before, keys = dict(self._read), dict(self._keys)
        yield
        self._keys = keys
        self._read = {place: name for place, name in self._read.items() if before.get(place) == name}
        self._indent -= 1

    def _closure(self, closure: Callable[[Frame], Any]) -> str:
        """A variable with what a closure gives, which may do anything."""
        self._read.clear()
        return self._as(f"{self._keep(closure)}(frame)")

    def _set(self, slot: int, value: str) -> None:
        """Gives a place of the frame a value."""
        self._put(f"frame[{slot:d}] = {value}")
        self._read = {place: name for place, name in self._read.items() if place[0] != slot}

    # -- statements

    def _block(self, body: Block) -> None:
        compiler = self._compiler
        if not body:
            self._put("pass")
        for node in body:
            before, compiler.line = compiler.line, node.place.line
            self._put(f"line = {node.place.line:d}")
            write = getattr(self, f"_do_{type(node).__name__.lower()}", None)
            if write is None or not write(node):
                signal = self._closure(compiler.statement(node))
                self._put(f"if {signal} is not None: return {signal}")
            compiler.line = before

    def _do_setname(self, node: tree.SetName) -> bool:
        asked = isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret")
        if asked or isinstance(node.value, tree.RunValue) or self._means[node].pairs or self._compiler.added_to(node):
            return False
        self._set(self._means[node].slot, self.value(node.value))
        return True

    def _do_setpair(self, node: tree.SetPair) -> bool:
        key = self.value(node.target.arguments[0].value)
        pairs = self._pairs(self._means[node.target].slot, node.target.word)
        of, value, found = self._key(key), self.value(node.value), self._variable()
        self._put(
            f"{found} = {pairs}.held.get({of})",
            f"if {found} is None or execution.is_trying: execution.put_pair({pairs}, {key}, {value})",
            f"else: {pairs}.held[{of}] = ({found}[0], {value})",
        )
        return True

    def _do_setfield(self, node: tree.SetField) -> bool:
        heading = self._means[node.target].heading
        if not heading or not isinstance(node.target.target, tree.Name):
            return False
        item = self.value(node.target.target)
        with self._below(f"if isinstance({item}, Item) and {item}.open_fields:"):
            self._put(f"{item}.write({self._keep(heading)}, {self.value(node.value)})")
            self._read.clear()
        with self._below("else:"):
            self._closure(self._compiler.statement(node))
        return True

    def _do_do(self, node: tree.Do) -> bool:
        means = self._means[node]
        action = means.action
        assert action is not None
        if action.open or any(argument.exactly for argument in node.arguments):
            return False
        item, reach = self._as(f"frame[{means.base:d}]"), self._keep(action.reach)
        refused = self._keep(lambda item, execution: self._compiler.ensure_done(item, action, execution))
        self._put(f"if {item}.removed or {reach} > execution.reach: {refused}({item}, execution)")
        given = self._given(action.by_python, means.bound, node.arguments)
        method = action.function.__name__
        assert method.isidentifier()
        call = f"{item}.{method}(" if action.of_item else f"{self._keep(action.function)}({item}, "
        self._put(f"{call}{given})")
        self._read.clear()
        remarks = self._as(f"{item}.file.recorder.remarks")
        self._put(f"while {remarks}: execution.remark({remarks}.pop(0))")
        return True

    def _given(self, parameters: Any, names: Iterable[str], arguments: Iterable[Argument]) -> str:
        """The arguments of an action as they stand in a call, each fitted."""
        found = []
        unsure = ""
        for name, argument in zip(names, arguments, strict=False):
            parameter = parameters[name]
            by_path = parameter.path
            value = self._closure(self._compiler.path(argument.value)) if by_path else self.value(argument.value)
            is_list = isinstance(argument.value, tree.ListOf) and parameter.type in (list_of(ANY), Type("list"))
            if not is_list:  # a list that was just made fits as it is
                value = self._as(f"{self._keep(fitting(parameter))}({value})")
                if not parameter.required and parameter.type != ANY:
                    unsure = unsure or self._as("{}")
                    self._put(f"if {value} is not LEFT_OUT: {unsure}[{self._keep(name)}] = {value}")
                    continue
            found.append(f"{name}={value}" if name.isidentifier() else f"**{{{self._keep(name)}: {value}}}")
        return ", ".join(found + ([f"**{unsure}"] if unsure else []))

    def _do_if(self, node: tree.If) -> bool:
        self._branches(list(node.branches), node.otherwise)
        return True

    def _branches(self, branches: list[tuple[Expression, Block]], otherwise: Block | None) -> None:
        condition, body = branches[0]
        with self._below(f"if {self.condition(condition)}:"):
            self._block(body)
        if branches[1:]:
            with self._below("else:"):
                self._branches(branches[1:], otherwise)
        elif otherwise:
            with self._below("else:"):
                self._block(otherwise)

    def _do_in(self, node: tree.In) -> bool:
        item = self.value(node.item)
        wrong = self._keep(self._compiler.no_item)
        self._put(f"if not isinstance({item}, Item): raise {wrong}({item})")
        self._set(self._means[node].slot, item)
        self._block(node.body)
        return True

    def _do_skip(self, node: tree.Skip) -> bool:
        self._put(f"return {self._means[node].depth:d}")
        return True

    # -- expressions

    def value(self, node: Expression) -> str:
        """A variable with the value of an expression."""
        write = getattr(self, f"_{type(node).__name__.lower()}", None)
        if write is not None and node.place.line == self._compiler.line:  # else a failure names the other line
            found: str | None = write(node)
            if found is not None:
                return found
        return self._closure(self._compiler.evaluate(node))

    def condition(self, node: Expression) -> str:
        """A variable with yes or no."""
        if isinstance(node, tree.Compare | tree.Between | tree.Both | tree.Not):
            return self.value(node)
        value, wrong = self.value(node), self._keep(self._compiler.no_condition)
        self._put(f"if {value} is not True and {value} is not False: raise {wrong}({value})")
        return value

    def _constant(self, node: tree.Constant) -> str:
        name = self._keep(node.value)
        if type(node.value) is Decimal:
            self._numbers.add(name)
        return name

    def _text(self, node: tree.Text) -> str:
        parts = [
            self._keep(part) if isinstance(part, str) else self._as(f"shown({self.value(part)})") for part in node.parts
        ]
        return self._as(f"within(''.join(({''.join(f'{part}, ' for part in parts)})))")

    def _listof(self, node: tree.ListOf) -> str:
        return self._as(f"[{', '.join([self.value(item) for item in node.items])}]")

    def _name(self, node: tree.Name) -> str | None:
        means = self._means[node]
        if means.choice is not None or means.implied:
            return None
        found = self._as(f"frame[{means.slot:d}]")
        if not means.plain:
            look = self._keep(self._compiler.evaluate(node))
            self._put(f"if type({found}) is Absent or isinstance({found}, Item) and {found}.removed: {look}(frame)")
        return found

    def _dot(self, node: tree.Dot) -> str | None:
        means = self._means[node]
        if means.lookup is not None:
            return self._looked_up(means.lookup, node.target)
        if means.part is not None or any(argument.exactly for argument in node.arguments or ()):
            return None
        if self._compiler.is_under_heading(node):
            return self._under_heading(self._means[node.target].slot, means.heading)
        target = self.value(node.target)
        ways: dict[type, Any] = {}
        find = self._keep(self._compiler.asked(node, ways))
        way = self._as(f"{self._keep(ways)}.get(type({target})) or {find}({target})")
        if not node.arguments:
            return self._as(f"{way}[0]({target})")
        given = "".join(f"{self.value(argument.value)}, " for argument in node.arguments)
        return self._as(f"{way}[0]({target}, **fitted_all(zip({way}[1], ({given}), strict=True)))")

    def _under_heading(self, slot: int, heading: str) -> str:
        """What stands under a heading: the commonest step of a loop over records, so without a detour."""
        known = self._read.get((slot, heading))
        if known is not None:
            return known
        record, found, kept = self._as(f"frame[{slot:d}]"), self._variable(), self._keep(heading)
        self._read[slot, heading] = found
        self._put(
            "try:",
            f"    {found} = {record}.table.readers[{kept}]({record}.row)",
            "except (KeyError, AttributeError):",
            f"    {found} = {self._keep(self._compiler.field_of)}({record}, {kept})",
            "else:",
            f"    if type({found}) is Trouble: {found} = {found}.settled()",
        )
        return found

    def _call(self, node: tree.Call) -> str | None:
        means = self._means[node]
        if means.pairs:
            pairs = self._pairs(means.slot, node.word)
            key = self.value(node.arguments[0].value)
            of = self._key(key)
            if means.may_be_missing:
                return self._as(f"{of} in {pairs}.held or None")
            found = self._as(f"{pairs}.held.get({of})")
            return self._as(f"{found}[1] if {found} is not None else {pairs}.get({key})")
        return self._looked_up(node, None)

    def _key(self, value: str) -> str:
        """A variable with what a value is as a key of pairs, made once for each."""
        found = self._keys.get(value)
        if found is None:
            quick = f"type({value}) is str and {value} and {value}.isascii()"
            found = self._keys[value] = self._as(f"{value}.lower() if {quick} else Pairs.of({value})")
        return found

    def _pairs(self, slot: int, word: str) -> str:
        pairs = self._as(f"frame[{slot:d}]")
        self._put(f"if type({pairs}) is not Pairs: pairs_of({pairs}, {self._keep(word)})")
        return pairs

    def _looked_up(self, node: tree.Call, target: Expression | None) -> str | None:
        """An item looked up by its name."""
        find = self._compiler.by_name(node)
        if find is None:
            return None
        holder = self._as(f"frame[{self._means[node].base:d}]") if target is None else None
        name = self.value(node.arguments[0].value)
        if target is not None:
            holder = self.value(target)
        return self._as(f"{self._keep(find)}({holder}, {name})")

    # -- conditions and calculations

    def _compare(self, node: tree.Compare) -> str | None:
        compiler, right = self._compiler, node.right
        found = None
        if node.operator == "exists":
            if isinstance(node.left, tree.Name):
                found = self._as(f"type(frame[{self._means[node.left].slot:d}]) is not Absent")
            else:
                left = self.value(node.left)
                found = self._as(f"{left} is not None and type({left}) is not Absent")
        elif right is None:
            return None
        elif node.operator == "is" and not node.exactly:
            found = self._equal(node, right)
        elif node.operator in ORDER:
            one, other, tell = self.value(node.left), self.value(right), self._keep(compiler.ordering(node))
            sign, found = _SIGNS[node.operator], self._variable()
            both = self._both_numbers(one, other)
            self._put(f"{found} = {one} {sign} {other} if {both} else {tell}({one}, {other}, frame)")
        if found is not None and node.negated:
            found = self._as(f"not {found}")
        return found

    def _equal(self, node: tree.Compare, right: Expression) -> str:
        unlike = self._keep(self._compiler.unlike(node.left, right))
        one = self.value(node.left)
        if isinstance(right, tree.Constant) and isinstance(right.value, str):
            low, text = self._keep(fold(right.value)), self._keep(right.value)
            found = self._variable()
            with self._below(f"if type({one}) is str:"):
                self._put(f"{found} = ({one}.lower() if {one}.isascii() else fold({one})) == {low}")
            with self._below("else:"):
                self._put(f"{found} = same({one}, {text}) or {unlike}({one}, {text}, frame)")
            return found
        other = self.value(right)
        return self._as(
            f"same({one}, {other}, False) or (type({one}) is not type({other}) and {unlike}({one}, {other}, frame))"
        )

    def _arithmetic(self, node: tree.Arithmetic) -> str:
        one, other, found = self.value(node.left), self.value(node.right), self._variable()
        sign = _SIGNS[node.operator]
        tell = f"{self._keep(self._compiler.combining(node))}({self._keep(sign)}, {one}, {other}, frame)"
        self._put(
            f"if {self._both_numbers(one, other)}:",
            f"    try: {found} = {one} {sign} {other}",
            "    except DecimalException as error: raise no_number(error) from None",
            f"else: {found} = {tell}",
        )
        return found

    def _both_numbers(self, one: str, other: str) -> str:
        unsure = [name for name in (one, other) if name not in self._numbers]
        return " and ".join(f"type({name}) is Decimal" for name in unsure) or "True"

    def _both(self, node: tree.Both) -> str:
        found = self._variable()
        self._put(f"{found} = {self.condition(node.left)}")
        with self._below(f"if {found}:" if node.operator == "and" else f"if not {found}:"):
            self._put(f"{found} = {self.condition(node.right)}")
        return found

    def _not(self, node: tree.Not) -> str:
        return self._as(f"not {self.condition(node.value)}")
