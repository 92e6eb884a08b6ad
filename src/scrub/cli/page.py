"""The changes of a run as one page that needs nothing else: to read, to send, to print."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from html import escape
from typing import NamedTuple

import scrub
from scrub.cli.output import harmless

#: Changes from which those of one place are grouped by column; groups are open up to this size, in a place of up to
#: ten times as many.
_GROUPED = 40
#: Nothing is loaded and no script runs, regardless of the values of a file say.
_POLICY = "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'"

_STYLE = """
:root {
  color-scheme: light dark; --paper: #fbfaf7; --sheet: #fff; --head: #eef3f1; --ink: #22302e; --quiet: #5b6865;
  --line: #d8dfdc; --accent: #00636b; --old: #8f2a1b; --old-paper: #fbe9e4; --new: #14603c; --new-paper: #e4f3e8;
}
@media (prefers-color-scheme: dark) {
  :root {
    --paper: #16191a; --sheet: #1d2122; --head: #262c2d; --ink: #e4e8e6; --quiet: #a3afac; --line: #3a4344;
    --accent: #7cc7cd; --old: #ffb3a4; --old-paper: #43241e; --new: #9bdfb6; --new-paper: #1e3a2a;
  }
}
* { box-sizing: border-box; }
body { font: 15px/1.5 system-ui, "DejaVu Sans", sans-serif; color: var(--ink); background: var(--paper); margin: 0; }
main { max-width: 68rem; margin: 0 auto; padding: 2rem 1.5rem 4rem; }
h1 { font-size: 1.6rem; line-height: 1.25; margin: 0 0 .3rem; } h1, h2, h3, p, li { overflow-wrap: anywhere; }
h2 { font-size: 1.15rem; color: var(--accent); margin: 2.2rem 0 .3rem; } h3 { font-size: 1rem; margin: 1.3rem 0 .4rem; }
p { margin: .2rem 0; } ul { margin: .3rem 0; padding-left: 1.3rem; } a { color: var(--accent); }
.quiet, .kind { color: var(--quiet); } .kind { font-size: .85em; }
.failed, .skipped { border-left: 4px solid var(--old); padding: .4rem .9rem; margin: 1rem 0; }
.failed { background: var(--old-paper); }
.skipped { border-color: var(--line); background: var(--head); } .failed strong { color: var(--old); }
table { width: 100%; border-collapse: collapse; background: var(--sheet); table-layout: fixed; }
th, td { text-align: left; vertical-align: top; padding: .35rem .7rem; border: 1px solid var(--line); }
th, td { overflow-wrap: anywhere; white-space: pre-wrap; }
th { font-weight: 600; background: var(--head); } th:first-child { width: 18%; }
td.no { color: var(--quiet); } del { color: var(--old); background: var(--old-paper); text-decoration-thickness: 1px; }
ins { color: var(--new); background: var(--new-paper); text-decoration: none; border-bottom: 1px solid var(--new); }
.swatch { display: inline-block; width: 1em; height: 1em; border: 1px solid var(--quiet); vertical-align: -.12em; }
details { margin: .4rem 0; } summary { cursor: pointer; padding: .2rem 0; } details table { margin: .3rem 0 .8rem; }
@media (max-width: 600px) {
  main { padding: 1.2rem .9rem 3rem; } thead { display: none; } table, tbody, tr, td { display: block; width: 100%; }
  tr { border: 1px solid var(--line); margin-bottom: .6rem; } td { border: 0; padding: .2rem .6rem; }
  td:first-child { font-weight: 600; background: var(--head); }
  td:nth-child(2)::before { content: "Before  "; color: var(--quiet); }
  td:nth-child(3)::before { content: "After  "; color: var(--quiet); }
}
@media print {
  :root { --paper: #fff; --sheet: #fff; --head: #f2f2f2; --ink: #000; --quiet: #444; --accent: #000; --line: #bbb; }
  body { font-size: 10px; line-height: 1.35; } main { padding: 0; max-width: none; } nav { display: none; }
  th, td { padding: .12rem .4rem; } h2 { margin-top: 1rem; } tr, h3, summary { break-inside: avoid; }
  h2, h3, summary { break-after: avoid; } thead { display: table-header-group; }
}
"""
_HEAD = "<table><thead><tr><th>Where</th><th>Before</th><th>After</th></tr></thead><tbody>"


#: Changed files that are shown with all their changes; of more, the numbers are shown.
_FULL = 200


class _Listed(NamedTuple):
    """What the page tells of a file besides its changes."""

    number: int
    path: str
    changes: int
    problem: str
    skipped: Sequence[str]
    shown: bool  # whether its changes are on the page


def page_of(record: scrub.RunRecord) -> str:
    """The page of a run: the result, what failed or was skipped, the contents, and before and after of each change."""
    files: list[_Listed] = []
    bodies: list[str] = []
    for number, file in enumerate(record.each_file()):
        shown = bool(file.changes or file.said or file.log) and len(bodies) < _FULL
        skipped = [line.removeprefix("skipped ") for line in file.log if line.startswith("skipped ")]
        files.append(_Listed(number, file.path, len(file.changes), file.problem, skipped, shown))
        if shown:
            bodies.append("\n".join(_file(number, file, record.title)))
    changed = [file for file in files if file.changes]
    changes = scrub.counted(sum(file.changes for file in files), "change")
    when = f", {record.when[:16].replace('T', ' ')}" if record.when else ""
    parts = [
        '<!doctype html><html lang="en"><head><meta charset="utf-8">',
        f'<meta http-equiv="Content-Security-Policy" content="{_POLICY}">',
        '<meta name="viewport" content="width=device-width, initial-scale=1">',
        f"<title>{_plain(record.title)}: run {record.number}</title><style>{_STYLE}</style></head><body><main>",
        f"<h1>{_plain(record.title)}</h1>",
        f"<p><strong>{changes} in {len(changed):,} of {scrub.counted(len(files), 'file')}</strong></p>",
        f'<p class="quiet">Run {record.number}{when}{", undone since" if record.undone else ""}</p>',
        *_problems(files),
        *_contents(changed, record.number),
        *bodies,
    ]
    unchanged = [file.path for file in files if file.path and not file.changes and not file.problem]
    if unchanged:
        parts.append(f"<h2>Nothing changed in {scrub.counted(len(unchanged), 'file')}</h2>")
        parts.append(f'<p class="quiet">{", ".join(_plain(path) for path in unchanged)}</p>')
    return "\n".join([*parts, "</main></body></html>", ""])


def _file(number: int, file: scrub.FileRecord, title: str) -> Iterator[str]:
    """What was done in one file."""
    yield f'<h2 id="file-{number}">{_plain(file.path or title)}</h2>'
    yield from (f"<p>{_plain(line)}</p>" for line in file.said)
    for place, every in scrub.by_place(file.changes).items():
        yield from _place(place, every, dict(file.headings.get(place, {})))
    yield from _recalculated(file)
    log = [line for line in file.log if not line.startswith("skipped ")]
    if log:
        yield "<h3>Log</h3>"
        yield from (f'<p class="quiet">{_plain(line)}</p>' for line in log)


def _recalculated(file: scrub.FileRecord) -> Iterator[str]:
    """The results of formulas that became others, folded."""
    if not file.recalculated:
        return
    yield f"<details><summary>{scrub.counted(file.recalculated, 'result')} recalculated</summary>"
    for place, every in scrub.by_place(file.results).items():
        yield f"<h3>{_plain(place)}</h3>"
        yield from _table(every, {})
    if file.recalculated > len(file.results):
        yield f'<p class="quiet">{file.recalculated - len(file.results):,} more</p>'
    yield "</details>"


def _problems(files: Sequence[_Listed]) -> Iterator[str]:
    """What failed, and what was skipped, before all else."""
    failed = [file for file in files if file.problem]
    if failed:
        yield f'<section class="failed"><strong>Failed: {scrub.counted(len(failed), "file")}</strong><ul>'
        yield from (f"<li>{_plain(file.path)}: {_plain(file.problem)}</li>" for file in failed)
        yield "</ul></section>"
    skipped = [f"{file.path}: {line}" if len(files) > 1 else line for file in files for line in file.skipped]
    if skipped:
        yield f'<details class="skipped"{" open" if len(skipped) < _GROUPED else ""}>'
        yield f"<summary>Skipped: {scrub.counted(len(skipped), 'place')}</summary><ul>"
        yield from (f"<li>{_plain(line)}</li>" for line in skipped)
        yield "</ul></details>"


def _contents(changed: Sequence[_Listed], run: int) -> Iterator[str]:
    if len(changed) < 2:
        return
    yield "<nav><h2>Contents</h2><ul>"
    for file in changed:
        if file.shown:
            yield f'<li><a href="#file-{file.number}">{_plain(file.path)}</a> {_count(file)}</li>'
    yield "</ul>"
    rest = [file for file in changed if not file.shown]
    if rest:
        yield f"<details><summary>{scrub.counted(len(rest), 'more file')}</summary>"
        yield f"<p>Their changes are not on this page. To see all: scrub changes {run} --to changes.csv</p><ul>"
        yield from (f"<li>{_plain(file.path)} {_count(file)}</li>" for file in rest)
        yield "</ul></details>"
    yield "</nav>"


def _count(file: _Listed) -> str:
    return f'<span class="quiet">{file.changes:,}</span>'


def _place(place: str, changes: Sequence[scrub.Change], headings: dict[str, str]) -> Iterator[str]:
    """The changes of one sheet or paragraph; many are folded, a group for each column or field."""
    yield f'<h3>{_plain(place)} <span class="quiet">{scrub.counted(len(changes), "change")}</span></h3>'
    if len(changes) <= _GROUPED:
        yield from _table(changes, headings)
        return
    groups: dict[str, list[scrub.Change]] = {}
    for change in sorted(changes, key=lambda change: (change.cell.left, change.of_cell) if change.cell else (0, "")):
        groups.setdefault(_group(change, headings), []).append(change)
    for name, every in groups.items():
        shown = " open" if len(every) <= _GROUPED and len(changes) <= 10 * _GROUPED else ""
        yield f"<details{shown}><summary>{_plain(name)}: {scrub.counted(len(every), 'change')}</summary>"
        yield from _table(every, {})  # the group names the heading
        yield "</details>"


def _group(change: scrub.Change, headings: dict[str, str]) -> str:
    if change.cell is None:
        return change.field or "other changes"
    letters = scrub.letters_of(change.cell.left)
    column = f"{headings[letters]} (column {letters})" if headings.get(letters) else f"Column {letters}"
    return f"{column}, {change.of_cell}" if change.of_cell else column


def _table(changes: Sequence[scrub.Change], headings: dict[str, str]) -> Iterator[str]:
    yield _HEAD
    for change in changes:
        yield _row(change, headings)
    yield "</tbody></table>"


def _row(change: scrub.Change, headings: dict[str, str]) -> str:
    where = _plain(change.what)
    letters = scrub.letters_of(change.cell.left) if change.cell and not change.of_cell else ""
    if headings.get(letters):
        where += f'<br><span class="quiet">{_plain(headings[letters])}</span>'
    before, after = change.sides
    if change.said and before == after == "nothing":
        return f"<tr><td>{where}</td><td></td><td>{_plain(change.said)}</td></tr>"
    if before.startswith('"') and after.startswith('"') and not _COLOUR.fullmatch(before + after):
        old, new = _marked(before[1:-1], after[1:-1])
        return f"<tr><td>{where}</td><td>{old}</td><td>{new}</td></tr>"
    turned = before.startswith('"') != after.startswith('"') and "nothing" not in (before, after)
    return f"<tr><td>{where}</td>{_side(before, turned)}{_side(after, turned)}</tr>"


#: A colour as a change tells it.
_COLOUR = re.compile(r'("?#[0-9a-fA-F]{6}"?)+')


def _side(text: str, turned: bool) -> str:
    """One value. A colour has a swatch; where a text became a number or the reverse, the type is told."""
    if text == "nothing":
        return '<td class="no">nothing</td>'
    plain = text.removeprefix('"').removesuffix('"')
    if _COLOUR.fullmatch(text) and len(plain) == 7:
        return f'<td><span class="swatch" style="background:{plain}"></span> {plain}</td>'
    kind = f' <span class="kind">{"text" if text.startswith(chr(34)) else _kind(text)}</span>' if turned else ""
    return f"<td>{_visible(_edges(plain))}{kind}</td>"


def _kind(text: str) -> str:
    if re.fullmatch(r"-?[\d.]+", text):
        return "number"
    return "date" if re.match(r"\d{4}-\d{2}-\d{2}", text) else ""


def _marked(before: str, after: str) -> tuple[str, str]:
    """Two texts with the words that were deleted and those that came marked."""
    before, after, goes_on = scrub.compared(before, after)
    one, other = re.findall(r"\s+|\S+", _edges(before)), re.findall(r"\s+|\S+", _edges(after))
    old, new = [], []
    at = to = 0
    for a, b, c, d in [*scrub.differences(one, other), (len(one), len(one), len(other), len(other))]:
        same = _visible("".join(one[at:a]))
        gone, came = _visible("".join(one[a:b])), _visible("".join(other[c:d]))
        old.append(same + (f"<del>{gone}</del>" if gone else ""))
        new.append(_visible("".join(other[to:c])) + (f"<ins>{came}</ins>" if came else ""))
        at, to = b, d
    more = "\u2026" if goes_on else ""
    return "".join(old) + more, "".join(new) + more


def _plain(text: str) -> str:
    """A text for the page: what nobody would see, or what turns the direction of reading, is named."""
    return escape(harmless(text))


def _edges(text: str) -> str:
    """A text with the spaces at its ends made visible."""
    return re.sub(r"^ +| +$", lambda found: "\u00b7" * len(found[0]), text)


def _visible(text: str) -> str:
    """A value with what nobody sees made visible."""
    text = _plain(text).replace("\n", "\u21b5<br>").replace("\t", "\u21e5 ").replace("\u00a0", "\u237d")
    return re.sub(r" {2,}", lambda found: "\u00b7" * len(found[0]), text)
