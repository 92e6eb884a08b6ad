"""Workbooks as various writers make them, built part by part: what the usual libraries never write is in here too."""

from __future__ import annotations

import io
import zipfile
from typing import Any, NamedTuple
from xml.sax.saxutils import escape

from hypothesis import strategies as st

MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
RELS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
STYLES = (
    f'<styleSheet xmlns="{MAIN}"><numFmts count="1"><numFmt numFmtId="164" formatCode="d mmm yyyy"/></numFmts>'
    '<fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts>'
    '<fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills>'
    '<borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders>'
    '<cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs>'
    '<cellXfs count="4"><xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0"/>'
    '<xf numFmtId="164" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/>'
    '<xf numFmtId="2" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1"/>'
    '<xf numFmtId="0" fontId="0" fillId="0" borderId="0" xfId="0" applyProtection="1"><protection locked="0"/></xf></cellXfs>'
    '<cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles></styleSheet>'
)


class Stored(NamedTuple):
    """A cell as its XML: what follows its address, and what is inside."""

    attributes: str
    content: str


TEXTS = st.text(st.sampled_from("ab  \u00a0\u00e9<&>\"'_x\n\u2603"), max_size=8)
NUMBERS = st.one_of(st.integers(-(10**9), 10**9), st.decimals(-1000, 1000, places=2).map(float))


@st.composite
def cells(draw: st.DrawFn, strings: list[str], shared: bool) -> Stored:
    kind = draw(
        st.sampled_from(
            ["number", "number", "text", "text", "date", "bool", "error", "formula", "styled", "rich", "str"]
        )
    )
    style = draw(st.sampled_from(["", ' s="2"', ' s="3"']))
    text = draw(TEXTS)
    plain = f'<t xml:space="preserve">{escape(text)}</t>'
    if kind == "number":
        return Stored(style, f"<v>{draw(NUMBERS)}</v>")
    if kind == "date":
        return Stored(' s="1"', f"<v>{draw(st.integers(61, 60_000))}</v>")
    if kind == "bool":
        return Stored(f'{style} t="b"', f"<v>{draw(st.integers(0, 1))}</v>")
    if kind == "error":
        return Stored(f'{style} t="e"', "<v>#N/A</v>")
    if kind == "formula":
        return Stored(style, f"<f>1+{draw(st.integers(0, 9))}</f><v>{draw(st.integers(0, 99))}</v>")
    if kind == "str":
        return Stored(f'{style} t="str"', f"<f>{escape(chr(34) + 'a' + chr(34))}</f><v>{escape(text)}</v>")
    if kind == "styled":
        return Stored(style or ' s="2"', "")
    runs = f'<r><rPr><b/><sz val="11"/></rPr>{plain}</r><r>{plain}</r>'
    content = runs if kind == "rich" else plain
    if shared:
        strings.append(content)
        return Stored(f'{style} t="s"', f"<v>{len(strings) - 1}</v>")
    return Stored(f'{style} t="inlineStr"', f"<is>{content}</is>")


@st.composite
def sheets(draw: st.DrawFn, strings: list[str], shared: bool) -> str:
    """A `sheetData` with its neighbours: rows and cells with and without an address, empty ones, odd spelling."""
    addressed = draw(st.sampled_from([True, True, False]))
    rows, found = sorted(draw(st.sets(st.integers(1, 9), max_size=5))), []
    numbers = rows if addressed else list(range(1, len(rows) + 1))
    for number in numbers:
        columns = sorted(draw(st.sets(st.integers(1, 6), max_size=5)))
        columns = columns if addressed else list(range(1, len(columns) + 1))
        inner = ""
        for column in columns:
            cell = draw(cells(strings, shared))
            at = f' r="{chr(64 + column)}{number}"' if addressed else ""
            inner += f"<c{at}{cell.attributes}>{cell.content}</c>" if cell.content else f"<c{at}{cell.attributes}/>"
        spans = draw(st.sampled_from(["", ' spans="1:6"', ' spans="1:2" ht="20" customHeight="1"']))
        at = f' r="{number}"' if addressed else ""
        found.append(f"<row{at}{spans}>{inner}</row>" if inner else f"<row{at}{spans}/>")
    odd = draw(st.sampled_from(["", "", "", "<!-- c r= -->", "\n  "]))
    data = f"<sheetData>{odd}{''.join(found)}</sheetData>" if found or odd else "<sheetData/>"
    merges = draw(st.sampled_from(["", '<mergeCells count="1"><mergeCell ref="H1:J2"/></mergeCells>']))
    dimension = draw(st.sampled_from(["", '<dimension ref="A1:F9"/>', '<dimension ref="B2"/>']))
    views = draw(st.sampled_from(["", '<sheetViews><sheetView workbookViewId="0"/></sheetViews>']))
    return f"{dimension}{views}{data}{merges}"


