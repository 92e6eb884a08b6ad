"""What goes into PDFs from other files and of other makers: pages as stamps, scans, outlines, odd ways of saving."""

from __future__ import annotations

import io
import re
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pikepdf
import pypdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pdfs import Sheet, clean, done, drawn, made, needs_poppler, needs_qpdf, reds, run, seal
from PIL import Image, ImageChops, ImageCms

import scrub

pytestmark = [needs_qpdf, needs_poppler]
RED = b"1 0 0 rg 10 10 80 30 re f BT /F1 12 Tf 10 60 Td (Kestrel Ridge) Tj ET q"


@pytest.fixture
def cards(home: Path) -> Path:
    return made([Sheet("Route card 1"), Sheet("Route card 2", turn=90)], Path("cards.pdf"))


@pytest.mark.parametrize("body", ['pdf.title = "Routes"', "page(1).rotation = 90", 'in page(1)\nstamp-text "x"\nend'])
def test_the_number_of_objects_is_right_whatever_pages_inherit(home: Path, body: str) -> None:
    """What all pages have in common is in the tree above them (7.7.3.4): it is read, and no object is made of it."""
    objects = [
        "<< /Type /Catalog /Pages 2 0 R >>",
        "<< /Type /Pages /Kids [3 0 R 4 0 R] /Count 2 /MediaBox [0 0 300 300] /Resources << /Font << /F 5 0 R >> >> >>",
        "<< /Type /Page /Parent 2 0 R >>",
        "<< /Type /Page /Parent 2 0 R >>",
        "<< /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>",
        "<< /Title (Cards) >>",
    ]
    data, places = b"%PDF-1.5\n", []
    for number, each in enumerate(objects, 1):
        places.append(len(data))
        data += f"{number} 0 obj\n{each}\nendobj\n".encode()
    rows = "".join(f"{place:010} 00000 n \n" for place in places)
    data += f"xref\n0 7\n0000000000 65535 f \n{rows}trailer\n<< /Size 7 /Root 1 0 R /Info 6 0 R >>\nstartxref\n{len(data)}\n%%EOF\n".encode()
    path = Path("common.pdf")
    path.write_bytes(data)
    clean(path)
    done(body, path)
    clean(path)
    done(body.replace("Routes", "Paths").replace("90", "180"), path)
    clean(path)


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
@pytest.mark.parametrize("saving", [{}, {"object_stream_mode": pikepdf.ObjectStreamMode.generate}])
def test_a_page_of_another_file_is_a_stamp(cards: Path, turn: int, saving: dict[str, Any]) -> None:
    made([Sheet("", (5, 5, 105, 85), turn, RED)], Path("head.pdf"), **saving)
    alone = reds(drawn(Path("head.pdf"), dots=72))
    assert alone is not None
    before = drawn(cards, dots=72)
    done('in page(1)\nstamp-picture "head.pdf", place: top-left, margin: 0 cm, called: "head"\nend', cards)
    clean(cards)
    after = reds(drawn(cards, dots=72))
    assert after is not None
    assert all(abs(a - b) <= 1 for a, b in zip(after, alone, strict=True))  # of its own size, and as it is seen
    assert "Kestrel Ridge" in pypdf.PdfReader(str(cards)).pages[0].extract_text()
    done(
        'in page(1)\nstamp-picture "head.pdf", place: top-left, margin: 0 cm, width: 20 cm, called: "head"\nend', cards
    )
    larger = reds(drawn(cards, dots=72))
    assert larger is not None
    size = (80, 100) if turn in (90, 270) else (100, 80)
    assert abs((larger[2] - larger[0]) / (alone[2] - alone[0]) - 20 / 2.54 * 72 / size[0]) < 0.15
    done('unstamp called: "head"', cards)
    assert ImageChops.difference(before, drawn(cards, dots=72)).getbbox() is None


def test_a_page_as_a_stamp_on_an_encrypted_file(cards: Path) -> None:
    made([Sheet("", (0, 0, 100, 80), 0, RED)], Path("head.pdf"))
    code = scrub.Secret("larch")
    done('code = secret("code")\nencrypt password: code', cards, answers={"code": code})
    done(
        'code = secret("code")\nunlock password: code\neach page\nstamp-picture "head.pdf"\nend',
        cards,
        answers={"code": code},
    )
    clean(cards, "larch")
    assert reds(drawn(cards, password="larch")) is not None
    other = made([Sheet("x")], Path("other.pdf"))
    assert "cards.pdf: it needs a password to open" in str(run('stamp-picture "cards.pdf"', other).problem)


