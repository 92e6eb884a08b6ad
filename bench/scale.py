"""Very many files, in whole processes: several processes, a cluster, small files, memory, and a long history.

    python bench/scale.py            all rows
    python bench/scale.py small      only the rows whose name has the word

Each side is done in turn with the other, and the medians are shown: wall time, and CPU seconds of all its processes.
"""

from __future__ import annotations

import os
import resource
import shutil
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import NamedTuple

import xlsxwriter

HERE = Path(__file__).parent
DATA = HERE / "data" / "scale"
SCRUB = str(Path(sys.executable).with_name("scrub"))

SHOW = "macro Show them\nfor workbook\neach sheet where sheet.hidden\nsheet.hidden = no\nend\n"
UPDATE = """macro Mark who stays long
for workbook
each sheet
    each record in sheet where record.nights >= 7
        record.paid = "late"
    end
end
"""
SPACES = "macro Single spaces\nfor document\nsingle-spaces\n"
POOL = """
import openpyxl, sys
from multiprocessing import Pool

def show(path):
    book = openpyxl.load_workbook(path)
    for sheet in book:
        sheet.sheet_state = "visible"
    book.save(path)

if __name__ == "__main__":
    with Pool(2) as pool:
        pool.map(show, sys.argv[1:], chunksize=8)
"""
#: Every sync takes so many seconds longer, as on a disk that turns.
DELAYED = """
import os, sys, time
real = os.fsync
def fsync(handle):
    time.sleep(0.004)
    real(handle)
os.fsync = fsync
sys.argv = ["scrub", *sys.argv[1:]]
from scrub.cli import main
main()
"""
CLUSTER = """
import sys
from dask.distributed import Client
import scrub
if __name__ == "__main__":
    with Client(sys.argv[1], set_as_default=False) as client:
        scrub.run(sys.argv[2], sys.argv[3:], executor=client.get_executor(pure=False), jobs=2)
"""


class Took(NamedTuple):
    """Wall and CPU seconds, and the largest memory of one process in MB."""

    wall: float
    cpu: float
    memory: float


