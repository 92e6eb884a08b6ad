"""Mailboxes: what they hold, and what is picked in them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import datetime

from scrub.model.core.declare import FileItem, Reach, action, field, finds, holds, may_lack, selects
from scrub.model.core.files import WholeFile
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.outline import Contents
from scrub.model.core.problem import Failure, Missing, counted
from scrub.model.core.progress import over
from scrub.model.core.required import required
from scrub.model.core.series import Series
from scrub.model.core.text import Editing, HoldsTexts
from scrub.model.core.values import fold
from scrub.model.mail.messages import Attachment, Message


class Messages(HoldsTexts):
    """The selected messages of a mailbox."""

    kind_word = "messages"
    called = "a number of messages"

    def __init__(self, mailbox: Mailbox, every: Sequence[Message] | None) -> None:
        self._mailbox, self._every = mailbox, every

    @property
    def file(self) -> FileItem:
        """The mailbox."""
        return self._mailbox.file

    @property
    def label(self) -> str:
        """Where they are."""
        return self._mailbox.label

    @property
    @field
    def picked(self) -> bool:
        """Whether messages were selected with `--at`.

        Example: if not selection.picked
        Also: selected, chosen
        """
        return self._every is not None

    @holds
    def messages(self) -> Series[Message]:
        """The messages, in the order of the mailbox."""
        every = self._every
        return self._mailbox.messages() if every is None else Series(len(every), every.__getitem__)

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits those that are still there, one after another."""
        for message in self.messages():
            if not message.removed:
                message.edit_texts(editing, between)


class Mailbox(WholeFile, HoldsTexts):
    """A mailbox: messages in a file (.mbox) or a folder (Maildir)."""

    kind_word = "mailbox"
    part_word = "message"

    @holds
    @required
    def messages(self) -> Series[Message]:
        """Its messages, in the order in which they are."""
        raise NotImplementedError

    @finds
    def find_message(self, number: int) -> Message:
        """A message by its number: `message(12)`."""
        every = self.messages()
        if not 1 <= number <= len(every):
            raise Missing(f"no message {number}: {self.label} has {len(every):,}")
        message: Message = every[number - 1]
        return message

    @selects
    def picked(self, place: str | None = None) -> Messages:
        """What a person picked: `message 3`, `messages 3-9`, `subject "booking"`, `from "moss"`, `unseen`, `flagged`;
        several are separated by commas.
        """
        if place is None:
            return Messages(self, None)
        found: dict[int, Message] = {}
        rest = place.strip()
        while rest:
            match = _PICK.match(rest)
            if match is None:
                raise Failure(
                    f'"{rest}" is not a place in a mailbox. Examples: message 3, messages 3-9, subject "booking", from '
                    '"moss", unseen, or flagged'
                )
            chosen = dict(self._chosen(match))
            if not chosen:
                raise Missing(f"{self.label} has no such message: {match[0].strip()}")
            found |= chosen
            rest = rest[match.end() :].lstrip().removeprefix(",").lstrip()
        return Messages(self, [found[number] for number in sorted(found)])

    def _chosen(self, match: re.Match[str]) -> Iterator[tuple[int, Message]]:
        if match["first"]:
            for number in range(int(match["first"]), int(match["last"] or match["first"]) + 1):
                yield number, self.find_message(number)
            return
        where, words = (match["where"] or "").lower(), fold(match["words"] or "")
        for number, message in enumerate(self.messages(), 1):
            if where == "subject":
                fits = words in fold(message.subject)
            elif where == "from":
                fits = words in fold(message.from_ or "")
            else:
                fits = message.flagged if match["flag"].lower() == "flagged" else not message.seen
            if fits:
                yield number, message

    @action(Reach.CHANGE)
    @may_lack
    def delete_duplicates(self) -> None:
        """Deletes duplicate messages: same Message-ID, text and attachments. The first one remains.

        Example: delete-duplicates
        Also: doubles, repeated messages, deduplicate
        """
        raise NotImplementedError

    def edit_texts(self, editing: Editing, between: str = "") -> None:
        """Edits the subject and the text of each message."""
        for each in over(self.messages()):
            if not each.removed:
                each.edit_texts(editing, between)

    def contents(self) -> Contents:
        """Its senders, how many messages there are of each, and from when to when."""
        senders: Counter[str] = Counter()
        names: dict[str, str] = {}
        first: dict[str, datetime] = {}
        last: dict[str, datetime] = {}
        waiting = unseen = 0
        for each in over(self.messages()):
            waiting += 1
            unseen += not each.seen
            found, when = each.from_, each.date
            who = found.mailbox.casefold() if found is not None else ""
            senders[who] += 1
            if found is not None:
                names.setdefault(who, str(found))
            if when is not None:
                first[who] = min(when, first.get(who, when))
                last[who] = max(when, last.get(who, when))
        rows = [
            {
                "from": names.get(who, "nobody"),
                "messages": counted(times, "message"),
                "last": f"{last[who]:%Y-%m-%d}" if who in last else "",
            }
            for who, times in senders.most_common(_TOLD)
        ]
        hint = f"{unseen:,} unread"
        if first:
            hint += f"; from {min(first.values()):%Y-%m-%d} to {max(last.values()):%Y-%m-%d}"
        if len(senders) > _TOLD:
            hint += f". {len(senders) - _TOLD:,} more senders"
        hint += (
            ".\nIn a macro: each message where message.from contains …, with message.date, message.subject, "
            'message.text.\nA table of them: new-file("list.csv"), and add-row for each message. Select some: --at '
            "'subject \"booking\"'"
        )
        summary = f"{counted(waiting, 'message')} from {counted(len(senders), 'sender')}"
        return Contents("sender", rows, hint=hint, summary=summary)


#: Senders that are told.
_TOLD = 12
_PICK = lazy_pattern(
    r"(?:messages?\s+(?P<first>\d+)(?:\s*[-\u2013]\s*(?P<last>\d+))?"
    r'|(?P<where>subject|from)\s+["\u201c\u201d](?P<words>[^"\u201c\u201d]+)["\u201c\u201d]'
    r"|(?P<flag>unseen|flagged)\b)",
    re.IGNORECASE,
)

#: The kinds in mail.
KINDS = (Mailbox, Message, Messages, Attachment)
