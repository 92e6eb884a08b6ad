"""Databases: what is measured of records changed, counted, and written on a server."""

from __future__ import annotations

import atexit
import contextlib
import random
import sqlite3
import sys
from pathlib import Path
from urllib.parse import urlsplit

MARK_MACRO = """macro Mark the long stays
for database
each record in table("night") where record.nights is not empty and record.nights >= 8
    record.note = "long stay"
end
"""
MARK = """
import sqlite3, sys
base = sqlite3.connect(sys.argv[1])
for number, nights in base.cursor().execute("SELECT id, nights FROM night"):
    if nights is not None and nights >= 8:
        base.execute("UPDATE night SET note = ? WHERE id = ?", ("long stay", number))
base.commit()
"""
_MAPPED = """
import datetime, decimal, sys
from sqlalchemy import create_engine, select
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column
class Base(DeclarativeBase):
    pass
class Night(Base):
    __tablename__ = "night"
    id: Mapped[int] = mapped_column(primary_key=True)
    guest: Mapped[int]
    hut: Mapped[str]
    arrival: Mapped[datetime.date]
    nights: Mapped[int | None]
    price: Mapped[float]
    paid: Mapped[bool]
    note: Mapped[str | None]
with Session(create_engine("sqlite:///" + sys.argv[1])) as session:
"""
MARK_MAPPED = (
    _MAPPED
    + """
    for night in session.scalars(select(Night)):
        if night.nights is not None and night.nights >= 8:
            night.note = "long stay"
    session.commit()
"""
)
COUNT_MACRO = """macro Count the unpaid
for database
say "{count(record in table("night") where record.hut is "larch" and record.paid is no)}"
"""
COUNT = """
import sqlite3, sys
rows = sqlite3.connect(sys.argv[1]).execute("SELECT hut, paid FROM night")
print(sum(1 for hut, paid in rows if hut.lower() == "larch" and not paid))
"""
COUNT_MAPPED = (
    _MAPPED
    + """
    print(sum(1 for night in session.scalars(select(Night)) if night.hut.lower() == "larch" and not night.paid))
"""
)
#: A hundred thousand rows are set again, each by its key.
SERVER_MACRO = """macro Raise the prices
for database
each record in table("night")
    record.price = record.price + 1
end
"""
SERVER = """
import sys, psycopg
from urllib.parse import urlsplit
where = urlsplit(sys.argv[1])
with psycopg.connect(host=where.hostname, port=where.port, user="office", password="stove", dbname="huts") as base:
    rows = base.execute("SELECT id, price FROM night").fetchall()
    fresh = [(price + 1, number) for number, price in rows]
    base.cursor().executemany("UPDATE night SET price = %s WHERE id = %s", fresh)
"""
_HUTS = ("Larch", "Kite", "Sorrel", "Ga\u00f1et", "Rowan", "Tarn")


def nights(path: Path, count: int) -> Path:
    """A database of that many nights, some 20 % of them long stays."""
    if path.exists():
        return path
    chance = random.Random(1)
    base = sqlite3.connect(path)
    base.execute(
        "CREATE TABLE night (id INTEGER PRIMARY KEY, guest INTEGER, hut TEXT, arrival DATE, nights INTEGER, "
        "price DECIMAL(8,2), paid BOOLEAN, note TEXT)"
    )
    rows = []
    for number in range(1, count + 1):
        arrival = f"2026-{chance.randrange(1, 13):02}-{chance.randrange(1, 29):02}"
        many, price = chance.randrange(1, 10) if number % 9 else None, chance.randrange(9000) / 4
        rows.append((number, chance.randrange(1000), chance.choice(_HUTS), arrival, many, price, chance.randrange(2)))
    base.executemany("INSERT INTO night VALUES (?, ?, ?, ?, ?, ?, ?, NULL)", rows)
    base.commit()
    base.close()
    return path


def server(count: int) -> str:
    """The address of a PostgreSQL of this machine with that many nights; it ends with the measuring."""
    sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
    import psycopg
    import servers

    stack = contextlib.ExitStack()
    atexit.register(stack.close)
    address = stack.enter_context(servers.postgresql())
    where = urlsplit(address)
    with psycopg.connect(host=where.hostname, port=where.port, user="office", password="stove", dbname="huts") as base:
        base.execute("CREATE TABLE night (id INTEGER PRIMARY KEY, hut TEXT, price NUMERIC(8,2), note TEXT)")
        with base.cursor().copy("COPY night (id, hut, price) FROM STDIN") as stream:
            for number in range(count):
                stream.write_row((number, "Larch", 10))
    return address
