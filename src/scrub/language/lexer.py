"""Text to tokens. Outside texts, what a word processor makes of plain characters is read as what was meant."""

from __future__ import annotations

from collections.abc import Sequence

from scrub.language import characters as ch
from scrub.language.words import SURE_STARTERS
from scrub.model.core.amounts import UNITS
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Problem

WORD, NUMBER, DATE, TEXT, SIGN, NEWLINE, END = "word", "number", "date", "text", "sign", "newline", "end"


class Token(NamedTuple):
    """A token: what it is, its plain text, and where it is (line and column from 1, length in characters).

    A TEXT token contains its parts in `parts`: a str, or the tokens of a hole.
    """

    type: str
    text: str
    line: int
    column: int
    length: int
    parts: tuple[str | tuple[Token, ...], ...] = ()

    def is_word(self, *words: str) -> bool:
        """Whether it is one of these words, in any case."""
        return self.type == WORD and self.text in words

    def is_sign(self, *signs: str) -> bool:
        """Whether it is one of these signs."""
        return self.type == SIGN and self.text in signs


LONGEST_WORD = 60

_TWO = ("<=", ">=", "<>", "!=", "==", "+=", "-=", "*=", "/=")
_ONE = ".,:()[]+-*/=<>%"
_DIGITS = frozenset("0123456789")


def counts(tokens: Sequence[Token]) -> bool:
    """Whether the tokens of a line are `… times` or `… times as NAME`."""
    end = len(tokens) - (2 if len(tokens) > 3 and tokens[-2].is_word("as") else 0)
    if end < 2 or not tokens[end - 1].is_word("times") or tokens[1].is_sign("="):
        return False
    first = tokens[0]
    if first.type == WORD:
        return first.text not in SURE_STARTERS and first.text not in ("repeat", "for", "do")
    return first.type in (NUMBER, TEXT) or first.is_sign("(", "-")


def split_lines(source: str) -> list[str]:
    """The lines of a macro, whatever ends them."""
    if len(source) > 100 and not any(mark in source for mark in "\x0b\x0c\x85\u2028\u2029"):
        return source.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    for end in ch.LINE_ENDS:
        source = source.replace(end, "\n")
    return source.split("\n")


def ended_lines(source: str) -> list[str]:
    """The same lines, each with what ends it."""
    return [line for line in _ENDED.findall(source) if line]


_ENDED = lazy_pattern(r"[^\r\n\x0b\x0c\x85\u2028\u2029]*(?:\r\n|[\r\n\x0b\x0c\x85\u2028\u2029]|\Z)")


class LineRead(NamedTuple):
    """One line: its tokens, and its comment with the character before it."""

    tokens: list[Token]
    comment: str


def lex(lines: list[str], start: int, problems: list[Problem], read: dict[int, LineRead] | None = None) -> list[Token]:
    """The tokens of `lines` from index `start` on, with a NEWLINE after each statement and an END.

    `read` is given what each line contains, by its number.
    """
    tokens: list[Token] = []
    depth = 0
    for index in range(start, len(lines)):
        lexer = LineLexer(lines[index], index + 1, problems)
        fresh = lexer.tokens()
        if read is not None:
            read[index + 1] = LineRead(fresh, lexer.comment)
        if not fresh:
            continue
        if depth and _starts_statement(fresh):
            tokens.append(Token(NEWLINE, "", index, 1, 1))
            depth = 0
        tokens += fresh
        for token in fresh:
            if token.type == SIGN:
                if token.text in "([":
                    depth += 1
                elif token.text in ")]":
                    depth = max(0, depth - 1)
        last = fresh[-1]
        if depth == 0 and not last.is_sign(",") and not last.is_word("and", "or"):
            tokens.append(Token(NEWLINE, "", index + 1, last.column + last.length, 1))
    if tokens and tokens[-1].type != NEWLINE:
        last = tokens[-1]
        tokens.append(Token(NEWLINE, "", last.line, last.column + last.length, 1))
    tokens.append(Token(END, "", max(1, len(lines)), 1, 1))
    return tokens


def _starts_statement(tokens: list[Token]) -> bool:
    if tokens[0].type != WORD:
        return False
    return tokens[0].text in SURE_STARTERS or (len(tokens) > 1 and tokens[1].is_sign("="))


