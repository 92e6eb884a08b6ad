"""Records and fields (RFC 4180): taken apart without losing a character, and the encoding found first."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from scrub.formats.source import Source
from scrub.model.late import late
from scrub.model.preferences import CURRENT
from scrub.model.problem import FileProblem, listed

_QUOTED = late(r'"(?:[^"]|"")*"(?!")')


class Encoding(NamedTuple):
    """How a file's characters are written: the mark at its start, the codec, and whether that had to be found out."""

    mark: bytes
    name: str
    guessed: bool = False


def encoding_of(source: Source, data: bytes) -> Encoding:
    """The encoding of a file. Raises `FileProblem` for one that cannot be told."""
    for mark, name in ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if data.startswith(mark):
            return Encoding(mark, _sure(source, data[len(mark) :], name))
    if data.startswith(b"PK\x03\x04"):
        raise source.problem("this is a workbook or another package, no table of texts. Give it its own ending")
    try:
        data.decode("utf-8")
    except UnicodeDecodeError as error:
        if b"\0" in data:
            raise _unknown(source, data, data.index(b"\0")) from None
        chosen = CURRENT.get().encoding
        if chosen:
            return Encoding(b"", _sure(source, data, chosen))
        return Encoding(b"", _detected(source, data, error.start), True)
    if b"\0" in data:
        raise _unknown(source, data, data.index(b"\0"))
    return Encoding(b"", "utf-8")


#: What files that are not in Unicode are written in, on the machines of offices.
_CANDIDATES = (
    "cp1252 cp1250 cp1251 cp1253 cp1254 cp1257 cp932 gb18030 big5 cp949 euc_jp koi8_r"
).split()  # fmt: skip
#: How much better the best reading must be than the next one.
_MARGIN = 0.1
#: Bytes beyond ASCII without which another reading than the usual one is a guess.
_EVIDENCE = 4


def _detected(source: Source, data: bytes, at: int) -> str:
    """The encoding that the detector is sure of: every reading it finds likely gives the same text, or one is clearly
    better than all others. Raises `FileProblem` where it is not sure.
    """
    from charset_normalizer import from_bytes  # only files that are not in Unicode pay for it

    readings: dict[str, tuple[float, str]] = {}
    for match in from_bytes(data, cp_isolation=_CANDIDATES):
        text = str(match)
        score = match.coherence - match.chaos
        readings[text] = max(readings.get(text, (-2.0, "")), (score, match.encoding))
    usual = _reads(data, "cp1252")
    ordered = sorted(readings.items(), key=lambda each: (-each[1][0], each[0] != usual))
    alone = len(ordered) == 1 or (len(ordered) > 1 and ordered[0][1][0] - ordered[1][1][0] >= _MARGIN)
    few = sum(byte > 127 for byte in data) < _EVIDENCE and ordered and ordered[0][0] != usual
    if few or not alone:
        names = [spoken_encoding(name) for _, (_, name) in ordered[:3]]
        could = f": it could be {listed(names, 'or')}" if names else ""
        line = data.count(b"\n", 0, at) + 1
        raise source.problem(
            f"line {line} is not in UTF-8, and how it is written cannot be told surely{could}. "
            f"Say it: scrub settings encoding {names[0] if names else 'windows-1252'}    Or save the file as UTF-8"
        )
    text, (_, name) = ordered[0]
    return "cp1252" if text == usual else name


def _reads(data: bytes, name: str) -> str | None:
    try:
        return data.decode(name)
    except UnicodeDecodeError:
        return None


def spoken_encoding(name: str) -> str:
    """The name by which people know an encoding."""
    return {"cp932": "shift-jis", "cp949": "euc-kr"}.get(name, name.replace("cp125", "windows-125").replace("_", "-"))


def _sure(source: Source, data: bytes, name: str) -> str:
    try:
        data.decode(name)
    except UnicodeDecodeError as error:
        raise _unknown(source, data, error.start, name) from None
    return name


def _unknown(source: Source, data: bytes, at: int, name: str = "") -> FileProblem:
    line = data.count(b"\n", 0, at) + 1
    how = f"is not in {spoken_encoding(name)}" if name else "is written in an encoding that Scrub does not know"
    return source.problem(f"line {line} {how}. Save the file as UTF-8, and run again")


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


def line_end_of(text: str) -> str:
    """What ends a record: a line feed (a carriage return before it belongs to the record), or a carriage return alone.

    What stands between quotes can hold either, and does not count.
    """
    if "\r" not in text:
        return "\n"
    bare = _QUOTED.sub("", text) if "\n" in text and '"' in text else text
    return "\n" if "\n" in bare else "\r"


#: A comma inside a number, which is no delimiter where another mark could be one.
_INSIDE = late(r"(?<=\d),(?=\d)")


def delimiters_of(text: str) -> list[str]:
    """The likely delimiters, the best first: the mark that stands equally often in the first lines, outside quotes."""
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
