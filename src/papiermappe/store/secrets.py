"""Passwords of places that documents go to: encrypted before they are written down."""

import os
from contextlib import suppress
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from pydantic import SecretStr

from papiermappe.store.errors import SecretUnreadable


class SecretBox:
    """Encrypts what must not be read by whoever sees the database.

    Args:
        key: as Fernet takes it: 32 bytes, URL-safe Base64.

    Raises:
        SecretUnreadable: it is no such key.
    """

    def __init__(self, key: bytes) -> None:
        try:
            self._fernet = Fernet(key)
        except ValueError as exc:
            raise SecretUnreadable("secret_key_unusable") from exc

    @classmethod
    def of_file(cls, path: Path) -> "SecretBox":
        """Return the box whose key lies in a file that only its owner can read; the file is made where it is missing.

        Raises:
            SecretUnreadable: what lies there is no key.
        """
        with suppress(FileExistsError):
            path.parent.mkdir(parents=True, exist_ok=True)
            handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(handle, "wb") as made:
                made.write(Fernet.generate_key())
                made.flush()
                os.fsync(made.fileno())
        return cls(path.read_bytes())

    @classmethod
    def kept(cls, data_dir: Path, key: SecretStr | None) -> "SecretBox":
        """Return the box of a desk: with the key of its settings, or else with the one in its folder."""
        return cls(key.get_secret_value().encode()) if key else cls.of_file(data_dir / "secret.key")

    def seal(self, secret: str) -> bytes:
        """Return a secret, encrypted."""
        return self._fernet.encrypt(secret.encode())

    def open(self, sealed: bytes) -> str:
        """Return what was sealed. Raises SecretUnreadable where that was done with another key."""
        try:
            return self._fernet.decrypt(sealed).decode()
        except InvalidToken as exc:
            raise SecretUnreadable("secret_unreadable") from exc
