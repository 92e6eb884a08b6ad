"""PDFs stamped, turned, split, joined and made ready to send, judged by qpdf, poppler and pypdf."""

from __future__ import annotations

import re
import shutil
from pathlib import Path
from typing import Any, cast

import pikepdf
import pypdf
import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from pdfs import Sheet, clean, done, drawn, made, needs_poppler, needs_qpdf, reds, run, seal
from PIL import ImageChops

import scrub

pytestmark = [needs_qpdf, needs_poppler]


CARDS = [
    Sheet("Route card 1"),
    Sheet("draft", turn=90),
    Sheet("Route card 3", (0, 0, 842, 595)),
    Sheet("Route card 4", turn=270),
]
STAMP = 'stamp-picture "seal.png", place: bottom-right, width: 4 cm, margin: 1 cm, called: "seal"'


@pytest.fixture
def cards(home: Path) -> Path:
    seal(Path("seal.png"))
    return made(CARDS, Path("cards.pdf"), {"Title": "Cards", "Author": "Office"})


BOXES = st.tuples(
    st.sampled_from([(0, 0, 595, 842), (842, 595, 0, 0), (-100, 50, 400, 900), (20, 20, 320, 420)]),
    st.sampled_from([0, 90, 180, 270, -90, 450]), st.sampled_from([1, 2]), st.booleans(),
)  # fmt: skip
CONTENTS = [
    b"", b"q 2 0 0 2 50 50 cm", b"Q Q 0.5 0 0 0.5 0 0 cm q", b"BT /F1 9 Tf 3 0 0 3 9 9 Tm (a \\) Q q (b) c) Tj",
    b"/P BMC q 1 0 0 rg", b"q BI /W 2 /H 1 /BPC 8 /CS /G ID qQ EI", b"% Q Q Q\nq <5120> pop",
]  # fmt: skip


@given(
    BOXES,
    st.sampled_from(CONTENTS),
    st.sampled_from(["top-left", "bottom-right", "middle", "top"]),
    st.sampled_from(["table", "stream"]),
)
@examples(25)
def test_a_stamp_is_where_it_was_asked_for_on_any_page(
    home: Path, tmp_path: Path, page: tuple[Any, int, int, bool], content: bytes, spot: str, table: str
) -> None:
    box, turn, unit, cropped = page
    wide, high = abs(box[2] - box[0]), abs(box[3] - box[1])
    low = (min(box[0], box[2]), min(box[1], box[3]))
    more: dict[str, Any] = {"UserUnit": unit} if unit != 1 else {}
    seen = (wide, high)
    if cropped:
        more["CropBox"] = [low[0] + 20, low[1] + 30, low[0] + wide - 40, low[1] + high - 10]
        seen = (wide - 60, high - 40)
    mode = pikepdf.ObjectStreamMode.generate if table == "stream" else pikepdf.ObjectStreamMode.disable
    seal(tmp_path / "seal.png")
    path = made([Sheet("x", box, turn, content, **more)], tmp_path / "page.pdf", object_stream_mode=mode)
    before = path.read_bytes()
    done(f'each page\nstamp-picture "seal.png", place: {spot}, width: 2 cm, margin: 0.5 cm\nend', path)
    assert path.read_bytes().startswith(before)
    clean(path)
    if unit == 1:  # pdftoppm draws pages with another unit in theirs
        image = drawn(path, dots=72)
        found = reds(image)
        assert found is not None
        across, down = (seen[1], seen[0]) if turn % 180 else seen
        x = {"top-left": 14.2, "bottom-right": across - 14.2 - 56.7}.get(spot, (across - 56.7) / 2)
        y = {"top-left": 14.2, "top": 14.2, "bottom-right": down - 14.2 - 28.3}.get(spot, (down - 28.3) / 2)
        for at, wanted in zip(found, (x, y, x + 56.7, y + 28.3), strict=True):
            assert abs(at - wanted) <= 2.5, (found, (x, y))
    done('unstamp called: "stamp"', path)
    scrub.undo()
    scrub.undo()
    assert path.read_bytes() == before


