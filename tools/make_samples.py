"""Builds the Kestrel Ridge sample files that ship with Scrub. All names are made up.

Run it after changing it: `python tools/make_samples.py`. The same script always gives the same files.
"""

from __future__ import annotations

import io
import random
import re
import struct
import sys
import zipfile
import zlib
from collections.abc import Callable
from datetime import date, datetime, timedelta
from pathlib import Path

import docx
import odfdo
import xlsxwriter
from docx.document import Document as DocumentObject
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import RGBColor
from docx.text.paragraph import Paragraph
from sample_base import huts
from sample_mail import bookings_by_mail, water
from sample_pages import hut_picture, route_cards, seal
from sample_stores import stores

HUTS = ("Larch", "Kite", "Sorrel", "Gannet", "Rowan", "Tarn", "Scree", "Col")
HIDDEN = ("Kite", "Tarn")
FIRST = ("Ann", "Ben", "Clara", "Dario", "Edda", "Finn", "Greta", "Hugo", "Ines", "Jon", "Kaya", "Lena")
LAST = ("Moss", "Birch", "Alder", "Heath", "Brook", "Stone", "Field", "Thorn", "Vale", "Marsh")
NOTES = ("", "", "late", "vegetarian", "brings a dog", "6 kg of flour", "pays on arrival", "20 L of water")
HEADINGS = ("Guest", "Arrival", "Nights", "Guests", "Guest nights", "Price", "Paid", "Note")
DEMO = Path(__file__).parent.parent / "src" / "scrub" / "demo"


def picture() -> bytes:
    """A small picture of a ridge, as PNG, drawn dot by dot."""
    width, height = 120, 48
    ridge = [30 - abs((x * 7) % 60 - 30) // 2 - (12 if 50 < x < 70 else 0) for x in range(width)]
    rows = b"".join(
        b"\0" + b"".join(bytes((70, 96, 88) if y > ridge[x] + 8 else (226, 236, 240)) for x in range(width))
        for y in range(height)
    )

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">L", len(data)) + kind + data + struct.pack(">L", zlib.crc32(kind + data))

    head = struct.pack(">2L5B", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows, 9)) + chunk(b"IEND", b"")


def season_book(path: Path, forgotten: int = -1) -> None:
    """The season book: a sheet a hut, totals with a table and a chart, a draft, and hidden lists. With `forgotten`, as
    somebody left it who noted by hand who has to be reminded: three nights or more and not paid, but for one stay.
    """
    found = 0
    chance = random.Random(8)
    book = xlsxwriter.Workbook(str(path))
    book.set_properties({"title": "Season book", "author": "Kestrel Ridge Huts", "created": datetime(2026, 4, 1)})
    form = {
        "banner": book.add_format({"bold": True, "font_size": 16, "font_color": "#ffffff", "bg_color": "#46605a"}),
        "head": book.add_format({"bold": True, "bottom": 1, "bg_color": "#e2ecf0"}),
        "date": book.add_format({"num_format": "d mmm yyyy", "locked": False}),
        "shut": book.add_format({"bg_color": "#fff8e1"}),
        "open": book.add_format({"locked": False, "bg_color": "#fff8e1"}),
        "price": book.add_format({"num_format": "0.00"}),
        "late": book.add_format({"font_color": "#b03a2e"}),
    }
    lists = None
    for hut in HUTS:
        sheet = book.add_worksheet(f"{hut} Hut")
        sheet.merge_range("A1:H1", f"{hut} Hut, season 2026", form["banner"])
        sheet.write_row("A3", HEADINGS, form["head"])
        sheet.set_column("A:A", 18)
        sheet.set_column("B:G", 11)
        sheet.set_column("H:H", 20)
        for row in range(3, 15):
            arrival = date(2026, 6, 1) + timedelta(days=chance.randrange(110))
            nights, guests = chance.randrange(1, 5), chance.randrange(1, 7)
            sheet.write(row, 0, f"{chance.choice(LAST)}, {chance.choice(FIRST)}")
            sheet.write_datetime(row, 1, datetime(arrival.year, arrival.month, arrival.day), form["date"])
            sheet.write(row, 2, nights, form["open"])
            sheet.write(row, 3, guests, form["shut"])
            sheet.write_formula(row, 4, f"=C{row + 1}*D{row + 1}", None, nights * guests)
            sheet.write(row, 5, nights * guests * 14.5, form["price"])
            paid, note = chance.choice(("yes", "no")), chance.choice(NOTES)
            if forgotten >= 0 and nights > 2 and paid == "no":
                note = note if found == forgotten else "remind"
                found += 1
            sheet.write(row, 6, paid, form["open"])
            sheet.write(row, 7, note, form["open"])
        sheet.data_validation("G4:G15", {"validate": "list", "source": "=Lists!$A$1:$A$2"})
        sheet.conditional_format("G4:G15", {"type": "cell", "criteria": "==", "value": '"no"', "format": form["late"]})
        sheet.write_comment("C3", "Nights actually slept, not booked.", {"author": "Office"})
        sheet.freeze_panes(3, 1)
        if hut == "Larch":
            sheet.insert_image("J1", "ridge.png", {"image_data": io.BytesIO(picture())})
        if hut in HIDDEN:
            sheet.hide()
    totals = book.add_worksheet("Totals")
    totals.write("A1", "Totals, season 2026", form["banner"])
    rows = [[f"{hut} Hut", f"=SUM('{hut} Hut'!E4:E15)"] for hut in HUTS]
    totals.add_table(
        "A3:B11", {"name": "Totals", "columns": [{"header": "Hut"}, {"header": "Guest nights"}], "data": rows}
    )
    chart = book.add_chart({"type": "column"})
    chart.add_series({"categories": "=Totals!$A$4:$A$11", "values": "=Totals!$B$4:$B$11", "name": "Guest nights"})
    totals.insert_chart("D3", chart)
    draft = book.add_worksheet("Draft prices")
    draft.write_column("A1", ["Price a night", 14.5, 15, 15.5])
    draft.hide()
    lists = book.add_worksheet("Lists")
    lists.write_column("A1", ["yes", "no"])
    lists.very_hidden()
    book.define_name("Night_price", "='Draft prices'!$A$2")
    book.close()


