"""Makes what `test_kept.py` reads: a store, a pairing and a hook's message, as the program of one day writes them.

    python -m checks.kept.make FOLDER

What lies in the folder beside this file was made by the program of 28 November 2026, before many of its words were changed. It is made
anew only when one of the three formats changes on purpose; then the old ones stay and are read as well.
"""

import hashlib
import json
import sys
import zipfile
from datetime import timedelta
from pathlib import Path
from typing import Any

from adapters.keys.files import KeyFiles
from core.vault.memory import MemoryBlobs
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import PASSPHRASE, Bench, MemoryDevice, contents, phone

DATED = (1980, 1, 1, 0, 0, 0)
AGENT_KEY, SERVER_KEY, PURPOSE = b"a" * 32, b"s" * 32, "agent key of p1"


def store() -> tuple[MemoryBlobs, dict[str, Any]]:
    """A store with two backups, one that was removed and swept, and what is needed to read it."""
    few = {(kind, id): content for (kind, id), content in phone().items() if kind == "contacts"}
    bench, device = Bench(seed=11), MemoryDevice(few | {("photos", "p1"): bytes(range(256)) * 40})
    first = bench.capture(device).manifest
    device.content["contacts", "c001"] = b'{"display": "L. Pellow"}'
    second = bench.capture(device, first).manifest
    third = bench.capture(MemoryDevice(dict(list(few.items())[:20])), of="d2").manifest
    bench.again().remove(first.id)
    for _ in range(4):
        bench.now += timedelta(hours=30)
        sweep(bench.again(), now=bench.now)
    vault = bench.again()
    fields = {
        manifest.id.hex(): {
            f"{kind}/{id}": hashlib.sha256(content).hexdigest() for (kind, id), content in contents(vault, manifest).items()
        }
        for manifest in (second, third)
    }
    return bench.blobs, {"passphrase": PASSPHRASE, "recovery_code": bench.recovery_code, "removed": first.id.hex(), "backups": fields}


def main(folder: Path) -> None:
    """Writes `store.zip` and `kept.json`."""
    blobs, kept = store()
    with zipfile.ZipFile(folder / "store.zip", "w", zipfile.ZIP_DEFLATED) as out:
        for name, content in sorted(blobs.held.items()):
            out.writestr(zipfile.ZipInfo(name, DATED), content)
    sealed = KeyFiles(Path(), lambda: SERVER_KEY).seal(PURPOSE, AGENT_KEY)
    kept["pairing"] = {"server_key": SERVER_KEY.hex(), "purpose": PURPOSE, "sealed": sealed.hex(), "agent_key": AGENT_KEY.hex()}
    (folder / "kept.json").write_text(json.dumps(kept, indent=1) + "\n")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
