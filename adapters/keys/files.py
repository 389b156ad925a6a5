"""Key files of the server: made once, readable only by its own account, and what is sealed with them.

The server's key file opens stores for unattended runs and seals small secrets in the database, so that
a stolen database alone opens nothing. Losing it costs nobody a backup: every store also opens with its
passphrase.
"""

import os
import secrets
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

    def __init__(self, folder: Path) -> None:
        self._folder = folder

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
        return hkdf(self.read("server"), salt=salt, info=b"old attic database secrets 1")
