"""Texts as every kind contains them: characters that are edited in place and keep their looks."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import accumulate
from typing import Any

from scrub.model.core.declare import Item
from scrub.model.core.named import NamedTuple
from scrub.model.core.required import required

#: An edit of a text: from, to, replacement; counted in characters, in order, without overlap.
Edit = tuple[int, int, str]
#: What is to be edited in a text; nothing for a text that stays.
Editing = Callable[[str], Sequence[Edit]]


class OfMany:
    """An editing that can look at many texts together, which is quicker."""

    def __init__(self, editing: Editing, many: Callable[[Sequence[str]], Sequence[Sequence[Edit]]]) -> None:
        """`many` gives for each text what `editing` gives for it."""
        self._editing, self.many = editing, many

    def __call__(self, text: str) -> Sequence[Edit]:
        """What is to be edited in one text."""
        return self._editing(text)


class Moved(str):
    """A piece of a text that is put elsewhere in it, and keeps its looks; `start` is where it is now."""

    start: int

    def __new__(cls, text: str, start: int) -> Moved:
        """The text, and where it is."""
        result = super().__new__(cls, text)
        result.start = start
        return result


class HoldsTexts(Item):
    """An item that is a text, or contains some: what text actions act on."""

    __slots__ = ()

    @property
    def picked_whole(self) -> bool:
        """Whether it is a passage that was picked as such, so that its text is meant as a whole."""
        return False

    @required
    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits each of its texts. `between` names characters that part a text where they are layout, as a tab is
        in a letter: each piece between them is then edited as a text of its own.
        """
        raise NotImplementedError


#: What is set of how words look: each look with its value.
Looks = tuple[tuple[str, object], ...]
#: Under this word is, among the looks, what is over the words.
MARKS = "marks"


class Kept(NamedTuple):
    """A stretch of the old characters, from `start` up to `end`; `looks` is what is other about how they look."""

    start: int
    end: int
    looks: Looks = ()


class Fresh(NamedTuple):
    """New characters, which look like the old one at `like`; -1 where the old text is empty."""

    text: str
    like: int
    looks: Looks = ()


