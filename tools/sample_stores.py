"""The stores of the huts as an OpenDocument workbook: what hangs on cells, repeats, and a hidden sheet."""

from __future__ import annotations

import zipfile
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

_OASIS = "urn:oasis:names:tc:opendocument:xmlns"
_SPACES = {
    "office": f"{_OASIS}:office:1.0", "table": f"{_OASIS}:table:1.0", "text": f"{_OASIS}:text:1.0",
    "style": f"{_OASIS}:style:1.0", "fo": f"{_OASIS}:xsl-fo-compatible:1.0", "number": f"{_OASIS}:datastyle:1.0",
    "draw": f"{_OASIS}:drawing:1.0", "svg": f"{_OASIS}:svg-compatible:1.0", "of": f"{_OASIS}:of:1.2",
    "config": f"{_OASIS}:config:1.0", "meta": f"{_OASIS}:meta:1.0", "xlink": "http://www.w3.org/1999/xlink",
    "dc": "http://purl.org/dc/elements/1.1/", "ooo": "http://openoffice.org/2004/office",
    "calcext": "urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0",
}  # fmt: skip
_DECLARED = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in _SPACES.items())
_ITEMS = (
    ("Larch Hut", "bread", 12, 20, "2.4"), ("Larch Hut", "wood", 40, 60, "0.35"), ("Larch Hut", "gas", 2, 4, "31.5"),
    ("Kite Hut", "bread", 25, 20, "2.4"), ("Kite Hut", "wood", 15, 60, "0.35"), ("Kite Hut", "gas", 4, 4, "31.5"),
    ("Tarn Hut", "bread", 8, 15, "2.4"), ("Tarn Hut", "wood", 80, 60, "0.35"), ("Tarn Hut", "gas", 1, 4, "31.5"),
)  # fmt: skip


def _cell(value: object, style: str = "", more: str = "", inside: str = "") -> str:
    named = (f' table:style-name="{style}"' if style else "") + more
    if value is None:
        return f"<table:table-cell{named}>{inside}</table:table-cell>" if inside else f"<table:table-cell{named}/>"
    if isinstance(value, str):
        said = ' office:value-type="string" calcext:value-type="string"'
    else:
        said = f' office:value-type="float" office:value="{value}" calcext:value-type="float"'
    paragraph = inside or f"<text:p>{escape(str(value))}</text:p>"
    return f"<table:table-cell{named}{said}>{paragraph}</table:table-cell>"


def _date(day: str) -> str:
    said = f'office:value-type="date" office:date-value="{day}" calcext:value-type="date"'
    return f'<table:table-cell table:style-name="day" {said}><text:p>{day}</text:p></table:table-cell>'


def _formula(formula: str, value: str, style: str = "") -> str:
    named = f' table:style-name="{style}"' if style else ""
    said = f'office:value-type="float" office:value="{value}" calcext:value-type="float"'
    written = quoteattr(f"of:={formula}")
    return f"<table:table-cell{named} table:formula={written} {said}><text:p>{value}</text:p></table:table-cell>"


def _row(*cells: str, more: str = "") -> str:
    return f'<table:table-row table:style-name="row"{more}>{"".join(cells)}</table:table-row>'


