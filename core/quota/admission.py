"""Before a run: will it fit?

From the bytes that the device says have changed, and from how many bytes this device's earlier runs
stored for each byte read. The answer errs on the safe side: what the store has left must hold the
estimate and a small reserve, so that a store is never filled to its last byte.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from core.errors import AtticError
from core.units import MIB, iec

RESERVE_BYTES = 4 * MIB
"""Room for manifests, index and footers."""
OVERHEAD_PERCENT = 2


class DoesNotFit(AtticError):
    """Stopped beforehand; nothing was stored."""

    code = "quota.does_not_fit"
    remedy = "Make room: shorten a retention rule, remove backups that are no longer needed, or raise the allowance under Storage."


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """What a store has left."""

    stored_bytes: int
    allowance_bytes: int | None
    """What it may hold; None without a limit of its own."""
    free_bytes: int | None
    """What its medium has left; None when it cannot tell."""

    @property
    def left_bytes(self) -> int | None:
        """The smaller of both; None when nothing limits it."""
        limits = [] if self.free_bytes is None else [self.free_bytes]
        if self.allowance_bytes is not None:
            limits.append(max(0, self.allowance_bytes - self.stored_bytes))
        return min(limits) if limits else None


def expected_bytes(changed_bytes: int, history: Sequence[tuple[int, int]]) -> int:
    """Bytes that a run will store. `history` holds (read, stored) bytes of earlier runs of the device.

    Without history nothing is assumed to shrink.
    """
    ratios = [stored / read for read, stored in history if read >= MIB // 16]
    ratio = min(1.0, max(0.05, median(ratios))) if ratios else 1.0
    return round(changed_bytes * ratio * (100 + OVERHEAD_PERCENT) / 100)


def admit(changed_bytes: int, room: Room, *, history: Sequence[tuple[int, int]], store: str) -> int:
    """The expected bytes. Raises DoesNotFit when the store has no room for them."""
    expected = expected_bytes(changed_bytes, history)
    left = room.left_bytes
    if left is not None and changed_bytes > 0 and expected + RESERVE_BYTES > left:
        raise DoesNotFit(
            f"{store} has {iec(left)} left; this run needs about {iec(expected)} and {iec(RESERVE_BYTES)} in reserve. Nothing was stored."
        )
    return expected
