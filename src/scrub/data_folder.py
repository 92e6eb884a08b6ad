"""Where the library and the history of a person are."""

from __future__ import annotations

import os
import sys

_NAME = "scrub-macros"


def data_folder() -> str:
    """The usual data folder of the system for this program, as `platformdirs` finds it. Its import takes longer than a
    small run, so the plain case of Linux is answered here (XDG Base Directory Specification 0.8, section 3).
    """
    found = os.environ.get("XDG_DATA_HOME", "")
    home = os.environ.get("HOME", "")
    if sys.platform == "linux" and "ANDROID_DATA" not in os.environ:
        if os.path.isabs(found):
            return os.path.join(found, _NAME)
        if not found and os.path.isabs(home):
            return os.path.join(home, ".local", "share", _NAME)
    from platformdirs import user_data_dir

    return user_data_dir(_NAME, appauthor=False)