def _stores() -> str:
    note = (
        "<office:annotation><dc:creator>Ann Moss</dc:creator><text:p>The mule comes on Tuesdays.</text:p>"
        "</office:annotation>"
    )
    title = _cell("Stores of the huts", "title", ' table:number-columns-spanned="7" table:number-rows-spanned="1"')
    rows = [_row(title, '<table:covered-table-cell table:number-columns-repeated="6"/>')]
    heads = ("Hut", "Item", "There", "Needed", "To order", "Price", "Checked")
    head = _row(*(_cell(each, "head") for each in heads))
    rows.append(f"<table:table-header-rows>{head}</table:table-header-rows>")
    body = []
    for number, (hut, item, there, needed, price) in enumerate(_ITEMS, 3):
        order = max(0, needed - there)
        comment = note + "<text:p>60</text:p>" if number == 4 else ""
        where = f'<text:p><text:a xlink:href="#Prices.A1" xlink:type="simple">{item}</text:a></text:p>'
        body.append(
            _row(
                _cell(hut), _cell(item, inside=where if number == 3 else ""),
                _cell(there, more=' table:content-validation-name="whole"'), _cell(needed, inside=comment),
                _formula(f"MAX(0;[.D{number}]-[.C{number}])", str(order)),
                _formula(f"[Prices.B{2 + (number - 3) % 3}]", price, "money"), _date(f"2026-05-0{number - 2}"),
            )
        )  # fmt: skip
    rows += [*body[:3], f"<table:table-row-group>{''.join(body[3:6])}</table:table-row-group>", *body[6:]]
    rows.append(_row('<table:table-cell table:number-columns-repeated="7"/>', more=' table:number-rows-repeated="2"'))
    total = sum(max(0, needed - there) for _, _, there, needed, _ in _ITEMS)
    rows.append(
        _row(
            _cell("All"),
            _cell(None, more=' table:number-columns-repeated="3"'),
            _formula("SUM([.E3:.E11])", str(total)),
        )
    )
    rows.append(
        _row('<table:table-cell table:number-columns-repeated="7"/>', more=' table:number-rows-repeated="1048562"')
    )
    frame = (
        '<table:shapes><draw:frame draw:name="Seal" svg:width="2cm" svg:height="2cm" svg:x="18cm" svg:y="1cm">'
        '<draw:image xlink:href="Pictures/seal.png" xlink:type="simple"/><svg:title>The seal of the huts</svg:title>'
        "</draw:frame></table:shapes>"
    )
    columns = (
        '<table:table-column table:style-name="wide" table:number-columns-repeated="2"/>'
        '<table:table-column table:style-name="narrow" table:number-columns-repeated="5"/>'
    )
    low = quoteattr("formula-is([.C3]<[.D3]/2)")
    formats = (
        '<calcext:conditional-formats><calcext:conditional-format calcext:target-range-address="Stores.C3:Stores.C11">'
        f'<calcext:condition calcext:apply-style-name="Low" calcext:value={low} calcext:base-cell-address="Stores.C3"/>'
        "</calcext:conditional-format></calcext:conditional-formats>"
    )
    said = 'table:name="Stores" table:style-name="shown" table:print-ranges="Stores.A1:Stores.G14"'
    return f"<table:table {said}>{frame}{columns}{''.join(rows)}{formats}</table:table>"


def _prices() -> str:
    rows = [
        _row(_cell("Item", "head"), _cell("Price", "head"), _cell("Unit", "head")),
        *(
            _row(_cell(item), _cell(price, "money"), _cell(unit))
            for item, price, unit in (("bread", 2.4, "loaf"), ("wood", 0.35, "kg"), ("gas", 31.5, "bottle"))
        ),
        _row(_cell("x", more=' table:number-columns-repeated="3"'), more=' table:number-rows-repeated="2"'),
    ]
    column = '<table:table-column table:style-name="narrow" table:number-columns-repeated="3"/>'
    return f'<table:table table:name="Prices" table:style-name="hidden">{column}{"".join(rows)}</table:table>'


_AUTOMATIC = (
    '<number:number-style style:name="N2"><number:number number:decimal-places="2" number:min-decimal-places="2" '
    'number:min-integer-digits="1"/><number:text> EUR</number:text></number:number-style>'
    '<number:date-style style:name="N3"><number:day number:style="long"/><number:text>.</number:text>'
    '<number:month number:style="long"/><number:text>.</number:text>'
    '<number:year number:style="long"/></number:date-style>'
    '<style:style style:name="wide" style:family="table-column"><style:table-column-properties '
    'style:column-width="4cm"/></style:style>'
    '<style:style style:name="narrow" style:family="table-column"><style:table-column-properties '
    'style:column-width="2.3cm"/></style:style>'
    '<style:style style:name="row" style:family="table-row"><style:table-row-properties '
    'style:row-height="0.45cm" style:use-optimal-row-height="true"/></style:style>'
    '<style:style style:name="shown" style:family="table" style:master-page-name="Default"><style:table-properties '
    'table:display="true"/></style:style>'
    '<style:style style:name="hidden" style:family="table" style:master-page-name="Default"><style:table-properties '
    'table:display="false"/></style:style>'
    '<style:style style:name="title" style:family="table-cell" style:parent-style-name="Default">'
    '<style:text-properties fo:font-size="14pt" fo:font-weight="bold"/></style:style>'
    '<style:style style:name="head" style:family="table-cell" style:parent-style-name="Default">'
    '<style:table-cell-properties fo:background-color="#d9e4df" fo:border-bottom="0.74pt solid #000000"/>'
    '<style:text-properties fo:font-weight="bold"/></style:style>'
    '<style:style style:name="money" style:family="table-cell" style:parent-style-name="Default" '
    'style:data-style-name="N2"/>'
    '<style:style style:name="day" style:family="table-cell" style:parent-style-name="Default" '
    'style:data-style-name="N3"/>'
)
_WHOLE = quoteattr("of:cell-content-is-whole-number() and cell-content()>=0")
_CONTENT = (
    f'<office:document-content {_DECLARED} office:version="1.3"><office:automatic-styles>{_AUTOMATIC}'
    "</office:automatic-styles><office:body><office:spreadsheet><table:content-validations>"
    f'<table:content-validation table:name="whole" table:condition={_WHOLE} table:base-cell-address="Stores.C3">'
    '<table:error-message table:message-type="stop" table:display="true"><text:p>Only whole numbers.</text:p>'
    "</table:error-message></table:content-validation></table:content-validations>"
    f"{_stores()}{_prices()}"
    '<table:named-expressions><table:named-range table:name="To_order" table:base-cell-address="$Stores.$A$1" '
    'table:cell-range-address="$Stores.$E$3:.$E$11"/></table:named-expressions></office:spreadsheet></office:body>'
    "</office:document-content>"
)
_STYLES = (
    f'<office:document-styles {_DECLARED} office:version="1.3"><office:styles>'
    '<style:style style:name="Default" style:family="table-cell"><style:text-properties fo:font-size="10pt" '
    'fo:font-family="Liberation Sans"/></style:style>'
    '<style:style style:name="Low" style:family="table-cell" style:parent-style-name="Default">'
    '<style:table-cell-properties fo:background-color="#ffd7d7"/></style:style></office:styles>'
    '<office:automatic-styles><style:page-layout style:name="pm1"><style:page-layout-properties fo:page-width="21cm" '
    'fo:page-height="29.7cm" style:print-orientation="portrait" fo:margin-top="2cm" fo:margin-bottom="2cm" '
    'fo:margin-left="1.5cm" fo:margin-right="1.5cm"/><style:header-style><style:header-footer-properties '
    'fo:min-height="0.75cm" fo:margin-bottom="0.25cm"/></style:header-style></style:page-layout>'
    "</office:automatic-styles>"
    '<office:master-styles><style:master-page style:name="Default" style:page-layout-name="pm1"><style:header>'
    "<text:p><text:sheet-name>???</text:sheet-name></text:p></style:header></style:master-page></office:master-styles>"
    "</office:document-styles>"
)
_META = (
    f'<office:document-meta {_DECLARED} office:version="1.3"><office:meta><dc:title>Stores</dc:title>'
    "<meta:initial-creator>Kestrel Ridge Huts</meta:initial-creator></office:meta></office:document-meta>"
)


