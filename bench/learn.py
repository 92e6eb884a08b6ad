"""How long it takes to learn a macro from two files: pairs of a few dozen records, and one of 20,000 in each format.

python bench/learn.py
"""

from __future__ import annotations

import csv
import datetime
import os
import random
import resource
import shutil
import statistics
import sys
import time
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent / "tests"))
WORK = HERE / "data" / "learn"
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
os.environ["SCRUB_HOME"] = str(WORK / "home")

import openpyxl  # noqa: E402 - the path is set above
from learn_jobs import JOBS, pair  # noqa: E402

import scrub  # noqa: E402

RECORDS = 20_000
HEADINGS = ["Guest", "Nights", "Arrival", "Paid", "Price", "Note"]


def stays(done: bool) -> list[list[Any]]:
    """Records with a note for those of five nights and more that are not paid, if that was done."""
    chance = random.Random(1)
    rows = []
    for _ in range(RECORDS):
        nights, paid = chance.randint(1, 7), chance.choice(["yes", "no"])
        arrival = datetime.datetime(2026, chance.randint(5, 9), chance.randint(1, 28))
        note = chance.choice([None, None, "late", "dog"])
        guest, price = f"Guest {chance.randint(1, 9000)}", chance.choice([12.5, 18, 22.75, 30])
        rows.append([guest, nights, arrival, paid, price, "remind" if done and nights > 4 and paid == "no" else note])
    return rows


def files(ending: str) -> tuple[str, str]:
    """The pair of many records."""
    for name, done in (("before", False), ("after", True)):
        path = WORK / f"{name}.{ending}"
        if ending == "xlsx":
            book: Any = openpyxl.Workbook(write_only=True)
            sheet = book.create_sheet("Stays")
            for row in [HEADINGS, *stays(done)]:
                sheet.append(row)
            book.save(path)
        else:
            with path.open("w", newline="") as stream:
                rows = ([*row[:2], row[2].date(), *row[3:]] for row in stays(done))
                csv.writer(stream).writerows([HEADINGS, *rows])
    return str(WORK / f"before.{ending}"), str(WORK / f"after.{ending}")


def seconds(before: str, after: str) -> float:
    """CPU seconds of one learning, which has to succeed."""
    start = time.process_time()
    learned = scrub.learn(before, after)
    assert learned.proved, learned.left
    return time.process_time() - start


def main() -> None:
    shutil.rmtree(WORK, ignore_errors=True)
    WORK.mkdir(parents=True)
    times = [seconds(*map(str, pair(name, WORK / name))) for name in JOBS]
    print(f"{len(times)} pairs: median {statistics.median(times):.2f} s, most {max(times):.2f} s")
    for ending in ("csv", "xlsx"):
        pair_of_files = files(ending)
        print(f"{RECORDS:,} records, .{ending}: {min(seconds(*pair_of_files) for _ in range(2)):.1f} s")
    print(f"memory: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")
    shutil.rmtree(WORK)


if __name__ == "__main__":
    main()