def outlined(path: Path, closed: bool = False) -> Path:
    made([Sheet(f"Page {number}") for number in range(1, 7)], path)
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        with pdf.open_outline() as outline:
            ridge = pikepdf.OutlineItem("ridge", 0)
            ridge.is_closed = closed
            ridge.children += [pikepdf.OutlineItem("north", 1), pikepdf.OutlineItem("south", 2)]
            outline.root += [ridge, pikepdf.OutlineItem("VALLEY", 3), pikepdf.OutlineItem("huts", 5)]
        pdf.save(path)
    return path


def titles(path: Path) -> list[Any]:
    def plain(items: Any) -> list[Any]:
        return [plain(each) if isinstance(each, list) else str(each["/Title"]) for each in items]

    return plain(pypdf.PdfReader(str(path)).outline)


def test_the_outline_is_renamed_cut_and_saved_in_parts(home: Path) -> None:
    path = outlined(Path("guide.pdf"))
    assert titles(path) == ["ridge", ["north", "south"], "VALLEY", "huts"]
    old = path.read_bytes()
    done(
        "each outline-item where outline-item.level is 1\noutline-item.title = outline-item.title.lower.sentence-case\nend",
        path,
    )
    clean(path)
    assert path.read_bytes().startswith(old)
    assert titles(path) == ["Ridge", ["north", "south"], "Valley", "Huts"]
    done('each outline-item where outline-item.title is "north" or outline-item.title is "Valley"\ndelete\nend', path)
    clean(path)
    assert titles(path) == ["Ridge", ["south"], "Huts"]
    done(
        'each outline-item where outline-item.title is "Ridge"\nsave-pages to: "parts"\ndelete\nend',
        path,
    )
    clean(path)
    assert titles(path) == ["Huts"]
    part = pypdf.PdfReader("parts/Ridge.pdf")
    assert [page.extract_text() for page in part.pages] == [f"Page {number}" for number in range(1, 6)]
    for _ in range(3):
        scrub.undo()
    assert path.read_bytes() == old
    assert not Path("parts").exists()
    done('each page where page.number < 3\ndelete\nend\neach outline-item\noutline-item.title = "x"\nend', path)
    assert {each for each in titles(path) if isinstance(each, str)} == {"x"}


@given(st.lists(st.sampled_from(range(5)), max_size=3), st.booleans())
def test_entries_taken_out_leave_an_outline_that_others_read(gone: list[int], closed: bool) -> None:
    path = outlined(Path("made.pdf"), closed)
    names = ["ridge", "north", "south", "VALLEY", "huts"]
    if gone:
        wanted = " or ".join(f'outline-item.title is "{names[each]}"' for each in gone)
        run(f"each outline-item where {wanted}\ndelete\nend", path)
    left = {names[each] for each in range(5) if each not in gone and not (0 in gone and each in (1, 2))}
    seen: set[str] = set()
    with pikepdf.open(path) as pdf, pdf.open_outline() as outline:
        waiting = list(outline.root)
        while waiting:
            each = waiting.pop()
            seen.add(str(each.title))
            waiting += each.children
        root = pdf.Root.Outlines
        assert int(root.get("/Count", 0)) == len(left - {"north", "south"} if closed else left)
    assert seen == left


def hybrid(path: Path, told_free: bool = False) -> Path:
    """A file whose font is in an object stream that only newer readers look into (7.5.8.4)."""
    packed = b"5 0 << /Type /Font /Subtype /Type1 /BaseFont /Helvetica >>"
    rows = b"".join(bytes((2, 0, 6, 0)) for _ in range(1))
    bodies = {
        1: b"<< /Type /Catalog /Pages 2 0 R >>", 2: b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        3: b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R /Resources << /Font << /F1 5 0 R >> >> >>",
        4: b"<< /Length 45 >>\nstream\nBT /F1 24 Tf 72 700 Td (Route card 9) Tj ET  \nendstream",
        6: b"<< /Type /ObjStm /N 1 /First 4 /Length %d >>\nstream\n%b\nendstream" % (len(packed), packed),
        7: b"<< /Type /XRef /Size 8 /W [1 2 1] /Index [5 1] /Root 1 0 R /Length %d >>\nstream\n%b\nendstream" % (len(rows), rows),
    }  # fmt: skip
    out, places = bytearray(b"%PDF-1.5\n"), {}
    for number, body in bodies.items():
        places[number] = len(out)
        out += b"%d 0 obj\n" % number + body + b"\nendobj\n"
    start = len(out)
    out += b"xref\n0 5\n0000000005 65535 f \n" + b"".join(b"%010d 00000 n \n" % places[each] for each in (1, 2, 3, 4))
    out += (
        (b"5 1\n0000000000 65535 f \n" if told_free else b"")
        + b"6 2\n"
        + b"".join(b"%010d 00000 n \n" % places[each] for each in (6, 7))
    )
    out += b"trailer\n<< /Size 8 /Root 1 0 R /XRefStm %d >>\nstartxref\n%d\n%%%%EOF\n" % (places[7], start)
    path.write_bytes(out)
    return path


