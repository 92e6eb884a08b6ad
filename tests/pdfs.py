"""PDFs made by hand, so that each oddity is one that we chose; and readers that share no code with Scrub."""

from __future__ import annotations

import io
import shutil
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from conftest import macro
from PIL import Image, ImageDraw

import scrub

needs_poppler = pytest.mark.skipif(shutil.which("pdftoppm") is None, reason="poppler-utils is not installed")
needs_qpdf = pytest.mark.skipif(shutil.which("qpdf") is None, reason="qpdf is not installed")


class Agreeing(scrub.QuietHost):
    """Somebody who agrees to what a macro may do."""

    def approve(self, title: str, reaches: object) -> bool:
        return True


def run(body: str, *paths: Path, kind: str = "pdf", **options: Any) -> Any:
    """What became of the first file."""
    return scrub.run(macro(body, kind), list(map(str, paths)), host=Agreeing(), **options).files[0]


def done(body: str, *paths: Path, **options: Any) -> Any:
    """The same, which must not fail."""
    found = run(body, *paths, **options)
    assert found.problem is None, str(found.problem)
    return found


class Sheet:
    """One page to be made: its words, its box, its turn, and whatever else its dictionary says."""

    def __init__(
        self, words: str, box: Sequence[float] = (0, 0, 595, 842), turn: int = 0, content: bytes = b"", **more: Any
    ) -> None:
        self.words, self.box, self.turn, self.content, self.more = words, box, turn, content, more


def made(pages: Sequence[Sheet], path: Path, info: Mapping[str, str] | None = None, **saving: Any) -> Path:
    """A PDF with these pages."""
    pdf = pikepdf.new()
    font = pdf.make_indirect(
        pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica)
    )
    shared = pdf.make_indirect(pikepdf.Dictionary(Font=pikepdf.Dictionary(F1=font)))
    for page in pages:
        words = page.words.encode("cp1252").replace(b"(", b"\\(").replace(b")", b"\\)")
        left, bottom = page.box[0] + 72, page.box[1] + 100
        content = page.content or b"BT /F1 24 Tf %d %d Td (%b) Tj ET" % (left, bottom, words)
        leaf = pikepdf.Dictionary(
            Type=pikepdf.Name.Page,
            MediaBox=list(page.box),
            Resources=shared,
            Contents=pdf.make_stream(content),
            **page.more,
        )
        if page.turn:
            leaf.Rotate = page.turn
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(leaf)))
    for key, value in (info or {}).items():
        pdf.docinfo[f"/{key}"] = value
    pdf.save(path, **saving)
    return path


def seal(path: Path, size: tuple[int, int] = (200, 100)) -> Path:
    """A red picture with clear corners."""
    image = Image.new("RGBA", size, (0, 0, 0, 0))
    ImageDraw.Draw(image).ellipse((0, 0, size[0] - 1, size[1] - 1), fill=(200, 0, 0, 255))
    image.save(path)
    return path


def drawn(path: Path, page: int = 1, dots: int = 36, password: str = "") -> Image.Image:
    """A page as another program draws it, at that many points an inch."""
    words = [
        "pdftoppm",
        "-r",
        str(dots),
        "-f",
        str(page),
        "-l",
        str(page),
        "-png",
        "-cropbox",
        "-upw",
        password,
        str(path),
    ]
    found = subprocess.run(words, capture_output=True, check=True)
    return Image.open(io.BytesIO(found.stdout)).convert("RGB")


def reds(image: Image.Image) -> tuple[int, int, int, int] | None:
    """The box of what is red."""
    mask = Image.new("L", image.size)
    points: Any = image.get_flattened_data() if hasattr(image, "get_flattened_data") else image.getdata()
    mask.putdata([255 if r > 120 and g < 90 and b < 90 else 0 for r, g, b in points])
    return mask.getbbox()


def clean(path: Path, password: str = "") -> None:
    """Raises where qpdf has anything to say about a file."""
    found = subprocess.run(
        ["qpdf", "--check", f"--password={password}", str(path)], capture_output=True, text=True, check=False
    )
    assert found.returncode == 0, found.stdout + found.stderr
