"""The standard layout of a macro: comments and blank lines stay, the meaning too."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from scrub.language import characters as ch
from scrub.language.cursor import KEYWORDS
from scrub.language.header import WORDS as HEADER_WORDS
from scrub.language.lexer import NEWLINE, NUMBER, TEXT, WORD, LineLexer, Token, counts, lex, split_lines
from scrub.language.parser import parse
from scrub.language.tree import Macro, Node, Place
from scrub.model.problem import MacroProblems, Problem

_OPENERS = frozenset(("each", "while", "in", "attempt"))
_INDENT = "    "


def tidy(text: str, name: str) -> str:
    """The macro in the standard layout. Raises `MacroProblems` for a text that cannot be read."""
    macro, problems = parse(text, name)
    if problems:
        for problem in problems:
            problem.name = name
            problem.source = macro.lines[problem.line - 1] if problem.line <= len(macro.lines) else ""
        raise MacroProblems(problems)
    lines = split_lines(text.removeprefix("\ufeff"))
    body_at = _body_start(macro, lines)
    head = _without_idle_blanks([_header_line(line) for line in lines[:body_at]])
    body = _without_idle_blanks(_body(lines, body_at))
    found = "\n".join([*head, *([""] if body else []), *body]) + "\n"
    assert meaning(parse(found, name)[0]) == meaning(macro), "tidying changed the meaning"
    return found


def meaning(macro: Macro) -> Any:
    """What a macro says, without where it says it."""
    head = (macro.title, macro.about, macro.runs_on, macro.for_all, macro.group, macro.into)
    return (*head, [_plain(node) for node in macro.body])


def _plain(value: Any) -> Any:
    if isinstance(value, Place):
        return None
    if isinstance(value, Node):
        return (type(value).__name__, *(_plain(getattr(value, name, None)) for name in type(value)._names))
    if isinstance(value, list | tuple):
        return [_plain(each) for each in value]
    return str(value)


def _body_start(macro: Macro, lines: list[str]) -> int:
    """Behind the last line of the head, and the comments that belong to it."""
    return max((place.line for place in macro.places.values()), default=0)


def _header_line(line: str) -> str:
    text = ch.plain(line)
    word, _, rest = text.partition(" ")
    return f"{word.lower():<5} {rest}" if word.lower() in HEADER_WORDS else text


def _without_idle_blanks(lines: list[str]) -> list[str]:
    """No blank line at an end, and never two in a row."""
    found: list[str] = []
    for line in lines:
        if line or (found and found[-1]):
            found.append(line)
    while found and not found[-1]:
        found.pop()
    return found


def _body(lines: list[str], start: int) -> list[str]:
    notes: list[Problem] = []
    ends = _statement_ends(lex(lines, start, notes))
    found: list[str] = []
    depth = 0
    inside = False  # a statement that goes on in this line
    opening = False  # that statement opens a block
    for number in range(start, len(lines)):
        lexer = LineLexer(lines[number], number + 1, notes)
        tokens = lexer.tokens()
        comment = lexer.comment
        if not tokens:
            found.append((_INDENT * depth if not inside else _INDENT * (depth + 2)) + comment if comment else "")
            continue
        closes = not inside and (tokens[0].is_word("end", "else") or _is_handler(tokens))
        if closes:
            depth = max(0, depth - 1)
        indent = depth + 2 if inside else depth
        text = _spaced(tokens) + (f"  {comment}" if comment else "")
        found.append(_INDENT * indent + text)
        opening = _opens(tokens) if not inside else opening
        inside = number + 1 not in ends
        if opening and not inside:
            depth += 1
    return found


def _statement_ends(tokens: list[Token]) -> set[int]:
    """The numbers of the lines in which a statement ends."""
    return {before.line for before, token in pairwise(tokens) if token.type == NEWLINE and before.type != NEWLINE}


def _is_handler(tokens: list[Token]) -> bool:
    return [token.text for token in tokens[:3]] == ["if", "it", "fails"]


def _opens(tokens: list[Token]) -> bool:
    first = tokens[0]
    if counts(tokens):
        return True
    if first.type != WORD or (len(tokens) > 1 and tokens[1].is_sign("=")):
        return False
    return first.text in _OPENERS or first.text in ("if", "else")


def _spaced(tokens: list[Token]) -> str:
    """The tokens of a line with the standard space between them."""
    parts: list[str] = []
    for index, token in enumerate(tokens):
        if index and _space(tokens, index):
            parts.append(" ")
        parts.append(_straight(token) if token.type == TEXT else token.text)
    return "".join(parts)


def _space(tokens: list[Token], index: int) -> bool:
    before, token = tokens[index - 1], tokens[index]
    if token.is_sign(",", ")", "]", ".", ":") or before.is_sign("(", "[", "."):
        return False
    if token.is_sign("("):
        return before.type != WORD or before.text in KEYWORDS
    if before.is_sign("-"):
        return not _is_sign_of_number(tokens, index - 1)
    return True


def _is_sign_of_number(tokens: list[Token], index: int) -> bool:
    """Whether a minus stands before a value rather than between two."""
    if index == 0:
        return True
    before = tokens[index - 1]
    if before.type == WORD:
        return before.text in KEYWORDS - {"yes", "no", "nothing", "today", "now"}
    return not (before.type in (NUMBER, TEXT, "date") or before.is_sign(")", "]"))


def _straight(token: Token) -> str:
    """A text between straight quotes, where that leaves its characters as they are."""
    raw = token.text
    if raw[0] == '"' or '"' in raw:
        return raw
    inner = raw[1:-1]
    if any(mark in inner for mark in ch.CURLY_QUOTES):
        return raw
    return f'"{inner}"'
