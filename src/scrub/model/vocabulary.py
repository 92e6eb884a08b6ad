"""The Vocabulary: all kinds, fields, actions and operations, gathered from their declarations."""

from __future__ import annotations

import inspect
import typing
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from scrub.model.core.declare import Docs, Item, Reach
from scrub.model.core.files import FilePath, ReadPath
from scrub.model.core.named import NamedTuple
from scrub.model.core.printing import PrintedText
from scrub.model.core.problem import listed, with_article
from scrub.model.core.types import ChoiceClass, Type, choice_class, item_of, type_of
from scrub.model.core.values import VALUE_TYPES, NewSecret
from scrub.model.operations import OPERATIONS

if TYPE_CHECKING:
    from scrub.model.core.search import CatalogEntry


class Parameter(NamedTuple):
    """One argument of an action or operation, as a macro names it."""

    word: str
    python: str
    type: Type
    required: bool
    choice: ChoiceClass | None
    whole: bool
    path: bool
    reads: bool  # a path of a file that is read
    new: bool  # a password that is set
    doc: str


def _docs_of(function: object, owner: str) -> Docs:
    """What its docstring says; what several kinds share has the word of this one in its example."""
    result = Docs(inspect.getdoc(function))
    result.example = result.example.replace("KIND", owner)
    return result


class Callee:
    """What is common to actions and operations: a word, its arguments, what it gives back."""

    def __init__(self, word: str, owner: str, function: Callable[..., object]) -> None:
        self.word = word
        self.owner = owner
        self.function = function

    @cached_property
    def docs(self) -> Docs:
        """What the docstring says."""
        return _docs_of(self.function, self.owner)

    @cached_property
    def _hints(self) -> dict[str, object]:
        return typing.get_type_hints(self.function)

    @cached_property
    def parameters(self) -> tuple[Parameter, ...]:
        """Its arguments in order, without the item or value it works on."""
        found = []
        for name, parameter in list(inspect.signature(self.function).parameters.items())[1:]:
            if parameter.kind is parameter.VAR_KEYWORD:
                continue
            hint = self._hints[name]
            word = name.rstrip("_").replace("_", "-")
            found.append(
                Parameter(
                    word,
                    name,
                    type_of(hint),
                    parameter.default is parameter.empty,
                    choice_class(hint),
                    int in (hint, *typing.get_args(hint)),
                    hint is ReadPath or FilePath in (hint, *typing.get_args(hint)),
                    ReadPath in (hint, *typing.get_args(hint)),
                    NewSecret in (hint, *typing.get_args(hint)),
                    self.docs.arguments.get(name, ""),
                )
            )
        return tuple(found)

    @cached_property
    def by_python(self) -> dict[str, Parameter]:
        """Its arguments by their Python names, in order."""
        return {parameter.python: parameter for parameter in self.parameters}

    @cached_property
    def by_word(self) -> dict[str, Parameter]:
        """Its arguments as a macro names them, in order."""
        return {parameter.word: parameter for parameter in self.parameters}

    @cached_property
    def open(self) -> bool:
        """Whether it takes arguments of any name, as `record(item: "flour")` does."""
        return any(
            parameter.kind is parameter.VAR_KEYWORD
            for parameter in inspect.signature(self.function).parameters.values()
        )

    @cached_property
    def gives(self) -> Type:
        """The type of what it gives back."""
        return type_of(self._hints.get("return", object))


class Action(Callee):
    """An action of a kind: a method of its items, or (`of_item` False) a function that takes one."""

    def __init__(self, word: str, owner: str, function: Callable[..., object], of_item: bool = True) -> None:
        super().__init__(word, owner, function)
        self.of_item = of_item

    def do(self, item: Item, arguments: dict[str, object]) -> object:
        """Does it; gives back what it makes."""
        if self.of_item:
            return getattr(item, self.function.__name__)(**arguments)
        return self.function(item, **arguments)

    @property
    def does(self) -> str:
        """What a macro with it does, for whoever is to approve it."""
        return getattr(self.function, "scrub_does", "") or self.reach.sentence

    @property
    def reach(self) -> Reach:
        """How far it goes."""
        reach: Reach = self.function.scrub_reach  # type: ignore[attr-defined]
        return reach


class Field:
    """A field of a kind."""

    def __init__(self, word: str, owner: str, accessor: property) -> None:
        self.word = word
        self.owner = owner
        self.python = accessor.fget.__name__ if accessor.fget else word
        self.can_be_set = accessor.fset is not None
        self.accessor = accessor
        self._getter: object = accessor.fget

    @cached_property
    def docs(self) -> Docs:
        """What the docstring says."""
        return _docs_of(self._getter, self.owner)

    @cached_property
    def _hint(self) -> object:
        return typing.get_type_hints(self._getter)["return"]

    @cached_property
    def type(self) -> Type:
        """The type of its value."""
        return type_of(self._hint)

    @cached_property
    def may_be_nothing(self) -> bool:
        """Whether it can be set to nothing, which is not the same as that it may be nothing so far."""
        setter = self.accessor.fset
        if setter is None:
            return type(None) in typing.get_args(self._hint)
        hints = typing.get_type_hints(setter)
        return type(None) in typing.get_args(hints[list(inspect.signature(setter).parameters)[1]])

    @cached_property
    def whole(self) -> bool:
        """Whether its number is a whole one."""
        return int in (self._hint, *typing.get_args(self._hint))

    @property
    def printed(self) -> bool:
        """Whether its text is filled in when a page is printed: it may hold page numbers."""
        return PrintedText in (self._hint, *typing.get_args(self._hint))

    @cached_property
    def choice(self) -> ChoiceClass | None:
        """The words it takes, where it takes one of a few."""
        return choice_class(self._hint)


