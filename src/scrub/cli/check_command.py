"""`scrub check`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.completing import macro_titles
from scrub.cli.output import echo, print_json, problem_lines


@click.command("check")
@click.argument("macros", nargs=-1, required=True, shell_complete=macro_titles)
@click.option("--json", "as_json", is_flag=True, help="Print the problems as JSON.")
def command(macros: tuple[str, ...], as_json: bool) -> int:
    """Checks macros (titles or paths) without running them."""
    code = 0
    found = {macro: scrub.check(macro) for macro in macros}
    if as_json:
        print_json([{"macro": macro, **problem.as_dict()} for macro, problems in found.items() for problem in problems])
        return 2 if any(found.values()) else 0
    for number, (macro, problems) in enumerate(found.items()):
        if problems:
            code = 2
            if number:
                echo()
            for line in problem_lines(macro, problems):
                echo(line, raw=True)
        else:
            echo(f"No errors in {macro}.")
    return code