class LineLexer:
    """Reads one physical line. A text never runs over the end of its line."""

    def __init__(self, text: str, line: int, problems: list[Problem]) -> None:
        self.text = text
        self.line = line
        self.problems = problems
        self.at = 0
        self.comment = ""
        self.broken = False
        if not (text.isascii() and text.isprintable()):
            self._refuse_hidden()

    def _refuse_hidden(self) -> None:
        """Notes the first character that a reader would not see, or that would show them another text."""
        for index, letter in enumerate(self.text):
            if letter in ch.HIDDEN:
                what = (
                    "that reverses the reading direction"
                    if letter in ch.DIRECTION_MARKS
                    else "that controls a terminal"
                )
                self.problem(
                    f"this is a hidden character (U+{ord(letter):04X}) {what}. Delete it: a macro must read as it runs",
                    index,
                )
                self.text = "".join(" " if each in ch.HIDDEN else each for each in self.text)
                return

    def problem(self, message: str, at: int, length: int = 1, replacement: str | None = None) -> None:
        self.problems.append(Problem(message, self.line, at + 1, length, "syntax", replacement))

    def token(self, type_: str, text: str, start: int, parts: tuple[str | tuple[Token, ...], ...] = ()) -> Token:
        return Token(type_, text, self.line, start + 1, max(1, self.at - start), parts)

    def tokens(self) -> list[Token]:
        """All tokens of the line."""
        result: list[Token] = []
        while (token := self.next()) is not None:
            result.append(token)
        return result

    def next(self, in_hole: bool = False) -> Token | None:
        """The next token, or None at the end of the line (or at the `}` that closes a hole)."""
        text = self.text
        while self.at < len(text):
            letter = text[self.at]
            start = self.at
            if letter in ch.SPACES or letter in ch.ZERO_WIDTH:
                self.at += 1
                continue
            if letter == "#" and not in_hole:
                self.at = len(text)
                self.comment = text[start:].rstrip()
                return None
            if letter == "}" and in_hole:
                return None
            if letter == '"' or letter in ch.CURLY_QUOTES:
                return self.quoted(in_hole)
            if letter in _DIGITS:
                return self.number()
            if letter.isalpha() or letter == "_":
                return self.word()
            letter = "-" if letter in ch.DASHES else letter
            self.at += 1
            following = self.at
            while text[following : following + 1] in ch.ZERO_WIDTH:
                following += 1
            pair = letter + text[following : following + 1]
            if pair in _TWO:
                self.at = following + 1
                return self.token(SIGN, pair, start)
            if letter in ch.SIGNS or letter in _ONE:
                return self.token(SIGN, ch.SIGNS.get(letter, letter), start)
            return self._meant(letter, start)
        return None

    def _meant(self, letter: str, start: int) -> Token | None:
        """Tells what was meant by a character without a meaning; what follows it can only be guessed at."""
        text = self.text
        self.at = len(text)
        if letter in "'\u2018\u2019`\u00ab\u00bb":
            close = text.find({"\u2018": "\u2019", "\u00ab": "\u00bb"}.get(letter, letter), start + 1)
            inner = text[start + 1 : close] if close > 0 else ""
            fits = inner and '"' not in inner
            whole = (close + 1 - start, f'"{inner}"') if fits else (1, None)
            self.problem('put text in double quotes: "…"', start, *whole)
            return self.token(TEXT, text[start:], start, ("",))
        if letter == "&":
            self.problem('join text with braces: "{first} {second}"', start)
            return None
        if letter in "{}":
            self.problem('braces belong inside quotes: "{sheet.name}"', start)
            return self.token(TEXT, text[start:], start, ("",))
        self.problem(f"the character {letter!r} means nothing here", start)
        return None

    def word(self) -> Token:
        text, start = self.text, self.at
        letters = []
        while self.at < len(text):
            letter = text[self.at]
            if letter.isalnum() or letter == "_":
                letters.append(letter)
            elif letter in ch.DASHES:
                following = self.at + 1
                if following >= len(text) or not (text[following].isalnum()):
                    break
                letters.append("-")
            elif letter not in ch.ZERO_WIDTH:
                break
            self.at += 1
        if len(letters) > LONGEST_WORD:
            self.problem(f"a word can have up to {LONGEST_WORD} letters", start, LONGEST_WORD)
            del letters[LONGEST_WORD:]
        return self.token(WORD, "".join(letters).lower(), start)

    def number(self) -> Token:
        text, start = self.text, self.at
        date = self.date()
        if date:
            return date
        self.digits()
        point = self.behind(self.at, ch.ZERO_WIDTH)
        decimals = self.behind(point + 1, ch.ZERO_WIDTH)
        if text[point : point + 1] == "." and (text[decimals : decimals + 1] or " ") in _DIGITS:
            self.at = decimals
            self.digits()
        elif self.peek() == "," and len(text) >= self.at + 4 and all(
            each in _DIGITS for each in text[self.at + 1 : self.at + 4]
        ) and not (text[self.at + 4 : self.at + 5] or " ")[0].isdigit():  # fmt: skip
            whole = text[start : self.at] + text[self.at + 1 : self.at + 4]
            self.at += 4
            self.problem(
                f"a number cannot contain a comma: write {whole} (in a list, put a space after the comma)",
                start,
                self.at - start,
                whole,
            )
            return self.token(NUMBER, whole, start)
        number = "".join(each for each in text[start : self.at] if each not in ch.ZERO_WIDTH)
        percent = self.behind(self.at, ch.ZERO_WIDTH | ch.SPACES)  # "35 %" is how the standard for units writes it
        if text[percent : percent + 1] == "%":
            self.at = percent + 1
            return self.token(NUMBER, number + "%", start)
        if self.peek().isalpha() and self.at > start:
            end = self.at
            word = self.word()
            if word.text not in UNITS:
                self.problem(f'put a space between "{number}" and "{word.text}"', end, 1, f" {text[end]}")
            self.at = end
        return self.token(NUMBER, number, start)

    def date(self) -> Token | None:
        """A date or a time in ISO 8601, with whatever dash."""
        start = self.at
        # A mark without width can be anywhere in pasted text.
        places = [at for at in range(start, min(start + 40, len(self.text))) if self.text[at] not in ch.ZERO_WIDTH][:19]
        piece = "".join("-" if self.text[at] in ch.DASHES else self.text[at] for at in places)
        shape = "".join("0" if each in _DIGITS else each for each in piece)
        for pattern in ("0000-00-00T00:00:00", "0000-00-00T00:00", "0000-00-00"):
            if shape.upper().startswith(pattern):
                self.at = places[len(pattern) - 1] + 1
                return self.token(DATE, piece[: len(pattern)].upper(), start)
        return None

    def digits(self) -> None:
        while self.peek() in _DIGITS or (self.peek() in ch.ZERO_WIDTH and self.peek(1) in _DIGITS):
            self.at += 1

    def behind(self, at: int, passed: frozenset[str]) -> int:
        """The first place from `at` on that contains none of these characters."""
        while at < len(self.text) and self.text[at] in passed:
            at += 1
        return at

    def peek(self, ahead: int = 0) -> str:
        return self.text[self.at + ahead : self.at + ahead + 1] or " "

    def _brace(self, in_hole: bool, parts: list[str | tuple[Token, ...]], letters: list[str]) -> None:
        """Reads what begins with a brace in a text: a hole, or what a pattern repeats."""
        numbers = self.pattern_count()
        if numbers:
            letters.append(numbers)
        elif in_hole:
            self.problem("text inside braces cannot contain braces. Give it a name in a line above", self.at)
            self.at += 1
        else:
            if letters:
                parts.append("".join(letters))
                letters.clear()
            parts.append(self.hole())

    def quoted(self, in_hole: bool) -> Token:
        """A text; straight quotes end at a straight one, curly at a curly. A doubled quote means itself."""
        text, start = self.text, self.at
        closers = frozenset('"') if text[start] == '"' else ch.CURLY_QUOTES
        self.at += 1
        parts: list[str | tuple[Token, ...]] = []
        letters: list[str] = []
        while self.at < len(text):
            letter = text[self.at]
            following = text[self.at + 1 : self.at + 2]
            if letter in closers:
                if following and following in closers:
                    letters.append('"' if letter == '"' else letter)
                    self.at += 2
                    continue
                self.at += 1
                if letters or not parts:
                    parts.append("".join(letters))
                return self.token(TEXT, text[start : self.at], start, tuple(parts))
            if letter in "{}" and following == letter:
                letters.append(letter)
                self.at += 2
            elif letter == "{":
                self._brace(in_hole, parts, letters)
            else:
                if letter == "}" and not in_hole:
                    self.problem("for a plain brace in text, double it: }}", self.at)
                letters.append(letter)
                self.at += 1
        if not self.broken:
            close = '"' if '"' in closers else "\u201d"
            said = text[start:].rstrip()
            self.problem(
                f"the closing quote is missing. Add {close} at the end", start, len(text) - start, said + close
            )
        parts.append("".join(letters))
        return self.token(TEXT, text[start:], start, tuple(parts))

    def pattern_count(self) -> str:
        """`{3}` or `{2,}` of a pattern, which is not a hole."""
        end = self.text.find("}", self.at)
        inner = self.text[self.at + 1 : end] if end > 0 else ""
        if inner and all(each in "0123456789," for each in inner):
            self.at = end + 1
            return "{" + inner + "}"
        return ""

    def hole(self) -> tuple[Token, ...]:
        start = self.at
        self.at += 1
        tokens: list[Token] = []
        told = len(self.problems)
        while (token := self.next(in_hole=True)) is not None:
            tokens.append(token)
        if self.peek() == "}":
            self.at += 1
        else:
            # The quote that ends the text was read as the start of one inside the hole: one slip, told once.
            del self.problems[told:]
            self.broken = True
            tokens = []
            self.problem("a closing brace is missing. Add }, or write {{ for a plain brace", start)
        if not tokens and not self.broken:
            self.problem(
                "the braces are empty. Write a name in them, or {{ }} for plain braces", start, self.at - start
            )
        end = self.token(END, "", self.at - 1)
        return (*tokens, end)
