"""Which work of this computer gives way to which. Checks, copies and sweeps are in no hurry; runs and restores are waited for."""

import os

GIVES_WAY = 10
"""Added to how nice the process is (POSIX nice values: 19 gives way most)."""


def yield_to_runs() -> None:
    """This process gets what others leave from now on. Idempotent: never nicer than that."""
    os.nice(max(0, GIVES_WAY - os.nice(0)))
