"""How an office file is known when the ending of its name says nothing (ISO/IEC 29500-2, 7.2.3)."""

from __future__ import annotations

import zipfile
import zlib

#: Ends of the content types of main parts.
_WORKBOOKS = (b"spreadsheetml.sheet.main+xml", b"ms-excel.sheet.macroEnabled.main+xml")
_DOCUMENTS = (b"wordprocessingml.document.main+xml", b"ms-word.document.macroEnabled.main+xml")
#: The list of content types is looked at up to this many bytes.
_MOST = 1 << 20


def is_workbook(path: str) -> bool:
    """Whether the content types of a package name a workbook as a part."""
    return _names(path, _WORKBOOKS)


def is_document(path: str) -> bool:
    """Whether they name a document."""
    return _names(path, _DOCUMENTS)


def _names(path: str, wanted: tuple[bytes, ...]) -> bool:
    try:
        with zipfile.ZipFile(path) as package, package.open("[Content_Types].xml") as types:
            found = types.read(_MOST)
    except (OSError, KeyError, ValueError, NotImplementedError, RuntimeError, zipfile.BadZipFile, zlib.error):
        return False
    return any(each in found for each in wanted)
