"""Where two lists of words differ, in time that grows with their length: what people read must not hold up a run."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Sequence

#: A piece of one list and the piece of the other list in its place: start and end in both.
Difference = tuple[int, int, int, int]
#: How often pieces between equal words are compared again; what is left then is one difference.
_DEEPEST = 8
#: Characters of a text in which differences are looked for: nobody reads more, and a text can have millions.
_MOST, _BLOCK = 200_000, 4096


def compared(old: str, new: str) -> tuple[str, str, bool]:
    """The parts of two texts in which differences are shown, and whether the texts go on after them: all of a usual
    text, of a huge one a part that begins shortly before the first difference.
    """
    if len(old) + len(new) <= _MOST:
        return old, new, False
    same = 0
    while same < len(old) and old[same : same + _BLOCK] == new[same : same + _BLOCK]:
        same += _BLOCK
    while same < len(old) and old[same] == new[same : same + 1]:
        same += 1
    start = old.find(" ", max(same - 200, 0), same) + 1 if same > 200 else 0
    end = start + _MOST // 2
    return old[start:end], new[start:end], max(len(old), len(new)) > end


def differences(old: Sequence[str], new: Sequence[str]) -> list[Difference]:
    """The pieces that differ, in order. Words that occur once in both lists hold their places, as in a patience diff;
    of two pieces of one length, the words are compared one by one.
    """
    found: list[Difference] = []
    waiting = [(0, len(old), 0, len(new), 0)]
    while waiting:
        a, b, c, d, depth = waiting.pop()
        while a < b and c < d and old[a] == new[c]:
            a, c = a + 1, c + 1
        while a < b and c < d and old[b - 1] == new[d - 1]:
            b, d = b - 1, d - 1
        if a == b and c == d:
            continue
        if b - a == d - c and 2 * sum(old[a + n] == new[c + n] for n in range(b - a)) >= b - a - 1:
            found += _one_by_one(old, new, a, b, c)
            continue
        anchors = _anchors(old[a:b], new[c:d]) if depth < _DEEPEST else []
        if not anchors:
            found.append((a, b, c, d))
            continue
        at, to = a, c
        for one, other in anchors:
            waiting.append((at, a + one, to, c + other, depth + 1))
            at, to = a + one + 1, c + other + 1
        waiting.append((at, b, to, d, depth + 1))
    return sorted(found)


def _one_by_one(old: Sequence[str], new: Sequence[str], a: int, b: int, c: int) -> list[Difference]:
    result: list[Difference] = []
    for n in range(b - a):
        if old[a + n] != new[c + n]:
            if result and result[-1][1] == a + n:
                result[-1] = (result[-1][0], a + n + 1, result[-1][2], c + n + 1)
            else:
                result.append((a + n, a + n + 1, c + n, c + n + 1))
    return result


def _anchors(old: Sequence[str], new: Sequence[str]) -> list[tuple[int, int]]:
    """Words that occur once in both, as many as are in one order: the longest rising row of their places."""
    times, others = Counter(old), Counter(new)
    places = {word: at for at, word in enumerate(new) if others[word] == 1}
    pairs = [(at, places[word]) for at, word in enumerate(old) if times[word] == 1 and word in places]
    ends: list[int] = []  # the smallest last place of a rising row of each length
    rows: list[int] = []  # the pair at that end
    before: list[int] = []  # the pair before each
    for number, (_, place) in enumerate(pairs):
        at = bisect_left(ends, place)
        before.append(rows[at - 1] if at else -1)
        ends[at : at + 1], rows[at : at + 1] = [place], [number]
    found: list[tuple[int, int]] = []
    number = rows[-1] if rows else -1
    while number >= 0:
        found.append(pairs[number])
        number = before[number]
    return found[::-1]
