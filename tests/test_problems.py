"""Slips that everyone makes: each is found before any file is touched, all at once, with its own advice."""

from __future__ import annotations

import random
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import Output, examples, macro, problems
from hypothesis import given
from hypothesis import strategies as st

import scrub
import scrub.cli
from scrub.language.advice import DONE
from scrub.language.layout import meaning
from scrub.language.parser import parse


@pytest.mark.parametrize(
    ("body", "advice"),
    [
        ("each sheet\nif sheet.hiden\nend\nend", '4:10 a sheet has no field "hiden". Did you mean "hidden"?'),
        ("each sheet\nif sheet.visible\nend\nend", "Write: sheet.hidden = no"),
        ("each sheet\nif sheet.hidden = no\nend\nend", "to compare, write: is"),
        ("each sheet\nif sheet.number == 1\nend\nend", "to compare, write: is"),
        ("each sheet\nif sheet.number != 1\nend\nend", "to compare, write: is not"),
        ("each sheet\nif sheet.number is greater than 1\nend\nend", "to compare, write: >"),
        ("each sheet\nif sheet.hidden is no and yes is\nend\nend", 'something is missing after "is"'),
        ("nights = 3\nx = nights-1", "put spaces around the minus: nights - 1"),
        ('x = sheet "Totals"', 'brackets are missing: write sheet("Totals")'),
        ('in sheet "Totals"\nend', 'brackets are missing: write sheet("Totals")'),
        ('x = "a" + "b"', 'join text with braces: "{first} {second}"'),
        ("x = 1,000", "a number cannot contain a comma: write 1000"),
        ("each sheet\nprotect allow: [sort filter]\nend", "a comma is missing between the values"),
        ("each sheet\nprotect allow: [sort] select: any-cell\nend", 'a comma is missing before "select"'),
        ("each sheet\nprotect allow: [sorting]\nend", '"sorting" is not one of: sort, filter'),
        ("each sheet\nprotect allow: [sorting]\nend", 'Did you mean "sort"?'),
        ("each sheet\nprotect alow: [sort]\nend", 'Did you mean "allow"?'),
        ('each sheet\nprotect password: "larch"\nend', "not be in the macro"),
        ("each sheet\nprotect\n", '3:1 this \"each\" has no \"end\"'),
        ("end", 'this "end" has no block'),
        ("else", 'has no "if"'),
        ("each sheet\nif sheet.hidden\nprotect\nend each", '4:1 this "if" has no "end": line 6 ends the "each" around it'),
        ("each sheet\nprotect\nend if", 'ends the "each" of line 3, not a "if"'),
        ("each sheet\nprotekt\nend", 'a sheet has no action "protekt". Did you mean "protect"?'),
        ("protect", 'a workbook has no action "protect"; a sheet has. Put it in a block: each sheet'),
        ('each sheet\ncomment-on "x"\nend', "a paragraph, a heading or a passage has, but this contains none"),
        ("each sheet\ninsert-above\nend", "a row has. Put it in a block: each row"),
        ("each row\ninsert\nend", 'a row has no action "insert". Write one of: "insert-above", "insert-below"'),
        ("each sheet\nunhide\nend", "Write: sheet.hidden = no"),
        ("each sheet\nhidden\nend", "sheet.hidden = …"),
        ("each sheet\nsheet.protect\nend", "an action works on the current item. Write only: protect"),
        ('each sheet\nsheet.protect "x"\nend', "an action works on the current item. Write only: protect …"),
        ('each sheet\nsheet.protekt "x"\nend', 'a sheet has no field "protekt". Did you mean "protect'),
        ('sheet("Totals").protect allow: "sort"', 'Write: in sheet("Totals"), below it protect …, and end'),
        ("each sheet\nsheet.protected = yes\nend", "The actions protect and unprotect change it"),
        ('each sheet\nsheet.number = 2\nend', "is read only"),
        ("each sheet\nsheet.hidden is no\nend", "to set a field, write: ="),
        ("each shet\nend", '"shet" is not a kind of item. Did you mean "sheet"?'),
        ("sheet.hidden = no", "open a block: each sheet"),
        ("each sheet\nx = hidden\nend", "write a field with its item: sheet.hidden"),
        ("say hut", 'no value is named "hut"'),
        ("if yes\nx = 1\nend\nsay x.as-text", '"x" may have no value yet'),
        ('x = 1\nx = "a"', '"x" is a number since line 3 and cannot become a text'),
        ("sheet = 1", "is a kind of item and cannot be a name"),
        ('in cell("A1")\ncomment = "x"\nend', "cannot be a name. To set the field, write: cell.comment = …"),
        ("each = 1", "is a word of the language and cannot be a name"),
        ('x = "a".uper', 'a text has no operation "uper". Did you mean "upper"?'),
        ('x = "a".uppercase', 'Did you mean "upper"?'),
        ('x = upper("a")', "write: value.upper"),
        ('x = "a".replaced("b")', "by is missing. For example:"),
        ("x = 1 < 2 < 3", "comparisons cannot be chained"),
        ('if "a"\nend', "expected a condition, found a text"),
        ('if 1 is 1 or "b"\nend', 'both sides of "or" must be conditions'),
        ('if 1 is "a"\nend', "a number is never a text"),
        ('each cell in sheet("Hut")\nif cell starts with "x"\nend\nend', "this is a cell. Write the field: cell.value"),
        ('each sheet\nif sheet is "x"\nend\nend', "a sheet is never a text. Write the field: sheet.name"),
        ('each sheet\nbold = yes\nend', "never used. To set the field, write: each row, below it row.bold = …, and end"),
        ('in sheet("Hut")\nprotect select "any-cell"\nend', 'a colon is missing: select: "any-cell"'),
        ('say workbook.name "x"', '"is" to compare, "=" to set a field'),
        ('say upper "x"', 'brackets are missing: write upper("x")'),
        ('each cell in sheet("Hut")\nif cell.value is number\nend\nend', "to test the type of a value, write: cell.holds is number"),
        ('in sheet("Hut")\nsort by: "Nights"\nend', "Put it in a block: in sheet.records"),
        ("say blue", 'Put text in quotes: "blue"'),
        ('select name from guest', 'write: each record in table("night") where'),
        ('update night set paid = 1', "below it record.paid = yes"),
        ('x = "Fwd: a" - "Fwd:"', 'needs numbers; this is a text. To remove words from text: text.replaced'),
        ("log row.number", "no current row here. Name one: row(3)"),
        ('x = "a".title', 'Did you mean "title-case"?'),
        ("x = 4\nif x is even\nend", "number.remainder(2) is 0"),
        ('replace "a" with "b"', "after a comma, with their names"),
        ("each paragraph\nend", "no paragraph inside a workbook. It contains: each sheet"),
        ('each record in sheet("Hut")\nsay amount\nend', "For the value under a heading: record.amount"),
        ('x = row(3).cell(2).value', '"column" is a text, not a number. For example: row.cell("C")'),
        ('x = sum(cell in sheet("Hut"))', '"sum" needs numbers; this is a cell. Write the field: cell.value'),
        ('if "a" < 2\nend', "a text cannot be compared with a number"),
        ("skip", '"skip" needs a loop'),
        ("leave loop", '"leave loop" needs a loop'),
        ("each sheet\nskip workbook\nend", 'this line is not inside a loop over "workbook"'),
        ('say "x', "the closing quote is missing"),
        ('say "{x"', "a closing brace is missing"),
        ('say "{}"', "the braces are empty"),
        ('say "a}"', "for a plain brace in text, double it"),
        ("say 'x'", "in double quotes"),
        ("x = (1 + 2\nsay \"a\"", "a closing bracket is missing"),
        ("x = [1, 2\nsay \"a\"", "the list has no end"),
        ("x = 1)", "has no opening bracket"),
        ("x = 2026-02-30", "is not a calendar date"),
        ("x = 3kilos", "put a space"),
        ("say", "the text is missing: say"),
        ("skippy 3", 'has no action "skippy". Did you mean "skip"?'),
        ("x = 1\ngroup Huts", '"group" belongs at the top'),
        ("yes = 3", "cannot be a name"),
        ('code = secret("c")\nsay "{code}"', "a secret cannot be part of text"),
        ('code = secret("c")\nsay code', "a secret cannot be shown"),
        ('code = secret("c")\nif code is "x"\nend', "a secret cannot be compared"),
        ('say "a"\nwho = ask("Who")', "put questions at the top"),
        ('who = ask("Who", as: nmber)', 'Did you mean "number"?'),
        ('who = ask("Who", as: number, default: "x")', "the default is a text"),
        ("x = sheet(1)", "the name of a sheet is a text"),
        ('if workbook exists\nend', "only an item can exist"),
        ("each sheet as each\nend", 'after "as", write a name'),
        ('attempt\nend', "needs this line: if it fails"),
        ("x = 12345678901234567890123456789", "have up to 28 digits"),
        ('each sheet\nprotect allow: "sort"\nend', '"allow" is a list of these: sort, filter'),
        ('x = 1\ny = x."Guest nights"', 'a number has no field "Guest nights"'),
        ("each sheet\nx = sheet.hidden(1)\nend", '"hidden" is a field and takes no brackets'),
        ("x = workbook.hidden", "A sheet has: open a block with each sheet"),
        ('x = 1.5.decimals(2)', 'Did you mean "rounded"?'),
        ('x = "a".replaced("b", by: "c", by: "d")', '"by" is given twice'),
        ('x = "a".replaced("b", with: "c")', 'takes no "with". Arguments: what, by and exactly'),
        ('x = "a".upper("b")', '".upper" takes no value'),
        ('if ask("Sure", as: yes-no)\nend', "put questions at the top of the body"),
        ("x = protect()", "returns nothing"),
        ('x = shet("a")', '"shet(…)" is unknown. Did you mean "sheet"?'),
        ("x = own-file(1)", "write the name of a file next to the macro"),
        ("x = sheet()", "write the name of the sheet in the brackets"),
        ('each sheet\neach sheet in sheet\nend\nend', "no sheet inside a sheet"),
        ('if "a" is in "abc"\nend', '"is in" needs a list'),
        ("if 1 is exactly 1\nend", '"exactly" needs text'),
        ('who = ask("Who")\nwho = ask("Who")', '"who" is asked already'),
        ('who = ask("Who", from: "a")', "needs a list of plain values"),
        ('who = ask("Who", when: 3)', 'has no argument "when". Its arguments: as, from, default'),
        ('x = "a"\nwho = ask(x)', "only plain values are allowed here"),
        ("who = ask()", "the question is missing"),
        ('x = 1\nx.size = 2', "a number has no fields to set"),
        ("each sheet\nsave-copy\nend", "the workbook has. Open a block for it: in workbook"),
        ("each hut as h in [1]\nend", "is the name already"),
        ('x = 1\nin x\nend', '"in" needs an item'),
        ("each hut in 5\nend", "is a list, not a number"),
        ("\"a\" times\nend", "how often to repeat is a number"),
        ("repeat 3\nend", "to repeat, write: 3 times"),
        ("each sheet\nleave\nend", "write: leave loop"),
        ("if 1 does 2\nend", "write: does not contain"),
        ("if 1 does not have 2\nend", "contain, start with, end with, match or exist"),
        ("if 1 starts 2\nend", "write: starts with"),
        ("x = count()", "count what? Write: count(sheet)"),
        ("x = count(names)", '"names" is not a kind of item'),
        ("x = 5 +", 'something is missing after "+"'),
        ("x = + 5", "a number needs no plus"),
        ("x = [1 2]", "a comma is missing between the values"),
        ("y = 5 %\nx = y %", "write the percent sign directly after the number"),
        ('"a"', "a line must start with a word. To show text: say"),
        ("[1]", 'a line cannot start with "["'),
        ("and x", 'a line cannot start with "and"'),
        ("x = {1}", "braces belong inside quotes"),
        ("x = 1 ; y = 2", "means nothing here"),
        ("run Other", "after run, write the full title"),
        ("if 1 is 1\nelse\nelse\nend", 'after "else", only "end" can follow'),
        ("if 1 is 1\nelse when 2\nend", "to ask again, write: else if"),
        ("x = \"a\"\nx.upper", "this line does nothing"),
        ("each sheet\nsheet.hidden = yess\nend", 'Did you mean "yes"?'),
        ('say "a\u202eb"', "reverses the reading direction"),
        ("each sheet\nsheet.view = nrmal\nend", 'Did you mean "normal"?'),
        ("each cell\ndelete\nend", 'a cell has no action "delete"'),
        ("each record in sheet(\"a\")\nrecord.price(1)\nend", "this line does nothing"),
        ("each record in sheet(\"a\")\nx = record.price(1)\nend", '"price" is a heading and takes no brackets'),
        ("each sheet\nx = record(\"flour\")\nend", 'write the heading to look under: record(item: "flour")'),
        ("each sheet\nx = record()\nend", 'write the value to look for: record(item: "flour")'),
        ('x = open("a.pptx")', 'a macro cannot open ".pptx" files. It can open: .xlsx'),
        ("x = open()", "write the path of the file in the brackets"),
        ('each sheet\nx = new-sheet("Late")\nend', '"new-sheet" is an action of a workbook, which is not the current item'),
        ("each sheet\nx = sheet.records(heading: 3)\nend", 'takes no "heading". Did you mean "headings"?'),
        ("each sheet\nx = sheet.cells()\nend", "address is missing"),
        ("each sheet\nsheet.range = \"A1\"\nend", '"range" of a sheet is read only'),
        ("each cell in workbook\nx = cell.sheet(\"a\")\nend", "no sheet inside a cell"),
        ("each record in sheet(\"a\")\nif recrod.amount > 3\nend\nend", 'Did you mean "record"?'),
        ("tab = 1", "means a character in text, so it cannot be a name"),
        ("selection = 1", "is a kind of item and cannot be a name"),
        ('cell("S1!A1").name = "X"', 'cells("C4").name = '),
        ('cell("S1!A1").validation = "x"', "Write: restrict to:"),
        ("each sheet\neach row\nrow.height = 20 pt\nend\nlog row.number\nend", "no current row here"),
        ("each sheet\nadd-row \"a\"\nend", '"values" is a list, not a text'),
    ],
)  # fmt: skip
def test_a_slip_gets_its_advice(body: str, advice: str) -> None:
    found = problems(macro(body))
    assert any(advice in each for each in found), found
    assert len(found) == 1, found


