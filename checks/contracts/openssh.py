"""A real SSH server for tests: OpenSSH from Debian's packages, on loopback, keys only, its files those of nobody in particular."""

import os
import shutil
import tempfile
from pathlib import Path
from unittest import TestCase

from adapters.links.sftp_session import Sftp
from bench.ssh import SshServer


class OpenSsh(TestCase):
    """Starts one server a class. `root` is a fresh folder that it can reach; `place(folder)` says how."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.keys = Path(tempfile.mkdtemp(prefix="attic-openssh-"))
        cls.addClassCleanup(shutil.rmtree, cls.keys)
        cls.server = cls.enterClassContext(SshServer(cls.keys, as_nobody=True))

    def setUp(self) -> None:
        super().setUp()
        self.root = Path(tempfile.mkdtemp(prefix="attic-sftp-"))
        self.addCleanup(shutil.rmtree, self.root)
        self.root.chmod(0o777)

    def given(self, path: bytes | str, content: bytes = b"x", *, mode: int = 0o644) -> Path:
        """A file of the user that the server runs as."""
        target = Path(os.fsdecode(os.fsencode(self.root) + b"/" + os.fsencode(path)))
        for folder in (*reversed(target.relative_to(self.root).parents),):
            made = self.root / folder
            if not made.exists():
                made.mkdir()
                self._owned(made)
        target.write_bytes(content)
        target.chmod(mode)
        self._owned(target)
        return target

    @staticmethod
    def _owned(path: Path) -> None:
        if os.geteuid() == 0:
            os.chown(path, 65534, 65534)

    def place(self, folder: Path | str | None = None) -> Sftp:
        return self.server.place(Path(folder or self.root))
