"""Moving along tokens, and telling the slips that are found on the way."""

from __future__ import annotations

from scrub.language.lexer import END, NEWLINE, TEXT, WORD, Token
from scrub.language.tree import Place
from scrub.model.problem import Problem

#: Blocks and brackets inside each other; more is a slip, or an attack.
DEEPEST = 50
#: Operators in one statement.
MOST_OPERATORS = 150

KEYWORDS = frozenset(
    (
        "macro about group into each as in where if else end times while leave loop skip finish fail attempt "
        "run say log and or not is contains matches exists missing exactly yes no nothing today now"
    ).split()
)


class Slip(Exception):
    """A problem that ends the reading of its line."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem


def place_of(token: Token) -> Place:
    """The place of a token."""
    return Place(token.line, token.column, token.length)


class Cursor:
    """A place among tokens: what stands here, what follows, and slips to tell."""

    def __init__(self, tokens: list[Token] | tuple[Token, ...], problems: list[Problem], nesting: int = 0) -> None:
        self.tokens = tokens
        self.problems = problems
        self.at = 0
        self.open: list[Token] = []  # the blocks around the line that is read
        self.nesting = nesting
        self.operators = 0
        self.given_up = False

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

    def slip(self, message: str, token: Token | None = None) -> Slip:
        token = token or self.token
        return Slip(Problem(message, token.line, token.column, token.length))

    def note(self, message: str, token: Token) -> None:
        self.problems.append(self.slip(message, token).problem)

    def skip_line(self) -> None:
        while not self.at_line_end():
            self.at += 1

    def end_line(self) -> None:
        if not self.at_line_end():
            raise self.unexpected()
        self.take()

    def unexpected(self) -> Slip:
        """The advice for whatever stands where a line should end."""
        token = self.token
        before = self.tokens[self.at - 1] if self.at else token
        if token.is_sign("=", "=="):
            return self.slip('to compare, write: is   (a single "=" gives a name its value)')
        if token.is_word("then"):
            return self.slip('"then" is not needed. Take it out: the line ends with the condition')
        if token.is_word("begins", "begin"):
            return self.slip("write: starts with")
        if token.is_word("has", "includes", "include"):
            return self.slip("write: contains")
        if token.is_sign("+=", "-=", "*=", "/="):
            return self.slip(f"write it out: {before.text} = {before.text} {token.text[0]} …")
        if token.is_sign("<>", "!="):
            return self.slip("to compare, write: is not")
        if token.type == TEXT and before.type == WORD:
            return self.slip(f"brackets are missing: write {before.text}({token.text})")
        if token.type == WORD and self.following().is_sign(":"):
            return self.slip(f'a comma is missing before "{token.text}"')
        if token.is_sign(")", "]"):
            return self.slip(f'this "{token.text}" closes nothing. Take it out')
        if token.is_sign("%"):
            return self.slip("a percent sign stands right after its number: 30%")
        return self.slip(f'"{token.text}" is not expected here. The line could end before it')
