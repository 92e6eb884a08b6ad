"""Pictures of documents exchanged, saved and removed, beside readers that share no code with Scrub."""

from __future__ import annotations

import io
import os
import re
from pathlib import Path
from typing import Any

import docx
import odfdo
import openpyxl
import pytest
import xlsxwriter
from conftest import macro
from documents import members, put_members
from docx.shared import Cm
from lxml import etree
from mails import Approving
from PIL import Image
from sheets import schema_findings
from test_documents import run as run_document

import scrub

BLIP = "{http://schemas.openxmlformats.org/drawingml/2006/main}blip"
EMBED = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}embed"
DRAW = "urn:oasis:names:tc:opendocument:xmlns:drawing:1.0"
SVG = "urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0"
HREF = "{http://www.w3.org/1999/xlink}href"


def run(body: str, path: Path, **options: Any) -> Any:
    """What a macro does to a document, for somebody who agrees that it reads a picture."""
    return run_document(body, path, **{"host": Approving(), **options})


def picture(colour: str, size: tuple[int, int], kind: str = "PNG", **more: Any) -> bytes:
    stream = io.BytesIO()
    Image.new("RGB", size, colour).save(stream, kind, **more)
    return stream.getvalue()


def of_docx(name: str, *shown: bytes) -> Path:
    """A document with these pictures, each 4 cm wide."""
    made_by = docx.Document()
    for each in shown:
        made_by.add_paragraph("A  hut: ").add_run().add_picture(io.BytesIO(each), width=Cm(4))
    made_by.save(name)
    return Path(name)


def of_odt(name: str, *shown: bytes) -> Path:
    """The same as an Open Document."""
    made_by = odfdo.Document("text")
    made_by.body.clear()
    for number, each in enumerate(shown):
        Path("given.png").write_bytes(each)
        address = made_by.add_file("given.png")
        with Image.open(io.BytesIO(each)) as image:
            height = f"{4 * image.height / image.width}cm"
        frame = odfdo.Frame.image_frame(
            address, size=("4cm", height), name=f"Picture {number + 1}", anchor_type="as-char"
        )
        paragraph = odfdo.Paragraph("A hut: ")
        paragraph.append(frame)
        made_by.body.append(paragraph)
    made_by.save(name)
    Path("given.png").unlink()
    return Path(name)


def shown_in(path: Path) -> list[tuple[bytes, float, float]]:
    """The bytes of each picture that a document shows, and how wide and high in centimetres."""
    if path.suffix == ".docx":
        read = docx.Document(str(path))
        return [
            (read.part.related_parts[shape._inline.graphic.graphicData.pic.blipFill.blip.embed].blob,
             round(shape.width.cm, 2), round(shape.height.cm, 2))
            for shape in read.inline_shapes
        ]  # fmt: skip
    inside = members(path)
    root = etree.fromstring(inside["content.xml"])
    found = []
    for frame in root.iter(f"{{{DRAW}}}frame"):
        wide, high = (round(float(str(frame.get(f"{{{SVG}}}{side}"))[:-2]), 2) for side in ("width", "height"))
        (image,) = frame.iter(f"{{{DRAW}}}image")
        found.append((inside[str(image.get(HREF)).removeprefix("./")], wide, high))
    return found


MAKERS = pytest.mark.parametrize(("make", "name"), [(of_docx, "a.docx"), (of_odt, "a.odt")])


