"""Runs a macro on very many files, prepared by the workers of a Dask cluster and saved by this process.

python examples/run_on_a_cluster.py tcp://127.0.0.1:8786 "Show every hidden sheet" "archive/**/*.xlsx"
"""

from __future__ import annotations

import sys
from collections import Counter

from dask.distributed import Client

import scrub


def main(scheduler: str, title: str, pattern: str) -> int:
    with Client(scheduler, set_as_default=False) as client:
        workers = sum(client.nthreads().values())
        executor = client.get_executor(pure=False)  # a task that is repeated is a new one
        result = scrub.run(title, [pattern], executor=executor, jobs=max(2, workers))
    for state, count in Counter(file.state for file in result.files).items():
        print(f"{count:,} {state}")
    for file in result.files:
        if file.problem:
            print(f"  {file.path}: {file.problem}")
    if result.ended:
        print(f"{result.ended}. To do the rest: scrub run --continue {result.number}")
    return result.exit_code


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:4]))
