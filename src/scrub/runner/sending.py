"""The last step of a run: what is to be sent is shown, and sent once."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from scrub.model.host import Host
from scrub.model.problem import Refused, counted
from scrub.model.sending import Carrier, NotSent, Outgoing, PerhapsSent
from scrub.runner.results import FileResult
from scrub.store.outbox import NOT_SENT, SENT, UNKNOWN, Outbox

#: How many messages an unattended run sends where the settings do not say more.
MOST = 20


class Sender:
    """Sends the messages of one run, in the order in which the macro sent them."""

    def __init__(self, host: Host, carrier: Callable[[], Carrier], outbox: Outbox, most: int) -> None:
        self._host, self._carrier, self._outbox, self._most = host, carrier, outbox, most
        self._open: Carrier | None = None
        self._count = 0

    def ensure_allowed(self, messages: Sequence[Outgoing]) -> None:
        """Shows the person what is about to leave. Raises `Refused` where they do not want it; where nobody is there,
        when it is more than an unattended run sends.
        """
        if not messages:
            return
        self._count += len(messages)
        allowed = self._host.approve_sending(messages)
        if allowed is None and self._count > self._most:
            raise Refused(
                f"{counted(self._count, 'message')} would be sent, and a run that nobody watches sends at most "
                f"{self._most}. Allow more: scrub settings most-sent {self._count}"
            )
        if allowed is False:
            raise Refused("nothing was sent, and nothing was changed")

    def send(self, run: int, messages: Sequence[Outgoing], into: FileResult) -> None:
        """Sends them, and notes in the result what became of each. After one whose fate is unknown, and after a server
        that cannot be reached, the rest is not tried.
        """
        stopped = ""
        for each in messages:
            number = self._outbox.note(run, each.id, each.recipients, each.subject, each.data)
            if stopped:
                self._not_sent(number, each, stopped, into)
                continue
            try:
                if self._open is None:
                    self._open = self._carrier()
                self._open.carry(each)
            except NotSent as problem:
                self._not_sent(number, each, str(problem), into)
                stopped = "" if "refused" in str(problem) else str(problem)
            except PerhapsSent as problem:
                self._outbox.settle(number, UNKNOWN, str(problem))
                into.unsent.append(
                    f"{each.said} may have been sent: {problem}. It is not sent again; look into your mailbox. "
                    f"Its text is kept: {self._outbox.path(number)}"
                )
                stopped = "one before it may not have been sent"
            else:
                self._outbox.settle(number, SENT)
                into.sent.append(each.said)

    def _not_sent(self, number: int, message: Outgoing, why: str, into: FileResult) -> None:
        self._outbox.settle(number, NOT_SENT, why)
        into.unsent.append(f"{message.said} was not sent: {why}. It is kept: {self._outbox.path(number)}")

    def close(self) -> None:
        """Ends the connection."""
        if self._open is not None:
            self._open.close()
            self._open = None
