"""Macros in the menu of the file manager: the entries, the default programs, the window, and real file managers."""

from __future__ import annotations

import json
import os
import shutil
import signal
import stat
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from conftest import SAMPLE, Output, macro
from screens import Screen, pause, until

import scrub
import scrub.cli.window
from scrub import file_manager
from scrub.touch import terminals
from scrub.touch.mimeapps import Folders, Programs
from scrub.touch.send_to import shortcut_command

Cli = Callable[..., Output]
SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
ODD = ("Week 1 \"50%F\" $HOME; 'x'.xlsx", "Week\n2 %d `id`.xlsx", "-rf \\ %%.xlsx")


class Desktop:
    """The folders of a desktop of the test's own."""

    def __init__(self, root: Path) -> None:
        self.data, self.config, self.system = root / "data", root / "config", root / "system"
        self.programs = self.system / "applications"
        self.programs.mkdir(parents=True)
        self.config.mkdir()
        (self.system / "mime").mkdir()
        (self.system / "mime" / "subclasses").write_text("text/csv text/plain\ntext/markdown text/plain\n")

    def program(self, name: str, *types: str) -> None:
        """Another program that opens files of some types."""
        self.programs.joinpath(f"{name}.desktop").write_text(
            f"[Desktop Entry]\nType=Application\nName={name}\nExec=true %F\nMimeType={';'.join(types)};\n"
        )
        cache = self.programs / "mimeinfo.cache"
        before = cache.read_text() if cache.exists() else "[MIME Cache]\n"
        cache.write_text(before + "".join(f"{each}={name}.desktop;\n" for each in types))

    @property
    def chosen(self) -> Path:
        return self.config / "mimeapps.list"

    def entry(self, key: str) -> Path:
        return self.data / "applications" / f"scrub-pin-{key}.desktop"


@pytest.fixture
def desktop(home: Path, monkeypatch: pytest.MonkeyPatch) -> Desktop:
    found = Desktop(Path("desktop").resolve())
    for name, value in (
        ("XDG_DATA_HOME", found.data), ("XDG_CONFIG_HOME", found.config), ("XDG_DATA_DIRS", found.system),
        ("XDG_CONFIG_DIRS", found.system / "xdg"), ("XDG_CURRENT_DESKTOP", ""), ("XDG_RUNTIME_DIR", ""),
    ):  # fmt: skip
        monkeypatch.setenv(name, str(value))
    return found


def office(desktop: Desktop) -> None:
    """Programs for all files that workbook macros take."""
    desktop.program("calc", SHEET, "application/vnd.ms-excel.sheet.macroEnabled.12", "text/tab-separated-values")
    desktop.program("editor", "text/plain")


# -- the entries


def test_an_entry_is_valid_and_names_what_it_starts(desktop: Desktop, cli: Cli) -> None:
    office(desktop)
    shown = cli("pin", "sort out", "p", "--in-files")
    assert shown.out.splitlines() == [
        '"Sort out who pays" has the key p: scrub run p FILE',
        "In the file manager: select files, then Open With in their menu.",
    ]
    text = desktop.entry("p").read_text()
    assert text.startswith("[Desktop Entry]\nType=Application\nVersion=1.0\nName=Sort out who pays\n")
    assert f"scrub-window --home {os.environ['SCRUB_HOME']} -- p %F\n" in text
    assert f"MimeType={SHEET};" in text
    assert "NoDisplay=true" in text
    assert "in the file manager" in cli("pins").out
    if shutil.which("desktop-file-validate"):
        done = subprocess.run(["desktop-file-validate", desktop.entry("p")], capture_output=True, text=True)
        assert (done.returncode, done.stdout) == (0, "")
    cli("pin", "p", "--remove")
    assert not desktop.entry("p").exists()
    assert cli("pins", "--json").out.strip() == "[]"


