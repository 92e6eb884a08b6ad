"""What is surely known of the values of a macro once it is Python: where Python's own signs mean the same."""

from __future__ import annotations

import typing
from collections.abc import Iterator, Sequence
from decimal import Decimal

from scrub.language import tree
from scrub.language.program import Program
from scrub.language.tree import Expression
from scrub.language.walk import nodes, statements
from scrub.model.core.amounts import Duration
from scrub.model.core.named import NamedTuple
from scrub.model.core.types import ANY, DATE, DURATION, NUMBER, TEXT, TIME, YES_NO, Type
from scrub.model.vocabulary import Callee, Field, Vocabulary


class Sort(NamedTuple):
    """What a value is in Python; `sure` says that it is never None."""

    name: str
    sure: bool = True

    @property
    def is_number(self) -> bool:
        """Whether it is surely a number."""
        return self.sure and self.name in ("int", "Decimal")

    def joined(self, other: Sort) -> Sort:
        """What is known of a value that is one or the other."""
        sure = self.sure and other.sure
        if self.name == other.name:
            return Sort(self.name, sure)
        if "" in (self.name, other.name):  # nothing is known of one of them yet
            return Sort(self.name or other.name, sure)
        if {self.name, other.name} == {"int", "Decimal"}:
            return Sort("Decimal", sure)
        return Sort("Any", False)


UNSET, UNKNOWN = Sort(""), Sort("Any", False)
_PLAIN = {TEXT: "str", YES_NO: "bool", DATE: "date", TIME: "datetime", DURATION: "span", NUMBER: "Decimal"}
_ANSWERS = {"number": "Decimal", "date": "date", "yes-no": "bool"}


