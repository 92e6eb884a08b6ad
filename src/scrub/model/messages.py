"""Messages and mailboxes: subjects, senders, texts, flags, and what is attached."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from types import MappingProxyType

from scrub.model.addresses import Address
from scrub.model.amounts import Size
from scrub.model.declare import Item, Reach, action, field, holds, may_lack, part
from scrub.model.files import FilePath
from scrub.model.preferences import CURRENT
from scrub.model.problem import Failure
from scrub.model.subjects import base_subject
from scrub.model.text import HoldsTexts


class Attachment(Item):
    """A file that is attached to a message, or a picture inside its text."""

    kind_word = "attachment"
    implied = MappingProxyType({"message": "message_item"})

    def message_item(self) -> Message:
        """The message that it hangs on."""
        raise NotImplementedError

    @property
    @field
    def name(self) -> str:
        """The name that the sender gave it; an empty text for none.

        Example: if attachment.name ends with ".pdf"
        Also: file name, title
        """
        raise NotImplementedError

    @property
    @field
    def type(self) -> str:
        """What it is, in the words of the standard: `application/pdf`, `image/png`.

        Example: if attachment.type starts with "image/"
        Also: content type, format, media type
        """
        raise NotImplementedError

    @property
    @field
    def size(self) -> Size:
        """How big it is, once saved.

        Example: if attachment.size > 2 MB
        Also: bytes, big, large
        """
        raise NotImplementedError

    @property
    @field
    def inline(self) -> bool:
        """yes when it is shown inside the text, as a picture in a signature is.

        Example: each attachment where not attachment.inline
        Also: embedded, signature, logo, picture in the text
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves attachments as files")
    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file. A file that is there already is never overwritten: the new one gets a number.

        to: the folder, which is made if it is not there; a relative one counts from the picked file.
        name: its name, made safe; left out, the one that the sender gave it.
        Example: save to: "cards", name: "Card {attachment.name}"
        Also: extract, detach, download, export
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    def remove(self) -> None:
        """Takes it out of the message; a line in its place says what was there.

        Example: remove
        Also: strip, delete, detach, shrink
        """
        raise NotImplementedError

    @property
    def label(self) -> str:
        """Its name."""
        return self.name or self.type