class Kind:
    """A kind of item: its word, fields, actions, and the kinds of item directly inside."""

    def __init__(self, cls: type[Item]) -> None:
        self.word = cls.kind_word
        self.cls = cls
        self.called = cls.called or with_article(cls.kind_word)
        docs = Docs(cls.__doc__)
        self.summary, self.also = docs.summary, docs.also
        self.fields: dict[str, Field] = {}
        self.actions: dict[str, Action] = {}
        self.holds: dict[str, str] = {}
        self.enters: dict[str, str] = {}  # those of them in which what is inside is looked for, too
        self.finds: dict[str, Callee] = {}
        self.parts: dict[str, Callee] = {}
        self.selection = ""  # the kind of what a person picks in such a file
        members = {name: member for base in reversed(cls.__mro__) for name, member in vars(base).items()}
        for name, member in members.items():
            word = name.rstrip("_").replace("_", "-")
            if isinstance(member, property):
                if getattr(member.fget, "scrub_field", False):
                    self.fields[word] = Field(word, self.word, member)
                continue
            marks = getattr(member, "__dict__", None)
            if not marks:
                continue
            if "scrub_reach" in marks:
                self.actions[word] = Action(word, self.word, member)
            elif "scrub_holds" in marks:
                held = typing.get_args(_returned(member))[0]
                self.holds[held.kind_word] = name
                if "scrub_apart" not in marks:
                    self.enters[held.kind_word] = name
            elif "scrub_finds" in marks:
                self.finds[_returned(member).kind_word] = Callee(word, self.word, member)
            elif "scrub_selects" in marks:
                self.selection = _returned(member).kind_word
            elif "scrub_part" in marks:
                self.parts[word] = Callee(word, self.word, member)

    @property
    def type(self) -> Type:
        """The type of an item of this kind."""
        return item_of(self.word)


def _returned(member: Any) -> Any:
    """What a method gives back, by its annotation; the others are not looked at, since that takes its time."""
    hint = member.__annotations__["return"]
    return eval(hint, member.__globals__) if isinstance(hint, str) else hint  # a text of this house, not of a macro