ITEMS = (
    ("flour", "kg", 1.35), ("rice", "kg", 2.1), ("lentils", "kg", 3.4), ("lamp oil", "L", 4.2), ("salt", "kg", 0.8),
    ("milk powder", "kg", 7.9), ("coffee", "kg", 11.5), ("tea", "box", 3.25), ("soap", "piece", 1.1),
    ("matches", "box", 0.6),
)  # fmt: skip


def prices(path: Path) -> None:
    """What supplies cost, for look-ups."""
    book = xlsxwriter.Workbook(str(path))
    book.set_properties({"title": "Prices", "author": "Kestrel Ridge Huts", "created": datetime(2026, 4, 1)})
    sheet = book.add_worksheet("Prices")
    sheet.write_row("A1", ("Item", "Unit", "Price"), book.add_format({"bold": True}))
    for row, item in enumerate(ITEMS, 1):
        sheet.write_row(row, 0, item)
    sheet.set_column("A:A", 16)
    book.close()


def supply_list(path: Path) -> None:
    """What the huts want, typed and pasted by many hands: spaces, gaps, and numbers and dates as text."""
    chance = random.Random(11)
    book = xlsxwriter.Workbook(str(path))
    book.set_properties({"title": "Supply list", "author": "Kestrel Ridge Huts", "created": datetime(2026, 5, 1)})
    sheet = book.add_worksheet("Orders")
    sheet.write_row("A1", ("Hut", "Item", "Amount", "Wanted by", "Price", "Remark"), book.add_format({"bold": True}))
    remarks = ("", "", "  by mule ", "6  kg sacks", "no  hurry", "as last  year", "ask\u00a0 Ann")
    row = 0
    for hut in HUTS:
        for place, item in enumerate(chance.sample(ITEMS, 4)):
            row += 1
            if place == 0:
                sheet.write(row, 0, hut)
            sheet.write(row, 1, f"  {item[0]}" if chance.random() < 0.3 else item[0])
            amount = chance.randrange(1, 20)
            if chance.random() < 0.4:
                sheet.write_string(row, 2, str(amount))
            else:
                sheet.write(row, 2, amount)
            day = date(2026, 6, 1) + timedelta(days=chance.randrange(60))
            forms = (day.isoformat(), f"{day.day} {day:%B} {day.year}", f"{day.day}/{day.month}/{day.year}")
            sheet.write_string(row, 3, forms[row % 3])
            sheet.write(row, 5, chance.choice(remarks))
    sheet.set_column("A:F", 14)
    book.close()


