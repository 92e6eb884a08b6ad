"""A real cluster on this machine: a scheduler and two workers of Dask, which are ended in the middle of runs."""

from __future__ import annotations

import contextlib
import signal
import subprocess
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import distributed
import pytest
import servers
from conftest import FOR_EVER
from test_examples import run_example
from test_many_files import SPACES, contents, kept, notices

import scrub

pytestmark = [pytest.mark.servers, pytest.mark.timeout(FOR_EVER)]


class Cluster(NamedTuple):
    address: str
    scheduler: subprocess.Popen[bytes]
    workers: list[subprocess.Popen[bytes]]


def start(*words: str, log: Path) -> subprocess.Popen[bytes]:
    with log.open("wb") as stream:
        return subprocess.Popen([sys.executable, "-m", *words], stdout=stream, stderr=stream)


@pytest.fixture
def cluster(tmp_path: Path, home: Path) -> Iterator[Cluster]:
    port = servers._free_port()
    address = f"tcp://127.0.0.1:{port}"
    words = ("distributed.cli.dask_scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard")
    scheduler = start(*words, log=tmp_path / "scheduler.log")
    running = [scheduler]
    try:
        servers._wait(port, scheduler)
        workers = [
            start(
                "distributed.cli.dask_worker", address, "--nthreads", "1", "--no-dashboard", "--no-nanny",
                log=tmp_path / f"worker{number}.log",
            )
            for number in range(2)
        ]  # fmt: skip
        running += workers
        yield Cluster(address, scheduler, workers)
    finally:
        for process in reversed(running):
            process.kill()
            process.wait()


@contextlib.contextmanager
def executor_of(cluster: Cluster, workers: int = 2) -> Iterator[Any]:
    with distributed.Client(cluster.address, set_as_default=False, timeout=60) as client:
        client.wait_for_workers(workers, timeout=120)
        yield client.get_executor(pure=False)


def test_a_cluster_gives_the_same_as_one_process(cluster: Cluster) -> None:
    names = notices(60)
    one = scrub.run(SPACES, names)
    after, record = contents("archive"), kept()
    scrub.undo()
    with executor_of(cluster) as executor:
        two = scrub.run(SPACES, names, executor=executor, jobs=2)
    assert [file.as_dict() for file in two.files] == [file.as_dict() for file in one.files]
    assert contents("archive") == after
    assert kept() == record
    scrub.undo()
    found = run_example("run_on_a_cluster.py", cluster.address, _saved(), "archive/*.txt")
    assert found.returncode == 0, found.stderr
    assert found.stdout == "60 changed\n"
    assert contents("archive") == after


def _saved() -> str:
    Path("spaces.scrub").write_text(SPACES)
    return "spaces.scrub"


SLOW = SPACES.replace("single-spaces", "n = 0\n20000 times\nn = n + 1\nend\nsingle-spaces")


def test_a_worker_that_is_ended_costs_no_file(cluster: Cluster) -> None:
    names = notices(80)
    ended: list[int] = []

    def report(file: scrub.FileResult) -> None:
        if not ended:
            cluster.workers[0].send_signal(signal.SIGKILL)
            ended.append(cluster.workers[0].wait())

    with executor_of(cluster) as executor:
        result = scrub.run(SLOW, names, executor=executor, jobs=2, report=report)
    assert ended
    assert Counter(file.state for file in result.files) == {"changed": 80}
    assert not any("  " in Path(name).read_text() for name in names)


def test_a_scheduler_that_is_ended_ends_the_run_and_it_goes_on_later(cluster: Cluster) -> None:
    names = notices(200)
    ended: list[int] = []

    def report(file: scrub.FileResult) -> None:
        if not ended:
            cluster.scheduler.send_signal(signal.SIGKILL)
            ended.append(cluster.scheduler.wait())

    with contextlib.suppress(Exception), executor_of(cluster) as executor:  # to close the client fails too
        result = scrub.run(SLOW, names, executor=executor, jobs=2, report=report)
    states = Counter(file.state for file in result.files)
    assert "the workers cannot be reached any more" in result.ended, result.ended
    assert states["changed"] == sum("  " not in Path(name).read_text() for name in names) > 0
    assert states["changed"] + states["not done"] == 200
    assert result.number is not None
    assert scrub.recover() == []
    rest = scrub.continue_run(result.number)
    assert Counter(file.state for file in rest.files) == {"changed": states["not done"]}
    assert not any("  " in Path(name).read_text() for name in names)
    scrub.undo(result.number)
    assert all("  " in Path(name).read_text() for name in names)


def test_a_file_that_ends_each_worker_is_told_in_the_end(cluster: Cluster, monkeypatch: pytest.MonkeyPatch) -> None:
    """A cluster whose workers are all gone does not answer: the run ends, and no file is half done."""
    names = notices(10)
    monkeypatch.setattr("scrub.runner.parallel._PATIENCE", 5.0)
    with executor_of(cluster) as executor:
        for worker in cluster.workers:
            worker.kill()
            worker.wait()
        result = scrub.run(SPACES, names, executor=executor, jobs=2)
    assert "no worker answered within 5 seconds" in result.ended
    assert all("  " in Path(name).read_text() for name in names)
