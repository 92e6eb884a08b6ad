"""Real servers of databases, in a temporary folder and as an unprivileged user; what does not install is skipped by name."""

from __future__ import annotations

import contextlib
import glob
import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest


def _free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


def _as_nobody() -> dict[str, Any]:
    """How a process is begun that refuses to run for root."""
    if os.getuid():
        return {}
    user = pwd.getpwnam("nobody")
    return {"user": user.pw_uid, "group": user.pw_gid, "extra_groups": []}


@contextlib.contextmanager
def _folder() -> Iterator[Path]:
    folder = Path(tempfile.mkdtemp(prefix="huts-db-", dir="/tmp"))
    if not os.getuid():
        user = pwd.getpwnam("nobody")
        os.chown(folder, user.pw_uid, user.pw_gid)
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _wait(port: int, process: subprocess.Popen[bytes]) -> None:
    end = time.monotonic() + 60
    while time.monotonic() < end:
        assert process.poll() is None, "the server closed"
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
            return
        time.sleep(0.1)
    raise AssertionError("the server did not begin")


@contextlib.contextmanager
def _running(words: list[str], port: int, folder: Path) -> Iterator[None]:
    with (folder / "log").open("wb") as log:
        process = subprocess.Popen(words, stdout=log, stderr=log, cwd=folder, **_as_nobody())
    try:
        _wait(port, process)
        yield
    finally:
        process.terminate() if "mariadbd" in words[0] else process.send_signal(2)
        process.wait(30)


@contextlib.contextmanager
def postgresql() -> Iterator[str]:
    """The address of a database named huts, whose password is `stove`."""
    found = sorted(glob.glob("/usr/lib/postgresql/*/bin/postgres"))
    if not found:
        pytest.skip("no PostgreSQL is installed")
    tools = Path(found[-1]).parent
    with _folder() as folder:
        (folder / "word").write_text("stove\n")
        (folder / "word").chmod(0o644)
        words = [f"{tools}/initdb", "-D", f"{folder}/data", "-U", "office", "-A", "scram-sha-256", "-E", "UTF8", "--locale=C.UTF-8",
                 f"--pwfile={folder}/word"]  # fmt: skip
        subprocess.run(words, check=True, capture_output=True, cwd=folder, **_as_nobody())
        port = _free_port()
        with _running(
            [f"{tools}/postgres", "-D", f"{folder}/data", "-p", str(port), "-h", "127.0.0.1", "-k", str(folder), "-c", "fsync=off"],
            port, folder,
        ):  # fmt: skip
            import psycopg

            for _ in range(50):
                try:
                    with psycopg.connect(
                        f"host=127.0.0.1 port={port} user=office password=stove dbname=postgres", autocommit=True
                    ) as link:
                        link.execute("CREATE DATABASE huts")
                    break
                except psycopg.OperationalError:
                    time.sleep(0.1)
            yield f"postgresql://office@127.0.0.1:{port}/huts"


@contextlib.contextmanager
def mariadb() -> Iterator[str]:
    """The same on MariaDB."""
    install, server = shutil.which("mariadb-install-db"), shutil.which("mariadbd") or "/usr/sbin/mariadbd"
    if install is None or not os.path.exists(server):
        pytest.skip("no MariaDB is installed")
    with _folder() as folder:
        plain = ["--no-defaults", f"--datadir={folder}/data"]
        subprocess.run(
            [install, *plain, "--auth-root-authentication-method=normal"],
            check=True,
            capture_output=True,
            cwd=folder,
            **_as_nobody(),
        )
        port = _free_port()
        with _running(
            [server, *plain, f"--port={port}", "--bind-address=127.0.0.1", f"--socket={folder}/s", f"--pid-file={folder}/pid",
             # One that starts clears the folder for temporary tables, which another one may have in use.
             "--innodb-flush-log-at-trx-commit=0", "--skip-name-resolve", f"--tmpdir={folder}"],
            port, folder,
        ):  # fmt: skip
            import pymysql

            with pymysql.connect(unix_socket=f"{folder}/s", user="root") as link, link.cursor() as cursor:
                cursor.execute("CREATE DATABASE huts CHARACTER SET utf8mb4")
                cursor.execute("CREATE USER 'office'@'127.0.0.1' IDENTIFIED BY 'stove'")
                cursor.execute("GRANT ALL ON huts.* TO 'office'@'127.0.0.1'")
            yield f"mariadb://office@127.0.0.1:{port}/huts"
