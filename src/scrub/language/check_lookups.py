"""How items are found, counted, opened and made: the way to them is worked out when a macro is checked."""

from __future__ import annotations

from collections.abc import Iterator

from scrub.language import advice, tree
from scrub.language.check_arguments import check_action, check_arguments, check_value
from scrub.language.check_operators import check_condition
from scrub.language.checking import Checking, types
from scrub.language.meant import field_instead
from scrub.language.scope import LATER_KINDS
from scrub.language.source import source_of
from scrub.language.tree import Expression, Place
from scrub.model.core.files import IfExists
from scrub.model.core.problem import did_you_mean, listed
from scrub.model.core.types import ADDRESS, ANY, NOTHING, NUMBER, SECRET, TEXT, YES_NO, Type, list_of, type_of
from scrub.model.core.values import fold

#: Words before brackets that make a file or a message.
_MAKING = ("copy-of", "new-file", "new-message")


@types(tree.Call)
def _call(on: Checking, node: tree.Call) -> Type:
    if node.word in on.vocabulary.kinds:
        return _lookup(on, node)
    if node.word == "pairs":
        return _pairs(on, node)
    if node.word in on.scope.names and on.scope.names[node.word].type.word in ("pairs", "anything"):
        return type_of_key(on, node)
    special = _SPECIAL.get(node.word)
    if special is not None:
        return special(on, node)
    current = on.scope.current
    action = on.vocabulary.kinds[current.kind].actions.get(node.word) if current else None
    if current is not None and action is not None and action.gives.item:
        check_action(on, node, current, action)
        return action.gives
    if node.word in ("ask", "secret"):
        on.note(
            node.place,
            f"put questions at the top of the body, each on its own line: name = {node.word}(…)",
        )
        return ANY
    for argument in node.arguments:
        on.type(argument.value)
    _note_unknown_call(on, node)
    return ANY


def _note_unknown_call(on: Checking, node: tree.Call) -> None:
    """Notes what is wrong with a word before brackets that has no meaning there."""
    if node.word in LATER_KINDS:
        on.note(node.place, f'"{node.word}(…)" cannot be used yet')
    elif advice.of_call(node.word):
        on.note(node.place, advice.of_call(node.word))
    elif node.word in {word for _, word in on.vocabulary.operations}:
        on.note(node.place, f"an operation follows its value after a dot: value.{node.word}")
    elif any(node.word in kind.actions for kind in on.vocabulary.kinds.values()):
        on.note(node.place, _not_given(on, node.word))
    else:
        guess = did_you_mean(node.word, [*on.vocabulary.kinds, "count", "ask", "secret", "own-file", "open", *_MAKING])
        on.note(node.place, f'"{node.word}(…)" is unknown.{guess}')


def _pairs(on: Checking, node: tree.Call) -> Type:
    """`pairs(otherwise: 0)`: a value for each key, and what a key has that got none."""
    found = [on.type(argument.value) for argument in node.arguments]
    if [argument.name for argument in node.arguments] not in ([], ["otherwise"]):
        on.note(node.place, "write: pairs(), or with a default value: pairs(otherwise: 0)")
    return Type("pairs", found[0] if found and found[0] not in (NOTHING, list_of(ANY)) else ANY)


def type_of_key(on: Checking, node: tree.Call) -> Type:
    """`nights(record.hut)`: the value of a key."""
    name = on.scope.names[node.word]
    on.read.add(node.word)
    on.means[node].pairs, on.means[node].slot = True, name.slot
    if len(node.arguments) != 1 or node.arguments[0].name is not None or node.arguments[0].exactly:
        on.note(node.place, f'write one key in the brackets: {node.word}("…")')
    for argument in node.arguments:
        if on.type(argument.value) == SECRET:
            on.note(argument.place, "a secret cannot be a key")
    return name.type.of or ANY


@types(tree.Gather)
def _gather(on: Checking, node: tree.Gather) -> Type:
    """`sum(record.nights where record.paid)`: a value of each item of the kind that is named first."""
    word = next((name.word for name in _names(node.value) if name.word in on.vocabulary.kinds), "")
    if not word:
        _gather_nothing(on, node)
        return ANY
    found = items_inside(on, word, node.inside, node.place)
    means = on.means[node]
    if found is not None:
        means.base, means.path = found
    with on.scope.entered(word, word) as item:
        means.slot, means.headings = item.slot, item.headings
        if node.where is not None:
            check_condition(on, node.where)
        value = on.type(node.value)
    if value == SECRET:
        on.note(node.value.place, "a secret cannot be in a list")
    if node.operation == "list":
        return list_of(value)
    if value.item or value in (TEXT, YES_NO, ADDRESS) or value.word == "list":
        wanted = "numbers or dates" if node.operation in ("smallest", "largest") else "numbers"
        if not (value == TEXT and node.operation in ("smallest", "largest")):
            on.note(
                node.value.place,
                f'"{node.operation}" needs {wanted}; this is {value}{field_instead(on, value, of=(NUMBER, ANY))}',
                "wrong-type",
            )
    return value


