"""`scrub settings`."""

from __future__ import annotations

import click

import scrub
from scrub.cli.output import columns, echo, print_json


@click.command("settings")
@click.argument("name", required=False)
@click.argument("value", required=False)
@click.option("--forget", is_flag=True, help="Restore the default.")
@click.option("--json", "as_json", is_flag=True, help="Print the settings as JSON.")
def command(name: str | None, value: str | None, forget: bool, as_json: bool) -> int:
    """Shows the settings, or sets NAME to VALUE."""
    settings = scrub.home().settings
    if name and (value or forget):
        settings.set(name, None if forget else value)
        echo(f"{name} is {'back to its default' if forget else f'set to {value}'}.")
        return 0
    found = settings.load()
    if as_json:
        print_json({each: found.get(each) for each in scrub.SETTINGS})
        return 0
    if name and name not in scrub.SETTINGS:
        settings.set(name, "")
    rows = []
    for each, setting in scrub.SETTINGS.items():
        if name in (None, each):
            takes = f" ({', '.join(setting.values)})" if setting.values else ""
            rows.append((each, str(found.get(each, "not set")), setting.doc + takes))
    for line in columns(rows):
        echo(line)
    echo("Change one: scrub settings NAME VALUE")
    return 0
