"""Gives the statements of a macro their meaning, and notes every slip."""

from __future__ import annotations

import re

from scrub.language import advice, tree
from scrub.language.check_runs import Resolver, RunsOthers
from scrub.language.check_values import PAIRS_STAY
from scrub.language.meant import cannot_be_name
from scrub.language.program import Program
from scrub.language.scope import LATER_KINDS, ItemOf, NameOf, Scope
from scrub.language.source import source_of, written
from scrub.language.tree import Block, Expression
from scrub.language.words import GATHERS, STARTERS
from scrub.model.declare import Reach
from scrub.model.problem import Problem, did_you_mean, listed
from scrub.model.types import ANY, NOTHING, NUMBER, SECRET, TEXT, YES_NO, Type, item_of, list_of
from scrub.model.vocabulary import Vocabulary


class Checker(RunsOthers):
    """Gives the statements of one macro their meaning, and notes every slip."""

    def __init__(
        self, found: Program, vocabulary: Vocabulary, problems: list[Problem], resolve: Resolver | None
    ) -> None:
        super().__init__(found, vocabulary, problems)
        self.resolve = resolve
        self.own_files = found.own_files
        self.loops: list[str] = []  # the loops around a line: kinds visited, or "" for a loop over values
        #: Names that are called like a field here, with how that is set.
        self.like_fields: list[tuple[str, str, tree.Place]] = []
        self.watched = 0  # a line at which somebody asks what is in reach
        self.seen: tuple[Scope, list[str]] | None = None  # what is in reach there, and the loops around it

    def whole(self, start: str, called: str) -> None:
        """Checks header and body. `start` is the kind that the macro runs on, `called` the word for it there."""
        macro = self.program.macro
        place = macro.places.get("for")
        files = self.vocabulary.files
        for word in macro.runs_on if place else ():
            if word in files or word == "nothing" or (word in self.vocabulary.kinds and word not in LATER_KINDS):
                if place and macro.for_all and word not in files:
                    self.note(place, f'"{word}" is not a kind of file. Write: for {files[0]}')
                continue
            assert place is not None
            if word in LATER_KINDS:
                self.note(place, f'a macro cannot run on "{word}" yet. It can run on: {listed(files)}')
            else:
                guess = did_you_mean(word, files)
                self.note(
                    place,
                    f'"{word}" is not a kind of file.{guess} Write: for {files[0]}',
                    "unknown-kind",
                    (word, files),
                )
        if macro.for_all:
            found = [word for word in macro.runs_on if word in self.vocabulary.kinds]
            picked = list_of(item_of(found[0]) if len(found) == 1 else ANY)
            self.program.picked_slot = self.scope.new_slot()
            self.scope.names["picked"] = NameOf(self.program.picked_slot, picked, place.line if place else 1)
            self.scope.assigned.add("picked")
            self.block(macro.body)
            self._finish()
            return
        if not start and "nothing" not in macro.runs_on:
            start = called = files[0]  # the header's problem is told; the body is still read
        if "nothing" in macro.runs_on and len(macro.runs_on) > 1 and place:
            self.note(place, '"nothing" must be alone: a macro without a file has no other kind')
        if start:
            with self.scope.entered("file" if called == "file" else start, start, called) as item:
                self.program.start_slot = item.slot
                self.block(macro.body)
        else:
            self.block(macro.body)
        self._finish()

    def selection(self) -> tuple[int, str]:
        """The slot of what the person picked, and its kind; 0 where nothing can be picked in such a file."""
        start = next((item.kind for item in self.scope.items[:1]), "") or next(iter(self.program.macro.runs_on), "")
        kind = self.vocabulary.kinds[start].selection if start in self.vocabulary.kinds else ""
        if not kind:
            return 0, ""
        if self.program.selection_slot < 0:
            self.program.selection_slot = self.scope.new_slot()
        return self.program.selection_slot, kind

    def _finish(self) -> None:
        for word, how, place in self.like_fields:
            if word not in self.read:
                self.note(place, f"this value is never used. To set the field, write: {how}")
        for word in self.asked_for & set(self.looked_up):
            for lookup in self.looked_up[word]:
                self.let_be_missing(lookup)
        self.program.slots = self.scope.slots
        self.program.names = {word: name.slot for word, name in self.scope.names.items()}

    def block(self, body: Block) -> bool:
        """Checks statements; tells whether the end of the block is never reached."""
        left = False
        for statement in body:
            self.watch(statement)
            if self.at_top and not isinstance(statement, tree.SetName | tree.Broken):
                self.at_top = False
            left = bool(getattr(self, f"_do_{type(statement).__name__.lower()}")(statement)) or left
        return left

    def watch(self, node: tree.Node) -> None:
        """Notes what is in reach, where somebody asks about a line of this node."""
        if self.watched and node.extent.line <= self.watched <= node.extent.end_line:
            self.seen = self.scope.copied(), self.loops[::-1]

    def _bad(self, node: tree.Bad) -> Type:
        self.watch(node)
        return ANY

    def _branch(self, body: Block) -> tuple[bool, set[str]]:
        """Checks a block that may not run; gives whether it leaves, and the names it certainly set."""
        before = set(self.scope.assigned)
        left = self.block(body)
        after, self.scope.assigned = self.scope.assigned, before
        return left, after

    # -- names

    def _do_setname(self, node: tree.SetName) -> None:
        like_field = self._like_field(node.word)
        advice = f"To set the field, write: {like_field}" if like_field else "Choose another"
        wrong = cannot_be_name(node.word, self.vocabulary, advice)
        if wrong:
            self.note(node.place, wrong)
            self.type(node.value)
            return
        if isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret"):
            found = self.question(node, node.value)
        elif isinstance(node.value, tree.RunValue):
            found = self.given(node.value)
        else:
            found = self.type(node.value)
            looked_up = self.means[node.value].lookup if isinstance(node.value, tree.Dot) else node.value
            if isinstance(looked_up, tree.Call) and looked_up.word in self.vocabulary.kinds:
                self.looked_up.setdefault(node.word, []).append(node.value)
        if found.word == "pairs" and node.word in GATHERS:
            self.note(node.place, f'"{node.word}(…)" is for items, so pairs need another name')
        self.means[node].pairs = found.word == "pairs" and isinstance(node.value, tree.Name)
        self.means[node].slot = self.set_name(node.word, found, node.place)
        self.program.kept.setdefault(node.word, []).append(node.value)
        if like_field:
            self.like_fields.append((node.word, like_field, node.place))

    def _like_field(self, word: str) -> str:
        """How a field is set that is called so, of the item at hand or of what is inside; nothing for none."""
        current = self.scope.current
        if current is None:
            return ""
        kinds = self.vocabulary.kinds
        for kind in (current.kind, *kinds[current.kind].holds):
            field = kinds[kind].fields.get(word)
            if field is not None and field.can_be_set:
                if kind == current.kind:
                    return f"{current.word}.{word} = …"
                return f"each {kind}, below it {kind}.{word} = …, and end"
        return ""

    def _runvalue(self, node: tree.RunValue) -> Type:
        self.note(node.place, 'write the result of another macro on its own line: name = run("…")')
        return ANY

    def _do_setpair(self, node: tree.SetPair) -> None:
        call = node.target
        name = self.scope.names.get(call.word)
        if name is None or name.type.word not in ("pairs", "anything"):
            for value in (*(argument.value for argument in call.arguments), node.value):
                self.type(value)
            known = call.word in self.vocabulary.kinds or name is not None
            tail = "" if known else f". To store values under keys, write above: {call.word} = pairs()"
            self.note(call.place, f'only a name, a field or a key can come before "="{tail}')
            return
        of = self.of_key(call)
        found = self.type(node.value)
        if call.word not in self.scope.assigned:
            self.type(tree.Name(call.place, call.word))  # notes that it may have no value yet
        if found == SECRET:
            self.note(node.value.place, "a secret cannot be kept in pairs")
        elif found.word == "pairs":
            self.note(node.value.place, PAIRS_STAY)
        elif of == ANY and name.type.word == "pairs":
            fresh = ANY if found == NOTHING else found
            self.scope.names[call.word] = name._replace(type=Type("pairs", fresh))
        elif not found.fits(of):
            self.note(node.value.place, f'a value of "{call.word}" is {of}, not {found}', "wrong-type")

    def _do_give(self, node: tree.Give) -> bool:
        found = self.type(node.value)
        if found == SECRET:
            self.note(node.value.place, "a secret cannot be passed to another macro")
        known = self.program.gives
        self.program.gives = found if known in (None, found) else ANY
        return True

    # -- fields and actions

    def _do_setfield(self, node: tree.SetField) -> None:
        target = self.type(node.target.target)
        if not target.item:
            self.type(node.value)
            if target != ANY:
                self.note(node.target.place, f"{target} has no fields to set")
            return
        kind = self.vocabulary.kinds[target.word]
        if kind.cls.open_fields and node.target.arguments is None:
            self.type(node.target)
            self.type(node.value)
            self.reaches(Reach.CHANGE, Reach.CHANGE.sentence)
            return
        field = kind.fields.get(node.target.word)
        if field is None:
            self.assigned = written(node.value)
            self.type(node.target)  # notes what is wrong with it
            self.assigned = ""
            self.unplaced(tree.Argument(None, node.value, node.place))
            return
        if not field.can_be_set:
            actions = [word for word, each in kind.actions.items() if field.word[:7] in word or word[:7] in field.word]
            changes = "action {} changes" if len(actions) == 1 else "actions {} change"
            advice = f" The {changes.format(listed(actions))} it" if actions else ""
            self.note(node.target.place, f'"{field.word}" of {kind.called} is read only.{advice}')
            self.type(node.value)
            return
        self.reaches(Reach.CHANGE, Reach.CHANGE.sentence)
        self.program.uses.append((kind.word, field.word, node.place.line))
        with self.printing(field.printed):
            self.value(node.value, field.type, f'"{field.word}"', field.choice)

    def _do_stray(self, node: tree.Stray) -> None:
        """A line that does nothing: what was meant is said as far as it can be known."""
        target = node.target
        assert isinstance(target, tree.Dot)
        told = len(self.problems)
        outer = self.type(target.target)
        is_told = len(self.problems) > told
        for argument in target.arguments or ():
            self.unplaced(argument)
        if is_told:
            return
        if not outer.item:
            self.note(node.place, f"this line does nothing. To use its result, write: name = … .{target.word}")
            return
        kind, word = self.vocabulary.kinds[outer.word], target.word
        item = source_of(target.target)
        current = self.scope.current
        if word in kind.actions:
            action = f"{word} …" if target.arguments else word
            if (
                current is not None
                and isinstance(target.target, tree.Name)
                and self.means[target.target].slot == current.slot
            ):
                how = f"Write only: {action}"
            else:
                how = f"Write: in {item}, below it {action}, and end"
            self.note(node.place, f"an action works on the current item. {how}")
        elif word in kind.fields or kind.cls.open_fields:
            how = f"To set the field, write: {item}.{word} = …"
            self.note(node.place, f"this line does nothing. {how}")
        else:
            self.note(target.place, self.no_field(kind, word, item))

    def _do_do(self, node: tree.Do) -> None:
        current = self.scope.current
        kind = self.vocabulary.kinds[current.kind] if current else None
        action = kind.actions.get(node.word) if kind else None
        if action is None:
            actions = kind.actions if kind else ()
            self.note(node.place, self._no_action(node, current), "unknown-action", (node.word, actions))
            for argument in node.arguments:
                self.unplaced(argument)
            return
        assert current is not None
        self.means[node].base, self.means[node].action = current.slot, action
        self.reaches(action.reach, action.does)
        self.program.uses.append((kind.word if kind else "", action.word, node.place.line))
        self.means[node].bound = self.arguments(action, node.arguments, node.place, node.word)

    def _no_action(self, node: tree.Do, current: ItemOf | None) -> str:
        word = node.word
        called = self.vocabulary.kinds[current.kind].called if current else ""
        here = f'{called} has no action "{word}"' if current else f'"{word}" needs an item to work on'
        for item in reversed(self.scope.items[:-1]):
            if word in self.vocabulary.kinds[item.kind].actions:
                return f"{here}; the {item.kind} has. Open a block for it: in {item.word}"
        kinds = self.vocabulary.kinds
        nearest = [*(kinds[current.kind].holds if current else ()), *kinds]
        having = [kinds[each] for each in dict.fromkeys(nearest) if word in kinds[each].actions]
        inside = [kind for kind in having if current is None or self.vocabulary.path(current.kind, kind.word)]
        if advice.unneeded(word):
            return advice.unneeded(word)
        if inside:
            parts = kinds[current.kind].parts if current else {}
            given = next((name for name, each in parts.items() if each.gives.word == inside[0].word), None)
            block = f"in {current.word}.{given}" if current and given else f"each {inside[0].word}"
            return f"{here}; a {inside[0].word} has. Put it in a block: {block}"
        if word in kinds:
            return f'brackets are missing: write {word}("…")'
        if word in LATER_KINDS:
            return f'"{word}" cannot be used yet'
        fields = kinds[current.kind].fields if current else {}
        if current and word in fields:
            how = f"{current.word}.{word} = …" if fields[word].can_be_set else f"{current.word}.{word}"
            return f'"{word}" is a field of the {current.kind}: {how}'
        actions = kinds[current.kind].actions if current else {}
        meant = (each.docs for each in actions.values() if each.docs.called(word))
        found = next((f" Write: {docs.example}" for docs in meant if docs.example and word not in actions), "")
        for item in () if found else reversed(self.scope.items):
            found = found or advice.of_action(word, kinds[item.kind].actions)
            found = found or advice.of_item(word, item.word, item.kind, kinds[item.kind].fields)
        found = found or did_you_mean(word, [*actions, *STARTERS])
        if not found and having and current:
            return f"{here}; {listed((kind.called for kind in having[:3]), 'or')} has, but this contains none"
        if not found and current:
            like = self._like_field(word)
            if like:
                return f"{here}. To set the field, write: {like}"
            found = self.called_otherwise(word, current.kind) or advice.later(word, current.kind)
        if not found and advice.of_call(word):
            return advice.of_call(word)
        return f"{here}.{found}"

    def _do_broken(self, node: tree.Broken) -> None:
        """What is wrong with it is told."""

    def _do_if(self, node: tree.If) -> bool:
        ends: list[tuple[bool, set[str]]] = []
        for condition, body in node.branches:
            self.condition(condition)
            ends.append(self._branch(body))
        ends.append(self._branch(node.otherwise))
        going_on = [assigned for left, assigned in ends if not left]
        if going_on:
            self.scope.assigned = set.intersection(*going_on)
        return not going_on

    def _do_each(self, node: tree.Each) -> None:
        if node.word in self.vocabulary.kinds:
            found = self.items_inside(node.word, node.inside, node.place)
            self.means[node].items = True
            if found:
                self.means[node].base, self.means[node].path = found
            alias = node.alias or node.word
            if node.alias:
                self._check_alias(node.alias, node.place)
            with self.scope.entered(alias, node.word) as item:
                self.means[node].slot, self.means[node].headings = item.slot, item.headings
                self._picked_and_sorted(node)
                self._loop(node.word, node.body)
            return
        if node.inside is None or node.word in LATER_KINDS:
            self.items_inside(node.word, node.inside, node.place)
            inner = ANY
        else:
            values = self.value(node.inside, Type("list"), f'what "each {node.word} in" goes through')
            inner = values.of or ANY
        self._value_loop(node, node.word, inner)

    def _value_loop(self, node: tree.Each, word: str, inner: Type) -> None:
        if node.alias:
            self.note(node.place, f'"{word}" is the name already. Delete "as {node.alias}"')
        self._check_alias(word, node.place)
        before = set(self.scope.assigned)
        self.means[node].slot = self.set_name(word, inner, node.place)
        self.program.kept.setdefault(word, []).append(node.inside)
        self._picked_and_sorted(node)
        self._loop("", node.body)
        self.scope.assigned = before

    def _picked_and_sorted(self, node: tree.Each) -> None:
        """The condition of a loop, what it is sorted by, and what counts its turns."""
        if node.where is not None:
            self.condition(node.where)
        for order in node.orders:
            found = self.type(order.by)
            if found.item or found in (SECRET, YES_NO) or found.word in ("list", "pairs"):
                self.note(
                    order.by.place, f"a loop can be sorted by numbers, dates or text, not by {found}", "wrong-type"
                )
        if node.counter is None:
            return
        if self.means[node].items and node.alias is None and node.inside is not None:
            self.note(node.place, f"the name of the item comes first: each {node.word} as {node.counter} in …")
        self._check_alias(node.counter, node.place)
        self.means[node].counter = self.set_name(node.counter, NUMBER, node.place)
        self.program.kept.setdefault(node.counter, []).append(None)

    def _check_alias(self, word: str, place: tree.Place) -> None:
        wrong = cannot_be_name(word, self.vocabulary)
        if wrong:
            self.note(place, wrong)

    def _loop(self, kind: str, body: Block) -> None:
        self.loops.append(kind)
        self._branch(body)
        self.loops.pop()

    def _do_times(self, node: tree.Times) -> None:
        self.value(node.times, NUMBER, "how often to repeat")
        before = set(self.scope.assigned)
        if node.alias:
            self._check_alias(node.alias, node.place)
            self.means[node].slot = self.set_name(node.alias, NUMBER, node.place)
            self.program.kept.setdefault(node.alias, []).append(node.times)
        self._loop("", node.body)
        self.scope.assigned = before

    def _do_while(self, node: tree.While) -> None:
        self.condition(node.condition)
        self._loop("", node.body)

    def _do_in(self, node: tree.In) -> bool:
        found = self.type(node.item)
        if not found.item:
            if found != ANY:
                self.note(node.item.place, f'"in" needs an item: in sheet("Totals"), not {found}')
            return self.block(node.body)
        with self.scope.entered(found.word, found.word) as item:
            self.means[node].slot = item.slot
            return self.block(node.body)

    def _do_attempt(self, node: tree.Attempt) -> bool:
        left, tried = self._branch(node.body)
        before = set(self.scope.assigned)
        self.means[node].slot = self.set_name("problem", TEXT, node.place)
        self.program.kept.setdefault("problem", []).append(None)
        handler_left, handled = self._branch(node.handler)
        going_on = [names for gone, names in ((left, tried), (handler_left, handled)) if not gone]
        self.scope.assigned = set.intersection(*going_on) if going_on else before
        return not going_on

    def _do_skip(self, node: tree.Skip) -> bool:
        if not self.loops:
            self.note(node.place, '"skip" needs a loop. To end the macro: finish')
        elif node.word is not None:
            kinds = [kind for kind in reversed(self.loops) if kind]
            if node.word not in kinds:
                self.note(node.place, f'this line is not inside a loop over "{node.word}"')
            else:
                self.means[node].depth = list(reversed(self.loops)).index(node.word)
        return True

    def _do_leave(self, node: tree.Leave) -> bool:
        if not self.loops:
            self.note(node.place, '"leave loop" needs a loop. To end the macro: finish')
        return True

    def _do_finish(self, node: tree.Finish) -> bool:
        if node.text is not None:
            self._spoken(node.text)
        return True

    def _do_fail(self, node: tree.Fail) -> bool:
        self._spoken(node.text)
        return True

    def _do_say(self, node: tree.Say) -> None:
        self._spoken(node.text)

    def _spoken(self, text: Expression) -> None:
        line, column, length = text.place
        written = self.program.macro.lines[line - 1][column - 1 : column - 1 + length]
        counts = re.match(r"\W?(\{[\d,]+\})", written)  # further on it may be what a pattern repeats
        if counts and isinstance(text, tree.Constant | tree.Text):
            self.note(
                text.place, f"no value to fill in for {counts[1]}. For plain braces, double them: {{{counts[1]}}}"
            )
        if self.type(text) == SECRET:
            self.note(text.place, "a secret cannot be shown")
