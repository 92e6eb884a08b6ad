"""A workbook with nothing in it: the parts that OpenDocument 1.3, part 2, 3.2, asks for, and one sheet."""

from __future__ import annotations

import io
import os
import re
import zipfile

from scrub.formats.opensheets.book import OpenWorkbook
from scrub.formats.opensheets.projection import TYPE
from scrub.formats.opensheets.style_maker import USUAL
from scrub.formats.source import FreshSource
from scrub.formats.spans import escaped

_SPACES = {**USUAL, "meta": "urn:oasis:names:tc:opendocument:xmlns:meta:1.0", "dc": "http://purl.org/dc/elements/1.1/"}
_DECLARED = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in _SPACES.items())
_CONFIG = "urn:oasis:names:tc:opendocument:xmlns:config:1.0"
_MANIFEST = "urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"
_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
#: Characters that the name of a sheet may have at most, and that it may not have.
_LONGEST, _UNNAMED = 31, r"[\\/*?:\[\]]"
_FONTS = (
    '<office:font-face-decls><style:font-face style:name="Liberation Sans" '
    "svg:font-family=\"'Liberation Sans'\"/></office:font-face-decls>"
)
_STYLES = (
    '<office:styles><style:style style:name="Default" style:family="table-cell"><style:text-properties '
    'style:font-name="Liberation Sans" fo:font-size="10pt"/></style:style></office:styles>'
)
_PAGES = (
    '<style:page-layout style:name="pm1"><style:page-layout-properties fo:margin-top="2cm" fo:margin-bottom="2cm" '
    'fo:margin-left="2cm" fo:margin-right="2cm"/></style:page-layout>'
)
_MASTERS = (
    '<office:master-styles><style:master-page style:name="Default" '
    'style:page-layout-name="pm1"/></office:master-styles>'
)
_AUTOMATIC = (
    '<style:style style:name="ta1" style:family="table" style:master-page-name="Default"><style:table-properties '
    'table:display="true"/></style:style>'
)
_BODY = (
    '<office:body><office:spreadsheet><table:table table:name="NAME" table:style-name="ta1"><table:table-column/>'
    "<table:table-row><table:table-cell/></table:table-row></table:table></office:spreadsheet></office:body>"
)
_META = "<office:meta><meta:generator>Scrub</meta:generator></office:meta>"


def _document(kind: str, inside: str) -> str:
    return f'{_HEAD}<office:document-{kind} {_DECLARED} office:version="1.3">{inside}</office:document-{kind}>'


_PARTS = {
    "content.xml": _document(
        "content", f"{_FONTS}<office:automatic-styles>{_AUTOMATIC}</office:automatic-styles>{_BODY}"
    ),
    "styles.xml": _document(
        "styles", f"{_FONTS}{_STYLES}<office:automatic-styles>{_PAGES}</office:automatic-styles>{_MASTERS}"
    ),
    "meta.xml": _document("meta", _META),
    "settings.xml": _document("settings", f'<office:settings xmlns:config="{_CONFIG}"></office:settings>'),
}
_FLAT = (
    f'{_HEAD}<office:document {_DECLARED} office:version="1.3" office:mimetype="{TYPE}">{_META}'
    f'<office:settings xmlns:config="{_CONFIG}"></office:settings>{_FONTS}{_STYLES}'
    f"<office:automatic-styles>{_AUTOMATIC}{_PAGES}</office:automatic-styles>{_MASTERS}{_BODY}</office:document>"
)


def new_open_workbook(path: str) -> OpenWorkbook:
    """One that is to be at a path; its sheet has the name of the file."""
    name = re.sub(_UNNAMED, "-", os.path.splitext(os.path.basename(path))[0]).strip("'")[:_LONGEST] or "Sheet1"
    if path.lower().endswith(".fods"):
        return OpenWorkbook(FreshSource(path, _FLAT.replace("NAME", escaped(name)).encode()))
    listed = "".join(
        f'<manifest:file-entry manifest:full-path="{part}" manifest:media-type="{type_}"/>'
        for part, type_ in {"/": TYPE, **dict.fromkeys(_PARTS, "text/xml")}.items()
    )
    manifest = (
        f'{_HEAD}<manifest:manifest xmlns:manifest="{_MANIFEST}" manifest:version="1.3">{listed}</manifest:manifest>'
    )
    parts = {"mimetype": TYPE, **_PARTS, "META-INF/manifest.xml": manifest}
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as package:
        for part, text in parts.items():
            info = zipfile.ZipInfo(part)  # the same bytes at any time
            info.compress_type = zipfile.ZIP_STORED if part == "mimetype" else zipfile.ZIP_DEFLATED
            package.writestr(info, text.replace("NAME", escaped(name)))
    return OpenWorkbook(FreshSource(path, made.getvalue()))
