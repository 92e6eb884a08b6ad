"""The answers to a macro's questions: given ahead, or asked once, each turned into its type."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping

from scrub.model.core.addresses import address_from
from scrub.model.core.colours import colour_of
from scrub.model.core.host import Host, Question, QuietHost
from scrub.model.core.problem import BadCall, Failure, did_you_mean, listed
from scrub.model.core.values import Secret, Value, fold, shown
from scrub.model.operations import as_date, as_number
from scrub.model.operations.numbers import TwoReadings
from scrub.runner.fitting import given

#: How often a person is asked who answers anything else.
_TRIES = 3
_YES, _NO = frozenset(("yes", "y", "true")), frozenset(("no", "n", "false"))


def variable(prompt: str) -> str:
    """The environment variable that contains a secret: `sheet-code` is `SCRUB_SECRET_SHEET_CODE`."""
    return "SCRUB_SECRET_" + "".join(letter if letter.isalnum() else "_" for letter in prompt).upper()


class Noting(QuietHost):
    """A host that asks another one, and notes the answers that are not secret."""

    def __init__(self, host: Host, answers: dict[str, object]) -> None:
        super().__init__()
        self._host, self._answers = host, answers

    def ask(self, question: Question) -> str | None:
        """The answer as typed."""
        answer = self._host.ask(question)
        if answer is not None and (answer.strip() or question.default is None):
            self._answers[question.name] = answer
        return answer

    def secret(self, question: Question) -> str | None:
        """A password, which is not noted."""
        return self._host.secret(question)


Stored = Callable[[str], str | None]


def answer_all(
    questions: list[Question], ahead: Mapping[str, object], host: Host, stored: Stored | None = None
) -> list[Value]:
    """An answer for each question. Raises `BadCall` when one is missing, wrong, or was never asked for."""
    for name in ahead:
        if name not in {question.name for question in questions}:
            asked = listed(question.name for question in questions)
            tail = did_you_mean(name, [question.name for question in questions]) or (
                f" It asks for {asked}." if asked else " It asks nothing."
            )
            raise BadCall(f'the macro does not ask for "{name}".{tail}')
    return [_answer(question, ahead, host, stored) for question in questions]


def _answer(question: Question, ahead: Mapping[str, object], host: Host, stored: Stored | None) -> Value:
    if question.secret:
        return _secret(question, ahead, host, stored)
    if question.name in ahead:
        return typed(question, ahead[question.name])
    problem = ""
    for _ in range(_TRIES):
        text = host.ask(question._replace(problem=problem))
        if text is None:
            break
        if not text.strip() and question.default is not None:
            return question.default
        try:
            return typed(question, text)
        except BadCall as wrong:
            problem = str(wrong)
    else:
        raise BadCall(problem)
    if question.default is not None:
        return question.default
    raise BadCall(f'no answer for "{question.name}" ({question.prompt}). Add: --with {question.name}=…')


def _secret(question: Question, ahead: Mapping[str, object], host: Host, stored: Stored | None) -> Secret:
    secret = ahead.get(question.name)
    name = variable(question.prompt)
    if isinstance(secret, Secret):
        return secret
    if secret is not None:
        raise BadCall(
            f'"{question.name}" is a password, which would stay in your shell\'s history. Set the variable '
            f"{name}, or leave it out and type it when asked"
        )
    known = (os.environ.get(name) or stored(question.prompt)) if stored is not None else None
    text = known or host.secret(question)
    if not text and stored is None and os.environ.get(name):
        raise BadCall(
            f'no password for "{question.prompt}": the macro is not approved, so it gets no saved password. Read '
            "and approve it: scrub approve"
        )
    if not text:
        raise BadCall(f'no password for "{question.prompt}". Set the variable {name}')
    return Secret(text)


def typed(question: Question, value: object) -> Value:
    """An answer as its question's type. Raises `BadCall` when it is not one."""
    if question.choices:
        return _chosen(question, value)
    if not isinstance(value, str):
        return given(value)
    reader = _READERS.get(question.type)
    if reader is None:
        return value
    try:
        return reader(value.strip())
    except TwoReadings as failure:
        how = "Set the decimal separator: scrub settings decimal-mark point, or comma"
        raise BadCall(f'the answer for "{question.name}": {failure.asked}. {how}') from None
    except Failure as failure:
        raise BadCall(f'the answer for "{question.name}": {failure.what}') from None


def _chosen(question: Question, value: object) -> Value:
    """The choice that an answer means: the whole word, or a beginning that no other choice has."""
    wanted = fold(shown(given(value)).strip())
    texts = [(fold(shown(choice)).strip(), choice) for choice in question.choices]
    fitting = [choice for text, choice in texts if text == wanted]
    fitting = fitting or [choice for text, choice in texts if wanted and text.startswith(wanted)]
    if len(fitting) == 1:
        return fitting[0]
    raise BadCall(
        f'"{question.name}" is one of: {", ".join(shown(choice) for choice in question.choices)}; not "{value}"'
    )


def _yes_no(text: str) -> bool:
    if text.lower() not in _YES | _NO:
        raise Failure(f'write yes or no, not "{text}"')
    return text.lower() in _YES


def _file(text: str) -> str:
    path = os.path.abspath(os.path.expanduser(text))
    if not os.path.isfile(path):
        raise Failure(f'no file "{text}"')
    return path


def _folder(text: str) -> str:
    path = os.path.abspath(os.path.expanduser(text))
    if not os.path.isdir(path):
        raise Failure(f'no folder "{text}"')
    return path


_READERS: dict[str, Callable[[str], Value]] = {
    "number": as_number, "yes-no": _yes_no, "date": as_date, "colour": colour_of, "address": address_from,
    "file": _file, "folder": _folder,
}  # fmt: skip
