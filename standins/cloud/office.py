"""The cloud account of the made-up office: one bucket, one key, found at the same port after each start."""

from pathlib import Path
from typing import Any

from standins.cloud.service import Cloud
from standins.ports import held_port

BUCKET = "saltmarsh-attic"
ACCESS_KEY = "SALTMARSHOFFICE"
SECRET_KEY = "sluice-gate-and-mudflat-0001"  # noqa: S105 - made up


class OfficeCloud(Cloud):
    """Listens from the beginning."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder, keys={ACCESS_KEY: SECRET_KEY})
        if BUCKET not in self.shelf.buckets():
            self.shelf.make_bucket(BUCKET)
        known = folder / "port"
        held = held_port(int(known.read_text()) if known.is_file() else 0)
        self.port = held.number
        held.close()
        known.write_text(str(self.listen(self.port)))

    def described(self) -> dict[str, Any]:
        """What its owner knows, and the trouble it is in."""
        return {
            "endpoint": f"http://127.0.0.1:{self.port}", "bucket": BUCKET, "access_key": ACCESS_KEY, "secret_key": SECRET_KEY,
            "stored_bytes": self.shelf.stored_bytes(), "requests": self.requests, "knobs": self.troubles.told(),
        }  # fmt: skip
