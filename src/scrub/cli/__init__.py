"""The command line: thin over the public face. Each command is imported when it is called."""

from __future__ import annotations

import atexit
import contextlib
import errno
import gc
import os
import sys
from typing import TYPE_CHECKING, NoReturn

from scrub.cli.group import scrub

if TYPE_CHECKING:
    import click

__all__ = ["main", "scrub"]


def main() -> None:
    """Runs the command line and ends the process with its exit code."""
    # A run makes many small objects and no cycles: looking for cycles as often as usual costs a tenth of its time.
    gc.set_threshold(100_000, 50, 100)
    _leave(run(sys.argv[1:]))


def _wait() -> None:
    """Says what is awaited, and how to stop."""
    print("Another run of Scrub is busy here; waiting for it. To stop waiting: Ctrl+C", file=sys.stderr, flush=True)


def _leave(code: int) -> NoReturn:
    """Ends the process without freeing all that it contains piece by piece: of a big file that takes its time."""
    atexit._run_exitfuncs()
    for stream in (sys.stdout, sys.stderr):
        with contextlib.suppress(OSError, ValueError):  # nobody reads on
            stream.flush()
    os._exit(code)


def _from_the_system(error: OSError | MemoryError) -> str:
    """What the system refused, with what helps."""
    if isinstance(error, MemoryError):
        return "Not enough memory. Close other programs, or run it on fewer files at once."
    full = error.errno in (errno.ENOSPC, getattr(errno, "EDQUOT", None))
    closed = error.errno in (errno.EACCES, errno.EPERM, errno.EROFS)
    remedy = "Free some space" if full else "Allow writing there" if closed else "Rename or remove what is in the way"
    where = f"{os.fsdecode(error.filename)}: " if isinstance(error.filename, str | bytes) else ""
    return f"{where}{error.strerror or error}. {remedy}, and run again."


def run(arguments: list[str]) -> int:
    """Runs the command line with these words; gives the exit code. Problems go to standard error."""
    import click

    from scrub import ScrubError, when_waiting

    when_waiting(_wait)
    try:
        code = scrub.main(arguments, prog_name="scrub", standalone_mode=False)
        return code if isinstance(code, int) else 0
    except ScrubError as problem:
        from scrub import MacroProblems
        from scrub.cli.output import echo, indented, sentence

        said = str(problem) if isinstance(problem, MacroProblems) else indented(str(problem))
        echo(sentence(said), err=True)
        return problem.exit_code
    except click.exceptions.Exit as end:
        return end.exit_code
    except click.Abort:
        click.echo("Stopped.", err=True)
        return 1
    except click.exceptions.NoArgsIsHelpError as error:
        click.echo(error.format_message())
        return 0
    except click.ClickException as error:
        return _bad_call(error)
    except BrokenPipeError:
        sys.stderr.close()
        return 0
    except Exception as error:
        if os.environ.get("SCRUB_TRACEBACK"):
            raise
        return _not_foreseen(error)


def _bad_call(error: click.ClickException) -> int:
    """Tells what is wrong with the words of a call; gives the exit code."""
    import click

    from scrub.cli.output import harmless

    click.echo(harmless(error.format_message()), err=True)
    context = getattr(error, "ctx", None)
    if context is not None:
        click.echo(f"Help: {context.command_path} --help", err=True)
    return 2


def _not_foreseen(error: Exception) -> int:
    """Tells what the system refused, or that Scrub has a bug; gives the exit code."""
    import click

    from scrub import bug_name

    if isinstance(error, OSError | MemoryError):
        from scrub.cli.output import harmless

        click.echo(harmless(_from_the_system(error)), err=True)
        return 1
    click.echo(
        f"This is a bug in Scrub ({bug_name(error)}); your files are intact.\n"
        "For a report that says where: set SCRUB_TRACEBACK=1 and run again.",
        err=True,
    )
    return 1
