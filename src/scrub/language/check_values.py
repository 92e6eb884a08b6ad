"""What the words of an expression mean: names, items, fields, operations, and the type of every value."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from scrub.language import tree
from scrub.language.meant import Meant, example_of, no_dot
from scrub.language.tree import Argument, Expression, Place
from scrub.model.patterns import replacement
from scrub.model.problem import Failure, did_you_mean, listed
from scrub.model.types import ANY, DATE, NOTHING, SECRET, TEXT, TIME, ChoiceClass, Type, list_of, unit_missing
from scrub.model.values import heading_key
from scrub.model.vocabulary import Callee, Kind, Parameter

#: Pairs change, and lists do not.
PAIRS_STAY = "pairs need a name of their own. Their keys and values are lists: .keys, .values"


class CheckValues(Meant):
    """Gives every expression its meaning and type; notes a problem for each that has none."""

    _printing = False

    @contextmanager
    def printing(self, allowed: bool) -> Iterator[None]:
        """Allows holes for page numbers inside the block."""
        before, self._printing = self._printing, allowed
        try:
            yield
        finally:
            self._printing = before

    def type(self, node: Expression) -> Type:
        """The type of an expression."""
        found: Type = getattr(self, f"_{type(node).__name__.lower()}")(node)
        return found

    def value(
        self, node: Expression, wanted: Type, what: str, choice: ChoiceClass | None = None, example: str = ""
    ) -> Type:
        """Checks an expression that must fit `wanted`; `what` names the place for a problem, `example` ends it."""
        if choice is not None and self._choice_word(node, wanted, choice):
            return wanted
        if choice is not None and wanted.of is not None and isinstance(node, tree.ListOf):
            for item in node.items:
                self.value(item, wanted.of, what, choice)
            return wanted
        found = self.type(node)
        if wanted.choices or (wanted.of is not None and wanted.of.choices):
            if found not in (ANY, NOTHING, wanted):  # such a field of another item is one of the words
                self.note(node.place, f"{what} is {wanted}", "wrong-type")
        elif not found.fits(wanted):
            if wanted == SECRET:
                self.note(
                    node.place,
                    f"{what} must not be in the macro's text. "
                    'Write at the top: code = secret("sheet-code"), and here: code',
                    "secret",
                )
            else:
                unit = unit_missing(wanted, found, getattr(node, "value", None))
                self.note(node.place, f"{what} is {wanted}, not {found}{unit or example}", "wrong-type")
        return found

    def _choice_word(self, node: Expression, wanted: Type, choice: ChoiceClass) -> bool:
        """Where a choice is expected, the choice word wins."""
        if not isinstance(node, tree.Name) or not wanted.choices:
            return False
        if node.word in wanted.choices:
            self.means[node].choice = choice(node.word)
            return True
        if node.word in self.scope.names:
            return False
        guess = did_you_mean(node.word, wanted.choices)
        self.note(
            node.place,
            f'"{node.word}" is not one of: {", ".join(wanted.choices)}.{guess}',
            "unknown-choice",
            (node.word, wanted.choices),
        )
        self.means[node].choice = node.word
        return True

    # -- one method for each kind of expression

    def _bad(self, node: tree.Bad) -> Type:
        return ANY

    def _constant(self, node: tree.Constant) -> Type:
        return node.type

    def _printmark(self, node: tree.PrintMark) -> Type:
        if not self._printing:
            self.note(
                node.place,
                f"{{{node.word}}} is filled in on printing, so it works only in headers and footers",
            )
        return TEXT

    def _moment(self, node: tree.Moment) -> Type:
        return DATE if node.word == "today" else TIME

    def _text(self, node: tree.Text) -> Type:
        for part in node.parts:
            if not isinstance(part, str) and self.type(part) == SECRET:
                self.note(part.place, "a secret cannot be part of text")
        return TEXT

    def _listof(self, node: tree.ListOf) -> Type:
        types = [self.type(item) for item in node.items]
        for item, found in zip(node.items, types, strict=True):
            if found.word == "pairs":
                self.note(item.place, PAIRS_STAY)
        known = {each for each in types if each not in (ANY, NOTHING)}
        return list_of(known.pop() if len(known) == 1 else ANY)

    def _name(self, node: tree.Name) -> Type:
        means = self.means[node]
        item = self.scope.item(node.word)
        if item is not None:
            means.slot = item.slot
            return self.vocabulary.kinds[item.kind].type
        implied = self.scope.implied(node.word, self.vocabulary)
        if implied is not None:
            means.slot, means.implied = implied[0].slot, implied[1]
            return self.vocabulary.kinds[node.word].type
        if node.word == "selection":
            slot, kind = self.selection()
            if slot:
                means.slot = slot
                return self.vocabulary.kinds[kind].type
        self.read.add(node.word)
        name = self.scope.names.get(node.word)
        if name is not None:
            means.slot = name.slot
            means.plain = not name.type.item and name.type != ANY  # certainly no item, which could have been deleted
            if node.word not in self.scope.assigned:
                self.note(
                    node.place,
                    f'"{node.word}" may have no value yet when this line runs. Give it one above: {node.word} = …',
                )
                self.scope.assigned.add(node.word)
            return name.type
        known = [*self.scope.names, *(item.word for item in self.scope.items)]
        self.note(node.place, self.unknown_name(node.word), "unknown-name", (node.word, known))
        return ANY

    def _dot(self, node: tree.Dot) -> Type:
        target = self.type(node.target)
        if target.item:
            return self._of_item(node, self.vocabulary.kinds[target.word])
        if node.quoted:
            if target != ANY:
                self.note(node.place, f'{target} has no field "{node.word}"')
            return ANY
        if target in (ANY, NOTHING):
            self._loose_arguments(node)
            words = {word for _, word in self.vocabulary.operations}
            words |= {word for kind in self.vocabulary.kinds.values() for word in kind.fields}
            self.means[node].heading = heading_key(node.word)
            # The problem of a target that is not known is told already.
            unknown = isinstance(node.target, tree.Name) and self.means[node.target].slot < 0
            if target == ANY and not unknown and node.word not in words:
                tail = no_dot(node.word) or did_you_mean(node.word, words)
                self.note(
                    node.place,
                    f'no operation "{node.word}".{tail}',
                    "unknown-operation",
                    (node.word, words),
                )
            return ANY
        operation = self.vocabulary.operation(target.word, node.word)
        if operation is None:
            words = set(self.vocabulary.operation_words(target.word))
            tail = no_dot(node.word) or did_you_mean(node.word, words) or self.everyday(node.word, target.word)
            self.note(
                node.place, f'{target} has no operation "{node.word}".{tail}', "unknown-operation", (node.word, words)
            )
            for argument in node.arguments or ():
                self.type(argument.value)
            return ANY
        self.means[node].bound = self.arguments(operation, node.arguments or (), node.place, f".{node.word}")
        if node.word == "as-text" and target in (DATE, TIME):
            self._date_form(node)
        if target.word == "list":
            if operation.gives.word == "list" and operation.gives.of == ANY:
                return target
            if operation.gives == ANY and node.word in ("first", "last", "smallest", "largest"):
                return target.of or ANY
        return operation.gives

    def _date_form(self, node: tree.Dot) -> None:
        """A form of a date that is written out is looked at before the macro runs."""
        from scrub.model.operations.dates import form_problem

        for argument in node.arguments or ():
            if isinstance(argument.value, tree.Constant) and isinstance(argument.value.value, str):
                wrong = form_problem(argument.value.value)
                if wrong:
                    self.note(argument.value.place, wrong)

    def _loose_arguments(self, node: tree.Dot) -> None:
        """The arguments of an operation on a value whose type is not known before the macro runs."""
        candidates = [each for (_, word), each in self.vocabulary.operations.items() if word == node.word]
        for place, argument in enumerate(node.arguments or ()):
            named = [
                parameter
                for each in candidates
                for number, parameter in enumerate(each.parameters)
                if (argument.name is None and number == 0) or parameter.word == argument.name
            ]
            if candidates and not named:
                taken = sorted({parameter.word for each in candidates for parameter in each.parameters})
                what = f'no "{argument.name}"' if argument.name else "no value"
                tail = (
                    f" Arguments: {listed(taken)}" if taken and place == 0 else did_you_mean(argument.name or "", taken)
                )
                self.note(argument.place, f'".{node.word}" takes {what}.{tail}')
            word = argument.value.word if isinstance(argument.value, tree.Name) else ""
            choice = next((each.choice for each in named if each.choice and word in list(each.choice)), None)
            if choice is not None and isinstance(argument.value, tree.Name):
                self.means[argument.value].choice = choice(word)  # where a choice is expected, the choice word wins
            else:
                self.type(argument.value)

    def _of_item(self, node: tree.Dot, kind: Kind) -> Type:
        """What follows a dot after an item: a field, a heading, a part, or another item looked up in it."""
        if node.word in kind.parts:
            part = self.means[node].part = kind.parts[node.word]
            self.means[node].bound = self.arguments(part, node.arguments or (), node.place, node.word)
            return part.gives
        if node.arguments is not None and node.word in self.vocabulary.kinds:
            lookup = self.means[node].lookup = tree.Call(node.place, node.word, node.arguments)
            if not self._find(lookup, kind.word):
                self.note(node.place, f"no {node.word} inside {kind.called}")
            return self.vocabulary.kinds[node.word].type
        if kind.cls.open_fields:
            self.means[node].heading = heading_key(node.word)
            if node.arguments is not None:
                self.note(node.place, f'"{node.word}" is a heading and takes no brackets')
            if isinstance(node.target, tree.Name):
                for item in self.scope.items:
                    if item.slot == self.means[node.target].slot:
                        item.headings.add(self.means[node].heading)
            return ANY
        return self._field(node, kind)

    def selection(self) -> tuple[int, str]:
        """The slot of what the person picked with `--at`, and its kind; 0 where nothing can be picked."""
        return 0, ""

    def _field(self, node: tree.Dot, kind: Kind) -> Type:
        field = kind.fields.get(node.word)
        if field is None:
            self.note(node.place, self.no_field(kind, node.word), "unknown-field", (node.word, kind.fields))
            return ANY
        if node.arguments is not None:
            self.note(node.place, f'"{node.word}" is a field and takes no brackets')
        return field.type

    def arguments(self, callee: Callee, arguments: tuple[Argument, ...], place: Place, written: str) -> tuple[str, ...]:
        """Checks the arguments of an action or operation; gives the Python name of each, in their order."""
        if callee.open:
            return self.under_headings(arguments, place, written)
        parameters = {parameter.word: parameter for parameter in callee.parameters}
        bound: list[str] = []
        for argument in arguments:
            parameter = self._parameter(argument, callee.parameters, parameters, written)
            if parameter is None:
                self.unplaced(argument)
            elif parameter.python in bound:
                self.note(argument.place, f'"{parameter.word}" is given twice')
            else:
                bound.append(parameter.python)
                if argument.exactly and "exactly" not in parameters:
                    self.note(argument.place, f'"{written}" has no "exactly"')
                what, example = f'"{parameter.word}"', example_of(callee)
                given = self.value(argument.value, parameter.type, what, parameter.choice, example)
                if given.word == "pairs":
                    self.note(argument.place, PAIRS_STAY)
                if parameter.reads:
                    self._reads(argument.value, given)
                if parameter.new and isinstance(argument.value, tree.Name):
                    self._ask_twice(argument.value.word)
        given_now = dict(zip(bound, arguments, strict=False)) if len(bound) == len(arguments) else {}
        if "pattern" in given_now:
            self._pattern_given(given_now["pattern"], given_now.get("by"))
        missing = [each.word for each in callee.parameters if each.required and each.python not in bound]
        if missing and len(bound) == len(arguments):
            self.note(place, f"{listed(missing)} is missing{example_of(callee)}", "missing-argument")
        return tuple(bound)

    def _reads(self, node: Expression, given: Type) -> None:
        """Notes that a file is read whose path the macro names. A file of the macro's own is part of what is read and
        approved; one that the person names in an answer is theirs.
        """
        if given not in (TEXT, ANY) or (isinstance(node, tree.Call) and node.word == "own-file"):
            return
        name = node.word if isinstance(node, tree.Name) else ""
        if any(question.name == name and question.default is None for question in self.program.questions):
            return
        from scrub.model.declare import Reach

        path = node.value if isinstance(node, tree.Constant) else None
        self.reaches(Reach.FILES, f'reads the file "{path}"' if path else "reads other files")

    def _pattern_given(self, pattern: Argument, by: Argument | None) -> None:
        """A pattern written out is looked at now, and what is put in place of what it finds."""
        compiled = self.compiled(pattern.value)
        if compiled is None or by is None:
            return
        if isinstance(by.value, tree.Constant) and isinstance(by.value.value, str):
            try:
                replacement(compiled, by.value.value)
            except Failure as failure:
                self.note(by.value.place, failure.what)

    def _ask_twice(self, word: str) -> None:
        """Notes that a password is set to what is asked here."""
        questions = self.program.questions
        for place, question in enumerate(questions):
            if question.name == word and question.secret:
                questions[place] = question._replace(twice=True)

    def unplaced(self, argument: Argument) -> None:
        """Checks the value of an argument that has no place; its bare words may well be choice words."""
        if not isinstance(argument.value, tree.Name | tree.ListOf):
            self.type(argument.value)

    def _parameter(
        self, argument: Argument, order: tuple[Parameter, ...], by_word: dict[str, Parameter], written: str
    ) -> Parameter | None:
        if argument.name is None:
            if order:
                return order[0]
            self.note(argument.place, f'"{written}" takes no value')
            return None
        found = by_word.get(argument.name)
        if found is None:
            guess = did_you_mean(argument.name, by_word)
            if by_word and not guess:
                guess = f" Arguments: {listed(by_word)}"
            self.note(
                argument.place,
                f'"{written}" takes no "{argument.name}".{guess}',
                "unknown-argument",
                (argument.name, by_word),
            )
        return found
