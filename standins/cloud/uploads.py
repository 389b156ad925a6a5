"""Objects that arrive in parts: each part a file until they are put together, or given up."""

import hashlib
import secrets
import shutil
from pathlib import Path

from standins.cloud.answers import Refused

LEAST_PART_BYTES = 5 << 20
"""Of every part but the last."""


class Uploads:
    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def begin(self, bucket: str, key: str) -> str:
        id = secrets.token_hex(16)
        (self._folder / id).mkdir(parents=True)
        (self._folder / id / "of").write_text(f"{bucket}/{key}")
        return id

    def part(self, id: str, bucket: str, key: str, number: int, content: bytes) -> str:
        """Its entity tag. Raises Refused."""
        folder = self._of(id, bucket, key)
        if not 1 <= number <= 10_000:
            raise Refused("InvalidRequest", "Parts are numbered from 1 to 10000.")
        (folder / f"{number:05}").write_bytes(content)
        return hashlib.md5(content, usedforsecurity=False).hexdigest()

    def whole(self, id: str, bucket: str, key: str, wanted: list[tuple[int, str]]) -> tuple[bytes, str]:
        """(content, entity tag of an object in parts). Raises Refused."""
        folder, contents, sums = self._of(id, bucket, key), [], b""
        for place, (number, etag) in enumerate(wanted):
            path = folder / f"{number:05}"
            content = path.read_bytes() if path.is_file() else None
            digest = hashlib.md5(content or b"", usedforsecurity=False)
            if content is None or digest.hexdigest() != etag.strip('"') or (place and number <= wanted[place - 1][0]):
                raise Refused("InvalidPart", f"Part {number} is not there, or another one.")
            if len(content) < LEAST_PART_BYTES and place < len(wanted) - 1:
                raise Refused("EntityTooSmall")
            contents.append(content)
            sums += digest.digest()
        return b"".join(contents), f"{hashlib.md5(sums, usedforsecurity=False).hexdigest()}-{len(wanted)}"

    def drop(self, id: str, bucket: str, key: str) -> None:
        shutil.rmtree(self._of(id, bucket, key))

    def count(self) -> int:
        return len(list(self._folder.iterdir())) if self._folder.is_dir() else 0

    def _of(self, id: str, bucket: str, key: str) -> Path:
        folder = self._folder / id
        if not id.isalnum() or not folder.is_dir() or (folder / "of").read_text() != f"{bucket}/{key}":
            raise Refused("NoSuchUpload")
        return folder