def took(words: Sequence[str], home: str, **environment: str) -> Took:
    """What a call took, its own processes included."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    began = time.perf_counter()
    process = subprocess.Popen(
        words,
        stdout=subprocess.DEVNULL,
        env={**os.environ, "SCRUB_HOME": str(DATA / home), **environment},
    )
    _, status, usage = os.wait4(process.pid, 0)
    wall = time.perf_counter() - began
    if status:
        raise SystemExit(f"failed: {words[:4]}")
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu = (after.ru_utime + after.ru_stime) - (before.ru_utime + before.ru_stime)
    return Took(wall, cpu, usage.ru_maxrss / 1024)


def median(every: Sequence[Took]) -> Took:
    return Took(*(statistics.median(each[place] for each in every) for place in range(3)))


def shown(name: str, sides: dict[str, Callable[[], Took]], turns: int) -> None:
    """Runs the sides in turn, and prints them, with ratios of the last to the first."""
    found: dict[str, list[Took]] = {side: [] for side in sides}
    for _ in range(turns):
        for side, run in sides.items():
            found[side].append(run())
    medians = {side: median(every) for side, every in found.items()}
    first = next(iter(medians.values()))
    for side, each in medians.items():
        ratio = f"{each.wall / first.wall:.2f} of its wall time, {each.cpu / first.cpu:.2f} of its CPU"
        print(
            f"{name}: {side}: {each.wall:.2f} s wall, {each.cpu:.2f} s CPU, {each.memory:.0f} MB; {ratio}", flush=True
        )


def book(path: Path, sheets: int, rows: int) -> None:
    """A season book: so many huts, two of them hidden."""
    made = xlsxwriter.Workbook(str(path))
    for number in range(sheets):
        sheet = made.add_worksheet(f"Hut {number}")
        if number in (1, 2):
            sheet.hide()
        sheet.write_row(0, 0, ["guest", "arrival", "nights", "price", "paid"])
        for row in range(1, rows):
            nights = (row * 7 + number) % 9
            sheet.write_row(
                row, 0, [f"Guest {row} of {number}", f"2026-07-{row % 28 + 1:02}", nights, 31.5 + row % 7, "no"]
            )
    made.close()


def copies(folder: str, count: int, source: Path) -> list[str]:
    """So many copies of a file, made anew."""
    where = DATA / folder
    shutil.rmtree(where, ignore_errors=True)
    where.mkdir(parents=True)
    names = [str(where / f"{number:05}{source.suffix}") for number in range(count)]
    for name in names:
        shutil.copyfile(source, name)
    return names


def written(name: str, text: str) -> str:
    path = DATA / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)
    return str(path)


def listed(names: Sequence[str]) -> str:
    """A list of files, for calls that are too long otherwise."""
    return written("list.txt", "\n".join(names))


def run(macro: str, names: Sequence[str], *more: str, home: str = "home") -> Took:
    shutil.rmtree(DATA / home, ignore_errors=True)
    return took([SCRUB, "run", macro, "--from-list", listed(names), *more], home)


def against_a_pool() -> None:
    source = DATA / "season.xlsx"
    DATA.mkdir(parents=True, exist_ok=True)
    book(source, 8, 340)
    pool, macro = written("pool.py", POOL), written("show.scrub", SHOW)
    print(f"a book of {source.stat().st_size // 1000} KB")
    shown(
        "1,000 workbooks, hidden sheets shown",
        {
            "openpyxl in a pool of two": lambda: took([sys.executable, pool, *copies("pool", 1_000, source)], "home"),
            "--jobs 2": lambda: run(macro, copies("pool", 1_000, source), "--jobs", "2"),
            "--jobs 1": lambda: run(macro, copies("pool", 1_000, source)),
        },
        1,
    )


def two_processes() -> None:
    source = DATA / "records.xlsx"
    DATA.mkdir(parents=True, exist_ok=True)
    book(source, 8, 251)
    macro = written("update.scrub", UPDATE)
    shown(
        "200 workbooks with 2,000 records each",
        {
            "--jobs 1": lambda: run(macro, copies("records", 200, source)),
            "--jobs 2": lambda: run(macro, copies("records", 200, source), "--jobs", "2"),
        },
        3,
    )


def on_a_cluster() -> None:
    """About thirty seconds of work on a scheduler and two workers that run already."""
    from servers import _free_port

    source = DATA / "records.xlsx"
    DATA.mkdir(parents=True, exist_ok=True)
    book(source, 8, 251)
    macro, script = written("update.scrub", UPDATE), written("cluster.py", CLUSTER)
    address = f"tcp://127.0.0.1:{(port := _free_port())}"
    module = [sys.executable, "-m"]
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    scheduler = ["distributed.cli.dask_scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"]
    started = [subprocess.Popen([*module, *scheduler], **quiet)]  # type: ignore[call-overload]
    time.sleep(3)
    for _ in range(2):
        words = ["distributed.cli.dask_worker", address, "--nthreads", "1", "--no-dashboard", "--no-nanny"]
        started.append(subprocess.Popen([*module, *words], **quiet))  # type: ignore[call-overload]
    time.sleep(5)
    count = 400

    def cluster() -> Took:
        shutil.rmtree(DATA / "home", ignore_errors=True)
        return took([sys.executable, script, address, macro, *copies("records", count, source)], "home")

    try:
        shown(
            f"{count} workbooks with 2,000 records each",
            {
                "--jobs 2": lambda: run(macro, copies("records", count, source), "--jobs", "2"),
                "two workers of Dask": cluster,
            },
            3,
        )
    finally:
        for process in started:
            process.kill()


def small_files() -> None:
    """Against another copy of the program, where BEFORE names its command."""
    source = DATA / "small.txt"
    DATA.mkdir(parents=True, exist_ok=True)
    source.write_text("6  kg of  flour\n" * 3)
    macro, delayed = written("spaces.scrub", SPACES), written("delayed.py", DELAYED)
    before = os.environ.get("BEFORE", "")

    def side(python: str, more: Sequence[str], count: int) -> Took:
        shutil.rmtree(DATA / "home", ignore_errors=True)
        return took([python, *more, "run", macro, *copies("small", count, source)], "home")

    for name, more, count in (("fast syncs", ["-m", "scrub"], 10_000), ("syncs of 4 ms more", [delayed], 1_000)):
        sides: dict[str, Callable[[], Took]] = {}
        if before:
            sides["before"] = lambda more=more, count=count: side(before, more, count)  # type: ignore[misc]
        sides["now"] = lambda more=more, count=count: side(sys.executable, more, count)  # type: ignore[misc]
        shown(f"{count:,} small files, one process, {name}", sides, 1)


def memory() -> None:
    small, records = DATA / "small.txt", DATA / "records.xlsx"
    DATA.mkdir(parents=True, exist_ok=True)
    small.write_text("6  kg of  flour\n" * 3)
    book(records, 8, 251)
    for name, macro, source, counts in (
        ("small files", written("spaces.scrub", SPACES), small, (1_000, 10_000)),
        ("books of 2,000 records", written("update.scrub", UPDATE), records, (100, 1_000)),
    ):
        for count in counts:
            for jobs in ("1", "2"):
                each = run(macro, copies("memory", count, source), "--jobs", jobs)
                print(f"memory, {count:,} {name}, --jobs {jobs}: {each.memory:.0f} MB, {each.wall:.1f} s", flush=True)


def history() -> None:
    """Ten runs over 10,000 files each, and one over one file."""
    source = DATA / "small.txt"
    DATA.mkdir(parents=True, exist_ok=True)
    macro = written("spaces.scrub", SPACES)
    shutil.rmtree(DATA / "long", ignore_errors=True)
    for turn in range(10):
        source.write_text(f"6  kg of  flour, {turn}\n" * 3)
        took([SCRUB, "run", macro, "--from-list", listed(copies("history", 10_000, source))], "long")
    (one,) = copies("one", 1, source)
    took([SCRUB, "run", macro, one], "long")
    for words in (["history"], ["changes"], ["changes", "3"], ["undo", "11"], ["undo", "11", "--redo"]):
        each = median([took([SCRUB, *words], "long") for _ in range(1 if words[0] == "undo" else 3)])
        print(
            f"100,000 files in the history, scrub {' '.join(words)}: {each.wall:.2f} s, {each.memory:.0f} MB",
            flush=True,
        )


ROWS = {
    "pool": against_a_pool,
    "processes": two_processes,
    "cluster": on_a_cluster,
    "small": small_files,
    "memory": memory,
    "history": history,
}

if __name__ == "__main__":
    sys.path.insert(0, str(HERE.parent / "tests"))
    for row, measure in ROWS.items():
        if len(sys.argv) < 2 or sys.argv[1] in row:
            measure()
