"""Defined names (ISO/IEC 29500-1, 18.2.5), as they should be; the workbook part is spliced when the file is saved."""

from __future__ import annotations

import re

from scrub.formats.spans import Span, Splice, escaped, with_attributes
from scrub.formats.xmltext import text_of, xstring
from scrub.model.core.area import MOST_COLUMNS, MOST_ROWS, Area, area_of, letters_of
from scrub.model.core.change import Undo
from scrub.model.core.lazy_pattern import lazy_pattern
from scrub.model.core.problem import Failure
from scrub.model.core.values import fold

_TARGET = lazy_pattern(r"(?:'((?:[^']|'')+)'|([\w.]+))!([$\w]+(?::[$\w]+)?)")
#: Names of sheets that a formula would read as a cell, in either form, or as a value.
_LIKE_A_CELL = lazy_pattern(r"[A-Z]{1,3}\d+|R\d*(?:C\d*)?|C\d*|TRUE|FALSE", re.IGNORECASE)
_Key = tuple[str, int | None]


class Names:
    """The names of a workbook; the second part of a key is the sheet of a local one, from 0."""

    def __init__(self, data: bytes, root: Span) -> None:
        self.data = data
        self.root = root
        holder = root.child("definedNames")
        self._spans: dict[_Key, Span] = {}
        self._targets: dict[_Key, str] = {}
        for span in holder.all("definedName") if holder else ():
            local = span.attributes.get("localSheetId")
            key = (fold(span.attributes.get("name", "")), int(local) if local is not None else None)
            self._spans[key] = span
            self._targets[key] = text_of(data[span.start : span.end])
        self._first = dict(self._targets)
        self._fresh: dict[_Key, tuple[str, str, bool]] = {}
        self._gone: set[_Key] = set()

    def local(self, name: str, sheet: int) -> str | None:
        """What a name of one sheet means; sheets count from 1."""
        return self._targets.get((fold(name), sheet - 1))

    def local_to(self, sheet: int) -> list[tuple[str, str, bool]]:
        """The names that belong to one sheet: each with what it means, and whether it is hidden."""
        result = []
        for (name, local), target in self._targets.items():
            if local == sheet - 1:
                span = self._spans.get((name, local))
                of = span.attributes if span is not None else {}
                result.append((of.get("name", name), target, of.get("hidden", "0") in ("1", "true")))
        return result

    def target(self, name: str) -> str | None:
        """What a name of the whole workbook means."""
        return self._targets.get((fold(name), None))

    def meaning(self, name: str, sheet: int | None) -> str | None:
        """What a name means on a sheet, by its number from 1: its own one hides one of the whole workbook."""
        target = self.local(name, sheet) if sheet is not None else None
        return target if target is not None else self.target(name)

    def put_local(self, name: str, sheet: int, target: str | None, hidden: bool = False) -> None:
        """Sets it."""
        self._put(name, sheet - 1, target, hidden)

    def put(self, name: str, target: str | None) -> None:
        """Sets a name of the workbook."""
        self._put(name, None, target, False)

    @staticmethod
    def ensure_fit(name: str) -> None:
        """Raises `Failure` for what cannot be a defined name (18.2.5): an address in either form, or a word that
        formulas read as something else.
        """
        form = re.fullmatch(r"[^\W\d][\w.]{0,254}|\\[\w.]{0,254}", name)
        address = re.fullmatch(r"[A-Za-z]{1,3}\d+|[rRcC]\d*|[rR]\d*[cC]\d*|[rR](\[-?\d+\])?[cC](\[-?\d+\])?", name)
        if form is None or address is not None:
            raise Failure(
                f'"{name}" is not a valid range name: start with a letter, use no spaces, and do not use a cell address'
            )
        if name.upper() in ("TRUE", "FALSE") or name.lower().startswith("_xl"):
            raise Failure(f'"{name}" cannot be a range name: in formulas it has another meaning')

    def _put(self, name: str, local: int | None, target: str | None, hidden: bool) -> None:
        key = (fold(name), local)
        self._fresh.pop(key, None)
        self._gone.discard(key)
        first = self._first.get(key)
        if target is None:
            if key in self._spans:
                self._gone.add(key)
            self._targets.pop(key, None)
        else:
            if target != first:  # there and back is not a change
                self._fresh[key] = (name, target, hidden)
            self._targets[key] = target

    def area(self, name: str) -> tuple[str, Area] | None:
        """The sheet and range that a name of the workbook means; None for any other name."""
        return read_target(self._targets.get((fold(name), None), ""))

    def name_of(self, sheet: str, area: Area) -> str | None:
        """The name of just this range."""
        for (name, local), target in self._targets.items():
            found = read_target(target)
            if local is None and found is not None and (fold(found[0]), found[1]) == (fold(sheet), area):
                span = self._spans.get((name, local))
                fresh = self._fresh.get((name, local))
                return fresh[0] if fresh else span.attributes.get("name", name) if span else name
        return None

    def every(self) -> list[tuple[str, int | None, str]]:
        """All names that a person sees: each with the sheet it belongs to, from 0, and what it means. Those that
        programs keep for themselves are left out.
        """
        result = []
        for (name, local), target in self._targets.items():
            span, fresh = self._spans.get((name, local)), self._fresh.get((name, local))
            of = span.attributes if span is not None else {}
            if not name.startswith("_xlnm.") and of.get("hidden", "0") not in ("1", "true"):
                result.append((fresh[0] if fresh else of.get("name", name), local, target))
        return result

    def at(self, name: str, local: int | None) -> str | None:
        """What a name means; `local` is its sheet, from 0."""
        return self._targets.get((fold(name), local))

    def put_at(self, name: str, local: int | None, target: str | None) -> Undo:
        """Sets what a name means; returns how to undo it."""
        before = self.at(name, local)
        self._put(name, local, target, False)
        return lambda: self._put(name, local, before, False)

    def known(self, name: str) -> bool:
        """Whether the workbook has such a name."""
        return (fold(name), None) in self._targets

    @staticmethod
    def quoted(sheet: str) -> str:
        """A sheet's name as formulas write it."""
        plain = re.fullmatch(r"[A-Za-z_]\w*", sheet) and not _LIKE_A_CELL.fullmatch(sheet)
        return sheet if plain else "'" + sheet.replace("'", "''") + "'"

    @staticmethod
    def absolute(area: Area) -> str:
        """A range that does not move."""
        if area.top == 1 and area.bottom == MOST_ROWS:
            return f"${letters_of(area.left)}:${letters_of(area.right)}"
        if area.left == 1 and area.right == MOST_COLUMNS:
            return f"${area.top}:${area.bottom}"
        first, last = f"${letters_of(area.left)}${area.top}", f"${letters_of(area.right)}${area.bottom}"
        return first if area.single else f"{first}:{last}"

    def changed(self) -> dict[_Key, tuple[str, str | None]]:
        """The names that are to be other than the file has them: as each is written, and what it means then."""
        fresh = {key: (name, target) for key, (name, target, _) in self._fresh.items()}
        return {**fresh, **{key: (key[0], None) for key in self._gone}}

    def splices(self) -> tuple[list[Splice], bytes]:
        """What must change in the workbook part, and the whole element where there is none yet."""
        found: list[Splice] = []
        if not self._fresh and not self._gone:
            return found, b""
        p = self.root.prefix
        added = ""
        for key, (name, target, hidden) in self._fresh.items():
            span = self._spans.get(key)
            if span is None:
                local = "" if key[1] is None else f' localSheetId="{key[1]}"'
                local += ' hidden="1"' if hidden else ""
                added += f'<{p}definedName name="{escaped(name)}"{local}>{xstring(target)}</{p}definedName>'
            else:
                tag = with_attributes(self.data[span.start : span.open_end], {})
                found.append(Splice(span.start, span.end, tag + f"{xstring(target)}</{span.raw_name}>".encode()))
        gone = [self._spans[key] for key in self._gone if key in self._spans]
        holder = self.root.child("definedNames")
        if holder is not None and len(gone) == len(holder.children) and not added:
            return [Splice(holder.start, holder.end, b"")], b""
        found += [Splice(span.start, span.end, b"") for span in gone]
        if added and holder is not None and holder.open_end != holder.end:
            found.append(Splice(holder.close_start, holder.close_start, added.encode()))
        elif added:
            whole = f"<{p}definedNames>{added}</{p}definedNames>".encode()
            if holder is None:
                return found, whole
            found.append(Splice(holder.start, holder.end, whole))
        return found, b""

    def using(self, word: re.Pattern[str]) -> str:
        """The defined name whose formula has this word in it; an empty text for none."""
        return next((name for (name, _), target in self._targets.items() if word.search(target)), "")


def read_target(target: str) -> tuple[str, Area] | None:
    """The sheet and range that a target is; None for another formula."""
    match = _TARGET.fullmatch(target.strip())
    if match is None:
        return None
    try:
        return (match[1] or "").replace("''", "'") or match[2], area_of(match[3].replace("$", ""))
    except Failure:
        return None
