"""A workbook with nothing in it: the parts that the standard asks for (ISO/IEC 29500-1, 12.3), and one empty sheet."""

from __future__ import annotations

import io
import os
import re
import zipfile

from scrub.formats.source import FreshSource
from scrub.formats.spans import escaped
from scrub.formats.workbook.book import OfficeWorkbook

_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"
_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml"
_HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
#: Characters that the name of a sheet may have at most, and that it may not have (18.2.19).
_LONGEST = 31
_UNNAMED = r"[\\/*?:\[\]]"

_PARTS = {
    "[Content_Types].xml": f"""<Types xmlns="{_PACKAGE}/content-types"
><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"
/><Default Extension="xml" ContentType="application/xml"
/><Override PartName="/xl/workbook.xml" ContentType="{_TYPE}.sheet.main+xml"
/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="{_TYPE}.worksheet+xml"
/><Override PartName="/xl/styles.xml" ContentType="{_TYPE}.styles+xml"/></Types>""",
    "_rels/.rels": f"""<Relationships xmlns="{_PACKAGE}/relationships"
><Relationship Id="rId1" Type="{_OFFICE}/officeDocument" Target="xl/workbook.xml"/></Relationships>""",
    "xl/workbook.xml": f"""<workbook xmlns="{_MAIN}" xmlns:r="{_OFFICE}"
><sheets><sheet name="NAME" sheetId="1" r:id="rId1"/></sheets></workbook>""",
    "xl/_rels/workbook.xml.rels": f"""<Relationships xmlns="{_PACKAGE}/relationships"
><Relationship Id="rId1" Type="{_OFFICE}/worksheet" Target="worksheets/sheet1.xml"
/><Relationship Id="rId2" Type="{_OFFICE}/styles" Target="styles.xml"/></Relationships>""",
    "xl/worksheets/sheet1.xml": f"""<worksheet xmlns="{_MAIN}"><sheetData/></worksheet>""",
    "xl/styles.xml": f"""<styleSheet xmlns="{_MAIN}"
><fonts count="1"><font><sz val="11"/><name val="Calibri"/></font></fonts
><fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills
><borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders
><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs
><cellXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/></cellXfs
><cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>""",
}


def new_workbook(path: str) -> OfficeWorkbook:
    """One that is to be at a path; its sheet has the name of the file."""
    name = re.sub(_UNNAMED, "-", os.path.splitext(os.path.basename(path))[0]).strip("'")[:_LONGEST] or "Sheet1"
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as package:
        for part, text in _PARTS.items():
            info = zipfile.ZipInfo(part)  # the same bytes at any time
            info.compress_type = zipfile.ZIP_DEFLATED
            package.writestr(info, _HEAD + text.replace("NAME", escaped(name)))
    return OfficeWorkbook(FreshSource(path, made.getvalue()))
