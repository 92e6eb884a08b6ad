"""Changes one by one at the terminal: `scrub run TITLE FILE --review`."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence

import scrub
from scrub.cli.output import short_path, wrapped
from scrub.cli.screen import BOLD, DIM, Line, Page, cut_middle, forget_typed, keys_line, line, show

#: Questions above which those of one line of the macro are asked together first.
_MANY = 50
#: Changes of one question that are shown.
_SHOWN = 40

Group = list[scrub.Proposal]


class ReviewPage(Page):
    """One question per proposal; of many, one per line of the macro first."""

    def __init__(
        self, title: str, proposals: Sequence[scrub.Proposal], again: bool, accepted: int, refused: int
    ) -> None:
        """`again` tells that these are different since something was refused; the numbers are of what was decided."""
        self.title, self.again = title, again
        self.stopped = False
        self._every = list(proposals)
        self._before = (accepted, refused)
        self._groups: list[Group] = list(_by_line(proposals)) if len(proposals) > _MANY else [[p] for p in proposals]
        self._at = 0

    # -- what is decided

    def press(self, key: str) -> bool:
        """Decides, and goes to the next question; the last answer leaves the page."""
        if key in ("q", "escape", "ctrl-c"):
            self.stopped = True
            return False
        group = self._groups[self._at]
        if key in ("y", "n"):
            self._decide([group], key == "y")
        elif key in ("a", "d"):
            self._decide(self._groups[self._at :], key == "a")
        elif key == "b":
            self._back()
        elif key == "o" and len(group) > 1:
            self._groups[self._at : self._at + 1] = [[each] for each in group]
        return self._at < len(self._groups)

    def _decide(self, groups: Sequence[Group], accepted: bool) -> None:
        for group in groups:
            for proposal in group:
                proposal.accepted = accepted
        self._at += len(groups)

    def _back(self) -> None:
        if self._at:
            self._at -= 1
            for proposal in self._groups[self._at]:
                proposal.accepted = None

    # -- what is shown

    def draw(self, columns: int, rows: int) -> list[Line]:
        """The question, what it changes, and the keys."""
        group = self._groups[min(self._at, len(self._groups) - 1)]
        first = group[0]
        of = f"question {min(self._at + 1, len(self._groups)):,} of {len(self._groups):,}"
        head = Line().add(self.title, BOLD).add(f"  {short_path(first.path)}   {of}")
        lines = [head, Line()]
        if self.again:
            many = scrub.counted(len(self._every), "change")
            verb = "is" if len(self._every) == 1 else "are"
            lines += [line(f"{many} {verb} different now, because of what you refused."), Line()]
        body = list(_many(group, columns) if len(group) > 1 else _one(first, columns))
        accepted = self._before[0] + sum(each.accepted is True for each in self._every)
        refused = self._before[1] + sum(each.accepted is False for each in self._every)
        left = sum(each.accepted is None for each in self._every)
        foot = [Line(), line(f"{accepted:,} accepted, {refused:,} refused, {left:,} left")]
        keys = [("y", "all"), ("n", "none"), ("o", "one by one")] if len(group) > 1 else [("y", "yes"), ("n", "no")]
        keys += [("a", "rest: yes"), ("d", "rest: no"), ("b", "back"), ("q", "quit without saving")]
        foot += _folded(keys, columns)
        room = rows - len(lines) - len(foot)
        if len(body) > room:
            body = [*body[: room - 1], line(f"    {len(body) - room + 1:,} more lines", DIM)]
        return [*lines, *body, *[Line()] * (room - len(body)), *foot]


def _folded(keys: Sequence[tuple[str, str]], columns: int) -> list[Line]:
    """The keys in as few lines as they need."""
    lines: list[list[tuple[str, str]]] = [[]]
    for key in keys:
        if lines[-1] and keys_line(*lines[-1], key).size > columns:
            lines.append([])
        lines[-1].append(key)
    return [keys_line(*each) for each in lines]


def _by_line(proposals: Sequence[scrub.Proposal]) -> Iterator[Group]:
    """The proposals of each line of the macro, in the order in which they begin."""
    groups: dict[tuple[str, int], Group] = {}
    for proposal in proposals:
        groups.setdefault((proposal.title, proposal.line), []).append(proposal)
    yield from groups.values()


def _one(proposal: scrub.Proposal, columns: int) -> Iterator[Line]:
    """One proposal: the item, its other values, what changes, and the line of the macro."""
    yield line(proposal.label or short_path(proposal.path), BOLD)
    yield Line()
    changes = list(proposal.changes)
    fields = _fields_of(proposal)
    if fields:
        yield from fields
    else:
        yield from _changes(proposal, changes, columns)
    for path in proposal.creates:
        yield line(f"  > creates {os.path.basename(path) or 'a message'}")
    yield Line()
    yield from (line(text) for text in wrapped(f"Line {proposal.line}:  {proposal.text}", columns, 9))


def _fields_of(proposal: scrub.Proposal) -> list[Line]:
    """The record with the change among its values; none where it is not one value of one record."""
    changes = list(proposal.changes)
    if len(changes) != 1 or not proposal.fields or changes[0].said:
        return []
    change = changes[0]
    cell = str(change.cell or "")
    here = [
        each for each in proposal.fields if cell and each.place.split("!")[-1].split(", ")[-1].split(" ")[-1] == cell
    ]
    if len(here) != 1:
        here = [each for each in proposal.fields if each.heading == change.what or each.heading == change.field]
    if len(here) != 1:
        return []
    size = min(30, max(len(each.heading) for each in proposal.fields))
    before, after = change.sides
    lines = []
    for each in proposal.fields:
        name = cut_middle(each.heading, size).ljust(size)
        if each is here[0]:
            lines.append(
                Line().add("  > ").add(name, BOLD).add(f"  {before}  ").add("->", BOLD).add("  ").add(after, BOLD)
            )
            lines[-1].add(f"   {cell}", DIM)
        elif each.value:
            lines.append(line(f"    {name}  {each.value}"))
    return lines


def _changes(proposal: scrub.Proposal, changes: Sequence[scrub.Change], columns: int) -> Iterator[Line]:
    """Several changes: those of one place together, like ones of neighbouring cells in one line."""
    if len(changes) == 1 or any(change.field == "text" for change in changes):
        for change in changes[:_SHOWN]:
            yield from _change(proposal, change, columns)
        if len(changes) > _SHOWN:
            yield line(f"    {len(changes) - _SHOWN:,} more", DIM)
        return
    for place, every in scrub.by_place(changes).items():
        texts = scrub.together(every[:1000])
        for text in texts[:_SHOWN]:
            yield from _listed(f"{_place(proposal, place)}{text}", columns)
        if len(texts) > _SHOWN:
            yield line(f"    {len(texts) - _SHOWN:,} more", DIM)


def _place(proposal: scrub.Proposal, place: str) -> str:
    """A place, where the title of the question does not tell it."""
    known = proposal.label.startswith(place) or place == os.path.basename(proposal.path)
    return "" if known else f"{place}  "


def _listed(text: str, columns: int) -> Iterator[Line]:
    for number, each in enumerate(wrapped(text, columns - 4, 2)):
        yield line(f"    {each}" if number else f"  > {each}")


def _change(proposal: scrub.Proposal, change: scrub.Change, columns: int) -> Iterator[Line]:
    """One change: in a line, or texts before and after, with the words that differ in bold."""
    before, after = change.sides
    place = _place(proposal, change.place)
    is_text = before.startswith('"') and after.startswith('"') and len(before) + len(after) > columns - 20
    if change.said or not is_text:
        yield from _listed(f"{place}{change}", columns)
        return
    if place or change.what != "text":
        yield line(f"  > {place}{change.what}")
    for mark, pieces in zip("-+", _marked(before[1:-1], after[1:-1]), strict=True):
        yield from _in_lines(mark, pieces, columns)


def _marked(before: str, after: str) -> tuple[list[tuple[str, str]], list[tuple[str, str]]]:
    """Both texts word by word, those that differ in bold, and in them what nobody would see is named."""
    old, new = before.split(" "), after.split(" ")
    looks = ([""] * len(old), [""] * len(new))
    for a, b, c, d in scrub.differences(old, new):
        looks[0][a:b] = [BOLD] * (b - a)
        looks[1][c:d] = [BOLD] * (d - c)
        old[a:b], new[c:d] = map(scrub.visible, old[a:b]), map(scrub.visible, new[c:d])
    return list(zip(looks[0], old, strict=True)), list(zip(looks[1], new, strict=True))


def _in_lines(mark: str, words: Sequence[tuple[str, str]], columns: int) -> Iterator[Line]:
    """Words in lines of the page, the first with a mark."""
    current = Line().add(f"  {mark} ", BOLD)
    for look, word in words:
        piece = Line().add(f"{word} ", look)
        if current.size + piece.size > columns and current.size > 4:
            yield current
            current = Line().add("    ")
        current += piece
    yield current


def _many(group: Group, columns: int) -> Iterator[Line]:
    """The proposals of one line of the macro."""
    first = group[0]
    changes = [change for each in group for change in each.changes]
    yield from (line(text, BOLD) for text in wrapped(f"Line {first.line}:  {first.text}", columns, 9))
    yield line(f"{scrub.counted(len(group), 'question')}, {scrub.counted(len(changes), 'change')}")
    yield Line()
    for change in changes[:_SHOWN]:
        yield from (line(f"    {text}") for text in wrapped(f"{change.place}  {change}", columns - 4, 2)[:2])
    if len(changes) > _SHOWN:
        yield line(f"    {len(changes) - _SHOWN:,} more", DIM)


def decide(review: scrub.Review, ask: Callable[[ReviewPage], None] | None = None) -> bool:
    """Asks about everything; False where the person quits. Raises `Refused` as `Review.go_on` does."""
    again = False
    while review.proposals:
        page = ReviewPage(review.title, review.proposals, again, len(review.accepted), len(review.refused))
        forget_typed()
        (ask or show)(page)
        if page.stopped:
            return False
        review.go_on()
        again = True
    return True
