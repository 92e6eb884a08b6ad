"""The answers to a macro's questions: given ahead, or asked once, each turned into its type."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from typing import Any

from scrub.model.host import Host, Question
from scrub.model.operations import as_date, as_number
from scrub.model.problem import BadCall, Failure, did_you_mean, listed
from scrub.model.values import Secret, Value, fold, shown
from scrub.runner.fitting import given

_YES, _NO = frozenset(("yes", "y", "true")), frozenset(("no", "n", "false"))


def variable(prompt: str) -> str:
    """The environment variable that holds a secret: `sheet-code` is `SCRUB_SECRET_SHEET_CODE`."""
    return "SCRUB_SECRET_" + "".join(letter if letter.isalnum() else "_" for letter in prompt).upper()


Stored = Callable[[str], str | None]


def answer_all(
    questions: list[Question], ahead: Mapping[str, Any], host: Host, stored: Stored | None = None
) -> list[Value]:
    """An answer for each question. Raises `BadCall` when one is missing, wrong, or was never asked for."""
    for name in ahead:
        if name not in {question.name for question in questions}:
            asked = listed(question.name for question in questions)
            tail = did_you_mean(name, [question.name for question in questions]) or (
                f" It asks for {asked}." if asked else " It asks for nothing."
            )
            raise BadCall(f'the macro does not ask for "{name}".{tail}')
    return [_answer(question, ahead, host, stored) for question in questions]


def _answer(question: Question, ahead: Mapping[str, Any], host: Host, stored: Stored | None) -> Value:
    if question.secret:
        return _secret(question, ahead, host, stored)
    if question.name in ahead:
        return typed(question, ahead[question.name])
    text = host.ask(question)
    if text is None:
        if question.default is not None:
            return question.default
        raise BadCall(
            f'no answer for "{question.name}" ({question.prompt}), and nobody to ask. Give it: --with {question.name}=…'
        )
    if not text.strip() and question.default is not None:
        return question.default
    return typed(question, text)


def _secret(question: Question, ahead: Mapping[str, Any], host: Host, stored: Stored | None) -> Secret:
    found = ahead.get(question.name)
    name = variable(question.prompt)
    if isinstance(found, Secret):
        return found
    if found is not None:
        raise BadCall(
            f'"{question.name}" is a password, and a password in a command stays in its history. '
            f"Put it into the variable {name}, or leave it out to be asked"
        )
    from_environment = os.environ.get(name)
    if from_environment:
        return Secret(from_environment)
    text = (stored(question.prompt) if stored else None) or host.secret(question)
    if not text:
        raise BadCall(f'no password for "{question.prompt}", and nobody to ask. Put it into the variable {name}')
    return Secret(text)


def typed(question: Question, value: Any) -> Value:
    """An answer as its question's type. Raises `BadCall` when it is not one."""
    if question.choices:
        for choice in question.choices:
            if fold(shown(choice)) == fold(shown(given(value)).strip()):
                return choice
        raise BadCall(
            f'"{question.name}" is one of: {", ".join(shown(each) for each in question.choices)}; not "{value}"'
        )
    if not isinstance(value, str):
        return given(value)
    text = value.strip()
    if question.type == "number":
        try:
            return as_number(text)
        except Failure as failure:
            raise BadCall(f'the answer for "{question.name}": {failure.what}') from None
    if question.type == "yes-no":
        if text.lower() in _YES | _NO:
            return text.lower() in _YES
        raise BadCall(f'"{question.name}" is answered with yes or no, not "{text}"')
    if question.type == "date":
        try:
            return as_date(text)
        except Failure as failure:
            raise BadCall(f'the answer for "{question.name}": {failure.what}') from None
    return value
