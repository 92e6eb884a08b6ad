"""The comments of a document (ISO/IEC 29500-1, 17.13.4), their answers and whether they are done ([MS-DOCX] 2.5.4)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from functools import cached_property, partial

from scrub.formats.kept import LazyPiece
from scrub.formats.opc.parts import Parts
from scrub.formats.part_tree import part_tree
from scrub.formats.spans import FoundSpan, Span, Splice, ended, escaped, outside, spliced, with_attributes
from scrub.formats.texts.marks import Mark
from scrub.formats.texts.pieced import PiecedParagraph
from scrub.formats.wordprocessing.home import Home, StoryPart
from scrub.formats.wordprocessing.read import FieldState, inner, own, paragraphs_of, read_paragraph, value
from scrub.formats.wordprocessing.review import nameless
from scrub.formats.wordprocessing.threads import Threads, para_id, with_ids
from scrub.formats.wordprocessing.write import elements_of
from scrub.formats.xmltext import moment
from scrub.formats.zip import Package
from scrub.model.comments import Comment
from scrub.model.core.change import Undo
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

_WORDS = "http://schemas.openxmlformats.org/wordprocessingml/2006/main"
_RELATION = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/comments"
_TYPE = "application/vnd.openxmlformats-officedocument.wordprocessingml.comments+xml"
_DECLARED = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'


class Reply(NamedTuple):
    """An answer that was given: its number, and the comment it answers."""

    id: str
    to: str
    text: str


class OfficeComment(Comment):
    """A comment on words of a document (17.13.4)."""

    def __init__(self, part: CommentPart, span: Span, data: bytes) -> None:
        self._part = part
        self.span = span
        self.id = value(span, "id") or ""
        self.paragraphs = [each for each, _, _ in paragraphs_of(span)]
        read = (read_paragraph(data, paragraph, FieldState()) for paragraph in self.paragraphs)
        whole = "\n".join(each.text for each in read)
        self.said = LazyPiece(lambda: whole)
        last = self.paragraphs[-1] if self.paragraphs else None
        self.para_id = para_id(last) if last is not None else ""
        self.finished = LazyPiece(lambda: part.threads.is_done(self.para_id))

    @property
    def file(self) -> Home:
        """The document."""
        return self._part.document

    @property
    def label(self) -> str:
        """The paragraph that it depends on."""
        return self.address

    @property
    def removed(self) -> bool:
        """Whether it was deleted."""
        return self.id in self._part.gone

    @property
    def text(self) -> str:
        """What it says."""
        return self.said.now

    @text.setter
    def text(self, value: str) -> None:
        self._ensure_open()
        if value != self.text:
            self.changed("text", self.text, value, self.said.put(value), inner=self._called)

    @property
    def words(self) -> str:
        """The words that it is about, as the file has them."""
        return self._part.words(self.id)

    @property
    def done(self) -> bool:
        """Whether it was marked as done."""
        return self.finished.now

    @done.setter
    def done(self, value: bool) -> None:
        self._ensure_open()
        if value != self.done:
            self.changed("done", self.done, value, self.finished.put(value), inner=self._called)

    def reply(self, text: str) -> None:
        """Answers it."""
        self._ensure_open()
        self.changed(
            f"reply to comment {self.id}", None, text, self._part.answer(self, text), f'answered: "{text[:60]}"'
        )

    @property
    def _called(self) -> tuple[str]:
        return (f"comment of {self.author or 'nobody'}",)

    def _ensure_open(self) -> None:
        self._part.document.ensure_open()
        if not self.paragraphs:
            raise Failure(f"{self.label}: the comment is damaged (it has no paragraph). Delete it")

    @property
    def author(self) -> str:
        """Who wrote it."""
        return value(self.span, "author") or ""

    @property
    def date(self) -> datetime | None:
        """When."""
        return moment(value(self.span, "date"))

    @property
    def address(self) -> str:
        """The paragraph that it depends on."""
        return self._part.place(self.id)

    def delete(self) -> None:
        """Removes it, with the marks that lead to it and the answers to it."""
        part = self._part
        part.document.ensure_open()
        gone = [self, *(item for item in part.items if part.threads.parent(item.para_id) == self.para_id != "")]
        fresh = {comment.id for comment in gone} - part.gone
        part.gone |= fresh
        said = f'comment of {self.author or "nobody"} removed: "{self.text[:60]}"'
        self.changed(f"comment {self.id}", self.text, None, lambda: part.gone.difference_update(fresh), said)


class CommentPart:
    """The comments of a document, and the marks that lead to them."""

    def __init__(self, document: Home, package: Package, name: str | None, threads: Threads) -> None:
        self.document = document
        self.threads = threads
        self._package = package
        self._name = name
        #: The numbers of those that were deleted.
        self.gone: set[str] = set()
        self.replies: list[Reply] = []
        #: Comments on words that had none, each with what is written round those.
        self._new: list[tuple[Mark, str]] = []
        self._number = -1  # the highest that a comment has
        #: The paragraph with the mark of each comment; None before it is asked for.
        self.places: dict[str | None, PiecedParagraph] | None = None

    @cached_property
    def _tree(self) -> tuple[bytes, Span | None]:
        """The bytes of the part and its root; nothing where the document has none."""
        return part_tree(self._package, self._name) if self._name is not None else (b"", None)

    @cached_property
    def items(self) -> Sequence[OfficeComment]:
        """The comments."""
        data, root = self._tree
        return [OfficeComment(self, span, data) for span in root.all("comment")] if root is not None else []

    @property
    def written(self) -> list[bytes]:
        """The bytes of the part, where there is one."""
        return [self._tree[0]] if self._name is not None else []

    def place(self, id_: str) -> str:
        """The label of the paragraph that a comment depends on."""
        if self.places is None:
            self.places = {
                value(span, "id"): paragraph
                for paragraph in self.document.all_paragraphs()
                if not paragraph.removed and not isinstance(paragraph.span, FoundSpan)
                for span in paragraph.span.inside()
                if span.name == "commentReference"
            }
        found = self.places.get(id_)
        return found.label if found is not None else self.document.label

    def words(self, id_: str) -> str:
        """The words that a comment is about."""
        return self.document.words_between(*self._ranges[id_]) if id_ in self._ranges else ""

    @cached_property
    def _ranges(self) -> dict[str | None, tuple[StoryPart, int, int]]:
        """Where the words of each comment begin and end (17.13.4.3, 17.13.4.4)."""
        ends: dict[str | None, tuple[StoryPart, int]] = {}
        ranges: dict[str | None, tuple[StoryPart, int, int]] = {}
        for part in self.document.story_parts:
            for span in part.root.inside(read_only=True):
                if span.name == "commentRangeStart":
                    ends[value(span, "id")] = (part, span.end)
                elif span.name == "commentRangeEnd" and value(span, "id") in ends:
                    of, start = ends[value(span, "id")]
                    ranges[value(span, "id")] = (of, start, span.start if of is part else start)
        return ranges

    def forget(self) -> None:
        """Is told that changes were decided on, so that all is elsewhere."""
        self.places = None
        self.__dict__.pop("_ranges", None)

    def answer(self, to: OfficeComment, text: str) -> Undo:
        """Notes an answer; returns how to undo it."""
        reply = Reply(self._free_number(), to.id, text)
        self.replies.append(reply)
        return lambda: self.replies.remove(reply)

    def comment(self, prefix: str, text: str) -> tuple[Mark, Undo]:
        """Notes a new comment; gives what is written round its words, and how to undo it."""
        p, id_ = prefix, self._free_number()
        reference = f'<{p}r><{p}commentReference {p}id="{id_}"/></{p}r>'
        mark = Mark(id_, f'<{p}commentRangeStart {p}id="{id_}"/>', f'<{p}commentRangeEnd {p}id="{id_}"/>{reference}')
        new = (mark, text)
        self._new.append(new)
        return mark, lambda: self._new.remove(new)

    def _free_number(self) -> str:
        if self._number < 0:
            self._number = max((int(item.id) for item in self.items if item.id.isdecimal()), default=-1)
        self._number += 1
        return str(self._number)

    def begin(self) -> None:
        """Is told that the document is about to be written."""
        for mark, _ in self._new:
            mark.is_written = False

    def marks(self, root: Span) -> Iterator[Splice]:
        """What takes the marks of deleted comments out of a part, and puts those of answers beside what they answer. A
        run that contains nothing else goes too.
        """
        gone = self.gone
        answered: dict[str | None, list[str]] = {}
        for reply in self.replies:
            if reply.to not in gone:
                answered.setdefault(reply.to, []).append(reply.id)
        for span in root.inside(read_only=True) if gone or answered else ():
            if span.name in ("commentRangeStart", "commentRangeEnd"):
                if value(span, "id") in gone:
                    yield Splice(span.start, span.end, b"")
                for id_ in answered.get(value(span, "id"), ()):
                    mark = f'<{span.raw_name} {span.prefix}id="{id_}"/>'
                    yield Splice(span.end, span.end, mark.encode())
            elif span.name == "r" and own(span):
                held = [child for child in span.children if child.name != "rPr"]
                references = [element for element in held if element.name == "commentReference"]
                of = [reference for reference in references if value(reference, "id") in gone]
                for element in [span] if of and len(of) == len(held) else of:
                    yield Splice(element.start, element.end, b"")
                for reference in references:
                    for id_ in answered.get(value(reference, "id"), ()):
                        p = span.prefix
                        run = f'<{span.raw_name}><{p}commentReference {p}id="{id_}"/></{span.raw_name}>'
                        yield Splice(span.end, span.end, run.encode())

    def write(self, parts: Parts, without_names: bool) -> None:
        """Changes the part, and the one with the answers."""
        if not self._touched and not without_names:
            return
        data, root = self._tree
        new = [(mark.name, text) for mark, text in self._new if mark.is_written]
        if self._name is None or root is None:
            if new:
                self._begin_part(parts, new, without_names)
            return
        kept = [item for item in self.items if item.id not in self.gone]
        told = [comment for comment in kept if comment.finished.touched]
        replies = [reply for reply in self.replies if reply.to not in self.gone]
        by_id = {comment.id: comment for comment in kept}
        named = {comment.id: comment for comment in (*told, *(by_id[reply.to] for reply in replies))}
        ids = self.threads.ids_for(named.values(), len(replies))
        splices = [splice for item in self.items for splice in self._of(item, data, ids.of.get(item.id))]
        if named:
            without = [comment for comment in named.values() if not comment.para_id]
            given = with_ids(data, root, [(comment.paragraphs[-1], ids.of[comment.id]) for comment in without])
            splices += outside(splices, given)
        p = root.prefix
        fresh = [
            self._element(p, reply.id, reply.text, f' w14:paraId="{id_}"')
            for reply, id_ in zip(replies, ids.fresh, strict=True)
        ] + [self._element(p, *each) for each in new]
        splices += ended(data, root, "".join(fresh).encode()) if fresh else ()
        lost = {item.para_id for item in self.items if item.id in self.gone and item.para_id}
        entries: list[tuple[str, str | None, bool]] = [
            (ids.of[comment.id], None, comment.done) for comment in named.values()
        ]
        entries += [(id_, ids.of[reply.to], False) for reply, id_ in zip(replies, ids.fresh, strict=True)]
        self.threads.write(parts, entries, lost)
        made = spliced(data, splices)
        made = nameless(made) if without_names else made
        if made != data:
            parts.changed[self._name] = partial(bytes, made)

    @property
    def _touched(self) -> bool:
        """Whether anything was done to comments, which are read when somebody asks for them."""
        if "items" not in self.__dict__:
            return False
        return bool(self.gone or self.replies or self._new) or any(
            item.said.touched or item.finished.touched for item in self.items
        )

    def _of(self, comment: OfficeComment, data: bytes, id_: str | None) -> Iterator[Splice]:
        """What becomes of one comment; `id_` is one that its last paragraph gets."""
        if comment.id in self.gone:
            yield Splice(comment.span.start, comment.span.end, b"")
        elif comment.said.touched:
            first, last = comment.paragraphs[0], comment.paragraphs[-1]
            p = last.prefix
            properties = inner(last, "pPr")
            reference = next((span for span in first.inside() if span.name == "annotationRef"), None)
            run = next((child for child in first.children if reference in child.children), None) if reference else None
            head = data[properties.start : properties.end] if properties is not None else b""
            head += data[run.start : run.end] if run is not None else b""
            text = "".join(f"<{p}r>{elements_of(line, p)}</{p}r>" for line in [comment.said.now] if line)
            if last.open_end == last.end:
                tag = with_attributes(data[last.start : last.open_end], {"w14:paraId": id_} if id_ else {})
                tag = tag[:-2].rstrip() + b">"
                yield Splice(first.start, last.end, tag + head + text.encode() + f"</{last.raw_name}>".encode())
            else:
                yield Splice(first.start, last.start, b"")
                yield Splice(last.open_end, last.close_start, head + text.encode())

    def _begin_part(self, parts: Parts, new: Iterable[tuple[str, str]], without_names: bool) -> None:
        """The part with the first comments of a document (11.3.2)."""
        made = "".join(self._element("w:", *each) for each in new)
        whole = f'{_DECLARED}<w:comments xmlns:w="{_WORDS}">{made}</w:comments>'.encode()
        name = parts.only_name(self.document.main, "comments")
        parts.add(name, nameless(whole) if without_names else whole, _TYPE)
        parts.relate(self.document.main, _RELATION, name)

    def _element(self, p: str, id_: str, text: str, named: str = "") -> str:
        """A comment; `named` are attributes of its paragraph."""
        tracking = self.document.tracking
        initials = "".join(word[0] for word in tracking.author.split()[:3])
        about = f'{p}id="{id_}" {p}author="{escaped(tracking.author)}" {p}date="{tracking.when}"'
        run = f"<{p}r>{elements_of(text, p)}</{p}r>" if text else ""
        return f'<{p}comment {about} {p}initials="{escaped(initials)}"><{p}p{named}>{run}</{p}p></{p}comment>'