def _item(name: str, type_: str, value: object) -> str:
    return f'<config:config-item config:name="{name}" config:type="{type_}">{value}</config:config-item>'


_FROZEN = "".join((
    _item("VerticalSplitMode", "short", 2), _item("VerticalSplitPosition", "int", 2), _item("PositionBottom", "int", 2),
    _item("ZoomValue", "int", 100),
))  # fmt: skip
_SETTINGS = (
    f'<office:document-settings {_DECLARED} office:version="1.3"><office:settings>'
    '<config:config-item-set config:name="ooo:view-settings"><config:config-item-map-indexed config:name="Views">'
    f"<config:config-item-map-entry>{_item('ViewId', 'string', 'view1')}<config:config-item-map-named "
    'config:name="Tables">'
    f'<config:config-item-map-entry config:name="Stores">{_FROZEN}</config:config-item-map-entry>'
    f"</config:config-item-map-named>{_item('ActiveTable', 'string', 'Stores')}</config:config-item-map-entry>"
    "</config:config-item-map-indexed></config:config-item-set></office:settings></office:document-settings>"
)
_TYPE = "application/vnd.oasis.opendocument.spreadsheet"


def stores(path: Path, seal: bytes) -> None:
    """Writes the workbook; `seal` is its picture, as PNG."""
    entries = {
        "/": _TYPE, "Pictures/seal.png": "image/png",
        **{f"{name}.xml": "text/xml" for name in ("content", "styles", "meta", "settings")},
    }  # fmt: skip
    listed = "".join(
        f'<manifest:file-entry manifest:full-path="{name}" manifest:media-type="{type_}"/>'
        for name, type_ in entries.items()
    )
    manifest = (
        f'<manifest:manifest xmlns:manifest="{_OASIS}:manifest:1.0" manifest:version="1.3">{listed}</manifest:manifest>'
    )
    head = '<?xml version="1.0" encoding="UTF-8"?>\n'
    parts: dict[str, bytes] = {"mimetype": _TYPE.encode(), "Pictures/seal.png": seal}
    for name, text in (("content", _CONTENT), ("styles", _STYLES), ("meta", _META), ("settings", _SETTINGS)):
        parts[f"{name}.xml"] = (head + text).encode()
    parts["META-INF/manifest.xml"] = (head + manifest).encode()
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        for name, data in parts.items():
            info = zipfile.ZipInfo(name)  # the same bytes at any time
            info.compress_type = zipfile.ZIP_STORED if name == "mimetype" else zipfile.ZIP_DEFLATED
            package.writestr(info, data)
