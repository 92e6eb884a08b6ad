"""A macro's condition as SQL. Of each part there are five predicates that are never NULL: rows for which it may be
true (T), may be false (F), may fail or is worth a remark (R); rows for which it is certainly true (S), certainly
false (G).

Sent is `T or R`: all others are passed over. The macro tests what is sent but for the rows in S. So texts that SQL and
the macro compare in two ways (case of characters beyond ASCII, marks of a word processor) come over, and a text among
numbers fails in a database as it does everywhere.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Protocol

from scrub.formats.database.values import Column, Sort
from scrub.model.core.named import NamedTuple
from scrub.model.core.predicate import Joined, Leaf, Opposite, Predicate
from scrub.model.core.values import fold

#: The characters and marks beyond ASCII that are, or have in them, some of ASCII where macros compare (`values.fold`).
TURNING = (
    "\u00a0\u00df\u0130\u0149\u017f\u01f0\u02bc\u1e96\u1e97\u1e98\u1e99\u1e9a\u1e9e\u2007\u2018\u2019\u202f\u212a"
    "\ufb00\ufb01\ufb02\ufb03\ufb04\ufb05\ufb06"
)


class Predicates(NamedTuple):
    """The five of one condition."""

    true: str
    false: str
    fails: str
    sure: str
    surely_not: str
    #: An expression that is 1 where it is certainly true, 0 where it certainly is not, and NULL where nobody knows yet;
    #: made of the others where there is none that is quicker.
    own_verdict: str = ""

    @property
    def verdict(self) -> str:
        """That expression. Where it is NULL of no row, no row need be sent to be counted."""
        return self.own_verdict or f"CASE WHEN {self.sure} THEN 1 WHEN {self.surely_not} THEN 0 END"

    @property
    def sent(self) -> str:
        """Which rows the macro must see."""
        return either(self.true, self.fails)


YES, NO = "1=1", "1=0"
_NOTHING_KNOWN = Predicates(YES, YES, YES, NO, NO)
#: No condition: all rows are sent, and what is asked of them applies to none for sure.
EVERY = Predicates(YES, NO, NO, NO, NO)
#: The ASCII characters of a text that counts as empty.
BLANKS = " \t\n\r"


class Dialect(Protocol):
    """How an engine writes what the predicates are made of. Each is false, never NULL, for a row that is not of it."""

    def name(self, column: Column) -> str:
        """The column."""

    def bind(self, value: object) -> str:
        """The place of a value."""

    def is_text(self, column: Column) -> str:
        """SQL: whether a column contains a text."""

    def is_number(self, column: Column) -> str:
        """Whether a number is there, and one that is finite."""

    def is_yes_no(self, column: Column) -> str:
        """SQL: whether a column contains yes or no."""

    def is_day(self, column: Column) -> str:
        """Whether a day without a time is there."""

    def ascii(self, column: Column) -> str:
        """Whether the text that is there is all ASCII."""

    def plain(self, column: Column) -> str:
        """Whether no letter of the text that is there turns into one of ASCII where macros compare."""

    def low(self, column: Column) -> str:
        """The text in lower case, compared by its bytes."""

    def holds(self, text: str, mark: str, operator: str, length: int) -> str:
        """Whether a text contains, starts with or ends with another of this length."""

    def trimmed(self, column: Column) -> str | None:
        """The text without spaces, tabs and line ends on both sides; None where it cannot be had."""

    def compared(self, column: Column, value: object) -> str | None:
        """The place of a number or a day to compare with; None for one that cannot be compared exactly."""


#: What takes an engine long to find out of a text, as that many characters of SQL that it finds out quickly.
_DEAR = {"GLOB": 2400, "lower(": 2000, "date(": 2400, "trim(": 2000, "CAST(": 1200, "instr(": 1000, "substr(": 1000}


def _price(part: str) -> int:
    """What a predicate costs: no order of the parts changes what is found, and the cheapest are asked first."""
    return len(part) + sum(price * part.count(word) for word, price in _DEAR.items())


def both(*parts: str) -> str:
    """`and`, without what says nothing."""
    if NO in parts:
        return NO
    left = sorted((part for part in dict.fromkeys(parts) if part != YES), key=_price)
    return YES if not left else left[0] if len(left) == 1 else f"({' AND '.join(left)})"


def either(*parts: str) -> str:
    """`or`, without what says nothing."""
    if YES in parts:
        return YES
    left = sorted((part for part in dict.fromkeys(parts) if part != NO), key=_price)
    return NO if not left else left[0] if len(left) == 1 else f"({' OR '.join(left)})"


def neither(part: str) -> str:
    """`not`."""
    return NO if part == YES else YES if part == NO else f"(NOT {part})"


def predicates(predicate: Predicate, columns: Mapping[str, Column], dialect: Dialect) -> Predicates:
    """The predicates of a condition; `columns` go by their headings."""
    if isinstance(predicate, Opposite):
        result = predicates(predicate.part, columns, dialect)
        turned = f"CASE {result.verdict} WHEN 1 THEN 0 WHEN 0 THEN 1 END"
        return Predicates(result.false, result.true, result.fails, result.surely_not, result.sure, turned)
    if isinstance(predicate, Joined):
        together = _is_any(predicate, columns, dialect)
        if together is not None:
            return together
        if _size(predicate) > _MOST_PARTS:
            return _NOTHING_KNOWN
        result, *others = (predicates(part, columns, dialect) for part in predicate.parts)
        for other in others:
            result = (_and if predicate.operator == "and" else _or)(result, other)
        return result
    if isinstance(predicate, Leaf) and predicate.heading in columns:
        column = columns[predicate.heading]
        return _LEAVES.get(predicate.operator, _unknown)(column, predicate, dialect)
    return _NOTHING_KNOWN


#: Parts of a condition above which the macro tests each row: engines take no expression of any depth.
_MOST_PARTS = 20
#: Values in a list that are sent along.
_MOST_VALUES = 5_000


def _size(predicate: Predicate) -> int:
    """How many parts a condition has; a list of values is one."""
    if isinstance(predicate, Opposite):
        return _size(predicate.part)
    if isinstance(predicate, Joined):
        return 1 if _is_list(predicate) else sum(map(_size, predicate.parts))
    return 1


def _is_list(joined: Joined) -> bool:
    """Whether a condition asks for one of several values under one heading."""
    leaves = [part for part in joined.parts if isinstance(part, Leaf) and part.operator == "is" and not part.exactly]
    is_whole = joined.operator == "or" and len(leaves) == len(joined.parts) <= _MOST_VALUES
    return is_whole and len({(leaf.heading, type(leaf.value)) for leaf in leaves}) == 1


def _is_any(joined: Joined, columns: Mapping[str, Column], dialect: Dialect) -> Predicates | None:
    """The predicates of such a condition; None for any other one."""
    if not _is_list(joined):
        return None
    leaves = [part for part in joined.parts if isinstance(part, Leaf)]
    column = columns.get(leaves[0].heading)
    values = [leaf.value for leaf in leaves]
    if column is None or any(isinstance(value, bool) for value in values):
        return None
    texts = [value for value in values if isinstance(value, str)]
    if texts:
        return _is_text(column, texts, dialect) if all(map(str.strip, texts)) else None
    return _is_like(column, values, dialect)


def _and(one: Predicates, other: Predicates) -> Predicates:
    return Predicates(
        both(one.true, other.true),
        either(one.false, both(one.true, other.false)),
        either(one.fails, both(one.true, other.fails)),
        both(one.sure, other.sure),
        either(one.surely_not, both(one.sure, other.surely_not)),
        _decided(one, other, 0),
    )


def _or(one: Predicates, other: Predicates) -> Predicates:
    return Predicates(
        either(one.true, both(one.false, other.true)),
        both(one.false, other.false),
        either(one.fails, both(one.false, other.fails)),
        either(one.sure, both(one.surely_not, other.sure)),
        both(one.surely_not, other.surely_not),
        _decided(one, other, 1),
    )


#: Characters of an expression that is not written twice.
_LONG = 2_000


def _decided(one: Predicates, other: Predicates, by: int) -> str:
    """The verdict on two conditions; the first decides where its own is `by`. The cheaper one is asked first;
    where the first one may fail, that is told although the other decides.
    """
    first, second = one.verdict, other.verdict
    is_dear = _price(first) > max(_price(second), _price(one.fails)) and len(first) < _LONG
    if not is_dear:
        return f"CASE {first} WHEN {by} THEN {by} WHEN {1 - by} THEN {second} END"
    decided = f"CASE WHEN NOT {one.fails} THEN {by} END"
    passed = f"CASE {first} WHEN {by} THEN {by} END"  # the second one is not asked
    return f"CASE {second} WHEN {by} THEN {decided} WHEN {1 - by} THEN {first} ELSE {passed} END"


def _unknown(column: Column, leaf: Leaf, dialect: Dialect) -> Predicates:
    return _NOTHING_KNOWN


def _empty(column: Column, leaf: Leaf, dialect: Dialect) -> Predicates:
    """A text is empty that contains spaces only; those beyond ASCII are the macro's to know."""
    name, text = dialect.name(column), dialect.is_text(column)
    if text == NO and (column.loose or column.sort in (Sort.TEXT, Sort.ANY, Sort.CLOSED)):
        return _NOTHING_KNOWN
    if text == NO:
        none = f"{name} IS NULL"
        return Predicates(none, neither(none), NO, none, neither(none))
    trimmed, plain = dialect.trimmed(column), dialect.ascii(column)
    bare = YES if trimmed is None else f"{trimmed} = {dialect.bind('')}"
    sure = either(f"{name} IS NULL", both(text, plain, NO if trimmed is None else bare))
    true = either(f"{name} IS NULL", both(text, either(neither(plain), bare)))
    return Predicates(true, neither(sure), NO, sure, neither(true))


