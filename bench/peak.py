"""One first backup in a process of its own: prints its peak resident memory in bytes and the number of items."""

import resource
import sys
from pathlib import Path

from bench.vaults import backup, new_vault

captured = backup(new_vault(Path(sys.argv[1])), Path(sys.argv[2]))
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024, captured.manifest.items)
