"""The only reader of the environment. Everything that can differ between two installations, with its unit."""

import os
from dataclasses import dataclass, field
from pathlib import Path


@dataclass(frozen=True, slots=True, kw_only=True)
class Env:
    """What the environment says, read once."""

    data: Path
    """Folder for keys, exports and the demo's stores."""
    database_host: str
    database_port: int
    database_name: str
    database_password: str = field(repr=False)
    announcements_url: str
    """Where devices on the office network announce themselves; empty for none."""
    production: bool
    """Refuses stand-ins and insecure settings."""
    hosts: tuple[str, ...]
    mail_host: str
    """Empty: mails are written into the log of the worker instead of sent."""
    mail_port: int
    mail_from: str
    mail_user: str
    mail_password: str = field(repr=False)
    mail_tls: str
    """none, start (STARTTLS) or whole."""
    tick_seconds: int
    """How often the scheduler looks for what is due; 1 to 59, best a divisor of 60."""
    key: str
    """Where the server's key lies: empty for beside the data, file:/PATH, credential:NAME, fd:N for one typed at the start."""
    credentials: str
    """Folder of the service manager's credentials; empty without one."""
    proxies: tuple[str, ...]
    """Addresses or networks of proxies whose word counts for where a request comes from."""
    drives: tuple[Path, ...]
    """Folders below which drives are mounted; empty for where systems do."""
    roots: tuple[Path, ...]
    """Folders of this computer that may hold stores, devices' folders and old backups; empty for all but the system's and our own."""
    start: bytes
    """Drawn anew with every start of the server, the same for all of its processes: what was made to be fetched opens with it."""
    pack_bytes: int
    grace_seconds: int
    waste_percent: int
    """A pack of which more than this is unneeded is rewritten by a sweep."""


def read_env() -> Env:
    """From the variables ATTIC_*. Raises ValueError naming the variable that is wrong."""
    root = Path(__file__).resolve().parents[2]
    data = Path(os.environ.get("ATTIC_DATA", root / "data"))
    password_file = data / "keys" / "database"
    return Env(
        data=data,
        database_host=os.environ.get("ATTIC_DATABASE_HOST", "127.0.0.1"),
        database_port=_number("ATTIC_DATABASE_PORT", 5442),
        database_name=os.environ.get("ATTIC_DATABASE_NAME", "attic"),
        database_password=password_file.read_text().strip() if password_file.is_file() else "",
        announcements_url=os.environ.get("ATTIC_ANNOUNCEMENTS_URL", ""),
        production=os.environ.get("ATTIC_PRODUCTION", "") == "1",
        hosts=tuple(os.environ.get("ATTIC_HOSTS", "127.0.0.1,localhost,[::1]").split(",")),
        mail_host=os.environ.get("ATTIC_MAIL_HOST", ""),
        mail_port=_number("ATTIC_MAIL_PORT", 25),
        mail_from=os.environ.get("ATTIC_MAIL_FROM", "old-attic@localhost"),
        mail_user=os.environ.get("ATTIC_MAIL_USER", ""),
        mail_password=os.environ.get("ATTIC_MAIL_PASSWORD", ""),
        mail_tls=os.environ.get("ATTIC_MAIL_TLS", "none"),
        tick_seconds=_number("ATTIC_TICK_SECONDS", 10),
        key=os.environ.get("ATTIC_KEY", ""),
        credentials=os.environ.get("CREDENTIALS_DIRECTORY", ""),
        proxies=tuple(part.strip() for part in os.environ.get("ATTIC_PROXIES", "").split(",") if part.strip()),
        drives=tuple(Path(part) for part in os.environ.get("ATTIC_DRIVES", "").split(":") if part),
        roots=tuple(Path(part) for part in os.environ.get("ATTIC_ROOTS", "").split(":") if part),
        start=bytes.fromhex(os.environ.get("ATTIC_START", "")) or _this_boot(),
        pack_bytes=_number("ATTIC_PACK_BYTES", 24 * 1024 * 1024),
        grace_seconds=_number("ATTIC_GRACE_SECONDS", 24 * 3600),
        waste_percent=_number("ATTIC_WASTE_PERCENT", 33),
    )


def _this_boot() -> bytes:
    """For processes that are started one by one: the same until the computer is started anew."""
    return Path("/proc/sys/kernel/random/boot_id").read_bytes()


def _number(name: str, default: int) -> int:
    text = os.environ.get(name, str(default))
    if not text.isdigit():
        raise ValueError(f"{name} must be a whole number, not {text!r}")
    return int(text)