class Message(HoldsTexts):
    """A message."""

    kind_word = "message"

    # -- what each format offers

    @property
    @field
    def subject(self) -> str:
        """What it is about, as people read it.

        Example: message.subject = message.base-subject
        Also: title, topic, about
        """
        raise NotImplementedError

    @subject.setter
    def subject(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    def from_(self) -> Address | None:
        """Who wrote it; nothing where it does not say.

        Example: if message.from.domain is "huts.example"
        Also: sender, author, who
        """
        raise NotImplementedError

    @from_.setter
    def from_(self, value: Address | None) -> None:
        raise NotImplementedError

    @property
    @field
    def to(self) -> list[Address]:
        """Whom it goes to.

        Example: if message.to contains "office@huts.example"
        Also: recipient, addressee, receiver
        """
        raise NotImplementedError

    @to.setter
    def to(self, value: Sequence[Address]) -> None:
        raise NotImplementedError

    @property
    @field
    def cc(self) -> list[Address]:
        """Who gets a copy, as everybody can see.

        Example: message.cc = "office@huts.example"
        Also: copy, carbon copy
        """
        raise NotImplementedError

    @cc.setter
    def cc(self, value: Sequence[Address]) -> None:
        raise NotImplementedError

    @property
    @field
    def bcc(self) -> list[Address]:
        """Who gets a copy that the others cannot see. It never leaves with the message.

        Example: message.bcc = "archive@huts.example"
        Also: blind copy, hidden copy
        """
        raise NotImplementedError

    @bcc.setter
    def bcc(self, value: Sequence[Address]) -> None:
        raise NotImplementedError

    @property
    @field
    def reply_to(self) -> Address | None:
        """Who gets the answers; nothing where that is the sender.

        Example: message.reply-to = "office@huts.example"
        Also: answers, answer to
        """
        raise NotImplementedError

    @reply_to.setter
    def reply_to(self, value: Address | None) -> None:
        raise NotImplementedError

    @property
    @field
    def date(self) -> datetime | None:
        """When it was sent, in the time of this machine; nothing where nothing says.

        Example: if message.date < today - 90 days
        Also: sent, received, when, age, old
        """
        raise NotImplementedError

    @property
    @field
    def id(self) -> str:
        """Its Message-ID, which no other message has; an empty text for none.

        Example: log message.id
        Also: message-id, identity
        """
        raise NotImplementedError

    @property
    @field
    def text(self) -> str:
        """Its text, as people read it; that of a message of HTML alone is read from there and cannot be set.

        Example: if message.text contains "booking"
        Also: body, content, what it says
        """
        raise NotImplementedError

    @text.setter
    def text(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    def seen(self) -> bool:
        """yes when it was opened once.

        Example: each message where not message.seen
        Also: read, unread, opened
        """
        return False

    @seen.setter
    @may_lack
    def seen(self, value: bool) -> None:
        raise NotImplementedError

    @property
    @field
    def flagged(self) -> bool:
        """yes when somebody marked it.

        Example: message.flagged = no
        Also: star, important, marked, follow up
        """
        return False

    @flagged.setter
    @may_lack
    def flagged(self, value: bool) -> None:
        raise NotImplementedError

    @property
    @field
    def answered(self) -> bool:
        """yes when somebody answered it.

        Example: each message where not message.answered
        Also: replied
        """
        return False

    @answered.setter
    @may_lack
    def answered(self, value: bool) -> None:
        raise NotImplementedError

    @property
    @field
    def size(self) -> Size:
        """How big it is, with all that is attached.

        Example: if message.size > 5 MB
        Also: bytes, big, large
        """
        raise NotImplementedError

    @part
    def header(self, name: str) -> str:
        """What stands in any of its headers; an empty text for none.

        name: the name of the header.
        Example: if message.header("List-Id") is not empty
        Also: field, property, x-header, mailing list
        """
        raise NotImplementedError

    @holds
    def attachments(self) -> Iterator[Attachment]:
        """Its attachments, pictures inside its text too."""
        raise NotImplementedError

    @action(Reach.FILES, "moves messages into other mailboxes")
    @may_lack
    def move(self, to: FilePath) -> None:
        """Moves it into another mailbox, which is made if it is not there.

        to: the mailbox: a file that ends in .mbox, or a Maildir folder; a relative one counts from the picked one.
        Example: move to: "Bookings {message.date.year}.mbox"
        Also: file, archive, sort, put away
        """
        raise NotImplementedError

    @action(Reach.FILES, "copies messages into other mailboxes")
    def copy(self, to: FilePath) -> None:
        """Copies it into another mailbox, which is made if it is not there.

        to: the mailbox: a file that ends in .mbox, or a Maildir folder; a relative one counts from the picked one.
        Example: copy to: "Larch Hut.mbox"
        Also: file, archive, duplicate
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves messages as files")
    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file (.eml) that every mail program opens.

        to: the folder, which is made if it is not there; a relative one counts from the picked file.
        name: its name, made safe; left out, its subject.
        Example: save to: "kept"
        Also: export, eml, archive
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def delete(self) -> None:
        """Takes it out of its mailbox.

        Example: delete
        Also: remove, trash, clean up
        """
        raise NotImplementedError

    @action(Reach.FILES, "writes drafts of messages")
    def forward(self, to: Sequence[Address], text: str | None = None) -> Message:
        """A draft that passes it on: its text, pictures and attachments to the byte, without what it went through.

        to: whom it goes to; one address or several.
        text: what is put above its text.
        Example: note = forward(to: who)
        Also: pass on, send on, fwd
        """
        raise NotImplementedError

    @action(Reach.FILES, "writes drafts of messages")
    def reply(self, text: str) -> Message:
        """A draft that answers its sender.

        text: what the answer says.
        Example: note = reply(text: "Thank you, we will see you on the ridge.")
        Also: answer, respond
        """
        raise NotImplementedError

    @action(Reach.FILES, "attaches files")
    def attach(self, file: FilePath) -> None:
        """Attaches a file. It goes with drafts: what forward, reply and new-message give.

        file: the file; a relative one counts from the picked file.
        Example: attach "route-card.pdf"
        Also: attachment, add a file, enclose
        """
        raise Failure(self._no_draft("attach"))

    @action(Reach.FILES, "writes drafts of messages")
    def save_draft(self, to: FilePath | None = None) -> None:
        """Says where a draft is kept. Left out, a draft lies in the folder "drafts" beside the picked file.

        to: the folder, which is made if it is not there.
        Example: save-draft to: "for Monday"
        Also: keep, later
        """
        raise Failure(self._no_draft("save-draft"))

    @action(Reach.SEND, "sends messages")
    def send(self) -> None:
        """Sends a draft, as the last step of the run: all files are saved before. At a terminal you are shown what
        leaves, to whom, and asked. What is sent cannot be taken back.

        Example: send
        Also: mail, submit, deliver
        """
        raise Failure(self._no_draft("send"))

    def _no_draft(self, word: str) -> str:
        return f'"{word}" goes with a draft, and this message came from somewhere. Make one: note = forward(to: …)'

    # -- what follows from that

    @property
    @field
    def base_subject(self) -> str:
        """Its subject without the marks of mail programs: Re:, Fwd:, AW:, TR: and their like, repeated ones too. More
        of them: scrub settings subject-marks.

        Example: message.subject = message.base-subject
        Also: without fwd, without re, clean subject, forward mark, prefix
        """
        return base_subject(self.subject, CURRENT.get().marks)
