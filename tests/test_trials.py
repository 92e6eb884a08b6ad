"""Kinds and formats that Scrub does not have, made here in a few lines: the rooms must not know better."""

from __future__ import annotations

import pickle
from pathlib import Path
from typing import Any

import pytest
from trials import grid

import scrub
from scrub.formats.registry import FORMATS, Format, Registry
from scrub.model.core.declare import Item, Reach, action, holds
from scrub.model.vocabulary import Vocabulary

TOYS = (
    Format("poem", (".poem",), "trials.poem", "trials.poem:open_poem"),
    Format("pack", (".pack",), "trials.cards", "trials.cards:open_pack"),
    Format("card", (".card",), "trials.cards", "trials.cards:open_card"),
    Format("register", (".reg",), "trials.register", "trials.register:open_register"),
    Format("workbook", (".grid",), "scrub.model.workbook", "trials.grid:open_grid"),
)


def run(text: str, *files: Path, kind: str = "poem", home: scrub.Home | None = None, **options: Any) -> Any:
    """Runs a macro with the toys at hand; gives what it did, the first file's problem raised."""
    home = home or with_toys()
    result = home.run(
        f"macro A trial\nfor {kind}\n{text}\n", [str(file) for file in files], scrub.RunOptions(**options)
    )
    for each in result.files:
        if each.problem is not None:
            raise each.problem
    return result


def with_toys() -> scrub.Home:
    home = scrub.home()
    home.formats = Registry((*FORMATS, *TOYS))
    return home


def changes(result: Any) -> list[str]:
    return [f"{change.place}: {change}" for file in result.files for change in file.changes]


# -- a poem


@pytest.fixture
def letter(home: Path) -> Path:
    path = Path("letter.poem")
    path.write_text("Dear  guest\nName:\t\tLarch   Hut\nbread and water")
    return path


def test_a_poem_takes_every_text_action_and_is_taken_back(letter: Path) -> None:
    before = letter.read_bytes()
    result = run('single-spaces\nreplace "guest", by: "Guest"', letter)
    assert letter.read_text() == "Dear Guest\nName:\t\tLarch Hut\nbread and water"  # a tab in a letter is layout
    assert changes(result) == [
        "verse 1: text: Dear  guest -> Dear Guest",
        "verse 2: text: Name:{tab}{tab}Larch   Hut -> Name:{tab}{tab}Larch Hut",
    ]
    scrub.undo(result.number)
    assert letter.read_bytes() == before
    texts = {action.word for action in with_toys().vocabulary.kinds["verse"].actions.values()}
    assert texts >= {"shout", "trim", "single-spaces", "upper", "lower", "title-case", "replace"}


def test_its_verses_and_words_are_visited_and_picked(letter: Path) -> None:
    run('each verse where verse.text contains "and"\nshout\nend', letter)
    run('each word where word.text is "bread"\nupper\nend', letter)
    assert letter.read_text().endswith("BREAD and water!")
    run('say "{count(verse)} and {count(word in selection)}"\nin selection\nupper\nend', letter, at="3")
    assert letter.read_text().startswith("Dear  guest")
    assert letter.read_text().endswith("BREAD AND WATER!")
    assert run('log "{count(verse in selection)}"', letter).files[0].log == ["3"]


def test_what_goes_there_and_back_is_no_change(letter: Path) -> None:
    before = letter.stat().st_mtime_ns
    result = run(
        'each verse\nverse.text = "x"\nend\nattempt\nfail "no"\nif it fails\nfinish\nend', letter, preview=True
    )
    assert len(result.files[0].changes) == 3
    back = run('attempt\nupper\nfail "no"\nif it fails\nlog problem\nend', letter)
    assert back.files[0].state == "unchanged"
    assert letter.stat().st_mtime_ns == before


def test_one_text_means_what_it_must_on_each_kind(letter: Path, book: Path) -> None:
    both = "each row\nskip\nend\nlog file.name"
    found = with_toys().problems(f"macro A\nfor poem, workbook\n{both}\n", "a")
    assert [each.message for each in found] == ["no row inside a file. It contains: each verse"]
    result = run('replace "Hut", by: "House"\nlog "{file.name}"', letter, book, kind="poem, workbook")
    assert [file.state for file in result.files] == ["changed", "changed"]
    assert "Larch   House" in letter.read_text()
    assert [file.log for file in result.files] == [["letter.poem"], ["season-book.xlsx"]]


