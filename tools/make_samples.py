"""Builds the Kestrel Ridge sample files that ship with Scrub. All names are made up.

Run it after changing it: `python tools/make_samples.py`. The same script always gives the same files.
"""

from __future__ import annotations

import io
import random
import struct
import sys
import zlib
from datetime import date, datetime, timedelta
from pathlib import Path

import xlsxwriter

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


def season_book(path: Path) -> None:
    """The season book: a sheet a hut, totals with a table and a chart, a draft, and hidden lists."""
    chance = random.Random(8)
    book = xlsxwriter.Workbook(str(path))
    book.set_properties({"title": "Season book", "author": "Kestrel Ridge Huts", "created": datetime(2026, 4, 1)})
    form = {
        "banner": book.add_format({"bold": True, "font_size": 16, "font_color": "#ffffff", "bg_color": "#46605a"}),
        "head": book.add_format({"bold": True, "bottom": 1, "bg_color": "#e2ecf0"}),
        "date": book.add_format({"num_format": "d mmm yyyy", "locked": False}),
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
            sheet.write(row, 3, guests, form["open"])
            sheet.write_formula(row, 4, f"=C{row + 1}*D{row + 1}", None, nights * guests)
            sheet.write(row, 5, nights * guests * 14.5, form["price"])
            sheet.write(row, 6, chance.choice(("yes", "no")), form["open"])
            sheet.write(row, 7, chance.choice(NOTES), form["open"])
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


if __name__ == "__main__":
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else DEMO
    season_book(target / "season-book.xlsx")
