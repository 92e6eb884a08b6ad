"""Records and fields (RFC 4180): split without losing a character."""

from __future__ import annotations

from collections import Counter

from scrub.formats.source import Source
from scrub.model.core.lazy_pattern import lazy_pattern

_QUOTED = lazy_pattern(r'"[^"]*(?:""[^"]*)*"(?!")')


def records_of(source: Source, text: str, line_end: str, delimiter: str) -> list[str]:
    """The records without their line ends; one can go over several lines where a field is quoted."""
    lines = text.split(line_end)
    if not lines[-1]:
        lines.pop()
    if '"' not in text:
        return lines
    records: list[str] = []
    waiting: list[str] = []
    for number, line in enumerate(lines, 1):
        if not waiting and '"' not in line:
            records.append(line)
            continue
        if not waiting:
            begun = number
        waiting.append(line)
        if '"' in line or len(waiting) == 1:
            record = line_end.join(waiting)
            if raw_fields(record, delimiter) is not None:
                records.append(record)
                waiting = []
            elif len(waiting) > 10_000:
                break
    if waiting:
        raise source.problem(f"line {begun}: the opening quote has no closing quote. Add it and run again")
    return records


def line_end_of(text: str) -> str:
    """What ends a record: a line feed (a carriage return before it belongs to the record), or a carriage return alone.

    What is between quotes can contain either, and does not count.
    """
    if "\r" not in text:
        return "\n"
    bare = _QUOTED.sub("", text) if "\n" in text and '"' in text else text
    return "\n" if "\n" in bare else "\r"


#: A comma inside a number, which is not a delimiter where another mark could be one.
_INSIDE = lazy_pattern(r"(?<=\d),(?=\d)")


def delimiters_of(text: str) -> list[str]:
    """The likely delimiters, the best first: the mark that is equally often in the first lines, outside quotes."""
    lines = _QUOTED.sub("", text[:20_000]).splitlines()[:20]
    lines = [line for line in lines[:-1] or lines if line]
    if any(all(mark in line for line in lines) for mark in ";\t|") and lines:
        lines = [_INSIDE.sub("", line) for line in lines]
    scored = []
    for mark in (",", ";", "\t", "|"):
        counts = Counter(line.count(mark) for line in lines if mark in line)
        number, lines_with = counts.most_common(1)[0] if counts else (0, 0)
        scored.append(((lines_with, number), mark))
    ordered = sorted(scored, key=lambda pair: pair[0], reverse=True)
    return [mark for place, (score, mark) in enumerate(ordered) if place == 0 or score[0]]


def raw_fields(record: str, delimiter: str) -> list[str] | None:
    """The fields of a record as they are written, quotes included; None where a quote is not closed."""
    if '"' not in record:
        return record.split(delimiter)
    result: list[str] = []
    at = 0
    while True:
        end = at
        if record.startswith('"', at):
            quoted = _QUOTED.match(record, at)
            if quoted is None:
                return None
            end = quoted.end()
        stop = record.find(delimiter, end)
        if stop < 0:
            result.append(record[at:])
            return result
        result.append(record[at:stop])
        at = stop + len(delimiter)


def fields_of(record: str, delimiter: str) -> list[str]:
    """The fields of a record as what they say; an empty line has none."""
    record = record.removesuffix("\r")
    if not record:
        return []
    if '"' not in record:
        return record.split(delimiter)
    fields = []
    for raw in raw_fields(record, delimiter) or []:
        quoted = _QUOTED.match(raw)
        fields.append(quoted[0][1:-1].replace('""', '"') + raw[quoted.end() :] if quoted else raw)
    return fields
