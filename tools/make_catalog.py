"""Writes docs/catalog.md from the declarations in the code; `-` prints it instead."""

from __future__ import annotations

import sys
from pathlib import Path

import scrub


def page() -> str:
    """The catalog as a page."""
    head = [
        "# Catalog",
        "",
        "All that a macro can name, made from the code by `tools/make_catalog.py`.",
        "At the terminal, search it in everyday words: `scrub catalog lock cells`.",
    ]
    sections: dict[str, list[str]] = {}
    heading = ""
    for entry in scrub.vocabulary().entries():
        heading = entry.written if entry.what == "kind" else heading
        if entry.what in ("statement", "look-up"):
            heading = "Statements and look-ups"
        if entry.what.startswith("operation"):
            heading = "Operations of " + entry.what.removeprefix("operation of ").partition(",")[0]
        lines = sections.setdefault(heading, ["", f"## {heading}"])
        if entry.what == "kind":
            lines += ["", entry.docs.summary]
            continue
        lines += ["", f"**`{entry.written}`** ({entry.what}): {entry.docs.summary}"]
        lines += [""] if entry.docs.arguments else []
        for name, text in entry.docs.arguments.items():
            words = f" One of: {', '.join(entry.choices[name])}." if name in entry.choices else ""
            lines.append(f"- `{name.replace('_', '-')}`: {text}{words}")
        if entry.docs.example:
            lines += ["", f"    {entry.docs.example}"]
    return "\n".join([*head, *(line for lines in sections.values() for line in lines)]) + "\n"


if __name__ == "__main__":
    if sys.argv[1:] == ["-"]:
        sys.stdout.write(page())
    else:
        (Path(__file__).parent.parent / "docs" / "catalog.md").write_text(page())
