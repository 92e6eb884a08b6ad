"""Statements to closures. Each gives None to go on, or a signal that its loop or macro understands."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from decimal import Decimal

from scrub.language import tree
from scrub.language.paths import is_own, own_names
from scrub.language.program import Program
from scrub.language.tree import Block
from scrub.model.declare import Item
from scrub.model.problem import BadCall, Failure, FileProblem, WrongPassword
from scrub.model.progress import over
from scrub.model.series import Opening
from scrub.model.types import NUMBER
from scrub.model.values import Secret, Value, shown, type_name
from scrub.model.vocabulary import Vocabulary
from scrub.runner.answers import typed
from scrub.runner.execution import Execution, Frame
from scrub.runner.fitting import fitted
from scrub.runner.flat import Flattening
from scrub.runner.growing import lengthened
from scrub.runner.lookups import Absent, copied, pairs_of, records, visited
from scrub.runner.sifting import choosing
from scrub.runner.sorting import sorting
from scrub.runner.step import View, Watch

#: Signals: 0 and up skips that many loops outwards; these two leave a loop and end the macro.
LEAVE, FINISH = -1, -2

Run = Callable[[Frame], int | None]


class Statements(Flattening):
    """Compiles the statements of one program."""

    def __init__(
        self,
        program: Program,
        vocabulary: Vocabulary,
        watch: Watch | None = None,
        data: Collection[str] = (),
        is_inner: bool = False,
    ) -> None:
        """`data` are the questions that another macro answers from data; `is_inner`, whether one runs it."""
        super().__init__(vocabulary, program.means, own_names(program, data))
        self.program = program
        self.title = program.title
        self.watch = watch
        self.is_inner = is_inner
        self.deletes = bool(program.inner) or any(word.startswith("delete") for _, word, _ in program.uses)
        self.depth = 0
        self.items = [program.start_slot]  # the slots of the current items around the statement being compiled

    def _watched(self, node: tree.Statement) -> Run:
        """The closure of a statement; when somebody steps, it is shown before it runs."""
        before, self.line = self.line, node.place.line
        run = self.statement(node)
        self.line = before
        if self.watch is None:
            return run
        watch, depth, line, item = self.watch, self.depth, node.place.line, self.items[-1]
        title, text = self.program.title, self.program.macro.lines[line - 1].strip()

        def watched(frame: Frame) -> int | None:
            watch.before(depth, title, lambda: View(title, line, text, *self._seen(frame, item)))
            return run(frame)

        return watched

    def _seen(self, frame: Frame, item: int) -> tuple[str, dict[str, str]]:
        """The current item and the values that are set, as a person sees them; a secret stays one."""
        values = {}
        for name, slot in self.program.names.items():
            if frame[slot] is not None:
                held = frame[slot]
                values[name] = (
                    "a secret" if isinstance(held, Secret) else "missing" if isinstance(held, Absent) else shown(held)
                )
        current = frame[item]
        return (current.label if isinstance(current, Item) else ""), values

    def _inside(self, slot: int, body: Block) -> Run:
        """The closure of a block in which another item is the current one."""
        self.items.append(slot)
        try:
            return self.block(body)
        finally:
            self.items.pop()

    def block(self, body: Block) -> Run:
        """The closure of a block. A failure inside gets the line it happened in."""
        title = self.program.title
        self.depth += 1
        compiled = [(self._watched(statement), statement.place.line) for statement in body]
        self.depth -= 1
        if len(compiled) == 1:
            return self._single(*compiled[0])

        def run(frame: Frame) -> int | None:
            line = 0
            try:
                for step, line in compiled:  # noqa: B007 - the line is for the failure below
                    signal = step(frame)
                    if signal is not None:
                        return signal
            except Failure as failure:
                if failure.line is None:
                    failure.title, failure.line = title, line
                raise
            return None

        return run

    def _single(self, step: Run, line: int) -> Run:
        """A block of one statement, as most are."""
        title = self.program.title

        def run(frame: Frame) -> int | None:
            try:
                return step(frame)
            except Failure as failure:
                if failure.line is None:
                    failure.title, failure.line = title, line
                raise

        return run

    def statement(self, node: tree.Statement) -> Run:
        """The closure of a statement."""
        found: Run = getattr(self, f"_do_{type(node).__name__.lower()}")(node)
        return found

    def _do_setname(self, node: tree.SetName) -> Run:
        if isinstance(node.value, tree.Call) and node.value.word in ("ask", "secret"):
            return lambda frame: None  # answered before the start
        if isinstance(node.value, tree.RunValue):
            return self._given(node, node.value)
        value, slot = self.evaluate(node.value), self.means[node].slot
        if self.means[node].pairs:
            return lambda frame: frame.__setitem__(slot, copied(value(frame)))
        added = self.added_to(node)
        if added is not None:
            return lengthened(slot, self.evaluate(added), value)

        def run(frame: Frame) -> None:
            frame[slot] = value(frame)

        return run

    def added_to(self, node: tree.SetName) -> tree.Expression | None:
        """What a list is made longer by, in `names = names.with(…)`."""
        dot = node.value
        if not isinstance(dot, tree.Dot) or dot.word != "with" or not isinstance(dot.target, tree.Name):
            return None
        given = dot.arguments or ()
        fits = len(given) == 1 and given[0].name is None and not given[0].exactly
        return given[0].value if fits and self.means[dot.target].slot == self.means[node].slot else None

    def _given(self, node: tree.SetName, value: tree.RunValue) -> Run:
        """`name = run(…)`: what another macro gives; nothing, when it ends before."""
        run, slot = self._do_runmacro(value.run), self.means[node].slot

        def give(frame: Frame) -> None:
            frame[0].given = None
            run(frame)
            frame[slot], frame[0].given = frame[0].given, None

        return give

    def _do_give(self, node: tree.Give) -> Run:
        value, is_inner = self.evaluate(node.value), self.is_inner

        def give(frame: Frame) -> int:
            found = value(frame)
            if isinstance(found, Secret):
                raise Failure("a secret cannot be passed to another macro")
            if is_inner:
                frame[0].given = found
            else:  # a person ran it
                frame[0].say(shown(found))
            return FINISH

        return give

    def _do_setpair(self, node: tree.SetPair) -> Run:
        slot, word = self.means[node.target].slot, node.target.word
        key, value = self.evaluate(node.target.arguments[0].value), self.evaluate(node.value)

        def run(frame: Frame) -> None:
            found = frame[slot]
            kept = key(frame)
            frame[0].put_pair(pairs_of(found, word), kept, value(frame))

        return run

    def _do_setfield(self, node: tree.SetField) -> Run:
        target, value, word = self.evaluate(node.target.target), self.evaluate(node.value), node.target.word
        heading = self.means[node.target].heading
        kinds = self.vocabulary.kinds

        def run(frame: Frame) -> None:
            item = target(frame)
            if not isinstance(item, Item):
                raise Failure(f"{type_name(item)} has no fields to set")
            if item.open_fields:
                item.write(heading, value(frame))
                return
            field = kinds[item.kind_word].fields.get(word)
            if field is None or not field.can_be_set:
                raise Failure(f'"{word}" of a {item.kind_word} cannot be set')
            found = value(frame)
            if found is None and not field.may_be_nothing:
                raise Failure(f'"{word}" is {field.type}, not nothing')
            setattr(item, field.python, fitted(found, field.type, f'"{word}"', field.choice, field.whole))

        return run

    def _do_do(self, node: tree.Do) -> Run:
        means = self.means[node]
        base, action = means.base, means.action
        assert action is not None
        reach = action.reach
        arguments = self.fitted(action, means.bound, node.arguments)

        def run(frame: Frame) -> None:
            item = frame[base]
            if item.removed or reach > frame[0].reach:
                self.ensure_done(item, action, frame[0])
            action.do(item, arguments(frame))
            remarks = item.file.recorder.remarks
            while remarks:
                frame[0].remark(remarks.pop(0))

        return run

    def _do_if(self, node: tree.If) -> Run:
        branches = [(self.condition(condition), self.block(body)) for condition, body in node.branches]
        otherwise = self.block(node.otherwise) if node.otherwise else None
        if len(branches) == 1 and otherwise is None:
            only, then = branches[0]
            return lambda frame: then(frame) if only(frame) else None

        def run(frame: Frame) -> int | None:
            for condition, body in branches:
                if condition(frame):
                    return body(frame)
            return otherwise(frame) if otherwise else None

        return run

    def _do_each(self, node: tree.Each) -> Run:
        where = self.condition(node.where) if node.where is not None else None
        outer = self.evaluate(node.inside) if node.inside is not None else None
        means = self.means[node]
        slot, base = means.slot, means.base
        body = self._inside(slot if means.items else self.items[-1], node.body)
        warm, test_warm = self.warming(body, node.body), self.warming(where, node.where, True)
        cost, in_cells = _cost(node.body), node.word in ("cell", "record", "row", "column", "cells")
        visited = self._visited(node)
        by_items = means.items and (not means.headings or self.deletes)
        label = _label if means.items else None
        counter = means.counter
        orders = [(self.evaluate(order.by), order.descending) for order in node.orders]
        in_order = sorting(slot, where, orders) if orders else None
        sifted = node.where if means.items and not orders else None
        choose = choosing(sifted, where, self.means, slot, node.body)
        attempts = in_order is None and any(isinstance(each, tree.Attempt) for each in node.body)

        def run(frame: Frame) -> int | None:
            execution: Execution = frame[0]
            candidates, test = choose(frame, visited(outer(frame) if outer else frame[base]))
            turns, body, is_plain = 0, warm(), test is where
            if attempts and isinstance(candidates, Opening):
                candidates = candidates.but_for_broken(execution.remark)
            for value in over(in_order(frame, candidates) if in_order else candidates, label):
                if by_items and value.removed:
                    continue
                execution.steps -= cost
                if execution.steps < execution.look_at:
                    execution.spend(0)
                    body, test = warm(), test_warm() if is_plain else test
                frame[slot] = value
                try:
                    if test is not None and not test(frame):
                        continue
                    if counter >= 0:
                        turns += 1
                        frame[counter] = Decimal(turns)
                    signal = body(frame)
                except Failure as failure:
                    raise (failure.at(value.label) if in_cells else failure) from None
                if signal:
                    if signal == LEAVE:
                        break
                    return signal - 1 if signal > 0 else signal
            return None

        return run

    def _visited(self, node: tree.Each) -> Callable[[Value], Sequence[Value]]:
        """What a loop goes through: fixed when it starts."""
        means = self.means[node]
        path, headings = means.path, tuple(sorted(means.headings))
        if headings:
            return lambda found: records(found, path, headings)
        if means.items:
            return lambda found: visited(found, path)

        def values(found: Value) -> list[Value]:
            if not isinstance(found, list):
                raise Failure(f'"each … in" needs a list; this is {type_name(found)}')
            return list(found)

        return values

    def _do_times(self, node: tree.Times) -> Run:
        times, closure = self.evaluate(node.times), self.block(node.body)
        cost, slot = _cost(node.body), self.means[node].slot
        warm = self.warming(closure, node.body)

        def run(frame: Frame) -> int | None:
            execution, body = frame[0], warm()
            count = fitted(times(frame), NUMBER, "how often to repeat", None, True) or 0
            for turn in range(1, count + 1):
                execution.steps -= cost
                if execution.steps < execution.look_at:
                    execution.spend(0)
                    body = warm()
                if slot >= 0:
                    frame[slot] = Decimal(turn)
                signal = body(frame)
                if signal:
                    if signal == LEAVE:
                        break
                    return signal - 1 if signal > 0 else signal
            return None

        return run

    def _do_while(self, node: tree.While) -> Run:
        condition, closure, cost = self.condition(node.condition), self.block(node.body), _cost(node.body)
        warm = self.warming(closure, node.body)

        def run(frame: Frame) -> int | None:
            execution, body = frame[0], warm()
            while condition(frame):
                execution.steps -= cost
                if execution.steps < execution.look_at:
                    execution.spend(0)
                    body = warm()
                signal = body(frame)
                if signal:
                    if signal == LEAVE:
                        break
                    return signal - 1 if signal > 0 else signal
            return None

        return run

    def _do_in(self, node: tree.In) -> Run:
        slot = self.means[node].slot
        item, body = self.evaluate(node.item), self._inside(slot, node.body)

        def run(frame: Frame) -> int | None:
            found = item(frame)
            if not isinstance(found, Item):
                raise self.no_item(found)
            frame[slot] = found
            return body(frame)

        return run

    def _do_attempt(self, node: tree.Attempt) -> Run:
        body, handler, slot = self.block(node.body), self.block(node.handler), self.means[node].slot

        def run(frame: Frame) -> int | None:
            execution: Execution = frame[0]
            values = list(frame)
            with execution.trying() as take_back:
                try:
                    return body(frame)
                except WrongPassword:
                    raise
                except (Failure, FileProblem) as failure:
                    take_back()
                    frame[:] = values
                    frame[slot] = failure.what
            return handler(frame)

        return run

    def _do_skip(self, node: tree.Skip) -> Run:
        depth = self.means[node].depth
        return lambda frame: depth

    def _do_leave(self, node: tree.Leave) -> Run:
        return lambda frame: LEAVE

    def _do_finish(self, node: tree.Finish) -> Run:
        text = self.evaluate(node.text) if node.text is not None else None

        def run(frame: Frame) -> int:
            if text is not None:
                frame[0].say(shown(text(frame)))
            return FINISH

        return run

    def _do_fail(self, node: tree.Fail) -> Run:
        text = self.evaluate(node.text)

        def run(frame: Frame) -> None:
            failure = Failure(shown(text(frame)))
            failure.placed = True  # these are the macro's own words
            raise failure

        return run

    def _do_say(self, node: tree.Say) -> Run:
        text = self.evaluate(node.text)
        if node.word == "say":

            def run(frame: Frame) -> None:
                frame[0].say(shown(text(frame)))
        else:

            def run(frame: Frame) -> None:
                frame[0].note(shown(text(frame)))

        return run

    def _do_runmacro(self, node: tree.RunMacro) -> Run:
        inner: Program = self.means[node].program
        data = [each.name or "" for each in node.arguments if not is_own(each.value, self.own_names)]
        compiler = Statements(inner, self.vocabulary, self.watch, data, is_inner=True)
        compiler.depth = self.depth
        body = compiler.block(inner.macro.body)
        slots = {question.name: slot for question, slot in zip(inner.questions, inner.question_slots, strict=True)}
        questions = {question.name: question for question in inner.questions}
        given = [
            (slots[argument.name or ""], questions[argument.name or ""], self.evaluate(argument.value))
            for argument in node.arguments
        ]
        asked, base = self.means[node].asked, self.means[node].base

        def run(frame: Frame) -> None:
            own: Frame = [None] * inner.slots
            own[0] = frame[0]
            for slot, question, value in given:
                try:
                    own[slot] = value(frame) if question.secret else typed(question, value(frame))
                except BadCall as problem:
                    raise Failure(str(problem)) from None
            for slot, outer in asked:
                own[slot] = frame[outer]
            if base >= 0:
                own[inner.start_slot] = frame[base]
            if inner.selection_slot >= 0:
                own[inner.selection_slot] = frame[0].selection()
            body(own)

        return run


def _label(item: Item) -> str:
    """How the work on an item is called while it goes on."""
    return item.label


def _cost(body: Block) -> int:
    """How many statements a turn of a loop runs at the most, inner loops counted by themselves."""
    return 1 + len(body)
