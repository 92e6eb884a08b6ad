"""An Office Open XML workbook (ISO/IEC 29500-1, 18.2): the workbook part and its sheets."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from functools import partial

from scrub.formats.opc import part_tree, relationships
from scrub.formats.source import Source
from scrub.formats.spans import Span, Splice, set_attributes, spliced
from scrub.formats.workbook.embedded import embedded, new_part, part_of
from scrub.formats.workbook.sheet import OfficeSheet
from scrub.formats.zip import Package
from scrub.model.change import Change, Recorder
from scrub.model.files import FilePath
from scrub.model.problem import Failure, FileProblem
from scrub.model.workbook import Workbook
from scrub.store.patch import Copy, Effect, Patch, free_path


class OfficeWorkbook(Workbook):
    """A workbook opened for splicing. Nothing is written; `patch` says what is to be written."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.recorder = Recorder()
        self.package = Package(source)
        self._part = self._find_part()
        self._data, self._root = part_tree(self.package, self._part)
        if self._root.name != "workbook":
            raise self.problem("its main part is no workbook")
        self._sheets = list(self._read_sheets())
        self._views = self._root.child("bookViews")
        self._copies: list[str] = []
        self._to_embed: list[str] = []

    def problem(self, what: str) -> FileProblem:
        """A problem with this file."""
        return self.source.problem(what)

    @property
    def name(self) -> str:
        """The file's name, with its ending."""
        return os.path.basename(self.source.shown)

    def sheets(self) -> Iterator[OfficeSheet]:
        """Its sheets, in the order of the tabs."""
        return iter(self._sheets)

    @property
    def changes(self) -> list[Change]:
        """What was changed so far."""
        return self.recorder.net()

    @property
    def notes(self) -> list[str]:
        """What a person should know about saving the changes."""
        if self.changes and any(name.startswith("_xmlsignatures/") for name in self.package.members):
            return [f"{self.name} carries a digital signature, which no longer holds after a change."]
        return []

    @property
    def structure_locked(self) -> bool:
        """Whether sheets can be neither hidden nor shown (18.2.29)."""
        lock = self._root.child("workbookProtection")
        return lock is not None and lock.attributes.get("lockStructure", "0") in ("1", "true")

    def _find_part(self) -> str:
        for relationship in relationships(self.package, "").values():
            if relationship.type == "officeDocument" and relationship.target:
                if relationship.target in self.package.members:
                    return relationship.target
                break
        if "mimetype" in self.package.members:
            raise self.problem("this is not an .xlsx workbook, whatever its name says. Save it as .xlsx")
        raise self.problem("its workbook part is missing, so this is no workbook, or a damaged one")

    def _read_sheets(self) -> Iterator[OfficeSheet]:
        targets = relationships(self.package, self._part)
        sheets = self._root.child("sheets")
        for number, entry in enumerate(sheets.all("sheet") if sheets else (), 1):
            # The id is in the relationships' namespace, whose prefix each writer chooses.
            id_ = next((value for name, value in entry.attributes.items() if name.endswith(":id")), "")
            target = targets[id_].target if id_ in targets else None
            yield OfficeSheet(self, number, entry, target if target in self.package.members else None)

    def save_copy(self, to: FilePath | None = None, name: FilePath | None = None) -> None:
        """Saves it once more."""
        own = str(name) if name else self.name
        if not os.path.splitext(own)[1]:
            own += os.path.splitext(self.name)[1]
        if any(mark in own for mark in '\\/:*?"<>|'):
            raise Failure(f'"{own}" cannot be the name of a file. Make it one: .as-file-name')
        folder = os.path.expanduser(str(to or ".").replace("\\", "/"))
        wanted = os.path.normpath(os.path.join(os.path.dirname(self.source.path), folder, own))
        path = free_path(wanted, lambda each: each in self._copies or os.path.lexists(each))
        self._copies.append(path)

        def revert() -> None:
            self._copies.remove(path)

        self.changed(f"copy {path}", None, path, revert, f"saved once more: {os.path.relpath(path)}")

    def effects(self) -> list[Effect]:
        """What saving it comes to: the file itself where it was changed, and its copies."""
        source, patch = self.source, self._patch()
        found = [Effect(source.path, patch, source.digest)] if patch else []
        copied = patch or Patch(source.digest, source.size, [Copy(0, source.size)])
        copies = [Effect(path, copied, None, source.path) for path in self._copies]
        return [*copies, *found]  # the copies read the file before it changes

    def _patch(self) -> Patch | None:
        """What makes the changed file of the old one, or None when nothing is to be written."""
        changed: dict[str, Callable[[], bytes]] = {}
        splices: list[Splice] = []
        for sheet in self._sheets:
            if sheet.state != sheet.first_state:
                value = None if sheet.state == "visible" else sheet.state
                splices += set_attributes(self._data, sheet.entry, [("state", value)])
        selected = self._reselect(splices)
        for sheet in self._sheets:
            if sheet.part and (sheet.touched or sheet in selected):
                changed[sheet.part] = partial(sheet.make, selected.get(sheet))
        if splices:
            changed[self._part] = partial(spliced, self._data, splices)
        added: dict[str, bytes] = {}
        for text in self._to_embed:
            self._embed(text, changed, added)
        return self.package.patch(changed, added) if changed or added else None

    def embedded(self) -> list[str]:
        """The texts of the macros inside it."""
        return [text for _, text in embedded(self.package, self._part)]

    def embed(self, title: str, text: str) -> None:
        """Puts a macro inside; one of the same first line gives way."""
        self._to_embed.append(text)

        def revert() -> None:
            self._to_embed.remove(text)

        self.changed(f"macro {title}", None, title, revert, f'macro "{title}" put inside')

    def _embed(self, text: str, changed: dict[str, Callable[[], bytes]], added: dict[str, bytes]) -> None:
        first = text.lstrip().partition("\n")[0].split()
        for part, other in embedded(self.package, self._part):
            if other.lstrip().partition("\n")[0].split() == first:
                changed[part] = partial(part_of, text)
                return
        name, others = new_part(self.package, self._part)
        added[name] = part_of(text)
        changed.update({other: partial(bytes, data) for other, data in others.items()})

    def _reselect(self, splices: list[Splice]) -> dict[OfficeSheet, bool]:
        """When the sheet that opens in front was hidden, brings the next visible one to the front.

        A hidden sheet that stays selected would be edited together with the visible one, unseen.
        """
        gone = [sheet for sheet in self._sheets if sheet.hidden and sheet.first_state == "visible"]
        selected = dict.fromkeys(gone, False)
        for view in self._views.all("workbookView") if self._views and gone else ():
            front = self._front(view)
            if front >= len(self._sheets) or self._sheets[front] not in gone:
                continue
            shown = [sheet for sheet in self._sheets if not sheet.hidden]
            chosen = next((sheet for sheet in shown if sheet.number > front), shown[0])
            selected[chosen] = True
            values: list[tuple[str, str | None]] = [("activeTab", str(chosen.number - 1))]
            if int(view.attributes.get("firstSheet", "0")) > chosen.number - 1:
                values.append(("firstSheet", str(chosen.number - 1)))
            splices += set_attributes(self._data, view, values)
        return selected

    @staticmethod
    def _front(view: Span) -> int:
        try:
            return int(view.attributes.get("activeTab", "0"))
        except ValueError:
            return 0

    def close(self) -> None:
        """Lets the file go."""
        self.source.close()