class Inferred:
    """What is known of the expressions and names of one program."""

    def __init__(self, program: Program, vocabulary: Vocabulary) -> None:
        self.program = program
        self.vocabulary = vocabulary
        self.means = program.means
        self.names: dict[str, Sort] = {}
        self.pairs: dict[str, Sort] = {}
        self._growing = _growing(program)
        self._known: dict[Expression, Sort] = {}
        self._find()

    def _find(self) -> None:
        """Learns what the names hold, from nothing known until nothing new is learnt."""
        every = list(statements(self.program.macro.body))
        words = {node.word for node in every if isinstance(node, tree.SetName)}
        self.names = dict.fromkeys(words, UNSET)
        self.pairs = {word: UNSET for node in every for word, _ in self._paired(node)}
        while True:
            self._known.clear()
            names: dict[str, Sort] = {}
            pairs: dict[str, Sort] = {}
            for question in self.program.questions:
                names[question.name] = Sort("Any") if question.secret else Sort(_ANSWERS.get(question.type, "str"))
            for node in every:
                for word, sort in self._given(node):
                    names[word] = names.get(word, UNSET).joined(sort)
                for word, sort in self._paired(node):
                    pairs[word] = pairs.get(word, UNSET).joined(sort)
            names = {word: self._whole(word, sort) for word, sort in names.items()}
            if (names, pairs) == (self.names, self.pairs):
                return
            self.names, self.pairs = names, pairs

    def _whole(self, word: str, sort: Sort) -> Sort:
        """A name that may grow beyond 28 digits is a decimal: a macro rounds there."""
        return Sort("Decimal", sort.sure) if sort.name == "int" and word in self._growing else sort

    def _given(self, node: tree.Statement) -> Iterator[tuple[str, Sort]]:
        """What a statement gives to names."""
        if isinstance(node, tree.SetName):
            if not (isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret")):
                yield node.word, self.sort(node.value)
        elif isinstance(node, tree.Each):
            if not self.means[node].items:
                yield node.word, self._element(node.inside)
            if node.counter is not None:
                yield node.counter, Sort("int")
        elif isinstance(node, tree.Times) and node.alias is not None:
            yield node.alias, Sort("int")
        elif isinstance(node, tree.Attempt):
            yield "problem", Sort("str")

    def _paired(self, node: tree.Statement) -> Iterator[tuple[str, Sort]]:
        """What a statement gives to keys of pairs."""
        if isinstance(node, tree.SetPair):
            yield node.target.word, self.sort(node.value)
        elif isinstance(node, tree.SetName) and isinstance(node.value, tree.Call) and node.value.word == "pairs":
            for argument in node.value.arguments:
                sort = self.sort(argument.value)
                yield node.word, Sort("Decimal") if sort.is_number else sort
        elif isinstance(node, tree.SetName) and self.means[node].pairs:
            yield node.word, UNKNOWN

    def _element(self, node: Expression | None) -> Sort:
        """What a loop over a list finds in it."""
        if isinstance(node, tree.Dot):
            callee = self.operation(node)
            if callee is not None and callee._hints.get("return") == list[str]:
                return Sort("str")
        return UNKNOWN

    def type(self, node: Expression) -> Type:
        """The type of an expression in the language."""
        return self.program.types.get(node, ANY)  # the word of a choice has none

    def sort(self, node: Expression) -> Sort:
        """What an expression is in Python."""
        found = self._known.get(node)
        if found is None:
            found = self._known[node] = self._sort(node)
        return found

    def _sort(self, node: Expression) -> Sort:
        if isinstance(node, tree.Constant):
            return self._constant(node)
        if isinstance(node, tree.Text | tree.PrintMark):
            return Sort("str")
        if isinstance(node, tree.Moment):
            return Sort("date" if node.word == "today" else "datetime")
        if isinstance(node, tree.Compare | tree.Between | tree.Both | tree.Not):
            return Sort("bool")
        if isinstance(node, tree.Count):
            return Sort("int")
        if isinstance(node, tree.ListOf):
            return Sort("list")
        if isinstance(node, tree.Gather):
            return Sort("list") if node.operation == "list" else UNKNOWN
        if isinstance(node, tree.Negative):
            return self.sort(node.value) if self.sort(node.value).is_number else UNKNOWN
        if isinstance(node, tree.Arithmetic):
            return self._arithmetic(node)
        if isinstance(node, tree.Dot):
            return self._dot(node)
        return self._named(node)

    @staticmethod
    def _constant(node: tree.Constant) -> Sort:
        value = node.value
        if isinstance(value, Decimal):
            return Sort("int" if value == value.to_integral_value() else "Decimal")
        return UNKNOWN if value is None else Sort(_PLAIN.get(node.type, "Any"))

    def _named(self, node: Expression) -> Sort:
        """Names, items, keys, and what is looked up."""
        type_ = self.type(node)
        if isinstance(node, tree.Call):
            if self.means[node].pairs:
                return self.pairs.get(node.word, UNKNOWN)
            return Sort("pairs") if node.word == "pairs" else Sort("item" if type_.item else "Any")
        if isinstance(node, tree.Name):
            if self.means[node].choice is not None:
                return Sort("str")
            return Sort("item") if type_.item and node.word not in self.names else self.names.get(node.word, UNKNOWN)
        return UNKNOWN

    def field(self, node: tree.Dot) -> Field | None:
        """The field that follows the dot; None for anything else."""
        target = self.type(node.target)
        kind = self.vocabulary.kinds.get(target.word) if target.item else None
        means = self.means[node]
        plain = kind is not None and means.part is None and means.lookup is None
        return kind.fields.get(node.word) if kind is not None and plain else None

    def operation(self, node: tree.Dot) -> Callee | None:
        """The operation that follows the dot; None where the type of its value is not known."""
        target = self.type(node.target)
        return None if target.item else self.vocabulary.operation(target.word, node.word)

    def is_heading(self, node: Expression) -> bool:
        """Whether it is what is under a heading of a record."""
        if not isinstance(node, tree.Dot) or not self.means[node].heading:
            return False
        target = self.type(node.target)
        return target.item and self.vocabulary.kinds[target.word].cls.open_fields

    def _dot(self, node: tree.Dot) -> Sort:
        field, means = self.field(node), self.means[node]
        if field is not None:
            sure = type(None) not in typing.get_args(field._hint)
            if field.choice is not None:
                return Sort("str", sure) if field.type.word != "list" else Sort("list", sure)
            name = "int" if field.whole else "list" if field.type.word == "list" else _PLAIN.get(field.type, "Any")
            return Sort(name, sure) if name != "Any" else UNKNOWN
        if means.part is not None or means.lookup is not None:
            return Sort("item") if self.type(node).item else UNKNOWN
        callee = self.operation(node)
        return _result([callee] if callee is not None else self._possible(node))

    def _possible(self, node: tree.Dot) -> list[Callee]:
        """The operations that it may be, where the type of its value is not known; none where it may be a field."""
        if any(node.word in kind.fields for kind in self.vocabulary.kinds.values()):
            return []
        return [each for (_, word), each in self.vocabulary.operations.items() if word == node.word]

    def is_span(self, node: Expression) -> bool:
        """Whether it is a span of time that is written out, and whose days are whole."""
        value = node.value if isinstance(node, tree.Constant) else None
        return isinstance(value, Duration) and not value.on_calendar and value.total % 86_400 == 0

    def _arithmetic(self, node: tree.Arithmetic) -> Sort:
        one, other, sign = self.sort(node.left), self.sort(node.right), node.operator
        if one.name == "" or other.name == "":
            return UNSET
        if self.numbers(node.left, node.right):
            whole = one.name == other.name == "int" and sign != "/"
            return Sort("int" if whole else "Decimal")
        if sign in "+-" and one in (Sort("date"), Sort("datetime")) and self.is_span(node.right):
            return one
        return Sort("span") if sign == "-" and one == other == Sort("date") else UNKNOWN

    def numbers(self, one: Expression, other: Expression) -> bool:
        """Whether both sides are numbers, where something under a heading that is none fails."""
        left, right = self.sort(one), self.sort(other)
        if left.is_number:
            return right.is_number or self.is_heading(other)
        return right.is_number and self.is_heading(one)


def _result(callees: Sequence[Callee]) -> Sort:
    """What operations give, if all of them give the same."""
    hints = {str(callee._hints.get("return")): callee._hints.get("return") for callee in callees}
    if len(hints) != 1:
        return UNKNOWN
    (hint,) = hints.values()
    if typing.get_origin(hint) is list:
        return Sort("list")
    found = getattr(hint, "__name__", "Any")
    return Sort(found) if found in ("int", "str", "bool", "date", "datetime", "Decimal") else UNKNOWN


def _growing(program: Program) -> set[str]:
    """The names whose numbers may grow like a power: they are multiplied, or added to themselves, or depend on each
    other.
    """
    uses: dict[str, list[str]] = {}
    found: set[str] = set()
    for node in statements(program.macro.body):
        if isinstance(node, tree.SetName):
            names = [each.word for each in names_in(node.value)]
            uses.setdefault(node.word, []).extend(name for name in names if name != node.word)
            multiplied = any(isinstance(each, tree.Arithmetic) and each.operator == "*" for each in nodes(node.value))
            if (multiplied and names) or names.count(node.word) > 1:
                found.add(node.word)
    for word in uses:
        reached, waiting = set(), list(uses[word])
        while waiting:
            each = waiting.pop()
            if each not in reached:
                reached.add(each)
                waiting += uses.get(each, [])
        if word in reached:
            found.add(word)
    return found


def names_in(node: tree.Node) -> list[tree.Name]:
    """The names in an expression, in the order of the text."""
    return [each for each in nodes(node) if isinstance(each, tree.Name)]
