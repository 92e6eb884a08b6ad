"""Takes the pictures in docs/screenshots: each main command in a terminal window, on the sample data. That of an editor
is taken by hand.

Needs Xvfb, xterm, xdotool, ImageMagick's `import`, Chromium, openbox and pcmanfm. Run it after a change of what is
printed: `make screenshots`.
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

#: Two copies of the season book.
WEEKS = [f"cp kestrel-ridge/season-book.xlsx 'kestrel-ridge/{name}.xlsx'" for name in ("Week 1", "Week 2 (50%)")]
#: Those on a dark ground, and those of a page, in which each key is a command.
DARK, PAGES = ("choose",), ("choose", "review")

#: Each picture: what is done before it is taken, and the commands that are seen, each typed at a prompt.
PICTURES = {
    "demo": ([], ["scrub demo"]),
    "inside": (["scrub demo", "scrub run lock.scrub kestrel-ridge/season-book.xlsx"],
               ["cd kestrel-ridge", "scrub inside season-book.xlsx | head -22",
                "scrub run ../set.scrub season-book.xlsx --all",
                "scrub inside season-book.xlsx --formulas | head -4"]),
    "macros": (["scrub demo", "scrub add mine.scrub"], ["scrub macros --for kestrel-ridge/bookings.mbox"]),
    "run": (["scrub demo", "cp kestrel-ridge/season-book.xlsx kestrel-ridge/copy.xlsx",
             "echo no > kestrel-ridge/broken.xlsx"],
            ["cd kestrel-ridge", 'scrub run "tidy the" supply-list.xlsx',
             "scrub run split season-book.xlsx copy.xlsx broken.xlsx"]),
    "many": (["scrub demo", "scrub undo", "mkdir many",
              "for n in $(seq -w 12); do cp kestrel-ridge/season-book.xlsx many/week-$n.xlsx; done",
              "scrub run lock.scrub many/week-07.xlsx", ": > many/week-13.xlsx", "echo no > many/week-14.xlsx"],
             ['scrub run "show every" "many/*.xlsx" --jobs 2', "cp kestrel-ridge/season-book.xlsx many/week-14.xlsx",
              "scrub run --continue 3", "scrub history"]),
    "undo": (["scrub demo", "scrub run seal kestrel-ridge/season-book.xlsx"],
             ["cd kestrel-ridge", "scrub history", "scrub changes 1", "scrub undo", "scrub undo --redo"]),
    "database": (["scrub demo", 'cd kestrel-ridge && scrub approve "export the unpaid" --yes'],
                 ["cd kestrel-ridge", "scrub inside huts.sqlite | head -4",
                  'scrub run "mark who" huts.sqlite --preview | head -5',
                  'scrub run "clear old" huts.sqlite --with limit=2023-07-01', "scrub undo",
                  'scrub run "export the unpaid" huts.sqlite']),
    "mail": (["scrub demo", 'cd kestrel-ridge && scrub approve "pass it on" --yes',
              'cd kestrel-ridge && scrub approve "collect the route" --yes'],
             ["cd kestrel-ridge", 'scrub run "pass it on" water.eml --with who=ben@birch.example',
              'scrub run "clean the sub" bookings.mbox --at "messages 2-6, flagged"',
              'scrub run "collect the route" bookings.mbox']),
    "documents": (["scrub demo", "cd kestrel-ridge && scrub approve 'a letter' --yes"],
                  ["cd kestrel-ridge", 'scrub run "keep numbers" house-rules.docx',
                   'scrub run "swap the" house-rules.docx --at "paragraph 2"', "scrub run repair notice.txt",
                   'scrub run "a letter" bookings.csv']),
    "check": ([], ["scrub check slips.scrub"]),
    "learn": (["scrub demo", "scrub undo"],
              ["cd kestrel-ridge", "scrub learn season-book.xlsx by-hand/season-book.xlsx"]),
    "try": (["scrub demo", "scrub undo"], ["scrub try kestrel-ridge/season-book.xlsx"]),
    "choose": (["scrub demo", "scrub undo", *WEEKS, 'scrub pin "sort out" p', "scrub pin seal s"],
               ["cd kestrel-ridge", 'scrub "Week 1.xlsx" "Week 2 (50%).xlsx" supply-list.xlsx']),
    "review": (["scrub demo", "scrub undo"], ["cd kestrel-ridge", 'scrub run "sort out" season-book.xlsx --review']),
    "show": ([], ['scrub show "mark who"', 'scrub show "mark who" --as-python']),
}  # fmt: skip

#: What is typed while a command asks, and the pause before each line, in seconds.
TYPED = {
    "try": ["each sheet where sheet.hidden", "sheet.hidden = no", "end", 'in sheet("Totals")', "protect allow: [sort]",
            "sheet.hiden = yes", "end", "back", "steps", 'keep "Show the huts"', "write"],
    "choose": ["sort out", "enter"],
    "learn": ["Remind who has not paid"],
    "review": ["y", "n"],
}  # fmt: skip
MINE = """macro Show the huts
about Shows the hut sheets only.
for   workbook
group Season books

