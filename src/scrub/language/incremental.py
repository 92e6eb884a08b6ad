"""A macro that is being edited: after each edit only what it touches is read and checked again.

The body is kept in pieces, which are whole statements. Each is checked with what was in reach before it; one whose
lines and whose surroundings are the same as before keeps its problems. Where the blocks of a text do not close, the
whole is checked at once, as `check` does: the result is always the same.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any

from scrub.language.check_blocks import check_block
from scrub.language.check_statements import check_header, on_file, started
from scrub.language.checker import as_told, check
from scrub.language.checking import Checking, Resolver
from scrub.language.header import read_header
from scrub.language.lexer import LineLexer, LineRead, counts, lex, split_lines
from scrub.language.look import Seen
from scrub.language.parser import parse_lines
from scrub.language.program import Program
from scrub.language.scope import NameOf, Scope
from scrub.language.tree import Block, Macro
from scrub.language.words import BLOCKS, SURE_STARTERS
from scrub.model.core.host import Question
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Problem
from scrub.model.core.types import Type
from scrub.model.vocabulary import Vocabulary

#: Lines of a piece at the least: with more pieces, what each has to know costs more than to check it.
_LEAST = 40


class _Line(NamedTuple):
    """What one line does to the blocks and brackets around the next."""

    #: 1 opens a block, -1 closes one, 0 neither.
    opens: int
    brackets: int
    #: Whether the statement goes on if no bracket is open.
    goes_on: bool
    #: Whether it begins a statement, even inside an open bracket.
    begins: bool
    filled: bool


@lru_cache(maxsize=20_000)
def _line(text: str) -> _Line:
    tokens = LineLexer(text, 1, []).tokens()
    if not tokens:
        return _Line(0, 0, False, False, False)
    first, last = tokens[0], tokens[-1]
    brackets = sum(token.is_sign("(", "[") - token.is_sign(")", "]") for token in tokens)
    handler = first.is_word("if") and len(tokens) > 2 and tokens[1].is_word("it") and tokens[2].is_word("fails")
    opens = -1 if first.is_word("end") else int((first.is_word(*BLOCKS) or counts(tokens)) and not handler)
    begins = first.is_word(*SURE_STARTERS) or (len(tokens) > 1 and tokens[1].is_sign("="))
    return _Line(opens, brackets, last.is_sign(",") or last.is_word("and", "or"), begins, True)


class _State(NamedTuple):
    """What is known between two pieces."""

    #: Each name with its type, and the piece and the line of it that first set it.
    names: Mapping[str, tuple[Type, _Piece | None, int]]
    assigned: frozenset[str]
    at_top: bool
    questions: tuple[Question, ...]
    looked_up: frozenset[str]
    gives: Type | None

    def same(self, other: _State) -> bool:
        """Whether it lets the next piece mean the same."""
        if self[1:] != other[1:] or self.names.keys() != other.names.keys():
            return False
        return all(known[0] == other.names[word][0] for word, known in self.names.items())


class _Piece:
    """Some whole statements: their lines, and what was found in them."""

    def __init__(self, lines: Sequence[str], start: int) -> None:
        self.lines = lines
        self.start = start  # the number of lines before it, as the text is now
        self.body: Block | None = None
        self.read: dict[int, LineRead] = {}
        self.read_at = start  # the same when it was read
        self.slips: list[Problem] = []
        self.results: dict[str, _Result] = {}  # by the kind of file
        self.mentions: tuple[Checking, Any] | None = None  # what was asked of it so far

    @property
    def shift(self) -> int:
        """How many lines further down it is than when it was read."""
        return self.start - self.read_at


class _Result:
    """What came of checking a piece on one kind of file."""

    def __init__(self, before: _State, after: _State, on: Checking, problems: list[Problem], at: int) -> None:
        self.before, self.after, self.on, self.problems, self.at = before, after, on, problems, at
        #: A problem that names another line is worded again, since that line may move.
        self.stays = not any("since line" in problem.message for problem in problems)


class Edited:
    """The text of a macro in an editor, and all that is known of it."""

    def __init__(
        self,
        text: str,
        vocabulary: Vocabulary,
        resolve: Resolver | None = None,
        own_files: Mapping[str, str] | None = None,
        name: str = "macro",
    ) -> None:
        self.vocabulary, self.resolve, self.own_files, self.name = vocabulary, resolve, own_files or {}, name
        self.lines: list[str] = []
        self.pieces: list[_Piece] = []
        self.macro = Macro(name, [])
        self.text = ""
        self._closes = True
        self._problems: list[Problem] | None = None
        self._header: tuple[object, ...] = ()
        self.edit(text)

    def edit(self, text: str) -> None:
        """Takes a new version of the text."""
        lines = split_lines(text.removeprefix("\ufeff"))
        self.text = text
        header: list[Problem] = []
        macro = Macro(self.name, lines)
        body_at = read_header(macro, lines, header)
        start = macro.body_at = min(body_at, max((place.line for place in macro.places.values()), default=0))
        kinds = (macro.runs_on, macro.for_all, macro.called)
        if kinds != self._header or self.lines[: self.macro.body_at][-1:] != lines[:start][-1:]:
            self.pieces = []  # it runs on other files: everything may mean something else
        self._header = kinds
        self.pieces = list(self._cut(lines, start))
        self.lines, self.macro, self._slips, self._problems = lines, macro, header, None

    def _cut(self, lines: list[str], start: int) -> Iterator[_Piece]:
        """The pieces of a text: those of the last version where their lines are the same."""
        old, moved = self.pieces, len(lines) - len(self.lines)
        kept = 0
        for piece in old:
            if piece.start != start or lines[start : start + len(piece.lines)] != piece.lines:
                break
            yield piece
            start += len(piece.lines)
            kept += 1
        behind = {piece.start + moved: place for place, piece in enumerate(old) if place >= kept}
        self._closes = True
        while start < len(lines):
            place = behind.get(start)
            if place is not None and _same_end(old[place:], lines, start):
                for piece in old[place:]:
                    piece.start += moved
                    yield piece
                return
            end = start
            while end < len(lines) and end - start < _LEAST and (end == start or end not in behind):
                end = self._end(lines, end)
            yield _Piece(lines[start:end], start)
            start = end

    def _end(self, lines: list[str], start: int) -> int:
        """Where the statement that begins at a line ends; blank lines and comments before it belong to it."""
        depth = brackets = 0
        joining = False
        for place in range(start, len(lines)):
            line = _line(lines[place])
            if not line.filled:
                continue
            begins = line.begins if brackets else not joining
            brackets = line.brackets if brackets and begins else max(0, brackets + line.brackets)
            if begins:
                depth += line.opens
            joining = line.goes_on
            if depth <= 0 and not brackets and not joining:
                return place + 1
        return len(lines)

    # -- what is found

    def problems(self) -> list[Problem]:
        """Every problem, as `check` finds them."""
        if self._problems is None:
            found = self._checked() if self.macro.runs_on else None
            self._problems = (
                check(self.text, self.name, self.vocabulary, self.resolve, self.own_files) if found is None else found
            )
        return self._problems

    def _checked(self) -> list[Problem] | None:
        """The problems, piece by piece; None where the blocks do not close."""
        for piece in self.pieces:
            self._read(piece)
            if any(slip.message.startswith(('this "', "more than")) for slip in piece.slips):
                return None
        found = [
            *map(_copied, self._slips),
            *(_moved(slip, piece.shift) for piece in self.pieces for slip in piece.slips),
        ]
        for start, called in self.starts():
            check_header(self._checking(self.macro, found))
            found += self._chain(start, called)
        return as_told(found, self.lines, self.name)

    def starts(self) -> list[tuple[str, str]]:
        """The kinds of file that the text is checked for, and the word for each."""
        macro = self.macro
        words = [word for word in dict.fromkeys(macro.runs_on) if word in self.vocabulary.kinds]
        several = len(words) > 1 and not macro.for_all
        return [
            (word, "file" if several else macro.called.get(word, word))
            for word in (words if several else words[:1] or [""])
        ]

    def _checking(self, macro: Macro, problems: list[Problem]) -> Checking:
        program = Program(macro, self.text)
        program.own_files = self.own_files
        return Checking(program, self.vocabulary, problems, self.resolve)

    def _read(self, piece: _Piece) -> None:
        """Reads a piece, unless it was."""
        if piece.body is not None:
            return
        piece.read_at, piece.slips, piece.read = piece.start, [], {}
        end = piece.start + len(piece.lines)
        tokens = lex(self.macro.lines[:end], piece.start, piece.slips, piece.read)
        piece.body = parse_lines(tokens, piece.slips)

    def _chain(self, start: str, called: str) -> Iterator[Problem]:
        """The problems of all pieces on one kind of file, and of what is known at the end."""
        state = _State({}, frozenset(), True, (), frozenset(), None)
        every: list[tuple[_Piece, _Result]] = []
        for piece in self.pieces:
            result = self._result(piece, state, start, called)
            every.append((piece, result))
            state = result.after
        read = {word for _, result in every for word in result.on.read}
        for piece, result in every:
            for problem in result.problems:
                yield _moved(problem, piece.start - result.at)
            for word, how, place in result.on.like_fields:
                if word not in read:
                    message = f"this value is never used. To set the field, write: {how}"
                    line, column, length = place
                    yield Problem(message, line + piece.start - result.at, column, length, "meaning")

    def _result(self, piece: _Piece, state: _State, start: str, called: str) -> _Result:
        """What comes of a piece after what is before it; what it was, where that is the same."""
        known = piece.results.get(start)
        if known is not None and known.stays and (known.before is state or known.before.same(state)):
            known.before = state
            return known
        problems: list[Problem] = []
        self._read(piece)
        if piece.shift:
            piece.body = None
            self._read(piece)
        on = self._checking(self.macro, problems)
        self._enter(on, state)
        assert piece.body is not None
        with on_file(on, *started(on, start, called)):
            check_block(on, piece.body)
        found = piece.results[start] = _Result(state, self._after(on, piece, state), on, problems, piece.start)
        if known is not None and known.after.same(found.after):
            found.after = known.after  # so that those behind it need no look
        return found

    @staticmethod
    def _enter(on: Checking, state: _State) -> None:
        """Lets what is known before a piece be in reach."""
        for word, (type_, piece, line) in state.names.items():
            on.scope.names[word] = NameOf(on.scope.new_slot(), type_, line + (piece.start if piece is not None else 0))
        on.scope.assigned = set(state.assigned)
        on.at_top = state.at_top
        on.program.questions = list(state.questions)
        on.program.question_slots = [0] * len(state.questions)
        on.program.gives = state.gives
        on.looked_up = {word: [] for word in state.looked_up}

    @staticmethod
    def _after(on: Checking, piece: _Piece, state: _State) -> _State:
        """What is known behind a piece."""
        names: dict[str, tuple[Type, _Piece | None, int]] = {}
        for word, name in on.scope.names.items():
            before = state.names.get(word)
            names[word] = (name.type, *(before[1:] if before is not None else (piece, name.line - piece.start)))
        return _State(
            names, frozenset(on.scope.assigned), on.at_top, tuple(on.program.questions), frozenset(on.looked_up),
            on.program.gives,
        )  # fmt: skip

    # -- for completion and hover

    def piece_at(self, line: int) -> _Piece | None:
        """The piece with a line, counted from 1."""
        place = bisect_left(self.pieces, line, key=lambda piece: piece.start + len(piece.lines))
        found = self.pieces[place] if place < len(self.pieces) else None
        return found if found is not None and found.start < line else None

    def start_of(self, line: int) -> int:
        """How many lines are before the statements around a line."""
        piece = self.piece_at(line)
        return piece.start if piece is not None else self.pieces[-1].start if self.pieces else self.macro.body_at

    def checked(self, piece: _Piece) -> Checking | None:
        """What its words mean, on the first kind of file; None where the text cannot be checked in pieces."""
        self.problems()
        result = piece.results.get(self.starts()[0][0])
        if result is None or piece.body is None:  # the blocks do not close: this piece alone is looked at
            list(self._chain(*self.starts()[0]))
            result = piece.results.get(self.starts()[0][0])
        return result.on if result is not None else None

    def look(self, lines: list[str], line: int) -> Seen | None:
        """What is in reach at a line of these lines, which are the text but for that line."""
        piece = self.piece_at(line)
        start, called = self.starts()[0]
        before = _State({}, frozenset(), True, (), frozenset(), None)
        first, end = (
            (piece.start, piece.start + len(piece.lines)) if piece is not None else (self.macro.body_at, len(lines))
        )
        if piece is not None:
            self.problems()
            known = piece.results.get(start)
            before = known.before if known is not None else before
            if known is None:
                first, end = self.macro.body_at, len(lines)
        macro = Macro(self.name, lines)
        macro.runs_on, macro.called, macro.for_all = self.macro.runs_on, self.macro.called, self.macro.for_all
        macro.places = self.macro.places
        problems: list[Problem] = []
        body = parse_lines(lex(lines[:end], first, problems, {}), problems)
        on = self._checking(macro, problems)
        on.watched = line
        self._enter(on, before)
        with on_file(on, *started(on, start, called)):
            check_block(on, body)
        if on.seen is None:  # the line is after the last statement
            scope: Scope = on.scope
            with on_file(on, *started(on, start, called)):
                return Seen(on, scope.copied(), [])
        return Seen(on, *on.seen)


def _same_end(pieces: Sequence[_Piece], lines: list[str], start: int) -> bool:
    """Whether the rest of a text is that of some pieces."""
    for piece in pieces:
        if lines[start : start + len(piece.lines)] != piece.lines:
            return False
        start += len(piece.lines)
    return start == len(lines)


def _moved(problem: Problem, lines: int) -> Problem:
    """A problem some lines further down."""
    found = _copied(problem)
    found.line += lines
    return found


def _copied(problem: Problem) -> Problem:
    return Problem(problem.message, problem.line, problem.column, problem.length, problem.code, problem.replacement)
