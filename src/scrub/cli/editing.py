"""Writing macros at the terminal: the editor, and keeping what comes out of it."""

from __future__ import annotations

import os
import shlex
import subprocess
from collections.abc import Mapping, Sequence

import scrub
from scrub.cli.output import echo, problem_lines, strong


def edited(text: str, title: str) -> str:
    """The text after the person had it in their editor. Raises `BadCall` when no editor can be started."""
    chosen = scrub.home().settings.load().get("editor") or os.environ.get("VISUAL") or os.environ.get("EDITOR")
    command = shlex.split(chosen) if chosen else ["notepad" if os.name == "nt" else "nano"]
    import tempfile  # only an edited text pays for it

    handle, path = tempfile.mkstemp(suffix=".scrub", prefix="macro-")
    with open(handle, "w", encoding="utf-8", newline="") as stream:
        stream.write(text)
    try:
        subprocess.run([*command, path], check=True)
        return scrub.read_macro(path)
    except (OSError, subprocess.CalledProcessError) as error:
        raise scrub.BadCall(
            f"the editor {command[0]} failed ({error}). Choose one: scrub settings editor PROGRAM"
        ) from None
    finally:
        os.unlink(path)


def sentences(does: Sequence[str]) -> list[str]:
    """What a macro does, a sentence each, as a person reads it before allowing it: what cannot be undone comes first,
    and stands out.
    """
    final = [strong(f"It {each}. That cannot be undone.") for each in does if each.startswith("sends")]
    reads = ("only reads", "reads")
    return final + [
        f"It {each}." + ("" if each.startswith(reads) else " You can undo it.")
        for each in does
        if not each.startswith("sends")
    ]


def mended_aloud(text: str) -> list[str]:
    """The macros in a pasted text, mended where a mail program broke them, and then shown."""
    result = scrub.pasted(text)
    for mended in result:
        if mended != text:
            echo("The text was altered in transit, or came with other text around it. Scrub reads it as:")
            echo("".join(f"    {line}\n" for line in mended.splitlines()), nl=False)
    return result


def keep(
    text: str,
    name: str,
    own: bool,
    title: str | None = None,
    files: Mapping[str, bytes] | None = None,
    over: scrub.LibraryEntry | None = None,
) -> int:
    """Keeps a new macro with its files, or with mistakes as a draft; `own` notes that it was written here, `over` is
    the draft that was edited.
    """
    home = scrub.home()
    if title:
        text = scrub.retitled(text, title)
    problems = home.problems(text, name, files or ())
    if problems:
        _show(name, problems)
    entry = home.library.add(text, name, bool(problems), files, over)
    if problems and own:
        home.draft_written_here(text, entry.title)
    if problems:
        echo(
            f"Saved as a draft, with {scrub.counted(len(problems), 'error')}: {entry.path}\n"
            f'To fix it: scrub edit "{entry.title}", or correct the file and add it again',
            err=True,
        )
        return 2
    if own:
        home.written_here(text, entry.path)
    echo(f'Added "{entry.title}": {entry.path}')
    echo(f'Try it: scrub run "{entry.title}" FILE --preview')
    return 0


def _show(name: str, problems: Sequence[scrub.Problem]) -> None:
    for line in problem_lines(name, problems):
        echo(line, err=True, raw=True)
    echo(err=True)


def replace(entry: scrub.LibraryEntry, text: str, by_text: bool = False) -> int:
    """Gives a macro another text; one with mistakes becomes a draft, and the good one stays. What is
    written from a text of one's own is one's own; with `by_text`, an earlier text is so only if it was itself.
    """
    home = scrub.home()
    problems = home.problems(text, entry.title)
    if problems:
        _show(entry.title, problems)
        path = home.library.draft_of(entry, text)
        if home.is_own(entry.text, entry.path):
            home.draft_written_here(text, entry.title)
        echo(
            "The macro is unchanged. Your text was saved as a draft, "
            f"with {scrub.counted(len(problems), 'error')}: {path}",
            err=True,
        )
        return 2
    own = home.is_own(text if by_text else entry.text, entry.path)
    new = home.library.replace(entry, text)
    if own:
        home.written_here(text, new.path)
    if new.title != entry.title:
        home.pins.renamed(entry.title, new.title)
    echo(f'Saved "{new.title}". Earlier versions: scrub show "{new.title}" --history')
    return 0
