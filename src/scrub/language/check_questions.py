"""Names and questions: what a kept value is, and what a macro asks before it starts."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.checking import Checking
from scrub.language.scope import NameOf
from scrub.language.tree import Argument
from scrub.model.core.host import Question
from scrub.model.core.problem import did_you_mean
from scrub.model.core.types import ADDRESS, ANY, DATE, NOTHING, NUMBER, SECRET, TEXT, YES_NO, Type

#: What `ask(…, as: …)` takes, and the type of its answer.
ANSWER_TYPES = {
    "text": TEXT, "number": NUMBER, "date": DATE, "yes-no": YES_NO, "colour": TEXT, "address": ADDRESS, "file": TEXT,
    "folder": TEXT,
}  # fmt: skip


def set_name(on: Checking, word: str, found: Type, place: tree.Place) -> int:
    """Gives a name a value of this type; gives its slot."""
    known = on.scope.names.get(word)
    if known is None:
        known = NameOf(on.scope.new_slot(), ANY if found == NOTHING else found, place.line)
        on.scope.names[word] = known
    elif not found.fits(known.type):
        on.note(place, f'"{word}" is {known.type} since line {known.line} and cannot become {found}. Use another name')
    elif known.type == ANY:
        on.scope.names[word] = known._replace(type=ANY if known.line != place.line else found)
    on.scope.assigned.add(word)
    return known.slot


def gather_question(on: Checking, node: tree.SetName, call: tree.Call) -> Type:
    """Gathers a question; gives the type of its answer."""
    if not on.at_top or len(on.scope.items) > 1:
        on.note(call.place, "put questions at the top of the body, above the first action or block")
    if any(question.name == node.word for question in on.program.questions):
        on.note(node.place, f'"{node.word}" is asked already')
    given: dict[str, Argument] = {argument.name or "": argument for argument in call.arguments}
    prompt = _fixed(on, given.pop("", None), call, 'the question is missing: ask("Pass on to")')
    type_ = ANSWER_TYPES["text"]
    type_word = "text"
    choices: tuple[object, ...] = ()
    default: object = None
    secret = call.word == "secret"
    for word, argument in given.items():
        if word == "as" and not secret:
            type_word, type_ = _answer_type(on, argument)
        elif word == "from" and not secret:
            values = argument.value.items if isinstance(argument.value, tree.ListOf) else ()
            if not values or not all(isinstance(value, tree.Constant) for value in values):
                on.note(argument.place, '"from:" needs a list of plain values: ["a", "b"]')
            choices = tuple(value.value for value in values if isinstance(value, tree.Constant))
        elif word == "default" and not secret:
            default = _fixed(on, argument, call, "")
            if isinstance(argument.value, tree.Constant) and not argument.value.type.fits(type_):
                on.note(argument.place, f"the answer is {type_}, but the default is {argument.value.type}")
        else:
            taken = "" if secret else " Its arguments: as, from, default"
            on.note(argument.place, f'"{call.word}" has no argument "{word}".{taken}')
    question = Question(node.word, str(prompt or node.word), type_word, choices, default, secret)
    on.program.questions.append(question)
    on.program.question_slots.append(-1)
    slot = set_name(on, node.word, SECRET if secret else type_, node.place)
    on.program.question_slots[-1] = slot
    return SECRET if secret else type_


def _fixed(on: Checking, argument: Argument | None, call: tree.Call, missing: str) -> object:
    """A value that must be known before the macro starts."""
    if argument is None:
        on.note(call.place, missing)
        return None
    if not isinstance(argument.value, tree.Constant):
        on.note(argument.value.place, ("questions are asked before the start, so only plain values are allowed here"))
        return None
    return argument.value.value


def _answer_type(on: Checking, argument: Argument) -> tuple[str, Type]:
    word = argument.value.word if isinstance(argument.value, tree.Name) else ""
    if word not in ANSWER_TYPES:
        guess = did_you_mean(word, ANSWER_TYPES)
        on.note(argument.value.place, f"answer types are: {', '.join(ANSWER_TYPES)}.{guess}")
        return "text", ANY
    return word, ANSWER_TYPES[word]
