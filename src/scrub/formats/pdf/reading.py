"""Reads the words of pages in a process of its own: what a stranger's page asks for can be ended there.

Run with a file's path as its argument. The first line that comes in is the password, or nothing, in JSON; each further
one the index of a page whose words are asked for, or a list with the index of one of which is asked whether it is
blank. What goes out is a line of JSON for each: what was read, or what is wrong.
"""

from __future__ import annotations

import json
import os
import sys
from typing import Any

#: Seconds of work for one page; bytes of memory, beside some for each byte of the file.
SECONDS, MEMORY, FOR_EACH_BYTE = 10, 310_000_000, 4


def main(path: str) -> None:
    """Answers until nothing more is asked."""
    import pypdfium2

    _limit(os.path.getsize(path))
    document = None
    for line in sys.stdin:
        asked = json.loads(line)
        try:
            if document is None:
                document = pypdfium2.PdfDocument(path, password=asked)
                said = None
            else:
                _start_clock()
                page = document[asked[0] if isinstance(asked, list) else asked]
                said = _words(page)
                if isinstance(asked, list):
                    said = "blank" if not said.strip() and _is_blank(page) else ""
                page.close()
            answer: dict[str, str | None] = {"read": said}
        except Exception as error:  # of several kinds, and all of them mean that the file is damaged
            answer = {"wrong": str(error).split("\n")[0][:120] or type(error).__name__}
        sys.stdout.write(json.dumps(answer) + "\n")
        sys.stdout.flush()


def _words(page: Any) -> str:
    words = page.get_textpage()
    said = str(words.get_text_range()).replace("\r\n", "\n").replace("\ufffe", "")
    words.close()
    return said


#: Points of a drawn page that are looked at, at most.
_MOST_POINTS = 500_000
#: Annotations that draw nothing themselves (ISO 32000-2, 12.5.6): links, and the windows of others.
_UNDRAWN = (2, 16)


def _is_blank(page: Any) -> bool:
    """Whether nothing is seen on a page without words: no picture, and no point that is not white."""
    from pypdfium2 import raw

    sorts = {object_.type for object_ in page.get_objects(max_depth=8)}
    if sorts & {raw.FPDF_PAGEOBJ_IMAGE, raw.FPDF_PAGEOBJ_SHADING}:
        return False
    if not sorts and not _annotated(page):
        return True
    width, height = page.get_size()
    scale = min(1.0, (_MOST_POINTS / max(1.0, width * height)) ** 0.5)
    bitmap = page.render(scale=scale, grayscale=True, draw_annots=True)
    rows, stride = bytes(bitmap.buffer), bitmap.stride
    wide = bitmap.width * bitmap.n_channels
    white = b"\xff" * wide
    return all(rows[start : start + wide] == white for start in range(0, stride * bitmap.height, stride))


def _annotated(page: Any) -> bool:
    """Whether a page has annotations that are drawn."""
    from pypdfium2 import raw

    for number in range(raw.FPDFPage_GetAnnotCount(page)):
        annotation = raw.FPDFPage_GetAnnot(page, number)
        sort = raw.FPDFAnnot_GetSubtype(annotation)
        raw.FPDFPage_CloseAnnot(annotation)
        if sort not in _UNDRAWN:
            return True
    return False


def _limit(size: int) -> None:
    """Bounds the memory, and the time, where the system can."""
    try:
        import resource
    except ImportError:
        return
    room = MEMORY + FOR_EACH_BYTE * size
    resource.setrlimit(resource.RLIMIT_AS, (room, room))
    _start_clock()


def _start_clock() -> None:
    """Lets the system end this process when it has worked too long on one page."""
    import signal

    if hasattr(signal, "setitimer"):
        signal.signal(signal.SIGPROF, signal.SIG_DFL)
        signal.setitimer(signal.ITIMER_PROF, SECONDS)


if __name__ == "__main__":
    main(sys.argv[1])
