"""What files of one extreme shape cost: `python bench/sizes.py [WORD]` prints the table of `docs/limits.md`.

Each row is one whole process on one file of the shape: CPU seconds, and the most memory it had.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from extremes import SHAPES, Shape

SCRUB = str(Path(sys.executable).with_name("scrub"))


def _size(path: Path) -> int:
    """The size of a file in bytes; of a package, that of what it contains."""
    if not zipfile.is_zipfile(path):
        return path.stat().st_size
    with zipfile.ZipFile(path) as package:
        return sum(each.file_size for each in package.infolist())


def measured(shape: Shape, folder: Path) -> tuple[float, float, str, int]:
    """CPU seconds, megabytes and the last line of one run, and the size of its file in bytes."""
    made = folder / shape.name
    shape.make(made, shape.times)
    size = _size(made)
    macro = folder / "macro.scrub"
    macro.write_text(f"macro Extreme\nfor {shape.kind}\n{shape.lines}")
    home = folder / "home"
    environment = {**os.environ, "SCRUB_HOME": str(home), "PYTHONDONTWRITEBYTECODE": ""}
    out = folder / "out"
    with open(out, "w") as sink:
        words = ["timeout", "120", SCRUB, "run", str(macro), str(made)]
        process = subprocess.Popen(words, stdout=sink, stderr=sink, env=environment)
        used = os.wait4(process.pid, 0)[2]
    said = [line for line in out.read_text().splitlines() if line.strip()]
    shutil.rmtree(home, ignore_errors=True)
    kept = next((line for line in said if "aved" in line or "Nothing" in line), said[-1] if said else "?")
    return used.ru_utime + used.ru_stime, used.ru_maxrss / 1024, kept.strip(), size


def rows(word: str) -> Iterator[str]:
    """The rows of the table whose shape has the word."""
    for shape in SHAPES:
        if word in shape.says or word in shape.name:
            with tempfile.TemporaryDirectory() as folder:
                seconds, megabytes, said, size = measured(shape, Path(folder))
            yield f"| {shape.says} | {size / 1e6:.1f} MB | {seconds:.1f} s | {megabytes:.0f} MB | {said} |"


def main() -> int:
    """Prints the table."""
    print("| file | size | time | memory | it said |\n| --- | --- | --- | --- | --- |")
    for row in rows(sys.argv[1] if len(sys.argv) > 1 else ""):
        print(row, flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
