"""Characters for stamps: a standard font where it has them (9.6.2.2), else a piece of a font of this machine (9.7)."""

from __future__ import annotations

import io
from collections.abc import Iterable
from functools import lru_cache

from scrub.formats.images.needed import needed
from scrub.formats.images.system_fonts import fonts
from scrub.formats.pdf.update import Section, dictionary
from scrub.model.core.named import NamedTuple
from scrub.model.core.problem import Failure

#: How wide the characters of Helvetica are, in thousandths of their size, from the space on; those of Windows-1252.
_WIDTHS = (
    "278 278 355 556 556 889 667 191 333 333 389 584 278 333 278 278 556 556 556 556 556 556 556 556 556 556 278 278 "
    "584 584 584 556 1015 667 667 722 722 667 611 778 722 278 500 667 556 833 722 778 667 778 722 667 611 722 667 944 "
    "667 667 611 278 278 278 469 556 333 556 556 500 556 556 278 556 556 222 222 500 222 833 556 556 556 556 333 500 "
    "278 556 500 722 500 500 500 334 260 334 584 350 556 350 222 556 333 1000 556 556 333 1000 667 333 1000 350 611 "
    "350 350 222 222 333 333 350 556 1000 333 1000 500 333 944 350 500 667 278 333 556 556 556 556 260 556 333 737 "
    "370 556 584 333 737 333 400 584 333 333 333 556 537 278 333 333 365 556 834 834 834 611 667 667 667 667 667 667 "
    "1000 722 667 667 667 667 278 278 278 278 722 722 778 778 778 778 778 584 778 722 722 722 722 667 667 611 556 556 "
    "556 556 556 556 889 500 556 556 556 556 278 278 278 278 556 556 556 556 556 556 556 584 611 556 556 556 556 500 "
    "556 500"
).split()


class Line(NamedTuple):
    """A text in a font: its codes as an operand, its width, and how far it rises and falls, in thousandths of its size;
    and the font of this machine that it is in, an empty text for the standard one.
    """

    codes: bytes
    width: float
    rise: float
    fall: float
    font: str


def line(text: str) -> Line:
    """A text as it can be written. Raises `Failure` for a letter that no font of this machine has."""
    try:
        plain = text.encode("cp1252")
    except UnicodeEncodeError:
        return _embedded(text)
    width = sum(int(_WIDTHS[byte - 32]) for byte in plain if byte >= 32)
    return Line(b"<" + plain.hex().encode() + b">", width, 718, 207, "")


class _Opened:
    """A font of this machine: the number of the glyph of each letter, and its width in thousandths of its size."""

    def __init__(self, path: str) -> None:
        font = needed("fontTools.ttLib").TTFont(path, lazy=True)
        self.unit = font["head"].unitsPerEm
        self._names, self._widths, self._number = font.getBestCmap(), font["hmtx"], font.getGlyphID

    def has(self, letter: str) -> bool:
        """Whether it has a letter."""
        return ord(letter) in self._names

    def glyph(self, letter: str) -> int:
        """The number of a letter's glyph."""
        number: int = self._number(self._names[ord(letter)])
        return number

    def width(self, letter: str) -> float:
        """How wide a letter is."""
        wide: int = self._widths[self._names[ord(letter)]][0]
        return wide * 1000 / float(self.unit)


@lru_cache(maxsize=4)
def _opened(path: str) -> _Opened:
    return _Opened(path)


def _embedded(text: str) -> Line:
    missing = ""
    for path in fonts():
        font = _opened(path)
        missing = next((letter for letter in text if not font.has(letter)), "")
        if not missing:
            codes = b"<" + b"".join(b"%04X" % font.glyph(letter) for letter in text) + b">"
            return Line(codes, sum(map(font.width, text)), 760, 240, path)
    missing = missing or next(letter for letter in text if ord(letter) > 255)
    raise Failure(f'no font on this computer has the character "{missing}". Install DejaVu Sans, for example')


