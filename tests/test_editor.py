"""Macros in an editor: what is where, what could follow, and the language server with real clients."""

from __future__ import annotations

import asyncio
import json
import os
import random
import shutil
import subprocess
import sys
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

import pytest
from chance_macros import chance_macro
from conftest import FOR_EVER, SAMPLE, macro, portion
from lsprotocol import types
from pygls.exceptions import JsonRpcException
from pygls.lsp.client import LanguageClient

import scrub
from scrub.language.checker import check
from scrub.language.incremental import Edited

ROOT = Path(__file__).parent.parent
EXAMPLES = [path.read_text() for path in sorted((SAMPLE.parent / "macros").glob("*.scrub"))]


# -- in pieces as at once


def edited(text: str, chance: random.Random) -> str:
    """A text after some edit that a person could make, or that no person would."""
    lines = text.split("\n")
    place, what = chance.randrange(len(lines)), chance.randrange(8)
    line = lines[place]
    at = chance.randrange(len(line) + 1)
    if what == 0:
        del lines[place]
    elif what == 1:
        lines.insert(place, chance.choice(["", "# note", "x = 3", "each sheet", "end", "else", 'log "a"', "if it fails", "attempt", "3 times", "for each x", "x = [1,", "sheet.hidden = yes", 'name = "b"', 'x = ask("y")']))  # fmt: skip
    elif what == 2:
        lines[place] = line[:at] + line[at + 1 :]
    elif what == 3:
        lines[place] = line[:at] + chance.choice('abz "(){}[],.:=-#\n\u2028🏔') + line[at:]
    elif what == 4:
        other = chance.randrange(len(lines))
        lines[place], lines[other] = lines[other], lines[place]
    elif what == 5:
        lines[place:place] = chance.choice(EXAMPLES).split("\n")[5:9]
    elif what == 6:
        return text[: chance.randrange(len(text) + 1)]
    return "\n".join(lines) or "\n"


@pytest.mark.parametrize("seed", range(portion(150, 30)))
def test_a_text_in_pieces_has_the_problems_of_the_whole(seed: int) -> None:
    """After any edits; and nothing that an editor asks ever fails."""
    chance = random.Random(seed)
    vocabulary = scrub.vocabulary()
    text = chance.choice(EXAMPLES) if chance.random() < 0.5 else chance_macro(seed)
    kept = Edited(text, vocabulary)
    for _ in range(25):
        text = edited(text, chance)
        kept.edit(text)
        wanted = [problem.as_dict() for problem in check(text, "macro", vocabulary)]
        assert [problem.as_dict() for problem in kept.problems()] == wanted, text
        lines = text.split("\n")
        line = chance.randrange(len(lines)) + 1
        column = chance.randrange(len(lines[line - 1]) + 1) + 1
        scrub.at(text, line, column)
        reading = scrub.read(text)
        reading.at(line, column)
        reading.symbols()
        for mention in reading.mentions():
            shown = kept.lines[mention.line - 1][mention.column - 1 : mention.column - 1 + mention.length]
            assert shown or mention.sort == "comment", (mention, text)
        try:
            tidy = scrub.tidy(text)
        except scrub.MacroProblems:
            continue
        assert scrub.tidy(tidy) == tidy


def test_an_edit_costs_what_it_touches() -> None:
    """Of many pieces one is checked again."""
    body = "".join(
        f'n{number} = {number}\neach sheet\nlog "{{sheet.name}} {{n{number}}}"\nend\n' for number in range(300)
    )
    text = macro(body)
    kept = Edited(text, scrub.vocabulary())
    assert kept.problems() == []
    before = [piece.results["workbook"] for piece in kept.pieces]
    moved = text.replace("n10 = 10\n", "n10 = 10\n\n\n")
    kept.edit(moved)
    assert kept.problems() == []
    kept.edit(moved.replace("{n150}", "{m150}"))
    assert [(problem.line, problem.message[:24]) for problem in kept.problems()] == [(607, 'no value is named "m150"')]
    after = [piece.results["workbook"] for piece in kept.pieces]
    assert len(set(map(id, after)) - set(map(id, before))) <= 4
    assert len(after) > 25


