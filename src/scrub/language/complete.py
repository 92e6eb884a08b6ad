"""What could come next on a line, from the Vocabulary: for prompts and editors."""

from __future__ import annotations

import re

from scrub.model.vocabulary import Action, Vocabulary

_STARTERS = ("each", "if", "in", "while", "say", "log", "skip", "finish", "fail", "attempt", "run", "end", "else")
_DOTTED = re.compile(r"([\w-]+|\)|\")\.([\w-]*)$")
_WORD = re.compile(r"[\w-]*$")


def completions(vocabulary: Vocabulary, line: str, kind: str, names: list[str]) -> list[str]:
    """The words that could stand at the end of `line`, each whole; `kind` is the current item's."""
    dotted = _DOTTED.search(line)
    if dotted:
        owner = dotted[1].lower()
        if owner in vocabulary.kinds:
            return _fitting(list(vocabulary.kinds[owner].fields), dotted[2])
        return _fitting(sorted({word for _, word in vocabulary.operations}), dotted[2])
    word = _word(line)
    before = line[: len(line) - len(word)]
    tokens = before.split()
    if not tokens:
        return _fitting([*vocabulary.kinds[kind].actions, *_STARTERS, *names], word)
    action = _action(vocabulary, tokens[0])
    if action is not None and not before.rstrip().endswith(("=", "+")):
        argument = re.findall(r"([\w-]+):", before)
        parameter = next((each for each in action.parameters if argument and each.word == argument[-1]), None)
        after = before.rpartition(":")[2]
        if parameter and parameter.choice and ("," not in after or ("[" in after and "]" not in after)):
            return _fitting([each.value for each in parameter.choice], word)
        given = set(argument)
        return _fitting([f"{each.word}:" for each in action.parameters if each.word not in given], word)
    if tokens[0] in ("each", "skip") and len(tokens) == 1:
        return _fitting(list(vocabulary.kinds), word)
    comparing = ["is", "is not", "contains", "starts with", "ends with", "is empty", "where"]
    return _fitting([*vocabulary.kinds, *names, "yes", "no", "nothing", *comparing], word)


def _word(line: str) -> str:
    found = _WORD.search(line)
    return found[0] if found else ""


def _fitting(words: list[str], start: str) -> list[str]:
    return [word for word in words if word.startswith(start.lower())]


def _action(vocabulary: Vocabulary, word: str) -> Action | None:
    return next((kind.actions[word] for kind in vocabulary.kinds.values() if word in kind.actions), None)


def is_open(text: str) -> bool:
    """Whether a block in the text still wants its `end`, so that more lines must follow."""
    from scrub.language.parser import parse

    problems = parse(f"macro x\nfor workbook\n{text}", "")[1]
    return any("is never closed" in problem.message and "bracket" not in problem.message for problem in problems) or (
        text.rstrip().endswith(",")
    )
