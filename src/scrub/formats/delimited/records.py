"""Records and fields (RFC 4180): taken apart without losing a character, and the encoding found first."""

from __future__ import annotations

import re
from collections import Counter

from scrub.formats.source import Source
from scrub.model.problem import FileProblem

_QUOTED = re.compile(r'"(?:[^"]|"")*"(?!")')


def encoding_of(source: Source, data: bytes) -> tuple[bytes, str]:
    """The mark at the start, and the encoding. Raises `FileProblem` for one that cannot be told."""
    for mark, name in ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if data.startswith(mark):
            return mark, _sure(source, data[len(mark) :], name)
    if data.startswith(b"PK\x03\x04"):
        raise source.problem("this is a workbook or another package, no table of texts. Give it its own ending")
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        if b"\0" in data:
            raise _unknown(source, data, data.index(b"\0")) from None
        try:
            data.decode("cp1252")
        except UnicodeDecodeError as other:
            raise _unknown(source, data, other.start) from None
        return b"", "cp1252"
    if b"\0" in data:
        raise _unknown(source, data, data.index(b"\0"))
    return b"", "utf-8"


def _sure(source: Source, data: bytes, name: str) -> str:
    try:
        data.decode(name)
    except UnicodeDecodeError as error:
        raise _unknown(source, data, error.start) from None
    return name


def _unknown(source: Source, data: bytes, at: int) -> FileProblem:
    line = data.count(b"\n", 0, at) + 1
    return source.problem(
        f"line {line} is written in an encoding that Scrub does not know. Save the file as UTF-8, and run again"
    )


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
        raise source.problem(f"a quote is opened in line {begun} and never closed. Close it, and run again")
    return records


def delimiters_of(text: str) -> list[str]:
    """The likely delimiters, the best first: the mark that stands equally often in the first lines, outside quotes."""
    lines = _QUOTED.sub("", text[:20_000]).splitlines()[:20]
    lines = [line for line in lines[:-1] or lines if line]
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
    found: list[str] = []
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
            found.append(record[at:])
            return found
        found.append(record[at:stop])
        at = stop + len(delimiter)


def fields_of(record: str, delimiter: str) -> list[str]:
    """The fields of a record as what they say; an empty line has none."""
    record = record.removesuffix("\r")
    if not record:
        return []
    if '"' not in record:
        return record.split(delimiter)
    found = []
    for raw in raw_fields(record, delimiter) or []:
        quoted = _QUOTED.match(raw)
        found.append(quoted[0][1:-1].replace('""', '"') + raw[quoted.end() :] if quoted else raw)
    return found
