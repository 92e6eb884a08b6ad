from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple, TypeVar

import pytest
from hypothesis import HealthCheck, settings

import scrub
import scrub.cli
from scrub.own_actions import OWN_ACTIONS

#: Whether all is tried: each example and case, real servers, an office program, a browser. `.ci/run` says so.
EVERYTHING = bool(os.environ.get("EVERYTHING"))
#: The longest, which begin first.
_LONGEST = (
    "test_types_of_databases", "test_order", "test_structure", "test_hostile_pages", "test_whole_vocabulary", "test_fuzz",
    "test_database_where", "test_word_processor", "test_page", "test_oracles", "test_hostile", "test_long_loops",
)  # fmt: skip
T = TypeVar("T")


def portion(number: int, least: int = 1) -> int:
    """How many of so many are tried: a fifth, unless everything is."""
    return number if EVERYTHING else max(least, number // 5)


def some(cases: Iterable[T], each: int = 5) -> list[T]:
    """Those of many cases that are tried: each fifth, or so, unless everything is."""
    return list(cases)[:: 1 if EVERYTHING else each]


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leaves out what needs `EVERYTHING`, unless somebody asks for it by its marker; the longest come first."""
    if not EVERYTHING and not config.option.markexpr:
        left_out = [item for item in items if _needs_everything(item)]
        items[:] = [item for item in items if item not in set(left_out)]
        config.hook.pytest_deselected(items=left_out)
    items.sort(key=lambda item: item.path.stem not in _LONGEST)


def _needs_everything(item: pytest.Item) -> bool:
    if any(item.get_closest_marker(name) for name in ("everything", "servers", "office", "browser")):
        return True
    params = getattr(item, "callspec", None)
    on_server = "started" in getattr(item, "fixturenames", ())
    return on_server and (params is None or params.params.get("base") != "sqlite")


def examples(count: int) -> settings:
    """How many examples of a property are tried of so many, however long each takes."""
    return settings(max_examples=portion(count, 2), suppress_health_check=list(HealthCheck))


# How fast a machine is decides no test.
settings.register_profile("whatever the machine", examples(100), deadline=None)
settings.load_profile("whatever the machine")

SAMPLE = Path(scrub.__file__).parent / "demo" / "season-book.xlsx"


#: Seconds after which what would never end is ended; nothing takes so long on the slowest machine.
FOR_EVER = 900


def model_of(opened: scrub.OpenFile) -> Any:
    """The item of the model behind a file opened in Python, for tests of what no macro can name."""
    return opened._opened.item


class Output(NamedTuple):
    """What a command printed, and its exit code."""

    code: int
    out: str
    err: str


@pytest.fixture(autouse=True)
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A fresh library and history for each test, and nothing of this machine's own settings."""
    for name in list(os.environ):
        if name.startswith("SCRUB_"):
            monkeypatch.delenv(name)
    monkeypatch.setenv("SCRUB_HOME", str(tmp_path / "home"))
    monkeypatch.setenv("COLUMNS", "100")
    work = tmp_path / "work"
    work.mkdir()
    monkeypatch.chdir(work)
    return tmp_path / "home"


@pytest.fixture
def book(home: Path) -> Path:
    """A copy of the season book, in the current folder."""
    path = Path("season-book.xlsx")
    shutil.copyfile(SAMPLE, path)
    return path


@pytest.fixture
def own_actions() -> Iterator[list[tuple[str, Callable[..., object]]]]:
    """The actions that a program has declared: those of the test are forgotten after it."""
    before = list(OWN_ACTIONS)
    yield OWN_ACTIONS
    OWN_ACTIONS[:] = before


@pytest.fixture
def cli(capsys: pytest.CaptureFixture[str]) -> Callable[..., Output]:
    """Runs the command line with these words."""

    def run(*words: object) -> Output:
        capsys.readouterr()
        code = scrub.cli.run([str(word) for word in words])
        printed = capsys.readouterr()
        return Output(code, printed.out, printed.err)

    return run


def macro(body: str, runs_on: str = "workbook", title: str = "Test") -> str:
    """A whole macro around some statements."""
    return f"macro {title}\nfor {runs_on}\n{body}\n"


def said(body: str, **answers: object) -> list[str]:
    """What a macro without a file says."""
    result = scrub.run(macro(body, "nothing"), answers=answers, budget=100_000)
    problem = result.files[0].problem
    if problem is not None:
        raise problem
    return result.files[0].said


def problems(text: str) -> list[str]:
    """The problems of a macro, each `line:column message`."""
    return [f"{each.line}:{each.column} {each.message}" for each in scrub.check(text)]
