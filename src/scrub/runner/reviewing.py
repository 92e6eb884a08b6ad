"""Changes one by one: each step of a macro is a proposal. What somebody refuses is skipped when the macro runs again,
so that the result is the run without it; what comes out differently then is proposed again.

A step is one execution of a statement that sets a field, does an action, or names something that it makes.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterable, Sequence

from scrub.language import tree
from scrub.language.walk import nodes
from scrub.model.cells.records import Record
from scrub.model.core.change import plain
from scrub.model.core.changes import Changes
from scrub.model.core.declare import Item
from scrub.model.core.edits import RecordedEdit
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure, counted
from scrub.model.core.recorder import Recorder, net_of
from scrub.model.core.values import shown
from scrub.runner.compiling import Compiler, Run
from scrub.runner.execution import Execution, Frame
from scrub.store.hashing import new_hash

#: How many steps have the other values of their record noted, to be shown beside them.
_DESCRIBED = 500
#: What makes something that a name can be given to, besides actions.
_MAKING = ("new-file", "new-message", "copy-of")


class Key(NamedTuple):
    """A step, wherever the macro has come by then: neither what a run opened nor the order of its changes is in it."""

    title: str
    line: int
    #: The items and values of the loops around it, from the outside in, and the place that an action works on.
    around: tuple[str, ...]
    #: How often the same came up before in this run.
    times: int


class FieldShown(NamedTuple):
    """What is under a heading of a record, for whoever decides about a change of it."""

    heading: str
    value: str
    place: str


class _Step:
    """A step that was done, with its changes."""

    __slots__ = ("creates", "edits", "fields", "key", "label", "text", "together")

    def __init__(self, key: Key, text: str, label: str) -> None:
        self.key, self.text, self.label = key, text, label
        self.edits: list[RecordedEdit] = []
        self.creates: list[str] = []
        self.fields: list[FieldShown] = []
        self.together = self  # a step with which it is one proposal

    def group(self) -> _Step:
        """The first step of its proposal."""
        step = self
        while step.together is not step:
            step.together = step.together.together
            step = step.together
        return step

    def join(self, other: _Step) -> None:
        """Makes two steps one proposal."""
        other.group().together = self.group()


class Proposal:
    """The changes of one step, or of steps that belong together, to be accepted or refused."""

    def __init__(self, steps: Sequence[_Step], path: str, changes: Changes, proof: bytes) -> None:
        first = steps[0]
        self.path = path
        self.title, self.line, self.text = first.key.title, first.key.line, first.text
        #: The item that the step worked on, as a person calls it: "Larch Hut row 10".
        self.label = first.label
        self.changes = changes
        #: The files that it creates.
        self.creates = [path for step in steps for path in step.creates]
        #: The record that was changed, by heading; none for other items.
        self.fields = next((step.fields for step in steps if step.fields), [])
        #: Whether it is wanted; None as long as nobody decided.
        self.accepted: bool | None = None
        self.keys = frozenset(step.key for step in steps)
        self.proof = proof

    def __repr__(self) -> str:
        return f"<Proposal {self.label!r}, line {self.line}: {counted(len(self.changes), 'change')}>"


class _Pass:
    """One execution of the macro, in which steps are collected and refused ones skipped."""

    def __init__(self, refused: frozenset[Key]) -> None:
        self.refused = refused
        self.steps: list[_Step] = []
        self.around: tuple[str, ...] = ()  # of the macros that run this one
        self.made: dict[Item, _Step] = {}  # what a step made and named, and how that was called
        self.labels: dict[str, _Step] = {}
        self.left_out: set[int] = set()  # the names that got nothing, as what they were to mean was refused
        self.counts: Counter[tuple[str, int, tuple[str, ...]]] = Counter()
        self.running: list[_Step] = []
        self.parts: dict[tuple[Key, str], _Step] = {}  # what a separate action did at a place
        self.separate = False
        self.piece: _Step | None = None
        self.piece_mark: list[tuple[Recorder, int]] = []
        self.execution: Execution | None = None

    def key(self, title: str, line: int, around: tuple[str, ...]) -> Key:
        """The key of a step that is about to run; counted also where it changes nothing or is skipped."""
        whole = (title, line, around)
        self.counts[whole] += 1
        return Key(*whole, self.counts[whole])

    # -- the changes of one action, one by one

    def refuses(self, done: RecordedEdit) -> bool:
        """Notes a change of an action whose changes are independent; tells whether it is refused."""
        if not self.separate:
            return False
        step = self._part(" ".join(map(str, done.change.at)))
        if step.key in self.refused:
            return True
        step.edits.append(done)
        return False

    def wants(self, label: str) -> bool:
        """Begins an independent piece of an action."""
        self.end_piece()
        step = self._part(label)
        if step.key in self.refused:
            return False
        self.piece, self.piece_mark = step, _marks(self.execution)
        return True

    def end_piece(self) -> None:
        """Takes what was changed since the piece began."""
        if self.piece is not None:
            self.piece.edits += [edit for recorder, mark in self.piece_mark for edit in recorder.since(mark)]
            self.piece = None

    def _part(self, place: str) -> _Step:
        whole = self.running[-1]
        known = self.parts.get((whole.key, place))
        if known is None:
            key = whole.key._replace(around=(*whole.key.around, place))
            known = self.parts[whole.key, place] = _Step(key, whole.text, place)
            self.steps.append(known)
        return known


def _marks(execution: Execution | None) -> list[tuple[Recorder, int]]:
    return [] if execution is None else [(file.recorder, file.recorder.savepoint()) for file in execution.changing()]


class Reviewing:
    """Wraps the statements of a macro, so that each step is known, and skipped where it is refused."""

    def __init__(self) -> None:
        self._pass = _Pass(frozenset())
        self.proposals: list[Proposal] = []

    def begin(self, refused: Iterable[Key]) -> None:
        """Begins an execution without the steps that are refused."""
        self._pass = _Pass(frozenset(refused))
        self.proposals = []

    def wrapped(self, on: Compiler, node: tree.Statement, run: Run) -> Run:
        """The closure of a statement that may be a step."""
        gives = isinstance(node, tree.SetName) and isinstance(node.value, tree.RunValue)
        if gives or isinstance(node, tree.RunMacro):
            return self._running_another(on, node, run)
        inside = node.item if isinstance(node, tree.In) else node.inside if isinstance(node, tree.Each) else None
        if isinstance(inside, tree.Name):
            return self._inside_made(on.means[inside].slot, run)
        read = _read_by(on, node)
        if read is None:
            return run
        title, line, around = on.program.title, node.place.line, (*on.items[1:], *on.turns)
        text = on.program.macro.lines[line - 1].strip()
        slots = {on.means[each].slot for each in nodes(*read) if isinstance(each, tree.Name)}
        acts = on.means[node].base if isinstance(node, tree.Do) else -1
        slots |= {acts, *on.items} - {on.items[0]}
        used = tuple(slot for slot in slots if slot >= 0)
        kept = on.means[node].slot if isinstance(node, tree.SetName) else -1
        sets = isinstance(node, tree.SetField) and not _makes(on, read[0])
        target = on.evaluate(read[0]) if sets else None
        action = on.means[node].action if isinstance(node, tree.Do) else None
        separate = getattr(action.function, "scrub_separate", False) if action is not None else False
        current = acts if acts >= 0 else on.items[-1]

        def step(frame: Frame) -> int | None:
            now = self._pass
            key = now.key(title, line, (*now.around, *(_called(frame[slot]) for slot in around if slot >= 0)))
            if key in now.refused:
                if kept >= 0:
                    now.left_out.add(kept)
                return None
            worked_on = target(frame) if target is not None else frame[current]
            done = _Step(key, text, _called(worked_on))
            before = [frame[slot] for slot in used]
            signal = _done(now, done, frame, run, separate)
            made = frame[kept] if kept >= 0 else None
            if isinstance(made, Item) and (done.edits or done.creates):
                now.made[made] = now.labels[made.label] = done
            for item in (*before, worked_on):
                maker = now.made.get(item) if isinstance(item, Item) else None
                if maker is not None and (done.edits or done.creates):
                    maker.join(done)
            if isinstance(worked_on, Record) and done.edits and len(now.steps) < _DESCRIBED:
                done.fields = _fields(worked_on)
            return signal

        return step

    def _inside_made(self, slot: int, run: Run) -> Run:
        """A block inside what a name means: left out with what was to get that name."""

        def inside(frame: Frame) -> int | None:
            return None if frame[slot] is None and slot in self._pass.left_out else run(frame)

        return inside

    def _running_another(self, on: Compiler, node: tree.Statement, run: Run) -> Run:
        """What runs another macro: the steps of that one are within it."""
        line, around = node.place.line, (*on.items[1:], *on.turns)

        def outer(frame: Frame) -> int | None:
            now = self._pass
            before = now.around
            called = (_called(frame[slot]) for slot in around if slot >= 0)
            now.around = (*before, f"line {line}", *called)
            try:
                return run(frame)
            finally:
                now.around = before

        return outer

    def end(self, execution: Execution) -> None:
        """Makes proposals of the steps of an execution, before its files are closed."""
        now = self._pass
        targets = {target for _, target in execution.made}
        of_file = {id(edit): file.shown for file in execution.changing() for edit in file.recorder.since()}
        first_of: dict[Hashable, _Step] = {}
        sheets = {**now.labels, **{item.label: step for item, step in now.made.items()}}
        made_by = {path: step for step in now.steps for path in step.creates}
        maker_of = {
            id(edit): made_by[target]
            for file, target in execution.made
            if target in made_by
            for edit in file.recorder.since()
        }
        steps = []
        for step in now.steps:
            step.edits = [edit for edit in step.edits if id(edit) in of_file]
            step.creates = [path for path in step.creates if path in targets]
            if not step.edits and not step.creates:
                continue
            steps.append(step)
            for edit in step.edits:
                first_of.setdefault((of_file[id(edit)], edit.thing), step).join(step)
                maker = maker_of.get(id(edit)) or sheets.get(edit.change.place)
                if maker is not None:
                    maker.join(step)
        groups: dict[int, list[_Step]] = {}
        for step in steps:
            groups.setdefault(id(step.group()), []).append(step)
        own = {file.shown for file in execution.roots}
        found = (_proposal(group, of_file, own) for group in groups.values())
        self.proposals = [proposal for proposal in found if proposal is not None]
        self._pass = _Pass(frozenset())  # what was open is let go


def _done(now: _Pass, done: _Step, frame: Frame, run: Run, separate: bool) -> int | None:
    """Does a step, and notes what it changed that no step inside it did."""
    execution: Execution = frame[0]
    now.execution = execution
    marks, files, inner = _marks(execution), len(execution.made), len(now.steps)
    now.running.append(done)
    was_separate, now.separate = now.separate, separate
    for recorder, _ in marks:
        recorder.reviewer = now
    try:
        signal = run(frame)
    finally:
        now.end_piece()
        now.running.pop()
        now.separate = was_separate
        if not now.running:
            for recorder, _ in marks:
                recorder.reviewer = None
    within = now.steps[inner:]
    known = {id(edit) for step in within for edit in step.edits}
    fresh = [edit for file, _ in execution.made[files:] for edit in file.recorder.since()]
    edits = [edit for recorder, mark in marks for edit in recorder.since(mark)] + fresh
    done.edits = [edit for edit in edits if id(edit) not in known] if known else edits
    paths = {path for step in within for path in step.creates}
    done.creates = [target for _, target in execution.made[files:] if target not in paths]
    now.steps.insert(inner, done)
    return signal


def _read_by(on: Compiler, node: tree.Statement) -> list[tree.Expression] | None:
    """The expressions that a step reads; None for a statement that is not one."""
    if isinstance(node, tree.SetField):
        return [node.target.target, node.value]
    if isinstance(node, tree.Do):
        return [argument.value for argument in node.arguments]
    if isinstance(node, tree.SetName) and _makes(on, node.value):
        return [node.value]
    if isinstance(node, tree.In) and _makes(on, node.item):
        return [node.item]
    return None


def _makes(on: Compiler, value: tree.Expression) -> bool:
    """Whether an expression may make something."""
    calls = (each for each in nodes(value) if isinstance(each, tree.Call))
    return any(call.word in _MAKING or on.means[call].action is not None for call in calls)


def _called(found: object) -> str:
    """How an item or value is called; a macro that needs no file starts with no item."""
    if isinstance(found, Item):
        return found.label
    return "" if found is None or isinstance(found, Execution) else shown(found)


def _fields(record: Record) -> list[FieldShown]:
    """What is under each heading of a record; what cannot be read is left out."""
    fields = []
    rows = record.table.rows
    for key, heading in rows.headings.items():
        try:
            value = record.read(key)
            fields.append(FieldShown(heading, "" if value is None else shown(value), record.place_of(key)))
        except Failure:
            continue
    return fields


def _proposal(steps: Sequence[_Step], of_file: dict[int, str], own: set[str]) -> Proposal | None:
    """The proposal of steps that belong together; None where they come to nothing. `own` are the files that the macro
    works on; what is in a file that it creates is told by that file alone.
    """
    edits = [edit for step in steps for edit in step.edits]
    by_file: dict[str, list[RecordedEdit]] = {}
    for edit in edits:
        by_file.setdefault(of_file[id(edit)], []).append(edit)
    changes = Changes()
    proof = new_hash()
    for path, every in by_file.items():
        for change in net_of(every):
            if path in own:
                changes.append(change)
            at = [str(each) for each in change.at if not _is_number_of_server(each)]
            told = (path, at, change.field, plain(change.before), plain(change.after), change.said)
            proof.update(repr(told).encode("utf-8", "surrogatepass"))
        proofs = [edit.proof for edit in every if edit.proof is not None]
        proof.update(repr(proofs).encode("utf-8", "surrogatepass"))
    creates = [path for step in steps for path in step.creates]
    proof.update(repr(creates).encode("utf-8", "surrogatepass"))
    if not changes and not creates:
        return None
    path = next((path for path in by_file if path in own), next(iter(sorted(own)), ""))
    return Proposal(steps, path, changes, proof.digest())


def _is_number_of_server(place: object) -> bool:
    """Whether it is how a new record of a database is counted: it gets its number there."""
    return isinstance(place, str) and place.startswith("new ") and place[4:].isdecimal()
