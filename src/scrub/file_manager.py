"""Macros in the menu of the file manager: what may be there, and what runs from there."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterable
from typing import TYPE_CHECKING

from scrub.model.core.declare import Reach
from scrub.model.core.problem import BadCall, Refused, ScrubError, listed
from scrub.touch.entries import DesktopEntries, media_types, told, window_program
from scrub.touch.send_to import put_in_send_to, remove_from_send_to
from scrub.touch.terminals import notify, read_request, start, terminal, write_request

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.language.program import Program
    from scrub.library.records import Pin

__all__ = [
    "ensure_fits", "notify",
    "pinned", "read_request", "remove_from_files", "runs_alone", "show_in_files", "start", "terminal",
    "window_program", "write_request",
]  # fmt: skip

#: What a person does on a system whose menus a program cannot fill.
_BY_HAND = (
    'On macOS, make a Quick Action by hand (not tried): in Automator, "Run Shell Script", pass input as arguments, and '
    'write: {program} -- {key} "$@"'
)


def ensure_fits(home: Home, title: str, asks: bool = True) -> tuple[Program, dict[str, str], list[str]]:
    """A macro for the menu of the file manager, the media types of its files, and the endings that no other program
    opens. Raises `BadCall` and `Refused` for one that needs a person, or a preview.
    """
    entry = home.library.titled(title)
    program = home.checked(entry.text, entry.path)
    types = media_types(program.macro.runs_on, home.formats.endings)
    if not types:
        raise BadCall(f'"{title}" needs no file, so it cannot be in the menu of files')
    undefended = [] if sys.platform in ("win32", "darwin") else DesktopEntries().undefended(types)
    if not asks:
        _ensure_alone(program, undefended)
    return program, types, undefended


def show_in_files(home: Home, title: str, asks: bool = True) -> list[str]:
    """Puts a macro that has a key into the menu of the file manager; gives what a person should know about that.

    `asks` is whether it shows what would change before it saves. Raises what `ensure_fits` raises.
    """
    program, types, undefended = ensure_fits(home, title, asks)
    about = " ".join(program.macro.about)
    pin = _pin_of(home, title)
    desktop = DesktopEntries() if sys.platform not in ("win32", "darwin") else None
    others = [each for each in home.pins.all() if each.in_files and each.key != pin.key]
    pin = pin._replace(in_files=True, asks=asks, fingerprint=program.fingerprint)
    notes = [told(undefended)] if undefended else []
    if desktop is not None:
        pin = desktop.add(pin, about, types, _moved_home(home), others)
    elif sys.platform == "win32":
        put_in_send_to(pin.label or pin.title, window_program(), pin.key, _moved_home(home))
        notes.append('It is in the menu "Send to" (not tried on this system).')
    else:
        notes.append(_BY_HAND.format(program=window_program(), key=pin.key))
    home.pins.replace(pin)
    return notes


def remove_from_files(home: Home, pin: Pin) -> None:
    """Removes the entry of a pin from the menu of the file manager."""
    if not pin.in_files:
        return
    others = [each for each in home.pins.all() if each.in_files and each.key != pin.key]
    if sys.platform == "win32":
        remove_from_send_to(pin.label or pin.title)
    elif sys.platform != "darwin":
        DesktopEntries().remove(pin, others)


def _pin_of(home: Home, title: str) -> Pin:
    pin = next((each for each in home.pins.all() if each.title == title), None)
    if pin is None:
        raise BadCall(f'"{title}" has no key. Give it one: scrub pin "{title}" KEY --in-files')
    return pin


def _ensure_alone(program: Program, undefended: list[str]) -> None:
    """Raises `Refused` for a macro that cannot run without somebody who looks first."""
    title = program.title
    if program.questions:
        raise Refused(f'"{title}" asks something, so it cannot run without asking')
    if program.reach > Reach.CHANGE or program.macro.into:
        raise Refused(f'"{title}" does more than change the selected files, so it cannot run without asking')
    if undefended:
        raise Refused(
            f"no other program opens {listed(undefended, 'or')} here, so a double click would run it. Leave out "
            "--without-asking"
        )


def _moved_home(home: Home) -> str:
    """The folder of this library where it is not the usual one."""
    return home.folder if os.environ.get("SCRUB_HOME") else ""


def pinned(home: Home, key: str) -> tuple[Pin, Program]:
    """What runs when an entry is chosen. Raises `Refused` when it is not what was pinned, unless it was written here.

    An entry may be started by mistake, and a joined library may change a macro: what runs from there was read once.
    """
    pin = home.pins.find(key)
    if pin is None or not pin.in_files:
        raise BadCall(f'no macro has the key "{key}" in the menu of files any more. Keys: scrub pins')
    entry = home.library.titled(pin.title)
    program = home.checked(entry.text, entry.path)
    if program.fingerprint != pin.fingerprint and not home.approvals.is_written(program.fingerprint):
        raise Refused(
            f'"{pin.title}" was changed since you pinned it. Read it: scrub show {pin.key}    '
            f"Pin it again: scrub pin {pin.key} {pin.key} --in-files"
        )
    return pin, program


def runs_alone(home: Home, pin: Pin, program: Program, files: Iterable[str]) -> bool:
    """Whether a pin may run on these files without a person who looks first: some file managers name files that were
    moved since, and without another program a double click would run it.
    """
    if pin.asks or not all(os.path.exists(path) for path in files):
        return False
    types = media_types(program.macro.runs_on, home.formats.endings)
    try:
        _ensure_alone(program, [])
    except ScrubError:
        return False
    return not DesktopEntries().is_default(pin.key, types)