# -- what is there


TEXT = """macro Late ones
for   workbook
example season-book.xlsx

limit = ask("Latest", as: date, default: 2026-07-01)
each sheet as hut where hut.name ends with "Hut"
    each record in hut.records(headings: 3) where record.arrival < limit
        record.note = "late {hut.name}"
    end
    in hut
        protect allow: [sort], select: any-cell
    end
end
wait = 3 days
"""


def test_every_word_says_what_it_is() -> None:
    reading = scrub.read(TEXT)
    assert reading.problems == []
    assert (reading.title, reading.runs_on) == ("Late ones", ["workbook"])
    found = {(each.line, each.word): each for each in reading.mentions()}
    for (line, word), sort in {
        (1, "macro"): "header", (2, "workbook"): "kind", (5, "limit"): "name", (5, "ask"): "function", (5, "as"): "argument",
        (5, "date"): "choice", (5, "2026-07-01"): "date", (6, "sheet"): "kind", (6, "hut"): "item", (6, "name"): "field",
        (6, "ends"): "keyword", (7, "records"): "part", (7, "headings"): "argument", (7, "arrival"): "heading",
        (8, "note"): "heading", (8, "name"): "field", (11, "protect"): "action", (11, "sort"): "choice", (14, "days"): "unit",
        (14, "3"): "number",
    }.items():  # fmt: skip
        assert found[line, word].sort == sort, (line, word, found[line, word])
    assert found[6, "name"].help.startswith("The name on the tab.")
    assert found[6, "name"].owner == "sheet"
    assert found[11, "protect"].arguments[0][0] == "password"
    assert found[11, "select"].type == "one of: any-cell, open-cells, no-cell"
    assert [(each.line, each.column) for each in reading.references(8, 31)] == [
        (6, 15),
        (6, 25),
        (7, 20),
        (8, 30),
        (10, 8),
    ]
    defined = reading.definition(8, 31)
    assert defined is not None
    assert (defined.line, defined.column) == (6, 15)
    assert [symbol.name for symbol in reading.symbols()][:2] == [
        "limit",
        'each sheet as hut where hut.name ends with "Hut"',
    ]
    assert [child.name for child in reading.symbols()[1].children][1] == "in hut"


def test_items_of_the_same_name_in_two_blocks_are_two() -> None:
    text = macro("each sheet as hut\nlog hut.name\nend\n" + "\n" * 60 + "each sheet as hut\nlog hut.name\nend")
    assert [each.line for each in scrub.read(text).references(3, 16)] == [3, 4]


def words_at(line: str, at: int = 5, text: str = TEXT) -> list[str]:
    lines = text.split("\n")
    lines.insert(at, line)
    return [fit.word for fit in scrub.at("\n".join(lines), at + 1, len(line) + 1)]


@pytest.mark.parametrize(
    ("line", "wanted"),
    [
        ("wait = 3 da", ["days"]), ("wait = 1 da", ["day"]), ("if limit ends ", ["with"]), ("if limit does not ", ["contain", "start with"]),
        ("x = new-f", ["new-file"]), ("x = cop", ["copy-of"]), ("x = pai", ["pairs"]), ("x = new-sh", ["new-sheet"]),
        ('x = ask("a", ', ["as:", "from:", "default:"]), ('x = ask("a", as: nu', ["number"]), ("x = pairs(otherwise: ye", ["yes"]),
        ('x = new-file("a.csv", if-exists: ', ["number", "replace", "fail"]), ("each record sorted ", ["by"]),
        ("each sheet ", ["where", "in", "as", "sorted by"]), ("leave ", ["loop"]), ('say "{lim', ["limit"]),
    ],
)  # fmt: skip
def test_what_could_follow(line: str, wanted: list[str]) -> None:
    assert words_at(line)[: len(wanted)] == wanted


