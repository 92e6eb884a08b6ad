"""Reads the words of pages in a process of its own: what a stranger's page asks for can be ended there.

Run with a file's path as its argument. The first line that comes in is the password, or nothing, in JSON; each further
one the index of a page. What goes out is a line of JSON for each: what was read, or what is wrong.
"""

from __future__ import annotations

import json
import os
import sys

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
                page = document[asked]
                words = page.get_textpage()
                said = words.get_text_range().replace("\r\n", "\n").replace("\ufffe", "")
                words.close()
                page.close()
            answer: dict[str, str | None] = {"read": said}
        except Exception as error:  # of several sorts, and all of them mean that the file is damaged
            answer = {"wrong": str(error).split("\n")[0][:120] or type(error).__name__}
        sys.stdout.write(json.dumps(answer) + "\n")
        sys.stdout.flush()


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
