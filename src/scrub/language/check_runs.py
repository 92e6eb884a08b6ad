"""Macros that run others: whether the other one fits here, and what it asks."""

from __future__ import annotations

from collections.abc import Callable

from scrub.language import tree
from scrub.language.check_questions import Questions
from scrub.language.program import Program
from scrub.model.host import Question
from scrub.model.problem import MacroProblems, RunsItself, ScrubError, counted, did_you_mean, listed
from scrub.model.types import ANY, SECRET, Type

#: Finds a macro of the library by its full title, checked, for `run "Title"`.
Resolver = Callable[[str], Program]


#: The code of macros that run each other.
CIRCLE = "circle"


class RunsOthers(Questions):
    """Checks `run "Title"`, and adds what the other macro asks and how far it goes."""

    resolve: Resolver | None = None

    def given(self, node: tree.RunValue) -> Type:
        """The type of what another macro gives."""
        self._do_runmacro(node.run)
        inner: Program | None = self.means[node.run].program
        if inner is not None and inner.gives is None:
            self.note(node.place, f'"{inner.title}" returns nothing. Add this line to it: give …')
        return (inner.gives if inner is not None else None) or ANY

    def _do_runmacro(self, node: tree.RunMacro) -> None:
        given = {argument.name or "": self.type(argument.value) for argument in node.arguments}
        if self.resolve is None:
            self.note(node.place, "no library here to find the macro in")
            return
        try:
            inner = self.resolve(node.title)
        except MacroProblems as problems:
            circle = next((each for each in problems.problems if each.code == CIRCLE), None)
            if circle is not None:  # told in each macro of it, since none of them has the mistake alone
                self.note(node.place, circle.message, CIRCLE)
                return
            what = f"has {counted(len(problems.problems), 'error')}. Details: scrub check"
            self.note(node.place, f'"{node.title}" {what} "{node.title}"')
            return
        except ScrubError as problem:
            self.note(node.place, str(problem), CIRCLE if isinstance(problem, RunsItself) else "meaning")
            return
        self.means[node].program = inner.on(self.scope.current.kind if self.scope.current else "")
        self.program.inner.append(inner)
        for does, reach in inner.does.items():
            self.reaches(reach, does)
        self._runs_here(node, inner)
        questions = {question.name: question for question in inner.questions}
        for argument in node.arguments:
            question = questions.get(argument.name or "")
            if question is None:
                tail = did_you_mean(argument.name or "", questions)
                self.note(argument.place, f'"{inner.title}" does not ask for "{argument.name}".{tail}')
            elif question.secret != (given[question.name] == SECRET):
                self.note(argument.place, f'"{question.name}": only a secret can answer a question for a secret')
        self.means[node].asked = tuple(
            (inner_slot, self._asked_for(question, node))
            for question, inner_slot in zip(inner.questions, inner.question_slots, strict=True)
            if question.name not in given
        )

    def _runs_here(self, node: tree.RunMacro, inner: Program) -> None:
        kinds = inner.macro.runs_on
        if "nothing" in kinds:
            return
        current = self.scope.current
        if inner.macro.for_all:
            self.note(node.place, f'"{inner.title}" runs on all files at once, so another macro cannot run it')
        elif current is None or current.kind not in kinds:
            here = f"the current item is a {current.kind}" if current else "no current item here"
            self.note(node.place, f'"{inner.title}" runs on a {listed(kinds, "or")}, and {here}')
        else:
            self.means[node].base = current.slot

    def _asked_for(self, question: Question, node: tree.RunMacro) -> int:
        """The slot of the answer to another macro's question, which is asked at the start with our own."""
        for known, slot in zip(self.program.questions, self.program.question_slots, strict=True):
            if known.name == question.name:
                if (known.type, known.secret) != (question.type, question.secret):
                    self.note(
                        node.place,
                        (
                            f'"{question.name}" is {known.type} here and {question.type} there. Answer it in this '
                            "line: "
                            f"{question.name}: …"
                        ),
                    )
                return slot
        self.program.questions.append(question)
        self.program.question_slots.append(self.scope.new_slot())
        return self.program.question_slots[-1]
