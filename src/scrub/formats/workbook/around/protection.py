"""Sheet protection (ISO/IEC 29500-1, 18.3.1.85): the element, its password hashes, and what they allow."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Mapping, Sequence
from functools import partial

from scrub.formats.kept import LazyPiece
from scrub.formats.old_digests import old_hashes
from scrub.formats.opc.parts import Parts
from scrub.formats.open_keys import KEY, opens_key
from scrub.formats.spans import escaped
from scrub.formats.workbook.elements import orders
from scrub.formats.workbook.part import SheetPart, Skeleton
from scrub.model.cells.sheet import Selecting, Sheet, SheetPermission
from scrub.model.core.problem import Failure, WrongPassword
from scrub.model.core.values import Secret

#: The attribute that locks each permission, and its default in the schema: these are locked unless set to 0 …
_LOCKED_BY_DEFAULT = {
    SheetPermission.FORMAT_CELLS: "formatCells",
    SheetPermission.FORMAT_COLUMNS: "formatColumns",
    SheetPermission.FORMAT_ROWS: "formatRows",
    SheetPermission.INSERT_COLUMNS: "insertColumns",
    SheetPermission.INSERT_ROWS: "insertRows",
    SheetPermission.INSERT_LINKS: "insertHyperlinks",
    SheetPermission.DELETE_COLUMNS: "deleteColumns",
    SheetPermission.DELETE_ROWS: "deleteRows",
    SheetPermission.SORT: "sort",
    SheetPermission.FILTER: "autoFilter",
    SheetPermission.PIVOT_TABLES: "pivotTables",
}
#: … and these are open unless set to 1.
_OPEN_BY_DEFAULT = {SheetPermission.DRAWINGS: "objects", SheetPermission.SCENARIOS: "scenarios"}

_SPIN = 100_000
_HASHES = {"SHA-512": "sha512", "SHA-384": "sha384", "SHA-256": "sha256", "SHA-1": "sha1", "MD5": "md5"}

Attributes = Mapping[str, str]


class Protection:
    """The protection of one sheet as it should be."""

    def __init__(
        self,
        sheet: Sheet,
        part: SheetPart,
        changed: Callable[[], None],
        hashed: Callable[[Secret], Mapping[str, str]],
    ) -> None:
        """`changed` is told when it changes: other cells can then be written; `hashed` gives the attributes of a
        password.
        """
        self._hashed = hashed
        self._sheet = sheet
        self._part = part
        self._changed = changed
        self._attributes: LazyPiece[Attributes | None] = LazyPiece(self._read)

    def _read(self) -> Attributes | None:
        span = self._part.skeleton().root.child("sheetProtection")
        return dict(span.attributes) if span else None

    @property
    def on(self) -> bool:
        """Whether locked cells cannot be changed."""
        return is_on(self._attributes.now)

    @property
    def has_password(self) -> bool:
        """Whether a password is needed to take it off."""
        return self._attributes.now is not None and has_password(self._attributes.now)

    def allowed(self) -> list[SheetPermission]:
        """What it leaves possible."""
        found = permissions(self._attributes.now or {})
        chart = self._part.skeleton().root.name == "chartsheet"  # 18.3.1.84: it has nothing else to protect
        return [permission for permission in found if not chart or permission is SheetPermission.DRAWINGS]

    def selectable(self) -> Selecting:
        """Which cells it lets people select."""
        return selecting(self._attributes.now or {})

    def protect(self, password: Secret | None, allow: Sequence[SheetPermission], select: Selecting) -> None:
        """Stops changes to the locked cells."""
        now, root = self._attributes.now, self._part.skeleton().root
        if not orders(root):
            raise Failure(f'"{self._sheet.name}" is an old type of sheet that cannot be protected')
        wanted = chart_settings(allow) if root.name == "chartsheet" else settings(allow, select)
        if now is not None and is_on(now):
            self._ensure_opens(now, password)
            if same_settings(now, wanted) and has_password(now) == (password is not None):
                return
        if password is not None:
            wanted = {**self._hashed(password), **wanted}
        self._set(wanted, "" if self.on else "protected")

    def unprotect(self, password: Secret | None) -> None:
        """Lifts the protection."""
        now = self._attributes.now
        if now is not None and is_on(now):
            self._ensure_opens(now, password)
            self._set(None, "unprotected")

    def _ensure_opens(self, now: Attributes, password: Secret | None) -> None:
        name = self._sheet.name
        try:
            opened = opens(now, password)
        except Failure as failure:
            raise Failure(f'"{name}": {failure.what}') from None
        if not opened and password is None:
            raise Failure(f'"{name}" needs its password. Write: unprotect password: …')
        if not opened:
            raise WrongPassword(f'"{name}" has a different password')

    def _set(self, wanted: Attributes | None, said: str) -> None:
        before = _state(self._attributes.now if self.on else None)
        back = self._attributes.put(wanted)
        self._changed()

        def revert() -> None:
            back()
            self._changed()

        self._sheet.changed("protected", before, _state(wanted), revert, said)

    @property
    def now(self) -> Attributes | None:
        """Its attributes; None where nothing is protected."""
        return self._attributes.now if self.on else None

    @property
    def touched(self) -> bool:
        """Whether it must be written."""
        return self._attributes.touched

    def elements(self, skeleton: Skeleton, parts: Parts) -> Mapping[str, bytes]:
        """The `sheetProtection` element."""
        now = self._attributes.now
        if now is None:
            return {"sheetProtection": b""}
        attributes = "".join(f' {name}="{escaped(value)}"' for name, value in now.items())
        return {"sheetProtection": f"<{skeleton.root.prefix}sheetProtection{attributes}/>".encode()}


def ensure_unprotected(sheet: Sheet) -> None:
    """Raises `Failure` where what depends on the cells of a sheet cannot be changed."""
    if sheet.protected:
        raise Failure(f"{sheet.name} is protected. Unprotect it first: unprotect")


def _state(attributes: Attributes | None) -> str | bool:
    """A protection in the record of changes: no, yes, or yes and what it allows; never anything of the password."""
    if attributes is None:
        return False
    locked = "with a password" if has_password(attributes) else "without a password"
    return ", ".join([f"yes, {locked}", *in_words(attributes)])


def is_on(attributes: Attributes | None) -> bool:
    """Whether the element protects anything: it can be there switched off."""
    if attributes is None:
        return False
    return _yes(attributes.get("sheet", "0")) or _yes(attributes.get("content", "0"))


def settings(allow: Collection[SheetPermission], select: Selecting) -> dict[str, str]:
    """The attributes of a worksheet's protection, without those of the password."""
    result = {"sheet": "1"}
    for permission, name in _OPEN_BY_DEFAULT.items():
        if permission not in allow:
            result[name] = "1"
    for permission, name in _LOCKED_BY_DEFAULT.items():
        if permission in allow:
            result[name] = "0"
    if select != Selecting.ANY_CELL:
        result["selectLockedCells"] = "1"
    if select == Selecting.NO_CELL:
        result["selectUnlockedCells"] = "1"
    return result


