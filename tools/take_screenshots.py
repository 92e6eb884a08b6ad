"""Takes the pictures in docs/screenshots: each main command in a terminal window, on the sample data.

Needs Xvfb, xterm, xdotool and ImageMagick's `import`. Run it after a change of what is printed: `make screenshots`.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

TARGET = Path(__file__).parent.parent / "docs" / "screenshots"
DISPLAY = ":97"

SLIPS = """macro Seal the huts
for workbook

code = secret("sheet-code")
each sheet
    if sheet.name = "Totals"
        skip
    else if sheet.hiden
        sheet.hidden = no
    end
    protect password: code allow: [sort, filter]
    say "sealed " + sheet.name
"""

#: Each picture: what is done before it is taken, and the commands that are seen.
PICTURES = {
    "demo": ([], ["scrub demo"]),
    "inside": (["scrub demo", "scrub undo", "scrub run lock.scrub kestrel-ridge/season-book.xlsx"],
               ["cd kestrel-ridge", "scrub inside season-book.xlsx"]),
    "macros": (["scrub demo", "scrub add mine.scrub"], ["scrub macros"]),
    "show": ([], ["scrub show seal"]),
    "run-preview": (["scrub demo"], ["cd kestrel-ridge", "scrub run seal season-book.xlsx --preview"]),
    "run": (["scrub demo", "cp kestrel-ridge/season-book.xlsx kestrel-ridge/copy.xlsx",
             "echo no > kestrel-ridge/broken.xlsx"],
            ["cd kestrel-ridge", "scrub run seal season-book.xlsx copy.xlsx broken.xlsx"]),
    "undo": (["scrub demo", "scrub run seal kestrel-ridge/season-book.xlsx"],
             ["cd kestrel-ridge", "scrub history", "scrub changes 1", "scrub undo", "scrub undo --redo"]),
    "records": (["scrub demo"], ["cd kestrel-ridge", 'scrub run "tidy the" supply-list.xlsx | tail -18',
                                 "scrub changes | tail -11"]),
    "table-of-texts": (["scrub demo"], ["cd kestrel-ridge", "scrub inside bookings.csv", "scrub run mend bookings.csv",
                                        "scrub run seal bookings.csv"]),
    "selection": (["scrub demo"], ["cd kestrel-ridge", 'scrub run "centre titles" season-book.xlsx --at "Larch!A1:H1"',
                                   'scrub run "centre titles" season-book.xlsx --at "Kite!B1"',
                                   "scrub run dress season-book.xlsx --preview | head -12"]),
    "check": ([], ["scrub check slips.scrub"]),
    "catalog": ([], ["scrub catalog lock cells"]),
    "try": (["scrub demo", "scrub undo"], ["scrub try kestrel-ridge/season-book.xlsx < typed.txt"]),
    "step": (["scrub demo", "scrub undo"], ["scrub run ready kestrel-ridge/season-book.xlsx --step"]),
    "folder": (["mkdir -p papers", "touch papers/draft-1.txt papers/Draft-2.txt papers/notes.tmp papers/prices.txt"],
               ["scrub run sort.scrub papers --preview", "scrub approve sort.scrub --yes | tail -3",
                "scrub run sort.scrub papers", "scrub undo"]),
    "share": (["scrub demo", "scrub add mine.scrub"],
              ["scrub pin huts h", "scrub pins", "scrub pack huts out", "cd kestrel-ridge",
               "scrub embed huts season-book.xlsx", "scrub library", "scrub show huts --history", "scrub settings"]),
}  # fmt: skip


TYPED = """each sheet where sheet.hidden
    sheet.hidden = no
end
in sheet("Totals")
    protect allow: [sort]
end
each sheet
    sheet.hiden = yes
end
back
steps
keep "Show the huts"
write
"""
SORT = """macro Put drafts away
for   folder

each file where file.name starts with "draft"
    move to: "old/{today.year}"
end
each file where file.ending is "tmp"
    delete
end
"""


def take(name: str, before: list[str], seen: list[str]) -> None:
    """Takes one picture."""
    folder = Path(tempfile.gettempdir()) / "kestrel"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    (folder / "slips.scrub").write_text(SLIPS)
    (folder / "lock.scrub").write_text('macro Lock\nfor workbook\nin sheet("Totals")\nprotect\nend\n')
    (folder / "typed.txt").write_text(TYPED)
    (folder / "sort.scrub").write_text(SORT)
    (folder / "mine.scrub").write_text(
        "macro Show the huts\nabout Shows the sheets of the huts, and only these.\nfor workbook\ngroup Season books\n"
        'each sheet\n    sheet.hidden = not (sheet.name ends with "Hut")\nend\n'
    )
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    environment = {
        **os.environ, "DISPLAY": DISPLAY, "PATH": path, "SCRUB_HOME": str(folder / ".scrub"),
        "SCRUB_SECRET_SHEET_CODE": "larch", "PS1": "$ ",
    }  # fmt: skip
    for command in before:
        subprocess.run(command, shell=True, cwd=folder, env=environment, check=True, stdout=subprocess.DEVNULL)
    script = "\n".join(f"printf '\\033[1m$ %s\\033[0m\\n' '{command}'; {command}; echo" for command in seen)
    (folder / "seen.sh").write_text(f"clear\n{script}\ntouch {folder}/done\nsleep 30\n")
    words = [
        "xterm",
        "-geometry",
        "113x34+0+0",
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        "13",
        "-bg",
        "#fbfaf7",
        "-fg",
        "#222222",
    ]
    colours = ["-xrm", "XTerm*color6: #00727c", "-xrm", "XTerm*internalBorder: 16"]
    window = subprocess.Popen([*words, *colours, "-e", "bash", "seen.sh"], cwd=folder, env=environment)
    waited = 0.0
    while not (folder / "done").exists() and waited < 5:  # a command that asks is taken while it waits
        time.sleep(0.1)
        waited += 0.1
        if name == "step" and 1.5 < waited < 4:  # steps on, as a person would
            subprocess.run(["xdotool", "key", "Return"], env=environment, check=True)
            time.sleep(0.3)
            waited += 0.3
    time.sleep(0.7)
    subprocess.run(
        ["import", "-window", "root", "-trim", "+repage", str(TARGET / f"{name}.png")], env=environment, check=True
    )
    window.terminate()
    window.wait()
    shutil.rmtree(folder)


def main(names: list[str]) -> None:
    """Takes the pictures with these names, or all."""
    TARGET.mkdir(parents=True, exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1)
    try:
        for name in names or PICTURES:
            take(name, *PICTURES[name])
    finally:
        screen.terminate()


if __name__ == "__main__":
    main(sys.argv[1:])
