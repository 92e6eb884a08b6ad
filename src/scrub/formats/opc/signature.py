"""How an office file is known when the ending of its name says nothing (ISO/IEC 29500-2, 7.2.3)."""

from __future__ import annotations

import zipfile

_WORKBOOKS = (b"spreadsheetml.sheet.main+xml", b"ms-excel.sheet.macroEnabled.main+xml")
#: The list of content types is looked at up to this many bytes.
_MOST = 1 << 20


_DOCUMENTS = (b"wordprocessingml.document.main+xml", b"ms-word.document.macroEnabled.main+xml")


def is_workbook(path: str) -> bool:
    """Whether the content types of a package name a workbook as a part."""
    return any(each in _types(path) for each in _WORKBOOKS)


def is_document(path: str) -> bool:
    """Whether they name a document."""
    return any(each in _types(path) for each in _DOCUMENTS)


def _types(path: str) -> bytes:
    try:
        with zipfile.ZipFile(path) as package, package.open("[Content_Types].xml") as types:
            return types.read(_MOST)
    except (OSError, KeyError, ValueError, NotImplementedError, RuntimeError, zipfile.BadZipFile):
        return b""
