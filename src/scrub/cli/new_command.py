"""`scrub new`."""

from __future__ import annotations

import subprocess
import sys

import click

import scrub
from scrub.cli.editing import edited, keep, mended_aloud
from scrub.cli.output import echo


@click.command("new")
@click.argument("title", required=False)
@click.option("--from", "source", metavar="OTHER", help="Start with the text of another macro.")
@click.option("--paste", is_flag=True, help="Read the text from the clipboard or from standard input.")
def command(title: str | None, source: str | None, paste: bool) -> int:
    """Opens a new macro TITLE in your editor and adds it. A macro with errors is saved as a draft."""
    if paste:
        found = mended_aloud(_pasted())
        if title and len(found) > 1:
            raise scrub.BadCall(
                f"{len(found)} macros were pasted; each keeps its own title. Leave TITLE out: scrub new --paste"
            )
        return max(keep(text, "pasted text", own=False, title=title) for text in found)
    if not title:
        raise scrub.BadCall("the macro needs a title: scrub new TITLE")
    home, own = scrub.home(), True
    text = f"macro {title}\nfor   workbook\n\neach sheet\n    \nend\n"
    if source:
        former, name = home.text(source)
        own = home.is_own(former, name)  # a stranger's text is not one's own by another title
        text = scrub.retitled(former, title)
    made = edited(text, title)
    if made == text and not source:
        echo("The text is unchanged, so nothing was added.")
        return 1
    return keep(made, title, own=own)


def _pasted() -> str:
    """What is on the clipboard; without a clipboard, or with piped input, standard input."""
    if not sys.stdin.isatty():
        return scrub.decoded(sys.stdin.buffer.read(), "pasted text")
    for words in (["wl-paste"], ["xclip", "-o", "-selection", "clipboard"], ["pbpaste"],
                  ["powershell", "-command", "Get-Clipboard"]):  # fmt: skip
        try:
            found = subprocess.run(words, capture_output=True, check=True)
        except (OSError, subprocess.CalledProcessError):
            continue
        return scrub.decoded(found.stdout, "pasted text")
    echo("Paste the macro, then press Ctrl+D:", err=True)
    return scrub.decoded(sys.stdin.buffer.read(), "pasted text")