def bookings(path: Path) -> None:
    """The bookings of one week, as another program exports them."""
    chance = random.Random(5)
    lines = ["Guest,Hut,Arrival,Nights,Paid,Note"]
    for number in range(24):
        guest = f'"{chance.choice(LAST)}, {chance.choice(FIRST)}"'
        day = date(2026, 7, 6) + timedelta(days=number % 7)
        note = chance.choice(("", "late", "vegetarian", '"needs a bed, not a bunk"', "  brings  a dog"))
        hut, paid = chance.choice(HUTS), chance.choice(("yes", "no"))
        lines.append(f"{guest},{hut},{day.isoformat()},{chance.randrange(1, 6)},{paid},{note}")
    path.write_bytes("\r\n".join([*lines, ""]).encode())


def house_rules(path: Path) -> None:
    """The rules that hang in every hut: headings, a table, units, and what hands have left in it."""
    rules = docx.Document()
    rules.core_properties.author = "Kestrel Ridge Huts"
    rules.core_properties.created = rules.core_properties.modified = datetime(2026, 5, 4)
    rules.add_heading("House rules of the Kestrel Ridge Huts", 1)
    words = rules.add_paragraph("Every guest finds ")
    words.add_run("bread").bold = True
    words.add_run(" and ")
    words.add_run("water").italic = True
    words.add_run(" in the  kitchen from 7 to 9.")
    rules.add_heading("Water", 3)
    rules.add_paragraph("The tank of a hut holds 600 L. Take 2 L a day, and carry 6 kg of wood up from the car park.")
    rules.add_paragraph("")
    rules.add_heading("Provisions", 3)
    rules.add_paragraph("What lies in the store of each hut:")
    table = rules.add_table(5, 3)
    for row, texts in zip(
        table.rows,
        (("Item", "Kg", "Note"), ("flour", "12", ""), ("salt", "0.5", ""), ("oats", "20", ""), ("sugar", "4", "")),
        strict=True,
    ):
        for cell, text in zip(row.cells, texts, strict=True):
            cell.text = text
    rules.add_heading("Silence", 3)
    rules.add_paragraph("From 22:00 on the  huts are  quiet.")
    rules.sections[0].footer.paragraphs[0].text = "Kestrel  Ridge Huts"
    _save(rules, path)


def route(path: Path) -> None:
    """The way to a hut, as two people left it: links to a page that moved, comments, tracked changes, hidden words."""
    text = docx.Document()
    text.core_properties.author = "Ines Vale"
    text.core_properties.created = text.core_properties.modified = datetime(2026, 5, 4)
    text.add_heading("The way to the Gannet Hut", 1)
    text.add_paragraph().add_run("From the car park").bold = True
    first = text.add_paragraph(
        "Cross the bridge and follow the stream for 2 km to the mill, 180 m above the car park. "
    )
    first.add_run("The gate at the mill is old").font.color.rgb = RGBColor(0xC0, 0x00, 0x00)
    first.add_run(" and stays open.")
    _change(first, "ins", 101, "Ines Vale", " Take 1 L of water.")
    _change(first, "del", 102, "Tom Fell", " Dogs are welcome.")
    text.add_paragraph().add_run("Over the saddle").bold = True
    second = text.add_paragraph("Climb 420 m in steep turns; the saddle is 6 km from the car park. ")
    second.add_run("Ask Tom about the ladder.").font.hidden = True
    _change(second, "ins", 103, "Tom Fell", " The ladder holds 120 kg.")
    last = text.add_paragraph("Maps and the weather: ")
    _link(last, "http://huts.example/maps", "maps")
    last.add_run(", ")
    _link(last, "http://huts.example/weather", "weather")
    for runs, words, author in (
        (first.runs[:1], "Is it still 2 km since the new path?", "Ines Vale"),
        (second.runs[:1], "Checked in April.", "Tom Fell"),
    ):
        comment = text.add_comment(
            runs, text=words, author=author, initials="".join(each[0] for each in author.split())
        )
        comment._comment_elm.set(qn("w:date"), "2026-05-02T09:00:00Z")
    _save(text, path)


def _change(paragraph: Paragraph, kind: str, number: int, author: str, words: str) -> None:
    change = OxmlElement(f"w:{kind}")
    for name, value in (("id", str(number)), ("author", author), ("date", "2026-05-03T09:00:00Z")):
        change.set(qn(f"w:{name}"), value)
    run, text = OxmlElement("w:r"), OxmlElement("w:t" if kind == "ins" else "w:delText")
    text.text = words
    text.set(qn("xml:space"), "preserve")
    run.append(text)
    change.append(run)
    paragraph._p.append(change)


def _link(paragraph: Paragraph, address: str, words: str) -> None:
    link, run, text = OxmlElement("w:hyperlink"), OxmlElement("w:r"), OxmlElement("w:t")
    link.set(qn("r:id"), paragraph.part.relate_to(address, RELATIONSHIP_TYPE.HYPERLINK, is_external=True))
    text.text = words
    run.append(text)
    link.append(run)
    paragraph._p.append(link)


