"""Very many files: several processes, any executor, and runs that go on where they stopped."""

from __future__ import annotations

import importlib
import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
from conftest import SAMPLE, Output, macro, portion
from mails import Approving
from workers import Eager, Elsewhere, Unreliable

import scrub
from scrub.executors import pool_for
from scrub.own_actions import OWN_ACTIONS
from scrub.runner.overview import Overview
from scrub.runner.parallel import ParallelRun, WorkerPool
from scrub.runner.results import FileResult, PackedChanges, Prepared, RunResult
from scrub.runner.saver import Saver
from scrub.runner.serialization import dump
from scrub.runner.ticket import About, Ticket, load, work_of
from scrub.store.patch import claiming

DEMO = SAMPLE.parent
SPACES = "macro Spaces\nfor document\nsingle-spaces\nsay document.name\n"
Cli = Callable[..., Output]


def notices(count: int, folder: str = "archive") -> list[str]:
    Path(folder).mkdir(exist_ok=True)
    names = [f"{folder}/n{number:04}.txt" for number in range(count)]
    for number, name in enumerate(names):
        Path(name).write_text(f"{number}  kg\n")
    return names


def contents(folder: str = ".") -> dict[str, bytes]:
    return {str(path): path.read_bytes() for path in sorted(Path(folder).rglob("*")) if path.is_file()}


def kept(number: int | None = None) -> Any:
    record = scrub.changes(number).as_dict()
    return {**record, "run": 0, "when": ""}


# -- the same as in one process


def example_files(kind: str) -> list[str]:
    endings = {"workbook": ("xlsx", "csv"), "document": ("docx", "odt", "txt", "md"), "mailbox": ("mbox",), "message": ("eml",)}  # fmt: skip
    endings |= {"pdf": ("pdf",), "image": ("jpg", "png")}
    names = sorted(path.name for path in DEMO.iterdir() if path.suffix[1:] in endings.get(kind, ()))
    return [f"{turn}-{name}" for turn in range(2) for name in names[:4]]


EXAMPLES = sorted(path.stem for path in (DEMO / "macros").rglob("*.scrub"))


class Answering(Approving):
    """A person who lets macros do what they do, and answers something to each question."""

    def ask(self, question: scrub.Question) -> str | None:
        if question.default is not None:
            return ""
        if question.choices:
            return str(question.choices[0])
        return {
            "number": "3",
            "address": "ann@huts.example",
            "yes-no": "yes",
            "date": "2026-05-01",
            "file": "0-huts.csv",
        }.get(question.type, "Larch Hut")

    def secret(self, question: scrub.Question) -> str | None:
        return "stove"