@MAKERS
def test_a_picture_is_exchanged_and_the_former_one_is_gone(home: Path, make: Any, name: str) -> None:
    red, green, blue = picture("red", (8, 4)), picture("green", (6, 6)), picture("blue", (10, 5), "JPEG")
    path = make(name, red, red, green)
    old = path.read_bytes()
    Path("blue.jpg").write_bytes(blue)
    findings = schema_findings(name) if name.endswith("docx") else None

    done = run(
        'each picture where picture.height > 3 cm\nreplace-with "blue.jpg"\nlog "{picture.width} {picture.height}"\nend\n'
        "single-spaces",
        path,
    )
    assert [str(each) for each in done.changes if each.field == "picture"] != []
    assert done.log == ["4 cm 2 cm"]
    assert shown_in(path) == [(red, 4.0, 2.0), (red, 4.0, 2.0), (blue, 4.0, 2.0)]
    assert green not in members(path).values()
    assert red in members(path).values()

    run(
        'each picture where picture.name is "Picture 1"\nreplace-with "blue.jpg"\nend', path)  # fmt: skip
    assert [each for each, _, _ in shown_in(path)] == [blue, red, blue]
    assert red in members(path).values()  # as long as one shows it
    run('each picture\nreplace-with "blue.jpg"\nend', path)
    assert [each for each, _, _ in shown_in(path)] == [blue] * 3
    assert [each for each in members(path).values() if each in (red, green)] == []
    if findings is not None:
        assert schema_findings(name) == findings
    for _ in range(3):
        scrub.undo()
    assert path.read_bytes() == old


@MAKERS
def test_pictures_are_saved_and_taken_out(home: Path, make: Any, name: str) -> None:
    red, green = picture("red", (8, 4)), picture("green", (6, 6))
    path = make(name, red, green)
    old = path.read_bytes()
    text = macro(
        'each picture\nsave to: "shots", name: "Hut"\nend\n'
        'in picture("Picture 2")\npicture.alternative-text = "gone"\npicture.width = 3 cm\nreplace-with "shots.png"\ndelete\nend',
        "document",
    )
    Path("shots.png").write_bytes(picture("blue", (8, 4)))
    with pytest.raises(
        scrub.ScrubError, match='needs your approval: it reads the file "shots.png" and saves pictures as files'
    ):
        scrub.run(text, [str(path)])
    done = scrub.run(text, [str(path)], host=Approving()).files[0]
    assert done.problem is None
    assert Path("shots/Hut.png").read_bytes() == red
    assert Path("shots/Hut (2).png").read_bytes() == green
    assert [each for each, _, _ in shown_in(path)] == [red]
    assert green not in members(path).values()
    seen = run("each picture\nlog picture.name\nend\neach paragraph\nlog paragraph.text\nend", path)
    assert [each for each in seen.log if "Picture" in each] == ["Picture 1"]
    scrub.undo(1)
    assert path.read_bytes() == old
    assert not Path("shots").exists()


@MAKERS
def test_the_other_side_follows(home: Path, make: Any, name: str) -> None:
    path = make(name, picture("red", (8, 4)), picture("red", (6, 6)))
    old = path.read_bytes()
    done = run(
        "each picture where picture.height < 3 cm\npicture.width = 6 cm\nend\n"
        "each picture where picture.height > 3 cm\npicture.height = 2.5 cm\nend",
        path,
    )
    assert [str(each).rpartition("size: ")[2] for each in done.changes] == [
        "4 cm x 2 cm -> 6 cm x 3 cm", "4 cm x 4 cm -> 2.5 cm x 2.5 cm",
    ]  # fmt: skip
    assert [size for _, *size in shown_in(path)] == [[6.0, 3.0], [2.5, 2.5]]
    with pytest.raises(scrub.Failure, match="0.1 to 55 cm wide"):
        run("each picture\npicture.width = 0 cm\nend", path)
    scrub.undo(1)
    assert path.read_bytes() == old


@MAKERS
@pytest.mark.parametrize(
    ("line", "why"),
    [
        ('replace-with "none.png"', "none.png cannot be read: no such file"),
        ('replace-with "note.txt"', "note.txt is not a .png or .jpg picture"),
        ('replace-with "cut.png"', "cut.png is damaged: its size is missing"),
        ('replace-with "cut.jpg"', "cut.jpg"),
        ('replace-with "turned.jpg"', "turned.jpg is rotated by its camera data"),
        ('replace-with "pipe.png"', "pipe.png cannot be read: not a file: a pipe or a device"),
        ('replace-with "/etc"', "etc cannot be read: Is a directory"),
        ("document.tracks-changes = yes\ndelete", "while changes are tracked. Turn tracking off"),
        ('document.tracks-changes = yes\nreplace-with "good.png"', "while changes are tracked. Turn tracking off"),
    ],
)
def test_what_cannot_be_shown_is_told(home: Path, make: Any, name: str, line: str, why: str) -> None:
    path = make(name, picture("red", (8, 4)))
    old = path.read_bytes()
    Path("note.txt").write_text("no picture")
    Path("cut.png").write_bytes(picture("red", (8, 4))[:10])
    Path("cut.jpg").write_bytes(picture("red", (8, 4), "JPEG")[:12])
    Path("good.png").write_bytes(picture("red", (8, 4)))
    exif = Image.Exif()
    exif[0x0112] = 6
    Path("turned.jpg").write_bytes(picture("red", (8, 4), "JPEG", exif=exif))
    os.mkfifo("pipe.png")
    with pytest.raises(scrub.Failure, match=why):
        run(f"each picture\n{line}\nend", path)
    assert path.read_bytes() == old


