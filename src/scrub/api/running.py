"""Python functions as runs: previewed, kept in the history, undone, and all or nothing for each file, like macros."""

from __future__ import annotations

import inspect
import os
import types
import typing
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from scrub.api.current import RUN, FunctionRun
from scrub.api.values import Facade, into, out
from scrub.language.program import Program
from scrub.language.tree import Macro
from scrub.model.core.declare import Reach
from scrub.model.core.host import Question
from scrub.model.core.problem import BadCall, Failure, FileProblem, ScrubError, listed
from scrub.model.core.values import NewSecret, Secret, shown
from scrub.store.errors import StoreError

#: The type of a question, by the annotation of an argument.
_TYPES: Mapping[object, str] = {
    str: "text", int: "number", float: "number", Decimal: "number", bool: "yes-no", date: "date", Secret: "text",
    NewSecret: "text",
}  # fmt: skip


class FunctionProgram(Program):
    """A Python function as what a run runs. Its arguments after the first are questions."""

    def __init__(self, function: Callable[..., object]) -> None:
        """Raises `BadCall` for a function whose arguments do not say what they are."""
        self._function = function
        self._name = name = _name_of(function)
        self.source = _file_of(function)
        macro = Macro(os.path.basename(self.source), _source_of(function, name))
        super().__init__(macro, "\n".join(macro.lines))
        macro.title = _title_of(function, name)
        self._hints = _hints_of(function, name)
        self._parameters: list[str] = []
        self.reach = Reach.CHANGE
        self.slots = 2
        parameters = list(inspect.signature(function).parameters.values())
        first = parameters[0] if parameters and parameters[0].kind is not inspect.Parameter.KEYWORD_ONLY else None
        macro.runs_on, macro.for_all = (["nothing"], False) if first is None else self._kinds(first.name)
        self.start_slot, self.picked_slot = (-1, 1) if macro.for_all else (1, -1)
        self._takes_files = first is not None
        for parameter in parameters[1:] if first is not None else parameters:
            if parameter.kind in (parameter.VAR_POSITIONAL, parameter.VAR_KEYWORD):
                raise BadCall(f"{name}(…): *{parameter.name} cannot be asked for. Name each argument")
            self.questions.append(self._question(parameter))
            self._parameters.append(parameter.name)
            self.question_slots.append(self.slots)
            self.slots += 1
        self.function = self._run

    def _kinds(self, name: str) -> tuple[list[str], bool]:
        """The kinds of file that the first argument takes, and whether it takes all files together."""
        hint = self._hints.get(name)
        all_together = typing.get_origin(hint) in (list, Sequence)
        if all_together:
            hint = typing.get_args(hint)[0]
        every = typing.get_args(hint) if typing.get_origin(hint) in (typing.Union, types.UnionType) else (hint,)
        words = [each.kind_word for each in every if isinstance(each, type) and issubclass(each, Facade)]
        if len(words) < len(every):
            raise BadCall(
                f"{self._name}(…) does not say which files it takes. Annotate its first argument: "
                f"def {self._name}({name}: scrub.Workbook)"
            )
        return words, all_together

    def _question(self, parameter: inspect.Parameter) -> Question:
        """An argument as a question: its prompt is in `Annotated[…, "prompt"]`."""
        hint, prompt = self._hints.get(parameter.name, str), parameter.name.replace("_", " ")
        if typing.get_origin(hint) is typing.Annotated:
            hint, *notes = typing.get_args(hint)
            prompt = next((note for note in notes if isinstance(note, str)), prompt)
        choices: tuple[object, ...] = ()
        if typing.get_origin(hint) is typing.Literal:
            choices = tuple(map(into, typing.get_args(hint)))
        elif hint not in _TYPES:
            known = listed(getattr(each, "__name__", "") for each in _TYPES)
            raise BadCall(f'{self._name}(…): "{parameter.name}" cannot be asked for. Types: {known}')
        default = None if parameter.default is parameter.empty else into(parameter.default)
        kind, secret = _TYPES.get(hint, "text"), hint in (Secret, NewSecret)
        return Question(parameter.name, prompt, kind, choices, default, secret, twice=hint is NewSecret)

    def _answer(self, name: str, value: Any) -> Any:
        """An answer in the type that the function asks for."""
        hint = self._hints.get(name, str)
        hint = typing.get_args(hint)[0] if typing.get_origin(hint) is typing.Annotated else hint
        value = into(value)
        if hint is int and isinstance(value, Decimal):
            if value != value.to_integral_value():
                raise BadCall(f'"{name}" is a whole number, not {value}')
            return int(value)
        return float(value) if hint is float and isinstance(value, Decimal) else out(value)

    def _run(self, frame: list[Any]) -> None:
        """Runs it on the item of the frame."""
        run = FunctionRun(frame[0], self.source)
        slots = zip(self._parameters, self.question_slots, strict=True)
        named = {name: self._answer(name, frame[slot]) for name, slot in slots}
        token = RUN.set(run)
        try:
            result = self._function(out(frame[1]), **named) if self._takes_files else self._function(**named)
        except (Failure, FileProblem) as failure:
            raise run.failure(failure) from None
        except (ScrubError, StoreError, MemoryError):
            raise
        except Exception as error:
            if os.environ.get("SCRUB_TRACEBACK"):
                raise
            raise run.failure(error) from error
        finally:
            RUN.reset(token)
        if result is not None:
            frame[0].say(shown(into(result)))


def _name_of(function: Callable[..., object]) -> str:
    """What a function is called; also one with some arguments given, and an object that can be called."""
    found = getattr(function, "func", function)
    name: str = getattr(found, "__name__", type(found).__name__)
    return name


def _file_of(function: Callable[..., object]) -> str:
    """The file with its code; an empty text for one typed at a prompt."""
    try:
        return inspect.getsourcefile(inspect.unwrap(getattr(function, "func", function))) or ""
    except TypeError:
        return ""


def _hints_of(function: Callable[..., object], name: str) -> dict[str, Any]:
    try:
        return typing.get_type_hints(getattr(function, "func", function), include_extras=True)
    except (NameError, AttributeError, TypeError) as error:
        raise BadCall(f"{name}(…): an annotation cannot be read: {error}") from None


def _source_of(function: Callable[..., object], name: str) -> list[str]:
    """The lines of a function, which the history keeps; those typed at a prompt have none."""
    try:
        return inspect.getsource(getattr(function, "func", function)).splitlines()
    except (OSError, TypeError):
        return [f"def {name}(…)"]


def _title_of(function: Callable[..., object], name: str) -> str:
    """The first line of its docstring, or its name in words."""
    first = (inspect.getdoc(getattr(function, "func", function)) or "").partition("\n")[0].rstrip(".")
    words = name.replace("_", " ").strip()
    return first if 0 < len(first) <= 80 else words[:1].upper() + words[1:]
