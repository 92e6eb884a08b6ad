"""How a workbook is known when the ending of its name says nothing (ISO/IEC 29500-2, 7.2.3)."""

from __future__ import annotations

import zipfile

_MAIN = (b"spreadsheetml.sheet.main+xml", b"ms-excel.sheet.macroEnabled.main+xml")
#: The list of content types is looked at up to this many bytes.
_MOST = 1 << 20


def is_workbook(path: str) -> bool:
    """Whether the content types of a package name a workbook as a part."""
    try:
        with zipfile.ZipFile(path) as package, package.open("[Content_Types].xml") as types:
            found = types.read(_MOST)
    except (OSError, KeyError, ValueError, NotImplementedError, RuntimeError, zipfile.BadZipFile):
        return False
    return any(each in found for each in _MAIN)