@pytest.mark.parametrize("way", ["hybrid", "linear", "packed"])
def test_a_file_saved_in_an_odd_way_takes_a_stamp(home: Path, way: str) -> None:
    seal(Path("seal.png"))
    path = Path("card.pdf")
    if way == "hybrid":
        hybrid(path)
    else:
        packed = pikepdf.ObjectStreamMode.generate
        made([Sheet("Route card 9")], path, linearize=way == "linear", object_stream_mode=packed)
    before = pypdf.PdfReader(str(path)).pages[0].extract_text()
    assert "Route card 9" in before
    old = path.read_bytes()
    done('stamp-picture "seal.png", width: 4 cm\nstamp-text "Grüße", place: top', path)
    assert path.read_bytes().startswith(old)
    found = pypdf.PdfReader(str(path))
    assert "Route card 9" in found.pages[0].extract_text()
    assert reds(drawn(path)) is not None
    clean(path)
    scrub.undo()
    assert path.read_bytes() == old


def test_a_file_of_which_the_library_misses_objects_is_left(home: Path) -> None:
    """Older readers are told that these objects are free; what takes that at its word would lose them."""
    path = hybrid(Path("card.pdf"), told_free=True)
    old = path.read_bytes()
    found = run("page(1).rotation = 90", path)
    if found.problem is None:
        assert "Route card 9" in pypdf.PdfReader(str(path)).pages[0].extract_text()
    else:
        assert "listed twice, for older and newer readers" in str(found.problem)
        assert path.read_bytes() == old


def test_what_a_stamp_may_break_is_told(cards: Path) -> None:
    seal(Path("seal.png"))
    with pikepdf.open(cards, allow_overwriting_input=True) as pdf:
        with pdf.open_metadata() as said:
            said["pdfaid:part"] = "1"
        pdf.Root.AcroForm = pikepdf.Dictionary(Fields=[], XFA=pdf.make_stream(b"<x/>"))
        pdf.save(cards)
    notes = " ".join(done('stamp-picture "seal.png", opacity: 30%', cards, preview=True).notes)
    assert "archive file (PDF/A), which a transparent stamp may break" in notes
    assert "(XFA)" in notes
    assert not done("page(1).rotation = 90", cards, preview=True).notes


# -- pictures that become pages


def photo(orientation: int = 1, ending: str = "jpeg", **saving: Any) -> bytes:
    """A picture with a red corner, top left as it is kept."""
    image = Image.new("RGB", (80, 40), "white")
    image.paste((220, 0, 0), (0, 0, 20, 10))
    mark = Image.Exif()
    mark[0x0112] = orientation
    out = io.BytesIO()
    image.save(out, ending, exif=mark, **saving)
    return out.getvalue()


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("ending", ["jpeg", "png", "tiff", "webp"])
def test_a_picture_becomes_a_page_as_it_is_seen_and_a_jpeg_goes_in_as_it_is(
    home: Path, orientation: int, ending: str
) -> None:
    data = photo(orientation, ending)
    Path(f"a.{ending}").write_bytes(data)
    done(f'append "a.{ending}", paper: as-it-is', made([Sheet("x")], Path("all.pdf")))
    clean(Path("all.pdf"))
    page = drawn(Path("all.pdf"), 2, dots=96)
    seen = Image.open(Path(f"a.{ending}"))
    seen.load()
    from PIL import ImageOps

    upright = ImageOps.exif_transpose(seen).convert("RGB")
    assert page.size == upright.size
    one, other = reds(page), reds(upright)
    assert one is not None
    assert other is not None
    assert all(abs(a - b) <= 1 for a, b in zip(one, other, strict=True))
    if ending == "jpeg":
        with pikepdf.open("all.pdf") as pdf:
            assert pdf.pages[1].Resources.XObject.Image.read_raw_bytes() == data


def test_each_page_of_a_scan_becomes_one(home: Path) -> None:
    scans = [Image.new("1", (100, 140), number % 2) for number in range(3)]
    scans[0].save("scan.tiff", save_all=True, append_images=scans[1:], compression="group4", dpi=(100, 100))
    path = made([Sheet("x")], Path("all.pdf"))
    done('append "scan.tiff", paper: as-it-is', path)
    clean(path)
    assert len(pypdf.PdfReader(str(path)).pages) == 4
    middle = drawn(path, 3)
    assert min(middle.convert("L").tobytes()) > 250
    assert max(drawn(path, 2).convert("L").tobytes()) < 5
    moving = [Image.new("RGB", (20, 20), colour) for colour in ("red", "blue")]
    moving[0].save("moving.webp", save_all=True, append_images=moving[1:])
    assert "moving.webp: the picture is an animation" in str(run('append "moving.webp"', path).problem)
    assert "none.pdf cannot be read" in str(run('append "none.pdf"', path).problem)


