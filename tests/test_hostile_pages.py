"""Hostile PDFs and pictures end with a sentence or are worked on, in bounded time and memory, and hold back no other file."""

from __future__ import annotations

import io
import resource
import struct
import subprocess
import sys
import zlib
from collections.abc import Callable
from pathlib import Path

import pikepdf
import pytest
from conftest import FOR_EVER, macro, some
from PIL import Image

import scrub

CATALOG = b"<< /Type /Catalog /Pages 2 0 R %b >>"
PAGE = b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R /Resources << %b >> >>"
PACKED = b"/Filter /FlateDecode"
FORM = b"/Type /XObject /Subtype /Form /BBox [0 0 10 10] "
ONCE = zlib.compress(b"\0" * 310)  # the points of a picture of ten by ten


def stream(data: bytes, more: bytes = b"") -> bytes:
    return b"<< /Length %d %b >>\nstream\n%b\nendstream" % (len(data), more, data)


def bomb(megabytes: int, what: bytes = b" ") -> bytes:
    packer = zlib.compressobj(9)
    block = what * (1_000_000 // len(what))
    return b"".join([packer.compress(block) for _ in range(megabytes)]) + packer.flush()


def pdf(bodies: dict[int, bytes], catalog: bytes = b"") -> bytes:
    """A file of one page with these objects beside or instead of its own."""
    bodies = {
        1: CATALOG % catalog,
        2: b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        3: PAGE % b"",
        4: stream(b"BT ET"),
        **bodies,
    }
    out, places = bytearray(b"%PDF-1.7\n"), {}
    for number, body in bodies.items():
        places[number] = len(out)
        out += b"%d 0 obj\n%b\nendobj\n" % (number, body)
    table = b"".join(b"%d 1\n%010d 00000 n \n" % each for each in places.items())
    tail = b"trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n" % (max(bodies) + 1, len(out))
    return bytes(out) + b"xref\n0 1\n0000000000 65535 f \n" + table + tail


def content(data: bytes, more: bytes = b"") -> bytes:
    return pdf({4: stream(data, more)})


def listed(count: int, same: bool) -> bytes:
    numbers = [3] * count if same else range(10, 10 + count)
    kids = b" ".join(b"%d 0 R" % each for each in numbers)
    return pdf({2: b"<< /Type /Pages /Kids [%b] /Count %d >>" % (kids, count), **dict.fromkeys(numbers, PAGE % b"")})


def packed_objects() -> bytes:
    """Objects that are packed into 600 MB of spaces (ISO 32000-1, 7.5.7)."""
    packer = zlib.compressobj(9)
    data = (
        packer.compress(b"5 0 << /A 1 >>")
        + b"".join([packer.compress(b" " * 1_000_000) for _ in range(600)])
        + packer.flush()
    )
    bodies = {1: CATALOG % b"", 2: b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>", 3: (PAGE % b"").replace(b"<<  >>", b"5 0 R"),
              4: stream(b"BT ET"), 6: stream(data, b"/Type /ObjStm /N 1 /First 4 " + PACKED)}  # fmt: skip
    out, places = bytearray(b"%PDF-1.7\n"), {}
    for number, body in bodies.items():
        places[number] = len(out)
        out += b"%d 0 obj\n%b\nendobj\n" % (number, body)
    rows = b"".join(
        b"\x02" + struct.pack(">IH", 6, 0) if n == 5 else b"\x01" + struct.pack(">IH", places[n], 0)
        for n in range(1, 7)
    )
    start = len(out)
    out += b"7 0 obj\n%b\nendobj\n" % stream(rows, b"/Type /XRef /Size 8 /W [1 4 2] /Index [1 6] /Root 1 0 R")
    return bytes(out) + b"startxref\n%d\n%%%%EOF\n" % start


def forms_in_forms() -> bytes:
    """Each draws the next four times: 4 to the power of 25 in all."""
    draws = {
        10 + i: stream(b"/A Do " * 4, FORM + b"/Resources << /XObject << /A %d 0 R >> >>" % (11 + i)) for i in range(25)
    }
    return pdf({3: PAGE % b"/XObject << /A 10 0 R >>", 4: stream(b"/A Do"), **draws, 35: stream(b"BT ET", FORM)})


def long_outline() -> bytes:
    items = {11 + i: b"<< /Title (a) /Next %d 0 R /Dest [3 0 R /Fit] >>" % (12 + i) for i in range(12_000)}
    return pdf({10: b"<< /First 11 0 R >>", **items}, b"/Outlines 10 0 R")


def chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png(width: int, height: int, extra: bytes = b"", data: bytes = ONCE) -> bytes:
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + extra + chunk(b"IDAT", data) + chunk(b"IEND", b"")


def jpeg() -> bytes:
    made = io.BytesIO()
    Image.new("RGB", (64, 64), "white").save(made, "JPEG")
    return made.getvalue()


def with_segments(*segments: bytes) -> bytes:
    return jpeg()[:2] + b"".join(segments) + jpeg()[2:]


def tiff(frames: int, circle: bool = False) -> bytes:
    entries = [
        (256, 4, 1, 10),
        (257, 4, 1, 10),
        (258, 3, 1, 8),
        (259, 3, 1, 1),
        (262, 3, 1, 1),
        (273, 4, 1, 8),
        (278, 4, 1, 10),
        (279, 4, 1, 100),
    ]
    out = bytearray(struct.pack("<2sHI", b"II", 42, 8))
    for frame in range(frames):
        following = len(out) + 2 + 12 * len(entries) + 4 if frame < frames - 1 else 8 if circle else 0
        out += (
            struct.pack("<H", len(entries))
            + b"".join(struct.pack("<HHII", *each) for each in entries)
            + struct.pack("<I", following)
        )
    return bytes(out) + b"\0" * 400


ATTACKS: dict[str, Callable[[], bytes]] = {
    "content of 400 MB.pdf": lambda: content(bomb(400), PACKED),
    "content packed twice.pdf": lambda: content(zlib.compress(bomb(900)), b"/Filter [/FlateDecode /FlateDecode]"),
    "content packed by an old way.pdf": lambda: content(b"\x80\x0b\x60\x50\x22\x0c\x0c\x85\x01" * 1000, b"/Filter /LZWDecode"),
    "content packed by lengths.pdf": lambda: content(b"\x81 " * 400_000, b"/Filter /RunLengthDecode"),
    "content with a predictor.pdf": lambda: content(bomb(300), PACKED + b" /DecodeParms << /Predictor 15 /Columns 5 >>"),
    "content in hexadecimal.pdf": lambda: content(bomb(400, b"2"), b"/Filter [/FlateDecode /ASCIIHexDecode]"),
    "states saved without end.pdf": lambda: content(bomb(100, b"q "), PACKED),
    "texts in texts.pdf": lambda: content(b"BT " + b"(" * 400_000),
    "text without end.pdf": lambda: content(b"(\\" * 300_000),
    "hexadecimal without end.pdf": lambda: content(b"<" * 600_000),
    "remark without end.pdf": lambda: content(b"%" * 600_000),
    "pages in a circle.pdf": lambda: pdf({2: b"<< /Type /Pages /Kids [2 0 R 3 0 R] /Count 2 >>"}),
    "one page many times.pdf": lambda: listed(60_000, same=True),
    "many pages.pdf": lambda: listed(2_000, same=False),
    "lists in lists.pdf": lambda: pdf({5: b"[" * 400_000}),
    "lists in a page.pdf": lambda: pdf({3: (PAGE % b"")[:-2] + b"/X " + b"[" * 450 + b"]" * 450 + b">>"}),
    "resources in a circle.pdf": lambda: pdf({3: (PAGE % b"").replace(b"<<  >>", b"5 0 R"), 5: b"<< /XObject << /A 6 0 R >> /Font 5 0 R >>",
                                              6: stream(b"/A Do", FORM + b"/Resources 5 0 R")}),
    "outline in a circle.pdf": lambda: pdf({5: b"<< /First 6 0 R /Last 6 0 R /Count 1 >>",
                                            6: b"<< /Title (a) /Parent 5 0 R /Next 6 0 R /First 6 0 R >>"}, b"/Outlines 5 0 R"),
    "long outline.pdf": long_outline,
    "fields in a circle.pdf": lambda: pdf({5: b"<< /T (a) /Kids [5 0 R 5 0 R] >>"}, b"/AcroForm << /Fields [5 0 R] >>"),
    "names in a circle.pdf": lambda: pdf({5: b"<< /Kids [5 0 R 5 0 R] >>", 6: b"<< /First 7 0 R >>", 7: b"<< /Title (a) /Dest (x) >>"},
                                         b"/Names << /Dests 5 0 R >> /Outlines 6 0 R"),
    "huge sizes.pdf": lambda: pdf({3: b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 1" + b"0" * 3000 + b" 1e99] /UserUnit 99999999999 /Rotate 1"
                                   + b"0" * 400 + b" /Contents 4 0 R >>"}),
    "packed objects.pdf": packed_objects,
    "a drawing of 400 MB.pdf": lambda: pdf({3: PAGE % b"/XObject << /A 6 0 R >>", 4: stream(b"/A Do"),
                                            6: stream(bomb(400, b"1 0 0 rg "), FORM + PACKED)}),
    "drawings in drawings.pdf": forms_in_forms,
    "metadata of 400 MB.pdf": lambda: pdf({5: stream(bomb(400), b"/Type /Metadata /Subtype /XML " + PACKED)}, b"/Metadata 5 0 R"),
    "attachment of 500 MB.pdf": lambda: pdf({5: b"<< /Type /Filespec /F (a) /EF << /F 6 0 R >> >>",
                                             6: stream(bomb(500), b"/Type /EmbeddedFile " + PACKED)},
                                            b"/Names << /EmbeddedFiles << /Names [(a) 5 0 R] >> >>"),
    "ten thousand million points.png": lambda: png(100_000, 100_000),
    "points of 507 MB.png": lambda: png(13_000, 13_000, data=bomb(507, b"\0")),
    "profile of 400 MB.png": lambda: png(10, 10, chunk(b"iCCP", b"a\0\0" + bomb(400))),
    "texts of 1 GB.png": lambda: png(10, 10, chunk(b"zTXt", b"a\0\0" + bomb(50)) * 20),
    "many chunks.png": lambda: png(10, 10, chunk(b"tEXt", b"a\0b") * 60_000),
    "huge.jpg": lambda: jpeg().replace(b"\x00\x40\x00\x40", b"\xff\xdc\xff\xdc", 1),
    "many segments.jpg": lambda: with_segments(b"\xff\xe1\x00\x0aExif\0\0II" * 80_000),
    "remarks without end.jpg": lambda: with_segments(
        *[b"\xff\xe1" + struct.pack(">H", 60031) + b"http://ns.adobe.com/xap/1.0/\0" + (b"<a:GPS " * 9000)[:60000]] * 14),
    "frames in a circle.tiff": lambda: tiff(1, circle=True),
    "many frames.tiff": lambda: tiff(9000),
}  # fmt: skip

