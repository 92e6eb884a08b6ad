"""How the characters of a plain text are written: told by its marks, by its bytes, by a setting, or by what is sure."""

from __future__ import annotations

from scrub.formats.source import Source
from scrub.model.core.named import NamedTuple
from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import FileProblem, listed


class Encoding(NamedTuple):
    """How a file's characters are written: the mark at its start, the codec, and whether that had to be found out."""

    mark: bytes
    name: str
    guessed: bool = False


def encoding_of(source: Source, data: bytes, what: str = "plain text") -> Encoding:
    """The encoding of a file; `what` is how a sentence calls it. Raises `FileProblem` for one that cannot be
    determined.
    """
    for mark, name in ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if data.startswith(mark):
            return Encoding(mark, _sure(source, data[len(mark) :], name))
    if data.startswith(b"PK\x03\x04"):
        raise source.problem(f"not a {what}: this is a workbook or another package. Correct the file extension")
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
            f"line {line} is not UTF-8, and the encoding cannot be detected reliably{could}. Set it: scrub "
            f"settings encoding {names[0] if names else 'windows-1252'}    Or save the file as UTF-8"
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
    how = f"is not in {spoken_encoding(name)}" if name else "has an unknown encoding"
    return source.problem(f"line {line} {how}. Save the file as UTF-8 and run again")