def put_standard(section: Section) -> int:
    """Helvetica, which every reader has."""
    known = {"Type": b"/Font", "Subtype": b"/Type1", "BaseFont": b"/Helvetica", "Encoding": b"/WinAnsiEncoding"}
    return section.put(dictionary(known))


def put_piece(section: Section, path: str, letters: Iterable[str]) -> int:
    """Some characters of a font as a font of their own: glyphs keep their numbers (9.7.4.3)."""
    subset, ttlib = needed("fontTools.subset"), needed("fontTools.ttLib")
    text, opened = "".join(sorted(set(letters))), _opened(path)
    options = subset.Options(retain_gids=True, notdef_outline=True)
    options.drop_tables += ["GSUB", "GPOS", "GDEF", "kern", "FFTM", "name", "DSIG"]
    font = ttlib.TTFont(path)
    worker = subset.Subsetter(options)
    worker.populate(text=text)
    worker.subset(font)
    made = io.BytesIO()
    font.save(made)
    data = made.getvalue()
    file = section.put_stream({"Length1": b"%d" % len(data)}, data)
    name, head = b"/SCRUBA+StampSans", font["head"]
    box = b" ".join(b"%d" % (each * 1000 // opened.unit) for each in (head.xMin, head.yMin, head.xMax, head.yMax))
    descriptor = section.put(dictionary({
        "Type": b"/FontDescriptor", "FontName": name, "Flags": b"4", "FontBBox": b"[" + box + b"]", "ItalicAngle": b"0",
        "Ascent": b"760", "Descent": b"-240", "CapHeight": b"730", "StemV": b"80", "FontFile2": b"%d 0 R" % file,
    }))  # fmt: skip
    glyphs = {opened.glyph(letter): letter for letter in text}
    listed = b" ".join(b"%d [%d]" % (glyph, round(opened.width(glyphs[glyph]))) for glyph in sorted(glyphs))
    system = section.number()
    said = {"Registry": section.text("Adobe", system), "Ordering": section.text("Identity", system)}
    section.put(dictionary({**said, "Supplement": b"0"}), system)
    inner = section.put(dictionary({
        "Type": b"/Font", "Subtype": b"/CIDFontType2", "BaseFont": name, "CIDToGIDMap": b"/Identity",
        "CIDSystemInfo": b"%d 0 R" % system, "FontDescriptor": b"%d 0 R" % descriptor, "W": b"[" + listed + b"]",
    }))  # fmt: skip
    to_unicode = section.put_stream({}, _unicode_map(glyphs))
    return section.put(dictionary({
        "Type": b"/Font", "Subtype": b"/Type0", "BaseFont": name, "Encoding": b"/Identity-H",
        "DescendantFonts": b"[%d 0 R]" % inner, "ToUnicode": b"%d 0 R" % to_unicode,
    }))  # fmt: skip


def _unicode_map(pairs: dict[int, str]) -> bytes:
    """What each glyph means, so that readers can search and copy (9.10.3)."""
    lines = [
        b"<%04X> <%s>" % (glyph, letter.encode("utf-16-be").hex().upper().encode())
        for glyph, letter in sorted(pairs.items())
    ]
    blocks = [lines[start : start + 100] for start in range(0, len(lines), 100)]
    body = b"\n".join(b"%d beginbfchar\n%b\nendbfchar" % (len(block), b"\n".join(block)) for block in blocks)
    return (
        b"/CIDInit /ProcSet findresource begin\n12 dict begin\nbegincmap\n/CIDSystemInfo << /Registry (Adobe) "
        b"/Ordering (UCS) /Supplement 0 >> def\n/CMapName /Adobe-Identity-UCS def\n/CMapType 2 def\n"
        b"1 begincodespacerange\n<0000> <FFFF>\nendcodespacerange\n" + body + b"\nendcmap\n"
        b"CMapName currentdict /CMap defineresource pop\nend\nend"
    )
