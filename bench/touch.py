"""What a person waits for: the chooser's first page, its keys, the first changes; and files in a watched folder.

python bench/touch.py            all of it
python bench/touch.py chooser    only the rows whose name has the word
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import statistics
import subprocess
import sys
import threading
import time
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent / "tests"))
WORK = HERE / "data" / "touch"
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)

from screens import Screen  # noqa: E402 - the path is set above

import scrub  # noqa: E402

DEMO = Path(scrub.__file__).parent / "demo"


def lay_out(macros: int) -> dict[str, str]:
    """A folder with a season book, and a library of some macros."""
    shutil.rmtree(WORK, ignore_errors=True)
    library = WORK / "home" / "library"
    library.mkdir(parents=True)
    shutil.copyfile(DEMO / "season-book.xlsx", WORK / "season-book.xlsx")
    examples = sorted((DEMO / "macros").glob("*.scrub"))
    for number in range(macros - len(examples)):
        source = examples[number % len(examples)]
        head, _, rest = source.read_text().partition("\n")
        (library / f"{number}.scrub").write_text(f"{head} {2021 + number // len(examples)}\n{rest}")
    os.chdir(WORK)
    return {"SCRUB_HOME": str(WORK / "home")}


def big_book() -> None:
    """20,800 records on four sheets, about 1 MB."""
    import xlsxwriter

    chance = random.Random(3)
    book = xlsxwriter.Workbook("big.xlsx")
    for hut in ("Larch Hut", "Kite Hut", "Sorrel Hut", "Tarn Hut"):
        sheet = book.add_worksheet(hut)
        headings = ["Guest", "Arrival", "Nights", "Guests", "Guest nights", "Price", "Paid", "Note"]
        sheet.write_row(2, 0, headings)
        for row in range(3, 5203):
            nights, guests = chance.randint(1, 9), chance.randint(1, 8)
            values = [f"Moss {chance.randint(1, 9999)}, Ann", 46200 + chance.randint(0, 80), nights, guests]
            values += [
                nights * guests,
                nights * guests * 14.5,
                chance.choice(["yes", "no"]),
                chance.choice([None, "late"]),
            ]
            sheet.write_row(row, 0, values)
    book.close()


def chooser_start() -> None:
    """From the command to its first page, with 300 macros."""
    environment = lay_out(300)
    times = []
    for _ in range(13):
        time.sleep(1.2)
        began = time.perf_counter()
        with Screen(["season-book.xlsx"], environment=environment) as screen:
            screen.wait("Find:")
            times.append(time.perf_counter() - began)
    print(f"chooser, first page, 300 macros: median {statistics.median(times):.2f} s, best {min(times):.2f} s")


def chooser_keys() -> None:
    """From a key to the screen while a preview works, and from a choice to its first changes."""
    environment = lay_out(70)
    slow = "macro A slow one\nfor workbook\nn = 0\n18000000 times\nn = n + 1\nend\n"
    (WORK / "home" / "library" / "slow.scrub").write_text(slow)
    big_book()
    times = []
    with Screen(["big.xlsx"], environment=environment) as screen:
        screen.wait("Find:")
        screen.press(*"a slow")
        screen.wait(">   A slow one")
        time.sleep(2)
        for _ in range(20):
            began = time.perf_counter()
            screen.press("x")
            screen.wait("Find: a slowx")
            times.append(1000 * (time.perf_counter() - began))
            screen.press("backspace")
            screen.wait("Find: a slow ", "A slow one")
            time.sleep(0.3)
    print(f"key to screen while a preview works: median {statistics.median(times):.0f} ms, most {max(times):.0f} ms")
    first, whole = [], []
    for _ in range(7):
        with Screen(["big.xlsx"], environment=environment) as screen:
            screen.wait("Find:")
            time.sleep(1.5)  # the process that waits is ready
            screen.press("s", "o", "r", "t", " ", "o", "u")
            began = time.perf_counter()
            screen.press("t")
            screen.wait("Larch Hut")
            first.append(time.perf_counter() - began)
            screen.wait("Preview  ", "changes")
            whole.append(time.perf_counter() - began)
    size = Path("big.xlsx").stat().st_size / 1e6
    print(
        f"first changes of a workbook of {size:.1f} MB, 20,800 records: median {statistics.median(first):.2f} s; "
        f"all: {statistics.median(whole):.2f} s"
    )


def watch_folder(count: int = 2000, kills: int = 10) -> None:
    """Files come, some slowly, some twice, while the watching process is killed again and again."""
    environment = {**os.environ, **lay_out(70)}
    spaces = "macro Single spaces\nfor document\nsingle-spaces\n"
    (WORK / "home" / "library" / "spaces.scrub").write_text(spaces)
    inbox = WORK / "Inbox"
    inbox.mkdir()
    words = [str(Path(sys.executable).with_name("scrub")), "watch", "Inbox", "single spaces", "--into", "Out"]
    chance = random.Random(7)

    def write() -> None:
        for number in range(count):
            with (inbox / f"n{number:04}.txt").open("w") as stream:
                stream.write(f"{number}  ")
                if number % 100 == 0:
                    stream.flush()
                    time.sleep(2.5)
                stream.write(" kg\n")
            if number % 21 == 0:
                (inbox / f"copy{number:04}.txt").write_text(f"{number}   kg\n")
            time.sleep(0.02)

    writer = threading.Thread(target=write)
    began = time.perf_counter()
    writer.start()
    with Path("log.txt").open("wb") as log:
        for _ in range(kills):
            process = subprocess.Popen(words, env=environment, stdout=log, stderr=log)
            time.sleep(6 + 6 * chance.random())
            process.send_signal(signal.SIGKILL)
            process.wait()
        process = subprocess.Popen(words, env=environment, stdout=log, stderr=log)
        writer.join()
        while any(inbox.glob("*.txt")):
            time.sleep(0.5)
        seconds = time.perf_counter() - began
        process.terminate()
        process.wait()
    os.environ.update(environment)
    results = [path.read_text().split()[0] for path in Path("Out").glob("*.txt")]
    lost = count - len(set(results))
    once = len(set(results))
    print(f"{count} files, {kills} kills: {once} done, {len(results) - once} twice, {lost} lost, {seconds:.0f} s")
    before = len(results)
    for number in range(200):
        (inbox / f"late{number}.txt").write_text(f"late {number}  kg\n")
    began = time.perf_counter()
    subprocess.run([*words, "--for", "0s"], env=environment, stdout=subprocess.DEVNULL, check=False)
    done = len(list(Path("Out").glob("*.txt"))) - before
    print(f"with {before} runs kept: {1000 * (time.perf_counter() - began) / max(1, done):.0f} ms a file")


if __name__ == "__main__":
    chosen = sys.argv[1:]
    for row in (chooser_start, chooser_keys, watch_folder):
        if not chosen or any(word in row.__name__ for word in chosen):
            row()