def _yes(column: Column, leaf: Leaf, dialect: Dialect) -> Predicates:
    known = dialect.is_yes_no(column)
    if known == NO:
        return Predicates(NO, NO, YES, NO, NO)
    yes = both(known, f"{dialect.name(column)} = {dialect.bind(_truth(column, True))}")
    no = both(known, f"{dialect.name(column)} = {dialect.bind(_truth(column, False))}")
    return Predicates(yes, no, neither(known), yes, no)


def _truth(column: Column, value: bool) -> object:
    return int(value) if column.as_text else value


def _ordered(column: Column, leaf: Leaf, dialect: Dialect) -> Predicates:
    """Numbers with numbers and days with days; all else fails, or is compared in other ways."""
    known, value = _like(column, leaf.value, dialect)
    if known == NO or value is None:
        return _NOTHING_KNOWN
    test = f"{dialect.name(column)} {leaf.operator} {value}"
    true, false = both(known, test), both(known, neither(test))
    return Predicates(true, false, neither(known), true, false)


def _like(column: Column, value: object, dialect: Dialect) -> tuple[str, str | None]:
    """Which rows hold a value of the same type, and the place of that value."""
    if isinstance(value, Decimal):
        return dialect.is_number(column), dialect.compared(column, value)
    if isinstance(value, date) and not isinstance(value, datetime):
        return dialect.is_day(column), dialect.compared(column, value)
    return NO, None


