"""Gives the statements of a macro their meaning, and notes every slip."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager

import scrub.language.check_loops
import scrub.language.check_values  # noqa: F401 - marks those for expressions
from scrub.language import advice, tree
from scrub.language.check_arguments import PAIRS_STAY, check_action, check_unplaced, check_value
from scrub.language.check_blocks import check_block, check_branch
from scrub.language.check_lookups import type_of_key
from scrub.language.check_operators import check_condition, let_be_missing
from scrub.language.check_questions import gather_question, set_name
from scrub.language.check_runs import type_given
from scrub.language.checking import Checking, states
from scrub.language.meant import called_otherwise, cannot_be_name, no_field
from scrub.language.scope import LATER_KINDS, ItemOf, NameOf
from scrub.language.source import source_of, written
from scrub.language.tree import Expression
from scrub.language.words import GATHERS, STARTERS
from scrub.model.core.declare import Reach
from scrub.model.core.problem import did_you_mean, listed
from scrub.model.core.types import ANY, NOTHING, SECRET, TEXT, Type, item_of, list_of


def check_whole(on: Checking, start: str, called: str) -> None:
    """Checks header and body. `start` is the kind that the macro runs on, `called` the word for it there."""
    check_header(on)
    with on_file(on, *started(on, start, called)):
        check_block(on, on.program.macro.body)
    conclude(on)


def started(on: Checking, start: str, called: str) -> tuple[str, str]:
    """The kind that the body is checked for, and the word for it: of a file where the header says none."""
    first = on.vocabulary.files[0]
    return (start, called) if start or "nothing" in on.program.macro.runs_on else (first, first)


def check_header(on: Checking) -> None:
    """Checks what the macro runs on."""
    macro = on.program.macro
    place = macro.places.get("for")
    files = on.vocabulary.files
    for word in macro.runs_on if place else ():
        if word in files or word == "nothing" or (word in on.vocabulary.kinds and word not in LATER_KINDS):
            if place and macro.for_all and word not in files:
                on.note(place, f'"{word}" is not a kind of file. Write: for {files[0]}')
            continue
        assert place is not None
        if word in LATER_KINDS:
            on.note(place, f'a macro cannot run on "{word}" yet. It can run on: {listed(files)}')
        else:
            guess = did_you_mean(word, files)
            on.note(
                place,
                f'"{word}" is not a kind of file.{guess} Write: for {files[0]}',
                "unknown-kind",
                (word, files),
            )
    if "nothing" in macro.runs_on and len(macro.runs_on) > 1 and place and not macro.for_all:
        on.note(place, '"nothing" must be alone: a macro without a file has no other kind')


@contextmanager
def on_file(on: Checking, start: str, called: str) -> Iterator[None]:
    """Lets the body be checked as it runs on a kind of file, on several together, or on none."""
    macro = on.program.macro
    place = macro.places.get("for")
    if macro.for_all:
        found = [word for word in macro.runs_on if word in on.vocabulary.kinds]
        picked = list_of(item_of(found[0]) if len(found) == 1 else ANY)
        on.program.picked_slot = on.scope.new_slot()
        on.scope.names.setdefault("picked", NameOf(on.program.picked_slot, picked, place.line if place else 1))
        on.scope.assigned.add("picked")
        yield
    elif start:
        with on.scope.entered("file" if called == "file" else start, start, called) as item:
            on.program.start_slot = item.slot
            yield
    else:
        yield


def conclude(on: Checking) -> None:
    """What is known of names once the whole body was checked."""
    for word, how, place in on.like_fields:
        if word not in on.read:
            on.note(place, f"this value is never used. To set the field, write: {how}")
    for word in on.asked_for & set(on.looked_up):
        for lookup in on.looked_up[word]:
            let_be_missing(on, lookup)
    on.program.slots = on.scope.slots
    on.program.names = {word: name.slot for word, name in on.scope.names.items()}


@states(tree.SetName)
def _setname(on: Checking, node: tree.SetName) -> None:
    like_field = _like_field(on, node.word)
    how = f"To set the field, write: {like_field}" if like_field else "Choose another"
    wrong = cannot_be_name(node.word, on.vocabulary, how)
    if wrong:
        on.note(node.place, wrong)
        on.type(node.value)
        return
    if isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret"):
        found = gather_question(on, node, node.value)
    elif isinstance(node.value, tree.RunValue):
        found = type_given(on, node.value)
    else:
        found = on.type(node.value)
        looked_up = on.means[node.value].lookup if isinstance(node.value, tree.Dot) else node.value
        if isinstance(looked_up, tree.Call) and looked_up.word in on.vocabulary.kinds:
            on.looked_up.setdefault(node.word, []).append(node.value)
    if found.word == "pairs" and node.word in GATHERS:
        on.note(node.place, f'"{node.word}(…)" is for items, so pairs need another name')
    on.means[node].pairs = found.word == "pairs" and isinstance(node.value, tree.Name)
    on.means[node].slot = set_name(on, node.word, found, node.place)
    on.program.kept.setdefault(node.word, []).append(node.value)
    if like_field:
        on.like_fields.append((node.word, like_field, node.place))


def _like_field(on: Checking, word: str) -> str:
    """How the field of this name is set, of the current item or of what it contains; an empty text for none."""
    current = on.scope.current
    if current is None:
        return ""
    kinds = on.vocabulary.kinds
    for kind in (current.kind, *kinds[current.kind].holds):
        field = kinds[kind].fields.get(word)
        if field is not None and field.can_be_set:
            if kind == current.kind:
                return f"{current.word}.{word} = …"
            return f"each {kind}, below it {kind}.{word} = …, and end"
    return ""


@states(tree.SetPair)
def _setpair(on: Checking, node: tree.SetPair) -> None:
    call = node.target
    name = on.scope.names.get(call.word)
    if name is None or name.type.word not in ("pairs", "anything"):
        for value in (*(argument.value for argument in call.arguments), node.value):
            on.type(value)
        known = call.word in on.vocabulary.kinds or name is not None
        tail = "" if known else f". To store values under keys, write above: {call.word} = pairs()"
        on.note(call.place, f'only a name, a field or a key can come before "="{tail}')
        return
    of = type_of_key(on, call)
    found = on.type(node.value)
    if call.word not in on.scope.assigned:
        on.type(tree.Name(call.place, call.word))  # notes that it may have no value yet
    if found == SECRET:
        on.note(node.value.place, "a secret cannot be kept in pairs")
    elif found.word == "pairs":
        on.note(node.value.place, PAIRS_STAY)
    elif of == ANY and name.type.word == "pairs":
        fresh = ANY if found == NOTHING else found
        on.scope.names[call.word] = name._replace(type=Type("pairs", fresh))
    elif not found.fits(of):
        on.note(node.value.place, f'a value of "{call.word}" is {of}, not {found}', "wrong-type")


@states(tree.Give)
def _give(on: Checking, node: tree.Give) -> bool:
    found = on.type(node.value)
    if found == SECRET:
        on.note(node.value.place, "a secret cannot be passed to another macro")
    known = on.program.gives
    on.program.gives = found if known in (None, found) else ANY
    return True


@states(tree.SetField)
def _setfield(on: Checking, node: tree.SetField) -> None:
    target = on.type(node.target.target)
    if not target.item:
        on.type(node.value)
        if target != ANY:
            on.note(node.target.place, f"{target} has no fields to set")
        return
    kind = on.vocabulary.kinds[target.word]
    if kind.cls.open_fields and node.target.arguments is None:
        on.type(node.target)
        on.type(node.value)
        on.reaches(Reach.CHANGE, Reach.CHANGE.sentence)
        return
    field = kind.fields.get(node.target.word)
    if field is None:
        on.assigned = written(node.value)
        on.type(node.target)  # notes what is wrong with it
        on.assigned = ""
        check_unplaced(on, tree.Argument(None, node.value, node.place))
        return
    if not field.can_be_set:
        actions = [word for word, action in kind.actions.items() if field.word[:7] in word or word[:7] in field.word]
        changes = "action {} changes" if len(actions) == 1 else "actions {} change"
        how = f" The {changes.format(listed(actions))} it" if actions else ""
        on.note(node.target.place, f'"{field.word}" of {kind.called} is read only.{how}')
        on.type(node.value)
        return
    on.reaches(Reach.CHANGE, Reach.CHANGE.sentence)
    on.program.uses.append((kind.word, field.word, node.place.line))
    with on.printing(field.printed):
        check_value(on, node.value, field.type, f'"{field.word}"', field.choice)


@states(tree.Stray)
def _stray(on: Checking, node: tree.Stray) -> None:
    """A line that does nothing: what was meant is said as far as it can be known."""
    target = node.target
    assert isinstance(target, tree.Dot)
    told = len(on.problems)
    outer = on.type(target.target)
    is_told = len(on.problems) > told
    for argument in target.arguments or ():
        check_unplaced(on, argument)
    if is_told:
        return
    if not outer.item:
        on.note(node.place, f"this line does nothing. To use its result, write: name = … .{target.word}")
        return
    kind, word = on.vocabulary.kinds[outer.word], target.word
    item = source_of(target.target)
    current = on.scope.current
    if word in kind.actions:
        action = f"{word} …" if target.arguments else word
        if (
            current is not None
            and isinstance(target.target, tree.Name)
            and on.means[target.target].slot == current.slot
        ):
            how = f"Write only: {action}"
        else:
            how = f"Write: in {item}, below it {action}, and end"
        on.note(node.place, f"an action works on the current item. {how}")
    elif word in kind.fields or kind.cls.open_fields:
        how = f"To set the field, write: {item}.{word} = …"
        on.note(node.place, f"this line does nothing. {how}")
    else:
        on.note(target.place, no_field(on, kind, word, item))


@states(tree.Do)
def _do(on: Checking, node: tree.Do) -> None:
    current = on.scope.current
    kind = on.vocabulary.kinds[current.kind] if current else None
    action = kind.actions.get(node.word) if kind else None
    if action is None:
        actions = kind.actions if kind else ()
        on.note(node.place, _no_action(on, node, current), "unknown-action", (node.word, actions))
        for argument in node.arguments:
            check_unplaced(on, argument)
        return
    assert current is not None
    check_action(on, node, current, action)


def _no_action(on: Checking, node: tree.Do, current: ItemOf | None) -> str:
    word, kinds = node.word, on.vocabulary.kinds
    called = kinds[current.kind].called if current else ""
    here = f'{called} has no action "{word}"' if current else f'"{word}" needs an item to work on'
    for item in reversed(on.scope.items[:-1]):
        if word in kinds[item.kind].actions:
            return f"{here}; the {item.kind} has. Open a block for it: in {item.word}"
    nearest = [*(kinds[current.kind].holds if current else ()), *kinds]
    having = [kinds[each] for each in dict.fromkeys(nearest) if word in kinds[each].actions]
    inside = [kind for kind in having if current is None or on.vocabulary.path(current.kind, kind.word)]
    if advice.unneeded(word):
        return advice.unneeded(word)
    if inside:
        parts = kinds[current.kind].parts if current else {}
        given = next((name for name, part in parts.items() if part.gives.word == inside[0].word), None)
        block = f"in {current.word}.{given}" if current and given else f"each {inside[0].word}"
        return f"{here}; a {inside[0].word} has. Put it in a block: {block}"
    other = _other_word(on, word, current)
    if other:
        return other
    found = _action_meant(on, word, current)
    if not found and having and current:
        return f"{here}; {listed((kind.called for kind in having[:3]), 'or')} has, but this contains none"
    if not found and current:
        like = _like_field(on, word)
        if like:
            return f"{here}. To set the field, write: {like}"
        found = called_otherwise(on, word, current.kind) or advice.later(word, current.kind)
    if not found and advice.of_call(word):
        return advice.of_call(word)
    return f"{here}.{found}"


def _other_word(on: Checking, word: str, current: ItemOf | None) -> str:
    """What a word is instead of an action: a kind, or a field of the current item; an empty text for neither."""
    kinds = on.vocabulary.kinds
    if word in kinds:
        return f'brackets are missing: write {word}("…")'
    if word in LATER_KINDS:
        return f'"{word}" cannot be used yet'
    fields = kinds[current.kind].fields if current else {}
    if current and word in fields:
        how = f"{current.word}.{word} = …" if fields[word].can_be_set else f"{current.word}.{word}"
        return f'"{word}" is a field of the {current.kind}: {how}'
    return ""


def _action_meant(on: Checking, word: str, current: ItemOf | None) -> str:
    """The action that people mean by a word, as the end of a sentence; nothing where none is like it."""
    kinds = on.vocabulary.kinds
    actions = kinds[current.kind].actions if current else {}
    meant = (action.docs for action in actions.values() if action.docs.called(word))
    found = next((f" Write: {docs.example}" for docs in meant if docs.example and word not in actions), "")
    for item in () if found else reversed(on.scope.items):
        found = found or advice.of_action(word, kinds[item.kind].actions)
        found = found or advice.of_item(word, item.word, item.kind, kinds[item.kind].fields)
    return found or did_you_mean(word, [*actions, *STARTERS])


@states(tree.Broken)
def _broken(on: Checking, node: tree.Broken) -> None:
    """What is wrong with it is told."""


@states(tree.If)
def _if(on: Checking, node: tree.If) -> bool:
    ends: list[tuple[bool, set[str]]] = []
    for condition, body in node.branches:
        check_condition(on, condition)
        ends.append(check_branch(on, body))
    ends.append(check_branch(on, node.otherwise))
    going_on = [assigned for left, assigned in ends if not left]
    if going_on:
        on.scope.assigned = set.intersection(*going_on)
    return not going_on


@states(tree.In)
def _in(on: Checking, node: tree.In) -> bool:
    found = on.type(node.item)
    if not found.item:
        if found != ANY:
            on.note(node.item.place, f'"in" needs an item: in sheet("Totals"), not {found}')
        return check_block(on, node.body)
    with on.scope.entered(found.word, found.word) as item:
        on.means[node].slot = item.slot
        return check_block(on, node.body)


@states(tree.Attempt)
def _attempt(on: Checking, node: tree.Attempt) -> bool:
    on.means[node].before = frozenset(on.scope.assigned)
    left, tried = check_branch(on, node.body)
    before = set(on.scope.assigned)
    on.means[node].slot = set_name(on, "problem", TEXT, node.place)
    on.program.kept.setdefault("problem", []).append(None)
    handler_left, handled = check_branch(on, node.handler)
    going_on = [names for gone, names in ((left, tried), (handler_left, handled)) if not gone]
    on.scope.assigned = set.intersection(*going_on) if going_on else before
    return not going_on


@states(tree.Skip)
def _skip(on: Checking, node: tree.Skip) -> bool:
    if not on.loops:
        on.note(node.place, '"skip" needs a loop. To end the macro: finish')
    elif node.word is not None:
        kinds = [kind for kind in reversed(on.loops) if kind]
        if node.word not in kinds:
            on.note(node.place, f'this line is not inside a loop over "{node.word}"')
        else:
            on.means[node].depth = list(reversed(on.loops)).index(node.word)
    return True


@states(tree.Leave)
def _leave(on: Checking, node: tree.Leave) -> bool:
    if not on.loops:
        on.note(node.place, '"leave loop" needs a loop. To end the macro: finish')
    return True


@states(tree.Finish)
def _finish(on: Checking, node: tree.Finish) -> bool:
    if node.text is not None:
        _spoken(on, node.text)
    return True


@states(tree.Fail)
def _fail(on: Checking, node: tree.Fail) -> bool:
    _spoken(on, node.text)
    return True


@states(tree.Say)
def _say(on: Checking, node: tree.Say) -> None:
    _spoken(on, node.text)


def _spoken(on: Checking, text: Expression) -> None:
    line, column, length = text.place
    said = on.program.macro.lines[line - 1][column - 1 : column - 1 + length]
    counts = re.match(r"\W?(\{[\d,]+\})", said)  # further on it may be what a pattern repeats
    if counts and isinstance(text, tree.Constant | tree.Text):
        on.note(text.place, f"no value to fill in for {counts[1]}. For plain braces, double them: {{{counts[1]}}}")
    if on.type(text) == SECRET:
        on.note(text.place, "a secret cannot be shown")
