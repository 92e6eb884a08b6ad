"""Messages and mailboxes: subjects, senders, texts, flags, and what is attached."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from types import MappingProxyType

from scrub.model.core.addresses import Address
from scrub.model.core.amounts import Size
from scrub.model.core.declare import Item, Reach, action, field, holds, may_lack, part
from scrub.model.core.files import FilePath
from scrub.model.core.preferences import CURRENT
from scrub.model.core.problem import Failure
from scrub.model.core.required import required
from scrub.model.core.text import HoldsTexts
from scrub.model.mail.subjects import base_subject


class Attachment(Item):
    """A file that is attached to a message, or a picture inside its text."""

    kind_word = "attachment"
    implied = MappingProxyType({"message": "message_item"})

    @required
    def message_item(self) -> Message:
        """The message that it depends on."""
        raise NotImplementedError

    @property
    @field
    @required
    def name(self) -> str:
        """The file name from the sender; an empty text if there is none.

        Example: if attachment.name ends with ".pdf"
        Also: file name, title
        """
        raise NotImplementedError

    @property
    @field
    @required
    def type(self) -> str:
        """The media type: `application/pdf`, `image/png`.

        Example: if attachment.type starts with "image/"
        Also: content type, format, media type
        """
        raise NotImplementedError

    @property
    @field
    @required
    def size(self) -> Size:
        """The size when saved.

        Example: if attachment.size > 2 MB
        Also: bytes, big, large
        """
        raise NotImplementedError

    @property
    @field
    @required
    def inline(self) -> bool:
        """Whether it is shown inside the text, such as a picture in a signature.

        Example: each attachment where not attachment.inline
        Also: embedded, signature, logo, picture in the text
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves attachments as files")
    @required
    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file. An existing file is never overwritten: the new one gets a number.

        to: the folder, created if necessary; a relative path starts from the selected file.
        name: the file name, made safe; default: the name from the sender.
        Example: save to: "cards", name: "Card {attachment.name}"
        Also: extract, detach, download, export
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @required
    def delete(self) -> None:
        """Deletes the attachment; a line in its place names it.

        Example: delete
        Also: remove, strip, detach, shrink
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
    @required
    def subject(self) -> str:
        """The subject, decoded.

        Example: message.subject = message.base-subject
        Also: title, topic, about
        """
        raise NotImplementedError

    @subject.setter
    @required
    def subject(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def from_(self) -> Address | None:
        """The sender; nothing if there is none.

        Example: if message.from.domain is "huts.example"
        Also: sender, author, who
        """
        raise NotImplementedError

    @from_.setter
    @required
    def from_(self, value: Address | None) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def to(self) -> list[Address]:
        """The recipients.

        Example: if message.to contains "office@huts.example"
        Also: recipient, addressee, receiver
        """
        raise NotImplementedError

    @to.setter
    @required
    def to(self, value: Sequence[Address]) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def cc(self) -> list[Address]:
        """The copy recipients (Cc).

        Example: message.cc = "office@huts.example"
        Also: copy, carbon copy
        """
        raise NotImplementedError

    @cc.setter
    @required
    def cc(self, value: Sequence[Address]) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def bcc(self) -> list[Address]:
        """The blind-copy recipients (Bcc). The header is removed before sending.

        Example: message.bcc = "archive@huts.example"
        Also: blind copy, hidden copy
        """
        raise NotImplementedError

    @bcc.setter
    @required
    def bcc(self, value: Sequence[Address]) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def reply_to(self) -> Address | None:
        """The address for replies; nothing if that is the sender.

        Example: message.reply-to = "office@huts.example"
        Also: answers, answer to
        """
        raise NotImplementedError

    @reply_to.setter
    @required
    def reply_to(self, value: Address | None) -> None:
        raise NotImplementedError

    @property
    @field
    @required
    def date(self) -> datetime | None:
        """The date and time of sending, in local time; nothing if there is none.

        Example: if message.date < today - 90 days
        Also: sent, received, when, age, old
        """
        raise NotImplementedError

    @property
    @field
    @required
    def id(self) -> str:
        """The Message-ID, which is unique; an empty text if there is none.

        Example: log message.id
        Also: message-id, identity
        """
        raise NotImplementedError

    @property
    @field
    @required
    def text(self) -> str:
        """The text, decoded. The text of a message in HTML only cannot be set.

        Example: if message.text contains "booking"
        Also: body, content, what it says
        """
        raise NotImplementedError

    @text.setter
    @required
    def text(self, value: str) -> None:
        raise NotImplementedError

    @property
    @field
    def seen(self) -> bool:
        """Whether the message was read.

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
        """Whether the message is flagged.

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
        """Whether the message was answered.

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
    @required
    def size(self) -> Size:
        """The size, including attachments.

        Example: if message.size > 5 MB
        Also: bytes, big, large
        """
        raise NotImplementedError

    @part
    @required
    def header(self, name: str) -> str:
        """The value of any header; an empty text if there is none.

        name: the name of the header.
        Example: if message.header("List-Id") is not empty
        Also: field, property, x-header, mailing list
        """
        raise NotImplementedError

    @holds
    @required
    def attachments(self) -> Iterator[Attachment]:
        """Its attachments, pictures inside its text too."""
        raise NotImplementedError

    @action(Reach.FILES, "moves messages to other mailboxes")
    @may_lack
    def move(self, to: FilePath) -> None:
        """Moves the message to another mailbox, created if necessary.

        to: an .mbox file or a Maildir folder; a relative path starts from the selected file.
        Example: move to: "Bookings {message.date.year}.mbox"
        Also: file, archive, sort, put away
        """
        raise NotImplementedError

    @action(Reach.FILES, "copies messages to other mailboxes")
    @required
    def copy(self, to: FilePath) -> None:
        """Copies the message to another mailbox, created if necessary.

        to: an .mbox file or a Maildir folder; a relative path starts from the selected file.
        Example: copy to: "Larch Hut.mbox"
        Also: file, archive, duplicate
        """
        raise NotImplementedError

    @action(Reach.FILES, "saves messages as files")
    @required
    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves the message as an .eml file, which every mail program opens.

        to: the folder, created if necessary; a relative path starts from the selected file.
        name: the file name, made safe; default: the subject.
        Example: save to: "kept"
        Also: export, eml, archive
        """
        raise NotImplementedError

    @action(Reach.CHANGE)
    @may_lack
    def delete(self) -> None:
        """Deletes the message.

        Example: delete
        Also: remove, trash, clean up
        """
        raise NotImplementedError

    @action(Reach.FILES, "writes drafts of messages")
    @required
    def forward(self, to: Sequence[Address], text: str | None = None) -> Message:
        """Creates a draft that forwards the message: text, pictures and attachments, without its delivery headers.

        to: one or more addresses.
        text: text to add above.
        Example: note = forward(to: who)
        Also: pass on, send on, fwd
        """
        raise NotImplementedError

    @action(Reach.FILES, "writes drafts of messages")
    @required
    def reply(self, text: str) -> Message:
        """Creates a draft that replies to the sender.

        text: the text of the reply.
        Example: note = reply(text: "Thank you, we will see you on the ridge.")
        Also: answer, respond
        """
        raise NotImplementedError

    @action(Reach.FILES, "attaches files")
    def attach(self, file: FilePath) -> None:
        """Attaches a file to a draft of forward, reply or new-message.

        file: the file; a relative path starts from the selected file.
        Example: attach "route-card.pdf"
        Also: attachment, add a file, enclose
        """
        raise Failure(self._no_draft("attach"))

    @action(Reach.FILES, "writes drafts of messages")
    def save_draft(self, to: FilePath | None = None) -> None:
        """Saves a draft in another folder. By default, drafts are saved in the folder "drafts" beside the selected
        file.

        to: the folder, created if necessary.
        Example: save-draft to: "for Monday"
        Also: keep, later
        """
        raise Failure(self._no_draft("save-draft"))

    @action(Reach.SEND, "sends messages")
    def send(self) -> None:
        """Sends a draft after all files are saved. At a terminal, Scrub shows the message and its recipients and asks
        first. Sending cannot be undone.

        Example: send
        Also: mail, submit, deliver
        """
        raise Failure(self._no_draft("send"))

    def _no_draft(self, word: str) -> str:
        return f'"{word}" needs a draft, but this message was received. Create one: note = forward(to: …)'

    # -- what follows from that

    @property
    @field
    def base_subject(self) -> str:
        """The subject without prefixes such as Re:, Fwd:, AW: and TR:, repeated ones too. To add some: scrub settings
        subject-prefixes.

        Example: message.subject = message.base-subject
        Also: without fwd, without re, clean subject, forward mark, prefix
        """
        return base_subject(self.subject, CURRENT.get().marks)