class Stretches:
    """A text while it is edited: what is kept of the old characters, and what is new.

    However many edits were made, what is to be written is known from the stretches alone; a text that is again what
    it was has no new ones.
    """

    __slots__ = ("_is_old", "_starts", "_text", "old", "parts")

    def __init__(self, old: str, parts: tuple[Kept | Fresh, ...] | None = None) -> None:
        self.old = old
        self.parts = parts if parts is not None else (Kept(0, len(old)),) if old else ()
        self._is_old = parts is None  # nothing was changed, which is so for most
        self._text = old if parts is None else None
        self._starts: Sequence[int] = ()  # where each part begins in the text as it is now, once that was asked for

    def __str__(self) -> str:
        if self._text is None:
            self._text = "".join(
                part.text if isinstance(part, Fresh) else self.old[part.start : part.end] for part in self.parts
            )
        return self._text

    @property
    def touched(self) -> bool:
        """Whether anything is other than in the old text."""
        return not self._is_old and self.parts != ((Kept(0, len(self.old)),) if self.old else ())

    @property
    def bounds(self) -> tuple[int, int]:
        """The old characters before the first change, and where those after the last one begin."""
        first = last = None
        if self.parts:
            first, last = self.parts[0], self.parts[-1]
        start = first.end if isinstance(first, Kept) and first.start == 0 and not first.looks else 0
        whole = len(self.old)
        end = last.start if isinstance(last, Kept) and last.end == whole and not last.looks else whole
        return start, end

    def edited(self, edits: Sequence[Edit]) -> Stretches:
        """The text after edits of what it is now, which are `shrunk`. A replacement looks like the first character it
        replaces, an insertion like the one before it, at the start like the one after.
        """
        if self._is_old and Moved not in [type(edit[2]) for edit in edits]:
            return self._first_edited(edits)
        now = str(self)
        found: list[Kept | Fresh] = []
        done = 0
        for start, end, text in edits:
            found += self.between(done, start)
            if isinstance(text, Moved):
                found += self.between(text.start, text.start + len(text))
            elif text:
                found.append(Fresh(text, *self._look_at(start if end > start or not start else start - 1)))
            done = end
        found += self.between(done, len(now))
        text = edited(now, edits)
        if text == self.old and not any(part.looks for part in self.parts):
            return Stretches(self.old)
        fresh = Stretches(self.old, tuple(_joined(found)))
        fresh._text = text
        return fresh

    def in_whole_words(self, run_of: Callable[[int], object]) -> Stretches:
        """The same text, where a word that was replaced in part is replaced whole, as reviewers read it. `run_of`
        tells what an old character is in; None for one that must stay.
        """
        edits = self._as_edits()
        if not edits:
            return self
        found: list[Kept | Fresh] = []
        done = 0
        for number, (start, end, fresh) in enumerate(edits):
            text = "".join(part.text for part in fresh)
            following = edits[number + 1][0] if number + 1 < len(edits) else len(self.old)
            first, last = start, end
            if _is_letter((text or self.old[start:end])[:1]):
                while first > done and _is_letter(self.old[first - 1]) and run_of(first - 1) is not None:
                    first -= 1
            if _is_letter((text or self.old[start:end])[-1:]):
                while last < following and _is_letter(self.old[last]) and run_of(last) is not None:
                    last += 1
            if done < first:
                found.append(Kept(done, first))
            for part in (*self._renewed(first, start), *fresh, *self._renewed(end, last)):
                before = found[-1] if found else None
                alike = isinstance(before, Fresh) and before.looks == part.looks
                if alike and before is not None and run_of(before.like) == run_of(part.like):  # type: ignore[union-attr]
                    found[-1] = before._replace(text=before.text + part.text)  # type: ignore[union-attr, call-arg]
                else:
                    found.append(part)
            done = last
        if done < len(self.old):
            found.append(Kept(done, len(self.old)))
        return Stretches(self.old, tuple(found))

    def _renewed(self, start: int, end: int) -> Iterator[Fresh]:
        """Old characters as new ones that look like them."""
        return (Fresh(self.old[place], place) for place in range(start, end))

    def _as_edits(self) -> list[tuple[int, int, list[Fresh]]]:
        """What was done to the old text, from its start: ranges of it with what replaces them. Nothing where parts of
        it were moved, or look other than they did.
        """
        edits: list[tuple[int, int, list[Fresh]]] = []
        done, fresh = 0, list[Fresh]()
        for part in (*self.parts, Kept(len(self.old), len(self.old))):
            if isinstance(part, Fresh):
                fresh.append(part)
                continue
            if part.start < done or part.looks:
                return []
            if fresh or done < part.start:
                edits.append((done, part.start, fresh))
            done, fresh = part.end, []
        return edits

    def _first_edited(self, edits: Sequence[Edit]) -> Stretches:
        """The same, of a text of which nothing was changed so far: the commonest, and quickly done."""
        old = self.old
        length, last = len(old), len(old) - 1
        found: list[Kept | Fresh] = []
        pieces: list[str] = []
        done = 0
        for start, end, text in edits:
            if done < start:
                found.append(Kept(done, start))
                pieces.append(old[done:start])
            if text:
                like = start if end > start or not start else start - 1
                found.append(Fresh(text, like if like < last else last))
                pieces.append(text)
            done = end
        if done < length:
            found.append(Kept(done, length))
            pieces.append(old[done:])
        whole = "".join(pieces)
        if whole == old:
            return Stretches(old)
        fresh = Stretches(old, tuple(_joined(found)) if len(edits) > 1 else tuple(found))
        fresh._text = whole
        return fresh

    def between(self, start: int, end: int) -> Iterable[Kept | Fresh]:
        """The stretches of a range of the text as it is now."""
        if self._is_old:
            return (Kept(start, end),) if start < end else ()
        return self._pieces(start, end)

    def _pieces(self, start: int, end: int) -> Iterator[Kept | Fresh]:
        if not self._starts:
            self._starts = [0, *accumulate(map(_length, self.parts))]
        starts = self._starts
        for number in range(max(bisect_right(starts, start) - 1, 0), len(self.parts)):
            part, at = self.parts[number], starts[number]
            if at >= end:
                return
            first, last = max(start - at, 0), min(end, starts[number + 1]) - at
            if first < last:
                if isinstance(part, Fresh):
                    yield Fresh(part.text[first:last], part.like, part.looks)
                else:
                    yield Kept(part.start + first, part.start + last, part.looks)

    def _look_at(self, place: int) -> tuple[int, Looks]:
        """The old character whose look a character of the text as it is now has, -1 for none; and what is other."""
        if self._is_old:
            return min(place, len(self.old) - 1), ()
        part = next(self._pieces(place, place + 1), None)
        if part is None:
            return len(self.old) - 1, ()
        return (part.like if isinstance(part, Fresh) else part.start), part.looks

    def noting_access(self, start: int, end: int, word: str, value: object) -> Stretches:
        """The text with another look of a range of it."""
        return self._looking(start, end, lambda looks: {**looks, word: value})

    def marked(self, start: int, end: int, mark: object) -> Stretches:
        """The text with something that is over a range of it."""
        return self._looking(start, end, lambda looks: {**looks, MARKS: (*looks.get(MARKS, ()), mark)})

    def _looking(self, start: int, end: int, change: Callable[[dict[str, Any]], dict[str, Any]]) -> Stretches:
        now = str(self)
        found = list(self.between(0, start))
        for part in self.between(start, end):
            looks = tuple(sorted(change(dict(part.looks)).items(), key=lambda each: each[0]))
            found.append(part._replace(looks=looks))
        found += self.between(end, len(now))
        fresh = Stretches(self.old, tuple(_joined(found)))
        fresh._text = now
        return fresh