@pytest.mark.parametrize("ending", ["jpeg", "png"])
def test_the_colours_of_a_picture_mean_what_they_meant(home: Path, ending: str) -> None:
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    Path(f"a.{ending}").write_bytes(photo(1, ending, icc_profile=profile))
    path = made([Sheet("x")], Path("all.pdf"))
    done(f'append "a.{ending}"\nin page(1)\nstamp-picture "a.{ending}"\nend', path)
    clean(path)
    with pikepdf.open(path) as pdf:
        found = [
            each.ColorSpace[1].read_bytes()
            for each in pdf.objects
            if isinstance(each, pikepdf.Stream) and each.get("/Subtype") == "/Image"
        ]
    assert found == [profile, profile]
    assert reds(drawn(path, 2)) is not None


def test_a_file_is_named_and_put_away_by_what_is_in_it(cards: Path) -> None:
    old = cards.read_bytes()
    done('rename to: "{page(1).text.words.last} route"\nmove to: "sent/2026"\nstamp-text "x"', cards)
    assert not cards.exists()
    assert Path("sent/2026/1 route.pdf").read_bytes().startswith(old)
    scrub.undo()
    assert cards.read_bytes() == old
    assert not Path("sent").exists()
    Path("taken.pdf").write_bytes(b"")
    done('rename to: "taken"', cards)
    assert Path("taken (2).pdf").exists() or Path("taken 2.pdf").exists()
    scrub.undo()
    done('rename to: "kept"', cards, into="out")
    assert cards.exists()
    assert Path("out/kept.pdf").read_bytes() == old
    assert "leads to another folder" in str(run('pdf.title = "../up"\nmove to: pdf.title', cards).problem)


@pytest.mark.everything
def test_what_was_packed_without_end_in_another_file_is_told(cards: Path) -> None:
    pdf = pikepdf.new()
    huge = pdf.make_stream(b"")
    huge.write(zlib.compress(b"q " * 200_000_000), filter=pikepdf.Name.FlateDecode)
    leaf = pikepdf.Dictionary(Type=pikepdf.Name.Page, MediaBox=[0, 0, 100, 100], Contents=huge)
    pdf.pages.append(pikepdf.Page(pdf.make_indirect(leaf)))
    pdf.save("huge.pdf")
    assert "huge.pdf: part of it, such as the content of a page, unpacks to more than 64 MB" in str(
        run('stamp-picture "huge.pdf"', cards).problem
    )


def test_a_scanned_page_is_not_blank(home: Path) -> None:
    """A page is blank when nothing is seen on it: a picture counts, also a white one, and a white ground does not."""
    scan = Image.new("RGB", (300, 400), (250, 250, 248))
    scan.save("scan.png")
    cards = made([Sheet("words"), Sheet(""), Sheet("")], Path("cards.pdf"))
    with pikepdf.open(cards, allow_overwriting_input=True) as pdf:
        for content in (b"1 1 1 rg 0 0 400 600 re f", b"0 0 0 RG 20 20 m 300 300 l S", b""):
            pdf.add_blank_page(page_size=(300, 400))
            pdf.pages[-1].Contents = pdf.make_stream(content)
        pdf.save(cards)
    done('in page(3)\nstamp-picture "scan.png"\nend', cards)
    assert done('each page\nlog "{page.number} {page.blank}"\nend', cards).log == [
        "1 no", "2 yes", "3 no", "4 yes", "5 no", "6 yes"
    ]  # fmt: skip
    assert done('in page(2)\nstamp-text "x"\nlog page.blank\nend', cards).log == ["no"]


@pytest.mark.parametrize(
    "damage",
    [
        lambda data: data[: data.rindex(b"startxref")] + b"startxref\n99\n%%EOF\n",
        lambda data: data.replace(b"endobj", b"endxxx", 1),
        lambda data: re.sub(rb"/Length (\d)(\d)", lambda found: b"/Length 9%b" % found[2], data),
    ],
    ids=["no list of objects", "an object without end", "wrong lengths"],
)
def test_what_had_to_be_guessed_is_not_built_upon(cards: Path, damage: Callable[[bytes], bytes]) -> None:
    data = damage(cards.read_bytes())
    assert data != cards.read_bytes()
    cards.write_bytes(data)
    problem = str(run('each page\nlog page.text\nstamp-text "Draft"\nend', cards).problem)
    assert "it is damaged" in problem
    assert cards.read_bytes() == data
