"""What is at each place of a macro: its words with what they mean, the names it sets, and its blocks."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from scrub.language import tree
from scrub.language.check_questions import ANSWER_TYPES
from scrub.language.checking import Checking
from scrub.language.incremental import Edited
from scrub.language.lexer import DATE, NUMBER, SIGN, TEXT, WORD, LineRead, Token
from scrub.language.tree import Node, Statement
from scrub.language.walk import blocks, nodes
from scrub.language.words import GATHERS, HEADER, KEYWORDS
from scrub.model.core.amounts import UNITS
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Problem
from scrub.model.core.types import ANY
from scrub.model.vocabulary import Callee, Field

#: What means the same as no key.
_NO_KEY: tuple[str, ...] = ()


class Mention(NamedTuple):
    """One word, number or text of a macro, and what it means. Lines and columns count from 1."""

    line: int
    column: int
    length: int
    #: keyword, kind, name, item, field, heading, action, operation, part, argument, choice, function, macro, unit,
    #: number, date, text, comment, header, or word for what is not known.
    sort: str
    word: str
    #: The type of its value, as a sentence calls it; empty for what has none.
    type: str = ""
    #: The kind or type of value that has it.
    owner: str = ""
    help: str = ""
    example: str = ""
    #: Its arguments, each with its type and help.
    arguments: tuple[tuple[str, str, str], ...] = ()
    #: The words that it takes.
    choices: tuple[str, ...] = ()
    #: What all mentions of the same name or item have in common; empty for other words.
    key: tuple[str, ...] = _NO_KEY
    #: Whether the name or item gets its value here.
    defines: bool = False

    def moved(self, lines: int) -> Mention:
        """The same, some lines further down."""
        return self._replace(line=self.line + lines) if lines else self

    def covers(self, line: int, column: int) -> bool:
        """Whether a place is in it or at its end."""
        return self.line == line and self.column <= column <= self.column + self.length


class Symbol(NamedTuple):
    """A block, a question, or a name where it is first set, with the blocks inside."""

    name: str
    sort: str
    line: int
    end_line: int
    column: int
    children: tuple[Symbol, ...] = ()


class Reading:
    """A macro as read. `problems` is all that is wrong with it."""

    def __init__(self, edited: Edited) -> None:
        self._edited = edited
        self.problems: list[Problem] = edited.problems()

    @property
    def title(self) -> str:
        """The title; empty if there is none."""
        return self._edited.macro.title

    @property
    def runs_on(self) -> list[str]:
        """The kinds of file that it runs on."""
        return list(self._edited.macro.runs_on)

    def mentions(self, first: int = 1, last: int | None = None) -> list[Mention]:
        """All words, numbers, texts and comments of some lines, in order; `last` None for the end."""
        last = len(self._edited.lines) if last is None else last
        found = [each for each in _header(self._edited) if first <= each.line <= last]
        for piece in self._edited.pieces:
            if piece.start >= last or piece.start + len(piece.lines) < first:
                continue
            on = self._edited.checked(piece)
            if on is None or piece.body is None:
                continue
            known = piece.mentions
            if known is None or known[0] is not on:
                known = piece.mentions = (on, _in_piece(piece.read, piece.body, on))
            moved = (each.moved(piece.shift) for each in known[1])
            found += [_of(piece.start, each) for each in moved if first <= each.line <= last]
        return found

    def at(self, line: int, column: int) -> Mention | None:
        """The word at a place; one that begins there comes before one that ends there."""
        here = [each for each in self.mentions(line, line) if each.covers(line, column)]
        inner = [each for each in here if each.sort != "text"] or here
        return inner[-1] if inner else None

    def references(self, line: int, column: int) -> list[Mention]:
        """All mentions of the name or item at a place; none for other words."""
        found = self.at(line, column)
        if found is None or not found.key:
            return []
        return [each for each in self.mentions() if each.key == found.key]

    def definition(self, line: int, column: int) -> Mention | None:
        """Where the name or item at a place gets its first value."""
        return next((each for each in self.references(line, column) if each.defines), None)

    def symbols(self) -> list[Symbol]:
        """The blocks and questions, outer ones with those inside."""
        found: list[Symbol] = []
        for piece in self._edited.pieces:
            if piece.body is not None:
                found += _symbols(piece.body, self._edited.lines, piece.shift)
        return found


def _of(piece: int, mention: Mention) -> Mention:
    """A mention of an item is told from those of other pieces that have the same number."""
    return mention._replace(key=(*mention.key, str(piece))) if mention.key[:1] == ("item",) else mention


def read(edited: Edited) -> Reading:
    """What is at each place of a text."""
    return Reading(edited)


# -- words


_WORDS = KEYWORDS | frozenset("starts ends with start end sorted by descending between it fails does match".split())


def _header(edited: Edited) -> Iterator[Mention]:
    macro = edited.macro
    for number, line in enumerate(edited.lines[: macro.body_at], 1):
        text = line.strip()
        word, _, rest = text.partition(" ")
        column = len(line) - len(line.lstrip()) + 1
        if text.startswith("#"):
            yield Mention(number, column, len(text), "comment", text)
        elif word.lower() in HEADER:
            yield Mention(number, column, len(word), "header", word.lower(), help=HEADER_HELP[word.lower()])
            if word.lower() == "for":
                yield from _kinds(edited, rest, number, column + len(word) + 1)
            elif rest:
                yield Mention(number, column + len(word) + 1, len(rest), "text", rest)


HEADER_HELP = {
    "macro": "The title.", "about": "What the macro does, for people.", "for": "The kinds of file that it runs on.",
    "group": "The group in the list of macros.", "into": "The folder for the results; the files stay as they are.",
    "example": "A file with sheets and headings, which editors offer.",
}  # fmt: skip


def _kinds(edited: Edited, rest: str, line: int, column: int) -> Iterator[Mention]:
    at = 0
    for word in rest.replace(",", " ").split():
        at = rest.index(word, at)
        kind = edited.vocabulary.kinds.get({"picture": "image"}.get(word.lower(), word.lower()))
        sort = "keyword" if word.lower() == "all" else "kind"
        yield Mention(line, column + at, len(word), sort, word.lower(), help=kind.summary if kind is not None else "")
        at += len(word)


def _in_piece(lines: dict[int, LineRead], body: list[Statement], on: Checking) -> list[Mention]:
    """The words of some lines with what they mean."""
    known: dict[tuple[int, int], Mention] = {}
    for node in nodes(*body):
        for mention in _meant(on, node, lines):
            known.setdefault((mention.line, mention.column), mention)
    found: list[Mention] = []
    for number in sorted(lines):
        told = lines[number]
        found += _told(told.tokens, known)
        if told.comment:
            text = told.comment
            line = on.program.macro.lines[number - 1] if number <= len(on.program.macro.lines) else ""
            found.append(Mention(number, line.find(text) + 1, len(text), "comment", text))
    return found


def _told(tokens: list[Token] | tuple[Token, ...], known: dict[tuple[int, int], Mention]) -> Iterator[Mention]:
    """The mentions of the tokens of a line, those in the holes of texts too."""
    before: Token | None = None
    for token in tokens:
        place = token.line, token.column, token.length
        meant = known.get((token.line, token.column))
        if token.type == WORD:
            if meant is not None and meant.sort != "text":
                yield meant._replace(length=token.length)
            elif before is not None and before.type == NUMBER and token.text in UNITS:
                yield Mention(*place, "unit", token.text)
            else:
                yield Mention(*place, "keyword" if token.text in _WORDS else "word", token.text)
        elif token.type == TEXT:
            sort = meant.sort if meant is not None else "text"
            yield (meant or Mention(*place, "text", token.text))._replace(sort=sort, length=token.length)
            for part in token.parts:
                if not isinstance(part, str):
                    yield from _told(part, known)
        elif token.type in (NUMBER, DATE):
            yield Mention(*place, "number" if token.type == NUMBER else "date", token.text)
        before = token if token.type != SIGN else None


def _meant(on: Checking, node: Node, lines: dict[int, LineRead]) -> Iterator[Mention]:
    """What the words that name a node mean."""
    place: tree.Place = node.place
    if isinstance(node, tree.SetName):
        type_ = on.scope.names[node.word].type if node.word in on.scope.names else ANY
        yield Mention(*place, "name", node.word, str(type_), key=("name", node.word), defines=True)
    elif isinstance(node, tree.Name):
        yield _name(on, node)
    elif isinstance(node, tree.Dot):
        yield _dot(on, node)
    elif isinstance(node, tree.Call):
        yield _call(on, node)
    elif isinstance(node, tree.Do):
        action = on.means[node].action
        if action is not None:
            yield callee_mention(place, "action", action)
    elif isinstance(node, tree.Each):
        yield from _loop(on, node, lines)
    elif isinstance(node, tree.Times) and node.alias:
        yield from _as(lines, node.extent.line, node.alias, ("name", node.alias), "a number")
    elif isinstance(node, tree.Count):
        yield _kind(on, place, node.word)
    elif isinstance(node, tree.Gather):
        yield Mention(*place, "function", node.operation)
    elif isinstance(node, tree.RunMacro):
        yield Mention(*place, "macro", node.title)
    elif isinstance(node, tree.Skip) and node.word:
        yield from _word_after(lines, place.line, node.word, "kind")
    if isinstance(node, tree.Call | tree.Do | tree.Dot):
        yield from _arguments(on, node)


def _arguments(on: Checking, node: tree.Call | tree.Do | tree.Dot) -> Iterator[Mention]:
    """The names of arguments."""
    callee = callee_of(on, node)
    for argument in node.arguments or ():
        if argument.name is None:
            continue
        parameter = callee.by_word.get(argument.name) if callee is not None and not callee.open else None
        owner = callee.word if callee is not None else ""
        if parameter is None:
            sort = "heading" if callee is not None and callee.open else "argument"
            yield Mention(*argument.place, sort, argument.name, owner=owner)
        else:
            yield Mention(*argument.place, "argument", argument.name, str(parameter.type), owner, parameter.doc)


def callee_of(on: Checking, node: tree.Node) -> Callee | None:
    """What takes the arguments of a call."""
    if isinstance(node, tree.Do):
        return on.means[node].action
    if isinstance(node, tree.Call):
        return on.means[node].action or on.means[node].finder
    if isinstance(node, tree.Dot):
        means = on.means[node]
        if means.part is not None:
            return means.part
        if means.lookup is not None:
            return on.means[means.lookup].finder
        target = on.program.types.get(node.target, ANY)
        return None if target.item else on.vocabulary.operation(target.word, node.word)
    return None


def callee_mention(place: tree.Place, sort: str, callee: Callee) -> Mention:
    """An action, an operation or a part."""
    docs = callee.docs
    arguments = tuple((each.word, str(each.type), each.doc) for each in callee.parameters)
    return Mention(*place, sort, callee.word, str(callee.gives), callee.owner, docs.summary, docs.example, arguments)


def field_mention(place: tree.Place, field: Field) -> Mention:
    """A field."""
    docs = field.docs
    words = tuple(each.value for each in field.choice) if field.choice else ()
    type_ = str(field.type) + ("" if field.can_be_set else ", read only")
    return Mention(*place, "field", field.word, type_, field.owner, docs.summary, docs.example, choices=words)


def _name(on: Checking, node: tree.Name) -> Mention:
    means = on.means[node]
    type_ = on.program.types.get(node, ANY)
    if means.choice is not None:
        return Mention(*node.place, "choice", node.word)
    if means.slot < 0 and node.word in ANSWER_TYPES:
        return Mention(*node.place, "choice", node.word)
    if means.implied or node.word == "selection" or (type_.item and node.word not in on.scope.names):
        key: tuple[str, ...] = () if means.implied else ("item", node.word, str(means.slot))
        kind = on.vocabulary.kinds.get(type_.word)
        help_ = kind.summary if kind is not None else ""
        return Mention(*node.place, "item", node.word, str(type_), help=help_, key=key)
    if node.word in on.vocabulary.kinds and means.slot < 0:
        return _kind(on, node.place, node.word)
    return Mention(*node.place, "name", node.word, str(type_), key=("name", node.word))


def _dot(on: Checking, node: tree.Dot) -> Mention:
    means, target = on.means[node], on.program.types.get(node.target, ANY)
    if means.lookup is not None:
        return _kind(on, node.place, node.word)
    callee = callee_of(on, node)
    if callee is not None:
        return callee_mention(node.place, "part" if means.part is not None else "operation", callee)
    kind = on.vocabulary.kinds.get(target.word) if target.item else None
    if kind is not None and kind.cls.open_fields:
        return Mention(*node.place, "heading", node.word, owner=kind.word, help="What is under this heading.")
    field = kind.fields.get(node.word) if kind is not None else None
    if field is not None:
        return field_mention(node.place, field)
    every = [each for (_, word), each in on.vocabulary.operations.items() if word == node.word]
    return callee_mention(node.place, "operation", every[0]) if every else Mention(*node.place, "word", node.word)


def _call(on: Checking, node: tree.Call) -> Mention:
    means = on.means[node]
    if means.pairs:
        return Mention(*node.place, "name", node.word, "pairs", key=("name", node.word))
    if means.action is not None:
        return callee_mention(node.place, "action", means.action)
    if node.word in on.vocabulary.kinds:
        return _kind(on, node.place, node.word)
    return Mention(*node.place, "function", node.word, help=_FUNCTIONS.get(node.word, ""))


_FUNCTIONS = {
    "ask": "Asks the person before the macro starts.", "secret": "Asks for a password before the macro starts.",
    "pairs": "A value for each key.", "open": "Another file, for reading.", "count": "How many items there are.",
    "copy-of": "A new file made of another one.", "new-file": "A new file with nothing in it.",
    "new-message": "A new message, as a draft.", "own-file": "A file that belongs to the macro.",
    **dict.fromkeys(GATHERS, "A value of each item of a kind."),
}  # fmt: skip


def _kind(on: Checking, place: tree.Place, word: str) -> Mention:
    kind = on.vocabulary.kinds.get(word)
    return Mention(*place, "kind", word, help=kind.summary if kind is not None else "")


def _loop(on: Checking, node: tree.Each, lines: dict[int, LineRead]) -> Iterator[Mention]:
    """The words of a loop: its kind or name, what its items are called, and what counts the turns."""
    means = on.means[node]
    if means.items:
        if node.alias is None:
            help_ = on.vocabulary.kinds[node.word].summary
            key = ("item", node.word, str(means.slot))
            yield Mention(*node.place, "kind", node.word, help=help_, key=key, defines=True)
        else:
            yield _kind(on, node.place, node.word)
            key = ("item", node.alias, str(means.slot))
            yield from _as(lines, node.place.line, node.alias, key, f"a {node.word}", "item")
    else:
        type_ = on.scope.names[node.word].type if node.word in on.scope.names else ANY
        yield Mention(*node.place, "name", node.word, str(type_), key=("name", node.word), defines=True)
    if node.counter:
        yield from _as(lines, node.place.line, node.counter, ("name", node.counter), "a number")


def _as(
    lines: dict[int, LineRead], line: int, word: str, key: tuple[str, ...], type_: str, sort: str = "name"
) -> Iterator[Mention]:
    """The name after `as`, which the tree has no place for."""
    for number in range(line, max(lines, default=line) + 1):
        tokens: list[Token] = lines[number].tokens
        for before, token in pairwise(tokens):
            if before.is_word("as") and token.is_word(word):
                yield Mention(token.line, token.column, token.length, sort, word, type_, key=key, defines=True)
                return


def _word_after(lines: dict[int, LineRead], line: int, word: str, sort: str) -> Iterator[Mention]:
    for token in lines[line].tokens[1:] if line in lines else ():
        if token.is_word(word):
            yield Mention(token.line, token.column, token.length, sort, word)


# -- blocks


def _symbols(body: list[Statement], lines: list[str], shift: int) -> list[Symbol]:
    found: list[Symbol] = []
    for node in body:
        extent = node.extent
        line, end = extent.line + shift, extent.end_line + shift
        name = lines[line - 1].strip() if line <= len(lines) else ""
        inner = [symbol for block in blocks(node) for symbol in _symbols(block, lines, shift)]
        if blocks(node):
            found.append(Symbol(name, "block", line, end, extent.column, tuple(inner)))
        elif isinstance(node, tree.SetName) and isinstance(node.value, tree.Call):
            if node.value.word in ("ask", "secret"):
                found.append(Symbol(node.word, "question", line, end, extent.column))
    return found
