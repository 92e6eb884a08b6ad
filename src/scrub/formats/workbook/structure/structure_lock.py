"""The lock on the structure of a workbook (ISO/IEC 29500-1, 18.2.29): its sheets neither come, go, move nor hide."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from scrub.formats.kept import LazyPiece
from scrub.formats.open_keys import DIGESTS, KEY
from scrub.formats.spans import Span, escaped
from scrub.formats.workbook.around.protection import has_password, opens
from scrub.model.core.declare import FileItem
from scrub.model.core.problem import Failure, WrongPassword
from scrub.model.core.values import Secret

#: How the attributes of a password are called here, by their names on a sheet.
_CALLED = {
    "algorithmName": "workbookAlgorithmName", "hashValue": "workbookHashValue", "saltValue": "workbookSaltValue",
    "spinCount": "workbookSpinCount", "password": "workbookPassword",
}  # fmt: skip

_AS_THEY_ARE = ((KEY, KEY), (DIGESTS, DIGESTS))


class StructureLock:
    """The lock as it should be."""

    def __init__(self, root: Span, hashed: Callable[[Secret], Mapping[str, str]]) -> None:
        """`hashed` gives the attributes of a password."""
        self._hashed = hashed
        self.root = root
        self._attributes: LazyPiece[Mapping[str, str]] = LazyPiece(self._read)

    def _read(self) -> Mapping[str, str]:
        span = self.root.child("workbookProtection")
        return dict(span.attributes) if span is not None else {}

    @property
    def on(self) -> bool:
        """Whether it is locked."""
        return self._attributes.now.get("lockStructure", "0") in ("1", "true")

    @property
    def now(self) -> Mapping[str, str]:
        """Its attributes."""
        return self._attributes.now

    @property
    def touched(self) -> bool:
        """Whether it must be written."""
        return self._attributes.touched

    def lock(self, file: FileItem, password: Secret | None) -> None:
        """Keeps sheets from being added, moved, renamed and deleted (18.2.29)."""
        fresh = {"lockStructure": "1"}
        if password is not None:
            fresh |= {_CALLED.get(name, name): value for name, value in self._hashed(password).items()}
        if self.on:
            self._ensure_opens(password)
            if has_password(self._password()) == (password is not None):
                return
        self._set(file, fresh, True)

    def unlock(self, file: FileItem, password: Secret | None) -> None:
        """Unlocks it. A wrong password is refused."""
        if self.on:
            self._ensure_opens(password)
            self._set(file, {}, False)

    def _password(self) -> dict[str, str]:
        now = self._attributes.now
        return {name: now[called] for name, called in (*_CALLED.items(), *_AS_THEY_ARE) if called in now}

    def _ensure_opens(self, password: Secret | None) -> None:
        if not opens(self._password(), password):
            if password is None:
                raise Failure("the structure needs its password. Write: unprotect-structure password: …")
            raise WrongPassword("the structure has a different password")

    def _set(self, file: FileItem, fresh: Mapping[str, str], on: bool) -> None:
        before = self.on
        now = {
            name: value for name, value in self._attributes.now.items()
            if name not in ("lockStructure", KEY, DIGESTS, *_CALLED.values())
        }  # fmt: skip
        back = self._attributes.put({**now, **fresh})
        file.changed("structure-protected", before, on, back, "structure protected" if on else "structure unprotected")

    def element(self) -> bytes | None:
        """The element as it is to be; None where it stays."""
        if not self._attributes.touched:
            return None
        said = "".join(f' {name}="{escaped(value)}"' for name, value in self._attributes.now.items())
        return f"<{self.root.prefix}workbookProtection{said}/>".encode() if said else b""
