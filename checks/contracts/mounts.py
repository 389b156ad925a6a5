"""A small disk of its own for a test."""

import shutil
import subprocess
import tempfile
from pathlib import Path
from unittest import TestCase


def small_disk(test: TestCase, megabytes: int) -> Path:
    """Everybody may write there. Where none may be mounted the test says so."""
    folder = Path(tempfile.mkdtemp(prefix="attic-small-"))
    test.addCleanup(shutil.rmtree, folder, ignore_errors=True)
    done = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={megabytes}m,mode=777", "none", str(folder)], capture_output=True, text=True
    )
    if done.returncode:
        test.skipTest(f"no small disk can be mounted here: {done.stderr.strip()}")
    test.addCleanup(subprocess.run, ["umount", "-l", str(folder)], check=False, capture_output=True)
    return folder


class LoopDrive:
    """A drive of its own: a file with an ext4 file system in it, mounted where a test wants it."""

    def __init__(self, test: TestCase, image: Path, folder: Path) -> None:
        self._test, self._image, self._folder, self.at = test, image, folder, folder / "mounted"

    @classmethod
    def made(cls, test: TestCase, megabytes: int = 12) -> "LoopDrive":
        """Where none can be made the test says so."""
        folder = Path(tempfile.mkdtemp(prefix="attic-drive-"))
        test.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        image = folder / "image"
        with image.open("wb") as file:
            file.truncate(megabytes << 20)
        if shutil.which("mkfs.ext4") is None:
            test.skipTest("no file system can be made here: mkfs.ext4 is missing")
        # a journal as a drive has one, flushed to its medium when the file system is told to and not before
        subprocess.run(["mkfs.ext4", "-q", "-m", "0", str(image)], check=True, capture_output=True)
        return cls(test, image, folder)

    def plug_in(self, at: Path | None = None) -> Path:
        """Mounted there from now on."""
        self.at = at or self._folder / "mounted"
        self.at.mkdir(exist_ok=True)
        done = subprocess.run(["mount", "-o", "loop", str(self._image), str(self.at)], capture_output=True, text=True)
        if done.returncode:
            self._test.skipTest(f"no drive can be mounted here: {done.stderr.strip()}")
        self._test.addCleanup(subprocess.run, ["umount", "-l", str(self.at)], check=False, capture_output=True)
        return self.at

    def take_out(self) -> None:
        subprocess.run(["umount", str(self.at)], check=True, capture_output=True)

    def pulled_out_now(self) -> "LoopDrive":
        """A drive with what lies on this one's medium at this instant: what was not flushed is not on it."""
        folder = Path(tempfile.mkdtemp(prefix="attic-pulled-"))
        self._test.addCleanup(shutil.rmtree, folder, ignore_errors=True)
        shutil.copyfile(self._image, folder / "image")
        return LoopDrive(self._test, folder / "image", folder)
