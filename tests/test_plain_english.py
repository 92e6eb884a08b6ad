"""Every text that a person reads is plain English: messages, help, catalog, docs, and titles of the examples."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from conftest import macro, problems

import scrub
from scrub.cli.group import COMMANDS

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "scrub"
DOCS = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]

#: Forms that no text has: each with what to write instead.
FORBIDDEN = {
    r"\bstands?\b(?! (?:out|by|for\b))": "is, appears, contains",
    r"\b(?:lies|lie) (?:in|on|under|beside|behind)\b": "is",
    r"(?<![.@])\bholds?\b(?! down)": "contains",
    r"\bat hand\b": "no current …",
    r"\b(?:is|are|this is) no (?!longer|more|less)": "is not a …",
    r"\btak(?:e|es|en|ing) (?:it |them |that |this )?back\b": "undo",
    r"\b(?:is|are) held back\b": "needs your approval",
    r"\banew\b": "again",
    r"\bby itself\b": "on its own, automatically",
    r", of which\b": "two sentences",
    r"\bas it was\b": "unchanged",
    r"\bwhatever its\b": "despite its",
    r"\bcannot be told\b": "cannot be detected",
    r"\bby now\b": "now",
    r"\bso many\b": "N, up to N",
    r"\bparted by\b": "separated by",
    r"\bthe ending\b": "the file extension",
    r"\bblanks\b": "spaces",
    r"\bsmall letters\b": "lower case",
    r"\bin sight\b": "visible",
    r"\bin the clear\b": "unencrypted",
    r"\bgoes with\b": "needs, works on",
    r"\btalk\b": "connection",
    r"\bpython face\b|\bthe house\b": "Python API, architecture",
    r"(?:^|[.;:] )see (?:them|it)\b": "details, list",
    r"\bwas not approved for that\b": "needs your approval",
    r"\brecorded changes?\b": "tracked changes",
    r"\bmade anew\b|\bwritten anew\b": "rewritten",
    r"\bcannot be said\b": "cannot be detected",
    r"\bnobody who\b|\bwho carries on\b": "the reader",
    r"\bmarks? that\b": "prefixes, characters",
    r"\bformer (?:text|version|file)s?\b": "earlier version",
    r"\bpoints (?:wide|high|of it)\b": "pixels",
    r"\bmeanwhile\b": "in the meantime",
}
#: The longest message without its values, in characters, and the most sentences.
LONGEST, SENTENCES = 160, 2
#: What makes a text a message: it is given to one of these.
MESSAGES = frozenset(
    "Failure Missing BadCall Refused FileProblem StoreError NotSent PerhapsSent ScrubError Problem note problem "
    "placed echo failed strong quiet BadFile EditedSince InUse".split()
)


def files() -> list[Path]:
    return sorted(SOURCE.rglob("*.py"))


def parts(node: ast.expr) -> str | None:
    """A text, with `{}` for each value."""
    if isinstance(node, ast.Constant):
        return node.value if isinstance(node.value, str) else None
    if isinstance(node, ast.JoinedStr):
        return "".join(str(each.value) if isinstance(each, ast.Constant) else "{}" for each in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        left, right = parts(node.left), parts(node.right)
        return None if left is None or right is None else left + right
    return None


def messages() -> Iterator[tuple[str, str]]:
    """Each message of the code, with its place."""
    for path in files():
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.Call):
                continue
            name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
            if name not in MESSAGES:
                continue
            for argument in (*node.args, *(each.value for each in node.keywords if each.arg == "help")):
                text = parts(argument)
                if text is not None and re.search(r"[a-z]{2,} [a-z{]", text):
                    yield f"{path.relative_to(ROOT)}:{argument.lineno}", text


def all_texts() -> Iterator[tuple[str, str]]:
    """Every text of the code that reads like words, messages or not: what is put together is read in its pieces."""
    for path in files():
        tree = ast.parse(path.read_text())
        inside = {id(each) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for each in ast.walk(node)}
        documentation = {
            id(node.body[0].value)
            for node in ast.walk(tree)
            if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
            and node.body
            and isinstance(node.body[0], ast.Expr)
        }
        for node in ast.walk(tree):
            if id(node) in documentation or (id(node) in inside and not isinstance(node, ast.JoinedStr)):
                continue
            if not isinstance(node, ast.Constant | ast.JoinedStr):
                continue
            text = parts(node)
            if text is not None and re.search(r"[a-z]{2,} [a-z{]", text) and not text.startswith(("SELECT", "<")):
                yield f"{path.relative_to(ROOT)}:{node.lineno}", without_everyday_words(text)


def without_everyday_words(text: str) -> str:
    """A text of the catalog without the words that people search by, and without examples."""
    return re.sub(r"^\s*(?:Also|Example): .*$", "", text, flags=re.MULTILINE)


def found_in(text: str) -> list[str]:
    low = re.sub(r"`[^`]*`|\"[^\"]*\"", "", text.lower())
    return [f"{form!r}: write {instead}" for form, instead in FORBIDDEN.items() if re.search(form, low)]


def test_no_text_of_the_code_has_a_form_that_sounds_translated() -> None:
    bad = [(where, text, forms) for where, text in all_texts() if (forms := found_in(text))]
    assert not bad, "\n".join(f"{where}: {text!r} {forms}" for where, text, forms in bad)


def test_messages_are_one_or_two_short_sentences() -> None:
    bad = []
    for where, text in messages():
        for line in text.split("\n"):
            plain = re.sub(r"\{\}", "", line)
            if len(plain) > LONGEST or len(re.findall(r"[a-z…\")]\. (?=[A-Z])", plain)) + 1 > SENTENCES:
                bad.append(f"{where}: {len(plain)} {line!r}")
    assert not bad, "\n".join(bad)
    assert len(list(messages())) > 700


def test_lines_of_the_catalog_begin_with_a_verb_whether_or_what_it_is() -> None:
    begun = re.compile(r"(?:[A-Z][a-z]+s\b|Whether|The|A|An|All|Another|Today's|Braces|Which|What|Try|One)\b")
    wrong = re.compile(r"(?:yes when|no when|It|Its|How|When|Where|Who|By|In)\b")
    bad = []
    for entry in scrub.vocabulary().search(""):
        for text in (entry.docs.summary, *entry.docs.arguments.values()):
            if found_in(text) or wrong.match(text):
                bad.append(f"{entry.written}: {text} {found_in(text)}")
        if not begun.match(entry.docs.summary):
            bad.append(f"{entry.written}: {entry.docs.summary}")
        yes_or_no = "yes or no" in entry.what and entry.what.startswith("field")
        if yes_or_no and not entry.docs.summary.startswith("Whether"):
            bad.append(f"{entry.written} is yes or no: {entry.docs.summary}")
    assert not bad, "\n".join(bad)


@pytest.mark.parametrize("path", DOCS, ids=lambda path: path.name)
def test_the_docs_are_plain(path: Path) -> None:
    bad = []
    shown = False
    for number, line in enumerate(path.read_text().split("\n"), 1):
        shown = shown != line.startswith("```")
        if not shown and not line.startswith("    ") and found_in(line):
            bad.append(f"{path.name}:{number}: {line.strip()} {found_in(line)}")
    assert not bad, "\n".join(bad)


def test_help_and_examples_are_short() -> None:
    assert all(len(text) <= 75 and text.endswith(".") for text in COMMANDS.values()), COMMANDS
    for path in sorted((SOURCE / "demo" / "macros").glob("*.scrub")):
        for line in path.read_text().split("\n"):
            if line.startswith(("macro ", "about ")):
                assert len(line.split(" ", 1)[1]) <= 60, line
                assert not found_in(line), line


@pytest.mark.parametrize(
    ("kind", "body", "advice"),
    [
        ("workbook", "each sheet\nx = sheet.rows-in-sight\nend", '"frozen-rows"'),
        ("workbook", "each sheet\nsheet.columns-in-sight = 1\nend", '"frozen-columns"'),
        ("workbook", 'cell("A1").number-form = "0"', "cell.number-format"),
        ("workbook", 'cell("A1").struck = yes', "cell.strikethrough"),
        ("workbook", 'cell("A1").alignment = justify', '"justified"'),
        ("workbook", "x = 3\ny = x.size", '"absolute"'),
        ("workbook", 'y = "a".without-marks', '"without-accents"'),
        ("workbook", 'y = "a".title', '"title-case"'),
        ("workbook", "each sheet\ntitle\nend", "Write: title-case"),
        ("document", "each link\nremove\nend", "Write: delete"),
        ("document", "each bookmark\nremove\nend", "Write: delete"),
        ("message", "each attachment\nremove\nend", "Write: delete"),
        ("document", "each change\nx = change.sort\nend", '"type"'),
        ("workbook", "each sheet\nsheet.left-margin = 1.5\nend", "Write a unit: 1.5 cm"),
        ("workbook", "each row\nif row.height > 20\nend\nend", "Write a unit: 20 cm"),
    ],
)
def test_who_writes_an_earlier_word_is_told_the_new_one(kind: str, body: str, advice: str) -> None:
    assert any(advice in each for each in problems(macro(body, kind))), problems(macro(body, kind))


def test_the_catalog_finds_what_had_another_name() -> None:
    for word, written in (
        ("rows-in-sight", "sheet.frozen-rows"), ("number-form", "cell.number-format"), ("struck", "cell.strikethrough"),
        ("without-marks", ".without-accents"), ("justify", "cell.alignment"), ("remove link", "delete"),
    ):  # fmt: skip
        assert written in [entry.written for entry in scrub.vocabulary().search(word)[:3]], word
    with pytest.raises(scrub.BadCall, match='Did you mean "max-minutes"'):
        scrub.home().settings.set("most-minutes", "3")
