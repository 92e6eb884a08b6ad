"""Names and questions: what a kept value is, and what a macro asks before it starts."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.check_values import CheckValues
from scrub.language.program import Program
from scrub.language.scope import NameOf
from scrub.language.tree import Argument, Expression
from scrub.model.host import Question
from scrub.model.problem import Problem, did_you_mean
from scrub.model.types import ADDRESS, ANY, DATE, NOTHING, NUMBER, SECRET, TEXT, YES_NO, Type
from scrub.model.vocabulary import Vocabulary

#: What `ask(…, as: …)` takes, and the type of its answer.
ANSWER_TYPES = {
    "text": TEXT, "number": NUMBER, "date": DATE, "yes-no": YES_NO, "colour": TEXT, "address": ADDRESS, "file": TEXT,
    "folder": TEXT,
}  # fmt: skip


class Questions(CheckValues):
    """Keeps the names of one program, and gathers its questions."""

    def __init__(self, found: Program, vocabulary: Vocabulary, problems: list[Problem]) -> None:
        super().__init__(found, vocabulary, problems)
        self.at_top = True  # no statement but `name = value` came yet
        self.looked_up: dict[str, list[Expression]] = {}  # what is looked up under a name
        self.asked_for: set[str] = set()  # the names of which somebody asks whether it is there

    def may_be_missing(self, name: tree.Name) -> bool:
        """Notes that somebody asks whether what was looked up under a name is there; False where nothing was."""
        self.asked_for.add(name.word)
        return name.word in self.looked_up

    def set_name(self, word: str, found: Type, place: tree.Place) -> int:
        """Gives a name a value of this type; gives its slot."""
        known = self.scope.names.get(word)
        if known is None:
            known = NameOf(self.scope.new_slot(), ANY if found == NOTHING else found, place.line)
            self.scope.names[word] = known
        elif not found.fits(known.type):
            self.note(
                place, f'"{word}" is {known.type} since line {known.line} and cannot become {found}. Use another name'
            )
        elif known.type == ANY:
            self.scope.names[word] = known._replace(type=ANY if known.line != place.line else found)
        self.scope.assigned.add(word)
        return known.slot

    def question(self, node: tree.SetName, call: tree.Call) -> Type:
        """Gathers a question; gives the type of its answer."""
        if not self.at_top or len(self.scope.items) > 1:
            self.note(call.place, "put questions at the top of the body, above the first action or block")
        if any(question.name == node.word for question in self.program.questions):
            self.note(node.place, f'"{node.word}" is asked already')
        given: dict[str, Argument] = {argument.name or "": argument for argument in call.arguments}
        prompt = self._fixed(given.pop("", None), call, 'the question is missing: ask("Pass on to")')
        type_ = ANSWER_TYPES["text"]
        type_word = "text"
        choices: tuple[object, ...] = ()
        default: object = None
        secret = call.word == "secret"
        for word, argument in given.items():
            if word == "as" and not secret:
                type_word, type_ = self._answer_type(argument)
            elif word == "from" and not secret:
                values = argument.value.items if isinstance(argument.value, tree.ListOf) else ()
                if not values or not all(isinstance(value, tree.Constant) for value in values):
                    self.note(argument.place, '"from:" needs a list of plain values: ["a", "b"]')
                choices = tuple(value.value for value in values if isinstance(value, tree.Constant))
            elif word == "default" and not secret:
                default = self._fixed(argument, call, "")
                if isinstance(argument.value, tree.Constant) and not argument.value.type.fits(type_):
                    self.note(argument.place, f"the answer is {type_}, but the default is {argument.value.type}")
            else:
                taken = "" if secret else " Its arguments: as, from, default"
                self.note(argument.place, f'"{call.word}" has no argument "{word}".{taken}')
        question = Question(node.word, str(prompt or node.word), type_word, choices, default, secret)
        self.program.questions.append(question)
        self.program.question_slots.append(-1)
        slot = self.set_name(node.word, SECRET if secret else type_, node.place)
        self.program.question_slots[-1] = slot
        return SECRET if secret else type_

    def _fixed(self, argument: Argument | None, call: tree.Call, missing: str) -> object:
        """A value that must be known before the macro starts."""
        if argument is None:
            self.note(call.place, missing)
            return None
        if not isinstance(argument.value, tree.Constant):
            self.note(
                argument.value.place, ("questions are asked before the start, so only plain values are allowed here")
            )
            return None
        return argument.value.value

    def _answer_type(self, argument: Argument) -> tuple[str, Type]:
        word = argument.value.word if isinstance(argument.value, tree.Name) else ""
        if word not in ANSWER_TYPES:
            guess = did_you_mean(word, ANSWER_TYPES)
            self.note(argument.value.place, f"answer types are: {', '.join(ANSWER_TYPES)}.{guess}")
            return "text", ANY
        return word, ANSWER_TYPES[word]
