"""A ZIP as a container (PKWARE's APPNOTE, ZIP64 where it is needed), written by `zipfile`.

Files lie in it as they are: what phones hold is packed already, and its length is known beforehand. Only what packs well,
such as tables and pages, is deflated.
"""

import stat
import struct
import zipfile
import zlib
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from itertools import chain
from typing import IO

from core.content.items import Item
from core.content.paths import link_of
from core.units import MIB
from core.vault.errors import Damaged

WHOLE_BYTES = 4 * MIB
"""What announces less is held in memory and written once it is whole; larger ones are cut back when they break."""


class Zipped:
    """`file` can be written, sought and truncated."""

    avoids = ""

    def __init__(self, file: IO[bytes]) -> None:
        self._file = file
        self._zip = zipfile.ZipFile(file, "w", zipfile.ZIP_STORED, allowZip64=True)

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, packs: bool = False) -> None:
        info = _entry(path, item)
        info.compress_type = zipfile.ZIP_DEFLATED if packs else zipfile.ZIP_STORED
        source = iter(pieces)
        head, whole = _head(source)
        if whole and not packs:
            self._put(info, head)
            return
        try:
            with self._zip.open(info, "w", force_zip64=not whole) as out:
                for piece in chain(head, source):
                    out.write(piece)
        except Damaged:
            self._cut_back(info)
            raise

    def _put(self, info: zipfile.ZipInfo, pieces: Sequence[bytes]) -> None:
        """A stored entry whose checksum and length are known: what `writestr` does, without a copy of the whole and without going back."""
        info.CRC = 0
        for piece in pieces:
            info.CRC = zlib.crc32(piece, info.CRC)
            info.file_size += len(piece)
        info.compress_size, info.header_offset = info.file_size, self._zip.start_dir
        self._file.seek(info.header_offset)
        self._file.write(info.FileHeader(zip64=False))
        for piece in pieces:
            self._file.write(piece)
        self._zip.filelist.append(info)
        self._zip.NameToInfo[info.filename] = info
        self._zip.start_dir = self._file.tell()
        self._zip._didModify = True  # type: ignore[attr-defined]

    def _cut_back(self, info: zipfile.ZipInfo) -> None:
        """The next entry is written over the half one."""
        if info.filename in self._zip.NameToInfo:  # not when writing itself failed
            self._zip.filelist.remove(info)
            del self._zip.NameToInfo[info.filename]
        self._zip.start_dir = info.header_offset
        self._file.seek(info.header_offset)
        self._file.truncate()

    def link(self, path: str, item: Item) -> None:
        self._put(_entry(path, item), ((link_of(item) or "").encode("utf-8", "surrogateescape"),))

    def folder(self, path: str, item: Item) -> None:
        self._put(_entry(f"{path}/", item), ())

    def close(self) -> None:
        self._zip.close()


def _head(source: Iterator[bytes]) -> tuple[list[bytes], bool]:
    """(pieces of the first megabytes, whether that is all)."""
    held, size_bytes = [], 0
    for piece in source:
        held.append(piece)
        size_bytes += len(piece)
        if size_bytes > WHOLE_BYTES:
            return held, False
    return held, True


def _entry(path: str, item: Item) -> zipfile.ZipInfo:
    """With the mode and the sort of a Unix file, and its time to the second in UTC (extra field 0x5455 of Info-ZIP's
    appnote, "extended timestamp"; from memory)."""
    mode = int((item.attributes or {}).get("mode", 0o755 if path.endswith("/") else 0o644)) & 0o777
    sort = stat.S_IFLNK if link_of(item) is not None else stat.S_IFDIR if path.endswith("/") else stat.S_IFREG
    info = zipfile.ZipInfo(path, date_time=_zip_time(item.modified))
    info.create_system = 3
    info.external_attr = (sort | mode) << 16 | (0x10 if path.endswith("/") else 0)
    seconds = int(item.modified.timestamp())
    if -(2**31) <= seconds < 2**31:
        info.extra = struct.pack("<HHBi", 0x5455, 5, 1, seconds)
    return info


def _zip_time(instant: datetime) -> tuple[int, int, int, int, int, int]:
    year = min(2107, max(1980, instant.year))
    return (year, instant.month, instant.day, instant.hour, instant.minute, instant.second)
