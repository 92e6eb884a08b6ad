"""What real files hold and other writers do, each made by hand: nothing is misread, nothing is lost, nothing else fails."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import pytest
from books import MAIN, RELS, packed
from conftest import macro
from lxml import etree
from sheets import load, members

import scrub


def run(body: str, path: str = "odd.xlsx", **options: object) -> scrub.FileResult:
    return scrub.run(macro(body), [path], **options).files[0]  # type: ignore[arg-type]


def made(*bodies: str, strings: list[str] | None = None, **replaced: str) -> Path:
    """A workbook of these sheets; `replaced` gives parts other contents, by the end of their names."""
    path = Path("odd.xlsx")
    path.write_bytes(packed(list(bodies), strings))
    if replaced:
        rewrite(
            path,
            lambda name, part: next(
                (new.encode() for end, new in replaced.items() if end in name.replace("/", "_")), part
            ),
        )
    return path


def rewrite(path: Path, change: object, rename: object = lambda name: name) -> None:
    with zipfile.ZipFile(io.BytesIO(path.read_bytes())) as old, zipfile.ZipFile(path, "w") as new:
        for name in old.namelist():
            new.writestr(rename(name), change(name, old.read(name)))  # type: ignore[operator]


def rows(*cells: str) -> str:
    return "<sheetData>" + "".join(f'<row r="{n}">{cell}</row>' for n, cell in enumerate(cells, 1)) + "</sheetData>"


def test_columns_of_plain_numbers_are_seen(home: Path) -> None:
    made(rows('<c r="A1"><v>1</v></c><c r="C1"><v>2</v></c>', '<c r="A2"><v>3</v></c>'))
    found = run('in sheet("S1")\nlog "{sheet.range}"\nadd-row [7]\nin column("C")\nmark-duplicates\nend\nend')
    assert found.log == ["A1:C2"]
    assert load("odd.xlsx")["S1"]["A1"].value == 1
    assert load("odd.xlsx")["S1"]["A3"].value == 7


def test_shared_texts_with_a_prefix_are_texts(home: Path) -> None:
    path = made(rows('<c r="A1" t="s"><v>0</v></c>'), strings=["<t>larch</t>"])
    rewrite(path, lambda name, part: (
        f'<x:sst xmlns:x="{MAIN}" count="1"><x:si><x:t>larch</x:t></x:si></x:sst>'.encode() if name.endswith("sharedStrings.xml") else part
    ))  # fmt: skip
    assert [str(each) for each in run('in sheet("S1")\nupper\nend').changes] == ['A1: "larch" -> "LARCH"']


def test_part_names_differ_in_case_and_have_blanks(home: Path) -> None:
    path = made(rows('<c r="A1"><v>1</v></c>'))
    for name in ("xl/Worksheets/Sheet1.XML", "xl/worksheets/my sheet.xml", "xl/worksheets/my%20sheet.xml"):
        made(rows('<c r="A1"><v>1</v></c>'))
        target = name.removeprefix("xl/").replace(" ", "%20")
        rewrite(
            path,
            lambda n, part, target=target: (
                part.replace(b"worksheets/sheet1.xml", target.lower().encode()) if n.endswith(".rels") else part
            ),
            lambda n, name=name: name if n == "xl/worksheets/sheet1.xml" else n,
        )
        assert run('in cell("S1!A1")\ncell.value = 2\nend').state == "changed", name
        assert b"<v>2</v>" in members(path)[name]


@pytest.mark.parametrize(
    ("body", "what"),
    [
        ('<row r="5"><c r="A5"><v>1</v></c></row><row r="3"><c r="A3"><v>1</v></c></row>', "row 3 comes after row 5"),
        ('<row r="5"><c r="A5"><v>1</v></c></row><row r="5"><c r="B5"><v>1</v></c></row>', "row 5 comes after row 5"),
        ('<row r="2"><c r="B2"><v>1</v></c><c r="A2"/></row><!-- x -->', "A comes after B"),
        ('<row r="2"><c r="B7"><v>1</v></c></row><!-- x -->', "the cell B7 is in row 2"),
    ],
)
def test_rows_and_cells_out_of_order_are_refused(home: Path, body: str, what: str) -> None:
    path = made(f"<sheetData>{body}</sheetData>")
    before = path.read_bytes()
    found = run('in cell("S1!A5")\ncell.value = 2\nend')
    assert what in str(found.problem)
    assert path.read_bytes() == before


def test_a_cell_in_a_row_that_is_not_its_own_is_never_there_twice(home: Path) -> None:
    made('<sheetData><row r="4"><c r="A5"><v>1</v></c></row><row r="5"><c r="B5"><v>2</v></c></row></sheetData>')
    assert "S1 A5 is in the wrong row" in str(run('in cell("S1!A5")\ncell.value = 2\nend').problem)


def test_rows_without_a_number_take_that_of_their_cells(home: Path) -> None:
    path = made(
        '<sheetData><row><c r="A4"><v>1</v></c></row><row><c r="A5"><v>2</v></c></row><row><c><v>3</v></c></row></sheetData>'
    )
    found = run(
        'log "{cell("S1!A5").value} {cell("S1!A6").value} {sheet("S1").range}"\nin cell("S1!A5")\ncell.value = 9\nend'
    )
    assert found.log == ["2 3 A4:A6"]
    part = members(path)["xl/worksheets/sheet1.xml"].decode()
    assert part.count('r="A5"') == 1
    assert '<c r="A5"><v>9</v></c>' in part


@pytest.mark.parametrize("ref", ["", "A0", "ZZZZ9", "A1:B", "1:2:3"])
def test_a_bogus_dimension_is_written_anew(home: Path, ref: str) -> None:
    path = made(f'<dimension ref="{ref}"/>' + rows('<c r="A1"><v>1</v></c>'))
    assert run('in cell("S1!C3")\ncell.value = 9\nend').problem is None
    assert b'<dimension ref="A1:C3"/>' in members(path)["xl/worksheets/sheet1.xml"]


VML = '<xml xmlns:v="urn:schemas-microsoft-com:vml"><v:shape id="CH" type="#x"><v:imagedata/></v:shape></xml>'


def with_comments(comments: str, header_picture: bool) -> Path:
    """A sheet with a part for comments, and maybe a picture in its header, which is drawn by a part of the same type."""
    hf = f'<legacyDrawingHF xmlns:r="{RELS}" r:id="rHF"/>' if header_picture else ""
    path = Path("odd.xlsx")
    path.write_bytes(packed([rows('<c r="A1"><v>1</v></c>') + hf]))
    links = f'<Relationship Id="rC" Type="{RELS}/comments" Target="../comments1.xml"/>' if comments else ""
    links += f'<Relationship Id="rHF" Type="{RELS}/vmlDrawing" Target="../drawings/hf.vml"/>' if header_picture else ""
    with zipfile.ZipFile(path, "a") as package:
        package.writestr(
            "xl/worksheets/_rels/sheet1.xml.rels",
            f'<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">{links}</Relationships>',
        )
        if comments:
            package.writestr("xl/comments1.xml", f'<comments xmlns="{MAIN}">{comments}</comments>')
        if header_picture:
            package.writestr("xl/drawings/hf.vml", VML)
    types = '<Default Extension="vml" ContentType="application/vnd.openxmlformats-officedocument.vmlDrawing"/>'
    types += (
        '<Override PartName="/xl/comments1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.comments+xml"/>'
        if comments
        else ""
    )
    rewrite(
        path,
        lambda name, part: part.replace(b"</Types>", types.encode() + b"</Types>") if "Content_Types" in name else part,
    )
    return path


@pytest.mark.parametrize("comments", ["", "<authors/><commentList/>", "<authors></authors><commentList></commentList>"])
@pytest.mark.parametrize("picture", [False, True])
def test_a_comment_is_drawn_beside_its_cell_and_nowhere_else(home: Path, comments: str, picture: bool) -> None:
    path = with_comments(comments, picture)
    assert run('cell("S1!B2").comment = "Counted."').problem is None
    parts = members(path)
    if picture:
        assert parts["xl/drawings/hf.vml"].decode() == VML
    root = etree.fromstring(parts["xl/worksheets/sheet1.xml"])
    drawing = root.find(f"{{{MAIN}}}legacyDrawing")
    assert drawing is not None
    assert load(path)["S1"]["B2"].comment.text == "Counted."
    related = parts["xl/worksheets/_rels/sheet1.xml.rels"].decode()
    id_ = drawing.get(f"{{{RELS}}}id")
    targets = {each.get("Id"): str(each.get("Target")) for each in etree.fromstring(related.encode())}
    assert b'ObjectType="Note"' in parts["xl/drawings/" + targets[id_].rpartition("/")[2]]


def test_an_author_is_read_as_written(home: Path) -> None:
    with_comments(
        '<authors><author>Moss &amp; Birch</author></authors><commentList><comment ref="A1" authorId="0"><text><t>a</t></text></comment></commentList>',
        False,
    )
    assert run("each comment\nlog comment.author\nend").log == ["Moss & Birch"]


def test_a_new_part_of_relationships_says_what_it_is(home: Path) -> None:
    path = made(rows('<c r="A1"><v>1</v></c>'))
    rewrite(
        path,
        lambda name, part: (
            part.replace(
                b'<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>',
                b"",
            )
            if "Content_Types" in name
            else part
        ),
    )
    assert run('cell("S1!A1").link = "https://huts.example"').problem is None
    assert b'Extension="rels"' in members(path)["[Content_Types].xml"]


def test_a_link_over_a_range_can_be_changed_whole(home: Path) -> None:
    links = f'<hyperlinks xmlns:r="{RELS}"><hyperlink ref="A1:B2" location="S1!A9"/><hyperlink ref="C1" location="S1!A8"/><hyperlink ref="C1" location="S1!A7"/></hyperlinks>'
    path = made(rows('<c r="A1"><v>1</v></c>') + links)
    assert 'shares its link with A1:B2. Change them together: cells("A1:B2")' in str(
        run('cell("S1!A1").link = "#S1!A2"').problem
    )
    assert run('cells("S1!A1:B2").link = "#S1!A2"').problem is None
    found = written_links(path)
    assert ("A1:B2", "S1!A2") in found
    assert [each for each in found if each[0] == "C1"] == [("C1", "S1!A8"), ("C1", "S1!A7")]
    assert run('cells("S1!A1:B2").link = nothing').problem is None
    assert len(written_links(path)) == 2


def written_links(path: Path) -> list[tuple[str, str]]:
    root = etree.fromstring(members(path)["xl/worksheets/sheet1.xml"])
    return [(each.get("ref", ""), each.get("location", "")) for each in root.iter(f"{{{MAIN}}}hyperlink")]


def test_texts_under_merges_and_in_arrays_are_left_and_told(home: Path) -> None:
    body = rows(
        '<c r="A1" t="inlineStr"><is><t>a  b</t></is></c><c r="B1" t="inlineStr"><is><t>c  d</t></is></c>',
        '<c r="A2"><f t="array" ref="A2:A3">B1:B2</f><v>1</v></c>', '<c r="A3" t="inlineStr"><is><t>e  f</t></is></c>',
    )  # fmt: skip
    made(f'{body}<mergeCells count="1"><mergeCell ref="A1:B1"/></mergeCells>')
    found = run('in sheet("S1")\nsingle-spaces\nend')
    assert [str(each) for each in found.changes] == ['A1: "a  b" -> "a b"']
    assert found.left == 2
    assert sorted(found.log, reverse=True) == [
        "S1 B1 is inside a merged range. Skipped",
        "S1 A3 is part of an array formula. Skipped",
    ]
    assert "Unmerge it first: unmerge" in str(run('in cell("S1!B1")\ncell.value = 1\nend').problem)


def test_fills_of_every_sort_go(home: Path) -> None:
    path = made(rows('<c r="A1" s="1"><v>1</v></c><c r="B1" s="2"><v>1</v></c><c r="C1" s="3"><v>1</v></c>'))
    fills = (
        '<fills count="5"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill>'
        '<fill><gradientFill><stop position="0"><color rgb="FFFF0000"/></stop></gradientFill></fill>'
        '<fill><patternFill patternType="darkGrid"/></fill><fill><patternFill patternType="solid"><fgColor indexed="9"/></patternFill></fill></fills>'
    )
    formats = "".join(f'<xf numFmtId="0" fontId="0" fillId="{n}" borderId="0" xfId="0"/>' for n in (0, 2, 3, 4))
    styles = (
        f'<styleSheet xmlns="{MAIN}"><fonts count="1"><font><sz val="11"/></font></fonts>{fills}<borders count="1"><border/></borders>'
        f'<cellStyleXfs count="1"><xf/></cellStyleXfs><cellXfs count="4">{formats}</cellXfs>'
        f"<colors><indexedColors>{'<rgbColor rgb=' + chr(34) + 'FF123456' + chr(34) + '/>'}{'<rgbColor rgb=' + chr(34) + 'FF00AA00' + chr(34) + '/>' * 1}{''.join('<rgbColor rgb=' + chr(34) + f'FF0000{n:02x}' + chr(34) + '/>' for n in range(2, 64))}</indexedColors></colors></styleSheet>"
    )
    rewrite(path, lambda name, part: styles.encode() if name.endswith("styles.xml") else part)
    assert run('log "{cell("S1!C1").fill}"').log == ["#000009"]
    assert run('in cells("S1!A1:C1")\neach cell\ncell.fill = nothing\nend\nend').problem is None
    sheet = load(path)["S1"]
    assert {sheet[f"{column}1"].fill.fill_type for column in "ABC"} == {None}


def test_a_width_of_nothing_is_the_usual_one_and_hiding_writes_none(home: Path) -> None:
    path = made('<cols><col min="2" max="2" width="30" customWidth="1"/></cols>' + rows('<c r="A1"><v>1</v></c>'))
    assert run('in sheet("S1")\ncolumn("C").hidden = yes\ncolumn("B").width = nothing\nend').problem is None
    assert b'<cols><col min="3" max="3" hidden="1"/></cols>' in members(path)["xl/worksheets/sheet1.xml"]


def test_gaps_take_the_number_form_along(home: Path) -> None:
    made(rows('<c r="A1" s="2"><v>1.5</v></c>', '<c r="A2"/>'))
    found = run('in cells("S1!A1:A2")\nfill-gaps\nend\nlog "{cell("S1!A2").shown}"')
    assert found.log == ["1.50"]


READ = [
    ("\u20ac 12.50", 12.5, "0.00"), ("12.50 \u20ac", 12.5, ""), ("$1,234.50", 1234.5, ""), ("CHF 5", 5, ""), ("(45.00)", -45, ""), ("5-", -5, ""),
    ("-\u00a33", -3, ""), ("(\u20ac 45.00)", -45, ""), ("12%", 0.12, "0%"), ("12.5 %", 0.125, "0.0%"), ("1'000", 1000, ""), ("007", None, ""), ("14:30", None, ""),
    ("Room 4", None, ""), ("12 kg", None, ""), ("1,234", None, ""), ("abc", None, ""), ("5--", None, ""), ("((5))", None, ""),
]  # fmt: skip


def test_amounts_as_the_trade_writes_them_are_read_and_all_others_are_named(home: Path) -> None:
    path = made(
        rows(*(f'<c r="A{n}" t="inlineStr"><is><t>{text}</t></is></c>' for n, (text, _, _) in enumerate(READ, 1)))
    )
    found = run('in sheet("S1")\nread-numbers\nend')
    sheet = load(path)["S1"]
    for row, (text, number, form) in enumerate(READ, 1):
        cell = sheet[f"A{row}"]
        assert cell.value == (text if number is None else number), text
        if form.endswith("%"):
            assert cell.number_format == form
    left = [text for text, number, _ in READ if number is None and any(letter.isdigit() for letter in text)]
    assert found.left == len(left) == len(found.log)
    assert all(f'"{text}"' in line for text, line in zip(left, found.log, strict=True))


DATES = [
    ("31-Dec-26", "2026-12-31"), ("1 May 99", "1999-05-01"), ("2026-05-01", "2026-05-01"), ("1 May 2026", "2026-05-01"), ("20261231", None),
    ("3/4/2026", None), ("14:30", None), ("1.1.1850", None), ("Room 4", None), ("no date", None), ("30.2.2026", None),
]  # fmt: skip


def test_dates_are_read_and_all_others_are_named(home: Path) -> None:
    path = made(
        rows(*(f'<c r="A{n}" t="inlineStr"><is><t>{text}</t></is></c>' for n, (text, _) in enumerate(DATES, 1)))
    )
    found = run('in sheet("S1")\nread-dates\nend')
    assert found.problem is None
    sheet = load(path)["S1"]
    for row, (text, day) in enumerate(DATES, 1):
        value = sheet[f"A{row}"].value
        assert (str(value)[:10] if day else value) == (day or text), text
    assert found.left == 6
    assert "S1 A8: 1850-01-01 is before the first date" in " ".join(found.log)


def test_a_column_is_added_beside_one_without_a_heading(home: Path) -> None:
    text = '<c r="{}" t="inlineStr"><is><t>{}</t></is></c>'
    path = made(
        rows(
            text.format("A1", "Guest") + text.format("B1", "Hut"),
            text.format("A2", "Ann") + text.format("B2", "Larch") + text.format("C2", "loose"),
        )
    )
    assert run('in sheet("S1").records\nadd-column "Note"\nend').problem is None
    sheet = load(path)["S1"]
    assert (sheet["D1"].value, sheet["C1"].value, sheet["C2"].value) == ("Note", None, "loose")


def test_a_copy_is_never_of_another_format(home: Path) -> None:
    made(rows('<c r="A1"><v>1</v></c>'))
    body = macro('save-copy name: "a.csv"')
    scrub.home().approvals.approve(scrub.program(body).fingerprint, "Test")
    found = scrub.run(body, ["odd.xlsx"]).files[0]
    assert '"a.csv" has another format than odd.xlsx' in str(found.problem)
    assert not Path("a.csv").exists()


SHOWN = [
    ("0.0,,", 1234567, None), ("#,##0.0,", 1234567, None), ("0,", 1234567, "1235"), ("[$-407]d mmmm yyyy", 46143, None), ("[$-409]d mmmm yyyy", 46143, "1 May 2026"),
    ("[$-407]0.00", 3, "3.00"), ("d mmm yyyy h:mm", 0.5, None), ("h:mm", -0.5, "-12:00"), ("[h]:mm", -1.5, "-36:00"),
]  # fmt: skip


@pytest.mark.parametrize(("form", "value", "shown"), SHOWN)
def test_what_cannot_be_shown_surely_is_refused(home: Path, form: str, value: float, shown: str | None) -> None:
    path = made(rows(f'<c r="A1" s="1"><v>{value}</v></c>'))
    rewrite(
        path, lambda name, part: part.replace(b"d mmm yyyy", form.encode()) if name.endswith("styles.xml") else part
    )
    found = run('say cell("S1!A1").shown')
    if shown is None:
        assert "S1 A1: Scrub cannot show the number format" in str(found.problem)
    else:
        assert found.said == [shown]


def test_a_short_date_is_not_shown_as_somebody_elses(home: Path) -> None:
    path = made(rows('<c r="A1" s="1"><v>46143</v></c>'))
    rewrite(
        path,
        lambda name, part: (
            part.replace(b'numFmtId="164" fontId', b'numFmtId="14" fontId') if name.endswith("styles.xml") else part
        ),
    )
    assert "reader's country" in str(run('say cell("S1!A1").shown').problem)


CSV = [
    (b'a,b\r\n1,"x\r\ny"\r\n', 'cell("list!A2").value = 2', b'a,b\r\n2,"x\r\ny"\r\n'),
    (b'a,b\r1,"x\ny"\r', 'cell("list!A2").value = 2', b'a,b\r2,"x\ny"\r'),
    (b"1,5;2,5\n3,5;4,5\n", 'cell("list!B1").value = 9.25', b"1,5;9,25\n3,5;4,5\n"),
    (b"a;b\n12,50;x\n3,1;y\n", 'each record in sheet("list")\nrecord.a = record.a * 2\nend', b"a;b\n25;x\n6,2;y\n"),
    (b"a;b\n12.50;x\n3.1;y\n", 'each record in sheet("list")\nrecord.a = record.a * 3\nend', b"a;b\n37.5;x\n9.3;y\n"),
    (b"a\n +49 30  1234\n -5\n", 'in sheet("list")\nsingle-spaces\nend', b"a\n+49 30 1234\n-5\n"),
    (b"a\n =1+1\nx=2\n", 'in sheet("list")\ntrim\nreplace "x", by: ""\nend', b"a\n'=1+1\n'=2\n"),
    ("a\n1\u00a0kg\nit\u2019s\n".encode(), 'each record in sheet("list")\nrecord.a = record.a.replaced(" ", by: " ").replaced("\'", by: "\'")\nend', b"a\n1 kg\nit's\n"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "body", "new"), CSV)
def test_tables_of_texts_as_programs_write_them(home: Path, old: bytes, body: str, new: bytes) -> None:
    Path("list.csv").write_bytes(old)
    found = run(body, "list.csv")
    assert found.problem is None, str(found.problem)
    assert Path("list.csv").read_bytes() == new


def test_a_table_of_texts_with_more_columns_than_a_sheet(home: Path) -> None:
    Path("list.csv").write_bytes(b"a," * 20_000 + b"b\n")
    assert "a row has 20,001 fields; the maximum is 16,384" in str(run('log "a"', "list.csv").problem)


JAPANESE = "名前,小屋,備考\n田中,落葉松,遅い\n鈴木,凧,早い\n佐藤,スイバ,十二キロの小麦粉\n"


def test_another_encoding_is_read_when_it_is_sure_or_said(home: Path) -> None:
    Path("list.csv").write_bytes(JAPANESE.encode("shift_jis"))
    found = run('in cell("list!B2")\ncell.value = "凧"\nend', "list.csv")
    assert found.problem is None, str(found.problem)
    assert found.notes == ["list.csv was read as shift-jis."]
    assert Path("list.csv").read_bytes() == JAPANESE.replace("田中,落葉松", "田中,凧").encode("shift_jis")
    unsure = "Guest,Note\nH\u00e9l\u00e8ne,tr\u00e8s tard\n".encode("cp1252")
    Path("list.csv").write_bytes(unsure)
    refused = run('in sheet("list")\nupper\nend', "list.csv")
    assert "cannot be detected reliably: it could be windows-1252" in str(refused.problem)
    assert Path("list.csv").read_bytes() == unsure
    scrub.home().settings.set("encoding", "windows-1252")
    assert run('in sheet("list")\nupper\nend', "list.csv").problem is None
    assert Path("list.csv").read_bytes() == unsure.decode("cp1252").upper().encode("cp1252")
    with pytest.raises(scrub.BadCall, match='unknown encoding "klingon"'):
        scrub.home().settings.set("encoding", "klingon")


def test_a_column_named_by_its_heading_begins_below_it(home: Path) -> None:
    path = made(
        rows(
            '<c r="A1" t="inlineStr"><is><t>Qty</t></is></c><c r="B1" t="inlineStr"><is><t>Hut</t></is></c>',
            '<c r="A2"><v>4</v></c>',
            '<c r="A3"><v>5</v></c><c r="B3"><v>6</v></c>',
        )
    )
    found = run(
        'log "{sheet("S1").column("Qty").values.sum}"\neach cell in sheet("S1").records\nlog cell.address\nend\neach record in sheet("S1")\nlog "{cell("B1").value}"\nleave loop\nend'
    )
    assert found.log == ["9", "A2", "B2", "A3", "B3", "Hut"]
    assert path.exists()


@pytest.mark.parametrize(
    "nothing", ["", "<is></is>", "<is/>", "<is><t/></is>", "<is><t></t></is>", '<is><t xml:space="preserve"/></is>']
)
@pytest.mark.parametrize("text", ["Ga&#241;et", "Gañet", "a_x0041_b", "a&#13;b"])
def test_texts_beside_cells_of_no_text(home: Path, nothing: str, text: str) -> None:
    """Some writers leave a cell that says it is a text, and contains none."""
    cells = (
        f'<c r="A1" t="inlineStr"><is><t>{text}</t></is></c>',
        f'<c r="A2" t="inlineStr">{nothing}</c>',
        '<c r="A3"><v>1</v></c>',
    )
    path = made(rows(*cells))
    found = run('each cell in cells("S1!A1:A3")\nlog "{cell.value}|"\nend\neach row\nlog "{row.cell("A").value}"\nend')
    assert found.problem is None
    wanted = load(path)["S1"]["A1"].value
    assert [each.rstrip("|") for each in found.log[:3]] == [wanted.replace("_x0041_", "A"), "", "1"]
