"""`scrub add`."""

from __future__ import annotations

import os
import sys
from collections.abc import Mapping

import click

import scrub
from scrub import sharing
from scrub.cli.editing import keep, mended_aloud
from scrub.cli.output import echo


@click.command("add")
@click.argument("files", nargs=-1, required=True)
@click.option("--replace", is_flag=True, help="Replace a macro of the same title; its text is kept.")
@click.option("--file", "own", multiple=True, metavar="FILE", help="A file that the macro needs, such as a picture.")
def command(files: tuple[str, ...], replace: bool, own: tuple[str, ...]) -> int:
    """Adds macros to the library; `-` reads one from standard input. A macro with errors is saved as a draft."""
    code = 0
    if own and len(files) > 1:
        raise scrub.BadCall("--file works with one macro at a time")
    for name in files:
        if name.lower().endswith(".scrubpack"):
            for packed in sharing.unpack(name):
                code = max(code, _add(packed.text, packed.name, packed.files, replace))
            continue
        if name == "-":
            text, shown = scrub.decoded(sys.stdin.buffer.read(), "pasted text"), "pasted text"
        else:
            text, shown = scrub.read_macro(name), name
        beside = scrub.files_of(name) if name != "-" else {}
        for mended in mended_aloud(text):
            code = max(code, _add(mended, shown, _contents((*beside.values(), *own)), replace))
    return code


def _add(text: str, name: str, files: Mapping[str, bytes], replace: bool) -> int:
    """Adds a text from elsewhere. One that would take the place of a macro says so first, and asks."""
    library = scrub.home().library
    entry = library.same_title(text, name)
    if entry is not None:
        is_own = not entry.example and not entry.shared
        what = "the shipped macro" if entry.example else "the joined macro" if entry.shared else "your macro"
        said = f'{name} would replace {what} "{entry.title}"'
        if not replace and not (sys.stdin.isatty() and click.confirm(f"{said}. Replace it?", err=True)):
            remedy = f'To replace it: scrub add "{name}" --replace'
            if not is_own:
                raise scrub.Refused(f"{said}. {remedy}")
            raise scrub.BadCall(f'{said}. {remedy}, or edit that macro: scrub edit "{entry.title}"')
        if is_own:
            library.replace(entry, text, "replaced")
            echo(f'Replaced "{entry.title}". The earlier version: scrub show "{entry.title}" --history')
            return 0
    return keep(text, name, own=False, files=files)


def _contents(paths: tuple[str, ...]) -> dict[str, bytes]:
    contents = {}
    for path in paths:
        if os.path.exists(path) and not os.path.isfile(path):
            raise scrub.FileProblem(path, "not a file: a folder, a pipe or a device")
        try:
            with open(path, "rb") as stream:
                contents[os.path.basename(path)] = stream.read()
        except OSError as error:
            raise scrub.FileProblem(path, f"the file cannot be read: {error.strerror}") from None
    return contents