def chart_settings(allow: Collection[SheetPermission]) -> dict[str, str]:
    """The attributes of a chart sheet's protection (CT_ChartsheetProtection, 18.3.1.84), without the password's."""
    result = {"content": "1"}
    if SheetPermission.DRAWINGS not in allow:
        result["objects"] = "1"
    return result


def same_settings(one: Attributes, other: Attributes) -> bool:
    """Whether two protections allow the same, however they spell it."""
    return _meaning(one) == _meaning(other)


def _meaning(attributes: Attributes) -> dict[str, bool]:
    defaults = {
        "sheet": "0", "content": "0", "selectLockedCells": "0", "selectUnlockedCells": "0",
        **dict.fromkeys(_LOCKED_BY_DEFAULT.values(), "1"), **dict.fromkeys(_OPEN_BY_DEFAULT.values(), "0"),
    }  # fmt: skip
    return {name: _yes(attributes.get(name, default)) for name, default in defaults.items()}


def in_words(attributes: Attributes) -> list[str]:
    """What a protection leaves possible, as a macro writes it; nothing of the password."""
    allowed = [permission.value for permission in permissions(attributes)]
    result = [f"allow: [{', '.join(allowed)}]"] if allowed else []
    select = selecting(attributes)
    if select is not Selecting.ANY_CELL:
        result.append(f"select: {select}")
    return result


