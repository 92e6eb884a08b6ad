"""The pieces of a macro's text by their sort, for whoever colours it: of whole macros and of a few lines."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from scrub.language.lexer import DATE, NUMBER, TEXT, WORD, LineLexer, Token, ended_lines
from scrub.language.words import FREE, HEADER, KEYWORDS

_WORDS = (KEYWORDS - FREE) | frozenset(
    "starts ends with sorted by descending between empty times loop it fails".split()
)


def pieces(text: str, kinds: Collection[str] = ()) -> Iterator[tuple[str, str]]:
    """Each piece with its sort: header, keyword, kind, function, attribute, argument, word, number, text, comment, or
    nothing for what is between. Joined they are the text.
    """
    in_header = True
    for ended in ended_lines(text):
        line = ended.rstrip("\r\n\x0b\x0c\x85\u2028\u2029")
        first, gap, rest = line.partition(" ")
        in_header = in_header and (not line.strip() or first.lower() in HEADER or line.startswith("#"))
        if in_header and first.lower() in HEADER:
            yield "header", first
            yield "", gap
            yield ("kind" if first.lower() == "for" else "text"), rest
        else:
            yield from _line(line, kinds)
        yield "", ended[len(line) :]


def _line(line: str, kinds: Collection[str]) -> Iterator[tuple[str, str]]:
    lexer = LineLexer(line, 1, [])
    tokens = lexer.tokens()
    at = 0
    for sort, start, end in _spans(tokens, kinds):
        if start > at:
            yield "", line[at:start]
        if end > max(at, start):
            yield sort, line[max(at, start) : end]
        at = max(at, end)
    rest = line[at:]
    comment = rest.find(lexer.comment) if lexer.comment else -1
    if comment >= 0:
        yield "", rest[:comment]
        yield "comment", rest[comment:]
    else:
        yield "", rest


def _spans(tokens: list[Token] | tuple[Token, ...], kinds: Collection[str]) -> Iterator[tuple[str, int, int]]:
    """The sort of each token, and where it is (from 0); a text is in pieces around its holes."""
    for place, token in enumerate(tokens):
        start, end = token.column - 1, token.column - 1 + token.length
        if token.type == TEXT:
            for part in token.parts:
                hole = [] if isinstance(part, str) else list(_spans(part, kinds))
                if hole:
                    yield "text", start, hole[0][1]
                    yield from hole
                    start = hole[-1][2]
            yield "text", start, end
        elif token.type in (NUMBER, DATE):
            yield "number", start, end
        elif token.type == WORD:
            before = tokens[place - 1] if place else None
            after = tokens[place + 1] if place + 1 < len(tokens) else None
            yield _sort(token, before, after, kinds), start, end


def _sort(token: Token, before: Token | None, after: Token | None, kinds: Collection[str]) -> str:
    if before is not None and before.is_sign("."):
        return "attribute"
    if token.text in _WORDS:
        return "keyword"
    if after is not None and after.is_sign(":"):
        return "argument"
    if token.text in kinds:
        return "kind"
    return "function" if after is not None and after.is_sign("(") else "word"
