"""The sample files of the Kestrel Ridge Huts, and the example macros."""

from __future__ import annotations

import os
import shutil

#: The sample files that ship with Scrub; `tools/make_samples.py` builds them.
SAMPLES = (
    "season-book.xlsx", "supply-list.xlsx", "prices.xlsx", "bookings.csv", "house-rules.docx", "letter.docx",
    "route.docx", "wardens.odt", "notice.txt", "bookings.mbox", "water.eml", "route-cards.pdf", "larch-hut.jpg",
    "seal.png", "huts.sqlite",
)  # fmt: skip


def lay_out_samples(folder: str) -> list[str]:
    """Copies the sample files into a folder, which is made. A file that is there already is set beside, not lost."""
    os.makedirs(folder, exist_ok=True)
    paths = []
    for name in SAMPLES:
        stem, ending = os.path.splitext(name)
        path, number = os.path.join(folder, name), 2
        while os.path.lexists(path):
            path, number = os.path.join(folder, f"{stem} ({number}){ending}"), number + 1
        shutil.copyfile(os.path.join(os.path.dirname(__file__), name), path)
        paths.append(path)
    return paths