def permissions(attributes: Attributes) -> list[SheetPermission]:
    """What a protection leaves possible."""
    locked = _meaning(attributes)
    return [each for each, name in {**_LOCKED_BY_DEFAULT, **_OPEN_BY_DEFAULT}.items() if not locked[name]]


def selecting(attributes: Attributes) -> Selecting:
    """Which cells a protection lets people select."""
    locked = _meaning(attributes)
    if locked["selectUnlockedCells"]:
        return Selecting.NO_CELL
    return Selecting.OPEN_CELLS if locked["selectLockedCells"] else Selecting.ANY_CELL


def _yes(value: str) -> bool:
    return value.strip().lower() in ("1", "true", "on")


def has_password(attributes: Attributes) -> bool:
    """Whether a password is needed to lift it."""
    return bool(attributes.get(KEY) or attributes.get("hashValue") or attributes.get("password", "").strip("0"))


def opens(attributes: Attributes, password: Secret | None) -> bool:
    """Whether this password (or none) lifts the protection. Raises `Failure` for a hash nobody can check."""
    if not has_password(attributes):
        return True
    if password is None:
        return False
    if attributes.get(KEY):
        return opens_key(attributes, password)
    if attributes.get("hashValue"):
        return _opens_hash(attributes, password)
    try:
        wanted = int(attributes["password"], 16)
    except ValueError:
        raise Failure("its protection is damaged: the password's hash is not a number") from None
    return wanted in password.derived("16 bit", old_hashes)


def _opens_hash(attributes: Attributes, password: Secret) -> bool:
    name = attributes.get("algorithmName", "")
    algorithm = _HASHES.get(name.upper())
    if algorithm is None:
        raise Failure(f'its password was hashed with "{name}", which Scrub does not know')
    import base64

    try:
        spin = int(attributes.get("spinCount", "0"))
        salt = base64.b64decode(attributes.get("saltValue", ""), validate=True)
        wanted = base64.b64decode(attributes["hashValue"], validate=True)
    except ValueError:  # base64's own is one too
        raise Failure("its protection is damaged: the password's hash cannot be read") from None
    if spin > 10_000_000:  # the standard's own ceiling
        raise Failure(f"its protection is damaged: {spin:,} rounds of hashing exceed the limit of the standard")
    found = password.derived((algorithm, salt, spin), partial(_hash, algorithm=algorithm, salt=salt, spin=spin))
    return bool(found == wanted)


def password_attributes(password: Secret) -> dict[str, str]:
    """The attributes of a password: SHA-512 over a fresh salt, the same for all sheets of a run."""
    import base64

    salt: bytes = password.derived("salt", lambda _: os.urandom(16))
    hashed = password.derived(("sha512", salt, _SPIN), partial(_hash, algorithm="sha512", salt=salt, spin=_SPIN))
    return {
        "algorithmName": "SHA-512",
        "hashValue": base64.b64encode(hashed).decode(),
        "saltValue": base64.b64encode(salt).decode(),
        "spinCount": str(_SPIN),
    }


def _hash(text: str, algorithm: str, salt: bytes, spin: int) -> bytes:
    """The iterated hash: salt and UTF-16LE password first, then each round its own number after the last hash."""
    import hashlib  # only passwords pay for loading it

    make = getattr(hashlib, algorithm)
    result: bytes = make(salt + text.encode("utf-16-le")).digest()
    for turn in range(spin):
        result = make(result + turn.to_bytes(4, "little")).digest()
    return result
