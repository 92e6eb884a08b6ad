"""What the server answers: what is known of a text, in the terms of the Language Server Protocol 3.17.

Places here count from 0, as the protocol does, in characters; the server turns them into the units of its client.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from lsprotocol import types

import scrub
from scrub.editor.documents import OpenDocument
from scrub.language.complete import Fit, at_edited, call_at
from scrub.language.meant import cannot_be_name
from scrub.language.reading import Mention, Symbol
from scrub.model.core.problem import Problem

_KIND = types.CompletionItemKind
_COMPLETION = {
    "action": _KIND.Method, "argument": _KIND.Property, "choice": _KIND.EnumMember, "field": _KIND.Field,
    "file": _KIND.File, "function": _KIND.Function, "header": _KIND.Keyword, "heading": _KIND.Field,
    "item": _KIND.Variable, "kind": _KIND.Class, "macro": _KIND.Module, "name": _KIND.Variable,
    "operation": _KIND.Method, "part": _KIND.Method, "text": _KIND.Value, "unit": _KIND.Unit, "word": _KIND.Keyword,
}  # fmt: skip
#: The sorts of words that an editor colours, by what the protocol calls them.
TOKENS = (
    "keyword", "class", "variable", "parameter", "property", "method", "function", "enumMember", "number", "string",
    "comment", "namespace",
)  # fmt: skip
_TOKEN = {
    "keyword": "keyword", "header": "keyword", "kind": "class", "name": "variable", "item": "parameter",
    "field": "property", "heading": "property", "argument": "property", "action": "method", "operation": "method",
    "part": "method", "function": "function", "choice": "enumMember", "number": "number", "date": "number",
    "unit": "number", "text": "string", "comment": "comment", "macro": "namespace",
}  # fmt: skip


def span(line: int, column: int, length: int) -> types.Range:
    """A range in one line, of places that count from 1."""
    start = types.Position(line - 1, column - 1)
    return types.Range(start, types.Position(line - 1, column - 1 + length))


def of(mention: Mention) -> types.Range:
    """The range of a word."""
    return span(mention.line, mention.column, mention.length)


# -- problems


def diagnostics(document: OpenDocument) -> list[types.Diagnostic]:
    """What is wrong."""
    return list(map(_diagnostic, document.edited.problems()))


def _diagnostic(problem: Problem) -> types.Diagnostic:
    where = span(problem.line, problem.column, problem.length)
    return types.Diagnostic(where, problem.message, types.DiagnosticSeverity.Error, problem.code, source="scrub")


def fixes(document: OpenDocument, chosen: types.Range) -> Iterator[types.CodeAction]:
    """What mends the problems in a range, each as one edit."""
    for problem in document.edited.problems():
        where = span(problem.line, problem.column, problem.length)
        if not chosen.start.line <= where.start.line <= chosen.end.line:
            continue
        for title, place, text in _edits(document, problem, where):
            edit = types.WorkspaceEdit({document.uri: [types.TextEdit(place, text)]})
            yield types.CodeAction(
                title, types.CodeActionKind.QuickFix, [_diagnostic(problem)], is_preferred=True, edit=edit
            )


_WRITE = re.compile(r"[Ww]rite: ([\w.()\"-]+ = [^…]+)$")


def _edits(document: OpenDocument, problem: Problem, where: types.Range) -> Iterator[tuple[str, types.Range, str]]:
    if problem.replacement is not None:
        title = f"Write {problem.replacement}" if problem.replacement else f"Delete {_text(document, where)}"
        yield title, where, problem.replacement
        return
    line = document.edited.lines[problem.line - 1] if problem.line <= len(document.edited.lines) else ""
    written = _WRITE.search(problem.message)
    if written is not None and re.match(r"\s*[\w.()\"-]+ = ", line):
        start = len(line) - len(line.lstrip())
        place = span(problem.line, start + 1, len(line.rstrip()) - start)
        yield f"Write {written[1]}", place, written[1]
    if problem.code == "open-block":
        end = len(document.edited.lines)
        gap = "" if document.edited.lines[-1:] == [""] else "\n"
        place = span(end, len(document.edited.lines[-1]) + 1, 0)
        yield "Add end", place, f"{gap}end\n"


def _text(document: OpenDocument, where: types.Range) -> str:
    line = document.edited.lines[where.start.line]
    return line[where.start.character : where.end.character]


# -- completion


def completion(document: OpenDocument, line: int, character: int) -> list[types.CompletionItem]:
    """The words that could be at a place, with help."""
    found = at_edited(document.edited, line + 1, character + 1, document.known())
    return [_item(fit, line, place, character) for place, fit in enumerate(found)]


def _item(fit: Fit, line: int, place: int, character: int) -> types.CompletionItem:
    start = types.Position(line, fit.column - 1)
    text = fit.word
    if fit.sort == "heading" and not re.fullmatch(r"[\w-]+|\".*\"", text):
        text = f'"{text}"'
    return types.CompletionItem(
        fit.word,
        kind=_COMPLETION.get(fit.sort, _KIND.Text),
        detail=_detail(fit),
        documentation=_markdown(fit.help, fit.example),
        sort_text=f"{place:05}",
        filter_text=text,
        text_edit=types.TextEdit(types.Range(start, types.Position(line, character)), text),
    )


def _detail(fit: Fit) -> str | None:
    """A line beside the word: its arguments, type and owner."""
    said = ", ".join(fit.arguments)
    of_ = f"of {fit.owner}" if fit.owner else ""
    type_ = fit.type if fit.type not in ("", "nothing") else ""
    return " · ".join(part for part in (said, type_, of_) if part) or None


def _markdown(help_: str, example: str = "") -> types.MarkupContent | None:
    text = help_ + (f"\n\n```scrub\n{example}\n```" if example else "")
    return types.MarkupContent(types.MarkupKind.Markdown, text) if text else None


def signature(document: OpenDocument, line: int, character: int) -> types.SignatureHelp | None:
    """The arguments of what is being written."""
    found = call_at(document.edited, line + 1, character + 1)
    if found is None:
        return None
    callee, active = found
    words = [
        f"{each.word}: {each.type}" if each.required else f"[{each.word}: {each.type}]" for each in callee.parameters
    ]
    parameters = [
        types.ParameterInformation(word, _markdown(each.doc))
        for word, each in zip(words, callee.parameters, strict=True)
    ]
    label = f"{callee.word} {', '.join(words)}"
    help_ = _markdown(callee.docs.summary, callee.docs.example)
    return types.SignatureHelp([types.SignatureInformation(label, help_, parameters, active)], 0, active)


# -- what is there


def hover(document: OpenDocument, line: int, character: int) -> types.Hover | None:
    """What the word at a place means."""
    found = document.reading.at(line + 1, character + 1)
    if found is None or found.sort in ("number", "date", "comment", "keyword", "word"):
        return None
    head = f"**{found.word}** · {found.sort}" + (f" of {found.owner}" if found.owner else "")
    parts = [head + (f" · {found.type}" if found.type and found.type != "nothing" else "")]
    parts += [found.help] if found.help else []
    parts += [f"- `{word}`: {type_}. {help_}" for word, type_, help_ in found.arguments]
    parts += [f"One of: {', '.join(found.choices)}"] if found.choices else []
    parts += [f"```scrub\n{found.example}\n```"] if found.example else []
    if len(parts) == 1 and found.sort == "text":
        return None
    return types.Hover(types.MarkupContent(types.MarkupKind.Markdown, "\n\n".join(parts)), of(found))


def references(document: OpenDocument, line: int, character: int) -> list[types.Location]:
    """Every place of the name or item at a place."""
    found = document.reading.references(line + 1, character + 1)
    return [types.Location(document.uri, of(each)) for each in found]


def highlights(document: OpenDocument, line: int, character: int) -> list[types.DocumentHighlight]:
    """The same, for the text that is shown."""
    return [
        types.DocumentHighlight(of(each), types.DocumentHighlightKind.Write if each.defines else None)
        for each in document.reading.references(line + 1, character + 1)
    ]


def rename_range(document: OpenDocument, line: int, character: int) -> types.Range | None:
    """What is renamed at a place; None for what has no name of its own."""
    found = document.reading.at(line + 1, character + 1)
    if found is None or not document.reading.references(line + 1, character + 1) or _is_kind(document, found):
        return None
    return of(found)


def _is_kind(document: OpenDocument, mention: Mention) -> bool:
    """Whether an item goes by the word of its kind, which is not a name that a person gave."""
    return mention.key[:1] == ("item",) and mention.word in (*document.edited.vocabulary.kinds, "file", "selection")


def rename(document: OpenDocument, line: int, character: int, word: str) -> types.WorkspaceEdit:
    """Gives a name or an item another word. Raises `BadCall` for a word that cannot be one."""
    found = document.reading.at(line + 1, character + 1)
    if found is None or rename_range(document, line, character) is None:
        raise scrub.BadCall("only names and items that a macro has named can be renamed")
    fresh = word.strip().lower()
    if not re.fullmatch(r"[^\W\d][\w]*(?:-\w+)*", fresh):
        raise scrub.BadCall(f'"{word}" is not a name. Use letters, digits and hyphens: late-ones')
    wrong = cannot_be_name(fresh, document.edited.vocabulary)
    if wrong:
        raise scrub.BadCall(wrong)
    taken = {each.word for each in document.reading.mentions() if each.key} - {found.word}
    if fresh in taken:
        raise scrub.BadCall(f'"{fresh}" is a name in this macro already. Choose another')
    every = document.reading.references(line + 1, character + 1)
    return types.WorkspaceEdit({document.uri: [types.TextEdit(of(each), fresh) for each in every]})


def symbols(document: OpenDocument) -> list[types.DocumentSymbol]:
    """The blocks and questions."""
    document.edited.problems()
    return [_symbol(document, each) for each in document.reading.symbols()]


def _symbol(document: OpenDocument, symbol: Symbol) -> types.DocumentSymbol:
    lines = document.edited.lines
    end = types.Position(symbol.end_line - 1, len(lines[symbol.end_line - 1]))
    first = span(symbol.line, symbol.column, len(lines[symbol.line - 1]) - symbol.column + 1)
    kind = types.SymbolKind.Variable if symbol.sort == "question" else types.SymbolKind.Namespace
    children = [_symbol(document, each) for each in symbol.children]
    return types.DocumentSymbol(symbol.name, kind, types.Range(first.start, end), first, children=children)


def folds(document: OpenDocument) -> list[types.FoldingRange]:
    """What can be folded: blocks."""
    found: list[types.FoldingRange] = []
    waiting = list(document.reading.symbols())
    while waiting:
        symbol = waiting.pop()
        waiting += symbol.children
        if symbol.end_line > symbol.line:
            found.append(types.FoldingRange(symbol.line - 1, symbol.end_line - 1))
    return sorted(found, key=lambda each: each.start_line)


def tokens(document: OpenDocument, first: int, last: int) -> list[Mention]:
    """The words that an editor colours, in order, without those that lie inside others."""
    found = document.reading.mentions(first + 1, last + 1)
    return sorted(_apart(found), key=lambda each: (each.line, each.column))


def _apart(mentions: list[Mention]) -> Iterator[Mention]:
    """Texts in the pieces between their holes, since no two words may overlap."""
    for mention in mentions:
        if mention.sort != "text":
            if mention.sort in _TOKEN:
                yield mention
            continue
        end = mention.column + mention.length
        inside = [
            each for each in mentions
            if each.line == mention.line and mention.column < each.column < end and each is not mention
        ]  # fmt: skip
        at = mention.column
        for each in sorted(inside, key=lambda each: each.column):
            if each.column > at:
                yield mention._replace(column=at, length=each.column - at)
            at = max(at, each.column + each.length)
        if end > at:
            yield mention._replace(column=at, length=end - at)


def token_type(mention: Mention) -> int:
    """The number of the sort of a word among `TOKENS`."""
    return TOKENS.index(_TOKEN[mention.sort])


def hints(document: OpenDocument, first: int, last: int) -> list[types.InlayHint]:
    """The types of names, where they are first set."""
    seen: set[tuple[str, ...]] = set()
    found: list[types.InlayHint] = []
    for mention in document.reading.mentions():
        if not mention.defines or mention.key[:1] != ("name",) or mention.key in seen:
            continue
        seen.add(mention.key)
        if first <= mention.line - 1 <= last and mention.type not in ("", "anything"):
            place = types.Position(mention.line - 1, mention.column - 1 + mention.length)
            type_ = mention.type.removeprefix("an ").removeprefix("a ")
            found.append(types.InlayHint(place, f": {type_}", types.InlayHintKind.Type))
    return found


def layout(document: OpenDocument, text: str) -> list[types.TextEdit]:
    """The text in the standard layout; no edits for one that cannot be read."""
    try:
        tidy = scrub.tidy(text)
    except scrub.MacroProblems:
        return []
    if tidy == text:
        return []
    lines = text.split("\n")
    whole = types.Range(types.Position(0, 0), types.Position(len(lines) - 1, len(lines[-1])))
    return [types.TextEdit(whole, tidy)]
