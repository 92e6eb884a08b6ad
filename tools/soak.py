"""Damaged inputs for as long as somebody has: `python tools/soak.py [MINUTES [SEED]]`. What is found is made again by
its number: `python tools/soak.py --again NUMBER`.
"""

from __future__ import annotations

import os
import signal
import sys
import tempfile
import time
import traceback
from contextlib import suppress
from itertools import islice
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))


#: Seconds of work after which an input counts as one without end.
_LONGEST = 120


class Stopped(BaseException):
    """Somebody wants to see what was found so far."""


class Endless(BaseException):
    """An input took too long; nothing that reads it takes this for a problem of its own."""


def _too_long(*_: object) -> None:
    raise Endless(f"no end after {_LONGEST} s")


def _stop(*_: object) -> None:
    raise Stopped


def main(words: list[str]) -> int:
    """Runs until the time is over; gives how many inputs broke something."""
    from fuzzing import TALLY, inputs

    again = int(words[1]) if words[:1] == ["--again"] else None
    minutes = float(words[0]) if words and again is None else 60
    seed = again if again is not None else int(words[1]) if len(words) > 1 else int(time.time()) * 1000
    found = done = 0
    table: dict[str, list[float]] = {}  # of each check: how many inputs, how many broke something, the longest
    signal.signal(signal.SIGPROF, _too_long)
    signal.signal(signal.SIGTERM, _stop)
    with suppress(Stopped, KeyboardInterrupt), tempfile.TemporaryDirectory() as folder:
        os.environ |= {"SCRUB_HOME": str(Path(folder) / "home"), "SCRUB_SECRET_DRAWN": "stove"}
        os.chdir(folder)
        until = time.monotonic() + minutes * 60
        for number, chance, check in islice(inputs(seed), 1 if again is not None else None):
            start, broke = time.process_time(), 0
            signal.setitimer(signal.ITIMER_PROF, _LONGEST)  # of its own work: whoever pauses the run makes no find
            try:
                check(chance, Path(folder))
            except (Exception, Endless) as error:
                found += 1
                broke = 1
                print(f"input {number}: {error!r}", flush=True)
                if again is not None:
                    traceback.print_exc()
            done += 1
            took = time.process_time() - start
            row = table.setdefault(check.__name__.removeprefix("check_"), [0, 0, 0.0])
            row[0], row[1], row[2] = row[0] + 1, row[1] + broke, max(row[2], took)
            if took > 10:
                print(f"input {number}: took {took:.0f} s", flush=True)
            if time.monotonic() > until:
                break
    print(f"\n{'attack on':<12}{'inputs':>10}{'broke something':>18}{'longest':>10}")
    for name, (count, broken, longest) in sorted(table.items()):
        print(f"{name:<12}{count:>10,.0f}{broken:>18,.0f}{longest:>8.1f} s")
    print("".join(f"{word}: {count:,}. " for word, count in sorted(TALLY.items())))
    print(f"{done:,} inputs from {seed} on, {found} broke something.")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
