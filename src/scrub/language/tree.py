"""The tree of a macro. Every node knows its place; the checker fills in what each word means."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, dataclass_transform

from scrub.language.lexer import LineRead, Token
from scrub.model.core.named import NamedTuple
from scrub.model.core.types import Type


class Place(NamedTuple):
    """Where something is in a macro: line and column from 1, length in characters."""

    line: int
    column: int
    length: int


class Extent(NamedTuple):
    """From where to where a node goes: lines and columns from 1, the end being the place after its last character."""

    line: int
    column: int
    end_line: int
    end_column: int

    def covers(self, line: int, column: int) -> bool:
        """Whether a place is in it or at its end."""
        return (self.line, self.column) <= (line, column) <= (self.end_line, self.end_column)


@dataclass_transform()
class _Record:
    """Takes its annotated attributes in order, the base's first.

    A plain base class in place of thirty dataclasses: making those costs a tenth of a small run's time.
    """

    _names: ClassVar[tuple[str, ...]] = ()

    def __init_subclass__(cls) -> None:
        cls._names = (*cls._names, *vars(cls).get("__annotations__", ()))

    def __init__(self, *values: object) -> None:
        for name, value in zip(self._names, values, strict=False):
            setattr(self, name, value)


class Node(_Record):
    """Anything with a place in the text: that of the word which names it."""

    place: Place

    def cover(self, extent: Extent) -> None:
        """Notes from where to where it goes."""
        self.__dict__["_extent"] = extent

    @property
    def extent(self) -> Extent:
        """From where to where it goes."""
        result: Extent | None = self.__dict__.get("_extent")
        if result is None:
            line, column, length = self.place
            every = [Extent(line, column, line, column + length), *(child.extent for child in children(self))]
            result = Extent(*min(each[:2] for each in every), *max(each[2:] for each in every))
        return result


def children(node: Node) -> Iterator[Node]:
    """The nodes directly inside one, in the order of the text."""
    for name in node._names:
        yield from _nodes(getattr(node, name))


def _nodes(value: object) -> Iterator[Node]:
    if isinstance(value, Node):
        yield value
    elif isinstance(value, list | tuple):
        for each in value:
            yield from _nodes(each)


class Expression(Node):
    """Anything that has a value."""


class Statement(Node):
    """Anything that does something."""


Block = list[Statement]


class Bad(Expression):
    """What could not be read; its problem is noted already."""


class Text(Expression):
    """A text: plain pieces and holes."""

    parts: tuple[str | Expression, ...]


class Constant(Expression):
    """A number, a date, yes, no or nothing."""

    value: object
    type: Type


class Moment(Expression):
    """`today` or `now`."""

    word: str


class ListOf(Expression):
    """A list in brackets."""

    items: tuple[Expression, ...]


class Name(Expression):
    """A bare word: a kept value, an item in reach, or a choice word."""

    word: str


class Argument(NamedTuple):
    """An argument, named or not; `exactly` when case counts."""

    name: str | None
    value: Expression
    place: Place
    exactly: bool = False


class Dot(Expression):
    """`target.word` or `target.word(…)`: a field of an item or an operation of a value."""

    target: Expression
    word: str
    arguments: tuple[Argument, ...] | None
    quoted: bool = False


class Call(Expression):
    """`word(…)`: looks an item up, asks, or does an action that gives something back."""

    word: str
    arguments: tuple[Argument, ...]


class Count(Expression):
    """`count(kind where …)`."""

    word: str
    inside: Expression | None
    where: Expression | None


class Gather(Expression):
    """`sum(record.nights in sheet("Larch Hut") where record.paid)` and its like: a value of each item of a kind."""

    operation: str
    value: Expression
    inside: Expression | None
    where: Expression | None


class Between(Expression):
    """`value is between low and high`, both ends included."""

    negated: bool
    value: Expression
    low: Expression
    high: Expression


class Compare(Expression):
    """A comparison; `right` is None for those with one side."""

    operator: str
    negated: bool
    exactly: bool
    left: Expression
    right: Expression | None


class Arithmetic(Expression):
    """Two values with `+ - * /` between."""

    operator: str
    left: Expression
    right: Expression


class PrintMark(Expression):
    """`{page-number}` and the like: filled in when a page is printed."""

    word: str


class Negative(Expression):
    """A minus before a value."""

    value: Expression


class Not(Expression):
    """`not` before a condition."""

    value: Expression


class Both(Expression):
    """Two conditions with `and` or `or` between."""

    operator: str
    left: Expression
    right: Expression


class SetName(Statement):
    """`name = value`."""

    word: str
    value: Expression


class SetField(Statement):
    """`item.field = value`."""

    target: Dot
    value: Expression


class SetPair(Statement):
    """`nights(record.hut) = value`: the value of a key."""

    target: Call
    value: Expression


class Do(Statement):
    """An action on the current item."""

    word: str
    arguments: tuple[Argument, ...]


class If(Statement):
    """`if … else if … else … end`."""

    branches: list[tuple[Expression, Block]]
    otherwise: Block


class Order(NamedTuple):
    """What a loop is sorted by, and whether the largest comes first."""

    by: Expression
    descending: bool


class Each(Statement):
    """`each KIND …` and `each NAME in LIST`; `counter` is the name that counts the turns."""

    word: str
    alias: str | None
    inside: Expression | None
    where: Expression | None
    orders: tuple[Order, ...]
    counter: str | None
    body: Block


class Times(Statement):
    """`N times [as NAME]`."""

    times: Expression
    alias: str | None
    body: Block


class While(Statement):
    """A loop that goes on as long as a condition is true."""

    condition: Expression
    body: Block


class In(Statement):
    """`in ITEM`: makes another item the current one."""

    item: Expression
    body: Block


class Attempt(Statement):
    """`attempt … if it fails … end`."""

    body: Block
    handler: Block


class Skip(Statement):
    """`skip [KIND]`."""

    word: str | None


class Leave(Statement):
    """`leave loop`."""


class Finish(Statement):
    """`finish ["text"]`."""

    text: Expression | None


class Fail(Statement):
    """`fail "text"`."""

    text: Expression


class Say(Statement):
    """`say "…"` and `log "…"`."""

    word: str
    text: Expression


class Stray(Statement):
    """A line that only names something: it does nothing, and the checker says what was meant."""

    target: Expression


class Broken(Statement):
    """A line that could not be read, with its tokens; its problem is noted already."""

    tokens: tuple[Token, ...]


class RunMacro(Statement):
    """`run "Title", name: value`."""

    title: str
    arguments: tuple[Argument, ...]


class RunValue(Expression):
    """`run("Title", name: value)`: what another macro gives."""

    run: RunMacro


class Give(Statement):
    """`give VALUE`: ends the macro, and whoever runs it gets the value."""

    value: Expression


class Macro:
    """A macro as read: its header and its body."""

    def __init__(self, name: str, lines: list[str]) -> None:
        self.name = name
        self.lines = lines
        self.title = ""
        self.about: list[str] = []
        self.runs_on: list[str] = []
        self.called: dict[str, str] = {}  # the words for these in the header
        self.for_all = False
        self.group = ""
        self.into = ""
        self.example = ""  # a file with sheets and headings like those that it runs on, for editors
        self.places: dict[str, Place] = {}
        self.body: Block = []
        self.body_at = 0  # the index of its first line
        self.read: dict[int, LineRead] = {}  # the lines of the body with their tokens and comments, by their number

    @property
    def comments(self) -> dict[int, str]:
        """The comments of the body by their line, with the sign before them."""
        return {line: read.comment for line, read in self.read.items() if read.comment}
