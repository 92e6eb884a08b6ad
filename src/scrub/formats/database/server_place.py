"""Where a database on a server is, and how a driver connects to it."""

from __future__ import annotations

import ssl
from typing import Any

from scrub.formats.database import holders
from scrub.formats.servers import ensure_no_password, parts_of
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import FileProblem

#: The schemes of addresses, with the driver for each.
DRIVERS = {"postgresql": "postgresql+psycopg", "mariadb": "mariadb+pymysql", "mysql": "mysql+pymysql"}
_HERE = ("localhost", "127.0.0.1", "::1")
#: Seconds that a lock of somebody else is waited for.
_LOCK_WAIT = 5


class DatabaseAddress(NamedTuple):
    """A database on a server: `postgresql://office@db.huts.example/huts`."""

    scheme: str
    host: str
    port: int | None
    user: str
    database: str
    address: str

    @property
    def is_postgres(self) -> bool:
        """Whether it is PostgreSQL; the other servers are alike."""
        return self.scheme == "postgresql"

    @property
    def is_here(self) -> bool:
        """Whether the server is on this machine."""
        return self.host in _HERE


def place_of(address: str) -> DatabaseAddress:
    """The database that an address names. Raises `FileProblem`."""
    wrong = "not a database address. Write it like this: postgresql://you@db.huts.example/huts"
    parts, port, user, database = parts_of(address, tuple(DRIVERS), wrong)
    if not database or "/" in database or parts.query:
        raise FileProblem(address, wrong)
    ensure_no_password(address, parts, database)
    return DatabaseAddress(parts.scheme, str(parts.hostname), port, user, database, address)


def how_to_connect(place: DatabaseAddress) -> dict[str, object]:
    """How the driver connects: over TLS with a certificate that is valid, but to a server on this machine."""
    if place.is_postgres:
        secure = {} if place.is_here else {"sslmode": "verify-full", "sslrootcert": "system"}
        return {
            "connect_timeout": 15,
            "client_encoding": "UTF8",
            "options": f"-c lock_timeout={_LOCK_WAIT * 1000} -c search_path=public",
            **secure,
        }
    more: dict[str, object] = {} if place.is_here else {"ssl": ssl.create_default_context()}
    bounded = {"connect_timeout": 15, "read_timeout": holders.LONGEST, "write_timeout": holders.LONGEST}
    waits = f"SET SESSION lock_wait_timeout = {_LOCK_WAIT}, innodb_lock_wait_timeout = {_LOCK_WAIT}"
    return {"charset": "utf8mb4", "init_command": waits, **bounded, **more}


def ensure_secure(place: DatabaseAddress, link: Any) -> None:
    """Raises `FileProblem` where the connection to another machine is not encrypted, whatever was asked for."""
    if place.is_here:
        return
    if place.is_postgres:
        secure = bool(link.pgconn.ssl_in_use)
    else:
        secure = isinstance(getattr(link, "_sock", None), ssl.SSLSocket)
    if not secure:
        raise FileProblem(place.address, "the connection to the server is not encrypted. Nothing was read")
