"""What could come next at a place of a macro, from its tree and the Vocabulary: for prompts and editors."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from scrub.language.check_questions import ANSWER_TYPES
from scrub.language.cursor import Slip
from scrub.language.expressions import ExpressionReader
from scrub.language.lexer import DATE, END, NEWLINE, NUMBER, TEXT, WORD, LineLexer, Token, lex, split_lines
from scrub.language.look import Seen, look
from scrub.language.parser import parse
from scrub.language.words import COMPARISONS, KEYWORDS, STARTERS, VALUES
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Problem
from scrub.model.core.types import ANY, YES_NO, Type
from scrub.model.vocabulary import Callee, Parameter, Vocabulary

_WORD = re.compile(r"[\w-]*$")
#: What means a line on which nothing was written yet.
_NOTHING_YET = "nothing-yet"


class Known(NamedTuple):
    """What is in the file: the names of items by their kind, and its headings as a macro writes them."""

    items: Mapping[str, Sequence[str]] = MappingProxyType({})
    headings: Sequence[str] = ()


class Fit(NamedTuple):
    """A word that could be at a place: what kind of word it is, and a line of help."""

    word: str
    sort: str
    help: str = ""


def at(text: str, line: int, column: int, vocabulary: Vocabulary, known: Known | None = None) -> list[Fit]:
    """The words that could be at a place of a macro, each whole; line and column count from 1.

    The word that is being written there is left out of the reading, so that the line may be broken in any way.
    """
    lines = split_lines(text)
    lines += [""] * (line - len(lines))
    before = lines[line - 1][: column - 1]
    hole = _open_hole(before)
    if hole is not None:
        before = hole
    begun = _WORD.search(before)
    word = begun[0] if begun else ""
    head = before[: len(before) - len(word)]
    name = _open_name(before)
    if name is not None:
        kind, start = name
        names = (known or Known()).items.get(kind, ())
        return [Fit(each, "text") for each in names if each.lower().startswith(start.lower())]
    lines[line - 1] = head if head.strip() else _NOTHING_YET
    seen = look("\n".join(lines), vocabulary, line)
    if seen is None:
        return []
    tokens = _statement_before([*lines[: line - 1], head], line)
    offers = _Offers(vocabulary, known or Known(), seen)
    found = offers.after(tokens) if tokens or hole is None else offers.values()
    low = word.lower()
    fitting: dict[str, Fit] = {}
    for fit in found:
        if fit.word.startswith(low):
            fitting.setdefault(fit.word, fit)
    return list(fitting.values())


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
    kind = tokens[-3].text if len(tokens) > 2 and tokens[-2].is_sign("(") and tokens[-3].type == WORD else ""
    return kind, last.text[1:]


def _statement_before(lines: list[str], line: int) -> list[Token]:
    """The tokens of the statement that is being written, up to its last one so far."""
    tokens = [token for token in lex(lines, 0, []) if token.type != END]
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
        if _ends_value(last):
            more = ["where", "in", "as"] if tokens[0].is_word("each") else ["and", "or"]
            return _words((*COMPARISONS, *more))
        return self.values()

    def _start(self) -> list[Fit]:
        current = self.scope.current
        actions = self.vocabulary.kinds[current.kind].actions.values() if current else ()
        offered = [Fit(action.word, "action", action.docs.summary) for action in actions]
        return [*offered, *_words(STARTERS), *self._names(), *self._items()]

    def _names(self) -> list[Fit]:
        return [Fit(word, "name", f"{name.type}") for word, name in self.scope.names.items()]

    def _items(self) -> list[Fit]:
        return [Fit(item.word, "item", f"a {item.kind}") for item in reversed(self.scope.items)]

    def _kinds(self) -> list[Fit]:
        """The kinds that can be visited here: those inside the current item first."""
        kinds, current = self.vocabulary.kinds, self.scope.current
        inside = [word for word in kinds if current and self.vocabulary.path(current.kind, word)]
        others = [word for word in kinds if word not in inside]
        return [Fit(word, "kind", kinds[word].summary) for word in (*inside, *others)]

    def values(self) -> list[Fit]:
        """What a value can begin with."""
        kinds = [Fit(word, "kind", kind.summary) for word, kind in self.vocabulary.kinds.items()]
        return [*self._names(), *self._items(), *_words(sorted(VALUES)), *_words(("not", "count")), *kinds]

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
            fields = [Fit(field.word, "field", field.docs.summary) for field in kind.fields.values()]
            return fields + [Fit(part.word, "part", part.docs.summary) for part in kind.parts.values()]
        every = self.vocabulary.operations.items()
        return sorted(
            Fit(word, "operation", each.docs.summary)
            for (of, word), each in every
            if found in (ANY, Type(of)) or found.word == of == "list"
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
        if inner is not None and tokens[inner - 1].is_word("ask"):
            if tokens[-1].is_sign(":") and tokens[-2].is_word("as"):
                return [Fit(word, "choice") for word in ANSWER_TYPES]
            return None
        if callee is None:
            return None
        parameter = callee.by_word.get(names[-1]) if names else None
        if tokens[-1].is_sign(":") or in_list:
            return self._for(parameter)
        if tokens[-1].is_sign(",", "(") or len(tokens) == start:
            left = [each for each in callee.parameters if each.word not in names]
            return [Fit(f"{each.word}:", "argument", each.doc) for each in left] + self.values()
        return None

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
