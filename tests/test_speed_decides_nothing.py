"""How fast a machine is decides no test: who waits names what for, and nothing is slow for the sake of a test."""

from __future__ import annotations

import ast
import itertools
from pathlib import Path

HERE = Path(__file__).parent

#: Uses of a clock, each with what it waits for; none of them is over sooner on a faster machine, or too late on a slower.
ALLOWED = {
    ("servers.py", "monotonic"): "for a server to answer, a minute at most",
    ("servers.py", "sleep"): "between two questions to a server that begins",
    ("screens.py", "monotonic"): "for what would never be on a screen",
    ("screens.py", "sleep"): "between two looks, and for what another program does in its own time",
    ("test_cli.py", "monotonic"): "for a command that would never end",
    ("test_terminal.py", "monotonic"): "for a prompt to draw itself; what is typed sooner waits in the terminal",
    ("test_many_files.py", "monotonic"): "for a run that would never save anything",
    ("test_many_files.py", "sleep"): "between two looks at whether a run has saved its first file",
    ("test_editor.py", "sleep"): "between two looks at whether the server has answered",
    ("test_imap.py", "sleep"): "for a server to begin, and for the second that a new numbering is named after",
}
#: Turns of a loop in a macro, or of what makes a file, above which a test would be slow on purpose.
_TURNS = 200_000


def _clocks(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Call):
            named = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            if named in (
                "sleep",
                "monotonic",
                "perf_counter",
                "process_time",
                "thread_time",
                "Timer",
                "alarm",
                "setitimer",
            ):
                found.add(named)
    return found


def _turns(path: Path) -> list[int]:
    """The numbers before `times` in the macros of a test."""
    found = []
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            words = node.value.replace("_", "").split()
            found += [int(one) for one, two in itertools.pairwise(words) if two == "times" and one.isdecimal()]
    return found


def test_clocks_are_looked_at_for_a_reason() -> None:
    found = {(path.name, name) for path in HERE.glob("*.py") for name in _clocks(path)}
    assert found == set(ALLOWED)


def test_what_never_ends_has_one_limit() -> None:
    for path in HERE.glob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and ast.unparse(node.func).endswith(("mark.timeout", "subprocess.run")):
                for value in [*node.args, *[each.value for each in node.keywords if each.arg == "timeout"]]:
                    assert not isinstance(value, ast.Constant) or not isinstance(value.value, int), (
                        path.name,
                        node.lineno,
                    )


def test_nothing_is_slow_on_purpose() -> None:
    slow = {path.name: turns for path in HERE.glob("*.py") for turns in _turns(path) if turns > _TURNS}
    # ended by the clock of the run, which is set forward in the test
    assert set(slow) <= {"test_hostile.py"}, slow
