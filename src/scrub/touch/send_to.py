"""The menu "Send to" of Windows. A shortcut is used, as a batch file reads `%` in names. Not tried on that system."""

from __future__ import annotations

import base64
import os
import subprocess
from collections.abc import Sequence


def _path(title: str) -> str:
    name = "".join("_" if letter in '<>:"/\\|?*' else letter for letter in title).rstrip(". ")
    return os.path.join(os.environ.get("APPDATA", ""), "Microsoft", "Windows", "SendTo", f"{name}.lnk")


def put_in_send_to(title: str, program: str, key: str, home: str) -> None:
    """Makes a shortcut that starts a program with a key, and the selected files after it."""
    subprocess.run(
        shortcut_command(_path(title), program, ["--home", home, "--", key] if home else ["--", key]), check=True
    )


def remove_from_send_to(title: str) -> None:
    """Removes the shortcut."""
    if os.path.exists(_path(title)):
        os.unlink(_path(title))


def shortcut_command(path: str, program: str, words: Sequence[str]) -> list[str]:
    """The command that makes a shortcut; its script is passed encoded, so that nothing in it is read twice."""

    def text(value: str) -> str:
        return "'" + value.replace("'", "''") + "'"

    script = (
        "$s = (New-Object -ComObject WScript.Shell).CreateShortcut(" + text(path) + "); "
        "$s.TargetPath = " + text(program) + "; $s.Arguments = " + text(subprocess.list2cmdline(words)) + "; $s.Save()"
    )
    encoded = base64.b64encode(script.encode("utf-16-le")).decode()
    return ["powershell", "-NoProfile", "-NonInteractive", "-EncodedCommand", encoded]
