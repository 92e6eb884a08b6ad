"""An action of one's own: declared in Python, used in a macro, previewed and undone like any other.

python examples/own_action.py WORKBOOK
"""

from __future__ import annotations

import sys

import scrub


@scrub.action("workbook")
def show_only(workbook: scrub.Workbook, beginning: str) -> None:
    """Shows the sheets whose names begin with a text, and hides all others.

    beginning: what the names begin with.
    Example: show-only "Larch"
    Also: filter sheets, hide others
    """
    chosen = [sheet for sheet in workbook.sheets() if sheet.name.lower().startswith(beginning.lower())]
    for sheet in chosen:
        sheet.hidden = False
    for sheet in workbook.sheets():
        sheet.hidden = sheet not in chosen


if __name__ == "__main__":
    result = scrub.run('macro Only Larch\nfor workbook\nshow-only "Larch"\n', sys.argv[1:])
    for file in result.files:
        print(file.problem or f"{file.path}: {len(file.changes)} changes")
    sys.exit(result.exit_code)
