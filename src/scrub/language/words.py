"""The words of the language, each listed once."""

from __future__ import annotations

#: What opens a block, by its first word; `times` is after a number.
BLOCKS = frozenset(("each", "if", "in", "times", "while", "attempt"))
#: Statements of one line.
LINES = frozenset(("skip", "leave", "finish", "fail", "say", "log", "run", "give"))
#: What a statement can begin with, other than a name or an action.
STATEMENTS = (BLOCKS - {"times"}) | LINES
#: What a line can begin with.
STARTERS = (
    "each", "if", "in", "while", "say", "log", "skip", "finish", "fail", "attempt", "run", "give", "end", "else",
    "leave",
)  # fmt: skip
#: A line that begins with one of these, inside an open bracket, shows that the bracket was forgotten.
SURE_STARTERS = frozenset(STARTERS) - {"in"}
#: Values that are words.
VALUES = frozenset(("yes", "no", "nothing", "today", "now"))
#: What is worked out of a value of each item of a kind; each is an operation of lists too, but for `list`.
GATHERS = ("sum", "smallest", "largest", "average", "list")
#: Words of the header, which can be names in the body.
HEADER = ("macro", "about", "for", "group", "into", "example")
#: Words that begin a comparison, and those inside one.
COMPARISONS = (
    "is",
    "is not",
    "is between",
    "contains",
    "starts with",
    "ends with",
    "matches",
    "is in",
    "is empty",
    "exists",
)
#: Words that cannot be names of values.
KEYWORDS = (
    STATEMENTS | VALUES | (frozenset(HEADER) - {"for"})
    | frozenset("as where else end times loop and or not is contains matches exists missing exactly".split())
)  # fmt: skip
#: Keywords that can also be names, where nothing else is meant.
FREE = frozenset(("group", "about", "into", "macro", "example", "times", "loop"))
