"""How far a command is: a bar on a terminal, a line now and then otherwise; always on standard error."""

import shutil
import sys
import time
from typing import Any

from core.units import iec

_LINE_EVERY_SECONDS = 5.0


class Meter:
    """Bytes done of bytes expected."""

    def __init__(self, what: str, *, quiet: bool = False) -> None:
        self._what, self._quiet = what, quiet
        self._bar: Any = None
        self._told = time.monotonic()

    def __call__(self, done_bytes: int, total_bytes: int) -> None:
        if self._quiet or total_bytes <= 0:
            return
        if sys.stderr.isatty():
            if self._bar is None or self._bar.total != total_bytes:
                self.close()
                # some terminals say that they have no size; then this says 80 by 24
                columns, lines = shutil.get_terminal_size()
                size: Any = {"ncols": columns, "nrows": lines}
                from tqdm import tqdm  # only where there is a terminal: most calls never need it

                self._bar = tqdm(total=total_bytes, desc=self._what, unit="B", unit_scale=True, unit_divisor=1024, file=sys.stderr, **size)
            self._bar.update(done_bytes - self._bar.n)
            return
        if time.monotonic() - self._told >= _LINE_EVERY_SECONDS:
            self._told = time.monotonic()
            share = 100 * done_bytes // total_bytes
            print(f"{self._what}: {iec(done_bytes)} of {iec(total_bytes)}, {share} %", file=sys.stderr, flush=True)

    def close(self) -> None:
        if self._bar is not None:
            self._bar.close()
            self._bar = None
