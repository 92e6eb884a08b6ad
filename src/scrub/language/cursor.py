"""Moving along tokens, and telling the slips that are found on the way."""

from __future__ import annotations

from typing import TypeVar

from scrub.language.lexer import END, NEWLINE, TEXT, WORD, Token
from scrub.language.tree import Extent, Node, Place
from scrub.language.words import KEYWORDS
from scrub.model.core.problem import Problem

N = TypeVar("N", bound=Node)
#: What other languages put between a value and the next.
_JOINING = frozenset(("with", "by", "to", "as", "into", "for"))

#: Blocks and brackets inside each other; more is a slip, or an attack.
DEEPEST = 50
#: Operators in one statement.
MOST_OPERATORS = 150


class Slip(Exception):
    """A problem that ends the reading of its line."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem


def place_of(token: Token) -> Place:
    """The place of a token."""
    return Place(token.line, token.column, token.length)


class Cursor:
    """A place among tokens: what is here, what follows, and slips to tell."""

    def __init__(self, tokens: list[Token] | tuple[Token, ...], problems: list[Problem], nesting: int = 0) -> None:
        self.tokens = tokens
        self.problems = problems
        self.at = 0
        self.open: list[Token] = []  # the blocks around the line that is read
        self.nesting = nesting
        self.operators = 0
        self.given_up = False

    def spanned(self, node: N, first: int) -> N:
        """The node, with the extent of the tokens that were taken for it."""
        last = self.at - 1
        while last > first and self.tokens[last].type == NEWLINE:
            last -= 1
        begin, end = self.tokens[first], self.tokens[max(last, first)]
        node.cover(Extent(begin.line, begin.column, end.line, end.column + end.length))
        return node

    # -- moving along the tokens

    @property
    def token(self) -> Token:
        return self.tokens[self.at]

    def following(self, ahead: int = 1) -> Token:
        return self.tokens[min(self.at + ahead, len(self.tokens) - 1)]

    def take(self) -> Token:
        token = self.tokens[self.at]
        if token.type != END:
            self.at += 1
        return token

    def take_word(self, *words: str) -> Token | None:
        return self.take() if self.token.is_word(*words) else None

    def take_sign(self, *signs: str) -> Token | None:
        return self.take() if self.token.is_sign(*signs) else None

    def at_line_end(self) -> bool:
        return self.token.type in (NEWLINE, END)

    def slip(self, message: str, token: Token | None = None, replacement: str | None = None) -> Slip:
        token = token or self.token
        return Slip(Problem(message, token.line, token.column, token.length, "syntax", replacement))

    def spanning(self, message: str, first: Token, last: Token, replacement: str | None) -> Slip:
        """A slip over several tokens, with what to write in their place."""
        slip = self.slip(message, first, replacement)
        if last.line == first.line:
            slip.problem.length = last.column + last.length - first.column
        return slip

    def note(self, message: str, token: Token, code: str = "syntax", replacement: str | None = None) -> None:
        problem = self.slip(message, token, replacement).problem
        problem.code = code
        self.problems.append(problem)

    def skip_line(self) -> None:
        while not self.at_line_end():
            self.at += 1

    def end_line(self) -> None:
        if not self.at_line_end():
            raise self.unexpected()
        self.take()

    def unexpected(self) -> Slip:
        """The advice for whatever is where a line should end."""
        token = self.token
        before = self.tokens[self.at - 1] if self.at else token
        if token.is_sign("=", "=="):
            return self.slip('to compare, write: is   (a single "=" gives a name its value)', token, "is")
        if token.is_word("then"):
            return self.slip('"then" is not needed. Delete it: the line ends with the condition', token, "")
        if token.is_word("begins", "begin"):
            return self.slip("write: starts with", token, "starts")
        if token.is_word("has", "includes", "include"):
            return self.slip("write: contains", token, "contains")
        if token.is_sign("+=", "-=", "*=", "/="):
            return self.slip(
                f"write: {before.text} = {before.text} {token.text[0]} …", token, f"= {before.text} {token.text[0]}"
            )
        if token.is_sign("<>", "!="):
            return self.slip("to compare, write: is not", token, "is not")
        if token.type == TEXT and before.type == WORD:
            ahead = self.tokens[self.at - 2] if self.at > 1 else before
            if ahead.type == WORD and ahead.text not in KEYWORDS:  # an action, and the name of what it is given
                return self.slip(f"a colon is missing: {before.text}: {token.text}")
            if ahead.is_sign("."):
                return self.slip(f'something is missing before {token.text}: "is" to compare, "=" to set a field')
            return self.slip(f"brackets are missing: write {before.text}({token.text})")
        if token.type == WORD and self.following().is_sign(":"):
            return self.slip(f'a comma is missing before "{token.text}"')
        if token.is_sign(")", "]"):
            return self.slip(f'this "{token.text}" has no opening bracket. Delete it')
        if token.is_sign("%"):
            return self.slip("write the percent sign directly after the number: 30%")
        if token.text in _JOINING and before.type == TEXT:
            return self.slip('add other arguments after a comma, with their names: replace "old", by: "new"')
        return self.slip(f'"{token.text}" is not expected here. The line could end before it')