def test_what_the_header_could_say() -> None:
    assert [fit.word for fit in scrub.at("mac", 1, 4)] == ["macro"]
    assert [fit.word for fit in scrub.at("macro A\nfor wo", 2, 7)] == ["workbook"]
    assert [fit.word for fit in scrub.at("macro A\nfor ", 2, 5)][-2:] == ["nothing", "all"]
    assert [fit.word for fit in scrub.at("macro A\ngr", 2, 3)] == ["group"]
    assert scrub.at("macro A\nabout wo", 2, 9) == []


def test_a_fit_says_what_it_is_and_what_it_replaces() -> None:
    (fit,) = scrub.at(TEXT + "each sheet\nsheet.frozen-r", 16, 15)
    assert (fit.word, fit.sort, fit.owner, fit.type) == ("frozen-rows", "field", "sheet", "a number")
    assert (fit.column, fit.length) == (7, 8)
    assert fit.example
    fit = next(each for each in scrub.at(TEXT + "each sheet\nprot", 16, 5) if each.word == "protect")
    assert fit.arguments == ("[password]", "[allow]", "[select]")


def test_a_sample_file_offers_its_sheets_and_headings(book: Path) -> None:
    known = scrub.known_in(str(book))
    lines = TEXT + 'each record in sheet("Lar'
    assert [fit.word for fit in scrub.at(lines, 15, 26, known)] == ["Larch Hut"]
    assert [fit.word for fit in scrub.at(TEXT + "each record\nrecord.guest-", 16, 14, known)] == ["guest-nights"]


SLIPS = {
    "x = false": "x = no", "n += 1": "n = n + 1", "n++": "n = n + 1", "if n == 1\nend": "if n is 1", "for each sheet\nend": "each sheet",
    "if n is greater than 1\nend": "if n > 1", "if n is not less than 1\nend": "if n >= 1", "set q = 3": "q = 3", "endif": "end",
    "say 'abc'": 'say "abc"', 'say "abc': 'say "abc"', 'print "x"': 'say "x"', "each sheets\nend": "each sheet", "x = 3km": "x = 3 km",
    "continue": "skip", "n = 1,234": "n = 1234", "x = null": "x = nothing", "if n <> 1\nend": "if n is not 1", "foreach sheet\nend": "each sheet",
    "if n is > 2\nend": "if n > 2",
}  # fmt: skip


@pytest.mark.parametrize("slip", SLIPS)
def test_common_slips_say_what_to_write_instead(slip: str) -> None:
    text = f"macro A\nfor workbook\nn = 1\n{slip}\n"
    problem = scrub.check_text(text)[0]
    assert problem.replacement is not None
    line = text.split("\n")[problem.line - 1]
    start = problem.column - 1
    assert line[:start] + problem.replacement + line[start + problem.length :] == SLIPS[slip]


def test_free_words_may_name_pairs() -> None:
    """`group (` at the start of a body would be a header line."""
    for word in ("group", "about", "into", "macro", "example"):
        text = f'macro A\nfor workbook\n{word}("x")\nx = 1\n'
        assert scrub.tidy(scrub.tidy(text)) == scrub.tidy(text)


# -- the server


class Client:
    """A client of the server, over its standard input and output."""

    def __init__(self, client: LanguageClient) -> None:
        self.client = client
        self.problems: dict[str, list[types.Diagnostic]] = {}
        self.messages: list[str] = []

        @client.feature(types.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)  # type: ignore[untyped-decorator]
        def _problems(params: types.PublishDiagnosticsParams) -> None:
            self.problems[params.uri] = list(params.diagnostics)

        @client.feature(types.WINDOW_SHOW_MESSAGE)  # type: ignore[untyped-decorator]
        def _message(params: types.ShowMessageParams) -> None:
            self.messages.append(params.message)

    async def open(self, path: Path, text: str) -> types.TextDocumentIdentifier:
        uri = path.absolute().as_uri()
        item = types.TextDocumentItem(uri, "scrub", 1, text)
        self.client.text_document_did_open(types.DidOpenTextDocumentParams(item))
        await self.until(lambda: uri in self.problems)
        return types.TextDocumentIdentifier(uri)

    async def until(self, condition: Callable[[], bool]) -> None:
        for _ in range(3000):
            if condition():
                return
            await asyncio.sleep(0.01)
        raise AssertionError("the server did not answer")


