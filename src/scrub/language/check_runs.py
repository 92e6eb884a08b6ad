"""Macros that run others: whether the other one fits here, and what it asks."""

from __future__ import annotations

from scrub.language import tree
from scrub.language.checking import Checking, states
from scrub.language.program import Program
from scrub.model.core.host import Question
from scrub.model.core.problem import MacroProblems, RunsItself, ScrubError, counted, did_you_mean, listed
from scrub.model.core.types import ANY, SECRET, Type

#: The code of macros that run each other.
CIRCLE = "circle"


def type_given(on: Checking, node: tree.RunValue) -> Type:
    """The type of what another macro gives."""
    _runmacro(on, node.run)
    inner: Program | None = on.means[node.run].program
    if inner is not None and inner.gives is None:
        on.note(node.place, f'"{inner.title}" returns nothing. Add this line to it: give …')
    return (inner.gives if inner is not None else None) or ANY


@states(tree.RunMacro)
def _runmacro(on: Checking, node: tree.RunMacro) -> None:
    given = {argument.name or "": on.type(argument.value) for argument in node.arguments}
    if on.resolve is None:
        on.note(node.place, "no library here to find the macro in")
        return
    try:
        inner = on.resolve(node.title)
    except MacroProblems as problems:
        circle = next((each for each in problems.problems if each.code == CIRCLE), None)
        if circle is not None:  # told in each macro of it, since none of them has the mistake alone
            on.note(node.place, circle.message, CIRCLE)
            return
        what = f"has {counted(len(problems.problems), 'error')}. Details: scrub check"
        on.note(node.place, f'"{node.title}" {what} "{node.title}"')
        return
    except ScrubError as problem:
        on.note(node.place, str(problem), CIRCLE if isinstance(problem, RunsItself) else "meaning")
        return
    on.means[node].program = inner.on(on.scope.current.kind if on.scope.current else "")
    on.program.inner.append(inner)
    for does, reach in inner.does.items():
        on.reaches(reach, does)
    _runs_here(on, node, inner)
    questions = {question.name: question for question in inner.questions}
    for argument in node.arguments:
        question = questions.get(argument.name or "")
        if question is None:
            tail = did_you_mean(argument.name or "", questions)
            on.note(argument.place, f'"{inner.title}" does not ask for "{argument.name}".{tail}')
        elif question.secret != (given[question.name] == SECRET):
            on.note(argument.place, f'"{question.name}": only a secret can answer a question for a secret')
    on.means[node].asked = tuple(
        (inner_slot, _asked_for(on, question, node))
        for question, inner_slot in zip(inner.questions, inner.question_slots, strict=True)
        if question.name not in given
    )


def _runs_here(on: Checking, node: tree.RunMacro, inner: Program) -> None:
    kinds = inner.macro.runs_on
    if "nothing" in kinds:
        return
    current = on.scope.current
    if inner.macro.for_all:
        on.note(node.place, f'"{inner.title}" runs on all files at once, so another macro cannot run it')
    elif current is None or current.kind not in kinds:
        here = f"the current item is a {current.kind}" if current else "no current item here"
        on.note(node.place, f'"{inner.title}" runs on a {listed(kinds, "or")}, and {here}')
    else:
        on.means[node].base = current.slot


def _asked_for(on: Checking, question: Question, node: tree.RunMacro) -> int:
    """The slot of the answer to another macro's question, which is asked at the start with our own."""
    for known, slot in zip(on.program.questions, on.program.question_slots, strict=True):
        if known.name == question.name:
            if (known.type, known.secret) != (question.type, question.secret):
                on.note(
                    node.place,
                    (
                        f'"{question.name}" is {known.type} here and {question.type} there. Answer it in this '
                        "line: "
                        f"{question.name}: …"
                    ),
                )
            return slot
    on.program.questions.append(question)
    on.program.question_slots.append(on.scope.new_slot())
    return on.program.question_slots[-1]