@pytest.mark.parametrize(
    ("body", "word"),
    [
        ("each style\nend", "style"),
    ],
)
def test_what_is_not_here_yet_says_so(body: str, word: str) -> None:
    (found,) = problems(macro(body))
    assert word in found
    assert "yet" in found


@pytest.mark.parametrize(
    ("header", "advice"),
    [
        ("", "the macro is empty"),
        ("\n \n", "the macro is empty"),
        ('say "x"\n', "the title is missing"),
        ('macro X\nsay "x"\n', "the kind of file is missing."),
        ("macro\nfor workbook\n", 'the text after "macro" is missing'),
        ("macro X\nfor wrkbook\n", 'Did you mean "workbook"?'),
        ("macro X\nfor style\n", 'cannot run on "style" yet'),
        ("macro X\nfor all pdf, style\n", 'cannot run on "style" yet'),
        ("macro X\nmacro Y\nfor workbook\n", "appears twice"),
        ("for workbook\nmacro X\n", "the first line must be the title"),
    ],
)
def test_a_header_gets_its_advice(header: str, advice: str) -> None:
    found = [each.message for each in scrub.check_text(header)]
    assert any(advice in each for each in found), found


def test_ten_slips_are_shown_at_once_and_no_file_is_touched(cli: Callable[..., Output], book: Path) -> None:
    slips = [
        "    if sheet.hiden", "        shw", "    end", "    protect alow: [sort]", '    x = "a" + "b"',
        "    y = 1,000", "    if sheet.number = 1", "    end", "    z = q", '    say "never closed',
        "    sheet.protected = yes", "    protect allow: [sorting]", "end sheet", 'say sheet "Totals"',
    ]  # fmt: skip
    Path("Slips.scrub").write_text("macro Slips\nfor workbook\n\neach sheet\n" + "\n".join(slips) + "\n")
    before = book.read_bytes()
    checked = cli("check", "Slips.scrub")
    assert checked.code == 2
    assert checked.out.count("^ ") >= 10
    ran = cli("run", "Slips.scrub", book)
    assert ran.code == 2
    assert ran.err.count("Slips.scrub, line") >= 10
    assert book.read_bytes() == before
    assert cli("history").out.startswith("No runs yet")


