"""What could come next on a line, from the Vocabulary and from what is in the file: for prompts and editors."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from scrub.model.vocabulary import Action, Vocabulary

_STARTERS = ("each", "if", "in", "while", "say", "log", "skip", "finish", "fail", "attempt", "run", "end", "else")
_DOTTED = re.compile(r"([\w-]+|\)|\")\.([\w-]*)$")
_WORD = re.compile(r"[\w-]*$")
_NAMED = re.compile(r"([\w-]+)\(\"([^\"]*)$")
_SET = re.compile(r"([\w-]+)(?:\([^)]*\))?\.([\w-]+)\s*(?:=|is(?: not)?)\s+([\w-]*)$")


class Known(NamedTuple):
    """What is in reach: kept names, the names of items by their kind, and the headings of the file."""

    names: Sequence[str] = ()
    items: Mapping[str, Sequence[str]] = {}
    headings: Sequence[str] = ()


def completions(vocabulary: Vocabulary, line: str, kind: str, known: Known) -> list[str]:
    """The words that could stand at the end of `line`, each whole; `kind` is the current item's."""
    named = _NAMED.search(line)
    if named:
        return [name for name in known.items.get(named[1].lower(), ()) if name.lower().startswith(named[2].lower())]
    chosen = _choices(vocabulary, line)
    if chosen is not None:
        return chosen
    dotted = _DOTTED.search(line)
    if dotted:
        owner = dotted[1].lower()
        if owner == "record":
            return _fitting(list(known.headings), dotted[2])
        if owner in vocabulary.kinds:
            return _fitting(list(vocabulary.kinds[owner].fields), dotted[2])
        return _fitting(sorted({word for _, word in vocabulary.operations}), dotted[2])
    word = _word(line)
    before = line[: len(line) - len(word)]
    tokens = before.split()
    if not tokens:
        return _fitting([*vocabulary.kinds[kind].actions, *_STARTERS, *known.names], word)
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
    return _fitting([*vocabulary.kinds, *known.names, "yes", "no", "nothing", *comparing], word)


def _choices(vocabulary: Vocabulary, line: str) -> list[str] | None:
    """The words that a field takes, behind `sheet.orientation = `; None where no such field is set."""
    found = _SET.search(line)
    field = None
    if found and found[1].lower() in vocabulary.kinds:
        field = vocabulary.kinds[found[1].lower()].fields.get(found[2].lower())
    if field is None or found is None:
        return None
    words = [each.value for each in field.choice] if field.choice else []
    words = words or (["yes", "no"] if field.type.word == "yes or no" else ["nothing"] if field.may_be_nothing else [])
    return _fitting(words, found[3])


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
