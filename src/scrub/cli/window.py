"""`scrub-window`: what an entry in the menu of the file manager starts.

It opens a terminal in which the macro shows what it would change. The names of the files are passed in a private file:
no terminal sees them.
"""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from typing import Any

import scrub
from scrub import file_manager
from scrub.cli.output import saved_counts, sentence


def main() -> None:
    """The program."""
    sys.exit(run(sys.argv[1:]))


def run(words: Sequence[str]) -> int:
    """Runs it with these words; gives the exit code."""
    parser = argparse.ArgumentParser("scrub-window", description="Runs a pinned macro on files in a window.")
    parser.add_argument("--home", help="the folder of the library, where it is not the usual one")
    parser.add_argument("--answer", metavar="REQUEST", help=argparse.SUPPRESS)
    parser.add_argument("key", nargs="?", help="the key of a pinned macro")
    parser.add_argument("files", nargs="*", help="the files")
    given = parser.parse_args(list(words))
    if given.home:
        os.environ["SCRUB_HOME"] = given.home
    if given.answer:
        return _answer(given.answer)
    if not given.key:
        parser.error("the key of a macro is missing")
    files = [os.path.abspath(path) for path in given.files]
    return _chosen(given.key, files)


def _chosen(key: str, files: list[str]) -> int:
    """What happens when the entry is chosen in the file manager."""
    try:
        home = scrub.home()
        pin, program = file_manager.pinned(home, key)
        if file_manager.runs_alone(home, pin, program, files):
            return _alone(program.title, files)
    except scrub.ScrubError:
        pass  # the window says it
    return _in_terminal({"key": key, "files": files})


def _in_terminal(request: dict[str, Any]) -> int:
    home = scrub.home()
    own = ["--home", home.folder] if os.environ.get("SCRUB_HOME") else []
    path = file_manager.write_request(request)
    command = [file_manager.window_program(), *own, "--answer", path]
    try:
        chosen = home.settings.load().get("terminal", "")
    except scrub.ScrubError:
        chosen = ""
    found = file_manager.terminal(chosen, command)
    if found is not None:
        try:
            file_manager.start(found)
            return 0
        except OSError:
            pass
    os.unlink(path)
    said = "No terminal found. Name one: scrub settings terminal xterm"
    file_manager.notify("Scrub", said)
    print(said, file=sys.stderr)
    return 1


def _alone(title: str, files: list[str]) -> int:
    """Runs without asking, and says what it did in a notification."""
    result = scrub.run(title, files)
    failed = [file for file in result.files if file.problem is not None]
    changed = [file for file in result.files if file.state == "changed"]
    changes = sum(file.change_count for file in changed)
    parts = [f"{scrub.counted(changes, 'change')} in {scrub.counted(len(changed), 'file')} saved."] if changed else []
    parts += [sentence(str(file.problem)) for file in failed[:3]]
    parts += [f"{len(failed) - 3:,} more files failed."] if len(failed) > 3 else []
    parts = parts or ["Nothing to change."]
    pressed = file_manager.notify(title, "\n".join(parts), "Undo" if changed else "")
    if pressed is None and failed:
        return _in_terminal({"said": "    ".join(parts)})
    if pressed and result.number is not None:
        try:
            scrub.undo(result.number)
            file_manager.notify(title, f"Undone: run {result.number}.")
        except scrub.ScrubError as problem:
            file_manager.notify(title, sentence(str(problem)))
    return result.exit_code


def _answer(path: str) -> int:
    """What happens in the terminal."""
    from scrub.cli.ask_page import AskPage, Closing
    from scrub.cli.host import TerminalHost
    from scrub.cli.review_page import decide
    from scrub.cli.screen import forget_typed, show

    try:
        request = file_manager.read_request(path)
    except (OSError, ValueError):
        show(Closing("What was to be done is not known any more. Choose the macro again."))
        return 1
    if "said" in request:
        show(Closing(str(request["said"])))
        return 1
    files = [str(name) for name in request["files"]]
    host = TerminalHost()
    try:
        pin, _ = file_manager.pinned(scrub.home(), str(request["key"]))
        print(f"{pin.label or pin.title}: {scrub.counted(len(files), 'file')} ...", flush=True)
        held = scrub.prepare(pin.title, files, host=host)
        host.close()
        page = AskPage(held, files)
        forget_typed()
        show(page)
        if page.review:
            review = scrub.review(pin.title, files, host=host)
            host.close()
            said = "Nothing was saved."
            if decide(review):
                said = told_of(review.commit())
            show(Closing(said))
    except scrub.ScrubError as problem:
        host.close()
        show(Closing(sentence(str(problem))))
        return problem.exit_code
    return 0


def told_of(result: scrub.RunResult) -> str:
    """What a run did, in a sentence or two."""
    changed = [file for file in result.files if file.state == "changed" and file.problem is None]
    changes = sum(file.change_count for file in changed)
    refused = sum(file.refused for file in result.files)
    parts = [saved_counts(len(changed), changes)] if changed else []
    parts = parts or ["Nothing was saved"]
    parts += [f"{refused:,} refused"] if refused else []
    number = f" (run {result.number}). Undo: scrub undo {result.number}" if changed else "."
    problems = "".join(f"    {sentence(str(file.problem))}" for file in result.files if file.problem)
    return ", ".join(parts) + number + problems


if __name__ == "__main__":
    main()