class Book(NamedTuple):
    """A made workbook."""

    data: bytes
    from_1904: bool


@st.composite
def books(draw: st.DrawFn) -> Book:
    """A workbook of one or two sheets."""
    shared, from_1904 = draw(st.booleans()), draw(st.booleans())
    strings: list[str] = []
    bodies = [draw(sheets(strings, shared)) for _ in range(draw(st.integers(1, 2)))]
    return Book(packed(bodies, strings if shared else None, from_1904, draw(st.booleans())), from_1904)


def packed(
    bodies: list[str], strings: list[str] | None = None, from_1904: bool = False, prefixed: bool = False, **more: Any
) -> bytes:
    """The package around some sheets."""
    names = "".join(f'<sheet name="S{n}" sheetId="{n}" r:id="r{n}"/>' for n in range(1, len(bodies) + 1))
    flag = ' date1904="1"' if from_1904 else ""
    parts = {
        "xl/workbook.xml": f'<workbook xmlns="{MAIN}" xmlns:r="{RELS}"><workbookPr{flag}/><sheets>{names}</sheets></workbook>',
        "xl/styles.xml": STYLES,
    }
    types = {
        "xl/workbook.xml": "spreadsheetml.sheet.main", "xl/styles.xml": "spreadsheetml.styles",
    }  # fmt: skip
    related = [("rs", "styles", "styles.xml")]
    if strings is not None:
        inner = "".join(f"<si>{each}</si>" for each in strings)
        parts["xl/sharedStrings.xml"] = (
            f'<sst xmlns="{MAIN}" count="{len(strings)}" uniqueCount="{len(strings)}">{inner}</sst>'
        )
        types["xl/sharedStrings.xml"] = "spreadsheetml.sharedStrings"
        related.append(("rt", "sharedStrings", "sharedStrings.xml"))
    for number, body in enumerate(bodies, 1):
        text = f'<worksheet xmlns="{MAIN}">{body}</worksheet>'
        if prefixed:
            text = text.replace("<!--", "\0").replace("</", "</x:").replace("<", "<x:").replace("<x:/x:", "</x:")
            text = text.replace("\0", "<!--").replace("xmlns=", "xmlns:x=")
        parts[f"xl/worksheets/sheet{number}.xml"] = text
        types[f"xl/worksheets/sheet{number}.xml"] = "spreadsheetml.worksheet"
        related.append((f"r{number}", "worksheet", f"worksheets/sheet{number}.xml"))
    for name, (type_, text) in more.get("parts", {}).items():
        parts[name] = text
        types[name] = type_
    related += more.get("related", [])
    links = "".join(f'<Relationship Id="{i}" Type="{RELS}/{t}" Target="{p}"/>' for i, t, p in related)
    base = "http://schemas.openxmlformats.org/package/2006"
    parts["xl/_rels/workbook.xml.rels"] = f'<Relationships xmlns="{base}/relationships">{links}</Relationships>'
    start = f'<Relationship Id="r" Type="{RELS}/officeDocument" Target="xl/workbook.xml"/>'
    parts["_rels/.rels"] = f'<Relationships xmlns="{base}/relationships">{start}</Relationships>'
    kinds = "".join(
        f'<Override PartName="/{n}" ContentType="application/vnd.openxmlformats-officedocument.{t}+xml"/>'
        for n, t in types.items()
    )
    defaults = (
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="xml" ContentType="application/xml"/>'
    )
    everything = {"[Content_Types].xml": f'<Types xmlns="{base}/content-types">{defaults}{kinds}</Types>', **parts}
    raw = io.BytesIO()
    with zipfile.ZipFile(raw, "w", zipfile.ZIP_DEFLATED) as package:
        for name, part in everything.items():
            package.writestr(name, part)
    return raw.getvalue()