# -- a card, on its own and in a pack

MAIL = "Subject: Fwd: one\nHello  there\n%\nSubject: two\nAn old one\n%\nSubject: two\nA new one"
CLEAN = 'card.subject = card.subject.replaced("Fwd: ", by: "")'


def test_a_card_is_a_file_by_itself(home: Path) -> None:
    path = Path("one.card")
    path.write_text(MAIL.split("\n%\n")[0])
    result = run(f"{CLEAN}\nsingle-spaces", path, kind="card")
    assert path.read_text() == "Subject: one\nHello there"
    assert changes(result) == [
        "one: subject: Subject: Fwd: one -> Subject: one",
        "one: text: Hello  there -> Hello there",
    ]
    scrub.undo(result.number)
    assert path.read_text() == MAIL.split("\n%\n")[0]


def test_a_card_is_an_item_of_a_pack_and_labels_do_not_join_two(home: Path) -> None:
    path = Path("all.pack")
    path.write_text(MAIL)
    result = run('each card where card.subject is "two"\nreplace "one", by: "1"\nend', path, kind="pack")
    assert changes(result) == ["two: text: An old one -> An old 1", "two: text: A new one -> A new 1"]
    run(f'each card\n{CLEAN}\nif card.subject is "two"\ndelete\nend\nend', path, kind="pack")
    assert path.read_text() == "Subject: one\nHello  there"
    assert run('each card\nrun "Clean"\nend', path, kind="pack", home=_with_clean()).files[0].state == "unchanged"


def _with_clean() -> scrub.Home:
    home = with_toys()
    home.library.add(f"macro Clean\nfor card\n{CLEAN}\n", "clean")
    return home


# -- a table over whatever contains rows


def test_records_over_a_list_of_dicts(home: Path) -> None:
    path = Path("huts.reg")
    path.write_text('{"huts": [{"Hut": "Larch", "Nights": "a"}, {"Hut": "Kite", "Nights": null}, {"Hut": "larch "}]}')
    before = path.read_bytes()
    body = (
        'each record where record.hut is not empty\nrecord.nights = "b"\nend\n'
        'in table("huts")\nsingle-spaces\nfound = record(hut: "LARCH")\nlog "{found.nights}"\nend\n'
        'n = count(record where record.nights is "b")\nlog "{n}"'
    )
    result = run(body, path, kind="register")
    assert result.files[0].log == ["b", "3"]
    assert changes(result)[0] == "huts record 1: Nights: a -> b"
    assert b'"Hut": "larch"' in path.read_bytes()
    scrub.undo(result.number)
    assert path.read_bytes() == before
    with pytest.raises(scrub.Failure, match='huts has no heading "prize"'):
        run("each record\nlog record.prize\nend", path, kind="register")
    with pytest.raises(scrub.Failure, match="huts has no cells"):
        run("each cell\nskip\nend", path, kind="register")


# -- a second format of sheets


def test_a_second_format_for_sheets(home: Path) -> None:
    path = Path("huts.grid")
    path.write_text("Hut|Nights\nlarch|2\nkite|\n")
    result = run('each record where record.hut is "larch"\nrecord.nights = "3"\nend\nin column("A")\nupper\nend\n'
                 .replace('in column("A")\nupper\nend\n', 'in sheet("bars")\nadd-row ["tarn"]\nend'), path, kind="workbook")  # fmt: skip
    assert path.read_text() == "Hut|Nights\nlarch|3\nkite|\ntarn|\n"
    assert changes(result) == ["bars: B2: 2 -> 3", "bars: A4: nothing -> tarn"]
    for body, what in (
        ("each cell\ncell.bold = yes\nend", '"bold" of a cell'),
        ("each sheet\nprotect\nend", '"protect" of a sheet'),
        ("each sheet\nsheet.hidden = yes\nend", '"hidden" of a sheet'),
        ('in cells("bars!A1:B2")\nmark-duplicates\nend', '"mark-duplicates" of a cells'),
        ('x = new-sheet("b")', '"new-sheet" of a workbook'),
    ):
        with pytest.raises(scrub.Failure, match=f"stores values only, not {what}"):
            run(body, path, kind="workbook")


