"""What the sheets of one Open Document workbook share."""

from __future__ import annotations

from contextlib import suppress
from datetime import date
from functools import cached_property

from scrub.formats.open_keys import hashed_password
from scrub.formats.opendocument.read import TABLE, value
from scrub.formats.opensheets.cell_styles import ensure_has
from scrub.formats.opensheets.projection import Projection
from scrub.formats.opensheets.sheet_part import OpenDecoder
from scrub.formats.workbook.formatting.styles import DATE, DURATION, TIME, Styles
from scrub.formats.workbook.shared import Shared


class OpenStyles(Styles):
    """The looks that cells can have, without those that the format cannot keep."""

    def derived(self, style: int, word: str, value: object) -> int:
        """The number of the format that is like this one but for one field. Raises `Failure`."""
        ensure_has(word, value)
        return super().derived(style, word, value)


class OpenShared(Shared):
    """One workbook, as far as its sheets need it."""

    package: Projection  # type: ignore[assignment]
    moment_forms = {DATE: "yyyy-mm-dd", TIME: "yyyy-mm-dd hh:mm", DURATION: "[h]:mm:ss"}  # noqa: RUF012 - never changed
    hashed_password = staticmethod(hashed_password)

    @cached_property
    def styles(self) -> Styles:
        """How cells look."""
        return OpenStyles(self.package.styles.projected, lambda: b"")

    @cached_property
    def decoder(self) -> OpenDecoder:
        """Reads stored values."""
        said = self.package.holder.child("calculation-settings", uri=TABLE)
        null = said.child("null-date", uri=TABLE) if said is not None else None
        decoder = OpenDecoder(self.styles, self.strings, False)
        with suppress(ValueError):
            decoder.first_day = date.fromisoformat((value(null, "date-value", TABLE) or "1899-12-30")[:10])
        decoder.from_1904 = decoder.first_day == date(1904, 1, 1)
        return decoder
