"""OpenSSH's own server on loopback, and its own client, for as long as something is measured."""

import os
import subprocess
import time
from pathlib import Path

from adapters.links.sftp_session import Sftp, host_key
from core.content.errors import LinkError
from launcher.processes import free_port

_AS_NOBODY = "/usr/bin/setpriv --reuid=65534 --regid=65534 --clear-groups "


class SshServer:
    """Keys only; whoever runs it signs in as himself. `as_nobody`: root may read everything, so as root the file server is started
    as somebody who may not."""

    def __init__(self, keys: Path, *, as_nobody: bool = False, options: str = "") -> None:
        """`options`: of its file server."""
        self._keys, self._options = keys, options
        self._as = _AS_NOBODY if as_nobody and os.geteuid() == 0 else ""

    def __enter__(self) -> "SshServer":
        self._keys.mkdir(parents=True, exist_ok=True)
        for name in ("host", "user"):
            subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(self._keys / name)], check=True)
        if os.geteuid() == 0:
            Path("/run/sshd").mkdir(exist_ok=True)
        self._port = free_port()
        (self._keys / "config").write_text(
            f"Port {self._port}\nListenAddress 127.0.0.1\nHostKey {self._keys}/host\nAuthorizedKeysFile {self._keys}/user.pub\n"
            "PidFile none\nUsePAM no\nStrictModes no\nPermitRootLogin prohibit-password\nPasswordAuthentication no\n"
            f"Subsystem sftp {self._as}/usr/lib/openssh/sftp-server {self._options}\n"
        )
        self._process: subprocess.Popen[bytes] = subprocess.Popen(
            ["/usr/sbin/sshd", "-D", "-f", str(self._keys / "config"), "-E", str(self._keys / "log")]
        )
        self._host_key = self._met()
        self._user = subprocess.run(["id", "-un"], check=True, capture_output=True, text=True).stdout.strip()
        return self

    def __exit__(self, *error: object) -> None:
        self._process.terminate()
        self._process.wait()

    @property
    def port(self) -> int:
        return int(self._port)

    @property
    def process(self) -> int:
        return self._process.pid

    def place(self, folder: Path) -> Sftp:
        return Sftp(
            host="127.0.0.1", port=self._port, username=self._user, private_key=(self._keys / "user").read_text(), folder=str(folder),
            host_key=self._host_key,
        )  # fmt: skip

    def fetch(self, folder: Path, into: Path) -> None:
        """With OpenSSH's own client, as `sftp -b` does it."""
        batch = self._keys / "batch"
        batch.write_text(f"get -r {folder}/* {into}/\n")
        (self._keys / "known").write_text(f"[127.0.0.1]:{self._port} {self._host_key}\n")
        options = ["-o", f"UserKnownHostsFile={self._keys / 'known'}", "-i", str(self._keys / "user"), "-P", str(self._port)]
        subprocess.run(["sftp", "-q", "-b", str(batch), *options, f"{self._user}@127.0.0.1"], check=True, capture_output=True)

    def _met(self) -> str:
        for _ in range(100):
            try:
                return host_key("127.0.0.1", self._port)
            except LinkError:
                time.sleep(0.1)
        raise SystemExit("the SSH server does not start")