def test_a_problem_shows_its_line_and_a_caret() -> None:
    text = "macro Seal\nfor workbook\neach sheet\n    if sheet.hidden\n    else if sheet.hiden\n    end\nend\n"
    (found,) = scrub.check_text(text, "Seal.scrub")
    assert str(found) == (
        "Seal.scrub, line 5, column 19\n"
        "    else if sheet.hiden\n"
        '                  ^^^^^ a sheet has no field "hiden". Did you mean "hidden"?'
    )


PLAIN = """macro Ready
about Shows the huts.
for workbook

huts = ["Larch Hut", "Kite Hut"]
each sheet where sheet.name is in huts and
        not sheet.protected
    if sheet.hidden is yes
        sheet.hidden = no   # a comment
    else if sheet.number >= 3 - 1
        protect allow: [sort, filter],
            select: open-cells
    end if
end each
say "Done: {count(sheet where sheet.hidden)}"
"""


def pasted(text: str, chance: random.Random) -> str:
    """What a word processor, a web page or a mail program makes of a macro, outside its texts."""
    lines = []
    for line in text.splitlines():
        line = line.strip() if chance.random() < 0.5 else line
        line = line.replace('"', "\u201c", 1).replace('"', "\u201d", 1) if line.count('"') == 2 else line
        out = []
        for number, piece in enumerate(re.split('("(?:[^"]|"")*"|\u201c[^\u201d]*\u201d)', line)):
            for letter in [piece] if number % 2 else piece:
                if number % 2:
                    out.append(letter + chance.choice(["", "\u200b"]))
                elif letter == " ":
                    out.append(chance.choice([" ", "\u00a0", "\u202f", "  "]))
                elif letter == "-":
                    out.append(chance.choice("-\u2013\u2011\u2212"))
                else:
                    out.append(letter + chance.choice(["", "", "", "\u200b", "\ufeff"]))
        text_line = "".join(out).replace(">=", chance.choice([">=", "\u2265"]))
        lines.append(text_line[:1].upper() + text_line[1:] if chance.random() < 0.5 else text_line)
    return chance.choice(["\n", "\r\n", "\r", "\u2028"]).join(lines)


