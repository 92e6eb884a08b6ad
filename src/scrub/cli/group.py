"""The command `scrub` and its list of commands; a command's module is imported only when it is called."""

from __future__ import annotations

import importlib

import click

#: Every command with its line in the help. Its module is `scrub.cli.<name>_command`.
COMMANDS = {
    "demo": "Lay out the sample files, run an example, say what to try next.",
    "inside": "What a macro can see in a file.",
    "run": "Run a macro on files; --preview shows what would change.",
    "changes": "Every change of a run.",
    "history": "What was run, when, on what.",
    "undo": "Put back what a run changed, byte for byte; --redo does it again.",
    "outbox": "What macros sent, and what became of it.",
    "try": "Try actions one at a time on a copy, and keep the good ones.",
    "macros": "The library: your macros and the examples.",
    "show": "One macro: its text, what it asks, what it may do.",
    "new": "Write a macro; --from another, --paste what was copied.",
    "edit": "Open a macro in your editor; former texts are kept.",
    "add": "Keep a macro from a file in the library.",
    "rename": "Give a macro another title.",
    "remove": "Take a macro out of the library; its text is kept.",
    "check": "All that is wrong with a macro, without running it.",
    "tidy": "Lay a macro out in the standard form.",
    "pin": "Give a macro a short key.",
    "pins": "The keys in order.",
    "approve": "Read what a macro may do, and approve it.",
    "embed": "Put a macro inside a workbook.",
    "extract": "Take the macros out of a workbook.",
    "pack": "A macro with all that it runs, as one file.",
    "secret": "Passwords, in the system's key store.",
    "library": "Where it is; name, backup, restore, join.",
    "settings": "Order of dates, decimal mark, editor.",
    "catalog": "What a macro can name, searched by what it does.",
}


class _Commands(click.Group):
    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if args[:1] == ["help"]:  # scrub help run is scrub run --help
            args = [*args[1:], "--help"] if args[1:] else ["--help"]
        return super().parse_args(ctx, args)

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        found = importlib.import_module(f"scrub.cli.{cmd_name}_command").command
        assert isinstance(found, click.Command)
        return found

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from scrub import BadCall, did_you_mean

            raise BadCall(
                f'there is no command "{args[0]}".{did_you_mean(args[0], COMMANDS)} See them all: scrub --help'
            )
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="scrub-macros", message="scrub %(version)s")
def scrub() -> None:
    """Small text macros for office files: see what would change, run it, take it back.

    Begin with: scrub demo
    """
