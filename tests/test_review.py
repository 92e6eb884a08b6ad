"""What reviewers left in a document, decided on one by one, beside a reader that shares no code with Scrub."""

from __future__ import annotations

import contextlib
import tempfile
from pathlib import Path

import docx
import pytest
from conftest import examples, model_of
from documents import W, document, members, resolved, texts
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree
from sheets import schema_findings
from test_documents import COMMENTS, PARAGRAPHS, REVIEWED, edits_of, made, run

import scrub


@examples(100)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=2), st.booleans(), st.data())
def test_the_changes_of_one_author_are_decided_on_and_the_others_wait(
    paragraphs: list[str], accepted: bool, data: st.DataObject
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.docx"
        path.write_bytes(document("".join(paragraphs), settings="<w:trackRevisions/>"))
        with scrub.open(str(path)) as opened:
            for paragraph in list(model_of(opened).paragraphs()):
                with contextlib.suppress(scrub.Failure):
                    paragraph.edit(data.draw(edits_of(len(paragraph.text))))
            opened.save("by hand")
        before, wanted = path.read_bytes(), resolved(path, accepted)
        others = _waiting(path, "A")
        verb = "accept" if accepted else "reject"
        done = run(f'each change where change.author is "Scrub"\n{verb}\nend', path)
        assert texts(path) == wanted
        assert (_waiting(path, "Scrub"), _waiting(path, "A")) == (0, others)
        if done.state == "changed":
            scrub.undo()
        assert path.read_bytes() == before


def _waiting(path: Path, author: str) -> int:
    return members(path)["word/document.xml"].count(f'w:author="{author}"'.encode())


def test_a_change_is_decided_on_alone(home: Path) -> None:
    path = made(*REVIEWED, comments=COMMENTS)
    done = run('each change where change.author is "Ben"\naccept\nend\nlog "{count(change)}"', path)
    assert [str(each) for each in done.changes] == [
        'insertion of Ben accepted: "six big"', "format of Ben accepted", "format of Ben accepted",
    ]  # fmt: skip
    assert done.log == ["4"]
    assert resolved(path, True, "Ann") == ["Carry six kg up.", "row"]
    scrub.undo()
    old = run('each change where change.author is "Cy"\nreject\nend', path)
    assert old.state == "unchanged"
    mixed = run("each change where change.type is deletion\naccept\nend\neach change\nreject\nend", path)
    assert "deletion of Ann accepted" in [str(each) for each in mixed.changes]
    assert texts(path) == ["Carry  kg up."]
    assert not any(f'w:author="{name}"'.encode() in members(path)["word/document.xml"] for name in ("Ann", "Ben"))
    scrub.undo()


def test_a_decision_is_taken_back_and_stands_above_other_edits(home: Path) -> None:
    path = made(*REVIEWED, comments=COMMENTS)
    back = run('attempt\neach change\naccept\nend\nfail "no"\nif it fails\nlog "{count(change)}"\nend', path)
    assert (back.log, back.state) == (["7"], "unchanged")
    with pytest.raises(scrub.Failure, match="changes before all other edits"):
        run("upper\neach change\naccept\nend", path)
    assert run("each change\naccept\nend\nupper", path).changes[-1].after == '"ROW"'


def test_a_move_is_one_change(home: Path) -> None:
    moved = (
        '<w:p><w:moveFromRangeStart w:id="1" w:name="m1" w:author="Ann"/><w:moveFrom w:id="2" w:author="Ann"><w:r>'
        '<w:t>bread </w:t></w:r></w:moveFrom><w:moveFromRangeEnd w:id="1"/><w:r><w:t>and water</w:t></w:r>'
        '<w:moveToRangeStart w:id="3" w:name="m1" w:author="Ann"/><w:moveTo w:id="4" w:author="Ann"><w:r>'
        '<w:t xml:space="preserve"> bread</w:t></w:r></w:moveTo><w:moveToRangeEnd w:id="3"/></w:p>'
    )
    for verb, left in (("accept", "and water bread"), ("reject", "bread and water")):
        path = made(moved, '<w:p><w:ins w:id="9" w:author="Ben"><w:r><w:t>stays</w:t></w:r></w:ins></w:p>')
        done = run(f"each change where change.type is move\n{verb}\nend", path)
        assert len(done.changes) == 1
        assert texts(path) == [left, "stays"]
        content = members(path)["word/document.xml"]
        assert b"move" not in content
        assert b'w:author="Ben"' in content


def test_what_a_cell_of_a_table_records_waits(home: Path) -> None:
    cells = (
        '<w:tbl><w:tr><w:tc><w:tcPr><w:cellIns w:id="5" w:author="Ann"/></w:tcPr><w:p><w:r><w:t>new</w:t></w:r></w:p>'
        '</w:tc></w:tr></w:tbl><w:p><w:ins w:id="9" w:author="Ben"><w:r><w:t>in</w:t></w:r></w:ins></w:p>'
    )
    path = made(cells)
    run("each change\naccept\nend", path)
    assert b"cellIns" in members(path)["word/document.xml"]
    assert b"<w:ins " not in members(path)["word/document.xml"]
    with pytest.raises(scrub.Failure, match="cells"):
        run("accept-changes", made(cells, '<w:p><w:ins w:id="9" w:author="Ben"/></w:p>'))


def _threads(path: Path) -> dict[str | None, tuple[str | None, ...]]:
    """Each comment as lxml sees it, by its number: author, text, the number of what it answers, whether it is done."""
    parts = members(path)
    comments = etree.fromstring(parts["word/comments.xml"])
    w14 = "{http://schemas.microsoft.com/office/word/2010/wordml}paraId"
    w15 = "{http://schemas.microsoft.com/office/word/2012/wordml}"
    ids = {each.findall(f"{{{W}}}p")[-1].get(w14): each.get(f"{{{W}}}id") for each in comments}
    extended = [data for name, data in parts.items() if "commentsExtended" in name]
    about = {
        ids[entry.get(f"{w15}paraId")]: (
            ids[parent] if (parent := entry.get(f"{w15}paraIdParent")) else None,
            entry.get(f"{w15}done"),
        )
        for entry in (etree.fromstring(extended[0]) if extended else ())
    }
    return {
        each.get(f"{{{W}}}id"): (
            each.get(f"{{{W}}}author"),
            "".join(text.text or "" for text in each.iter(f"{{{W}}}t")),
            *about.get(each.get(f"{{{W}}}id"), (None, "")),
        )
        for each in comments
    }


def test_comments_are_answered_changed_and_done(home: Path) -> None:
    path = made(*REVIEWED, "more  words", comments=COMMENTS)
    old = path.read_bytes()

    done = run(
        'each comment where comment.author is "Ann"\nreply "Yes & done."\ncomment.done = yes\nend\n'
        'each comment where comment.author is "Ben"\ncomment.text = "Look here"\nend\nsingle-spaces',
        path,
    )
    assert [str(each) for each in done.changes if each.field != "text" or "comment" in str(each)] == [
        'answered: "Yes & done."', "comment of Ann done: no -> yes", "comment of Ben text:  -> Look here",
    ]  # fmt: skip
    assert _threads(path) == {
        "0": ("Ann", "Is that right?", None, "1"), "1": ("Ben", "Look here", None, ""), "2": ("Scrub", "Yes & done.", "0", "0"),
    }  # fmt: skip
    body = members(path)["word/document.xml"].decode()
    for mark in ("commentRangeStart", "commentRangeEnd", "commentReference"):
        assert body.index(f'<w:{mark} w:id="0"/>') < body.index(f'<w:{mark} w:id="2"/>')
    seen = run('each comment\nlog "{comment.author} {comment.done} {comment.text}"\nend', path)
    assert seen.log == ["Ann yes Is that right?", "Ben no Look here", "Scrub no Yes & done."]
    again = run('each comment where comment.author is "Ann"\nreply "Twice"\ncomment.done = no\nend', path)
    assert again.state == "changed"
    assert _threads(path)["3"] == ("Scrub", "Twice", "0", "0")
    run('each comment where comment.author is "Ann"\ndelete\nend', path)
    assert list(_threads(path)) == ["1"]
    assert b'w:id="2"' not in members(path)["word/document.xml"]
    for _ in range(2):
        scrub.undo()
    scrub.undo()
    assert path.read_bytes() == old


@pytest.mark.everything
def test_answers_have_no_finding_in_the_schema(home: Path) -> None:
    made_by = docx.Document()
    paragraph = made_by.add_paragraph("Fill the jugs")
    made_by.add_comment(paragraph.runs, text="Which?", author="Ann", initials="A")
    made_by.save("real.docx")
    before = schema_findings("real.docx")
    run('each comment\nreply "The large ones"\ncomment.done = yes\nend\nreplace "jugs", by: "large jugs"', "real.docx")
    assert schema_findings("real.docx") == before
    assert [each.text for each in docx.Document("real.docx").comments] == ["Which?", "The large ones"]
    assert [each.author for each in docx.Document("real.docx").comments] == ["Ann", "Scrub"]


def test_comments_of_other_formats_are_not_answered(home: Path) -> None:
    Path("a.txt").write_text("one\n")
    with pytest.raises(scrub.Failure, match="stores text only"):
        run('each comment\nreply "x"\nend', "a.txt")