CORPUS = [PLAIN, *(path.read_text() for path in (Path(scrub.__file__).parent / "demo" / "macros").glob("*.scrub"))]


@given(st.sampled_from(CORPUS), st.randoms(use_true_random=False))
def test_text_from_elsewhere_reads_the_same(text: str, chance: random.Random) -> None:
    assert scrub.check_text(text) == []
    came = pasted(text, chance)
    assert scrub.check_text(came) == []
    if '"' not in text:
        assert meaning(parse(came, "")[0]) == meaning(parse(text, "")[0])


@pytest.mark.parametrize("text", CORPUS, ids=range(len(CORPUS)))
def test_every_beginning_of_a_macro_is_read(text: str) -> None:
    for end in range(0, len(text), 3):
        for found in scrub.check_text(text[:end]):
            assert 1 <= found.line <= text[:end].count("\n") + 1
            assert str(found).count("\n") == 2


@given(st.binary(max_size=400))
def test_random_bytes_are_told_as_such(data: bytes) -> None:
    Path("noise.scrub").write_bytes(data)
    assert scrub.cli.run(["check", "noise.scrub"]) in (1, 2)


@examples(300)
@given(st.data())
def test_no_macro_breaks_the_reader(data: st.DataObject) -> None:
    """Prefixes, cuts, doubled and swapped pieces of a macro, and plain noise: problems or none, never an exception."""
    text = PLAIN
    for _ in range(data.draw(st.integers(1, 4))):
        start, end = sorted(data.draw(st.tuples(st.integers(0, len(text)), st.integers(0, len(text)))))
        how = data.draw(st.sampled_from(["cut", "double", "noise", "prefix"]))
        if how == "cut":
            text = text[:start] + text[end:]
        elif how == "double":
            text = text[:end] + text[start:]
        elif how == "prefix":
            text = text[:start]
        else:
            noise = data.draw(st.text(st.sampled_from('"{}[]().,:=<>+-*/% \n\u201c#endifach0129'), max_size=12))
            text = text[:start] + noise + text[end:]
    for found in scrub.check_text(text):
        assert str(found)


