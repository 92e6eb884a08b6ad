"""What the words of an expression mean: names, items, fields, operations, and the type of every value."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.check_arguments import PAIRS_STAY, check_arguments
from scrub.language.check_lookups import find_inside
from scrub.language.checking import Checking, types
from scrub.language.meant import everyday_name, no_dot, no_field, unknown_name
from scrub.model.core.problem import did_you_mean, listed
from scrub.model.core.types import ANY, DATE, NOTHING, SECRET, TEXT, TIME, Type, list_of
from scrub.model.core.values import heading_key
from scrub.model.vocabulary import Kind


@types(tree.Constant)
def _constant(on: Checking, node: tree.Constant) -> Type:
    return node.type


@types(tree.PrintMark)
def _printmark(on: Checking, node: tree.PrintMark) -> Type:
    if not on.prints:
        on.note(
            node.place,
            f"{{{node.word}}} is filled in on printing, so it works only in headers and footers",
        )
    return TEXT


@types(tree.Moment)
def _moment(on: Checking, node: tree.Moment) -> Type:
    return DATE if node.word == "today" else TIME


@types(tree.Text)
def _text(on: Checking, node: tree.Text) -> Type:
    for part in node.parts:
        if not isinstance(part, str) and on.type(part) == SECRET:
            on.note(part.place, "a secret cannot be part of text")
    return TEXT


@types(tree.ListOf)
def _listof(on: Checking, node: tree.ListOf) -> Type:
    found = [on.type(item) for item in node.items]
    for item, of in zip(node.items, found, strict=True):
        if of.word == "pairs":
            on.note(item.place, PAIRS_STAY)
    known = {each for each in found if each not in (ANY, NOTHING)}
    return list_of(known.pop() if len(known) == 1 else ANY)


@types(tree.Name)
def _name(on: Checking, node: tree.Name) -> Type:
    means = on.means[node]
    item = on.scope.item(node.word)
    if item is not None:
        means.slot = item.slot
        return on.vocabulary.kinds[item.kind].type
    implied = on.scope.implied(node.word, on.vocabulary)
    if implied is not None:
        means.slot, means.implied = implied[0].slot, implied[1]
        return on.vocabulary.kinds[node.word].type
    if node.word == "selection":
        slot, kind = selection_slot(on)
        if slot:
            means.slot = slot
            return on.vocabulary.kinds[kind].type
    on.read.add(node.word)
    name = on.scope.names.get(node.word)
    if name is not None:
        means.slot = name.slot
        means.plain = not name.type.item and name.type != ANY  # certainly no item, which could have been deleted
        if node.word not in on.scope.assigned:
            on.note(
                node.place,
                f'"{node.word}" may have no value yet when this line runs. Give it one above: {node.word} = …',
            )
            on.scope.assigned.add(node.word)
        return name.type
    known = [*on.scope.names, *(item.word for item in on.scope.items)]
    on.note(node.place, unknown_name(on, node.word), "unknown-name", (node.word, known))
    return ANY


@types(tree.Dot)
def _dot(on: Checking, node: tree.Dot) -> Type:
    target = on.type(node.target)
    if target.item:
        return _of_item(on, node, on.vocabulary.kinds[target.word])
    if node.quoted:
        if target != ANY:
            on.note(node.place, f'{target} has no field "{node.word}"')
        return ANY
    if target in (ANY, NOTHING):
        _loose_arguments(on, node)
        words = {word for _, word in on.vocabulary.operations}
        words |= {word for kind in on.vocabulary.kinds.values() for word in kind.fields}
        on.means[node].heading = heading_key(node.word)
        # The problem of a target that is not known is told already.
        unknown = isinstance(node.target, tree.Name) and on.means[node.target].slot < 0
        if target == ANY and not unknown and node.word not in words:
            tail = no_dot(node.word) or did_you_mean(node.word, words)
            on.note(
                node.place,
                f'no operation "{node.word}".{tail}',
                "unknown-operation",
                (node.word, words),
            )
        return ANY
    operation = on.vocabulary.operation(target.word, node.word)
    if operation is None:
        words = set(on.vocabulary.operation_words(target.word))
        tail = no_dot(node.word) or did_you_mean(node.word, words) or everyday_name(on, node.word, target.word)
        on.note(node.place, f'{target} has no operation "{node.word}".{tail}', "unknown-operation", (node.word, words))
        for argument in node.arguments or ():
            on.type(argument.value)
        return ANY
    on.means[node].bound = check_arguments(on, operation, node.arguments or (), node.place, f".{node.word}")
    if node.word == "as-text" and target in (DATE, TIME):
        _date_form(on, node)
    if target.word == "list":
        if operation.gives.word == "list" and operation.gives.of == ANY:
            return target
        if operation.gives == ANY and node.word in ("first", "last", "smallest", "largest"):
            return target.of or ANY
    return operation.gives


def _date_form(on: Checking, node: tree.Dot) -> None:
    """A form of a date that is written out is looked at before the macro runs."""
    from scrub.model.operations.dates import form_problem

    for argument in node.arguments or ():
        if isinstance(argument.value, tree.Constant) and isinstance(argument.value.value, str):
            wrong = form_problem(argument.value.value)
            if wrong:
                on.note(argument.value.place, wrong)


def _loose_arguments(on: Checking, node: tree.Dot) -> None:
    """The arguments of an operation on a value whose type is not known before the macro runs."""
    candidates = [operation for (_, word), operation in on.vocabulary.operations.items() if word == node.word]
    for place, argument in enumerate(node.arguments or ()):
        named = [
            parameter
            for candidate in candidates
            for number, parameter in enumerate(candidate.parameters)
            if (argument.name is None and number == 0) or parameter.word == argument.name
        ]
        if candidates and not named:
            taken = sorted({parameter.word for candidate in candidates for parameter in candidate.parameters})
            what = f'no "{argument.name}"' if argument.name else "no value"
            tail = f" Arguments: {listed(taken)}" if taken and place == 0 else did_you_mean(argument.name or "", taken)
            on.note(argument.place, f'".{node.word}" takes {what}.{tail}')
        word = argument.value.word if isinstance(argument.value, tree.Name) else ""
        choice = next(
            (parameter.choice for parameter in named if parameter.choice and word in list(parameter.choice)), None
        )
        if choice is not None and isinstance(argument.value, tree.Name):
            on.means[argument.value].choice = choice(word)  # where a choice is expected, the choice word wins
        else:
            on.type(argument.value)


def _of_item(on: Checking, node: tree.Dot, kind: Kind) -> Type:
    """What follows a dot after an item: a field, a heading, a part, or another item looked up in it."""
    if node.word in kind.parts:
        part = on.means[node].part = kind.parts[node.word]
        on.means[node].bound = check_arguments(on, part, node.arguments or (), node.place, node.word)
        return part.gives
    if node.arguments is not None and node.word in on.vocabulary.kinds:
        lookup = on.means[node].lookup = tree.Call(node.place, node.word, node.arguments)
        if not find_inside(on, lookup, kind.word):
            on.note(node.place, f"no {node.word} inside {kind.called}")
        return on.vocabulary.kinds[node.word].type
    if kind.cls.open_fields:
        on.means[node].heading = heading_key(node.word)
        if node.arguments is not None:
            on.note(node.place, f'"{node.word}" is a heading and takes no brackets')
        if isinstance(node.target, tree.Name):
            for item in on.scope.items:
                if item.slot == on.means[node.target].slot:
                    item.headings.add(on.means[node].heading)
        return ANY
    return _field(on, node, kind)


def _field(on: Checking, node: tree.Dot, kind: Kind) -> Type:
    field = kind.fields.get(node.word)
    if field is None:
        on.note(node.place, no_field(on, kind, node.word), "unknown-field", (node.word, kind.fields))
        return ANY
    if node.arguments is not None:
        on.note(node.place, f'"{node.word}" is a field and takes no brackets')
    return field.type


def selection_slot(on: Checking) -> tuple[int, str]:
    """The slot of what the person picked, and its kind; 0 where nothing can be picked in such a file."""
    start = next((item.kind for item in on.scope.items[:1]), "") or next(iter(on.program.macro.runs_on), "")
    kind = on.vocabulary.kinds[start].selection if start in on.vocabulary.kinds else ""
    if not kind:
        return 0, ""
    if on.program.selection_slot < 0:
        on.program.selection_slot = on.scope.new_slot()
    return on.program.selection_slot, kind


@types(tree.Bad)
def _bad(on: Checking, node: tree.Bad) -> Type:
    on.watch(node)
    return ANY


@types(tree.RunValue)
def _runvalue(on: Checking, node: tree.RunValue) -> Type:
    on.note(node.place, 'write the result of another macro on its own line: name = run("…")')
    return ANY
