"""The changes of a run as one page that needs nothing else: to read, to send, to print."""

from __future__ import annotations

import re
from difflib import SequenceMatcher
from html import escape

import scrub
from scrub.cli.listing import by_place

_STYLE = """
:root { color-scheme: light; --ink: #22302e; --quiet: #63706d; --line: #d8dfdc; --accent: #00727c; }
* { box-sizing: border-box; }
body { font: 15px/1.5 system-ui, "DejaVu Sans", sans-serif; color: var(--ink); background: #fbfaf7; margin: 0; }
main { max-width: 68rem; margin: 0 auto; padding: 2.5rem 1.5rem 4rem; }
h1 { font-size: 1.7rem; margin: 0 0 .2rem; } h2 { font-size: 1.15rem; color: var(--accent); margin: 2.4rem 0 .3rem; }
h3 { font-size: 1rem; margin: 1.4rem 0 .4rem; } p { margin: .2rem 0; } .quiet { color: var(--quiet); }
table { width: 100%; border-collapse: collapse; background: #fff; table-layout: fixed; }
th, td { text-align: left; vertical-align: top; padding: .35rem .7rem; border: 1px solid var(--line); }
th, td { overflow-wrap: anywhere; }
th { font-weight: 600; background: #eef3f1; } th.where, td.where { width: 15%; white-space: nowrap; }
td.no { color: var(--quiet); } del { color: #9d2f1f; background: #fbe9e4; text-decoration-thickness: 1px; }
ins { color: #14603c; background: #e4f3e8; text-decoration: none; border-bottom: 1px solid #14603c; }
.failed { border-left: 4px solid #9d2f1f; padding: .4rem .8rem; background: #fbe9e4; }
@media print {
  body { background: none; font-size: 11px; } main { padding: 0; max-width: none; }
  tr, h3 { break-inside: avoid; } h3 { break-after: avoid; } thead { display: table-header-group; }
}
"""


_HEAD = '<table><thead><tr><th class="where">Where</th><th>Before</th><th>After</th></tr></thead><tbody>'


def page_of(record: scrub.RunRecord) -> str:
    """The page of a run: before and after side by side, by file and by sheet."""
    files = scrub.counted(len(record.files), "file")
    changes = scrub.counted(record.changes, "change")
    parts = [
        '<!doctype html><html lang="en"><head><meta charset="utf-8">',
        '<meta name="viewport" content="width=device-width, initial-scale=1">',
        f"<title>{escape(record.title)}: run {record.number}</title><style>{_STYLE}</style></head><body><main>",
        f"<h1>{escape(record.title)}</h1>",
        f'<p class="quiet">Run {record.number}, {escape(record.when[:16].replace("T", " "))}: {changes} in {files}'
        + (", taken back since" if record.undone else "")
        + ".</p>",
    ]
    for file in record.files:
        parts.append(f"<h2>{escape(file.path)}</h2>")
        if file.problem:
            parts.append(f'<p class="failed">Failed: {escape(file.problem)}</p>')
        elif not file.changes:
            parts.append('<p class="quiet">Nothing was changed.</p>')
        parts += [f"<p>{escape(line)}</p>" for line in file.said]
        for place, every in by_place(file.changes).items():
            parts.append(f"<h3>{escape(place)}</h3>")
            parts.append(_HEAD)
            parts += [_row(change, file.headings.get(place, {})) for change in every]
            parts.append("</tbody></table>")
        if file.log:
            parts.append("<h3>Log</h3>")
            parts += [f'<p class="quiet">{escape(line)}</p>' for line in file.log]
    return "\n".join([*parts, "</main></body></html>", ""])


def _row(change: scrub.Change, headings: object) -> str:
    where = escape(change.what)
    letters = scrub.letters_of(change.cell.left) if change.cell and not change.of_cell else ""
    if letters and isinstance(headings, dict) and headings.get(letters):
        where += f'<br><span class="quiet">{escape(headings[letters])}</span>'
    before, after = change.sides
    if before.startswith('"') and after.startswith('"'):
        old, new = _marked(before[1:-1], after[1:-1])
        return f'<tr><td class="where">{where}</td><td>{old}</td><td>{new}</td></tr>'
    turned = before.startswith('"') != after.startswith('"') and "nothing" not in (before, after)
    cells = ""
    for text in (before, after):
        sort = ' <span class="quiet">(a text)</span>' if turned and text.startswith('"') else ""
        plain = _visible(_edges(text.removeprefix('"').removesuffix('"')))
        cells += f'<td class="no">{plain}</td>' if text == "nothing" else f"<td>{plain}{sort}</td>"
    return f'<tr><td class="where">{where}</td>{cells}</tr>'


def _marked(before: str, after: str) -> tuple[str, str]:
    """Two texts with the words that went struck and those that came marked."""
    one, other = re.findall(r"\s+|\S+", _edges(before)), re.findall(r"\s+|\S+", _edges(after))
    old, new = [], []
    for tag, a, b, c, d in SequenceMatcher(None, one, other, autojunk=False).get_opcodes():
        gone, came = _visible("".join(one[a:b])), _visible("".join(other[c:d]))
        old.append(gone if tag == "equal" else f"<del>{gone}</del>" if gone else "")
        new.append(came if tag == "equal" else f"<ins>{came}</ins>" if came else "")
    return "".join(old), "".join(new)


def _edges(text: str) -> str:
    """A text with the blanks at its ends made visible."""
    return re.sub(r"^ +| +$", lambda found: "\u00b7" * len(found[0]), text)


def _visible(text: str) -> str:
    """A text with what nobody sees made visible."""
    text = escape(text).replace("\n", "\u21b5<br>").replace("\t", "\u21e5 ").replace("\u00a0", "\u237d")
    return re.sub(r" {2,}", lambda found: "\u00b7" * len(found[0]), text)
