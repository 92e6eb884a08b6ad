"""Pieces of Python: expressions with how tightly they bind, texts, and lines that are not too long."""

from __future__ import annotations

import re

from scrub.model.core.named import NamedTuple

#: How tightly an expression binds, from a lambda to a name.
LAMBDA, OR, AND, NOT, COMPARISON, SUM, PRODUCT, UNARY, ATOM = range(9)
#: Characters of a line.
WIDTH = 88
_INDENT = "    "


class Code(NamedTuple):
    """An expression, and how tightly it binds."""

    text: str
    strength: int = ATOM
    #: The opposite of a comparison, which binds as tightly.
    opposite: str = ""

    def within(self, strength: int) -> str:
        """Its text where something binds this tightly."""
        return self.text if self.strength >= strength else f"({self.text})"


def compared(one: str, sign: str, other: str) -> Code:
    """A comparison."""
    return Code(f"{one} {sign} {other}", COMPARISON, f"{one} {_OPPOSITE[sign]} {other}")


_OPPOSITE = {
    "<": ">=", ">": "<=", "<=": ">", ">=": "<", "==": "!=", "!=": "==", "is": "is not", "is not": "is", "in": "not in",
    "not in": "in",
}  # fmt: skip


def called(function: str, *arguments: str) -> Code:
    """A call."""
    return Code(f"{function}({', '.join(arguments)})")


def quoted(text: str, mark: str = '"') -> str:
    """A text as Python writes it, between double quotes."""
    return mark + escaped(text, mark) + mark


def written(text: str) -> str:
    """A text as Python writes it; one with backslashes as a raw text where that is possible."""
    raw = "\\" in text and '"' not in text and text.isprintable() and not text.endswith("\\")
    return f'r"{text}"' if raw else quoted(text)


def escaped(text: str, mark: str) -> str:
    """The characters of a text between such quotes."""
    result = text.replace("\\", "\\\\").replace(mark, f"\\{mark}")
    result = result.replace("\n", "\\n").replace("\r", "\\r").replace("\t", "\\t")
    return "".join(each if each.isprintable() else each.encode("unicode_escape").decode() for each in result)


_TOKEN = re.compile(
    r"""(?P<text>[rRbBfF]{0,2}(?:"(?:\\.|[^"\\])*"|'(?:\\.|[^'\\])*'))|(?P<open>[(\[{])|(?P<close>[)\]}])|(?P<other>.)""",
    re.DOTALL,
)


def _tokens(line: str) -> list[tuple[str, str]]:
    """The texts, brackets and other characters of a line."""
    return [(match.lastgroup or "", match[0]) for match in _TOKEN.finditer(line)]


def laid_out(line: str, depth: int) -> list[str]:
    """A statement in lines that are not too long, at a depth of blocks."""
    start = _INDENT * depth
    if len(start) + len(line) <= WIDTH:
        return [start + line]
    for split in (_statement, _last_bracket):
        found = split(line, depth)
        if found is not None:
            return found
    return [start + line]


def _last_bracket(line: str, depth: int) -> list[str] | None:
    """The line with what is in its last bracket below it, one argument a line where that is needed."""
    tokens = _tokens(line)
    level, begin, pairs = 0, 0, []
    for place, (sort, _) in enumerate(tokens):
        if sort == "open":
            if not level:
                begin = place
            level += 1
        elif sort == "close":
            level -= 1
            if not level and place > begin + 1:
                pairs.append((begin, place))
    for begin, end in reversed(pairs):
        head = "".join(text for _, text in tokens[: begin + 1])
        inner = tokens[begin + 1 : end]
        tail = "".join(text for _, text in tokens[end:])
        if len(_INDENT * depth) + max(len(head), len(tail)) > WIDTH:
            continue
        body = "".join(text for _, text in inner)
        if len(_INDENT * (depth + 1)) + len(body) <= WIDTH:
            return [_INDENT * depth + head, _INDENT * (depth + 1) + body, _INDENT * depth + tail]
        return [_INDENT * depth + head, *_parts(inner, depth + 1), _INDENT * depth + tail]
    return None


