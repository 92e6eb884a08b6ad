"""What a command does before it begins: which modules it loads, and where it finds the person's library."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import SAMPLE
from platformdirs import user_data_dir

import scrub


@pytest.mark.skipif(sys.platform != "linux", reason="the plain case of Linux")
@pytest.mark.parametrize("data", [None, "", "/srv/data", "/srv/data/", "relative", "~/data", " "])
@pytest.mark.parametrize("own", ["/home/ann", "/home/ann/", "/", "relative", ""])
def test_the_data_folder_is_the_usual_one(
    data: str | None, own: str, home: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("SCRUB_HOME")
    monkeypatch.setenv("HOME", own)
    monkeypatch.delenv("XDG_DATA_HOME", raising=False)
    if data is not None:
        monkeypatch.setenv("XDG_DATA_HOME", data)
    assert scrub.home().folder == user_data_dir("scrub-macros", appauthor=False)


def test_a_small_run_loads_nothing_that_only_others_need(tmp_path: Path) -> None:
    """Each of these takes longer to load than the run itself."""
    code = (
        "import sys, scrub.cli; scrub.cli.run(['run', 'show every', sys.argv[1], '--preview']);"
        "print([name for name in sys.argv[2:] if name in sys.modules])"
    )
    heavy = (
        "platformdirs",
        "_hashlib",
        "logging",
        "bz2",
        "lzma",
        "asyncio",
        "pickle",
        "sqlite3",
        "sqlalchemy",
        "prompt_toolkit",
        "pygls",
        "dataclasses",
    )
    environment = {name: value for name, value in os.environ.items() if name != "SCRUB_HOME"} | {
        "XDG_DATA_HOME": str(tmp_path)
    }
    words = [sys.executable, "-c", code, str(SAMPLE), *heavy]
    shown = subprocess.run(words, env=environment, capture_output=True, text=True, check=True)
    assert shown.stdout.splitlines()[-1] == "[]"