@pytest.mark.parametrize(("revision", "aes"), [(2, False), (3, False), (4, True), (6, True), (0, False)])
def test_what_is_appended_to_an_encrypted_file_is_encrypted_like_it(home: Path, revision: int, aes: bool) -> None:
    seal(Path("seal.png"))
    saving = (
        {"encryption": pikepdf.Encryption(user="", owner="x", R=cast(Any, revision), aes=aes, metadata=aes)}
        if revision
        else {}
    )
    path = made(CARDS, Path("cards.pdf"), {"Title": "Cards"}, **saving)
    before = path.read_bytes()
    done(
        f'pdf.title = "Cards, zażółć"\neach page\n{STAMP}\nstamp-text "page {{page.number}} zażółć", place: top\nend',
        path,
    )
    clean(path)
    assert path.read_bytes().startswith(before)
    reader = pypdf.PdfReader(str(path))
    assert reader.metadata is not None
    assert reader.metadata.title == "Cards, zażółć"
    assert "page 1 zażółć" in reader.pages[0].extract_text()
    assert reds(drawn(path)) is not None
    assert (b"za\\" in path.read_bytes() or "zażółć".encode("utf-16-be").hex().encode() in path.read_bytes()) == (
        not revision
    )
    scrub.undo()
    assert path.read_bytes() == before


def test_nothing_outside_the_stamp_changes_and_taken_off_it_is_as_before(cards: Path) -> None:
    first = cards.read_bytes()
    plain = [drawn(cards, page) for page in range(1, 5)]
    found = done(f"each page\n{STAMP}\nend", cards)
    assert str(found.changes[0]) == "seal: nothing -> seal.png, 4.0 cm, bottom-right"
    assert [change.place for change in found.changes] == ["page 1", "page 2", "page 3", "page 4"]
    for number, before in enumerate(plain, 1):
        after = drawn(cards, number)
        box = ImageChops.difference(before, after).getbbox()
        assert box is not None
        wanted = reds(after)
        assert wanted is not None
        assert all(abs(one - other) <= 2 for one, other in zip(box, wanted, strict=True))
    size = cards.stat().st_size
    done(
        'each page\nstamp-text "Draft", place: middle, size: 60 pt, angle: 45, opacity: 20%, layer: behind, called: "draft"\nend',
        cards,
    )
    done("each page\n" + STAMP.replace("bottom-right", "top-left") + "\nend", cards)
    clean(cards)
    image = drawn(cards)
    where = reds(image)
    assert where is not None
    assert where[1] < image.size[1] / 3  # the one of the same name gave way
    done('unstamp called: "seal"\nunstamp called: "draft"', cards)
    clean(cards)
    for number, before in enumerate(plain, 1):
        assert ImageChops.difference(before, drawn(cards, number)).getbbox() is None
    assert run('unstamp called: "seal"', cards).state == "unchanged"
    for number in (4, 3, 2, 1):
        scrub.undo(number)
    assert cards.read_bytes() == first
    assert size - len(first) < 20_000


def test_pages_that_go_are_gone_from_the_bytes(cards: Path) -> None:
    body = 'each page where page.text contains "draft" or page.number is 4\nlog "{page.number} {page.orientation} {page.width} {page.rotation}"\ndelete\nend\npage(1).rotation = 90\npage(2).rotation = 180'
    before = cards.read_bytes()
    found = done(body, cards)
    assert found.log == ["2 landscape 29.7 cm 90", "4 landscape 29.7 cm 270"]
    clean(cards)
    reader = pypdf.PdfReader(str(cards))
    assert [(page.extract_text(), page.rotation) for page in reader.pages] == [
        ("Route card 1", 90),
        ("Route card 3", 180),
    ]
    with pikepdf.open(cards) as pdf:
        streams = b"".join(each.read_bytes() for each in pdf.objects if isinstance(each, pikepdf.Stream))
    assert b"draft" not in streams
    assert reader.metadata is not None
    assert reader.metadata.title == "Cards"
    scrub.undo()
    assert cards.read_bytes() == before


def test_pages_are_put_in_order_split_and_joined(cards: Path) -> None:
    with pikepdf.open(cards, allow_overwriting_input=True) as pdf:
        with pdf.open_outline() as outline:
            outline.root += [pikepdf.OutlineItem("One / two", 0), pikepdf.OutlineItem("Rest", 2)]
            outline.root[1].children.append(pikepdf.OutlineItem("Below", 3))
        pdf.save(cards)
    before = cards.read_bytes()
    found = done(
        'each outline-item\nlog "{outline-item.level} {outline-item.title} {outline-item.page-number}"\nend\nin page(4)\nmove-to 1\nend',
        cards,
    )
    assert found.log == ["1 One / two 1", "1 Rest 3", "2 Below 4"]
    assert [page.extract_text() for page in pypdf.PdfReader(str(cards)).pages] == [
        "Route card 4",
        "Route card 1",
        "draft",
        "Route card 3",
    ]
    scrub.undo()
    done('split every: 3\nsplit at: outline, to: "parts"\nin pages("2, last")\nsave-pages name: "some"\nend', cards)
    assert cards.read_bytes() == before
    texts = {
        path.name: [page.extract_text() for page in pypdf.PdfReader(str(path)).pages] for path in Path().rglob("*.pdf")
    }
    assert texts == {
        "cards.pdf": ["Route card 1", "draft", "Route card 3", "Route card 4"], "cards 1-3.pdf": ["Route card 1", "draft", "Route card 3"],
        "cards 4.pdf": ["Route card 4"], "cards 1 One   two.pdf": ["Route card 1", "draft"],
        "cards 2 Rest.pdf": ["Route card 3", "Route card 4"], "some.pdf": ["draft", "Route card 4"],
    }  # fmt: skip
    shutil.copy("seal.png", "photo.png")
    body = 'all = new-file("All.pdf")\nin all\neach item in picked\nappend item\nend\nend\nsay "{count(page in all)}"'
    joined = done(body, Path("cards 4.pdf"), Path("some.pdf"), Path("photo.png"), kind="all pdf, image")
    assert joined.said == ["4"]
    clean(Path("All.pdf"))
    assert reds(drawn(Path("All.pdf"), 4)) is not None
    for _ in range(2):
        scrub.undo()
    assert sorted(path.name for path in Path().rglob("*.pdf")) == ["cards.pdf"]


