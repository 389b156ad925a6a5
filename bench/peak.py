"""One first backup in a process of its own: prints its peak resident memory in bytes and the number of items."""

import re
import sys
from pathlib import Path

from bench.vaults import backup, new_vault

captured = backup(new_vault(Path(sys.argv[1])), Path(sys.argv[2]))
# not getrusage: that remembers the size of the process that started this one
peak = re.search(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
assert peak is not None
print(int(peak[1]) * 1024, captured.manifest.items)
