"""Small key files that are made when they are missing, and secrets for the database, sealed with the server's key.

What is made anew here costs nobody anything but a session (`django`, `metrics`). The server's own key is another
incident: see `server_key`.
"""

import os
import secrets
from collections.abc import Callable
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from core.errors import AtticError
from core.vault.keys import hkdf


class SecretUnreadable(AtticError):
    """A sealed secret does not open with this server's key."""

    code = "key.secret_unreadable"
    remedy = "Put the server's own key back, or give the secret anew: pair the device again, type its password, make the hook again."


class KeyFiles:
    """Keys below one folder."""

    def __init__(self, folder: Path, server_key: Callable[[], bytes] | None = None) -> None:
        """`server_key`: reads the key that seals secrets; without one nothing is sealed."""
        self._folder, self._server_key = folder, server_key

    def read(self, name: str) -> bytes:
        """32 bytes; made when they do not exist yet."""
        path = self._folder / name
        if not path.is_file():
            self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            unfinished = self._folder / f".{name}-{secrets.token_hex(8)}"
            descriptor = os.open(unfinished, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(descriptor, "wb") as file:
                file.write(secrets.token_bytes(32))
                file.flush()
                os.fsync(file.fileno())
            try:
                os.link(unfinished, path)
            except FileExistsError:
                pass  # another process was faster; its key counts
            finally:
                unfinished.unlink()
        return path.read_bytes()

    def seal(self, purpose: str, secret: bytes) -> bytes:
        """A secret for the database, bound to its purpose."""
        salt = secrets.token_bytes(16)
        return salt + AESGCM(self._key(salt)).encrypt(bytes(12), secret, purpose.encode())

    def unseal(self, purpose: str, sealed: bytes) -> bytes:
        """Raises SecretUnreadable."""
        try:
            return AESGCM(self._key(sealed[:16])).decrypt(bytes(12), sealed[16:], purpose.encode())
        except (InvalidTag, ValueError):
            raise SecretUnreadable(f"The secret for {purpose} does not open with this server's key file.") from None

    def _key(self, salt: bytes) -> bytes:
        if self._server_key is None:
            raise SecretUnreadable("No key of the server is at hand.")
        return hkdf(self._server_key(), salt=salt, info=b"old attic database secrets 1")
