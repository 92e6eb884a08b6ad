"""`scrub changes`."""

from __future__ import annotations

import os

import click

import scrub
from scrub.cli.listing import change_lines
from scrub.cli.output import echo, echo_lines, failed, indented, more, print_json, results, short_path, strong


@click.command("changes")
@click.argument("run", type=int, required=False)
@click.option("--to", "target", metavar="FILE", help="Write them to a file: a page (.html) or a table (.csv).")
@click.option("--open", "opened", is_flag=True, help="Open the page in the browser.")
@click.option("--all", "every", is_flag=True, help="Show every change, not one line per column.")
@click.option("--json", "as_json", is_flag=True, help="Print the run as JSON.")
def command(run: int | None, target: str | None, opened: bool, every: bool, as_json: bool) -> int:
    """Shows every change of a run (default: the last one), with its log."""
    record = scrub.changes(run)
    if opened and target is None:
        import tempfile  # only this way pays for it

        target = os.path.join(tempfile.mkdtemp(prefix="scrub-"), f"run-{record.number}.html")
    if target is not None:
        _write(record, target)
        echo(f"{scrub.counted(record.changes, 'change')} in {target}")
        if opened and not _opened(target):
            echo("No browser was found. Open the page yourself.", err=True)
        return 0
    if as_json:
        print_json(record.as_dict())
        return 0
    undone = ", undone" if record.undone else ""
    when = f", {record.when[:16].replace('T', ' ')}" if record.when else ""
    lines = [f"Run {record.number}: {record.title}{when}{undone}"]
    changed = False
    for number, file in enumerate(record.each_file()):
        if number == _FILES and not every:
            lines.append(
                f"{record.file_count - _FILES:,} more files; show all with --all, or as a page: --to FILE.html"
            )
            break
        changed |= bool(file.changes)
        lines += _file(record, file, every)
    if record.left:
        lines.append(f"{scrub.counted(record.left, 'file')} not done: scrub run --continue {record.number}")
    lines += record.sent
    for said in record.unsent:
        name, mark, why = said.partition(": ")
        lines.append(failed(name) + mark + why)
    if changed:
        redo = f"Redo: scrub undo {record.number} --redo"
        lines.append(redo if record.undone else f"Undo: scrub undo {record.number}")
    echo_lines(lines)
    return 0


#: Files of a run that are shown; more of them are counted.
_FILES = 50


def _file(record: scrub.RunRecord, file: scrub.FileRecord, every: bool) -> list[str]:
    lines = [strong(short_path(file.path))] if file.path else []
    lines += change_lines(file.changes, None if every else 10, file.headings)
    if file.recalculated and every:
        lines += ["Recalculated:", *change_lines(file.results, None)]
        if file.recalculated > len(file.results):
            lines.append(more(file.recalculated - len(file.results)))
    elif file.recalculated:
        lines.append(f"  {results(file.recalculated)}")
    for path in file.made:
        if path != file.path:
            lines.append(f"  made {short_path(path)}")
    lines += [f"  said: {indented(text)}" for text in file.said]
    lines += [f"  log: {indented(text)}" for text in file.log]
    if file.undone and not record.undone:
        lines.append("  undone")
    if file.problem:
        lines.append(failed("  Failed: ") + file.problem)
    elif not file.changes and not file.made and file.path:
        lines.append("  nothing changed" if file.state in ("unchanged", "changed") else f"  {file.state}")
    return lines


def _opened(path: str) -> bool:
    """Opens a page in the browser; whether there is one."""
    import pathlib
    import webbrowser  # slow to import

    return webbrowser.open(pathlib.Path(path).resolve().as_uri())


def _write(record: scrub.RunRecord, path: str) -> None:
    """Writes the changes as a page or as CSV (RFC 4180), never over a file that is there."""
    page = path.lower().endswith((".html", ".htm"))
    try:
        with open(path, "x", encoding="utf-8" if page else "utf-8-sig", newline="") as stream:
            if page:
                from scrub.cli.page import page_of

                stream.write(page_of(record))
                return
            import csv

            writer = csv.writer(stream)
            writer.writerow(["run", "title", "file", "place", "what", "before", "after"])
            for file in record.each_file():
                for change in file.changes:
                    row = [record.title, file.path, change.place, change.what, str(change.before), str(change.after)]
                    writer.writerow([record.number, *map(scrub.harmless, row)])
    except FileExistsError:
        raise scrub.FileProblem(
            path, "a file of that name exists, and Scrub does not overwrite it. Choose another name"
        ) from None
    except OSError as error:
        raise scrub.FileProblem(path, f"the file could not be written: {error.strerror}") from None
