"""Macros and workbooks by chance, of what can be learned: each workbook in two forms, so that what was learned on one is judged on
the other.
"""

from __future__ import annotations

import datetime
import random
from pathlib import Path
from typing import Any

import openpyxl

HUTS = ("Larch Hut", "Kite Hut", "Rowan Hut", "Tarn Hut", "Scree Hut", "Col Hut")
NOTES = (None, None, "late", "dog", "vegetarian", "pays on arrival")
ITEMS = ("flour", "rice", "oats", "salt", "candles", "rope")


def workbook(path: Path, chance: random.Random, records: int) -> Path:
    """Two or three huts with their records, and a sheet without any."""
    book: Any = openpyxl.Workbook()
    book.remove(book.active)
    for hut in chance.sample(HUTS, chance.randint(2, 3)):
        sheet = book.create_sheet(hut)
        sheet.append(["Guest", "Item", "Nights", "Price", "Arrival", "Paid", "Note"])
        for _ in range(records):
            sheet.append([
                f"{chance.choice(('Moss', 'Reed', 'Hill', 'Brook'))}, {chance.choice(('Ann', 'Ben', 'Cleo', 'Dan'))}",
                chance.choice(ITEMS), chance.randint(1, 9), chance.choice([12.5, 18, 22.75, 30]),
                datetime.datetime(2026, chance.randint(5, 9), chance.randint(1, 28)), chance.choice(["yes", "no"]),
                chance.choice(NOTES),
            ])  # fmt: skip
    book.create_sheet("Totals")["A1"] = "About the totals"
    book.save(path)
    return path


def _part(chance: random.Random, but: str = "") -> str:
    parts = {
        "nights": [f"record.nights > {chance.randint(2, 7)}", f"record.nights <= {chance.randint(2, 7)}"],
        "paid": ['record.paid is "no"', 'record.paid is "yes"'],
        "note": ["record.note is empty", 'record.note is "late"', 'record.note contains "dog"'],
        "item": [f'record.item is "{chance.choice(ITEMS)}"'],
        "arrival": [f"record.arrival >= 2026-0{chance.randint(6, 9)}-01"],
        "guest": ['record.guest starts with "Moss"', 'record.guest ends with "Ann"'],
        "price": ["record.price > 20"],
    }
    return chance.choice(parts[chance.choice([each for each in parts if each != but])])


def condition(chance: random.Random) -> str:
    """A condition of one part or two."""
    one = _part(chance)
    if chance.random() < 0.5:
        return one
    return f"{one} and {_part(chance, but=one.partition(' ')[0].removeprefix('record.'))}"


def body(chance: random.Random) -> str:
    """What a macro does, by chance."""
    records = 'each sheet where sheet.name ends with "Hut"\n    each record where {}\n        {}\n    end\nend'
    kind = chance.randrange(9)
    if kind == 0:
        return records.format(condition(chance), "delete")
    if kind == 1:
        return records.format(condition(chance), "row.hidden = yes")
    if kind == 2:
        look = chance.choice(["bold = yes", 'fill = "#ffe0e0"', 'colour = "#c00000"'])
        return records.format(condition(chance), f'record.cell("{chance.choice(("Guest", "Note", "Price"))}").{look}')
    if kind == 3:
        line = chance.choice([
            "record.item = record.item.upper", "record.guest = record.guest.after(\", \")", "record.price = (record.price * 1.1).rounded(2)",
            "record.nights = record.nights + 1", "record.note = \"{record.item} for {record.guest}\"",
            "record.arrival = record.arrival + 7 days", "record.note = record.paid",
        ])  # fmt: skip
        return f'each sheet where sheet.name ends with "Hut"\n    each record\n        {line}\n    end\nend'
    if kind == 4:
        keys = chance.sample(["Guest", "Item", "Nights", "Arrival"], chance.randint(1, 2))
        down = ", descending: yes" if chance.random() < 0.4 else ""
        then = f', then: "{keys[1]}"' if len(keys) > 1 else ""
        return f'each sheet where sheet.name ends with "Hut"\n    in sheet.records\n        sort by: "{keys[0]}"{down}{then}\n    end\nend'
    if kind == 5:
        setting = chance.choice(["frozen-rows = 1", 'tab-colour = "#46605a"', "orientation = landscape", "zoom = 80"])
        return f'each sheet where sheet.name ends with "Hut"\n    sheet.{setting}\nend'
    if kind == 6:
        return chance.choice([
            'in sheet("Totals")\n    sheet.hidden = yes\nend', 'each sheet where sheet.name ends with "Hut"\n    protect\nend',
            'each sheet\n    sheet.footer = "Kestrel Ridge Huts"\nend',
        ])  # fmt: skip
    value = chance.choice(['"remind"', '"long stay"', "nothing"])
    return records.format(condition(chance), f"record.note = {value}")