def _is(column: Column, leaf: Leaf, dialect: Dialect) -> Predicates:
    value = leaf.value
    if isinstance(value, bool):
        return _is_truth(column, value, dialect)
    if isinstance(value, str):
        return _NOTHING_KNOWN if leaf.exactly or not value.strip() else _is_text(column, [value], dialect)
    return _is_like(column, [value], dialect)


def _is_text(column: Column, values: Sequence[str], dialect: Dialect) -> Predicates:
    """Whether a text is one of some."""
    return _text_test(column, list(dict.fromkeys(map(fold, values))), dialect, _equals)


def _equals(name: str, places: Sequence[str]) -> str:
    return f"{name} = {places[0]}" if len(places) == 1 else f"({name}) IN ({', '.join(places)})"


def _is_like(column: Column, values: Sequence[object], dialect: Dialect) -> Predicates:
    """Whether a number or a day is one of some."""
    (known, *_), places = zip(*(_like(column, value, dialect) for value in values), strict=True)
    there = [place for place in places if place is not None]
    if len(there) < len(places):
        return _NOTHING_KNOWN
    name = dialect.name(column)
    equal = _equals(name, there)
    true = both(known, equal)
    other = neither(either(known, f"{name} IS NULL"))  # a text that reads as a number is worth a remark
    return Predicates(true, neither(true), other, true, either(f"{name} IS NULL", both(known, neither(equal))))


