"""What a word processor sees in documents that Scrub wrote; skipped where none is installed."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest
from conftest import SAMPLE
from test_documents import run

import scrub

OFFICE = shutil.which("soffice")
pytestmark = pytest.mark.skipif(OFFICE is None, reason="no word processor is installed (soffice)")


def lines_of(path: Path) -> list[str]:
    """The text of a document as the word processor saves it, line by line."""
    out = path.parent / "seen"
    words = [str(OFFICE), f"-env:UserInstallation=file://{path.parent.absolute()}/profile", "--headless"]
    done = subprocess.run(
        [*words, "--convert-to", "txt:Text (encoded):UTF8", "--outdir", str(out), str(path)],
        capture_output=True, text=True, timeout=90, check=False,
    )  # fmt: skip
    found = out / f"{path.stem}.txt"
    assert found.exists(), done.stderr
    return [line for line in found.read_text(encoding="utf-8-sig").splitlines() if line.strip()]


@pytest.mark.timeout(300)
def test_edited_documents_open_there_and_say_the_same(home: Path) -> None:
    edits = (
        'bind-units\nsingle-spaces\nreplace "hut", by: "cabin & hut"\n'
        'each passage in passages("water")\npassage.bold = yes\npassage.colour = "blue"\nend\n'
    )
    after = (
        'each paragraph where paragraph.text starts with "From"\nadd-behind "A line behind."\nend\n'
        'in table("Provisions")\nadd-row ["rice", 10]\nsort by: "Kg", descending: yes\nend\n'
    )
    rules = Path("house-rules.docx")
    shutil.copyfile(SAMPLE.parent / rules, rules)
    run(edits + after, rules)
    seen = lines_of(rules)
    with scrub.open(str(rules)) as opened:
        wanted = [each.text for each in opened.item.paragraphs() if each.text.strip() and each.place != "footer"]
    assert sorted(seen) == sorted(wanted)
    assert [line for line in seen if line in ("oats", "flour", "rice", "sugar", "salt")] == [
        "oats",
        "flour",
        "rice",
        "sugar",
        "salt",
    ]


@pytest.mark.timeout(300)
def test_recorded_edits_are_seen_as_they_are_to_be(home: Path) -> None:
    route = Path("route.docx")
    shutil.copyfile(SAMPLE.parent / route, route)
    run("reject-changes", route)
    run(
        'document.tracks-changes = yes\nbind-units\nreplace "mill", by: "old mill"\neach comment\nreply "Yes"\nend',
        route,
    )
    seen = lines_of(route)
    # What is recorded as deleted is written there too.
    assert "follow the stream for 2 \u00a0km to the old mill, 180 \u00a0m above" in "\n".join(seen)
    run("accept-changes", route)
    assert any("to the old mill, 180\u00a0m above" in line for line in lines_of(route))


@pytest.mark.timeout(300)
def test_open_texts_too(home: Path) -> None:
    wardens = Path("wardens.odt")
    shutil.copyfile(SAMPLE.parent / wardens, wardens)
    run(
        'bind-units\nsingle-spaces\nswap-around "and"\nheading("Water").level = 2\nadd-paragraph "  Two  blanks,\ttab "\n'
        'each record in table("Keys") where record.hut is "Larch Hut"\nrecord.key = 14\nend',
        wardens,
    )
    seen = lines_of(wardens)
    for line in (
        "Each hut gets water and bread from the valley, 20\u00a0kg on a mule.", "1.1. Water",
        "The tank holds 600\u00a0L, and a guest needs 2\u00a0L a day.", "  Two  blanks,\ttab ",
    ):  # fmt: skip
        assert line in seen
    assert "14" in " ".join(seen)
