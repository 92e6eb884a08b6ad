"""The Python API against macros, and data frames against pandas: `python bench/python_api.py [TURNS]`.

CPU seconds of whole processes, the least of some turns side by side.
"""

from __future__ import annotations

import resource
import subprocess
import sys
from pathlib import Path

DATA = Path(__file__).parent / "data"

HEAD = "import sys, scrub\n"
LOOPS = {
    "add up a column": (
        """
n = 0
each sheet
    each record
        n = n + record.nights
    end
end
log "{n}"
""",
        """
def run(book: scrub.Workbook) -> None:
    n = 0
    for sheet in book.sheets():
        for record in sheet.records():
            n += record.number("nights")
    scrub.log(str(n))
""",
    ),
    "set a value in 11%": (
        """
each sheet
    each record
        if record.nights > 7
            record.note = "late"
        end
    end
end
""",
        """
def run(book: scrub.Workbook) -> None:
    for sheet in book.sheets():
        for record in sheet.records():
            if record.number("nights") > 7:
                record["note"] = "late"
""",
    ),
    "three conditions, two of them on text, then set": (
        """
each sheet
    each record
        if record.nights > 3 and record.hut is "larch" and record.guest starts with "guest 4"
            record.note = "late"
        end
    end
end
""",
        """
from scrub.words import same, starts_with
def run(book: scrub.Workbook) -> None:
    for sheet in book.sheets():
        for record in sheet.records():
            few = record.number("nights") > 3 and same(record["hut"], "larch")
            if few and starts_with(record["guest"], "guest 4"):
                record["note"] = "late"
""",
    ),
}
FRAME = (
    HEAD
    + """
with scrub.open(sys.argv[1]) as book:
    print(sum(len(sheet.as_table().to_frame()) for sheet in book.item.sheets()))
"""
)
PANDAS = """
import sys, pandas
sheets = pandas.read_excel(sys.argv[1], sheet_name=None, engine="calamine")
print(sum(map(len, sheets.values())))
"""


def seconds(code: str, path: Path) -> float:
    """The CPU seconds of a process."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run([sys.executable, "-c", code, str(path)], check=True, stdout=subprocess.DEVNULL)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def compared(name: str, ours: str, theirs: str, path: Path, turns: int) -> None:
    """Prints the least of both, and their ratio."""
    found = [(seconds(ours, path), seconds(theirs, path)) for _ in range(turns)]
    one, other = min(each for each, _ in found), min(each for _, each in found)
    print(f"{name}: {one:.2f} s, {other:.2f} s, {one / other:.2f} times")


def main() -> None:
    """Measures on the workbook of 240,000 records, which `bench.py` makes."""
    turns = int(sys.argv[1]) if len(sys.argv) > 1 else 4
    path = DATA / "big.xlsx"
    for name, (body, function) in LOOPS.items():
        text = f"macro Bench\nfor workbook\n{body}\n"
        run = "result = scrub.run({}, [sys.argv[1]], preview=True)\nassert result.exit_code == 0\n"
        compared(name, HEAD + function + run.format("run"), HEAD + run.format(repr(text)), path, turns)
    compared("240,000 x 7 to frames, against pandas with calamine", FRAME, PANDAS, path, turns)


if __name__ == "__main__":
    main()
