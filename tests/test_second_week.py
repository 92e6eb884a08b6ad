"""The commands of the guide, in its order, each done twice: what worked this week works next week on what it made."""

from __future__ import annotations

import glob
import re
import shlex
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import FOR_EVER, SAMPLE, Output

import scrub

GUIDE = SAMPLE.parents[3] / "docs" / "guide.md"
Cli = Callable[..., Output]

#: Commands of which one ends otherwise, by how they begin, each with why.
OTHERWISE = {
    'swap the" house-rules.docx --at': "the words that are picked are gone",
    'clean a doc" route.docx': "changes wait in it, as the guide says",
    'file the hut" larch-hut.jpg': "the file has another name",
    'pass it on" water.eml': "it asks to whom",
    'pass it on and" water.eml': "it sends",
    "seal season-book.xlsx --ask": "it needs somebody at a terminal",
    'sort out" season-book.xlsx --review': "it needs somebody at a terminal",
}
#: Commands that need what is made in another place of the guide, or a server.
_ELSEWHERE = re.compile(
    r"://|join\.scrub|drafts\.scrub|wardens\.scrub|Documents|weekly|week-|archive/|--continue|--inside|--step|run hide |--preview"
)


def commands() -> list[str]:
    found = re.findall(r"^ {4}scrub (run .*?)(?:\s{2,}#.*|\s+#.*)?$", GUIDE.read_text(), re.MULTILINE)
    return [each for each in found if not _ELSEWHERE.search(each)]


def words_of(command: str) -> list[str]:
    found: list[str] = []
    for word in shlex.split(command):
        found += sorted(glob.glob(word)) if "*" in word else [word]
    return found


@pytest.mark.timeout(FOR_EVER)
def test_the_commands_of_the_guide_work_a_second_time(cli: Cli, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("SHEET_CODE", "ROUTE_CARDS"):
        monkeypatch.setenv(f"SCRUB_SECRET_{name}", "larch")
    cli("demo", "huts")
    monkeypatch.chdir("huts")
    for entry in scrub.home().library.entries():
        cli("approve", entry.title, "--yes")
    every = commands()
    assert len(every) > 40
    failed = {}
    for command in every:
        if any(start in command for start in OTHERWISE):
            continue
        for week in (1, 2):
            done = cli(*words_of(command))
            if done.code:
                failed[f"week {week}: scrub {command}"] = done.err
    assert not failed
    sheets = [each.name for each in Path().glob("*.xlsx")]
    assert sorted(sheets) == ["prices.xlsx", "season-book.xlsx", "supply-list.xlsx"]
