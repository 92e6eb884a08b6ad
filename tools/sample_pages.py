"""Route cards, a picture of a hut and a seal, drawn by code: the samples for PDFs and pictures."""

from __future__ import annotations

import math
from pathlib import Path

import pikepdf
from PIL import Image, ImageDraw

HUTS = ("Larch", "Kite", "Sorrel", "Gannet", "Rowan", "Tarn")
A4 = (595.28, 841.89)


def _font(name: str) -> pikepdf.Dictionary:
    """A standard font."""
    return pikepdf.Dictionary(
        Type=pikepdf.Name.Font,
        Subtype=pikepdf.Name.Type1,
        BaseFont=pikepdf.Name(name),
        Encoding=pikepdf.Name.WinAnsiEncoding,
    )


def route_cards(path: Path) -> None:
    """Seven pages: a card for each of six huts, one of them lying, one only a draft, and an empty one."""
    pdf = pikepdf.new()
    fonts = pikepdf.Dictionary(F1=_font("/Helvetica-Bold"), F2=_font("/Helvetica"))
    resources = pdf.make_indirect(pikepdf.Dictionary(Font=fonts))
    for number, hut in enumerate(HUTS):
        lying = hut == "Sorrel"
        wide, high = (A4[1], A4[0]) if lying else A4
        content = _card(hut, number, wide, high, draft=hut == "Rowan")
        leaf = pikepdf.Dictionary(
            Type=pikepdf.Name.Page, MediaBox=[0, 0, wide, high], Resources=resources, Contents=pdf.make_stream(content)
        )
        if hut == "Gannet":
            leaf.Rotate = 180  # scanned upside down
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(leaf)))
    pdf.add_blank_page(page_size=A4)
    with pdf.open_outline() as outline:
        outline.root += [pikepdf.OutlineItem("West", 0), pikepdf.OutlineItem("East", 3)]
    pdf.docinfo["/Title"] = "Route cards 2026"
    pdf.docinfo["/Author"] = "Mara Brook"
    pdf.docinfo["/CreationDate"] = "D:20260302101500+01'00'"
    pdf.save(path, deterministic_id=True)


def _card(hut: str, number: int, wide: float, high: float, draft: bool) -> bytes:
    """What is on one card: a title, the stages, and the line of the ridge."""
    lines = [
        ("F1", 26, 60, high - 90, f"{hut} Hut"), ("F2", 13, 60, high - 120, "Kestrel Ridge Huts, route card 2026"),
        ("F2", 12, 60, high - 170, f"From the road: {3 + number} h {10 * number} min, {540 + 70 * number} m up"),
        ("F2", 12, 60, high - 190, f"Water at {(2, 3)[number % 2]} places; carry {number % 3 + 1} L"),
        ("F2", 12, 60, high - 210, f"Beds: {18 + 4 * number}; open from 12 June to 27 September"),
    ]  # fmt: skip
    if draft:
        lines.append(("F2", 12, 60, high - 240, "draft, to be checked by the warden"))
    texts = b"".join(
        b"BT /%b %d Tf %.2f %.2f Td (%b) Tj ET\n" % (font.encode(), size, x, y, text.encode("cp1252"))
        for font, size, x, y, text in lines
    )
    points = []
    for step in range(41):
        up = 90 * abs(math.sin(step / 6 + number)) + 25 * math.sin(step * 1.7 + number)
        points.append((60 + step * (wide - 120) / 40, 170 + up))
    ridge = b"%.2f %.2f m\n" % points[0] + b"".join(b"%.2f %.2f l\n" % point for point in points[1:])
    return texts + b"q 0.27 0.38 0.35 RG 2.5 w\n" + ridge + b"S Q\nq 0.7 w 60 130 %.2f 190 re S Q\n" % (wide - 120)


def hut_picture(path: Path) -> None:
    """A hut below a ridge, taken with a camera on its side that knew where it was."""
    wide, high = 960, 720
    image = Image.new("RGB", (wide, high))
    draw = ImageDraw.Draw(image)
    for y in range(high):
        draw.line((0, y, wide, y), fill=(120 + y // 8, 165 + y // 12, 215 - y // 20))
    for depth, colour in enumerate(((110, 130, 150), (84, 108, 112), (58, 88, 78))):
        ridge = []
        for x in range(0, wide + 8, 8):
            up = 60 * math.sin(x / (90 + 40 * depth) + depth) + 18 * math.sin(x / 23 + depth)
            ridge.append((x, 250 + 90 * depth + up))
        draw.polygon([(0, high), *ridge, (wide, high)], fill=colour)
    draw.polygon([(360, 520), (480, 420), (600, 520)], fill=(122, 60, 44))
    draw.rectangle((380, 520, 580, 630), fill=(196, 170, 128))
    draw.rectangle((460, 560, 505, 630), fill=(90, 62, 46))
    for x in (400, 530):
        draw.rectangle((x, 545, x + 35, 580), fill=(240, 226, 160))
    exif = Image.Exif()
    exif[0x0112], exif[0x0132] = 6, "2026:06:14 17:42:10"
    exif.get_ifd(0x8769)[0x9003] = "2026:06:14 17:42:10"
    exif.get_ifd(0x8825).update({1: "N", 2: (46.0, 41.0, 12.0), 3: "E", 4: (9.0, 5.0, 30.0)})
    image.rotate(90, expand=True).save(path, quality=85, subsampling=2, exif=exif, dpi=(150, 150))


def seal(path: Path) -> None:
    """The seal of the huts: a ring with a ridge in it."""
    image = Image.new("RGBA", (360, 360), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    red = (150, 30, 34, 255)
    draw.ellipse((8, 8, 352, 352), outline=red, width=14)
    draw.ellipse((38, 38, 322, 322), outline=red, width=5)
    draw.line([(70, 225), (130, 140), (165, 185), (215, 100), (290, 225)], fill=red, width=13, joint="curve")
    draw.line([(90, 255), (270, 255)], fill=red, width=10)
    image.save(path, optimize=True)
