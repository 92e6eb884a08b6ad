"""Seals every workbook of a folder, and reports what was done to each file.

SCRUB_SECRET_SHEET_CODE=… python examples/run_on_a_folder.py FOLDER
"""

from __future__ import annotations

import sys
from pathlib import Path

import scrub


def main(folder: str) -> int:
    books = [str(path) for path in sorted(Path(folder).glob("*.xlsx"))]
    preview = scrub.run("Seal every sheet", books, preview=True)
    print(f"{sum(len(file.changes) for file in preview.files)} changes in {len(books)} files:")
    result = scrub.run("Seal every sheet", books)
    for file in result.files:
        print(f"  {Path(file.path).name}: {file.problem or f'{len(file.changes)} sheets sealed'}")
    print(f"To take it all back: scrub undo {result.number}")
    return result.exit_code


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
