"""Pictures turned, made smaller, cleaned and renamed, judged by Pillow, jpegtran and exiftool."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from conftest import SAMPLE, examples, macro
from hypothesis import given
from hypothesis import strategies as st
from pdfs import Agreeing
from PIL import Image, ImageChops, ImageCms, ImageOps

import scrub


def run(body: str, *paths: Path, **options: Any) -> Any:
    return scrub.run(macro(body, "image"), list(map(str, paths)), host=Agreeing(), **options).files[0]


def done(body: str, *paths: Path, **options: Any) -> Any:
    found = run(body, *paths, **options)
    assert found.problem is None, str(found.problem)
    return found


def photo(
    path: Path, size: tuple[int, int] = (96, 64), orientation: int = 1, place: bool = True, **saving: Any
) -> Path:
    """A picture of which every corner is another colour, with what a camera writes."""
    image = Image.new("RGB", size)
    image.putdata(
        [
            (x * 255 // size[0], y * 255 // size[1], 40 * ((x // 8 + y // 8) % 2))
            for y in range(size[1])
            for x in range(size[0])
        ]
    )
    exif = Image.Exif()
    exif[0x0112], exif[0x010F], exif[0x0132] = orientation, "Maker", "2026:07:01 10:00:00"
    exif.get_ifd(0x8769)[0x9003] = "2026:06:15 12:30:00"
    if place:
        exif.get_ifd(0x8825).update({1: "N", 2: (46.0, 30.0, 0.0), 3: "E", 4: (8.0, 15.0, 0.0)})
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    image.save(path, exif=exif, icc_profile=profile, **saving)
    return path


def same(one: Image.Image, other: Image.Image) -> bool:
    return one.size == other.size and ImageChops.difference(one.convert("RGB"), other.convert("RGB")).getbbox() is None


@given(
    st.integers(1, 8),
    st.lists(st.sampled_from(["left", "right", "upside-down"]), max_size=5),
    st.sampled_from([".jpg", ".png"]),
)
@examples(40)
def test_a_picture_turned_by_its_mark_and_then_by_its_points_looks_the_same(
    home: Path, tmp_path: Path, orientation: int, turns: list[str], ending: str
) -> None:
    saving: dict[str, Any] = {"quality": 90, "subsampling": 2} if ending == ".jpg" else {}
    path = photo(tmp_path / f"hut{ending}", orientation=orientation, **saving)
    before = path.read_bytes()
    wanted = ImageOps.exif_transpose(Image.open(path))
    for turn in turns:
        wanted = wanted.rotate({"left": 90, "right": 270, "upside-down": 180}[turn], expand=True)
    body = "\n".join(f"turn to: {turn}" for turn in turns)
    marked = done(f'{body}\nlog "{{image.width}} {{image.height}} {{image.upright}}"', path)
    assert same(ImageOps.exif_transpose(Image.open(path)), wanted)
    assert marked.log[0].startswith(f"{wanted.size[0]} {wanted.size[1]} ")
    differing = sum(one != other for one, other in zip(before, path.read_bytes(), strict=True))
    assert differing <= (2 if ending == ".jpg" else 6)  # a PNG has a sum over its mark
    was = path.read_bytes()
    done('make-upright\nlog "{image.upright}"', path)
    after = Image.open(path)
    assert after.getexif().get(0x0112, 1) == 1
    if ending == ".jpg":
        source, target = tmp_path / "was.jpg", tmp_path / "reference.jpg"
        source.write_bytes(was)
        how = {2: ["-flip", "horizontal"], 3: ["-rotate", "180"], 4: ["-flip", "vertical"], 5: ["-transpose"], 6: ["-rotate", "90"],
               7: ["-transverse"], 8: ["-rotate", "270"]}.get(Image.open(source).getexif().get(0x0112, 1))  # fmt: skip
        if how and shutil.which("jpegtran"):
            target.write_bytes(
                subprocess.run(["jpegtran", "-copy", "none", *how, str(source)], capture_output=True, check=True).stdout
            )
            assert same(after, Image.open(target))  # to the point, as the blocks are the same
    else:
        assert same(after, wanted)
    assert after.info["icc_profile"]


def test_a_picture_with_damaged_blocks_is_not_made_up(home: Path, capfd: pytest.CaptureFixture[str]) -> None:
    path = photo(Path("hut.jpg"), orientation=6, quality=90)
    data = path.read_bytes()
    path.write_bytes(data[: len(data) // 2] + data[len(data) // 2 + 40 :])
    found = run("make-upright", path)
    assert re.search("the image is damaged|it is damaged|the picture is damaged", str(found.problem))
    assert capfd.readouterr().err == ""


@pytest.mark.parametrize("ending", [".jpg", ".png", ".webp"])
def test_where_it_was_taken_goes_and_its_points_stay(home: Path, ending: str) -> None:
    saving: dict[str, Any] = {"lossless": True} if ending == ".webp" else {}
    path = photo(Path(f"hut{ending}"), **saving)
    before, points = path.read_bytes(), Image.open(path).copy()
    found = done(
        'log "{image.has-location} {image.taken-at} {image.format}"\nremove-location\nlog "{image.has-location}"', path
    )
    assert found.log == [f"yes 2026-06-15T12:30 {ending[1:].replace('jpg', 'jpeg')}", "no"]
    assert same(Image.open(path), points)
    assert len(path.read_bytes()) == len(before)
    if shutil.which("exiftool"):
        said = subprocess.run(["exiftool", str(path)], capture_output=True, text=True, check=True).stdout
        assert "GPS Latitude" not in said
        assert "2026:06:15 12:30:00" in said
    scrub.undo()
    assert path.read_bytes() == before


@pytest.mark.parametrize("ending", [".jpg", ".png", ".webp"])
def test_what_it_tells_of_its_making_goes_and_how_it_is_seen_stays(home: Path, ending: str) -> None:
    saving: dict[str, Any] = {"lossless": True} if ending == ".webp" else {}
    path = photo(Path(f"hut{ending}"), orientation=1 if ending == ".webp" else 6, comment="by Ada", **saving)
    before, seen = path.read_bytes(), ImageOps.exif_transpose(Image.open(path))
    done("remove-metadata", path)
    after = Image.open(path)
    assert same(ImageOps.exif_transpose(after), seen)
    assert set(dict(after.getexif())) <= {0x0112}
    assert b"Maker" not in path.read_bytes()
    assert b"Ada" not in path.read_bytes()
    assert after.info["icc_profile"]
    assert not run("remove-metadata", path).changes
    scrub.undo(1)
    assert path.read_bytes() == before


def test_made_smaller_cut_converted_and_renamed(home: Path) -> None:
    path = photo(Path("hut.jpg"), (600, 400), orientation=6)
    before = path.read_bytes()
    body = """if image.has-location
    remove-location
