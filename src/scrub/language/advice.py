"""What people write who know another language, and what they mean."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING

from scrub.model.core.problem import with_article

if TYPE_CHECKING:
    from scrub.language.lexer import Token

_LINES = {
    "print": 'to show a message, write: say "…"', "echo": 'to show a message, write: say "…"',
    "alert": 'to show a message, write: say "…"', "foreach": "write: each sheet",
    "repeat": "to repeat, write: 3 times … end, or: while … end", "do": "to repeat, write: while … end",
    "loop": "a block ends with: end", "until": "to repeat, write: while … end", "wend": "a block ends with: end",
    "elseif": "write two words: else if", "elif": "write: else if", "elsif": "write: else if",
    "endif": "a block ends with: end", "endfor": "a block ends with: end", "done": "a block ends with: end",
    "next": "a block ends with: end. To continue with the next item, write: skip",
    "continue": "to continue with the next item, write: skip", "break": "to leave a loop, write: leave loop",
    "exit": "to end the macro, write: finish. To leave a loop: leave loop", "return": "to end the macro, write: finish",
    "try": "write: attempt … if it fails … end", "catch": "write: if it fails", "except": "write: if it fails",
    "sub": 'each macro is separate. To run another one: run "Its title"',
    "function": 'each macro is separate. To run another one: run "Its title"',
    "def": 'each macro is separate. To run another one: run "Its title"',
    "when": "write: if", "unless": "write: if not", "otherwise": "write: else",
    "stop": "to end the macro, write: finish",
    "goto": "macros have no jumps. Write: if … end, or: while … end",
    **dict.fromkeys(("wait", "sleep", "pause"), 'a macro cannot wait, except for an answer: name = ask("…")'),
    "msgbox": 'to show a message, write: say "…"',
    "messagebox": 'to show a message, write: say "…"',
    "select": 'to go through records, write: each record in table("night") where record.paid',
    "update": 'to change records, write: each record in table("night"), below it record.paid = yes, and end',
}  # fmt: skip
_VALUES = {"true": "yes", "false": "no", "null": "nothing", "none": "nothing", "nil": "nothing"}

#: What a run does on its own, or what no macro does: lines that are not action of the item at hand.
_UNNEEDED = {
    "save": 'a run saves automatically. Delete this line. For a copy, write: save-copy to: "sent"',
    "save-as": 'a run saves automatically. For a copy, write: save-copy to: "sent"',
    "saveas": 'a run saves automatically. For a copy, write: save-copy to: "sent"',
    "close": "a run opens and closes its files automatically. Delete this line",
    "calculate": "formulas are recalculated automatically. Delete this line",
    "recalculate": "formulas are recalculated automatically. Delete this line",
}
#: What a word means that is not a field or action: the field to set, and its value.
_SENSES = {
    "hide": ("hidden", "yes"), "unhide": ("hidden", "no"), "show": ("hidden", "no"), "visible": ("hidden", "no"),
    "invisible": ("hidden", "yes"), "lock": ("locked", "yes"), "unlock": ("locked", "no"),
    "open": ("locked", "no"), "freeze": ("frozen-rows", "1"), "unfreeze": ("frozen-rows", "0"),
    "landscape": ("orientation", "landscape"), "portrait": ("orientation", "portrait"),
    "background": ("fill", '"yellow"'), "highlight": ("fill", '"yellow"'), "color": ("colour", '"red"'),
    "underline": ("underlined", "yes"), "strike": ("strikethrough", "yes"), "struck": ("strikethrough", "yes"),
    "border": ("borders", "thin"), "font-size": ("size", "12"), "rotate": ("rotation", "90"),
    "wrap": ("wrapped", "yes"), "center": ("alignment", "centre"), "centre": ("alignment", "centre"),
    "align": ("alignment", "left"), "contents": ("value", "…"), "content": ("value", "…"),
    "fit": ("width-in-pages", "1"),
    "number-form": ("number-format", '"0.00"'), "format": ("number-format", '"0.00"'),
    "hyperlink": ("link", '"https://…"'),
    "display": ("hidden", "no"), "autofilter": ("filter", '"A1:H20"'),
}  # fmt: skip
#: Pairs of a word and a field that mean opposite things: setting one to yes sets the other to no.
_OPPOSITES = {"visible", "show", "display"}
#: What people ask for that no item can do so far.
_LATER = {
    "copy": "copying", "duplicate": "copying", "sort": "sorting", "sorted": "sorting", "delete": "deleting",
    "remove": "deleting", "insert": "inserting", "move": "moving", "rename": "renaming", "group": "grouping",
}  # fmt: skip


def statement(tokens: Sequence[Token]) -> str:
    """Advice for a line that begins as in another language; an empty text where nothing is known."""
    if not tokens or tokens[0].type != "word" or (len(tokens) > 1 and tokens[1].is_sign("=", ".", "(")):
        return ""
    first, rest = tokens[0].text, [token.text for token in tokens[1:]]
    if first in ("set", "let", "var", "dim", "const") and len(rest) > 1:
        said = " ".join(rest[2:]) if rest[1] in ("=", "to") and len(rest) > 2 else ""
        return f"write only: {rest[0]} = {said or '…'}"
    if first == "for" and rest:
        return _for(rest)
    done = DONE.get((first, rest[0].removesuffix("s"))) if rest else None
    if done:
        return f"write: {done}"
    return _LINES.get(first, "")


def replaced(tokens: Sequence[Token]) -> tuple[Token, str | None]:
    """What to write in place of the beginning of such a line: up to which token, and what; None where that is not one
    thing.
    """
    first, following = tokens[0], tokens[1] if len(tokens) > 1 else tokens[0]
    if first.is_word("for") and following.is_word("each"):
        return following, "each"
    if first.is_word("set", "let", "var", "dim", "const") and len(tokens) > 2 and tokens[2].is_sign("="):
        return following, following.text
    if first.is_word("else") and following.is_word("if"):
        return first, None
    return first, _REPLACED.get(first.text)


_REPLACED = {
    **dict.fromkeys(("print", "echo", "alert", "msgbox", "messagebox"), "say"),
    **dict.fromkeys(("elseif", "elif", "elsif"), "else if"),
    **dict.fromkeys(("endif", "endfor", "done", "wend", "loop", "next"), "end"),
    **dict.fromkeys(("catch", "except"), "if it fails"), **dict.fromkeys(("exit", "return", "stop"), "finish"),
    "foreach": "each", "continue": "skip", "break": "leave loop", "try": "attempt", "when": "if", "unless": "if not",
    "otherwise": "else",
}  # fmt: skip
_REMOVING, _ADDING = ("delete", "remove", "erase", "drop"), ("add", "insert", "append", "create")
#: What lines that begin with a verb and a kind of item mean. A test compares each to what there is.
DONE = {
    (verb, shape): written
    for verbs, shapes, written in (
        (_REMOVING, "row line", "in row(3), below it delete, and end. By a condition: each row where row is empty"),
        (_REMOVING, "column", 'in column("C"), below it delete, and end'),
        (_REMOVING, "record", "each record where record.nights is empty, below it delete, and end"),
        (_REMOVING, "sheet", 'in sheet("Larch Hut"), below it delete, and end'),
        (_REMOVING, "page", 'in pages("3-4"), below it delete, and end'),
        (_REMOVING, "paragraph", "in paragraph(3), below it delete, and end"),
        (_REMOVING, "message", "each message where message.date < today - 90 days, below it delete, and end"),
        (_REMOVING, "attachment link bookmark picture comment", "each {shape}, below it delete, and end"),
        (_REMOVING, "from", 'each record in table("night") where record.nights is 0, below it delete, and end'),
        (_ADDING, "into", 'in table("guest"), below it add-record name: "Ann", and end'),
        (_REMOVING, "duplicate", "in sheet.records, below it delete-duplicates, and end"),
        (_ADDING, "row line", 'in row(3), below it insert-above, and end. Below all rows: add-row ["Larch", 12]'),
        (_ADDING, "column", 'in column("C"), below it insert-left, and end'),
        (_ADDING, "record", 'in sheet.records, below it add-record hut: "Larch", nights: 2, and end'),
        (_ADDING, "sheet worksheet", 'fresh = new-sheet("Late")'),
        (_ADDING, "paragraph", 'in paragraph(3), below it add-after "Larch", and end'),
        (("sort", "order"), "row sheet table record column line", 'in sheet.records, below it sort by: "Hut", and end'),
        (("copy", "duplicate"), "sheet", 'in sheet("Larch Hut"), below it fresh = copy(name: "Kite"), and end'),
        (("move",), "sheet", 'in sheet("Larch Hut"), below it move-to 1, and end'),
        (("move",), "row line", "in row(3), below it move-above 9, and end"),
        (("move",), "column", 'in column("C"), below it move-left-of "A", and end'),
        (("move",), "page", "in page(3), below it move-to 1, and end"),
        (("move",), "message", 'each message where message.seen, below it move to: "old.mbox", and end'),
        (("rename",), "sheet", 'sheet("Larch Hut").name = "Larch"'),
        (("hide",), "sheet", 'sheet("Larch Hut").hidden = yes'),
        (("hide",), "row line", "row(3).hidden = yes"),
        (("hide",), "column", 'column("C").hidden = yes'),
        (("show", "unhide"), "sheet", 'sheet("Larch Hut").hidden = no'),
        (("show", "unhide"), "row line", "row(3).hidden = no"),
        (("show", "unhide"), "column", 'column("C").hidden = no'),
        (("protect", "lock"), "sheet", 'in sheet("Larch Hut"), below it protect, and end'),
        (("unprotect", "unlock"), "sheet", 'in sheet("Larch Hut"), below it unprotect, and end'),
    )
    for verb in verbs
    for shape in shapes.split()
    for written in [written.format(shape=shape) if "{shape}" in written else written]
}  # fmt: skip


def _for(rest: list[str]) -> str:
    if rest[0] == "each":
        return f"write only: each {rest[1] if len(rest) > 1 else 'sheet'}"
    if "=" in rest:
        count = rest[rest.index("to") + 1] if "to" in rest[:-1] else "10"
        return f"to count, write: {count} times as {rest[0]}"
    return f"to go through values, write: each {rest[0]} in …" if "in" in rest else ""


def value_meant(token: Token) -> str | None:
    """The value that a word of another language means; None for other words."""
    return _VALUES.get(token.text)


def value(token: Token, following: Token) -> str:
    """Advice for a word of another language that means a value."""
    right = _VALUES.get(token.text)
    return f'write "{right}" in place of "{token.text}"' if right and not following.is_sign("(", "=") else ""


def unneeded(word: str) -> str:
    """Advice for a line that asks for what happens on its own; an empty text for others."""
    return _UNNEEDED.get(word, "")


#: What people call a kind of item.
_KINDS = {
    "mail": "message", "email": "message", "e-mail": "message", "letter": "message", "worksheet": "sheet",
    "tab": "sheet", "spreadsheet": "workbook", "directory": "folder", "word": "passage", "hyperlink": "link",
    "line": "paragraph", "para": "paragraph", "image": "picture", "photo": "picture", "entry": "record",
    "note": "comment", "graph": "chart",
}  # fmt: skip


def of_kind(word: str, kinds: Collection[str]) -> str:
    """The kind of item that people call so, as the end of a sentence."""
    meant = _KINDS.get(word, "")
    return f" Write: each {meant}." if meant in kinds else ""


def of_action(word: str, actions: Collection[str]) -> str:
    """What was meant by a word with which longer actions begin: the end of a sentence."""
    longer = [f'"{action}"' for action in actions if action.startswith(f"{word}-")]
    return f" Write one of: {', '.join(longer)}" if longer else ""


def of_item(word: str, item: str, kind: str, fields: Collection[str], assigned: str = "") -> str:
    """What was meant by a word that an item has neither as a field nor as an action: the end of a sentence.

    `item` is how the item is written; `assigned` is the value that the line gives it, if any.
    """
    if (kind, word) == ("cell", "name"):
        return ' A range has a name, and so has a single cell: cells("C4").name = "Night_price"'
    field, fresh = _SENSES.get(word, ("", ""))
    if field in fields:
        if assigned in ("yes", "no") and fresh in ("yes", "no"):
            same = (assigned == "yes") != (word in _OPPOSITES)
            fresh = "yes" if same == (word not in ("unhide", "unlock", "open")) else "no"
        return f" Write: {item}.{field} = {fresh}"
    if kind in ("document", "section") and word.removesuffix("s") in ("header", "footer"):
        return f" Its words are paragraphs: each paragraph where paragraph.place is {word.removesuffix('s')}"
    if word == "rename" and kind == "sheet":
        return f' Write: {item}.name = "…"'
    return ""


def later(word: str, kind: str) -> str:
    """That something cannot be done with an item, as the end of a sentence; for who looked for what does it."""
    return f" {_LATER[word].capitalize()} is not possible in {with_article(kind)} yet" if word in _LATER else ""


def of_name(word: str) -> str:
    """What was meant by a bare word that has no value."""
    letters = word.rstrip("0123456789")
    if letters.isascii() and letters.isalpha() and 0 < len(letters) < 4 and letters != word:
        return f' Write a cell like this: cell("{word.upper()}"), and its value: cell("{word.upper()}").value'
    return _BARE.get(word, "")


_BARE = {
    "even": " Even numbers: number.remainder(2) is 0",
    "odd": " Odd numbers: number.remainder(2) is 1",
    "blank": " Write: is empty",
}  # fmt: skip


_CALLS = {
    "range": 'write a range like this: cells("A1:B2")', "cells": "", "worksheet": 'write: sheet("Totals")',
    "worksheets": 'write: sheet("Totals")', "sheets": 'write: sheet("Totals")', "len": "write: value.length",
    "left": "write: value.starting(3)", "right": "write: value.ending(3)", "trim": "write: value.trimmed",
    "upper": "write: value.upper", "lower": "write: value.lower", "round": "write: value.rounded(2)",
    "input": 'write: name = ask("…")', "inputbox": 'write: name = ask("…")',
    "vlookup": 'write: table.record(item: "…")',
    "lookup": 'write: table.record(item: "…")', "concat": 'join text with braces: "{first} {second}"',
    "date": "write a date as 2026-02-01. The date of a time: value.date", "str": "write: value.as-text",
    "int": "write: value.as-number", "print": 'write: say "…"', "msgbox": 'write: say "…"', "alert": 'write: say "…"',
}  # fmt: skip


def of_call(word: str) -> str:
    """What was meant by a word with brackets that is not known."""
    return _CALLS.get(word, "")
