"""`scrub inside`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.host import TerminalHost
from scrub.cli.output import accent, columns, file_size, print_json


@click.command("inside")
@click.argument("file")
@click.option("--json", "as_json", is_flag=True, help="Print it as JSON.")
def command(file: str, as_json: bool) -> int:
    """What a macro can see in FILE, a workbook or a folder."""
    host = TerminalHost()
    with scrub.open(file) as opened:
        item = opened.item
        try:
            kind, rows = _rows(item, host)
        finally:
            host.close()
        if as_json:
            print_json({"name": item.name, "kind": item.kind_word, f"{kind}s": [dict(row) for row in rows]})
            return 0
        click.echo(f"{accent(item.name)}  a {item.kind_word} of {scrub.counted(len(rows), kind)}")
        shown = [[_cell(word, value) for word, value in row.items() if word != "headings"] for row in rows]
        for line in columns(shown):
            click.echo(line)
        if rows and kind == "sheet":
            _tell_headings(item)
            click.echo(f'A macro says: each sheet, or sheet("{rows[0]["name"]}").hidden. More: scrub catalog sheet')
        elif rows:
            click.echo("A macro says: each file where file.ending is … More: scrub catalog file")
        macros = item.embedded() if item.kind_word == "workbook" else []
        if macros:
            click.echo(f'{scrub.counted(len(macros), "macro")} inside. Read: scrub extract "{file}" --show')
    return 0


def _rows(item: object, host: TerminalHost) -> tuple[str, list[dict[str, object]]]:
    if isinstance(item, scrub.Workbook):
        sheets = list(item.sheets())
        found: list[dict[str, object]] = []
        for done, sheet in enumerate(sheets):
            host.progress(done, len(sheets), sheet.name)
            found.append(
                {
                    "number": sheet.number,
                    "name": sheet.name,
                    "hidden": sheet.hidden,
                    "protected": sheet.protected,
                    "range": sheet.range or "",
                    "headings": {each.opening: each.fields for each in sheet.outline()},
                }
            )
        return "sheet", found
    files = item.files() if isinstance(item, scrub.Folder) else ()
    return "file", [{"name": each.label, "size": file_size(float(each.size.total))} for each in files]


def _tell_headings(item: scrub.Workbook) -> None:
    """The headings as a macro writes them, with a value each; sheets that have the same are told together."""
    groups: dict[tuple[str, ...], list[tuple[str, scrub.Outline]]] = {}
    for sheet in item.sheets():
        for outline in sheet.outline():
            groups.setdefault((outline.opening, *outline.fields), []).append((sheet.name, outline))
    for found in groups.values():
        names = [name for name, _ in found]
        where = names[0] if len(names) == 1 else f"{names[0]} and {scrub.counted(len(names) - 1, 'sheet')} like it"
        outline = found[0][1]
        click.echo(f"{accent(where)}: {outline.opening}")
        for line in columns([(field, value) for field, value in outline.fields.items()]):
            click.echo(line)


def _cell(word: str, value: object) -> str:
    if isinstance(value, bool):
        return word if value else ""
    return str(value)
