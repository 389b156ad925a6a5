"""One copy into a bucket in a process of its own: prints its peak resident memory in bytes.

`SOURCE BACKUP ENDPOINT BUCKET ACCESS SECRET`.
"""

import re
import sys
from pathlib import Path

from adapters.stores.folder import FolderBlobs
from adapters.stores.places import blobs_at
from bench.vaults import opened
from core.vault.address import BucketAddress
from core.vault.copying import copy

source, backup, endpoint, bucket, access, secret = sys.argv[1:]
address = BucketAddress(bucket=bucket, prefix="attic", endpoint=endpoint, access_key=access, secret_key=secret, inside="yes")
report = copy(opened(FolderBlobs(Path(source))), opened(blobs_at(address)), backups=[bytes.fromhex(backup)])
assert report.copied
peak = re.search(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
assert peak is not None
print(int(peak[1]) * 1024)