def _gather_nothing(on: Checking, node: tree.Gather) -> None:
    value = on.type(node.value)
    if node.inside is not None:
        on.type(node.inside)
    if isinstance(node.value, tree.Name) and node.value.word in LATER_KINDS:
        on.note(node.place, f'"{node.value.word}" cannot be visited yet')
    elif value.word in ("list", "anything") and node.operation != "list":
        on.note(node.place, f"an operation of a list follows it after a dot: {source_of(node.value)}.{node.operation}")
    else:
        on.note(node.place, f"name the value of each item: {node.operation}(record.nights where record.paid)")


def _own_file(on: Checking, node: tree.Call) -> Type:
    """`own-file("stamp.png")`: the path of a file that belongs to the macro."""
    value = node.arguments[0].value if len(node.arguments) == 1 else None
    if not isinstance(value, tree.Constant) or not isinstance(value.value, str):
        on.note(node.place, 'write the name of a file next to the macro: own-file("stamp.png")')
        return TEXT
    files = {fold(name): path for name, path in on.own_files.items()}
    if fold(value.value) not in files:
        there = f"There are: {', '.join(on.own_files)}" if on.own_files else "Add it: scrub add … --file FILE"
        tail = did_you_mean(value.value, on.own_files)
        on.note(value.place, f'no file "{value.value}" belongs to this macro.{tail} {there}')
        return TEXT
    on.means[node].own_file = files[fold(value.value)]
    return TEXT


def _not_given(on: Checking, word: str) -> str:
    for kind in on.vocabulary.kinds.values():
        if word in kind.actions and kind.actions[word].gives.item:
            return f'"{word}" is an action of {kind.called}, which is not the current item here'
    return f'"{word}" returns nothing. Write it alone at the start of a line'


def _open(on: Checking, node: tree.Call) -> Type:
    """`open("prices.xlsx")`: another file, for reading."""
    from scrub.model.core.declare import Reach

    on.reaches(Reach.FILES, "reads other files")
    kind = next(iter(on.vocabulary.endings.values()))
    if len(node.arguments) != 1 or node.arguments[0].name is not None:
        on.note(node.place, 'write the path of the file in the brackets: open("prices.xlsx")')
        return on.vocabulary.kinds[kind].type
    return _opened(on, node.arguments[0].value, kind)


def _copy(on: Checking, node: tree.Call) -> Type:
    """`copy-of("letter.docx", name: "Letter {record.guest}")`: a new file as an item that can be changed."""
    from scrub.model.core.declare import Reach

    on.reaches(Reach.FILES, "creates files from other files")
    kind = next(iter(on.vocabulary.endings.values()))
    names = [argument.name for argument in node.arguments]
    if len(names) not in (2, 3) or names[0] is not None or "name" not in names or set(names) - {None, "name", "to"}:
        on.note(node.place, 'write: copy-of("letter.docx", name: "Letter {record.guest}"), and a folder with to: "…"')
        return on.vocabulary.kinds[kind].type
    for argument in node.arguments[1:]:
        check_value(on, argument.value, TEXT, f'"{argument.name}"')
    return _opened(on, node.arguments[0].value, kind)


def _new_file(on: Checking, node: tree.Call) -> Type:
    """`new-file("late.xlsx")`: an empty file as an item that can be filled; its format is that of its ending."""
    from scrub.model.core.declare import Reach

    on.reaches(Reach.FILES, "creates new files")
    kind = next(iter(on.vocabulary.endings.values()))
    names = [argument.name for argument in node.arguments]
    if names[:1] != [None] or len(set(names)) < len(names) or set(names[1:]) - {"to", "if-exists"}:
        on.note(node.place, 'write: new-file("late.csv"), with to: "folder" or if-exists: replace')
        return on.vocabulary.kinds[kind].type
    for argument in node.arguments[1:]:
        if argument.name == "to":
            check_value(on, argument.value, TEXT, '"to"')
        else:
            check_value(on, argument.value, type_of(IfExists), '"if-exists"', IfExists)
            if isinstance(argument.value, tree.Name) and argument.value.word == IfExists.REPLACE:
                on.reaches(Reach.FILES, "replaces files")
    return _opened(on, node.arguments[0].value, kind)


def _new_message(on: Checking, node: tree.Call) -> Type:
    """`new-message(to: record.address, subject: "…", text: "…")`: a draft."""
    from scrub.model.core.declare import Reach

    on.reaches(Reach.FILES, "writes drafts of messages")
    wanted = {"to": list_of(ADDRESS), "subject": TEXT, "text": TEXT}
    given = {argument.name or "": argument.value for argument in node.arguments}
    if set(given) != set(wanted) or len(node.arguments) != len(wanted):
        on.note(node.place, 'write: new-message(to: "ann@moss.example", subject: "…", text: "…")')
    for word, value in given.items():
        check_value(on, value, wanted.get(word, ANY), f'"{word}"')
    return on.vocabulary.kinds["message"].type


