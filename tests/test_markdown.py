"""Markdown: actions on words change words, and never the structure around them; judged by a parser of Markdown."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import marko
import pytest
from conftest import examples, macro
from hypothesis import given
from hypothesis import strategies as st
from marko.block import BlockElement

import scrub

STRUCTURE = """---
title:  House  rules
---
#  House  rules  #

Carry  six  kilos.  see  [the  map](huts.html  'a  b')  and  `6 kg  now`.BREAK
next  line  goes  on  here

Water  at  the  hut
===================

Beds and  blankets
---

-  first  item  of  the  list
    -  nested  one,  four  spaces  in
      goes  on
    1.  numbered  one

  + [ ]  a  task  to  do

>  quoted  words
> >  twice  quoted

    code  that  is  indented

```
code  in  a  fence
# no  heading
```

***

1) last  one
   with  more  text
""".replace("BREAK", "  ")


def blocks(element: Any, depth: int = 0) -> Iterator[tuple[int, Any]]:
    """The blocks of a text as a reader that is not ours finds them, each with its depth."""
    for each in getattr(element, "children", ()) if not isinstance(getattr(element, "children", ""), str) else ():
        if isinstance(each, BlockElement):
            yield depth, each
            yield from blocks(each, depth + 1)


def shape(text: str) -> list[tuple[int, str, str]]:
    """The structure of a text: kinds and depths of its blocks, levels of its headings, and its code."""
    found = []
    for depth, each in blocks(marko.parse(text)):
        code = (
            each.children[0].children if each.get_type() in ("CodeBlock", "FencedCode") else getattr(each, "level", "")
        )
        found.append((depth, each.get_type(), str(code)))
    return found


def words(text: str) -> list[str]:
    return [each.inline_body for _, each in blocks(marko.parse(text)) if getattr(each, "inline_body", "")]


def run(body: str, path: Path) -> Any:
    found = scrub.run(macro(body, "document"), [str(path)]).files[0]
    assert found.problem is None, str(found.problem)
    return found


@pytest.mark.parametrize(
    "body",
    [
        "trim",
        "single-spaces",
        "sentence-case",
        "upper",
        "title-case",
        "bind-units",
        "trim\nsingle-spaces",
        'replace "  ", by: " "',
    ],
)
def test_actions_on_words_leave_the_structure(home: Path, body: str) -> None:
    path = Path("rules.md")
    path.write_text(STRUCTURE)
    run(body, path)
    after = path.read_text()
    assert shape(after) == shape(STRUCTURE)
    assert after.splitlines()[:3] == STRUCTURE.splitlines()[:3]
    if body == "single-spaces":
        assert all("  " not in each.replace("'a  b'", "").replace("6 kg  now", "") for each in words(after)[1:])
        assert "now`.  \nnext line" in after
    scrub.undo() if after != STRUCTURE else None
    assert path.read_text() == STRUCTURE


LINES = st.sampled_from([
    "# a  b", "## c  d ##", "a  b", "  c  d", "- e  f", "  - g  h", "    - i  j", "1. k  l", "> m  n", "> - o  p", "===", "---", "", "", "    code  here",
    "```", "~~~", "* * *", "\tq  r", "+ [x] s  t", "u  v  ", "   ", "`w  x`",
])  # fmt: skip


@given(st.lists(LINES, max_size=12), st.sampled_from(["trim", "single-spaces", "sentence-case", "title-case", "upper"]))
@examples(80)
def test_the_structure_of_any_text_stays(home: Path, lines: list[str], body: str) -> None:
    if lines[:1] == ["---"]:
        return  # that may be front matter, which is not a part of CommonMark
    path = Path("any.md")
    text = "\n".join(lines) + "\n"
    path.write_text(text)
    run(body, path)
    assert shape(path.read_text()) == shape(text)


@given(st.lists(LINES, max_size=12))
@examples(80)
def test_headings_are_those_that_others_find(home: Path, lines: list[str]) -> None:
    path = Path("any.md")
    path.write_text("\n".join(lines) + "\n")
    if path.read_text().startswith("---\n"):
        return  # that may be front matter, which is not a part of CommonMark
    wanted = [f"h{each.level}" for _, each in blocks(marko.parse(path.read_text())) if hasattr(each, "level")]
    assert run('each heading\nlog "h{heading.level}"\nend', path).log == wanted


def test_headings_of_both_forms(home: Path) -> None:
    path = Path("rules.md")
    path.write_text("Water\n=====\n\nBeds\n----\ntext\n\n# Wood #\n\n- item\n---\n")
    assert run('each heading\nlog "{heading.level} {heading.text}"\nend', path).log == ["1 Water", "2 Beds", "1 Wood"]
    run(
        'in heading("Water")\nheading.text = "Drinking water"\nadd-after "New line"\nend\nheading("Wood").text = "Dry wood"',
        path,
    )
    assert path.read_text() == "Drinking water\n=====\nNew line\n\nBeds\n----\ntext\n\n# Dry wood #\n\n- item\n---\n"
    run('heading("Drinking water").level = 3\nheading("Beds").level = nothing\nheading("Dry wood").level = 2', path)
    assert path.read_text() == "### Drinking water\nNew line\n\nBeds\ntext\n\n## Dry wood #\n\n- item\n---\n"
    path.write_text("one\n\nWater\n===\n\ntwo\n")
    run('in heading("Water")\ndelete\nend', path)
    assert path.read_text() == "one\n\n\ntwo\n"
    scrub.undo()
    assert path.read_text() == "one\n\nWater\n===\n\ntwo\n"


def test_joined_lines_stay_in_their_block(home: Path) -> None:
    path = Path("joined.md")
    long = "The wardens ask everybody who comes up this summer to carry at"
    path.write_text(
        f"- {long}\n  least one litre of water and two kilos of dry wood from the car\n  park.\n- {long}\n  least something.\n\n> {long}\n> least one.\n\n{long}  \nleast a break.\n"
    )
    run("join-lines", path)
    assert path.read_text().startswith(
        f"- {long} least one litre of water and two kilos of dry wood from the car park.\n- {long} least something.\n\n> {long} least one.\n\n{long}  \nleast a break.\n"
    )
