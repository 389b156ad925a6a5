"""A cloud alone: `python -m standins.cloud --data DIR --bucket NAME --access-key K --secret-key S`.

Prints its port, and ends when its input does.
"""

import argparse
import sys
from pathlib import Path

from standins.cloud.service import Cloud


def main() -> int:
    parser = argparse.ArgumentParser(prog="standins.cloud", description="A simulated S3-compatible cloud with one bucket, on loopback.")
    for name in ("data", "bucket", "access-key", "secret-key"):
        parser.add_argument(f"--{name}", required=True)
    options = parser.parse_args()
    cloud = Cloud(Path(options.data), keys={options.access_key: options.secret_key})
    if options.bucket not in cloud.shelf.buckets():
        cloud.shelf.make_bucket(options.bucket)
    print(cloud.listen(), flush=True)
    sys.stdin.read()
    cloud.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