end
if image.height > 300
    resize longest: 300
end
crop top: 50
convert to: png
rename to: "{image.taken-at.as-text("year two-digit-month two-digit-day")} hut"
log "{image.width} x {image.height}, {image.upright}, {image.frames}\""""
    found = done(body, path)
    assert found.log == ["200 x 250, yes, 1"]
    assert [str(change) for change in found.changes] == [
        "location removed", "size: 400 x 600 -> 200 x 250", "saved as hut.png", "name: hut.jpg -> 2026 06 15 hut.jpg",
    ]  # fmt: skip
    assert sorted(each.name for each in Path().iterdir()) == ["2026 06 15 hut.jpg", "hut.png"]
    small = Image.open("2026 06 15 hut.jpg")
    assert small.size == Image.open("hut.png").size == (200, 250)
    assert small.getexif()[0x0112] == 1
    assert small.info["icc_profile"]
    scrub.undo()
    assert path.read_bytes() == before
    assert [each.name for each in Path().iterdir()] == ["hut.jpg"]
    done('rename to: "other"\nresize longest: 100', path, into="out")
    assert path.read_bytes() == before
    assert max(Image.open("out/other.jpg").size) == 100


def test_a_stamp_on_a_picture(home: Path) -> None:
    path = photo(Path("hut.png"), (300, 200))
    Image.new("RGBA", (40, 20), (255, 0, 0, 255)).save("seal.png")
    before = Image.open(path).copy()
    done('stamp-picture "seal.png", place: bottom-right, margin: 6 pt, called: "seal"', path)
    after = Image.open(path)
    assert ImageChops.difference(before, after.convert("RGB")).getbbox() == (252, 172, 292, 192)
    assert after.convert("RGB").getpixel((270, 180)) == (255, 0, 0)
    done('stamp-text "Larch Hut 2026", place: top, colour: "white", size: 12 pt', path)
    assert "undoing the run" in str(run('unstamp called: "seal"', path).problem)