def test_what_else_showed_the_former_picture_goes_with_it(home: Path) -> None:
    red, vector = picture("red", (8, 4)), b"<svg xmlns='http://www.w3.org/2000/svg'/>"
    path = of_docx("a.docx", red)
    inside = members(path)
    relations = inside["word/_rels/document.xml.rels"].decode().replace(
        "</Relationships>",
        '<Relationship Id="rIdV" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/image" '
        'Target="media/vector.svg"/></Relationships>',
    )  # fmt: skip
    body = inside["word/document.xml"].decode()
    at = body.index("<a:blip ")
    end = body.index("/>", at)
    more = (
        '><a:extLst><a:ext uri="{96DAC541-7B7A-43D3-8B79-37D633B846F1}"><asvg:svgBlip r:embed="rIdV" '
        'xmlns:asvg="http://schemas.microsoft.com/office/drawing/2016/SVG/main"/></a:ext></a:extLst></a:blip>'
        '<a:srcRect l="10000"/>'
    )
    inside |= {
        "word/_rels/document.xml.rels": relations.encode(), "word/media/vector.svg": vector,
        "word/document.xml": (body[:end] + more + body[end + 2 :]).encode(),
        "[Content_Types].xml": inside["[Content_Types].xml"].replace(
            b"<Default ", b'<Default Extension="svg" ContentType="image/svg+xml"/><Default ', 1
        ),
    }  # fmt: skip
    put_members(path, inside)
    green = picture("green", (8, 4))
    Path("green.png").write_bytes(green)
    run('each picture\nreplace-with "green.png"\nend', path)
    assert [each for each, _, _ in shown_in(path)] == [green]
    made = members(path)
    assert [each for each in made.values() if each in (red, vector)] == []
    assert b"svgBlip" not in made["word/document.xml"]
    assert b"srcRect" not in made["word/document.xml"]


def of_xlsx(name: str, *shown: bytes) -> Path:
    """A workbook with these pictures, on two sheets in turns."""
    book = xlsxwriter.Workbook(name)
    sheets = [book.add_worksheet("One"), book.add_worksheet("Two")]
    for number, each in enumerate(shown):
        sheets[number % 2].write(number * 10, 0, "hut")
        sheets[number % 2].insert_image(number * 10, 1, f"{number}.png", {"image_data": io.BytesIO(each)})
    book.close()
    return Path(name)


def shown_on(path: Path) -> list[list[bytes]]:
    """The pictures of each sheet, as an independent reader finds them."""
    return [[image._data() for image in vars(sheet)["_images"]] for sheet in openpyxl.load_workbook(path)]


