"""The last step of a run: what is to be sent is shown, and sent once."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from scrub.model.core.host import Host
from scrub.model.core.problem import Refused, counted
from scrub.model.core.sending import Declined, Doing, HalfDone, NotSent, OutboundTask, Outgoing, PerhapsSent, Transport
from scrub.runner.results import FileResult
from scrub.store.outbox import DONE, HALF_DONE, NOT_DONE, UNKNOWN, Outbox, ToNote

#: How many messages an unattended run sends where the settings do not say more.
MOST = 20


class Sender:
    """Sends the messages of one run, in the order in which the macro sent them."""

    def __init__(self, host: Host, carrier: Callable[[], Transport], outbox: Outbox, most: int) -> None:
        self._host, self._carrier, self._outbox, self._most = host, carrier, outbox, most
        self._open: Transport | None = None
        self._count = 0

    def ensure_allowed(self, errands: Sequence[OutboundTask]) -> None:
        """Shows the person what is about to leave. Raises `Refused` where they do not want it; where nobody is there,
        when it is more than an unattended run sends.
        """
        messages = [errand for errand in errands if isinstance(errand, Outgoing)]
        if not messages:
            return
        self._count += len(messages)
        allowed = self._host.approve_sending(messages)
        if allowed is None and self._count > self._most:
            raise Refused(
                f"{counted(self._count, 'message')} would be sent; the limit of an unattended run is {self._most}. To "
                f"allow more: scrub settings max-sent {self._count}"
            )
        if allowed is False:
            raise Refused("nothing was sent, and nothing was changed")

    def send(self, run: int, errands: Sequence[OutboundTask], into: FileResult) -> None:
        """Does them, and notes in the result what became of each. After one whose fate is unknown, and after a server
        that cannot be reached, the rest is not tried.
        """
        with self._outbox.busy(run):
            # All of them first: after a stop of the machine each is known, and what became of it.
            noted = [
                ToNote(errand.id, errand.recipients, errand.subject, errand.data, errand.done) for errand in errands
            ]
            self._send(run, list(zip(errands, self._outbox.note(run, noted), strict=True)), into)

    def _send(self, run: int, errands: Sequence[tuple[OutboundTask, int]], into: FileResult) -> None:
        stopped = ""
        for each, number in errands:
            if stopped:
                self._not_done(number, each, stopped, into)
                continue
            self._outbox.begin(number)
            try:
                self._perform(each, number)
            except NotSent as problem:
                self._not_done(number, each, str(problem), into)
                stopped = "" if isinstance(problem, Declined) else str(problem)
            except HalfDone as problem:
                assert isinstance(each, Doing)
                why = str(problem)
                self._outbox.settle(number, HALF_DONE, why, problem.back, each.address)
                into.unsent.append(f"half {each.done}: {each.said}: {why}. To undo that half: scrub undo {run}")
                stopped = "" if problem.declined else why
            except PerhapsSent as problem:
                self._outbox.settle(number, UNKNOWN, str(problem))
                again = "Scrub does not repeat it. Check your mailbox"
                into.unsent.append(
                    f"may have been {each.done}: {each.said}: {problem}. {again}{self._kept(number, each)}"
                )
                stopped = f"one before it may not have been {each.done}"
            else:
                into.sent.append(f"{each.done} {each.said}" if each.done == "sent" else each.said)
        for each, _ in errands:
            if not isinstance(each, Outgoing) and isinstance(each, Doing):
                each.finish()

    def _not_done(self, number: int, errand: OutboundTask, why: str, into: FileResult) -> None:
        self._outbox.settle(number, NOT_DONE, why)
        into.unsent.append(f"not {errand.done}: {errand.said}: {why}{self._kept(number, errand)}")

    def _kept(self, number: int, errand: OutboundTask) -> str:
        return f". Message: {self._outbox.path(number)}" if errand.data else ""

    def _perform(self, errand: OutboundTask, number: int) -> None:
        if not isinstance(errand, Outgoing):
            assert isinstance(errand, Doing)
            back = errand.perform(lambda data: self._outbox.keep(number, data))
            self._outbox.settle(number, DONE, back=back, address=errand.address)
            return
        if self._open is None:
            self._open = self._carrier()
        self._open.carry(errand)
        self._outbox.settle(number, DONE)

    def close(self) -> None:
        """Ends the connection."""
        if self._open is not None:
            self._open.close()
            self._open = None