def served(work: Callable[[Client], Awaitable[None]], help_: types.MarkupKind = types.MarkupKind.Markdown) -> None:
    """Does some work with a client of a fresh server, which prefers help in a form."""

    async def main() -> None:
        client = LanguageClient("test", "1")
        await client.start_io(sys.executable, "-m", "scrub", "language-server")
        made = Client(client)
        item = types.ClientCompletionItemOptions(documentation_format=[help_])
        text = types.TextDocumentClientCapabilities(
            completion=types.CompletionClientCapabilities(completion_item=item),
            hover=types.HoverClientCapabilities(content_format=[help_]),
        )
        await client.initialize_async(types.InitializeParams(capabilities=types.ClientCapabilities(text_document=text)))
        client.initialized(types.InitializedParams())
        try:
            await work(made)
        finally:
            await client.shutdown_async(None)
            client.exit(None)
            await client.stop()  # type: ignore[no-untyped-call]

    asyncio.run(main())


BROKEN = """macro Late ones
for   workbook
example season-book.xlsx

limit = 2026-07-01
each sheet as hut where hut.name ends with "Hut"
    each record in hut.records(headings: 3) where record.arrival < limit
        record.note = "🏔🏔 late {hut.name}"
        limit += 1 day
    end
end
run "Show every hidden sheet"
"""


def test_the_server_answers_what_an_editor_asks(book: Path) -> None:
    async def work(on: Client) -> None:
        at, client = types.Position, on.client
        td = await on.open(Path("late.scrub"), BROKEN)
        (problem,) = on.problems[td.uri]
        wanted = scrub.check_text(BROKEN)[0]
        assert (problem.message, problem.code) == (wanted.message, wanted.code)
        assert (problem.range.start.line, problem.range.start.character) == (wanted.line - 1, wanted.column - 1)

        found: Any = await client.text_document_completion_async(types.CompletionParams(td, at(6, 58)))
        assert "arrival" in [item.label for item in found]
        (item,) = await client.text_document_completion_async(types.CompletionParams(td, at(7, 18)))  # type: ignore[misc]
        assert item.label == "note"

        hover = await client.text_document_hover_async(types.HoverParams(td, at(5, 29)))
        assert "**name** · field of sheet · a text" in str(hover.contents)  # type: ignore[union-attr]
        # behind two letters that take two units each
        hover = await client.text_document_hover_async(types.HoverParams(td, at(7, 35)))
        assert "**hut** · item · a sheet" in str(hover.contents)  # type: ignore[union-attr]

        place: Any = await client.text_document_definition_async(types.DefinitionParams(td, at(7, 35)))
        assert place.range.start == at(5, 14)
        place = await client.text_document_definition_async(types.DefinitionParams(td, at(11, 10)))
        assert place.uri.endswith("Show%20every%20hidden%20sheet.scrub")

        edit: Any = await client.text_document_rename_async(types.RenameParams(td, at(5, 15), "shelter"))
        changes = edit.changes[td.uri]
        assert [(each.range.start.line, each.range.start.character) for each in changes] == [
            (5, 14),
            (5, 24),
            (6, 19),
            (7, 34),
        ]
        for word, message in (
            ("sheet", "kind of item"),
            ("end", "word of the language"),
            ("limit", "already"),
            ("a b", "not a name"),
        ):
            with pytest.raises(JsonRpcException, match=message):
                await client.text_document_rename_async(types.RenameParams(td, at(5, 15), word))
        assert await client.text_document_prepare_rename_async(types.PrepareRenameParams(td, at(6, 6))) is None

        where = types.Range(at(8, 0), at(8, 1))
        (fix,) = await client.text_document_code_action_async(  # type: ignore[misc]
            types.CodeActionParams(td, where, types.CodeActionContext([]))
        )
        assert fix.edit.changes[td.uri][0].new_text == "= limit +"  # type: ignore[union-attr, index]

        tokens = await client.text_document_semantic_tokens_full_async(types.SemanticTokensParams(td))
        assert tokens is not None
        assert len(tokens.data) % 5 == 0
        lengths = [tokens.data[place] for place in range(0, len(tokens.data), 5)]
        assert max(lengths) <= 3

        hints: Any = await client.text_document_inlay_hint_async(
            types.InlayHintParams(td, types.Range(at(0, 0), at(20, 0)))
        )
        assert [hint.label for hint in hints] == [": date"]
        folds: Any = await client.text_document_folding_range_async(types.FoldingRangeParams(td))
        assert [(fold.start_line, fold.end_line) for fold in folds] == [(5, 10), (6, 9)]
        symbols: Any = await client.text_document_document_symbol_async(types.DocumentSymbolParams(td))
        assert symbols[0].children[0].name.startswith("each record")
        help_: Any = await client.text_document_signature_help_async(types.SignatureHelpParams(td, at(6, 40)))
        assert help_.signatures[0].label == "records [headings: a number]"

        assert await client.text_document_code_lens_async(types.CodeLensParams(td)) in ([], (), None)
        version = types.VersionedTextDocumentIdentifier(2, td.uri)
        change = types.TextDocumentContentChangePartial(types.Range(at(8, 8), at(8, 22)), "limit = limit + 1 day")
        client.text_document_did_change(types.DidChangeTextDocumentParams(version, [change]))
        await on.until(lambda: not on.problems[td.uri])
        (lens,) = await client.text_document_code_lens_async(types.CodeLensParams(td))  # type: ignore[misc]
        assert lens.command is not None
        assert lens.command.title == "Preview on season-book.xlsx"
        shown: Any = await client.workspace_execute_command_async(types.ExecuteCommandParams("scrub.preview", [td.uri]))
        assert shown["state"] in ("changed", "unchanged", "failed")
        await on.until(lambda: bool(on.messages))
        assert "season-book.xlsx" in on.messages[0]
        assert book.read_bytes() == SAMPLE.read_bytes()

    served(work)


