"""Who keeps records of a server from others, as far as the server tells; and an end to its silence."""

from __future__ import annotations

import contextlib
import socket
import threading
import time
from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Any

from scrub.formats.servers import PATIENCE
from scrub.model.core.change import cut

#: Seconds that a server may work on one statement without a word.
LONGEST = PATIENCE * 10
#: Sessions that hold locks on tables of ours: the user, the program, and since how many seconds.
_POSTGRESQL = """
SELECT a.usename, a.application_name, extract(epoch FROM clock_timestamp() - a.xact_start)
FROM pg_stat_activity a WHERE a.datname = current_database() AND NOT a.pid = ANY(%s::int[]) AND EXISTS (
    SELECT FROM pg_locks l JOIN pg_class c ON c.oid = l.relation
    WHERE l.pid = a.pid AND l.granted AND c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'p')
    AND l.mode NOT IN ('AccessShareLock'))
ORDER BY a.xact_start LIMIT 1
"""
#: The same of transactions that changed or locked rows; for others' ones the right PROCESS is needed.
_MARIADB = """
SELECT p.USER, '', TIMESTAMPDIFF(SECOND, t.TRX_STARTED, NOW())
FROM information_schema.INNODB_TRX t JOIN information_schema.PROCESSLIST p ON p.ID = t.TRX_MYSQL_THREAD_ID
WHERE t.TRX_ROWS_LOCKED + t.TRX_ROWS_MODIFIED > 0 AND p.ID NOT IN (CONNECTION_ID(), %s) ORDER BY t.TRX_STARTED LIMIT 1
"""


def holder(link: Any, postgres: bool, own: int) -> str:
    """Who holds locks, asked on a connection of its own; `own` is the number of the session that waited."""
    if postgres:
        found = link.exec_driver_sql(_POSTGRESQL, ([own, link.connection.driver_connection.info.backend_pid],)).first()
    else:
        found = link.exec_driver_sql(_MARIADB, (own,)).first()
    if found is None:
        return ""
    user, program, seconds = found
    with_what = f' with "{cut(str(program), 40)}"' if program else ""
    since = datetime.now() - timedelta(seconds=float(seconds or 0))
    return f'"{cut(str(user), 40)}"{with_what}, since {since:%H:%M}'


class Patience:
    """Ends a connection on which a server is silent for too long: a driver may wait for it without end."""

    def __init__(self, seconds: float, handle: int) -> None:
        """`handle` is the number of the connection's socket."""
        self._seconds = seconds
        # One of its own: the driver may close the other, and something else get its number.
        self._line = socket.fromfd(handle, socket.AF_INET, socket.SOCK_STREAM)
        self._until: float | None = None
        self._over = threading.Event()
        self.ended = False
        threading.Thread(target=self._look, daemon=True).start()

    def _look(self) -> None:
        while not self._over.wait(min(1.0, self._seconds / 4)):
            until = self._until
            if until is not None and time.monotonic() > until:
                self.ended = True
                with contextlib.suppress(OSError):
                    self._line.shutdown(socket.SHUT_RDWR)
                break
        self._line.close()

    @contextlib.contextmanager
    def waiting(self) -> Iterator[None]:
        """For the time in which an answer is waited for."""
        before = self._until
        self._until = time.monotonic() + self._seconds
        try:
            yield
        finally:
            self._until = before

    def close(self) -> None:
        """Lets it go."""
        self._over.set()
