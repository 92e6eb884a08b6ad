"""What a person reads of a run: the result, what it changed, and what failed with its reason."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

import scrub
from scrub.cli.brief import MANY, among, brief, parts_each
from scrub.cli.host import TerminalHost
from scrub.cli.listing import change_lines
from scrub.cli.output import (
    SHOWN,
    change_count,
    columns,
    echo,
    failed,
    indented,
    print_json_line,
    results,
    short_path,
    spoken,
    strong,
)

#: Files of a call that is repeated in full; a longer one is described.
_REPEATED = 3


class Printer:
    """Prints each file of a run as it is done, and the summary; of many files, the summary and what they share."""

    def __init__(
        self, host: TerminalHost, files: int, every: bool, preview: bool, short: bool, as_json: bool, quiet: bool
    ) -> None:
        self.host = host
        self.several = files > 1
        self.count = files
        self.brief = short or (files >= MANY and not every)
        self.limit = None if every else SHOWN if files == 1 else 3
        self.whole = None if every else 2 * SHOWN if files == 1 else 3
        self.preview = preview
        self.as_json, self.quiet = as_json, quiet
        self.waiting: list[str] = []

    def file(self, found: scrub.FileResult) -> None:
        """Prints one file, all that is told of it below its name; while a bar is shown, the lines wait for its end."""
        self.host.failed += found.problem is not None
        if self.as_json:
            print_json_line(found.as_dict())
        if self.as_json or self.quiet or self.brief:
            return
        lines = change_lines(found.changes, self.limit, found.headings, self.whole)
        if self.limit is None and found.recalculated:
            lines += ["Recalculated:", *change_lines(found.recalculated, None)]
        lines += self._beside(found)
        told = [spoken(text) for text in found.said] if found.problem is None else []
        if not self.several and found.problem is None:
            told += found.notes
        indent = "  " if self.several else ""
        if (lines or (told and self.several)) and found.path:
            self.waiting.append(strong(short_path(found.path)))
        self.waiting += [*lines, *(indent + line.replace("\n", f"\n{indent}") for line in told)]
        if not self.host.busy:
            self.flush()

    def _beside(self, found: scrub.FileResult) -> list[str]:
        """The files that were made, and those that were there and are changed too."""
        lines = []
        verb = "Would create" if self.preview else "Created"
        names = [short_path(path) for path in found.made if path != found.saved_as]
        if names and len(names) <= 3:
            lines.append(f"{verb} {', '.join(names)}")
        elif names and self.limit is None:
            lines += [f"{verb} {name}" for name in names]
        elif names:
            lines.append(f"{verb} {scrub.counted(len(names), 'file')}, such as {names[0]}")
        if found.also:
            also = scrub.listed(short_path(path) for path in found.also[:3])
            more = f" and {len(found.also) - 3} more" if len(found.also) > 3 else ""
            lines.append(f"{'Would change' if self.preview else 'Changed'} {also}{more} too")
        return lines

    def flush(self) -> None:
        """Prints what waited."""
        for line in self.waiting:
            echo(line)
        self.waiting = []

    # -- the end

    def summary(self, result: scrub.RunResult, again: str | None) -> None:
        """Says what was saved, what failed and why, and what can be done next. `again` is the call that saves what a
        preview shows, None where the person is asked.
        """
        if self.quiet:
            self._unsent(result)
            self._problems(result)
            return
        self.flush()
        for sentence in result.recovered:
            echo(sentence, err=True)
        if result.alone:
            echo(f"Done in one process: {result.alone}.", err=True)
        changed = [found for found in result.files if found.change_count or found.state == "changed"]
        self._saved(result, changed)
        if self.brief:
            self._shared(result, changed)
        if self.several:
            self._notes(result.files)
        self._sent(result)
        self._unchanged(result)
        self._skipped(result)
        self._problems(result)
        logged = sum(len(found.log) - (0 if found.problem else found.left) for found in result.files)
        if changed and self.preview and again is None:
            return
        if changed and self.preview:
            call = again if len(result.files) <= _REPEATED else "the same line without --preview"
            echo(f"Preview only; nothing was saved. To apply: {call}", raw=True)
        elif changed:
            echo(f"Details: scrub changes {result.number}    Undo: scrub undo {result.number}")
        elif logged > 0 and result.number is not None:
            echo(f"{scrub.counted(logged, 'line')} in the log: scrub changes {result.number}")

    def _saved(self, result: scrub.RunResult, changed: Sequence[scrub.FileResult]) -> None:
        if len(changed) > _REPEATED or (self.brief and changed):
            changes = scrub.counted(sum(found.change_count for found in changed), "change")
            if self.brief:
                of = f"{len(changed):,} of {scrub.counted(len(result.files), 'file')}"
                line = f"{of} would change" if self.preview else f"Saved {of}"
                echo(strong(f"{line}: {changes}{parts_each(changed)}"))
            else:
                verb = "Would change" if self.preview else "Saved"
                count = sum(found.result_count for found in changed)
                more = f", {results(count)}" if count else ""
                echo(strong(f"{verb} {scrub.counted(len(changed), 'file')}: {changes}{more}."))
            return
        for found in changed:
            verb = "Would save" if found.saved_as != found.path else "Would change"
            name = short_path(found.saved_as)
            if found.saved_as == found.path and not (found.change_count and found.is_written):
                continue  # it stays as it is; what was made of it is told above
            if not found.change_count:
                echo(strong(f"{'Would save' if self.preview else 'Saved'} an unchanged copy: {name}."))
                continue
            refused = f", {found.refused:,} refused" if found.refused else ""
            echo(strong(f"{verb if self.preview else 'Saved'} {name}: {change_count(found)}{refused}."))

    def _shared(self, result: scrub.RunResult, changed: Sequence[scrub.FileResult]) -> None:
        """What many files have in common, and the differences."""
        for line in brief([found for found in changed if found.change_count]):
            echo(line)
        made = [line for found in result.files for line in self._beside(found)]
        for line, times in _counted(made):
            echo(f"  {line}{times}")
        for text, times in _counted(text for found in result.files if found.problem is None for text in found.said):
            echo(f"  {spoken(text)}{times}")

    def _notes(self, files: Sequence[scrub.FileResult]) -> None:
        for note, times in _counted(note for found in files if found.problem is None for note in found.notes):
            echo(note + times)

    def _sent(self, result: scrub.RunResult) -> None:
        for said in (said for found in result.files for said in found.sent):
            echo(f"{said[:1].upper()}{said[1:]}.")
        self._unsent(result)

    def _unsent(self, result: scrub.RunResult) -> None:
        for said in (said for found in result.files for said in found.unsent):
            state, _, rest = said.partition(": ")
            echo(failed(f"{state[:1].upper()}{state[1:]}: ") + rest, err=True)

    def _unchanged(self, result: scrub.RunResult) -> None:
        for found in result.files:
            if found.refused and found.state == "unchanged":
                echo(
                    f"Nothing was saved in {short_path(found.path)}: {scrub.counted(found.refused, 'change')} refused."
                )
        unchanged = [each for each in result.files if each.state == "unchanged" and each.path and not each.refused]
        if unchanged:
            names = unchanged[0].path if len(unchanged) == 1 else scrub.counted(len(unchanged), "file")
            echo(f"Read {names}; nothing to change." if result.only_reads else f"Nothing to change in {names}.")

    def _skipped(self, result: scrub.RunResult) -> None:
        """What an action could not turn or edit, and skipped; a preview shows why."""
        done = [found for found in result.files if found.problem is None]
        left = sum(found.left for found in done)
        if not left:
            return
        words = {_SKIPPED.get(found.part_word, "place") for found in done if found.left}
        word = words.pop() if len(words) == 1 else "place"
        echo(
            f"{scrub.counted(left, word)} skipped." + (f" Why: scrub changes {result.number}" if result.number else "")
        )
        if self.preview:
            lines = [line for found in done for line in found.log]
            for line in lines[:SHOWN]:
                echo(f"  {line.removeprefix('skipped ')}")
            if len(lines) > SHOWN:
                echo(f"  {len(lines) - SHOWN:,} more")

    def _problems(self, result: scrub.RunResult) -> None:
        """The failures with their reasons, at the end, where the eye is."""
        problems = [found for found in result.files if found.problem is not None]
        left = [found for found in result.files if found.state == "not tried"]
        undone = [found for found in result.files if found.state == "not done"]
        of = scrub.counted(len(result.files), "file")
        if problems and self.several:
            echo(failed(f"Failed: {len(problems):,} of {of}"), err=True)
            reasons = [(short_path(found.path), _reason(found)) for found in problems]
            shown = reasons if self.limit is None else reasons[:_FAILURES]
            for line in columns(shown, wrap=True, copied=True):
                echo(line, err=True)
            if len(reasons) > len(shown):
                echo(
                    f"  {len(reasons) - len(shown):,} more; all of them: scrub changes {result.number or ''} --all",
                    err=True,
                )
        elif problems:
            echo(failed("Failed: ") + indented(str(problems[0].problem)), err=True)
            echo("Nothing was saved.", err=True)
        if left:
            echo(f"Not run after the failure: {among([short_path(found.path) for found in left], SHOWN)}", err=True)
        if result.ended:
            done = len(result.files) - len(undone)
            echo(failed(f"{result.ended[:1].upper()}{result.ended[1:]}. ") + f"Done: {done:,} of {of}.", err=True)
        if result.number is not None and (undone or left):
            echo(f"To do the rest: scrub run --continue {result.number}", err=True)
        elif result.number is not None and problems and self.several:
            echo(f"Retry: scrub run --continue {result.number}", err=True)


#: What an action skips, by the word for the parts of a file.
_SKIPPED = {"sheet": "cell", "paragraph": "paragraph", "message": "message", "table": "value", "page": "page"}


#: Failures of many files that are shown.
_FAILURES = 20


def _counted(texts: Iterable[str]) -> list[tuple[str, str]]:
    """Each text once, with the number of files that it was said of."""
    return [(text, f"  ({scrub.counted(n, 'file')})" if n > 1 else "") for text, n in Counter(texts).items()]


def _reason(found: scrub.FileResult) -> str:
    """Its problem under its name, which need not be said again."""
    return indented(str(found.problem).removeprefix(f"{found.path}: "))