@pytest.mark.parametrize(("make", "body", "why"), [
    (lambda path: path.write_bytes(b"\xff\xd8 nothing"), 'log "{image.width}"', "damaged"),
    (lambda path: path.write_bytes(b"no picture"), 'log "{image.width}"', "a picture"),
    (lambda path: photo(path, (90, 61), orientation=6), "make-upright", "whole number of blocks"),
    (lambda path: path.write_bytes(photo(path, (640, 480)).read_bytes()[:2000]), "resize longest: 10", "damaged|cut|truncated"),
    (lambda path: photo(path), "crop left: 90, right: 10", "would have none left"), (lambda path: photo(path), "resize longest: 0", "at least 1 pixel"),
    (lambda path: photo(path), "resize longest: 10, quality: 0", "quality is 1 to 100"), (lambda path: photo(path), 'rename to: "a/b"', "is not a valid file name"),
    (lambda path: path.write_bytes(photo(path).read_bytes().replace(b"Exif\0\0MM", b"Exif\0\0XX")), "turn to: right\nremove-location\nlog \"{image.taken-at}\"", "None"),
])  # fmt: skip
def test_bad_pictures_and_wishes_get_a_sentence(home: Path, make: Any, body: str, why: str) -> None:
    path = Path("hut.jpg")
    make(path)
    before = path.read_bytes()
    found = run(body, path)
    assert re.search(why, str(found.problem)), str(found.problem)
    if why != "None":
        assert path.read_bytes() == before


def test_moving_pictures_and_many_points_are_left(home: Path) -> None:
    frames = [Image.new("RGB", (20, 20), colour) for colour in ("red", "blue")]
    frames[0].save("moving.webp", save_all=True, append_images=frames[1:])
    found = run('log "{image.frames}"\nresize longest: 10', Path("moving.webp"))
    assert found.log == ["2"]
    assert "several pictures" in str(found.problem)
    Image.new("I;16", (20, 20)).save("deep.png")
    assert "16 bits" in str(run("resize longest: 10", Path("deep.png")).problem)
    huge = photo(Path("huge.png"), (8, 8)).read_bytes()
    at = huge.index(b"IHDR") + 4
    head = b"\0\1\0\0\0\1\0\0" + huge[at + 8 : at + 13]
    import zlib

    bomb = huge[:at] + head + zlib.crc32(b"IHDR" + head).to_bytes(4, "big") + huge[at + 17 :]
    Path("huge.png").write_bytes(bomb)
    assert "too large" in str(run("resize longest: 10", Path("huge.png")).problem)


def test_a_macro_for_pictures_may_say_so(home: Path, cli: Any) -> None:
    """Documents hold pictures, so that the kind of these files is called image; their header says what people say."""
    photo(Path("a.jpg"), (80, 40))
    text = 'macro Shrink\nfor   picture\n\nif picture.width > 60 and image.height is 40\n    resize longest: 60\nend\nsay "{picture.name}"\n'
    assert scrub.tidy(text) == text
    found = scrub.run(text, ["a.jpg"]).files[0]
    assert (found.state, found.said) == ("changed", ["a.jpg"])
    assert Image.open("a.jpg").size == (60, 30)
    both = "macro Both\nfor all picture, pdf\neach item in picked\nlog item.name\nend\n"
    photo(Path("b.png"))
    assert scrub.run(both, ["a.jpg", "b.png"]).files[0].log == ["a.jpg", "b.png"]
    Path("Shrink.scrub").write_text(text)
    assert cli("add", "Shrink.scrub").code == 0
    assert "Shrink" in cli("macros", "--for", "a.jpg").out
    assert "no current picture here" in str(scrub.check_text(text.replace("for   picture", "for pdf"))[0])


def test_a_missing_package_is_told_with_its_own_extra(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    Path("hut.jpg").write_bytes((SAMPLE.parent / "larch-hut.jpg").read_bytes())
    monkeypatch.setitem(sys.modules, "jpeglib", None)
    told = scrub.run(macro("make-upright", "image"), ["hut.jpg"]).files[0].problem
    assert 'Install it: pip install "scrub-macros[lossless]"' in str(told)
