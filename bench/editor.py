"""How soon the language server answers: `python bench/editor.py`. Times are wall times of a client over pipes."""

from __future__ import annotations

import asyncio
import os
import statistics
import sys
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

from lsprotocol import types
from pygls.lsp.client import LanguageClient

BLOCK = """each sheet as hut where hut.name ends with "Hut"
    each record in hut.records(headings: 3) where record.guest is not "In all"
        if record.nights > {n} and record.paid is "no"
            record.note = "late {n}"
            total{n} = total{n} + record.nights
        end
    end
end
log "{{total{n}}}"
"""


def text(lines: int) -> str:
    """A macro of so many lines."""
    found, number = "macro Big\nfor workbook\n\n", 0
    while found.count("\n") < lines:
        found += f"total{number} = 0\n" + BLOCK.format(n=number)
        number += 1
    return found


async def timed(ask: Callable[[], Awaitable[Any]], turns: int = 15) -> float:
    """The median time of an answer, in milliseconds."""
    found = []
    for _ in range(turns):
        began = time.perf_counter()
        await ask()
        found.append(time.perf_counter() - began)
    return statistics.median(found) * 1000


async def measured(lines: int) -> None:
    """Starts a server, opens a text, and asks in its middle."""
    client = LanguageClient("bench", "1")
    arrived = asyncio.Event()

    @client.feature(types.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)  # type: ignore[untyped-decorator]
    def told(_: types.PublishDiagnosticsParams) -> None:
        arrived.set()

    began = time.perf_counter()
    await client.start_io(sys.executable, "-m", "scrub", "language-server")
    await client.initialize_async(types.InitializeParams(capabilities=types.ClientCapabilities()))
    ready = time.perf_counter() - began
    client.initialized(types.InitializedParams())
    whole = text(lines)
    uri = Path("big.scrub").absolute().as_uri()
    client.text_document_did_open(types.DidOpenTextDocumentParams(types.TextDocumentItem(uri, "scrub", 1, whole)))
    await arrived.wait()
    first = time.perf_counter() - began
    memory = 0
    if client._server is not None and os.path.exists(f"/proc/{client._server.pid}/statm"):
        pages = Path(f"/proc/{client._server.pid}/statm").read_text().split()[1]
        memory = int(pages) * os.sysconf("SC_PAGE_SIZE") // 1_000_000
    middle = next(n for n, line in enumerate(whole.split("\n")) if n > lines // 2 and "record.note" in line)
    td, place = types.TextDocumentIdentifier(uri), types.Position(middle, 19)
    version = 1

    async def edit() -> None:
        nonlocal version
        version += 1
        arrived.clear()
        word = "note" if version % 2 else "nota"
        change = types.TextDocumentContentChangePartial(
            types.Range(types.Position(middle, 19), types.Position(middle, 23)), word
        )
        target = types.VersionedTextDocumentIdentifier(version, uri)
        client.text_document_did_change(types.DidChangeTextDocumentParams(target, [change]))
        await arrived.wait()

    rows = {
        "problems after an edit": await timed(edit),
        "completion": await timed(lambda: client.text_document_completion_async(types.CompletionParams(td, place))),
        "hover": await timed(lambda: client.text_document_hover_async(types.HoverParams(td, place))),
    }
    told_rows = ", ".join(f"{name} {value:.1f} ms" for name, value in rows.items())
    print(f"{lines} lines: ready {ready:.2f} s, first problems {first:.2f} s, {memory} MB; {told_rows}")
    await client.shutdown_async(None)
    client.exit(None)


if __name__ == "__main__":
    for size in (20, 200, 10_000):
        asyncio.run(measured(size))
