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
    """Copies the sample files to a folder, created if necessary; gives their paths. Existing files do not change."""
    os.makedirs(folder, exist_ok=True)
    paths = [os.path.join(folder, name) for name in SAMPLES]
    for name, path in zip(SAMPLES, paths, strict=True):
        if not os.path.lexists(path):
            shutil.copyfile(os.path.join(os.path.dirname(__file__), name), path)
    return paths
