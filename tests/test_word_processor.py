"""What a word processor sees in documents that Scrub wrote; skipped where none is installed."""

from __future__ import annotations

import re
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest
from conftest import FOR_EVER, SAMPLE
from documents import members
from test_pictures import of_docx, of_odt, picture, run

import scrub

OFFICE = shutil.which("soffice")
pytestmark = [
    pytest.mark.office,
    pytest.mark.skipif(OFFICE is None, reason="no word processor is installed (soffice)"),
]


def lines_of(path: Path) -> list[str]:
    """The text of a document as the word processor saves it, line by line."""
    out = path.parent / "seen"
    words = [str(OFFICE), f"-env:UserInstallation=file://{path.parent.absolute()}/profile", "--headless"]
    done = subprocess.run(
        [*words, "--convert-to", "txt:Text (encoded):UTF8", "--outdir", str(out), str(path)],
        capture_output=True, text=True, timeout=FOR_EVER, check=False,
    )  # fmt: skip
    found = out / f"{path.stem}.txt"
    assert found.exists(), done.stderr
    return [line for line in found.read_text(encoding="utf-8-sig").splitlines() if line.strip()]


@pytest.mark.timeout(FOR_EVER)
def test_edited_documents_open_there_and_say_the_same(home: Path) -> None:
    edits = (
        'bind-units\nsingle-spaces\nreplace "hut", by: "cabin & hut"\n'
        'each passage in passages("water")\npassage.bold = yes\npassage.colour = "blue"\nend\n'
    )
    after = (
        'each paragraph where paragraph.text starts with "From"\nadd-after "A line behind."\nend\n'
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


@pytest.mark.timeout(FOR_EVER)
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


@pytest.mark.timeout(FOR_EVER)
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


def saved_as(path: Path, kind: str) -> Path:
    """A document as the word processor saves it in another format."""
    out = path.parent / "saved"
    words = [str(OFFICE), f"-env:UserInstallation=file://{path.parent.absolute()}/profile", "--headless"]
    subprocess.run(
        [*words, "--convert-to", kind, "--outdir", str(out), str(path)],
        capture_output=True,
        timeout=FOR_EVER,
        check=True,
    )
    return out / f"{path.stem}.{kind}"


@pytest.mark.timeout(FOR_EVER)
@pytest.mark.parametrize(("make", "name", "other"), [(of_docx, "a.docx", "odt"), (of_odt, "a.odt", "docx")])
def test_comments_bookmarks_and_pictures_are_seen_there(home: Path, make: Any, name: str, other: str) -> None:
    green = picture("green", (8, 4))
    Path("green.png").write_bytes(green)
    path = make(name, picture("red", (8, 4)))
    run(
        'in passage("hut")\ncomment-on "Which & where?"\nbookmark-as "Hut"\nend\nin passage("A")\nlink-to "https://huts.example/a?b=1&c=2"\nend\n'
        'each picture\nreplace-with "green.png"\nend',
        path,
    )
    seen = members(saved_as(path, other))
    assert green in seen.values()
    whole = b"".join(data for part, data in seen.items() if part.endswith((".xml", ".rels"))).decode()
    assert "Which &amp; where?" in whole
    assert "https://huts.example/a?b=1&amp;c=2" in whole
    mark = (
        r'<text:bookmark-start text:name="Hut"/>' if other == "odt" else r'<w:bookmarkStart w:id="\d+" w:name="Hut"/>'
    )
    found = re.search(mark + "(.*?)" + ("<text:bookmark-end" if other == "odt" else "<w:bookmarkEnd"), whole)
    assert found is not None
    assert re.sub("<office:annotation.*?</office:annotation>|<[^>]*>", "", found[1]) == "hut"