def _parts(tokens: list[tuple[str, str]], depth: int) -> list[str]:
    """What is in brackets, a part a line: parts are between commas, or before `and` and `or`."""
    parts = _split(tokens, ",")
    if len(parts) > 1:
        return [line for part in parts if part for line in _with_comma(part, depth)]
    only = parts[0] if parts else ""
    every = _comprehension(tokens)
    for word in (" if ", " and ", " or ", " + "):
        pieces = _split(tokens, word)
        if len(every) < 2 and len(pieces) > 1:
            every = [pieces[0], *(f"{word.strip()} {piece}" for piece in pieces[1:])]
    if len(every) > 1:
        return [line for piece in every for line in laid_out(piece, depth)]
    return _long_text(only, depth) or laid_out(only, depth)


def _comprehension(tokens: list[tuple[str, str]]) -> list[str]:
    """The value, the loop and the condition of a comprehension; one piece for anything else."""
    value, *loops = _split(tokens, " for ")
    found = [value]
    for loop in loops:
        source, *conditions = _split(_tokens(loop), " if ")
        found += [f"for {source}", *(f"if {condition}" for condition in conditions)]
    return found


def _with_comma(part: str, depth: int) -> list[str]:
    if len(_INDENT * depth) + len(part) + 1 > WIDTH:
        lines = _long_text(part, depth) or laid_out(part, depth)
        return [*lines[:-1], f"{lines[-1]},"]
    return [f"{_INDENT * depth}{part},"]


def _split(tokens: list[tuple[str, str]], mark: str) -> list[str]:
    """The parts between marks that are in no inner brackets."""
    parts, level, text = [], 0, ""
    for sort, piece in tokens:
        level += (sort == "open") - (sort == "close")
        text += piece
        if not level and sort == "other" and text.endswith(mark):
            parts.append(text[: -len(mark)].strip())
            text = ""
    return [*parts, text.strip()]


_TEXT = re.compile(r"""([fr]?)(["'])((?:\\.|(?!\2)[^\\])*)\2""", re.DOTALL)


def _long_text(part: str, depth: int) -> list[str] | None:
    """One long text as several that Python joins; None for anything else."""
    named = re.match(r"\w+=(?=[fr]?[\"'])", part)
    if named is not None and len(_INDENT * depth) + len(part) > WIDTH:
        lines = _long_text(part[named.end() :] + " " * 80, depth + 1)
        return None if lines is None else [f"{_INDENT * depth}{named[0]}(", *lines, f"{_INDENT * depth})"]
    match = _TEXT.fullmatch(part.rstrip())
    if match is None or len(_INDENT * depth) + len(part) <= WIDTH:
        return None
    sort, mark, inner = match[1], match[2], match[3]
    pieces, text, room = [], "", WIDTH - len(_INDENT * depth) - 4
    for word in re.findall(r"(?:\{\{|\}\}|\\.|[^ {}\\])+ ?|\{[^{}]*\} ?|.", inner, re.DOTALL):
        if text and len(text) + len(word) > room:
            pieces.append(text)
            text = ""
        text += word
    pieces.append(text)
    return [f"{_INDENT * depth}{_prefix(sort, piece)}{mark}{piece}{mark}" for piece in pieces if piece]


def _prefix(sort: str, piece: str) -> str:
    """The letter before a piece of a text: one without holes needs none, unless its braces are doubled."""
    return "" if sort == "f" and "{" not in piece and "}" not in piece else sort


def _statement(line: str, depth: int) -> list[str] | None:
    """A condition or a value that is wrapped in brackets of its own."""
    head = re.match(r"(if |elif |while |return |[\w.]+(?:\[[^]]*\])?(?:: \w+)? \+?= )(.*?)(:?)$", line)
    if head is None:
        return None
    body = head[2]
    colon = head[3] if head[1] in ("if ", "elif ", "while ") else ""
    body = body if colon or not head[3] else body + head[3]
    tokens = _tokens(body)
    operators = [word for word in (" and ", " or ", " + ") if len(_split(tokens, word)) > 1]
    if not operators and _TEXT.fullmatch(body) is None:
        return None
    lines = _parts(tokens, depth + 1)
    return [f"{_INDENT * depth}{head[1]}(", *lines, f"{_INDENT * depth}){colon}"]
