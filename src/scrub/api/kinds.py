"""The classes of items, made from the vocabulary: what macros can name is what Python can name."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping
from functools import partial
from operator import attrgetter
from typing import Any

from scrub.api.current import remark
from scrub.api.items import ItemFacade, Items, RecordFacade
from scrub.api.values import FACADES, Facade, into, out
from scrub.assembled import formats, vocabulary
from scrub.frames import METHODS
from scrub.model.core.problem import Failure, Missing, did_you_mean, listed
from scrub.model.core.python_names import outer_name, plural, python_name
from scrub.model.core.values import fold, loosen
from scrub.model.vocabulary import Action, Callee, Kind, Parameter, Vocabulary
from scrub.own_actions import OWN_ACTIONS
from scrub.runner.fitting import LEFT_OUT, fitted, fitting
from scrub.runner.lookups import deleted, inside, item_named, records, visited


def facade_of(word: str) -> Any:
    """The class for a kind. Raises `KeyError` for a word that is none."""
    return FACADES[word]


def class_names() -> dict[str, str]:
    """The word of each kind by the name of its class."""
    return {kind.cls.__name__: word for word, kind in vocabulary(formats()).kinds.items()}


def _make(word: str) -> type[Facade]:
    known = vocabulary(formats())
    kind = known.kinds[word]
    own = {function.__name__ for of, function in OWN_ACTIONS if of == word}
    members = {name: member.make() for name, member in members_of(kind, known).items() if name not in own}
    members |= METHODS.get(word, {})
    base = RecordFacade if kind.cls.open_fields else ItemFacade
    names = {*members, *(("keys", "number") if kind.cls.open_fields else ())}
    body: dict[str, Any] = {
        "__slots__": (), "__doc__": kind.summary, "__module__": "scrub", "kind_word": word, "_names": frozenset(names),
    }  # fmt: skip
    return type(kind.cls.__name__, (base,), body | members)


class Member:
    """One name of a class: what it is, and what makes it. The stubs are written from the same."""

    def __init__(
        self, sort: str, make: Callable[[], Any], doc: str, callee: Any = None, gives: str = "", each: str = ""
    ) -> None:
        self.sort = sort
        self.make = make
        self.doc = doc
        #: The field, action, part or look-up that it calls.
        self.callee = callee
        #: The kind of item that a look-up gives, and the one that is gone through.
        self.gives = gives
        self.each = each


def members_of(kind: Kind, known: Vocabulary) -> dict[str, Member]:
    """Every name of the class for a kind."""
    found: dict[str, Member] = {}
    for word, field in kind.fields.items():
        found[python_name(word)] = Member("field", partial(_field, field), field.docs.summary, field)
    for word, action in kind.actions.items():
        found[python_name(word)] = Member("action", partial(_action, action), action.docs.summary, action)
    for word, part in kind.parts.items():
        name = "as_table" if word == "records" else python_name(word)
        found[name] = Member("part", partial(_part, part, name), part.docs.summary, part)
    for word in known.kinds:
        _add_lookups(kind, word, known, found)
    for word, method in kind.cls.implied.items():
        name = outer_name(word, python_name(word) in found)
        doc = f"The {word} that this is in."
        found[name] = Member("outer", partial(property, partial(_outer, method), doc=doc), doc, gives=word)
    return found


def _add_lookups(kind: Kind, word: str, known: Vocabulary, found: dict[str, Member]) -> None:
    """Adds how items of another kind are found in those of this one, and gone through."""
    path, finder = known.path(kind.word, word), known.finder(kind.word, word)
    callee = finder[1] if finder is not None else None
    find: Callable[[bool], Any] | None = None
    if finder is not None:
        find = partial(_finder, word, *finder)
    elif path is not None:
        find = partial(_by_name, word, path)
    name = python_name(word)
    if find is not None:
        doc = callee.docs.summary if callee is not None else f"The {word} with a name."
        lookup = Member("lookup", partial(find, False), doc, callee, word)
        there = found.get(name)
        found[name] = lookup if there is None else _either(there, lookup)
        found[f"find_{name}"] = Member("find", partial(find, True), doc, callee, word)
    if path is not None:
        each = Member("items", partial(_each, kind, word, path), f"Every {word} in it, in order.", each=word)
        there = found.get(plural(word))
        found[plural(word)] = each if there is None else _either(each, there)


def _either(each: Member, lookup: Member) -> Member:
    """A word that is a look-up with arguments, and goes through all without."""
    if each.sort != "items" or lookup.sort != "lookup":
        raise TypeError(f"{each.sort} and {lookup.sort} have the same name: {each.doc} {lookup.doc}")
    doc = f"{each.doc} With arguments: {lookup.doc}"
    return Member("both", lambda: _both(each.make(), lookup.make()), doc, lookup.callee, lookup.gives, each.each)


# -- fields and actions


def _ensure_there(item: Any) -> None:
    if item.removed:
        raise deleted(item)


def _field(field: Any) -> property:
    """A field; what is set is fitted as for a macro."""
    read, word = attrgetter(field.python), field.word

    def get(self: Facade) -> Any:
        item = self._it
        if item.removed:
            raise deleted(item)
        return out(read(item))

    def put(self: Facade, value: Any) -> None:
        if not field.can_be_set:
            raise AttributeError(f"{word!r} of {field.owner} is read only")
        _ensure_there(self._it)
        found = into(value)
        if found is None and not field.may_be_nothing:
            raise Failure(f'"{word}" is {field.type}, not None')
        setattr(self._it, field.python, fitted(found, field.type, f'"{word}"', field.choice, field.whole))

    return property(get, put, doc=field.docs.summary)


def _bound(callee: Callee, given: tuple[Any, ...], named: Mapping[str, Any]) -> dict[str, Any]:
    """The arguments of a call by their names in the model, each fitted; only the first one can omit its name."""
    if callee.open:
        words = dict(given[0]) if given and isinstance(given[0], Mapping) else {}
        if len(given) > 1 or (given and not isinstance(given[0], Mapping)):
            raise TypeError(f'{callee.word}(…) takes values under headings: item="Rice", or {{"First name": "Ann"}}')
        return {word: into(value) for word, value in {**words, **named}.items()}
    parameters = callee.by_python
    found = dict(named)
    if given:
        first = next(iter(parameters), None)
        if len(given) > 1 or first is None or first in found:
            raise TypeError(f"{python_name(callee.word)}(…) takes {_taken(callee)}; only the first can omit its name")
        found[first] = given[0]
    result = {}
    for name, value in found.items():
        parameter = parameters.get(name)
        if parameter is None:
            raise TypeError(
                f"{python_name(callee.word)}(…) has no argument {name!r}.{did_you_mean(name, parameters)} "
                f"It takes {_taken(callee)}"
            )
        fit = fitting(parameter)(_into(parameter, value))
        if fit is not LEFT_OUT:
            result[name] = fit
    missing = [name for name, parameter in parameters.items() if parameter.required and name not in result]
    if missing:
        raise TypeError(f"{python_name(callee.word)}(…) needs {listed(missing)}")
    return result


def _into(parameter: Parameter, value: Any) -> Any:
    """An argument; a password must be a `Secret`, so that it is never shown."""
    if parameter.type.word == "secret" and isinstance(value, str):
        raise Failure(f'"{parameter.word}" must be secret. Write: scrub.Secret(…), or ask for it')
    if parameter.path and hasattr(value, "__fspath__"):
        return value.__fspath__()
    return into(value)


def _taken(callee: Callee) -> str:
    return listed(callee.by_python) or "no arguments"


def _named(function: Any, name: str, callee: Callee, doc: str) -> Any:
    """A method with the name, signature and help that a person sees."""
    arguments = callee.docs.arguments
    function.__name__ = function.__qualname__ = name
    told = ["", *(f"{word}: {said}" for word, said in arguments.items())] if arguments else []
    function.__doc__ = "\n".join([doc, *told])
    first, *others = inspect.signature(callee.function).parameters.values()
    places: list[Any] = [first.POSITIONAL_OR_KEYWORD] + [first.KEYWORD_ONLY] * len(others)
    function.__signature__ = inspect.Signature(
        [
            inspect.Parameter("self", first.POSITIONAL_ONLY),
            *(
                each if each.kind is each.VAR_KEYWORD else each.replace(kind=place, annotation=each.empty)
                for each, place in zip(others, places, strict=False)
            ),
        ]
    )
    return function


def _action(action: Action) -> Any:
    def do(self: Facade, *given: Any, **named: Any) -> Any:
        item = self._it
        if item.removed:
            raise deleted(item)
        result = action.do(item, _bound(action, given, named))
        if item.file.recorder.remarks:
            remark(item)
        return out(result)

    return _named(do, python_name(action.word), action, action.docs.summary)


def _part(callee: Callee, name: str) -> Any:
    method = callee.function.__name__  # a format may have its own

    def make(self: Facade, *given: Any, **named: Any) -> Any:
        _ensure_there(self._it)
        return out(getattr(self._it, method)(**_bound(callee, given, named)))

    return _named(make, name, callee, callee.docs.summary)


# -- what is inside


def _outer(method: str, self: Facade) -> Any:
    return out(getattr(self._it, method)())


def _by_name(word: str, path: tuple[str, ...], or_none: bool) -> Any:
    def find(self: Facade, name: str, *, exactly: bool = False) -> Any:
        _ensure_there(self._it)
        if not isinstance(name, str):
            raise Failure(f"the name of a {word} must be text")
        try:
            return out(item_named(self._it, path, word, name, loosen if exactly else fold))
        except Missing:
            if or_none:
                return None
            raise

    find.__name__ = find.__qualname__ = f"find_{python_name(word)}" if or_none else python_name(word)
    find.__doc__ = f"The {word} with this name; {'None' if or_none else 'raises `Missing`'} if there is none."
    return find


def _finder(word: str, way: tuple[str, ...], callee: Callee, or_none: bool) -> Any:
    method = callee.function.__name__

    def find(self: Facade, *given: Any, **named: Any) -> Any:
        item = self._it
        _ensure_there(item)
        values = _bound(callee, given, named)
        holders = list(inside(item, way)) if way else [item]
        if len(holders) > 1 and not callee.open:
            kind = holders[0].kind_word
            raise Failure(f"{word}(…) needs a {kind}: {plural(kind)} of this are {len(holders)}")
        missing: Missing | None = None
        for holder in holders:
            try:
                return out(getattr(holder, method)(**values))
            except Missing as failure:
                missing = missing or failure
        if or_none:
            return None
        raise missing or Missing(f"no {word} to look up")

    name = f"find_{python_name(word)}" if or_none else python_name(word)
    tail = " None if there is none." if or_none else " Raises `Missing` if there is none."
    return _named(find, name, callee, callee.docs.summary + tail)


def _each(kind: Kind, word: str, path: tuple[str, ...]) -> Any:
    """What gives the items of a kind inside; records also under other headings, or by a condition."""
    of = f"Every {word} in it, in order."
    if word != "record":

        def each(self: Facade) -> Items[Any]:
            item = self._it
            _ensure_there(item)
            return Items(word, lambda: visited(item, path))

        each.__name__ = each.__qualname__ = plural(word)
        each.__doc__ = of
        return each

    def each_record(self: Facade, headings: int | None = None, *, where: Any = None) -> Items[Any]:
        item = self._it
        _ensure_there(item)
        if headings is None:
            return Items(word, lambda: records(item, path, ()), where)
        if "records" not in kind.parts:
            raise Failure(f"headings of {kind.called} have no row: leave the number out")
        table = item.records(**_bound(kind.parts["records"], (headings,), {}))
        return Items(word, table.each_record, where)

    each_record.__name__ = each_record.__qualname__ = "records"
    each_record.__doc__ = of + (
        "\n\nheadings: the row with the headings; None for the first filled one.\n"
        'where: a condition such as scrub.heading("nights") >= 7, or a function of a record.'
    )
    return each_record


def _both(each: Any, find: Any) -> Any:
    """A word that is a look-up with arguments, and goes through all without."""

    def either(self: Facade, *given: Any, **named: Any) -> Any:
        return find(self, *given, **named) if given or named else each(self)

    either.__name__ = either.__qualname__ = each.__name__
    either.__doc__ = f"{each.__doc__} With arguments: {find.__doc__}"
    either.__signature__ = find.__signature__  # type: ignore[attr-defined]
    return either


# -- actions of one's own


def _own_names(word: str) -> list[str]:
    return [function.__name__ for of, function in OWN_ACTIONS if of == word]


def _own_action(word: str, name: str) -> Any:
    function = next((each for of, each in OWN_ACTIONS if (of, each.__name__) == (word, name)), None)
    return None if function is None else _action(Action(name.replace("_", "-"), word, function, of_item=False))


FACADES.make = _make
ItemFacade._own_action = staticmethod(_own_action)
ItemFacade._own_names = staticmethod(_own_names)