def _is_truth(column: Column, value: bool, dialect: Dialect) -> Predicates:
    name, known = dialect.name(column), dialect.is_yes_no(column)
    true = both(known, f"{name} = {dialect.bind(_truth(column, value))}")
    # A number or a text that means yes or no is worth a remark.
    readable = either(known, f"{name} IS NULL")
    return Predicates(true, neither(true), neither(readable), true, both(readable, neither(true)))


def _holding(column: Column, leaf: Leaf, dialect: Dialect) -> Predicates:
    if type(leaf.value) is not str or not leaf.value or leaf.exactly:
        return _NOTHING_KNOWN
    mark = fold(leaf.value)
    return _text_test(
        column, [mark], dialect, lambda text, places: dialect.holds(text, places[0], leaf.operator, len(mark))
    )


def _text_test(
    column: Column, marks: Sequence[str], dialect: Dialect, test: Callable[[str, Sequence[str]], str]
) -> Predicates:
    """A test of texts that are all ASCII, by their lower case; what is not a text is worth a remark, or fails."""
    if column.sort in (Sort.DATE, Sort.MOMENT, Sort.TIME):
        return _NOTHING_KNOWN
    name, text = dialect.name(column), dialect.is_text(column)
    plain = dialect.ascii(column)
    own = [mark for mark in marks if mark.isascii()]
    if len(own) == len(marks):
        plain = either(plain, dialect.plain(column))  # the first is asked quickly, and is enough for most texts
    found = test(dialect.low(column), [dialect.bind(mark) for mark in own]) if own else NO
    sure = both(text, found, plain)
    true = both(text, either(neither(plain), found))
    other = neither(either(text, f"{name} IS NULL"))
    surely_not = either(f"{name} IS NULL", both(text, plain, neither(found)))
    told = f"CASE WHEN {found} THEN CASE WHEN {plain} THEN 1 END WHEN {plain} THEN 0 END"
    verdict = f"CASE WHEN {text} THEN {told} WHEN {name} IS NULL THEN 0 END"
    return Predicates(true, neither(sure), other, sure, surely_not, verdict)


_LEAVES: dict[str, Callable[[Column, Leaf, Dialect], Predicates]] = {
    "is": _is, "is empty": _empty, "yes": _yes, "<": _ordered, "<=": _ordered, ">": _ordered, ">=": _ordered,
    "contains": _holding, "starts with": _holding, "ends with": _holding,
}  # fmt: skip


class Where(NamedTuple):
    """A condition on the rows of a table, whose columns go by their headings."""

    predicate: Predicate
    columns: Mapping[str, Column]
    #: Whether those are left out for which it certainly holds.
    unsure: bool = False

    def predicates(self, dialect: Dialect) -> Predicates:
        """The predicates of an engine."""
        found = predicates(self.predicate, self.columns, dialect)
        if not self.unsure:
            return found
        left = neither(found.sure)
        return found._replace(true=both(found.true, left), fails=both(found.fails, left), sure=NO)