def test_an_editor_can_choose_another_sample_file_and_reformat(book: Path) -> None:
    shutil.copyfile(SAMPLE.parent / "supply-list.xlsx", "supply-list.xlsx")

    async def work(on: Client) -> None:
        text = 'macro A\nfor workbook\neach record\nlog record.\nend\nrun "Sh\n'
        td = await on.open(Path("a.scrub"), text)
        asked = types.CompletionParams(td, types.Position(3, 11))
        client = on.client
        found: Any = await client.text_document_completion_async(asked)
        assert "item" not in [item.label for item in found]
        choose = types.ExecuteCommandParams("scrub.chooseExample", [td.uri, "supply-list.xlsx"])
        await client.workspace_execute_command_async(choose)
        found = await client.text_document_completion_async(asked)
        assert "item" in [item.label for item in found]
        with pytest.raises(JsonRpcException, match='no file "none.xlsx"'):
            await client.workspace_execute_command_async(
                types.ExecuteCommandParams("scrub.chooseExample", [td.uri, "none.xlsx"])
            )
        found = await client.text_document_completion_async(types.CompletionParams(td, types.Position(5, 7)))
        assert "Show every hidden sheet" in [item.label for item in found]
        options = types.FormattingOptions(4, True)
        other = await on.open(Path("b.scrub"), 'macro B\nfor workbook\neach sheet\nlog "a"\nend')
        edits: Any = await client.text_document_formatting_async(types.DocumentFormattingParams(other, options))
        assert edits[0].new_text == scrub.tidy('macro B\nfor workbook\neach sheet\nlog "a"\nend')

    served(work)


