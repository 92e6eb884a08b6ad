"""`scrub show`."""

from __future__ import annotations

import click

import scrub
from scrub import upkeep
from scrub.cli.completing import macro_titles
from scrub.cli.editing import sentences
from scrub.cli.output import columns, echo, print_json, strong, told_apart


@click.command("show")
@click.argument("macro", shell_complete=macro_titles)
@click.option("--outline", is_flag=False, flag_value=1, type=int, metavar="DEPTH", help="Fold blocks below this depth.")
@click.option("--as-python", is_flag=True, help="Print the macro as a Python script with the same result.")
@click.option("--history", is_flag=True, help="List earlier versions.")
@click.option("--json", "as_json", is_flag=True, help="With --history: print the earlier versions as JSON.")
def command(macro: str, outline: int | None, as_python: bool, history: bool, as_json: bool) -> int:
    """Shows a macro: its questions, what it may do, where it is used, and its text."""
    home = scrub.home()
    if history:
        return _history(macro, as_json)
    if as_python:
        echo(scrub.as_python(macro).rstrip("\n"), raw=True)
        return 0
    text, _ = home.text(macro)
    try:
        program = home.program(macro)
    except scrub.MacroProblems as problems:
        echo("\n".join(scrub.lines_of(text)).rstrip("\n"), raw=True)
        count = scrub.counted(len(problems.problems), "error")
        echo(f'\nIt cannot run yet: {count}. Details: scrub check "{macro}"')
        return 2
    echo(strong(program.title))
    for line in program.macro.about:
        echo(f"  {line}")
    echo(f"Runs on: {'all at once: ' if program.macro.for_all else ''}{', '.join(program.macro.runs_on)}")
    for question in program.questions:
        if question.secret:
            echo(f"Asks for: the password {question.prompt} (or the variable {scrub.variable(question.prompt)})")
        else:
            echo(f"Asks for: {question.prompt} ({question.type}, --with {question.name}=...)")
    for sentence in sentences(home.permissions(program)):
        echo(sentence)
    times, last = home.use.of().get(program.title, (0, ""))
    if times:
        echo(f"Run {scrub.counted(times, 'time')}, last on {last[:10]}.")
    if program.own_files:
        echo(f"Its files: {', '.join(program.own_files)}")
    users = upkeep.uses_of(home, program.title)
    if users:
        echo(f"Run by: {', '.join(users)}")
    echo()
    lines = _folded(scrub.tidy(text), outline) if outline is not None else program.macro.lines
    for line in told_apart("\n".join(lines)):
        echo(f"    {line}".rstrip(), raw=True)
    return 0


def _folded(text: str, depth: int) -> list[str]:
    """The lines of a tidy macro down to a depth of blocks; what is folded away is counted."""
    result: list[str] = []
    hidden = 0
    for line in scrub.lines_of(text):
        indent = len(line) - len(line.lstrip())
        if line.strip() and indent < 4 * depth:
            if hidden:
                result.append(f"{' ' * 4 * depth}... {scrub.counted(hidden, 'line')}")
                hidden = 0
            result.append(line)
        elif line.strip():
            hidden += 1
        elif not hidden:
            result.append(line)
    return result


def _history(macro: str, as_json: bool) -> int:
    library = scrub.home().library
    try:
        title = scrub.home().find(macro, to_edit=True).title
    except scrub.BadCall:
        title = macro
    former = library.former.all(title)
    if as_json:
        print_json([{"when": each.when, "why": each.why, "text": each.text} for each in former])
        return 0
    if not former:
        echo(f'"{title}" has no earlier version.')
        return 0
    rows = [
        (str(number), each.when, each.why, scrub.counted(len(scrub.lines_of(each.text)), "line"))
        for number, each in enumerate(former, 1)
    ]
    for line in columns(rows):
        echo(line)
    echo(f'Restore one: scrub edit "{title}" --back N')
    return 0