class Vocabulary:
    """All that a macro can name."""

    def __init__(
        self,
        kinds: Sequence[type[Item]],
        actions: Sequence[Callable[..., object]] = (),
        own: Sequence[tuple[str, Callable[..., object]]] = (),
        endings: Mapping[str, str] = MappingProxyType({}),
        files: Sequence[str] = (),
    ) -> None:
        """`actions` are functions of an item, for every kind that offers what the annotation of their first argument
        asks; `own` are such functions with the word of their kind; `endings` tells what `open` gives for the ending of
        a file; `files` are the words of the kinds that can be picked.

        Raises `TypeError` for a word that is declared twice, and for items that can be reached in two ways.
        """
        self.endings = endings
        self.files = tuple(files)
        self.kinds: dict[str, Kind] = {}
        for cls in kinds:
            known = self.kinds.setdefault(cls.kind_word, Kind(cls))
            if known.cls is not cls:
                raise TypeError(f'two kinds have the word "{cls.kind_word}": {known.cls.__name__} and {cls.__name__}')
        for function in actions:
            contract = _contract(function)
            for kind in self.kinds.values():
                if issubclass(kind.cls, contract):
                    self._bind(kind, function)
        for word, function in own:
            self._bind(self.kinds[word], function)
        self._ensure_one_way()
        self.operations = {key: Callee(key[1], key[0], function) for key, function in OPERATIONS.items()}

    @staticmethod
    def _bind(kind: Kind, function: Callable[..., object]) -> None:
        word = function.__name__.replace("_", "-")
        if word in kind.actions:  # a field may have it too: that is always written with its item
            raise TypeError(f'"{word}" of a {kind.word} is declared twice')
        kind.actions[word] = Action(word, kind.word, function, of_item=False)

    def _ensure_one_way(self) -> None:
        """Raises `TypeError` where items of a kind can be reached through two others, and it is not said which way
        lists each of them once: the outer kind needs an `@contains` of its own for them.
        """
        below: dict[str, set[str]] = {word: set() for word in self.kinds}
        growing = True
        while growing:
            growing = False
            for word, kind in self.kinds.items():
                found = set(kind.holds).union(*(below.get(held, ()) for held in kind.enters))
                growing = growing or found != below[word]
                below[word] = found
        for word, kind in self.kinds.items():
            through = [below.get(held, set()) - {word} for held in kind.enters if held != word]
            for inner in set().union(*through) - set(kind.holds):
                if sum(inner in each for each in through) > 1:
                    ways = listed(held for held in kind.enters if inner in below.get(held, ()))
                    raise TypeError(f"a {word} contains {inner} by way of {ways}; it needs an @holds for {inner}")

    @cached_property
    def fingerprint(self) -> str:
        """The hash of all that a macro can name: two processes with the same one understand the same macros."""
        import hashlib  # a run in one process needs none

        words = [f"{kind.word} {word}" for kind in self.kinds.values() for word in (*kind.fields, *kind.actions)]
        words += [" ".join(key) for key in self.operations] + [" ".join(pair) for pair in self.endings.items()]
        return hashlib.blake2b("\n".join(sorted(words)).encode(), digest_size=16).hexdigest()

    def operation(self, type_word: str, word: str) -> Callee | None:
        """An operation of values of a type; an address has those of texts too."""
        found = (self.operations.get((owner, word)) for owner in _owners(type_word))
        return next((each for each in found if each is not None), None)

    def operation_words(self, type_word: str) -> list[str]:
        """The operations of values of a type."""
        return [word for name, word in self.operations if name in _owners(type_word)]

    def path(self, outer: str, inner: str, through: frozenset[str] = frozenset()) -> tuple[str, ...] | None:
        """The methods that lead from an item of one kind to those of another inside it; None when there is no way."""
        kind = self.kinds.get(outer)
        if kind is None:
            return None
        if inner in kind.holds:
            return (kind.holds[inner],)
        for held, method in kind.enters.items():
            deeper = None if held in through else self.path(held, inner, through | {outer})
            if deeper:
                return (method, *deeper)
        return None

    def finder(
        self, outer: str, inner: str, through: frozenset[str] = frozenset()
    ) -> tuple[tuple[str, ...], Callee] | None:
        """What looks an item of one kind up inside another by more than its name: the methods that lead to where it
        is asked, and the one that is asked there.
        """
        kind = self.kinds.get(outer)
        if kind is None:
            return None
        if inner in kind.finds:
            return (), kind.finds[inner]
        for held, method in kind.enters.items():
            deeper = None if held in through else self.finder(held, inner, through | {outer})
            if deeper:
                return (method, *deeper[0]), deeper[1]
        return None

    def entries(self) -> Iterator[CatalogEntry]:
        """The catalog, in the order in which a person would read it."""
        from scrub.model.core.phrases import PHRASES
        from scrub.model.core.search import CatalogEntry

        told: set[object] = set()
        for kind in self.kinds.values():
            yield CatalogEntry("kind", kind.word, Docs(kind.cls.__doc__))
            for field in kind.fields.values():
                owners = self._owners(field)
                if field.accessor in told:
                    continue
                told.add(field.accessor)
                what = f"field of {with_article(listed(owners, 'or'))}, {field.type}"
                what += "" if field.can_be_set else ", read only"
                words = {field.word: tuple(each.value for each in field.choice)} if field.choice else {}
                yield CatalogEntry(what, f"{kind.word}.{field.word}", field.docs, words)
            for callee in kind.parts.values():
                yield CatalogEntry(f"gives {callee.gives}", f"{kind.word}.{callee.word}(…)", callee.docs)
            for action in kind.actions.values():
                if action.function in told:
                    continue
                told.add(action.function)
                owners = [each.word for each in self.kinds.values() if _same_action(each, action)]
                what = f"action of {with_article(listed(owners, 'or'))}"
                yield CatalogEntry(what, action.word, action.docs, _choices(action))
        for what, written, docs in PHRASES:
            yield CatalogEntry(what, written, docs)
        for callee in self.operations.values():
            owner = next(
                (value_type.called for value_type in VALUE_TYPES if value_type.word == callee.owner),
                f"a {callee.owner}",
            )
            what = f"operation of {owner}, gives {callee.gives}"
            yield CatalogEntry(what, f".{callee.word}", callee.docs, _choices(callee))

    def _owners(self, field: Field) -> list[str]:
        """The kinds that have a field from one declaration."""
        return [
            kind.word
            for kind in self.kinds.values()
            if field.word in kind.fields and kind.fields[field.word].accessor is field.accessor
        ]

    def search(self, words: str) -> list[CatalogEntry]:
        """The entries that answer these everyday words, the best first; all of them for no words."""
        from scrub.model.core.search import search

        return search(self.entries(), words)


def _contract(function: Callable[..., object]) -> type:
    """The class that the first argument of an action is annotated with."""
    name = next(iter(function.__annotations__.values()))
    contract: type = name if isinstance(name, type) else function.__globals__[name]
    return contract


def _same_action(kind: Kind, action: Action) -> bool:
    return action.word in kind.actions and kind.actions[action.word].function is action.function


def _choices(callee: Callee) -> dict[str, tuple[str, ...]]:
    return {
        parameter.python: tuple(each.value for each in parameter.choice)
        for parameter in callee.parameters
        if parameter.choice
    }


def _owners(type_word: str) -> tuple[str, ...]:
    """The types whose operations values of a type have, its own first."""
    return (type_word, "text") if type_word == "address" else (type_word,)
