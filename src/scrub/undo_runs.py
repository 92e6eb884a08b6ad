"""A run undone: its files, and what it did on servers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import nullcontext
from typing import TYPE_CHECKING

from scrub.store.errors import NoSuchRun
from scrub.store.store import Restored

if TYPE_CHECKING:
    from scrub.home_folder import Home
    from scrub.store.outbox import Order


def take_back(
    home: Home,
    run: int | None,
    copy: bool,
    watch: Callable[[float, int, str], None] | None = None,
    jobs: int | None = None,
) -> Restored:
    """Undoes a run, left out the last one. What was done on a server is undone there, without a promise by the byte;
    what cannot be is told, and what was sent stays.
    """
    outbox = home.store.outbox
    if run is None:
        last = max((note.run for note in outbox.notes() if note.can_be_undone), default=0)
        newer = next((each.number for each in home.store.runs() if each.commits and not each.undone), 0)
        run = last if last > newer else None
    try:
        restored = home.store.undo(run, copy, watch, jobs)
    except NoSuchRun:
        if run is None or not outbox.to_take_back(run):
            raise
        restored = Restored(run, (), ())
    return restored._replace(told=(*restored.told, *_on_servers(home, restored.run)))


def _on_servers(home: Home, run: int) -> tuple[str, ...]:
    """Undoes what a run did on servers; a sentence for each."""
    from scrub.formats.imap.connection import Lost
    from scrub.formats.imap.deeds import taken_back
    from scrub.model.core.problem import FileProblem
    from scrub.store.outbox import HALF_DONE, PERHAPS_TAKEN_BACK, TAKEN_BACK

    outbox, told = home.store.outbox, []
    notes = outbox.to_take_back(run)
    with outbox.busy(run) if notes else nullcontext():
        for note in notes:
            left: Sequence[Order] = note.back
            outbox.undoing(note.number, left)
            try:
                for left in taken_back(note.address, note.back, outbox.kept):
                    if left:
                        outbox.undoing(note.number, left)
            except Lost as problem:
                outbox.settle_back(note.number, PERHAPS_TAKEN_BACK)
                told.append(f"May have been undone: {note.subject}: {problem.what}. Check your mailbox")
            except (FileProblem, OSError) as problem:
                outbox.settle_back(note.number, note.state if left is note.back else HALF_DONE, left)
                what = problem.what if isinstance(problem, FileProblem) else str(problem.strerror)
                told.append(f"Not undone: {note.subject}: {what}")
            else:
                outbox.settle_back(note.number, TAKEN_BACK)
                told.append(f"Undone on the server: {note.subject}")
    return tuple(told)
