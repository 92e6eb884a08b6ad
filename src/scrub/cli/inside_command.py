"""`scrub inside`."""

from __future__ import annotations

import os

import click

import scrub
from scrub.cli.host import TerminalHost
from scrub.cli.output import columns, echo, file_size, print_json, strong


@click.command("inside")
@click.argument("file")
@click.option(
    "--texts", is_flag=False, flag_value="", metavar="WORDS", help="Number the paragraphs that contain these words."
)
@click.option("--formulas", is_flag=True, help="List what is wrong with the formulas of a workbook.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
def command(file: str, texts: str | None, formulas: bool, as_json: bool) -> int:
    """Shows what a macro can see in FILE: a workbook, document, mailbox, message, PDF, picture, database or folder."""
    host = TerminalHost()
    with scrub.open(file) as opened:
        item, name = opened.item, os.path.basename(os.path.abspath(file))
        if texts is not None:
            _number(item, texts)
            return 0
        if formulas:
            _check(opened, as_json)
            return 0
        try:
            contents = opened.contents(lambda label, share: host.progress(share, 1, label))
        finally:
            host.close()
        if as_json:
            rows = [{word: _size(value) for word, value in row.items()} for row in contents.rows]
            print_json({"name": name, "kind": item.kind_word, f"{contents.part}s": rows})
            return 0
        kind = opened.called.removeprefix("an ").removeprefix("a ")
        summary = contents.summary or scrub.counted(len(contents.rows), contents.part)
        echo(f"{strong(name)}  {kind.replace('pdf', 'PDF')}: {summary}")
        shown = [[_cell(word, value) for word, value in row.items() if word != "headings"] for row in contents.rows]
        for line in columns(shown):
            echo(line)
        _tell_headings(contents)
        if contents.hint:
            echo(contents.hint)
        macros = opened.embedded()
        if macros:
            echo(f'{scrub.counted(len(macros), "macro")} inside. Read: scrub extract "{file}" --show')
    return 0


def _check(opened: scrub.OpenFile, as_json: bool) -> None:
    """The problems with the formulas of a workbook, sheet by sheet."""
    item, rows = opened.item, opened.formula_problems()
    if as_json:
        print_json({"name": item.name, "problems": [dict(zip(_PROBLEM, row, strict=True)) for row in rows]})
        return
    echo(f"{strong(item.name)}  {scrub.counted(len(rows), 'problem')} with formulas")
    for line in columns(rows, wrap=True, copied=True):
        echo(line)


_PROBLEM = ("sheet", "cell", "problem")


def _number(item: object, words: str) -> None:
    """The paragraphs of a document by their numbers."""
    if not isinstance(item, scrub.Document):
        raise scrub.BadCall("--texts works on documents only: it numbers their paragraphs")
    every, low = list(item.paragraphs()), words.casefold()
    echo(f"{strong(item.name)}  {scrub.counted(len(every), 'paragraph')}")
    found = [each for each in every if low in each.text.casefold()]
    for line in columns([(str(paragraph.number), " ".join(paragraph.text.splitlines())) for paragraph in found]):
        echo(line)


def _tell_headings(contents: scrub.Contents) -> None:
    """The headings as a macro writes them, with a value each; parts that have the same are told together."""
    groups: dict[tuple[str, ...], list[tuple[str, scrub.Outline]]] = {}
    for name, outline in contents.outlines:
        groups.setdefault((outline.opening, *outline.fields), []).append((name, outline))
    for found in groups.values():
        names = [name for name, _ in found]
        like = scrub.counted(len(names) - 1, contents.part)
        where = names[0] if len(names) == 1 else f"{names[0]} and {like} like it"
        outline = found[0][1]
        echo(f"{strong(where)}: {_typed(names[0], outline.opening)}")
        for line in columns([(field, value) for field, value in outline.fields.items()], copied=True):
            echo(line)


def _typed(name: str, opening: str) -> str:
    """How a loop is opened, so that it can be typed anywhere: with the sheet by its name."""
    bare = "each record in sheet"
    if opening != bare and not opening.startswith(f"{bare}."):
        return opening
    return f"{bare}({scrub.as_written(name)}){opening[len(bare) :]}"


def _size(value: object) -> object:
    return file_size(float(value.total)) if isinstance(value, scrub.Size) else value


def _cell(word: str, value: object) -> str:
    if isinstance(value, bool):
        return word if value else ""
    return str(_size(value))