@pytest.mark.parametrize(
    "text",
    [
        macro("if yes\n" * 10_000),
        macro("x = " + "(" * 10_000),
        macro("x = " + "[" * 10_000 + "]" * 10_000),
        macro("x = " + "not " * 5000 + "yes"),
        macro("x = " + "-" * 5000 + "1"),
        macro('say "' + "{" * 5000 + '"'),
        macro("x = 1" + " + 1" * 3000),
        macro("x" * 900_000),
    ],
    ids=["blocks", "brackets", "lists", "nots", "minuses", "holes", "sums", "one line"],
)
def test_a_monstrous_macro_ends_in_problems_soon(text: str) -> None:
    found = scrub.check_text(text)
    assert len(found) < 6000
    assert all(len(str(each)) < 2000 for each in found[:10])


@pytest.mark.parametrize(("verb", "shape"), list(DONE))
def test_what_a_verb_and_a_kind_are_told_can_be_written_so(verb: str, shape: str) -> None:
    """Advice is as good as what it advises: each is checked as a macro for one of the kinds of file."""
    advised = DONE[verb, shape]
    lines = advised.partition(", and end. ")[0].removesuffix(", and end").replace(", below it ", "\n")
    ends = "\nend" if "\n" in lines else ""
    around = ("", "each sheet\n") if "sheet." in lines or lines.startswith(("in row", "in column")) else ("",)
    kinds = ("workbook", "document", "mailbox", "pdf", "database")
    assert any(
        problems(macro(f"{before}{lines}{ends}{chr(10) + 'end' if before else ''}", kind)) == []
        for kind in kinds
        for before in around
    ), lines
    assert f"write: {advised}" in problems(macro(f"{verb} {shape}s"))[0]


def test_nothing_is_said_to_be_missing_that_is_there() -> None:
    """Who looks for what an item can do by another word is not told that it cannot."""
    kinds = scrub.home().vocabulary.kinds
    senses = {"copy": "copy", "duplicate": "copy", "sort": "sort", "delete": "delete", "remove": "delete", "insert": "insert",
              "move": "move", "rename": "rename"}  # fmt: skip
    for outer, inner, word in (("workbook", "sheet", ""), ("workbook", "row", "sheet"), ("workbook", "column", "sheet"), ("workbook", "table", "sheet"),
                               ("document", "paragraph", ""), ("mailbox", "message", ""), ("pdf", "page", ""), ("folder", "file", "")):  # fmt: skip
        for verb, sense in senses.items():
            there = any(action.startswith((sense, verb)) for action in kinds[inner].actions)
            body = f"each {inner}\n{verb}\nend"
            told = problems(macro(f"each {word}\n{body}\nend" if word else body, outer))
            assert not (there and any("cannot be done" in each for each in told)), (inner, verb, told)