def test_a_logo_is_exchanged_on_every_sheet(home: Path) -> None:
    red, green, blue = picture("red", (80, 40)), picture("green", (60, 60)), picture("blue", (160, 80))
    path = of_xlsx("a.xlsx", red, red, green)
    old, findings = path.read_bytes(), schema_findings("a.xlsx")
    Path("blue.png").write_bytes(blue)
    text = macro(
        'each picture where picture.width > picture.height\nreplace-with "blue.png"\nend\n'
        'each picture where picture.width is picture.height\nsave to: "shots", name: "Square"\n'
        'picture.alternative-text = "gone"\ndelete\nend\n'
        'each picture\npicture.alternative-text = "The logo"\nend\n'
        'in sheet("One").row(5)\ninsert-above\nend',
        "workbook",
    )
    done = scrub.run(text, [str(path)], host=Approving()).files[0]
    assert done.problem is None, str(done.problem)
    assert shown_on(path) == [[blue], [blue]]
    assert [each for each in members(path).values() if each in (red, green)] == []
    assert sum(each == blue for each in members(path).values()) == 1
    assert Path("shots/Square.png").read_bytes() == green
    assert schema_findings("a.xlsx") == findings
    drawing = members(path)["xl/drawings/drawing1.xml"].decode()
    assert drawing.count('descr="The logo"') == 1
    scrub.undo()
    assert path.read_bytes() == old
    # as long as another sheet shows it, the file stays
    one = scrub.run(macro('in sheet("One")\neach picture\ndelete\nend\nend', "workbook"), [str(path)]).files[0]
    assert one.problem is None
    assert shown_on(path) == [[], [red]]
    assert green not in members(path).values()
    assert schema_findings("a.xlsx") == findings


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ('replace-with "wide.png"', "wide.png has other proportions than"),
        ("picture.width = 4 cm", "cannot store"),
        ('in sheet("One")\nprotect\nend\ndelete', "One is protected"),
    ],
)
def test_what_a_workbook_does_not_do_with_pictures_is_told(home: Path, line: str, why: str) -> None:
    path = of_xlsx("a.xlsx", picture("red", (80, 40)))
    Path("wide.png").write_bytes(picture("red", (80, 10)))
    old = path.read_bytes()
    with pytest.raises(scrub.ScrubError, match=why):
        raise (
            scrub.run(macro(f"each picture\n{line}\nend", "workbook"), [str(path)], host=Approving()).files[0].problem
            or OSError()
        )
    assert path.read_bytes() == old


def test_a_file_that_two_relationships_lead_to_stays_for_the_other(home: Path) -> None:
    red = picture("red", (8, 4))
    path = of_docx("a.docx", red, red)
    inside = members(path)
    name = "word/_rels/document.xml.rels"
    body, relations = inside["word/document.xml"].decode(), inside[name].decode()
    (known,) = set(re.findall(r'r:embed="(\w+)"', body))
    (target,) = re.findall(rf'Id="{known}"[^>]*Target="([^"]*)"|Target="([^"]*)"[^>]*Id="{known}"', relations)
    second = (
        '<Relationship Id="rIdSecond" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/image" '
        f'Target="{"".join(target)}"/></Relationships>'
    )
    inside[name] = relations.replace("</Relationships>", second).encode()
    first, rest = body.split(f'r:embed="{known}"', 1)
    body = first + f'r:embed="{known}"' + rest.replace(f'r:embed="{known}"', 'r:embed="rIdSecond"')
    inside["word/document.xml"] = body.encode()
    put_members(path, inside)
    green = picture("green", (8, 4))
    Path("green.png").write_bytes(green)
    run('in picture("Picture 1")\nreplace-with "green.png"\nend', path)
    assert [each for each, _, _ in shown_in(path)] == [green, red]
    run('in picture("Picture 2")\ndelete\nend', path)
    assert [each for each, _, _ in shown_in(path)] == [green]
    assert red not in members(path).values()


def test_a_picture_that_stands_there_in_another_form_too_is_left(home: Path) -> None:
    path = of_docx("a.docx", picture("red", (8, 4)))
    inside = members(path)
    body = inside["word/document.xml"].decode()
    start, end = body.index("<w:drawing"), body.index("</w:drawing>") + len("</w:drawing>")
    twofold = (
        '<mc:AlternateContent xmlns:mc="http://schemas.openxmlformats.org/markup-compatibility/2006"><mc:Choice '
        f'Requires="wp14">{body[start:end]}</mc:Choice><mc:Fallback><w:pict/></mc:Fallback></mc:AlternateContent>'
    )
    inside["word/document.xml"] = (body[:start] + twofold + body[end:]).encode()
    put_members(path, inside)
    old = path.read_bytes()
    Path("green.png").write_bytes(picture("green", (8, 4)))
    for line in ('replace-with "green.png"', "delete", "picture.width = 2 cm"):
        with pytest.raises(scrub.Failure, match="is in the file"):
            run(f"each picture\n{line}\nend", path)
    assert path.read_bytes() == old
