"""Which folders of this computer may be stores, devices' folders, or sources of old backups.

Whoever is an administrator of the office is not one of the server: what the web may read and write is an incident of
the installation. Without roots everything may be chosen but the system's folders, this program, its keys and its
database, and other stores. Paths are looked at with every link in them resolved.
"""

import os
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from core.errors import BadInput

SYSTEM = ("bin", "boot", "dev", "etc", "lib", "lib32", "lib64", "libx32", "proc", "root", "run", "sbin", "sys", "usr", "var")
"""Folders of the system, by the Filesystem Hierarchy Standard 3.0."""
MOUNTED = ("/run/media", "/var/mnt")
"""Where desktops mount drives, below folders of the system."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StorePlaces:
    """What belongs to whom on this computer."""

    data: Path
    """Folder of this installation; only `stores` below it may be chosen."""
    program: Path
    keys: tuple[Path, ...] = ()
    """Where keys of the server lie, wherever that is."""
    roots: tuple[Path, ...] = ()
    """Only what lies in one of these may be chosen; empty: see the module."""

    def checked(self, path: str, *, stores: Sequence[str] = (), field: str = "path") -> Path:
        """The folder or file with every link resolved. `stores`: other stores, which are not to be touched. Raises BadInput."""
        asked = Path(path)
        if not asked.is_absolute() or ".." in asked.parts or "\x00" in path:
            remedy = "Give the whole path of a folder on the server, beginning with /."
            raise BadInput(f"{path!r} is no absolute path.", field=field, remedy=remedy)
        whole = asked.resolve()
        own = [self.program.resolve(), self.data.resolve(), *(key.resolve() for key in self.keys), _database_of_this_account()]
        shelf = self.data.resolve() / "stores"
        if not _below(whole, shelf) and any(_touch(whole, one) for one in own):
            raise BadInput("Old Attic keeps its own program, keys or database there.", field=field, remedy="Choose another folder.")
        if any(_touch(whole, key.resolve()) for key in self.keys):
            raise BadInput("Old Attic keeps its own keys there.", field=field, remedy="Choose another folder.")
        if other := next((store for store in stores if _touch(whole, Path(store).resolve())), None):
            raise BadInput(f"A store lies there: {other}.", field=field, remedy="Choose one that holds no store and lies in none.")
        self._allowed(whole, field)
        return whole

    def _allowed(self, path: Path, field: str) -> None:
        if self.roots:
            if not any(_below(path, root.resolve()) for root in self.roots):
                roots = ", ".join(str(root) for root in self.roots)
                remedy = f"Choose one below {roots}; more are allowed with --roots, or ATTIC_ROOTS."
                raise BadInput("This installation does not allow that folder.", field=field, remedy=remedy)
            return
        mounted = any(_below(path, Path(place)) and path != Path(place) for place in MOUNTED)
        system = any(_below(path, Path("/") / name) for name in SYSTEM)
        if path == Path("/") or (system and not mounted):
            remedy = "Choose a folder of your own, for example below /srv, /home, /mnt or /media; or allow this one with --roots."
            raise BadInput("That is a folder of the system.", field=field, remedy=remedy)


def _below(path: Path, folder: Path) -> bool:
    return path.is_relative_to(folder)


def _touch(one: Path, other: Path) -> bool:
    """Whether one of them lies in the other."""
    return one.is_relative_to(other) or other.is_relative_to(one)


def _database_of_this_account() -> Path:
    """Where the launcher puts a database whose own folder's path is too long, for who is not root."""
    return Path(tempfile.gettempdir()).resolve() / f"old-attic-{os.getuid()}"