def _length(part: Kept | Fresh) -> int:
    return len(part.text) if isinstance(part, Fresh) else part.end - part.start


def _joined(parts: Sequence[Kept | Fresh]) -> Iterator[Kept | Fresh]:
    """The stretches with neighbours that belong together made one."""
    last: Kept | Fresh | None = None
    for part in parts:
        if isinstance(last, Kept) and isinstance(part, Kept) and (last.end, last.looks) == (part.start, part.looks):
            last = Kept(last.start, part.end, last.looks)
        elif isinstance(last, Fresh) and isinstance(part, Fresh) and last[1:] == part[1:]:
            last = Fresh(last.text + part.text, last.like, last.looks)
        else:
            if last is not None:
                yield last
            last = part
    if last is not None:
        yield last


def edited(text: str, edits: Sequence[Edit]) -> str:
    """The text with its edits done."""
    pieces: list[str] = []
    at = 0
    for start, end, fresh in edits:
        pieces += text[at:start], fresh
        at = end
    return "".join((*pieces, text[at:]))


def shrunk(text: str, edits: Sequence[Edit]) -> list[Edit]:
    """The edits without what their ends share with the text, so that as little as can be is touched."""
    result: list[Edit] = []
    for start, end, fresh in edits:
        if isinstance(fresh, Moved):  # the same characters with other looks are a change
            result.append((start, end, fresh))
            continue
        first = 0
        while start < end and first < len(fresh) and text[start] == fresh[first]:
            start, first = start + 1, first + 1
        last = len(fresh)
        while start < end and first < last and text[end - 1] == fresh[last - 1]:
            end, last = end - 1, last - 1
        if start < end or first < last:
            result.append((start, end, fresh[first:last]))
    return result


def parted(editing: Editing, between: str) -> Editing:
    """The editing done on each piece of a text between these characters."""
    if not between:
        return editing
    piece = re.compile(f"[^{re.escape(between)}]+")

    def pieces(text: str) -> Sequence[Edit]:
        if not any(map(text.__contains__, between)):
            return editing(text) if text else ()
        return [
            (found.start() + start, found.start() + end, fresh)
            for found in piece.finditer(text)
            for start, end, fresh in editing(found[0])
        ]

    return pieces


def _is_letter(letter: str) -> bool:
    """Whether a character is part of a word."""
    return letter.isalnum() or letter in ("_", "'", "\u2019")
