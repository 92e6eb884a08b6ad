"""What reviewers left in a document, decided on one by one, beside a reader that shares no code with Scrub."""

from __future__ import annotations

import contextlib
import tempfile
from pathlib import Path

import pytest
from documents import document, members, resolved, texts
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_documents import COMMENTS, PARAGRAPHS, REVIEWED, edits_of, made, run

import scrub


@settings(suppress_health_check=[HealthCheck.too_slow], max_examples=100)
@given(st.lists(PARAGRAPHS, min_size=1, max_size=2), st.booleans(), st.data())
def test_the_changes_of_one_author_are_decided_on_and_the_others_wait(
    paragraphs: list[str], accepted: bool, data: st.DataObject
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.docx"
        path.write_bytes(document("".join(paragraphs), settings="<w:trackRevisions/>"))
        with scrub.open(str(path)) as opened:
            for paragraph in list(opened.item.paragraphs()):
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
    mixed = run("each change where change.sort is deletion\naccept\nend\neach change\nreject\nend", path)
    assert "deletion of Ann accepted" in [str(each) for each in mixed.changes]
    assert texts(path) == ["Carry  kg up."]
    assert not any(f'w:author="{name}"'.encode() in members(path)["word/document.xml"] for name in ("Ann", "Ben"))
    scrub.undo()


def test_a_decision_is_taken_back_and_stands_above_other_edits(home: Path) -> None:
    path = made(*REVIEWED, comments=COMMENTS)
    back = run('attempt\neach change\naccept\nend\nfail "no"\nif it fails\nlog "{count(change)}"\nend', path)
    assert (back.log, back.state) == (["7"], "unchanged")
    with pytest.raises(scrub.Failure, match="above all other edits"):
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
        done = run(f"each change where change.sort is move\n{verb}\nend", path)
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
