"""`scrub add`."""

from __future__ import annotations

import os
import sys

import click

import scrub
from scrub import sharing
from scrub.cli.editing import keep, mended_aloud


@click.command("add")
@click.argument("files", nargs=-1, required=True)
@click.option("--file", "own", multiple=True, metavar="FILE", help="A file that the macro needs, such as a picture.")
def command(files: tuple[str, ...], own: tuple[str, ...]) -> int:
    """Adds macros to the library; `-` reads one from standard input. A macro with errors is saved as a draft."""
    code = 0
    if own and len(files) > 1:
        raise scrub.BadCall("--file works with one macro at a time")
    for name in files:
        if name.lower().endswith(".scrubpack"):
            for packed in sharing.unpack(name):
                code = max(code, keep(packed.text, packed.name, own=False, files=packed.files))
            continue
        if name == "-":
            text, shown = scrub.decoded(sys.stdin.buffer.read(), "pasted text"), "pasted text"
        else:
            text, shown = scrub.read_macro(name), name
        beside = scrub.files_of(name) if name != "-" else {}
        for mended in mended_aloud(text):
            code = max(code, keep(mended, shown, own=False, files=_contents((*beside.values(), *own))))
    return code


def _contents(paths: tuple[str, ...]) -> dict[str, bytes]:
    found = {}
    for path in paths:
        if os.path.exists(path) and not os.path.isfile(path):
            raise scrub.FileProblem(path, "not a file: a folder, a pipe or a device")
        try:
            with open(path, "rb") as stream:
                found[os.path.basename(path)] = stream.read()
        except OSError as error:
            raise scrub.FileProblem(path, f"the file cannot be read: {error.strerror}") from None
    return found
