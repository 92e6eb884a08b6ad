"""A password never appears in a record, log, output, journal or traceback, and never comes from the command line."""

from __future__ import annotations

import json
import pickle
import traceback
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import Output, macro

import scrub

PASSWORD = "Kestrel-7431-Ridge"


def everything_written(*folders: Path) -> bytes:
    return b"".join(path.read_bytes() for folder in folders for path in folder.rglob("*") if path.is_file())


def test_no_trace_of_a_password(
    book: Path, home: Path, cli: Callable[..., Output], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", PASSWORD)
    shown = [cli("run", "seal", book), cli("run", "seal", book, "--json"), cli("run", "unseal", book), cli("undo")]
    shown += [cli("changes"), cli("changes", "--json"), cli("history", "--json"), cli("show", "seal")]
    monkeypatch.setenv("SCRUB_SECRET_SHEET_CODE", PASSWORD + "x")
    shown.append(cli("run", "unseal", book))
    assert shown[-1].code == 1
    printed = "".join(each.out + each.err for each in shown)
    assert PASSWORD not in printed
    written = everything_written(home, book.absolute().parent)
    for encoding in ("utf-8", "utf-16-le"):
        assert PASSWORD.encode(encoding) not in written
    assert json.loads(cli("history", "--json").out)


def test_a_secret_hides_itself() -> None:
    secret = scrub.Secret(PASSWORD)
    assert PASSWORD not in f"{secret} {secret!r} {[secret]}"
    with pytest.raises(TypeError):
        pickle.dumps(secret)
    try:
        raise ValueError(secret)
    except ValueError:
        assert PASSWORD not in traceback.format_exc()


def test_a_secret_is_only_answered_by_a_secret(book: Path) -> None:
    body = macro('code = secret("sheet-code")\neach sheet\nprotect password: code\nend')
    with pytest.raises(scrub.BadCall, match="would stay in your shell's history") as caught:
        scrub.run(body, [str(book)], answers={"code": PASSWORD})
    assert PASSWORD not in str(caught.value)


def test_a_secret_cannot_be_written_into_a_text(book: Path) -> None:
    """The checker sees a bare one; one in a list is caught when the text is made."""
    body = macro('code = secret("c")\nall = ["a", code]\neach one in all\nsay "<{one}>"\nend')
    found = scrub.run(body, [str(book)], answers={"code": scrub.Secret(PASSWORD)}).files[0]
    assert "a secret cannot be part of text" in str(found.problem)
    assert found.said == ["<a>"]