def notes_for_wardens(path: Path) -> None:
    """A twin in the open format of other word processors: headings, units, a table."""
    text = odfdo.Document("text")
    text.body.clear()
    text.meta.title = "Notes for wardens"
    for name in ("creator", "initial_creator"):
        setattr(text.meta, name, "Kestrel Ridge Huts")
    text.body.append(odfdo.Header(1, "Notes for the wardens", style="Heading_20_1"))
    text.body.append(odfdo.Paragraph("Each hut gets  bread and water from the valley, 20 kg on a mule."))
    text.body.append(odfdo.Header(3, "Water", style="Heading_20_3"))
    text.body.append(odfdo.Paragraph("The tank holds 600 L, and  a guest needs 2 L a day."))
    text.body.append(odfdo.Paragraph(""))
    table = odfdo.Table("Keys", width=2, height=3)
    for row, texts in enumerate((("Hut", "Key"), ("Larch Hut", "12"), ("Gannet Hut", "7"))):
        for column, words in enumerate(texts):
            table.set_value((column, row), words)
    text.body.append(table)
    stream = io.BytesIO()
    text.save(stream)
    dates = re.compile(rb"(<meta:creation-date>|<dc:date>)[^<]*")
    _dated(stream, path, lambda data: dates.sub(rb"\g<1>2026-05-04T09:00:00", data))


def letter(path: Path) -> None:
    """A letter with marks, for guests who have not paid."""
    text = docx.Document()
    text.core_properties.author = "Kestrel Ridge Huts"
    text.core_properties.created = text.core_properties.modified = datetime(2026, 5, 4)
    dear = text.add_paragraph("Dear ")
    dear.add_run("[Guest]").bold = True
    dear.add_run(",")
    text.add_paragraph("you stay in [Hut] for [Nights] nights from [Arrival], and nothing is paid yet.")
    text.add_paragraph("Kind regards, the wardens")
    _save(text, path)


def _save(document: DocumentObject, path: Path) -> None:
    """A document whose bytes are the same each time: the members of its package get one date."""
    stream = io.BytesIO()
    document.save(stream)
    _dated(stream, path)


def _dated(stream: io.BytesIO, path: Path, each: Callable[[bytes], bytes] = bytes) -> None:
    with zipfile.ZipFile(stream) as package, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as fresh:
        for name in package.namelist():
            info = zipfile.ZipInfo(name, (2026, 5, 4, 0, 0, 0))
            info.compress_type = zipfile.ZIP_STORED if name == "mimetype" else zipfile.ZIP_DEFLATED
            fresh.writestr(info, each(package.read(name)))


def notice(path: Path) -> None:
    """A notice that was pasted together from messages: lines broken at a width, doubled spaces."""
    lines = (
        "Dear guests of the Larch Hut,",
        "",
        "The wardens ask everybody who comes up this summer to carry at least one",
        "litre of  water and 2 kg of wood from the car park. The spring behind the",
        "hut ran dry in July, and the tank holds only 600 L for all of you until it",
        "rains again.",
        "",
        "Please bring:",
        "- a sleeping bag that was washed at least once this year, and a light pillow",
        "- cash",
        "",
        "The path over the Tarn is closed from 6 to 9 July, because the bridge gets  new",
        "planks. Take the way by the Gannet Hut, which is 3 km longer but has shade, and",
        "a well at half its length.",
        "",
        "Kind regards,",
        "The wardens",
    )
    path.write_bytes("\n".join([*lines, ""]).encode())


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else DEMO
    season_book(target / "season-book.xlsx")
    (target / "by-hand").mkdir(exist_ok=True)
    season_book(target / "by-hand" / "season-book.xlsx", forgotten=6)
    supply_list(target / "supply-list.xlsx")
    prices(target / "prices.xlsx")
    bookings(target / "bookings.csv")
    house_rules(target / "house-rules.docx")
    letter(target / "letter.docx")
    route(target / "route.docx")
    notes_for_wardens(target / "wardens.odt")
    notice(target / "notice.txt")
    bookings_by_mail(target / "bookings.mbox", picture())
    water(target / "water.eml", picture())
    route_cards(target / "route-cards.pdf")
    hut_picture(target / "larch-hut.jpg")
    seal(target / "seal.png")
    huts(target / "huts.sqlite")
    stores(target / "stores.ods", (target / "seal.png").read_bytes())
