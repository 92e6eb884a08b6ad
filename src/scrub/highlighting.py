"""A lexer of macros for Pygments, found by its entry point: for documentation, web pages and terminals."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pygments.lexer import Lexer
from pygments.token import Comment, Keyword, Name, Number, String, Text

from scrub.assembled import formats, vocabulary
from scrub.language.highlight import pieces

_TOKENS: dict[str, Any] = {
    "header": Keyword.Declaration, "keyword": Keyword, "kind": Name.Class, "function": Name.Function,
    "attribute": Name.Attribute, "argument": Name.Label, "word": Name, "number": Number, "text": String,
    "comment": Comment.Single, "": Text,
}  # fmt: skip


class MacroLexer(Lexer):
    """Macros, whole or a few lines of them."""

    name = "Scrub macro"
    aliases = ("scrub",)
    filenames = ("*.scrub",)

    def get_tokens_unprocessed(self, text: str) -> Iterator[tuple[int, Any, str]]:
        """The pieces of a text with where each begins."""
        at = 0
        for sort, piece in pieces(text, vocabulary(formats()).kinds):
            if piece:
                yield at, _TOKENS[sort], piece
            at += len(piece)
