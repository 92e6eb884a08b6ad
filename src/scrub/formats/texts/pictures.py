"""Pictures that a file shows, regardless of its format: exchanged, saved, removed."""

from __future__ import annotations

import os

from scrub.formats.beside import Beside
from scrub.formats.images.new_picture import NewPicture, new_picture
from scrub.formats.kept import all_back
from scrub.model.core.change import Undo
from scrub.model.core.files import FilePath
from scrub.model.core.required import required
from scrub.model.texts.inline import Picture
from scrub.store.patch import whole


class ShownPicture(Picture):
    """A picture that is exchanged, saved and removed."""

    # -- what each format offers

    @property
    @required
    def beside(self) -> Beside:
        """What is made beside its file."""
        raise NotImplementedError

    @required
    def ensure_free(self) -> None:
        """Raises `Failure` where it may not change."""
        raise NotImplementedError

    @required
    def shown(self) -> str:
        """The name of the file that it shows now. Raises `Failure` where that is not inside."""
        raise NotImplementedError

    @required
    def inside(self) -> tuple[bytes, str]:
        """What it shows now, and the name of that inside the file."""
        raise NotImplementedError

    @required
    def show(self, new: NewPicture | None) -> Undo:
        """Shows another one, or none; returns how to undo it."""
        raise NotImplementedError

    @required
    def fit(self, new: NewPicture) -> Undo:
        """Makes its place fit another one. Raises `Failure` where that cannot be."""
        raise NotImplementedError

    @required
    def take_out(self) -> Undo:
        """Takes its element out. Raises `Failure` where it is a part of another one."""
        raise NotImplementedError

    def noted(self, field: str, before: object, after: object, back: Undo, said: str = "") -> None:
        """Notes a change of it."""
        self.changed(field, before, after, back, said, inner=(self.called_here,))

    # -- what follows from that

    @property
    def called_here(self) -> str:
        """How it is told from others."""
        return self.name or "picture"

    def replace_with(self, picture: FilePath) -> None:
        """Shows another one in its place."""
        self.ensure_free()
        before, new = self.shown(), new_picture(self.beside.whole(picture))
        fitted = self.fit(new)
        self.noted("picture", before, new.shown, all_back([fitted, self.show(new)]))

    def save(self, to: FilePath | None = None, name: str | None = None) -> None:
        """Saves it as a file."""
        data, inside = self.inside()
        wanted = name or self.name or os.path.splitext(os.path.basename(inside))[0]
        path, back = self.beside.save(whole(data), to, file_name(wanted, inside))
        self.noted(f"saved {path}", None, path, back, f"picture saved: {path}")

    def delete(self) -> None:
        """Takes it out."""
        self.ensure_free()
        self.shown()
        back = all_back([self.take_out(), self.show(None)])
        self.noted("picture", self.called_here, None, back, f"picture {self.called_here} deleted")


def file_name(wanted: str, inside: str) -> str:
    """A safe name of a file for a picture that is called so inside a document, with the ending of that."""
    from scrub.model.operations import as_file_name  # rarely needed

    ending = os.path.splitext(inside)[1].lower()
    stem = wanted[: -len(ending)] if ending and wanted.lower().endswith(ending) else wanted
    return f"{as_file_name(stem)}{ending}"
