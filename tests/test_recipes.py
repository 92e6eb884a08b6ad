"""The recipes of `docs/architecture.md`, followed in a copy of the source: a field, an action, a format."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import SAMPLE
from trials import grid

import scrub

SOURCE = Path(scrub.__file__).parent

FIELD = '''
    outlined = look_field(
        bool,
        """Whether only the outline of each letter is drawn.

        Example: KIND.outlined = yes
        Also: outline, hollow
        """,
        otherwise=False,
    )

    strikethrough = look_field('''
ACTION = '''
@action(Reach.CHANGE)
def reverse(item: HoldsTexts) -> None:
    """Reverses the letters.

    Example: reverse
    Also: backwards, mirror
    """
    item.edit_texts(lambda text: [(0, len(text), text[::-1])] if text != text[::-1] else [])


@action(Reach.CHANGE, separate=True)
def trim('''
#: A format is begun from the trial that is most like it: that one parts its fields by bars.
TRIAL = Path(grid.__file__).read_text()
FIXED_WIDTH = {
    '[line.split("|") for line in text.splitlines()]': (
        "[[line[at:at + 8].strip() for at in range(0, len(line), 8)] for line in text.splitlines()]"
    ),
    '"|".join(self._row(row, used.right))': ('"".join(f"{each:<8}" for each in self._row(row, used.right)).rstrip()'),
    "def open_grid": "def open_width",
}


@pytest.fixture
def copy(home: Path, tmp_path: Path) -> Path:
    """A copy of the source, in which the recipes were followed."""
    package = tmp_path / "copy" / "scrub"
    shutil.copytree(SOURCE, package, ignore=shutil.ignore_patterns("__pycache__"))

    def put(name: str, old: str, new: str) -> None:
        text = (package / name).read_text()
        assert text.count(old) == 1, (name, old)
        (package / name).write_text(text.replace(old, new))

    put("model/cells/cell_fields.py", "\n    strikethrough = look_field(", FIELD)
    put(
        "formats/workbook/formatting/fonts.py",
        '"strikethrough": "strike",',
        '"strikethrough": "strike", "outlined": "outline",',
    )
    put("catalog/texts.py", "\n@action(Reach.CHANGE, separate=True)\ndef trim(", ACTION)
    put("catalog/texts.py", "ACTIONS = (trim, ", "ACTIONS = (trim, reverse, ")
    (package / "formats" / "fixed_width.py").write_text(TRIAL)
    for old, new in FIXED_WIDTH.items():
        put("formats/fixed_width.py", old, new)
    line = '    Format("workbook", (".fwf",), "scrub.model.workbook", "scrub.formats.fixed_width:open_width"),\n'
    put(
        "formats/registry.py",
        '    Format("mailbox", (".mbox", ".mbx")',
        line + '    Format("mailbox", (".mbox", ".mbx")',
    )
    return package.parent


def command(copy: Path, *words: str) -> str:
    environment = {**os.environ, "PYTHONPATH": str(copy), "SCRUB_TRACEBACK": "1"}
    code = "import sys, scrub.cli; sys.exit(scrub.cli.run(sys.argv[1:]))"
    done = subprocess.run(
        [sys.executable, "-c", code, *words], env=environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    return done.stdout + done.stderr


def test_what_the_recipes_make_works_in_every_format(copy: Path) -> None:
    shutil.copy(SAMPLE, "season-book.xlsx")
    Path("a.csv").write_text("Hut,Nights\nLarch,3\n")
    Path("a.fwf").write_text("Hut     Nights\nLarch   3\n")
    Path("read.scrub").write_text('macro Reads\nfor workbook\neach cell\nif cell.outlined\nsay "yes"\nend\nend\n')
    Path("set.scrub").write_text(
        'macro Sets\nfor workbook\nin sheet("Larch Hut")\ncell("A1").outlined = yes\nsay "{cell("A1").outlined}"\nend\n'
    )
    Path("turn.scrub").write_text("macro Turns\nfor workbook\nreverse\n")
    for name in ("season-book.xlsx", "a.csv", "a.fwf"):
        assert "bug" not in command(copy, "run", "read.scrub", name)
    assert "yes" in command(copy, "run", "set.scrub", "season-book.xlsx")
    command(copy, "run", "turn.scrub", "a.csv", "a.fwf")
    assert Path("a.csv").read_text() == "tuH,sthgiN\nhcraL,3\n"
    assert Path("a.fwf").read_text() == "tuH     sthgiN\nhcraL   3\n"
    command(copy, "undo")
    assert Path("a.fwf").read_text() == "Hut     Nights\nLarch   3\n"
    assert "Reverses the letters" in command(copy, "catalog", "reverse")
    assert "outline" in command(copy, "catalog", "outlined")
    # Every other field of a sheet and its cells is read in the new format, without a line of it being about them.
    fields = "\n".join(f'x = "{{cell.{each}}}"' for each in scrub.vocabulary().kinds["cell"].fields)
    settings = "\n".join(f'x = "{{sheet.{each}}}"' for each in scrub.vocabulary().kinds["sheet"].fields)
    Path("all.scrub").write_text(f"macro All\nfor workbook\neach sheet\n{settings}\nend\neach cell\n{fields}\nend\n")
    assert "bug" not in command(copy, "run", "all.scrub", "a.fwf")
