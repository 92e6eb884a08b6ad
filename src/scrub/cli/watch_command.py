"""`scrub watch`."""

from __future__ import annotations

import os
import shutil
import signal
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator

import click

import scrub
from scrub import watching
from scrub.cli.completing import macro_titles
from scrub.cli.output import echo
from scrub.cli.run_command import given_answers, seconds_of


@click.command("watch")
@click.argument("folder", type=click.Path())
@click.argument("macro", shell_complete=macro_titles)
@click.option("--into", metavar="FOLDER", help='Put the results here; default: "Done" in the watched folder.')
@click.option("--for", "time_given", metavar="TIME", help="Stop after this time, such as 30m or 8h.")
@click.option("--with", "given", multiple=True, metavar="NAME=VALUE", help="Answer a question in advance.")
@click.option("--unit", is_flag=True, help="Print a systemd unit that watches from login on, and do nothing else.")
def command(
    folder: str, macro: str, into: str | None, time_given: str | None, given: tuple[str, ...], unit: bool
) -> int:
    """Runs MACRO on each file that arrives in FOLDER, once by its contents.

    Results are put into "Done", the files as they came into "Done/originals", and those that failed into
    "Done/failed", with the reason.
    """
    seconds = None if time_given is None else seconds_of(time_given, "--for")
    if unit:
        watching.WatchedFolder(scrub.home(), folder, macro, into, given_answers(given)).close()
        echo(unit_of(folder, macro, into, given), raw=True, nl=False)
        return 0
    watched = watching.WatchedFolder(scrub.home(), folder, macro, into, given_answers(given))
    counts: Counter[str] = Counter()

    def tell(found: watching.Arrived) -> None:
        counts[found.what] += 1
        _say(_line(found))

    signal.signal(signal.SIGTERM, signal.default_int_handler)  # as a system ends what it started
    _say(f'watching {watched.folder} with "{watched.title}". Stop: Ctrl+C')
    try:
        watching.watch(watched, tell, seconds, _waking(watched.folder))
    except KeyboardInterrupt:
        pass
    finally:
        watched.close()
    _say(f"stopped: {counts['done']:,} done, {counts['failed']:,} failed")
    return 1 if counts["failed"] else 0


def _say(text: str) -> None:
    echo(f"{time.strftime('%H:%M:%S')} {text}")
    sys.stdout.flush()


def _line(found: watching.Arrived) -> str:
    if found.what == "done":
        return f"done {found.name}: {found.text} (run {found.run})"
    if found.what == "same":
        return f"same contents as {found.text}: {found.name}"
    return f"{found.what} {found.name}: {found.text}"


def _waking(folder: str) -> Callable[[float], None]:
    """What waits for the next look: as long as it says, or shorter where something happens in the folder."""
    try:
        import watchfiles
    except ImportError:
        return time.sleep
    changes: Iterator[object] = watchfiles.watch(
        folder, recursive=False, step=20, debounce=100, rust_timeout=100, yield_on_timeout=True,
        watch_filter=None, raise_interrupt=True,
    )  # fmt: skip

    def wait(seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if next(changes, None):
                return

    return wait


def unit_of(folder: str, macro: str, into: str | None, given: tuple[str, ...]) -> str:
    """A unit for the person's own systemd (systemd.service(5), systemd.syntax(7))."""
    program = shutil.which("scrub") or os.path.join(os.path.dirname(sys.executable), "scrub")
    words = [os.path.abspath(program), "watch", os.path.abspath(folder), macro]
    words += ["--into", os.path.abspath(into)] if into else []
    words += [word for each in given for word in ("--with", each)]
    own = os.environ.get("SCRUB_HOME")
    lines = [
        "# Save as ~/.config/systemd/user/scrub-watch.service, then: systemctl --user enable --now scrub-watch",
        "[Unit]",
        f"Description=Scrub watches {_in_unit(os.path.basename(os.path.abspath(folder)))}",
        "",
        "[Service]",
        *([f"Environment={_word(f'SCRUB_HOME={os.path.abspath(own)}')}"] if own else []),
        f"ExecStart={' '.join(_word(word).replace('$', '$$') for word in words)}",
        "Restart=on-failure",
        "SuccessExitStatus=1",
        "",
        "[Install]",
        "WantedBy=default.target",
    ]
    return "\n".join(lines) + "\n"


def _in_unit(text: str) -> str:
    return text.replace("%", "%%").replace("\n", " ")


def _word(word: str) -> str:
    """A word of a command line in a unit, quoted (systemd.service(5), Command lines)."""
    escaped = (
        word.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\t", "\\t").replace("%", "%%")
    )
    return f'"{escaped}"'