@pytest.mark.usefixtures("own_actions")
def test_a_persons_own_action_runs_where_what_it_does_can_be_kept(home: Path) -> None:

    @scrub.action("cell")
    def double(item: Any) -> None:
        """Writes it twice."""
        item.value = f"{item.value}{item.value}"

    @scrub.action("cell")
    def embolden(item: Any) -> None:
        """Makes it bold."""
        item.bold = True

    path = Path("a.csv")
    path.write_text("a,b\n")
    run('in cell("A1")\ndouble\nend', path, kind="workbook")
    assert path.read_text() == "aa,b\n"
    with pytest.raises(scrub.Failure, match=r"a \.csv file stores values only"):
        run('in cell("A1")\nembolden\nend', path, kind="workbook")


# -- the guards


class Leaf(Item):
    """A leaf."""

    kind_word = "leaf"


class Twig(Item):
    """A twig."""

    kind_word = "twig"

    @holds
    def leaves(self) -> list[Leaf]:
        """Its leaves."""
        return []


class Branch(Item):
    """A branch."""

    kind_word = "branch"

    @holds
    def leaves(self) -> list[Leaf]:
        """Its leaves."""
        return []


class Tree(Item):
    """A tree, whose leaves are reached in two ways."""

    kind_word = "tree"

    @holds
    def twigs(self) -> list[Twig]:
        """Its twigs."""
        return []

    @holds
    def branches(self) -> list[Branch]:
        """Its branches."""
        return []


class Grown(Tree):
    """A tree that says itself which leaves it has."""

    @holds
    def leaves(self) -> list[Leaf]:
        """All its leaves, each once."""
        return []


def test_the_vocabulary_refuses_a_word_twice_and_two_ways_to_one_kind() -> None:
    class Other(Item):
        """Another leaf."""

        kind_word = "leaf"

    class Named(Item):
        """One with an action."""

        kind_word = "named"

        @action(Reach.CHANGE)
        def colour(self) -> None:
            """Colours it."""

    @action(Reach.CHANGE)
    def colour(item: Item) -> None:
        """Colours it."""

    with pytest.raises(TypeError, match='two kinds have the word "leaf"'):
        Vocabulary([Leaf, Other])
    with pytest.raises(TypeError, match="a tree contains leaf by way of twig and branch"):
        Vocabulary([Tree, Twig, Branch, Leaf])
    assert Vocabulary([Grown, Twig, Branch, Leaf]).path("tree", "leaf") == ("leaves",)
    with pytest.raises(TypeError, match='"colour" of a named is declared twice'):
        Vocabulary([Named], (), [("named", colour)])


def test_every_problem_goes_from_one_process_to_another() -> None:
    failure = scrub.Failure("no")
    failure.title, failure.line = "A", 3
    problems = (
        scrub.FileProblem("a.xlsx", "gone"), failure, scrub.BadCall("so"), scrub.Refused("not now"),
        scrub.MacroProblems([scrub.Problem("odd", 1, 2)]),
    )  # fmt: skip
    for each in problems:
        found = pickle.loads(pickle.dumps(each))
        assert (type(found), str(found), vars(found).keys()) == (type(each), str(each), vars(each).keys())


def test_an_execution_is_prepared_without_writing_and_can_be_sent_elsewhere(book: Path) -> None:
    from scrub.runner.options import RunOptions
    from scrub.runner.run import Runner

    home, before = scrub.home(), book.read_bytes()
    checked = home.program("macro A\nfor workbook\neach sheet\nsheet.hidden = no\nend\n")
    runner = Runner(checked, home.vocabulary, home.formats, None, RunOptions())
    prepared = pickle.loads(pickle.dumps(runner.prepare([str(book)])))
    assert book.read_bytes() == before
    assert [str(change) for change in prepared.files[0].changes] == ["hidden: yes -> no"] * 4
    assert [effect.path for effect in prepared.effects] == [str(book.resolve())]


def test_a_file_without_an_ending_is_known_by_what_is_in_it(book: Path) -> None:
    for name in ("season book", "season-book.bak"):
        book.rename(name)
        book = Path(name)
        assert scrub.kind_of(name) == "workbook"
        found = scrub.run('macro A\nfor workbook\nlog "{count(sheet)}"\n', [name])
        assert found.files[0].problem is None, found.files[0].problem
    Path("note.bak").write_text("Larch Hut")
    with pytest.raises(scrub.FileProblem, match=r"Scrub cannot open \.bak files"):
        scrub.kind_of("note.bak")


# -- an editor's question

