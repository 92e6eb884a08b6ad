"""What could come next at a place of a macro, from its tree and the Vocabulary: for prompts and editors."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from scrub.language.check_questions import ANSWER_TYPES
from scrub.language.cursor import Slip
from scrub.language.expressions import ExpressionReader
from scrub.language.incremental import Edited
from scrub.language.lexer import DATE, END, NEWLINE, NUMBER, TEXT, WORD, LineLexer, Token, lex
from scrub.language.look import Seen
from scrub.language.parser import parse
from scrub.language.reading import HEADER_HELP
from scrub.language.words import COMPARISONS, HEADER, KEYWORDS, STARTERS, VALUES
from scrub.model.core.amounts import UNITS
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Problem
from scrub.model.core.types import ANY, YES_NO, Type
from scrub.model.vocabulary import Callee, Parameter, Vocabulary

_WORD = re.compile(r"[\w-]*$")
_WORDS = re.compile(r"^\s*[^\s#]")
#: What means a line on which nothing was written yet.
_NOTHING_YET = "nothing-yet"


class Known(NamedTuple):
    """What is in the file: the names of items by their kind, and its headings as a macro writes them."""

    items: Mapping[str, Sequence[str]] = MappingProxyType({})
    headings: Sequence[str] = ()
    #: The titles of the macros that can be run, with what they are about.
    titles: Mapping[str, str] = MappingProxyType({})
    #: Files that can be opened.
    files: Sequence[str] = ()


class Fit(NamedTuple):
    """A word that could be at a place: what kind of word it is, and a line of help."""

    word: str
    sort: str
    help: str = ""
    #: The kind or type of value that has it.
    owner: str = ""
    #: The type of its value, as a sentence calls it.
    type: str = ""
    #: Its arguments, as a macro names them; those in brackets can be left out.
    arguments: tuple[str, ...] = ()
    example: str = ""
    #: Where the word begins that it takes the place of (from 1), and how long that is so far.
    column: int = 0
    length: int = 0


def at(text: str, line: int, column: int, vocabulary: Vocabulary, known: Known | None = None) -> list[Fit]:
    """The words that could be at a place of a macro, each whole; line and column count from 1.

    The word that is being written there is left out of the reading, so that the line may be broken in any way.
    """
    return at_edited(Edited(text, vocabulary), line, column, known)


def at_edited(edited: Edited, line: int, column: int, known: Known | None = None) -> list[Fit]:
    """The same for a text in an editor: only the current statement is read again."""
    lines = [*edited.lines, *[""] * (line - len(edited.lines))]
    before = lines[line - 1][: column - 1]
    hole = _open_hole(before)
    if hole is not None:
        before = hole
    begun = _WORD.search(before)
    word = begun[0] if begun else ""
    head = before[: len(before) - len(word)]
    known = known or Known()
    name = _open_name(before)
    if name is not None:
        kind, start = name
        return _placed(_names_in(kind, known), start, column)
    header = _header(edited, lines, line, head, word) if hole is None else None
    if header is not None:
        return _placed(header, word, column)
    lines[line - 1] = head if head.strip() else _NOTHING_YET
    seen = edited.look(lines, line)
    if seen is None:
        return []
    tokens = _statement_before([*lines[: line - 1], head], line, edited.start_of(line))
    offers = _Offers(edited.vocabulary, known, seen)
    return _placed(offers.after(tokens) if tokens or hole is None else offers.values(), word, column)


def call_at(edited: Edited, line: int, column: int) -> tuple[Callee, int] | None:
    """What takes the arguments that are being written at a place, and the number of the current one (from 0); None
    where there is none.
    """
    lines = [*edited.lines, *[""] * (line - len(edited.lines))]
    before = lines[line - 1][: column - 1]
    before = _open_hole(before) or before
    seen = edited.look([*lines[: line - 1], before if before.strip() else _NOTHING_YET, *lines[line:]], line)
    tokens = _statement_before([*lines[: line - 1], before], line, edited.start_of(line))
    if seen is None or not tokens:
        return None
    return _Offers(edited.vocabulary, Known(), seen).call(tokens)


def _placed(found: Iterable[Fit], word: str, column: int) -> list[Fit]:
    """Those that go on from what is written so far, each once, with where that is."""
    low, fitting = word.lower(), dict[str, Fit]()
    for fit in found:
        if fit.word.lower().startswith(low):
            fitting.setdefault(fit.word, fit._replace(column=column - len(word), length=len(word)))
    return list(fitting.values())


def _names_in(kind: str, known: Known) -> list[Fit]:
    """The names of items of a kind, or the titles of macros."""
    if kind == "run":
        return [Fit(title, "macro", about) for title, about in known.titles.items()]
    if kind in ("open", "copy-of", "own-file"):
        return [Fit(name, "file") for name in known.files]
    return [Fit(name, "text", f"a {kind}") for name in known.items.get(kind, ())]


def _header(edited: Edited, lines: list[str], line: int, head: str, word: str) -> list[Fit] | None:
    """What the header can say; None below it."""
    macro = edited.macro
    below = any(_WORDS.search(each) for each in lines[max(macro.body_at, 0) : line - 1])
    first, _, rest = head.strip().partition(" ")
    if below or (line <= macro.body_at and first.lower() not in ("", *HEADER)):
        return None
    if first.lower() == "for" and "macro" in macro.places and not rest.startswith("each"):
        kinds = edited.vocabulary.kinds
        files = [Fit(each, "kind", kinds[each].summary) for each in edited.vocabulary.files]
        more = [Fit("nothing", "kind", "the macro needs no file"), Fit("all", "word", "all files at once")]
        return files + (more if not rest else [])
    if first.lower() in HEADER:
        return [] if line <= macro.body_at else None
    if head.strip():
        return None
    left = [each for each in HEADER if each not in macro.places or each == "about"]
    offered = [Fit(each, "header", HEADER_HELP[each]) for each in left]
    if line <= macro.body_at or not {"macro", "for"} <= macro.places.keys():
        return offered
    return None


def _open_hole(before: str) -> str | None:
    """What is after the brace of a hole in which the line ends; None outside of one."""
    opened = before.rfind("{")
    if opened < 0 or before.find("}", opened) >= 0 or before[opened - 1 : opened] == "{":
        return None
    return before[opened + 1 :] if before[:opened].count('"') % 2 and before[opened:].count('"') % 2 == 0 else None


def _open_name(before: str) -> tuple[str, str] | None:
    """The kind and the begun name of an item that is being looked up, `sheet("Lar`; None elsewhere."""
    tokens = LineLexer(before, 1, []).tokens()
    last = tokens[-1] if tokens else None
    if last is None or last.type != TEXT or (len(last.text) > 1 and last.text[-1] in '"\u201d'):
        return None
    if len(tokens) == 2 and tokens[0].is_word("run"):
        return "run", last.text[1:]
    kind = tokens[-3].text if len(tokens) > 2 and tokens[-2].is_sign("(") and tokens[-3].type == WORD else ""
    return kind, last.text[1:]


def _statement_before(lines: list[str], line: int, start: int) -> list[Token]:
    """The tokens of the statement that is being written, up to its last one so far; it begins behind `start` lines."""
    tokens = [token for token in lex(lines, start, []) if token.type != END]
    if tokens and tokens[-1].type == NEWLINE:
        tokens.pop()
    start = max((index + 1 for index, token in enumerate(tokens) if token.type == NEWLINE), default=0)
    result = tokens[start:]
    if not result or result[-1].line == line:
        return result
    going_on = result[-1].is_sign(",") or result[-1].is_word("and", "or") or _open_brackets(result)
    return result if going_on else []


def _open_brackets(tokens: Sequence[Token]) -> list[int]:
    """The places of brackets that are not closed."""
    result: list[int] = []
    for place, token in enumerate(tokens):
        if token.is_sign("(", "["):
            result.append(place)
        elif token.is_sign(")", "]") and result:
            result.pop()
    return result


class _Offers:
    """The words that fit after tokens, in the scope that was seen there."""

    def __init__(self, vocabulary: Vocabulary, known: Known, seen: Seen) -> None:
        self.vocabulary = vocabulary
        self.known = known
        self.seen = seen
        self.scope = seen.scope

    def after(self, tokens: list[Token]) -> list[Fit]:
        """What can follow."""
        if not tokens:
            return self._start()
        last = tokens[-1]
        if last.is_sign("."):
            return self._dotted(self._type(tokens[:-1]))
        second = _second_word(tokens)
        if second is not None:
            return second
        wanted = self._wanted(tokens)
        if wanted is not None:
            return wanted
        if last.is_word("each"):
            return self._kinds()
        if tokens[0].is_word("skip") and len(tokens) == 1:
            return [Fit(loop, "kind") for loop in self.seen.loops if loop]
        named = self._argument(tokens)
        if named is not None:
            return named
        if last.type == NUMBER and not last.text.endswith("%"):
            return [*_units(last.text), *_words((*COMPARISONS, "and", "or", "times"))]
        if _ends_value(last):
            if not tokens[0].is_word("each"):
                return _words((*COMPARISONS, "and", "or"))
            if any(token.is_word("sorted") for token in tokens):
                return _words(("descending", "as"))
            asked = any(token.is_word("where") for token in tokens)
            return _words((*COMPARISONS, "and", "or", "sorted by") if asked else ("where", "in", "as", "sorted by"))
        return self.values()

    def _start(self) -> list[Fit]:
        current = self.scope.current
        actions = self.vocabulary.kinds[current.kind].actions.values() if current else ()
        offered = [_callee(action, "action") for action in actions]
        return [*offered, *_words(STARTERS), *self._names(), *self._items()]

    def _names(self) -> list[Fit]:
        return [Fit(word, "name", f"{name.type}", type=f"{name.type}") for word, name in self.scope.names.items()]

    def _items(self) -> list[Fit]:
        return [Fit(item.word, "item", f"a {item.kind}", type=item.kind) for item in reversed(self.scope.items)]

    def _kinds(self) -> list[Fit]:
        """The kinds that can be visited here: those inside the current item first."""
        kinds, current = self.vocabulary.kinds, self.scope.current
        inside = [word for word in kinds if current and self.vocabulary.path(current.kind, word)]
        others = [word for word in kinds if word not in inside]
        return [Fit(word, "kind", kinds[word].summary) for word in (*inside, *others)]

    def values(self) -> list[Fit]:
        """What a value can begin with."""
        kinds = [Fit(word, "kind", kind.summary) for word, kind in self.vocabulary.kinds.items()]
        current = self.scope.current
        actions = self.vocabulary.kinds[current.kind].actions.values() if current else ()
        making = [_callee(action, "action") for action in actions if action.gives.item]
        functions = [Fit(word, "function", help_) for word, help_ in _FUNCTIONS.items()]
        selected = [Fit("selection", "item", "what the person picked")] if self._can_select() else []
        words = [*_words(sorted(VALUES)), *_words(("not",)), *selected]
        return [*self._names(), *self._items(), *words, *functions, *making, *kinds]

    def _can_select(self) -> bool:
        first = self.scope.items[0].kind if self.scope.items else ""
        return bool(first and self.vocabulary.kinds[first].selection)

    def _type(self, tokens: list[Token]) -> Type:
        """The type of the value or item that the tokens end with."""
        first = _postfix_start(tokens)
        reader = ExpressionReader((*tokens[first:], Token(END, "", 1, 1, 1)), [])
        try:
            node = reader.postfix()
        except Slip:
            return ANY
        return self.seen.type(node)

    def _dotted(self, found: Type) -> list[Fit]:
        if found.item:
            kind = self.vocabulary.kinds[found.word]
            if kind.cls.open_fields:
                return [Fit(heading, "heading") for heading in self.known.headings]
            fields = [
                Fit(field.word, "field", field.docs.summary, kind.word, str(field.type), (), field.docs.example)
                for field in kind.fields.values()
            ]
            inside = [each for each in self.vocabulary.kinds if self.vocabulary.path(kind.word, each)]
            inside += [each for each in kind.finds if each not in inside]
            kinds = [Fit(each, "kind", self.vocabulary.kinds[each].summary) for each in inside]
            return [*fields, *(_callee(part, "part") for part in kind.parts.values()), *kinds]
        every = self.vocabulary.operations.items()
        return sorted(
            _callee(each, "operation")
            for (of, _), each in every
            if found in (ANY, Type(of)) or (found.word == of and of in ("list", "pairs"))
        )

    def _wanted(self, tokens: list[Token]) -> list[Fit] | None:
        """The words that a field takes, after `=` or `is`; None where it takes any value."""
        end = len(tokens)
        while end and (tokens[end - 1].is_word("is", "not") or tokens[end - 1].is_sign("=")):
            end -= 1
        if end == len(tokens) or not end:
            return None
        if end < 2 or not tokens[end - 2].is_sign("."):
            return None
        found = self._type(tokens[:end])
        words = [*found.choices] or (["yes", "no"] if found == YES_NO else [])
        if not words and self._may_be_nothing(tokens[:end]):
            words = ["nothing"]
        return [Fit(word, "choice") for word in words] if words else None

    def _may_be_nothing(self, tokens: list[Token]) -> bool:
        """Whether the tokens end with a field that can be nothing."""
        of = self._type(tokens[:-2])
        field = self.vocabulary.kinds[of.word].fields.get(tokens[-1].text) if of.item else None
        return field is not None and field.may_be_nothing

    def _argument(self, tokens: list[Token]) -> list[Fit] | None:
        """Names and values of arguments of an action, or of what is before an open bracket."""
        brackets = _open_brackets(tokens)
        inner = next((place for place in reversed(brackets) if tokens[place].is_sign("(")), None)
        in_list = bool(brackets) and tokens[brackets[-1]].is_sign("[")
        callee = self._callee(tokens, inner)
        start = 1 if inner is None else inner + 1
        names = [
            tokens[place].text for place in range(start, len(tokens) - 1)
            if tokens[place].type == WORD and tokens[place + 1].is_sign(":")
        ]  # fmt: skip
        special = _ARGUMENTS.get(tokens[inner - 1].text) if inner else None
        if special is not None:
            return self._special(tokens, special, names)
        if callee is None:
            return None
        parameter = callee.by_word.get(names[-1]) if names else None
        if tokens[-1].is_sign(":") or in_list:
            return self._for(parameter)
        if tokens[-1].is_sign(",", "(") or len(tokens) == start:
            left = [each for each in callee.parameters if each.word not in names]
            offered = [Fit(f"{each.word}:", "argument", each.doc, callee.word, str(each.type)) for each in left]
            return offered + self.values()
        return None

    def _special(self, tokens: list[Token], arguments: Mapping[str, str], names: list[str]) -> list[Fit] | None:
        """The arguments of what is not in the vocabulary, such as `ask`."""
        if tokens[-1].is_sign(":"):
            if names and names[-1] == "as":
                return [Fit(word, "choice") for word in ANSWER_TYPES]
            return [Fit(word, "choice") for word in IF_EXISTS] if names[-1:] == ["if-exists"] else self.values()
        if tokens[-1].is_sign(","):
            return [Fit(f"{word}:", "argument", help_) for word, help_ in arguments.items() if word not in names]
        return None

    def call(self, tokens: list[Token]) -> tuple[Callee, int] | None:
        """What takes the arguments at the end of some tokens, and the number of the current one."""
        brackets = [place for place in _open_brackets(tokens) if tokens[place].is_sign("(")]
        callee = self._callee(tokens, brackets[-1] if brackets else None)
        if callee is None or not callee.parameters:
            return None
        start = brackets[-1] + 1 if brackets else 1
        named = [
            tokens[place].text for place in range(start, len(tokens) - 1)
            if tokens[place].type == WORD and tokens[place + 1].is_sign(":")
        ]  # fmt: skip
        words = [each.word for each in callee.parameters]
        if named and named[-1] in words and not tokens[-1].is_sign(","):
            return callee, words.index(named[-1])
        left = [place for place, word in enumerate(words) if word not in named]
        commas = sum(token.is_sign(",") for token in tokens[start:])
        return callee, (left[0] if left else len(words) - 1) if commas else 0

    def _for(self, parameter: Parameter | None) -> list[Fit]:
        if parameter is not None and parameter.choice is not None:
            return [Fit(each.value, "choice") for each in parameter.choice]
        if parameter is not None and parameter.type == YES_NO:
            return [*_words(("yes", "no")), *self.values()]
        return self.values()

    def _callee(self, tokens: list[Token], bracket: int | None) -> Callee | None:
        """What takes the arguments that are being written."""
        kinds, current = self.vocabulary.kinds, self.scope.current
        if bracket is None:
            if tokens[0].type != WORD or (len(tokens) > 1 and tokens[1].is_sign("=", ".")):
                return None
            word = tokens[0].text
            own = kinds[current.kind].actions.get(word) if current else None
            return own or next((kind.actions[word] for kind in kinds.values() if word in kind.actions), None)
        word = tokens[bracket - 1].text if bracket else ""
        if bracket > 1 and tokens[bracket - 2].is_sign("."):
            of = self._type(tokens[: bracket - 2])
            if of.item:
                return kinds[of.word].parts.get(word)
            every = self.vocabulary.operations
            return every.get((of.word, word)) or next((each for (_, name), each in every.items() if name == word), None)
        return kinds[current.kind].actions.get(word) if current else None


def _callee(callee: Callee, sort: str) -> Fit:
    """An action, an operation or a part."""
    arguments = tuple(each.word if each.required else f"[{each.word}]" for each in callee.parameters)
    docs = callee.docs
    return Fit(callee.word, sort, docs.summary, callee.owner, str(callee.gives), arguments, docs.example)


#: What takes the place of a value, besides the words of the vocabulary.
_FUNCTIONS = {
    "ask": "asks the person before the macro starts", "secret": "asks for a password", "count": "how many items",
    "sum": "of a value of each item", "smallest": "of a value of each item", "largest": "of a value of each item",
    "average": "of a value of each item", "list": "a value of each item", "pairs": "a value for each key",
    "open": "another file, for reading", "new-file": "an empty file", "copy-of": "a new file made of another one",
    "new-message": "a draft", "own-file": "a file that belongs to the macro", "run": "what another macro gives",
}  # fmt: skip
#: Their arguments.
_ARGUMENTS: Mapping[str, Mapping[str, str]] = {
    "ask": {
        "as": "the type of the answer",
        "from": "the answers to choose from",
        "default": "the answer if none is given",
    },
    "pairs": {"otherwise": "the value of a key that got none"},
    "new-file": {"to": "its folder", "if-exists": "what to do about a file of that name"},
    "copy-of": {"name": "the name of the copy", "to": "its folder"},
    "new-message": {"to": "the recipients", "subject": "the subject", "text": "the text"},
}
#: Units that have a form for one.
_BOTH = frozenset(word for unit in UNITS if f"{unit}s" in UNITS for word in (unit, f"{unit}s"))
IF_EXISTS = ("number", "replace", "fail")


def _second_word(tokens: list[Token]) -> list[Fit] | None:
    """The rest of words that consist of two; None behind others."""
    last = tokens[-1]
    if last.is_word("ends", "starts", "start", "end") and len(tokens) > 1:
        return _words(("with",))
    if last.is_word("does"):
        return _words(("not",))
    if last.is_word("not") and len(tokens) > 1 and tokens[-2].is_word("does"):
        return _words(("contain", "start with", "end with", "match", "exist"))
    if last.is_word("sorted"):
        return _words(("by",))
    if last.is_word("leave"):
        return _words(("loop",))
    return None


def _units(number: str) -> list[Fit]:
    """The units of amounts, in the singular or plural that this number needs."""
    one = number == "1"
    wanted = [word for word in UNITS if (f"{word}s" not in UNITS) != one or word not in _BOTH]
    return [Fit(word, "unit", f"a {UNITS[word][0].word}") for word in wanted]


def _postfix_start(tokens: Sequence[Token]) -> int:
    """Where the value begins that the tokens end with: `sheet("Totals").name`."""
    place = len(tokens) - 1
    while place >= 0:
        if tokens[place].is_sign(")", "]"):
            depth = 0
            while place >= 0:
                depth += tokens[place].is_sign(")", "]") - tokens[place].is_sign("(", "[")
                if not depth:
                    break
                place -= 1
            if place > 0 and tokens[place].is_sign("(") and tokens[place - 1].type == WORD:
                place -= 1
        if place < 2 or not tokens[place - 1].is_sign("."):
            break
        place -= 2
    return max(place, 0)


def _ends_value(token: Token) -> bool:
    if token.type == WORD:
        return token.text not in KEYWORDS - VALUES
    return token.type in (NUMBER, DATE, TEXT) or token.is_sign(")", "]")


def _words(words: Iterable[str]) -> list[Fit]:
    return [Fit(word, "word") for word in words]


def is_open(text: str) -> bool:
    """Whether a block in the text still wants its `end`, so that more lines must follow."""
    problems: list[Problem] = parse(f"macro x\nfor nothing\n{text}", "")[1]
    return any(problem.code == "open-block" for problem in problems) or text.rstrip().endswith(",")
