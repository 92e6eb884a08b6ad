"""What is read and calculated in a function that is made of a long loop.

The text of the function is put together from the pieces in this module and in `function`, numbers, and names that are
counted (`v1`, `k1`): no word of a macro ever is in it, since all that a macro says comes in as a value. A step that
has no piece is done by its closure, and so is everything that goes wrong: what a function gives is what closures give.
"""

from __future__ import annotations

import decimal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from decimal import Decimal
from typing import Any

from scrub.language import tree
from scrub.language.tree import Expression
from scrub.model.declare import Item
from scrub.model.grid import Trouble
from scrub.model.problem import Failure
from scrub.model.values import Pairs, fold, same, shown
from scrub.runner.arithmetic import no_number
from scrub.runner.comparisons import ORDER
from scrub.runner.compiling import Compiling
from scrub.runner.execution import Frame
from scrub.runner.fitting import LEFT_OUT, fitted_all, within
from scrub.runner.lookups import Absent, pairs_of

#: Lines of a function; what is longer stays as it is, since making it takes its time too.
_MOST_LINES = 1_000
#: The signs of calculations and comparisons, as Python has them too.
_SIGNS = {each: each for each in ("+", "-", "*", "/", *ORDER)}
#: How deep conditions may be in each other in a function.
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


class Written:
    """The text of one function as it grows, and what is read and calculated in it."""

    def __init__(self, compiler: Compiling) -> None:
        self.compiler = compiler
        self.means = compiler.means
        self.lines: list[str] = []
        self._indent = 2
        self.held: dict[str, Any] = dict(_KNOWN)
        self._variables = 0
        self.numbers: set[str] = set()  # names of numbers
        self._keys: dict[str, str] = {}  # the variables that hold keys of pairs, by those of their values
        self.read: dict[tuple[int, str], str] = {}  # what was read since anything was done: place, heading, variable

    # -- the text

    def put(self, *lines: str) -> None:
        """Puts lines after the others. Raises `TooLong`."""
        self.lines += ["    " * self._indent + line for line in lines]
        if len(self.lines) > _MOST_LINES:
            raise TooLong

    def keep(self, value: Any) -> str:
        """A name for something that the function has at hand."""
        name = f"k{len(self.held)}"
        self.held[name] = value
        return name

    def variable(self) -> str:
        """The name of a variable that there is not yet."""
        self._variables += 1
        return f"v{self._variables}"

    def variable_of(self, text: str) -> str:
        """A variable with what an expression of Python gives."""
        name = self.variable()
        self.put(f"{name} = {text}")
        return name

    @contextmanager
    def below(self, opening: str) -> Iterator[None]:
        """What is below `if …:` and the like; it may be left out as the function runs."""
        self.put(opening)
        self._indent += 1
        if self._indent > _DEEPEST:
            raise TooLong
        before, keys = dict(self.read), dict(self._keys)
        yield
        self._keys = keys
        self.read = {place: name for place, name in self.read.items() if before.get(place) == name}
        self._indent -= 1

    def closure(self, closure: Callable[[Frame], Any]) -> str:
        """A variable with what a closure gives, which may do anything."""
        self.read.clear()
        return self.variable_of(f"{self.keep(closure)}(frame)")

    def set_place(self, slot: int, value: str) -> None:
        """Gives a place of the frame a value."""
        self.put(f"frame[{slot:d}] = {value}")
        self.read = {place: name for place, name in self.read.items() if place[0] != slot}

    # -- expressions

    def value(self, node: Expression) -> str:
        """A variable with the value of an expression."""
        write = getattr(self, f"_{type(node).__name__.lower()}", None)
        if write is not None and node.place.line == self.compiler.line:  # else a failure names the other line
            found: str | None = write(node)
            if found is not None:
                return found
        return self.closure(self.compiler.evaluate(node))

    def condition(self, node: Expression) -> str:
        """A variable with yes or no."""
        if isinstance(node, tree.Compare | tree.Between | tree.Both | tree.Not):
            return self.value(node)
        value, wrong = self.value(node), self.keep(self.compiler.no_condition)
        self.put(f"if {value} is not True and {value} is not False: raise {wrong}({value})")
        return value

    def _constant(self, node: tree.Constant) -> str:
        name = self.keep(node.value)
        if type(node.value) is Decimal:
            self.numbers.add(name)
        return name

    def _text(self, node: tree.Text) -> str:
        parts = [
            self.keep(part) if isinstance(part, str) else self.variable_of(f"shown({self.value(part)})")
            for part in node.parts
        ]
        return self.variable_of(f"within(''.join(({''.join(f'{part}, ' for part in parts)})))")

    def _listof(self, node: tree.ListOf) -> str:
        return self.variable_of(f"[{', '.join([self.value(item) for item in node.items])}]")

    def _name(self, node: tree.Name) -> str | None:
        means = self.means[node]
        if means.choice is not None or means.implied:
            return None
        found = self.variable_of(f"frame[{means.slot:d}]")
        if not means.plain:
            look = self.keep(self.compiler.evaluate(node))
            self.put(f"if type({found}) is Absent or isinstance({found}, Item) and {found}.removed: {look}(frame)")
        return found

    def _dot(self, node: tree.Dot) -> str | None:
        means = self.means[node]
        if means.lookup is not None:
            return self._looked_up(means.lookup, node.target)
        if means.part is not None or any(argument.exactly for argument in node.arguments or ()):
            return None
        if self.compiler.is_under_heading(node):
            return self._under_heading(self.means[node.target].slot, means.heading)
        target = self.value(node.target)
        ways: dict[type, Any] = {}
        find = self.keep(self.compiler.asked(node, ways))
        way = self.variable_of(f"{self.keep(ways)}.get(type({target})) or {find}({target})")
        if not node.arguments:
            return self.variable_of(f"{way}[0]({target})")
        given = "".join(f"{self.value(argument.value)}, " for argument in node.arguments)
        return self.variable_of(f"{way}[0]({target}, **fitted_all(zip({way}[1], ({given}), strict=True)))")

    def _under_heading(self, slot: int, heading: str) -> str:
        """What is under a heading: the commonest step of a loop over records, so without a detour."""
        known = self.read.get((slot, heading))
        if known is not None:
            return known
        record, found, kept = self.variable_of(f"frame[{slot:d}]"), self.variable(), self.keep(heading)
        self.read[slot, heading] = found
        self.put(
            "try:",
            f"    {found} = {record}.table.readers[{kept}]({record}.row)",
            "except (KeyError, AttributeError):",
            f"    {found} = {self.keep(self.compiler.field_of)}({record}, {kept})",
            "else:",
            f"    if type({found}) is Trouble: {found} = {found}.settled()",
        )
        return found

    def _call(self, node: tree.Call) -> str | None:
        means = self.means[node]
        if means.pairs:
            pairs = self.pairs(means.slot, node.word)
            key = self.value(node.arguments[0].value)
            of = self.key(key)
            if means.may_be_missing:
                return self.variable_of(f"{of} in {pairs}.held or execution.missed({pairs}, {key})")
            found = self.variable_of(f"{pairs}.held.get({of})")
            return self.variable_of(f"{found}[1] if {found} is not None else execution.get_pair({pairs}, {key})")
        return self._looked_up(node, None)

    def key(self, value: str) -> str:
        """A variable with what a value is as a key of pairs, made once for each."""
        found = self._keys.get(value)
        if found is None:
            quick = f"type({value}) is str and {value} and {value}.isascii()"
            found = self._keys[value] = self.variable_of(f"{value}.lower() if {quick} else Pairs.of({value})")
        return found

    def pairs(self, slot: int, word: str) -> str:
        """A variable with the pairs that a name keeps; anything else fails."""
        pairs = self.variable_of(f"frame[{slot:d}]")
        self.put(f"if type({pairs}) is not Pairs: pairs_of({pairs}, {self.keep(word)})")
        return pairs

    def _looked_up(self, node: tree.Call, target: Expression | None) -> str | None:
        """An item looked up by its name."""
        find = self.compiler.by_name(node)
        if find is None:
            return None
        holder = self.variable_of(f"frame[{self.means[node].base:d}]") if target is None else None
        name = self.value(node.arguments[0].value)
        if target is not None:
            holder = self.value(target)
        return self.variable_of(f"{self.keep(find)}({holder}, {name})")

    # -- conditions and calculations

    def _compare(self, node: tree.Compare) -> str | None:
        compiler, right = self.compiler, node.right
        found = None
        if node.operator == "exists":
            if isinstance(node.left, tree.Name):
                found = self.variable_of(f"type(frame[{self.means[node.left].slot:d}]) is not Absent")
            else:
                left = self.value(node.left)
                found = self.variable_of(f"{left} is not None and type({left}) is not Absent")
        elif right is None:
            return None
        elif node.operator == "is" and not node.exactly:
            found = self._equal(node, right)
        elif node.operator in ORDER:
            one, other, tell = (
                self.value(node.left),
                self.value(right),
                self.keep(compiler.ordering(node.operator, node.left, right)),
            )
            sign, found = _SIGNS[node.operator], self.variable()
            both = self._both_numbers(one, other)
            self.put(f"{found} = {one} {sign} {other} if {both} else {tell}({one}, {other}, frame)")
        if found is not None and node.negated:
            found = self.variable_of(f"not {found}")
        return found

    def _equal(self, node: tree.Compare, right: Expression) -> str:
        unlike = self.keep(self.compiler.unlike(node.left, right))
        one = self.value(node.left)
        if isinstance(right, tree.Constant) and isinstance(right.value, str):
            low, text = self.keep(fold(right.value)), self.keep(right.value)
            found = self.variable()
            with self.below(f"if type({one}) is str:"):
                self.put(f"{found} = ({one}.lower() if {one}.isascii() else fold({one})) == {low}")
            with self.below("else:"):
                self.put(f"{found} = same({one}, {text}) or {unlike}({one}, {text}, frame)")
            return found
        other = self.value(right)
        return self.variable_of(
            f"same({one}, {other}, False) or (type({one}) is not type({other}) and {unlike}({one}, {other}, frame))"
        )

    def _arithmetic(self, node: tree.Arithmetic) -> str:
        one, other, found = self.value(node.left), self.value(node.right), self.variable()
        sign = _SIGNS[node.operator]
        tell = f"{self.keep(self.compiler.combining(node))}({self.keep(sign)}, {one}, {other}, frame)"
        self.put(
            f"if {self._both_numbers(one, other)}:",
            f"    try: {found} = {one} {sign} {other}",
            "    except DecimalException as error: raise no_number(error) from None",
            f"else: {found} = {tell}",
        )
        return found

    def _both_numbers(self, one: str, other: str) -> str:
        unsure = [name for name in (one, other) if name not in self.numbers]
        return " and ".join(f"type({name}) is Decimal" for name in unsure) or "True"

    def _both(self, node: tree.Both) -> str:
        found = self.variable()
        self.put(f"{found} = {self.condition(node.left)}")
        with self.below(f"if {found}:" if node.operator == "and" else f"if not {found}:"):
            self.put(f"{found} = {self.condition(node.right)}")
        return found

    def _not(self, node: tree.Not) -> str:
        return self.variable_of(f"not {self.condition(node.value)}")
