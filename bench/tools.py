"""General-purpose tools for the same days: a full archive a day, an incremental chain, hard-linked snapshots."""

import shutil
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path


class Tools:
    """What tar, zstd and rsync keep of the same folder. A tool that is not installed is left out and said so."""

    def __init__(self, folder: Path, root: Path) -> None:
        self._folder, self._root = folder, root
        self._tar = bool(shutil.which("tar") and shutil.which("zstd"))
        self._rsync = bool(shutil.which("rsync"))
        for name in ("full", "chain", "links"):
            (folder / name).mkdir(parents=True, exist_ok=True)

    def take(self, day: int) -> None:
        if self._tar:
            # the day's size is what counts; one archive at a time is kept
            full = self._folder / "full" / f"{day}.tar.zst"
            self._run(f"tar -cf - . | zstd -3 -q -T2 > '{full}'")
            size = full.stat().st_size
            full.unlink()
            (self._folder / "full" / f"{day}.size").write_text(str(size))
            snapshot, archive = self._folder / "chain" / "snapshot", self._folder / "chain" / f"{day}.tar.zst"
            self._run(f"tar --listed-incremental='{snapshot}' -cf - . | zstd -3 -q -T2 > '{archive}'")
        if self._rsync:
            links = self._folder / "links"
            before = f"--link-dest='{links / str(day - 1)}'" if day else ""
            self._run(f"rsync -a {before} ./ '{links / str(day)}/'")

    def sizes(self) -> Iterator[tuple[str, int | None, float]]:
        """(name, bytes, wanted ratio)."""
        full = sum(int(path.read_text()) for path in (self._folder / "full").glob("*.size"))
        chain = sum(path.stat().st_size for path in (self._folder / "chain").glob("*.tar.zst"))
        yield "a full tar+zstd archive a day", full if self._tar else None, 0.13
        yield "a tar --listed-incremental chain, with zstd", chain if self._tar else None, 0.65
        links = {(facts.st_dev, facts.st_ino): facts.st_size for path in (self._folder / "links").rglob("*") if (facts := path.lstat())}
        yield "rsync --link-dest", sum(links.values()) if self._rsync else None, 0.5

    def restore_chain(self, into: Path) -> float | None:
        """Seconds to get the newest day out of the chain."""
        if not self._tar:
            return None
        into.mkdir()
        began = time.perf_counter()
        for day in range(8):
            archive = self._folder / "chain" / f"{day}.tar.zst"
            subprocess.run(["sh", "-c", f"zstd -dc -q '{archive}' | tar --listed-incremental=/dev/null -xf -"], cwd=into, check=True)
        return time.perf_counter() - began

    def _run(self, command: str) -> None:
        subprocess.run(["sh", "-c", command], cwd=self._root, check=True)