LOOK = r"""
import re, resource, sys
resource.setrlimit(resource.RLIMIT_AS, (4 << 30, 4 << 30))
import scrub
name = sys.argv[1]
ON_PDFS = ['''a = "{pdf.title} {pdf.author} {pdf.signed} {pdf.made-at} {pdf.attachments}"
each page
    b = "{page.width} {page.height} {page.rotation} {page.page-label}"
end
each outline-item
    c = "{outline-item.title} {outline-item.page-number}"
end
attempt
    each page
        stamp-text "x"
    end
if it fails
    page(1).rotation = 90
end''', 'each page where page.number < 20\nb = page.text\nend', 'each page where page.number is 1\nstamp-text "x"\nend\nremove-metadata',
'append "%s"\npdf.title = "x"' % name, 'stamp-picture "%s"' % name]
ON_PICTURES = ['a = "{picture.width} {picture.taken-at} {picture.has-location} {picture.frames} {picture.upright}"\nturn to: right',
'resize longest: 8', 'remove-location', 'remove-metadata', 'make-upright', 'stamp-text "x"', 'convert to: png']
ON_BASE = ['append "%s"' % name, 'stamp-picture "%s"' % name]
runs = [("pdf", each, name) for each in ON_PDFS] if name.endswith(".pdf") else [
    *(("picture", each, name) for each in ON_PICTURES), *(("pdf", each, "base.pdf") for each in ON_BASE)]
for kind, body, path in runs:
    print(str(scrub.run(f"macro T\nfor {kind}\n{body}\n", [path], preview=True).files[0].problem).replace("\n", " "))
print(re.search("VmHWM:\\s*(\\d+)", open("/proc/self/status").read())[1])
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
"""