each sheet
    sheet.hidden = not (sheet.name ends with "Hut")
end
"""


def lay_out(folder: Path) -> dict[str, str]:
    """Puts the macros of the pictures into a folder; gives the environment in which commands run there."""
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    (folder / "slips.scrub").write_text(SLIPS)
    (folder / "lock.scrub").write_text('macro Lock\nfor workbook\nin sheet("Totals")\nprotect\nend\n')
    (folder / "mine.scrub").write_text(MINE)
    set_nights = 'macro Stay longer\nfor workbook\nin cell("Larch Hut!C4")\ncell.value = 9\nend\n'
    (folder / "set.scrub").write_text(set_nights)
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    return {
        **os.environ, "DISPLAY": DISPLAY, "PATH": path, "SCRUB_HOME": str(folder / ".scrub"),
        "SCRUB_SECRET_SHEET_CODE": "larch", "PAGER": "cat",
    }  # fmt: skip


def take(name: str, before: list[str], seen: list[str]) -> None:
    """Takes one picture."""
    folder = Path(tempfile.gettempdir()) / "kestrel"
    environment = lay_out(folder)
    for command in before:
        subprocess.run(command, shell=True, cwd=folder, env=environment, check=True, stdout=subprocess.DEVNULL)
    script = "\n".join(f"printf '\\033[1m$ %s\\033[0m\\n' '{command}'; {command}; echo" for command in seen)
    (folder / "seen.sh").write_text(f"clear; printf '\\033[?25l'\n{script}\ntouch {folder}/done\nsleep 30\n")
    words = [
        "xterm",
        "-geometry",
        "100x40+0+0",
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        "11",
        "-bg",
        "#1b1f20" if name in DARK else "#fbfaf7",
        "-fg",
        "#dde2e0" if name in DARK else "#222222",
    ]
    if name in DARK:  # the red of most terminals with a dark ground
        words += ["-xrm", "XTerm*color1: #ff6b5e", "-xrm", "XTerm*color9: #ff6b5e"]
    words += ["-xrm", "XTerm*internalBorder: 16", "-xrm", "XTerm*colorBDMode: false"]
    window = subprocess.Popen([*words, "-e", "bash", "seen.sh"], cwd=folder, env=environment)
    time.sleep(2)
    subprocess.run(["xdotool", "mousemove", "100", "100"], env=environment, check=True)
    for line in TYPED.get(name, ()):
        if name in PAGES:
            key = ["key", "Return"] if line == "enter" else ["type", "--delay", "60", line]
            subprocess.run(["xdotool", *key], env=environment, check=True)
            time.sleep(2)
            continue
        subprocess.run(["xdotool", "type", "--delay", "15", line], env=environment, check=True)
        subprocess.run(
            ["xdotool", "key", "Escape"] if name == "try" and line else ["true"], env=environment, check=True
        )
        time.sleep(0.2)
        subprocess.run(["xdotool", "key", "Return"], env=environment, check=True)
        time.sleep(1.2)
    waited = 0.0
    while not (folder / "done").exists() and waited < 8 and name not in TYPED:
        time.sleep(0.1)
        waited += 0.1
    time.sleep(0.8)
    picture = str(TARGET / f"{name}.png")
    subprocess.run(["import", "-window", "root", "-trim", "+repage", picture], env=environment, check=True)
    window.terminate()
    window.wait()
    _cut(picture)
    shutil.rmtree(folder)


def _cut(picture: str) -> None:
    """Cuts what is empty below the text off; the width stays."""
    shown = subprocess.run(
        ["convert", picture, "-fuzz", "4%", "-format", "%w %@", "info:"], check=True, capture_output=True, text=True
    ).stdout
    width, box = shown.split()
    height, top = int(box.split("x")[1].split("+")[0]), int(box.split("+")[2])
    size = f"{width}x{top + height + 16}+0+0"
    subprocess.run(["convert", picture, "-crop", size, "+repage", picture], check=True)


def take_file_manager() -> None:
    """Takes the picture of the window that the file manager opens, in front of the files that were selected."""
    folder = Path(tempfile.gettempdir()) / "kestrel"
    environment = {**lay_out(folder), "XDG_DATA_HOME": f"{folder}/.data", "XDG_CONFIG_HOME": f"{folder}/.config"}
    (folder / "huts").mkdir()
    commands = [
        "scrub demo", "scrub undo", *WEEKS, "mv kestrel-ridge/Week* huts", "cp kestrel-ridge/bookings.csv huts",
        "scrub pin 'sort out' p --in-files",
        "scrub settings terminal 'xterm -geometry 84x26-20-20 -fa DejaVuSansMono -fs 11 -e'",
    ]  # fmt: skip
    for command in commands:
        subprocess.run(command, shell=True, cwd=folder, env=environment, check=True, stdout=subprocess.DEVNULL)
    manager = subprocess.Popen(["openbox"], env=environment, stderr=subprocess.DEVNULL)
    words = ["dbus-run-session", "--", "pcmanfm", str(folder / "huts")]
    files = subprocess.Popen(words, env=environment, stderr=subprocess.DEVNULL)
    time.sleep(4)
    found = subprocess.run(["xdotool", "search", "--name", "huts"], env=environment, capture_output=True, text=True)
    window = found.stdout.split()[-1]
    for words in (
        ["windowmove", window, "20", "20"], ["mousemove", "--window", window, "300", "330", "click", "1"],
        ["key", "ctrl+a"], ["key", "Menu"], ["key", "Down"], ["key", "Down"], ["key", "Return"],
    ):  # fmt: skip
        subprocess.run(["xdotool", *words], env=environment, check=True)
        time.sleep(0.8)
    time.sleep(3)
    subprocess.run(["import", "-window", "root", str(TARGET / "file-manager.png")], env=environment, check=True)
    for process in (files, manager):
        process.terminate()
        process.wait()
    subprocess.run(["pkill", "-f", "scrub-window"], check=False)
    shutil.rmtree(folder)


def take_page() -> None:
    """Takes the picture of the page of a run, in a browser."""
    folder = Path(tempfile.gettempdir()) / "kestrel"
    environment = lay_out(folder)
    for command in (
        "scrub demo", 'scrub run "tidy the" kestrel-ridge/supply-list.xlsx', "scrub changes --to page.html",
    ):  # fmt: skip
        subprocess.run(command, shell=True, cwd=folder, env=environment, check=True, stdout=subprocess.DEVNULL)
    page = folder / "page.html"
    page.write_text(page.read_text().replace(f"{folder}/", ""))
    browser = ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars", "--window-size=1280,800"]
    quiet = ["--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"]
    subprocess.run(
        [*browser, *quiet, f"--user-data-dir={folder}/browser", f"--screenshot={TARGET / 'page.png'}", page.as_uri()],
        check=True, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    shutil.rmtree(folder)


def take_pages() -> None:
    """A route card before and after it is sealed and numbered, as pdftoppm draws it."""
    from PIL import Image

    folder = Path(tempfile.mkdtemp())
    environment = lay_out(folder)
    commands = ["scrub demo", "cp kestrel-ridge/route-cards.pdf before.pdf"]
    for title in ("stamp the route", "number the pages"):
        commands += [
            f'scrub approve "{title}" --yes',
            f'cd kestrel-ridge && scrub run "{title}" route-cards.pdf --into ../done',
        ]
        commands += ["cp done/route-cards.pdf kestrel-ridge/route-cards.pdf", "rm -r done"]
    for command in commands:
        subprocess.run(command, shell=True, cwd=folder, env=environment, check=True, stdout=subprocess.DEVNULL)
    picture = Image.new("RGB", (1280, 800), (226, 228, 230))
    for side, name in enumerate(("before.pdf", "kestrel-ridge/route-cards.pdf")):
        words = ["pdftoppm", "-r", "64.9", "-f", "2", "-l", "2", "-png", name, f"page{side}"]
        subprocess.run(words, cwd=folder, check=True)
        (drawn,) = folder.glob(f"page{side}*.png")
        picture.paste(Image.open(drawn), (68 + 608 * side, 20))
    picture.save(TARGET / "pages.png", optimize=True)
    shutil.rmtree(folder)


def main(names: list[str]) -> None:
    """Takes the pictures with these names, or all."""
    TARGET.mkdir(parents=True, exist_ok=True)
    if not names or "page" in names:
        take_page()
    if not names or "pages" in names:
        take_pages()
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    time.sleep(1)
    try:
        for name in names or PICTURES:
            if name in PICTURES:
                take(name, *PICTURES[name])
        if not names or "file-manager" in names:
            take_file_manager()
    finally:
        screen.terminate()


if __name__ == "__main__":
    main(sys.argv[1:])