def test_help_is_plain_text_for_who_prefers_that(home: Path) -> None:
    async def work(on: Client) -> None:
        td = await on.open(Path("a.scrub"), "macro A\nfor workbook\neach sheet\nsheet.hidden = no\nend\n")
        hover: Any = await on.client.text_document_hover_async(types.HoverParams(td, types.Position(3, 8)))
        assert hover.contents.kind == types.MarkupKind.PlainText
        assert hover.contents.value.startswith("hidden · field of sheet · yes or no\n\nWhether the sheet is hidden.")
        assert "`" not in hover.contents.value
        found: Any = await on.client.text_document_completion_async(types.CompletionParams(td, types.Position(3, 8)))
        assert all("```" not in item.documentation.value for item in found if item.documentation)

    served(work, types.MarkupKind.PlainText)


def test_without_its_extra_the_server_says_what_to_install(cli: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "pygls", None)
    done = cli("language-server")
    assert done.code == 2
    assert "pip install 'scrub-macros[editor]'" in done.err


@pytest.mark.skipif(not shutil.which("nvim"), reason="no Neovim")
@pytest.mark.parametrize("seed", range(portion(10, 2)))
def test_neovim_edits_a_macro(seed: int, home: Path) -> None:
    """Its own client, without a screen: problems, completion, a fix, rename, layout, and 200 edits by chance."""
    path, texts, out = Path("late.scrub").absolute(), Path("texts.json").absolute(), Path("seen.json").absolute()
    path.write_text(BROKEN.replace("example season-book.xlsx\n", "").replace('run "Show every hidden sheet"\n', ""))
    words = [sys.executable, str(ROOT / "tests" / "editor_server.py"), str(texts), str(out), str(path)]
    environment = {**os.environ, "SCRUB_TEST": "\n".join(words), "SCRUB_TEST_SEED": str(seed), "HOME": str(home)}
    command = ["nvim", "--headless", "-u", "NONE", "-i", "NONE", "-n", "-c", f"luafile {ROOT}/tests/editor_client.lua"]
    done = subprocess.run(command, env=environment, text=True, capture_output=True, check=False, timeout=FOR_EVER)
    assert out.exists(), done.stderr
    seen = json.loads(out.read_text())
    assert [problem["message"] for problem in seen["problems"]] == ["write: limit = limit + …"]
    assert "hidden" in seen["completion"]
    assert seen["fix"] == "Write = limit +"
    assert seen["after_fix"] == []
    assert sum(line.count("shelter") for line in seen["renamed"]) == 4
    assert "kind of item" in seen["refused"]
    assert seen["formatted"][5] == "    each record in shelter.records(headings: 3) where record.arrival < limit"
    assert "field of sheet" in seen["hover"]
    assert (seen["folds"], seen["symbols"]) == (2, 1)
    (text,) = json.loads(texts.read_text()).values()
    assert text.rstrip("\n") == seen["text"].rstrip("\n")
    wanted = {(problem.line, problem.message) for problem in scrub.check_text(seen["text"])}
    assert {(problem["line"], problem["message"]) for problem in seen["last_problems"]} == wanted


# -- colours


@pytest.mark.parametrize("seed", range(portion(100, 30)))
def test_the_pieces_of_a_text_are_the_text(seed: int) -> None:
    from pygments.lexers import get_lexer_by_name

    chance = random.Random(seed)
    text = chance.choice(EXAMPLES)
    for _ in range(chance.randrange(12)):
        text = edited(text, chance)
    assert "".join(piece for _, piece in scrub.highlighted(text)) == text
    plain = text.replace("\u2028", "")
    lexer = get_lexer_by_name("scrub", stripnl=False, ensurenl=False)
    assert "".join(piece for _, piece in lexer.get_tokens(plain)) == plain


def test_the_pieces_are_told_apart() -> None:
    found = [
        piece for piece in scrub.highlighted('each sheet as hut  # all\n  log "a {hut.name} 3"\n') if piece[1].strip()
    ]
    assert found == [
        ("keyword", "each"), ("kind", "sheet"), ("keyword", "as"), ("word", "hut"), ("comment", "# all"), ("keyword", "log"),
        ("text", '"a {'), ("word", "hut"), ("", "."), ("attribute", "name"), ("text", '} 3"'),
    ]  # fmt: skip
