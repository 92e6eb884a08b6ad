"""The command `scrub` and its list of commands; a command's module is imported only when it is called."""

from __future__ import annotations

import importlib
import os

import click

#: Every command with its line in the help. Its module is `scrub.cli.<name>_command`.
COMMANDS = {
    "demo": "Create sample files, run an example, say what to try next.",
    "inside": "Show what a macro can see in a file.",
    "choose": "Choose a macro for some files in a list, and see what it would change.",
    "run": "Run a macro on files; --preview shows what would change.",
    "watch": "Run a macro on each file that arrives in a folder.",
    "changes": "Show every change of a run.",
    "history": "List runs: what, when, on which files.",
    "undo": "Undo a run, byte for byte; --redo applies it again.",
    "outbox": "List sent messages and their status.",
    "learn": "Learn a macro from a file before and after a job.",
    "try": "Try actions step by step on a copy; keep the good ones.",
    "macros": "List your macros and the examples.",
    "show": "Show one macro: its text, what it asks, what it may do.",
    "new": "Write a macro; --from another, or --paste what you copied.",
    "edit": "Edit a macro; earlier versions are kept.",
    "add": "Add a macro from a file to the library.",
    "rename": "Rename a macro.",
    "remove": "Remove a macro from the library; its text is kept.",
    "check": "Check a macro without running it.",
    "tidy": "Reformat a macro.",
    "pin": "Give a macro a short key.",
    "pins": "List the keys.",
    "approve": "Read what a macro may do, and approve it.",
    "embed": "Put a macro inside a workbook.",
    "extract": "Take the macros out of a workbook.",
    "pack": "Pack a macro and all that it runs into one file.",
    "secret": "Keep passwords in the system's key store.",
    "library": "Show the library; name, back up, restore, join.",
    "settings": "Show and change settings: dates, numbers, editor.",
    "catalog": "Search fields and actions.",
    "language-server": "Serve an editor: problems, completion, help.",
}


def _is_choice(args: list[str]) -> bool:
    """Whether somebody at a terminal typed nothing, or the names of files alone: they are shown what they can do."""
    if args and (args[0] in COMMANDS or args[0].startswith("-") or not os.path.exists(args[0])):
        return False
    from scrub.cli.screen import is_terminal

    return is_terminal()


class _Commands(click.Group):
    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if args[:1] == ["help"]:  # scrub help run is scrub run --help
            args = [*args[1:], "--help"] if args[1:] else ["--help"]
        elif _is_choice(args):
            args = ["choose", *args]
        return super().parse_args(ctx, args)

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        command = importlib.import_module(f"scrub.cli.{cmd_name.replace('-', '_')}_command").command
        assert isinstance(command, click.Command)
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from scrub import BadCall, did_you_mean

            raise BadCall(f'no command "{args[0]}".{did_you_mean(args[0], COMMANDS)} List commands: scrub --help')
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="scrub-macros", message="scrub %(version)s")
def scrub() -> None:
    """Small text macros for office files: preview, run, undo.

    Start with: scrub demo
    """
