"""What workbooks and documents have in common as packages (ISO/IEC 29500-2): a main part, and perhaps a signature."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from scrub.formats.described import DescribedFile, Properties
from scrub.formats.file import PickedFile
from scrub.formats.opc.parts import Parts
from scrub.formats.opc.properties import CoreProperties
from scrub.formats.opc.relationships import relationships
from scrub.formats.source import Source
from scrub.formats.zip import Package


class OfficeFile(PickedFile, DescribedFile):
    """A package opened for splicing."""

    #: The ending that such a file usually has, with its article.
    usual: ClassVar[str]

    def __init__(self, source: Source) -> None:
        super().__init__(source)
        self.package = self._opened(source)
        self.main = self._main_part()
        self.properties: Properties = self._described()

    def _opened(self, source: Source) -> Package:
        """Its package."""
        return Package(source)

    def _described(self) -> Properties:
        """What it says of itself."""
        return CoreProperties(self.package)

    def _main_part(self) -> str:
        """The part that says what the file is. Raises `FileProblem` where there is none."""
        leads = (
            relationship.target
            for relationship in relationships(self.package, "").values()
            if relationship.type == "officeDocument"
        )
        result = next(leads, None)
        if result is not None and result in self.package.members:
            return result
        kind = self.kind_word
        if "mimetype" in self.package.members:  # as in an Open Document
            ending = self.usual.split()[1]
            raise self.problem(f"not {self.usual} {kind}, despite its name. Save it as {ending}")
        raise self.problem(f"the {kind} part is missing: not a {kind}, or a damaged one")

    def _write_properties(self, parts: Parts) -> None:
        """Writes what it says of itself, where that changed."""
        if isinstance(self.properties, CoreProperties):
            self.properties.write(parts)

    @property
    def notes(self) -> Sequence[str]:
        """What a person should know about saving the changes."""
        if self.recorder and any(name.startswith("_xmlsignatures/") for name in self.package.members):
            return [f"{self.name} has a digital signature. After a change, the signature is invalid."]
        return []