def test_made_ready_to_be_sent(cards: Path) -> None:
    code = scrub.Secret("larch")
    body = 'code = secret("code")\nremove-metadata\nencrypt password: code'
    before = cards.read_bytes()
    done(body, cards, answers={"code": code})
    clean(cards, "larch")
    with pikepdf.open(cards, password="larch") as pdf:
        assert "/Info" not in pdf.trailer
        assert pdf.encryption.R == 6
    with pytest.raises(pikepdf.PasswordError):
        pikepdf.open(cards)
    assert b"larch" not in cards.read_bytes()
    locked = run(f'log "{{pdf.locked}}"\neach page\n{STAMP}\nend', cards)
    assert "needs its password" in str(locked.problem)
    open_ = 'code = secret("code")\nunlock password: code\n'
    wrong = run(open_ + 'attempt\nfail "x"\nif it fails\nend', cards, answers={"code": scrub.Secret("kite")})
    assert "different password" in str(wrong.problem)
    done(f"{open_}each page\n{STAMP}\nend\nlog pdf.text", cards, answers={"code": code})
    clean(cards, "larch")
    assert reds(drawn(cards, password="larch")) is not None
    done(f"{open_}remove-password", cards, answers={"code": code})
    clean(cards)
    assert reds(drawn(cards)) is not None
    for _ in range(3):
        scrub.undo()
    assert cards.read_bytes() == before


def test_a_signed_file_is_left_until_told(cards: Path) -> None:
    with pikepdf.open(cards, allow_overwriting_input=True) as pdf:
        signature = pdf.make_indirect(
            pikepdf.Dictionary(Type=pikepdf.Name.Sig, Contents=pikepdf.String("x"), Name="Ada")
        )
        field = pdf.make_indirect(pikepdf.Dictionary(FT=pikepdf.Name.Sig, T="Signature", V=signature))
        pdf.Root.AcroForm = pikepdf.Dictionary(Fields=[field], SigFlags=3)
        pdf.save(cards)
    before = cards.read_bytes()
    found = run(f'log "{{pdf.signed}}"\neach page\n{STAMP}\nend', cards)
    assert "cards.pdf is signed" in str(found.problem)
    assert cards.read_bytes() == before
    done(f"remove-signatures\neach page\n{STAMP}\nend", cards)
    clean(cards)
    with pikepdf.open(cards) as pdf:
        assert "/V" not in pdf.Root.AcroForm.Fields[0]
    scrub.undo()
    assert cards.read_bytes() == before


def cut(data: bytes) -> bytes:
    return data[:-300]


def circle(data: bytes) -> bytes:
    return re.sub(
        rb"/Kids \[ (\d+) 0 R",
        lambda found: b"/Kids [ " + re.findall(rb"/Parent (\d+) 0 R", data)[0] + b" 0 R",
        data,
        count=1,
    )


@pytest.mark.parametrize(("damage", "why"), [
    (lambda data: b"no pdf at all" * 100, "not a PDF"), (lambda data: b"junk\n" + data, "there is other data before its start"),
    (circle, "in a circle|twice|damaged"), (lambda data: data[:200], "damaged|no PDF|pages"), (lambda data: b"%PDF-1.7\n", "damaged"),
])  # fmt: skip
def test_bad_files_get_a_sentence(cards: Path, damage: Any, why: str) -> None:
    data = damage(cards.read_bytes())
    cards.write_bytes(data)
    found = run(f"each page\n{STAMP}\nend", cards)
    assert re.search(why, str(found.problem)), str(found.problem)
    assert cards.read_bytes() == data