@pytest.mark.parametrize("name", some(ATTACKS, 25))
def test_a_hostile_file_ends_with_a_sentence(home: Path, name: str) -> None:
    Path(name).write_bytes(ATTACKS[name]())
    base = pikepdf.new()
    base.add_blank_page()
    base.save("base.pdf")
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    found = subprocess.run(
        [sys.executable, "-c", LOOK, name], capture_output=True, text=True, check=False, timeout=FOR_EVER
    )
    assert found.returncode == 0, found.stderr[-500:]
    *said, memory, of_helpers = found.stdout.strip().splitlines()
    assert "is a bug" not in str(said)
    assert "bug in Scrub" not in str(said)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    assert (
        after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime < 45
    )  # seconds of work, for all of up to nine macros
    assert int(memory) < 300_000  # in KB; what a process has when it has opened a plain one is some 60,000
    assert int(of_helpers) < 300_000


def test_a_page_that_asks_for_too_much_holds_back_no_other(home: Path) -> None:
    Path("bad.pdf").write_bytes(ATTACKS["drawings in drawings.pdf"]())
    Path("good.pdf").write_bytes(content(b"BT ET"))
    files = scrub.run(macro('each page\nlog "<{page.text}>"\nend', "pdf"), ["bad.pdf", "good.pdf"]).files
    assert "seconds or too much memory" in str(files[0].problem)
    assert files[1].log == ["<>"]


