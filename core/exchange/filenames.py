"""File names that are safe in any archive and on any file system, from names that a device made up."""

import re
from pathlib import PurePosixPath

MAX_NAME_BYTES = 120
MAX_PATH_BYTES = 60_000
"""A ZIP archive holds no longer path."""
_FORBIDDEN = re.compile(r'[<>:"|?*\\\x00-\x1f\x7f]')
_RESERVED = {"con", "prn", "aux", "nul", *(f"com{n}" for n in range(1, 10)), *(f"lpt{n}" for n in range(1, 10))}


def safe_part(name: str) -> str:
    """One path component: no separator, no traversal, no reserved device name, not overlong; never empty."""
    cleaned = _FORBIDDEN.sub("_", name.replace("/", "_")).strip(" .") or "unnamed"
    if cleaned.partition(".")[0].casefold() in _RESERVED:
        cleaned = "_" + cleaned
    stem, suffix = PurePosixPath(cleaned).stem, PurePosixPath(cleaned).suffix
    room = MAX_NAME_BYTES - len(suffix.encode()[:20])
    return stem.encode()[:room].decode(errors="ignore") + suffix.encode()[:20].decode(errors="ignore")


def safe_path(name: str) -> str:
    """A relative path below some folder, keeping its honest subfolders, however many: `../../etc/passwd` → `etc/passwd`."""
    parts = [safe_part(part) for part in name.split("/") if part.strip(" .")]
    while len(parts) > 1 and sum(len(part.encode()) + 1 for part in parts) > MAX_PATH_BYTES:
        del parts[0]
    return "/".join(parts) or "unnamed"


def plain_path(name: str) -> str:
    """The same for a place that holds almost any name, such as an archive: letters, dots, blanks and depth stay as they are."""
    return name if is_plain(name) else safe_path(name)


def is_plain(name: str) -> bool:
    """Whether a name can be a path below a folder as it is, on every system that reads the archive."""
    parts = name.split("/")
    return not {"", ".", ".."} & set(parts) and not _FORBIDDEN.search(name) and all(_plain_part(part) for part in parts)


def _plain_part(part: str) -> bool:
    return len(part.encode("utf-8", "replace")) <= 255 and part.rstrip(" .") == part and part.partition(".")[0].casefold() not in _RESERVED


class UniqueNames:
    """Gives each path once: `a.jpg`, `a (2).jpg`. Case does not tell two names apart."""

    def __init__(self) -> None:
        self._taken: set[str] = set()

    def take(self, path: str) -> str:
        candidate, number = path, 1
        while candidate.casefold() in self._taken:
            number += 1
            folder, _, last = path.rpartition("/")
            stem, dot, suffix = last.rpartition(".")
            numbered = f"{stem} ({number}).{suffix}" if dot and stem else f"{last} ({number})"
            candidate = f"{folder}/{numbered}" if folder else numbered
        self._taken.add(candidate.casefold())
        return candidate
