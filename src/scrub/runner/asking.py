"""What is asked of items and values: their fields, and operations."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from operator import attrgetter

from scrub.language import tree
from scrub.model.cells.grid import CellError
from scrub.model.core.declare import Item
from scrub.model.core.problem import Failure
from scrub.model.core.values import Value, type_name, value_type
from scrub.model.vocabulary import Parameter
from scrub.runner.comparisons import Evaluate
from scrub.runner.compiling import Compiler
from scrub.runner.execution import Frame
from scrub.runner.fitting import AS_THEY_ARE, given, within
from scrub.runner.lookups import Absent

#: What asks something of a value, with arguments by their Python names; and the parameters that get the arguments.
Way = tuple[Callable[..., Value], Sequence[Parameter]]


def holder_of_heading(on: Compiler, node: tree.Dot) -> int:
    """The place of the item whose heading is asked for; 0 for one without a place of its own, or no heading."""
    is_field = bool(on.means[node].heading) and node.arguments is None
    return max(on.means[node.target].slot, 0) if is_field and isinstance(node.target, tree.Name) else 0


def asking(on: Compiler, node: tree.Dot, ways: dict[type, Way]) -> Callable[[Value], Way]:
    """What finds how a field or an operation is asked of a value, and notes that for all values of its class."""
    word, heading = node.word, on.means[node].heading
    names = [argument.name for argument in node.arguments or ()]
    if any(argument.exactly for argument in node.arguments or ()):
        names = [*names, "exactly"]
    brackets = node.arguments is not None

    def find(value: Value) -> Way:
        if type(value) is Absent:  # somebody asks whether it exists
            return lambda it: it, ()
        if brackets and isinstance(value, Item):
            raise Failure(f'"{word}" of {value.label} takes no brackets')
        found = ways[type(value)] = way_of(on, value, word, heading, names)
        return found

    return find


def under_heading(on: Compiler, slot: int, heading: str) -> Evaluate:
    """What is under a heading: the commonest step of a loop over records, so without a detour."""

    def read(frame: Frame) -> Value:
        record = frame[slot]
        try:
            found = record.table.readers[heading](record.row)
        except (KeyError, AttributeError):
            return field_of(on, record, heading)
        return found.resolved() if type(found) is CellError else found

    return read


def field_of(on: Compiler, value: Value, heading: str) -> Value:
    """What is under a heading in whatever it is, or in nothing that is there."""
    if type(value) is Absent:
        raise Failure(value.what)
    ask, _ = way_of(on, value, heading, heading, [])
    return ask(value)


def way_of(on: Compiler, value: Value, word: str, heading: str, names: list[str | None]) -> Way:
    """How a field of an item, or an operation with arguments of these names, is asked of all values of the same
    class as this one. Raises `Failure` where there is none.
    """
    return _field(on, value, word, heading) if isinstance(value, Item) else _operation(on, value, word, names)


def _field(on: Compiler, item: Item, word: str, heading: str) -> Way:
    """A field of an item whose kind may not be known before the macro runs: only what is declared can be asked."""
    if item.open_fields:
        return (lambda item: given(item.read(heading))), ()
    field = on.vocabulary.kinds[item.kind_word].fields.get(word)
    if field is None:
        raise Failure(f'{on.vocabulary.kinds[item.kind_word].called} has no field "{word}"')
    read = attrgetter(field.python)
    return (read if field.type.word in AS_THEY_ARE else lambda item: given(read(item))), ()


def _operation(on: Compiler, value: Value, word: str, names: list[str | None]) -> Way:
    """An operation. An argument without a name is the first one."""
    of = value_type(value)
    callee = on.vocabulary.operation(of.word if of else "", word)
    if callee is None:
        raise Failure(f'{type_name(value)} has no operation "{word}"')
    by_word, function = callee.by_word, callee.function
    parameters: list[Parameter] = []
    for name in names:
        parameter = by_word.get(name) if name is not None else next(iter(by_word.values()), None)
        if parameter is None:
            raise Failure(f'".{callee.word}" of {type_name(value)} takes no {name or "value"}')
        parameters.append(parameter)
    for parameter in by_word.values():
        if parameter.required and parameter not in parameters:
            raise Failure(f'".{callee.word}" needs {parameter.word}')

    def ask(value: Value, /, **arguments: object) -> Value:
        result = given(function(value, **arguments))
        return within(result) if isinstance(result, str | list) else result

    return ask, parameters