MACRO = """macro A trial
for workbook
code = secret("code")
late = 0
each sheet as s where not s.hidden
    protect password: code, allow: [§]
    if s.name
    each record in s where record.nights >
        late = late +
    end
end
x = today
say "{
"""


@pytest.mark.parametrize(
    ("before", "after", "wanted", "never"),
    [
        ("allow: [", "", "sort filter drawings", "password: say"), ("protect ", "", "password: allow: select:", "sort"),
        ("if s.n", "", "name number", "hidden"), ("    if s.", "\n", "hidden orientation", "bold"), ("each ", "", "sheet record", "say"),
        ("each sheet as s where not s.", "", "hidden", "late"), ("each sheet as s where ", "", "s not late", "protect"), ("late = late +", " ", "late code", "protect"),
        ("        ", "\n    end", "late say skip each", "protect"), ("    ", "\n    if s.name", "protect say s", "new-sheet"), ("x = today", ".w", "weekday week", "upper"),
        ('say "{', "la", "late", "say"), ("each record in s where record.", "", "nights guest", "hidden"), ("    if s.name", " ", "is contains and", "late"),
    ],
)  # fmt: skip
def test_what_fits_in_the_middle_of_a_broken_line(before: str, after: str, wanted: str, never: str) -> None:
    from scrub.language.complete import Known, at

    text = MACRO.replace("§", "")
    start = text.index(before) + len(before)
    text = text[:start] + after + text[start:] if not after.startswith("\n") else text
    place = start + (0 if after.startswith("\n") else len(after))
    line, column = text.count("\n", 0, place) + 1, place - text.rfind("\n", 0, place)
    found = [fit.word for fit in at(text, line, column, scrub.vocabulary(), Known({}, ["nights", "guest"]))]
    assert set(wanted.split()) <= set(found)
    assert never not in found


def test_every_node_knows_where_it_is_and_what_is_in_it() -> None:
    from scrub.language.parser import parse
    from scrub.language.tree import Broken, children

    text = 'macro A\nfor workbook\n# why\neach sheet where sheet.name is "a" and\n        not sheet.hidden\n    x = (1 + 2)  # so\n    = odd\nend\n'
    found, problems = parse(text, "a")
    assert [(each.line, each.code) for each in problems] == [(7, "syntax")]
    assert found.comments == {3: "# why", 6: "# so"}
    (loop,) = found.body
    assert loop.extent == (4, 1, 8, 4)
    condition, kept, broken = children(loop)
    assert condition.extent == (4, 18, 5, 25)
    assert (kept.extent, isinstance(broken, Broken)) == ((6, 5, 6, 16), True)


def test_a_problem_says_what_to_write_instead() -> None:
    body = (
        "macro A\nfor workbook\neach shet\nend\neach sheet\nsheet.hiden = no\nprotcet\nprotect pasword: nothing\nend\n"
    )
    found = [(each.code, each.replacement) for each in scrub.check_text(body)]
    assert found == [
        ("unknown-kind", "sheet"), ("unknown-field", "hidden"), ("unknown-action", "protect"), ("unknown-argument", "password"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("body", "line"),
    [
        ('if no\nlog "a"\nelse if 1 / 0 > 1\nlog "b"\nend', 5), ('log "{{1}}"\nx = [1,\n  2,\n  1 / 0]', 6), ('x = 1\nif x is 2 or\n  x / 0 > 1\nlog "a"\nend', 5),
        ("if yes\n  x = 1 / 0\nend", 4),
    ],
)  # fmt: skip
def test_a_failure_names_its_own_line(book: Path, body: str, line: int) -> None:
    with pytest.raises(scrub.Failure, match=f"line {line}"):
        run(body, book, kind="workbook")


def test_a_format_that_lacks_something_says_what_when_it_is_opened(home: Path) -> None:
    """Of formats of our own mypy says so; one from outside is looked at when a file of it is opened."""
    (Path("huts.grid")).write_text("Hut|Nights\nLarch|3\n")
    whole: Any = grid.BarSheet.put
    try:
        del grid.BarSheet.put
        with pytest.raises(scrub.ScrubError, match=r"its format \(trials.grid\) is incomplete. Missing: BarSheet.put"):
            run("single-spaces", Path("huts.grid"), kind="workbook")
    finally:
        grid.BarSheet.put = whole  # type: ignore[method-assign]
    run("single-spaces", Path("huts.grid"), kind="workbook")
