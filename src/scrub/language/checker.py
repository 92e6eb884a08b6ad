"""Checks a macro against the Vocabulary before any file is touched, and finds every slip at once."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from scrub.language.check_statements import check_whole
from scrub.language.checking import Checking, Resolver
from scrub.language.parser import parse
from scrub.language.program import Program
from scrub.model.core.problem import MacroProblems, Problem
from scrub.model.vocabulary import Vocabulary


def check(
    text: str,
    name: str,
    vocabulary: Vocabulary,
    resolve: Resolver | None = None,
    own_files: Mapping[str, str] | None = None,
) -> list[Problem]:
    """Every problem of a macro, in the order of its lines; none when it can run."""
    return _checked(text, name, vocabulary, resolve, own_files or {})[1]


def program(
    text: str,
    name: str,
    vocabulary: Vocabulary,
    resolve: Resolver | None = None,
    own_files: Mapping[str, str] | None = None,
) -> Program:
    """The macro, ready to run. Raises `MacroProblems` with all that is wrong."""
    found, problems = _checked(text, name, vocabulary, resolve, own_files or {})
    if problems:
        raise MacroProblems(problems)
    return found


def _checked(
    text: str, name: str, vocabulary: Vocabulary, resolve: Resolver | None, own_files: Mapping[str, str]
) -> tuple[Program, list[Problem]]:
    macro, problems = parse(text, name)
    words = [word for word in dict.fromkeys(macro.runs_on) if word in vocabulary.kinds]
    several = len(words) > 1 and not macro.for_all
    programs = {word: Program(macro, text) for word in (words if several else words[:1] or [""])}
    for word, found in programs.items():  # the same text means something else on another kind of file
        found.own_files = own_files
        on = Checking(found, vocabulary, problems, resolve)
        check_whole(on, word, "file" if several else macro.called.get(word, word))
    first = next(iter(programs.values()))
    first.join(programs)
    return first, as_told(problems, macro.lines, name)


def as_told(problems: list[Problem], lines: Sequence[str], name: str) -> list[Problem]:
    """The problems of a text as a person is told them, in the order of the lines."""
    for problem in problems:
        problem.name = name
        problem.source = lines[problem.line - 1] if problem.line <= len(lines) else ""
    # Two readings of one place tell the same twice; the first, from the lower layer, is the nearer cause.
    told: dict[tuple[int, int], Problem] = {}
    for problem in problems:
        told.setdefault((problem.line, problem.column), problem)
    return _without_echoes(sorted(told.values(), key=lambda each: (each.line, each.column)))


def _without_echoes(problems: list[Problem]) -> list[Problem]:
    """The problems without those about a word that was refused as a name in an earlier line: one slip is told once."""
    refused: set[str] = set()
    result = []
    for problem in problems:
        word = re.match(r"[\w-]+", problem.source[problem.column - 1 :])
        if word is not None and word[0] in refused:
            continue
        if word is not None and re.match(f'"{word[0]}" is .* and cannot be a name', problem.message):
            refused.add(word[0])
        result.append(problem)
    return result
