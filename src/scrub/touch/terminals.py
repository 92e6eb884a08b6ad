"""A terminal of the desktop, in which a macro shows what it would change; and notifications."""

from __future__ import annotations

import json
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from typing import Any

#: The terminals of desktops, by the word for the desktop, with what comes before the command.
_OF_DESKTOPS = {
    "gnome": (("kgx", "--"), ("gnome-terminal", "--")),
    "kde": (("konsole", "-e"),),
    "xfce": (("xfce4-terminal", "-x"),),
    "mate": (("mate-terminal", "-x"),),
    "lxqt": (("qterminal", "-e"),),
    "lxde": (("lxterminal", "-e"),),
}
#: Seconds for which a notification waits for its button.
_PATIENCE = 60


def terminal(chosen: str, command: Sequence[str]) -> list[str] | None:
    """The command in a terminal: the one that a person chose, or the first that is there; None where there is none."""
    if chosen:
        words = shlex.split(chosen)
        return [*words, *([] if len(words) > 1 else ["-e"]), *command]
    desktops = os.environ.get("XDG_CURRENT_DESKTOP", "").lower().split(":")
    known = [each for desktop in desktops for each in _OF_DESKTOPS.get(desktop, ())]
    for known_one in (("xdg-terminal-exec",), *known, ("x-terminal-emulator", "-e"), ("xterm", "-e")):
        if shutil.which(known_one[0]):
            return [*known_one, *command]
    return None


def write_request(request: dict[str, Any]) -> str:
    """Writes down what a terminal is to show, in a file that nobody else can read; gives its path. File names never
    pass a terminal: some would read them.
    """
    folder = os.environ.get("XDG_RUNTIME_DIR") or None
    if folder is not None and not os.path.isdir(folder):
        folder = None
    handle, path = tempfile.mkstemp(prefix="scrub-", suffix=".json", dir=folder)  # mode 0600
    with open(handle, "w", encoding="utf-8", errors="surrogateescape") as stream:
        json.dump(request, stream)
    return path


def read_request(path: str) -> dict[str, Any]:
    """Reads a request, once. Raises `OSError` or `ValueError` where it is gone or damaged."""
    with open(path, encoding="utf-8", errors="surrogateescape") as stream:
        found: dict[str, Any] = json.load(stream)
    os.unlink(path)
    return found


def notify(title: str, text: str, action: str = "") -> bool | None:
    """Shows a notification; with `action`, one with a button. Tells whether the button was pressed; None where no
    service shows notifications.
    """
    tool = shutil.which("notify-send")
    if tool is None:
        return None
    words = [tool, "--app-name=Scrub", *([f"--action=act={action}"] if action else []), "--", title, _as_text(text)]
    try:
        done = subprocess.run(words, check=False, capture_output=True, text=True, timeout=_PATIENCE)
    except subprocess.TimeoutExpired:
        return False
    return "act" in done.stdout.split() if done.returncode == 0 else None


def _as_text(text: str) -> str:
    """The body of a notification, in which `<` and `&` mean something (Desktop Notifications Specification)."""
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def start(words: Sequence[str]) -> None:
    """Starts a program that goes on independently."""
    options: dict[str, Any] = {} if sys.platform == "win32" else {"start_new_session": True}
    subprocess.Popen(list(words), stdin=subprocess.DEVNULL, **options)
