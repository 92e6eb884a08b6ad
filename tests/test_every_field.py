"""Every field and part of every kind is read in every format, those of other people too: what a format has nothing of is
what the field declares, and no field was forgotten.
"""

from __future__ import annotations

import random
import re
import shutil
from pathlib import Path

import pytest
from conftest import SAMPLE
from mails import a_message, maildir
from saving import KINDS, rich_book
from test_trials import with_toys
from vocabulary_calls import reachable

import scrub

DEMO = SAMPLE.parent
#: What is rightly said instead of a value.
_SAID = re.compile(
    "differs between the cells|has no cells. Use its records|the edges of .* differ|a formula without a result"
)
VOCABULARY = scrub.vocabulary()
#: The formats of the trials, with what is in a file.
TOYS = {
    "bars.grid": ("workbook", "Hut|Nights\nLarch|3\nTarn|\n"),
}


def sources() -> dict[str, tuple[str, Path | None]]:
    """The kind of each file that is read, and the sample it is."""
    found: dict[str, tuple[str, Path | None]] = {
        path.name: (KINDS[path.suffix], path) for path in sorted(DEMO.iterdir()) if path.suffix in KINDS
    }
    found |= {name: (kind, None) for name, (kind, _) in TOYS.items()}
    return {
        **found,
        "rich.xlsx": ("workbook", None),
        "box": ("mailbox", None),
        "huts": ("folder", None),
        "notes.md": ("document", None),
    }


def prepared(name: str, sample: Path | None) -> Path:
    path = Path(name)
    if sample is not None:
        shutil.copy(sample, path)
    elif name == "rich.xlsx":
        rich_book(path, random.Random(4))
    elif name == "box":
        maildir(path, a_message(1), a_message(2))
    elif name == "huts":
        shutil.copytree(DEMO, path, ignore=shutil.ignore_patterns("*.py", "macros", "__pycache__"))
    elif name == "notes.md":
        path.write_text("# Hut\n\n- wood\n\n`code`\n")
    else:
        path.write_text(TOYS[name][1])
    return path


def lines(kind: str) -> list[tuple[str, str]]:
    """What is read of a kind of item: its fields, and what is in it."""
    described = VOCABULARY.kinds[kind]
    return [
        *((f"{kind}.{word}", f'x = "{{{kind}.{word}}}"') for word in described.fields),
        *((f"count({held})", f"y = count({held})") for held in described.holds),
    ]


@pytest.mark.parametrize("name", sources())
def test_every_field_is_read(home: Path, name: str) -> None:
    file, sample = sources()[name]
    path = prepared(name, sample)
    reached, failed = set(), []
    with_toys()
    for kind in reachable(file):
        every = lines(kind)
        body = "\n".join(
            f'attempt\n{line}\nif it fails\nlog "{word.replace("(", " of ").replace(")", "")}: {{problem}}"\nend'
            for word, line in every
        )
        if kind != file:
            body = (
                f'n = 0\neach {kind}\nn = n + 1\nif n is 1\nlog "reached"\nend\nif n > 3\nleave loop\nend\n{body}\nend'
            )
        result = with_toys().run(f"macro Reads\nfor {file}\n{body}\n", [str(path)], scrub.RunOptions(preview=True))
        found = result.files[0]
        if found.problem is not None:
            found.log.append(f"{kind}: {found.problem}")
        reached |= {kind} if "reached" in found.log or kind == file else set()
        failed += [each for each in found.log if each != "reached" and not _SAID.search(each)]
    assert not failed, "\n".join(failed)
