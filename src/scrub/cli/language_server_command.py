"""`scrub language-server`."""

from __future__ import annotations

import importlib

import click

import scrub


@click.command("language-server")
def command() -> int:
    """Serves editors: problems, completion, help and fixes while you write a macro. Editors start it themselves."""
    try:
        import pygls  # noqa: F401 - says whether the extra is there
    except ImportError:
        raise scrub.BadCall("the language server needs: pip install 'scrub-macros[editor]'") from None
    importlib.import_module("scrub.editor.server").start()  # its packages are imported by this command only
    return 0
