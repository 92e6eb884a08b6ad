"""Names of files that Windows does not take, or takes for something else: a device, or a stream in another file."""

from __future__ import annotations

import re

from scrub.store.errors import StoreError

_DEVICE = re.compile(r"(?:CON|PRN|AUX|NUL|CONIN\$|CONOUT\$|(?:COM|LPT)[0-9\u00b9\u00b2\u00b3])(?:\.|$)", re.IGNORECASE)
_MARKS = re.compile(r'[<>:"|?*\x00-\x1f]')
_DRIVE = re.compile(r"^(?:[\\/]{2}[?.][\\/])?(?:[A-Za-z]:)?")


def windows_fault(path: str) -> str:
    """What Windows does not allow in a path, in words; nothing if it is fine."""
    for name in re.split(r"[\\/]+", _DRIVE.sub("", path, count=1)):
        if found := _MARKS.search(name):
            return f'"{found[0]}" in a file name' if found[0].isprintable() else "control characters in a file name"
        if name.strip(".") and name != name.rstrip(" ."):
            return "a file name that ends with a point or a space"
        if _DEVICE.match(name.replace(" .", ".")):
            return f'the file name "{name}" (a device)'
    return ""


def ensure_windows_name(path: str) -> None:
    """Raises `StoreError` for such a path."""
    fault = windows_fault(path)
    if fault:
        raise StoreError(path, f"Windows does not allow {fault}. In a macro, make names with .as-file-name")
