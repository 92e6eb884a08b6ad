"""What a person is told of references that followed rows and sheets."""

from __future__ import annotations

from collections.abc import Sequence

from scrub.model.core.problem import counted

#: Places of one kind that are named.
_TOLD = 5


class Followed:
    """The sheets and cells whose references became others."""

    def __init__(self) -> None:
        self.followed: list[str] = []  # other sheets whose references follow
        self.lost: list[str] = []  # cells whose formulas refer to what is gone
        self.exchanged: list[str] = []  # cells whose formulas have other rows or columns in a range
        self.built: list[str] = []  # sheets whose formulas make references of texts

    def notes(self) -> Sequence[str]:
        """What is said of them."""
        notes = []
        if self.followed:
            more = f" and {len(self.followed) - _TOLD} more sheets" if len(self.followed) > _TOLD else ""
            notes.append(f"References on {', '.join(self.followed[:_TOLD])}{more} were updated.")
        if self.lost:
            more = f" and {len(self.lost) - _TOLD:,} more" if len(self.lost) > _TOLD else ""
            notes.append(
                f"{counted(len(self.lost), 'formula')} referred to deleted cells and now show an error: "
                f"{', '.join(self.lost[:_TOLD])}{more}."
            )
        if self.exchanged:
            more = f" and {len(self.exchanged) - _TOLD:,} more" if len(self.exchanged) > _TOLD else ""
            notes.append(
                "A row or column moved into or out of a range. Check these ranges: "
                f"{', '.join(self.exchanged[:_TOLD])}{more}."
            )
        if self.built:
            notes.append(
                f"Formulas on {', '.join(self.built[:_TOLD])} build references from text or numbers (INDIRECT, "
                "OFFSET), which cannot be updated. Check them."
            )
        return notes
