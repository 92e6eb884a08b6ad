"""The server: what an editor asks, and what it is told."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

from lsprotocol import types
from pygls.exceptions import JsonRpcInvalidParams
from pygls.lsp.server import LanguageServer

import scrub
from scrub.editor import answers
from scrub.editor.documents import OpenDocument, Titles, path_of

T = TypeVar("T")

PREVIEW, CHOOSE = "scrub.preview", "scrub.chooseExample"


class MacroServer(LanguageServer):
    """A server with the texts that are open."""

    def __init__(self) -> None:
        super().__init__("scrub", scrub.__version__, text_document_sync_kind=types.TextDocumentSyncKind.Incremental)
        self.home = scrub.home()
        self.titles = Titles(self.home)
        self.documents: dict[str, OpenDocument] = {}

    def document(self, uri: str) -> OpenDocument:
        """An open text, as it is now."""
        text = self.workspace.get_text_document(uri).source
        found = self.documents.get(uri)
        if found is None:
            found = self.documents[uri] = OpenDocument(self.home, uri, text, self.titles)
        else:
            found.edit(text)
        return found

    def here(self, params: Any) -> tuple[OpenDocument, int, int]:
        """The text of a request, and its place in characters."""
        uri = params.text_document.uri
        document = self.document(uri)
        lines = [f"{line}\n" for line in document.edited.lines]
        place = self.workspace.position_codec.position_from_client_units(lines, params.position)
        return document, place.line, place.character

    def to_client(self, document: OpenDocument, value: Any) -> Any:
        """Whatever has places, in the units of the client: they differ behind letters beyond the 16-bit plane."""
        lines = [f"{line}\n" for line in document.edited.lines]
        if all(line.isascii() for line in lines):
            return value
        return _turned(value, lambda place: self.workspace.position_codec.position_to_client_units(lines, place))

    def marked(self, value: Any, formats: Any) -> Any:
        """An answer with its help as plain text for a client that prefers it (LSP 3.17, MarkupContent)."""
        first = formats[0] if formats else types.MarkupKind.PlainText
        return value if first == types.MarkupKind.Markdown else _turned(value, _plain_markup, types.MarkupContent)

    def publish(self, uri: str) -> None:
        """Tells what is wrong with a text."""
        document = self.document(uri)
        version = self.workspace.get_text_document(uri).version
        found = self.to_client(document, answers.diagnostics(document))
        self.text_document_publish_diagnostics(types.PublishDiagnosticsParams(uri, found, version))


def _turned(value: Any, turn: Callable[[Any], Any], sort: type = types.Position) -> Any:
    """A value of the protocol in which all that is of a sort is another."""
    if isinstance(value, sort):
        return turn(value)
    if isinstance(value, list):
        return [_turned(each, turn, sort) for each in value]
    if isinstance(value, dict):
        return {key: _turned(each, turn, sort) for key, each in value.items()}
    if hasattr(value, "__attrs_attrs__"):
        for field in value.__attrs_attrs__:
            inner = getattr(value, field.name)
            if isinstance(inner, list | dict) or hasattr(inner, "__attrs_attrs__"):
                setattr(value, field.name, _turned(inner, turn, sort))
    return value


def _plain_markup(markup: types.MarkupContent) -> types.MarkupContent:
    """Help without the marks of Markdown."""
    text = re.sub(r"```\w*\n(.*?)\n```", lambda found: f"    {found[1]}", markup.value, flags=re.DOTALL)
    return types.MarkupContent(types.MarkupKind.PlainText, text.replace("**", "").replace("`", ""))


def _formats(on: MacroServer, *names: str) -> Any:
    """The forms of help that the client says it takes, the one it prefers first."""
    found: Any = on.client_capabilities.text_document
    for name in names:
        found = getattr(found, name, None)
    return found


def server() -> MacroServer:
    """A server that knows what to answer."""
    made = MacroServer()
    for feature, options, answer in _features():
        made.feature(feature, options)(_bound(made, answer))
    made.command(PREVIEW)(_bound(made, _preview))
    made.command(CHOOSE)(_bound(made, _choose))
    return made


def _bound(on: MacroServer, answer: Callable[..., Any]) -> Callable[..., Any]:
    """An answer as a function of its request; what a person must know is told as an error of the request."""

    def handle(*params: Any) -> Any:
        try:
            return answer(on, *params)
        except scrub.ScrubError as problem:
            raise JsonRpcInvalidParams(str(problem)) from None

    return handle


def _features() -> Iterator[tuple[str, Any, Callable[..., Any]]]:
    yield types.TEXT_DOCUMENT_DID_OPEN, None, _open
    yield types.TEXT_DOCUMENT_DID_CHANGE, None, lambda on, params: on.publish(params.text_document.uri)
    yield types.TEXT_DOCUMENT_DID_SAVE, None, lambda on, params: on.publish(params.text_document.uri)
    yield types.TEXT_DOCUMENT_DID_CLOSE, None, _close
    offered = types.CompletionOptions(trigger_characters=[".", '"', "(", " ", "{", ":"])
    item = ("completion", "completion_item", "documentation_format")
    yield types.TEXT_DOCUMENT_COMPLETION, offered, _placed(answers.completion, item)
    helped = types.SignatureHelpOptions(trigger_characters=["(", ",", " ", ":"])
    called = ("signature_help", "signature_information", "documentation_format")
    yield types.TEXT_DOCUMENT_SIGNATURE_HELP, helped, _placed(answers.signature, called)
    yield types.TEXT_DOCUMENT_HOVER, None, _placed(answers.hover, ("hover", "content_format"))
    yield types.TEXT_DOCUMENT_DEFINITION, None, _definition
    yield types.TEXT_DOCUMENT_REFERENCES, None, _placed(answers.references)
    yield types.TEXT_DOCUMENT_DOCUMENT_HIGHLIGHT, None, _placed(answers.highlights)
    yield types.TEXT_DOCUMENT_PREPARE_RENAME, None, _placed(answers.rename_range)
    yield types.TEXT_DOCUMENT_RENAME, types.RenameOptions(prepare_provider=True), _rename
    yield types.TEXT_DOCUMENT_DOCUMENT_SYMBOL, None, _whole(answers.symbols)
    yield types.TEXT_DOCUMENT_FOLDING_RANGE, None, _whole(answers.folds)
    yield types.TEXT_DOCUMENT_FORMATTING, None, _format
    fixes = types.CodeActionOptions([types.CodeActionKind.QuickFix])
    yield types.TEXT_DOCUMENT_CODE_ACTION, fixes, _fixes
    legend = types.SemanticTokensLegend(list(answers.TOKENS), [])
    yield types.TEXT_DOCUMENT_SEMANTIC_TOKENS_FULL, legend, _tokens
    yield types.TEXT_DOCUMENT_SEMANTIC_TOKENS_RANGE, legend, _tokens
    yield types.TEXT_DOCUMENT_INLAY_HINT, None, _hints
    yield types.TEXT_DOCUMENT_CODE_LENS, None, _lenses


def _placed(answer: Callable[[OpenDocument, int, int], T], help_: tuple[str, ...] = ()) -> Callable[..., T]:
    """An answer about a place; `help_` is where the client says in which form it takes help."""

    def handle(on: MacroServer, params: Any) -> T:
        document, line, character = on.here(params)
        result: T = on.to_client(document, answer(document, line, character))
        if help_:
            result = on.marked(result, _formats(on, *help_))
        return result

    return handle


def _whole(answer: Callable[[OpenDocument], T]) -> Callable[..., T]:
    """An answer about a whole text."""

    def handle(on: MacroServer, params: Any) -> T:
        document = on.document(params.text_document.uri)
        result: T = on.to_client(document, answer(document))
        return result

    return handle


def _open(on: MacroServer, params: types.DidOpenTextDocumentParams) -> None:
    """Tells what is wrong, and reads the sample file, so that the first completion need not."""
    on.publish(params.text_document.uri)
    on.document(params.text_document.uri).known()


def _close(on: MacroServer, params: types.DidCloseTextDocumentParams) -> None:
    on.documents.pop(params.text_document.uri, None)
    empty: list[types.Diagnostic] = []
    on.text_document_publish_diagnostics(types.PublishDiagnosticsParams(params.text_document.uri, empty))


def _definition(on: MacroServer, params: types.DefinitionParams) -> types.Location | None:
    """Where a name gets its first value, or the macro that is run."""
    document, line, character = on.here(params)
    found = document.reading.at(line + 1, character + 1)
    if found is not None and found.sort == "macro":
        path = on.titles.path(found.word)
        return types.Location(Path(path).as_uri(), answers.span(1, 1, 0)) if path else None
    defined = document.reading.definition(line + 1, character + 1)
    if defined is None:
        return None
    place: types.Location = on.to_client(document, types.Location(document.uri, answers.of(defined)))
    return place


def _rename(on: MacroServer, params: types.RenameParams) -> types.WorkspaceEdit:
    document, line, character = on.here(params)
    edit: types.WorkspaceEdit = on.to_client(document, answers.rename(document, line, character, params.new_name))
    return edit


def _format(on: MacroServer, params: types.DocumentFormattingParams) -> list[types.TextEdit]:
    uri = params.text_document.uri
    document = on.document(uri)
    edits: list[types.TextEdit] = on.to_client(
        document, answers.layout(document, on.workspace.get_text_document(uri).source.replace("\r\n", "\n"))
    )
    return edits


def _fixes(on: MacroServer, params: types.CodeActionParams) -> list[types.CodeAction]:
    document = on.document(params.text_document.uri)
    found: list[types.CodeAction] = on.to_client(document, list(answers.fixes(document, params.range)))
    return found


def _tokens(on: MacroServer, params: Any) -> types.SemanticTokens:
    """The words to colour, each by how far it is from the one before (LSP 3.17, Semantic Tokens)."""
    document = on.document(params.text_document.uri)
    range_ = getattr(params, "range", None)
    first, last = (range_.start.line, range_.end.line) if range_ is not None else (0, len(document.edited.lines) - 1)
    data: list[int] = []
    line = column = 0
    mentions = answers.tokens(document, first, last)
    places: list[types.Range] = on.to_client(document, list(map(answers.of, mentions)))
    for mention, where in zip(mentions, places, strict=True):
        at, begin = where.start.line, where.start.character
        data += [at - line, begin - column if at == line else begin, where.end.character - begin]
        data += [answers.token_type(mention), 0]
        line, column = at, begin
    return types.SemanticTokens(data)


def _hints(on: MacroServer, params: types.InlayHintParams) -> list[types.InlayHint]:
    document = on.document(params.text_document.uri)
    found = answers.hints(document, params.range.start.line, params.range.end.line)
    result: list[types.InlayHint] = on.to_client(document, found)
    return result


def _lenses(on: MacroServer, params: types.CodeLensParams) -> list[types.CodeLens]:
    """Above the title: a preview on the sample file."""
    document = on.document(params.text_document.uri)
    example = document.example
    if not example or document.edited.problems():
        return []
    title = f"Preview on {os.path.basename(example)}"
    return [
        types.CodeLens(answers.span(1, 1, 0), types.Command(title=title, command=PREVIEW, arguments=[document.uri]))
    ]


# -- commands


def _preview(on: MacroServer, uri: str) -> dict[str, object]:
    """Shows what the macro would change in its sample file; nothing is saved. Raises `BadCall` without one."""
    document = on.document(uri)
    if not document.example:
        raise scrub.BadCall("no sample file. Write below the title: example season-book.xlsx")
    result = scrub.run(document.edited.text, [document.example], preview=True)
    file = result.files[0]
    told = [str(change) for change in file.changes[:_SHOWN]]
    more = len(file.changes) - len(told)
    lines = [f"Preview: {scrub.counted(len(file.changes), 'change')} in {os.path.basename(document.example)}", *told]
    lines += [f"… and {more:,} more"] if more > 0 else []
    lines += [str(file.problem)] if file.problem is not None else []
    sort = types.MessageType.Error if file.problem is not None else types.MessageType.Info
    on.window_show_message(types.ShowMessageParams(sort, "\n".join([*lines, *file.said])))
    return file.as_dict()


#: Changes that a message shows.
_SHOWN = 8


def _choose(on: MacroServer, uri: str, path: str) -> None:
    """Makes a file the sample file of a text, until that is closed."""
    document = on.document(uri)
    document.chosen = path_of(path) or path
    if not document.example:
        document.chosen = None
        raise scrub.BadCall(f'no file "{path}"')


def start() -> None:
    """Serves an editor over standard input and output until it says goodbye."""
    server().start_io()
