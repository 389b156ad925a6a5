"""A real SSH server for tests: OpenSSH from Debian's packages, on loopback, keys only, its files those of nobody in particular."""

import os
import shutil
import subprocess
import tempfile
import time
from pathlib import Path
from unittest import TestCase

from adapters.links.sftp_session import Sftp, host_key
from core.content.errors import LinkError
from launcher.processes import free_port

_AS_NOBODY = "/usr/bin/setpriv --reuid=65534 --regid=65534 --clear-groups "
"""Root may read everything: as root the file server is started as somebody who may not."""


class OpenSsh(TestCase):
    """Starts one server a class. `root` is a fresh folder that it can reach; `place(folder)` says how."""

    server: "subprocess.Popen[bytes]"

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.keys = Path(tempfile.mkdtemp(prefix="attic-openssh-"))
        cls.addClassCleanup(shutil.rmtree, cls.keys)
        for name in ("host", "user"):
            subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(cls.keys / name)], check=True)
        if os.geteuid() == 0:
            Path("/run/sshd").mkdir(exist_ok=True)
        cls.port = free_port()
        as_nobody = _AS_NOBODY if os.geteuid() == 0 else ""
        (cls.keys / "config").write_text(
            f"Port {cls.port}\nListenAddress 127.0.0.1\nHostKey {cls.keys}/host\nAuthorizedKeysFile {cls.keys}/user.pub\nPidFile none\n"
            "UsePAM no\nStrictModes no\nPermitRootLogin prohibit-password\nPasswordAuthentication no\n"
            f"Subsystem sftp {as_nobody}/usr/lib/openssh/sftp-server\n"
        )
        command = ["/usr/sbin/sshd", "-D", "-f", str(cls.keys / "config"), "-E", str(cls.keys / "log")]
        cls.server = subprocess.Popen(command)
        cls.addClassCleanup(cls.server.wait)
        cls.addClassCleanup(cls.server.terminate)
        cls.host_key = cls._met()
        cls.user_key = (cls.keys / "user").read_text()

    @classmethod
    def _met(cls) -> str:
        for _ in range(100):
            try:
                return host_key("127.0.0.1", cls.port)
            except LinkError:
                time.sleep(0.1)
        raise AssertionError((cls.keys / "log").read_text())

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
        user = subprocess.run(["id", "-un"], check=True, capture_output=True, text=True).stdout.strip()
        return Sftp(
            host="127.0.0.1",
            port=self.port,
            username=user,
            private_key=self.user_key,
            folder=str(folder or self.root),
            host_key=self.host_key,
        )
