"""The sample files of the Kestrel Ridge Huts, and the example macros."""

from __future__ import annotations

import os
import shutil

#: The sample files that ship with Scrub; `tools/make_samples.py` builds them.
SAMPLES = (
    "season-book.xlsx", "supply-list.xlsx", "prices.xlsx", "bookings.csv", "house-rules.docx", "letter.docx",
    "route.docx", "wardens.odt", "stores.ods", "notice.txt", "bookings.mbox", "water.eml", "route-cards.pdf",
    "larch-hut.jpg", "seal.png", "huts.sqlite",
)  # fmt: skip


#: The season book after somebody noted by hand who has to be reminded; it shows how a macro is learned.
BY_HAND = os.path.join("by-hand", "season-book.xlsx")


def lay_out_samples(folder: str) -> list[str]:
    """Copies the sample files to a folder, created if necessary, and one that was changed by hand below it; gives the
    paths of the sample files. Existing files do not change.
    """
    for name in (*SAMPLES, BY_HAND):
        path = os.path.join(folder, name)
        os.makedirs(os.path.dirname(path), exist_ok=True)
        if not os.path.lexists(path):
            shutil.copyfile(os.path.join(os.path.dirname(__file__), name), path)
    return [os.path.join(folder, name) for name in SAMPLES]
