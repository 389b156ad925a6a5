"""Drives that are plugged in now, by what lies on them; who holds one open; and its last bytes on the medium.

A drive is never known by its path: `sightings` looks below the places where drives are mounted, and at the paths at which drives were seen
last, for the header of a vault, and tells whose it is. That is told, not proven: whoever opens the store proves it.
"""

import os
import stat
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from adapters.guard import port
from adapters.stores.folder import FolderBlobs
from core.errors import AtticError
from core.vault.errors import StoreFault, StoreUnreachable
from core.vault.unlocking import read_header

PLACES = (Path("/media"), Path("/run/media"), Path("/mnt"))
"""Where systems mount drives: Filesystem Hierarchy Standard 3.0 for the first and the last, common practice for the other."""
_DEPTH = 3
"""/run/media/WHO/DRIVE/FOLDER."""
_MOST_FOLDERS = 2000
"""That are looked into at one place: what is mounted there is hostile until it is checked."""
_MOST_ENTRIES = 10_000
"""Of one folder that are looked at."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sighting:
    path: str
    store: str
    """Hex id of the vault that its header claims to be."""


@port(StoreFault, "The drives of this computer")
class Drives:
    def __init__(self, places: Sequence[Path] = PLACES) -> None:
        self._places = places

    def sightings(self, known: Sequence[str]) -> list[Sighting]:
        """`known`: paths at which drives were seen before. Each place is told once, with every link in it resolved."""
        sightings: dict[str, Sighting] = {}
        for folder in (*(Path(path) for path in known), *self._folders()):
            where = os.path.realpath(folder)
            if where not in sightings and (store := _vault_in(Path(where))):
                sightings[where] = Sighting(path=where, store=store)
        return sorted(sightings.values(), key=lambda one: one.path)

    def _folders(self) -> Iterator[Path]:
        for place in self._places:
            left, level = _MOST_FOLDERS, [place]
            for _ in range(_DEPTH):
                level = [below for folder in level for below in _below(folder)][:left]
                left -= len(level)
                yield from level

    def holders(self, path: str) -> list[str]:
        """Programs of this account that hold something below it open, by name; every one where this runs with the right to see them."""
        programs, root = set[str](), os.path.realpath(path)
        for process in Path("/proc").iterdir():
            if not process.name.isdigit():
                continue
            if any(one == root or one.startswith(f"{root}/") for one in _opened_by(process)):
                programs.add(_name_of(process))
        return sorted(programs)

    def flush(self, path: str) -> None:
        """Everything that was written there lies on the medium afterwards. Raises StoreError."""
        try:
            descriptor = os.open(path, os.O_RDONLY | os.O_DIRECTORY)
            try:
                os.fsync(descriptor)
            finally:
                os.close(descriptor)
            os.sync()
        except OSError as error:
            raise StoreUnreachable(f"The drive at {path} answers with an error: {error.strerror}.") from error


def _opened_by(process: Path) -> Iterator[str]:
    """Paths that it holds open. One that it closes in this instant hides no other; of somebody else's process nothing is seen."""
    try:
        links = [process / "cwd", *(process / "fd").iterdir()]
    except OSError:
        return
    for link in links:
        try:
            yield os.readlink(link)
        except OSError:
            continue


def _name_of(process: Path) -> str:
    try:
        return (process / "comm").read_text().strip()
    except OSError:
        return f"process {process.name}"


def _below(folder: Path) -> list[Path]:
    """Folders in it, links left out; nothing where this account may not look."""
    try:
        with os.scandir(folder) as entries:
            first = islice(entries, _MOST_ENTRIES)
            return sorted(Path(entry.path) for entry in first if entry.is_dir(follow_symlinks=False) and not entry.name.startswith("."))
    except OSError:  # not there, or somebody else's
        return []


def _vault_in(folder: Path) -> str:
    """Whose header lies there; empty for none that can be read."""
    try:
        if not stat.S_ISREG(os.lstat(folder / "header").st_mode):
            return ""
        fields = read_header(FolderBlobs(folder))
    except (OSError, AtticError):  # no vault, or one that nobody can read: neither is a drive of ours
        return ""
    return str(fields.get("store", ""))
