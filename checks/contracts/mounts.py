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
    told = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={megabytes}m,mode=777", "none", str(folder)], capture_output=True, text=True
    )
    if told.returncode:
        test.skipTest(f"no small disk can be mounted here: {told.stderr.strip()}")
    test.addCleanup(subprocess.run, ["umount", "-l", str(folder)], check=False, capture_output=True)
    return folder
