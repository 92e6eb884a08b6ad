"""`scrub learn`."""

from __future__ import annotations

import sys
from collections.abc import Callable

import click

import scrub
from scrub.cli.editing import keep
from scrub.cli.host import TerminalHost
from scrub.cli.output import columns, echo, failed, one_line, print_json, quiet, short_path, told_apart

_OPEN = "The example does not show which is meant; the macro has the first:"
#: Places that are told one by one.
_SHOWN = 12


@click.command("learn")
@click.argument("before", type=click.Path())
@click.argument("after", type=click.Path())
@click.option("--also", nargs=2, multiple=True, metavar="BEFORE AFTER", help="A further pair of files.")
@click.option("--beside", multiple=True, metavar="FILE", help="A file that values come from, or a mailbox filed in.")
@click.option("--keep", "title", metavar="TITLE", help="Save the macro in the library under this title.")
@click.option("--to", "target", metavar="FILE", help="Write the macro into a file.")
@click.option("--first", is_flag=True, help="Take the first reading; ask nothing.")
@click.option(
    "--minutes", type=click.FloatRange(min=0, min_open=True), default=1.0, help="How long to search; usually 1."
)
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
def command(
    before: str,
    after: str,
    also: tuple[tuple[str, str], ...],
    beside: tuple[str, ...],
    title: str | None,
    target: str | None,
    first: bool,
    minutes: float,
    as_json: bool,
) -> int:
    """Learns a macro from BEFORE, the file before the job, and AFTER, the same file after you did the job by hand.

    The macro is tried on a copy; neither file is changed. The exit code is 0 if it gives AFTER exactly, else 1.
    """
    host = TerminalHost(asking=not (first or as_json))
    learned = scrub.learn(
        before, after, also=also, beside=beside, title=title or "Learned", minutes=minutes, tell=telling()
    )
    if as_json:
        print_json(learned.as_dict())
    else:
        show(learned, before, after)
    if not learned.text:
        return 1
    text = learned.text if as_json else _chosen(learned, host.asking)
    if target:
        with open(target, "x", encoding="utf-8") as stream:
            stream.write(text)
        echo(f"Saved {target}.")
    if title is None and host.asking and not target:
        title = (
            click.prompt("Keep it as (Enter alone: do not keep it)", default="", show_default=False, err=True) or None
        )
    if title:
        keep(scrub.retitled(text, title), title, own=True)
    return 0 if learned.proved else 1


def telling() -> Callable[[str], None]:
    """Shows what is done, where somebody looks."""
    if not sys.stderr.isatty():
        return lambda text: None

    def tell(text: str) -> None:
        sys.stderr.write(f"\r{text} ...\x1b[K")
        sys.stderr.flush()

    return tell


def _chosen(learned: scrub.Learned, asking: bool) -> str:
    """The macro that is meant: asked once, where the example does not show it."""
    if not learned.choice:
        return learned.text
    echo("The example does not show which is meant:" if asking else _OPEN)
    for number, reading in enumerate(learned.choice, 1):
        echo(f"  {number}  {one_line(reading.told)}")
    if not asking:
        return learned.text
    numbers = click.Choice([str(number) for number in range(1, len(learned.choice) + 1)])
    answer = click.prompt("Which one? Enter alone: the first", default="1", show_default=False, type=numbers, err=True)
    return learned.choice[int(answer) - 1].text


def show(learned: scrub.Learned, before: str, after: str) -> None:
    """Shows a macro that was learned, what it does not explain, and what else could be meant."""
    if sys.stderr.isatty():
        sys.stderr.write("\r\x1b[K")
    names = short_path(before), short_path(after)
    if not learned.text:
        echo(failed(f"No rule was found that makes {names[1]} of {names[0]}."))
        echo(f"{scrub.counted(learned.total, 'place')} differ.")
    else:
        for text in told_apart(learned.text)[3:]:
            echo(text, raw=True)
        result = f"Run on a copy of {names[0]}, this gives {names[1]}"
        if not learned.left:
            echo(f"{result} exactly ({scrub.counted(learned.total, 'difference')}).")
        else:
            echo(f"{result} except for {len(learned.left):,} of {scrub.counted(learned.total, 'place')}:")
            rows = [(str(each), _told(each)) for each in learned.left[:_SHOWN]]
            for line in columns(rows):
                echo(line)
            if len(learned.left) > _SHOWN:
                echo(f"  {len(learned.left) - _SHOWN:,} more")
    for note in learned.notes:
        echo(note)
    if learned.left_out:
        echo(quiet(f"Left out, as programs change it when they save: {'; '.join(learned.left_out)}."))
    for readings in learned.readings:
        echo(_OPEN)
        for number, reading in enumerate(readings, 1):
            echo(f"  {number}  {one_line(reading)}")


def _told(each: scrub.Difference) -> str:
    one, other = scrub.plain(each.one), scrub.plain(each.other)
    return f"the macro gives {one}; your file has {other}"
