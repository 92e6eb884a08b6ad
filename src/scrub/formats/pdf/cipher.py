"""How what is added to an encrypted file is encrypted, with its own key (7.6.2, 7.6.5)."""

from __future__ import annotations

import os
from typing import Any

from scrub.formats.images.needed import needed
from scrub.formats.pdf.objects import held, whole_number
from scrub.model.core.problem import Failure


class Cipher:
    """Encrypts strings and streams for one file. Both are encrypted alike in files that programs make."""

    def __init__(self, pdf: Any) -> None:
        encryption = pdf.encryption
        self._key = bytes(encryption.encryption_key)
        dictionary = pdf.trailer.Encrypt
        version = whole_number(dictionary, "/V")
        self.number = dictionary.objgen[0]  # of the dictionary itself, whose strings stay as they are
        if version in (1, 2):
            self._way = "RC4"
        elif version in (4, 5):
            names = {str(dictionary.get(word, "/Identity")) for word in ("/StmF", "/StrF")}
            if len(names) != 1:
                raise Failure("its strings and streams are encrypted in different ways, which Scrub cannot write")
            name = names.pop()
            method = "/None" if name == "/Identity" else str(held(held(dictionary, "/CF"), name).get("/CFM", ""))
            self._way = {"/V2": "RC4", "/AESV2": "AES", "/AESV3": "AES256", "/None": ""}.get(method, "?")
        else:
            self._way = "?"
        if self._way == "?":
            raise Failure("unknown encryption method")

    def __call__(self, data: bytes, number: int, generation: int = 0) -> bytes:
        """Data as the object of this number contains it (algorithm 1, 1.A)."""
        if not self._way:
            return data
        key = self._key
        if self._way != "AES256":
            import hashlib

            salt = number.to_bytes(3, "little") + generation.to_bytes(2, "little")
            salted = key + salt + (b"sAlT" if self._way == "AES" else b"")
            key = hashlib.md5(salted, usedforsecurity=False).digest()[: min(len(key) + 5, 16)]
        if self._way == "RC4":
            return _rc4(key, data)
        ciphers = needed("cryptography.hazmat.primitives.ciphers")
        start = os.urandom(16)
        padding = 16 - len(data) % 16
        worker = ciphers.Cipher(ciphers.algorithms.AES(key), ciphers.modes.CBC(start)).encryptor()
        made: bytes = start + worker.update(data + bytes([padding]) * padding) + worker.finalize()
        return made


def _rc4(key: bytes, data: bytes) -> bytes:
    """RC4, which old files have and current libraries no longer offer."""
    state, j = list(range(256)), 0
    for i in range(256):
        j = (j + state[i] + key[i % len(key)]) & 255
        state[i], state[j] = state[j], state[i]
    made, i, j = bytearray(), 0, 0
    for byte in data:
        i = (i + 1) & 255
        j = (j + state[i]) & 255
        state[i], state[j] = state[j], state[i]
        made.append(byte ^ state[(state[i] + state[j]) & 255])
    return bytes(made)
