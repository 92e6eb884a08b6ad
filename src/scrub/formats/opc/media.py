"""What pictures of a package show (ISO/IEC 29500-1, 20.1.8.13): parts that come, and go when nothing leads to them."""

from __future__ import annotations

import posixpath
from collections.abc import Iterable, Sequence

from scrub.formats.edited_part import EditedPart
from scrub.formats.images.new_picture import NewPicture
from scrub.formats.kept import put_in
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.relationships import Relationship, relationships, source_of
from scrub.formats.spans import RELATIONSHIPS, Span, Splice
from scrub.formats.zip import Package
from scrub.model.core.amounts import Length
from scrub.model.core.change import Undo
from scrub.model.core.problem import Failure

_RELATION = f"{RELATIONSHIPS}/image"
#: The units of a drawing in a centimetre (ISO/IEC 29500-1, 20.1.2.1).
EMU = Length.units["cm"]


def blip_of(holder: Span, called: str) -> Span:
    """The one element of a drawing that names what it shows. Raises `Failure` for a group of several."""
    spans = [span for span in holder.inside() if span.name == "blip" and span.uri.endswith("/main")]
    if len(spans) != 1:
        raise Failure(f"{called} is a group of pictures. Change it in its own program")
    return spans[0]


class Media:
    """The parts with what pictures show, and those that are to be shown."""

    def __init__(self, package: Package) -> None:
        self._package = package
        self._known: dict[str, dict[str, Relationship]] = {}
        #: By the part and the place of each: the element that names it, what it is to show (None for none), and the
        #: elements that go with what it showed.
        self._wanted: dict[tuple[str, int], tuple[Span, NewPicture | None, Sequence[Span]]] = {}

    def _related(self, part: str) -> dict[str, Relationship]:
        if part not in self._known:
            self._known[part] = relationships(self._package, part)
        return self._known[part]

    def _target(self, part: str, blip: Span) -> str | None:
        relationship = self._related(part).get(blip.attributes.get(_attribute(blip), ""))
        return (
            relationship.target if relationship is not None and relationship.target in self._package.members else None
        )

    def _new(self, part: str, blip: Span) -> NewPicture | None:
        _, new, _ = self._wanted.get((part, blip.start), (blip, None, ()))
        return new

    def wanted(self, part: str, blip: Span) -> NewPicture | None:
        """What a picture is to show; None where it shows what it did."""
        return self._new(part, blip)

    def shown_by(self, part: str, blip: Span) -> str:
        """The name of the file that a picture shows now; nothing where the document does not have it."""
        new = self._new(part, blip)
        return new.shown if new is not None else posixpath.basename(self._target(part, blip) or "")

    def read(self, part: str, blip: Span) -> tuple[bytes, str]:
        """What a picture shows now, and the name of its file."""
        new = self._new(part, blip)
        if new is not None:
            return new.data, f"{new.shown}{new.ending}"
        target = self._target(part, blip)
        assert target is not None
        return self._package.read(target), target

    def show(self, part: str, blip: Span, new: NewPicture | None, others: Sequence[Span]) -> Undo:
        """Lets a picture show another file, or none; returns how to undo it. `others` are elements that go with what
        it showed.
        """
        return put_in(self._wanted, (part, blip.start), (blip, new, others))

    def write(self, parts: Parts, folder: str, showing: Iterable[EditedPart]) -> None:
        """Adds new pictures to a folder, and removes those that nothing shows any more; `showing` are the parts with
        pictures.
        """
        added: dict[bytes, str] = {}
        left: set[tuple[str, str]] = set()  # each part, and what it need not lead to
        for part in showing:
            here = [wanted for (name, _), wanted in self._wanted.items() if name == part.name]
            if here:
                former = [span for blip, _, others in here for span in (blip, *others)]
                left |= {(part.name, target) for target in self._left(part, former)}
            ids: dict[bytes, str] = {}
            for blip, new, _ in here:
                if new is None:
                    continue
                if new.data not in added:
                    added[new.data] = parts.free_name(posixpath.join(folder, f"image{{}}{new.ending}"))
                    parts.put(added[new.data], new.data, new.media_type)
                if new.data not in ids:
                    ids[new.data] = parts.relate(part.name, _RELATION, added[new.data])
                part.say(blip, {_attribute(blip): ids[new.data]})
        self._take_out(parts, left)

    def _left(self, part: EditedPart, former: Sequence[Span]) -> set[str]:
        """What a part need not lead to any more: elements that showed it are to show something else, or nothing."""
        related, places = self._related(part.name), {span.start for span in former}
        others = (span for span in part.root.inside(read_only=True) if span.start not in places)
        used = {text for span in others for text in span.attributes.values() if text in related}
        gone = {span.attributes.get(_attribute(span), "") for span in former}
        left = {related[id_].target for id_ in gone if id_ in related} - {related[id_].target for id_ in used}
        return {target for target in left if target is not None and target in self._package.members}

    def _take_out(self, parts: Parts, left: set[tuple[str, str]]) -> None:
        """Takes parts out to which nothing leads any more."""
        if not left:
            return
        sources = [source_of(name) for name in self._package.members if name.endswith(".rels")]
        leading = {
            (source, relationship.target)
            for source in sources
            for relationship in self._related(source).values()
            if relationship.target
        }
        for source, target in left:
            if all(pair in left for pair in leading if pair[1] == target):
                parts.remove(target, source)


def of_former(holder: Span, blip: Span) -> list[Splice]:
    """What removes of a drawing what was about the earlier picture alone: which part of it is shown (20.1.8.55), and
    what newer programs show in its place.
    """
    gone = [span for span in holder.inside() if span.name == "srcRect"]
    gone += [child for child in blip.children if child.name == "extLst"]
    return [Splice(span.start, span.end, b"") for span in gone]


def others_of(blip: Span) -> list[Span]:
    """What newer programs show in place of a picture."""
    return [span for span in blip.inside() if _attribute(span)]


def _attribute(blip: Span) -> str:
    """The attribute that names the relationship to a picture, as it is written."""
    return next((attribute for attribute in blip.attributes if attribute.rpartition(":")[2] == "embed"), "")
