"""What comes from a file never leads out of the folder, whatever action makes a path of it; the macro's own words may."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from conftest import SAMPLE, macro, some
from mails import Approving, a_message, mbox

import scrub

#: Values as a stranger could put them into a file. `link` is one inside the folder that leads out of it.
VALUES = [
    "~", "~root", "~daemon.dat", "..", "../out", "/OUT/evil", "C:\\out", "a\\..\\..\\out", "..\\out", "link", "link/deep",
    "a/../../out", ".", "a/./../../out", "\\\\server\\share", "//server/share",
]  # fmt: skip
FORMS = ['"{v}"', '"{v}/2026"', '"a{v}"', '"sub/{v}"', "v"]
#: Actions that take a path, for each kind; `P` is the path, the value comes from what is before it.
ACTIONS = {
    "workbook": ['save-copy to: P', 'x = new-file("new.csv", to: P)', 'x = copy-of("book.xlsx", name: "copy", to: P)', "x = open(P)",
                 'x = new-message(to: "a@b.example", subject: "s", text: "t")\nin x\nsave-draft to: P\nend',
                 'x = new-message(to: "a@b.example", subject: "s", text: "t")\nin x\nattach P\nend'],
    "mailbox": ["in message(1)\ncopy to: P\nend", "in message(1)\nmove to: P\nend", "in message(1)\nsave to: P\nend",
                "each attachment\nsave to: P\nend"],
    "folder": ["each file where file.ending is \"xlsx\"\nmove to: P\nend"],
}  # fmt: skip
CASES = [(kind, action, form) for kind, actions in ACTIONS.items() for action in actions for form in FORMS]


def everything(folder: Path) -> set[str]:
    return {str(path) for path in folder.rglob("*") if not path.is_symlink()}


@pytest.mark.parametrize(("kind", "action", "form"), some(CASES))
def test_a_value_never_leads_out_of_the_folder(
    home: Path, tmp_path: Path, kind: str, action: str, form: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    out, work = tmp_path / "OUT", tmp_path / "in" / "deeper"
    out.mkdir()
    work.mkdir(parents=True)
    monkeypatch.chdir(work)
    monkeypatch.setenv("HOME", str(out))
    Path("link").symlink_to(out)
    (out / "secret.xlsx").write_bytes(SAMPLE.read_bytes())
    for value in VALUES:
        value = value.replace("/OUT", str(out))
        Path("book.xlsx").write_bytes(SAMPLE.read_bytes())
        Path("values.csv").write_text(f'v\n"{value}"\n')
        made = a_message(1, Subject=value)
        made.add_attachment(b"x", maintype="application", subtype="pdf", filename="a.pdf")
        Path("box.mbox").unlink(missing_ok=True)
        mbox(Path("box.mbox"), made)
        before = everything(tmp_path)
        body = f'v = open("values.csv").sheet("values").cell("A2").value\n{action.replace("P", form, 1)}'
        body = body.replace("P\n", f"{form}\n")
        target = {"workbook": "book.xlsx", "mailbox": "box.mbox", "folder": "."}[kind]
        if kind == "folder":
            body = body.replace('open("values.csv")', f'open("{work}/values.csv")')
        result = scrub.run(macro(body, kind), [target], host=Approving())
        fresh = {each for each in everything(tmp_path) - before if str(home) not in each}
        assert not [each for each in fresh if not each.startswith(str(work) + os.sep)], (value, result)
        assert not [each for each in fresh if each.startswith(f"{work}/link")], (value, result)
        assert (out / "secret.xlsx").read_bytes() == SAMPLE.read_bytes()
        assert sorted(path.name for path in out.iterdir()) == ["secret.xlsx"]


def test_what_the_macro_says_itself_may_lead_anywhere(
    home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("HOME", str(tmp_path / "me"))
    Path("book.csv").write_text("v\nLarch\n")
    for to in ("~/Huts/{v}", f"{tmp_path}/there/{{v}}", "../beside/{v}"):
        body = f'v = sheet("book").cell("A2").value\nsave-copy to: "{to}"'
        result = scrub.run(macro(body), ["book.csv"], host=Approving())
        assert result.files[0].problem is None, result.files[0].problem
    for path in ("me/Huts/Larch", "there/Larch", "beside/Larch"):
        assert (tmp_path / path / "book.csv").exists()
