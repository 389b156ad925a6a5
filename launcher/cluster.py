"""A private PostgreSQL cluster on loopback: made once, started, stopped. Nobody else's server is touched."""

import hashlib
import os
import pwd
import secrets
import shutil
import subprocess
import tempfile
from pathlib import Path

from launcher.console import StepFailed, run, step
from launcher.leftovers import known

MOST_CONNECTIONS = 200


class Cluster:
    """One cluster. `fast` gives up durability: for tests."""

    def __init__(self, data: Path, port: int, *, fast: bool = False) -> None:
        self.port, self._fast = port, fast
        self._home = _passable(data / "postgres")
        self.password_file = data / "keys" / "database"

    def start(self) -> None:
        """Make it if it does not exist, then start it. Raises StepFailed."""
        with step("starting PostgreSQL"):
            self._home.mkdir(parents=True, exist_ok=True)
            if os.geteuid() == 0:
                shutil.chown(self._home, "postgres", "postgres")
            self._home.chmod(0o700)
            if not (self._home / "pg" / "PG_VERSION").exists():
                self._make()
            if self._runs():
                self.stop()
            command = self._as(
                [_binary("pg_ctl"), "-D", self._home / "pg", "-l", self._home / "log", "-w", "-t", "30", "-o", self._options(), "start"]
            )
            run(command, remedy=f"Its log is {self._home / 'log'}.", cwd=Path("/"))

    def revive(self) -> bool:
        """Whether it had ended by itself and runs again. One that does not come back at once is tried again by the next call."""
        if self._alive():
            return False
        command = self._as(
            [_binary("pg_ctl"), "-D", self._home / "pg", "-l", self._home / "log", "-w", "-t", "30", "-o", self._options(), "start"]
        )
        # its last children may still hold its memory for a moment; then it refuses, and says so in its log
        return subprocess.run(command, cwd="/", capture_output=True, check=False).returncode == 0

    def _alive(self) -> bool:
        """Whether its first process is there. Cheap enough to be asked all the time."""
        try:
            pid = int((self._home / "pg" / "postmaster.pid").read_text().split("\n", 1)[0])
        except (FileNotFoundError, ValueError):
            return False
        owner = known("postgres", pid)
        return owner is not None and "postgres" in owner.command

    def _options(self) -> str:
        options = f"-p {self.port} -h 127.0.0.1 -k {self._home} -c max_connections={MOST_CONNECTIONS}"
        if self._fast:
            options += " -F -c synchronous_commit=off -c full_page_writes=off -c max_wal_size=2GB"
        return options

    def stop(self) -> None:
        command = self._as([_binary("pg_ctl"), "-D", self._home / "pg", "-m", "fast", "-w", "stop"])
        subprocess.run(command, cwd="/", capture_output=True, check=False)

    def make_database(self, name: str, *, like: str = "template1") -> None:
        """Nothing happens when it exists. `like` is copied, and nobody may be connected with it."""
        env = {**os.environ, "PGPASSWORD": self.password_file.read_text().strip()}
        psql: list[str | Path] = [
            _binary("psql"),
            "-h",
            "127.0.0.1",
            "-p",
            str(self.port),
            "-U",
            "postgres",
            "-d",
            "postgres",
            "-Atq",
            "-c",
        ]
        remedy = f"Its log is {self._home / 'log'}."
        if run([*psql, f"select 1 from pg_database where datname = '{name}'"], remedy=remedy, env=env).strip() != "1":
            run([*psql, f'create database "{name}" template "{like}"'], remedy=remedy, env=env)

    def remove(self) -> None:
        """Stop it and remove its files."""
        self.stop()
        shutil.rmtree(self._home, ignore_errors=True)

    def _make(self) -> None:
        self.password_file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        if not self.password_file.exists():
            descriptor = os.open(self.password_file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(descriptor, "w") as file:
                file.write(secrets.token_hex(24))
        path = self._home / "first-password"
        path.write_text(self.password_file.read_text())
        if os.geteuid() == 0:
            shutil.chown(path, "postgres", "postgres")
        path.chmod(0o600)
        options = ["-U", "postgres", "-E", "UTF8", "--locale=C.UTF-8", "-A", "scram-sha-256", f"--pwfile={path}", "--no-instructions"]
        if self._fast:
            options.append("--no-sync")
        try:
            remedy = "Look at the free space and the owner of the data folder."
            run(self._as([_binary("initdb"), "-D", self._home / "pg", *options]), remedy=remedy, cwd=Path("/"))
        finally:
            path.unlink(missing_ok=True)

    def _runs(self) -> bool:
        status = self._as([_binary("pg_ctl"), "-D", self._home / "pg", "status"])
        return subprocess.run(status, cwd="/", capture_output=True, check=False).returncode == 0

    def _as(self, command: list[str | Path]) -> list[str]:
        """The command as the account postgres: its server refuses to run as root."""
        words = [str(part) for part in command]
        if os.geteuid() != 0:
            return words
        account = ["setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups"]
        return [*account, "env", f"HOME={self._home}", "LC_ALL=C.UTF-8", *words]


def _binary(name: str) -> Path:
    paths = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"), key=lambda path: int(path.parts[-3]))
    if not paths:
        raise StepFailed("PostgreSQL is not installed. Run: apt-get install -y --no-install-recommends postgresql")
    return paths[-1]


def _passable(wanted: Path) -> Path:
    """The folder itself, or one below /var/lib when the account postgres cannot get there or its path is too long."""
    wanted = wanted.resolve()
    if os.geteuid() != 0:
        return wanted if len(str(wanted)) < 80 else Path(tempfile.gettempdir()) / f"old-attic-{os.getuid()}" / _short(wanted)
    try:
        account = pwd.getpwnam("postgres")
    except KeyError:
        raise StepFailed("PostgreSQL is not installed. Run: apt-get install -y --no-install-recommends postgresql") from None
    passable = all(_may_pass(parent, account.pw_uid, account.pw_gid) for parent in wanted.parents if parent.exists())
    return wanted if passable and len(str(wanted)) < 80 else Path("/var/lib/old-attic") / _short(wanted)


def _may_pass(folder: Path, user: int, group: int) -> bool:
    facts = folder.stat()
    bit = 0o100 if facts.st_uid == user else 0o010 if facts.st_gid == group else 0o001
    return bool(facts.st_mode & bit)


def _short(path: Path) -> str:
    return hashlib.sha256(str(path).encode()).hexdigest()[:12]
