"""Calls drawn from the vocabulary: every field and action of every kind of item, with arguments good and bad."""

from __future__ import annotations

import random
import re
from collections.abc import Iterator

import scrub
from scrub.model.core.types import Type
from scrub.model.vocabulary import Callee, Field, Parameter

VOCABULARY = scrub.vocabulary()
#: A value of each type, as a macro writes it.
GOOD = {
    "text": '"Larch"', "number": "2", "yes or no": "yes", "date": "2026-05-01", "time": "2026-05-01T14:30",
    "duration": "3 days", "length": "2 cm", "size": "2 MB", "anything": '"Larch"', "address": '"ann@huts.example"',
    "secret": "code", "pairs": "known",
}  # fmt: skip
#: Texts that some arguments need to mean anything.
NAMED = {
    "pattern": '"(\\w+) (\\w+)"', "by": '"b"', "colour": '"red"', "fill": '"yellow"', "address": '"A1"', "formula": '"=1+1"',
    "picture": '"seal.png"', "to": '"made"', "source": '"A1:A3"', "filter": '"A1:B3"', "link": '"https://huts.example"',
}  # fmt: skip
#: What no field and no argument takes, or hardly any; each is tried where the type is known only as the macro runs.
BAD = (
    '["", " ", "a", "#REF!", "A1:XFD1048576", "=1+", "x/../y", "{{", "red", "\u00e9", -1, 0, 1.5, 123456789012345678, yes, nothing, '
    '2026-02-01, 0001-01-01, 2026-05-01T14:30, 3 days, 2 cm, 2 MB, ["x"], [1, nothing]]'
)


def written(wanted: Type, word: str, choices: tuple[str, ...] = ()) -> str:
    """A value of a type that makes sense."""
    if wanted.choices or choices:
        return (wanted.choices or choices)[0]
    if wanted.word == "list":
        inner = written(wanted.of, word) if wanted.of is not None else '"Larch"'
        return f"[{inner}]"
    return NAMED.get(word, GOOD["text"]) if wanted.word in ("text", "anything") else GOOD.get(wanted.word, "")


def calls(callee: Callee) -> Iterator[str]:
    """An action with what it needs, with all that it takes, and with each argument in turn being anything."""
    if callee.open:
        yield f'{callee.word} hut: "Larch", nights: 2'
        yield f"{callee.word} hut: v, nix: v"
        return
    given = [(each, written(each.type, each.word)) for each in callee.parameters]
    possible = [(each, value) for each, value in given if value]
    needed = [(each, value) for each, value in possible if each.required]
    for chosen in (needed, possible):
        yield _line(callee.word, chosen)
    for number, (each, _) in enumerate(possible):
        if not each.path:
            changed = [(one, "v" if at == number else value) for at, (one, value) in enumerate(possible)]
            yield _line(callee.word, [(one, value) for one, value in changed if one.required or value == "v"])


def _line(word: str, chosen: list[tuple[Parameter, str]]) -> str:
    return f"{word} {', '.join(f'{each.word}: {value}' for each, value in chosen)}".strip()


def sets(field: Field, item: str) -> Iterator[str]:
    """A field set to what it takes, to what it is, and to anything."""
    if field.can_be_set:
        value = written(field.type, field.word)
        if value:
            yield f"{item}.{field.word} = {value}"
        yield f"{item}.{field.word} = {item}.{field.word}"
        yield f"{item}.{field.word} = v"


def statements(kind: str) -> Iterator[str]:
    """Every line that a kind of item answers to, those that remove it last."""
    described = VOCABULARY.kinds[kind]
    for word in described.fields:
        yield f'x = "{{{kind}.{word}}}"'
    for held in described.holds:
        yield f"x = count({held})"
    for word, part in described.parts.items():
        yield f"x = {kind}.{word}"
        yield f"in {kind}.{word}\nx = 1\nend"
        given = VOCABULARY.kinds.get(part.gives.word)
        for held in given.holds if given is not None else ():
            yield f"x = count({held} in {kind}.{word})"
    for held, finder in described.finds.items():
        for value in ('"A1"', '"no such"', "1", "v"):
            yield f"if {held}({value}) exists\nx = 1\nend"
            yield f"if {held}({value}) is missing\nx = 1\nend"
        del finder
    for field in described.fields.values():
        yield from sets(field, kind)
    actions = sorted(
        described.actions, key=lambda word: bool(re.match("delete|remove|reject|move|save|split|convert", word))
    )
    for word in actions:
        yield from calls(described.actions[word])


def reachable(file: str) -> list[str]:
    """The kinds of item that a macro meets in a file of a kind, the file first."""
    return [file, *(word for word in VOCABULARY.kinds if word != file and VOCABULARY.path(file, word) is not None)]


def macro_of(file: str, kind: str, lines: list[str]) -> str:
    """A macro that tries each line with the first two items of a kind, each as an attempt of its own."""
    body = []
    for line in lines:
        tried = f"attempt\n{line}\nif it fails\nend"
        body.append(f"each v in bad\n{tried}\nend" if re.search(r"\bv\b", line) else tried)
    inner = "\n".join(body)
    if kind != file:
        inner = f"n = 0\neach {kind}\nn = n + 1\nif n > 2\nleave loop\nend\n{inner}\nend"
    return f'macro Drawn\nfor {file}\ncode = secret("drawn")\nx = nothing\nv = nothing\nbad = {BAD}\nknown = pairs()\n{inner}\n'


def fitting(file: str, kind: str, lines: list[str]) -> list[str]:
    """The lines that the checker lets pass; about the others it says a sentence."""
    found = []
    for line in lines:
        problems = scrub.check(macro_of(file, kind, [line]))
        if not problems:
            found.append(line)
    return found


def drawn(file: str, chance: random.Random, many: int) -> tuple[str, list[str]]:
    """A kind of item in a file of a kind, and a few lines for it."""
    kind = chance.choice(reachable(file))
    every = list(statements(kind))
    return kind, chance.sample(every, min(many, len(every)))
