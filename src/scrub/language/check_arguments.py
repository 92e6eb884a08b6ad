"""Whether a value fits where it is written: what a field takes, and the arguments of actions and operations."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.check_operators import compiled_pattern
from scrub.language.checking import Checking
from scrub.language.meant import example_of
from scrub.language.scope import ItemOf
from scrub.language.tree import Argument, Expression, Place
from scrub.model.core.patterns import replacement
from scrub.model.core.problem import Failure, did_you_mean, listed
from scrub.model.core.types import ANY, NOTHING, SECRET, TEXT, ChoiceClass, Type, unit_missing
from scrub.model.vocabulary import Action, Callee, Parameter

#: Pairs change, and lists do not.
PAIRS_STAY = "pairs need a name of their own. Their keys and values are lists: .keys, .values"


def under_headings(on: Checking, arguments: tuple[Argument, ...], place: Place, written: str) -> tuple[str, ...]:
    """`record(item: "flour")`, `add-record item: "flour"`: any heading can be a name."""
    finding = written in on.vocabulary.kinds
    example = f'{written}(item: "flour")' if finding else f'{written} item: "flour"'
    what = "the heading to look under" if finding else "the heading for the value"
    names: list[str] = []
    for argument in arguments:
        on.type(argument.value)
        if argument.name is None:
            on.note(argument.place, f"write {what}: {example}")
        elif argument.name in names:
            on.note(argument.place, f'"{argument.name}" is given twice')
        names.append(argument.name or "")
    if not arguments:
        on.note(place, f"write {'the value to look for' if finding else 'the value to write'}: {example}")
    return tuple(names)


def check_value(
    on: Checking, node: Expression, wanted: Type, what: str, choice: ChoiceClass | None = None, example: str = ""
) -> Type:
    """Checks an expression that must fit `wanted`; `what` names the place for a problem, `example` ends it."""
    if choice is not None and _choice_word(on, node, wanted, choice):
        return wanted
    if choice is not None and wanted.of is not None and isinstance(node, tree.ListOf):
        for item in node.items:
            check_value(on, item, wanted.of, what, choice)
        return wanted
    result = on.type(node)
    if wanted.choices or (wanted.of is not None and wanted.of.choices):
        if result not in (ANY, NOTHING, wanted):  # such a field of another item is one of the words
            on.note(node.place, f"{what} is {wanted}", "wrong-type")
    elif not result.fits(wanted):
        if wanted == SECRET:
            on.note(
                node.place,
                f"{what} must not be in the macro's text. "
                'Write at the top: code = secret("sheet-code"), and here: code',
                "secret",
            )
        else:
            unit = unit_missing(wanted, result, getattr(node, "value", None))
            on.note(node.place, f"{what} is {wanted}, not {result}{unit or example}", "wrong-type")
    return result


def _choice_word(on: Checking, node: Expression, wanted: Type, choice: ChoiceClass) -> bool:
    """Where a choice is expected, the choice word wins."""
    if not isinstance(node, tree.Name) or not wanted.choices:
        return False
    if node.word in wanted.choices:
        on.means[node].choice = choice(node.word)
        return True
    if node.word in on.scope.names:
        return False
    guess = did_you_mean(node.word, wanted.choices)
    on.note(
        node.place,
        f'"{node.word}" is not one of: {", ".join(wanted.choices)}.{guess}',
        "unknown-choice",
        (node.word, wanted.choices),
    )
    on.means[node].choice = node.word
    return True


def check_arguments(
    on: Checking, callee: Callee, arguments: tuple[Argument, ...], place: Place, written: str
) -> tuple[str, ...]:
    """Checks the arguments of an action or operation; gives the Python name of each, in their order."""
    if callee.open:
        return under_headings(on, arguments, place, written)
    parameters = {parameter.word: parameter for parameter in callee.parameters}
    bound: list[str] = []
    for argument in arguments:
        parameter = _parameter(on, argument, callee.parameters, parameters, written)
        if parameter is None:
            check_unplaced(on, argument)
        elif parameter.python in bound:
            on.note(argument.place, f'"{parameter.word}" is given twice')
        else:
            bound.append(parameter.python)
            if argument.exactly and "exactly" not in parameters:
                on.note(argument.place, f'"{written}" has no "exactly"')
            what, example = f'"{parameter.word}"', example_of(callee)
            given = check_value(on, argument.value, parameter.type, what, parameter.choice, example)
            if given.word == "pairs":
                on.note(argument.place, PAIRS_STAY)
            if parameter.reads:
                _reads(on, argument.value, given)
            if parameter.new and isinstance(argument.value, tree.Name):
                _ask_twice(on, argument.value.word)
    given_now = dict(zip(bound, arguments, strict=False)) if len(bound) == len(arguments) else {}
    if "pattern" in given_now:
        _pattern_given(on, given_now["pattern"], given_now.get("by"))
    missing = [each.word for each in callee.parameters if each.required and each.python not in bound]
    if missing and len(bound) == len(arguments):
        on.note(place, f"{listed(missing)} is missing{example_of(callee)}", "missing-argument")
    return tuple(bound)


def check_action(on: Checking, node: tree.Call | tree.Do, current: ItemOf, action: Action) -> None:
    """Checks an action of the current item, and notes that the macro does it."""
    means = on.means[node]
    means.base, means.action = current.slot, action
    on.reaches(action.reach, action.does)
    on.program.uses.append((current.kind, action.word, node.place.line))
    means.bound = check_arguments(on, action, node.arguments, node.place, node.word)


def _reads(on: Checking, node: Expression, given: Type) -> None:
    """Notes that a file is read whose path the macro names. A file of the macro's own is part of what is read and
    approved; one that the person names in an answer is theirs.
    """
    if given not in (TEXT, ANY) or (isinstance(node, tree.Call) and node.word == "own-file"):
        return
    name = node.word if isinstance(node, tree.Name) else ""
    if any(question.name == name and question.default is None for question in on.program.questions):
        return
    from scrub.model.core.declare import Reach

    path = node.value if isinstance(node, tree.Constant) else None
    on.reaches(Reach.FILES, f'reads the file "{path}"' if path else "reads other files")


def _pattern_given(on: Checking, pattern: Argument, by: Argument | None) -> None:
    """A pattern written out is looked at now, and what is put in place of what it finds."""
    compiled = compiled_pattern(on, pattern.value)
    if compiled is None or by is None:
        return
    if isinstance(by.value, tree.Constant) and isinstance(by.value.value, str):
        try:
            replacement(compiled, by.value.value)
        except Failure as failure:
            on.note(by.value.place, failure.what)


def _ask_twice(on: Checking, word: str) -> None:
    """Notes that a password is set to what is asked here."""
    questions = on.program.questions
    for place, question in enumerate(questions):
        if question.name == word and question.secret:
            questions[place] = question._replace(twice=True)


def check_unplaced(on: Checking, argument: Argument) -> None:
    """Checks the value of an argument that has no place; its bare words may well be choice words."""
    if not isinstance(argument.value, tree.Name | tree.ListOf):
        on.type(argument.value)


def _parameter(
    on: Checking, argument: Argument, order: tuple[Parameter, ...], by_word: dict[str, Parameter], written: str
) -> Parameter | None:
    if argument.name is None:
        if order:
            return order[0]
        on.note(argument.place, f'"{written}" takes no value')
        return None
    parameter = by_word.get(argument.name)
    if parameter is None:
        guess = did_you_mean(argument.name, by_word)
        if by_word and not guess:
            guess = f" Arguments: {listed(by_word)}"
        on.note(
            argument.place,
            f'"{written}" takes no "{argument.name}".{guess}',
            "unknown-argument",
            (argument.name, by_word),
        )
    return parameter
