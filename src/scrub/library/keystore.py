"""Passwords in the system's key store, through `keyring`. Where there is none, no file takes its place."""

from __future__ import annotations

from typing import Any

from scrub.library.records import Names
from scrub.model.core.problem import BadCall, ScrubError

SERVICE = "scrub-macros"


class NoKeyStore(ScrubError):
    """This system offers no key store."""

    exit_code = 1


class KeyStore:
    """The person's passwords by name. The names, and only these, are kept in a file of ours for `list`."""

    def __init__(self, names: Names) -> None:
        self._names = names

    def get(self, name: str) -> str | None:
        """A password, or None where there is none or no key store."""
        if name not in self.names():
            return None
        try:
            result: str | None = self._store().get_password(SERVICE, name)
        except NoKeyStore:
            return None
        return result

    def set(self, name: str, password: str) -> None:
        """Keeps a password. Raises `NoKeyStore`."""
        self._store().set_password(SERVICE, name, password)
        with self._names.changing() as found:
            found["names"] = sorted({*found.get("names", []), name})

    def forget(self, name: str) -> None:
        """Forgets a password. Raises `BadCall` when there is none of that name."""
        if name not in self.names():
            raise BadCall(f'no password "{name}" is saved')
        self._store().delete_password(SERVICE, name)
        with self._names.changing() as found:
            found["names"] = [each for each in found.get("names", []) if each != name]

    def names(self) -> list[str]:
        """The names under which passwords are kept."""
        return list(self._names.load().get("names", []))

    @staticmethod
    def _store() -> Any:
        import keyring
        from keyring.backends import fail, null

        store = keyring.get_keyring()
        if isinstance(store, fail.Keyring | null.Keyring):
            raise NoKeyStore(
                "this system has no key store. Set the password as a variable (scrub show names it), or type it at "
                "each run"
            )
        return store
