"""How items are found, counted, opened and made: the way to them is worked out when a macro is checked."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from scrub.language import advice, tree
from scrub.language.check_operators import Operators
from scrub.language.program import Program
from scrub.language.scope import LATER_KINDS, Scope
from scrub.language.source import source_of
from scrub.language.tree import Argument, Expression, Place
from scrub.model.files import IfExists
from scrub.model.problem import Problem, did_you_mean, listed, nearest
from scrub.model.types import ADDRESS, ANY, NOTHING, NUMBER, SECRET, TEXT, YES_NO, ChoiceClass, Type, list_of, type_of
from scrub.model.values import fold
from scrub.model.vocabulary import Callee, Vocabulary

#: Words before brackets that make a file or a message.
_MAKING = ("copy-of", "new-file", "new-message")


class Lookups(Operators):
    """Gives calls and counts their meaning; what reads all other expressions builds on it."""

    def __init__(self, program: Program, vocabulary: Vocabulary, problems: list[Problem]) -> None:
        self.program = program
        self.vocabulary = vocabulary
        self.problems = problems
        self.means = program.means
        self.scope = Scope()
        self.own_files: Mapping[str, str] = {}
        self.read: set[str] = set()  # the names whose value is asked for

    def reaches(self, reach: int, does: str) -> None:
        """Notes how far the macro goes, and what it does there."""
        self.program.reach = max(self.program.reach, reach)
        self.program.does[does] = max(reach, self.program.does.get(does, 0))

    def note(
        self, place: Place, message: str, code: str = "meaning", near: tuple[str, Iterable[str]] | None = None
    ) -> None:
        """Notes a problem. `near` is a word that is not known, and those that are: the nearest can take its place."""
        self.problems.append(Problem(message, *place, code, nearest(*near) if near is not None else None))

    def value(self, node: Expression, wanted: Type, what: str, choice: ChoiceClass | None = None) -> Type:
        """Checks an expression that must fit `wanted`."""
        raise NotImplementedError

    def arguments(self, callee: Callee, arguments: tuple[Argument, ...], place: Place, written: str) -> tuple[str, ...]:
        """Checks the arguments of an action or operation; gives the Python name of each."""
        raise NotImplementedError

    def _call(self, node: tree.Call) -> Type:
        if node.word in self.vocabulary.kinds:
            return self._lookup(node)
        if node.word == "pairs":
            return self._pairs(node)
        if node.word in self.scope.names and self.scope.names[node.word].type.word in ("pairs", "anything"):
            return self.of_key(node)
        if node.word == "own-file":
            return self._own_file(node)
        if node.word == "open":
            return self._open(node)
        if node.word == "copy-of":
            return self._copy(node)
        if node.word == "new-file":
            return self._new_file(node)
        if node.word == "new-message":
            return self._new_message(node)
        current = self.scope.current
        action = self.vocabulary.kinds[current.kind].actions.get(node.word) if current else None
        if current is not None and action is not None and action.gives.item:
            self.means[node].base, self.means[node].action = current.slot, action
            self.reaches(action.reach, action.does)
            self.program.uses.append((current.kind, action.word, node.place.line))
            self.means[node].bound = self.arguments(action, node.arguments, node.place, node.word)
            return action.gives
        if node.word in ("ask", "secret"):
            self.note(
                node.place,
                f"put questions at the top of the body, each on its own line: name = {node.word}(…)",
            )
            return ANY
        for argument in node.arguments:
            self.type(argument.value)
        if node.word in LATER_KINDS:
            self.note(node.place, f'"{node.word}(…)" cannot be used yet')
        elif advice.of_call(node.word):
            self.note(node.place, advice.of_call(node.word))
        elif node.word in {word for _, word in self.vocabulary.operations}:
            self.note(node.place, f"an operation follows its value after a dot: value.{node.word}")
        elif any(node.word in kind.actions for kind in self.vocabulary.kinds.values()):
            self.note(node.place, self._not_given(node.word))
        else:
            guess = did_you_mean(
                node.word, [*self.vocabulary.kinds, "count", "ask", "secret", "own-file", "open", *_MAKING]
            )
            self.note(node.place, f'"{node.word}(…)" is unknown.{guess}')
        return ANY

    def _pairs(self, node: tree.Call) -> Type:
        """`pairs(otherwise: 0)`: a value for each key, and what a key has that got none."""
        found = [self.type(argument.value) for argument in node.arguments]
        if [argument.name for argument in node.arguments] not in ([], ["otherwise"]):
            self.note(node.place, "write: pairs(), or with a default value: pairs(otherwise: 0)")
        return Type("pairs", found[0] if found and found[0] not in (NOTHING, list_of(ANY)) else ANY)

    def of_key(self, node: tree.Call) -> Type:
        """`nights(record.hut)`: the value of a key."""
        name = self.scope.names[node.word]
        self.read.add(node.word)
        self.means[node].pairs, self.means[node].slot = True, name.slot
        if len(node.arguments) != 1 or node.arguments[0].name is not None or node.arguments[0].exactly:
            self.note(node.place, f'write one key in the brackets: {node.word}("…")')
        for argument in node.arguments:
            if self.type(argument.value) == SECRET:
                self.note(argument.place, "a secret cannot be a key")
        return name.type.of or ANY

    def _gather(self, node: tree.Gather) -> Type:
        """`sum(record.nights where record.paid)`: a value of each item of the kind that is named first."""
        word = next((each.word for each in _names(node.value) if each.word in self.vocabulary.kinds), "")
        if not word:
            self._gather_nothing(node)
            return ANY
        found = self.items_inside(word, node.inside, node.place)
        means = self.means[node]
        if found is not None:
            means.base, means.path = found
        with self.scope.entered(word, word) as item:
            means.slot, means.headings = item.slot, item.headings
            if node.where is not None:
                self.condition(node.where)
            value = self.type(node.value)
        if value == SECRET:
            self.note(node.value.place, "a secret cannot be in a list")
        if node.operation == "list":
            return list_of(value)
        if value.item or value in (TEXT, YES_NO, ADDRESS) or value.word == "list":
            wanted = "numbers or dates" if node.operation in ("smallest", "largest") else "numbers"
            if not (value == TEXT and node.operation in ("smallest", "largest")):
                self.note(
                    node.value.place,
                    f'"{node.operation}" needs {wanted}; this is {value}{self.instead(value, of=(NUMBER, ANY))}',
                    "wrong-type",
                )
        return value

    def _gather_nothing(self, node: tree.Gather) -> None:
        value = self.type(node.value)
        if node.inside is not None:
            self.type(node.inside)
        if isinstance(node.value, tree.Name) and node.value.word in LATER_KINDS:
            self.note(node.place, f'"{node.value.word}" cannot be visited yet')
        elif value.word in ("list", "anything") and node.operation != "list":
            self.note(
                node.place, f"an operation of a list follows it after a dot: {source_of(node.value)}.{node.operation}"
            )
        else:
            self.note(node.place, f"name the value of each item: {node.operation}(record.nights where record.paid)")

    def _own_file(self, node: tree.Call) -> Type:
        """`own-file("stamp.png")`: the path of a file that belongs to the macro."""
        value = node.arguments[0].value if len(node.arguments) == 1 else None
        if not isinstance(value, tree.Constant) or not isinstance(value.value, str):
            self.note(node.place, 'write the name of a file next to the macro: own-file("stamp.png")')
            return TEXT
        files = {fold(name): path for name, path in self.own_files.items()}
        if fold(value.value) not in files:
            there = f"There are: {', '.join(self.own_files)}" if self.own_files else "Add it: scrub add … --file FILE"
            tail = did_you_mean(value.value, self.own_files)
            self.note(value.place, f'no file "{value.value}" belongs to this macro.{tail} {there}')
            return TEXT
        self.means[node].own_file = files[fold(value.value)]
        return TEXT

    def _not_given(self, word: str) -> str:
        for kind in self.vocabulary.kinds.values():
            if word in kind.actions and kind.actions[word].gives.item:
                return f'"{word}" is an action of {kind.called}, which is not the current item here'
        return f'"{word}" returns nothing. Write it alone at the start of a line'

    def _open(self, node: tree.Call) -> Type:
        """`open("prices.xlsx")`: another file, for reading."""
        from scrub.model.declare import Reach

        self.reaches(Reach.FILES, "reads other files")
        kind = next(iter(self.vocabulary.endings.values()))
        if len(node.arguments) != 1 or node.arguments[0].name is not None:
            self.note(node.place, 'write the path of the file in the brackets: open("prices.xlsx")')
            return self.vocabulary.kinds[kind].type
        return self._opened(node.arguments[0].value, kind)

    def _copy(self, node: tree.Call) -> Type:
        """`copy-of("letter.docx", name: "Letter {record.guest}")`: a new file as an item that can be changed."""
        from scrub.model.declare import Reach

        self.reaches(Reach.FILES, "creates files from other files")
        kind = next(iter(self.vocabulary.endings.values()))
        names = [argument.name for argument in node.arguments]
        if len(names) not in (2, 3) or names[0] is not None or "name" not in names or set(names) - {None, "name", "to"}:
            self.note(
                node.place, 'write: copy-of("letter.docx", name: "Letter {record.guest}"), and a folder with to: "…"'
            )
            return self.vocabulary.kinds[kind].type
        for argument in node.arguments[1:]:
            self.value(argument.value, TEXT, f'"{argument.name}"')
        return self._opened(node.arguments[0].value, kind)

    def _new_file(self, node: tree.Call) -> Type:
        """`new-file("late.xlsx")`: an empty file as an item that can be filled; its format is that of its ending."""
        from scrub.model.declare import Reach

        self.reaches(Reach.FILES, "creates new files")
        kind = next(iter(self.vocabulary.endings.values()))
        names = [argument.name for argument in node.arguments]
        if names[:1] != [None] or len(set(names)) < len(names) or set(names[1:]) - {"to", "if-exists"}:
            self.note(node.place, 'write: new-file("late.csv"), with to: "folder" or if-exists: replace')
            return self.vocabulary.kinds[kind].type
        for argument in node.arguments[1:]:
            if argument.name == "to":
                self.value(argument.value, TEXT, '"to"')
            else:
                self.value(argument.value, type_of(IfExists), '"if-exists"', IfExists)
                if isinstance(argument.value, tree.Name) and argument.value.word == IfExists.REPLACE:
                    self.reaches(Reach.FILES, "replaces files")
        return self._opened(node.arguments[0].value, kind)

    def _new_message(self, node: tree.Call) -> Type:
        """`new-message(to: record.address, subject: "…", text: "…")`: a draft."""
        from scrub.model.declare import Reach

        self.reaches(Reach.FILES, "writes drafts of messages")
        wanted = {"to": list_of(ADDRESS), "subject": TEXT, "text": TEXT}
        given = {argument.name or "": argument.value for argument in node.arguments}
        if set(given) != set(wanted) or len(node.arguments) != len(wanted):
            self.note(node.place, 'write: new-message(to: "ann@moss.example", subject: "…", text: "…")')
        for word, value in given.items():
            self.value(value, wanted.get(word, ANY), f'"{word}"')
        return self.vocabulary.kinds["message"].type

    def _opened(self, value: Expression, kind: str) -> Type:
        """The kind of a file by the ending of its path."""
        self.value(value, TEXT, "the path of a file")
        parts = value.parts if isinstance(value, tree.Text) else (getattr(value, "value", ""),)
        last = parts[-1] if parts and isinstance(parts[-1], str) else ""
        dot, ending = last.rpartition(".")[1:]
        if dot and "/" not in ending:
            found = self.vocabulary.endings.get(f".{ending.lower()}", "")
            if not found:
                there = ", ".join(self.vocabulary.endings)
                self.note(value.place, f'a macro cannot open ".{ending}" files. It can open: {there}')
            kind = found or kind
        return self.vocabulary.kinds[kind].type

    def _lookup(self, node: tree.Call) -> Type:
        for item in reversed(self.scope.items):
            if self._find(node, item.kind):
                self.means[node].base = item.slot
                return self.vocabulary.kinds[node.word].type
        for argument in node.arguments:
            self.type(argument.value)
        self.note(node.place, f"no {node.word} to look up here")
        return self.vocabulary.kinds[node.word].type

    def _find(self, node: tree.Call, outer: str) -> bool:
        """How to look an item up inside one of kind `outer`; False when there is no way."""
        found = self.vocabulary.finder(outer, node.word)
        if found is not None:
            self.means[node].path, finder = found
            self.means[node].finder = finder
            self.means[node].bound = self.arguments(finder, node.arguments, node.place, node.word)
            return True
        path = self.vocabulary.path(outer, node.word)
        if path is None:
            return False
        self.means[node].path = path
        if len(node.arguments) != 1 or node.arguments[0].name is not None:
            self.note(node.place, f'write the name of the {node.word} in the brackets: {node.word}("…")')
        else:
            self.value(node.arguments[0].value, TEXT, f"the name of a {node.word}")
        return True

    def under_headings(self, arguments: tuple[Argument, ...], place: Place, written: str) -> tuple[str, ...]:
        """`record(item: "flour")`, `add-record item: "flour"`: any heading can be a name."""
        finding = written in self.vocabulary.kinds
        example = f'{written}(item: "flour")' if finding else f'{written} item: "flour"'
        what = "the heading to look under" if finding else "the heading for the value"
        names: list[str] = []
        for argument in arguments:
            self.type(argument.value)
            if argument.name is None:
                self.note(argument.place, f"write {what}: {example}")
            elif argument.name in names:
                self.note(argument.place, f'"{argument.name}" is given twice')
            names.append(argument.name or "")
        if not arguments:
            self.note(place, f"write {'the value to look for' if finding else 'the value to write'}: {example}")
        return tuple(names)

    def _count(self, node: tree.Count) -> Type:
        found = self.items_inside(node.word, node.inside, node.place)
        if found is None:
            if node.where is not None:
                self.note(node.place, f'"{node.word}" is not a kind of item')
            return NUMBER
        self.means[node].base, self.means[node].path = found
        with self.scope.entered(node.word, node.word) as item:
            self.means[node].slot = item.slot
            if node.where is not None:
                self.condition(node.where)
        return NUMBER

    def items_inside(self, word: str, inside: Expression | None, place: Place) -> tuple[int, tuple[str, ...]] | None:
        """The way from the current item (or `inside`) to the items of a kind; None after noting a problem."""
        outer = self.type(inside) if inside is not None else None
        if word not in self.vocabulary.kinds:
            if word in LATER_KINDS:
                self.note(place, f'"{word}" cannot be visited yet')
            else:
                guess = advice.of_kind(word, self.vocabulary.kinds) or did_you_mean(word, self.vocabulary.kinds)
                known = (word, self.vocabulary.kinds)
                self.note(
                    place,
                    f'"{word}" is not a kind of item.{guess} For a list, write: each {word} in …',
                    "unknown-kind",
                    known,
                )
            return None
        if outer is not None:
            path = self.vocabulary.path(outer.word, word) if outer.item else None
            if path is None:
                if outer != ANY:
                    self.note(place, f"no {word} inside {outer}{self._there_is(word, outer.word)}")
                return None
            return -1, path
        current = self.scope.current
        found = (current.slot, self.vocabulary.path(current.kind, word)) if current else (-1, None)
        if found[1] is None:
            there = f" inside a {current.said}{self._there_is(word, current.kind)}" if current else " here"
            self.note(place, f"no {word}{there}")
            return None
        return found[0], found[1]

    def _there_is(self, word: str, outer: str) -> str:
        """What is meant by a kind that an item does not hold, or what it does hold."""
        kind = self.vocabulary.kinds.get(outer)
        if kind is None:
            return ""
        for name, giver in kind.parts.items():
            if self.vocabulary.path(giver.gives.word, word) is not None:
                return f". Write: each {word} in {outer}.{name}"
        called = next((each for each in kind.holds if word in self.vocabulary.kinds[each].also), None)
        if called is not None:
            return f". It is called: {called}"
        held = [f"each {each}" for each in kind.holds]
        return f". It contains: {listed(held[:8])}" if held else ""


def _names(node: tree.Node) -> Iterator[tree.Name]:
    """The bare words of an expression, in the order of the text."""
    if isinstance(node, tree.Name):
        yield node
    for each in tree.children(node):
        yield from _names(each)