def test_files_that_failed_are_let_go(home: Path) -> None:
    """A result names what was wrong; it contains nothing of what was open."""
    Path("bad.pdf").write_bytes(b"%PDF-1.7 and no more")
    Path("good.pdf").write_bytes(content(b"BT ET"))
    for file in scrub.run(macro('pdf.title = "{1 / 0}"', "pdf"), ["bad.pdf", "good.pdf"]).files:
        problem = file.problem
        assert problem is not None
        assert (problem.__traceback__, problem.__context__, problem.__cause__) == (None, None, None)


def test_new_objects_take_the_number_of_no_other(home: Path) -> None:
    """Numbers that are by themselves are objects, too; and a file may say that it has fewer than it has."""
    data = pdf({3: (PAGE % b"")[:-2] + b"/Rotate 6 0 R >>", 6: b"90", 7: b"91"})
    said = b"/Size 8"
    assert data.count(said) == 1
    Path("small.pdf").write_bytes(data.replace(said, b"/Size 6"))
    found = scrub.run(macro('each page\nstamp-text "x"\nend', "pdf"), ["small.pdf"]).files[0]
    assert found.problem is None
    with pikepdf.open("small.pdf") as seen:
        assert seen.pages[0].Rotate == 90
        assert b"Do" in b"".join(each.read_bytes() for each in seen.pages[0].Contents)


def test_a_page_read_ahead_fails_only_where_somebody_asks_for_it(home: Path) -> None:
    """Pages that are gone through are read ahead; one that takes too much holds back none of those before and after."""
    kids = b" ".join(b"%d 0 R" % number for number in range(100, 130))
    plain = (PAGE % b"/Font << /F1 5 0 R >>").replace(b"4 0 R", b"6 0 R")
    draws = {
        10 + i: stream(b"/A Do " * 4, FORM + b"/Resources << /XObject << /A %d 0 R >> >>" % (11 + i)) for i in range(25)
    }
    bodies = {
        2: b"<< /Type /Pages /Kids [%b] /Count 30 >>" % kids,
        4: stream(b"/A Do"),
        5: b"<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
        6: stream(b"BT /F1 24 Tf 72 700 Td (Hut) Tj ET"),
        **draws,
        35: stream(b"BT ET", FORM),
        **dict.fromkeys(range(100, 130), plain),
        111: PAGE % b"/XObject << /A 10 0 R >>",
    }
    Path("book.pdf").write_bytes(pdf(bodies))
    first = 'each page\nif page.number > 6\nleave loop\nend\nlog "{page.text}"\nend'
    found = scrub.run(macro(first, "pdf"), ["book.pdf"]).files[0]
    assert (str(found.problem), found.log) == ("None", ["Hut"] * 6)
    every = 'each page\nattempt\nlog "{page.text}"\nif it fails\nlog "{problem}"\nend\nend'
    found = scrub.run(macro(every, "pdf"), ["book.pdf"]).files[0]
    assert "too much memory" in found.log[11]
    assert found.log[:11] + found.log[12:] == ["Hut"] * 29