@pytest.mark.parametrize("title", EXAMPLES)
def test_each_example_gives_the_same_with_others(title: str, home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """All tasks are done before the first file is saved, in another order."""
    program = scrub.program(title)
    kind = next((kind for kind in program.macro.runs_on if example_files(kind)), None)
    if kind is None or program.reach >= scrub.Reach.SEND:
        return  # one process does it by nature; tested below
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", "stove")
    monkeypatch.setenv("SCRUB_SECRET_ROUTE_CARDS", "stove")
    found: list[tuple[Any, ...]] = []
    for executor in (None, Eager(3)):
        monkeypatch.setenv("SCRUB_HOME", str(home / str(len(found))))
        work = Path(f"work{len(found)}")
        work.mkdir()
        for path in DEMO.iterdir():
            if path.is_file():
                shutil.copyfile(path, work / path.name)
                for turn in range(2):
                    shutil.copyfile(path, work / f"{turn}-{path.name}")
        monkeypatch.chdir(work)
        result = scrub.run(title, example_files(kind), host=Answering(), executor=executor)
        files = [{**file.as_dict(), "problem": str(file.problem)} for file in result.files]
        here = os.getcwd()
        told = json.dumps([files, kept(result.number) if result.number else None]).replace(here, "")
        found.append((contents(), told))
        monkeypatch.chdir("..")
        assert executor is None or executor.tasks or result.alone
    one, other = found
    assert other[1] == one[1]
    assert {path: data for path, data in other[0].items() if not _differs_by_nature(data)} == {
        path: data for path, data in one[0].items() if not _differs_by_nature(data)
    }


def _differs_by_nature(data: bytes) -> bool:
    """New passwords are salted, a new PDF file gets an identifier of its own (ISO 32000-1, 14.4), a draft a date."""
    return data.startswith((b"%PDF", b"PK", b"To: "))


@pytest.mark.parametrize("how", ["jobs", "threads", "spawned", "preview"])
def test_processes_and_threads_give_the_same(how: str, home: Path) -> None:
    names = notices(40)
    before = contents()
    one = scrub.run(SPACES, names, preview=how == "preview")
    after, record = contents(), kept() if how != "preview" else None
    if how != "preview":
        scrub.undo()
    assert contents() == before
    told: list[str] = []
    import multiprocessing

    executors: dict[str, Callable[[], Executor]] = {
        "threads": lambda: ThreadPoolExecutor(2),
        "spawned": lambda: ProcessPoolExecutor(2, multiprocessing.get_context("spawn")),
    }
    executor = executors[how]() if how in executors else None
    options: dict[str, Any] = {"jobs": 2} if executor is None else {"executor": executor}
    two = scrub.run(SPACES, names, preview=how == "preview", report=lambda file: told.append(file.path), **options)
    if executor is not None:
        executor.shutdown()
    assert told == names
    assert [file.as_dict() for file in two.files] == [file.as_dict() for file in one.files]
    assert contents() == after
    assert how == "preview" or kept() == record


def test_what_reads_a_file_of_the_same_run_gets_what_is_there_then(home: Path) -> None:
    """Each book takes a number from the one before it, which this very run changes."""
    names = [f"b{number:02}.csv" for number in range(12)]
    text = CHAIN
    assert scrub.check_text(text) == []
    found = []
    for executor in (None, Eager(1)):
        for number, name in enumerate(names):
            Path(name).write_text(f"{number},0,{names[max(0, number - 1)]}\n")
        result = scrub.run(text, names, executor=executor, host=Approving())
        assert [file.problem for file in result.files] == [None] * 12
        found.append(contents())
        scrub.undo()
    assert found[0] == found[1]
    assert found[0]["b11.csv"].startswith(b"11,111,")


CHAIN = """macro Chain
for workbook

number = cell("A1").value
if number is 0
    cell("B1").value = 100
else
    before = open(cell("C1").value)
    in before
        last = cell("B1").value
    end
    cell("B1").value = last + 1
end
"""


def test_two_files_that_make_the_same_name_get_two(home: Path) -> None:
    found = []
    for executor in (None, Eager(5)):
        for folder in ("a", "b", "c"):
            notices(3, folder)
        shutil.rmtree("out", ignore_errors=True)
        names = [f"{folder}/n000{number}.txt" for folder in "abc" for number in range(3)]
        result = scrub.run(SPACES, names, into="out", executor=executor)
        found.append(([file.saved_as for file in result.files], contents("out")))
    assert found[0] == found[1]
    assert len(found[0][1]) == 9


def test_two_mailboxes_that_move_messages_into_one_lose_none(home: Path) -> None:
    found = []
    for executor in (None, Eager(2)):
        for name in ("one.mbox", "two.mbox"):
            shutil.copyfile(next(DEMO.glob("*.mbox")), name)
        Path("all.mbox").unlink(missing_ok=True)
        result = scrub.run(
            macro('each message\nmove to: "all.mbox"\nend', "mailbox"), ["one.mbox", "two.mbox"],
            executor=executor, host=Approving(),
        )  # fmt: skip
        assert [file.problem for file in result.files] == [None, None]
        found.append(contents())
    assert found[0] == found[1]
    assert found[0]["all.mbox"].count(b"\nMessage-ID") > 1


def test_a_script_that_is_not_guarded_is_not_run_again_by_its_workers(home: Path) -> None:
    notices(20)
    Path("script.py").write_text(
        'import scrub\nprint("begun")\n'
        f'result = scrub.run({SPACES!r}, ["archive/*.txt"], jobs=2)\nprint(result.number, len(result.files))\n'
    )
    found = subprocess.run([sys.executable, "script.py"], text=True, capture_output=True, check=False)
    assert (found.stdout, found.stderr) == ("begun\n1 20\n", "")
    assert [record.number for record in scrub.history()] == [1]


# -- group commit


def test_many_files_share_what_the_disk_waits_for(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    syncs = 0
    sync = os.fsync

    def counted(handle: int) -> None:
        nonlocal syncs
        syncs += 1
        sync(handle)

    names = notices(96)
    monkeypatch.setattr(os, "fsync", counted)
    monkeypatch.setattr("scrub.runner.saver._PATIENCE", 600.0)
    scrub.run(SPACES, names)
    assert syncs <= 1.3 * 96
    syncs = 0
    scrub.undo()
    assert syncs <= 1.5 * 96


def test_one_file_of_a_group_that_is_refused_stops_no_other(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from scrub.store.store import Store

    names = notices(20)
    save = Store.save_many

    def late(self: Store, *arguments: Any) -> Any:
        Path(names[7]).write_text("edited  meanwhile\n")
        return save(self, *arguments)

    monkeypatch.setattr(Store, "save_many", late)
    monkeypatch.setattr("scrub.runner.saver._PATIENCE", 600.0)
    result = scrub.run(SPACES, names)
    assert [file.path for file in result.files if file.problem] == [names[7]]
    assert "another program changed the file" in str(result.files[7].problem)
    assert Path(names[7]).read_text() == "edited  meanwhile\n"
    assert sum(path.read_text().count("  ") for path in map(Path, names)) == 1


@pytest.mark.parametrize("with_others", [False, True])
def test_the_first_file_that_fails_ends_the_run(with_others: bool, home: Path) -> None:
    names = notices(30)
    Path(names[4]).write_bytes(b"\xff\xfe\x00")
    bad = macro('if document.name is "n0004.txt"\nfail "no"\nend\nsingle-spaces', "document")
    result = scrub.run(bad, names, stop=True, executor=Eager() if with_others else None)
    assert [file.state for file in result.files] == ["changed"] * 4 + ["failed"] + ["not tried"] * 25
    assert sum("  " in Path(name).read_text("latin-1") for name in names) == 25


# -- workers that fail


@pytest.fixture
def deadly() -> Iterator[tuple[str, Any]]:
    """An action that ends the process, declared in a module."""
    before = list(OWN_ACTIONS)
    sys.modules.pop("deadly", None)
    importlib.import_module("deadly")
    yield OWN_ACTIONS[-1]
    OWN_ACTIONS[:] = before


@pytest.mark.usefixtures("deadly")
@pytest.mark.skipif(sys.platform == "win32", reason="no such signal")
def test_a_worker_that_dies_costs_only_its_own_file(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    names = notices(40)
    killer = macro('end-the-process when: "n0011"\nsingle-spaces', "document")
    result = scrub.run(killer, names, jobs=2)
    assert [file.path for file in result.files if file.problem] == [names[11]]
    assert "the process that worked on this file ended" in str(result.files[11].problem)
    assert [name for name in names if "  " in Path(name).read_text()] == [names[11]]
    assert [file.path for file in result.files] == names


@pytest.mark.usefixtures("deadly")
@pytest.mark.skipif(sys.platform == "win32", reason="no such signal")
def test_a_pool_of_somebody_else_that_breaks_ends_the_run(home: Path) -> None:
    """Nobody can start it again; what is saved by then stays, and the rest is done later."""
    import multiprocessing

    names = notices(40)
    killer = macro('end-the-process when: "n0020"\nsingle-spaces', "document")
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as executor:
        result = scrub.run(killer, names, executor=executor)
    assert "the workers cannot be reached any more (BrokenProcessPool" in result.ended
    states = Counter(file.state for file in result.files)
    assert states["changed"] + states["not done"] == 40
    assert states["changed"] == sum("  " not in Path(name).read_text() for name in names)
    assert scrub.recover() == []


def test_a_file_that_cannot_be_sent_again_is_prepared_here(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The worker fails, and then it turns out that it does not see the files, which are too big to be sent."""

    class Failing(Elsewhere):
        failures = 1

        def submit(self, function: Any, /, *arguments: Any, **named: Any) -> Any:
            if function.__name__ == "prepare" and self.failures:
                self.failures -= 1
                monkeypatch.setattr("scrub.runner.parallel.MOST_SENT", 1)
                future: Any = Future()
                future.set_exception(ConnectionError("away"))
                return future
            return super().submit(function, *arguments, **named)

    names = [str(Path(name).absolute()) for name in notices(8)]
    result = scrub.run(SPACES, names, executor=Failing(Path("archive")))
    assert Counter(file.state for file in result.files) == {"changed": 8}


def test_workers_that_lose_and_repeat_lose_and_repeat_nothing(home: Path) -> None:
    names = notices(portion(600, 120))
    executor = Unreliable(4, lost=0.1, twice=0.1)
    result = scrub.run(SPACES, names, executor=executor)
    assert executor.lost
    assert executor.twice
    failed = [file for file in result.files if file.problem]
    assert all("the worker failed" in str(file.problem) for file in failed)
    assert len(failed) < len(names) // 4
    assert [name for name in names if "  " in Path(name).read_text()] == [file.path for file in failed]


class _Away(Eager):
    """A scheduler that goes away after some tasks."""

    def __init__(self, tasks: int) -> None:
        super().__init__()
        self.left = tasks

    def submit(self, function: Any, /, *arguments: Any, **named: Any) -> Any:
        def away(*given: Any) -> Any:
            self.left -= 1
            if self.left < 0:
                raise ConnectionError("the scheduler is away")
            return function(*given)

        away.__name__ = function.__name__
        return super().submit(away, *arguments, **named)


def test_a_scheduler_that_disappears_leaves_nothing_half_done(home: Path, cli: Cli) -> None:
    names = notices(100)
    executor = _Away(4)
    executor._max_workers = 1
    result = scrub.run(SPACES, names, executor=executor)
    assert "the workers cannot be reached any more (ConnectionError: the scheduler is away)" in result.ended
    states = Counter(file.state for file in result.files)
    assert states["changed"] == sum("  " not in Path(name).read_text() for name in names) > 0
    assert states["changed"] + states["not done"] == 100
    assert result.exit_code == 1
    assert f"{states['not done']} not done" in cli("history").out
    told = cli("run", "--continue", result.number)
    assert told.code == 0, told
    assert not any("  " in Path(name).read_text() for name in names)
    assert "not done" not in cli("history").out
    scrub.undo(result.number)
    assert all("  " in Path(name).read_text() for name in names)


class _Changed(Eager):
    """Workers that are not like this process."""

    def __init__(self, **change: str) -> None:
        super().__init__()
        self._change = change

    def submit(self, function: Any, /, *arguments: Any, **named: Any) -> Any:
        def changed(data: bytes) -> bytes:
            line, _, _ = function(data).partition(b"\n")
            return json.dumps(json.loads(line) | self._change).encode() + b"\n"

        return super().submit(changed if function.__name__ == "handshake" else function, *arguments, **named)


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"version": "9.9"}, "the workers have another version: Scrub 9.9 there, 0.1.0 here"),
        ({"vocabulary": "x"}, "the workers know other words than this process"),
        ({"problem": "the module huts with actions is missing there"}, "the module huts with actions is missing there"),
        ({"misses": ["seal.png"]}, "do not see files that belong to the macro: seal.png"),
    ],
)
def test_a_worker_of_another_sort_is_refused_at_the_start(change: dict[str, str], told: str, home: Path) -> None:
    names = notices(20)
    before = contents()
    with pytest.raises(scrub.BadCall, match=re.escape(told)):
        scrub.run(SPACES, names, executor=_Changed(**change))
    assert contents() == before


def test_passwords_never_travel_with_a_ticket(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    class Spying(Eager):
        def submit(self, function: Any, /, *arguments: Any, **named: Any) -> Any:
            assert all(b"stove-pipe" not in each for each in arguments)
            return super().submit(function, *arguments, **named)

    for number in range(3):
        shutil.copyfile(SAMPLE, f"{number}.xlsx")
    seal = 'macro Seal it\nfor workbook\ncode = secret("hut-code")\neach sheet\nprotect password: code\nend\n'
    names = [f"{number}.xlsx" for number in range(3)]
    answers = {"code": scrub.Secret("stove-pipe")}
    with pytest.raises(
        scrub.BadCall,
        match="the workers lack a password, which is never sent to them. Set there: SCRUB_SECRET_HUT_CODE",
    ):
        scrub.run(seal, names, answers=answers, executor=Spying())
    monkeypatch.setenv("SCRUB_SECRET_HUT_CODE", "stove-pipe")
    result = scrub.run(seal, names, answers=answers, executor=Spying())
    assert [file.state for file in result.files] == ["changed"] * 3
    scrub.undo()
    monkeypatch.delenv("SCRUB_SECRET_HUT_CODE")
    result = scrub.run(seal, names, answers=answers, jobs=2)  # processes of this machine get it when they start
    assert [file.state for file in result.files] == ["changed"] * 3
    assert not [path for path in home.rglob("*") if path.is_file() and b"stove-pipe" in path.read_bytes()]


def test_files_that_workers_do_not_see_are_sent(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    names = notices(20)
    before = contents()
    one = scrub.run(SPACES, names)
    after = contents()
    scrub.undo()
    monkeypatch.setattr("scrub.runner.parallel.MOST_SENT", 12)  # some are too big for that
    Path(names[3]).write_text("3  kg and so much more\n")
    Path(names[3]).write_bytes(before[names[3]])
    two = scrub.run(SPACES, [str(Path(name).absolute()) for name in names], executor=Elsewhere(Path("archive")))
    assert [file.state for file in two.files] == [file.state for file in one.files]
    assert contents() == after


def test_actions_of_ones_own_go_by_the_name_of_their_module(home: Path, deadly: tuple[str, Any]) -> None:
    """A script's own are refused: no worker can import them."""
    names = notices(10)
    kind, function = deadly
    module = function.__module__
    assert module == "deadly"
    function.__module__ = "__main__"
    try:
        with pytest.raises(scrub.BadCall, match="Put them into a module, which workers import"):
            scrub.run(SPACES, names, executor=Eager())
    finally:
        function.__module__ = module
    assert kind == "document"
    assert importlib.import_module(module)


@pytest.mark.parametrize("executor", ["x", 7, object(), Path("."), [Eager()]])
def test_what_is_no_executor_is_refused(executor: Any, home: Path) -> None:
    with pytest.raises(scrub.BadCall, match=r"is not an executor: it has no submit\(\)"):
        scrub.run(SPACES, notices(3), executor=executor)


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--jobs", "0"), "0 processes cannot do anything"),
        (("--jobs", "10000"), "10,000 processes cannot be used here. Choose a number from 1 to"),
        (("--jobs", "many"), '"many" is not a number of processes'),
        (("--jobs", "-1"), "not a number of processes"),
        (("--executor", "huts"), '"huts" names no executor'),
        (("--executor", "no_such_module:x"), "the module cannot be imported"),
        (("--executor", "os:nothing"), 'the module has no "nothing"'),
        (("--executor", "os:sep"), "neither an executor nor a function that gives one"),
        (("--executor", "os:getcwd"), "the function gives a str, not an executor"),
        (("--executor", "workers:Elsewhere"), "no executor could be made (TypeError"),
        (("--continue", "1"), "takes the macro and the files of that run"),
    ],
)
def test_a_call_that_makes_no_sense_is_told(words: Sequence[str], told: str, home: Path, cli: Cli) -> None:
    Path("spaces.scrub").write_text(SPACES)
    found = cli("run", "spaces.scrub", *notices(3), *words)
    assert found.code == 2
    assert told in found.err
    assert "Traceback" not in found.err


def test_what_one_process_does_by_nature_says_so(home: Path, cli: Cli) -> None:
    Path("all.scrub").write_text('macro All\nfor all document\nsay "all"\n')
    found = cli("run", "all.scrub", *notices(3), "--jobs", "2")
    assert found.code == 0, found
    assert "Done in one process: the macro works on all files together." in found.err
    shutil.copyfile(next(DEMO.glob("*.sqlite")), "huts.sqlite")
    Path("base.scrub").write_text('macro Base\nfor database\nsay "x"\n')
    found = cli("run", "base.scrub", "huts.sqlite", "--jobs", "2")
    assert "Done in one process: databases and servers are worked on by one process." in found.err


# -- stopped, crashed, continued


def _heeding_ctrl_c() -> None:
    """What a shell starts in the background ignores Ctrl+C, and so would all that these tests start then."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


def test_ctrl_c_leaves_each_file_old_or_new_and_says_how_many_are_done(home: Path) -> None:
    names = notices(400)
    Path("slow.scrub").write_text("macro Slow\nfor document\nn = 0\n30000 times\nn = n + 1\nend\nsingle-spaces\n")
    words = [sys.executable, "-m", "scrub", "run", "slow.scrub", "archive/*.txt"]
    for more in ([], ["--jobs", "2"]):
        run = subprocess.Popen(
            [*words, *more], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, preexec_fn=_heeding_ctrl_c
        )
        until = time.monotonic() + 300
        while time.monotonic() < until and all("  " in Path(name).read_text() for name in names):
            time.sleep(0.02)
        run.send_signal(signal.SIGINT)
        out, err = run.communicate(timeout=300)
        done = sum("  " not in Path(name).read_text() for name in names)
        assert 0 < done < 400, (out, err)
        assert "Traceback" not in err
        assert f"Stopped. Done: {done} of 400 files." in err, (out, err)
        number = scrub.history()[0].number
        assert f"To do the rest: scrub run --continue {number}" in err
        assert scrub.recover() == []
        result = scrub.continue_run(number)
        assert (result.number, len(result.files)) == (number, 400 - done)
        assert not any("  " in Path(name).read_text() for name in names)
        record = scrub.changes(number)
        assert (record.file_count, record.changes, record.left) == (400, 400, 0)
        assert Counter(file.path for file in record.files) == Counter(str(Path(name).resolve()) for name in names)
        scrub.undo(number)
        assert all("  " in Path(name).read_text() for name in names)


KILLED = """
import os, signal, sys
import scrub.store.disk as module
left = int(sys.argv[1])
real = module.Disk.rename
def rename(self, old, new):
    global left
    real(self, old, new)
    left -= 1
    if left == 0:
        os.kill(os.getpid(), signal.SIGKILL)
module.Disk.rename = rename
import scrub
scrub.run(sys.argv[2], sys.argv[3:], answers={"word": "kilos"})
"""


@pytest.mark.parametrize("renames", [2, 20, 40, 75])
def test_a_run_that_crashed_goes_on_where_it_was(renames: int, home: Path) -> None:
    text = macro('word = ask("Word")\nreplace "kg", by: word\nlog "x"', "document", "Words")
    names = notices(70)
    found = subprocess.run([sys.executable, "-c", KILLED, str(renames), text, *names], capture_output=True, check=False)
    assert found.returncode == -signal.SIGKILL, found
    number = scrub.history()[0].number
    scrub.recover()
    done = sum("kilos" in Path(name).read_text() for name in names)
    Path(names[0]).write_text("edited since\n")
    before = scrub.changes(number)
    assert before.left == 70 - done
    assert before.title == "Words"
    if done < 70:
        assert len(scrub.continue_run(number).files) == 70 - done
    assert [Path(name).read_text() for name in names[1:]] == [f"{n}  kilos\n" for n in range(1, 70)]
    assert Path(names[0]).read_text() == ("edited since\n")
    with pytest.raises(scrub.BadCall, match=f"all files of run {number} are done"):
        scrub.continue_run(number)


def test_files_that_failed_are_done_when_the_run_is_continued(home: Path, cli: Cli) -> None:
    shutil.copyfile(SAMPLE, "a.xlsx")
    Path("b.xlsx").write_bytes(b"no")
    Path("ask.scrub").write_text(macro('which = ask("Which")\nin sheet(which)\nsheet.hidden = no\nend'))
    assert cli("run", "ask.scrub", "a.xlsx", "b.xlsx", "--with", "which=Lists").code == 1
    Path("ask.scrub").write_text("macro Other\nfor workbook\nsay 1\n")  # the text of that run is what counts
    failed = cli("run", "--continue", "1")
    assert failed.code == 1
    assert "not an office file" in failed.err
    shutil.copyfile(SAMPLE, "b.xlsx")
    done = cli("run", "--continue", "1")
    assert done.code == 0, done
    assert 'Continuing run 1, "Test": 1 file of 2 left.' in done.err
    assert "All files of run 1 are done" in cli("run", "--continue", "1").err
    assert "No run 9" in cli("run", "--continue", "9").err
    assert [record.number for record in scrub.history()] == [1]
    assert "2 changes" in cli("history").out
    scrub.undo()
    assert Path("b.xlsx").read_bytes() == Path("a.xlsx").read_bytes() == SAMPLE.read_bytes()
    assert "run 1 was undone" in cli("run", "--continue", "1").err.lower()


def test_the_record_of_a_run_that_is_damaged_cannot_be_continued(home: Path, cli: Cli) -> None:
    scrub.run(SPACES, notices(3))
    path = home / "runs" / "1" / "run.json"
    for damage in (
        "{}",
        "[]",
        "",
        '{"files": [{"file": 7}], "answers": {}, "macro": "x", "path": "", "into": 7}',
        '{"files": 1}',
    ):
        path.write_text(damage)
        told = cli("run", "--continue", "1")
        assert told.code in (1, 2), damage
        assert "Traceback" not in told.err
        assert cli("history").code == 0
        assert cli("changes", "1").code == 0


# -- names, lists, lines


def test_files_by_pattern_and_list(home: Path, cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    Path("spaces.scrub").write_text(SPACES)
    for folder in ("archive", "archive/2025", "archive/2026/july"):
        Path(folder).mkdir(parents=True, exist_ok=True)
        notices(3, folder)
    every = sorted(str(path) for path in Path("archive").rglob("*.txt"))
    assert sorted(scrub.expanded(["archive/**/*.txt"])) == every
    assert scrub.expanded(["archive/**/*.txt"], ["n0001.txt", "archive/2026/**"]) == [
        "archive/2025/n0000.txt", "archive/2025/n0002.txt", "archive/n0000.txt", "archive/n0002.txt",
    ]  # fmt: skip
    odd = "archive/a [b] \u00fc.txt"
    Path(odd).write_text("a  b\n")
    for separator, name in (("\n", "list.txt"), ("\0", "nul.txt"), ("\r\n", "crlf.txt")):
        Path(name).write_text(separator.join([*every[:2], odd, ""]), newline="")
        found = cli("run", "spaces.scrub", "--from-list", name, "--json", "--preview", "--except", "*0001.txt")
        lines = [json.loads(line) for line in found.out.splitlines()]
        assert [line["file"] for line in lines[:-1]] == [every[0], odd]
        assert lines[-1]["states"] == {"changed": 2}
    nothing = cli("run", "spaces.scrub", "archive/*.docx")
    assert (nothing.code, nothing.err) == (1, "No file matches archive/*.docx\n")
    Path("big.txt").write_text("x" * 10_000_000)
    big = cli("run", "spaces.scrub", "--from-list", "big.txt")
    assert (big.code, big.err) == (
        2,
        "big.txt: line 1 has 10,000,000 characters, too many for a path. Write one path per line\n",
    )
    Path("none.txt").write_text("\n\n")
    assert "no paths found" in cli("run", "spaces.scrub", "--from-list", "none.txt").err
    assert "cannot be read" in cli("run", "spaces.scrub", "--from-list", "missing.txt").err


def test_each_file_is_a_line_of_json_as_it_is_done(home: Path, cli: Cli) -> None:
    Path("spaces.scrub").write_text(SPACES)
    names = notices(15)
    Path(names[4]).write_text("x")
    Path(names[5]).unlink()
    lines = [json.loads(line) for line in cli("run", "spaces.scrub", *names, "--json").out.splitlines()]
    assert [line["file"] for line in lines[:-1]] == names
    assert [line["state"] for line in lines[3:6]] == ["changed", "unchanged", "failed"]
    assert lines[-1] == {
        "run": 1, "title": "Spaces", "preview": False, "ended": None,
        "states": {"changed": 13, "unchanged": 1, "failed": 1},
    }  # fmt: skip


def test_what_is_kept_of_very_many_files_is_the_same(home: Path) -> None:
    """Above a hundred, changes are packed once a file is done."""
    few, many = notices(20), notices(120, "more")
    one, two = scrub.run(SPACES, few), scrub.run(SPACES, many)
    assert two.files[3].effects == []
    told = json.dumps([file.as_dict() for file in two.files[:20]]).replace("more/", "archive/")
    assert json.loads(told) == [file.as_dict() for file in one.files]
    assert [file.overview for file in two.files[:20]] == [file.overview for file in one.files]
    assert [str(each) for each in two.files[7].changes] == [str(each) for each in one.files[7].changes]


def test_the_list_of_runs_reads_no_file_of_any_run(home: Path, cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    from scrub.store.disk import Disk

    for turn in range(3):
        scrub.run(SPACES.replace("Spaces", f"Spaces {turn}"), notices(40))
    read: list[str] = []
    real = Disk.read

    def noted(self: Disk, path: str, *rest: int) -> bytes:
        read.append(os.path.basename(path))
        return real(self, path, *rest)

    monkeypatch.setattr(Disk, "read", noted)
    assert "Spaces 2  40 changes  n0000.txt, n0001.txt and 38 more" in cli("history").out
    assert Counter(read) == {"summary.json": 3}
    read.clear()
    scrub.undo()
    assert all(
        name in ("run.json", "summary.json", "1.json", "33.json", "1.undo", "33.undo", "turn-1.json", "turn-2.json")
        for name in read
    )
    assert "undone" in cli("history").out


def test_the_page_of_very_many_files_shows_the_first_and_counts_the_rest(home: Path, cli: Cli) -> None:
    scrub.run(SPACES, notices(230))
    assert cli("changes", "--to", "page.html").code == 0
    page = Path("page.html").read_text()
    assert "230 changes in 230 of 230 files" in page
    assert page.count("<h2 id=") == page.count('<li><a href="#file-') == 200
    assert "30 more files</summary>" in page
    assert "scrub changes 1 --to changes.csv" in page
    told = cli("changes").out
    assert told.count("paragraph 1") == 50
    assert "180 more files; show all with --all, or as a page: --to FILE.html" in told


@pytest.mark.parametrize("jobs", [1, 3])
def test_undo_with_some_threads(jobs: int, home: Path, cli: Cli) -> None:
    names = notices(70)
    before = contents("archive")
    scrub.run(SPACES, names)
    after = contents("archive")
    assert cli("undo", "--jobs", jobs).code == 0
    assert contents("archive") == before
    assert cli("undo", "--redo", "--jobs", jobs).code == 0
    assert contents("archive") == after
    assert "cannot be used here" in cli("undo", "--jobs", 5000).err
    assert "0 processes" in cli("undo", "--jobs", 0).err


# -- a cluster that was never there


class _Tickets:
    """What `ParallelRun` needs of a runner, for files that are only numbers."""

    def __init__(self) -> None:
        self.options = scrub.RunOptions()
        self.again = 0

    def tell(self, prepared: Prepared) -> None: ...

    def in_turn(self, path: str, saver: Saver) -> Prepared:
        self.again += 1
        return prepared_of(path)

    @staticmethod
    def not_tried(path: str, problem: scrub.ScrubError | None = None) -> Prepared:
        file = FileResult(path)
        file.problem = problem
        return Prepared([file], [], [])


def prepared_of(path: str) -> Prepared:
    file = FileResult(path)
    file.unpack(PackedChanges(0, 0, b""), Overview())
    return Prepared([file], [], [])


def _ticket(data: bytes) -> bytes:
    return dump([prepared_of(path) for path in load(data).paths])


def _greeting(data: bytes) -> bytes:
    told = {"version": "1", "vocabulary": "v", "problem": "", "lacks": [], "sees": True, "misses": [], "sizes": []}
    return json.dumps(told).encode() + b"\n"


_greeting.__name__ = "handshake"


class Slow(Unreliable):
    """Some tasks take a hundred times as long: they are done a hundred askings later."""

    def work(self) -> None:
        late = [each for each in self._waiting if self._draw.random() < 0.02]
        self._waiting = [each for each in self._waiting if each not in late]
        super().work()
        self._waiting += late
        super().work()


def test_over_very_many_tickets_nothing_is_lost_and_nothing_done_twice(home: Path) -> None:
    count = portion(100_000) if portion(5) == 5 else 4_000
    paths = [os.path.realpath(f"t{number}") for number in range(count)]
    executor = Slow(11, lost=0.02, twice=0.01)
    about = About("1", "v", [], {})
    program = scrub.program(SPACES)
    done: list[str] = []
    saver = Saver(RunResult("Spaces", True), None, None, lambda file: done.append(file.path), dict, False)
    pool = WorkerPool(executor, 10, _greeting, _ticket, about)
    work = work_of(program, scrub.RunOptions(), 1, {}, False, "", about)
    parallel = ParallelRun(_Tickets(), saver, pool, work, lambda done: None)
    parallel.handshake()
    with claiming(set()):
        parallel.run(paths)
    saver.flush()
    assert done == paths
    assert executor.lost > count // 8 * 0.005
    assert executor.twice
    failed = [file for file in saver.result.files if file.problem is not None]
    assert len(failed) < count * 0.002 + 5


def test_a_packet_that_was_cut_is_noticed() -> None:
    data = dump([prepared_of("a")])
    draw = random.Random(1)
    from scrub.runner.serialization import load as loaded

    assert loaded(data)[0].files[0].path == "a"
    for _ in range(50):
        with pytest.raises((ValueError, KeyError, TypeError, IndexError)):
            loaded(data[: draw.randrange(len(data) - 1)])
    with pytest.raises((ValueError, KeyError, TypeError)):
        load(b'{"sizes": [3]}\nab')
    assert Ticket._fields == ("work", "paths", "sent")
    assert callable(pool_for(scrub.RunOptions(jobs=2), About("1", "v", [], {})))
