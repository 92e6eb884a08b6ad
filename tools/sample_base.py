"""A database of guests, nights and requests of the huts, made by code: the sample for databases."""

from __future__ import annotations

import random
import sqlite3
from datetime import date, timedelta
from pathlib import Path

_FIRST = "Ann Bea Cal Dee Eli Flo Gus Hal Ida Jon Kay Leo Mia Ned Ola Pim".split()
_LAST = "Moss Tarn Birk Vale Fell Beck Holm Crag Lund Dale".split()
_HUTS = ("Larch", "Kite", "Sorrel", "Gannet", "Rowan", "Tarn")
_TABLES = """
CREATE TABLE guest (id INTEGER PRIMARY KEY, name TEXT NOT NULL, email TEXT, since DATE);
CREATE TABLE night (id INTEGER PRIMARY KEY, "guest-id" INTEGER REFERENCES guest(id), hut TEXT NOT NULL, arrival DATE,
    nights INTEGER, price DECIMAL(8, 2), paid BOOLEAN NOT NULL DEFAULT 0, note TEXT);
CREATE TABLE request (id INTEGER PRIMARY KEY, name TEXT, asked DATE, hut TEXT, answered BOOLEAN NOT NULL DEFAULT 0);
"""


def huts(path: Path) -> None:
    """Some guests, a season of nights, and requests of which many are old."""
    chance = random.Random(7)
    path.unlink(missing_ok=True)
    base = sqlite3.connect(path)
    base.executescript(_TABLES)
    names = [f"{first} {last}" for last in _LAST[:4] for first in _FIRST][:48]
    guests = [
        (number, name.replace(" ", "  ") if number % 12 == 5 else name,
         f"{name.lower().replace(' ', '.')}@{name.split()[1].lower()}.example" if number % 7 else None,
         str(date(2024, 1, 8) + timedelta(days=9 * number)))
        for number, name in enumerate(names, 1)
    ]  # fmt: skip
    nights = []
    for number in range(1, 181):
        many = chance.choice((1, 1, 2, 2, 2, 3, 4, 5, 7, 9, None))
        arrival = date(2026, 6, 1) + timedelta(days=chance.randrange(100))
        guest = 99 if number == 70 else chance.randrange(1, 49)
        price = many * 14.5 if many and number % 4 else None
        nights.append((number, guest, chance.choice(_HUTS), str(arrival), many, price, int(number % 5 > 1), None))
    asked = [
        (number, chance.choice(names), str(date(2023, 3, 1) + timedelta(days=17 * number)), chance.choice(_HUTS),
         int(number % 3 > 0))
        for number in range(1, 77)
    ]  # fmt: skip
    base.executemany("INSERT INTO guest VALUES (?, ?, ?, ?)", guests)
    base.executemany("INSERT INTO night VALUES (?, ?, ?, ?, ?, ?, ?, ?)", nights)
    base.executemany("INSERT INTO request VALUES (?, ?, ?, ?, ?)", asked)
    base.commit()
    base.execute("VACUUM")
    base.close()
