"""What is other in two files, place by place: counted before anything is learned, and what the macro leaves open."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import NamedTuple

from scrub.by_example.order import moved
from scrub.by_example.seen import OF_PROGRAMS, PASSAGE_LOOKS, Piece, SeenBook, SeenList, SeenSheet
from scrub.by_example.values import alike, same_word
from scrub.model.core.area import letters_of
from scrub.model.core.change import plain

#: What a setting is called that a program changed on its own.
PROGRAM = "by the program"


class Difference(NamedTuple):
    """A place, what is there in one file and what in the other, as a person reads it."""

    place: str
    what: str
    one: object
    other: object

    def __str__(self) -> str:
        return f"{self.place} {self.what}".rstrip()


def differences(one: SeenBook | SeenList, other: SeenBook | SeenList) -> list[Difference]:
    """Every place that is other; what programs change on their own on all sheets is left out."""
    if isinstance(one, SeenBook) and isinstance(other, SeenBook):
        return list(_of_books(one, other))
    if isinstance(one, SeenList) and isinstance(other, SeenList):
        return list(_of_lists(one, other))
    return []


def noise(one: SeenBook, other: SeenBook) -> dict[str, str]:
    """Settings that are other on every sheet at once, as programs do: the word, and what is told of it."""
    pairs = [(sheet, other.by_name[sheet.name]) for sheet in one.sheets if sheet.name in other.by_name]
    everywhere = {
        word
        for word in OF_PROGRAMS
        if pairs and all(not alike(a.settings.get(word), b.settings.get(word)) for a, b in pairs)
    }
    if not everywhere & set(_NEVER_BY_HAND):
        return {"active": ""}
    usual = {word for word in (*OF_PROGRAMS, *_RESET) if len({str(b.settings.get(word)) for _, b in pairs}) == 1}
    changed = {
        word: f"{word.replace('-', ' ')}, on all sheets"
        for word in dict.fromkeys((*OF_PROGRAMS, *_RESET))
        if word in usual and any(not alike(a.settings.get(word), b.settings.get(word)) for a, b in pairs)
    }
    return {**changed, "active": ""}  # which sheet is shown first is other whenever somebody looks at another one


#: What some programs forget on every sheet when nobody looks.
_RESET = ("frozen-rows", "frozen-columns")
#: Settings that hardly anybody changes by hand.
_NEVER_BY_HAND = ("header-margin", "footer-margin", "view", "page-break-lines")


def _of_books(one: SeenBook, other: SeenBook) -> Iterator[Difference]:
    left_out = noise(one, other)
    for sheet in one.sheets:
        partner = other.by_name.get(sheet.name)
        if partner is None:
            yield Difference(sheet.name, "", "a sheet", None)
            continue
        yield from _of_sheets(sheet, partner, set(left_out))
    for sheet in other.sheets:
        if sheet.name not in one.by_name:
            yield Difference(sheet.name, "", None, "a sheet")
    before = [sheet.name for sheet in one.sheets if sheet.name in other.by_name]
    after = [sheet.name for sheet in other.sheets if sheet.name in one.by_name]
    for number in moved([before.index(name) for name in after]):
        yield Difference(before[number], "place", number + 1, after.index(before[number]) + 1)


def _of_sheets(one: SeenSheet, other: SeenSheet, left_out: set[str]) -> Iterator[Difference]:
    for word, value in one.settings.items():
        if word in left_out or word == "name":
            continue
        if not alike(value, other.settings.get(word)):
            yield Difference(one.name, word, value, other.settings.get(word))
    for word in ("protected", "allowed"):
        before, after = getattr(one.sheet, word, None), getattr(other.sheet, word, None)
        if before != after and (word == "protected" or getattr(other.sheet, "protected", False)):
            yield Difference(one.name, word, before, after)
    known: KnownLooks = {}
    cells: list[tuple[int, int, str, object, object]] = []
    rows = sorted({*one.used_rows, *other.used_rows})
    for column in sorted({*one.columns, *other.columns}):
        left, right = one.contents(column), other.contents(column)
        for row in {**left, **right} if left != right else ():
            before, after = left.get(row), right.get(row)
            if not alike(before, after):
                cells.append((row, column, "", before, after))
        looks = looks_that_differ(one, other, column, ((row, row) for row in rows), known)
        cells += [(row, column, f" {word}", before, after) for row, word, before, after in looks]
    cells.sort(key=lambda each: each[:2])
    for row, column, word, before, after in cells:
        yield Difference(one.name, f"{letters_of(column)}{row}{word}", before, after)
    for row in sorted(one.hidden_rows ^ other.hidden_rows):
        yield Difference(one.name, f"row {row} hidden", row in one.hidden_rows, row in other.hidden_rows)
    for column, word, before, after in measures(one, other):
        yield Difference(one.name, f"column {letters_of(column)} {word}", before, after)


#: The looks that differ between a format of one file and a format of the other, for filled cells and empty ones.
KnownLooks = dict[tuple[object, object, bool], list[tuple[str, object, object]]]


def looks_that_differ(
    one: SeenSheet, other: SeenSheet, column: int, rows: Iterable[tuple[int, int]], known: KnownLooks
) -> Iterator[tuple[int, str, object, object]]:
    """How cells of a column look otherwise in the other sheet: the row, the word, before and after. `rows` has those
    before, with where they are after.
    """
    filled = one.values.get(column, {})
    style, other_style = one.styles(column), other.styles(column)
    comments = bool(one.comments or other.comments)
    for a, b in rows:
        key = (style(a), other_style(b), filled.get(a) is not None)
        found = known.get(key) if key[0] is not None else None
        if found is None:
            found = known[key] = [
                (word, before, after)
                for word in one.looks_seen(key[2])
                if (before := one.look(a, column, word)) != (after := other.look(b, column, word))
                and not same_look(word, before, after)
            ]
        if found and (a, column) not in one.covered:
            for word, before, after in found:
                yield a, word, before, after
        if comments and (was := one.comments.get((a, column))) != (now := other.comments.get((b, column))):
            yield a, "comment", was, now


def measures(one: SeenSheet, other: SeenSheet) -> Iterator[tuple[int, str, object, object]]:
    """The columns that are wider, narrower, hidden or shown: the column, what, before and after. A width that most
    columns got, and had none before, is the usual one of the program.
    """
    columns = sorted({*one.columns, *other.columns})
    widths = Counter(str(other.measure(column, "width")) for column in columns)
    usual = {width for width, times in widths.items() if times > 1 and times * 2 > len(columns)}
    for column in columns:
        for word in ("width", "hidden"):
            before, after = one.measure(column, word), other.measure(column, word)
            if word == "hidden":
                same = bool(before) == bool(after)
            elif before is None or after is None:
                same = after is None or str(after) in usual
            else:
                same = abs(float(str(before)) - float(str(after))) < 1  # programs round widths
            if not same:
                yield column, word, before, after


def same_look(word: str, one: object, other: object) -> bool:
    """Whether two looks are the same: a program writes the usual ones in several ways."""
    usual: dict[str, tuple[object, ...]] = {
        "colour": (None, "#000000"), "alignment": (None, "general"), "vertical-alignment": (None, "bottom"),
        "number-format": (None, "General", "general"), "indent": (None, 0), "rotation": (None, 0),
        "wrapped": (None, False),
        "fill": (None, "#ffffff"),
    }  # fmt: skip
    if word in ("font", "size"):
        return one is None or other is None
    if word == "number-format":
        return _plain_format(one) == _plain_format(other)
    if word in usual:
        return str(one) == str(other) or (one in usual[word] and other in usual[word])
    return str(one) == str(other)


def _plain_format(form: object) -> str:
    return str(form or "General").replace("\\", "").lower()


def _of_lists(one: SeenList, other: SeenList) -> Iterator[Difference]:
    matched, gone, fresh = match(one, other)
    for a, b in matched:
        for name, value in one.items[a].items():
            if name in other.items[b] and not alike(value, other.items[b][name]) and counts(name, one, other, a, b):
                yield Difference(f"{one.part} {a + 1}", name.partition(".")[2], value, other.items[b][name])
        for change in changed_passages(one, other, a, b):
            text = str(one.items[a]["paragraph.text"])[change.start : change.end].strip()
            yield Difference(f'paragraph {a + 1} "{plain(text)[:40]}"', change.word, change.before, change.after)
    styled = restyled(one, other, matched)
    for a, b in matched:
        if a in styled:
            yield Difference(f"{one.part} {a + 1}", "style", _style_of(one, a), _style_of(other, b))
    for number in range(len(one.items)):
        box, target = one.filed.get(one.key(number)), other.filed.get(one.key(number))
        if box != target:
            yield Difference(f"{one.part} {number + 1}", "filed in", box, target)
    for number in gone:
        yield Difference(f"{one.part} {number + 1}", "", _told(one, number), None)
    for number in fresh:
        yield Difference(f"{one.part} {number + 1}", "", None, _told(other, number))


#: What follows from other fields of a paragraph or message, or is another one in every file.
_FOLLOWING = frozenset(
    "style font size colour place base-subject id date hidden highlight left-indent space-before space-after "
    "keep-with-next list-level".split()
)


#: Those that may also be set by hand, where level and style are the same.
_BY_HAND = ("colour", "highlight")


def counts(name: str, one: SeenList, other: SeenList, a: int, b: int) -> bool:
    """Whether a field says something of its own: looks of a paragraph without text do not, nor what follows others."""
    word = name.partition(".")[2]
    before, after = one.items[a], other.items[b]
    if word in _BY_HAND:
        if same_look(word, before.get(name), after.get(name)):
            return False
        return _same_style(before, after) and bool(before.get("paragraph.text"))
    if word in _FOLLOWING or "." in word or (word != "text" and _is_named_anew(one, other, a, b)):
        return False
    return bool(before.get("paragraph.text", True)) or word == "text"


class ChangedPassage(NamedTuple):
    """A part of a paragraph that looks otherwise."""

    start: int
    end: int
    word: str
    before: object
    after: object


def changed_passages(one: SeenList, other: SeenList, a: int, b: int) -> Iterator[ChangedPassage]:
    """The parts of a paragraph that look otherwise, unless its text or the look of the whole of it changed."""
    before, after = one.items[a], other.items[b]
    if one.part != "paragraph" or before.get("paragraph.text") != after.get("paragraph.text"):
        return
    if not _same_style(before, after):
        return
    left, right = one.pieces(a), other.pieces(b)
    if len(left) < 2 and len(right) < 2:
        return
    for word in PASSAGE_LOOKS:
        name = f"paragraph.{word}"
        if not alike(before.get(name), after.get(name)) and counts(name, one, other, a, b):
            continue
        found: ChangedPassage | None = None
        for start, end, was, now in _stretches(left, right, f"passage.{word}"):
            if alike(was, now) or (word == "colour" and same_look(word, was, now)):
                continue
            if found is not None and found.end == start and alike(found.after, now):
                found = found._replace(end=end)
                continue
            if found is not None:
                yield found
            found = ChangedPassage(start, end, word, was, now)
        if found is not None:
            yield found


def _stretches(left: Sequence[Piece], right: Sequence[Piece], name: str) -> Iterator[tuple[int, int, object, object]]:
    """The stretches between all edges of two lists of pieces, each with a field in both."""
    for one in left:
        for other in right:
            start, end = max(one.start, other.start), min(one.end, other.end)
            if start < end:
                yield start, end, one.fields.get(name), other.fields.get(name)


def _style_of(seen: SeenList, number: int) -> str:
    """The style of an item."""
    return str(seen.items[number].get("paragraph.style") or "")


def restyled(one: SeenList, other: SeenList, matched: Sequence[tuple[int, int]]) -> set[int]:
    """The paragraphs that got another style: not one that follows from their level, or only has another name."""
    renamed = _renamed_styles(one, other, matched)
    found = set()
    for a, b in matched:
        before, after = one.items[a], other.items[b]
        if _style_of(one, a) != _style_of(other, b) and before.get("paragraph.text"):
            same_level = alike(before.get("paragraph.level"), after.get("paragraph.level"))
            named_anew = _is_named_anew(one, other, a, b)
            if same_level and not named_anew and renamed.get(_style_of(one, a)) != _style_of(other, b):
                found.add(a)
    return found


def _is_named_anew(one: SeenList, other: SeenList, a: int, b: int) -> bool:
    """Whether a heading of a level got the usual style of that level, as some programs do on their own."""
    level = one.items[a].get("paragraph.level")
    if level is None or not alike(level, other.items[b].get("paragraph.level")):
        return False
    usual = f"Heading {level}"
    return same_word(_style_of(other, b), usual) and not same_word(_style_of(one, a), usual)


def _renamed_styles(one: SeenList, other: SeenList, matched: Sequence[tuple[int, int]]) -> dict[str, str]:
    """The styles that a program calls otherwise: everything that had one has the other, which nothing had before."""
    pairs: dict[str, set[str]] = {}
    for a, b in matched:
        pairs.setdefault(_style_of(one, a), set()).add(_style_of(other, b))
    return {
        before: after
        for before, (after, *more) in pairs.items()
        if same_word(before, after)
        or (not more and after not in pairs and (before in _USUAL_STYLES or after in _USUAL_STYLES))
    }


#: What programs call the style of most paragraphs.
_USUAL_STYLES = frozenset(("", "Normal", "Standard", "Default Paragraph Style", "Text body", "Text Body", "Body Text"))


def _same_style(before: Mapping[str, object], after: Mapping[str, object]) -> bool:
    return all(alike(before.get(f"paragraph.{each}"), after.get(f"paragraph.{each}")) for each in ("level", "style"))


def _told(seen: SeenList, number: int) -> str:
    item = seen.items[number]
    return plain(item.get("message.subject") or item.get("paragraph.text") or "")[:60]


def match(one: SeenList, other: SeenList) -> tuple[list[tuple[int, int]], list[int], list[int]]:
    """Which item is which: those that are the same, those between them in order, those that are gone, and new ones."""
    import difflib

    left, right = ([repr(seen.key(number)) for number in range(len(seen.items))] for seen in (one, other))
    pairs: list[tuple[int, int]] = []
    gone: list[int] = []
    fresh: list[int] = []
    for tag, a, b, c, d in difflib.SequenceMatcher(None, left, right, autojunk=False).get_opcodes():
        if tag == "equal" or b - a == d - c:
            pairs += zip(range(a, b), range(c, d), strict=True)
        else:
            inner = _likely(left[a:b], right[c:d])
            pairs += [(a + x, c + y) for x, y in inner]
            gone += [a + x for x in range(b - a) if x not in dict(inner)]
            fresh += [c + y for y in range(d - c) if y not in {y for _, y in inner}]
    last = len(other.items) - 1
    if one.part == "paragraph" and last in fresh and not other.items[last].get("paragraph.text"):
        fresh.remove(last)  # some programs end every document with an empty paragraph
    return pairs, gone, fresh


def _likely(left: list[str], right: list[str]) -> list[tuple[int, int]]:
    """Pairs of texts that are most alike, in order."""
    import difflib

    found: list[tuple[int, int]] = []
    start = 0
    for x, text in enumerate(left):
        scores = [
            (difflib.SequenceMatcher(None, text, other).ratio(), -y) for y, other in enumerate(right[start:], start)
        ]
        if scores and max(scores)[0] > 0.6:
            y = -max(scores)[1]
            found.append((x, y))
            start = y + 1
    return found
