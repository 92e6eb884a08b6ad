"""The standard layout of a macro: comments and blank lines stay, the meaning too."""

from __future__ import annotations

from scrub.language import characters as ch
from scrub.language.lexer import NUMBER, TEXT, WORD, Token
from scrub.language.parser import parse
from scrub.language.tree import Block, Expression, Extent, Macro, Node, Place, children
from scrub.language.walk import blocks
from scrub.language.words import FREE, HEADER, KEYWORDS, VALUES
from scrub.model.core.problem import MacroProblems

_INDENT = "    "


def tidy(text: str, name: str) -> str:
    """The macro in the standard layout. Raises `MacroProblems` for a text that cannot be read."""
    macro, problems = parse(text, name)
    if problems:
        for problem in problems:
            problem.name = name
            problem.source = macro.lines[problem.line - 1] if problem.line <= len(macro.lines) else ""
        raise MacroProblems(problems)
    head = _without_idle_blanks([_header_line(line) for line in macro.lines[: macro.body_at]])
    body = _without_idle_blanks(_body(macro))
    result = "\n".join([*head, *([""] if body else []), *body]) + "\n"
    assert meaning(parse(result, name)[0]) == meaning(macro), "reformatting changed the meaning"
    return result


def meaning(macro: Macro) -> object:
    """What a macro says, without where it says it."""
    head = (macro.title, macro.about, macro.runs_on, macro.for_all, macro.group, macro.into, macro.example)
    return (*head, [_plain(node) for node in macro.body])


def _plain(value: object) -> object:
    if isinstance(value, Place):
        return None
    if isinstance(value, Node):
        return (type(value).__name__, *(_plain(getattr(value, name, None)) for name in type(value)._names))
    if isinstance(value, list | tuple):
        return [_plain(each) for each in value]
    return str(value)


def _header_line(line: str) -> str:
    text = ch.plain(line)
    word, _, rest = text.partition(" ")
    return f"{word.lower():<5} {rest}" if word.lower() in HEADER else text


def _without_idle_blanks(lines: list[str]) -> list[str]:
    """No blank line at an end, and never two in a row."""
    result: list[str] = []
    for line in lines:
        if line or (result and result[-1]):
            result.append(line)
    while result and not result[-1]:
        result.pop()
    return result


def _body(macro: Macro) -> list[str]:
    """The lines of the body: how deep each is follows from the tree."""
    depths = _Depths(macro).of
    result = []
    for number, (tokens, comment) in sorted(macro.read.items()):
        text = _spaced(tokens) + (f"  {comment}" if tokens and comment else comment)
        result.append(_INDENT * depths.get(number, 0) + text if text else "")
    return result


class _Depths:
    """How deep each line of a body is: blocks by one, a statement that goes on by two more."""

    def __init__(self, macro: Macro) -> None:
        self.of: dict[int, int] = {}
        self._read = macro.read
        self._block(macro.body, 0)

    def _block(self, body: Block, depth: int) -> None:
        for node in body:
            extent = node.extent
            for line in range(extent.line, extent.end_line + 1):
                # An `else` or `end` of this very statement is with it; a comment with what is inside.
                self.of[line] = depth + (not self._read[line].tokens)
            inner = list(blocks(node))
            if not inner:
                self._goes_on(extent, depth)
                continue
            for child in children(node):
                if isinstance(child, Expression):
                    self._goes_on(child.extent, depth)
            for block in inner:
                self._block(block, depth + 1)

    def _goes_on(self, extent: Extent, depth: int) -> None:
        """A statement, or the head of a block, that goes on in further lines."""
        for line in range(extent.line + 1, extent.end_line + 1):
            self.of[line] = depth + 2


def _spaced(tokens: list[Token]) -> str:
    """The tokens of a line with the standard space between them."""
    parts: list[str] = []
    for index, token in enumerate(tokens):
        if index and _space(tokens, index):
            parts.append(" ")
        parts.append(_straight(token) if token.type == TEXT else token.text)
    return "".join(parts)


def _space(tokens: list[Token], index: int) -> bool:
    before, token = tokens[index - 1], tokens[index]
    if token.is_sign(",", ")", "]", ".", ":") or before.is_sign("(", "[", "."):
        return False
    if token.is_sign("("):
        return before.type != WORD or before.text in KEYWORDS - {"run"} - FREE  # free words may be names of pairs
    if before.is_sign("-"):
        return not _is_sign_of_number(tokens, index - 1)
    return True


def _is_sign_of_number(tokens: list[Token], index: int) -> bool:
    """Whether a minus is before a value rather than between two."""
    if index == 0:
        return True
    before = tokens[index - 1]
    if before.type == WORD:
        return before.text in KEYWORDS - VALUES
    return not (before.type in (NUMBER, TEXT, "date") or before.is_sign(")", "]"))


def _straight(token: Token) -> str:
    """A text between straight quotes, where that leaves its characters as they are."""
    raw = token.text
    if raw[0] == '"' or '"' in raw:
        return raw
    inner = raw[1:-1]
    if any(mark in inner for mark in ch.CURLY_QUOTES):
        return raw
    return f'"{inner}"'
