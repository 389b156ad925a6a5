"""A bag (RFC 8493) as a container: everything below `data`, and a manifest by which anybody can prove that nothing has changed.

SHA-256 for the payload and for the tag files. A bag knows no symbolic links: where one led stands in a file of its name.
"""

import hashlib
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime

from core.content.items import Item
from core.content.paths import link_of
from core.exchange.containers import Container, made

_DECLARATION = b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
_ALGORITHM = "sha256"
_MOST_LINE = 79


class Bag:
    """`within`: the folder of the bag in the container, which becomes the bag's own name."""

    avoids = "%"
    """RFC 8493 writes it as `%25` in a manifest, which the validator of the RFC's own authors (1.9) does not read back."""

    def __init__(self, inner: Container, *, within: str, now: datetime, about: Sequence[tuple[str, str]] = ()) -> None:
        """`about`: labels and values for `bag-info.txt`, such as who made it and for whom."""
        self._inner, self._now, self._about = inner, now, about
        self._base = f"{within}/" if within else ""
        self._payload = bytearray()
        self._files, self._bytes = 0, 0

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, packs: bool = False) -> None:
        seen = _Seen(pieces)
        self._inner.file(f"{self._base}data/{path}", item, seen, packs=packs)
        self._payload += f"{seen.hash.hexdigest()}  {_encoded(f'data/{path}')}\n".encode("utf-8", "surrogateescape")
        self._files += 1
        self._bytes += seen.size_bytes

    def link(self, path: str, item: Item) -> None:
        target = (link_of(item) or "").encode("utf-8", "surrogateescape")
        self.file(path, made(path, at=item.modified), (target,))

    def folder(self, path: str, item: Item) -> None:
        self._inner.folder(f"{self._base}data/{path}", item)

    def close(self) -> None:
        info = [*self._about, ("Bagging-Date", self._now.date().isoformat()), ("Payload-Oxum", f"{self._bytes}.{self._files}")]
        tags = {
            "bagit.txt": _DECLARATION,
            "bag-info.txt": "".join(_labelled(label, value) for label, value in info).encode("utf-8", "replace"),
            f"manifest-{_ALGORITHM}.txt": bytes(self._payload),
        }
        lines = [f"{hashlib.new(_ALGORITHM, content).hexdigest()}  {name}\n" for name, content in tags.items()]
        for name, content in (tags | {f"tagmanifest-{_ALGORITHM}.txt": "".join(lines).encode()}).items():
            self._inner.file(f"{self._base}{name}", made(name, at=self._now), (content,), packs=True)
        self._inner.close()


class _Seen:
    """Pieces on their way, hashed and counted."""

    def __init__(self, pieces: Iterable[bytes]) -> None:
        self._pieces = pieces
        self.hash = hashlib.new(_ALGORITHM)
        self.size_bytes = 0

    def __iter__(self) -> Iterator[bytes]:
        for piece in self._pieces:
            self.hash.update(piece)
            self.size_bytes += len(piece)
            yield piece


def _encoded(path: str) -> str:
    """RFC 8493 §2.1.3: only line ends and the percent sign itself."""
    return path.replace("%", "%25").replace("\r", "%0D").replace("\n", "%0A")


def _labelled(label: str, value: str) -> str:
    """One metadata element; long values go on behind a blank (RFC 8493 §2.2.2)."""
    rows, row = [], f"{label}:"
    for word in value.split():
        if len(row) + 1 + len(word) > _MOST_LINE and row.strip():
            rows.append(row)
            row = ""
        row += f" {word}"
    return "\n".join([*rows, row]) + "\n"