@pytest.mark.parametrize("title", ['50% off; "x" $HOME `id` \\ %F', " Blank", "Tab\tand more", "Über 7 Tage"])
def test_titles_and_homes_of_every_sort_are_escaped(
    desktop: Desktop, title: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    odd = Path('ho me "50%" $x').resolve()
    monkeypatch.setenv("SCRUB_HOME", str(odd))
    office(desktop)
    home = scrub.home()
    entry = home.library.add(macro('in sheet("Lists")\nsheet.hidden = no\nend', title=title), "odd.scrub")
    home.pins.pin(entry.title, "ö/k%", ())
    file_manager.show_in_files(home, entry.title)
    (path,) = (desktop.data / "applications").glob("*.desktop")
    if shutil.which("desktop-file-validate"):
        done = subprocess.run(["desktop-file-validate", path], capture_output=True, text=True)
        assert (done.returncode, done.stdout) == (0, "")
    if shutil.which("gio"):
        told = subprocess.run(["gio", "mime", SHEET], capture_output=True, text=True).stdout
        assert path.name in told
    assert "%%" in path.read_text().split("Exec=")[1].splitlines()[0]


# -- the default programs


def test_no_default_program_is_replaced(desktop: Desktop, cli: Cli) -> None:
    office(desktop)
    desktop.chosen.write_text(
        f"# mine\n[Added Associations]\ntext/plain=editor.desktop;\n\n[Default Applications]\n{SHEET}=calc.desktop\n"
    )
    before = desktop.chosen.read_text()
    cli("pin", "sort out", "p", "--in-files")
    after = desktop.chosen.read_text()
    assert f"{SHEET}=calc.desktop" in after
    assert "text/csv=editor.desktop" in after  # through the type that it is a special case of
    assert [line for line in after.splitlines() if line in before.splitlines()] == before.splitlines()
    programs = Programs(Folders.of_person(), "scrub-pin-")
    assert programs.chosen(SHEET) == "calc.desktop"
    cli("pin", "seal", "s", "--in-files")
    assert desktop.chosen.read_text() == after
    cli("pin", "p", "--remove")
    assert desktop.chosen.read_text() == after  # the other one needs these lines
    cli("pin", "s", "--remove")
    assert desktop.chosen.read_text() == before


def test_a_choice_that_a_person_made_since_stays(desktop: Desktop, cli: Cli) -> None:
    office(desktop)
    desktop.program("other", SHEET)
    cli("pin", "sort out", "p", "--in-files")
    text = desktop.chosen.read_text()
    desktop.chosen.write_text(text.replace(f"{SHEET}=calc.desktop", f"{SHEET}=other.desktop"))
    cli("pin", "p", "--remove")
    assert desktop.chosen.read_text() == f"[Default Applications]\n{SHEET}=other.desktop\n"
    desktop.chosen.unlink()
    cli("pin", "sort out", "p", "--in-files")
    cli("pin", "p", "--remove")
    assert not desktop.chosen.exists()


@pytest.mark.skipif(not shutil.which("xdg-mime"), reason="xdg-mime is not installed")
def test_the_desktop_agrees_about_the_default(desktop: Desktop, cli: Cli) -> None:
    office(desktop)
    cli("pin", "sort out", "p", "--in-files")
    for mime, program in ((SHEET, "calc.desktop"), ("text/csv", "editor.desktop")):
        told = subprocess.run(["xdg-mime", "query", "default", mime], capture_output=True, text=True).stdout
        assert told.strip() == program


def test_where_nothing_else_opens_a_file_the_preview_is_told_and_never_left_out(desktop: Desktop, cli: Cli) -> None:
    shown = cli("pin", "sort out", "p", "--in-files")
    assert (
        "No other program opens .xlsx, .xlsm, .csv or .tsv here, so a double click will show this preview." in shown.out
    )
    refused = cli("pin", "show every", "s", "--in-files", "--without-asking")
    assert refused.code == 3
    assert "no other program opens .xlsx" in refused.err.lower()
    assert not desktop.entry("s").exists()


def test_without_asking_is_for_macros_that_need_nobody(desktop: Desktop, cli: Cli) -> None:
    office(desktop)
    for title, why in (("seal", "asks something"), ("a letter", "does more than change the selected files")):
        refused = cli("pin", title, "k", "--in-files", "--without-asking")
        assert (refused.code, why in refused.err) == (3, True), refused.err
    assert cli("pin", "show every", "s", "--in-files", "--without-asking").code == 0
    assert "without asking" in cli("pins").out
    assert cli("pin", "show every", "s", "--without-asking").code == 2
    assert "needs no file" in cli("pin", _without_file(), "n", "--in-files").err


def _without_file() -> str:
    return scrub.home().library.add(macro('say "x"', "nothing", "Says x"), "x.scrub").title


def test_a_key_a_label_and_a_title_go_along(desktop: Desktop, cli: Cli) -> None:
    office(desktop)
    scrub.home().library.add(macro('in sheet("Lists")\nsheet.hidden = no\nend', title="Show the lists"), "x.scrub")
    cli("pin", "show the lists", "l", "--in-files")
    cli("pin", "show the lists", "k")
    assert not desktop.entry("l").exists()
    assert "-- k %F" in desktop.entry("k").read_text()
    cli("pin", "show the lists", "k", "--label", "Lists!")
    assert "Name=Lists!" in desktop.entry("k").read_text()
    assert cli("rename", "show the lists", "Bring the lists back").code == 0
    pin, program = file_manager.pinned(scrub.home(), "k")
    assert (pin.title, program.title) == ("Bring the lists back", "Bring the lists back")


# -- the window


def test_a_macro_that_changed_since_is_not_run(desktop: Desktop, book: Path, cli: Cli) -> None:
    office(desktop)
    library = Path("joined")
    library.mkdir()
    text = macro('in sheet("Lists")\nsheet.hidden = no\nend', title="Show the lists")
    library.joinpath("lists.scrub").write_text(text)
    cli("library", "join", library)
    cli("pin", "show the lists", "l", "--in-files")
    library.joinpath("lists.scrub").write_text(text.replace("no", "yes"))
    with Screen(
        ["--answer", terminals.write_request({"key": "l", "files": [str(book.resolve())]})], program=WINDOW
    ) as screen:
        screen.wait('"Show the lists" was changed since you pinned it.', "Read it: scrub show l", "Enter close")
        screen.press("enter")
        assert screen.end() == 3
    assert book.read_bytes() == SAMPLE.read_bytes()


WINDOW = (sys.executable, "-m", "scrub.cli.window")


def test_the_window_shows_asks_saves_and_undoes(desktop: Desktop, home: Path, cli: Cli) -> None:
    office(desktop)
    cli("pin", "sort out", "p", "--in-files")
    names = []
    for name in ODD:
        Path(name).write_bytes(SAMPLE.read_bytes())
        names.append(str(Path(name).resolve()))
    Path("notice.txt").write_text("no workbook")
    path = terminals.write_request({"key": "p", "files": [*names, str(Path("notice.txt").resolve())]})
    assert stat.S_IMODE(Path(path).stat().st_mode) == 0o600
    with Screen(["--answer", path], columns=100, rows=40, program=WINDOW) as screen:
        shown = screen.wait("Sort out who pays  4 files in", "Apply 21 changes to 3 files?   y yes   n no   r review")
        assert "Left out: notice.txt:" in shown
        assert "Week{newline}2 %d `id`.xlsx  7 changes on 4 sheets" in shown
        assert not Path(path).exists()
        assert Path(ODD[0]).read_bytes() == SAMPLE.read_bytes()
        screen.press("y")
        screen.wait("Saved 3 files: 21 changes (run 1).", "u undo   Enter close")
        assert Path(ODD[1]).read_bytes() != SAMPLE.read_bytes()
        screen.press("u")
        screen.wait("Undone: run 1.")
        assert all(Path(name).read_bytes() == SAMPLE.read_bytes() for name in ODD)
        screen.press("enter")
        assert screen.end() == 0


def test_a_file_that_changed_since_its_preview_stays(desktop: Desktop, book: Path, cli: Cli) -> None:
    office(desktop)
    cli("pin", "sort out", "p", "--in-files")
    path = terminals.write_request({"key": "p", "files": [str(book.resolve())]})
    with Screen(["--answer", path], program=WINDOW) as screen:
        screen.wait("Apply 7 changes")
        book.write_bytes(b"another")
        screen.press("y")
        screen.wait("Nothing was saved.")
    assert book.read_bytes() == b"another"
    with Screen(["--answer", path], program=WINDOW) as screen:  # a request is used once
        screen.wait("Choose the macro again.")


def test_from_the_window_changes_are_reviewed(desktop: Desktop, book: Path, cli: Cli) -> None:
    office(desktop)
    cli("pin", "sort out", "p", "--in-files")
    with Screen(
        ["--answer", terminals.write_request({"key": "p", "files": [str(book.resolve())]})], program=WINDOW
    ) as screen:
        screen.wait("Apply 7 changes")
        screen.press("r")
        screen.wait("question 1 of 7")
        screen.press("n", "a")
        screen.wait("Saved 1 file: 6 changes, 1 refused (run 1).")


@pytest.fixture
def fake_programs(home: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder of programs that write down how they are called."""
    folder = Path("programs").resolve()
    folder.mkdir()
    monkeypatch.setenv("PATH", f"{folder}{os.pathsep}{os.path.dirname(sys.executable)}")
    return folder


def fake(folder: Path, name: str, says: str = "", code: int = 0) -> Path:
    calls = folder / f"{name}.calls"
    script = folder / name
    script.write_text(
        f"#!{sys.executable}\nimport json, sys\nopen({str(calls)!r}, 'a').write(json.dumps(sys.argv[1:]) + '\\n')\n"
        f"print({says!r})\nsys.exit({code})\n"
    )
    script.chmod(0o755)
    return calls


def calls_of(path: Path) -> list[list[str]]:
    until(path.exists)
    return [json.loads(line) for line in path.read_text().splitlines()]


def test_the_terminal_gets_a_plain_path_and_the_person_chooses_which(
    desktop: Desktop, book: Path, cli: Cli, fake_programs: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    office(desktop)
    cli("pin", "sort out", "p", "--in-files")
    notified = fake(fake_programs, "notify-send")
    assert scrub.cli.window.run(["p", str(book)]) == 1
    assert "No terminal found. Name one: scrub settings terminal xterm" in calls_of(notified)[0]
    xterm = fake(fake_programs, "xterm")
    Path(ODD[0]).write_bytes(SAMPLE.read_bytes())
    assert scrub.cli.window.run(["--", "p", ODD[0]]) == 0
    words = calls_of(xterm)[0]
    assert words[0] == "-e"
    assert words[-2] == "--answer"
    assert not any("Week" in word for word in words)
    assert json.loads(Path(words[-1]).read_text())["files"] == [str(Path(ODD[0]).resolve())]
    emulator = fake(fake_programs, "x-terminal-emulator")
    own = fake(fake_programs, "xfce4-terminal")
    standard = fake(fake_programs, "xdg-terminal-exec")
    for desktop_name, program, calls in (("", "x-terminal-emulator", emulator), ("XFCE", "xfce4-terminal", own)):
        (fake_programs / "xdg-terminal-exec").chmod(0o644)
        monkeypatch.setenv("XDG_CURRENT_DESKTOP", desktop_name)
        scrub.cli.window.run(["--", "p", str(book)])
        assert calls_of(calls), program
    (fake_programs / "xdg-terminal-exec").chmod(0o755)
    scrub.cli.window.run(["--", "p", str(book)])
    assert calls_of(standard)
    chosen = fake(fake_programs, "kitty")
    cli("settings", "terminal", "kitty --hold -e")
    scrub.cli.window.run(["--", "p", str(book)])
    assert calls_of(chosen)[0][:2] == ["--hold", "-e"]


def test_without_asking_a_notification_tells_and_undoes(
    desktop: Desktop, book: Path, cli: Cli, fake_programs: Path
) -> None:
    office(desktop)
    cli("pin", "sort out", "p", "--in-files", "--without-asking")
    calls = fake(fake_programs, "notify-send")
    assert scrub.cli.window.run(["--", "p", str(book)]) == 0
    assert book.read_bytes() != SAMPLE.read_bytes()
    words = calls_of(calls)[0]
    assert "--action=act=Undo" in words
    assert words[-2:] == ["Sort out who pays", "7 changes in 1 file saved."]
    scrub.undo()
    fake(fake_programs, "notify-send", "act")  # somebody presses the button
    scrub.cli.window.run(["--", "p", str(book)])
    assert book.read_bytes() == SAMPLE.read_bytes()
    assert calls_of(calls)[-1][-1] == "Undone: run 2."
    xterm = fake(fake_programs, "xterm")  # a file that was moved away: somebody has to look
    scrub.cli.window.run(["--", "p", str(book), "gone.xlsx"])
    assert calls_of(xterm)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_where_the_entry_is_the_default_it_asks_all_the_same(
    desktop: Desktop, book: Path, cli: Cli, fake_programs: Path
) -> None:
    office(desktop)
    cli("pin", "sort out", "p", "--in-files", "--without-asking")
    desktop.chosen.write_text(f"[Default Applications]\n{SHEET}=scrub-pin-p.desktop\n")
    xterm = fake(fake_programs, "xterm")
    scrub.cli.window.run(["--", "p", str(book)])
    assert calls_of(xterm)
    assert book.read_bytes() == SAMPLE.read_bytes()


def test_a_shortcut_for_windows_quotes_its_words() -> None:
    import base64

    *words, encoded = shortcut_command("C:\\It's.lnk", "C:\\scrub-window.exe", ["--", "ö %x"])
    script = base64.b64decode(encoded).decode("utf-16-le")
    assert words == ["powershell", "-NoProfile", "-NonInteractive", "-EncodedCommand"]
    assert "CreateShortcut('C:\\It''s.lnk')" in script
    assert "$s.Arguments = '-- \"ö %x\"'" in script


# -- real programs


@pytest.fixture(scope="module")
def screen_of_x() -> Iterator[dict[str, str]]:
    """A screen without a monitor, with a window manager."""
    needed = ("Xvfb", "xdotool", "xterm", "openbox", "dbus-run-session")
    if missing := [name for name in needed if not shutil.which(name)]:
        pytest.skip(f"not installed: {', '.join(missing)}")
    number = 90 + os.getpid() % 400
    environment = {**os.environ, "DISPLAY": f":{number}", "GVFS_DISABLE_FUSE": "1"}  # no mounts that outlive the test
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    server = subprocess.Popen(["Xvfb", f":{number}", "-screen", "0", "1280x800x24"], **quiet)  # type: ignore[call-overload]
    pause(1)
    manager = subprocess.Popen(["openbox"], env=environment, **quiet)  # type: ignore[call-overload]
    yield environment
    manager.kill()
    server.kill()
    manager.wait()
    server.wait()


def window(environment: dict[str, str], name: str) -> str:
    words = ["xdotool", "search", "--onlyvisible", "--name", name]
    found: list[str] = []

    def there() -> bool:
        found[:] = subprocess.run(words, env=environment, capture_output=True, text=True).stdout.split()
        return bool(found)

    until(there)
    return found[-1]


def press_until(environment: dict[str, str], at: str, key: str, done: Callable[[], bool]) -> None:
    """Presses a key until something is done: what is typed before the question is dropped."""

    def press() -> None:
        subprocess.run(["xdotool", "windowfocus", at, "key", key], env=environment, check=False)
        pause(0.7)

    until(done, press)


@pytest.mark.everything
@pytest.mark.parametrize("program", ["gtk-launch", "pcmanfm", "thunar"])
def test_a_real_file_manager_runs_a_macro_on_what_is_selected(
    desktop: Desktop, cli: Cli, screen_of_x: dict[str, str], monkeypatch: pytest.MonkeyPatch, program: str
) -> None:
    if not shutil.which(program):
        pytest.skip(f"{program} is not installed")
    monkeypatch.setenv("XDG_DATA_DIRS", f"{desktop.system}:/usr/share")
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(desktop.config))
    cli("settings", "terminal", "xterm -e")
    cli("pin", "sort out", "p", "--in-files")
    folder = Path("huts").resolve()
    folder.mkdir()
    files = [folder / name for name in ODD[:2]]
    for path in files:
        path.write_bytes(SAMPLE.read_bytes())
    (folder / "it's.csv").write_text("Guest,Nights\nAnn,1\n")
    environment = {**os.environ, **{name: screen_of_x[name] for name in ("DISPLAY", "GVFS_DISABLE_FUSE")}}
    words = (
        [program, "scrub-pin-p", *map(str, [*files, folder / "it's.csv"])]
        if program == "gtk-launch"
        else ["dbus-run-session", "--", program, str(folder)]
    )
    process = subprocess.Popen(
        words, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    try:
        if program != "gtk-launch":
            at = window(environment, "huts")
            pause(2)
            press = [
                "xdotool",
                "windowfocus",
                at,
                "mousemove",
                "--window",
                at,
                "300",
                "330",
                "click",
                "1",
                "key",
                "ctrl+a",
            ]
            subprocess.run(press, env=environment, check=True)
            pause(1)
            downs = ["Down", "Down"] if program == "pcmanfm" else ["Down"]
            for key in ("Menu", *downs, "Return"):
                subprocess.run(["xdotool", "key", key], env=environment, check=True)
                pause(0.6)
        at = window(environment, "scrub-window")
        press_until(environment, at, "y", lambda: all(path.read_bytes() != SAMPLE.read_bytes() for path in files))
        press_until(environment, at, "u", lambda: all(path.read_bytes() == SAMPLE.read_bytes() for path in files))
        subprocess.run(["xdotool", "windowfocus", at, "key", "Return"], env=environment, check=False)
        (record,) = scrub.history()
        assert {Path(path) for path in record.named(5)} >= set(files)
    finally:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()


@pytest.mark.everything
@pytest.mark.skipif(not shutil.which("gtk-launch"), reason="gtk-launch is not installed")
def test_a_thousand_files_arrive(desktop: Desktop, cli: Cli, screen_of_x: dict[str, str], fake_programs: Path) -> None:
    calls = fake(fake_programs, "xterm")
    cli("settings", "terminal", "xterm -e")
    cli("pin", "sort out", "p", "--in-files")
    Path("many").mkdir()
    files = [Path(f"many/n {number} %F.csv").resolve() for number in range(1000)]
    for path in files:
        path.write_text("Guest,Nights\nAnn,1\n")
    environment = {**os.environ, "DISPLAY": screen_of_x["DISPLAY"], "PATH": f"{fake_programs}:/usr/bin:/bin"}
    subprocess.run(["/usr/bin/gtk-launch", "scrub-pin-p", *map(str, files)], env=environment, check=True)
    request = json.loads(Path(calls_of(calls)[0][-1]).read_text())
    assert request["files"] == [str(path) for path in files]