def _opened(on: Checking, value: Expression, kind: str) -> Type:
    """The kind of a file by the ending of its path."""
    check_value(on, value, TEXT, "the path of a file")
    parts = value.parts if isinstance(value, tree.Text) else (getattr(value, "value", ""),)
    last = parts[-1] if parts and isinstance(parts[-1], str) else ""
    dot, ending = last.rpartition(".")[1:]
    if dot and "/" not in ending:
        found = on.vocabulary.endings.get(f".{ending.lower()}", "")
        if not found:
            there = ", ".join(on.vocabulary.endings)
            on.note(value.place, f'a macro cannot open ".{ending}" files. It can open: {there}')
        kind = found or kind
    return on.vocabulary.kinds[kind].type


def _lookup(on: Checking, node: tree.Call) -> Type:
    for item in reversed(on.scope.items):
        if find_inside(on, node, item.kind):
            on.means[node].base = item.slot
            return on.vocabulary.kinds[node.word].type
    for argument in node.arguments:
        on.type(argument.value)
    on.note(node.place, f"no {node.word} to look up here")
    return on.vocabulary.kinds[node.word].type


def find_inside(on: Checking, node: tree.Call, outer: str) -> bool:
    """How to look an item up inside one of kind `outer`; False when that is impossible."""
    found = on.vocabulary.finder(outer, node.word)
    if found is not None:
        on.means[node].path, finder = found
        on.means[node].finder = finder
        on.means[node].bound = check_arguments(on, finder, node.arguments, node.place, node.word)
        return True
    path = on.vocabulary.path(outer, node.word)
    if path is None:
        return False
    on.means[node].path = path
    if len(node.arguments) != 1 or node.arguments[0].name is not None:
        on.note(node.place, f'write the name of the {node.word} in the brackets: {node.word}("…")')
    else:
        check_value(on, node.arguments[0].value, TEXT, f"the name of a {node.word}")
    return True


@types(tree.Count)
def _count(on: Checking, node: tree.Count) -> Type:
    found = items_inside(on, node.word, node.inside, node.place)
    if found is None:
        if node.where is not None:
            on.note(node.place, f'"{node.word}" is not a kind of item')
        return NUMBER
    on.means[node].base, on.means[node].path = found
    with on.scope.entered(node.word, node.word) as item:
        on.means[node].slot = item.slot
        if node.where is not None:
            check_condition(on, node.where)
    return NUMBER


def items_inside(
    on: Checking, word: str, inside: Expression | None, place: Place
) -> tuple[int, tuple[str, ...]] | None:
    """The way from the current item (or `inside`) to the items of a kind; None after noting a problem."""
    outer = on.type(inside) if inside is not None else None
    if word not in on.vocabulary.kinds:
        if word in LATER_KINDS:
            on.note(place, f'"{word}" cannot be visited yet')
        else:
            guess = advice.of_kind(word, on.vocabulary.kinds) or did_you_mean(word, on.vocabulary.kinds)
            known = (word, on.vocabulary.kinds)
            on.note(
                place,
                f'"{word}" is not a kind of item.{guess} For a list, write: each {word} in …',
                "unknown-kind",
                known,
            )
        return None
    if outer is not None:
        path = on.vocabulary.path(outer.word, word) if outer.item else None
        if path is None:
            if outer != ANY:
                on.note(place, f"no {word} inside {outer}{_there_is(on, word, outer.word)}")
            return None
        return -1, path
    current = on.scope.current
    found = (current.slot, on.vocabulary.path(current.kind, word)) if current else (-1, None)
    if found[1] is None:
        there = f" inside a {current.said}{_there_is(on, word, current.kind)}" if current else " here"
        on.note(place, f"no {word}{there}")
        return None
    return found[0], found[1]


def _there_is(on: Checking, word: str, outer: str) -> str:
    """What is meant by a kind that an item does not hold, or what it does hold."""
    kind = on.vocabulary.kinds.get(outer)
    if kind is None:
        return ""
    for name, giver in kind.parts.items():
        if on.vocabulary.path(giver.gives.word, word) is not None:
            return f". Write: each {word} in {outer}.{name}"
    called = next((each for each in kind.holds if word in on.vocabulary.kinds[each].also), None)
    if called is not None:
        return f". It is called: {called}"
    held = [f"each {each}" for each in kind.holds]
    return f". It contains: {listed(held[:8])}" if held else ""


def _names(node: tree.Node) -> Iterator[tree.Name]:
    """The bare words of an expression, in the order of the text."""
    if isinstance(node, tree.Name):
        yield node
    for child in tree.children(node):
        yield from _names(child)


#: Words before brackets that mean the same everywhere.
_SPECIAL = {
    "own-file": _own_file,
    "open": _open,
    "copy-of": _copy,
    "new-file": _new_file,
    "new-message": _new_message,
}
