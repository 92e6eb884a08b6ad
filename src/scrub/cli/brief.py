"""What a run did to many files: what they have in common first, then the differences."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import scrub
from scrub.cli.output import SHOWN, columns, more, short_path

#: Files of one run from which their common changes are shown in place of each file.
MANY = 10
#: Groups of files whose changes differ, and files by name, that are shown.
_GROUPS, _NAMES = 5, 3
Row = tuple[str, str]  # what was changed, and where


def brief(changed: Sequence[scrub.FileResult], limit: int = SHOWN) -> list[str]:
    """The changes of many files as lines."""
    rows = {id(found): found.overview.rows for found in changed}
    counts = Counter(row for every in rows.values() for row in every)
    common = {row for row, times in counts.items() if times * 2 > len(changed)}
    if not common:
        return _by_field(changed, limit)
    order: dict[tuple[str, int], list[str]] = {}
    for row, times in counts.items():
        if row in common:
            order.setdefault((row[0], times), []).append(row[1])
    told = [
        (text, among(places) + ("" if times == len(changed) else f"  ({scrub.counted(times, 'file')})"))
        for (text, times), places in order.items()
    ]
    lines = columns(told[:limit], wrap=True)
    lines += [more(len(told) - limit)] if len(told) > limit else []
    groups: dict[tuple[Row, ...], list[str]] = {}
    for found in changed:
        own = tuple(row for row in rows[id(found)] if row not in common)
        if own:
            groups.setdefault(own, []).append(short_path(found.path))
    return lines + _differences(groups)


def parts_each(changed: Sequence[scrub.FileResult]) -> str:
    """`, 2 sheets each`; an empty text where the files differ in it."""
    counts = {found.overview.places for found in changed}
    words = {found.part_word for found in changed}
    if len(counts) != 1 or len(words) != 1 or counts == {0}:
        return ""
    return f", {scrub.counted(counts.pop(), words.pop())} each"


def among(places: Sequence[str], most: int = 4) -> str:
    """`Kite Hut, Tarn Hut and 3 more`: the first names, each once, and the number of the others."""
    named = [place for place in dict.fromkeys(places) if place]
    return ", ".join(named[:most]) + (f" and {len(named) - most:,} more" if len(named) > most else "")


def _differences(groups: dict[tuple[Row, ...], list[str]]) -> list[str]:
    """A line for each group of files that have changes of their own, the largest groups first."""
    lines = []
    for own, names in sorted(groups.items(), key=lambda group: -len(group[1]))[:_GROUPS]:
        text = "; ".join(f"{place}: {said}" if place else said for said, place in own[:_NAMES])
        text += f" and {len(own) - _NAMES} more" if len(own) > _NAMES else ""
        lines += columns([(f"also {among(names, _NAMES)}", text)], wrap=True)
    left = list(groups.values())
    files = sum(len(names) for names in sorted(left, key=len, reverse=True)[_GROUPS:])
    return [*lines, *([f"  others in {scrub.counted(files, 'file')}; show all with --all"] if files else [])]


def _by_field(changed: Sequence[scrub.FileResult], limit: int) -> list[str]:
    """Where the files have no change in common: a line for each field, with an example."""
    counts: Counter[str] = Counter()
    files: Counter[str] = Counter()
    first: dict[str, str] = {}
    for found in changed:
        for field in found.overview.fields:
            counts[field.name] += field.times
            files[field.name] += 1
            first.setdefault(field.name, f"{short_path(found.path)}: {field.first}")
    told = [
        (word, f"{scrub.counted(times, 'change')} in {scrub.counted(files[word], 'file')}, such as {first[word]}")
        for word, times in counts.most_common(limit)
    ]
    return columns(told, wrap=True) + ([more(len(counts) - limit)] if len(counts) > limit else [])
