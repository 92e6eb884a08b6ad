"""What people mean by words that have no meaning where they are: the end of the sentence that tells so."""

from __future__ import annotations

import re
from collections.abc import Sequence

from scrub.language import advice, tree
from scrub.language.checking import Checking
from scrub.language.expressions import MARKS, PRINTED
from scrub.language.scope import LATER_KINDS
from scrub.language.tree import Expression
from scrub.language.words import KEYWORDS
from scrub.model.core.problem import did_you_mean, listed
from scrub.model.core.types import Type
from scrub.model.vocabulary import Callee, Kind, Vocabulary

#: The fields that say what an item says, the likeliest first.
_SAID_BY_ITEMS = ("text", "value", "name", "title")


def unknown_name(on: Checking, word: str) -> str:
    """About a bare word that is neither a name nor an item."""
    if word == "selection":
        files = listed([kind.word for kind in on.vocabulary.kinds.values() if kind.selection])
        return f'"selection" is what a person selects with --at. It works for: {files}'
    if word in on.vocabulary.kinds:
        return f"no current {word} here. Name one: {_one_of(on, word)}, or open a block: each {word}"
    left, _, right = word.rpartition("-")
    if left and (right.isdigit() or right in on.scope.names) and on.scope.known(left):
        return f'no value is named "{word}". To subtract, put spaces around the minus: {left} - {right}'
    items = [item.word for item in on.scope.items]
    for item in reversed(on.scope.items):
        if word in on.vocabulary.kinds[item.kind].fields:
            return f"write a field with its item: {item.word}.{word}"
    if word in LATER_KINDS or word == "picked":
        return f'"{word}" cannot be used yet'
    record = next((item.word for item in reversed(on.scope.items) if _has_headings(on, item.kind)), None)
    guess = advice.of_name(word) or did_you_mean(word, [*on.scope.names, *items, "yes", "no", "nothing"])
    if not guess and record is not None:
        guess = f' For the value under a heading: {record}.{word}. For text: "{word}"'
    return f'no value is named "{word}".{guess}' + ("" if guess else f' Put text in quotes: "{word}"')


def _has_headings(on: Checking, kind: str) -> bool:
    return kind in on.vocabulary.kinds and on.vocabulary.kinds[kind].cls.open_fields


def _one_of(on: Checking, word: str) -> str:
    """How a certain item of a kind is written."""
    finders = (kind.finds[word] for kind in on.vocabulary.kinds.values() if word in kind.finds)
    return next((found for finder in finders if (found := _written(finder))), f'{word}("…")')


def asked_sort(on: Checking, left: Expression, right: Expression) -> str:
    """Advice for who asks of a value itself of which sort it is; nothing for others."""
    if not isinstance(left, tree.Dot) or left.word != "value" or not isinstance(right, tree.Name):
        return ""
    if not isinstance(left.target, tree.Name) or on.scope.known(right.word):
        return ""
    item = on.scope.item(left.target.word)
    sorts = on.vocabulary.kinds[item.kind].fields.get("holds") if item is not None else None
    if sorts is None or right.word not in sorts.type.choices:
        return ""
    return f"to test the type of a value, write: {left.target.word}.holds is {right.word}"


def field_instead(on: Checking, *wrong: Type, of: Sequence[Type] = ()) -> str:
    """The field that was meant where an item itself is written: of a cell its value, of a sheet its name."""
    for each in wrong:
        fields = on.vocabulary.kinds[each.word].fields if each.item else {}
        for word in _SAID_BY_ITEMS:
            if word in fields and (not of or fields[word].type in of):
                return f". Write the field: {each.word}.{word}"
    return ""


def can_be_empty(on: Checking, of: Type) -> bool:
    """Whether an item of this kind is empty when nothing is in it."""
    return hasattr(on.vocabulary.kinds[of.word].cls, "is_blank")


def no_field(on: Checking, kind: Kind, word: str, written: str = "") -> str:
    """About a field that a kind of item does not have; `written` is how the item is written."""
    if word in kind.actions:
        return f'"{word}" is an action of {kind.called}, not a field. Write it alone at the start of a line: {word}'
    inside = [other for other in kind.holds if word in on.vocabulary.kinds[other].fields]
    many = next((other for other in kind.holds if word in (other, f"{other}s")), "")
    if many:
        return f'{kind.called} has no field "{word}". Write: each {many}, or count({many})'
    tail = no_dot(word) or advice.of_item(word, written or kind.word, kind.word, kind.fields, on.assigned)
    if not tail:
        tail = did_you_mean(word, [*kind.fields, *kind.actions])
    if not tail:
        tail = next((f' Did you mean "{field.word}"?' for field in kind.fields.values() if field.docs.called(word)), "")
    if not tail and inside:
        tail = f" A {inside[0]} has: open a block with each {inside[0]}"
    tail = tail or called_otherwise(on, word, kind.word) or advice.later(word, kind.word)
    held = next((other for other in kind.holds if other in re.split("-|s$", word)), "") if not tail else ""
    if held:
        tail = f" Count them: count({held}), or open a block: each {held}"
    return f'{kind.called} has no field "{word}".{tail}'


def called_otherwise(on: Checking, word: str, kind: str) -> str:
    """What people mean by a word that is none here: an action or a field of an item, or of what is inside, as the
    end of a sentence.
    """
    kinds = on.vocabulary.kinds
    for each in (kind, *kinds[kind].holds):
        settable = [field.docs for field in kinds[each].fields.values() if field.can_be_set]
        for docs in (*(action.docs for action in kinds[each].actions.values()), *settable):
            if docs.called(word) and docs.example:
                return f" Write: {docs.example}" + ("" if each == kind else f", in a block: each {each}")
    return ""


def everyday_name(on: Checking, word: str, type_word: str) -> str:
    """The operation of a type that people call so, as the end of a sentence."""
    for (owner, name), operation in on.vocabulary.operations.items():
        if owner == type_word and operation.docs.called(word):
            return f' Did you mean "{name}"?'
    return ""


def _written(callee: Callee) -> str:
    """Its example, or one in its first sentence; an empty text for none."""
    written = re.search("`([^`]+)`", callee.docs.summary)
    return callee.docs.example or (written[1] if written else "")


def example_of(callee: Callee) -> str:
    """How it is written, as the end of a sentence."""
    found = _written(callee)
    return f". For example: {found}" if found else ""


def cannot_be_name(word: str, vocabulary: Vocabulary, advice: str = "Choose another") -> str | None:
    """Why a word cannot be the name of a value, and what to do then; or None."""
    if word in vocabulary.kinds or word in LATER_KINDS:
        return f'"{word}" is a kind of item and cannot be a name. {advice}'
    if word in MARKS or word in PRINTED:
        return f'"{{{word}}}" means a character in text, so it cannot be a name. {advice}'
    if word in KEYWORDS:
        return f'"{word}" is a word of the language and cannot be a name. {advice}'
    return None


def no_dot(word: str) -> str:
    """Advice for a comparison that is written like a field."""
    forms = {"exists": "… exists", "missing": "… is missing", "contains": "… contains …", "is-empty": "… is empty"}
    forms |= {"empty": "… is empty", "isempty": "… is empty"}
    return f" Write it without the dot: {forms[word]}" if word in forms else ""
