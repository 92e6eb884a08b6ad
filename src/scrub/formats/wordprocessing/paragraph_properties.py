"""The properties of a paragraph as they are written, and those of a new one beside it (ISO/IEC 29500-1, 17.3.1.26)."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from scrub.formats.spans import Splice, escaped
from scrub.formats.wordprocessing.frames import RANK
from scrub.formats.wordprocessing.home import EditedParagraph
from scrub.formats.wordprocessing.read import inner
from scrub.formats.wordprocessing.tracking import Tracking
from scrub.formats.wordprocessing.write import elements_of

#: What comes behind all other properties, in this order.
_LAST = ("rPr", "sectPr", "pPrChange")


def properties_said(paragraph: EditedParagraph) -> str:
    """Its style and how it is set, as the file has them: without its mark, its section and what they were."""
    return _said(paragraph, lambda name: name not in _LAST)


def properties_splice(paragraph: EditedParagraph, tracking: Tracking | None, mark: str) -> Iterator[Splice]:
    """Its properties as they are to be: the style first, the look of the mark, then what they were.

    `mark` is what is recorded for the end of the paragraph: "del" (17.13.5.15), "ins" (17.13.5.20) or "".
    """
    p = paragraph.span.prefix
    old_style = _said(paragraph, lambda name: name == "pStyle")
    style = f'<{p}pStyle {p}val="{escaped(paragraph.style_id or "")}"/>' if paragraph.is_restyled else old_style
    last = {name: _said(paragraph, name.__eq__) for name in _LAST}
    if tracking is not None and paragraph.is_reset and not last["pPrChange"]:
        last["pPrChange"] = _change(p, tracking, properties_said(paragraph))
    if mark and tracking is not None:
        last["rPr"] = f"<{p}rPr><{p}{mark}{tracking.attributes(p)}/>{_inside_mark(paragraph)}</{p}rPr>"
    whole = f"<{p}pPr>{style}{_frames(paragraph)}{''.join(last.values())}</{p}pPr>"
    yield from _placed(paragraph, whole.encode())


def properties_like(paragraph: EditedParagraph, other: EditedParagraph, tracking: Tracking) -> Iterator[Splice]:
    """Records the properties of another paragraph as its own."""
    own, others = properties_said(paragraph), properties_said(other)
    if own == others:
        return
    p = paragraph.span.prefix
    kept = _said(paragraph, lambda name: name in ("rPr", "sectPr"))
    whole = f"<{p}pPr>{others}{kept}{_change(p, tracking, own)}</{p}pPr>".encode()
    if paragraph.properties is not None or paragraph.span.open_end != paragraph.span.end:
        yield from _placed(paragraph, whole)


def new_paragraph(paragraph: EditedParagraph, text: str, tracking: Tracking | None, last: bool = False) -> bytes:
    """A new paragraph of the same style; the end of the last one of a text is that of the one before."""
    p, id_ = paragraph.span.prefix, paragraph.style_id
    style = f'<{p}pStyle {p}val="{escaped(id_)}"/>' if id_ else ""
    run = f"<{p}r>{elements_of(text, p)}</{p}r>" if text else ""
    mark = ""
    if tracking is not None:
        run = f"<{p}ins{tracking.attributes(p)}>{run}</{p}ins>" if run else ""
        mark = "" if last else f"<{p}rPr><{p}ins{tracking.attributes(p)}/></{p}rPr>"
        former = properties_said(paragraph)
        if last and former != style:
            mark = _change(p, tracking, former)
    properties = f"<{p}pPr>{style}{mark}</{p}pPr>" if style or mark else ""
    return f"<{p}p>{properties}{run}</{p}p>".encode()


def _said(paragraph: EditedParagraph, wanted: Callable[[str], bool]) -> str:
    """The properties with some names, as the file has them."""
    data, properties = paragraph.part.data, paragraph.properties
    children = properties.children if properties is not None else ()
    return b"".join(data[child.start : child.end] for child in children if wanted(child.name)).decode()


def _frames(paragraph: EditedParagraph) -> str:
    """How it is set: what the file says, with what was set since in its place in the order."""
    fresh, data, properties = paragraph.set_frames, paragraph.part.data, paragraph.properties
    children = properties.children if properties is not None else ()
    pairs = [
        (child.name, data[child.start : child.end].decode())
        for child in children
        if child.name not in ("pStyle", *_LAST) and child.name not in fresh
    ]
    if fresh:
        pairs = sorted([*pairs, *fresh.items()], key=lambda pair: RANK.get(pair[0], 0))
    return "".join(text for _, text in pairs)


def _inside_mark(paragraph: EditedParagraph) -> str:
    """What is said of the look of its mark."""
    look = inner(paragraph.properties, "rPr") if paragraph.properties is not None else None
    return paragraph.part.data[look.open_end : look.close_start].decode() if look is not None else ""


def _change(p: str, tracking: Tracking, former: str) -> str:
    """What records that properties were others (17.13.5.29)."""
    return f"<{p}pPrChange{tracking.attributes(p)}><{p}pPr>{former}</{p}pPr></{p}pPrChange>"


def _placed(paragraph: EditedParagraph, whole: bytes) -> Iterator[Splice]:
    """Properties in place of those that are there; in a paragraph without any, and in one that is an empty element."""
    span, properties, data = paragraph.span, paragraph.properties, paragraph.part.data
    if properties is not None:
        yield Splice(properties.start, properties.end, whole)
    elif span.open_end == span.end:
        tag = data[span.start : span.open_end - 2].rstrip()
        yield Splice(span.start, span.end, tag + b">" + whole + f"</{span.raw_name}>".encode())
    else:
        yield Splice(span.open_end, span.open_end, whole)
