"""Every field and action of every kind of item, on every sample and on files of other makers: whatever is asked for,
and with whatever values, ends in a result or in a sentence, and what was written is read by others.
"""

from __future__ import annotations

import random
import re
import shutil
import subprocess
from pathlib import Path

import pytest
from conftest import EVERYTHING, FOR_EVER, SAMPLE, portion, some
from saving import KINDS, MAKERS, SAMPLES, Knowing, ensure_read_by_others
from sheets import schema_findings
from vocabulary_calls import drawn, fitting, macro_of, reachable, statements

import scrub

DEMO = SAMPLE.parent
OFFICE = shutil.which("soffice")
#: What the office program here can open; that for workbooks is installed on its own.
OPENED = (
    ".docx",
    ".odt",
    *((".xlsx", ".ods") if OFFICE and (Path(OFFICE).resolve().parent / "libsclo.so").exists() else ()),
)


@pytest.fixture(autouse=True)
def no_bug_is_hidden(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """What nobody foresaw is raised as it is."""
    monkeypatch.setenv("SCRUB_TRACEBACK", "1")


def run(text: str, path: Path | str, preview: bool = True) -> scrub.FileResult:
    """The result; every failure is a sentence, and nothing that Python says."""
    found = scrub.run(text, [str(path)], preview=preview, host=Knowing()).files[0]
    told = str(found.problem or "")
    assert not re.search(
        r"\b(KeyError|AttributeError|TypeError|ValueError|IndexError|NoneType|Traceback|object at 0x)\b", told
    ), told
    return found


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("name", some(SAMPLES, 10))
def test_every_call_on_every_sample(name: str) -> None:
    shutil.copy(DEMO / name, name)
    shutil.copy(DEMO / "seal.png", "seal.png")
    before = Path(name).read_bytes()
    file = KINDS[Path(name).suffix]
    for kind in reachable(file):
        lines = fitting(file, kind, list(statements(kind)))
        for first in range(0, len(lines), 40):
            run(macro_of(file, kind, lines[first : first + 40]), name)
    assert Path(name).read_bytes() == before


@pytest.mark.timeout(FOR_EVER)
def test_every_call_on_a_folder() -> None:
    shutil.copytree(DEMO, "huts", ignore=shutil.ignore_patterns("*.py", "macros", "__pycache__"))
    for kind in reachable("folder"):
        lines = fitting("folder", kind, list(statements(kind)))
        for first in range(0, len(lines), 40):
            run(macro_of("folder", kind, lines[first : first + 40]), "huts")


# -- files as other makers write them


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize("block", some(range(20)))
def test_calls_by_chance_on_files_of_other_makers(block: int) -> None:
    shutil.copy(DEMO / "seal.png", "seal.png")
    changed = []
    for number in range(block * 10, block * 10 + portion(10)):
        chance = random.Random(number)
        source = DEMO / SAMPLES[number % len(SAMPLES)]
        path = Path(f"made{number}{source.suffix}")
        MAKERS[source.suffix](source, path, chance)
        old = path.read_bytes()
        findings = schema_findings(path) if path.suffix in (".xlsx", ".docx") else set()
        file = KINDS[path.suffix]
        for _ in range(4):
            kind, lines = drawn(file, chance, 12)
            run(macro_of(file, kind, fitting(file, kind, lines)), path, preview=False)
        if path.exists() and path.read_bytes() != old:
            changed.append(path)
            ensure_read_by_others(path)
            if path.suffix in (".xlsx", ".docx"):
                assert schema_findings(path) <= findings, number
    if OFFICE is not None and EVERYTHING and block % 5 == 0:
        ensure_opens_in_an_office_program([each for each in changed if each.suffix in OPENED])


def ensure_opens_in_an_office_program(paths: list[Path]) -> None:
    """Every file is turned into a PDF by a real program, all in one go."""
    if not paths:
        return
    words = [str(OFFICE), f"-env:UserInstallation=file://{Path('profile').absolute()}", "--headless"]
    done = subprocess.run(
        [*words, "--convert-to", "pdf", "--outdir", "seen", *map(str, paths)],
        capture_output=True, text=True, timeout=FOR_EVER, check=False,
    )  # fmt: skip
    for path in paths:
        assert (Path("seen") / f"{path.stem}.pdf").exists(), f"{path}: {done.stderr}"
