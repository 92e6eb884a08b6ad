"""Macros and the scripts that are made of them, run on the same files."""

from __future__ import annotations

import importlib.util
import os
import re
import shutil
import sys
from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple, Self

import pytest
from conftest import SAMPLE

import scrub

DEMO = SAMPLE.parent
EXAMPLES = sorted(path.stem for path in (DEMO / "macros").rglob("*.scrub"))
ENDINGS = {
    "workbook": ("xlsx", "csv"), "document": ("docx", "odt", "txt"), "mailbox": ("mbox",), "message": ("eml",),
    "pdf": ("pdf",), "image": ("jpg", "png"), "database": ("sqlite",),
}  # fmt: skip


def samples(*kinds: str) -> list[str]:
    return [
        each.name
        for each in sorted(DEMO.iterdir())
        if each.suffix[1:] in [end for kind in kinds for end in ENDINGS.get(kind, ())]
    ]


def lay_out(work: Path) -> None:
    for path in DEMO.iterdir():
        if path.is_file() and path.suffix != ".py":
            shutil.copyfile(path, work / path.name)


class _OneMoment(datetime):
    """A clock that stands still: tracked changes and comments contain the second in which they were made."""

    @classmethod
    def now(cls, tz: Any = None) -> Self:
        return cls(2026, 7, 1, 8, 30)


class Ran(NamedTuple):
    """What came of a run: of each file its changes or its problem, what was told, and what is in the folder."""

    failed: bool
    changes: list[list[str]]
    said: list[list[str]]
    logged: list[list[str]]
    contents: dict[str, bytes]
    problems: list[str]


def function_of(script: str, path: Path) -> tuple[Callable[..., object], str | None]:
    """The main function of a script, which is written to a path, and the folder for its results."""
    path.write_text(script, encoding="utf-8")
    spec = importlib.util.spec_from_file_location(path.stem, path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[path.stem] = module
    spec.loader.exec_module(module)
    name = re.search(r"scrub\.main\((\w+)(?:, into=\"(.*)\")?\)", script)
    assert name is not None
    found: Callable[..., object] = getattr(module, name[1])
    return found, name[2]


def ran(
    macro: str | Callable[..., object],
    files: Iterable[str],
    answers: Mapping[str, object],
    into: str | None,
    **options: Any,
) -> Ran:
    """Runs something in the current folder."""
    result = scrub.run(macro, files, answers=answers, into=into, **options)
    found = {
        str(path): path.read_bytes()
        for path in sorted(Path().rglob("*"))
        if path.is_file() and "__pycache__" not in path.parts and path.suffix != ".py"
    }
    return Ran(
        result.exit_code != 0,
        [sorted(str(change) for change in file.changes) for file in result.files],
        [file.said for file in result.files],
        [file.log for file in result.files],
        found,
        [str(file.problem) for file in result.files],
    )


def both(
    macro: str,
    lay_out: Callable[[Path], list[str]],
    answers: Mapping[str, object],
    home: Path,
    monkeypatch: pytest.MonkeyPatch,
    **options: Any,
) -> tuple[Ran, Ran]:
    """Runs a macro and its script, each in a fresh folder that `lay_out` fills; chance gives the same to both."""
    began = datetime.now().minute
    found = _both(macro, lay_out, answers, home, monkeypatch, **options)
    if datetime.now().minute != began:  # some files contain the minute in which they were changed
        found = _both(macro, lay_out, answers, home, monkeypatch, **options)
    return found


def _both(
    macro: str,
    lay_out: Callable[[Path], list[str]],
    answers: Mapping[str, object],
    home: Path,
    monkeypatch: pytest.MonkeyPatch,
    **options: Any,
) -> tuple[Ran, Ran]:
    script = scrub.as_python(macro)
    results = []
    for tracking in ("wordprocessing", "opendocument"):
        monkeypatch.setattr(f"scrub.formats.{tracking}.tracking.datetime", _OneMoment)
    for number, form in enumerate(("macro", "python")):
        shutil.rmtree(home, ignore_errors=True)
        work = home.parent / f"{form}-work"
        shutil.rmtree(work, ignore_errors=True)
        work.mkdir()
        monkeypatch.chdir(work)
        counter = iter(range(10**6))
        monkeypatch.setattr(os, "urandom", lambda count, counter=counter: bytes([next(counter) % 256]) * count)
        files = lay_out(work)
        if number:
            name = f"script_{abs(hash(script))}"
            run, into = function_of(script, work / f"{name}.py")
            results.append(ran(run, files, answers, into, **options))
            del sys.modules[name]
        else:
            results.append(ran(macro, files, answers, None, **options))
    return results[0], results[1]
