"""PDFs and pictures: what is measured of pages stamped, joined and read, and of pictures turned and made smaller."""

from __future__ import annotations

import random
from pathlib import Path

import pikepdf
from PIL import Image

STAMP_MACRO = """macro Stamp the pages
for pdf
each page
    stamp-picture "seal.png", place: bottom-right, width: 3 cm, opacity: 35%, called: "seal"
end
"""
#: Each page is merged with one that contains the seal, and all is rewritten.
STAMP = """
import io, pypdf, sys
from PIL import Image
seal = io.BytesIO()
Image.open("SEAL").convert("RGB").resize((120, 120)).save(seal, "PDF", resolution=72)
stamp = pypdf.PdfReader(seal).pages[0]
writer = pypdf.PdfWriter(clone_from=sys.argv[1])
for page in writer.pages:
    page.merge_transformed_page(stamp, pypdf.Transformation().translate(440, 30))
writer.write(sys.argv[1])
"""
OVERLAY = """
import io, pikepdf, sys
from PIL import Image
seal = io.BytesIO()
Image.open("SEAL").convert("RGB").resize((120, 120)).save(seal, "PDF", resolution=72)
pdf = pikepdf.open(sys.argv[1], allow_overwriting_input=True)
source = pikepdf.open(seal)
stamp = source.pages[0]
for page in pdf.pages:
    page.add_overlay(stamp, pikepdf.Rectangle(480, 30, 565, 115))
pdf.save(sys.argv[1])
"""
WORDS_MACRO = """macro Read the pages
for pdf
found = count(page where page.text contains "draft")
say "{found}"
"""
WORDS = """
import pypdf, sys
print(sum("draft" in page.extract_text() for page in pypdf.PdfReader(sys.argv[1]).pages))
"""
JOIN_MACRO = """macro Pictures in one
for all image
made = new-file("All pictures.pdf", to: "../bound")
in made
    each item in picked
        append item
    end
end
"""
JOIN = """
import pathlib, sys
from PIL import Image
paths = sorted(pathlib.Path(sys.argv[1]).glob("*.jpg"))
folder = pathlib.Path(sys.argv[1]).parent / "bound"
folder.mkdir(exist_ok=True)
images = [Image.open(path) for path in paths]
images[0].save(folder / "All pictures.pdf", save_all=True, append_images=images[1:])
"""
TURN_MACRO = """macro Turn it
for image
turn to: right
"""
TURN = """
from PIL import Image
import sys
Image.open(sys.argv[1]).rotate(270, expand=True).save(sys.argv[1], quality=90)
"""
SMALLER_MACRO = """macro Make it smaller
for image
resize longest: 2000
"""
SMALLER = """
from PIL import Image
import sys
image = Image.open(sys.argv[1])
image.thumbnail((2000, 2000), Image.Resampling.LANCZOS)
image.save(sys.argv[1], quality=90)
"""


def many_pages(path: Path, count: int) -> Path:
    """A PDF of that many pages of words."""
    if path.exists():
        return path
    chance = random.Random(3)
    words = "hut ridge water path stage bread rope stove well map tarn cairn spring snow".split()
    pdf = pikepdf.new()
    font = pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica)
    resources = pdf.make_indirect(pikepdf.Dictionary(Font=pikepdf.Dictionary(F1=font)))
    for _ in range(count):
        lines = [" ".join(chance.choices(words, k=12)) for _ in range(40)]
        content = b"BT /F1 11 Tf 14 TL 60 780 Td " + b" ".join(b"(%b) Tj T*" % line.encode() for line in lines) + b" ET"
        leaf = pikepdf.Dictionary(
            Type=pikepdf.Name.Page, MediaBox=[0, 0, 595, 842], Resources=resources, Contents=pdf.make_stream(content)
        )
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(leaf)))
    pdf.save(path)
    return path


def photos(folder: Path, count: int) -> Path:
    """So many pictures of 12 million points."""
    folder.mkdir(exist_ok=True)
    for number in range(count):
        path = folder / f"photo {number:02}.jpg"
        if not path.exists():
            noise = Image.effect_noise((500, 375), 60).resize((4000, 3000))
            exif = Image.Exif()
            exif[0x0112] = 1
            noise.convert("RGB").save(path, quality=88, exif=exif)
    return folder
