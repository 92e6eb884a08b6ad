"""What was prepared, as it goes from one process to another: patches, changes, texts and problems, and no code."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from scrub.model.core import problem as problems
from scrub.model.core.problem import Failure, FileProblem, ScrubError
from scrub.runner.overview import Field, Overview
from scrub.runner.packets import packet, unpacked
from scrub.runner.results import FileResult, PackedChanges, Prepared
from scrub.store.disk import Dress
from scrub.store.patch import Borrowed, Copy, Effect, Patch, Piece

#: What is carried of a file as it is.
_PLAIN = (
    "path",
    "address",
    "state",
    "log",
    "said",
    "notes",
    "left",
    "made",
    "also",
    "is_written",
    "part_word",
    "saved_as",
)


def dump(every: Sequence[Prepared]) -> bytes:
    """Executions as bytes."""
    blobs: list[bytes] = []
    told = [
        {
            "files": [_file(file, blobs) for file in prepared.files],
            "log": prepared.log,
            "said": prepared.said,
            "looked": sorted(prepared.looked),
            "busy": prepared.busy,
        }
        for prepared in every
    ]
    return packet({"prepared": told}, blobs)


def load(data: bytes) -> list[Prepared]:
    """Executions from bytes. Raises `ValueError`, `KeyError` or `TypeError` for what is none."""
    head, blobs = unpacked(data)
    left = iter(blobs)
    return [
        Prepared(
            [_read_file(file, left) for file in each["files"]],
            each["log"],
            each["said"],
            frozenset(each["looked"]),
            each["busy"],
        )
        for each in head["prepared"]
    ]


def _file(file: FileResult, blobs: list[bytes]) -> dict[str, Any]:
    packed = file.pack()
    blobs.append(packed.data)
    overview = file.overview
    return {
        **{word: getattr(file, word) for word in _PLAIN},
        "headings": {place: dict(heads) for place, heads in file.headings.items()},
        "changes": [packed.total, packed.results],
        "overview": [overview.rows, overview.fields, overview.places],
        "problem": _problem(file.problem) if file.problem is not None else None,
        "effects": [_effect(effect, blobs) for effect in file.effects],
    }


def _read_file(told: dict[str, Any], blobs: Any) -> FileResult:
    file = FileResult(told["path"])
    for word in _PLAIN:
        setattr(file, word, told[word])
    file.headings = told["headings"]
    rows, fields, places = told["overview"]
    overview = Overview(tuple((text, place) for text, place in rows), tuple(Field(*field) for field in fields), places)
    total, results = told["changes"]
    file.unpack(PackedChanges(total, results, next(blobs)), overview)
    file.problem = _read_problem(told["problem"]) if told["problem"] is not None else None
    file.effects = [_read_effect(effect, blobs) for effect in told["effects"]]
    return file


def _effect(effect: Effect, blobs: list[bytes]) -> dict[str, Any]:
    if effect.rows is not None:
        raise ValueError("rows of databases are changed in one process")
    patch = effect.patch
    told: dict[str, Any] = {
        "path": effect.path, "before": effect.before, "source": effect.source, "after": effect.after,
        "dress": list(effect.dress) if effect.dress is not None else None,
    }  # fmt: skip
    if patch is not None:
        patch = patch.settled()
        blobs.append(b"".join(piece for piece in patch.pieces if isinstance(piece, bytes)))
        pieces = [len(piece) if isinstance(piece, bytes) else list(piece) for piece in patch.pieces]
        told["patch"] = [patch.before, patch.size, pieces]
    return told


def _read_effect(told: dict[str, Any], blobs: Any) -> Effect:
    patch = None
    if "patch" in told:
        before, size, pieces = told["patch"]
        patch = Patch(before, size, _pieces(pieces, next(blobs)))
    dress = Dress(*told["dress"]) if told["dress"] is not None else None
    return Effect(told["path"], patch, told["before"], told["source"], told["after"], dress)


def _pieces(told: list[Any], data: bytes) -> list[Piece]:
    pieces: list[Piece] = []
    at = 0
    for each in told:
        if isinstance(each, int):
            pieces.append(data[at : at + each])
            at += each
        else:
            pieces.append(Copy(*each) if len(each) == 2 else Borrowed(*each))
    if at != len(data):
        raise ValueError("a patch was cut short")
    return pieces


def _problem(problem: ScrubError) -> dict[str, Any]:
    told: dict[str, Any] = {"kind": type(problem).__name__, "said": str(problem), "code": problem.exit_code}
    if isinstance(problem, Failure):
        told |= {"what": problem.what, "title": problem.title, "line": problem.line, "placed": problem.placed}
    elif isinstance(problem, FileProblem):
        told |= {"path": problem.path, "what": problem.what}
    return told


def _read_problem(told: dict[str, Any]) -> ScrubError:
    """A problem as it was in another process; of a kind that is not known here, what it says and its exit code."""
    kind: Any = getattr(problems, str(told["kind"]), ScrubError)
    if not (isinstance(kind, type) and issubclass(kind, ScrubError)):
        kind = ScrubError
    if issubclass(kind, FileProblem):
        return FileProblem(told["path"], told["what"])
    if "line" in told:
        failure = kind(told["what"]) if issubclass(kind, Failure) else Failure(told["what"])
        failure.title, failure.line, failure.placed = told["title"], told["line"], told["placed"]
        return failure
    problem = kind(told["said"]) if kind.__init__ is ScrubError.__init__ else ScrubError(told["said"])
    problem.exit_code = int(told["code"])
    return problem