@pytest.mark.parametrize(("body", "why"), [
    ('stamp-picture "none.png"', "none.png cannot be read"), ('stamp-picture "note.pdf"', "note.pdf: it is damaged"),
    ('stamp-text "\U0001f4a7\U00010330"', "no font on this computer has the character"), ('stamp-text " "', "text of the stamp is missing"),
    ('stamp-text "x", opacity: 0', "opacity is 1%"), ('stamp-text "x", colour: "reddish"', "is not a colour"),
    ("page(9).rotation = 90", "has 4 pages, but no page 9"), ("page(1).rotation = 45", "by 0, 90, 180 or 270"),
    ("each page\ndelete\nend", "would have no pages left"), ("split every: 0", "at least one page"), ("split at: outline", "has no outline"),
    ("split", "the place to split"), ('in pages("3-9")\ndelete\nend', 'no pages "3-9"'), ('in pages("some")\ndelete\nend', "is not a list of pages"),
])  # fmt: skip
def test_what_cannot_be_is_told(cards: Path, body: str, why: str) -> None:
    before = cards.read_bytes()
    Path("note.pdf").write_bytes(b"%PDF-1.7 no more")
    found = run(body, cards)
    assert re.search(why, str(found.problem)), str(found.problem)
    assert cards.read_bytes() == before


def test_what_is_picked_and_seen(cards: Path, cli: Any) -> None:
    found = done(f'in selection\n{STAMP}\nend\nlog "{{selection.count}}"', cards, at="2-3, last")
    assert found.log == ["3"]
    assert reds(drawn(cards, 1)) is None
    assert reds(drawn(cards, 2)) is not None
    seen = cli("inside", cards).out
    assert "PDF: 4 pages" in seen
    assert "1  21.0 x 29.7 cm  Route card 1" in seen
    scrub.undo()
    preview = run(f"each page\n{STAMP}\nend", cards, preview=True)
    assert len(preview.changes) == 4
    done(f'each page\n{STAMP}\nend\nattempt\neach page\nstamp-text "x"\nend\nfail "no"\nif it fails\nend', cards)
    assert "x" not in pypdf.PdfReader(str(cards)).pages[0].extract_text().replace("Route", "")


TOKENS = st.lists(
    st.sampled_from([b"q", b"Q", b"BT", b"ET", b"/P BMC", b"EMC", b"(q)", b"(a \\) Q)", b"(BT ((x) ET))", b"<51>", b"% Q q\n", b"1 0 0 rg", b"[(Q) -3 (q)] TJ", b"/q gs"]),
    max_size=12,
)  # fmt: skip


@given(TOKENS, st.sampled_from([b" ", b"\n", b"\r"]))
@examples(300)
def test_what_is_open_is_told_as_a_whole_reader_of_pages_tells_it(tokens: list[bytes], between: bytes) -> None:
    from scrub.formats.pdf.content import balance

    pdf = pikepdf.new()
    data = between.join(tokens)
    stream = pdf.make_stream(data)
    words = [str(each.operator) for each in pikepdf.parse_content_stream(stream)]
    opened = missing = marked = 0
    text = False
    for word in words:
        if word == "Q" and not opened:
            missing += 1
        opened = max(0, opened + {"q": 1, "Q": -1}.get(word, 0))
        marked = max(0, marked + {"BMC": 1, "BDC": 1, "EMC": -1}.get(word, 0))
        text = {"BT": True, "ET": False}.get(word, text)
    found = balance(pdf, stream, data)
    assert (found.before.count(b"q"), found.behind.split()) == (
        missing,
        [b"ET"] * text + [b"EMC"] * marked + [b"Q"] * opened,
    )


@pytest.mark.everything
def test_a_page_that_unpacks_without_end_is_told(home: Path) -> None:
    import zlib

    seal(Path("seal.png"))
    pdf = pikepdf.new()
    worker = zlib.compressobj(9)
    packed = b"".join(worker.compress(b"q Q " * 2_000_000) for _ in range(40)) + worker.flush()
    stream = pdf.make_stream(b"")
    stream.write(packed, filter=pikepdf.Name.FlateDecode)
    pdf.pages.append(
        pikepdf.Page(
            pdf.make_indirect(pikepdf.Dictionary(Type=pikepdf.Name.Page, MediaBox=[0, 0, 9, 9], Contents=stream))
        )
    )
    pdf.save("bomb.pdf", stream_decode_level=pikepdf.StreamDecodeLevel.none, compress_streams=False)
    assert Path("bomb.pdf").stat().st_size < 2_000_000
    found = run(f"each page\n{STAMP}\nend", Path("bomb.pdf"))
    assert "unpacks to more than 64 MB" in str(found.problem)
