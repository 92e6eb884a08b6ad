"""Elements directly inside a sheet's part, each edited as bytes of its own and put in the order of the schema."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from scrub.formats.spans import Span, Splice, parse, spliced, with_attributes

#: The order of the elements in a part, by its root (18.3.1.99, 18.3.1.12, 18.3.1.34, 18.2.27, 18.8.39).
_ORDER = {
    "worksheet": (
        "sheetPr dimension sheetViews sheetFormatPr cols sheetData sheetCalcPr sheetProtection protectedRanges "
        "scenarios autoFilter sortState dataConsolidate customSheetViews mergeCells phoneticPr conditionalFormatting "
        "dataValidations hyperlinks printOptions pageMargins pageSetup headerFooter rowBreaks colBreaks "
        "customProperties cellWatches ignoredErrors smartTags drawing legacyDrawing legacyDrawingHF picture oleObjects "
        "controls webPublishItems tableParts extLst"
    ).split(),
    "chartsheet": (
        "sheetPr sheetViews sheetProtection customSheetViews pageMargins pageSetup headerFooter drawing legacyDrawing "
        "legacyDrawingHF picture webPublishItems extLst"
    ).split(),
    "workbook": (
        "fileVersion fileSharing workbookPr workbookProtection bookViews sheets functionGroups externalReferences "
        "definedNames calcPr oleSize customWorkbookViews pivotCaches smartTagPr smartTagTypes webPublishing "
        "fileRecoveryPr webPublishObjects extLst"
    ).split(),
    "styleSheet": (
        "numFmts fonts fills borders cellStyleXfs cellXfs cellStyles dxfs tableStyles colors extLst"
    ).split(),
    "dialogsheet": (
        "sheetPr sheetViews sheetFormatPr sheetProtection customSheetViews printOptions pageMargins pageSetup "
        "headerFooter drawing legacyDrawing legacyDrawingHF oleObjects extLst"
    ).split(),
}
_INNER_ORDER = {
    "sheetPr": ("tabColor", "outlinePr", "pageSetUpPr"),
    "sheetView": ("pane", "selection", "pivotSelection", "extLst"),
    "font": tuple("b i strike condense extend outline shadow u vertAlign sz color name family charset scheme".split()),
    "border": tuple("start left end right top bottom diagonal vertical horizontal".split()),
    "headerFooter": ("oddHeader", "oddFooter", "evenHeader", "evenFooter", "firstHeader", "firstFooter"),
}


def orders(root: Span) -> bool:
    """Whether the elements of such a part have a known order."""
    return root.name in _ORDER


def placed(root: Span, name: str, fresh: bytes) -> list[Splice]:
    """The splices that put an element in place of the old ones, or where it belongs; nothing takes them out."""
    old = list(root.all(name))
    if old:
        return [Splice(each.start, each.end, b"" if place else fresh) for place, each in enumerate(old)]
    at = _place(root, _ORDER[root.name], name)
    return [Splice(at, at, fresh)]


def _place(root: Span, order: Sequence[str], name: str) -> int:
    """Where an element belongs among the children of another: after the last one that comes before it in the schema.

    An element of another namespace keeps its place after its neighbour, and one with alternatives (ISO/IEC 29500-3,
    7.5) counts as what it contains.
    """
    rank, before, at = {each: number for number, each in enumerate(order)}, True, root.open_end
    for child in root.children:
        known = next((rank[span.name] for span in _meant(root, child) if span.name in rank), None)
        if known is not None:
            before = known <= rank[name]
        if before:
            at = child.end
    return at


def _meant(root: Span, child: Span) -> Iterator[Span]:
    """The elements of the root's namespace that a child is, or is an alternative for."""
    if child.uri == root.uri:
        yield child
    elif child.name == "AlternateContent":
        for choice in child.children:
            yield from (span for span in choice.children if span.uri == root.uri)


def all_placed(root: Span, elements: Mapping[str, bytes]) -> list[Splice]:
    """The splices of several elements. New ones that go to one place come in the order of the schema."""
    order = _ORDER[root.name]
    return [splice for name in sorted(elements, key=order.index) for splice in placed(root, name, elements[name])]


def with_child(element: bytes, path: Sequence[str], attributes: Mapping[str, str | None], prefix: str) -> bytes:
    """An element with attributes set on the one at the end of a path of names; what is missing on the way is made."""
    root = parse(element)
    if not path:
        return with_attributes(element[: root.open_end], attributes) + element[root.open_end :]
    old = root.child(path[0])
    if old is not None:
        fresh = with_child(element[old.start : old.end], path[1:], attributes, prefix)
        return spliced(element, [Splice(old.start, old.end, fresh)])
    return inserted(element, with_child(f"<{prefix}{path[0]}/>".encode(), path[1:], attributes, prefix), path[0])


def replaced(element: bytes, name: str, fresh: bytes) -> bytes:
    """An element with one directly inside replaced, put in its place, or removed by nothing."""
    old = parse(element).child(name)
    if old is not None:
        return spliced(element, [Splice(old.start, old.end, fresh)])
    return inserted(element, fresh, name) if fresh else element


def attributes_inside(element: bytes, name: str) -> dict[str, str] | None:
    """The attributes of the first element of this name inside another; None where there is none."""
    root = parse(element)
    found = next((span for span in root.inside() if span.name == name and span.uri == root.uri), None)
    return dict(found.attributes) if found is not None else None


def inserted(element: bytes, fresh: bytes, name: str) -> bytes:
    """An element with another one put inside, where the schema wants it."""
    root = parse(element)
    if root.open_end == root.end:
        return element[:-2].rstrip() + b">" + fresh + f"</{root.raw_name}>".encode()
    order = _INNER_ORDER.get(root.name, ())
    at = _place(root, order if name in order else (*order, name), name)
    return spliced(element, [Splice(at, at, fresh)])


def without(element: bytes, *names: str) -> bytes:
    """An element without those of these names directly inside."""
    root = parse(element)
    return spliced(
        element,
        [
            Splice(child.start, child.end, b"")
            for child in root.children
            if child.name in names and child.uri == root.uri
        ],
    )
